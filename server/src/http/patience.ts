import { setTimeout } from 'node:timers/promises';
import type { JobPool } from '../jobs/pool';
import { isHeld } from '../store/private';
import { DesignMoved } from '../store/versions';

/** Design changes that may happen in a row while one call is answered. */
const MOST_MOVES = 3;

/** Milliseconds that a call waits for another program which holds a file, and for a job of ours that does. */
const MOST_WAIT = 5000;
const MOST_WAIT_FOR_OURS = 60_000;
/** Milliseconds between two tries. */
const WAIT = 60;

/**
 * Does some work on the file at a path once more when its design has changed meanwhile: what was sent is then checked
 * against the design as it is now. While something else writes to the file it is tried again and again, and all others
 * go on meanwhile: what the engine refuses for that has done nothing. A save of many rows that is being made is waited
 * for longer than a program of which nothing is known. `path` gives null where the work is on no file.
 */
export async function patiently<T>(
  jobs: JobPool,
  path: () => string | null,
  work: () => T | Promise<T>,
): Promise<T> {
  const begun = performance.now();
  const mayWait = (): boolean => {
    const waited = performance.now() - begun;
    if (waited < MOST_WAIT) return true;
    const at = path();
    return waited < MOST_WAIT_FOR_OURS && at !== null && jobs.isWriting(at);
  };
  for (let moves = 0; ;)
    try {
      return await work();
    } catch (error) {
      if (error instanceof DesignMoved && moves < MOST_MOVES) moves++;
      else if (isHeld(error) && mayWait()) await setTimeout(WAIT);
      else throw error;
    }
}
