import type { RoleDefinition } from '@heathridge/core/design';
import { allLevels, levelOf } from '@heathridge/core/form';
import { screenFor, type TableRights } from '@heathridge/core/people';
import { Office, type Answer } from '../testing/office';
import { callRoute, ROUTES } from '../testing/routes';

const ALL: Omit<TableRights, 'table'> = {
  read: true,
  add: true,
  change: true,
  delete: true,
  own: null,
  conditions: [],
};

/** What a role of the builder's making lets a colleague do: role by role, route by route, table by table. */
describe('a role', () => {
  let office: Office;
  let colleague: string;
  beforeAll(async () => {
    office = await Office.open();
    const { body } = await office.call('GET', `/api/files/${office.file}/people`);
    colleague = body.people.find(({ role }: { role: string }) => role === 'colleague').id;
  });
  afterAll(() => office.close());

  const file = () => office.app.context.files.get(office.file);
  const ask = (sql: string, ...values: unknown[]) => office.ask(sql, ...values);
  const SCREENS = [
    'o_hireDesk',
    'o_stock',
    'o_late',
    'o_players',
    'o_instruments',
    'o_repairs',
    'o_workshop',
  ];

  async function give(rest: Partial<RoleDefinition>): Promise<RoleDefinition> {
    const document: RoleDefinition = {
      type: 'role',
      id: 'g_test',
      label: 'Test',
      screens: SCREENS,
      tables: [],
      fields: [],
      ...rest,
    };
    const put = await office.put(document);
    expect(put.status).withContext(JSON.stringify(put.body)).toBe(200);
    const as = await office.call('PUT', `/api/files/${office.file}/people/${colleague}`, {
      role: 'colleague',
      duty: 'g_test',
    });
    expect(as.status).toBe(200);
    return document;
  }

  const desk = (
    method: 'GET' | 'POST' | 'PUT',
    screen: string,
    rest = '',
    body?: unknown,
    who: 'colleague' | 'builder' = 'colleague',
  ): Promise<Answer> =>
    office.call(method, `/api/files/${office.file}/desk/screens/${screen}${rest}`, body, who);
  const save = (screen: string, ...changes: unknown[]): Promise<Answer> =>
    desk('POST', screen, '/save', { changes });

  it('lets nobody see a screen it does not name, by any route', async () => {
    await give({ screens: ['o_players'] });
    const { body } = await office.call('GET', `/api/files/${office.file}/desk`, undefined, 'colleague');
    expect(body.screens.map(({ id }: { id: string }) => id)).toEqual(['o_players']);
    expect(body.duty).toBe('Test');
    const tries: [string, Promise<Answer>][] = [
      ['screen', desk('GET', 'o_hireDesk')],
      ['list', desk('GET', 'o_hireDesk', '/list')],
      ['record', desk('GET', 'o_hireDesk', '/record?key=[1417]')],
      ['rows', desk('POST', 'o_hireDesk', '/rows', { path: ['f_paymentHire'], parent: 1417, start: 0 })],
      ['beyond', desk('POST', 'o_hireDesk', '/beyond', { path: [], link: 'f_hirePlayer', key: 1 })],
      ['along', desk('POST', 'o_hireDesk', '/along', { key: [1417] })],
      ['save', save('o_hireDesk', { op: 'delete', table: 't_hire', key: [1417] })],
      ['lookups', desk('POST', 'o_hireDesk', '/lookups/f_hirePlayer', { search: '' })],
      ['page', desk('POST', 'o_stock', '/page', { start: 0, limit: 1 })],
      ['view', desk('PUT', 'o_stock', '/view', { everyone: false, view: null })],
    ];
    for (const [route, answer] of tries)
      expect((await answer).status)
        .withContext(route)
        .toBe(404);
    // Nor by any route that comes later: each with what it is otherwise called with.
    const routes = Object.keys(ROUTES).filter((route) => route.includes('/screens/:screen'));
    expect(routes.length).toBeGreaterThan(12);
    for (const route of routes)
      expect((await callRoute(office, route, 'colleague')).status)
        .withContext(route)
        .toBe(404);
    expect((await desk('GET', 'o_players')).status).toBe(200);
  });

  it('that is gone lets nobody do anything', async () => {
    await give({});
    office.app.context.files.share(office.file, colleague, 'colleague', 'g_gone');
    const { body } = await office.call('GET', `/api/files/${office.file}/desk`, undefined, 'colleague');
    expect(body.screens).toEqual([]);
    expect((await desk('GET', 'o_players')).status).toBe(404);
    const unknown = await office.call('PUT', `/api/files/${office.file}/people/${colleague}`, {
      role: 'colleague',
      duty: 'g_gone',
    });
    expect(unknown.status).toBe(400);
  });

  it('takes one right on one table, and nothing else, wherever the table stands', async () => {
    const { design } = file();
    const levels = design.forms.flatMap((form) =>
      allLevels(levelOf(design, form)!).map((level) => ({ form, level })),
    );
    const tables = [...new Set(levels.map(({ level }) => level.table.id))];
    let judged = 0;
    for (const table of tables)
      for (const right of ['add', 'change', 'delete'] as const) {
        await give({ tables: [{ ...ALL, table, [right]: false }] });
        for (const { form, level } of levels) {
          const rights = { ...level.rights };
          if (level.table.id === table) rights[right] = false;
          // A row that is not there: what is allowed comes to nothing, what is not never gets so far.
          const key = level.table.key.map(() => 987_654);
          const [cell] = level.cells.filter((at) => at.cell.people === 'type');
          const values = { [cell!.field.id]: null };
          const changes = {
            add: { op: 'insert', table: level.table.id, values },
            change: { op: 'update', table: level.table.id, key, values, was: values },
            delete: { op: 'delete', table: level.table.id, key },
          } as const;
          const others = levels.filter((other) => other.form === form && other.level.table === level.table);
          for (const what of ['add', 'change', 'delete'] as const) {
            const may = others.some(
              (other) => other.level.rights[what] && (level.table.id !== table || what !== right),
            );
            const { status } = await save(form.id, changes[what]);
            expect(status)
              .withContext(`${right} of ${table}: ${what} ${level.table.id} on ${form.id}`)
              .toBe(may ? 422 : 403);
            judged++;
          }
        }
      }
    expect(judged).toBeGreaterThan(100);
  });

  it('without a table gets no row of it by any route', async () => {
    const { design } = file();
    for (const { id: table, fields } of design.tables) {
      await give({ tables: [{ ...ALL, table, read: false }] });
      const own = new Set(fields.map(({ id }) => id));
      for (const form of design.forms) {
        const over = form.table === table;
        const info = await desk('GET', form.id);
        expect(info.status)
          .withContext(form.id)
          .toBe(over ? 404 : 200);
        const list = await desk('GET', form.id, '/list');
        expect(list.status).toBe(over ? 404 : 200);
        if (over) continue;
        const key = JSON.stringify(list.body.entries[0].key);
        const record = await desk('GET', form.id, `/record?key=${key}`);
        for (const { link } of allSubforms(record.body.record)) expect(own.has(link)).toBeFalse();
        for (const level of allLevels(levelOf(design, form)!)) {
          if (level.table.id === table) {
            const answer = await save(form.id, {
              op: 'delete',
              table,
              key: level.table.key.map(() => 987_654),
            });
            expect(answer.status).toBe(403);
          }
          for (const { field } of level.cells)
            if (field.type.kind === 'lookup' && field.type.table === table)
              expect((await desk('POST', form.id, `/lookups/${field.id}`, { search: '' })).status)
                .withContext(field.id)
                .toBe(404);
        }
      }
    }
  });

  it('finds of a list what is there for it: its rows, its columns, and nothing asked by others', async () => {
    const worn = '"#f_instrumentCondition" = \'Worn\'';
    await give({
      screens: ['o_stock'],
      tables: [
        { ...ALL, table: 't_instrument', conditions: [worn] },
        { ...ALL, table: 't_hire', read: false },
      ],
      fields: [{ field: 'f_instrumentValue', people: 'hidden' }],
    });
    const page = (body: object) => desk('POST', 'o_stock', '/page', { start: 0, limit: 200, ...body });
    const all = await page({});
    const [[count]] = ask("SELECT count(*) FROM instrument WHERE condition = 'Worn'") as [[number]];
    expect(all.body.total).toBe(count);
    expect(count).toBeGreaterThan(5);
    for (const { cells, subforms } of all.body.rows) {
      expect(cells.f_instrumentCondition).toBe('Worn');
      expect('f_instrumentValue' in cells).toBeFalse();
      expect(subforms).toEqual([]);
    }
    const byHidden = [
      { sort: [{ field: 'f_instrumentValue', descending: false }] },
      { conditions: ['"#f_instrumentValue" > 1000'] },
      { conditions: ['value > 1000'] },
    ];
    for (const body of byHidden)
      expect((await page(body)).status)
        .withContext(JSON.stringify(body))
        .toBe(400);
    // What follows a row that is not hers follows for nobody.
    const [[good]] = ask(
      "SELECT instrument FROM repair JOIN instrument ON asset_number = instrument WHERE condition = 'Good' LIMIT 1",
    ) as [[number]];
    expect((await page({ path: ['f_repairInstrument'], parent: good })).status).toBe(404);
  });

  it('with rows of its own finds those alone: lists, records, rows within others, choices, searches', async () => {
    const condition = '"#f_playerSurname" < \'D\'';
    await give({ tables: [{ ...ALL, table: 't_player', conditions: [condition] }] });
    const theirs = new Set(ask("SELECT number FROM player WHERE surname < 'D'").map(([key]) => key));
    const all = ask('SELECT number FROM player').length;
    expect(theirs.size).toBeGreaterThan(10);
    expect(theirs.size).toBeLessThan(all);
    const list = await desk('GET', 'o_players', '/list');
    expect([list.body.total, list.body.all]).toEqual([theirs.size, theirs.size]);
    for (const { key } of list.body.entries as { key: [number] }[]) expect(theirs).toContain(key[0]);
    const [[other, surname]] = ask("SELECT number, surname FROM player WHERE surname >= 'W' LIMIT 1") as [
      [number, string],
    ];
    const found = await desk('GET', 'o_players', `/list?search=${encodeURIComponent(surname)}`);
    for (const { key } of found.body.entries as { key: [number] }[]) expect(theirs).toContain(key[0]);
    expect((await desk('GET', 'o_players', `/record?key=[${other}]`)).status).toBe(404);
    const hires = { path: ['f_hirePlayer'], parent: other, start: 0 };
    expect((await desk('POST', 'o_players', '/rows', hires)).status).toBe(404);
    expect((await desk('POST', 'o_players', '/along', { key: [other] })).status).toBe(404);
    const choices = await desk('POST', 'o_hireDesk', '/lookups/f_hirePlayer', { search: surname });
    expect(choices.body.choices.filter(([key]: [number]) => !theirs.has(key))).toEqual([]);
    const only = await desk('POST', 'o_hireDesk', '/lookups/f_hirePlayer', { search: '', only: other });
    expect(only.body.choices).toEqual([]);
    const beyond = { path: [], link: 'f_hirePlayer', key: other };
    expect((await desk('POST', 'o_hireDesk', '/beyond', beyond)).body.row).toBeNull();
    const change = (key: number, values: object, was: object) =>
      save('o_players', { op: 'update', table: 't_player', key: [key], values, was });
    const refused = await change(other, { f_playerPhone: '1' }, { f_playerPhone: null });
    expect(refused.body.errors[0].message).toContain('not among those you may change');
    const gone = await save('o_players', { op: 'delete', table: 't_player', key: [other] });
    expect(gone.status).toBe(422);
    // Her own row stays hers: what would take it out of her sight is refused, and nothing changes.
    const [[mine, name]] = ask("SELECT number, surname FROM player WHERE surname < 'D' LIMIT 1") as [
      [number, string],
    ];
    const away = await change(mine, { f_playerSurname: 'Zeller' }, { f_playerSurname: name });
    expect(away.body.errors[0].message).toContain('would not be among those that are yours');
    expect(ask(`SELECT surname FROM player WHERE number = ${mine}`)).toEqual([[name]]);
    const near = await change(mine, { f_playerSurname: 'Aaron' }, { f_playerSurname: name });
    expect(near.status).toBe(200);
    const worked = await office.call('GET', `/api/files/${office.file}/desk/worked`, undefined, 'colleague');
    expect(worked.body.records.map(({ key }: { key: [number] }) => key[0])).toContain(mine);
    await give({ tables: [{ ...ALL, table: 't_player', conditions: ['"#f_playerSurname" > \'D\''] }] });
    const later = await office.call('GET', `/api/files/${office.file}/desk/worked`, undefined, 'colleague');
    expect(later.body.records.map(({ key }: { key: [number] }) => key[0])).not.toContain(mine);
  });

  it('finds what she has entered herself, where that is all that is hers', async () => {
    const [[name]] = ask('SELECT entered_by FROM hire GROUP BY entered_by ORDER BY count(*) LIMIT 1') as [
      [string],
    ];
    const stamp = file()
      .design.tables.find(({ id }) => id === 't_hire')!
      .fields.find(({ type }) => type.kind === 'stamp' && type.of === 'createdBy')!;
    const duty = await give({ tables: [{ ...ALL, table: 't_hire', own: stamp.id }] });
    const me = office.app.context.files.people(office.file).find(({ id }) => id === colleague)!.name;
    file()
      .writer.prepare(
        'UPDATE hire SET entered_by = ? WHERE hire_number IN (SELECT hire_number FROM hire LIMIT 3)',
      )
      .run(me);
    const own = ask(`SELECT count(*) FROM hire WHERE entered_by = '${me}'`)[0]![0];
    expect(own).toBeGreaterThan(0);
    expect(own).toBeLessThan(ask('SELECT count(*) FROM hire')[0]![0] as number);
    expect((await desk('GET', 'o_hireDesk', '/list')).body.total).toBe(own as number);
    const [[theirs]] = ask(`SELECT hire_number FROM hire WHERE entered_by <> '${me}' LIMIT 1`) as [[number]];
    expect((await desk('GET', 'o_hireDesk', `/record?key=[${theirs}]`)).status).toBe(404);
    const form = file().design.forms.find(({ id }) => id === 'o_hireDesk')!;
    expect(screenFor(file().design, duty, form, name)!.conditions).toEqual([`"#${stamp.id}" = '${name}'`]);
  });

  it('is told nothing of a hidden field: not in cells, titles, choices, second lines, worked-out values’ parts', async () => {
    const fields = [
      { field: 'f_playerSurname', people: 'hidden' as const },
      { field: 'f_schoolName', people: 'hidden' as const },
    ];
    const names = new Set(
      [...ask('SELECT DISTINCT surname FROM player'), ...ask('SELECT name FROM school')].map(
        ([name]) => name,
      ),
    );
    await give({ fields });
    const told = (value: unknown): string[] => {
      const texts: string[] = [];
      JSON.stringify(value, (_, inner: unknown) => {
        if (typeof inner === 'string') texts.push(inner);
        return inner;
      });
      return texts.filter((text) => [...names].some((name) => text.includes(String(name))));
    };
    const list = await desk('GET', 'o_players', '/list');
    expect(list.body.entries.length).toBeGreaterThan(10);
    expect(told(list.body)).toEqual([]);
    expect((await desk('GET', 'o_players')).body.second).not.toContain('f_playerSurname');
    const record = await desk('GET', 'o_players', `/record?key=${JSON.stringify(list.body.entries[0].key)}`);
    expect(told(record.body)).toEqual([]);
    const choices = await desk('POST', 'o_hireDesk', '/lookups/f_hirePlayer', { search: '' });
    expect(choices.body.choices.length).toBeGreaterThan(10);
    expect(told(choices.body)).toEqual([]);
    const surname = [...names][0] as string;
    const sought = await desk('GET', 'o_players', `/list?search=${encodeURIComponent(surname)}`);
    expect(sought.body.total).toBe(0);
    // The screen's own text says the school, as the builder put it there; what it is made of does not come along.
    const [[hire]] = ask('SELECT max(hire_number) FROM hire') as [[number]];
    const hired = await desk('GET', 'o_hireDesk', `/record?key=[${hire}]`);
    expect(typeof hired.body.record.cells.w_school).toBe('string');
    expect(told(hired.body.record.beyond ?? {})).toEqual([]);
  });

  it('is seen through by the builder, and by nobody else', async () => {
    await give({ screens: ['o_repairs'] });
    const at = `/api/files/${office.file}/desk`;
    const headers = { 'heathridge-as-role': 'g_test' };
    const seen = await office.call('GET', at, undefined, 'builder', headers);
    expect(seen.body.screens.map(({ id }: { id: string }) => id)).toEqual(['o_repairs']);
    expect(
      (await office.call('GET', `${at}/screens/o_players/list`, undefined, 'builder', headers)).status,
    ).toBe(404);
    expect((await office.call('GET', at)).body.screens.length).toBe(file().design.forms.length);
    await give({ screens: [] });
    const other = await office.call('GET', at, undefined, 'colleague', { 'heathridge-as-role': '' });
    expect(other.body.screens).toEqual([]);
  });
});

describe('the people of a file', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());
  const at = (rest = '') => `/api/files/${office.file}/people${rest}`;

  it('are let in with a new account or their own, moved between roles, and shown out', async () => {
    const made = await office.call('POST', at(), {
      login: 'New.One',
      name: 'New One',
      password: 'a first password',
      role: 'colleague',
      duty: null,
    });
    expect(made.status).withContext(JSON.stringify(made.body)).toBe(200);
    const person = made.body.people.find(({ login }: { login: string }) => login === 'new.one');
    expect([person.name, person.role, person.duty]).toEqual(['New One', 'colleague', null]);
    const again = { login: 'new.one', role: 'colleague', duty: null };
    expect((await office.call('POST', at(), again)).body.detail).toContain('open to New One already');
    const signIn = await office.call(
      'POST',
      '/api/session',
      { login: 'new.one', password: 'a first password' },
      null,
    );
    expect(signIn.status).toBe(200);
    const closed = await office.call('DELETE', at(`/${person.id}`));
    expect(closed.body.people.some(({ id }: { id: string }) => id === person.id)).toBeFalse();
    expect((await office.call('POST', at(), again)).status).toBe(200);
    const unknown = await office.call('POST', at(), { login: 'nobody.here', role: 'colleague', duty: null });
    expect(unknown.body.detail).toContain('Nobody signs in as “nobody.here” yet');
    const weak = { login: 'weak', name: 'Weak', password: 'short', role: 'colleague', duty: null };
    expect((await office.call('POST', at(), weak)).body.detail).toContain('at least 10 characters');
  });

  it('always keep one who builds', async () => {
    const { body } = await office.call('GET', at());
    const [builder] = body.people.filter(({ role }: { role: string }) => role === 'builder');
    for (const answer of [
      await office.call('DELETE', at(`/${builder.id}`)),
      await office.call('PUT', at(`/${builder.id}`), { role: 'colleague', duty: null }),
    ]) {
      expect(answer.status).toBe(403);
      expect(answer.body.detail).toContain('Nobody else builds this file');
    }
    const other = body.people.find(({ role }: { role: string }) => role === 'colleague');
    await office.call('PUT', at(`/${other.id}`), { role: 'builder', duty: null });
    const left = await office.call('PUT', at(`/${other.id}`), { role: 'colleague', duty: null });
    expect(left.status).toBe(200);
  });
});

interface Rows {
  readonly subforms: readonly { readonly link: string; readonly rows: readonly Rows[] }[];
}

/** The subforms of a record, however deep. */
function allSubforms({ subforms }: Rows): { readonly link: string }[] {
  return subforms.flatMap((subform) => [subform, ...subform.rows.flatMap(allSubforms)]);
}
