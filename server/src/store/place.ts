import { statSync } from 'node:fs';

/** Which file stands at a path, whatever it is called; empty where there is none. */
export function placeOf(path: string): string {
  const found = statSync(path, { throwIfNoEntry: false });
  return found ? `${found.dev} ${found.ino}` : '';
}

/** What the engine keeps beside a database file: its log, and what all that have it open share in memory. */
export const BESIDE = ['-wal', '-shm'] as const;
export type Beside = (typeof BESIDE)[number];

/** Which file on the disk one that is open is, and which are those beside it: somebody may put others in their places. */
export interface Stand {
  readonly path: string;
  readonly inode: string;
  readonly beside: Readonly<Record<Beside, string>>;
}

export const standOf = (path: string): Stand => ({
  path,
  inode: placeOf(path),
  beside: { '-wal': placeOf(`${path}-wal`), '-shm': placeOf(`${path}-shm`) },
});

/** Whether what the engine keeps beside a file is what it was when it was opened. */
export const hasItsOwn = ({ path, beside }: Stand): boolean =>
  BESIDE.every((suffix) => placeOf(path + suffix) === beside[suffix]);

/** Whether all of a file is where it was when it was opened. */
export const isInPlace = (stand: Stand): boolean => placeOf(stand.path) === stand.inode && hasItsOwn(stand);

let awaited: { readonly path: string; readonly place: string } | null = null;

/** Which file the work that follows is to find at a path. */
export function awaitAt(path: string, place: string | undefined): void {
  awaited = place === undefined ? null : { path, place };
}

/** Whether what is awaited at a path stands there; true where nothing is awaited. */
export const standsAt = (path: string): boolean => awaited?.path !== path || placeOf(path) === awaited.place;

/**
 * Ends this process at once where a file that it has just opened is not the one that was awaited: the engine has taken
 * the log of the one before for that of this one, and would write it into it when it closes it.
 */
export function endUnlessItStands(path: string): void {
  if (!standsAt(path)) process.kill(process.pid, 'SIGKILL');
}
