import type { Change } from '@heathridge/core/change';
import { plainField, type FieldType } from '@heathridge/core/design';
import { field, lookup, number, table } from '../../../core/src/design/testing/office';
import { Office, type Answer } from '../testing/office';
import '../testing/timeouts';

/**
 * Undoing brings back what a draft took away wherever nobody has written that field since, and keeps what was
 * written.
 */
describe('undo, field by field', () => {
  let office: Office;
  beforeEach(async () => (office = await Office.open()));
  afterEach(() => office.close());

  const cells = async (table: string, key: number): Promise<Record<string, unknown>> => {
    const { body } = await office.call('GET', `tables/${table}/row?key=[${key}]`);
    const { fields } = office.design.tables.find(({ id }) => id === table)!;
    return Object.fromEntries(fields.map(({ id }, i) => [id, (body.cells as unknown[])[i]]));
  };
  const write = async (table: string, key: number, values: object): Promise<void> => {
    const { status, body } = await office.save({ op: 'update', table, key: [key], values, was: {} });
    expect(status).withContext(JSON.stringify(body)).toBe(200);
  };
  const applied = async (...changes: Parameters<Office['apply']>): Promise<void> => {
    const { status, body } = await office.apply(...changes);
    expect(status).withContext(JSON.stringify(body)).toBe(200);
  };
  const undone = async (): Promise<void> => {
    const { status, body } = await office.call('POST', `changes/${office.design.version}/undo`, {});
    expect(status).withContext(JSON.stringify(body)).toBe(200);
  };
  const typeOf = (table: string, field: string): FieldType =>
    office.design.tables.find(({ id }) => id === table)!.fields.find(({ id }) => id === field)!.type;

  it('brings a dropped field back in rows whose other fields were written', async () => {
    const before = await cells('t_school', 1);
    expect(before['f_schoolPhone']).toMatch(/\d/);
    await applied({ change: 'dropField', table: 't_school', field: 'f_schoolPhone' });
    await write('t_school', 1, { f_schoolName: 'Renamed since' });
    const added = await office.save({
      op: 'insert',
      table: 't_school',
      values: { f_schoolName: 'Added since' },
    });
    await undone();
    expect(await cells('t_school', 1)).toEqual({ ...before, f_schoolName: 'Renamed since' });
    const [key] = added.body.saved[0].key as [number];
    expect((await cells('t_school', key))['f_schoolPhone']).toBeNull();
  });

  it('gives a converted value back as it was, and as it is only where it was written', async () => {
    const [kept, touched, written] = [1417, 1418, 1419];
    const before = await Promise.all([kept, touched, written].map((key) => cells('t_hire', key)));
    for (const row of before) expect(row['f_hireMonthlyFee']).toMatch(/\.\d\d$/);
    await write('t_hire', touched, { f_hireMonthlyFee: '11.50' });
    await applied({
      change: 'changeField',
      table: 't_hire',
      field: 'f_hireMonthlyFee',
      set: { type: { kind: 'wholeNumber' }, start: null, rule: null },
      convert: {},
    });
    await write('t_hire', touched, { f_hireNote: 'Touched' });
    await write('t_hire', written, { f_hireMonthlyFee: 7 });
    await undone();
    expect((await cells('t_hire', kept))['f_hireMonthlyFee']).toBe(before[0]!['f_hireMonthlyFee']);
    const row = await cells('t_hire', touched);
    expect([row['f_hireMonthlyFee'], row['f_hireNote']]).toEqual(['11.50', 'Touched']);
    expect((await cells('t_hire', written))['f_hireMonthlyFee']).toBe('7.00');
    expect(typeOf('t_hire', 'f_hireMonthlyFee').kind).toBe('money');
  });

  it('reads what was a text before only where it was written since', async () => {
    // Another tool has left blanks at the ends.
    const { writer } = office.app.context.files.get(office.file);
    writer.exec("UPDATE school SET district = 'North ' WHERE number IN (1, 2)");
    const type = typeOf('t_school', 'f_schoolDistrict');
    await applied({
      change: 'changeField',
      table: 't_school',
      field: 'f_schoolDistrict',
      set: { type: { kind: 'longText' } },
      convert: {},
    });
    await write('t_school', 1, { f_schoolPhone: '01632 960000' });
    await write('t_school', 3, { f_schoolDistrict: 'South' });
    await undone();
    expect(typeOf('t_school', 'f_schoolDistrict')).toEqual(type);
    const districts = await Promise.all([1, 2, 3].map((key) => cells('t_school', key)));
    expect(districts.map((row) => row['f_schoolDistrict'])).toEqual(['North ', 'North ', 'South']);
  });

  it('joins parts again that were edited', async () => {
    await write('t_school', 1, { f_schoolDistrict: 'North, Lower' });
    await write('t_school', 2, { f_schoolDistrict: 'South, Upper' });
    const into = (id: string) => plainField(id, id.slice(2), id, { kind: 'text' });
    await applied({
      change: 'splitField',
      table: 't_school',
      field: 'f_schoolDistrict',
      separator: ', ',
      into: [into('f_one'), into('f_two')],
    });
    await write('t_school', 1, { f_two: 'Higher' });
    await write('t_school', 2, { f_schoolPhone: '01632 960000' });
    await undone();
    expect((await cells('t_school', 1))['f_schoolDistrict']).toBe('North, Higher');
    expect((await cells('t_school', 2))['f_schoolDistrict']).toBe('South, Upper');
  });

  it('parts again what was joined and edited', async () => {
    const before = await cells('t_school', 2);
    await applied({
      change: 'mergeFields',
      table: 't_school',
      fields: ['f_schoolDistrict', 'f_schoolPhone'],
      separator: ' / ',
      into: plainField('f_both', 'both', 'Both', { kind: 'text' }),
    });
    await write('t_school', 1, { f_both: 'Elsewhere / 123' });
    await write('t_school', 2, { f_schoolName: 'Renamed' });
    await undone();
    const row = await cells('t_school', 1);
    expect([row['f_schoolDistrict'], row['f_schoolPhone']]).toEqual(['Elsewhere', '123']);
    expect(await cells('t_school', 2)).toEqual({ ...before, f_schoolName: 'Renamed' });
  });
});

/** Keys that a draft changes, and keys that somebody changes since. */
describe('undo, whatever became of keys', () => {
  let office: Office;
  const MAKER = table(
    'maker',
    [
      field('mNo', 'number', number),
      field('mCode', 'code', { kind: 'text' }, { alwaysFilled: true, noTwoAlike: true }),
      field('mTown', 'town', { kind: 'text' }),
    ],
    {},
  );
  const THING = table('thing', [
    field('tNo', 'number', number),
    field('tMaker', 'maker', { ...lookup('maker'), onDelete: 'leaveEmpty' } as FieldType),
    field('tNote', 'note', { kind: 'text' }),
  ]);
  const ok = (answer: Answer): Answer['body'] => {
    expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
    return answer.body;
  };
  const rows = (sql: string): unknown =>
    office.app.context.files.get(office.file).reader.prepare(sql).raw().all();
  const update = (name: string, key: unknown, values: object) => ({
    ...{ op: 'update', table: name, key: [key], values, was: {} },
  });
  const CODE_IS_KEY: Change[] = [
    {
      change: 'changeField',
      table: 't_maker',
      field: 'f_mNo',
      set: { type: { kind: 'wholeNumber' } },
      convert: {},
    },
    { change: 'changeTable', table: 't_maker', set: { key: ['f_mCode'] } },
  ];

  beforeEach(async () => {
    office = await Office.open({ demo: false });
    ok(await office.apply({ change: 'addTable', table: MAKER }, { change: 'addTable', table: THING }));
    const makers = ['A', 'B', 'C'].map((code) => ({
      ...{ op: 'insert', table: 't_maker', values: { f_mCode: code, f_mTown: `Town ${code}` } },
    }));
    const things = [1, 2, 3].map((maker) => ({
      ...{ op: 'insert', table: 't_thing', values: { f_tMaker: maker, f_tNote: `Of ${maker}` } },
    }));
    ok(await office.save(...makers, ...things));
  });
  afterEach(() => office.close());

  it('finds each row again after its table got another key', async () => {
    ok(
      await office.apply(...CODE_IS_KEY, {
        change: 'dropField',
        table: 't_maker',
        field: 'f_mTown',
        mends: [],
      }),
    );
    ok(
      await office.save(
        update('t_maker', 'A', { f_mCode: 'Z' }),
        { op: 'delete', table: 't_maker', key: ['B'] },
        { op: 'insert', table: 't_maker', values: { f_mCode: 'A' } },
        update('t_thing', 3, { f_tMaker: 'A' }),
        { op: 'insert', table: 't_thing', values: { f_tMaker: 'Z', f_tNote: 'New' } },
      ),
    );
    ok(await office.call('POST', `changes/${office.design.version}/undo`, {}));
    // The one that is called A by now is not the one that was; it gets a number that none has had.
    expect(rows('SELECT number, code, town FROM maker ORDER BY number')).toEqual([
      [1, 'Z', 'Town A'],
      [3, 'C', 'Town C'],
      [4, 'A', null],
    ]);
    expect(rows('SELECT number, maker, note FROM thing ORDER BY number')).toEqual([
      [1, 1, 'Of 1'],
      [2, null, 'Of 2'],
      [3, 4, 'Of 3'],
      [4, 1, 'New'],
    ]);
    // The next number is one that nobody has had.
    ok(await office.save({ op: 'insert', table: 't_maker', values: { f_mCode: 'N' } }));
    expect(rows("SELECT number FROM maker WHERE code = 'N'")).toEqual([[5]]);
  });

  it('finds a row whose own key somebody has changed since, and leads lookups that come back there', async () => {
    ok(await office.apply(...CODE_IS_KEY));
    ok(
      await office.apply(
        { change: 'dropField', table: 't_maker', field: 'f_mTown', mends: [] },
        { change: 'dropField', table: 't_thing', field: 'f_tMaker', mends: [] },
      ),
    );
    ok(await office.save(update('t_maker', 'A', { f_mCode: 'Q' }), update('t_maker', 'B', { f_mCode: 'A' })));
    ok(await office.call('POST', `changes/${office.design.version}/undo`, {}));
    expect(rows('SELECT code, town FROM maker ORDER BY number')).toEqual([
      ['Q', 'Town A'],
      ['A', 'Town B'],
      ['C', 'Town C'],
    ]);
    expect(rows('SELECT maker FROM thing ORDER BY number')).toEqual([['Q'], ['A'], ['C']]);
  });

  it('leads lookups back to a table whose key had become one of several fields', async () => {
    const [plain] = CODE_IS_KEY as [Change, Change];
    ok(
      await office.apply(
        { change: 'dropField', table: 't_thing', field: 'f_tMaker', mends: [] },
        plain,
        {
          change: 'changeField',
          table: 't_maker',
          field: 'f_mTown',
          set: { alwaysFilled: true },
          convert: {},
        },
        { change: 'changeTable', table: 't_maker', set: { key: ['f_mCode', 'f_mTown'] } },
      ),
    );
    ok(
      await office.save({
        ...update('t_maker', 'A', { f_mCode: 'Q', f_mTown: 'Else' }),
        key: ['A', 'Town A'],
      }),
    );
    ok(await office.call('POST', `changes/${office.design.version}/undo`, {}));
    expect(rows('SELECT number, code, town FROM maker ORDER BY number')).toEqual([
      [1, 'Q', 'Else'],
      [2, 'B', 'Town B'],
      [3, 'C', 'Town C'],
    ]);
    expect(rows('SELECT maker FROM thing ORDER BY number')).toEqual([[1], [2], [3]]);
  });

  it('keeps what was written while another draft, undone since, held the keys', async () => {
    ok(
      await office.apply({
        change: 'changeField',
        table: 't_maker',
        field: 'f_mTown',
        set: { type: { kind: 'choice', choices: ['Town A', 'Town B', 'Town C', 'Else'] } },
        convert: {},
      }),
    );
    const outer = office.design.version;
    ok(await office.apply(...CODE_IS_KEY));
    ok(await office.save(update('t_maker', 'B', { f_mTown: 'Else' })));
    ok(await office.call('POST', `changes/${office.design.version}/undo`, {}));
    ok(await office.call('POST', `changes/${outer}/undo`, {}));
    expect(rows('SELECT number, town FROM maker ORDER BY number')).toEqual([
      [1, 'Town A'],
      [2, 'Else'],
      [3, 'Town C'],
    ]);
  });

  it('keeps what was given when another draft was undone', async () => {
    const choices = ['Town A', 'Town B', 'Town C', 'Else'];
    const town = (set: object): Change => ({
      ...{ change: 'changeField', table: 't_maker', field: 'f_mTown', set, convert: {} },
    });
    ok(await office.apply(town({ noTwoAlike: true })));
    ok(await office.apply(town({ type: { kind: 'choice', choices } })));
    const outer = office.design.version;
    ok(await office.apply(...CODE_IS_KEY, town({ noTwoAlike: false })));
    ok(await office.save({ op: 'insert', table: 't_maker', values: { f_mCode: 'D', f_mTown: 'Town B' } }));
    const given = [{ field: 'f_mTown', key: ['B'], value: 'Else' }];
    ok(await office.call('POST', `changes/${office.design.version}/undo`, { given }));
    ok(await office.call('POST', `changes/${outer}/undo`, {}));
    expect(rows('SELECT number, code, town FROM maker ORDER BY number')).toEqual([
      [1, 'A', 'Town A'],
      [2, 'B', 'Else'],
      [3, 'C', 'Town C'],
      [4, 'D', 'Town B'],
    ]);
  });

  it('is refused in words where an earlier version of the program has changed keys', async () => {
    ok(await office.apply(...CODE_IS_KEY));
    office.app.context.files.get(office.file).writer.exec('DELETE FROM hr_rekeyed');
    const { status, body } = await office.call('POST', `changes/${office.design.version}/undo`, {});
    expect(status).toBe(422);
    expect(body.detail).toMatch(/The key of Maker was changed by an earlier version.*safe copy/);
  });

  it('numbers rows that have no number, behind all that have one', async () => {
    const dropped: Change = { change: 'dropField', table: 't_maker', field: 'f_mNo', mends: [] };
    ok(await office.apply({ change: 'changeTable', table: 't_maker', set: { key: ['f_mCode'] } }, dropped));
    const no = { kind: 'wholeNumber' } as const;
    ok(await office.apply({ change: 'addField', table: 't_maker', field: field('mNew', 'new', no) }));
    ok(await office.save(update('t_maker', 'C', { f_mNew: 2 })));
    ok(
      await office.apply(
        { change: 'changeField', table: 't_maker', field: 'f_mNew', set: { type: number }, convert: {} },
        { change: 'changeTable', table: 't_maker', set: { key: ['f_mNew'] } },
      ),
    );
    expect(rows('SELECT code, new FROM maker ORDER BY code')).toEqual([
      ['A', 3],
      ['B', 4],
      ['C', 2],
    ]);
  });
});

/** Where what was written since does not fit, it is said what it is to be, and then undone. */
describe('an undo that what was written since stands in the way of', () => {
  let office: Office;
  const MAKER = table('maker', [field('mNo', 'number', number), field('mName', 'name', { kind: 'text' })]);
  const THING = table('thing', [
    field('tNo', 'number', number),
    field('tCode', 'code', { kind: 'text' }, { alwaysFilled: true }),
    field('tSort', 'sort', { kind: 'choice', choices: ['A', 'B'] }),
    field('tMaker', 'maker', lookup('maker')),
  ]);
  const ok = (answer: Answer): Answer['body'] => {
    expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
    return answer.body;
  };
  const undo = (given?: object[]): Promise<Answer> =>
    office.call('POST', `changes/${office.design.version}/undo`, given ? { given } : {});
  const things = (): unknown[] =>
    office.app.context.files
      .get(office.file)
      .reader.prepare('SELECT number, code, sort, maker FROM thing ORDER BY number')
      .raw()
      .all();

  beforeEach(async () => {
    office = await Office.open({ demo: false });
    ok(await office.apply({ change: 'addTable', table: MAKER }, { change: 'addTable', table: THING }));
    ok(
      await office.save(
        { op: 'insert', table: 't_maker', values: { f_mName: 'First' } },
        { op: 'insert', table: 't_maker', values: { f_mName: 'Second' } },
        { op: 'insert', table: 't_thing', values: { f_tCode: 'x1', f_tSort: 'A', f_tMaker: 1 } },
        { op: 'insert', table: 't_thing', values: { f_tCode: 'x2', f_tSort: 'B', f_tMaker: 2 } },
      ),
    );
  });
  afterEach(() => office.close());

  /** The findings of an undo that is refused, by field, with the keys of their rows. */
  const refused = async (given?: object[]): Promise<unknown[]> => {
    const { status, body } = await undo(given);
    expect(status).withContext(JSON.stringify(body)).toBe(422);
    const { findings, fields } = body.findings as {
      findings: { field: string; sort: string; sample: { key: unknown[] }[] }[];
      fields: { id: string }[];
    };
    expect(fields.map(({ id }) => id)).toEqual(findings.map(({ field: id }) => id));
    return findings.map(({ field: id, sort, sample }) => [id, sort, sample.map(({ key }) => key)]);
  };

  it('is done with a value for a row that was added without', async () => {
    ok(await office.apply({ change: 'dropField', table: 't_thing', field: 'f_tCode', mends: [] }));
    ok(await office.save({ op: 'insert', table: 't_thing', values: { f_tSort: 'B' } }));
    expect(await refused()).toEqual([['f_tCode', 'empty', [[3]]]]);
    // What is given must be a value of the field, and a field that comes back.
    expect((await undo([{ field: 'f_tCode', key: [3], value: 5 }])).body.detail).toBe(
      'Code: A text is needed here.',
    );
    expect((await undo([{ field: 'f_none', key: [3], value: 'x' }])).body.detail).toMatch(
      /none of those that come back/,
    );
    expect(await refused([{ field: 'f_tCode', key: [99], value: 'x' }])).toEqual([
      ['f_tCode', 'empty', [[3]]],
    ]);
    ok(await undo([{ field: 'f_tCode', key: [3], value: 'x3' }]));
    expect(things()).toEqual([
      [1, 'x1', 'A', 1],
      [2, 'x2', 'B', 2],
      [3, 'x3', 'B', null],
    ]);
  });

  it('is done with a choice for one that is no more', async () => {
    ok(
      await office.apply({
        change: 'changeField',
        table: 't_thing',
        field: 'f_tSort',
        set: { type: { kind: 'choice', choices: ['Alpha', 'B', 'C'] } },
        convert: { instead: { A: 'Alpha' } },
      }),
    );
    ok(await office.save({ op: 'update', table: 't_thing', key: [2], values: { f_tSort: 'C' }, was: {} }));
    expect(await refused()).toEqual([['f_tSort', 'convert', [[2]]]]);
    expect((await undo([{ field: 'f_tSort', key: [2], value: 'C' }])).body.detail).toBe(
      'Sort: “C” is not one of A, B.',
    );
    // What was renamed goes back to its name, wherever it was chosen since.
    ok(await office.save({ op: 'insert', table: 't_thing', values: { f_tCode: 'x9', f_tSort: 'Alpha' } }));
    ok(await undo([{ field: 'f_tSort', key: [2], value: 'A' }]));
    expect(things()).toEqual([
      [1, 'x1', 'A', 1],
      [2, 'x2', 'A', 2],
      [3, 'x9', 'A', null],
    ]);
  });

  it('is done with nothing for what cannot be read, but not where something is needed', async () => {
    const type = { kind: 'text' } as const;
    ok(
      await office.apply({
        change: 'changeField',
        table: 't_thing',
        field: 'f_tMaker',
        set: { type },
        convert: {},
      }),
    );
    ok(
      await office.save({
        op: 'update',
        table: 't_thing',
        key: [2],
        values: { f_tMaker: 'Nobody' },
        was: {},
      }),
    );
    expect(await refused()).toEqual([['f_tMaker', 'convert', [[2]]]]);
    ok(await undo([{ field: 'f_tMaker', key: [2], value: null }]));
    expect((things() as unknown[][]).map((row) => row[3])).toEqual([1, null]);
    ok(await office.apply({ change: 'dropField', table: 't_thing', field: 'f_tCode', mends: [] }));
    ok(await office.save({ op: 'insert', table: 't_thing', values: {} }));
    const given = [{ field: 'f_tCode', key: [3], value: null }];
    expect((await undo(given)).body.detail).toBe('Code: say what it is to hold.');
    // The rows in the way are told all the same.
    expect(await refused(given)).toEqual([['f_tCode', 'empty', [[3]]]]);
  });

  it('has what was given in the history of whoever gave it', async () => {
    ok(await office.apply({ change: 'dropField', table: 't_thing', field: 'f_tCode', mends: [] }));
    ok(await office.save({ op: 'insert', table: 't_thing', values: {} }));
    ok(await undo([{ field: 'f_tCode', key: [3], value: 'x3' }]));
    const [entry] = office.app.context.files
      .get(office.file)
      .reader.prepare('SELECT key, op, before, after FROM hr_history ORDER BY id DESC LIMIT 1')
      .raw()
      .all() as [string, string, string, string][];
    expect([entry![0], entry![1]]).toEqual(['[3]', 'update']);
    expect([entry![2], entry![3]].map((row) => (JSON.parse(row) as { f_tCode: unknown }).f_tCode)).toEqual([
      null,
      'x3',
    ]);
  });

  it('is done without what a lookup led to, or with another', async () => {
    for (const value of [null, 2]) {
      ok(await office.apply({ change: 'dropField', table: 't_thing', field: 'f_tMaker', mends: [] }));
      const [one] = office.app.context.files
        .get(office.file)
        .reader.prepare('SELECT min(number) FROM maker')
        .raw()
        .get() as [number];
      ok(await office.save({ op: 'delete', table: 't_maker', key: [one] }));
      if (value !== null)
        ok(await office.save({ op: 'insert', table: 't_maker', values: { f_mName: 'Third' } }));
      const [[, sort, keys]] = (await refused()) as [[string, string, unknown[][]]];
      expect(sort).toBe('orphan');
      const to = value === null ? null : 3;
      ok(await undo(keys.map((key) => ({ field: 'f_tMaker', key, value: to }))));
      expect((things() as unknown[][]).map((row) => row[3])).toEqual(value === null ? [null, 2] : [null, 3]);
    }
  });

  const drop = (...ids: string[]): Promise<Answer> =>
    office.apply(...ids.map((id) => ({ change: 'dropTable' as const, table: id, mends: [] })));
  const rowsOf = (sql: string): unknown[] =>
    office.app.context.files.get(office.file).reader.prepare(sql).raw().all();

  it('is done with rows that come back with their table and led to what is gone', async () => {
    ok(await drop('t_thing'));
    ok(await office.save({ op: 'delete', table: 't_maker', key: [1] }));
    expect(await refused()).toEqual([['f_tMaker', 'orphan', [[1]]]]);
    // Only a row that is there will do.
    expect(await refused([{ field: 'f_tMaker', key: [1], value: 9 }])).toEqual([
      ['f_tMaker', 'orphan', [[1]]],
    ]);
    ok(await undo([{ field: 'f_tMaker', key: [1], value: 2 }]));
    expect(things()).toEqual([
      [1, 'x1', 'A', 2],
      [2, 'x2', 'B', 2],
    ]);
    ok(await drop('t_thing'));
    ok(await office.save({ op: 'delete', table: 't_maker', key: [2] }));
    ok(await undo([1, 2].map((key) => ({ field: 'f_tMaker', key: [key], value: null }))));
    expect((things() as unknown[][]).map((row) => row[3])).toEqual([null, null]);
  });

  it('is done where what comes back has a lookup for its key, and is led to itself', async () => {
    const own = { alwaysFilled: true };
    const desk = table('desk', [field('dMaker', 'maker', lookup('maker'), own)], { key: ['f_dMaker'] });
    const tag = table('tag', [field('gNo', 'number', number), field('gDesk', 'desk', lookup('desk'))]);
    ok(await office.apply({ change: 'addTable', table: desk }, { change: 'addTable', table: tag }));
    ok(
      await office.save(
        { op: 'insert', table: 't_desk', values: { f_dMaker: 1 } },
        { op: 'insert', table: 't_desk', values: { f_dMaker: 2 } },
        { op: 'insert', table: 't_tag', values: { f_gDesk: 1 } },
        { op: 'insert', table: 't_tag', values: { f_gDesk: 2 } },
        { op: 'insert', table: 't_maker', values: { f_mName: 'Third' } },
        { op: 'update', table: 't_thing', key: [1], values: { f_tMaker: null }, was: {} },
      ),
    );
    ok(await drop('t_tag', 't_desk'));
    ok(await office.save({ op: 'delete', table: 't_maker', key: [1] }));
    const wants = (value: number) => [{ field: 'f_dMaker', key: [1], value }];
    expect(await refused()).toEqual([['f_dMaker', 'orphan', [[1]]]]);
    const { status, body } = await undo(wants(2));
    expect([status, body.detail]).toEqual([
      422,
      '2 rows would not fit: Maker would be the key, and another row has the same.',
    ]);
    ok(await undo(wants(3)));
    expect(rowsOf('SELECT maker FROM desk ORDER BY 1')).toEqual([[2], [3]]);
    expect(rowsOf('SELECT number, desk FROM tag ORDER BY 1')).toEqual([
      [1, 3],
      [2, 2],
    ]);
    // Whoever looks for the row by the key it had then finds it.
    expect(rowsOf("SELECT was, now FROM hr_rekeyed WHERE table_id = 't_desk' AND was <> '[]'")).toEqual([
      ['[1]', '[3]'],
      ['[2]', '[2]'],
    ]);
    expect(rowsOf('SELECT table_id, key, op FROM hr_history ORDER BY id DESC LIMIT 1')).toEqual([
      ['t_desk', '[3]', 'update'],
    ]);
  });

  it('asks what comes back with its table for the rules that look at other tables', async () => {
    const rule = {
      id: 'r_known',
      expression: '"#f_tMaker" IS NULL OR "#f_tMaker"."#f_mName" <> \'Barred\'',
      message: 'That maker is barred.',
      newRowsOnly: false,
    };
    ok(await office.apply({ change: 'changeTable', table: 't_thing', set: { rules: [rule] } }));
    ok(await drop('t_thing'));
    ok(
      await office.save({
        op: 'update',
        table: 't_maker',
        key: [2],
        values: { f_mName: 'Barred' },
        was: {},
      }),
    );
    const [[, sort, keys]] = (await refused()) as [[string, string, unknown[][]]];
    expect([sort, keys]).toEqual(['rule', [[2]]]);
    ok(await undo([{ field: 'f_tMaker', key: [2], value: 1 }]));
    expect((things() as unknown[][]).map((row) => row[3])).toEqual([1, 1]);
  });

  it('gives no number again that a table had given before it was dropped', async () => {
    ok(await office.save({ op: 'delete', table: 't_thing', key: [2] }));
    ok(await drop('t_thing'));
    ok(await undo());
    const { saved } = ok(await office.save({ op: 'insert', table: 't_thing', values: { f_tCode: 'x3' } }));
    expect(saved[0].key).toEqual([3]);
  });
});
