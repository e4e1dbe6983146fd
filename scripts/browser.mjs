// A server on a port of its own over a new data folder, and a browser to look at it with.
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { root } from './setup.mjs';

export const CHROMIUM = {
  executablePath: process.env.CHROME_BIN ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
};

const freePort = () =>
  new Promise((resolve, reject) => {
    const probe = createServer();
    probe.once('error', reject);
    probe.listen(0, '127.0.0.1', () => {
      const { port } = probe.address();
      probe.close(() => resolve(port));
    });
  });

/** Starts the built server with demo data (or without); resolves once it serves. */
export async function startServer({ demo = true, data = mkdtempSync(join(tmpdir(), 'heathridge-')) } = {}) {
  const port = await freePort();
  const child = spawn(process.execPath, [join(root, 'server/dist/main.js')], {
    env: {
      ...process.env,
      PORT: String(port),
      HEATHRIDGE_DATA: data,
      ...(demo ? {} : { HEATHRIDGE_DEMO: 'no' }),
    },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  await new Promise((resolve, reject) => {
    child.stdout.on('data', (text) => String(text).includes('serves at') && resolve());
    child.once('exit', (code) => reject(new Error(`The server ended with ${code}.`)));
  });
  return {
    url: `http://127.0.0.1:${port}`,
    data,
    /** Ends the server; the data goes too unless it is to be kept. */
    stop: ({ keep = false } = {}) =>
      new Promise((resolve) => {
        child.once('exit', () => {
          if (!keep) rmSync(data, { recursive: true, force: true });
          resolve();
        });
        child.kill('SIGTERM');
      }),
  };
}
