import { mkdirSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import * as v from 'valibot';
import type { Form, FormPart, Subform } from '@heathridge/core/design';
import { cellsOf, formSort, mapParts, subformsOf } from '@heathridge/core/form';
import { tablesOn } from '@heathridge/core/people';
import { Office, ORIGIN, type Answer } from '../testing/office';
import { putDefinition } from '../store/definitions';
import { callRoute, ROUTES, type Entry } from '../testing/routes';

describe('rights', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  type Who = 'builder' | 'colleague' | null;
  const call = (route: string, who: Who, file = office.file): Promise<Answer> =>
    callRoute(office, route, who, file);
  const routesFor = (...who: Entry['for'][]): string[] =>
    Object.keys(ROUTES).filter((route) => who.includes(ROUTES[route]!.for));

  it('are written down for every route there is', () => {
    const known = office.app.routes.map(({ method, url }) => `${method} ${url}`);
    expect([...known].sort()).toEqual(Object.keys(ROUTES).sort());
  });

  it('name what every route answers, but for those that answer with bytes', () => {
    const unnamed = office.app.routes.filter(({ answer }) => !answer).map(({ url }) => url.split('/').at(-1));
    expect(unnamed.sort()).toEqual(
      [
        ':attachment',
        ':form',
        'definitions.zip',
        'events',
        'events',
        'not-taken.csv',
        'openapi.json',
        'out',
        'package.zip',
        'pdf',
        'pdf',
        'preview',
        'print',
        'schema.sql',
      ].sort(),
    );
  });

  it('keep a stranger out of everything but the front door', async () => {
    for (const route of routesFor('signed-in', 'colleague', 'builder')) {
      const { status, body } = await call(route, null);
      expect(status).withContext(route).toBe(401);
      expect(body.type).withContext(route).toBe('/problems/not-signed-in');
    }
  });

  it('keep a colleague off the Bench, by the API itself', async () => {
    for (const route of routesFor('builder')) {
      const { status, body } = await call(route, 'colleague');
      expect(status).withContext(route).toBe(403);
      expect(body.type).withContext(route).toBe('/problems/not-allowed');
    }
    for (const route of ['POST /api/files', 'POST /api/files/adopt'])
      expect((await call(route, 'colleague')).status)
        .withContext(route)
        .toBe(403);
  });

  it('show no sign of a file to those who may not open it', async () => {
    const { files, accounts } = office.app.context;
    const other = await accounts.create('somebody', 'Somebody else', 'long enough for it', true);
    const theirs = files.create('A file of somebody else', other.id);
    for (const route of routesFor('colleague', 'builder'))
      for (const who of ['builder', 'colleague'] as const) {
        const { status, body } = await call(route, who, theirs);
        expect(status).withContext(route).toBe(404);
        expect(body.detail).withContext(route).toContain('not open to you');
      }
    const { body } = await office.call('GET', '/api/files');
    expect(body.files.map(({ id }: { id: string }) => id)).not.toContain(theirs);
  });

  it('open the Desk to a colleague', async () => {
    for (const route of routesFor('colleague')) {
      const { status } = await call(route, 'colleague');
      expect(status)
        .withContext(route)
        .toBe(ROUTES[route]!.status ?? 200);
    }
  });

  it('open the Bench to the builder', async () => {
    for (const route of Object.keys(ROUTES)) {
      if (route === 'DELETE /api/session') continue;
      const { status, body } = await call(route, 'builder');
      expect(status)
        .withContext(`${route} ${JSON.stringify(body)}`)
        .toBe(ROUTES[route]!.status ?? 200);
      // What is answered is what the description of the API says, and nothing else.
      const { answer } = office.app.routes.find(({ method, url }) => `${method} ${url}` === route)!;
      if (status !== 200 || !answer) continue;
      const taken = v.safeParse(answer, body);
      expect(taken.issues?.map((issue) => `${v.getDotPath(issue)}: ${issue.message}`) ?? [])
        .withContext(route)
        .toEqual([]);
    }
  });

  it('are the same for every table, role by role', async () => {
    const { design } = office;
    const screen = design.forms.find(({ id }) => id === 'o_hireDesk')!;
    const shown = new Set(tablesOn(design, screen).map(({ id }) => id));
    for (const { id, key } of design.tables) {
      const gone = key.map(() => 987654);
      const deletion = { changes: [{ op: 'delete', table: id, key: gone }] };
      const asked = async (url: string, body: unknown, who: Who): Promise<number> =>
        (await office.call('POST', url, body, who)).status;
      expect(await asked(`tables/${id}/window`, { start: 0, limit: 1 }, 'builder')).toBe(200);
      expect(await asked(`tables/${id}/window`, { start: 0, limit: 1 }, 'colleague')).toBe(403);
      expect(await asked('rows', deletion, 'builder'))
        .withContext(id)
        .toBe(422);
      expect(await asked('rows', deletion, 'colleague'))
        .withContext(id)
        .toBe(403);
      // Through the screen a table that it shows can be written to, and no other, whoever asks.
      for (const who of ['builder', 'colleague'] as const)
        expect(await asked('desk/screens/o_hireDesk/save', deletion, who))
          .withContext(`${id} ${who}`)
          .toBe(shown.has(id) ? 422 : 403);
    }
  });
});

describe('a screen', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());
  const screen = (): Form => office.design.forms.find(({ id }) => id === 'o_hireDesk')!;
  const save = (...changes: unknown[]) =>
    office.call('POST', 'desk/screens/o_hireDesk/save', { changes }, 'colleague');
  const record = async () =>
    (await office.call('GET', 'desk/screens/o_hireDesk/record?key=[1417]', undefined, 'colleague')).body;
  async function put(document: Form): Promise<void> {
    expect((await office.put(document)).status).toBe(200);
  }

  const withRights = (form: Form, rights: Partial<Subform['rights']>): FormPart[] =>
    mapParts(form.parts, (part) =>
      part.part === 'subform' ? { ...part, rights: { ...part.rights, ...rights } } : part,
    );

  it('changes only what is on it', async () => {
    expect((await save({ op: 'delete', table: 't_school', key: [1] })).status).toBe(403);
    const number = { op: 'update', table: 't_hire', key: [1417], values: { f_hireHireNumber: 5 }, was: {} };
    expect((await save(number)).status).toBe(403);
    const family = await office.call('POST', 'desk/screens/o_hireDesk/lookups/f_kindFamily', {}, 'colleague');
    expect(family.status).toBe(404);
  });

  it('takes back a save of one’s own, with what went along, and nobody else’s', async () => {
    const undo = (entry: number, who: 'builder' | 'colleague' = 'colleague') =>
      office.call('POST', 'desk/screens/o_hireDesk/undo', { entry }, who);
    const before = await record();
    const changes = [{ op: 'delete', table: 't_hire', key: [1417] }];
    const gone = await office.call(
      'POST',
      'desk/screens/o_hireDesk/save',
      { id: 'save_to_take_back', changes },
      'colleague',
    );
    expect(gone.status).toBe(200);
    expect((await undo(gone.body.entry, 'builder')).status).toBe(409);
    const back = await undo(gone.body.entry);
    expect(back.status).withContext(JSON.stringify(back.body)).toBe(200);
    expect(await record()).toEqual(before);
    expect((await undo(gone.body.entry)).body.detail).toContain('undone already');
    const theirs = await office.save({
      op: 'update',
      table: 't_school',
      key: [1],
      values: { f_schoolName: 'Elsewhere' },
      was: {},
    });
    const refused = await undo(theirs.body.entry ?? 1);
    expect([refused.status, refused.body.type]).toEqual([409, '/problems/not-undone']);
  });

  it('whose field is gone goes on working with the rest', async () => {
    const before = screen();
    const odd = { part: 'cell', field: 'f_gone', width: 3, people: 'type' } as const;
    const worked = {
      part: 'worked',
      id: 'w_gone',
      label: 'Gone',
      width: 3,
      expression: '"#f_gone" + 1',
      result: { kind: 'wholeNumber' },
    } as const;
    const { orm } = office.app.context.files.get(office.file);
    const mark = { at: '2026-11-27T10:00:00Z', by: 'Another tool' };
    putDefinition(orm, { ...before, parts: [odd, worked, ...before.parts] }, mark);
    office.app.context.files.reload(office.file);
    const sent = await record();
    expect(sent.record.cells.f_hirePlayer).toBeDefined();
    expect(sent.record.cells.w_gone).toBeUndefined();
    const list = await office.call('GET', 'desk/screens/o_hireDesk/list', undefined, 'colleague');
    expect(list.status).toBe(200);
    putDefinition(orm, before, mark);
    office.app.context.files.reload(office.file);
  });

  it('sends no value of a field that it hides', async () => {
    const before = screen();
    const [seen, ...others] = cellsOf(before.parts).filter(({ people }) => people === 'type');
    const firsts = subformsOf(before.parts).map(({ parts }) => cellsOf(parts)[0]);
    await put({
      ...before,
      parts: mapParts(before.parts, (part) =>
        part.part === 'subform' || part === seen || firsts.some((first) => first === part) ? part : null,
      ),
    });
    const sent = await record();
    expect(Object.keys(sent.record.cells)).toEqual([seen!.field]);
    for (const { rows } of sent.record.subforms as { rows: { cells: object }[] }[])
      for (const { cells } of rows) expect(Object.keys(cells).length).toBeLessThanOrEqual(2);
    const hidden = others[0]!.field;
    const change = { op: 'update', table: 't_hire', key: [1417], values: { [hidden]: null }, was: {} };
    expect((await save(change)).body.detail).toContain('only for reading');
    const list = await office.call('GET', 'desk/screens/o_hireDesk', undefined, 'colleague');
    expect((list.body.second as string[]).every((id) => id === seen!.field)).toBeTrue();
    await put(before);
  });

  it('where every field is read lets nobody add, change, delete or move rows', async () => {
    const before = screen();
    const none = { add: false, change: false, delete: false };
    await put({ ...before, rights: none, parts: withRights(before, { ...none, relink: false }) });
    const { link } = subformsOf(before.parts)[0]!;
    const child = office.design.tables.find(({ fields }) => fields.some(({ id }) => id === link))!;
    const tries = [
      { op: 'delete', table: 't_hire', key: [1417] },
      { op: 'insert', table: 't_hire', values: {} },
      { op: 'update', table: 't_hire', key: [1417], values: {}, was: {} },
      { op: 'delete', table: child.id, key: [1] },
      { op: 'insert', table: child.id, values: { [link]: 1417 } },
      { op: 'update', table: child.id, key: [1], values: { [link]: 1417 }, was: {} },
    ];
    for (const change of tries)
      expect((await save(change)).status)
        .withContext(JSON.stringify(change))
        .toBe(403);
    await put(before);
  });

  it('moves rows to another record only where that is allowed', async () => {
    const before = screen();
    const { link } = subformsOf(before.parts)[0]!;
    const child = office.design.tables.find(({ fields }) => fields.some(({ id }) => id === link))!;
    const move = { op: 'update', table: child.id, key: [1], values: { [link]: 1417 }, was: {} };
    expect((await save(move)).status).toBe(403);
    await put({ ...before, parts: withRights(before, { relink: true }) });
    expect((await save(move)).status).toBe(200);
    await put(before);
  });

  it('takes of a row that is added from a lookup only what that is asked for', async () => {
    const player = { f_playerSurname: 'New', f_playerFirstName: 'Nell' };
    expect((await save({ op: 'insert', table: 't_player', values: player })).status).toBe(200);
    const more = { ...player, f_playerActive: true };
    const refused = await save({ op: 'insert', table: 't_player', values: more });
    expect([refused.status, refused.body.detail]).toEqual([
      403,
      jasmine.stringContaining('only for reading'),
    ]);
  });

  it('gives a picture only to those who can see the row that holds it', async () => {
    const { app, file, design } = office;
    const { reader } = app.context.files.get(file);
    const holders = design.tables.flatMap((table) =>
      table.fields.filter(({ type }) => type.kind === 'picture').map((field) => ({ table, field })),
    );
    const get = async (id: number, who: 'builder' | 'colleague'): Promise<number> =>
      (await office.call('GET', `attachments/${id}/preview`, undefined, who)).status;
    expect(holders.length).toBeGreaterThan(0);
    for (const { table, field } of holders) {
      const [[held]] = reader
        .prepare(`SELECT "${field.name}" FROM "${table.name}" WHERE "${field.name}" IS NOT NULL LIMIT 1`)
        .raw()
        .all() as [[number]];
      expect(await get(held, 'builder')).toBe(200);
      expect(await get(held, 'colleague')).toBe(200);
      const gone = new Set([field.id]);
      const forms = design.forms.filter(
        (form) => tablesOn(design, form).includes(table) || formSort.use(form, gone) !== null,
      );
      for (const form of forms) await put(formSort.without(form, gone)!);
      expect(await get(held, 'builder')).toBe(200);
      expect(await get(held, 'colleague'))
        .withContext(table.name)
        .toBe(404);
      for (const form of forms) await put(form);
    }
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
      headers: { origin: ORIGIN },
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
            headers: { origin: ORIGIN },
          })
        ).statusCode,
      );
    expect(tries).toEqual([401, 401, 401, 429, 429]);
    const problem = (
      await app.server.inject({
        method: 'POST',
        url: '/api/session',
        payload: { login: 'a', password: 'b' },
        headers: { origin: ORIGIN },
      })
    ).json() as { type: string };
    expect(problem.type).toBe('/problems/too-many');
    await app.close();
  });

  it('is limited for one name too, from however many addresses', async () => {
    const { buildApp } = await import('../app');
    const app = await buildApp({
      data: `${office.data}/named`,
      signInsAMinute: 3,
      trustedProxies: ['127.0.0.1'],
    });
    const statuses: number[] = [];
    for (let i = 0; i < 5; i++) {
      const { statusCode } = await app.server.inject({
        method: 'POST',
        url: '/api/session',
        payload: { login: i % 2 ? 'Mara' : ' mara', password: 'wrong' },
        headers: { origin: ORIGIN, 'x-forwarded-for': `192.0.2.${i}` },
      });
      statuses.push(statusCode);
    }
    expect(statuses).toEqual([401, 401, 401, 429, 429]);
    await app.close();
  });

  it('takes the word of a proxy only where told', async () => {
    const { buildApp } = await import('../app');
    const cookieOf = async (trustedProxies: string[]): Promise<string> => {
      const app = await buildApp({ data: `${office.data}/proxy${trustedProxies.length}`, trustedProxies });
      await app.context.accounts.create('mara', 'Mara', 'quill-and-bow', true);
      const { headers } = await app.server.inject({
        method: 'POST',
        url: '/api/session',
        payload: { login: 'mara', password: 'quill-and-bow' },
        headers: { origin: 'https://office.example', host: 'office.example', 'x-forwarded-proto': 'https' },
      });
      await app.close();
      return String(headers['set-cookie']);
    };
    expect(await cookieOf([])).not.toContain('Secure');
    expect(await cookieOf(['127.0.0.1'])).toContain('Secure');
  });

  it('makes one first account, however many ask at once', async () => {
    const { buildApp } = await import('../app');
    const app = await buildApp({ data: `${office.data}/race` });
    const answers = await Promise.all(
      ['one', 'two', 'three'].map((login) =>
        app.server.inject({
          method: 'POST',
          url: '/api/accounts',
          payload: { login, name: login, password: 'long enough for it' },
          headers: { origin: ORIGIN },
        }),
      ),
    );
    expect(answers.map(({ statusCode }) => statusCode).sort()).toEqual([200, 403, 403]);
    await app.close();
  });

  it('with a password of the demo opens nothing where others can reach the server', async () => {
    const { buildApp } = await import('../app');
    const { SIGN_INS } = await import('@heathridge/demo');
    const data = `${office.data}/closed`;
    const open = await buildApp({ data });
    for (const { login, name, password } of SIGN_INS)
      await open.context.accounts.create(login, name, password, true);
    open.context.accounts.rememberDemo(SIGN_INS);
    const token = await open.context.accounts.signIn('mara', 'quill-and-bow');
    await open.close();
    const closed = await buildApp({ data, demoOpen: false });
    const { accounts } = closed.context;
    await expectAsync(accounts.signIn('mara', 'quill-and-bow')).toBeRejected();
    expect(accounts.person(token)).toBeNull();
    expect(accounts.demoSignIns()).toEqual([]);
    expect(accounts.isEmpty()).toBeTrue();
    await accounts.createFirst('own', 'Own', 'long enough for it');
    await expectAsync(accounts.createFirst('late', 'Late', 'long enough for it')).toBeRejected();
    await closed.close();
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

describe('requests', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open({ demo: false })));
  afterAll(() => office.close());
  const create = (name: string, headers: Record<string, string>, cookie = true) =>
    office.app.server.inject({
      method: 'POST',
      url: '/api/files',
      payload: { name },
      headers,
      ...(cookie ? { cookies: { heathridge: office.token } } : {}),
    });

  it('that write name their origin, or carry a token that no other site can read', async () => {
    expect((await create('a', {})).json()).toEqual(
      jasmine.objectContaining({ type: '/problems/wrong-origin' }),
    );
    expect((await create('b', { origin: 'https://elsewhere.example' })).statusCode).toBe(403);
    expect((await create('c', { origin: 'null' })).statusCode).toBe(403);
    expect((await create('d', { origin: ORIGIN })).statusCode).toBe(200);
    expect((await create('e', { authorization: `Bearer ${office.token}` }, false)).statusCode).toBe(200);
    expect((await create('f', { authorization: 'Bearer nothing' })).statusCode).toBe(401);
  });

  it('are answered with the same headers, whatever they ask for', async () => {
    const pages = `${office.data}/pages`;
    mkdirSync(pages);
    writeFileSync(join(pages, 'index.html'), '<!doctype html><style nonce="__NONCE__"></style>');
    writeFileSync(join(pages, 'main.js'), '1');
    const { buildApp } = await import('../app');
    const app = await buildApp({ data: `${office.data}/headers`, pages });
    const addresses = [
      '/',
      '/index.html',
      '/plan',
      '/main.js',
      '/api/session',
      '/api/nothing',
      '/%zz',
      '/api/%',
      '/x.png',
    ];
    for (const url of addresses) {
      const { headers, body, statusCode } = await app.server.inject({ url });
      expect(statusCode).withContext(url).toBeLessThan(500);
      expect(headers['x-content-type-options']).withContext(url).toBe('nosniff');
      expect(headers['content-security-policy']).withContext(url).toContain('frame-ancestors');
      const isPage = ['/', '/index.html', '/plan'].includes(url);
      expect(String(headers['content-type']).includes('text/html')).withContext(url).toBe(isPage);
      if (!isPage) continue;
      expect(headers['cache-control']).withContext(url).toBe('no-store');
      expect(body)
        .withContext(url)
        .toMatch(/nonce="[A-Za-z0-9+/=]{20,}"/);
    }
    await app.close();
  });

  it('that are none at all are answered in words', async () => {
    const address = await office.app.server.listen({ port: 0, host: '127.0.0.1' });
    const answer = await new Promise<string>((resolve, reject) => {
      const socket = connect(Number(new URL(address).port), '127.0.0.1', () =>
        socket.write('NONSENSE\r\n\r\n'),
      );
      let text = '';
      socket.on('data', (chunk) => (text += String(chunk)));
      socket.once('end', () => resolve(text));
      socket.once('error', reject);
    });
    expect(answer).toMatch(/^HTTP\/1\.1 400/);
    expect(answer).toContain('x-content-type-options: nosniff');
    expect(answer).toContain('/problems/bad-request');
  });
});
