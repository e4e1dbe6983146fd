import { createHash } from 'node:crypto';
import { copyFileSync } from 'node:fs';
import { fieldOf, storedFields, tableOf, type Design } from '@heathridge/core/design';
import {
  adopt,
  factsFrom,
  factsSql,
  type Adoption,
  type ForeignSchema,
  type ForeignTable,
} from '@heathridge/core/exchange';
import { steps } from '@heathridge/core/change';
import { sqlName, sqlText } from '@heathridge/core/expression';
import { saveDesign } from './definitions';
import { APPLICATION_ID, migrate, openForReading, openForWriting, ormOver, type Connection } from './driver';
import { attachment, change, log } from './file-schema';

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
  const master = all(db, 'SELECT type, name, tbl_name, sql FROM sqlite_master ORDER BY rowid').map(
    ([type, name, tbl_name, sql]) => ({ type, name, tbl_name, sql }) as Master,
  );
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
  readonly by: string;
  readonly now: string;
}

/** What a foreign file can be read as. Throws an AdoptError when it cannot be read, or is one of ours. */
function readForeign(path: string): Adoption | 'ours' {
  let source: Connection | undefined;
  try {
    source = openForReading(path);
    const [[sound]] = all(source, 'PRAGMA quick_check(1)') as [[string]];
    if (sound !== 'ok') throw new AdoptError(`This file is damaged: ${sound}`);
    const [[mark]] = all(source, 'PRAGMA application_id') as [[number]];
    if (mark === APPLICATION_ID) return 'ours';
    const adoption = adopt(foreignSchema(source));
    if (adoption.design.tables.length === 0) throw new AdoptError('There is no table in this file.');
    return adoption;
  } catch (error) {
    if (error instanceof AdoptError) throw error;
    throw new AdoptError(`This file cannot be read: ${(error as Error).message}`);
  } finally {
    source?.close();
  }
}

/**
 * Makes a file of Heathridge's form at `path` from a foreign one, which stays as it is: tables, keys, links
 * and rules as far as they can be read, and every row. A file that Heathridge made itself is taken as it
 * stands. Gives what was read otherwise than as it stood. Throws an AdoptError when the file cannot be
 * read, or when rows in it break what it asks of them itself.
 */
export function adoptFile(path: string, { foreign, by, now }: AdoptOrder): readonly string[] {
  const adoption = readForeign(foreign);
  if (adoption === 'ours') {
    copyFileSync(foreign, path);
    return ['This file was made by Heathridge: it is taken in as it is.'];
  }
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
    const isLater = (text: string): boolean => /^CREATE (TRIGGER|INDEX|UNIQUE INDEX|VIEW)/i.test(text);
    for (const text of sql.filter((item) => !isLater(item))) db.exec(text);
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

/** Carries out one statement; null, or why the file cannot have it. */
function made(db: Connection, sql: string): string | null {
  try {
    db.exec(sql);
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
