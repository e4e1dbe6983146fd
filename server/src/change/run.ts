import {
  convertAll,
  mapTable,
  roundedWords,
  type CheckPlan,
  type Converted,
  type Held,
  type MapPlan,
  type Notice,
  type RowCheck,
  type Step,
} from '@heathridge/core/change';
import { storedFields, type Design, type Field, type Stored } from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import type { CountingPart } from '@heathridge/core/query';
import { BEGINNING_OF_TEXT } from '@heathridge/core/values';
import type { Connection } from '../store/driver';
import { isOfMachine } from '../store/private';
import { guarded, only } from '../store/statements';

/** A row check with the rows that fail it. */
export interface Finding extends Pick<RowCheck, 'table' | 'field' | 'fields' | 'sort' | 'message' | 'rule'> {
  /** Its place among the checks of the plan, for asking for more of the rows. */
  readonly number: number;
  readonly count: number;
  /** Some of them: the key, and the value in the field. */
  readonly sample: readonly FoundRow[];
}

export interface FoundRow {
  readonly key: readonly (string | number)[];
  readonly value: string | number | null;
}

export interface CheckResult {
  readonly notices: readonly Notice[];
  readonly findings: readonly Finding[];
  /** Values that are read as another kind and cannot be, for each field that changes its kind. */
  readonly unread: readonly { readonly field: string; readonly values: readonly Converted[] }[];
  /** True when nothing stands in the way. */
  readonly clear: boolean;
  /** Of an undo: the fields that findings are about, as they will be. */
  readonly fields?: readonly Field[];
}

/** How far a long piece of work is. */
export interface Progress {
  readonly step: number;
  readonly of: number;
  readonly what: string;
  /** Of a query whose parts are counted: how many rows they leave, as far as that is known. */
  readonly parts?: readonly CountingPart[];
}

export type Tell = (progress: Progress) => void;

/** For work that nobody watches. */
export const UNWATCHED: Tell = () => undefined;

/** Rows of a finding that are shown at first. */
const SAMPLE = 20;

/** Values that cannot be read which are told one by one. */
const MOST_UNREAD = 200;

/** Reads every different value of a field as its new kind: see `convertAll`. */
export function readValues(db: Connection, plan: MapPlan, today: string): Converted[] {
  const values = guarded(db, plan.source, 3).all() as unknown as Held[];
  const targets = plan.targets ? (guarded(db, plan.targets, 2).all() as [Stored, string | null][]) : [];
  return convertAll(plan, values, targets, today);
}

/** Makes the temporary table from which rows take their converted values. */
export function makeMap(db: Connection, plan: MapPlan, today: string): Converted[] {
  const converted = readValues(db, plan, today);
  db.exec(mapTable(plan.table));
  const insert = db.prepare(
    `INSERT INTO temp.${sqlName(plan.table)} (old, new, message) SELECT json_extract(value, '$[0]'), json_extract(value, '$[1]'), json_extract(value, '$[2]') FROM json_each(?)`,
  );
  const CHUNK = 5000;
  for (let i = 0; i < converted.length; i += CHUNK)
    insert.run(
      JSON.stringify(converted.slice(i, i + CHUNK).map((item) => [item.old, item.new, item.message])),
    );
  return converted;
}

/** Asks the real rows the questions of a plan. Maps and keys are made first, and left for what follows. */
export function runChecks(
  db: Connection,
  plan: CheckPlan,
  today: string,
  tell: Tell = UNWATCHED,
): CheckResult {
  const of = plan.maps.length + plan.rows.length;
  const unread: { field: string; values: readonly Converted[] }[] = [];
  plan.maps.forEach((map, i) => {
    tell({ step: i, of, what: 'Reading the values that change their kind' });
    const values = makeMap(db, map, today).filter(({ message }) => message !== null);
    if (values.length > 0) unread.push({ field: map.field, values: values.slice(0, MOST_UNREAD) });
  });
  for (const { table, sql } of plan.keys) db.exec(`${mapTable(table)}; ${sql}`);
  const findings: Finding[] = [];
  plan.rows.forEach(({ count, sample, ...check }, number) => {
    tell({ step: plan.maps.length + number, of, what: 'Asking the rows that are there' });
    const [many] = db.prepare(count).raw().get() as [number];
    if (many === 0) return;
    findings.push({ ...check, number, count: many, sample: sampleOf(db, sample, SAMPLE, 0) });
  });
  const rounded = plan.rounded.flatMap((check): Notice[] => {
    const { table, field } = check;
    const [many, one] = guarded(db, check.sql, 2).get() as [number, string | null];
    if (many === 0) return [];
    return [
      { level: 'note', table, field, message: roundedWords(check, many, BigInt(one!)), dependants: [] },
    ];
  });
  const stopped = plan.notices.some(({ level }) => level === 'stop');
  const notices = [...plan.notices, ...rounded];
  return { notices, findings, unread, clear: !stopped && findings.length === 0 };
}

export function sampleOf(db: Connection, sql: string, limit: number, offset: number): FoundRow[] {
  const short = `CASE typeof(v) WHEN 'text' THEN substr(v, 1, ${BEGINNING_OF_TEXT}) ELSE v END`;
  const rows = guarded(db, `WITH "~s"(k, v) AS (${sql}) SELECT k, ${short} FROM "~s"`, 2).all(
    limit,
    offset,
  ) as [string, Stored | null][];
  return rows.map(([key, value]) => ({ key: JSON.parse(key) as (string | number)[], value }));
}

/** A step that the engine refused: what was to be done, and why it could not be. */
export class StepError extends Error {}

/** Why something kept as SQL does not go with the tables as they are now; null when all of it does. */
export function keptProblem(db: Connection, design: Design): string | null {
  for (const { what, name, table: id } of design.kept) {
    const table = design.tables.find((candidate) => candidate.id === id);
    const probes =
      what === 'view'
        ? [`SELECT * FROM ${sqlName(name)}`]
        : what === 'trigger' && table
          ? [
              // The engine reads a trigger only when a statement that fires it is prepared. It is not run:
              // an EXPLAIN that was would stay open, and hold the file's log, until it is collected.
              `INSERT INTO ${sqlName(table.name)} DEFAULT VALUES`,
              `UPDATE ${sqlName(table.name)} SET ${sqlName(storedFields(table)[0]!.name)} = NULL`,
              `DELETE FROM ${sqlName(table.name)}`,
            ]
          : [];
    for (const sql of probes) {
      try {
        db.prepare(sql);
      } catch (error) {
        if (isOfMachine(error)) throw error;
        return `The ${what} ${name}, which is kept as SQL, does not go with this: ${(error as Error).message}. Let go of it, or leave what it uses as it is.`;
      }
    }
  }
  return null;
}

/**
 * Carries out the steps of a change. Temporary tables that the checks have made stand already. Throws a
 * StepError for a step that the engine refuses.
 */
export function runSteps(
  db: Connection,
  plan: CheckPlan,
  list: readonly Step[],
  today: string,
  tell: Tell,
): void {
  const made = [...plan.maps, ...plan.keys].map(({ table }) => sqlName(table));
  const isMade = (sql: string): boolean =>
    /^(CREATE TEMP TABLE|INSERT INTO temp\.)/.test(sql) && made.some((name) => sql.includes(name));
  list.forEach((step, i) => {
    tell({ step: i, of: list.length, what: step.what.charAt(0).toUpperCase() + step.what.slice(1) });
    if ('map' in step) {
      if (!made.includes(sqlName(step.map.table))) makeMap(db, step.map, today);
    } else if (!isMade(step.sql)) carryOut(db, step.sql, step.what);
  });
}

function carryOut(db: Connection, sql: string, what: string): void {
  try {
    only(db, sql);
  } catch (error) {
    if (isOfMachine(error)) throw error;
    throw new StepError(`It was not possible to ${what}: ${(error as Error).message}`);
  }
}

/** What the values of a field become as another kind. */
export interface Preview {
  /** Different values, and rows that hold one. */
  readonly values: number;
  readonly rows: number;
  /** Rows whose value cannot be read, and values that are dates in two ways. */
  readonly failing: number;
  readonly ambiguous: number;
  /** The values that cannot be read first, then those in most rows. */
  readonly list: readonly Converted[];
}

const MOST_PREVIEWED = 200;

export function previewConversion(db: Connection, plan: MapPlan, today: string): Preview {
  const all = readValues(db, plan, today);
  const sum = (list: readonly Converted[]): number => list.reduce((total, { rows }) => total + rows, 0);
  const failing = all.filter(({ message }) => message !== null);
  const byRows = (a: Converted, b: Converted): number => b.rows - a.rows;
  const read = all.filter(({ message }) => message === null).sort(byRows);
  return {
    values: all.length,
    rows: sum(all),
    failing: sum(failing),
    ambiguous: all.filter(({ ambiguous }) => ambiguous).length,
    list: [...failing.sort(byRows), ...read].slice(0, MOST_PREVIEWED),
  };
}

/** A page of the rows that fail one check of a plan. */
export function foundRows(
  db: Connection,
  {
    plan,
    today,
    number,
    limit,
    offset,
  }: {
    readonly plan: CheckPlan;
    readonly today: string;
    readonly number: number;
    readonly limit: number;
    readonly offset: number;
  },
): FoundRow[] {
  const check = plan.rows[number];
  if (!check) return [];
  for (const map of plan.maps) makeMap(db, map, today);
  for (const { table, sql } of plan.keys) db.exec(`${mapTable(table)}; ${sql}`);
  return sampleOf(db, check.sample, limit, offset);
}
