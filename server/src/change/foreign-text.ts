import iconv from 'iconv-lite';
import { textFault } from '@heathridge/core/change';
import { ENCODING_NAMES, type Encoding, type UnreadTexts } from '@heathridge/core/exchange';
import { sqlName } from '@heathridge/core/expression';
import { openForReading, openForWriting, type Connection } from '../store/driver';
import { guarded, only, type Held } from '../store/statements';

const SAMPLE = 5;

interface Column {
  readonly table: string;
  readonly name: string;
  /** SQL for what tells a row from the others. */
  readonly key: readonly string[];
}

/** The stored columns of all plain tables. */
function columnsOf(db: Connection): Column[] {
  const tables = guarded(
    db,
    "SELECT name, wr FROM pragma_table_list WHERE schema = 'main' AND type = 'table' AND name NOT LIKE 'sqlite!_%' ESCAPE '!' ORDER BY name",
    2,
  ).all() as [string, number][];
  return tables.flatMap(([table, withoutRowid]) => {
    const columns = guarded(db, 'SELECT name, pk, hidden FROM pragma_table_xinfo(?)', 3).all(table) as [
      string,
      number,
      number,
    ][];
    const key =
      withoutRowid === 1
        ? columns.filter(([, pk]) => pk > 0).map(([name]) => sqlName(name))
        : [rowidOf(columns.map(([name]) => name))];
    return columns.filter(([, , hidden]) => hidden === 0).map(([name]) => ({ table, name, key }));
  });
}

/** A name for the number of a row that no column takes for itself. */
const rowidOf = (columns: readonly string[]): string =>
  ['rowid', '_rowid_', 'oid'].find((name) => !columns.some((column) => column.toLowerCase() === name)) ??
  'rowid';

const where = (column: string): string => `typeof(${column}) = 'text' AND ${textFault(column).fault}`;

/** The texts of a file that are no UTF-8, by column. */
export function unreadTexts(path: string): UnreadTexts[] {
  const db = openForReading(path);
  try {
    return columnsOf(db).flatMap(({ table, name, key }): UnreadTexts[] => {
      const column = sqlName(name);
      const from = `FROM ${sqlName(table)} WHERE ${where(column)}`;
      const [rows] = db.prepare(`SELECT count(*) ${from}`).raw().get() as [number];
      if (rows === 0) return [];
      const found = db
        .prepare(
          `SELECT CAST(json_array(${key.join(', ')}) AS BLOB), CAST(${column} AS BLOB) ${from} ORDER BY ${key.join(', ')} LIMIT ${SAMPLE}`,
        )
        .raw()
        .all() as [Buffer, Buffer][];
      const sample = found.map(([row, bytes]) => ({
        row: (JSON.parse(row.toString('utf8')) as Held[]).join(', '),
        readings: Object.fromEntries(
          ENCODING_NAMES.map((encoding) => [encoding, decoded(bytes, encoding).slice(0, 60)]),
        ) as Record<Encoding, string>,
      }));
      return [{ table, column: name, rows, sample }];
    });
  } finally {
    db.close();
  }
}

// A NUL is a character in every encoding, and in no text.
const decoded = (bytes: Buffer, encoding: Encoding): string =>
  iconv.decode(bytes, encoding).replaceAll('\0', '');

/** Reads every text of a file that is no UTF-8 in an encoding, and puts what it says in its place. */
export function readTexts(path: string, encoding: Encoding): void {
  const db = openForWriting(path);
  try {
    db.exec('PRAGMA foreign_keys = OFF; PRAGMA ignore_check_constraints = ON');
    // Triggers of the file must not act on what is only read.
    const names = guarded(db, "SELECT name FROM sqlite_schema WHERE type = 'trigger'", 1).all() as [string][];
    db.exec('BEGIN IMMEDIATE');
    const triggers = names.map(([name]) => {
      const [sql] = guarded(db, "SELECT sql FROM sqlite_schema WHERE type = 'trigger' AND name = ?", 1).get(
        name,
      )!;
      only(db, `DROP TRIGGER ${sqlName(name)}`);
      return sql as string;
    });
    for (const column of columnsOf(db)) readColumn(db, column, encoding);
    for (const sql of triggers) only(db, sql);
    db.exec('COMMIT; PRAGMA wal_checkpoint(TRUNCATE); PRAGMA journal_mode = DELETE');
  } finally {
    db.close();
  }
}

function readColumn(db: Connection, { table, name, key }: Column, encoding: Encoding): void {
  const column = sqlName(name);
  const numbered = key.length === 1 && /^(rowid|_rowid_|oid)$/.test(key[0]!);
  // Where rows have no number their key may be the very text: they are then found by its bytes.
  const [what, found] = numbered
    ? [`${key[0]!}, CAST(${column} AS BLOB)`, `${key[0]!} = ?`]
    : [`DISTINCT CAST(${column} AS BLOB), CAST(${column} AS BLOB)`, `CAST(${column} AS BLOB) = ?`];
  const texts = db
    .prepare(`SELECT ${what} FROM ${sqlName(table)} WHERE ${where(column)}`)
    .raw()
    .all() as [number | Buffer, Buffer][];
  const write = db.prepare(`UPDATE ${sqlName(table)} SET ${column} = ? WHERE ${found}`);
  for (const [at, bytes] of texts)
    write.run(decoded(bytes, encoding), typeof at === 'number' ? at : Buffer.from(at));
}

/**
 * Makes a copy in UTF-8 of a file in UTF-16: the engine cannot read two encodings over one connection. Gives
 * false, and makes none, for a file that is in UTF-8 already.
 */
export function copyAsUtf8(from: string, to: string): boolean {
  const source = openForReading(from);
  try {
    const [encoding] = source.prepare('PRAGMA encoding').raw().get() as [string];
    if (encoding === 'UTF-8') return false;
    const target = openForWriting(to);
    try {
      target.exec('PRAGMA foreign_keys = OFF; PRAGMA ignore_check_constraints = ON; BEGIN IMMEDIATE');
      const schema = source
        .prepare('SELECT type, name, sql FROM sqlite_schema WHERE sql IS NOT NULL ORDER BY rowid')
        .raw()
        .all() as [string, string, string][];
      const virtual = source
        .prepare("SELECT name FROM pragma_table_list WHERE schema = 'main' AND type IN ('virtual', 'shadow')")
        .raw()
        .all() as [string][];
      const left = new Set([...virtual.map(([name]) => name), 'sqlite_sequence']);
      const own = schema.filter(([, name]) => !left.has(name));
      for (const [type, , sql] of own) if (type === 'table') only(target, sql);
      for (const [type, name] of own) if (type === 'table') copyTable(source, target, name);
      for (const [type, , sql] of own) if (type !== 'table') only(target, sql);
      target.exec('COMMIT');
    } finally {
      target.close();
    }
    return true;
  } finally {
    source.close();
  }
}

function copyTable(source: Connection, target: Connection, table: string): void {
  const columns = source
    .prepare('SELECT name FROM pragma_table_xinfo(?) WHERE hidden = 0')
    .raw()
    .all(table) as [string][];
  const names = columns.map(([name]) => sqlName(name)).join(', ');
  const insert = target.prepare(
    `INSERT INTO ${sqlName(table)} (${names}) VALUES (${columns.map(() => '?').join(', ')})`,
  );
  const rows = source
    .prepare(`SELECT ${names} FROM ${sqlName(table)}`)
    .raw()
    .iterate() as Iterable<(Held | Buffer)[]>;
  for (const row of rows) insert.run(...row);
}
