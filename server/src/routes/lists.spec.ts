import type { Form, FormPart } from '@heathridge/core/design';
import { mapParts } from '@heathridge/core/form';
import { Office, type Answer } from '../testing/office';

/** What a row of a list holds, as it is answered. */
interface Row {
  readonly key: [number];
  readonly cells: Record<string, unknown>;
  readonly subforms: { link: string; rows: Row[]; total: number }[];
}

describe('a list screen', () => {
  let office: Office;
  beforeAll(async () => {
    office = await Office.open();
  });
  afterAll(() => office.close());

  const ask = (sql: string, ...values: unknown[]) => office.ask(sql, ...values);
  const page = (
    body: object,
    who: 'builder' | 'colleague' = 'colleague',
    screen = 'o_stock',
  ): Promise<Answer> =>
    office.call(
      'POST',
      `/api/files/${office.file}/desk/screens/${screen}/page`,
      { start: 0, limit: 200, ...body },
      who,
    );
  const keys = ({ body }: Answer): number[] => (body.rows as Row[]).map(({ key }) => key[0]);
  const change = async (make: (form: Form) => Form): Promise<void> => {
    const form = office.design.forms.find(({ id }) => id === 'o_stock')!;
    expect((await office.put(make(form))).status).toBe(200);
  };

  it('gives every row once, in the order asked for, whatever is asked', async () => {
    const ways: [object, string][] = [
      [{}, 'ORDER BY asset_number DESC'],
      [{ sort: [{ field: 'f_instrumentValue', descending: false }] }, 'ORDER BY value, asset_number'],
      [
        {
          sort: [
            { field: 'f_instrumentCondition', descending: true },
            { field: 'f_instrumentBoughtOn', descending: true },
          ],
        },
        'ORDER BY condition DESC, bought_on DESC, asset_number DESC',
      ],
      [
        { conditions: [`"#f_instrumentCondition" = 'Worn'`] },
        "WHERE condition = 'Worn' ORDER BY asset_number DESC",
      ],
      [
        {
          conditions: [
            '"#f_instrumentBoughtOn" >= DATE \'2020-01-01\'',
            '"#f_instrumentSerialNumber" IS NOT NULL',
          ],
        },
        "WHERE bought_on >= '2020-01-01' AND serial_number IS NOT NULL ORDER BY asset_number DESC",
      ],
    ];
    for (const [asked, sql] of ways) {
      const wanted = ask(`SELECT asset_number FROM instrument ${sql}`).map(([key]) => key as number);
      const found: number[] = [];
      for (let start = 0; start < wanted.length; start += 150) {
        const answer = await page({ ...asked, start, limit: 150 });
        expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
        expect(answer.body.total).toBe(wanted.length);
        found.push(...keys(answer));
      }
      // Choices are ordered by their letters, which for these is the engine's own order too.
      expect(found).withContext(sql).toEqual(wanted);
    }
  });

  it('finds words in every column with text, beside what a row is shown as', async () => {
    const { body } = await page({ search: 'Pellar' });
    const [[makers]] = ask("SELECT count(*) FROM instrument WHERE maker = 'Pellar'") as [[number]];
    expect(makers).toBeGreaterThan(10);
    expect(body.total).toBe(makers);
    for (const { cells } of body.rows as Row[]) expect(cells['f_instrumentMaker']).toBe('Pellar');
  });

  it('names rows in a cell: the first ones, and how many there are; none where there are none', async () => {
    const { body } = await page({});
    let named = 0;
    for (const { key, subforms } of body.rows as Row[]) {
      const [list, ...others] = subforms;
      expect(others).toEqual([]);
      const open = ask('SELECT count(*) FROM hire WHERE instrument = ? AND returned_on IS NULL', key[0]);
      expect(list!.total)
        .withContext(`instrument ${key[0]}`)
        .toBe(open[0]![0] as number);
      expect(list!.rows.length).toBe(Math.min(1, list!.total));
      named += list!.rows.length;
    }
    expect(named).toBeGreaterThan(20);
  });

  it('shows what belongs to the row that is picked, to any depth, and never another’s', async () => {
    const [[instrument]] = ask(
      'SELECT instrument FROM repair GROUP BY instrument ORDER BY count(*) DESC LIMIT 1',
    ) as [[number]];
    const path = ['f_repairInstrument'];
    const repairs = await page({ path, parent: instrument });
    const wanted = ask('SELECT job FROM repair WHERE instrument = ?', instrument).map(
      ([key]) => key as number,
    );
    expect(new Set(keys(repairs))).toEqual(new Set(wanted));
    expect(repairs.body.total).toBe(wanted.length);
    const lines = await page({ path: [...path, 'f_repairLineRepair'], parent: wanted[0] });
    expect(new Set(keys(lines))).toEqual(
      new Set(
        ask('SELECT number FROM repair_line WHERE repair = ?', wanted[0]).map(([key]) => key as number),
      ),
    );
    // Rows that follow nothing, or what does not follow, are refused in words.
    expect((await page({ path })).status).toBe(400);
    expect((await page({ parent: instrument })).status).toBe(400);
    expect((await page({ path: ['f_hirePlayer'], parent: 1 })).status).toBe(404);
    expect((await page({ path, parent: 987_654 })).status).toBe(404);
  });

  it('takes no rows of one that the list before does not show', async () => {
    const [[worn]] = ask(
      "SELECT i.asset_number FROM instrument i JOIN repair r ON r.instrument = i.asset_number WHERE i.condition <> 'New' LIMIT 1",
    ) as [[number]];
    await change((form) => ({ ...form, conditions: [`"#f_instrumentCondition" = 'New'`] }));
    expect((await page({ path: ['f_repairInstrument'], parent: worn })).status).toBe(404);
    const { body } = await page({});
    expect(new Set((body.rows as Row[]).map(({ cells }) => cells['f_instrumentCondition']))).toEqual(
      new Set(['New']),
    );
    await change((form) => ({ ...form, conditions: [] }));
  });

  it('refuses to be asked by what it does not show, under whatever name; and what is no condition', async () => {
    const without = (part: FormPart): FormPart | null =>
      part.part === 'cell' && part.field === 'f_instrumentValue' ? null : part;
    const shown = office.design.forms.find(({ id }) => id === 'o_stock')!;
    await change((form) => ({ ...form, parts: mapParts(form.parts, without) }));
    const asked: object[] = [
      { conditions: ['"#f_instrumentValue" > 100'] },
      { conditions: ['value > 100'] },
      { conditions: ['"#f_instrumentKind"."#f_kindName" = \'Violin\''] },
      { conditions: ['COUNT("#f_hireInstrument") > 3'] },
      { conditions: ['note IS NULL'] },
      { sort: [{ field: 'f_instrumentValue', descending: true }] },
      { conditions: ['"#f_instrumentMaker" ='] },
      { conditions: ['"#f_instrumentMaker"'] },
    ];
    for (const body of asked) {
      const answer = await page(body);
      expect(answer.status).withContext(JSON.stringify(body)).toBe(400);
      expect(answer.body.detail).toMatch(/\w/);
    }
    expect((await page({})).body.rows[0].cells['f_instrumentValue']).toBeUndefined();
    expect((await office.put(shown)).status).toBe(200);
  });

  it('gives its records to be read where it shows one at a time, and nothing that follows them', async () => {
    const { status, body } = await page({ limit: 1 }, 'colleague', 'o_players');
    expect(status).toBe(200);
    expect(body.total).toBe(office.ask<[number]>('SELECT count(*) FROM player')[0]![0]);
    const behind = { path: ['f_hirePlayer'], parent: body.rows[0].key[0] as number };
    expect((await page(behind, 'colleague', 'o_players')).status).toBe(404);
  });

  describe('as somebody looks at it', () => {
    const keep = (body: object, who: 'builder' | 'colleague'): Promise<Answer> =>
      office.call('PUT', `/api/files/${office.file}/desk/screens/o_stock/view`, body, who);
    const views = async (who: 'builder' | 'colleague') =>
      (await office.call('GET', `/api/files/${office.file}/desk/screens/o_stock`, undefined, who)).body.views;
    const view = (field: string, width: number) => ({
      columns: [{ field, width, hidden: false, frozen: false }],
      sort: [{ field, descending: true }],
      conditions: [`"#f_instrumentMaker" = 'Pellar'`],
    });

    it('is kept for her alone, list by list, and for everyone by the builder', async () => {
      const [own, all, following] = [
        view('f_instrumentMaker', 200),
        view('f_instrumentValue', 90),
        view('f_repairFault', 300),
      ];
      expect((await keep({ everyone: false, view: own }, 'colleague')).status).toBe(200);
      expect((await keep({ everyone: true, view: all }, 'builder')).status).toBe(200);
      const path = ['f_repairInstrument'];
      expect((await keep({ path, everyone: false, view: following }, 'colleague')).status).toBe(200);
      expect(await views('colleague')).toEqual(
        jasmine.arrayWithExactContents([
          { path: [], own: true, view: own },
          { path: [], own: false, view: all },
          { path, own: true, view: following },
        ]),
      );
      expect(await views('builder')).toEqual([{ path: [], own: false, view: all }]);
      // Kept again it takes the place of what was kept; nothing kept is as it was before.
      expect((await keep({ everyone: false, view: all }, 'colleague')).status).toBe(200);
      expect((await keep({ path, everyone: false, view: null }, 'colleague')).status).toBe(200);
      expect(await views('colleague')).toEqual(
        jasmine.arrayWithExactContents([
          { path: [], own: true, view: all },
          { path: [], own: false, view: all },
        ]),
      );
    });

    it('is refused for everyone to who does not build, and for a list that is not there', async () => {
      expect((await keep({ everyone: true, view: null }, 'colleague')).status).toBe(403);
      const path = ['f_hirePlayer'];
      expect((await keep({ path, everyone: false, view: null }, 'colleague')).status).toBe(404);
    });
  });

  it('is typed into where the builder lets people, and only there', async () => {
    const save = (change: object) =>
      office.call(
        'POST',
        `/api/files/${office.file}/desk/screens/o_stock/save`,
        { changes: [change] },
        'colleague',
      );
    const [[key, maker]] = ask('SELECT asset_number, maker FROM instrument LIMIT 1') as [[number, string]];
    const row = { op: 'update', table: 't_instrument', key: [key] };
    const saved = await save({
      ...row,
      values: { f_instrumentMaker: 'Corvell' },
      was: { f_instrumentMaker: maker },
    });
    expect(saved.status).withContext(JSON.stringify(saved.body)).toBe(200);
    expect((await save({ op: 'delete', table: 't_instrument', key: [key] })).status).toBe(403);
    expect((await save({ op: 'insert', table: 't_instrument', values: {} })).status).toBe(403);
    const [[job]] = ask('SELECT job FROM repair LIMIT 1') as [[number]];
    const repair = { op: 'update', table: 't_repair', key: [job] };
    expect(
      (await save({ ...repair, values: { f_repairFault: 'x' }, was: { f_repairFault: 'y' } })).status,
    ).toBe(403);
  });

  it('that is watched says on Today how many rows it has, to whom it shows them', async () => {
    const watches = async (who: 'builder' | 'colleague') =>
      (await office.call('GET', `/api/files/${office.file}/desk/watches`, undefined, who)).body.watches;
    const [[late]] = ask(
      "SELECT count(*) FROM hire WHERE returned_on IS NULL AND due_back < date('now')",
    ) as [[number]];
    expect(late).toBeGreaterThan(10);
    expect(await watches('builder')).toEqual([{ screen: 'o_late', count: late }]);
    const { body } = await office.call('GET', 'people');
    const colleague = body.people.find(({ role }: { role: string }) => role === 'colleague').id;
    const all = { read: true, add: true, change: true, delete: true, own: null };
    const conditions = ['"#f_hireMonthlyFee" > 20'];
    const role = { type: 'role', id: 'g_a', label: 'A', screens: ['o_late'], fields: [] };
    await office.put({ ...role, tables: [{ ...all, table: 't_hire', conditions }] } as { id: string });
    await office.call('PUT', `people/${colleague}`, { role: 'colleague', duty: 'g_a' });
    const [[dear]] = ask(
      "SELECT count(*) FROM hire WHERE returned_on IS NULL AND due_back < date('now') AND monthly_fee > 2000",
    ) as [[number]];
    expect(dear).toBeGreaterThan(0);
    expect(dear).toBeLessThan(late);
    expect(await watches('colleague')).toEqual([{ screen: 'o_late', count: dear }]);
    await office.put({ ...role, screens: ['o_players'], tables: [] } as { id: string });
    expect(await watches('colleague')).toEqual([]);
    await office.call('PUT', `people/${colleague}`, { role: 'colleague', duty: null });
  });

  it('is not among the screens of what was worked on last, and names itself what it is', async () => {
    const { body } = await office.call('GET', `/api/files/${office.file}/desk`, undefined, 'colleague');
    const shows = Object.fromEntries(
      body.screens.map(({ id, shows }: { id: string; shows: string }) => [id, shows]),
    );
    expect(shows).toEqual({
      o_hireDesk: 'record',
      o_stock: 'list',
      o_late: 'list',
      o_players: 'record',
      o_instruments: 'record',
      o_repairs: 'record',
      o_workshop: 'cards',
    });
    const worked = await office.call('GET', `/api/files/${office.file}/desk/worked`, undefined, 'colleague');
    expect(worked.body.records.length).toBeGreaterThan(0);
    for (const { screen } of worked.body.records) expect(screen).toBe('o_instruments');
  });
});
