import { Office } from '../testing/office';

describe('an expression worked out for rows', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const ask = async (table: string, field: string, expression: string, keys: unknown[] = [[1]]) => {
    const { status, body } = await office.call('POST', `tables/${table}/work-out`, {
      field,
      expression,
      keys,
    });
    return status === 200 ? (body.values as unknown[]) : `${status} ${String(body.detail)}`;
  };

  it('gives values as the field takes them', async () => {
    const [surname] = (await ask('t_player', 'f_playerPhone', 'surname')) as [string];
    expect(await ask('t_player', 'f_playerEmail', "LOWER(surname) || '@example.org'")).toEqual([
      `${surname.toLowerCase()}@example.org`,
    ]);
    expect(await ask('t_part', 'f_partPrice', '12')).toEqual(['12.00']);
    expect(await ask('t_part', 'f_partPrice', 'ROUND(price * 1.1, 2)')).toEqual([
      jasmine.stringMatching(/^\d+\.\d\d$/),
    ]);
    expect(await ask('t_part', 'f_partInStock', 'CHAR_LENGTH(name)')).toEqual([jasmine.any(Number)]);
    expect(await ask('t_player', 'f_playerActive', 'born IS NULL')).toEqual([jasmine.any(Boolean)]);
    expect(await ask('t_player', 'f_playerSchool', 'NULL')).toEqual([null]);
    expect(await ask('t_hire', 'f_hireDueBack', "hired_on + INTERVAL '1' MONTH", [[1417], [999999]])).toEqual(
      [jasmine.stringMatching(/^\d{4}-\d\d-\d\d$/), null],
    );
  });

  it('tells a fault instead of ending', async () => {
    expect(await ask('t_part', 'f_partInStock', 'CAST(name AS INTEGER)')).toEqual([{ fault: 'cast' }]);
  });

  it('says why it cannot be taken', async () => {
    expect(await ask('t_part', 'f_partPrice', 'pricee * 2')).toContain('has no field “pricee”');
    expect(await ask('t_part', 'f_partPrice', 'price * 1.1')).toContain('write ROUND(…, 2) around it');
    expect(await ask('t_part', 'f_partPrice', 'name')).toContain('of another kind than Price');
    expect(await ask('t_part', 'f_partNumber', '1')).toContain('cannot be filled');
    expect(await ask('t_instrument', 'f_instrumentPicture', '1')).toContain('cannot be filled');
    expect(await ask('t_part', 'f_gone', '1')).toContain('404');
    expect(await ask('t_part', 'f_partPrice', '1', [['x']])).toContain('no key of Part');
    expect(await ask('t_part', 'f_partPrice', '')).toContain('400');
  });
});
