import type { IncomingMessage } from 'node:http';
import { connect, type Socket } from 'node:net';
import { gzipSync } from 'node:zlib';
import type { AddressInfo } from 'node:net';
import { makeDemo, SIGN_INS } from '@heathridge/demo';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { buildApp, type App } from '../app';
import { stillClock } from '../testing/office';
import { QUERY, ROUTES } from '../testing/routes';
import { until } from '../testing/until';
import { assertShallow, MOST_DEEP } from './json-body';
import { MOST_UPLOADS } from './routes';

/** What comes first, and how: the head of an answer, and all that follows until the connection is closed or idle. */
interface Heard {
  readonly status: number;
  readonly text: string;
  readonly closed: boolean;
}

describe('a request, before its body is read', () => {
  let app: App;
  let data: string;
  let port: number;
  let file: string;
  let token: string;
  beforeAll(async () => {
    data = mkdtempSync(join(tmpdir(), 'heathridge-body-'));
    app = await buildApp({ data, clock: stillClock, signInsAMinute: 1000, patience: 2000 });
    file = await makeDemo(app.context);
    await app.server.listen({ port: 0, host: '127.0.0.1' });
    ({ port } = app.server.server.address() as AddressInfo);
    const { login, password } = SIGN_INS[0];
    const signedIn = await fetch(`http://127.0.0.1:${port}/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', origin: `http://127.0.0.1:${port}` },
      body: JSON.stringify({ login, password }),
    });
    token = /heathridge=([\w-]+)/.exec(signedIn.headers.get('set-cookie') ?? '')![1]!;
  });
  afterAll(async () => {
    await app.close();
    rmSync(data, { recursive: true, force: true });
  });

  /** Sends the head of a request, and of the body only what is given, as it is. */
  function ask(
    method: string,
    url: string,
    {
      who = '',
      body = '',
      length = Buffer.byteLength(body),
      type = 'application/json',
      more = '',
    }: {
      readonly who?: string;
      readonly body?: string | Buffer;
      readonly length?: number;
      readonly type?: string;
      readonly more?: string;
    } = {},
  ): Promise<Heard> {
    return new Promise((resolve, reject) => {
      // Of what is sent as a whole there is nothing left to wait for.
      const isWhole = Buffer.byteLength(body) === length;
      const socket: Socket = connect(port, '127.0.0.1');
      let text = '';
      const end = (closed: boolean): void => {
        socket.destroy();
        resolve({ status: Number(/^HTTP\/1.1 (\d+)/.exec(text)?.[1] ?? 0), text, closed });
      };
      socket.on('data', (data) => (text += String(data)));
      socket.on('end', () => end(true));
      socket.on('error', reject);
      socket.setTimeout(10_000, () => end(false));
      socket.write(
        `${method} ${url} HTTP/1.1\r\nhost: 127.0.0.1:${port}\r\norigin: http://127.0.0.1:${port}\r\n` +
          `content-type: ${type}\r\ncontent-length: ${length}\r\n${isWhole ? 'connection: close\r\n' : ''}${more}` +
          `${who === '' ? '' : `authorization: Bearer ${who}\r\n`}\r\n`,
      );
      socket.write(body);
    });
  }

  it('is refused to whoever is not signed in, on every road, without a byte of it', async () => {
    const open = ['POST /api/session', 'POST /api/accounts'];
    const writing = Object.keys(ROUTES).filter((name) => !name.startsWith('GET ') && !open.includes(name));
    expect(writing.length).toBeGreaterThan(50);
    for (const name of writing) {
      const [method, path] = name.split(' ') as [string, string];
      const url = path.replace(/:(\w+)/g, (_, part: string) => (part === 'file' ? file : 'x_none'));
      const { status, closed, text } = await ask(method, url, { length: 4_000_000, body: '{"a":' });
      // Anybody may sign out, but not with so much.
      const wanted = name === 'DELETE /api/session' ? 413 : 401;
      expect([status, closed])
        .withContext(`${name} ${text.slice(0, 200)}`)
        .toEqual([wanted, true]);
    }
    const bad = await ask('POST', `/api/files/${file}/query/run`, { who: 'nobody', length: 4_000_000 });
    expect([bad.status, bad.closed]).toEqual([401, true]);
  });

  it('is refused where there is nothing, and to who comes from another site', async () => {
    const nothing = await ask('POST', '/api/nothing', { length: 4_000_000, body: '[[[[' });
    expect([nothing.status, nothing.closed]).toEqual([404, true]);
    const unread = await ask('PUT', '/nothing', { length: 4_000_000 });
    expect(unread.status).toBe(404);
  });

  it('may be as large as a name and a password where anybody may send it', async () => {
    for (const url of ['/api/session', '/api/accounts']) {
      const { status, text } = await ask('POST', url, { length: 20_000, body: '{' });
      expect(status).withContext(url).toBe(413);
      expect(text).toContain('may hold');
    }
  });

  it('is not unpacked', async () => {
    const bomb = gzipSync(Buffer.from('['.repeat(4_000_000)));
    expect(bomb.length).toBeLessThan(5000);
    const { status } = await ask('POST', `/api/files/${file}/query/run`, {
      who: token,
      body: bomb,
      more: 'content-encoding: gzip\r\n',
    });
    expect(status).toBe(400);
  });

  it('is refused when it is nested deeper than anything we know', async () => {
    const nested = (depth: number): string => `{"query":${'['.repeat(depth)}${']'.repeat(depth)}}`;
    const deep = await ask('POST', `/api/files/${file}/query/run`, { who: token, body: nested(1_000_000) });
    expect(deep.status).toBe(400);
    expect(deep.text).toContain(`nested deeper than ${MOST_DEEP} levels`);
    // Unclosed, it is refused all the same, and in a string brackets are letters.
    expect(() => assertShallow('['.repeat(MOST_DEEP + 1))).toThrow();
    expect(() => assertShallow('['.repeat(MOST_DEEP))).not.toThrow();
    expect(() => assertShallow(JSON.stringify({ a: `"\\${'['.repeat(5000)}` }))).not.toThrow();
    expect(() => assertShallow(JSON.stringify(Array.from({ length: 5000 }, () => [{}])))).not.toThrow();
  });

  it('may not be held open by one person as often as she likes', async () => {
    const url = `/api/files/${file}/attachments?name=a.bin`;
    let [come, gone] = [0, 0];
    const count = (request: IncomingMessage): void => {
      come++;
      request.once('close', () => gone++);
    };
    app.server.server.on('request', count);
    const held = Array.from({ length: MOST_UPLOADS }, () => {
      const socket = connect(port, '127.0.0.1');
      socket.on('error', () => undefined);
      socket.write(
        `POST ${url} HTTP/1.1\r\nhost: 127.0.0.1:${port}\r\ncontent-type: application/octet-stream\r\n` +
          `content-length: 1000\r\nauthorization: Bearer ${token}\r\n\r\nabc`,
      );
      return socket;
    });
    await until(() => come === MOST_UPLOADS);
    app.server.server.off('request', count);
    const one = { who: token, type: 'application/octet-stream', body: 'abc' };
    const more = await ask('POST', url, { ...one, length: 25_000_000 });
    expect([more.status, more.closed]).toEqual([429, true]);
    expect(more.text).toContain('files are sent at once');
    // What holds no file goes on, and a place that is given back is free.
    const query = await ask('POST', `/api/files/${file}/query/run`, {
      who: token,
      body: JSON.stringify({ query: QUERY }),
    });
    expect(query.status).toBe(200);
    held[0]!.destroy();
    await until(() => gone > 0);
    expect((await ask('POST', url, one)).status).toBe(200);
    for (const socket of held) socket.destroy();
  });

  it('is cut off when it does not come', async () => {
    const { status, text, closed } = await ask('POST', `/api/files/${file}/query/run`, {
      who: token,
      body: '{"query":',
      length: 1000,
    });
    expect([status, closed]).withContext(text).toEqual([408, true]);
    expect(text).toContain('must come within 2 seconds');
    // Whoever sends all of it has time for the answer.
    const whole = await ask('POST', `/api/files/${file}/query/run`, {
      who: token,
      body: JSON.stringify({ query: QUERY }),
    });
    expect(whole.status).withContext(whole.text.slice(0, 300)).toBe(200);
  });
});
