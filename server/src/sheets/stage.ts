import { rmSync, writeFileSync } from 'node:fs';
import Papa from 'papaparse';
import { ChangeError, checkPlan, evolve } from '@heathridge/core/change';
import { fieldOf, storedFields, tableOf, type Design, type Field, type Table } from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import { checkRow, startValue, type RowChecking, type RowKey } from '@heathridge/core/rows';
import {
  cellText,
  harmless,
  hash,
  Missing,
  nearest,
  sheetReader,
  soughtText,
  undecided,
  unharmed,
  WHY_NOT,
  type BringPlan,
  type Cell,
  type ReadSheetRow,
  type SheetProblem,
} from '@heathridge/core/sheet';
import type { Value } from '@heathridge/core/values';
import type { Tell } from '../change/run';
import { toStored, type Stored } from '../rows/codec';
import { columnsOf, rowsWith } from '../rows/saving';
import { keyOf } from '../rows/tables';
import type { Connection } from '../store/driver';
import type { Row } from '../store/history';
import { guarded, prepared } from '../store/statements';
import { partsOf } from './folder';
import { isReturned, lookOf, type Look } from './look';
import { NamedRows } from '../rows/named-rows';
import { keptRows, linesFile, type LinesFile } from './rows-file';
import { Seen } from './seen';
import { SheetError } from './sheet-error';
import { trial } from './write';

export interface StageOrder {
  readonly folder: string;
  readonly plan: BringPlan;
  readonly today: string;
  readonly now: string;
  readonly by: string;
}

/** Why one row is not taken. */
export interface NotTaken extends SheetProblem {
  readonly line: number;
}

/** What becomes of a sheet: how many rows are good, and why the others are not. */
export interface Staged {
  readonly rows: number;
  /** Good rows that are added, change a row that is there, or change nothing of it. */
  readonly added: number;
  readonly changed: number;
  readonly same: number;
  readonly bad: number;
  /** Rows that are there and that a source does not name any more: those that go, and those that stay, with why. */
  readonly gone: GoneRows;
  /** The first reasons. */
  readonly problems: readonly NotTaken[];
  /** For each column whose values could not be read, or name no row: how many rows, and its commonest ones. */
  readonly unread: readonly {
    readonly column: number;
    readonly rows: number;
    readonly values: readonly (readonly [
      text: string,
      rows: number,
      reason: string,
      nearest: string | null,
    ])[];
  }[];
  /** Rows that are added to other tables because a lookup names them. */
  readonly parents: readonly { readonly field: string; readonly table: string; readonly rows: number }[];
}

export interface GoneRows {
  readonly deleted: number;
  readonly kept: number;
  readonly why: string;
}

/** What is staged, a line each: many rows that are added together, or one that is changed or goes. */
export type StagedLine =
  | {
      readonly op: 'add';
      readonly lines: readonly number[];
      /** The values as they are stored, of each field in turn. */
      readonly rows: readonly Stored[][];
      /** Places of values that are keys of rows that are added first: row, field, and which of those. */
      readonly waiting: readonly (readonly [row: number, field: number, parent: number])[];
    }
  | {
      readonly op: 'change';
      readonly line: number;
      readonly key: RowKey;
      readonly was: Row;
      readonly values: Row;
      readonly waiting: readonly (readonly [field: string, parent: number])[];
    }
  | { readonly op: 'delete'; readonly key: RowKey };

/** A row that is added to another table because a lookup names it. */
export interface Parent {
  readonly table: string;
  readonly field: string;
  readonly text: string;
}

const MOST_PROBLEMS = 300;
const MOST_VALUES = 50;
/** Different texts that are gathered for each column. */
const MOST_GATHERED = 2000;
/** Rows that are added by one statement. */
const AT_ONCE = 500;
const MOST_PARENTS = 100_000;
/** Names among which the one is looked for that was probably meant. */
const MOST_COMPARED = 20_000;

/** The design in which a plan's rows stand: with the table that it makes. */
export function designFor(
  design: Design,
  plan: BringPlan,
): { readonly design: Design; readonly table: Table } {
  if (plan.into.table === 'known') {
    const { id } = plan.into;
    const table = design.tables.find((candidate) => candidate.id === id);
    if (!table) throw new SheetError('The table that this sheet was to come into is no longer there.');
    return { design, table };
  }
  try {
    const changes = [{ change: 'addTable', table: plan.into.made }] as const;
    const evolved = evolve(design, changes);
    const stop = checkPlan(design, evolved, changes).notices.find(({ level }) => level === 'stop');
    if (stop) throw new SheetError(stop.message);
    return { design: evolved.design, table: tableOf(evolved.design, plan.into.made.id) };
  } catch (error) {
    if (error instanceof ChangeError) throw new SheetError(error.message);
    throw error;
  }
}

/**
 * Reads and checks every row of a sheet as a plan says, and stages what is good to be written. Nothing of the file
 * changes. Throws a SheetError for a plan that cannot be followed.
 */
export async function stageSheet(
  db: Connection,
  original: Design,
  order: StageOrder,
  tell: Tell,
): Promise<Staged> {
  const { plan } = order;
  const parts = partsOf(order.folder);
  const look = lookOf(order.folder);
  if (!look) throw new SheetError('This sheet is no longer kept: send it again.');
  const { design, table } = designFor(original, plan);
  const headings = look.columns.map(({ heading }) => heading);
  const undone = undecided(design, table, plan, headings);
  if (undone !== null) throw new SheetError(undone);
  rmSync(parts.plan, { force: true });
  const refusedBefore = new Map<number, string>();
  for (let turn = 0; ; turn++) {
    const staged = await stageOnce(db, design, table, order, look, refusedBefore, tell);
    if (staged.added + staged.changed + staged.gone.deleted === 0 || !needsTrial(db, design, table, plan))
      return staged;
    if (turn >= MOST_TURNS)
      throw new SheetError(
        'Rules of this file that look at other rows refuse other rows of this sheet each time it is tried. Bring it in by parts.',
      );
    tell({ step: 0, of: 1, what: 'Trying the rows in a copy of the file' });
    const refused = trial(db, parts.trial, order, tell);
    if (refused.length === 0) return staged;
    for (const { line, reason } of refused) refusedBefore.set(line, reason);
  }
}

/** Times that rows are tried anew without those that the file refused. */
const MOST_TURNS = 5;

/** Whether the file asks more of these rows than can be told from each by itself: then it is asked. */
function needsTrial(db: Connection, design: Design, table: Table, plan: BringPlan): boolean {
  if (plan.into.table === 'new') return false;
  if (design.kept.some((kept) => kept.table === table.id)) return true;
  const sql =
    "SELECT count(*) FROM sqlite_schema WHERE type = 'trigger' AND tbl_name = ? AND sql LIKE '%rule:%'";
  const [triggers] = prepared(db, sql).get([table.name]) as [number];
  return triggers > 0;
}

async function stageOnce(
  db: Connection,
  design: Design,
  table: Table,
  order: StageOrder,
  look: Look,
  refusedBefore: ReadonlyMap<number, string>,
  tell: Tell,
): Promise<Staged> {
  const { plan } = order;
  const parts = partsOf(order.folder);
  const headings = look.columns.map(({ heading }) => heading);
  const staging = new Staging(
    db,
    design,
    table,
    order,
    linesFile(parts.staged),
    linesFile(parts.bad),
    headings,
  );
  try {
    const restored = isReturned(look);
    let row = 0;
    for await (const batch of keptRows(parts.rows)) {
      for (const { line, cells } of batch.rows) {
        if (line <= plan.style.heading) continue;
        row++;
        const before = refusedBefore.get(line);
        const waits = staging.take(
          line,
          restored ? cells.map((cell) => (typeof cell === 'string' ? unharmed(cell) : cell)) : cells,
          before,
        );
        if (waits) await waits;
      }
      tell({ step: row, of: look.rows, what: `Checking the rows` });
    }
    const staged = await staging.end();
    const { parents, largest } = staging;
    writeFileSync(
      parts.plan,
      JSON.stringify({
        plan,
        parents,
        largest,
        rows: staged.added + staged.changed + staged.gone.deleted,
        same: staged.same,
        bad: staged.bad,
        kept: staged.gone.kept,
      }),
    );
    return staged;
  } finally {
    staging.close();
  }
}

class Staging {
  readonly parents: Parent[] = [];
  /** The largest number that the sheet itself gives to a row. */
  largest = 0;
  private readonly parentOf = new Map<string, number>();
  private readonly read: (cells: readonly Cell[]) => ReadSheetRow;
  private readonly named: NamedRows;
  private readonly isReturned: boolean;
  private readonly start: Row;
  private readonly fields: readonly Field[];
  private readonly uniques: readonly Unique[];
  private readonly checking: RowChecking;
  private readonly checkingNew: RowChecking;
  private readonly touched: Seen;
  private readonly numberField: Field | null;
  private readonly gathered = new Map<number, { rows: number; values: Map<string, [number, string]> }>();
  private readonly problems: NotTaken[] = [];
  private rows = 0;
  private added = 0;
  private changed = 0;
  private same = 0;
  private bad = 0;
  private chunk: { lines: number[]; rows: Stored[][]; waiting: [number, number, number][] } = {
    lines: [],
    rows: [],
    waiting: [],
  };

  constructor(
    private readonly db: Connection,
    private readonly design: Design,
    private readonly table: Table,
    private readonly order: StageOrder,
    private readonly file: LinesFile,
    private readonly notTaken: LinesFile,
    private readonly headings: readonly string[],
  ) {
    const { plan, today } = order;
    this.isReturned = headings[0] === WHY_NOT;
    void notTaken.add(`\ufeff${sheetLine([WHY_NOT, ...headings.slice(this.isReturned ? 1 : 0)])}`);
    this.named = new NamedRows(db, design);
    this.read = sheetReader(design, table, plan, today, this.named.find);
    this.fields = columnsOf(table).fields;
    this.start = Object.fromEntries(
      storedFields(table).map((field) => [field.id, startValue(design, field, order)]),
    );
    const isKnown = plan.into.table === 'known';
    const numbered = table.key.length === 1 ? fieldOf(table, table.key[0]!)! : null;
    this.numberField = numbered?.type.kind === 'runningNumber' ? numbered : null;
    this.checking = {
      today,
      now: order.now,
      // What a field starts with was worked out and not read: that is looked at like any value.
      read: new Set(plan.columns.map(({ field }) => field).filter((id) => this.start[id] === null)),
    };
    this.checkingNew = { ...this.checking, isNew: true };
    const { seen } = partsOf(order.folder);
    this.touched = new Seen(seen('touched'));
    this.uniques = uniquesOf(table).map(
      (fields, i) => new Unique(db, table, fields, isKnown, new Seen(seen(String(i)))),
    );
  }

  /** Takes one row; a promise while what is staged waits for the disk. */
  take(line: number, cells: readonly Cell[], before?: string): Promise<void> | undefined {
    this.rows++;
    if (before !== undefined) return this.refuse(line, cells, [whole(before)]);
    const extra =
      cells.length <= this.headings.length
        ? undefined
        : cells.slice(this.headings.length).find((cell) => cellText(cell).trim() !== '');
    if (extra !== undefined)
      return this.refuse(line, cells, [
        whole(
          `This row has more cells than there are headings (“${cellText(extra).slice(0, 60)}”): a delimiter or a quote is probably missing in it.`,
        ),
      ]);
    const read = this.read(cells);
    if (read.problems.length > 0) return this.refuse(line, cells, read.problems);
    const { plan } = this.order;
    if (plan.mode === 'add') return this.add(line, cells, read);
    const match = plan.match.map((id) => fieldOf(this.table, id)!);
    const values = match.map(({ id }) => read.values[id] ?? null);
    if (values.some((value) => value === null))
      // What has nothing to be told by is no row that is there.
      return plan.mode === 'both'
        ? this.add(line, cells, read)
        : this.refuse(line, cells, [
            whole(`${match.map(({ label }) => label).join(' and ')} is empty: no row can be told by it.`),
          ]);
    const found = values.some((value) => value instanceof Missing)
      ? []
      : rowsWith({ db: this.db }, this.table, match, values as Value[]);
    if (found.length === 1) return this.change(line, cells, read, found[0]!);
    if (found.length > 1)
      return this.refuse(line, cells, [
        whole(
          `${found.length} rows have this ${match.map(({ label }) => label).join(' and ')}: which is meant cannot be told.`,
        ),
      ]);
    return plan.mode === 'both'
      ? this.add(line, cells, read)
      : this.refuse(line, cells, [
          whole(`No row has this ${match.map(({ label }) => label).join(' and ')}.`),
        ]);
  }

  private add(line: number, cells: readonly Cell[], read: ReadSheetRow): Promise<void> | undefined {
    const { table, design } = this;
    const row: Record<string, Value> = { ...this.start };
    let missing: readonly Missing[] = NONE_MISSING;
    for (const { field: id } of this.order.plan.columns) {
      const value = read.values[id]!;
      if (value instanceof Missing) missing = [...missing, value];
      // An empty cell stays empty, except where a value is needed and there is one to start with.
      else if (!read.blank.has(id) || !this.isStarted(id)) row[id] = value;
    }
    // What names a row that is still to be added is filled, though nobody knows its key yet.
    const pending = pendingOf(missing);
    const checking =
      pending.size > 0 ? { ...this.checkingNew, known: this.knownWithout(pending) } : this.checkingNew;
    const problems = checkRow(design, table, row, checking);
    if (problems.length > 0)
      return this.refuse(
        line,
        cells,
        problems.map((problem) => this.placed(problem, cells)),
      );
    for (const unique of this.uniques) {
      const clash = unique.clash(row, pending, line, null);
      if (clash !== null)
        return this.refuse(line, cells, [
          this.placed({ field: unique.fields[0]!.id, message: clash }, cells),
        ]);
    }
    const number = this.numberField && (row[this.numberField.id] ?? null);
    if (typeof number === 'number') this.largest = Math.max(this.largest, number);
    const at = this.chunk.rows.length;
    for (const one of missing) {
      const parent = this.parent(one);
      this.chunk.waiting.push([at, this.fields.findIndex(({ id }) => id === one.field), parent]);
    }
    this.chunk.lines.push(line);
    this.chunk.rows.push(this.fields.map((field) => toStored(field, row[field.id] ?? null)));
    this.added++;
    return this.chunk.rows.length >= AT_ONCE ? this.flush() : undefined;
  }

  private knownWithout(pending: ReadonlySet<string>): Set<string> {
    return new Set(this.fields.map(({ id }) => id).filter((id) => !pending.has(id)));
  }

  private isStarted(id: string): boolean {
    return fieldOf(this.table, id)!.alwaysFilled && this.start[id] !== null;
  }

  private change(
    line: number,
    cells: readonly Cell[],
    read: ReadSheetRow,
    was: Row,
  ): Promise<void> | undefined {
    const { table, design, order } = this;
    const key = keyOf(table, was);
    const place = hash(JSON.stringify(key));
    const before = this.touched.find(place);
    if (before !== undefined)
      return this.refuse(line, cells, [whole(`Line ${before} is about this row already.`)]);
    const values: Record<string, Value> = {};
    const missing: Missing[] = [];
    for (const [id, value] of Object.entries(read.values)) {
      if (order.plan.match.includes(id) || (read.blank.has(id) && order.plan.blanks === 'leave')) continue;
      if (value instanceof Missing) missing.push(value);
      else if (value !== was[id]) values[id] = value;
    }
    const moved = table.key.find((id) => id in values);
    if (moved !== undefined)
      return this.refuse(line, cells, [
        this.placed(
          {
            field: moved,
            message: `${fieldOf(table, moved)!.label} tells the rows of this table and is not changed by a sheet.`,
          },
          cells,
        ),
      ]);
    this.touched.add(place, line);
    if (Object.keys(values).length === 0 && missing.length === 0) {
      this.same++;
      return;
    }
    const pending = pendingOf(missing);
    const row = { ...was, ...values };
    const known = pending.size > 0 ? { known: this.knownWithout(pending) } : {};
    const problems = checkRow(design, table, row, { ...this.checking, ...known, was });
    if (problems.length > 0)
      return this.refuse(
        line,
        cells,
        problems.map((problem) => this.placed(problem, cells)),
      );
    for (const unique of this.uniques) {
      if (!unique.fields.some(({ id }) => id in values)) continue;
      const clash = unique.clash(row, pending, line, key);
      if (clash !== null)
        return this.refuse(line, cells, [
          this.placed({ field: unique.fields[0]!.id, message: clash }, cells),
        ]);
    }
    this.changed++;
    const staged: StagedLine = {
      op: 'change',
      line,
      key,
      was: Object.fromEntries([...Object.keys(values), ...pending].map((id) => [id, was[id] ?? null])),
      values,
      waiting: missing.map((one) => [one.field, this.parent(one)]),
    };
    return this.file.add(JSON.stringify(staged));
  }

  /** The place of the row that is to be added for a text of a lookup. */
  private parent({ field, text }: Missing): number {
    const name = `${field} ${soughtText(text)}`;
    const known = this.parentOf.get(name);
    if (known !== undefined) return known;
    if (this.parents.length >= MOST_PARENTS)
      throw new SheetError(
        `More than ${MOST_PARENTS.toLocaleString('en-GB')} rows would be added to other tables. Bring those in by themselves first.`,
      );
    const type = fieldOf(this.table, field)!.type;
    this.parents.push({ table: type.kind === 'lookup' ? type.table : '', field, text });
    this.parentOf.set(name, this.parents.length - 1);
    return this.parents.length - 1;
  }

  private placed(
    { field, message }: { readonly field: string | null; readonly message: string },
    cells: readonly Cell[],
  ): SheetProblem {
    const column = this.order.plan.columns.find((one) => one.field === field)?.column ?? null;
    return { column, field, value: column === null ? '' : cellText(cells[column] ?? null), reason: message };
  }

  private refuse(
    line: number,
    cells: readonly Cell[],
    problems: readonly SheetProblem[],
  ): Promise<void> | undefined {
    this.bad++;
    for (const problem of problems) {
      if (this.problems.length < MOST_PROBLEMS)
        this.problems.push({ line, ...problem, value: problem.value.slice(0, 200) });
      if (problem.column === null) continue;
      const of = this.gathered.get(problem.column) ?? {
        rows: 0,
        values: new Map<string, [number, string]>(),
      };
      this.gathered.set(problem.column, of);
      of.rows++;
      const known = of.values.get(problem.value);
      if (known) known[0]++;
      else if (of.values.size < MOST_GATHERED)
        of.values.set(problem.value.slice(0, 200), [1, problem.reason]);
    }
    const own = this.isReturned ? 1 : 0;
    const why = problems.map(({ reason }) => reason).join(' ');
    const rest = this.headings.slice(own).map((_, i) => harmless(cellText(cells[i + own] ?? null)));
    return this.notTaken.add(sheetLine([why, ...rest]));
  }

  /** What was probably meant by a text that is no choice, or names no row. */
  private nearest(column: number, text: string): string | null {
    const id = this.order.plan.columns.find((one) => one.column === column)?.field;
    const type = id === undefined ? undefined : fieldOf(this.table, id)?.type;
    if (type?.kind === 'choice')
      return nearest(
        soughtText(text),
        type.choices.map((choice) => [soughtText(choice), choice]),
      );
    if (type?.kind !== 'lookup') return null;
    const texts = this.named.textsOf(fieldOf(this.table, id!)!);
    return texts.size > MOST_COMPARED ? null : nearest(soughtText(text), texts);
  }

  private flush(): Promise<void> | undefined {
    const { lines, rows, waiting } = this.chunk;
    this.chunk = { lines: [], rows: [], waiting: [] };
    const staged: StagedLine = { op: 'add', lines, rows, waiting };
    return this.file.add(JSON.stringify(staged));
  }

  /** Stages the rows of the table which a source does not name any more, where they are to go. */
  private async stageGone(): Promise<GoneRows> {
    const { table, design, db, order } = this;
    const { again, into } = order.plan;
    if (again?.gone !== 'go' || into.table === 'new') return NONE_GONE;
    const keys = table.key.map((id) => `t.${sqlName(fieldOf(table, id)!.name)}`);
    const leading = design.tables.flatMap((other) =>
      other.fields.flatMap((field) =>
        field.type.kind === 'lookup' && field.type.table === table.id
          ? [
              `EXISTS (SELECT 1 FROM ${sqlName(other.name)} AS o WHERE o.${sqlName(field.name)} = ${keys[0]!})`,
            ]
          : [],
      ),
    );
    const isNeeded = leading.length === 0 ? '0' : leading.join(' OR ');
    const page = (where: string): string =>
      `SELECT ${keys.join(', ')}, ${isNeeded} FROM ${sqlName(table.name)} AS t ${where}ORDER BY ${keys.join(', ')} LIMIT ${AT_ONCE}`;
    const places = keys.map(() => '?').join(', ');
    const next = page(`WHERE (${keys.join(', ')}) > (${places}) `);
    const going: RowKey[] = [];
    let [all, needed] = [0, 0];
    for (
      let found = guarded(db, page(''), keys.length + 1).all();
      found.length > 0;
      found = guarded(db, next, keys.length + 1).all(...found.at(-1)!.slice(0, -1))
    )
      for (const cells of found) {
        all++;
        const key = cells.slice(0, -1) as RowKey;
        if (this.touched.find(hash(JSON.stringify(key))) !== undefined) continue;
        if (cells.at(-1)) needed++;
        else going.push(key);
      }
    const absent = going.length + needed;
    if (absent === 0) return NONE_GONE;
    // Which row a line was about that could not be read is not known: it may be any of them.
    if (this.bad > 0)
      return { deleted: 0, kept: absent, why: 'as long as some of its rows cannot be read, none is deleted' };
    if (absent > Math.max(FEW_GONE, all * MOST_GONE))
      return {
        deleted: 0,
        kept: absent,
        why: 'more than half of all rows would go: it may be a part of them that came',
      };
    for (const key of going) {
      const staged: StagedLine = { op: 'delete', key };
      await this.file.add(JSON.stringify(staged));
    }
    return { deleted: going.length, kept: needed, why: needed === 0 ? '' : 'other rows lead to them' };
  }

  /** Leaves nothing behind of what was noted meanwhile. */
  close(): void {
    this.touched.close();
    for (const unique of this.uniques) unique.close();
  }

  async end(): Promise<Staged> {
    if (this.chunk.rows.length > 0) await this.flush();
    const gone = await this.stageGone();
    await this.file.end();
    await this.notTaken.end();
    const { rows, added, changed, same, bad, problems } = this;
    const counts = new Map<string, number>();
    for (const { field } of this.parents) counts.set(field, (counts.get(field) ?? 0) + 1);
    return {
      rows,
      added,
      changed,
      same,
      bad,
      gone,
      problems,
      unread: [...this.gathered].map(([column, of]) => ({
        column,
        rows: of.rows,
        values: [...of.values]
          .sort(([, a], [, b]) => b[0] - a[0])
          .slice(0, MOST_VALUES)
          .map(([text, [many, reason]]) => [text, many, reason, this.nearest(column, text)] as const),
      })),
      parents: [...counts].map(([field, many]) => ({
        field,
        table: this.parents.find((parent) => parent.field === field)!.table,
        rows: many,
      })),
    };
  }
}

const NONE_GONE: GoneRows = { deleted: 0, kept: 0, why: '' };
/** The part of a table's rows that may go at once, and how many may whatever part that is. */
const MOST_GONE = 0.5;
const FEW_GONE = 3;

const NONE_MISSING: readonly Missing[] = [];
const NONE_PENDING: ReadonlySet<string> = new Set();

const pendingOf = (missing: readonly Missing[]): ReadonlySet<string> =>
  missing.length === 0 ? NONE_PENDING : new Set(missing.map(({ field }) => field));

/** A line of a delimited sheet, but for the LF at its end. */
const sheetLine = (cells: readonly string[]): string => `${Papa.unparse([cells as string[]])}\r`;

const whole = (reason: string): SheetProblem => ({ column: null, field: null, value: '', reason });

function uniquesOf(table: Table): Field[][] {
  const alone = table.fields.filter(({ noTwoAlike }) => noTwoAlike).map((field) => [field]);
  return [table.key, ...table.noTwoAlike].map((ids) => ids.map((id) => fieldOf(table, id)!)).concat(alone);
}

/** Fields of which no two rows have all alike, looked at in the sheet and in the file. */
class Unique {
  private readonly sql: string | null;
  private readonly keys: readonly Field[];
  private readonly label: string;

  constructor(
    private readonly db: Connection,
    private readonly table: Table,
    readonly fields: readonly Field[],
    isKnown: boolean,
    private readonly seen: Seen,
  ) {
    this.keys = table.key.map((id) => fieldOf(table, id)!);
    this.label = fields.map((field) => field.label).join(' and ');
    const columns = this.keys.map(({ name }) => sqlName(name)).join(', ');
    // Into a table without rows nothing can clash with what is there.
    const isFilled =
      isKnown && prepared(db, `SELECT 1 FROM ${sqlName(table.name)} LIMIT 1`).get([]) !== undefined;
    const where = fields.map(({ name }) => `${sqlName(name)} = ?`).join(' AND ');
    this.sql = isFilled ? `SELECT ${columns} FROM ${sqlName(table.name)} WHERE ${where}` : null;
  }

  /** Why the values of a row cannot stand beside those of another; null when they can. */
  clash(row: Row, pending: ReadonlySet<string>, line: number, own: RowKey | null): string | null {
    const values = this.fields.map((field) => toStored(field, row[field.id] ?? null));
    if (values.includes(null) || this.fields.some(({ id }) => pending.has(id))) return null;
    const label = this.label;
    // A number by itself tells as much as its hash would.
    const [first] = values;
    const place = values.length === 1 && typeof first === 'number' ? first : hash(JSON.stringify(values));
    const before = this.seen.find(place);
    if (before !== undefined) return `Line ${before} of this sheet has this ${label} already.`;
    this.seen.add(place, line);
    const found =
      this.sql === null ? undefined : (prepared(this.db, this.sql).get(values) as Stored[] | undefined);
    if (found === undefined || (own && own.every((part, i) => part === found[i]))) return null;
    return `Another ${this.table.label.toLowerCase()} has this ${label} already.`;
  }

  close(): void {
    this.seen.close();
  }
}
