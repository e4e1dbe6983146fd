import { execFileSync } from 'node:child_process';
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { plainField, plainTable, type Query } from '@heathridge/core/design';
import { newQuery, so } from '@heathridge/core/query';
import type { Advice } from './advise';
import { Office } from '../testing/office';

const ROWS = 400_000;

const ENTRY = plainTable('t_entry', 'entry', 'Entry', 'Entries', [
  plainField('f_no', 'number', 'Number', { kind: 'runningNumber', prefix: '', width: 0, first: 1 }),
  plainField('f_name', 'name', 'Name', { kind: 'text', most: 60 }),
  plainField('f_code', 'code', 'Code', { kind: 'wholeNumber' }),
  plainField('f_half', 'half', 'Half', { kind: 'wholeNumber' }),
  plainField('f_note', 'note', 'Note', { kind: 'longText' }),
  plainField('f_day', 'day', 'Day', { kind: 'date' }, { indexed: true }),
  plainField('f_due', 'due', 'Due', { kind: 'date' }, { indexed: true }),
  plainField('f_paid', 'paid', 'Paid', { kind: 'date' }, { indexed: true }),
]);

describe('advice on a query', () => {
  let office: Office;
  beforeAll(async () => {
    office = await Office.open({ demo: false });
    await office.apply({ change: 'addTable', table: ENTRY });
    office.app.context.files
      .get(office.file)
      .writer.exec(
        `INSERT INTO entry (name, code, half, day, due, paid) SELECT 'Entry ' || value, value, value % 2, date('2020-01-01', (value % 900) || ' days'), '2024-01-01', '2024-01-01' FROM generate_series(1, ${ROWS})`,
      );
  });
  afterAll(() => office.close());

  const query = (patch: Partial<Query>): Query => ({ ...newQuery('q_t', 'T', ENTRY), ...patch });
  async function advice(asked: Query): Promise<Advice> {
    const { status, body } = await office.call('POST', 'query/advice', { query: asked });
    if (status !== 200) throw new Error(JSON.stringify(body));
    return body as Advice;
  }
  const indexes = (): string =>
    execFileSync(
      'sqlite3',
      ['-readonly', office.path, "SELECT name FROM sqlite_schema WHERE type = 'index'"],
      {
        encoding: 'utf8',
      },
    );

  it('says what is read from end to end, and offers the index that spares it, tried on a copy', async () => {
    const before = indexes();
    const found = await advice(query({ where: [so('"#f_code" = 77777'), so('"#f_half" >= 0')] }));
    expect(found.whole).toEqual([{ table: 't_entry', rows: ROWS, ordered: false }]);
    expect(found.help.map(({ field }) => field)).toEqual(['f_code']);
    expect(found.help[0]!.after).toBeLessThan(found.help[0]!.before);
    // Both fields that it compares; a note is none that could be sought.
    expect(found.tried).toBe(2);
    expect(indexes()).toBe(before);
    expect(readdirSync(join(office.data, 'sheets'))).toEqual([]);

    // As it was drafted, so it is: the query reads nothing whole then.
    await office.apply({ change: 'changeField', table: 't_entry', field: 'f_code', set: { indexed: true } });
    const after = await advice(query({ where: [so('"#f_code" = 77777'), so('"#f_half" >= 0')] }));
    expect([after.whole, after.help]).toEqual([[], []]);
    await office.apply({ change: 'changeField', table: 't_entry', field: 'f_code', set: { indexed: false } });
  });

  it('offers none where none would help, and says so of what is read whole all the same', async () => {
    const all = await advice(query({ where: [so('"#f_half" + 1 >= 0')] }));
    expect([all.tried, all.help]).toEqual([1, []]);
    expect(all.whole.map(({ rows }) => rows)).toEqual([ROWS]);
    // By the field’s own index it is found at once.
    expect((await advice(query({ where: [so(`"#f_day" = DATE '2020-02-02'`)] }))).whole).toEqual([]);
  });

  it('plans by what the engine has counted of the values, where it has', async () => {
    office.app.context.files.get(office.file).writer.exec('ANALYZE');
    const found = await advice(query({ where: [so('"#f_code" = 77777')] }));
    expect([found.whole.length, found.help.map(({ field }) => field)]).toEqual([1, ['f_code']]);
  });

  it('tells of queries that are read by others, and of SQL', async () => {
    const written = query({
      id: 'q_sql',
      written: {
        sql: 'SELECT name FROM entry WHERE code = 4711',
        columns: [{ id: 'w_name', name: 'name', label: 'name', result: { kind: 'text' }, scaled: false }],
      },
    });
    expect((await advice(written)).help.map(({ field }) => field)).toEqual(['f_code']);
  });

  it('names indexes that no query, report, order or list uses', async () => {
    const idle = async (): Promise<string[]> =>
      (await advice(query({ first: 1 }))).idle.map(({ field }) => field);
    expect(await idle()).toEqual(['f_day', 'f_due', 'f_paid']);
    const base = newQuery('q_kept', 'By day', ENTRY);
    const { status } = await office.call('PUT', 'definitions/q_kept', {
      document: { ...base, where: [so(`"#f_day" = DATE '2020-02-02'`)] },
      base: 0,
    });
    expect(status).toBe(200);
    expect(await idle()).toEqual(['f_due', 'f_paid']);
    await office.apply({
      change: 'changeTable',
      table: 't_entry',
      set: { order: [{ field: 'f_due', descending: false }] },
    });
    expect(await idle()).toEqual(['f_paid']);
  });
});
