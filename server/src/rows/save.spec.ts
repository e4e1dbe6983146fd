import type { Change } from '@heathridge/core/change';
import type { FieldType } from '@heathridge/core/design';
import { NOTHING } from '@heathridge/core/rows';
import { BUILDER, Office } from '../testing/office';

describe('saving rows', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  beforeEach(() => {
    const [[free]] = read(
      'SELECT min(asset_number) FROM instrument WHERE asset_number NOT IN (SELECT instrument FROM hire WHERE returned_on IS NULL)',
    ) as [[number]];
    hire.f_hireInstrument = free;
  });
  afterAll(() => office.close());

  const read = (sql: string): unknown[][] =>
    office.app.context.files.get(office.file).reader.prepare(sql).raw().all() as unknown[][];
  const hire = {
    f_hirePlayer: 1,
    // One that is not out: set before each test.
    f_hireInstrument: 0,
    f_hireHiredOn: '2026-11-01',
    f_hireDueBack: '2027-05-01',
    f_hireMonthlyFee: '12.50',
  };

  it('saves a parent with its child rows together', async () => {
    const { status, body } = await office.save(
      { op: 'insert', table: 't_hire', temp: 'n1', values: hire },
      {
        op: 'insert',
        table: 't_payment',
        values: { f_paymentHire: { temp: 'n1' }, f_paymentAmount: '12.50' },
      },
      {
        op: 'insert',
        table: 't_payment',
        values: { f_paymentHire: { temp: 'n1' }, f_paymentAmount: '0.10', f_paymentMethod: 'Cash' },
      },
    );
    expect(status).toBe(200);
    const [key] = body.saved[0].key as [number];
    expect(read(`SELECT amount, method, paid_on FROM payment WHERE hire = ${key} ORDER BY receipt`)).toEqual([
      [1250, 'Card', '2026-11-25'],
      [10, 'Cash', '2026-11-25'],
    ]);
  });

  it('saves all or nothing, with a message beside each field', async () => {
    const [[hires], [payments]] = [read('SELECT count(*) FROM hire'), read('SELECT count(*) FROM payment')];
    const { status, body } = await office.save(
      { op: 'insert', table: 't_hire', temp: 'n1', values: hire },
      {
        op: 'insert',
        table: 't_payment',
        values: { f_paymentHire: { temp: 'n1' }, f_paymentAmount: '-1.00' },
      },
      { op: 'insert', table: 't_payment', values: { f_paymentHire: { temp: 'n1' }, f_paymentAmount: null } },
    );
    expect(status).toBe(422);
    expect(
      body.errors.map(({ change, field, message }: Record<string, unknown>) => [change, field, message]),
    ).toEqual([
      [1, 'f_paymentAmount', 'An amount is more than 0.'],
      [2, 'f_paymentAmount', 'Amount is always filled.'],
    ]);
    expect(read('SELECT count(*) FROM hire')).toEqual([hires!]);
    expect(read('SELECT count(*) FROM payment')).toEqual([payments!]);
  });

  it('is stopped by the file’s own triggers where the core cannot decide', async () => {
    const { body } = await office.save({
      op: 'insert',
      table: 't_player',
      values: { f_playerSurname: 'X', f_playerFirstName: 'Y', f_playerBorn: '2999-01-01' },
    });
    expect(body.errors[0]).toEqual(
      jasmine.objectContaining({
        field: 'f_playerBorn',
        rule: 'r_born',
        message: 'A date of birth lies in the past.',
      }),
    );
  });

  it('names the field when a value is not unique or its lookup is gone', async () => {
    const twice = await office.save({
      op: 'insert',
      table: 't_school',
      values: { f_schoolName: 'Harrow Lane Primary' },
    });
    expect(twice.body.errors[0]).toEqual(
      jasmine.objectContaining({ field: 'f_schoolName', message: 'Another school has this Name already.' }),
    );
    const gone = await office.save({
      op: 'insert',
      table: 't_hire',
      values: { ...hire, f_hirePlayer: 987654 },
    });
    expect(gone.body.errors[0]).toEqual(
      jasmine.objectContaining({
        field: 'f_hirePlayer',
        message: 'This player is no longer there: please choose another.',
      }),
    );
  });

  it('merges two edits of different fields and shows both sides of a clash', async () => {
    const edit = (values: object, was: object) =>
      office.save({ op: 'update', table: 't_player', key: [5], values, was });
    const [[surname, phone]] = read('SELECT surname, phone FROM player WHERE number = 5') as [
      [string, string | null],
    ];
    expect((await edit({ f_playerSurname: 'Marlowe' }, { f_playerSurname: surname })).status).toBe(200);
    expect((await edit({ f_playerPhone: '01632 960111' }, { f_playerPhone: phone })).status).toBe(200);
    const clash = await edit({ f_playerSurname: 'Third' }, { f_playerSurname: surname });
    expect(clash.status).toBe(422);
    expect(clash.body.errors[0]).toEqual(
      jasmine.objectContaining({ field: 'f_playerSurname', theirs: 'Marlowe' }),
    );
    expect(read('SELECT surname, phone FROM player WHERE number = 5')).toEqual([['Marlowe', '01632 960111']]);
  });

  it('refuses to delete what others need, and deletes along where that is the link’s way', async () => {
    const needed = await office.save({
      op: 'delete',
      table: 't_player',
      key: [read('SELECT player FROM hire LIMIT 1')[0]![0]],
    });
    expect(needed.status).toBe(422);
    expect(needed.body.errors[0].message).toContain('Other rows still need this player');
    const [[key]] = read('SELECT hire FROM payment LIMIT 1') as [[number]];
    expect((await office.save({ op: 'delete', table: 't_hire', key: [key] })).status).toBe(200);
    expect(read(`SELECT count(*) FROM payment WHERE hire = ${key}`)).toEqual([[0]]);
  });

  it('leaves a lookup empty where that is the link’s way', async () => {
    const { body } = await office.save({
      op: 'insert',
      table: 't_school',
      values: { f_schoolName: 'Short lived' },
    });
    const [school] = body.saved[0].key as [number];
    const added = await office.save({
      op: 'insert',
      table: 't_player',
      values: { f_playerSurname: 'A', f_playerFirstName: 'B', f_playerSchool: school },
    });
    await office.save({ op: 'delete', table: 't_school', key: [school] });
    expect(read(`SELECT school FROM player WHERE number = ${added.body.saved[0].key[0]}`)).toEqual([[null]]);
  });

  it('says so when a row is gone', async () => {
    const { body } = await office.save({
      op: 'update',
      table: 't_part',
      key: [4711],
      values: { f_partName: 'x' },
      was: {},
    });
    expect(body.errors[0].message).toContain('somebody has deleted it');
  });

  it('writes who, when, before and after into the history', async () => {
    await office.save({ op: 'update', table: 't_part', key: [1], values: { f_partPrice: '9.99' }, was: {} });
    const [[by, at, op, before, after]] = read(
      'SELECT "by", at, op, before, after FROM hr_history WHERE table_id = \'t_part\' ORDER BY id DESC LIMIT 1',
    ) as [string[]];
    expect([by, at, op]).toEqual(['Mara Ashdown', '2026-11-25T12:00:00Z', 'update']);
    expect(JSON.parse(after!).f_partPrice).toBe('9.99');
    expect(JSON.parse(before!).f_partPrice).not.toBe('9.99');
  });

  it('keeps 15-digit money exact all the way', async () => {
    const amount = '9999999999999.99';
    expect(
      (
        await office.save({
          op: 'update',
          table: 't_instrument',
          key: [1],
          values: { f_instrumentValue: amount },
          was: {},
        })
      ).status,
    ).toBe(200);
    expect(read('SELECT value FROM instrument_readable WHERE asset_number = 1')).toEqual([[amount]]);
    const { body } = await office.call(
      'GET',
      'desk/screens/o_instruments/record?key=[1]',
      undefined,
      'colleague',
    );
    expect(body.record.cells.f_instrumentValue).toBe(amount);
  });

  it('is done once, however often it is sent', async () => {
    const change = { op: 'insert', table: 't_school', values: { f_schoolName: 'Twice sent' } };
    const send = (id: string, changes: unknown[]) => office.call('POST', 'rows', { id, changes });
    const first = await send('save-0001', [change]);
    const again = await send('save-0001', [change]);
    expect([first.status, again.status]).toEqual([200, 200]);
    expect(again.body).toEqual(first.body);
    expect(read("SELECT count(*) FROM school WHERE name = 'Twice sent'")).toEqual([[1]]);
    const other = await send('save-0001', [{ ...change, values: { f_schoolName: 'Another' } }]);
    expect([other.status, other.body.detail]).toEqual([400, jasmine.stringContaining('another one')]);
    // One that was refused was never done: it may be sent again when what stood in its way is gone.
    const empty = { ...change, values: { f_schoolName: null } };
    expect((await send('save-0002', [empty])).status).toBe(422);
    expect((await send('save-0002', [{ ...change, values: { f_schoolName: 'Now' } }])).status).toBe(200);
  });

  it('keeps the rows of one save together in the log, those that go along with another first', async () => {
    const { body } = await office.save(
      { op: 'insert', table: 't_hire', temp: 'n1', values: hire },
      {
        op: 'insert',
        table: 't_payment',
        values: { f_paymentHire: { temp: 'n1' }, f_paymentAmount: '1.00' },
      },
    );
    const [hireKey, paymentKey] = body.saved.map(({ key }: { key: [number] }) => key[0]) as [number, number];
    const link = office.design.tables
      .find(({ id }) => id === 't_payment')!
      .fields.find(({ id }) => id === 'f_paymentHire')!;
    const along = { ...link.type, onDelete: 'deleteAlong' } as FieldType;
    const set = { change: 'changeField', table: 't_payment', field: link.id, set: { type: along } } as Change;
    expect((await office.apply(set)).status).toBe(200);
    expect((await office.save({ op: 'delete', table: 't_hire', key: [hireKey] })).status).toBe(200);
    const entries = read(
      `SELECT h.op, h.table_id, h.key, h.log = l.id, l.what FROM hr_history AS h JOIN hr_log AS l ON l.id = h.log
       WHERE h.log = (SELECT max(log) FROM hr_history) ORDER BY h.id`,
    );
    expect(entries).toEqual([
      ['delete', 't_payment', `[${paymentKey}]`, 1, 'rows'],
      ['delete', 't_hire', `[${hireKey}]`, 1, 'rows'],
    ]);
    const [[before]] = read(`SELECT json_extract(before, '$.f_paymentAmount') FROM hr_history
      WHERE table_id = 't_payment' AND op = 'delete' ORDER BY id DESC LIMIT 1`) as [[string]];
    expect(before).toBe('1.00');
    expect(read('SELECT count(*) FROM hr_history WHERE log IS NULL')).toEqual([[0]]);
  });

  it('composes texts, so that what looks alike is alike', async () => {
    const name = (text: string) => ({ op: 'insert', table: 't_school', values: { f_schoolName: text } });
    expect((await office.save(name('E\u0301cole'))).status).toBe(200);
    expect(read("SELECT name FROM school WHERE name LIKE '%cole' ORDER BY number DESC LIMIT 1")).toEqual([
      ['École'],
    ]);
    const half = await office.save(name('a\ud83c'));
    expect(half.body.errors[0].message).toContain('cannot be kept');
  });
});

describe('reading rows', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const window = async (request: object): Promise<{ total: number; rows: unknown[][] }> =>
    (await office.call('POST', 'tables/t_hire/window', { start: 0, limit: 50, ...request })).body as {
      total: number;
      rows: unknown[][];
    };

  it('gives the same rows in windows as in one piece, in every order', async () => {
    const keys = (sort: string): number[] =>
      (
        office.app.context.files
          .get(office.file)
          .reader.prepare(`SELECT hire_number FROM hire ORDER BY ${sort}`)
          .raw()
          .all() as [number][]
      ).map(([key]) => key);
    const [rising, falling] = [false, true].map((descending) => (field: string) => ({ field, descending }));
    const orders: [object[], string][] = [
      [[], 'hire_number'],
      [[rising!('f_hireHiredOn')], 'hired_on, hire_number'],
      [[falling!('f_hireReturnedOn')], 'returned_on DESC, hire_number DESC'],
      [[falling!('f_hireMonthlyFee')], 'monthly_fee DESC, hire_number DESC'],
      [[falling!('f_hireMonthlyFee'), rising!('f_hireHiredOn')], 'monthly_fee DESC, hired_on, hire_number'],
      [
        [rising!('f_hireReturnedOn'), falling!('f_hireHiredOn')],
        'returned_on, hired_on DESC, hire_number DESC',
      ],
    ];
    for (const [sort, order] of orders) {
      const expected = keys(order);
      for (const start of [0, 49, 1000, 3900, 5000]) {
        const { rows } = await window({ start, sort });
        expect(rows.map(([key]) => key))
          .withContext(`${order} from ${start}`)
          .toEqual(expected.slice(start, start + 50));
      }
    }
  });

  it('counts rows anew after every write, by us or by another tool', async () => {
    const { total } = await window({});
    await office.save({ op: 'delete', table: 't_hire', key: [1000] });
    expect((await window({})).total).toBe(total - 1);
    const { default: Database } = await import('libsql');
    const other = new Database(office.path);
    other.exec('PRAGMA foreign_keys = ON; DELETE FROM hire WHERE hire_number = 1001');
    other.close();
    expect((await window({})).total).toBe(total - 2);
  });

  it('finds rows that hold all words, in what they show or in their number', async () => {
    const { total, rows } = await window({ search: 'oDUya te' });
    expect(total).toBe(rows.length);
    expect(rows.length).toBeGreaterThan(0);
    for (const row of rows) expect(String((row[1] as [number, string])[1])).toMatch(/Oduya, Te/);
    expect((await window({ search: '1417' })).rows.map(([key]) => key)).toContain(1417);
    expect((await window({ search: '100%' })).total).toBe(0);
  });

  it('puts choices first that begin with what was typed, then those with a word that does', async () => {
    const people = [
      ['Zxqvena', 'Tam'],
      ['Axqvena', 'Seth'],
      ['Xqvena', 'Seth'],
      ['Xqvena', 'Temi'],
      ['Boxqvena-Txqs', 'Liz'],
      ['Vann', 'Txqsa'],
    ].map(([surname, first]) => ({
      ...{ op: 'insert', table: 't_player', values: { f_playerSurname: surname, f_playerFirstName: first } },
    }));
    const saved = await office.save(...people);
    expect(saved.status).withContext(JSON.stringify(saved.body)).toBe(200);
    const found = async (search: string): Promise<string[]> =>
      (await office.call('POST', 'lookups/f_hirePlayer', { search })).body.choices.map(
        ([, shown]: [unknown, string]) => shown,
      );
    expect(await found('xqvena, t')).toEqual([
      'Xqvena, Temi',
      'Axqvena, Seth',
      'Xqvena, Seth',
      'Zxqvena, Tam',
    ]);
    expect(await found('t xqvena')).toEqual([
      'Xqvena, Temi',
      'Axqvena, Seth',
      'Boxqvena-Txqs, Liz',
      'Xqvena, Seth',
      'Zxqvena, Tam',
    ]);
    // A part behind a hyphen is a word of its own.
    expect(await found('txqs')).toEqual(['Boxqvena-Txqs, Liz', 'Vann, Txqsa']);
    // A sign that stands for any letter elsewhere stands for itself.
    expect(await found('Xqvena, T%')).toEqual([]);
    const keys = saved.body.saved.map(({ key }: { key: unknown }) => ({
      op: 'delete',
      table: 't_player',
      key,
    }));
    expect((await office.save(...keys)).status).toBe(200);
  });

  it('offers choices by part of what they show', async () => {
    const { body } = await office.call('POST', 'lookups/f_hireInstrument', { search: 'viola 15' });
    expect(body.choices.length).toBeGreaterThan(0);
    for (const [, text] of body.choices as [number, string][]) expect(text).toMatch(/Viola.*15/);
  });

  it('pages the record list by key, newest first', async () => {
    const seen: number[] = [];
    let after: string | undefined;
    for (let page = 0; page < 3; page++) {
      const { body } = await office.call(
        'GET',
        `desk/screens/o_hireDesk/list${after ? `?after=${after}` : ''}`,
        undefined,
        'colleague',
      );
      seen.push(...(body.entries as { key: [number] }[]).map(({ key }) => key[0]));
      after = JSON.stringify([seen[seen.length - 1]]);
    }
    expect(seen.length).toBe(180);
    expect(seen).toEqual([...seen].sort((a, b) => b - a));
    expect(new Set(seen).size).toBe(180);
  });

  it('answers the same from anchors as by counting', async () => {
    const { anchorSql, orderOf, readWindow } = await import('./window');
    const { reader, design } = office.app.context.files.get(office.file);
    const payments = design.tables.find(({ id }) => id === 't_payment')!;
    const sort = { field: 'f_paymentPaidOn', descending: false };
    const rows = reader
      .prepare(anchorSql(orderOf(design, payments, [sort])))
      .raw()
      .all() as (string | number)[][];
    expect(rows.length).toBe(2);
    const request = { start: 5020, limit: 20, sort: [sort], ...NOTHING };
    expect(readWindow(reader, design, BUILDER, payments, request, { order: '', rows })).toBe(
      readWindow(reader, design, BUILDER, payments, request, null),
    );
  });
});
