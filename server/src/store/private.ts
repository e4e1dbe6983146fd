import { chmodSync, lstatSync, mkdirSync, readdirSync } from 'node:fs';
import { join } from 'node:path';

/** Whether an error says that a place cannot be written to: a disk that is read-only, or belongs to somebody else. */
export function isUnwritable(error: unknown): boolean {
  const { code = '', message = '' } = error as { readonly code?: string; readonly message?: string };
  return (
    /^(EROFS|EACCES|EPERM|SQLITE_READONLY\w*|SQLITE_CANTOPEN\w*)$/.test(code) ||
    // Where a connection cannot be opened the driver names the engine's number: SQLITE_READONLY, SQLITE_CANTOPEN.
    /Unable to open connection to local database .*: (8|14)\b/.test(message)
  );
}

/** Whether an error says that a disk, or what somebody may use of it, is full. */
export const isFull = (error: unknown): boolean =>
  /^(SQLITE_FULL|ENOSPC|EDQUOT)$/.test((error as { readonly code?: string }).code ?? '');

/** Whether an error says that a disk fails: it has broken, or was made read-only under files that were open for writing. */
export const isFailing = (error: unknown): boolean =>
  /^(SQLITE_IOERR\w*|EIO)$/.test((error as { readonly code?: string }).code ?? '');

/** Whether an error says that somebody else holds a file: another program, or a job of ours. */
export const isHeld = (error: unknown): boolean =>
  /^SQLITE_BUSY\w*$/.test((error as { readonly code?: string }).code ?? '');

/** Whether an error says that a file is no database, or one whose pages make no sense. */
export const isDamaged = (error: unknown): boolean =>
  /^SQLITE_(CORRUPT\w*|NOTADB)$/.test((error as { readonly code?: string }).code ?? '');

/**
 * Whether an error is trouble of the machine, and says nothing of what was asked for: such a one is never put into words
 * about a sheet, a draft or a file that is taken in.
 */
export const isOfMachine = (error: unknown): boolean =>
  isFull(error) ||
  isUnwritable(error) ||
  isFailing(error) ||
  isHeld(error) ||
  /^(SQLITE_NOMEM\w*|EMFILE|ENFILE)$/.test((error as { readonly code?: string }).code ?? '');

/** What other accounts of the machine may do: nothing. */
const OTHERS = 0o077;

/**
 * Makes the folder of the office's data where it is not there, and closes it and all that lies in it, also what will, to
 * other accounts of the machine. What belongs to somebody else stays as it is, and is said.
 */
export function keepPrivate(data: string): void {
  process.umask(OTHERS);
  mkdirSync(data, { recursive: true, mode: 0o700 });
  const open: string[] = [];
  close(data, open);
  if (open.length > 0)
    process.stderr.write(
      `Other accounts of this machine can read ${open[0]!}${open.length > 1 ? `, and ${open.length - 1} more` : ''}: that cannot be changed from here.\n`,
    );
}

function close(path: string, open: string[]): void {
  const found = lstatSync(path);
  // What a link leads to is not ours to change.
  if (found.isSymbolicLink()) return;
  if ((found.mode & OTHERS) !== 0)
    try {
      chmodSync(path, found.mode & 0o700);
    } catch {
      open.push(path);
    }
  if (found.isDirectory()) for (const name of readdirSync(path)) close(join(path, name), open);
}
