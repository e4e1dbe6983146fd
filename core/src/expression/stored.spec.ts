import fc from 'fast-check';
import { bind } from './bind';
import { writtenName } from './parse';
import type { Bound } from './bound';
import { fromStored, idsIn, toStored, withId } from './stored';
import { SAMPLE } from './testing/sample';
import { WHOLE, type Catalog, type ExprTable } from './types';
import { inWords, shownInWords } from './words';

const field = (id: string, name: string, link?: string): ExprTable['fields'][number] => ({
  id,
  name,
  column: name,
  type: WHOLE,
  kind: { kind: 'wholeNumber' },
  link,
});

/** One table whose rows lead to rows of the same table. */
function namedCatalog(first: string, second: string, lookup: string, rows: string): Catalog {
  const table: ExprTable = {
    id: 't_a',
    name: 'a',
    keyColumn: first,
    fields: [field('f_a', first), field('f_b', second), field('f_l', lookup, 't_a')],
    links: [],
    children: [{ id: 'f_l', name: rows, table: 't_a', on: [[first, lookup]] }],
  };
  return { table: () => table };
}

const SELF: Catalog = {
  table: () => ({
    id: 't_part',
    name: 'part',
    keyColumn: 'id',
    fields: [
      field('f_id', 'id'),
      { ...field('f_name', 'name'), type: { type: 'text' } },
      { ...field('f_label', 'label'), type: { type: 'text' } },
      field('f_cost', 'cost'),
      field('f_part', 'part', 't_part'),
    ],
    links: [],
    children: [{ id: 'f_part', name: 'parts', table: 't_part', on: [['id', 'part']] }],
  }),
};

/** A typed tree without its places in the source. */
const bare = (bound: Bound): unknown =>
  JSON.parse(
    JSON.stringify(bound, (key, value: unknown) =>
      key === 'start' || key === 'end' ? undefined : typeof value === 'bigint' ? `${value}n` : value,
    ),
  );

describe('stored expressions', () => {
  const sources = [
    'due > bought',
    'SUM(parts.cost) FILTER (WHERE parts.name IS NOT NULL) > 2 * price -- a note',
    'owner.name  ||  label',
    "CASE WHEN active THEN 'due' ELSE label END",
    'COUNT(owner.items)',
  ];
  for (const source of sources) {
    it(`come back as they were typed: ${source}`, () => {
      const stored = toStored(source, SAMPLE, 't_item');
      expect(fromStored(stored, SAMPLE, 't_item')).toBe(source);
    });
  }

  it('hold ids in place of names, and leave texts alone', () => {
    const stored = toStored("label = 'due' AND due > bought", SAMPLE, 't_item');
    expect(stored).toBe(`"#f_label" = 'due' AND "#f_due" > "#f_bought"`);
    expect(idsIn(stored)).toEqual(['f_label', 'f_due', 'f_bought']);
  });

  it('bind the same as with names', () => {
    const bound = bind('"#f_owner"."#f_name" = \'Ada\'', { catalog: SAMPLE, table: 't_item' }).bound;
    expect(bound.type.type).toBe('boolean');
  });

  it('keep what is unknown, so that binding can say what is missing', () => {
    expect(fromStored('"#f_gone" > 1', SAMPLE, 't_item')).toBe('"#f_gone" > 1');
    expect(() => bind('"#f_gone" > 1', { catalog: SAMPLE, table: 't_item' })).toThrowError(/no longer there/);
  });

  it('tell the two ends of a link of a table with itself apart', () => {
    const source = 'part.name = label AND COUNT(parts) > 0 AND SUM(part.parts.cost) > 1';
    const stored = toStored(source, SELF, 't_part');
    expect(stored).toBe(
      '"#f_part"."#f_name" = "#f_label" AND COUNT("#~f_part") > 0 AND SUM("#f_part"."#~f_part"."#f_cost") > 1',
    );
    expect(fromStored(stored, SELF, 't_part')).toBe(source);
    expect(idsIn(stored).filter((id) => id === 'f_part').length).toBe(4);
    expect(withId('"#f_part" + COUNT("#~f_part") + "#f_parts"', 'f_part', 'f_x')).toBe(
      '"#f_x" + COUNT("#~f_x") + "#f_parts"',
    );
  });

  it('read the rows of a link also where files of before do not tell its ends apart', () => {
    expect(fromStored('COUNT("#f_item")', SAMPLE, 't_item')).toBe('COUNT(parts)');
  });

  it('read back to the same tree for every legal name', () => {
    const odd = fc.constantFrom(
      ...['true', 'interval', '#', '# rooms', '##', '#f_b', '#~f_b', '"', '.', "'", '--', 'date', 'time'],
      ...[
        's1',
        'v1',
        'r1',
        'NULL',
        'and',
        'count',
        'current_date',
        'today',
        'é',
        'e\u0301',
        'SUM(',
        ' a ',
        '1',
      ],
      ...['leading', 'both', 'year', 'end', 'ſ', '日本', '🎻', '[x]', '`x`', 'a\nb', '-', 'x-y', 'f_b'],
    );
    const name = fc.oneof(
      odd,
      fc.string({ unit: 'binary', minLength: 1, maxLength: 12 }),
      fc.string({ minLength: 1 }),
    );
    const plain = (text: string): string => text.normalize('NFC').toLowerCase();
    const names = fc.uniqueArray(name, { minLength: 4, maxLength: 4, selector: plain });
    // How names stand beside one another, whatever they are.
    const shapes = [
      (a: string, b: string): string => `${a} = ${b}`,
      (a: string, b: string): string => `${a} - ${b}`,
      (a: string, b: string): string => `- ${a} * ${b}`,
      (a: string, b: string): string => `${a} IN (${b}, 1)`,
      (a: string, b: string): string => `CASE ${a} WHEN ${b} THEN ${a} ELSE ${b} END`,
    ];
    let read = 0;
    fc.assert(
      fc.property(names, fc.constantFrom(...shapes), (list, shape) => {
        const [first, second, lookup, rows] = list as [string, string, string, string];
        const catalog = namedCatalog(first, second, lookup, rows);
        const source = shape(
          writtenName(first),
          `COUNT(${writtenName(rows)}) + ${writtenName(lookup)}.${writtenName(second)}`,
        );
        const stored = toStored(source, catalog, 't_a');
        // Whatever the names are, the stored form says them by their ids alone.
        expect(stored).toBe(shape('"#f_a"', 'COUNT("#~f_l") + "#f_l"."#f_b"'));
        const again = fromStored(stored, catalog, 't_a');
        expect(toStored(again, catalog, 't_a')).toBe(stored);
        const scope = { catalog, table: 't_a' };
        expect(bare(bind(again, scope).bound)).toEqual(bare(bind(stored, scope).bound));
        read++;
      }),
      { numRuns: 1000, seed: 7 },
    );
    expect(read).toBe(1000);
  });

  it('quote a name only where it must be', () => {
    expect(
      ['due_back', 'due back', 'order', 'AND', '2nd', 'école', 'a"b', '#', '# a', '#a-b'].map(writtenName),
    ).toEqual([
      'due_back',
      '"due back"',
      'order',
      '"AND"',
      '"2nd"',
      'école',
      '"a""b"',
      '#',
      '"## a"',
      '"##a-b"',
    ]);
  });
});

describe('plain words', () => {
  const cases: [string, string][] = [
    ['due IS NULL', 'due is empty'],
    ['due IS NOT NULL', 'due is filled'],
    ['due < CURRENT_DATE', 'due is before today'],
    ["bought >= DATE '2026-11-04'", 'bought is no earlier than 4 Nov 2026'],
    ['price > 100', 'price is more than 100'],
    ['price <= 12.50', 'price is at most 12.50'],
    ['whole <> 3', 'whole is not 3'],
    ['active', 'active'],
    ['NOT active', 'not active'],
    ["label LIKE '%x%'", 'label contains “x”'],
    ["label LIKE 'x%'", 'label begins with “x”'],
    ["label LIKE '%50!%%' ESCAPE '!'", 'label contains “50%”'],
    ["label LIKE 'a_c'", 'label is like “a_c”'],
    ["label IN ('a', 'b')", 'label is one of “a”, “b”'],
    ['price BETWEEN 1 AND 2', 'price lies between 1 and 2'],
    ['owner.name IS NULL', 'owner’s name is empty'],
    ["bought + INTERVAL '6' MONTH", 'bought plus 6 months'],
    ["bought - INTERVAL '1' DAY", 'bought minus 1 day'],
    ["bought <= CURRENT_DATE - INTERVAL '8' YEAR", 'bought is no later than today minus 8 years'],
    ["bought + INTERVAL '1-6' YEAR TO MONTH", 'bought plus 18 months'],
    ["CURRENT_TIMESTAMP + INTERVAL '2' HOUR", 'now plus 2 hours'],
    ["CURRENT_TIMESTAMP - INTERVAL '90' MINUTE", 'now minus 90 minutes'],
    ['CURRENT_DATE - due', 'days from due to today'],
    ['COUNT(parts)', 'count of parts'],
    ['COUNT(parts) = 0', 'has no parts'],
    ['COUNT(parts) > 0 AND active', 'has parts and active'],
    ['COUNT(parts) > 1', 'count of parts is more than 1'],
    ['COUNT(parts.cost) = 0', 'count of parts’ cost is 0'],
    [
      'COUNT(parts) FILTER (WHERE parts.cost > 1 OR parts.name IS NULL) > 0',
      'has parts (where their cost is more than 1 or their name is empty)',
    ],
    [
      'COUNT(owner.items) FILTER (WHERE owner.items.label IS DISTINCT FROM label AND owner.items.due IS NULL) = 0',
      '(count of owner’s items where their label differs from label and their due is empty) is 0',
    ],
    ['COUNT(DISTINCT parts.cost)', 'count of parts’ different cost'],
    ['SUM(parts.cost) > 3', 'sum of parts’ cost is more than 3'],
    ['active AND due IS NULL OR whole = 1', 'active and due is empty or whole is 1'],
    ['active AND (due IS NULL OR whole = 1)', 'active and (due is empty or whole is 1)'],
    ['ROUND(price, 1)', 'ROUND(price, 1)'],
    ['price + 1', 'price + 1'],
    ['(price + 1) * whole > 3', '(price + 1) × whole is more than 3'],
    ['price + 1 * whole', 'price + 1 × whole'],
    ['price - (1 - whole)', 'price − (1 − whole)'],
    ['(price - 1) - whole', 'price − 1 − whole'],
    ['price * (whole * 2)', 'price × (whole × 2)'],
    ['(whole + 0.5) * price', '(whole + 0.5) × price'],
    ["(bought + INTERVAL '1' DAY) - due", 'days from due to (bought plus 1 day)'],
    ['(active OR due IS NULL) AND active', '(active or due is empty) and active'],
    ['NOT (active AND due IS NULL)', 'not (active and due is empty)'],
    ['(active AND due IS NULL) IS NULL', '(active and due is empty) is empty'],
    ['whole NOT IN (1, 2)', 'whole is none of 1, 2'],
    ['(whole + 1) IN (1, other - 2)', 'whole + 1 is one of 1, other − 2'],
    ["label LIKE '!%x%' ESCAPE '!'", 'label begins with “%x”'],
    ["label LIKE '%!%' ESCAPE '!'", 'label ends with “%”'],
    ["label LIKE '!!!_' ESCAPE '!'", 'label is “!_”, in any case'],
    ["label LIKE '%a!_%b' ESCAPE '!'", 'label is like “%a!_%b” (with ! as the escape character)'],
    ["label LIKE '%'", 'label is filled'],
    ['label LIKE note', 'label is like note'],
  ];
  for (const [source, expected] of cases) {
    it(`${source} reads “${expected}”`, () => {
      expect(inWords(bind(source, { catalog: SAMPLE, table: 't_item' }).bound, source)).toBe(expected);
    });
  }
});

describe('what a text is put together from, in words', () => {
  const cases: readonly (readonly [source: string, expected: string])[] = [
    ["label || ', ' || note", 'label, note'],
    ["label || ' (' || owner.name || ')'", 'label (owner’s name)'],
    ['label', 'label'],
    ["'Out'", 'Out'],
    ["CURRENT_DATE + INTERVAL '6' MONTH", 'today plus 6 months'],
    ["UPPER(label) || '!'", 'UPPER(label)!'],
  ];
  for (const [source, expected] of cases) {
    it(`${source} reads “${expected}”`, () => {
      expect(shownInWords(bind(source, { catalog: SAMPLE, table: 't_item' }).bound, source)).toBe(expected);
    });
  }
});
