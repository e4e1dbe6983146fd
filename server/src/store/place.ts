import { statSync } from 'node:fs';

/** Which file stands at a path, whatever it is called; empty where there is none. */
export function placeOf(path: string): string {
  const found = statSync(path, { throwIfNoEntry: false });
  return found ? `${found.dev} ${found.ino}` : '';
}

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
