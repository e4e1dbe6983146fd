import { gzipSync } from 'node:zlib';
import { chromium, type Browser, type Page } from '@playwright/test';
import { CHROMIUM, startServer } from '../scripts/browser.mjs';
import type { Figure } from './figures';

/** Kilobytes that a first load may have, compressed: of the Desk, and of the Bench without grid and editor. */
const [DESK, BENCH] = [300, 350];
/** Milliseconds until the Desk is ready, and until a record is painted. */
const [READY, PAINTED] = [1500, 150];
/** Rows of each of the two subforms of a record that is painted: of most records, and of the longest that are common. */
const [SHORT, LONG] = [10, 50];
/** Milliseconds of a frame. */
const FRAME = 16;
const ROUNDS = 25;
/** How often a record is painted. */
const PAINTINGS = 60;
/** Milliseconds that somebody at least looks at a record before asking for the next one. */
const GLANCE = 300;

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

/** Milliseconds, in the middle, until Today is there for who opens the Desk with nothing kept from before. */
async function untilReady(browser: Browser, url: string): Promise<number> {
  const times: number[] = [];
  const context = await browser.newContext();
  const guide = await context.newPage();
  await guide.goto(url);
  await guide.getByRole('button', { name: 'Tobin Leck' }).click();
  await guide.getByRole('link', { name: 'Open the Desk of Quillbrook hire' }).click();
  await guide.getByRole('heading', { name: /^Today/ }).waitFor();
  for (let i = 0; i < 9; i++) {
    const fresh = await browser.newContext({ storageState: await context.storageState() });
    const page = await fresh.newPage();
    await page.addInitScript(`
      new MutationObserver((_, seen) => {
        if (window.readyAt || !/^Today/.test(document.querySelector('h1')?.textContent ?? '') || !document.querySelector('a[href*="/screen/"]')) return;
        seen.disconnect();
        requestAnimationFrame(() => setTimeout(() => (window.readyAt = performance.now())));
      }).observe(document, { subtree: true, childList: true, characterData: true });`);
    await page.goto(guide.url());
    let at = 0;
    while (at === 0) at = (await page.evaluate('window.readyAt ?? 0')) as number;
    times.push(at);
    await fresh.close();
  }
  await context.close();
  return times.sort((a, b) => a - b)[Math.floor(times.length / 2)]!;
}

/**
 * Milliseconds from the end of the answer until a record with two subforms of few rows is painted, of many, and of many
 * for who looks at each for a moment, each sorted: where nobody does, the next answer comes while the browser still draws
 * the last rows of the record before. The newest instruments of the demo are given as many hires and repairs first.
 */
async function painting(browser: Browser, url: string): Promise<number[][]> {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(url);
  await page.getByRole('button', { name: 'Mara Ashdown' }).click();
  await page.getByRole('link', { name: 'Open the Desk of Quillbrook hire' }).click();
  await page.getByRole('heading', { name: /^Today/ }).waitFor();
  const file = /desk\/(\w+)/.exec(page.url())![1]!;
  const at = `${url}/api/files/${file}`;
  const list = (await (await page.request.get(`${at}/desk/screens/o_instruments/list`)).json()) as {
    entries: { key: [number] }[];
  };
  const instruments = list.entries.slice(0, 8).map(({ key }) => key[0]);
  const insert = (table: string, values: object): object => ({ op: 'insert', table, values });
  const give = async (instrument: number, rows: number): Promise<void> => {
    const hire = {
      f_hirePlayer: 1,
      f_hireInstrument: instrument,
      f_hireHiredOn: '2026-01-05',
      f_hireDueBack: '2026-02-05',
      f_hireReturnedOn: '2026-02-01',
      f_hireMonthlyFee: '12.00',
    };
    const repair = { f_repairInstrument: instrument, f_repairFault: 'A pad sticks.' };
    const changes = Array.from({ length: rows }, () => [
      insert('t_hire', hire),
      insert('t_repair', repair),
    ]).flat();
    const saved = await page.request.post(`${at}/rows`, { data: { changes }, headers: { origin: url } });
    if (!saved.ok()) throw new Error(await saved.text());
  };
  const figures: number[][] = [];
  for (const [rows, more, pause] of [
    [SHORT, SHORT, 0],
    [LONG, LONG - SHORT, 0],
    [LONG, 0, GLANCE],
  ] as const) {
    if (more > 0) for (const instrument of instruments) await give(instrument, more);
    await page.reload();
    await page.getByRole('tab', { name: 'Instruments' }).click();
    await page
      .locator('[data-row]')
      .nth(2 * rows - 1)
      .waitFor();
    const times: number[] = [];
    for (let i = 0; i < PAINTINGS; i++) {
      times.push(
        (await page.evaluate(`new Promise((done) => {
        performance.clearResourceTimings();
        const before = document.querySelector('.record h1').textContent;
        const seen = new MutationObserver(() => {
          const now = document.querySelector('.record h1')?.textContent ?? before;
          if (now === before || document.querySelectorAll('[data-row]').length === 0) return;
          seen.disconnect();
          requestAnimationFrame(() => setTimeout(() => {
            const answers = performance.getEntriesByType('resource').filter(({ name }) => name.includes('/record?'));
            done(performance.now() - answers.at(-1).responseEnd);
          }));
        });
        seen.observe(document.body, { subtree: true, childList: true, characterData: true });
        document.querySelectorAll('.entry')[${1 + (i % 7)}].click();
      })`)) as number,
      );
      // All of its rows come, too.
      await page
        .locator('[data-row]')
        .nth(2 * rows - 1)
        .waitFor();
      await page.waitForTimeout(pause);
    }
    figures.push(times.sort((a, b) => a - b));
  }
  await page.close();
  return figures;
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
    const ready = await untilReady(browser, server.url);
    const [few, many, looked] = await painting(browser, server.url);
    return [
      { what: 'First load of the Desk, compressed', against: `${DESK} kB`, ours: desk, theirs: DESK },
      {
        what: 'Until Today is there for who opens the Desk for the first time, in the browser',
        against: `${READY} ms`,
        ours: ready,
        theirs: READY,
      },
      ...(
        [
          [SHORT, 'in the middle', few![PAINTINGS / 2]!],
          [LONG, 'in the middle', many![PAINTINGS / 2]!],
          [
            LONG,
            `19 of 20 are quicker, of those asked for ${GLANCE} ms after the last`,
            looked![PAINTINGS * 0.95]!,
          ],
          [LONG, '19 of 20 are quicker, each asked for at once after the last', many![PAINTINGS * 0.95]!],
        ] as const
      ).map(([rows, which, ours]) => ({
        what: `A record with two subforms of ${rows} rows painted once its answer is there (${which}), in the browser`,
        against: `${PAINTED} ms`,
        ours,
        theirs: PAINTED,
      })),
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
