import { join } from 'node:path';
import type { Table } from '@heathridge/core/design';
import { openForWriting } from '../server/src/store/driver';
import { visit, type Visit } from './browser';
import type { Figure } from './figures';
import { noteFrames, slowFrame } from './frames';

/** Milliseconds within which a frame comes that nobody misses. */
const FRAME = 17;
/** A wheel that is turned as fast as somebody who looks for something does: turns, pixels of each, and milliseconds between. */
const [TURNS, PIXELS, PAUSE] = [120, 120, 30];
/** What scrolls: the nearest around a cell that is longer than it shows. */
const TO_THE_MIDDLE = `{
  let list = document.querySelector('[role="row"] [role="gridcell"]');
  while (list.scrollHeight < list.clientHeight + 1000) list = list.parentElement;
  list.scrollTop = list.scrollHeight / 2;
}`;
const LAST_SEEN = `Math.max(...Array.from(document.querySelectorAll('[role="row"][aria-rowindex]'), (row) => +row.getAttribute('aria-rowindex')))`;

async function framesOf(
  { page, url, data, send }: Visit,
  table: Table,
  rows: number,
  fill: string,
): Promise<number> {
  const { id } = (await send('files', { name: 'Many rows' })) as { id: string };
  await send(`files/${id}/draft/apply`, { base: 0, changes: [{ change: 'addTable', table }] });
  const db = openForWriting(join(data, 'files', `${id}.db`));
  db.exec(fill);
  db.close();
  await page.goto(`${url}/file/${id}/fill?table=${table.id}`);
  const cell = page.locator('[role="row"][row-index="3"] [role="gridcell"]').nth(1);
  await cell.click();
  // As somebody who drags the bar.
  await page.evaluate(TO_THE_MIDDLE);
  await page.waitForTimeout(1500);
  await page.mouse.move(640, 400);
  await noteFrames(page);
  for (let i = 0; i < TURNS; i++) {
    await page.mouse.wheel(0, PIXELS);
    await page.waitForTimeout(PAUSE);
  }
  const slow = await slowFrame(page);
  const seen = await page.evaluate<number>(LAST_SEEN);
  if (!(seen > rows / 2)) throw new Error(`The grid stands at row ${seen}.`);
  return slow;
}

/** The grid over many rows while the wheel is turned, from the middle of them. `fill` is SQL that makes the rows. */
export async function scrolling(table: Table, rows: number, fill: string): Promise<Figure> {
  return {
    what: `A frame (19 of 20) while ${rows.toLocaleString('en')} rows are scrolled through, in the browser`,
    against: `${FRAME} ms`,
    ours: await visit((at) => framesOf(at, table, rows, fill)),
    theirs: FRAME,
  };
}
