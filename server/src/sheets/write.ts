import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { fieldOf, stampsTime, tableOf, type Design, type Table } from '@heathridge/core/design';
import { sqlName, sqlText } from '@heathridge/core/expression';
import type { RowError, RowKey } from '@heathridge/core/rows';
import { addableField, type BringPlan, type Remembered } from '@heathridge/core/sheet';
import { keptText, type Value } from '@heathridge/core/values';
import { applyInside, locked, type ApplyResult } from '../change/apply';
import type { Tell } from '../change/run';
import { changeRow } from '../rows/change-row';
import type { Stored } from '../rows/codec';
import { valueJson } from '../rows/json';
import { isConstraintError } from '../rows/engine-error';
import { columnsOf, rowFrom, type Saving } from '../rows/saving';
import { loadDesign } from '../store/definitions';
import { openForWriting, ormOver, type Connection } from '../store/driver';
import { begin, prepared, rollBack } from '../store/statements';
import type { Row } from '../store/history';
import { DesignMoved, storedVersion } from '../store/versions';
import { partsOf } from './folder';
import { lookOf } from './look';
import { linesAtOnce } from './rows-file';
import { SheetError } from './sheet-error';
import type { NotTaken, Parent, StagedLine } from './stage';

export interface BringOrder {
  readonly folder: string;
  /** What the sheet was called. */
  readonly name: string;
  /** The version of the design by which it was checked. */
  readonly base: number;
  readonly by: string;
  readonly now: string;
  readonly today: string;
  /** The folder of safe copies, and the name of one to take where a table is made. */
  readonly copies: string;
  readonly copy: string;
}

/** How bringing in ended: all good rows are in the file, or none, with the rows that the file refused. */
export type Brought =
  | {
      readonly done: true;
      readonly table: string;
      readonly entry: number;
      readonly added: number;
      readonly changed: number;
      readonly deleted: number;
      readonly isNew: boolean;
    }
  | { readonly done: false; readonly problems: readonly NotTaken[] };

type Writer = Pick<BringOrder, 'folder' | 'name' | 'by' | 'now' | 'today'>;

interface Plan {
  readonly plan: BringPlan;
  readonly parents: readonly Parent[];
  /** The largest number among those that the sheet gives to rows itself. */
  readonly largest: number;
  /** Rows that are written. */
  readonly rows: number;
}

/** Rows that the file refuses which are told. */
const MOST_REFUSED = 300;
/** Rows that are added by one statement, and values that it takes. */
const MOST_AT_ONCE = 100;
const MOST_VALUES = 20_000;

/** Writes what was staged of a sheet, all in one transaction: the work of a child. */
export function bringIn(path: string, order: BringOrder, tell: Tell): Brought {
  const parts = partsOf(order.folder);
  let kept: Plan;
  try {
    kept = JSON.parse(readFileSync(parts.plan, 'utf8')) as Plan;
  } catch {
    throw new SheetError('This sheet has not been checked, or is no longer kept: check it again.');
  }
  const db = openForWriting(path);
  try {
    return kept.plan.into.table === 'new'
      ? intoNew(db, path, order, kept, tell)
      : intoKnown(db, order, kept, tell);
  } finally {
    db.close();
  }
}

/**
 * Tries what was staged in a copy of the file, which then goes: the rows that the file itself refuses, by what they
 * do to others. `db` only reads, with a transaction open.
 */
export function trial(
  db: Connection,
  copy: string,
  order: Pick<BringOrder, 'folder' | 'by' | 'now' | 'today'>,
  tell: Tell,
): readonly NotTaken[] {
  const clear = (): void => {
    for (const suffix of ['', '-wal', '-shm']) rmSync(copy + suffix, { force: true });
  };
  clear();
  // The engine copies outside of any transaction alone.
  db.exec('COMMIT');
  try {
    db.prepare('VACUUM INTO ?').run(copy);
  } finally {
    db.exec('BEGIN');
  }
  const trying = openForWriting(copy);
  try {
    const kept = JSON.parse(readFileSync(partsOf(order.folder).plan, 'utf8')) as Plan;
    begin(trying);
    writeStaged(trying, loadDesign(ormOver(trying)), { ...order, name: '' }, kept, tell);
    return [];
  } catch (error) {
    if (error instanceof Refused) return error.all;
    throw error;
  } finally {
    rollBack(trying);
    trying.close();
    clear();
  }
}

class Refused extends Error {
  constructor(readonly all: readonly NotTaken[]) {
    super('refused');
  }

  /** The first of them. */
  get problems(): readonly NotTaken[] {
    return this.all.slice(0, MOST_REFUSED);
  }
}

function intoKnown(db: Connection, order: BringOrder, kept: Plan, tell: Tell): Brought {
  const orm = ormOver(db);
  begin(db);
  try {
    if (storedVersion(db) !== order.base) throw new DesignMoved();
    const written = writeStaged(db, loadDesign(orm), order, kept, tell);
    tell({ step: 1, of: 1, what: 'Writing it to the disk' });
    prepared(db, 'COMMIT').run();
    return written;
  } catch (error) {
    rollBack(db);
    if (error instanceof Refused) return { done: false, problems: error.problems };
    throw error;
  }
}

/** Makes the table and writes its rows, in the one transaction of a change of the design. */
function intoNew(db: Connection, path: string, order: BringOrder, kept: Plan, tell: Tell): Brought {
  if (kept.plan.into.table !== 'new') throw new Error('This plan makes no table.');
  const changes = [{ change: 'addTable', table: kept.plan.into.made }] as const;
  const orm = ormOver(db);
  let written: Extract<Brought, { done: true }> | null = null;
  tell({ step: 0, of: 1, what: 'Taking a safe copy' });
  let result: ApplyResult;
  try {
    result = locked(db, path, join(order.copies, order.copy), tell, () => {
      const made = applyInside(db, orm, { ...order, changes }, tell);
      if (!made.done) return made;
      const design = loadDesign(orm);
      written = writeStaged(db, design, order, kept, tell);
      // The keys of other tables were looked up before nobody else could write.
      const [orphan] = prepared(
        db,
        `PRAGMA foreign_key_check(${sqlName(tableOf(design, written.table).name)})`,
      ).all();
      return orphan === undefined
        ? made
        : {
            done: false,
            message: 'A row that is named in this sheet was deleted meanwhile: check it again.',
            findings: null,
          };
    });
  } catch (error) {
    if (error instanceof Refused) return { done: false, problems: error.problems };
    throw error;
  }
  if (result.done) return written!;
  if ('moved' in result) throw new DesignMoved();
  throw new SheetError(result.message);
}

/** Writes staged rows in the transaction that is open. Throws Refused with every row that the file does not take. */
function writeStaged(
  db: Connection,
  design: Design,
  order: Writer,
  { plan, parents, largest, rows }: Plan,
  tell: Tell,
): Extract<Brought, { done: true }> {
  const { into } = plan;
  const table = design.tables.find(({ id }) => id === (into.table === 'new' ? into.made.id : into.id));
  if (!table) throw new DesignMoved();
  const by = keptText(order.by);
  const sql = "INSERT INTO hr_log (at, by, what) VALUES (?, ?, 'brought in')";
  const entry = Number(prepared(db, sql).run([order.now, order.by]).lastInsertRowid);
  const saving: Saving = {
    db,
    design,
    by,
    now: order.now,
    today: order.today,
    entry,
    keys: new Map(),
    refused: new Set(),
  };
  const writing = new Writing(saving, table, parents, largest);
  withoutTextWalk(db, table, rows, () => {
    for (const text of linesAtOnce(partsOf(order.folder).staged)) {
      tell({ step: writing.written, of: rows, what: 'Writing the rows' });
      writing.line(JSON.parse(text) as StagedLine);
    }
  });
  if (writing.refused.length > 0) throw new Refused(writing.refused);
  const { added, changed, deleted } = writing;
  const detail = { sheet: order.name, table: table.id, added, changed, deleted, parents: parents.length };
  prepared(db, 'UPDATE hr_log SET detail = ? WHERE id = ?').run([JSON.stringify(detail), entry]);
  remember(db, order, table, plan);
  return { done: true, table: table.id, entry, added, changed, deleted, isNew: into.table === 'new' };
}

/** Remembers how a sheet with these headings came into this table. */
function remember(db: Connection, order: Writer, table: Table, plan: BringPlan): void {
  const look = lookOf(order.folder);
  if (!look) return;
  const { columns, mode, match, blanks } = plan;
  const kept: Remembered = { columns, mode, match, blanks };
  prepared(
    db,
    'INSERT OR REPLACE INTO hr_bringing (table_id, headings, plan, at, by) VALUES (?, ?, ?, ?, ?)',
  ).run([
    table.id,
    JSON.stringify(look.columns.map(({ heading }) => heading)),
    JSON.stringify(kept),
    order.now,
    order.by,
  ]);
}

/**
 * SQL by which history takes rows that were added: it reads them from the table, by a JSON array of their keys,
 * of one field each. The engine writes that faster than anybody could hand it over.
 */
function pastSql(table: Table): string {
  const { fields } = columnsOf(table);
  const key = `t.${sqlName(fieldOf(table, table.key[0]!)!.name)}`;
  const cells = fields.map(
    ({ id, name, type }) => `${sqlText(id)}, ${valueJson(type, `t.${sqlName(name)}`)}`,
  );
  return (
    'INSERT INTO hr_history (at, by, table_id, op, log, key, after) ' +
    `SELECT ?, ?, ?, 'insert', ?, json_array(${key}), json_object(${cells.join(', ')}) ` +
    `FROM json_each(?) AS k CROSS JOIN ${sqlName(table.name)} AS t ON ${key} = k.value ORDER BY k.key`
  );
}

/** Rows from which on it is worth while to change the schema for the time of writing them. */
const MANY_ROWS = 20_000;

/**
 * Writes rows that the core has read without the file's own walk through every letter of theirs: the trigger that
 * does it is put aside within the transaction. It is for other tools, whose texts nobody has looked at.
 */
function withoutTextWalk(db: Connection, table: Table, rows: number, work: () => void): void {
  const find = "SELECT sql FROM sqlite_schema WHERE type = 'trigger' AND tbl_name = ? AND name = ?";
  const name = `${table.name} texts insert`;
  const found = prepared(db, find).get([table.name, name]) as [string] | undefined;
  if (rows < MANY_ROWS || !found) {
    work();
    return;
  }
  db.exec(`DROP TRIGGER ${sqlName(name)}`);
  work();
  db.exec(found[0]);
}

class Writing {
  readonly refused: NotTaken[] = [];
  added = 0;
  changed = 0;
  deleted = 0;
  private readonly parentKeys: (RowKey | null)[] = [];
  /** Rows that one statement adds: it takes so many values at most. */
  private readonly atOnce: number;
  private readonly keyPlaces: readonly number[];
  private readonly pastSql: string;
  private readonly numberPlace: number | null;
  private readonly stamps: readonly { readonly place: number; readonly value: string }[];
  private next: number | null = null;

  constructor(
    private readonly saving: Saving,
    private readonly table: Table,
    parents: readonly Parent[],
    private readonly largest: number,
  ) {
    const { fields } = columnsOf(table);
    this.atOnce = Math.max(1, Math.min(MOST_AT_ONCE, Math.floor(MOST_VALUES / fields.length)));
    this.keyPlaces = table.key.map((id) => fields.findIndex((field) => field.id === id));
    this.pastSql = pastSql(table);
    const numbered = table.key.length === 1 && fieldOf(table, table.key[0]!)!.type.kind === 'runningNumber';
    this.numberPlace = numbered ? this.keyPlaces[0]! : null;
    this.stamps = fields.flatMap(({ type }, place) =>
      type.kind === 'stamp' ? [{ place, value: stampsTime(type.of) ? saving.now : saving.by }] : [],
    );
    parents.forEach((parent, i) => this.addParent(parent, i));
  }

  /** Adds a row to another table because a lookup names it. */
  private addParent({ table: id, field, text }: Parent, place: number): void {
    const { design } = this.saving;
    const shown = addableField(design, fieldOf(this.table, field)!);
    if (!shown)
      throw new SheetError('Rows of that table can no longer be added by their name: check the sheet again.');
    const result = changeRow(this.saving, {
      change: { op: 'insert', table: id, values: { [shown.id]: text } },
      index: place,
    });
    if ('errors' in result) {
      this.parentKeys.push(null);
      this.refuse(0, result.errors, `“${text}” cannot be added: `);
    } else this.parentKeys.push(result.key);
  }

  line(staged: StagedLine): void {
    if (staged.op === 'add') this.add(staged);
    else if (staged.op === 'change') this.change(staged);
    else this.delete(staged.key);
  }

  /** Rows that were written so far. */
  get written(): number {
    return this.added + this.changed + this.deleted;
  }

  /** Deletes a row that its source does not name any more; one that the file holds on to stays. */
  private delete(key: RowKey): void {
    const { db } = this.saving;
    prepared(db, 'SAVEPOINT gone').run();
    const result = changeRow(this.saving, {
      change: { op: 'delete', table: this.table.id, key: [...key] },
      index: 0,
    });
    if ('errors' in result) prepared(db, 'ROLLBACK TO gone').run();
    else this.deleted++;
    prepared(db, 'RELEASE gone').run();
  }

  private add({ lines, rows, waiting }: Extract<StagedLine, { op: 'add' }>): void {
    const { db } = this.saving;
    for (const [row, field, parent] of waiting) rows[row]![field] = this.parentKeys[parent]?.[0] ?? null;
    for (const row of rows) this.complete(row);
    prepared(db, 'SAVEPOINT chunk').run();
    try {
      for (let i = 0; i < rows.length; i += this.atOnce) this.insert(rows.slice(i, i + this.atOnce));
      this.added += rows.length;
    } catch (error) {
      if (!isConstraintError(error)) throw error;
      prepared(db, 'ROLLBACK TO chunk').run();
      rows.forEach((row, i) => this.addOne(lines[i]!, rowFrom(this.table, row)));
    }
    prepared(db, 'RELEASE chunk').run();
  }

  /** Adds rows, and what history keeps of them, by one statement each. */
  private insert(rows: readonly Stored[][]): void {
    const { db, now, by, entry } = this.saving;
    const { list, fields } = columnsOf(this.table);
    const values = (one: string): string => rows.map(() => one).join(', ');
    const places = `(${fields.map(() => '?').join(', ')})`;
    prepared(db, `INSERT INTO ${sqlName(this.table.name)} (${list}) VALUES ${values(places)}`).run(
      rows.flat(),
    );
    const [only, ...others] = this.keyPlaces;
    if (only !== undefined && others.length === 0) {
      const keys = JSON.stringify(rows.map((row) => row[only]));
      prepared(db, this.pastSql).run([now, by, this.table.id, entry, keys]);
      return;
    }
    prepared(
      db,
      'INSERT INTO hr_history (at, by, table_id, op, log, key, after) ' +
        `SELECT ?, ?, ?, 'insert', ?, column1, column2 FROM (VALUES ${values('(?, ?)')})`,
    ).run([
      now,
      by,
      this.table.id,
      entry,
      ...rows.flatMap((row) => [
        JSON.stringify(this.keyPlaces.map((place) => row[place])),
        JSON.stringify(rowFrom(this.table, row)),
      ]),
    ]);
  }

  /** Adds a row by itself, to hear why the file does not take it. */
  private addOne(line: number, row: Row): void {
    const values = Object.fromEntries(
      Object.entries(row).filter(([id]) => fieldOf(this.table, id)!.type.kind !== 'stamp'),
    );
    const result = changeRow(this.saving, {
      change: { op: 'insert', table: this.table.id, values },
      index: 0,
    });
    if ('errors' in result) this.refuse(line, result.errors);
    else this.added++;
  }

  /** Gives a row its stamps, and the number that the file would give it. */
  private complete(stored: Stored[]): void {
    for (const { place, value } of this.stamps) stored[place] = value;
    if (this.numberPlace === null || stored[this.numberPlace] !== null) return;
    const number = (this.next ??= this.firstNumber());
    this.next = number + 1;
    stored[this.numberPlace] = number;
  }

  private firstNumber(): number {
    const { db } = this.saving;
    const { name } = this.table;
    const column = sqlName(fieldOf(this.table, this.table.key[0]!)!.name);
    const known = prepared(db, 'SELECT seq FROM sqlite_sequence WHERE name = ?').get([name]) as
      [number] | undefined;
    const [largest] = prepared(db, `SELECT coalesce(max(${column}), 0) FROM ${sqlName(name)}`).get() as [
      number,
    ];
    return Math.max(known?.[0] ?? 0, largest, this.largest) + 1;
  }

  private change({ line, key, was, values, waiting }: Extract<StagedLine, { op: 'change' }>): void {
    const all: Record<string, Value> = { ...values };
    for (const [field, parent] of waiting) all[field] = this.parentKeys[parent]?.[0] ?? null;
    const result = changeRow(this.saving, {
      change: { op: 'update', table: this.table.id, key: [...key], values: all, was: { ...was } },
      index: 0,
    });
    if ('errors' in result) this.refuse(line, result.errors);
    else this.changed++;
  }

  private refuse(line: number, errors: readonly RowError[], before = ''): void {
    for (const { field, message, theirs } of errors)
      this.refused.push({
        line,
        column: null,
        field,
        value: '',
        reason: `${before}${message}${theirs === undefined ? '' : ' Somebody has changed it since this sheet was checked.'}`,
      });
  }
}
