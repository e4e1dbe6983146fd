import type { Page } from '@playwright/test';

/** Begins to note when the page draws a frame. */
export const noteFrames = (page: Page): Promise<unknown> =>
  page.evaluate(
    'window.frameTimes = []; (function note(at) { if (at) window.frameTimes.push(at); requestAnimationFrame(note); })()',
  );

/** Milliseconds between the frames since then, that of 19 in 20. */
export async function slowFrame(page: Page): Promise<number> {
  const frames = await page.evaluate<number[]>('window.frameTimes');
  const between = frames
    .slice(1)
    .map((at, i) => at - frames[i]!)
    .sort((a, b) => a - b);
  return between[Math.floor(between.length * 0.95)]!;
}
