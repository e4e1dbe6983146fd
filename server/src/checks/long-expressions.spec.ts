import Database from 'libsql';
import { bind, evaluate, toSql, type Evaluation, type ExprField } from '@heathridge/core/expression';
import { SAMPLE } from '../../../core/src/expression/testing/sample';

/** Everything an office could paste: a chain of thousands of terms must be answered as any short one is. */
describe('long chains', () => {
  const db = new Database(':memory:');
  db.exec(`CREATE TABLE item (id INTEGER PRIMARY KEY, whole INTEGER, price INTEGER, label TEXT, active INTEGER) STRICT;
    INSERT INTO item VALUES (1, 3, 250, 'aé', 1)`);
  afterAll(() => db.close());
  const row: Record<string, bigint | string | boolean> = {
    whole: 3n,
    price: 250n,
    label: 'aé',
    active: true,
  };
  const env: Evaluation<object> = {
    row,
    today: '2026-01-01',
    now: '2026-01-01T00:00:00Z',
    read: (_, field: ExprField) => row[field.column] ?? null,
    follow: () => null,
    children: () => [],
  };
  const repeated = (item: string, joint: string, count: number): string =>
    Array(count).fill(item).join(joint);

  for (const [name, source, expected] of [
    ['+', repeated('whole', ' + ', 2000), 6000n],
    ['-', `${repeated('price', ' - ', 2000)}`, 250n * -1998n],
    ['+ of two kinds', repeated('whole + price', ' + ', 1000), 5500n * 100n],
    ['||', repeated('label', ' || ', 2000), 'aé'.repeat(2000)],
    ['OR', repeated('whole = 4', ' OR ', 2000), false],
    ['AND', repeated('price > 1.5', ' AND ', 2000), true],
    ['OR of ANDs', repeated("(active AND label LIKE 'É%' AND whole > 1)", ' OR ', 600), false],
    ['IN', `whole IN (${repeated('1', ', ', 2000)}, 3)`, true],
    ['WHEN', `CASE ${repeated('WHEN whole = 1 THEN 1', ' ', 900)} ELSE 2 END`, 2n],
    ['UPPER of many', repeated('UPPER(label)', ' || ', 200), 'AÉ'.repeat(200)],
  ] as const)
    it(`of ${name} give one result by the core and by the file`, () => {
      const { bound } = bind(source, { catalog: SAMPLE, table: 't_item' });
      expect(evaluate(bound, env)).toEqual({ ok: true, value: expected });
      const { sql } = toSql(bound, { catalog: SAMPLE, row: 't' });
      const statement = db.prepare(`SELECT ${sql} FROM item AS t`).safeIntegers(true).raw();
      const [value] = statement.get() as [unknown];
      expect(typeof expected === 'boolean' ? value === 1n : value).toBe(expected);
    });

  it('cost SQL that grows with their length, not with its square', () => {
    const size = (count: number): number =>
      toSql(bind(repeated('price * rate', ' + ', count), { catalog: SAMPLE, table: 't_item' }).bound, {
        catalog: SAMPLE,
        row: 't',
      }).sql.length / count;
    expect(size(1000)).toBeLessThan(2 * size(100));
  });
});
