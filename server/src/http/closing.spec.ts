import { connect } from 'node:net';
import { mkdtempSync, rmSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { makeDemo, SIGN_INS } from '@heathridge/demo';
import { buildApp, type App } from '../app';
import { stillClock } from '../testing/office';
import { until } from '../testing/until';

describe('a server that is to end', () => {
  let app: App;
  let data: string;
  let file: string;
  let at: string;
  let token: string;
  beforeEach(async () => {
    data = mkdtempSync(join(tmpdir(), 'heathridge-closing-'));
    app = await buildApp({ data, clock: stillClock, signInsAMinute: 1000 });
    file = await makeDemo(app.context);
    await app.server.listen({ port: 0, host: '127.0.0.1' });
    at = `http://127.0.0.1:${(app.server.server.address() as AddressInfo).port}`;
    const { login, password } = SIGN_INS[0];
    const signedIn = await fetch(`${at}/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', origin: at },
      body: JSON.stringify({ login, password }),
    });
    token = /heathridge=([\w-]+)/.exec(signedIn.headers.get('set-cookie') ?? '')![1]!;
  });
  afterEach(() => rmSync(data, { recursive: true, force: true }));

  const HOURS =
    'WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 100000000000) SELECT count(*) FROM n';
  const reading = (sql: string): Promise<unknown> => {
    const { path, design } = app.context.files.get(file);
    return app.context.jobs
      .run(path, { task: 'anchors', version: design.version, columns: 1, sql })
      .catch((error: unknown) => error);
  };
  /** Whether a child is at work. */
  const isWorking = (): boolean => [...app.context.jobs['alive']].some((child) => child['running']?.begun);

  it('cuts off what hangs: an upload that stands still, a query that runs for hours, a line of news', async () => {
    const { port } = new URL(at);
    let asked = 0;
    app.server.server.on('request', () => asked++);
    const upload = connect(Number(port), '127.0.0.1');
    upload.on('error', () => undefined);
    const gone = new Promise((done) => upload.once('close', done));
    upload.write(
      `POST /api/files/${file}/attachments?name=a.bin HTTP/1.1\r\nhost: 127.0.0.1:${port}\r\norigin: ${at}\r\n` +
        `content-type: application/octet-stream\r\ncontent-length: 1000000\r\nauthorization: Bearer ${token}\r\n\r\nabc`,
    );
    const news = await fetch(`${at}/api/files/${file}/events`, {
      headers: { authorization: `Bearer ${token}` },
    });
    expect(news.status).toBe(200);
    await until(() => asked === 2);
    const read = reading(HOURS);
    await until(isWorking);
    // Without a cut none of them would ever end.
    await app.close(300);
    await gone;
    expect(await read).toEqual(jasmine.objectContaining({ type: 'stopped' }));
    expect(app.context.jobs['alive'].size).toBe(0);
    await news.body?.cancel().catch(() => undefined);
  });

  it('lets what is being done end first', async () => {
    const run = spyOn(app.context.jobs, 'run').and.callThrough();
    const asked = fetch(`${at}/api/files/${file}/whole/json`, {
      headers: { authorization: `Bearer ${token}` },
    });
    await until(() => run.calls.any());
    await app.close();
    const answer = await asked;
    expect(answer.status).toBe(200);
    expect((await answer.text()).length).toBeGreaterThan(100_000);
  });
});
