import { Office, type Answer } from '../testing/office';

/** Every route with a body and parameters that would do, so that only rights can refuse it. */
const QUERY = {
  type: 'query',
  id: 'q_new',
  label: 'New',
  from: 't_school',
  with: [],
  where: [],
  columns: [],
  group: null,
  sort: [],
  first: 1,
};

const BODIES: Readonly<Record<string, unknown>> = {
  'POST /api/session': { login: 'nobody', password: 'nothing' },
  'POST /api/accounts': { login: 'xx', name: 'X', password: 'long enough for it' },
  'POST /api/files': { name: 'Another file' },
  'PUT /api/files/:file/places': { places: [] },
  'PUT /api/files/:file/draft': { base: 1, changes: [] },
  'POST /api/files/:file/draft/check': { base: 1, changes: [] },
  'POST /api/files/:file/draft/apply': { base: 1, changes: [] },
  'POST /api/files/:file/links/offers': {},
  'PUT /api/files/:file/definitions/:id': QUERY,
  'POST /api/files/:file/tables/:table/window': { start: 0, limit: 1 },
  'POST /api/files/:file/rows': { changes: [{ op: 'delete', table: 't_part', key: [999999] }] },
  'POST /api/files/:file/query/run': { query: QUERY },
  'POST /api/files/:file/lookups/:field': { search: '' },
  'POST /api/files/:file/desk/screens/:screen/lookups/:field': { search: '' },
  'POST /api/files/:file/desk/screens/:screen/save': {
    changes: [{ op: 'delete', table: 't_hire', key: [999999] }],
  },
};

const PARAMS: Readonly<Record<string, string>> = {
  id: 'q_new',
  table: 't_school',
  field: 'f_hirePlayer',
  report: 'p_overdue',
  screen: 'o_hireDesk',
  attachment: '1',
};

/** Routes that a colleague may call; everything else under a file is the builder's. */
const FOR_COLLEAGUES = [
  'GET /api/files/:file/desk',
  'GET /api/files/:file/desk/screens/:screen',
  'GET /api/files/:file/desk/screens/:screen/list',
  'GET /api/files/:file/desk/screens/:screen/record',
  'POST /api/files/:file/desk/screens/:screen/save',
  'POST /api/files/:file/desk/screens/:screen/lookups/:field',
  'POST /api/files/:file/attachments',
  'GET /api/files/:file/attachments/:attachment',
  'GET /api/files/:file/attachments/:attachment/preview',
];
const FOR_ALL = [
  'GET /api/session',
  'POST /api/session',
  'DELETE /api/session',
  'POST /api/accounts',
  'GET /api/openapi.json',
];
const SIGNED_IN = ['GET /api/files', 'POST /api/files', 'POST /api/files/adopt'];

describe('rights', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const call = (route: string, who: 'builder' | 'colleague' | null): Promise<Answer> => {
    const [method, url] = route.split(' ') as ['GET', string];
    const address = url.replace(/:(\w+)/g, (_, name: string) =>
      name === 'file' ? office.file : PARAMS[name]!,
    );
    return office.call(
      method,
      address + (/\/(record|row)$/.test(url) ? '?key=[1417]' : ''),
      BODIES[route],
      who,
    );
  };

  it('are written down for every route there is', () => {
    const known = office.app.routes.map(({ method, url }) => `${method} ${url}`);
    const others = known.filter((route) => ![...FOR_ALL, ...SIGNED_IN, ...FOR_COLLEAGUES].includes(route));
    expect(others.every((route) => route.includes('/api/files/:file/'))).toBeTrue();
    expect([...FOR_ALL, ...SIGNED_IN, ...FOR_COLLEAGUES].filter((route) => !known.includes(route))).toEqual(
      [],
    );
    expect(others.length).toBeGreaterThan(12);
  });

  it('keep a stranger out of everything but the front door', async () => {
    for (const { method, url } of office.app.routes) {
      const route = `${method} ${url}`;
      if (FOR_ALL.includes(route)) continue;
      const { status, body } = await call(route, null);
      expect(status).withContext(route).toBe(401);
      expect(body.type).withContext(route).toBe('/problems/not-signed-in');
    }
  });

  it('keep a colleague off the Bench, by the API itself', async () => {
    for (const { method, url } of office.app.routes) {
      const route = `${method} ${url}`;
      if (FOR_ALL.includes(route) || SIGNED_IN.includes(route) || FOR_COLLEAGUES.includes(route)) continue;
      const { status, body } = await call(route, 'colleague');
      expect(status).withContext(route).toBe(403);
      expect(body.type).withContext(route).toBe('/problems/not-allowed');
    }
    expect((await call('POST /api/files', 'colleague')).status).toBe(403);
    const adopt = await office.call('POST', '/api/files/adopt?name=x', undefined, 'colleague');
    expect(adopt.status).toBe(403);
  });

  it('open the Desk to a colleague', async () => {
    for (const route of FOR_COLLEAGUES) {
      const { status } = await call(route, 'colleague');
      // The save names a row that is not there: refused for that, not for who asks. No bytes come with an upload.
      const expected = route.endsWith('/save') ? 422 : route.endsWith('/attachments') ? 400 : 200;
      expect(status).withContext(route).toBe(expected);
    }
  });

  it('open the Bench to the builder', async () => {
    for (const { method, url } of office.app.routes) {
      const route = `${method} ${url}`;
      if (FOR_ALL.includes(route)) continue;
      const { status } = await call(route, 'builder');
      expect([401, 403]).withContext(route).not.toContain(status);
    }
  });

  it('show no sign of a file to those who may not open it', async () => {
    const other = await Office.open({ demo: false });
    const { status, body } = await office.call('GET', `/api/files/${other.file}/design`);
    expect(status).toBe(404);
    expect(body.detail).toContain('not open to you');
    await other.close();
  });

  it('let a screen change only what is on it', async () => {
    const save = (changes: unknown[]) =>
      office.call('POST', 'desk/screens/o_hireDesk/save', { changes }, 'colleague');
    expect((await save([{ op: 'delete', table: 't_school', key: [1] }])).status).toBe(403);
    expect(
      (await save([{ op: 'update', table: 't_hire', key: [1417], values: { f_hireHireNumber: 5 }, was: {} }]))
        .status,
    ).toBe(403);
    expect(
      (await office.call('GET', 'desk/screens/o_hireDesk/lookups/f_kindFamily', undefined, 'colleague'))
        .status,
    ).toBe(404);
  });
});

describe('signing in', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  it('gives a cookie that scripts cannot read and other sites cannot send', async () => {
    const { status, headers } = await office.call(
      'POST',
      '/api/session',
      { login: ' Tobin ', password: 'brook-and-reed' },
      null,
    );
    expect(status).toBe(200);
    expect(String(headers['set-cookie'])).toMatch(/HttpOnly.*SameSite=Strict|SameSite=Strict.*HttpOnly/);
  });

  it('says the same for a wrong name and a wrong password', async () => {
    const one = await office.call('POST', '/api/session', { login: 'mara', password: 'wrong' }, null);
    const two = await office.call('POST', '/api/session', { login: 'nobody', password: 'wrong' }, null);
    expect([one.status, two.status]).toEqual([401, 401]);
    expect(one.body).toEqual(two.body);
  });

  it('ends with signing out', async () => {
    const { headers } = await office.call(
      'POST',
      '/api/session',
      { login: 'tobin', password: 'brook-and-reed' },
      null,
    );
    const cookie = /heathridge=([^;]+)/.exec(String(headers['set-cookie']))![1]!;
    const who = async (): Promise<unknown> =>
      (await office.app.server.inject({ url: '/api/session', cookies: { heathridge: cookie } })).json()
        .person;
    expect(await who()).not.toBeNull();
    await office.app.server.inject({
      method: 'DELETE',
      url: '/api/session',
      cookies: { heathridge: cookie },
    });
    expect(await who()).toBeNull();
  });

  it('makes a first account once, and never another that way', async () => {
    const { status, body } = await office.call(
      'POST',
      '/api/accounts',
      { login: 'intruder', name: 'X', password: 'long enough for it' },
      null,
    );
    expect(status).toBe(403);
    expect(body.detail).toContain('made already');
  });

  it('is limited to so many tries', async () => {
    const { buildApp } = await import('../app');
    const app = await buildApp({ data: `${office.data}/limited`, signInsAMinute: 3 });
    const tries: number[] = [];
    for (let i = 0; i < 5; i++)
      tries.push(
        (
          await app.server.inject({
            method: 'POST',
            url: '/api/session',
            payload: { login: 'a', password: 'b' },
          })
        ).statusCode,
      );
    expect(tries).toEqual([401, 401, 401, 429, 429]);
    const problem = (
      await app.server.inject({ method: 'POST', url: '/api/session', payload: { login: 'a', password: 'b' } })
    ).json() as { type: string };
    expect(problem.type).toBe('/problems/too-many');
    await app.close();
  });

  it('keeps passwords as argon2id hashes only', async () => {
    const { default: Database } = await import('libsql');
    const db = new Database(`${office.data}/registry.db`);
    const hashes = (db.prepare('SELECT password_hash FROM account').raw().all() as [string][]).map(
      ([hash]) => hash,
    );
    db.close();
    expect(hashes.length).toBe(2);
    for (const hash of hashes) expect(hash).toMatch(/^\$argon2id\$v=19\$m=19456,t=2,p=1\$/);
  });
});
