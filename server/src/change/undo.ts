import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { and, desc, eq, isNull, max } from 'drizzle-orm';
import * as v from 'valibot';
import {
  AppliedDraft,
  checkPlan,
  COPY,
  GIVEN,
  readChanges,
  steps,
  UndoCarrier,
  undoneDesign,
  type Change,
} from '@heathridge/core/change';
import {
  documentsOf,
  fieldOf,
  Id,
  idsUsed,
  readDesign,
  storedFields,
  storing,
  travelling,
  valueKind,
  type Design,
  type Field,
} from '@heathridge/core/design';
import { sqlName, sqlText } from '@heathridge/core/expression';
import { Key } from '@heathridge/core/rows';
import { checkValue, MOST_TEXT } from '@heathridge/core/values';
import { loadDesign, saveDesign } from '../store/definitions';
import { remember } from '../store/history';
import { guarded, prepared } from '../store/statements';
import { storedVersion } from '../store/versions';
import { openForWriting, ormOver, type Connection, type Orm } from '../store/driver';
import type { OpenFile } from '../store/files';
import { change as changeLog, history } from '../store/file-schema';
import { locked, logged as entryOf, type ApplyResult } from './apply';
import { appliedOf, followRows, Unfollowed, type LoggedChange } from './follow';
import { runChecks, runSteps, type CheckResult, type Tell } from './run';

/** An applied draft, as the list of applied changes shows it. */
export interface AppliedChange {
  readonly version: number;
  readonly at: string;
  readonly by: string;
  readonly what: 'draft applied' | 'draft undone';
  readonly changes: readonly Change[];
  /** What tables, fields and documents that the changes name were called before, by id. */
  readonly names: Readonly<Record<string, string>>;
  readonly undoneAt: string | null;
  readonly undoneBy: string | null;
  /** True for the one that can be undone next. */
  readonly canUndo: boolean;
}

/** The design changes of a file, newest first. */
export function appliedChanges(file: OpenFile): AppliedChange[] {
  const rows = file.orm.select().from(changeLog).orderBy(desc(changeLog.version)).all();
  const next = rows.find(({ what, undoneAt }) => what === 'draft applied' && undoneAt === null);
  return rows.map(({ version, at, by, what, changes, undoneAt, undoneBy, safeCopy, before }) => ({
    version,
    at,
    by,
    what: what as AppliedChange['what'],
    changes: what === 'draft applied' ? readChanges(JSON.parse(changes)) : [],
    names: before === null ? {} : namesIn(readDesign(JSON.parse(before)), idsUsed(JSON.parse(changes))),
    undoneAt,
    undoneBy,
    canUndo:
      version === next?.version &&
      before !== null &&
      safeCopy !== null &&
      existsSync(join(file.copies, safeCopy)),
  }));
}

function namesIn(design: Design, ids: ReadonlySet<string>): Record<string, string> {
  const all = [...design.tables, ...design.tables.flatMap(({ fields }) => fields), ...documentsOf(design)];
  return Object.fromEntries(all.flatMap(({ id, label }) => (ids.has(id) ? [[id, label]] : [])));
}

/** What a child is given to undo an applied draft. */
export interface UndoOrder {
  readonly version: number;
  readonly by: string;
  readonly now: string;
  readonly today: string;
  readonly copies: string;
  readonly copy: string;
  /** What rows that would not fit are to hold. */
  readonly given: readonly Given[];
}

/** What a field of a row is to hold once a draft is undone: the row by its key as it is now. */
export const Given = v.object({
  field: Id,
  key: Key,
  value: v.nullable(v.union([v.pipe(v.string(), v.maxLength(MOST_TEXT)), v.number(), v.boolean()])),
});
export type Given = v.InferOutput<typeof Given>;

/** Undoes an applied draft on a writing connection of its own: the work of a child process. */
export function undo(path: string, order: UndoOrder, tell: Tell): ApplyResult {
  const db = openForWriting(path);
  try {
    const orm = ormOver(db);
    const row = orm.select().from(changeLog).where(eq(changeLog.version, order.version)).get();
    const applied = row && appliedOf(row);
    if (!applied || !row.safeCopy)
      return { done: false, message: 'There is no record of how it was before.', findings: null };
    const draft = new AppliedDraft(applied);
    db.exec(`ATTACH ${sqlText(join(order.copies, row.safeCopy))} AS ${COPY}`);
    tell({ step: 0, of: 1, what: 'Taking a safe copy' });
    return locked(db, path, join(order.copies, order.copy), tell, () =>
      inTransaction(db, orm, order, draft, row, tell),
    );
  } finally {
    db.close();
  }
}

function inTransaction(
  db: Connection,
  orm: Orm,
  order: UndoOrder,
  applied: AppliedDraft,
  logged: LoggedChange,
  tell: Tell,
): ApplyResult {
  const current = loadDesign(orm);
  const target = undoneDesign(current, applied);
  let followed: Set<string>;
  try {
    followed = followRows(db, orm, logged, tell);
  } catch (error) {
    if (!(error instanceof Unfollowed)) throw error;
    return {
      done: false,
      message: `The key of ${error.table.label} was changed by an earlier version of Heathridge, which did not note what the keys became: its rows cannot be told apart any more. The safe copy taken then holds the file as it was.`,
      findings: null,
    };
  }
  const unfit = putGiven(db, target, order.given);
  const given = new Set(order.given.map(({ field }) => field));
  const carrier = new UndoCarrier(current, target, applied, followed, given);
  const evolved = { design: target, carry: {} };
  const plan = checkPlan(current, evolved, [], carrier);
  const stopped = plan.notices.some(({ level }) => level === 'stop');
  const list = stopped ? [] : steps(current, evolved, carrier);
  const of = plan.maps.length + plan.rows.length + list.length + 1;
  const result = runChecks(db, plan, order.today, (at) => tell({ ...at, of }));
  if (!result.clear) {
    const [finding] = result.findings;
    const stop = result.notices.find(({ level }) => level === 'stop');
    return {
      done: false,
      message:
        stop?.message ??
        unfit ??
        `${finding?.count === 1 ? 'A row' : `${finding?.count ?? 0} rows`} would not fit: ${finding?.message ?? ''}`,
      findings: { ...result, fields: fieldsOf(target, result) },
    };
  }
  runSteps(db, plan, list, order.today, (at) =>
    tell({ step: of - list.length - 1 + at.step, of, what: at.what }),
  );
  tell({ step: of - 1, of, what: 'Checking that every link has its row' });
  const orphans = db.prepare('PRAGMA main.foreign_key_check').raw().all();
  if (orphans.length > 0)
    return {
      done: false,
      message: `${orphans.length} rows written since would point to rows that are gone.`,
      findings: null,
    };
  saveDesign(orm, target, { at: order.now, by: order.by });
  const entry = entryOf(orm, order.now, order.by);
  // What is given stands behind the mark: it is written to rows with the keys that they have from now on.
  const mark = orm
    .select({ id: max(history.id) })
    .from(history)
    .get();
  rememberGiven(db, target, order, entry);
  orm
    .update(changeLog)
    .set({ undoneAt: order.now, undoneBy: order.by })
    .where(and(eq(changeLog.version, order.version), isNull(changeLog.undoneAt)))
    .run();
  orm
    .insert(changeLog)
    .values({
      at: order.now,
      by: order.by,
      what: 'draft undone',
      log: entry,
      changes: JSON.stringify({ undoes: order.version }),
      safeCopy: order.copy,
      historyMark: mark?.id ?? 0,
    })
    .run();
  return { done: true };
}

/** What was given for rows is written by whoever gave it, and stands in their history. */
function rememberGiven(db: Connection, { tables }: Design, order: UndoOrder, entry: number): void {
  if (order.given.length === 0) return;
  const writing = { db, now: order.now, by: order.by, entry };
  const fields = prepared(db, `SELECT DISTINCT field FROM temp.${GIVEN}`).all() as [string][];
  for (const [id] of fields) {
    const table = tables.find((candidate) => fieldOf(candidate, id))!;
    const key = table.key.map((part) => `o.${sqlName(fieldOf(table, part)!.name)}`).join(', ');
    const columns = storedFields(table);
    const list = columns.map(({ name }) => `o.${sqlName(name)}`).join(', ');
    // A row may have got another key by this very undo: it is noted then.
    const moved = 'SELECT m.now FROM hr_rekeyed AS m WHERE m.change = ? AND m.table_id = ? AND m.was = g.key';
    const sql = `SELECT ${list} FROM ${sqlName(table.name)} AS o WHERE json_array(${key}) IN (SELECT coalesce((${moved}), g.key) FROM temp.${GIVEN} AS g WHERE g.field = ?)`;
    for (const cells of guarded(db, sql, columns.length).all(storedVersion(db) + 1, table.id, id)) {
      const stored = new Map(columns.map((column, i) => [column.id, cells[i]!]));
      const row = Object.fromEntries(
        columns.map(({ id, type }, i) => [id, cells[i] === null ? null : travelling(type, cells[i]!)]),
      );
      const now = table.key.map((part) => stored.get(part)!);
      remember(writing, table, now, 'update', { ...row, [id]: null }, row);
    }
  }
}

/** The fields that findings are about, as they will be: what is given for rows is read by them. */
function fieldsOf({ tables }: Design, { findings }: CheckResult): Field[] {
  const ids = new Set(findings.flatMap(({ fields }) => fields));
  return tables.flatMap(({ fields }) => fields.filter(({ id }) => ids.has(id)));
}

/**
 * Puts the values that are given where the carrier finds them. What cannot be taken is left out, and why it cannot
 * is told of the first.
 */
function putGiven(db: Connection, { tables }: Design, given: readonly Given[]): string | null {
  if (given.length === 0) return null;
  db.exec(
    `CREATE TEMP TABLE ${GIVEN} (field TEXT NOT NULL, key TEXT NOT NULL, value, PRIMARY KEY (field, key))`,
  );
  const insert = db.prepare(`INSERT OR REPLACE INTO temp.${GIVEN} (field, key, value) VALUES (?, ?, ?)`);
  const unfit: string[] = [];
  for (const { field: id, key, value } of given) {
    const table = tables.find(({ fields }) => fields.some((field) => field.id === id));
    const field = table && fieldOf(table, id);
    if (!field) {
      unfit.push('A field for which a value is given is none of those that come back.');
      continue;
    }
    const read = checkValue(valueKind(field.type), value);
    const isNumbered = field.type.kind === 'runningNumber';
    const isNeeded = !isNumbered && (field.alwaysFilled || table.key.includes(id));
    if (!read.ok) unfit.push(`${field.label}: ${read.message}`);
    else if (read.value === null && isNeeded) unfit.push(`${field.label}: say what it is to hold.`);
    else {
      const stored = storing(field.type, read.value);
      // The driver binds a number as a real one, which a key would be noted with a point for.
      insert.run([id, JSON.stringify(key), typeof stored === 'number' ? BigInt(stored) : stored]);
    }
  }
  return unfit[0] ?? null;
}
