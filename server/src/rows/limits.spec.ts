import type { Form, FormCell, RoleDefinition } from '@heathridge/core/design';
import { mapParts } from '@heathridge/core/form';
import { Office, type Answer } from '../testing/office';

/** What is only to be read, or not there, while a condition holds for a row. */
describe('a condition on a cell', () => {
  let office: Office;
  beforeAll(async () => {
    office = await Office.open();
  });
  afterAll(() => office.close());

  const ask = (sql: string, ...values: unknown[]) => office.ask(sql, ...values);
  const desk = (method: 'GET' | 'POST', screen: string, rest: string, body?: unknown): Promise<Answer> =>
    office.call(method, `desk/screens/${screen}/${rest}`, body, 'colleague');
  const save = (screen: string, ...changes: unknown[]): Promise<Answer> =>
    desk('POST', screen, 'save', { changes });
  const form = (id: string): Form => office.design.forms.find((other) => other.id === id)!;

  async function withCell(
    screen: string,
    field: string,
    more: Partial<FormCell>,
    work: () => Promise<void>,
  ): Promise<void> {
    const before = form(screen);
    const parts = mapParts(before.parts, (part) =>
      part.part === 'cell' && part.field === field ? { ...part, ...more } : part,
    );
    const put = await office.put({ ...before, parts } as Form);
    expect(put.status).withContext(JSON.stringify(put.body)).toBe(200);
    try {
      await work();
    } finally {
      await office.put(before);
    }
  }
  /** The last hire that has come back, or that is out with an instrument which no other has out. */
  const hire = (back: boolean): number =>
    ask(
      back
        ? 'SELECT max(hire_number) FROM hire WHERE returned_on IS NOT NULL'
        : 'SELECT max(hire_number) FROM (SELECT hire_number FROM hire WHERE returned_on IS NULL GROUP BY instrument HAVING count(*) = 1)',
    )[0]![0] as number;
  const feeOf = (key: number): number =>
    ask('SELECT monthly_fee FROM hire WHERE hire_number = ?', key)[0]![0] as number;
  const money = (pennies: number): string => (pennies / 100).toFixed(2);
  const RETURNED = '"#f_hireReturnedOn" IS NOT NULL';

  it('closes a field while it holds, and tells so beside it; whoever opens the row in the same save may type', async () => {
    await withCell('o_hireDesk', 'f_hireMonthlyFee', { readIf: RETURNED }, async () => {
      const [closed, open] = [hire(true), hire(false)];
      const fee = (key: number, values: object, was: object = {}): unknown => ({
        op: 'update',
        table: 't_hire',
        key: [key],
        values: { f_hireMonthlyFee: '9.99', ...values },
        was: { f_hireMonthlyFee: money(feeOf(key)), ...was },
      });
      const read = await desk('GET', 'o_hireDesk', `record?key=[${closed}]`);
      expect(read.body.record.cells['read f_hireMonthlyFee']).toBeTrue();
      expect(read.body.record.cells.f_hireMonthlyFee).toBe(money(feeOf(closed)));
      const refused = await save('o_hireDesk', fee(closed, {}));
      expect([refused.status, refused.body.errors[0].field]).toEqual([422, 'f_hireMonthlyFee']);
      expect(refused.body.errors[0].message).toContain('Monthly fee of this hire is only for reading');
      // Open before: it may be closed with the last of what is typed.
      const before = feeOf(open);
      const last = await save(
        'o_hireDesk',
        fee(open, { f_hireReturnedOn: '2026-11-25' }, { f_hireReturnedOn: null }),
      );
      expect(last.status).withContext(JSON.stringify(last.body)).toBe(200);
      expect(feeOf(open)).toBe(999);
      expect((await save('o_hireDesk', fee(open, { f_hireMonthlyFee: '8.88' }))).status).toBe(422);
      // Opened in the same save: that counts.
      const again = await save(
        'o_hireDesk',
        fee(
          open,
          { f_hireReturnedOn: null, f_hireMonthlyFee: money(before) },
          { f_hireReturnedOn: '2026-11-25' },
        ),
      );
      expect(again.status).withContext(JSON.stringify(again.body)).toBe(200);
      // On the Bench the whole file lies open.
      const bench = await office.call('POST', 'rows', {
        changes: [fee(closed, { f_hireMonthlyFee: money(feeOf(closed)) })],
      });
      expect(bench.status).toBe(200);
    });
  });

  it('keeps what a field holds away from who looks, by every road of the screen', async () => {
    const cheap = '"#f_instrumentValue" < 300';
    await withCell('o_stock', 'f_instrumentSerialNumber', { hideIf: cheap }, async () => {
      const page = (body: object): Promise<Answer> =>
        desk('POST', 'o_stock', 'page', { start: 0, limit: 200, ...body });
      const { body } = await page({ conditions: ['"#f_instrumentSerialNumber" IS NOT NULL'] });
      expect(body.detail).toContain('no such column');
      const all = await page({});
      const stored = new Map(ask('SELECT asset_number, serial_number FROM instrument') as [number, string][]);
      let [hidden, seen] = [0, 0];
      for (const { key, cells } of all.body.rows) {
        const isCheap = Number(cells.f_instrumentValue) < 300;
        expect(cells['hide f_instrumentSerialNumber']).toBe(isCheap);
        expect(cells.f_instrumentSerialNumber).toBe(isCheap ? null : (stored.get(key[0]) ?? null));
        if (isCheap && stored.get(key[0])) hidden++;
        if (!isCheap && stored.get(key[0])) seen++;
      }
      expect(hidden).toBeGreaterThan(0);
      expect(seen).toBeGreaterThan(0);
      const sorted = await page({ sort: [{ field: 'f_instrumentSerialNumber', descending: false }] });
      expect(sorted.status).toBe(400);
      // No word of it is found either, of any row.
      const [[serial]] = ask(
        'SELECT serial_number FROM instrument WHERE value < 30000 AND serial_number IS NOT NULL LIMIT 1',
      ) as [[string]];
      expect((await page({ search: serial })).body.total).toBe(0);
      // Nor is it written over by who does not know it.
      const [[key]] = ask('SELECT asset_number FROM instrument WHERE serial_number = ?', serial) as [
        [number],
      ];
      const change = {
        op: 'update',
        table: 't_instrument',
        key: [key],
        values: { f_instrumentSerialNumber: 'ZZ' },
        was: { f_instrumentSerialNumber: serial },
      };
      expect((await save('o_stock', change)).status).toBe(422);
      expect(ask('SELECT serial_number FROM instrument WHERE asset_number = ?', key)).toEqual([[serial]]);
    });
  });

  it('keeps a record list from telling what its screen hides, and a picture where its cell is not there', async () => {
    const found = (id: string): string[] => office.design.forms.find((other) => other.id === id)!.finds ?? [];
    expect(found('o_instruments')).toEqual([]);
    const before = form('o_instruments');
    await office.put({ ...before, finds: ['f_instrumentMaker'] } as Form);
    const list = (): Promise<Answer> => desk('GET', 'o_instruments', 'list?search=Pellar');
    expect((await list()).body.total).toBeGreaterThan(0);
    await office.put({
      ...before,
      finds: ['f_instrumentMaker'],
      parts: mapParts(before.parts, (part) =>
        part.part === 'cell' && part.field === 'f_instrumentMaker'
          ? { ...part, hideIf: '"#f_instrumentCondition" = \'Worn\'' }
          : part,
      ),
    } as Form);
    expect((await list()).body.total).toBe(0);
    const info = await office.call('GET', 'desk/screens/o_instruments', undefined, 'colleague');
    expect(info.status).toBe(200);
    expect(info.body.second).not.toContain('f_instrumentMaker');
    await office.put(before);
  });

  it('gives the picture of the row a lookup leads to, where that may be seen', async () => {
    const page = await desk('POST', 'o_late', 'page', { start: 0, limit: 200 });
    expect(page.status).toBe(200);
    const pictures = new Map(
      ask('SELECT asset_number, picture FROM instrument') as [number, number | null][],
    );
    let held = 0;
    for (const { cells } of page.body.rows) {
      const own = pictures.get(cells.f_hireInstrument[0]) ?? null;
      expect(cells['picture f_hireInstrument']).toBe(own);
      if (own !== null) held++;
    }
    expect(held).toBeGreaterThan(0);
    const { body } = await office.call('GET', 'people');
    const colleague = body.people.find(({ role }: { role: string }) => role === 'colleague').id as string;
    const role: RoleDefinition = {
      type: 'role',
      id: 'g_late',
      label: 'Late',
      screens: ['o_late'],
      tables: [],
      fields: [{ field: 'f_instrumentPicture', people: 'hidden' }],
    };
    await office.put(role);
    await office.call('PUT', `people/${colleague}`, { role: 'colleague', duty: 'g_late' });
    const [[picture]] = ask(
      'SELECT i.picture FROM hire h JOIN instrument i ON i.asset_number = h.instrument WHERE h.returned_on IS NULL AND i.picture IS NOT NULL LIMIT 1',
    ) as [[number]];
    const hidden = await desk('POST', 'o_late', 'page', { start: 0, limit: 5 });
    for (const { cells } of hidden.body.rows) expect('picture f_hireInstrument' in cells).toBeFalse();
    expect((await office.call('GET', `attachments/${picture}/preview`, undefined, 'colleague')).status).toBe(
      404,
    );
    await office.call('PUT', `people/${colleague}`, { role: 'colleague', duty: null });
    expect((await office.call('GET', `attachments/${picture}/preview`, undefined, 'colleague')).status).toBe(
      200,
    );
  });

  it('keeps the picture of what a lookup leads to away together with the lookup', async () => {
    const cheap = '"#f_hireMonthlyFee" < 15';
    await withCell('o_late', 'f_hireInstrument', { hideIf: cheap }, async () => {
      const { body } = await desk('POST', 'o_late', 'page', { start: 0, limit: 200 });
      let [kept, shown] = [0, 0];
      for (const { key, cells } of body.rows) {
        const [[picture]] = ask(
          'SELECT i.picture FROM hire h JOIN instrument i ON i.asset_number = h.instrument WHERE h.hire_number = ?',
          key[0],
        ) as [[number | null]];
        const isKept = Number(cells.f_hireMonthlyFee) < 15;
        expect(cells['picture f_hireInstrument']).toBe(isKept ? null : picture);
        if (picture !== null && isKept) kept++;
        else if (picture !== null) shown++;
      }
      expect([kept > 0, shown > 0]).toEqual([true, true]);
    });
  });
});
