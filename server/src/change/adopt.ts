import { createHash } from 'node:crypto';
import { copyFileSync, rmSync } from 'node:fs';
import { dirname } from 'node:path';
import * as v from 'valibot';
import { fieldOf, storedFields, tableOf, type Design, type Table } from '@heathridge/core/design';
import {
  adopt,
  factsFrom,
  factsSql,
  type Encoding,
  type UnreadTexts,
  type Adoption,
  type ForeignSchema,
  type ForeignTable,
} from '@heathridge/core/exchange';
import { orderParts, steps } from '@heathridge/core/change';
import { sqlName, sqlText } from '@heathridge/core/expression';
import { Problem } from '../problem';
import { loadDesign, saveDesign } from '../store/definitions';
import { bringUpToDate } from '../store/format';
import { assertReadable } from '../store/readable';
import { remakeTriggers } from '../store/remake';
import { guarded, only } from '../store/statements';
import { copyAsUtf8, readTexts, unreadTexts } from './foreign-text';
import { UNWATCHED } from './run';
import { askSoundness } from './soundness';
import {
  APPLICATION_ID,
  migrate,
  openForReading,
  openForWriting,
  ormOver,
  type Connection,
} from '../store/driver';
import { attachment, change, log } from '../store/file-schema';

/** An error of the file that is to be adopted, said for people. */
export class AdoptError extends Error {}

interface Master {
  readonly type: string;
  readonly name: string;
  readonly tbl_name: string;
  readonly sql: string | null;
}

const all = (db: Connection, sql: string, ...values: (string | number)[]): unknown[][] =>
  db
    .prepare(sql)
    .raw()
    .all(...values) as unknown[][];

/** Reads the schema of a file that Heathridge did not make, with what its columns hold. */
export function foreignSchema(db: Connection): ForeignSchema {
  const master = guarded(db, 'SELECT type, name, tbl_name, sql FROM sqlite_master ORDER BY rowid', 4)
    .all()
    .map(([type, name, tbl_name, sql]) => ({ type, name, tbl_name, sql }) as Master);
  const kinds = new Map(
    all(db, "SELECT name, type FROM pragma_table_list WHERE schema = 'main'").map(([name, type]) => [
      name,
      type,
    ]),
  );
  const own = (name: string): boolean => !/^(sqlite_|hr_)/i.test(name);
  const tables = master.filter(
    ({ type, name }) => type === 'table' && own(name) && kinds.get(name) === 'table',
  );
  return {
    tables: tables.map((table) => readTable(db, table)),
    views: master
      .filter(({ type, sql }) => type === 'view' && sql)
      .map(({ name, sql }) => ({ name, sql: sql! })),
    triggers: master
      .filter(({ type, sql }) => type === 'trigger' && sql)
      .map(({ name, tbl_name, sql }) => ({ name, table: tbl_name, sql: sql! })),
    // The tables in which a virtual one keeps its rows are none of anybody's.
    others: master
      .filter(({ type, name }) => type === 'table' && own(name) && kinds.get(name) === 'virtual')
      .map(({ name }) => name),
  };
}

function readTable(db: Connection, { name, sql }: Master): ForeignTable {
  const columns = all(
    db,
    'SELECT name, type, "notnull", dflt_value, pk, hidden FROM pragma_table_xinfo(?)',
    name,
  ) as [string, string, number, string | null, number, number][];
  return {
    name,
    sql: sql ?? '',
    columns: columns.map(([column, type, notNull, given, pk, hidden]) => ({
      name: column,
      type,
      notNull: notNull === 1,
      default: given,
      pk,
      generated: hidden > 1,
      facts: factsFrom(all(db, `SELECT ${factsSql(column)} FROM ${sqlName(name)} AS o`)[0] as number[]),
    })),
    indexes: (
      all(
        db,
        'SELECT l.name, l."unique", l.origin, l.partial, m.sql FROM pragma_index_list(?) AS l LEFT JOIN sqlite_master AS m ON m.name = l.name',
        name,
      ) as [string, number, string, number, string | null][]
    ).map(([index, unique, origin, partial, text]) => ({
      name: index,
      unique: unique === 1,
      origin,
      partial: partial === 1,
      sql: text,
      columns: all(db, 'SELECT name FROM pragma_index_info(?) ORDER BY seqno', index).map(
        ([column]) => column as string | null,
      ),
    })),
    foreignKeys: foreignKeys(db, name),
  };
}

function foreignKeys(db: Connection, table: string): ForeignTable['foreignKeys'] {
  const rows = all(
    db,
    'SELECT id, "table", "from", "to", on_delete FROM pragma_foreign_key_list(?) ORDER BY id DESC, seq',
    table,
  ) as [number, string, string, string | null, string][];
  const ids = [...new Set(rows.map(([id]) => id))];
  return ids.map((wanted) => {
    const own = rows.filter(([id]) => id === wanted);
    const [, to, , , onDelete] = own[0]!;
    return { to, onDelete, pairs: own.map(([, , from, other]) => [from, other] as const) };
  });
}

export interface AdoptOrder {
  /** Where the file lies as it came. */
  readonly foreign: string;
  /** In which encoding texts are read that are no UTF-8; null to ask when there are some. */
  readonly encoding: Encoding | null;
  readonly by: string;
  readonly now: string;
}

/**
 * How taking a file in ended: with what there is to say of it, or with texts of which nobody has said what
 * they are.
 */
export type AdoptResult = { readonly notes: readonly string[] } | { readonly unread: readonly UnreadTexts[] };

/** Whether a file says it is one of ours. Throws an AdoptError when it cannot be read. */
function isOurs(path: string): boolean {
  return reading(path, (source) => {
    const [[sound]] = all(source, 'PRAGMA quick_check(1)') as [[string]];
    if (sound !== 'ok') throw new AdoptError(`This file is damaged: ${sound}`);
    const [[mark]] = all(source, 'PRAGMA application_id') as [[number]];
    const [[encoding]] = all(source, 'PRAGMA encoding') as [[string]];
    return mark === APPLICATION_ID && encoding === 'UTF-8';
  });
}

/** What a foreign file can be read as. Throws an AdoptError when it cannot be read. */
const readForeign = (path: string): Adoption =>
  reading(path, (source) => {
    const adoption = adopt(foreignSchema(source));
    if (adoption.design.tables.length === 0) throw new AdoptError('There is no table in this file.');
    return adoption;
  });

function reading<T>(path: string, work: (source: Connection) => T): T {
  let source: Connection | undefined;
  try {
    source = openForReading(path);
    return work(source);
  } catch (error) {
    if (error instanceof AdoptError) throw error;
    throw new AdoptError(`This file cannot be read: ${(error as Error).message}`);
  } finally {
    source?.close();
  }
}

/**
 * Makes a file of Heathridge's form at `path` from a foreign one, which stays as it is: tables, keys, links
 * and rules as far as they can be read, and every row. A file that says it is Heathridge's own is examined
 * and kept as it is. Gives what was read otherwise than as it stood, or the texts of which it must first be
 * said how they are read. Throws an AdoptError when the file cannot be read, or when rows in it break what it
 * asks of them itself.
 */
export function adoptFile(path: string, order: AdoptOrder): AdoptResult {
  const { foreign, encoding } = order;
  if (isOurs(foreign)) {
    copyFileSync(foreign, path);
    return { notes: examined(path, dirname(foreign), order.now) };
  }
  // What is read is a copy: the file as it came is kept.
  const work = `${foreign}.read`;
  const notes: string[] = [];
  try {
    if (copyAsUtf8(foreign, work))
      notes.push('The file is in UTF-16 and was read as that; it is kept in UTF-8.');
    else copyFileSync(foreign, work);
    const unread = unreadTexts(work);
    if (unread.length > 0 && encoding === null) return { unread };
    if (encoding !== null && unread.length > 0) {
      readTexts(work, encoding);
      for (const { table, column, rows } of unread)
        notes.push(
          `${rows} ${rows === 1 ? 'text' : 'texts'} in ${column} of ${table} ${rows === 1 ? 'was' : 'were'} no UTF-8 and read as ${encoding}.`,
        );
    }
    return { notes: [...notes, ...adoptForeign(path, work, order)] };
  } finally {
    for (const suffix of ['', '-wal', '-shm', '-journal']) rmSync(work + suffix, { force: true });
  }
}

function adoptForeign(path: string, foreign: string, { by, now }: AdoptOrder): readonly string[] {
  const adoption = readForeign(foreign);
  const notes = [...adoption.notes];
  const db = openForWriting(path);
  try {
    db.exec(`PRAGMA application_id = ${APPLICATION_ID}`);
    const orm = ormOver(db);
    migrate(orm, 'file');
    db.exec(`PRAGMA foreign_keys = OFF; ATTACH ${sqlText(foreign)} AS src; BEGIN IMMEDIATE`);
    const { design } = adoption;
    const list = steps({ ...design, tables: [], kept: [] }, { design, carry: {} });
    const sql = list.flatMap((step) => ('sql' in step ? [step.sql] : []));
    // Triggers would act on rows that are only carried over: they come last.
    const isLater = (text: string): boolean =>
      /^\s*CREATE (TRIGGER|INDEX|UNIQUE INDEX|VIEW)|^(CREATE TABLE|INSERT INTO) "hr_order_/i.test(text);
    for (const text of sql.filter((item) => !isLater(item))) only(db, text);
    for (const copy of adoption.copies) copyRows(db, design, copy, by, now);
    const lost = new Set<string>();
    for (const text of sql.filter(isLater)) {
      const kept = design.kept.find((item) => item.sql === text);
      const problem = made(db, text);
      if (problem === null) continue;
      if (!kept) throw new AdoptError(`${text.split('\n')[0]!} cannot be made: ${problem}`);
      lost.add(kept.id);
      notes.push(
        `The ${kept.what} ${kept.name} does not go with the tables as they are now and is not taken over: ${problem}`,
      );
    }
    const orphans = all(db, 'PRAGMA main.foreign_key_check');
    if (orphans.length > 0)
      throw new AdoptError(
        `${orphans.length} rows of ${String(orphans[0]![0])} point to rows of ${String(orphans[0]![2])} that are not there: mend that in the file first.`,
      );
    saveDesign(orm, { ...design, kept: design.kept.filter(({ id }) => !lost.has(id)) }, { at: now, by });
    const [entry] = orm.insert(log).values({ at: now, by, what: 'taken in' }).returning({ id: log.id }).all();
    orm
      .insert(change)
      .values({ at: now, by, what: 'file adopted', changes: JSON.stringify(notes), log: entry!.id })
      .run();
    db.exec('COMMIT; DETACH src; PRAGMA foreign_keys = ON');
  } finally {
    db.close();
  }
  return notes;
}

/**
 * Looks at a file that says it is ours as closely as at any other, and gives what there is to say of it. Only
 * its definitions are believed, once they are read through their schemas: triggers and views are made anew
 * from them, tables must be theirs, rows are asked. Throws an AdoptError for a file that is not what it says.
 */
function examined(path: string, copies: string, now: string): readonly string[] {
  const notes = ['This file was made by Heathridge.'];
  const db = openForWriting(path);
  try {
    const objects = guarded(db, 'SELECT type, name FROM sqlite_schema', 2).all() as [string, string][];
    const named = (sort: string): string[] =>
      objects.flatMap(([type, name]) => (type === sort ? [name] : []));
    // What is made from the definitions comes back; what is not must not act on what is done here.
    for (const name of named('trigger')) only(db, `DROP TRIGGER ${sqlName(name)}`);
    for (const name of named('view')) only(db, `DROP VIEW ${sqlName(name)}`);
    const orm = ormOver(db);
    migrate(orm, 'file');
    assertReadable(db, true);
    bringUpToDate(db, orm, copies, now);
    const design = loadDesign(orm);
    for (const table of design.tables) assertColumns(db, table);
    remakeTriggers(db, design);
    notes.push(...leftOver(db, design, named));
    const { damage, findings } = askSoundness(db, design, UNWATCHED);
    if (damage.length > 0) throw new AdoptError(`This file is damaged: ${damage[0]!}`);
    const rows = findings.reduce((sum, { count }) => sum + count, 0);
    if (rows > 0)
      notes.push(
        `${rows} ${rows === 1 ? 'row is' : 'rows are'} not as the file promises: “Is everything sound?” in Plan shows them.`,
      );
    return notes;
  } catch (error) {
    if (v.isValiError(error))
      throw new AdoptError(`The definitions in this file are none of ours: ${error.issues[0].message}`);
    if (error instanceof SyntaxError)
      throw new AdoptError(`The definitions in this file cannot be read: ${error.message}`);
    if (error instanceof Problem) throw new AdoptError(error.detail);
    throw error;
  } finally {
    db.close();
  }
}

/** Throws when a table of the file is not the one that its definition describes. */
function assertColumns(db: Connection, table: Table): void {
  const columns = guarded(db, 'SELECT name, type FROM pragma_table_info(?)', 2).all(table.name);
  const wanted = storedFields(table).map(({ name }) => name);
  const there = columns.map(([name]) => name);
  if (wanted.length !== there.length || wanted.some((name) => !there.includes(name)))
    throw new AdoptError(
      `The table ${table.name} of this file is not the one that its definitions describe: it has ${there.join(', ') || 'no columns'}.`,
    );
}

/** What the file holds that its definitions do not know, named. */
function leftOver(db: Connection, design: Design, named: (sort: string) => string[]): string[] {
  const now = guarded(db, 'SELECT type, name FROM sqlite_schema', 2).all() as [string, string][];
  const is = (sort: string, name: string): boolean =>
    now.some(([type, other]) => type === sort && other === name);
  const gone = ['trigger', 'view'].flatMap((sort) =>
    named(sort)
      .filter((name) => !is(sort, name))
      .map((name) => `The ${sort} ${name} is not among the definitions of this file and was taken out.`),
  );
  const known = new Set([...design.tables.map(({ name }) => name), ...ownTables(design)]);
  const unknown = named('table').filter((name) => !/^sqlite_/.test(name) && !known.has(name));
  return [
    ...gone,
    ...unknown.map(
      (name) => `The table ${name} is not among the definitions of this file: it stays, and nobody sees it.`,
    ),
  ];
}

/** The tables that Heathridge keeps for itself. */
function ownTables(design: Design): string[] {
  const scratch = openForWriting(':memory:');
  try {
    migrate(ormOver(scratch), 'file');
    const ours = all(scratch, "SELECT name FROM sqlite_schema WHERE type = 'table'").map(
      ([name]) => name as string,
    );
    return [...ours, ...design.tables.flatMap((table) => orderParts(design, table).map(({ name }) => name))];
  } finally {
    scratch.close();
  }
}

/** Carries out one statement; null, or why the file cannot have it. */
function made(db: Connection, sql: string): string | null {
  try {
    only(db, sql);
    return null;
  } catch (error) {
    return (error as Error).message;
  }
}

function copyRows(
  db: Connection,
  design: Design,
  { table: id, from, values }: Adoption['copies'][number],
  by: string,
  now: string,
): void {
  const table = tableOf(design, id);
  const order = new Map(values.map((value) => [value.field, value]));
  const fields = storedFields(table);
  const columns = fields.map(({ name }) => sqlName(name)).join(', ');
  const read = fields.map((field) => {
    const { sql, blob } = order.get(field.id)!;
    return blob ? keepBlobs(db, from, table.name, sql, by, now) : sql;
  });
  try {
    db.exec(
      `INSERT INTO main.${sqlName(table.name)} (${columns}) SELECT ${read.join(', ')} FROM src.${sqlName(from)} AS o`,
    );
  } catch (error) {
    const named = /constraint failed: (?:\w+ )?(\w+)$/.exec((error as Error).message)?.[1];
    const field = named ? fieldOf(table, named) : undefined;
    throw new AdoptError(
      `Rows of ${from} do not fit${field ? ` (${field.label})` : ''}: ${(error as Error).message}. Nothing was adopted.`,
    );
  }
}

/** Keeps the bytes of a column as attachments, and gives SQL that finds each again by what it holds. */
function keepBlobs(
  db: Connection,
  from: string,
  table: string,
  sql: string,
  by: string,
  now: string,
): string {
  const orm = ormOver(db);
  const rows = all(
    db,
    `SELECT DISTINCT CAST(${sql} AS BLOB) FROM src.${sqlName(from)} AS o WHERE ${sql} IS NOT NULL`,
  ) as [Buffer][];
  rows.forEach(([bytes], i) => {
    const values = {
      name: `${table} ${i + 1}`,
      type: 'application/octet-stream',
      size: bytes.length,
      sha256: createHash('sha256').update(bytes).digest('hex'),
      at: now,
      by,
      preview: null,
      bytes: Buffer.from(bytes),
    };
    orm.insert(attachment).values(values).run();
  });
  return `(SELECT a.id FROM hr_attachment AS a WHERE a.bytes = CAST(${sql} AS BLOB))`;
}
