import { crc32, deflateSync } from 'node:zlib';
import type { Change } from '@heathridge/core/change';
import type { Field, FieldType, Rule } from '@heathridge/core/design';
import { field, lookup, number, table } from '../../../core/src/design/testing/office';
import { Office } from '../testing/office';
import '../testing/timeouts';

const rule = (id: string, expression: string, message: string, rest: Partial<Rule> = {}): Rule => ({
  id: `r_${id}`,
  expression,
  message,
  ...rest,
});

const HALL = table('hall', [
  field('hNo', 'number', number),
  field('hName', 'name', { kind: 'text' }, { alwaysFilled: true }),
  field('hSeats', 'seats', { kind: 'wholeNumber' }),
]);
const BOOKING = table(
  'booking',
  [
    field('bNo', 'number', number),
    field('bHall', 'hall', lookup('hall'), { alwaysFilled: true }),
    field('bFrom', 'starts', { kind: 'date' }, { alwaysFilled: true }),
    field('bTo', 'ends', { kind: 'date' }, { alwaysFilled: true }),
    field('bGuests', 'guests', { kind: 'wholeNumber' }),
    field('bPrice', 'price', { kind: 'money', places: 2 }),
    field('bMade', 'made_by', { kind: 'stamp', of: 'createdBy' }),
    field('bAt', 'changed', { kind: 'stamp', of: 'changedAt' }),
    field('bNights', 'nights', {
      kind: 'workedOut',
      expression: '"#f_bTo" - "#f_bFrom"',
      result: { kind: 'wholeNumber' },
    } as FieldType),
    field('bPaid', 'paid', {
      kind: 'workedOut',
      expression: 'COALESCE(SUM("#f_pBooking"."#f_pAmount"), 0)',
      result: { kind: 'money', places: 2 },
    } as FieldType),
    field('bOwed', 'owed', {
      kind: 'workedOut',
      expression: '"#f_bPrice" - "#f_bPaid"',
      result: { kind: 'money', places: 2 },
    } as FieldType),
  ],
  {
    rules: [
      rule(
        'overlap',
        'COUNT("#f_bHall"."#f_bHall") FILTER (WHERE "#f_bHall"."#f_bHall"."#f_bNo" IS DISTINCT FROM "#f_bNo" AND "#f_bHall"."#f_bHall"."#f_bFrom" < "#f_bTo" AND "#f_bHall"."#f_bHall"."#f_bTo" > "#f_bFrom") = 0',
        '{"#f_bHall"} is taken from {"#f_bFrom"} to {"#f_bTo"}.',
      ),
      rule(
        'seats',
        '"#f_bGuests" <= "#f_bHall"."#f_hSeats"',
        '{"#f_bGuests"} guests do not fit {"#f_bHall"}: it seats {"#f_bHall"."#f_hSeats"}.',
      ),
      rule('order', '"#f_bFrom" < "#f_bTo"', 'It ends on {"#f_bTo"}, before it starts.'),
      rule('owed', '"#f_bOwed" >= 0', 'More is paid ({"#f_bPaid"}) than the price.'),
    ],
  },
);
const PAYMENT = table('payment', [
  field('pNo', 'number', number),
  field('pBooking', 'booking', lookup('booking'), { alwaysFilled: true }),
  field('pAmount', 'amount', { kind: 'money', places: 2 }, { alwaysFilled: true }),
]);

describe('rules over several fields, other rows and the clock', () => {
  let office: Office;
  beforeEach(async () => {
    office = await Office.open({ demo: false });
    const { status, body } = await office.apply(
      ...[HALL, BOOKING, PAYMENT].map((item): Change => ({ change: 'addTable', table: item })),
    );
    expect(status).withContext(JSON.stringify(body)).toBe(200);
    await office.save({ op: 'insert', table: 't_hall', values: { f_hName: 'Blue Hall', f_hSeats: 100 } });
    const saved = await office.save({
      op: 'insert',
      table: 't_booking',
      values: { f_bHall: 1, f_bFrom: '2026-12-01', f_bTo: '2026-12-05', f_bGuests: 80, f_bPrice: '500.00' },
    });
    expect(saved.status).withContext(JSON.stringify(saved.body)).toBe(200);
  });
  afterEach(() => office.close());

  const file = () => office.app.context.files.get(office.file);
  const read = (sql: string): unknown[][] => file().reader.prepare(sql).raw().all() as unknown[][];
  const book = (values: object) =>
    office.save({
      op: 'insert',
      table: 't_booking',
      values: { f_bHall: 1, f_bFrom: '2026-12-10', f_bTo: '2026-12-12', ...values },
    });
  const message = async (
    answer: Promise<{ status: number; body: { errors?: { message: string }[] } }>,
  ): Promise<string> => {
    const { status, body } = await answer;
    expect(status).toBe(422);
    return body.errors?.[0]?.message ?? '';
  };
  /** Straight into the file, past everything but the file itself. */
  const bySql = (sql: string): string => {
    try {
      file().writer.exec(sql);
      return 'taken';
    } catch (error) {
      return (error as Error).message;
    }
  };

  it('say what is wrong with the row’s own values', async () => {
    expect(await message(book({ f_bFrom: '2026-12-04', f_bTo: '2026-12-06' }))).toBe(
      'Blue Hall is taken from 4 Dec 2026 to 6 Dec 2026.',
    );
    expect(await message(book({ f_bGuests: 101 }))).toBe('101 guests do not fit Blue Hall: it seats 100.');
    expect(await message(book({ f_bTo: '2026-12-09' }))).toBe('It ends on 9 Dec 2026, before it starts.');
    expect((await book({ f_bFrom: '2026-12-05', f_bTo: '2026-12-06' })).status).toBe(200);
  });

  it('hold by every road: the file itself refuses', () => {
    expect(
      bySql("INSERT INTO booking (hall, starts, ends) VALUES (1, '2026-12-02', '2026-12-03')"),
    ).toContain('rule:r_overlap');
    expect(
      bySql("INSERT INTO booking (hall, starts, ends, guests) VALUES (1, '2027-01-01', '2027-01-02', 500)"),
    ).toContain('rule:r_seats');
    expect(
      bySql("INSERT INTO booking (hall, starts, ends) VALUES (1, '2027-01-03', '2027-01-02')"),
    ).toContain('rule r_order');
  });

  it('hold from the other end: what they look at may not change under them', async () => {
    expect(
      await message(
        office.save({ op: 'update', table: 't_hall', key: [1], values: { f_hSeats: 50 }, was: {} }),
      ),
    ).toContain('guests do not fit');
    expect(bySql('UPDATE hall SET seats = 79')).toContain('rule:r_seats');
    expect(bySql('UPDATE hall SET seats = 80')).toBe('taken');
    expect(
      (
        await office.save({
          op: 'insert',
          table: 't_payment',
          values: { f_pBooking: 1, f_pAmount: '500.00' },
        })
      ).status,
    ).toBe(200);
    expect(
      await message(
        office.save({ op: 'insert', table: 't_payment', values: { f_pBooking: 1, f_pAmount: '0.01' } }),
      ),
    ).toContain('More is paid');
    expect(bySql('UPDATE payment SET amount = 50001')).toContain('rule:r_owed');
    expect(bySql('DELETE FROM payment')).toBe('taken');
    expect(bySql('UPDATE booking SET price = -1')).toContain('rule:r_owed');
  });

  it('work fields out from the row, from linked rows and from child rows, and sort and sum by them', async () => {
    await office.save({ op: 'insert', table: 't_payment', values: { f_pBooking: 1, f_pAmount: '120.50' } });
    await book({ f_bPrice: '90.00' });
    const { body } = await office.call('POST', 'tables/t_booking/window', {
      start: 0,
      limit: 10,
      sort: [{ field: 'f_bOwed', descending: true }],
    });
    const at = (row: unknown[], id: string): unknown =>
      row[BOOKING.fields.findIndex((item) => item.id === `f_${id}`)];
    expect(
      body.rows.map((row: unknown[]) => [at(row, 'bNights'), at(row, 'bPaid'), at(row, 'bOwed')]),
    ).toEqual([
      [4, '120.50', '379.50'],
      [2, '0.00', '90.00'],
    ]);
    expect(read('SELECT nights, paid, owed FROM booking_readable ORDER BY number')).toEqual([
      [4, '120.50', '379.50'],
      [2, '0.00', '90.00'],
    ]);
    const { body: result } = await office.call('POST', 'query/run', {
      query: {
        type: 'query',
        id: 'q_x',
        label: 'X',
        from: 't_hall',
        joins: [],
        where: [{ is: 'so', expression: 'SUM("#f_bHall"."#f_bOwed") > 400' }],
        columns: [
          { id: 'a', label: 'Hall', expression: '"#f_hName"' },
          { id: 'b', label: 'Owed', expression: 'SUM("#f_bHall"."#f_bOwed")' },
        ],
        group: null,
        sort: [],
        first: null,
      },
    });
    expect(result.rows).toEqual([['Blue Hall', '469.50']]);
  });

  it('fill stamps by the server alone', async () => {
    expect(read('SELECT made_by, changed FROM booking')).toEqual([['Mara Ashdown', '2026-11-25T12:00:00Z']]);
    const refused = await office.save({
      op: 'update',
      table: 't_booking',
      key: [1],
      values: { f_bMade: 'Somebody' },
      was: {},
    });
    expect(refused.body.errors[0].message).toContain('is filled by itself');
    const worked = await office.save({
      op: 'insert',
      table: 't_booking',
      values: { f_bHall: 1, f_bPaid: '1.00' },
    });
    expect(worked.body.errors[0].field).toBe('f_bPaid');
  });

  it('are kept for new rows only, when that is asked for', async () => {
    const strict = rule('few', '"#f_bGuests" < 50', 'At most 49 guests.');
    const set = (rules: Rule[]): Change => ({
      change: 'changeTable',
      table: 't_booking',
      set: { rules: [...BOOKING.rules, ...rules] },
    });
    const { body } = await office.check(set([strict]));
    expect(body.findings[0]).toEqual(
      jasmine.objectContaining({ sort: 'rule', rule: 'r_few', count: 1, fields: ['f_bGuests'] }),
    );
    expect((await office.apply(set([{ ...strict, newRowsOnly: true }]))).status).toBe(200);
    // The old row may stay as it is and be changed, but one that keeps the rule may not break it.
    expect(
      (await office.save({ op: 'update', table: 't_booking', key: [1], values: { f_bGuests: 70 }, was: {} }))
        .status,
    ).toBe(200);
    expect(await message(book({ f_bGuests: 60 }))).toBe('At most 49 guests.');
    expect((await book({ f_bGuests: 40 })).status).toBe(200);
    expect(bySql('UPDATE booking SET guests = 60 WHERE guests = 40')).toContain('rule:r_few');
  });

  it('may ask for today, when a row is written', async () => {
    const soon = rule('soon', '"#f_bFrom" >= CURRENT_DATE', 'It starts on {"#f_bFrom"}, which is past.');
    const change: Change = {
      change: 'changeTable',
      table: 't_booking',
      set: { rules: [...BOOKING.rules, soon] },
    };
    expect((await office.apply(change)).status).toBe(200);
    // The server's clock stands still in these tests, the file's does not: both agree on days far away.
    expect(await message(book({ f_bFrom: '2019-11-24', f_bTo: '2019-11-26' }))).toBe(
      'It starts on 24 Nov 2019, which is past.',
    );
    expect((await book({ f_bFrom: '2126-11-25', f_bTo: '2126-11-26' })).status).toBe(200);
  });

  it('refuse a rule that cannot be, and a message with a field that is not there', async () => {
    const notices = async (extra: Rule): Promise<string> =>
      (await office.check({ change: 'changeTable', table: 't_booking', set: { rules: [extra] } })).body
        .notices[0].message as string;
    expect(await notices(rule('a', '"#f_bFrom" > 3', 'x'))).toContain('A rule of Booking');
    expect(await notices(rule('b', '"#f_bGuests" > 3', 'No {nothing}.'))).toContain('nothing');
    const self = {
      kind: 'workedOut',
      expression: '"#f_bOwed" + 1',
      result: { kind: 'money', places: 2 },
    } as FieldType;
    const loop: Change = { change: 'changeField', table: 't_booking', field: 'f_bPaid', set: { type: self } };
    expect((await office.check(loop)).body.notices[0].message).toContain('is worked out from itself');
  });
});

/**
 * The referential actions of ISO/IEC 9075-2, clause "<referential constraint definition>" (the clause's
 * name from memory), for ON DELETE: RESTRICT, CASCADE, SET NULL. NO ACTION and SET DEFAULT are not offered.
 */
describe('referential actions', () => {
  const cases: [FieldType & { kind: 'lookup' }, string, unknown[][]][] = [
    [{ ...lookup('hall'), onDelete: 'refuse' } as FieldType & { kind: 'lookup' }, 'RESTRICT', [[1]]],
    [{ ...lookup('hall'), onDelete: 'deleteAlong' } as FieldType & { kind: 'lookup' }, 'CASCADE', []],
    [{ ...lookup('hall'), onDelete: 'leaveEmpty' } as FieldType & { kind: 'lookup' }, 'SET NULL', [[null]]],
  ];
  for (const [type, action, left] of cases) {
    it(`${action} is carried out by the file`, async () => {
      const office = await Office.open({ demo: false });
      try {
        const child = table('child', [field('cNo', 'number', number), field('cHall', 'hall', type)]);
        await office.apply({ change: 'addTable', table: HALL }, { change: 'addTable', table: child });
        await office.save({ op: 'insert', table: 't_hall', values: { f_hName: 'A' } });
        await office.save({ op: 'insert', table: 't_child', values: { f_cHall: 1 } });
        const { writer, reader } = office.app.context.files.get(office.file);
        const [[sql]] = reader.prepare("SELECT sql FROM sqlite_schema WHERE name = 'child'").raw().all() as [
          [string],
        ];
        expect(sql).toContain(`ON DELETE ${action}`);
        if (action === 'RESTRICT') expect(() => writer.exec('DELETE FROM hall')).toThrowError(/FOREIGN KEY/);
        else writer.exec('DELETE FROM hall');
        expect(reader.prepare('SELECT hall FROM child').raw().all()).toEqual(left);
        const refused = await office.save({ op: 'insert', table: 't_child', values: { f_cHall: 99 } });
        expect(refused.body.errors[0].message).toContain('no longer there');
      } finally {
        await office.close();
      }
    });
  }
});

describe('every kind of field', () => {
  const KINDS: readonly (readonly [name: string, type: FieldType, good: unknown, bad: unknown])[] = [
    ['card', { kind: 'text', pattern: 'A-9999' }, 'Q-1234', 'Q-12'],
    ['short', { kind: 'text', most: 3 }, 'abc', 'abcd'],
    ['count', { kind: 'wholeNumber', least: '1', greatest: '9' }, 9, 10],
    ['ratio', { kind: 'decimal', places: 3, least: '-0.5' }, '-0.500', '-0.501'],
    ['cost', { kind: 'money', places: 2, greatest: '99.99' }, '99.99', '100.00'],
    ['at', { kind: 'time' }, '14:30:00', '24:00:00'],
    ['moment', { kind: 'dateTime' }, '2026-11-04T14:30:00Z', '2026-11-04T25:30:00Z'],
    ['day', { kind: 'date' }, '2024-02-29', '2025-02-29'],
    ['month', { kind: 'date' }, '2024-12-31', '2024-13-01'],
  ];
  let office: Office;
  beforeAll(async () => {
    office = await Office.open({ demo: false });
    const fields: Field[] = [
      field('kNo', 'number', number),
      ...KINDS.map(([name, type]) => field(`k${name}`, name, type)),
      field('kPic', 'pic', { kind: 'picture' }),
      field('kDoc', 'doc', { kind: 'file' }),
    ];
    const { status, body } = await office.apply({ change: 'addTable', table: table('thing', fields) });
    expect(status).withContext(JSON.stringify(body)).toBe(200);
  });
  afterAll(() => office.close());

  for (const [name, , good, bad] of KINDS) {
    it(`${name}: takes ${String(good)} and refuses ${String(bad)}, by the API and by the file`, async () => {
      const id = `f_k${name}`;
      expect((await office.save({ op: 'insert', table: 't_thing', values: { [id]: good } })).status).toBe(
        200,
      );
      const refused = await office.save({ op: 'insert', table: 't_thing', values: { [id]: bad } });
      expect(refused.body.errors[0].field).toBe(id);
      const { writer } = office.app.context.files.get(office.file);
      const stored = typeof bad === 'string' && /^-?\d+\.\d+$/.test(bad) ? Number(bad.replace('.', '')) : bad;
      expect(() => writer.prepare(`INSERT INTO thing ("${name}") VALUES (?)`).run([stored])).toThrowError(
        /kind f_k/,
      );
    });
  }

  it('keeps pictures and files apart, with a preview, and never in a list', async () => {
    const { default: sharp } = await import('sharp');
    const png = await sharp({ create: { width: 800, height: 400, channels: 3, background: '#2c6a4f' } })
      .png()
      .toBuffer();
    const send = (bytes: Buffer, query: string) =>
      office.call('POST', `attachments?${query}`, bytes, 'builder', {
        'content-type': 'application/octet-stream',
      });
    const { body: kept } = await send(png, 'name=green.png&picture=yes');
    expect(kept).toEqual(
      jasmine.objectContaining({ name: 'green.png', type: 'image/png', size: png.length, preview: true }),
    );
    expect((await send(Buffer.from('no picture'), 'name=a.png&picture=yes')).body.detail).toContain(
      'no picture that can be shown',
    );
    expect((await send(Buffer.alloc(0), 'name=a')).status).toBe(400);
    const { body: text } = await send(Buffer.from('<script>alert(1)</script>'), 'name=a.html');
    const shown = await office.call('GET', `attachments/${text.id}`);
    expect(String(shown.headers['content-disposition'])).toContain('attachment');
    expect(shown.headers['content-type']).toBe('application/octet-stream');
    const preview = await office.call('GET', `attachments/${kept.id}/preview`);
    expect((await sharp(preview.raw).metadata()).width).toBe(320);
    expect((await office.call('GET', `attachments/${kept.id}`)).raw.equals(png)).toBeTrue();
    const { body: saved } = await office.save({
      op: 'insert',
      table: 't_thing',
      values: { f_kPic: kept.id, f_kDoc: text.id },
    });
    const { body: page } = await office.call('POST', 'tables/t_thing/window', { start: 0, limit: 100 });
    const row = (page.rows as unknown[][]).find(([key]) => key === saved.saved[0].key[0])!;
    expect(row.slice(-2)).toEqual([
      [kept.id, 'green.png'],
      [text.id, 'a.html'],
    ]);
    const lost = await office.save({ op: 'insert', table: 't_thing', values: { f_kPic: 99999 } });
    expect(lost.body.errors[0]).toEqual(jasmine.objectContaining({ field: 'f_kPic' }));
    expect((await office.call('GET', 'attachments/99999')).status).toBe(404);
  });
});

describe('a gigantic picture', () => {
  /** The beginning of a PNG of so many points (PNG, third edition, 11.2.1), with next to nothing in it. */
  const png = (width: number, height: number): Buffer => {
    const chunk = (type: string, data: Buffer): Buffer => {
      const body = Buffer.concat([Buffer.from(type, 'latin1'), data]);
      const frame = Buffer.alloc(8);
      frame.writeUInt32BE(data.length, 0);
      frame.writeUInt32BE(crc32(body), 4);
      return Buffer.concat([frame.subarray(0, 4), body, frame.subarray(4)]);
    };
    const head = Buffer.alloc(13);
    head.writeUInt32BE(width, 0);
    head.writeUInt32BE(height, 4);
    head.set([8, 2, 0, 0, 0], 8);
    return Buffer.concat([
      Buffer.from('89504e470d0a1a0a', 'hex'),
      chunk('IHDR', head),
      chunk('IDAT', deflateSync(Buffer.alloc(1000))),
      chunk('IEND', Buffer.alloc(0)),
    ]);
  };

  it('is refused in words before anything of it is unpacked, however many come at once', async () => {
    const office = await Office.open({ demo: false });
    const send = (bytes: Buffer, query: string) =>
      office.call('POST', `attachments?${query}`, bytes, 'builder', {
        'content-type': 'application/octet-stream',
      });
    const many = await Promise.all(
      Array.from({ length: 8 }, (_, i) =>
        send(png(16_000, 16_000), `name=${i}.png&picture=${i % 2 ? 'yes' : 'no'}`),
      ),
    );
    for (const [i, { status, body }] of many.entries())
      expect([status, body.detail]).toEqual([
        413,
        `${i}.png has 16,000 x 16,000 points; at most 64 million are kept of a picture. Make it smaller first.`,
      ]);
    // One that follows is made small as ever; one that is broken is a file.
    const { default: sharp } = await import('sharp');
    const small = await sharp({ create: { width: 80, height: 40, channels: 3, background: '#2c6a4f' } })
      .png()
      .toBuffer();
    expect((await send(small, 'name=a.png&picture=yes')).body.preview).toBeTrue();
    expect((await send(png(100, 100), 'name=b.png')).body.preview).toBeFalse();
    await office.close();
  });
});

describe('lookups', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());
  const ask = async (field: string, body: object): Promise<[number, string, ...string[]][]> =>
    (await office.call('POST', `lookups/${field}`, { search: '', ...body })).body.choices;
  const read = (sql: string): unknown[][] =>
    office.app.context.files.get(office.file).reader.prepare(sql).raw().all() as unknown[][];

  it('are narrowed by another field of the row, and say when a choice no longer fits', async () => {
    const all = await ask('f_instrumentKind', { row: {} });
    expect(all.length).toBe(28);
    const strings = await ask('f_instrumentKind', { row: { f_instrumentFamily: 3 } });
    expect(strings.map(([, text]) => text)).toContain('Double bass');
    expect(new Set(strings.map(([, , family]) => family))).toEqual(new Set(['Strings']));
    const [[trumpet]] = read("SELECT number FROM kind WHERE name = 'Trumpet'") as [[number]];
    expect(await ask('f_instrumentKind', { row: { f_instrumentFamily: 3 }, only: trumpet })).toEqual([]);
    expect((await ask('f_instrumentKind', { row: { f_instrumentFamily: 1 }, only: trumpet })).length).toBe(1);
  });

  it('offer only what the builder says, and still show what was chosen before', async () => {
    const [[gone, shown]] = read(
      'SELECT number, surname FROM player WHERE active = 0 ORDER BY 1 LIMIT 1',
    ) as [[number, string]];
    expect(await ask('f_hirePlayer', { only: gone })).toEqual([]);
    const [[hire]] = read(`SELECT hire_number FROM hire WHERE player = ${gone} LIMIT 1`) as [[number]];
    const record = await office.call('GET', `desk/screens/o_hireDesk/record?key=[${hire}]`);
    expect(record.body.record.cells.f_hirePlayer[1]).toContain(shown);
    const active = await ask('f_hirePlayer', { search: 'oduya' });
    expect(active.every(([, , school]) => typeof school === 'string')).toBeTrue();
  });

  it('may offer the rows of a query, in an order of their own', async () => {
    const type = office.design.tables
      .find(({ id }) => id === 't_hire')!
      .fields.find(({ id }) => id === 'f_hireInstrument')!.type as FieldType & { kind: 'lookup' };
    const changed: FieldType = {
      ...type,
      query: 'q_neverHired',
      filter: null,
      order: { by: '"#f_instrumentValue"', descending: true },
    };
    expect(
      (
        await office.apply({
          change: 'changeField',
          table: 't_hire',
          field: 'f_hireInstrument',
          set: { type: changed },
        })
      ).status,
    ).toBe(200);
    const offered = await ask('f_hireInstrument', {});
    const expected = read(
      'SELECT asset_number FROM instrument i WHERE NOT EXISTS (SELECT 1 FROM hire h WHERE h.instrument = i.asset_number) ORDER BY value DESC LIMIT 30',
    ).length;
    expect(offered.length).toBe(expected);
    const drop = await office.drop('q_neverHired');
    expect(drop.status).toBe(422);
    expect(drop.body.detail).toContain('Hire');
  });

  it('let a colleague add the row that is missing, where the builder allows it', async () => {
    const add = (table: string, values: object) =>
      office.call(
        'POST',
        'desk/screens/o_hireDesk/save',
        { changes: [{ op: 'insert', table, values }] },
        'colleague',
      );
    expect((await add('t_player', { f_playerSurname: 'New', f_playerFirstName: 'Nell' })).status).toBe(200);
    expect((await add('t_instrument', { f_instrumentKind: 1, f_instrumentCondition: 'Good' })).status).toBe(
      403,
    );
  });
});
