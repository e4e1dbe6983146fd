import { statSync } from 'node:fs';

/** Which file stands at a path, whatever it is called; empty where there is none. */
export function placeOf(path: string): string {
  const found = statSync(path, { throwIfNoEntry: false });
  return found ? `${found.dev} ${found.ino}` : '';
}
