import { attempt } from './errors';
import { parse } from './parse';
import type { Node } from './ast';
import { tokens } from './tokens';

/** The tree in a short form, every operation in parentheses: shows what binds to what. */
function shape(node: Node): string {
  switch (node.node) {
    case 'path':
      return node.steps.map(({ name }) => name).join('.');
    case 'number':
      return node.text;
    case 'text':
      return `'${node.text}'`;
    case 'negate':
    case 'not':
      return `(${node.node} ${shape(node.operand)})`;
    case 'arithmetic':
    case 'compare':
      return `(${shape(node.left)} ${node.op} ${shape(node.right)})`;
    case 'and':
    case 'or':
    case 'concat':
    case 'distinct':
      return `(${shape(node.left)} ${node.node} ${shape(node.right)})`;
    case 'between':
      return `(${shape(node.operand)} between ${shape(node.low)} ${shape(node.high)})`;
    case 'in':
      return `(${shape(node.operand)} in ${node.list.map(shape).join(' ')})`;
    case 'like':
      return `(${shape(node.operand)} like ${shape(node.pattern)})`;
    case 'isNull':
      return `(${shape(node.operand)} isNull)`;
    case 'isTruth':
      return `(${shape(node.operand)} is ${String(node.value)})`;
    default:
      return node.node;
  }
}

const error = (source: string) => {
  const result = attempt(() => parse(source));
  if (result.ok) throw new Error(`${source} was taken as ${shape(result.value)}`);
  return result.error;
};

describe('parse', () => {
  // Precedence of ISO/IEC 9075-2: factors, terms, predicates, NOT, AND, OR.
  const shapes: [string, string][] = [
    ['1 + 2 * 3', '(1 + (2 * 3))'],
    ['1 - 2 - 3', '((1 - 2) - 3)'],
    ['8 / 4 / 2', '((8 / 4) / 2)'],
    ['(1 + 2) * 3', '((1 + 2) * 3)'],
    ['-a * b', '((negate a) * b)'],
    ['a - -b', '(a - (negate b))'],
    ['a = 1 OR b = 2 AND c = 3', '((a = 1) or ((b = 2) and (c = 3)))'],
    ['NOT a = 1 AND b', '((not (a = 1)) and b)'],
    ['a + 1 < b * 2', '((a + 1) < (b * 2))'],
    ["a || b || 'c'", "((a concat b) concat 'c')"],
    ['a BETWEEN 1 AND 2 AND b', '((a between 1 2) and b)'],
    ['a NOT BETWEEN 1 AND 2', '(not (a between 1 2))'],
    ['a NOT IN (1, 2)', '(not (a in 1 2))'],
    ["a NOT LIKE 'x%'", "(not (a like 'x%'))"],
    ['a IS NOT NULL', '(not (a isNull))'],
    ['a IS NOT TRUE', '(not (a is true))'],
    ['a IS UNKNOWN', '(a is null)'],
    ['a IS DISTINCT FROM b', '(a distinct b)'],
    ['player.school.name', 'player.school.name'],
    ['"due back" > "say ""hi"""', '(due back > say "hi")'],
  ];
  for (const [source, expected] of shapes) {
    it(`reads ${source}`, () => expect(shape(parse(source))).toBe(expected));
  }

  it('reads every special form', () => {
    const forms: [string, Node['node']][] = [
      ["DATE '2026-11-04'", 'date'],
      ["TIME '09:30'", 'time'],
      ["TIMESTAMP '2026-11-04 09:30:00'", 'timestamp'],
      ["INTERVAL '14' DAY", 'interval'],
      ["INTERVAL - '1-6' YEAR TO MONTH", 'interval'],
      ['CURRENT_DATE', 'clock'],
      ['current_timestamp', 'clock'],
      ['CASE WHEN a THEN 1 ELSE 2 END', 'case'],
      ['CASE a WHEN 1 THEN 2 END', 'case'],
      ['CAST(a AS DECIMAL(10, 2))', 'cast'],
      ['EXTRACT(YEAR FROM d)', 'extract'],
      ["TRIM(LEADING 'x' FROM a)", 'trim'],
      ['TRIM(BOTH FROM a)', 'trim'],
      ['SUBSTRING(a FROM 2 FOR 3)', 'substring'],
      ["POSITION('x' IN a)", 'position'],
      ['COALESCE(a, b, 0)', 'call'],
      ['COUNT(*)', 'aggregate'],
      ["SUM(a) FILTER (WHERE b = 'x')", 'aggregate'],
      ['COUNT(DISTINCT a)', 'aggregate'],
      ['UNKNOWN', 'truth'],
    ];
    for (const [source, node] of forms) expect(parse(source).node).withContext(source).toBe(node);
  });

  it('leaves comments and spaces out', () => {
    expect(shape(parse('a -- the first\n +  b'))).toBe('(a + b)');
  });

  it('lets keywords of special forms be field names where nothing follows them', () => {
    expect(shape(parse('date > time'))).toBe('(date > time)');
    expect(shape(parse('interval.year'))).toBe('interval.year');
  });

  const wrong: [source: string, position: number, words: RegExp][] = [
    ['', 0, /nothing here yet/],
    ['a +', 3, /ends too early.*field name or a value/],
    ['a + * b', 4, /“\*” does not fit.*field name or a value/],
    ['(a', 2, /ends too early.*\)/],
    ['a b', 2, /“b” does not fit.*operator or the end/],
    ["'open", 0, /not closed/],
    ['"open', 0, /not closed/],
    ['a ! b', 2, /“!” has no meaning.*<>/],
    ['“a”', 0, /straight quotes/],
    ['a & b', 2, /\|\| to join texts/],
    ['a IS 3', 5, /NULL, TRUE, FALSE/],
    ['a BETWEEN 1', 11, /AND/],
    ['CASE END', 5, /does not fit/],
    ['CASE WHEN a THEN 1', 18, /END/],
    ["INTERVAL 'x' DAY", 9, /not a whole number/],
    ["INTERVAL '1' WEEK", 13, /YEAR, MONTH, DAY/],
    ['nonsense(a)', 0, /no function nonsense/],
    ['COALESC(a, b)', 0, /no function COALESC.*COALESCE/],
    ['CAST(a AS DECIMAL(2, 3))', 10, /2 digits cannot have 3 places/],
    ['CAST(a AS CHAR(3))', 10, /VARCHAR/],
    ['ROUND(a, 1, 2)', 0, /ROUND takes 1 to 2/],
    ['CAST(a AS MONEY)', 10, /TEXT, INTEGER, DECIMAL/],
    ['a.', 2, /field name/],
    ['a IN ()', 6, /field name or a value/],
    [`${'('.repeat(30)}1${')'.repeat(30)}`, 24, /nested too deeply/],
  ];
  for (const [source, position, words] of wrong) {
    it(`points at the mistake in ${source.slice(0, 30) || 'nothing'}`, () => {
      const { message, span } = error(source);
      expect(message).toMatch(words);
      expect(span.start).toBe(position);
    });
  }

  it('keeps the place of every token', () => {
    const source = 'due_back >= DATE \'2026-11-04\' || "x"';
    for (const { start, end, type } of tokens(source)) {
      if (type !== 'end') expect(source.slice(start, end)).not.toMatch(/^\s|\s$/);
    }
    expect(tokens(source).map(({ type }) => type)).toEqual([
      'word',
      'symbol',
      'word',
      'text',
      'symbol',
      'name',
      'end',
    ]);
  });
});

describe('long expressions', () => {
  const depth = (node: unknown): number =>
    node !== null && typeof node === 'object'
      ? Object.values(node).reduce<number>((most, inner) => Math.max(most, depth(inner)), 0) + 1
      : 0;
  const chain = (count: number, joint: string, item = 'a'): string => Array(count).fill(item).join(joint);

  for (const joint of [' + ', ' - ', ' || ', ' AND ', ' OR '])
    it(`are no deeper than their length asks for: 2,000 times${joint}`, () => {
      expect(depth(parse(chain(2000, joint)))).toBeLessThan(40);
      expect(depth(parse(chain(16, joint)))).toBeGreaterThan(14);
    });

  it('keep the signs of their terms', () => {
    // Worked out by the shape of the tree alone.
    const value = (node: Node): number =>
      node.node === 'arithmetic'
        ? value(node.left) + (node.op === '-' ? -1 : 1) * value(node.right)
        : Number((node as { text: string }).text);
    let [source, expected] = ['1', 1];
    for (let i = 2; i <= 300; i++) {
      const minus = (i * 7919) % 3 === 0;
      source += ` ${minus ? '-' : '+'} ${i}`;
      expected += minus ? -i : i;
    }
    expect(value(parse(source))).toBe(expected);
  });

  for (const [what, source] of [
    ['comparisons', chain(2000, ' = ')],
    ['IS NULL', `a${' IS NULL'.repeat(2000)}`],
    ['factors', chain(2000, ' * ')],
    ['NOT', `${'NOT '.repeat(2000)}a`],
    ['minus signs', `${'- '.repeat(2000)}a`],
    ['parentheses', `${'('.repeat(2000)}a${')'.repeat(2000)}`],
    ['names', chain(30_000, '+')],
  ] as const)
    it(`are refused in words when they have too many ${what}`, () => {
      expect(error(source).message).toMatch(/too deeply|Too many|More than|too long/);
    });

  it('may have any number of plus signs, which say nothing', () => {
    expect(shape(parse(`${'+ '.repeat(4000)}a`))).toBe('a');
  });
});

describe('what people bring along from elsewhere', () => {
  const fixes: [string, string][] = [
    ['INTERVAL 6 MONTH', "INTERVAL '6' MONTH"],
    ['a + INTERVAL 14 DAYS', "a + INTERVAL '14' DAY"],
    ['a > 2024-01-31', "a > DATE '2024-01-31'"],
    ['IF(a > 1, b, c)', 'CASE WHEN a > 1 THEN b ELSE c END'],
    ['IF(a, b)', 'CASE WHEN a THEN b END'],
    ['YEAR(a) = 2024', 'EXTRACT(YEAR FROM a) = 2024'],
    ['LEFT(a || b, 3)', 'SUBSTRING(a || b FROM 1 FOR 3)'],
    ['RIGHT(a, 2)', 'SUBSTRING(a FROM CHAR_LENGTH(a) - 2 + 1)'],
    ['SUBSTRING(a, 2, 3)', 'SUBSTRING(a FROM 2 FOR 3)'],
    ['SUBSTR(a, 2)', 'SUBSTRING(a FROM 2)'],
    ['len(a)', 'CHAR_LENGTH(a)'],
    ["CONCAT(a, ', ', b)", "a || ', ' || b"],
    ['ISNULL(a)', 'a IS NULL'],
    ['IFNULL(a, 0)', 'COALESCE(a, 0)'],
    ['NOW()', 'CURRENT_TIMESTAMP'],
    ['ROUNDE(a, 1)', 'ROUND(a, 1)'],
  ];
  for (const [typed, wanted] of fixes)
    it(`${typed} is offered as ${wanted}`, () => {
      const { fix } = error(typed);
      expect(fix).not.toBeNull();
      const { start, end, text } = fix!;
      const mended = typed.slice(0, start) + text + typed.slice(end);
      expect(mended).toBe(wanted);
      expect(attempt(() => parse(mended)).ok).toBeTrue();
    });

  it('2024-01-32 is still a subtraction, since no such day is meant', () => {
    expect(shape(parse('2024-01-32'))).toBe('((2024 - 01) - 32)');
  });
});
