import type { Board, Query, RoleDefinition } from '@heathridge/core/design';
import { newQuery } from '@heathridge/core/query';
import { Office } from '../testing/office';

interface Rows {
  total: number;
  rows: { key: [number]; cells: Record<string, unknown> }[];
}

describe('boards', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const part = { late: 'k_lateList', repairs: 'k_repairList', cards: 'k_cards' };
  const page = (screen: string, on: object | null, rest: object = {}) =>
    office.call('POST', `desk/screens/${screen}/page`, { start: 0, limit: 200, on, ...rest });
  const on = (id: string, ...chosen: object[]): object => ({ board: 'h_overview', part: id, chosen });
  const sql = (text: string, ...values: (string | number)[]): number =>
    office.ask<[number]>(text, ...values)[0]![0];

  it('stand on the Desk by name, and say what is on them and what narrows each part', async () => {
    const desk = await office.call('GET', 'desk');
    expect(desk.body.boards).toEqual([{ id: 'h_overview', label: 'Overview' }]);
    const { status, body } = await office.call('GET', 'desk/boards/h_overview');
    expect(status).toBe(200);
    const { filters } = body.board as Board;
    expect(filters[0]!.ways.map(({ part: id, way }) => [id, way?.join('.')])).toEqual([
      ['k_late', 'f_hireInstrument'],
      ['k_repairs', 'f_repairInstrument'],
      ['k_hires', 'f_hireInstrument'],
      ['k_lateList', 'f_hireInstrument'],
      ['k_repairList', 'f_repairInstrument'],
      ['k_cards', 'f_repairInstrument'],
    ]);
    expect((await office.call('GET', 'desk/boards/h_none')).status).toBe(404);
  });

  it('narrow each list to what is chosen, as SQL by hand over the file counts it', async () => {
    const busy = office.ask<[number, number]>(
      'SELECT instrument, count(*) AS n FROM repair GROUP BY instrument ORDER BY n DESC, instrument LIMIT 5',
    );
    expect(busy.length).toBe(5);
    for (const [k, n] of busy) {
      const chosen = { filter: 'v_instrument', key: k };
      const { body } = await page('o_repairs', on(part.repairs, chosen));
      expect((body as unknown as Rows).total).toBe(n);
      const span = { filter: 'v_days', from: '2025-01-01', to: '2025-12-31' };
      const both = await page('o_repairs', on(part.repairs, chosen, span));
      expect((both.body as unknown as Rows).total).toBe(
        sql(
          "SELECT count(*) AS n FROM repair WHERE instrument = ? AND brought_in BETWEEN '2025-01-01' AND '2025-12-31'",
          k,
        ),
      );
    }
    const late = await page('o_late', on(part.late));
    const from = await page('o_late', on(part.late, { filter: 'v_days', from: '2026-01-01', to: null }));
    const to = await page('o_late', on(part.late, { filter: 'v_days', from: null, to: '2025-12-31' }));
    expect((from.body as unknown as Rows).total + (to.body as unknown as Rows).total).toBe(
      (late.body as unknown as Rows).total,
    );
  });

  it('show the records of a screen that shows one at a time as a list to be read, in its order', async () => {
    const { status, body } = await page('o_repairs', on(part.repairs), { limit: 3 });
    expect(status).toBe(200);
    const { total, rows } = body as unknown as Rows;
    expect(total).toBe(sql('SELECT count(*) AS n FROM repair'));
    expect(rows.length).toBe(3);
    expect(Object.keys(rows[0]!.cells)).toContain('f_repairInstrument');
    const sorted = await page('o_repairs', on(part.repairs), {
      limit: 1,
      sort: [{ field: 'f_repairBroughtIn', descending: true }],
    });
    expect((sorted.body as unknown as Rows).rows[0]!.cells['f_repairBroughtIn']).toBe(
      office.ask<[string]>('SELECT max(brought_in) FROM repair')[0]![0],
    );
  });

  it('offer every row in a filter, those too to which nothing may lead anew', async () => {
    const ask = (search: string, only: string | number | null = null) =>
      office.call('POST', 'desk/boards/h_overview/choices', { filter: 'v_instrument', search, only });
    const [[retired]] = office.ask<[number]>(
      "SELECT asset_number FROM instrument WHERE condition = 'Retired' LIMIT 1",
    ) as [[number]];
    const { status, body } = await ask('', retired);
    expect(status).toBe(200);
    expect((body.choices as [number][]).map(([key]) => key)).toEqual([retired]);
    expect(((await ask('')).body.choices as unknown[]).length).toBeGreaterThan(5);
    const none = await office.call('POST', 'desk/boards/h_overview/choices', {
      filter: 'v_days',
      search: '',
      only: null,
    });
    expect(none.status).toBe(404);
  });

  it('refuse what makes no sense, in words', async () => {
    const [[key]] = office.ask<[number]>('SELECT instrument FROM repair LIMIT 1') as [[number]];
    for (const [asked, status] of [
      [{ board: 'h_none', part: part.repairs, chosen: [] }, 404],
      [on('k_none'), 404],
      // A part of another screen.
      [on(part.late), 404],
      [on(part.repairs, { filter: 'v_instrument', key: 999_999 }), 404],
      // A text where a number is asked.
      [on(part.repairs, { filter: 'v_instrument', key: 'A-none' }), 400],
      [on(part.repairs, { filter: 'v_days', from: '2026-02-30', to: null }), 400],
      [on(part.repairs, ...Array.from({ length: 5 }, () => ({ filter: 'v_instrument', key }))), 400],
    ] as const) {
      const answer = await page('o_repairs', asked);
      expect(answer.status).withContext(JSON.stringify(asked)).toBe(status);
      expect(answer.body.detail as string).toMatch(/\.$/);
    }
  });

  it('are there for a role where its builder says so, and narrow by nothing that is kept from it', async () => {
    const role = (rest: Partial<RoleDefinition>): RoleDefinition => ({
      type: 'role',
      id: 'g_board',
      label: 'Counter',
      screens: ['h_overview', 'o_late', 'o_repairs'],
      tables: [],
      fields: [],
      ...rest,
    });
    const as = (method: 'GET' | 'POST', url: string, body?: object) =>
      office.call(method, url, body, 'builder', { 'heathridge-as-role': 'g_board' });
    const look = async (rest: Partial<RoleDefinition>) => {
      expect((await office.put(role(rest))).status).toBe(200);
      return as('GET', 'desk/boards/h_overview');
    };
    const seen = (await look({})).body.board as Board;
    expect(seen.parts.map(({ id }) => id)).toEqual(['k_late', 'k_lateList', 'k_repairList']);
    expect((await look({ screens: ['o_late'] })).status).toBe(404);
    const kept = (await look({ fields: [{ field: 'f_hireInstrument', people: 'hidden' }] })).body
      .board as Board;
    expect(kept.filters[0]!.ways.filter(({ way }) => way).map(({ part: id }) => id)).toEqual([
      'k_repairList',
    ]);
    // What is sent all the same changes nothing.
    const all = await as('POST', 'desk/screens/o_late/page', {
      start: 0,
      limit: 1,
      on: on(part.late),
    });
    const [[k]] = office.ask<[number]>('SELECT asset_number FROM instrument LIMIT 1') as [[number]];
    const tried = await as('POST', 'desk/screens/o_late/page', {
      start: 0,
      limit: 1,
      on: on(part.late, { filter: 'v_instrument', key: k }),
    });
    expect(tried.body.total).toBe(all.body.total);
    expect((await office.drop('g_board')).status).toBe(200);
  });

  it('keep a screen that stands on them from being dropped, and say so', async () => {
    const { status, body } = await office.drop('o_late');
    expect(status).toBe(422);
    expect(body.detail).toBe('Late back is used by Overview: take it out there first.');
  });

  describe('with what queries give', () => {
    const chart = { part: 'chart' as const, id: 'k_chart', width: 6, height: 8, query: 'q_takings' };
    const overdue = { part: 'pivot' as const, id: 'k_overdue', width: 6, height: 8, query: 'q_overdue' };
    const inSql = { part: 'chart' as const, id: 'k_sql', width: 6, height: 8, query: 'q_sqlOnBoard' };
    const drawn = (id: string, ...chosen: object[]) =>
      office.call('POST', 'desk/boards/h_money/drawn', { part: id, chosen });
    beforeAll(async () => {
      const written: Query = {
        ...newQuery('q_sqlOnBoard', 'In SQL', { id: 't_hire' }),
        written: { sql: 'SELECT name, number FROM school', columns: [] },
      };
      expect((await office.put(written)).status).toBe(200);
      const board: Board = {
        type: 'board',
        id: 'h_money',
        label: 'Money',
        parts: [chart, { ...overdue, label: 'Late ones' }, inSql],
        filters: [
          { by: 'row', id: 'v_player', label: 'Player', table: 't_player', ways: [] },
          { by: 'days', id: 'v_paid', label: 'Paid', starts: 'all', ways: [] },
        ],
      };
      expect((await office.put(board)).status).toBe(200);
    });
    afterAll(async () => {
      for (const id of ['h_money', 'q_sqlOnBoard']) expect((await office.drop(id)).status).toBe(200);
    });

    it('name their parts, and find the ways to what narrows them from the rows their query begins with', async () => {
      const { parts, filters } = (await office.call('GET', 'desk/boards/h_money')).body.board as Board;
      expect(parts.map((one) => 'label' in one && one.label)).toEqual([
        'Takings by month and method',
        'Late ones',
        'In SQL',
      ]);
      expect(
        filters.map(({ ways }) => ways.map(({ part: id, way }) => [id, way?.join('.') ?? null])),
      ).toEqual([
        [
          ['k_chart', 'f_paymentHire.f_hirePlayer'],
          ['k_overdue', 'f_hirePlayer'],
          ['k_sql', null],
        ],
        [
          ['k_chart', 'f_paymentPaidOn'],
          ['k_overdue', jasmine.any(String)],
          ['k_sql', null],
        ],
      ]);
    });

    it('give all of it, and what is chosen, as SQL by hand adds it up', async () => {
      const sums = (rows: unknown[][]): number =>
        Math.round(rows.reduce((sum, row) => sum + Number(row[2]), 0) * 100);
      const all = await drawn('k_chart');
      expect(all.status).withContext(JSON.stringify(all.body).slice(0, 300)).toBe(200);
      expect(sums(all.body.rows)).toBe(sql('SELECT sum(amount) FROM payment'));
      expect((all.body.query as Query).id).toBe('q_takings');
      const [[player]] = office.ask<[number]>(
        'SELECT player FROM payment JOIN hire ON hire_number = hire GROUP BY player ORDER BY count(*) DESC LIMIT 1',
      ) as [[number]];
      const own = await drawn(
        'k_chart',
        { filter: 'v_player', key: player },
        { filter: 'v_paid', from: '2025-01-01', to: '2025-12-31' },
      );
      expect(sums(own.body.rows)).toBe(
        sql(
          "SELECT total(amount) FROM payment JOIN hire ON hire_number = hire WHERE player = ? AND paid_on BETWEEN '2025-01-01' AND '2025-12-31'",
          player,
        ),
      );
      const pivot = await drawn('k_overdue');
      expect((pivot.body.query as Query).pivot).toEqual({ across: [], heat: true });
      expect(pivot.body.keys.length).toBe(pivot.body.rows.length);
      // What SQL gives is drawn whole: nothing is known of its rows that could narrow it.
      const written = await drawn('k_sql', { filter: 'v_player', key: player });
      expect(written.body.rows.length).toBe(sql('SELECT count(*) FROM school'));
    });

    it('lead to the rows behind each of their groups, as SQL by hand counts them', async () => {
      const all = (await drawn('k_chart')).body as {
        query: Query;
        rows: string[][];
        keys: (string | null)[][];
        columns: { id: string }[];
      };
      const by = all.query.group!.by.map(({ id }) => id);
      const behind = (keys: object, ...chosen: object[]) =>
        office.call('POST', 'desk/boards/h_money/behind', { part: 'k_chart', keys, chosen });
      const place = by.indexOf('method');
      const month = by.indexOf('month');
      for (const keys of all.keys.slice(0, 6)) {
        const { status, body } = await behind(Object.fromEntries(by.map((id, i) => [id, keys[i]])));
        expect(status).withContext(JSON.stringify(body)).toBe(200);
        expect((body as { rows: unknown[] }).rows.length).toBe(
          sql(
            'SELECT count(*) FROM payment WHERE method = ? AND substr(paid_on, 1, 7) = substr(?, 1, 7)',
            keys[place]!,
            keys[month]!,
          ),
        );
      }
      // Of one of the two all of the other; and only what the filters leave.
      const [[player]] = office.ask<[number]>(
        'SELECT player FROM payment JOIN hire ON hire_number = hire GROUP BY player ORDER BY count(*) DESC LIMIT 1',
      ) as [[number]];
      const cash = await behind({ method: 'Cash' }, { filter: 'v_player', key: player });
      expect(cash.body.rows.length).toBe(
        sql(
          "SELECT count(*) FROM payment JOIN hire ON hire_number = hire WHERE method = 'Cash' AND player = ?",
          player,
        ),
      );
      const written = await office.call('POST', 'desk/boards/h_money/behind', { part: 'k_sql', keys: {} });
      expect([written.status, written.body.detail]).toEqual([422, 'Of SQL nothing is known row by row.']);
    });

    it('refuse what is not there, in words', async () => {
      for (const [asked, status] of [
        [drawn('k_none'), 404],
        [drawn('k_chart', { filter: 'v_player', key: 999_999 }), 404],
        [drawn('k_chart', { filter: 'v_paid', from: '2026-02-30', to: null }), 400],
        [office.call('POST', 'desk/boards/h_overview/drawn', { part: 'k_late' }), 404],
      ] as const) {
        const answer = await asked;
        expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(status);
        expect(answer.body.detail as string).toMatch(/\.$/);
      }
    });

    it('are there for a role only where they tell it nothing that is kept from it', async () => {
      const as = (url: string, body?: object) =>
        office.call(body ? 'POST' : 'GET', url, body, 'builder', { 'heathridge-as-role': 'g_money' });
      const partsFor = async (rest: Partial<RoleDefinition>): Promise<string[] | number> => {
        const role: RoleDefinition = {
          type: 'role',
          id: 'g_money',
          label: 'Till',
          screens: ['h_money'],
          tables: [],
          fields: [],
          ...rest,
        };
        expect((await office.put(role)).status).toBe(200);
        const { status, body } = await as('desk/boards/h_money');
        return status === 200 ? (body.board as Board).parts.map(({ id }) => id) : status;
      };
      const rights = { read: true, add: true, change: true, delete: true };
      // SQL may read anything.
      expect(await partsFor({})).toEqual(['k_chart', 'k_overdue']);
      expect((await as('desk/boards/h_money/drawn', { part: 'k_sql' })).status).toBe(404);
      expect(await partsFor({ fields: [{ field: 'f_paymentAmount', people: 'hidden' }] })).toEqual([
        'k_overdue',
      ]);
      // Of the rows it begins with hers are drawn; of others it could not be told which are hers.
      const own = { conditions: ['"#f_paymentMethod" = \'Cash\''] };
      expect(
        await partsFor({
          tables: [{ table: 't_payment', ...rights, ...own }],
        } as unknown as Partial<RoleDefinition>),
      ).toEqual(['k_chart', 'k_overdue']);
      const hers = await as('desk/boards/h_money/drawn', { part: 'k_chart' });
      expect(new Set((hers.body.rows as string[][]).map((row) => row[1]))).toEqual(new Set(['Cash']));
      // So it is with the rows behind them, of which nothing is shown that is kept from her.
      const behind = async (): Promise<{ columns: { label: string }[]; rows: string[][] }> =>
        (await as('desk/boards/h_money/behind', { part: 'k_chart', keys: {} })).body as never;
      const rows = await behind();
      const method = rows.columns.findIndex(({ label }) => label === 'Method');
      expect(new Set(rows.rows.map((row) => row[method]))).toEqual(new Set(['Cash']));
      const labels = async (rest: Partial<RoleDefinition>): Promise<string[]> => {
        await partsFor(rest);
        return (await behind()).columns.map(({ label }) => label);
      };
      const usual = await labels({});
      expect(usual).toContain('Hire');
      const unhired = usual.filter((label) => label !== 'Hire');
      expect(await labels({ fields: [{ field: 'f_paymentHire', people: 'hidden' }] })).toEqual(unhired);
      expect(
        await labels({
          tables: [
            {
              table: 't_hire',
              read: false,
              add: false,
              change: false,
              delete: false,
              own: null,
              conditions: [],
            },
          ],
        } as unknown as Partial<RoleDefinition>),
      ).toEqual(unhired);
      const schools = { conditions: ['"#f_schoolNumber" = 1'] };
      expect(
        await partsFor({
          tables: [{ table: 't_school', ...rights, ...schools }],
        } as unknown as Partial<RoleDefinition>),
      ).toEqual(['k_chart']);
      expect((await office.drop('g_money')).status).toBe(200);
    });

    it('keep a query that stands on them from being dropped, and say so', async () => {
      const { status, body } = await office.drop('q_overdue');
      expect(status).toBe(422);
      expect(body.detail as string).toContain('Money');
    });
  });
});
