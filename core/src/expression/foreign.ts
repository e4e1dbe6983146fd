/**
 * Functions that people bring along from spreadsheets and from other languages (common practice), and what
 * says the same in the value expressions of ISO/IEC 9075-2.
 */
const SAME: Readonly<Record<string, string>> = {
  LEN: 'CHAR_LENGTH',
  LENGTH: 'CHAR_LENGTH',
  UCASE: 'UPPER',
  LCASE: 'LOWER',
  IFNULL: 'COALESCE',
  NVL: 'COALESCE',
  AVERAGE: 'AVG',
  INT: 'FLOOR',
};

const UNIT = /^(YEAR|MONTH|DAY|HOUR|MINUTE|SECOND)$/;

/** The standard's way to write a call, or null when this is no function that we know from elsewhere. */
export function standardForm(name: string, args: readonly string[]): string | null {
  const [a, b, c] = args;
  const word = name.toUpperCase();
  if (SAME[word] !== undefined && args.length > 0) return `${SAME[word]}(${args.join(', ')})`;
  if (word === 'NOW' && args.length === 0) return 'CURRENT_TIMESTAMP';
  if (word === 'TODAY' && args.length === 0) return 'CURRENT_DATE';
  if (a === undefined) return null;
  if (UNIT.test(word) && args.length === 1) return `EXTRACT(${word} FROM ${a})`;
  if (word === 'LTRIM' && args.length === 1) return `TRIM(LEADING FROM ${a})`;
  if (word === 'RTRIM' && args.length === 1) return `TRIM(TRAILING FROM ${a})`;
  if (/^IS(NULL|EMPTY|BLANK)$/.test(word)) return b === undefined ? `${a} IS NULL` : `COALESCE(${a}, ${b})`;
  if (b === undefined) return null;
  if (word === 'IF') return `CASE WHEN ${a} THEN ${b}${c === undefined ? '' : ` ELSE ${c}`} END`;
  if (word === 'LEFT') return `SUBSTRING(${a} FROM 1 FOR ${b})`;
  if (word === 'RIGHT') return `SUBSTRING(${a} FROM CHAR_LENGTH(${a}) - ${b} + 1)`;
  if (/^(MID|SUBSTR|SUBSTRING)$/.test(word))
    return `SUBSTRING(${a} FROM ${b}${c === undefined ? '' : ` FOR ${c}`})`;
  if (/^(INSTR|STRPOS)$/.test(word)) return `POSITION(${b} IN ${a})`;
  if (/^CONCAT(ENATE)?$/.test(word)) return args.join(' || ');
  return null;
}
