import fc from 'fast-check';
import {
  DATE,
  numberType,
  TEXT,
  BOOLEAN,
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
  ],
  children: [{ id: 'f_item', name: 'parts', table: 't_part', on: [['id', 'item']] }],
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
);

/** Expressions in source form over {@link SAMPLE}'s item, well typed by construction. */
export function expressions(): Generated {
  const { number, text, condition, date } = fc.letrec<{
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
    const comparison = fc.constantFrom('=', '<>', '<', '<=', '>', '>=');
    const small = fc.integer({ min: -40, max: 40 }).map(String);
    return {
      number: fc.oneof(
        deep,
        fc.constantFrom('whole', 'other', 'price', 'rate', '0', '1', '2.5', '0.01', '12', '1000000'),
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
          'COUNT(owner.items)',
          'SUM(owner.items.parts.cost)',
          "CAST('12.345' AS DECIMAL(10, 2))",
        ),
      ),
      text: fc.oneof(
        deep,
        fc.constantFrom('label', 'note', 'owner.name'),
        words.map(literal),
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
  return { number, text, condition, date };
}
