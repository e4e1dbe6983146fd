import type { Form } from '@heathridge/core/design';
import { allLevels, formFromTable, levelOf } from '@heathridge/core/form';
import type { RecordRow, RecordRows } from '@heathridge/core/api';
import { openForReading } from '../store/driver';
import { BUILDER, Office } from '../testing/office';
import { MOST_CHILDREN, readMore, readRecord } from './read';

describe('a record with rows within rows', () => {
  let office: Office;
  let form: Form;
  beforeAll(async () => {
    office = await Office.open();
    form = formFromTable(office.design, table('t_player'), 'o_x', 'Players', 3);
  });
  afterAll(() => office.close());

  const table = (id: string) => office.design.tables.find((other) => other.id === id)!;
  const file = () => office.app.context.files.get(office.file);
  const all = (sql: string, ...params: number[]): number[] =>
    (file().reader.prepare(sql).raw().all(params) as [number][]).map(([key]) => key);
  const record = (key: number, of = form): RecordRow =>
    (JSON.parse(readRecord(file().reader, office.design, BUILDER, of, [key])!) as { record: RecordRow })
      .record;
  const keys = (list: RecordRows | undefined): number[] => list!.rows.map(({ key }) => key[0] as number);
  const listOf = (row: RecordRow, link: string): RecordRows | undefined =>
    row.subforms.find((list) => list.link === link);

  it('is the tree that plain SQL gives, and holds no rows of another parent (a one-to-many link: common practice)', () => {
    const busiest = all('SELECT player FROM hire GROUP BY player ORDER BY count(*) DESC LIMIT 5');
    for (const player of [...busiest, 1, 2]) {
      const hires = listOf(record(player), 'f_hirePlayer');
      expect(keys(hires).sort()).toEqual(all('SELECT hire_number FROM hire WHERE player = ?', player).sort());
      expect(hires!.total).toBe(hires!.rows.length);
      for (const hire of hires!.rows) {
        const paid = listOf(hire, 'f_paymentHire');
        const theirs = all('SELECT receipt FROM payment WHERE hire = ?', hire.key[0] as number);
        expect(keys(paid).sort()).withContext(`hire ${hire.key[0]}`).toEqual(theirs.sort());
      }
    }
    expect(readRecord(file().reader, office.design, BUILDER, form, [999_999])).toBeNull();
  });

  it('takes one statement a level, however many rows it hangs on', () => {
    const [player] = all('SELECT player FROM hire GROUP BY player ORDER BY count(*) DESC LIMIT 1');
    const db = openForReading(office.path);
    const prepare = db.prepare.bind(db);
    let asked = 0;
    spyOn(db, 'prepare').and.callFake(((sql: string) => {
      const statement = prepare(sql);
      for (const way of ['all', 'get'] as const) {
        const ask = statement[way].bind(statement) as (...values: unknown[]) => unknown;
        statement[way] = (...values: unknown[]) => (asked++, ask(...values)) as never;
      }
      return statement;
    }) as never);
    const read = readRecord(db, office.design, BUILDER, form, [player!])!;
    db.close();
    const hires = listOf((JSON.parse(read) as { record: RecordRow }).record, 'f_hirePlayer')!;
    expect(hires.rows.length).toBeGreaterThan(2);
    expect(asked).toBe(allLevels(levelOf(office.design, form)!).length);
  });

  it('sends the first rows of a long list, how many there are, and the rest when asked', () => {
    const { writer } = file();
    const many = MOST_CHILDREN + 120;
    const [hire] = all('SELECT max(hire_number) FROM hire');
    const [receipt] = all('SELECT max(receipt) FROM payment');
    const [player] = all('SELECT player FROM hire WHERE hire_number = ?', hire!);
    writer
      .prepare(
        `INSERT INTO payment (receipt, hire, paid_on, method, amount)
         SELECT ? + value, ?, '2026-11-01', 'Card', 100 FROM generate_series(1, ?)`,
      )
      .run(receipt!, hire!, many);
    const whole = all('SELECT receipt FROM payment WHERE hire = ? ORDER BY receipt', hire!);
    const of = listOf(record(player!), 'f_hirePlayer')!.rows.find(({ key }) => key[0] === hire)!;
    const paid = listOf(of, 'f_paymentHire')!;
    expect(paid.total).toBe(whole.length);
    expect(keys(paid)).toEqual(whole.slice(0, paid.rows.length));
    const path = ['f_hirePlayer', 'f_paymentHire'];
    const more = (parent: number, start: number): RecordRows =>
      JSON.parse(
        readMore(file().reader, office.design, BUILDER, form, { path, parent, start }),
      ) as RecordRows;
    const found = [...keys(paid)];
    while (found.length < whole.length) {
      const next = more(hire!, found.length);
      expect(next.rows.length).toBeGreaterThan(0);
      found.push(...keys(next));
    }
    expect(found).toEqual(whole);
    expect(more(999_999, 0)).toEqual({ link: 'f_paymentHire', rows: [], total: 0 });
  });

  it('asks for further rows over the API, of subforms that are on the screen alone', async () => {
    const ask = (path: string[], parent: unknown) =>
      office.call(
        'POST',
        `/api/files/${office.file}/desk/screens/o_hireDesk/rows`,
        { path, parent, start: 0 },
        'colleague',
      );
    const { status, body } = await ask(['f_paymentHire'], 1417);
    expect(status).toBe(200);
    expect(body.total).toBe(all('SELECT receipt FROM payment WHERE hire = 1417').length);
    expect((await ask(['f_hirePlayer'], 1)).status).toBe(404);
    expect((await ask(['f_paymentHire', 'f_paymentHire'], 1)).status).toBe(404);
    // Of a row that is not there, or not on the screen, nothing is told.
    for (const parent of ["1'; DROP TABLE payment; --", 999_999])
      expect((await ask(['f_paymentHire'], parent)).status).toBe(404);
    expect(all('SELECT count(*) FROM payment')[0]).toBeGreaterThan(100);
  });
});
