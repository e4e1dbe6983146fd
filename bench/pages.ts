import { gzipSync } from 'node:zlib';
import { chromium, type Browser, type Page } from '@playwright/test';
import { CHROMIUM, startServer } from '../scripts/browser.mjs';
import type { Figure } from './figures';

/** Kilobytes that a first load may have, compressed: of the Desk, and of the Bench without grid and editor. */
const [DESK, BENCH] = [300, 350];
/** Milliseconds of a frame. */
const FRAME = 16;
const ROUNDS = 25;

/** What tells the chunks of the grid and of the editor of expressions. */
const APART = /\bag-root\b|\bcm-content\b/;

/** Kilobytes of code that a page loads before it is at rest, compressed as the server does for others. */
async function firstLoad(
  browser: Browser,
  url: string,
  name: string,
  path: (page: Page) => Promise<string>,
): Promise<number> {
  // Who signs in and finds the way is not whose load is measured: that one begins with nothing.
  const context = await browser.newContext();
  const guide = await context.newPage();
  await guide.goto(url);
  await guide.getByRole('button', { name }).click();
  await guide.getByRole('heading', { name: 'Files' }).waitFor();
  const address = await path(guide);
  const fresh = await browser.newContext({ storageState: await context.storageState() });
  const page = await fresh.newPage();
  const loaded: Promise<Buffer>[] = [];
  page.on('response', (response) => {
    if (/\/api\//.test(response.url())) return;
    if (['document', 'script', 'stylesheet'].includes(response.request().resourceType()))
      loaded.push(response.body());
  });
  await page.goto(address, { waitUntil: 'networkidle' });
  const bodies = await Promise.all(loaded);
  await Promise.all([context.close(), fresh.close()]);
  const counted = bodies.filter((body) => !APART.test(body.toString('utf8')));
  return counted.reduce((sum, body) => sum + gzipSync(body).length, 0) / 1000;
}

/** Milliseconds, in the middle, from the key that leaves an amount until the sum below it has changed. */
async function keyToSum(browser: Browser, url: string): Promise<number> {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(url);
  await page.getByRole('button', { name: 'Tobin Leck' }).click();
  await page.getByRole('link', { name: 'Open the Desk of Quillbrook hire' }).click();
  await page.getByRole('tab', { name: 'Hire desk' }).click();
  await page.getByRole('button', { name: 'Payment', exact: true }).click();
  const amount = page.getByRole('textbox', { name: /^Amount, row/ }).last();
  const times: number[] = [];
  for (let i = 0; i < ROUNDS; i++) {
    await amount.fill(String(10 + i));
    await page.evaluate(`
      window.keyToSum = new Promise((done) => {
        let began = 0;
        addEventListener('keydown', () => (began ||= performance.now()), { once: true, capture: true });
        const seen = new MutationObserver(() => { seen.disconnect(); done(performance.now() - began); });
        seen.observe(document.querySelector('.subform .foot'), { subtree: true, childList: true, characterData: true });
      });
      0`);
    await amount.press('Tab');
    times.push((await page.evaluate('window.keyToSum')) as number);
  }
  await page.close();
  return times.sort((a, b) => a - b)[Math.floor(times.length / 2)]!;
}

/** What the pages weigh, and how soon a sum follows a key. */
export async function pageFigures(): Promise<Figure[]> {
  const server = await startServer();
  const browser = await chromium.launch(CHROMIUM);
  try {
    const desk = await firstLoad(browser, server.url, 'Tobin Leck', async (page) => {
      await page.getByRole('link', { name: 'Open the Desk of Quillbrook hire' }).click();
      await page.getByRole('heading', { name: /^Today/ }).waitFor();
      return page.url();
    });
    const bench = await firstLoad(browser, server.url, 'Mara Ashdown', async (page) => {
      await page.getByRole('link', { name: 'Quillbrook hire', exact: true }).click();
      await page.locator('.card-box').first().waitFor();
      return page.url();
    });
    const sum = await keyToSum(browser, server.url);
    return [
      { what: 'First load of the Desk, compressed', against: `${DESK} kB`, ours: desk, theirs: DESK },
      {
        what: 'First load of the Bench without grid and editor, compressed',
        against: `${BENCH} kB`,
        ours: bench,
        theirs: BENCH,
      },
      {
        what: 'From the key that leaves an amount until the sum below it has changed, in the browser',
        against: `a frame of ${FRAME} ms`,
        ours: sum,
        theirs: FRAME,
      },
    ];
  } finally {
    await browser.close();
    await server.stop();
  }
}
