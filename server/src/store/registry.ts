import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { Problem } from '../problem';
import { BY_SERVER, writeLog, migrate, openForWriting, ormOver, type Connection, type Orm } from './driver';
import { Stand } from './stand';
import { prepared } from './statements';

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
  const db = openForWriting(path, { kept: BY_SERVER.kept });
  try {
    assertOurs(db, data);
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
    migrate(orm, 'registry');
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

function assertOurs(db: Connection, data: string): void {
  const has = (condition: string): boolean =>
    prepared(db, `SELECT 1 FROM sqlite_schema WHERE type = 'table' ${condition}`).get() !== undefined;
  if (has("AND name = 'account'")) return;
  if (has(''))
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
