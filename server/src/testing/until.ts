import { setTimeout as pause } from 'node:timers/promises';

/** Milliseconds after which what is waited for does not come any more, however slow a machine is. */
const LONGEST = 60_000;

/** Waits for something that comes when it comes. Throws where it does not. */
export async function until(what: () => boolean): Promise<void> {
  for (const begun = performance.now(); !what(); await pause(10))
    if (performance.now() - begun > LONGEST) throw new Error(`This never came: ${String(what)}`);
}
