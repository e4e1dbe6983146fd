import { bind } from './bind';
import { fromStored, idsIn, toStored, writtenName } from './stored';
import { SAMPLE } from './testing/sample';
import { inWords } from './words';

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

  it('quote a name only where it must be', () => {
    expect(['due_back', 'due back', 'order', 'AND', '2nd', 'école', 'a"b'].map(writtenName)).toEqual([
      'due_back',
      '"due back"',
      'order',
      '"AND"',
      '"2nd"',
      'école',
      '"a""b"',
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
  ];
  for (const [source, expected] of cases) {
    it(`${source} reads “${expected}”`, () => {
      expect(inWords(bind(source, { catalog: SAMPLE, table: 't_item' }).bound, source)).toBe(expected);
    });
  }
});
