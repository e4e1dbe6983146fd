import { statSync } from 'node:fs';
import Database from 'libsql';
import { Problem } from '../problem';
import { APPLICATION_ID, BY_SERVER, openForReading, uriOf, type Connection } from './driver';

/** Bytes of the smallest page. Source: "Database File Format", section 1.3.2, https://www.sqlite.org/fileformat2.html */
const SMALLEST = 512;

/**
 * Looks whether a file is a database of ours before it is opened for writing, which would make one of an empty file, and
 * write our tables into that of another program. It is looked at by the engine and nothing else: a file of the machine's
 * that is opened and closed in this process takes the engine's locks on it along (fcntl(2)), those of every connection.
 * Throws `misplaced` for what is none of ours, `damaged` for one of ours that has lost what we keep in it, and SQLITE_BUSY
 * where somebody else holds it.
 */
export function assertOurs(path: string): void {
  const found = statSync(path);
  if (!found.isFile()) throw strange('something that is no file');
  if (found.size === 0) throw strange('an empty file');
  // The engine takes what is shorter than a page for empty.
  if (found.size < SMALLEST) throw strange('a file that is no database');
  try {
    look(() => openForReading(path, BY_SERVER));
  } catch (error) {
    // Another program was killed amid something: whoever opens it for writing undoes that.
    if (codeOf(error) !== 'SQLITE_READONLY_ROLLBACK') throw error;
    look(() => new Database(`${uriOf(path)}&immutable=1`));
  }
}

function look(open: () => Connection): void {
  let db: Connection | undefined;
  try {
    db = open();
    const [mark] = db.prepare('PRAGMA application_id').raw().get() as [unknown];
    if (mark !== APPLICATION_ID) throw strange('a database of another program');
    const kept = db.prepare("SELECT 1 FROM sqlite_schema WHERE type = 'table' AND name = 'hr_definition'");
    // It would be filled anew, empty.
    if (kept.raw().get() === undefined) throw damaged();
  } catch (error) {
    throw codeOf(error) === 'SQLITE_NOTADB' ? strange('a file that is no database') : error;
  } finally {
    db?.close();
  }
}

const codeOf = (error: unknown): string | undefined => (error as { readonly code?: string }).code;

const strange = (what: string): Problem =>
  new Problem(
    'misplaced',
    `In the place of this database file on the server stands ${what}. Nothing was changed in it, and nothing was saved. Whoever looks after the server can put the file back, or a copy of it.`,
  );

/** What is said of a file that the engine cannot read. */
export const damaged = (): Problem =>
  new Problem(
    'damaged',
    'This database file is damaged: what is in it cannot be read. Nothing was saved. Whoever looks after the server can go back to a copy of it.',
  );
