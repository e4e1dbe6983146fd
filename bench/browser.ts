import { chromium, type Page } from '@playwright/test';
import { CHROMIUM, startServer } from '../scripts/browser.mjs';

/** A browser that is signed in at a server of its own. */
export interface Visit {
  readonly page: Page;
  readonly url: string;
  /** The folder of accounts and files. */
  readonly data: string;
  /** Posts to a path of the API; throws what was answered instead of an answer. */
  readonly send: (path: string, data: unknown) => Promise<unknown>;
}

/** Starts a server without files and a browser, does the work in it, and ends both. */
export async function visit<T>(work: (visit: Visit) => Promise<T>): Promise<T> {
  const server = await startServer({ demo: false });
  const browser = await chromium.launch(CHROMIUM);
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(server.url);
    const send = async (path: string, data: unknown): Promise<unknown> => {
      const headers = { origin: server.url };
      const answer = await page.request.post(`${server.url}/api/${path}`, { data, headers });
      if (!answer.ok()) throw new Error(await answer.text());
      return answer.json();
    };
    await send('accounts', { login: 'bench', name: 'Bench', password: 'a long enough password' });
    return await work({ page, url: server.url, data: server.data, send });
  } finally {
    await browser.close();
    await server.stop();
  }
}
