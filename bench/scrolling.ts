import { join } from 'node:path';
import { chromium } from '@playwright/test';
import type { Table } from '@heathridge/core/design';
import { CHROMIUM, startServer } from '../scripts/browser.mjs';
import { openForWriting } from '../server/src/store/driver';
import type { Figure } from './figures';
import { noteFrames, slowFrame } from './frames';

/** Milliseconds within which a frame comes that nobody misses. */
const FRAME = 17;
/** Turns of the wheel, and pixels of each. */
const [TURNS, PIXELS] = [150, 240];

/** The grid over many rows while the wheel is turned, from the middle of them. `fill` is SQL that makes the rows. */
export async function scrolling(table: Table, rows: number, fill: string): Promise<Figure> {
  const server = await startServer({ demo: false });
  const browser = await chromium.launch(CHROMIUM);
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(server.url);
    const send = async (path: string, data: unknown): Promise<unknown> => {
      const answer = await page.request.post(`${server.url}/api/${path}`, {
        data,
        headers: { origin: server.url },
      });
      if (!answer.ok()) throw new Error(await answer.text());
      return answer.json();
    };
    await send('accounts', { login: 'bench', name: 'Bench', password: 'a long enough password' });
    const { id } = (await send('files', { name: 'Many rows' })) as { id: string };
    await send(`files/${id}/draft/apply`, { base: 0, changes: [{ change: 'addTable', table }] });
    const db = openForWriting(join(server.data, 'files', `${id}.db`));
    db.exec(fill);
    db.close();
    await page.goto(`${server.url}/file/${id}/fill?table=${table.id}`);
    const cell = page.locator('[role="row"][row-index="3"] [role="gridcell"]').nth(1);
    await cell.click();
    // To the middle, as somebody who drags the bar.
    await page.evaluate(
      `document.querySelector('.ag-grid-scroll, .ag-body-viewport').scrollTop = ${Math.floor(rows / 2)} * 24`,
    );
    await page.waitForTimeout(1500);
    await page.mouse.move(640, 400);
    await noteFrames(page);
    for (let i = 0; i < TURNS; i++) {
      await page.mouse.wheel(0, PIXELS);
      await page.waitForTimeout(10);
    }
    return {
      what: `A frame (19 of 20) while ${rows.toLocaleString('en')} rows are scrolled through, in the browser`,
      against: `${FRAME} ms`,
      ours: await slowFrame(page),
      theirs: FRAME,
    };
  } finally {
    await browser.close();
    await server.stop();
  }
}
