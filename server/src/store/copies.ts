import { existsSync, readdirSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';

/** Safe copies of a file that are always kept, the newest, and the days for which older ones are. */
export const ALWAYS_KEPT = 10;
export const KEPT_DAYS = 90;

/** A copy taken before a change of the design; those of a file as it came, or of an earlier format, are others. */
const TAKEN = /^(\d{4}-\d{2}-\d{2})T(\d{2})-(\d{2})-(\d{2})Z-\w+\.db$/;

const DAY = 86_400_000;

/** When a copy was taken, from its name: milliseconds since 1970; null for what is no such copy. */
function takenAt(name: string): number | null {
  const [, date, hour, minute, second] = TAKEN.exec(name) ?? [];
  return date === undefined ? null : Date.parse(`${date}T${hour}:${minute}:${second}Z`);
}

/** The copies in a folder, newest first. */
function copiesIn(folder: string): { readonly name: string; readonly at: number }[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder)
    .flatMap((name) => {
      const at = takenAt(name);
      return at === null ? [] : [{ name, at }];
    })
    .sort((a, b) => b.at - a.at || (a.name < b.name ? 1 : -1));
}

/**
 * Takes away safe copies that are neither among the newest nor young enough. A change whose copy is gone
 * cannot be undone any more. Gives their names.
 */
export function pruneCopies(folder: string, now: string): string[] {
  const oldest = Date.parse(now) - KEPT_DAYS * DAY;
  const gone = copiesIn(folder)
    .slice(ALWAYS_KEPT)
    .filter(({ at }) => at < oldest)
    .map(({ name }) => name);
  for (const name of gone) rmSync(join(folder, name), { force: true });
  return gone;
}

/** How many safe copies of a file there are, and the bytes they take. */
export function keptCopies(folder: string): { readonly count: number; readonly bytes: number } {
  const all = copiesIn(folder);
  const bytes = all.reduce(
    (sum, { name }) => sum + (statSync(join(folder, name), { throwIfNoEntry: false })?.size ?? 0),
    0,
  );
  return { count: all.length, bytes };
}
