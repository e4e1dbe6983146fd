import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { field, number, table } from '../../../core/src/design/testing/office';
import { Office, ORIGIN, type Answer } from '../testing/office';

const FORM = {
  type: 'form',
  label: 'X',
  parts: [],
  rights: { add: true, change: true, delete: true },
};

describe('bad input', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  function isProblem({ status, body, headers }: Answer, expected?: number): void {
    expect(status).toBeGreaterThanOrEqual(400);
    expect(status).withContext(JSON.stringify(body)).toBeLessThan(500);
    if (expected !== undefined) expect(status).toBe(expected);
    expect(String(headers['content-type'])).toContain('application/problem+json');
    expect(body.type).toMatch(/^\/problems\//);
    expect(body.detail.length).toBeGreaterThan(10);
    expect(JSON.stringify(body)).not.toMatch(
      /node_modules|\.ts:|at .*\(|SQLITE|sqlite|Invalid |Expected .* but received/,
    );
  }

  const WINDOW = 'tables/t_hire/window';
  const cases: [
    what: string,
    method: 'GET' | 'POST' | 'PUT' | 'DELETE',
    url: string,
    body: unknown,
    status?: number,
  ][] = [
    ['an unknown address', 'GET', '/api/nothing', undefined, 404],
    ['an unknown file', 'GET', '/api/files/f_none/design', undefined, 404],
    ['a file name with ../', 'GET', '/api/files/..%2F..%2Fetc/design', undefined, 404],
    ['a new file called ../x', 'POST', '/api/files', { name: '../x' }, 400],
    ['a new file without a name', 'POST', '/api/files', { name: '   ' }, 400],
    ['a new file with a taken name', 'POST', '/api/files', { name: 'Quillbrook hire' }, 409],
    ['a table that is gone', 'POST', 'tables/t_gone/window', { start: 0, limit: 10 }, 404],
    ['a window of a million rows', 'POST', WINDOW, { start: 0, limit: 1_000_000 }, 400],
    ['a window that starts before the first row', 'POST', WINDOW, { start: -1, limit: 10 }, 400],
    [
      'a window sorted by a field of another table',
      'POST',
      WINDOW,
      { start: 0, limit: 1, sort: [{ field: 'f_partName', descending: true }] },
      400,
    ],
    ['a body of the wrong type', 'POST', WINDOW, [1, 2], 400],
    ['a missing body', 'POST', WINDOW, undefined, 400],
    ['an unknown lookup', 'POST', 'lookups/f_partName', { search: '' }, 404],
    ['a search of a thousand letters', 'POST', 'lookups/f_hirePlayer', { search: 'x'.repeat(1000) }, 400],
    [
      'rows of an unknown table',
      'POST',
      'rows',
      { changes: [{ op: 'insert', table: 't_gone', values: {} }] },
      422,
    ],
    [
      'rows with an unknown field',
      'POST',
      'rows',
      { changes: [{ op: 'insert', table: 't_part', values: { f_gone: 1 } }] },
      422,
    ],
    [
      'a key of the wrong length',
      'POST',
      'rows',
      { changes: [{ op: 'delete', table: 't_part', key: [1, 2] }] },
      422,
    ],
    [
      'a key of the wrong kind',
      'POST',
      'rows',
      { changes: [{ op: 'delete', table: 't_part', key: ["1' OR 1=1"] }] },
      422,
    ],
    [
      'a query over an unknown table',
      'POST',
      'query/run',
      {
        query: {
          type: 'query',
          id: 'q_x',
          label: 'X',
          from: 't_gone',
          joins: [],
          where: [],
          columns: [],
          group: null,
          sort: [],
          first: null,
        },
      },
      422,
    ],
    [
      'a query with a half expression',
      'POST',
      'query/run',
      {
        query: {
          type: 'query',
          id: 'q_x',
          label: 'X',
          from: 't_hire',
          joins: [],
          where: [{ is: 'so', expression: '"#f_hireDueBack" <' }],
          columns: [],
          group: null,
          sort: [],
          first: null,
        },
      },
      422,
    ],
    [
      'a query whose numbers grow too large',
      'POST',
      'query/run',
      {
        query: {
          type: 'query',
          id: 'q_x',
          label: 'X',
          from: 't_hire',
          joins: [],
          where: [],
          columns: [
            { id: 'a', label: 'A', expression: '999999999999999 * 999999999999999 * "#f_hireHireNumber"' },
          ],
          group: null,
          sort: [],
          first: null,
        },
      },
      422,
    ],
    [
      'a form on a table that is gone',
      'PUT',
      'definitions/o_x',
      { document: { ...FORM, id: 'o_x', table: 't_gone' }, base: 0 },
      422,
    ],
    [
      'a definition under another id',
      'PUT',
      'definitions/o_y',
      { document: { ...FORM, id: 'o_x', table: 't_hire' }, base: 0 },
      400,
    ],
    [
      'a table saved past the draft',
      'PUT',
      'definitions/t_hire',
      { document: { type: 'table', id: 't_hire' }, base: 1 },
      400,
    ],
    ['dropping a query that a report prints', 'DELETE', 'definitions/q_overdue?base=1', undefined, 422],
    ['dropping what is not there', 'DELETE', 'definitions/q_gone?base=1', undefined, 404],
    ['dropping without saying what was read', 'DELETE', 'definitions/q_overdue', undefined, 400],
    ['a query that somebody else has changed', 'DELETE', 'definitions/q_neverHired?base=7', undefined, 409],
    ['a report that is gone', 'GET', 'reports/p_gone/pdf', undefined, 404],
    ['a record key that is no JSON', 'GET', 'desk/screens/o_hireDesk/record?key=[14', undefined, 400],
    ['a record that is not there', 'GET', 'desk/screens/o_hireDesk/record?key=[1]', undefined, 404],
    ['a screen that is gone', 'GET', 'desk/screens/o_gone', undefined, 404],
    ['a draft of unknown changes', 'POST', 'draft/check', { base: 1, changes: [{ change: 'explode' }] }, 400],
    [
      'a draft for a table that is gone',
      'POST',
      'draft/check',
      { base: 1, changes: [{ change: 'dropTable', table: 't_gone' }] },
      409,
    ],
    [
      'a place at the end of the world',
      'PUT',
      'places',
      { places: [{ table: 't_hire', x: 1e12, y: 0 }] },
      400,
    ],
  ];
  it('is sent to routes that there are, where the address itself is not what is bad', () => {
    const routes = office.app.routes.map(({ method, url }) => ({
      method,
      pattern: new RegExp(`^${url.replace(/:\w+/g, '[^/]+')}$`),
    }));
    const astray = cases.filter(([, method, url]) => {
      const [path] = (url.startsWith('/api') ? url : `/api/files/f_x/${url}`).split('?');
      return !routes.some((route) => route.method === method && route.pattern.test(path!));
    });
    expect(astray.map(([what]) => what)).toEqual(['an unknown address']);
  });

  for (const [what, method, url, body, status] of cases) {
    it(`answers ${what} with a problem document`, async () =>
      isProblem(await office.call(method, url, body), status));
  }

  it('answers malformed JSON', async () => {
    const answer = await office.app.server.inject({
      method: 'POST',
      url: '/api/session',
      headers: { 'content-type': 'application/json', origin: ORIGIN },
      payload: '{"login": ',
    });
    expect(answer.statusCode).toBe(400);
    expect((answer.json() as { type: string }).type).toBe('/problems/bad-request');
  });

  it('answers a body of 10 MB without reading it all', async () => {
    isProblem(
      await office.call('POST', 'rows', {
        changes: [{ op: 'insert', table: 't_part', values: { f_partName: 'x'.repeat(10_000_000) } }],
      }),
      413,
    );
  });

  it('answers a request from another site', async () => {
    isProblem(
      await office.call('POST', '/api/files', { name: 'Mine' }, 'builder', {
        origin: 'https://elsewhere.example',
        host: 'localhost',
      }),
      403,
    );
    isProblem(
      await office.call('POST', '/api/files', { name: 'Mine' }, 'builder', {
        origin: 'null',
        host: 'localhost',
      }),
      403,
    );
  });

  it('takes names with quotes, markup and emoji for what they are', async () => {
    const label = `Bob's "<script>alert(1)</script>" 🎻`;
    const odd = table('odd', [field('oNo', 'number', number), field('oName', 'name', { kind: 'text' })], {
      id: 't_odd',
      label,
      name: `o"'; DROP TABLE hire; -- 🎻`,
      plural: `${label}s`,
    });
    expect((await office.apply({ change: 'addTable', table: odd })).status).toBe(200);
    const name = `'); DROP TABLE hire; -- <img onerror=x> "🎻"`;
    expect((await office.save({ op: 'insert', table: 't_odd', values: { f_oName: name } })).status).toBe(200);
    const { body } = await office.call('POST', 'tables/t_odd/window', {
      start: 0,
      limit: 5,
      search: `DROP "🎻"`,
    });
    expect(body.rows).toEqual([[1, name]]);
    expect((await office.call('POST', WINDOW, { start: 0, limit: 1 })).body.total).toBe(3918);
  });

  it('writes nothing outside its folder', async () => {
    // A name that nobody else has given a file beside it.
    const stray = `stray-${process.pid}`;
    await office.call('POST', '/api/files', { name: '..' });
    await office.call('POST', '/api/files', { name: `a/../../${stray}` });
    expect(
      readdirSync(join(office.data, 'files')).every((name) => /^f_\w+\.db(-wal|-shm)?$/.test(name)),
    ).toBeTrue();
    expect(existsSync(join(office.data, '..', `${stray}.db`))).toBeFalse();
  });

  it('describes itself in OpenAPI 3.1', async () => {
    const { body } = await office.call('GET', '/api/openapi.json', undefined, null);
    expect(body.openapi).toBe('3.1.0');
    // Shared shapes stand once: every reference leads somewhere, and the whole is small enough to be read.
    const text = JSON.stringify(body);
    expect(text.length).toBeLessThan(150_000);
    const refs = [...text.matchAll(/"\$ref":"#\/components\/(\w+)\/(\w+)"/g)];
    expect(refs.length).toBeGreaterThan(20);
    for (const [ref, kind, name] of refs)
      expect(body.components[kind!][name!]).withContext(ref).toBeDefined();
    expect(Object.keys(body.paths).length).toBeGreaterThan(20);
    const save = body.paths['/api/files/{file}/rows'].post;
    expect(save.requestBody.content['application/json'].schema.properties.changes.type).toBe('array');
  });
});
