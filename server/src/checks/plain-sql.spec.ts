import { execFileSync } from 'node:child_process';
import { catalogOf, tableOf, type Query } from '@heathridge/core/design';
import { toStored } from '@heathridge/core/expression';
import { identifier, newQuery } from '@heathridge/core/query';
import { Office } from '../testing/office';

/**
 * The SQL that a query shows, run as it is by another program: the sqlite3 command line of Debian. Its result
 * must be what Heathridge shows, numbers by their value.
 */
describe('the SQL of a query in the sqlite3 command line', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  type Value = string | number | null;
  /** A dozen digits are the same in a float and in an exact number. */
  const plain = (value: Value | boolean): Value =>
    typeof value === 'boolean'
      ? Number(value)
      : value !== null && /^-?\d+(\.\d+)?$/.test(String(value))
        ? Number(Number(value).toPrecision(12))
        : value;
  const sorted = (rows: Value[][]): string[] => rows.map((row) => JSON.stringify(row.map(plain))).sort();

  async function both(query: Query): Promise<{ sql: string; ours: Value[][]; theirs: Value[][] }> {
    const { status, body } = await office.call('POST', 'query/run', { query });
    if (status !== 200) throw new Error(String(body.detail));
    const out = execFileSync('sqlite3', ['-readonly', '-json', office.path], {
      encoding: 'utf8',
      input: `${body.sql};\n`,
      maxBuffer: 1 << 28,
    });
    const theirs = (out.trim() === '' ? [] : JSON.parse(out)) as Record<string, Value>[];
    return {
      sql: body.sql as string,
      ours: body.rows as Value[][],
      theirs: theirs.map(Object.values) as Value[][],
    };
  }

  const hires = (patch: Partial<Query>): Query => ({
    ...newQuery('q_plain', 'Plain', tableOf(office.design, 't_hire')),
    ...patch,
  });
  const stored = (text: string): string => toStored(text, catalogOf(office.design), 't_hire');
  const key = { id: 'k', label: 'Hire', expression: '"#f_hireHireNumber"' };

  it('gives the rows of every query of the demo', async () => {
    expect(office.design.queries.length).toBeGreaterThan(3);
    for (const query of office.design.queries) {
      const { sql, ours, theirs } = await both({ ...query, first: Math.min(query.first ?? 1000, 1000) });
      expect(theirs.length).withContext(sql).toBe(ours.length);
      expect(sorted(theirs)).withContext(sql).toEqual(sorted(ours));
    }
  });

  const EXPRESSIONS = [
    'player',
    'player.school',
    'player.school.name',
    'instrument.picture',
    'monthly_fee',
    'paid',
    'monthly_fee + paid',
    'monthly_fee - paid - 0.01',
    'monthly_fee - (paid - 0.1)',
    '-monthly_fee',
    'ABS(monthly_fee - 20)',
    'monthly_fee * 1.175',
    'ROUND(monthly_fee * 1.175, 1)',
    'ROUND(monthly_fee / 8, 2)',
    'monthly_fee / 3',
    'hire_number / 7',
    'monthly_fee / (hire_number - hire_number)',
    'MOD(hire_number, 7)',
    'MOD(monthly_fee, 0.7)',
    'FLOOR(monthly_fee / 4)',
    'CEILING(monthly_fee / 4)',
    '(hire_number + 1) * 2 - 3 * (hire_number - 5)',
    'due_back - hired_on',
    "due_back + INTERVAL '1' DAY",
    "hired_on - INTERVAL '10' DAY",
    "hired_on + INTERVAL '1' MONTH",
    "hired_on - INTERVAL '1' YEAR",
    "CURRENT_DATE - INTERVAL '6' MONTH",
    'CAST(hired_on AS DATE)',
    'EXTRACT(YEAR FROM hired_on)',
    'EXTRACT(MONTH FROM hired_on) = 2 AND NOT EXTRACT(DAY FROM hired_on) > 28',
    "player.surname || ', ' || player.first_name",
    "hire_number || ' for ' || monthly_fee",
    "CAST(monthly_fee * 2 AS VARCHAR(10)) || '!'",
    "(monthly_fee > 20) || ''",
    'UPPER(SUBSTRING(player.card FROM 1 FOR 1))',
    'SUBSTRING(player.card FROM 3)',
    'SUBSTRING(player.card FROM hire_number - 1001 FOR 2)',
    'CHAR_LENGTH(player.surname)',
    "POSITION('a' IN player.surname)",
    "TRIM(BOTH ' ' FROM note)",
    "TRIM(LEADING 'A' FROM player.card)",
    'CAST(SUBSTRING(player.card FROM 3) AS INTEGER)',
    'CAST(SUBSTRING(player.card FROM 3) AS DECIMAL(8, 2)) / 8',
    'COALESCE(returned_on, due_back)',
    'COALESCE(returned_on - hired_on, 0)',
    'NULLIF(monthly_fee, 12.5)',
    "CASE WHEN monthly_fee > 30 THEN 'high' WHEN monthly_fee > 15 THEN 'middle' ELSE 'low' END",
    'CASE WHEN returned_on IS NULL THEN monthly_fee ELSE 0 END',
    'CASE MOD(hire_number, 2) WHEN 0 THEN monthly_fee END',
    'monthly_fee BETWEEN 9.5 AND 20',
    'monthly_fee NOT BETWEEN 9.5 AND 20 OR returned_on IS NULL AND player.active',
    'monthly_fee IN (12.5, 18, 20)',
    'hire_number NOT IN (1001, 1002)',
    "player.surname LIKE 'o%'",
    "player.surname NOT LIKE '%er' AND instrument.condition <> 'Retired'",
    "player.surname LIKE '%É%'",
    "note LIKE '%100!%%' ESCAPE '!'",
    'returned_on IS NOT NULL',
    'player.active IS TRUE',
    'NOT (player.active OR monthly_fee > 20)',
    'returned_on IS DISTINCT FROM due_back',
    'monthly_fee = paid',
    'paid + 0.1 = 0.1',
    'COUNT(payments)',
    'COUNT(payments) FILTER (WHERE payments.amount > 20)',
    'SUM(payments.amount)',
    'AVG(payments.amount)',
    'MAX(payments.amount)',
    'MIN(payments.paid_on)',
    'COUNT(DISTINCT payments.amount)',
    'SUM(DISTINCT payments.amount)',
    'SUM(payments.amount) * 2 / 3',
    'COUNT(player.hires)',
    'SUM(player.hires.payments.amount)',
    'MAX(instrument.hires.player.surname)',
    'COUNT(player.school.players) FILTER (WHERE player.school.players.active)',
    'entered_by IS NULL',
    'last_changed IS NULL',
  ];

  for (const text of EXPRESSIONS)
    it(`gives what ${text} gives`, async () => {
      const columns = [key, { id: 'x', label: 'Value', expression: stored(text) }];
      const { sql, ours, theirs } = await both(
        hires({ columns, sort: [{ column: 'k', descending: true }], first: 400 }),
      );
      expect(ours.length).toBe(400);
      expect(theirs.map((row) => row.map(plain)))
        .withContext(sql)
        .toEqual(ours.map((row) => row.map(plain)));
    });

  it('writes names of any kind as the command line takes them', () => {
    const words = (
      'order group by select table index key left cross natural current_date values row rows to plan query window ' +
      'do first last of offset if end date year note name number value état größe 3rd_floor'
    ).split(' ');
    const names = [...words, 'two words', 'quo"te', 'a.b', "o'clock", 'Ünï', '_x', '$', '-- no'];
    for (const name of names) {
      const written = identifier(name);
      const sql = `WITH ${written}(${written}) AS (SELECT 7) SELECT ${written}.${written} AS ${written} FROM ${written} AS ${written} ORDER BY ${written}`;
      const out = execFileSync('sqlite3', ['-json', ':memory:', sql], { encoding: 'utf8' });
      expect(JSON.parse(out))
        .withContext(sql)
        .toEqual([{ [name]: 7 }]);
    }
    expect(identifier('due_back')).toBe('due_back');
  });
});
