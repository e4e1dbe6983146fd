import { existsSync, readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { Problem } from '../problem';
import { BY_SERVER, writeLog, migrate, openForReading, openForWriting, ormOver, type Orm } from './driver';
import { Stand } from './stand';

const GONE =
  'The list of people and files (registry.db) is not in its place any more: somebody has moved, renamed, replaced or deleted it on the server. Nothing was saved. Whoever looks after the server can put it back, or start the server anew with what is there.';

/** The list of people and files, open. */
export interface Registry {
  readonly orm: Orm;
  close(): void;
}

/**
 * Opens the list of people and files, or makes a new one where there is none. What is to be written into it is refused, as
 * `misplaced`, where it is not in its place any more. Throws `misplaced` for a database of another program, and where the list is
 * gone while its files are there: whoever came first would begin a new one.
 */
export function openRegistry(data: string): Registry {
  const path = join(data, 'registry.db');
  assertOurs(path, data);
  const db = openForWriting(path, { kept: BY_SERVER.kept });
  try {
    migrate(ormOver(db), 'registry');
    const stand = new Stand(path);
    const writeIt = (): void => {
      if (stand.mayBeWritten()) writeLog(db);
      else stand.moveAside();
    };
    const orm = ormOver(db, () => {
      if (stand.look() === 'in place') return;
      if (!db.inTransaction) writeIt();
      throw new Problem('misplaced', GONE);
    });
    // Until here nobody else waits.
    db.exec(`PRAGMA busy_timeout = ${BY_SERVER.patience}`);
    return {
      orm,
      close: () => {
        if (!db.open) return;
        const isInPlace = stand.look() === 'in place';
        writeIt();
        // Of another in its place the engine would delete the log.
        if (isInPlace) db.close();
      },
    };
  } catch (error) {
    db.close();
    throw error;
  }
}

/** Looks whether it is ours before it is opened for writing, which would make one of an empty file, or change another's. */
function assertOurs(path: string, data: string): void {
  const [tables, own] = tablesIn(path);
  if (own > 0) return;
  if (tables > 0)
    throw new Problem(
      'misplaced',
      `registry.db in ${data} is a database of another program. Put the list of people and files in its place, or a copy of it.`,
    );
  const files = join(data, 'files');
  if (existsSync(files) && readdirSync(files).some((name) => name.endsWith('.db')))
    throw new Problem(
      'misplaced',
      `the list of people and files (registry.db in ${data}) is missing or empty, and database files are there. Put it in its place, or a copy of it, or set HEATHRIDGE_DATA to another folder.`,
    );
}

/** How many tables a database has, and how many of them are that of accounts. */
function tablesIn(path: string): readonly [all: number, own: number] {
  const found = statSync(path, { throwIfNoEntry: false });
  if (!found || found.size === 0) return [0, 0];
  const db = openForReading(path);
  try {
    const counts = db.prepare(
      "SELECT count(*), count(*) FILTER (WHERE name = 'account') FROM sqlite_schema WHERE type = 'table'",
    );
    return counts.raw().get() as [number, number];
  } finally {
    db.close();
  }
}
