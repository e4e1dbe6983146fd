import { bind } from './bind';
import { attempt } from './errors';
import { evaluate } from './evaluate';
import { SAMPLE } from './testing/sample';
import type { NumberType } from './types';
import { toText } from '../values';

type Row = Readonly<Record<string, string | number | boolean | null>>;

const ROW: Row = {
  whole: 7,
  other: 2,
  price: 1250,
  rate: 33333,
  label: 'Ab',
  note: null,
  active: true,
  bought: '2024-01-31',
  due: null,
};

/** The result as text, numbers with their places; `NULL`, or the message of an error. */
function result(source: string, row: Row = ROW): string {
  const { bound } = bind(source, { catalog: SAMPLE, table: 't_item' });
  const value = evaluate<Row>(bound, {
    row,
    today: '2026-11-25',
    now: '2026-11-25T14:00:00Z',
    read: (from, field) => {
      const found = from[field.column] ?? null;
      return typeof found === 'number' ? BigInt(found) : found;
    },
    follow: () => ({ name: 'Ada', since: '2020-02-29' }),
    children: () => [
      { cost: 500, name: 'axle' },
      { cost: 333, name: 'Bow' },
      { cost: null, name: null },
    ],
  });
  if (!value.ok) return value.message;
  if (value.value === null) return 'NULL';
  if (typeof value.value === 'bigint') {
    const { scale } = bound.type as NumberType;
    return toText({ units: value.value, scale: scale ?? 0 });
  }
  return String(value.value).toUpperCase() === 'TRUE' || String(value.value).toUpperCase() === 'FALSE'
    ? String(value.value).toUpperCase()
    : String(value.value);
}

describe('three-valued logic', () => {
  // ISO/IEC 9075-2, truth tables of AND, OR and IS (boolean value expression): T, F, U in both places.
  const words = ['TRUE', 'FALSE', 'UNKNOWN'];
  const shown = (word: string): string => (word === 'UNKNOWN' ? 'NULL' : word);
  const and = ['TRUE', 'FALSE', 'NULL', 'FALSE', 'FALSE', 'FALSE', 'NULL', 'FALSE', 'NULL'];
  const or = ['TRUE', 'TRUE', 'TRUE', 'TRUE', 'FALSE', 'NULL', 'TRUE', 'NULL', 'NULL'];
  const is = ['TRUE', 'FALSE', 'FALSE', 'FALSE', 'TRUE', 'FALSE', 'FALSE', 'FALSE', 'TRUE'];
  words.forEach((a, i) =>
    words.forEach((b, j) => {
      const n = i * 3 + j;
      it(`${a} with ${b}`, () => {
        expect(result(`${a} AND ${b}`)).toBe(and[n]!);
        expect(result(`${a} OR ${b}`)).toBe(or[n]!);
        expect(result(`${a} IS ${b}`)).toBe(is[n]!);
        expect(result(`${a} IS NOT ${b}`)).toBe(is[n] === 'TRUE' ? 'FALSE' : 'TRUE');
      });
    }),
  );
  it('NOT', () => {
    expect(words.map((word) => result(`NOT ${word}`))).toEqual(['FALSE', 'TRUE', 'NULL']);
    expect(words.map((word) => result(word))).toEqual(words.map(shown));
  });

  // Comparison predicates are unknown as soon as one side is null; DISTINCT FROM never is.
  for (const op of ['=', '<>', '<', '<=', '>', '>=']) {
    it(`${op} with NULL`, () => {
      expect(result(`whole ${op} NULL`)).toBe('NULL');
      expect(result(`NULL ${op} whole`)).toBe('NULL');
      expect(result(`note ${op} note`)).toBe('NULL');
    });
  }
  const others: [string, string][] = [
    ['note IS NULL', 'TRUE'],
    ['label IS NOT NULL', 'TRUE'],
    ['note IS DISTINCT FROM note', 'FALSE'],
    ['note IS DISTINCT FROM label', 'TRUE'],
    ['label IS NOT DISTINCT FROM label', 'TRUE'],
    ['whole IN (1, NULL)', 'NULL'],
    ['whole IN (7, NULL)', 'TRUE'],
    ['whole NOT IN (1, NULL)', 'NULL'],
    ['whole BETWEEN 9 AND NULL', 'FALSE'],
    ['whole BETWEEN 1 AND NULL', 'NULL'],
    ["note LIKE '%'", 'NULL'],
    ["COALESCE(note, 'none')", 'none'],
    ['NULLIF(whole, 7)', 'NULL'],
    ["CASE WHEN note = 'x' THEN 1 ELSE 2 END", '2'],
    ['CASE WHEN FALSE THEN 1 END', 'NULL'],
    ["note || 'x'", 'NULL'],
    ['whole + NULL', 'NULL'],
  ];
  for (const [source, expected] of others) it(source, () => expect(result(source)).toBe(expected));
});

describe('numbers', () => {
  const cases: [string, string][] = [
    ['5 / 2', '2.500000'],
    ['1 / 3', '0.333333'],
    ['price / 3', '4.16666667'],
    ['0.1 + 0.2', '0.3'],
    ['0.1 + 0.2 = 0.3', 'TRUE'],
    ['price * 1.175', '14.68750'],
    ['ROUND(1.005, 2)', '1.01'],
    ['ROUND(-2.5)', '-3'],
    ['ROUND(2.5)', '3'],
    // 0.0049999999… rounded once, not first to 0.005000.
    ['ROUND(4999999999 / 1000000000000, 2)', '0.00'],
    ['FLOOR(-1.5)', '-2'],
    ['CEILING(-1.5)', '-1'],
    ['FLOOR(price)', '12'],
    ['MOD(-7, 3)', '-1'],
    ['MOD(7.5, 2)', '1.5'],
    ['ABS(-price)', '12.50'],
    ['-(-whole)', '7'],
    ['whole / 0', 'NULL'],
    ['MOD(whole, 0)', 'NULL'],
    ['1000 / 2 / 2 / 2', '125.000000'],
    ['1 = 1.000', 'TRUE'],
    ["CAST('12.345' AS DECIMAL(10, 2))", '12.35'],
    ["CAST(' -3.5 ' AS INTEGER)", '-4'],
    ['CAST(2.5 AS INTEGER)', '3'],
  ];
  for (const [source, expected] of cases)
    it(`${source} is ${expected}`, () => expect(result(source)).toBe(expected));

  it('holds a cast to its digits wherever it stands (ISO/IEC 9075-2: numeric value out of range)', () => {
    for (const source of [
      'CAST(1000 AS DECIMAL(3))',
      'CAST(1000 AS DECIMAL(3)) = whole',
      'whole BETWEEN 0 AND CAST(1000 AS DECIMAL(3))',
      'COALESCE(CAST(1000 AS DECIMAL(3)), 123456)',
      'CASE WHEN whole > 0 THEN CAST(1000 AS DECIMAL(3)) ELSE 123456 END',
      'whole IN (123456, CAST(1000 AS DECIMAL(3)))',
    ])
      expect(result(source)).withContext(source).toContain('too large');
    expect(result('COALESCE(CAST(999 AS DECIMAL(3)), 123456)')).toBe('999');
  });

  it('never wraps and never becomes a float: too large is an error', () => {
    const large = '999999999999999999';
    expect(result(`${large} * ${large}`)).toContain('too large');
    expect(result(`${large} * 10 + 1`)).toContain('too large');
    expect(result(`whole / ${large}`)).toContain('too large');
    expect(result(`${large} + ${large} - ${large}`)).toBe(large);
  });

  it('refuses texts that are no numbers', () => {
    for (const text of ['', 'abc', '1e3', '1.2.3', '0x10']) {
      expect(result(`CAST('${text}' AS INTEGER)`))
        .withContext(text)
        .toContain('cannot be read');
    }
  });
});

describe('texts', () => {
  const cases: [string, string][] = [
    ["label || '-' || whole", 'Ab-7'],
    ["'x' || price || DATE '2026-11-04'", 'x12.502026-11-04'],
    ['CAST(active AS TEXT)', 'TRUE'],
    ["UPPER('éa')", 'ÉA'],
    ["LOWER('ŁÓDŹ')", 'łódź'],
    ["CHAR_LENGTH('🎻é')", '2'],
    ["SUBSTRING('abcdef' FROM 2 FOR 3)", 'bcd'],
    // ISO/IEC 9075-2: characters before the first count towards the length.
    ["SUBSTRING('abcdef' FROM -1 FOR 4)", 'ab'],
    ["SUBSTRING('abcdef' FROM 5)", 'ef'],
    ["SUBSTRING('abc' FROM 2 FOR 0)", ''],
    ["POSITION('c' IN 'abc')", '3'],
    ["POSITION('' IN 'abc')", '1'],
    ["POSITION('x' IN 'abc')", '0'],
    ["TRIM('  a b ')", 'a b'],
    ["TRIM(LEADING '0' FROM '0070')", '70'],
    ["TRIM(TRAILING '0' FROM '0070')", '007'],
    ["'Harrow' LIKE 'h%W'", 'TRUE'],
    ["'École' LIKE 'é%'", 'TRUE'],
    ["'a_b' LIKE 'a!_b' ESCAPE '!'", 'TRUE'],
    ["'axb' LIKE 'a!_b' ESCAPE '!'", 'FALSE'],
    ["'aXbXc' LIKE '%x%x%'", 'TRUE'],
    ["'abc' LIKE 'a_'", 'FALSE'],
    ["'A' = 'a'", 'FALSE'],
    ["'Z' < 'a'", 'TRUE'],
  ];
  for (const [source, expected] of cases)
    it(`${source} is ${expected}`, () => expect(result(source)).toBe(expected));
});

describe('dates and intervals', () => {
  const cases: [string, string][] = [
    ["bought + INTERVAL '1' MONTH", '2024-02-29'],
    ["bought - INTERVAL '11' MONTH", '2023-02-28'],
    ["INTERVAL '14' DAY + CURRENT_DATE", '2026-12-09'],
    ["bought + INTERVAL '1-1' YEAR TO MONTH", '2025-02-28'],
    ["bought + whole * INTERVAL '1' DAY", '2024-02-07'],
    ["DATE '2024-03-01' - DATE '2024-02-28'", '2'],
    ['due - bought', 'NULL'],
    ["TIMESTAMP '2026-11-04 23:30:00' + INTERVAL '45' MINUTE", '2026-11-05T00:15:00Z'],
    ["TIMESTAMP '2026-01-31 10:00:00' + INTERVAL '1' MONTH", '2026-02-28T10:00:00Z'],
    ["EXTRACT(MONTH FROM DATE '2026-11-04')", '11'],
    ["EXTRACT(MINUTE FROM TIME '09:30')", '30'],
    ['EXTRACT(HOUR FROM CURRENT_TIMESTAMP)', '14'],
    ["DATE '2024-02-29' > bought", 'TRUE'],
    ["INTERVAL '1' DAY = INTERVAL '24' HOUR", 'TRUE'],
    ["CAST('2024-02-29' AS DATE)", '2024-02-29'],
    ['owner.since', '2020-02-29'],
  ];
  for (const [source, expected] of cases)
    it(`${source} is ${expected}`, () => expect(result(source)).toBe(expected));

  it('says so when a date leaves the calendar or is none', () => {
    expect(result("DATE '9999-12-31' + INTERVAL '1' DAY")).toContain('years 1 to 9999');
    expect(result("CAST('2023-02-29' AS DATE)")).toContain('cannot be read');
  });
});

describe('totals over child rows', () => {
  const cases: [string, string][] = [
    ['COUNT(parts)', '3'],
    ['COUNT(parts.cost)', '2'],
    ['SUM(parts.cost)', '8.33'],
    ['AVG(parts.cost)', '4.16500000'],
    ['MIN(parts.name)', 'Bow'],
    ['MAX(parts.cost * whole)', '35.00'],
    ["SUM(parts.cost) FILTER (WHERE parts.name = 'axle')", '5.00'],
    ["SUM(parts.cost) FILTER (WHERE parts.name = 'none')", 'NULL'],
    ['COUNT(DISTINCT parts.cost)', '2'],
  ];
  for (const [source, expected] of cases)
    it(`${source} is ${expected}`, () => expect(result(source)).toBe(expected));
});

describe('types', () => {
  const wrong: [source: string, at: string, words: RegExp][] = [
    ['prise > 1', 'prise', /item has no field “prise”.*price/],
    ['owner.nam', 'nam', /owner has no field “nam”.*name/],
    ['label.x', 'x', /not a lookup/],
    ['parts.cost', 'parts.cost', /many rows.*COUNT\(parts\)/],
    ['SUM(price)', 'SUM(price)', /needs the rows it runs over/],
    ['SUM(parts)', 'SUM(parts)', /needs a field/],
    ['SUM(parts.name)', 'parts.name', /a text.*a number/],
    ['SUM(SUM(parts.cost))', 'SUM(parts.cost)', /inside another total/],
    ['SUM(parts.cost + owner.items.price)', 'owner.items.price', /another set of rows|many rows/],
    ["whole = '7'", "'7'", /a text, beside a whole number.*without quotes/],
    ["bought > '2024-01-01'", "'2024-01-01'", /DATE '2024-01-01'/],
    ['bought + 14', 'bought + 14', /INTERVAL '14' DAY/],
    ["label + 'x'", "label + 'x'", /\|\| to join/],
    ['NOT whole', 'whole', /a whole number.*a condition/],
    ['label AND active', 'label', /a text.*a condition/],
    ['active < TRUE', 'active < TRUE', /no order/],
    ['UPPER(whole)', 'whole', /a whole number.*a text/],
    ['ROUND(price, whole)', 'whole', /written out/],
    ['ROUND(price, 9)', '9', /0 to 6 places/],
    ["bought + INTERVAL '2' HOUR", "bought + INTERVAL '2' HOUR", /no hours/],
    ["INTERVAL '1' MONTH < INTERVAL '30' DAY", "INTERVAL '1' MONTH", /no fixed length/],
    ["DATE '2023-02-29'", "DATE '2023-02-29'", /not a date/],
    ["TRIM('ab' FROM label)", "'ab'", /one character/],
    ["label LIKE 'x' ESCAPE 'ab'", "'ab'", /one character/],
    ['1.1234567', '1.1234567', /too many places/],
    ['12345678901234567890', '12345678901234567890', /too many digits/],
    ["CASE WHEN active THEN 1 ELSE 'x' END", "'x'", /beside/],
  ];
  for (const [source, at, words] of wrong) {
    it(`points at ${at} in ${source}`, () => {
      const found = attempt(() => bind(source, { catalog: SAMPLE, table: 't_item' }));
      if (found.ok) fail(`${source} was taken`);
      else {
        expect(found.error.message).toMatch(words);
        expect(source.slice(found.error.span.start, found.error.span.end)).toBe(at);
      }
    });
  }

  it('warns where a quotient can be empty', () => {
    const warnings = (source: string) =>
      bind(source, { catalog: SAMPLE, table: 't_item' }).warnings.map(({ message }) => message);
    expect(warnings('price / whole')).toEqual(['Empty wherever the divisor is 0.']);
    expect(warnings('price / 0')).toEqual(['Division by zero: this is always empty.']);
    expect(warnings('price / 2')).toEqual([]);
  });

  it('allows no field where there is no row', () => {
    expect(() => bind('whole', { catalog: SAMPLE, table: null })).toThrowError(/No field can be used/);
    expect(() => bind('CURRENT_DATE', { catalog: SAMPLE, table: null })).not.toThrow();
  });
});
