import iconv from 'iconv-lite';
import { textFault } from '@heathridge/core/change';
import { columnsKey, ENCODING_NAMES, LONG, type Encoding, type UnreadTexts } from '@heathridge/core/exchange';
import { apartSql, fillMarks, sqlName } from '@heathridge/core/expression';
import { keptText } from '@heathridge/core/values';
import { rowidOf } from './foreign-schema';
import { textFacts } from './text-pages';
import { openForReading, openForWriting, type Connection } from '../store/driver';
import { begin, guarded, only, type Held } from '../store/statements';

const SAMPLE = 5;

/** A column of a foreign file that holds texts. */
export interface TextColumn {
  readonly table: string;
  readonly name: string;
  /** SQL for what tells a row from the others. */
  readonly key: readonly string[];
}

/** The stored columns of all plain tables. */
function columnsOf(db: Connection): TextColumn[] {
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
    const rowid = withoutRowid === 1 ? null : rowidOf(columns.map(([name]) => name));
    const primary = columns.filter(([, pk]) => pk > 0);
    // Where columns have taken all names for the number of a row, what it holds tells it from the others.
    const telling = primary.length > 0 ? primary : columns;
    const key = rowid === null ? telling.map(([name]) => sqlName(name)) : [rowid];
    return columns.filter(([, , hidden]) => hidden === 0).map(([name]) => ({ table, name, key }));
  });
}

const where = (column: string): string => `typeof(${column}) = 'text' AND ${textFault(column).fault}`;

/** What is known of the texts of a foreign file once all of them have been looked at. */
export interface LookedAt {
  /** The columns that hold any text beyond ASCII, or with a NUL: all others need no second look. */
  readonly suspects: readonly TextColumn[];
  /** Of those others: all in which every text is one line that is no long text, see {@link columnsKey}. */
  readonly short: ReadonlySet<string>;
}

/** Looks at every text of a file. */
export function lookedAt(path: string): LookedAt {
  const db = openForReading(path);
  try {
    const columns = columnsOf(db);
    const tables = [...new Set(columns.map(({ table }) => table))].map((table) =>
      tableLookedAt(
        db,
        path,
        table,
        columns.filter((column) => column.table === table),
      ),
    );
    return {
      suspects: tables.flatMap(({ suspects }) => suspects),
      short: new Set(tables.flatMap(({ short }) => [...short])),
    };
  } finally {
    db.close();
  }
}

function tableLookedAt(
  db: Connection,
  path: string,
  table: string,
  columns: readonly TextColumn[],
): LookedAt {
  // What is only worked out has no place in a row.
  const stored = guarded(db, 'SELECT name FROM pragma_table_xinfo(?) WHERE hidden <> 2 ORDER BY cid', 1).all(
    table,
  ) as [string][];
  const [root] = guarded(db, 'SELECT rootpage FROM sqlite_schema WHERE name = ?', 1).get(table) as [number];
  const facts = textFacts(path, root, stored.length, LONG);
  if (facts === null)
    return { suspects: columns.filter((column) => isSuspect(db, column)), short: new Set() };
  const place = new Map(stored.map(([name], i) => [name, i]));
  const is = (set: ReadonlySet<number>, { name }: TextColumn): boolean => set.has(place.get(name)!);
  const short = columns.filter((column) => !is(facts.beyond, column) && !is(facts.long, column));
  return {
    suspects: columns.filter((column) => is(facts.beyond, column)),
    short: new Set(short.map(({ name }) => columnsKey(table, [name]))),
  };
}

/** A name for the number of a row, as a key. */
const NUMBERED = /^(rowid|_rowid_|oid)$/;

function isSuspect(db: Connection, { table, name }: TextColumn): boolean {
  const column = sqlName(name);
  const [found] = db
    .prepare(
      `SELECT EXISTS (SELECT 1 FROM ${sqlName(table)} WHERE typeof(${column}) = 'text' AND ${textFault(column).suspect})`,
    )
    .raw()
    .get() as [number];
  return found > 0;
}

/** The texts of these columns that are no UTF-8. */
export function unreadTexts(path: string, columns: readonly TextColumn[]): UnreadTexts[] {
  const db = openForReading(path);
  try {
    return columns.flatMap(({ table, name, key }): UnreadTexts[] => {
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

/** Reads every text of these columns that is no UTF-8 in an encoding, and puts what it says in its place. */
export function readTexts(path: string, columns: readonly TextColumn[], encoding: Encoding): void {
  rewriting(path, (db) => {
    for (const column of columns)
      rewrite(db, column, where(sqlName(column.name)), (bytes) => decoded(bytes, encoding));
  });
}

/**
 * Composes the texts of these columns whose letters and accents are apart (Unicode, NFC), as all texts here
 * are. Gives what there is to say of it.
 */
export function composeTexts(path: string, columns: readonly TextColumn[]): string[] {
  if (columns.length === 0) return [];
  const notes: string[] = [];
  rewriting(path, (db) => {
    db.exec('CREATE TEMP TABLE hr_mark (mark TEXT PRIMARY KEY, class INTEGER NOT NULL) WITHOUT ROWID');
    db.exec(fillMarks());
    for (const column of columns) {
      const name = sqlName(column.name);
      const { done, left } = rewrite(db, column, `typeof(${name}) = 'text' AND ${apartSql(name)}`, (bytes) =>
        keptText(bytes.toString('utf8')),
      );
      const path = `${column.table}.${column.name}`;
      if (done > 0)
        notes.push(
          `${path}: ${done} ${done === 1 ? 'text has' : 'texts have'} accents that stood apart from their letters; each is one character now (Unicode, NFC).`,
        );
      if (left > 0)
        notes.push(
          `${path}: ${left} ${left === 1 ? 'text looks' : 'texts look'} like one that is there already, with the accents apart: that is left as it is, and “Is everything sound?” shows it.`,
        );
    }
  });
  return notes;
}

/** Changes texts of a foreign file, of which nothing else must take notice. */
function rewriting(path: string, work: (db: Connection) => void): void {
  const db = openForWriting(path);
  try {
    db.exec('PRAGMA trusted_schema = OFF; PRAGMA foreign_keys = OFF; PRAGMA ignore_check_constraints = ON');
    // Triggers of the file must not act on what is only read.
    const names = guarded(db, "SELECT name FROM sqlite_schema WHERE type = 'trigger'", 1).all() as [string][];
    begin(db);
    const triggers = names.map(([name]) => {
      const [sql] = guarded(db, "SELECT sql FROM sqlite_schema WHERE type = 'trigger' AND name = ?", 1).get(
        name,
      )!;
      only(db, `DROP TRIGGER ${sqlName(name)}`);
      return sql as string;
    });
    work(db);
    for (const sql of triggers) only(db, sql);
    db.exec('COMMIT; PRAGMA wal_checkpoint(TRUNCATE); PRAGMA journal_mode = DELETE');
  } finally {
    db.close();
  }
}

/** Puts another text in the place of each that meets a condition; what may not stand twice is left. */
function rewrite(
  db: Connection,
  { table, name, key }: TextColumn,
  condition: string,
  read: (bytes: Buffer) => string,
): { readonly done: number; readonly left: number } {
  const column = sqlName(name);
  const numbered = key.length === 1 && NUMBERED.test(key[0]!);
  // Where rows have no number their key may be the very text: they are then found by its bytes.
  const [what, found] = numbered
    ? [`${key[0]!}, CAST(${column} AS BLOB)`, `${key[0]!} = ?`]
    : [`DISTINCT CAST(${column} AS BLOB), CAST(${column} AS BLOB)`, `CAST(${column} AS BLOB) = ?`];
  const texts = db
    .prepare(`SELECT ${what} FROM ${sqlName(table)} WHERE ${condition}`)
    .raw()
    .all() as [number | Buffer, Buffer][];
  const write = db.prepare(`UPDATE ${sqlName(table)} SET ${column} = ? WHERE ${found}`);
  let [done, left] = [0, 0];
  for (const [at, bytes] of texts)
    try {
      done += Number(write.run(read(bytes), typeof at === 'number' ? at : Buffer.from(at)).changes);
    } catch (error) {
      if (!String((error as { code?: unknown }).code).startsWith('SQLITE_CONSTRAINT')) throw error;
      left++;
    }
  return { done, left };
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
      target.exec('COMMIT; PRAGMA wal_checkpoint(TRUNCATE); PRAGMA journal_mode = DELETE');
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
  for (const row of rows) insert.run(row);
}
