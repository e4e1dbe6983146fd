import type Database from 'libsql';
import type { Connection } from './driver';

/** Statements that are kept for one connection: the oldest goes first. */
const MOST_KEPT = 400;

const kept = new WeakMap<Connection, Map<string, Database.Statement>>();

/**
 * A statement of a connection, prepared once and kept; its rows come as arrays. The engine prepares it anew
 * by itself when the schema has changed. Its text must not hold values, or nothing would ever be found again.
 */
export function prepared(db: Connection, sql: string): Database.Statement {
  const all = kept.get(db) ?? new Map<string, Database.Statement>();
  kept.set(db, all);
  const known = all.get(sql);
  if (known) return known;
  const made = db.prepare(sql);
  if (made.reader) made.raw();
  all.set(sql, made);
  if (all.size > MOST_KEPT) all.delete(all.keys().next().value!);
  return made;
}

/** Work that is done wholly or not at all; nobody else writes meanwhile. Rolls back and passes on what it throws. */
export function inTransaction<T>(db: Connection, work: () => T): T {
  prepared(db, 'BEGIN IMMEDIATE').run();
  let result: T;
  try {
    result = work();
  } catch (error) {
    // A failed statement may have ended the transaction by itself.
    if (db.inTransaction) prepared(db, 'ROLLBACK').run();
    throw error;
  }
  prepared(db, 'COMMIT').run();
  return result;
}
