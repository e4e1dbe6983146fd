import fc from 'fast-check';
import {
  DATE,
  numberType,
  TEXT,
  BOOLEAN,
  INSTANT,
  TIME,
  WHOLE,
  type Catalog,
  type ExprField,
  type ExprTable,
} from '../types';

const field = (name: string, type: ExprField['type'], kind: ExprField['kind'], link?: string): ExprField => ({
  id: `f_${name}`,
  name,
  column: name,
  type,
  kind,
  link,
});

const ITEM: ExprTable = {
  id: 't_item',
  name: 'item',
  keyColumn: 'id',
  fields: [
    field('id', WHOLE, { kind: 'runningNumber' }),
    field('whole', WHOLE, { kind: 'wholeNumber' }),
    field('other', WHOLE, { kind: 'wholeNumber' }),
    field('price', numberType(2, 15), { kind: 'money', places: 2 }),
    field('rate', numberType(4, 15), { kind: 'decimal', places: 4 }),
    field('label', TEXT, { kind: 'text' }),
    field('note', TEXT, { kind: 'longText' }),
    field('active', BOOLEAN, { kind: 'tick' }),
    field('bought', DATE, { kind: 'date' }),
    field('due', DATE, { kind: 'date' }),
    field('owner', WHOLE, { kind: 'lookup' }, 't_owner'),
    field('opens', TIME, { kind: 'time' }),
    field('made', INSTANT, { kind: 'dateTime' }),
    field('inside', WHOLE, { kind: 'lookup' }, 't_item'),
  ],
  children: [
    { id: 'f_item', name: 'parts', table: 't_part', on: [['id', 'item']] },
    { id: 'f_inside', name: 'contents', table: 't_item', on: [['id', 'inside']] },
  ],
  links: [],
};

const OWNER: ExprTable = {
  id: 't_owner',
  name: 'owner',
  keyColumn: 'id',
  fields: [
    field('id', WHOLE, { kind: 'runningNumber' }),
    field('name', TEXT, { kind: 'text' }),
    field('since', DATE, { kind: 'date' }),
  ],
  children: [{ id: 'f_owner', name: 'items', table: 't_item', on: [['id', 'owner']] }],
  links: [],
};

const PART: ExprTable = {
  id: 't_part',
  name: 'part',
  keyColumn: 'id',
  fields: [
    field('id', WHOLE, { kind: 'runningNumber' }),
    field('item', WHOLE, { kind: 'lookup' }, 't_item'),
    field('cost', numberType(2, 15), { kind: 'money', places: 2 }),
    field('name', TEXT, { kind: 'text' }),
  ],
  links: [],
  children: [],
};

/** Three linked tables over which expressions are checked: an item, its owner, its parts. */
export const SAMPLE: Catalog = {
  table: (id) => {
    const table = [ITEM, OWNER, PART].find((candidate) => candidate.id === id);
    if (!table) throw new Error(`No table ${id}`);
    return table;
  },
};

export interface Generated {
  readonly time: fc.Arbitrary<string>;
  readonly number: fc.Arbitrary<string>;
  readonly text: fc.Arbitrary<string>;
  readonly condition: fc.Arbitrary<string>;
  readonly date: fc.Arbitrary<string>;
}

const literal = (text: string): string => `'${text.replace(/'/g, "''")}'`;
const words = fc.constantFrom(
  '',
  ' ',
  'a',
  'Ab',
  'é',
  'ÉCOLE',
  '%',
  "o'k",
  '  pad ',
  '12',
  '-3.5',
  '日本',
  '🎻x',
  'ſ',
  'Straße',
  'ΣΊΣΥΦΟΣ',
  'ЁЖ',
  'e\u0301',
  '\u212aelvin',
  'a%b_c!',
  '!%',
  'AaA%',
);
/** Letters of every script that has two cases, and some that have none. */
const letters = fc.string({
  unit: fc.oneof(
    fc.constantFrom(...'aZéÉßẞſσςΣжЖİıǅǆﬁԱաᎠꭰ🎻𐐀𐐨日'),
    fc.integer({ min: 0xa0, max: 0x24ff }).map((code) => String.fromCodePoint(code)),
  ),
  maxLength: 6,
});

/** Expressions in source form over {@link SAMPLE}'s item, well typed by construction. */
export function expressions(): Generated {
  const { number, text, condition, date, time } = fc.letrec<{
    time: string;
    number: string;
    text: string;
    condition: string;
    date: string;
  }>((tie) => {
    const deep = { maxDepth: 4, depthIdentifier: 'expression' };
    const n = tie('number');
    const t = tie('text');
    const c = tie('condition');
    const d = tie('date');
    const z = tie('time');
    const length = fc.integer({ min: 1, max: 30 });
    const comparison = fc.constantFrom('=', '<>', '<', '<=', '>', '>=');
    const small = fc.integer({ min: -40, max: 40 }).map(String);
    return {
      number: fc.oneof(
        deep,
        fc.constantFrom('whole', 'other', 'price', 'rate', '0', '1', '2.5', '0.01', '12', '1000000'),
        fc.constantFrom('123456789012345', '999999999999999999', 'inside.price', '(price * NULL)'),
        fc.tuple(n, fc.constantFrom('NULL', 'CAST(NULL AS INTEGER)')).map(([a, b]) => `(${a} + -(${b}))`),
        fc.tuple(n, length).map(([a, k]) => `(${Array(k).fill(a).join(' + ')})`),
        fc.tuple(n, n, length).map(([a, b, k]) => `(${Array(k).fill(`${a} - ${b}`).join(' - ')})`),
        fc
          .tuple(n, fc.integer({ min: 1, max: 15 }))
          .map(([a, p]) => `CAST(${a} AS DECIMAL(${p}, ${Math.min(p, 2)}))`),
        fc.tuple(t, fc.integer({ min: 1, max: 15 })).map(([a, p]) => `CAST(${a} AS DECIMAL(${p}))`),
        n.map((a) => `CAST(${a} AS INTEGER)`),
        fc
          .tuple(fc.constantFrom('HOUR', 'MINUTE', 'SECOND'), fc.oneof(z, fc.constant('made')))
          .map(([u, a]) => `EXTRACT(${u} FROM ${a})`),
        fc.tuple(n, fc.constantFrom('+', '-', '*', '/'), n).map(([a, op, b]) => `(${a} ${op} ${b})`),
        n.map((a) => `-(${a})`),
        n.map((a) => `ABS(${a})`),
        fc.tuple(n, fc.integer({ min: 0, max: 4 })).map(([a, p]) => `ROUND(${a}, ${p})`),
        fc.tuple(fc.constantFrom('FLOOR', 'CEILING'), n).map(([f, a]) => `${f}(${a})`),
        fc.tuple(n, n).map(([a, b]) => `MOD(${a}, ${b})`),
        fc.tuple(n, n).map(([a, b]) => `COALESCE(${a}, ${b})`),
        fc.tuple(n, n).map(([a, b]) => `NULLIF(${a}, ${b})`),
        fc.tuple(c, n, n).map(([w, a, b]) => `CASE WHEN ${w} THEN ${a} ELSE ${b} END`),
        t.map((a) => `CHAR_LENGTH(${a})`),
        fc.tuple(t, t).map(([a, b]) => `POSITION(${a} IN ${b})`),
        fc.tuple(d, d).map(([a, b]) => `(${a} - ${b})`),
        fc.tuple(fc.constantFrom('YEAR', 'MONTH', 'DAY'), d).map(([u, a]) => `EXTRACT(${u} FROM ${a})`),
        fc.constantFrom(
          'SUM(parts.cost)',
          'COUNT(parts)',
          'AVG(parts.cost)',
          'MAX(parts.cost * whole)',
          "SUM(parts.cost) FILTER (WHERE parts.name LIKE 'a%')",
          'COUNT(DISTINCT parts.cost)',
          'COUNT(DISTINCT parts)',
          'COUNT(DISTINCT owner.items)',
          'COUNT(DISTINCT inside.contents)',
          'COUNT(contents)',
          'SUM(contents.whole) - COUNT(inside.contents)',
          'COUNT(contents.parts) FILTER (WHERE contents.parts.cost > price)',
          'COUNT(owner.items)',
          'SUM(owner.items.parts.cost)',
          "CAST('12.345' AS DECIMAL(10, 2))",
        ),
      ),
      text: fc.oneof(
        deep,
        fc.constantFrom('label', 'note', 'owner.name', 'inside.label', 'inside.owner.name'),
        words.map(literal),
        letters.map(literal),
        fc.tuple(t, length).map(([a, k]) => `CAST(${a} AS VARCHAR(${k}))`),
        fc.tuple(n, length).map(([a, k]) => `CAST(${a} AS VARCHAR(${k}))`),
        fc.tuple(t, length).map(([a, k]) => `(${Array(k).fill(a).join(' || ')})`),
        fc.tuple(t, n, n).map(([a, from, l]) => `SUBSTRING(${a} FROM FLOOR(${from}) FOR FLOOR(${l}))`),
        fc
          .tuple(t, fc.constantFrom('4294967297', '-4294967297', '999999999999999999'))
          .map(([a, from]) => `SUBSTRING(${a} FROM ${from} FOR 4294967300)`),
        z.map((a) => `CAST(${a} AS VARCHAR(10))`),
        fc.tuple(t, t).map(([a, b]) => `(${a} || ${b})`),
        fc.tuple(fc.constantFrom('UPPER', 'LOWER'), t).map(([f, a]) => `${f}(${a})`),
        fc
          .tuple(fc.constantFrom('', 'LEADING ', 'TRAILING ', 'BOTH '), t)
          .map(([s, a]) => (s === '' ? `TRIM(${a})` : `TRIM(${s}FROM ${a})`)),
        fc.tuple(t, small, small).map(([a, from, length]) => `SUBSTRING(${a} FROM ${from} FOR ${length})`),
        fc.tuple(t, small).map(([a, from]) => `SUBSTRING(${a} FROM ${from})`),
        fc.tuple(c, t).map(([w, a]) => `CASE WHEN ${w} THEN ${a} END`),
        n.map((a) => `CAST(${a} AS TEXT)`),
        d.map((a) => `('on ' || ${a})`),
        fc.tuple(t, t).map(([a, b]) => `COALESCE(${a}, ${b})`),
        fc.constantFrom('MIN(parts.name)', 'MAX(owner.items.label)'),
      ),
      condition: fc.oneof(
        deep,
        fc.constantFrom('active', 'TRUE', 'FALSE', 'NULL', 'active IS UNKNOWN'),
        fc.tuple(n, comparison, n).map(([a, op, b]) => `(${a} ${op} ${b})`),
        fc.tuple(t, comparison, t).map(([a, op, b]) => `(${a} ${op} ${b})`),
        fc.tuple(d, comparison, d).map(([a, op, b]) => `(${a} ${op} ${b})`),
        fc.tuple(c, fc.constantFrom('AND', 'OR'), c).map(([a, op, b]) => `(${a} ${op} ${b})`),
        c.map((a) => `(NOT ${a})`),
        fc.tuple(fc.oneof(n, t, d), fc.constantFrom('', 'NOT ')).map(([a, not]) => `(${a} IS ${not}NULL)`),
        fc.tuple(c, fc.constantFrom('TRUE', 'NOT FALSE', 'NOT UNKNOWN')).map(([a, v]) => `(${a} IS ${v})`),
        fc.tuple(n, n, n).map(([a, low, high]) => `(${a} BETWEEN ${low} AND ${high})`),
        fc.tuple(t, t, t).map(([a, b, x]) => `(${a} NOT IN (${b}, ${x}))`),
        fc.tuple(d, d).map(([a, b]) => `(${a} IS DISTINCT FROM ${b})`),
        fc
          .tuple(t, fc.oneof(fc.constantFrom("'%b'", "'a_%'", "'É%'", "'%!%%' ESCAPE '!'", "'%'"), t))
          .map(([a, p]) => `(${a} LIKE ${p})`),
        fc
          .tuple(t, t, fc.constantFrom('!', 'a', 'A', 'É', 'ß'))
          .map(([a, p, e]) => `(${a} LIKE ${p} ESCAPE '${e}')`),
        fc
          .tuple(letters, letters)
          .map(([a, b]) => `('x' || ${literal(a)} LIKE ${literal(`%${b.replace(/[%_]/g, '')}%`)})`),
        fc
          .tuple(
            fc.oneof(n),
            fc.constantFrom('', 'NOT '),
            fc.constantFrom('inside.price', 'inside.whole', 'whole', 'NULL'),
          )
          .map(([a, not, x]) => `(${a} ${not}IN (${x}))`),
        fc.tuple(t, fc.constantFrom('owner.name', 'inside.label')).map(([a, x]) => `(${a} NOT IN (${x}))`),
        fc
          .tuple(c, fc.constantFrom(' AND ', ' OR '), length)
          .map(([a, op, k]) => `(${Array(k).fill(a).join(op)})`),
        fc.tuple(z, comparison, z).map(([a, op, b]) => `(${a} ${op} ${b})`),
        fc.tuple(z, z, comparison).map(([a, b, op]) => `(${a} - ${b} ${op} INTERVAL '90' MINUTE)`),
        fc
          .tuple(d, fc.constantFrom('due', 'inside.due', 'NULL'))
          .map(([a, b]) => `(${a} BETWEEN ${b} AND CURRENT_DATE)`),
        fc.tuple(c, c).map(([a, b]) => `(${a} = ${b})`),
      ),
      time: fc.oneof(
        deep,
        fc.constantFrom('opens', 'inside.opens', "TIME '23:30'", "TIME '00:00:01'", 'MIN(contents.opens)'),
        fc
          .tuple(z, fc.constantFrom('+', '-'), small, fc.constantFrom('HOUR', 'MINUTE', 'SECOND'))
          .map(([a, op, k, unit]) => `(${a} ${op} INTERVAL '${k}' ${unit})`),
        fc.tuple(z, fc.constantFrom('whole', 'other')).map(([a, k]) => `(${a} + INTERVAL '1' HOUR * ${k})`),
        fc.tuple(c, z, z).map(([w, a, b]) => `CASE WHEN ${w} THEN ${a} ELSE ${b} END`),
        fc.tuple(z, z).map(([a, b]) => `NULLIF(${a}, ${b})`),
      ),
      date: fc.oneof(
        deep,
        fc.constantFrom(
          'bought',
          'due',
          'owner.since',
          "DATE '2024-02-29'",
          "DATE '2023-12-31'",
          'CURRENT_DATE',
        ),
        fc
          .tuple(d, fc.constantFrom('+', '-'), small, fc.constantFrom('DAY', 'MONTH', 'YEAR'))
          .map(([a, op, k, unit]) => `(${a} ${op} INTERVAL '${k}' ${unit})`),
        d.map((a) => `(${a} + whole * INTERVAL '1' DAY)`),
        fc.tuple(c, d, d).map(([w, a, b]) => `CASE WHEN ${w} THEN ${a} ELSE ${b} END`),
        fc.tuple(d, d).map(([a, b]) => `COALESCE(${a}, ${b})`),
      ),
    };
  });
  return { number, text, condition, date, time };
}
