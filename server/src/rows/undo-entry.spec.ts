import { Office } from '../testing/office';

describe('undoing what was done to rows', () => {
  let office: Office;
  beforeAll(async () => {
    office = await Office.open();
  });
  afterAll(() => office.close());

  const undo = (entry: number) => office.call('POST', `log/${entry}/undo`, {});
  const cells = async (table: string, key: number) =>
    (await office.call('GET', `tables/${table}/row?key=[${key}]`)).body.cells;
  const count = async (table: string): Promise<number> =>
    (await office.call('POST', `tables/${table}/window`, { start: 0, limit: 1 })).body.total;

  it('puts changed fields back, and does it again', async () => {
    const before = await cells('t_school', 3);
    const { body } = await office.save({
      op: 'update',
      table: 't_school',
      key: [3],
      values: { f_schoolPhone: '1' },
      was: {},
    });
    const undone = await undo(body.entry);
    expect(await cells('t_school', 3)).toEqual(before);
    await undo(undone.body.entry);
    expect(await cells('t_school', 3)).toContain('1');
  });

  it('takes rows out that were added, and brings back those that were deleted, with what went along', async () => {
    const [hires, payments] = [await count('t_hire'), await count('t_payment')];
    const [payment] = (await office.call('POST', 'tables/t_payment/window', { start: 0, limit: 1 })).body
      .rows;
    const [key] = payment[1] as [number, string];
    const { body: past } = await office.call('POST', 'tables/t_hire/along', { keys: [[key]] });
    const along = past.along.find(({ table }: { table: string }) => table === 't_payment');
    expect(along.becomes).toBe('deleted');
    const before = await cells('t_hire', key);
    const gone = await office.save({ op: 'delete', table: 't_hire', key: [key] });
    expect(gone.status).withContext(gone.body.detail).toBe(200);
    expect(await count('t_payment')).toBe(payments - along.count);
    const undone = await undo(gone.body.entry);
    expect(undone.status).withContext(undone.body.detail).toBe(200);
    expect([await count('t_hire'), await count('t_payment')]).toEqual([hires, payments]);
    expect(await cells('t_hire', key)).toEqual(before);
  });

  it('refuses where somebody has changed one of the rows since, with nothing undone', async () => {
    const first = await office.save(
      { op: 'update', table: 't_school', key: [4], values: { f_schoolPhone: 'mine' }, was: {} },
      { op: 'update', table: 't_school', key: [5], values: { f_schoolPhone: 'mine' }, was: {} },
    );
    await office.save({
      op: 'update',
      table: 't_school',
      key: [4],
      values: { f_schoolPhone: 'theirs' },
      was: {},
    });
    const { status, body } = await undo(first.body.entry);
    expect([status, body.detail]).toEqual([
      409,
      jasmine.stringContaining('changed one of these schools since'),
    ]);
    expect(await cells('t_school', 5)).toContain('mine');
    const added = await office.save({ op: 'insert', table: 't_school', values: { f_schoolName: 'Brief' } });
    const [key] = added.body.saved[0].key;
    await office.save({
      op: 'update',
      table: 't_school',
      key: [key],
      values: { f_schoolName: 'Longer' },
      was: {},
    });
    expect((await undo(added.body.entry)).status).toBe(409);
  });

  it('takes nothing along that others have hung on a row since', async () => {
    const added = await office.save({ op: 'insert', table: 't_school', values: { f_schoolName: 'New one' } });
    const [key] = added.body.saved[0].key;
    const values = { f_playerSurname: 'A', f_playerFirstName: 'B', f_playerSchool: key };
    const player = await office.save({ op: 'insert', table: 't_player', values });
    const refused = await undo(added.body.entry);
    expect([refused.status, refused.body.detail]).toEqual([
      409,
      jasmine.stringContaining('1 players lead to rows'),
    ]);
    await undo(player.body.entry);
    expect((await undo(added.body.entry)).status).toBe(200);
  });

  it('undoes many rows in a child, all of them or none', async () => {
    const before = await count('t_school');
    const many = Array.from({ length: 600 }, (_, i) => ({
      op: 'insert',
      table: 't_school',
      values: { f_schoolName: `Many ${i}` },
    }));
    const { body } = await office.save(...many);
    const undone = await undo(body.entry);
    expect([undone.status, undone.body.rows, await count('t_school')]).toEqual([200, 600, before]);
    // Nothing of an entry is left to be undone twice.
    expect((await undo(body.entry)).body.detail).toContain('already');
  });

  it('does not reach back behind a change of the design, and knows only entries about rows', async () => {
    const { body } = await office.save({
      op: 'update',
      table: 't_school',
      key: [6],
      values: { f_schoolPhone: '2' },
      was: {},
    });
    const field = {
      ...office.design.tables
        .find(({ id }) => id === 't_school')!
        .fields.find(({ id }) => id === 'f_schoolPhone')!,
      id: 'f_schoolFax',
      name: 'fax',
      label: 'Fax',
    };
    await office.apply({ change: 'addField', table: 't_school', field });
    expect((await undo(body.entry)).body.detail).toContain('design of the file has been changed since');
    expect((await undo(body.entry + 1)).status).toBe(409);
    expect((await undo(99_999)).status).toBe(409);
    expect((await office.call('POST', 'log/x/undo', {})).status).toBe(404);
  });

  it('is told of a row, with the texts of lookups, and of the file, entry by entry', async () => {
    const player = office.design.tables.find(({ id }) => id === 't_player')!;
    const was = (await cells('t_player', 7))[player.fields.findIndex(({ id }) => id === 'f_playerSchool')];
    const { body } = await office.save({
      op: 'update',
      table: 't_player',
      key: [7],
      values: { f_playerSchool: 2, f_playerPhone: '07' },
      was: {},
    });
    const { body: row } = await office.call('GET', 'tables/t_player/past?key=[7]');
    expect(row.past[0]).toEqual(
      jasmine.objectContaining({ entry: body.entry, op: 'update', by: 'Mara Ashdown' }),
    );
    expect(row.past[0].changes.find(({ field }: { field: string }) => field === 'f_playerSchool')).toEqual({
      field: 'f_playerSchool',
      before: { value: was[0], text: was[1] },
      after: { value: 2, text: 'Marchfield High' },
    });
    const { body: file } = await office.call('GET', 'log');
    expect(file.past[0]).toEqual(
      jasmine.objectContaining({
        entry: body.entry,
        what: 'rows',
        undone: false,
        rows: [{ table: 't_player', op: 'update', count: 1 }],
      }),
    );
    await undo(body.entry);
    const again = (await office.call('GET', 'log')).body.past as {
      entry: number;
      what: string;
      undone: boolean;
    }[];
    expect(again[0]!.what).toBe('undone');
    expect(again.find(({ entry }) => entry === body.entry)!.undone).toBeTrue();
    const earlier = await office.call('GET', `log?before=${body.entry}`);
    expect(earlier.body.past.every(({ entry }: { entry: number }) => entry < body.entry)).toBeTrue();
  });
});

describe('pasting a block', () => {
  let office: Office;
  beforeAll(async () => {
    office = await Office.open();
  });
  afterAll(() => office.close());
  const paste = (table: string, block: object) => office.call('POST', `tables/${table}/paste`, block);
  const rows = async (table: string, start: number) =>
    (await office.call('POST', `tables/${table}/window`, { start, limit: 5 })).body.rows as unknown[][];

  it('reads every text as if it were typed, changes rows and adds what is left over', async () => {
    const total = (await office.call('POST', 'tables/t_player/window', { start: 0, limit: 1 })).body
      .total as number;
    const { status, body } = await paste('t_player', {
      keys: [[1]],
      fields: ['f_playerSurname', 'f_playerFirstName', 'f_playerSchool', 'f_playerBorn', 'f_playerActive'],
      cells: [
        [' Pasted ', 'Ann', 'marchfield high', '4 nov 2011', 'yes'],
        ['Pasted', 'Bo', '', '2012-01-02', 'no'],
      ],
    });
    expect(status).withContext(body.detail).toBe(200);
    expect((await rows('t_player', 0))[0]!.slice(1, 5)).toEqual([
      'Pasted',
      'Ann',
      [2, 'Marchfield High'],
      '2011-11-04',
    ]);
    expect((await rows('t_player', total))[0]!.slice(1, 5)).toEqual(['Pasted', 'Bo', null, '2012-01-02']);
    await office.call('POST', `log/${body.entry}/undo`, {});
    expect((await rows('t_player', total)).length).toBe(0);
  });

  it('is taken wholly or not at all, and says of each value why not', async () => {
    const before = await rows('t_player', 0);
    const { status, body } = await paste('t_player', {
      keys: [[1], [2]],
      fields: ['f_playerSurname', 'f_playerSchool', 'f_playerBorn'],
      cells: [
        ['Fine', 'No such school', '31/02/2012'],
        ['', 'Marchfield High', '2012-01-02'],
      ],
    });
    expect(status).toBe(422);
    expect(
      body.errors.map(({ change, field }: { change: number; field: string }) => [change, field]),
    ).toEqual([
      [0, 'f_playerSchool'],
      [0, 'f_playerBorn'],
    ]);
    // What can be read is checked by the rules.
    const second = await paste('t_player', { keys: [[2]], fields: ['f_playerSurname'], cells: [['']] });
    expect([second.status, second.body.errors[0].field]).toEqual([422, 'f_playerSurname']);
    expect(await rows('t_player', 0)).toEqual(before);
  });

  it('refuses what fills itself, and what holds files', async () => {
    const number = await paste('t_player', { keys: [[1]], fields: ['f_playerNumber'], cells: [['5']] });
    expect(number.body.errors[0].message).toContain('filled by itself');
    const picture = await paste('t_instrument', {
      keys: [[1]],
      fields: ['f_instrumentPicture'],
      cells: [['x']],
    });
    expect(picture.status).toBe(422);
    expect(
      (await paste('t_player', { keys: [['a']], fields: ['f_playerPhone'], cells: [['1']] })).status,
    ).toBe(400);
    expect(
      (await paste('t_player', { keys: [], fields: ['f_playerPhone'], cells: [['1', '2']] })).status,
    ).toBe(400);
  });
});
