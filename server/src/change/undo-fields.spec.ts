import { plainField, type FieldType } from '@heathridge/core/design';
import { Office } from '../testing/office';
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
