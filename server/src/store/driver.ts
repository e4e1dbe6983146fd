import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import Database from 'libsql';
import { count, sql } from 'drizzle-orm';
import { readMigrationFiles } from 'drizzle-orm/migrator';
import { BetterSQLiteSession } from 'drizzle-orm/better-sqlite3/session';
import { BaseSQLiteDatabase, SQLiteSyncDialect } from 'drizzle-orm/sqlite-core';
import { letter, mark } from './file-schema';
import { fillLetters, fillMarks } from '@heathridge/core/expression';
import { endUnlessItStands } from './place';
import { isDamaged, isOfMachine } from './private';
import { inTransaction, prepared } from './statements';

export type Connection = Database.Database;
/** Drizzle over the driver's synchronous API: a transaction cannot be interleaved with another. */
export type Orm = BaseSQLiteDatabase<'sync', unknown>;

/** Marks a file as Heathridge's (the four letters `HRDG`), see SQLite's `PRAGMA application_id`. */
export const APPLICATION_ID = 0x48524447;

/**
 * Stands in for a full disk in checks, where none can be made: how many pages a file may have for this process and its
 * children. The engine then says what it says of a full disk. Never set where people work.
 */
export const STUB_OF_FULL_DISK = 'HEATHRIDGE_STUB_OF_FULL_DISK';

/** How a file is opened. */
export interface Opening {
  /** Milliseconds that the engine waits for somebody else who holds it, in which this process does nothing else. */
  readonly patience?: number;
  /** KiB of its pages that are kept in memory. */
  readonly kept?: number;
}

/** KiB of pages that the connection of a job may keep: it walks through whole tables, and there are few jobs at once. */
const KEPT_BY_JOB = 32_000;

/**
 * How the server itself opens what stays open. While it waits within the engine for another program nothing else happens,
 * for nobody: longer waits are the router's, which lets others go on. And it has two connections to each file that was ever
 * opened, of which an office has many; a page that is not kept comes from the machine's own memory of the file, in
 * microseconds.
 */
export const BY_SERVER = { patience: 25, kept: 8000 } as const satisfies Opening;

/** Opens a file for writing: write-ahead log, every commit on disk, foreign keys on. */
export function openForWriting(
  path: string,
  { patience = 5000, kept = KEPT_BY_JOB }: Opening = {},
): Connection {
  const db = new Database(path);
  try {
    // The patience comes first: to change to the log the file may have to wait for whoever is just leaving it.
    db.exec(`PRAGMA busy_timeout = ${patience}; PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL;
      PRAGMA foreign_keys = ON; PRAGMA trusted_schema = ON; PRAGMA cache_size = -${kept};`);
  } catch (error) {
    db.close();
    throw error;
  }
  endUnlessItStands(path);
  const most = Number(process.env[STUB_OF_FULL_DISK] ?? 0);
  if (most > 0) db.exec(`PRAGMA max_page_count = ${most}`);
  return db;
}

/** Opens a file for what is put down for a moment and may be lost: nothing is held back until it is on disk. */
export function openForScratch(path: string): Connection {
  const db = new Database(path);
  db.exec('PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF');
  db.exec(`PRAGMA cache_size = -${KEPT_BY_JOB}`);
  return db;
}

/** A path as the engine's address of a file that is only read. */
export const uriOf = (path: string): string =>
  `file:${path.split('/').map(encodeURIComponent).join('/')}?mode=ro`;

/**
 * Opens a file for reading only. The driver ignores its own read-only option, so this is the engine's
 * `mode=ro`, which refuses every write.
 */
export function openForReading(
  path: string,
  { patience = 5000, kept = KEPT_BY_JOB }: Opening = {},
): Connection {
  const db = new Database(uriOf(path));
  db.exec(`PRAGMA busy_timeout = ${patience}; PRAGMA cache_size = -${kept};`);
  return db;
}

/**
 * Writes what is in the log of a file into it, wherever it has been moved: it is whole then without. False where some of
 * it is still read as it was before, or the machine does not let it: the log stays, and is read by whoever opens the file
 * next.
 */
export function writeLog(writer: Connection): boolean {
  // Another program that holds it is not waited for.
  writer.exec('PRAGMA busy_timeout = 0');
  try {
    const [busy] = prepared(writer, 'PRAGMA wal_checkpoint(TRUNCATE)').get() as [number];
    return busy === 0;
  } catch (error) {
    if (!isOfMachine(error) && !isDamaged(error)) throw error;
    return false;
  } finally {
    writer.exec(`PRAGMA busy_timeout = ${BY_SERVER.patience}`);
  }
}

/** What Drizzle writes begins with one of these. */
const WRITES = /^\s*(insert|update|delete)\b/i;

type Within = <T>(work: () => T) => T;

/** A statement which is in a transaction, also where none is open; see {@link begin} for why. */
function inOwnTransaction(
  connection: Connection,
  made: Database.Statement,
  transaction: Within,
): Partial<Database.Statement> {
  const within: Within = (work) => (connection.inTransaction ? work() : transaction(work));
  const statement: Partial<Database.Statement> = {
    run: (...values) => within(() => made.run(...values)),
    get: (...values) => within(() => made.get(...values) as unknown),
    all: (...values) => within(() => made.all(...values)),
    raw: () => {
      made.raw();
      return statement as Database.Statement;
    },
  };
  return statement;
}

/**
 * Drizzle over a connection. `stands` throws where the file is not where it was opened: it is asked before anything is
 * written, and again before that is committed.
 */
export function ormOver(connection: Connection, stands: () => void = () => undefined): Orm {
  const within: Within = (work) => {
    stands();
    return inTransaction(connection, () => {
      const result = work();
      stands();
      return result;
    });
  };
  const dialect = new SQLiteSyncDialect();
  const client = {
    prepare: (sql: string) => {
      const made = connection.prepare(sql);
      return WRITES.test(sql) ? inOwnTransaction(connection, made, within) : made;
    },
  };
  // The session asks for better-sqlite3's class; libsql's has the methods that it calls.
  const session = new BetterSQLiteSession(client as never, dialect, undefined, {});
  const orm = new BaseSQLiteDatabase('sync', dialect, session as never, undefined) as unknown as Orm;
  // The driver's own rolls back what the engine has rolled back already, and then tells of that in place of the cause.
  const transaction = <T>(work: (tx: Orm) => T): T => within(() => work(orm));
  return Object.assign(orm, { transaction });
}

/** The folder of generated migrations, beside the sources or beside the built server. */
function migrationsFolder(name: 'registry' | 'file'): string {
  let folder = dirname(fileURLToPath(import.meta.url));
  for (let up = 0; up < 5; up++, folder = dirname(folder)) {
    const candidate = join(folder, 'migrations', name);
    if (existsSync(candidate)) return candidate;
  }
  throw new Error(`The migrations of the ${name} are missing.`);
}

/** Brings Heathridge's own tables in a file up to date. */
export function migrate(orm: Orm, name: 'registry' | 'file'): void {
  const config = { migrationsFolder: migrationsFolder(name), migrationsTable: 'hr_migration' };
  const migrations = readMigrationFiles(config);
  const { dialect, session } = orm as unknown as { dialect: SQLiteSyncDialect; session: never };
  dialect.migrate(migrations, session, config);
  if (name === 'file') withLetters(orm);
}

/** How letters are ordered and composed is the same in every file, and never changes in one format. */
function withLetters(orm: Orm): void {
  for (const [table, fill] of [
    [letter, fillLetters],
    [mark, fillMarks],
  ] as const) {
    const [known] = orm.select({ rows: count() }).from(table).all();
    if (known!.rows === 0) orm.run(sql.raw(fill()));
  }
}
