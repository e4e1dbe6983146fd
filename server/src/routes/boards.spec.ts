import type { Board, RoleDefinition } from '@heathridge/core/design';
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
});
