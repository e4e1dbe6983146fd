import type Database from 'libsql';
import { making } from '@heathridge/core/expression';
import type { Connection } from './driver';

/** Statements that are kept for one connection: the oldest goes first. */
const MOST_KEPT = 400;

const kept = new WeakMap<Connection, Map<string, Database.Statement>>();

/**
 * A statement of a connection, prepared once and kept; its rows come as arrays. The engine prepares it anew
 * by itself when the schema has changed. Its text must not hold values, or nothing would ever be found again.
 * Values are handed over as an array: of a single one that is NULL the driver makes an error, and of one that
 * is bytes the end of the process.
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

/**
 * Carries out exactly one statement. The engine itself would go on with whatever stands behind it, and the
 * text may come from a file that somebody has forged. Throws for a CREATE that is more than one.
 */
export function only(db: Connection, sql: string): void {
  if (/^\s*CREATE\s+(?!TEMP)/i.test(sql) && making(sql) === null)
    throw new Error('This is more than one statement, or none that can be read.');
  db.prepare(sql).run();
}

/**
 * Begins a transaction that writes, or throws SQLITE_BUSY where somebody else does. Whatever writes begins so, and never by
 * a statement that was prepared: the driver leaves one that is refused half done, and what the connection writes after
 * it, as if it were kept, is not committed, and undone once that statement is collected.
 */
export function begin(db: Connection): void {
  db.exec('BEGIN IMMEDIATE');
}

/**
 * Undoes the transaction that is open. After a full disk or a failed read there may be none any more, since the engine
 * has ended it by itself: to roll back then would be an error of its own, which hides the one that is to be told.
 */
export function rollBack(db: Connection): void {
  // eslint-disable-next-line no-restricted-syntax
  if (db.inTransaction) db.exec('ROLLBACK');
}

/**
 * Work that is done wholly or not at all; nobody else writes meanwhile. Rolls back and passes on what it
 * throws.
 */
export function inTransaction<T>(db: Connection, work: () => T): T {
  begin(db);
  try {
    const result = work();
    prepared(db, 'COMMIT').run();
    return result;
  } catch (error) {
    rollBack(db);
    throw error;
  }
}

/** A value as a column of a table holds it. */
export type Held = string | number | null;

/** A statement whose rows come as JSON that the engine has written. */
export interface Guarded {
  all(...params: readonly Held[]): Held[][];
  get(...params: readonly Held[]): Held[] | undefined;
}

/**
 * A query of so many columns over texts that a tool may have written. The driver ends the whole process at a
 * text whose bytes are no UTF-8, and only our own triggers keep such a text out: so the engine writes the
 * rows as JSON and hands over the bytes, and what is no character becomes U+FFFD. Whole numbers of more than
 * 15 digits and BLOBs must not be among the columns, and JSON only as a text of its own (`|| ''`).
 */
export function guarded(db: Connection, sql: string, columns: number): Guarded {
  const { head, tail } = wrapping(columns);
  const statement = prepared(db, `${head}${sql}${tail}`);
  const read = (row: unknown): Held[] => (JSON.parse(textOf((row as [Buffer])[0])) as Held[][]).flat();
  // As an array: the driver takes a single NULL for a list of names.
  return {
    all: (...params) => statement.all(params).map(read),
    get: (...params) => {
      const row = statement.get(params);
      return row === undefined ? undefined : read(row);
    },
  };
}

const CHUNK = 100;

const wrappings = new Map<number, { readonly head: string; readonly tail: string }>();

/** What stands around a query of so many columns to have its rows as JSON. */
function wrapping(columns: number): { readonly head: string; readonly tail: string } {
  const known = wrappings.get(columns);
  if (known) return known;
  const names = Array.from({ length: columns }, (_, i) => `c${i}`);
  // The engine takes at most 127 arguments a call.
  const chunks = Array.from({ length: Math.ceil(columns / CHUNK) }, (_, i) =>
    names.slice(i * CHUNK, (i + 1) * CHUNK),
  );
  const array = `json_array(${chunks.map((chunk) => `json_array(${chunk.join(', ')})`).join(', ')})`;
  const made = {
    head: `WITH "~g"(${names.join(', ')}) AS (`,
    tail: `) SELECT CAST(${array} AS BLOB) FROM "~g"`,
  };
  wrappings.set(columns, made);
  return made;
}

/** The text that bytes of the engine stand for; see {@link guarded}. */
export const textOf = (bytes: Buffer): string => bytes.toString('utf8');

/** SQL for the bytes of a text. */
export const asBytes = (text: string): string => `CAST(${text} AS BLOB)`;
