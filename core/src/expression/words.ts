import type { Bound } from './bound';
import { showDate } from '../values';

/**
 * A plain-words reading of an expression: `due_back < CURRENT_DATE` is `due back is before today`. What
 * has no plain words is quoted as it was written. `source` is the text that was bound.
 */
export const inWords = (bound: Bound, source: string): string => reading(bound, source, null);

/** `theirs` is the row variable of the rows that a condition is about. */
function reading(bound: Bound, source: string, theirs: number | null): string {
  const words = (part: Bound): string => reading(part, source, theirs);
  const written = source.slice(bound.start, bound.end);
  switch (bound.op) {
    case 'const':
      return constant(bound);
    case 'clock':
      return bound.what === 'date' ? 'today' : 'now';
    case 'worked':
    case 'ref': {
      const owners = bound.links.map((hop) => plain(hop.hop === 'link' ? hop.field.name : hop.child.name));
      const path = [...owners, plain(bound.field.name)].join('’s ');
      return bound.op === 'ref' && bound.row === theirs ? `their ${path}` : path;
    }
    case 'rescale':
      return /^round/i.test(written) ? written : words(bound.a);
    case 'toText':
      return /^cast/i.test(written) ? written : words(bound.a);
    case 'and':
    case 'or': {
      const side = (part: Bound): string =>
        part.op === 'or' && bound.op === 'and' ? `(${words(part)})` : words(part);
      return `${side(bound.a)} ${bound.op} ${side(bound.b)}`;
    }
    case 'not':
      return negative(bound.a, words) ?? `not (${words(bound.a)})`;
    case 'isNull':
      return `${words(bound.a)} is empty`;
    case 'distinct':
      return `${words(bound.a)} differs from ${words(bound.b)}`;
    case 'compare':
      return `${words(bound.a)} ${comparison(bound.how, bound.a)} ${words(bound.b)}`;
    case 'between':
      return `${words(bound.a)} lies between ${words(bound.low)} and ${words(bound.high)}`;
    case 'in':
      return `${words(bound.a)} is one of ${bound.list.map(words).join(', ')}`;
    case 'like':
      return `${words(bound.a)} ${pattern(bound)}`;
    case 'concat':
      return written;
    case 'addDays':
    case 'addMonths':
    case 'addSeconds':
      return bound.b.op === 'const'
        ? `${words(bound.a)} ${(bound.b.value as bigint) < 0n ? 'minus' : 'plus'} ${words(bound.b)}`
        : written;
    case 'daysBetween':
      return `days from ${words(bound.b)} to ${words(bound.a)}`;
    case 'add':
      return `${words(bound.a)} + ${words(bound.b)}`;
    case 'sub':
      return `${words(bound.a)} − ${words(bound.b)}`;
    case 'mul':
      return `${words(bound.a)} × ${words(bound.b)}`;
    case 'aggregate': {
      const name = { COUNT: 'count', SUM: 'sum', AVG: 'average', MIN: 'least', MAX: 'most' }[bound.name];
      const path = bound.over?.hops.map((hop) => plain(hop.hop === 'link' ? hop.field.name : hop.child.name));
      const rows = path?.join('’s ') ?? 'rows';
      const what = bound.arg ? `${rows}’ ${bound.distinct ? 'different ' : ''}${words(bound.arg)}` : rows;
      const where = bound.filter ? ` where ${reading(bound.filter, source, bound.over?.as ?? null)}` : '';
      return where === '' ? `${name} of ${what}` : `(${name} of ${what}${where})`;
    }
    default:
      return written;
  }
}

const plain = (name: string): string => name.replace(/_/g, ' ');

function constant(bound: Extract<Bound, { op: 'const' }>): string {
  const { type, value } = bound;
  if (value === null) return 'nothing';
  if (type.type === 'date') return showDate(String(value));
  if (type.type === 'interval') {
    const amount = (value as bigint) < 0n ? -(value as bigint) : (value as bigint);
    return span(amount, type.unit);
  }
  if (type.type === 'number') {
    const digits = String(value)
      .replace('-', '')
      .padStart(type.scale + 1, '0');
    const sign = String(value).startsWith('-') ? '-' : '';
    return type.scale === 0
      ? sign + digits
      : `${sign}${digits.slice(0, -type.scale)}.${digits.slice(-type.scale)}`.replace(/\.0+$/, '');
  }
  return type.type === 'text' ? `“${String(value)}”` : String(value);
}

const LARGER: Readonly<Record<string, readonly (readonly [unit: string, of: bigint])[]>> = {
  month: [['year', 12n]],
  second: [
    ['day', 86_400n],
    ['hour', 3_600n],
    ['minute', 60n],
  ],
};

/** A length of time in the largest unit that it is a whole number of: 96 months are 8 years. */
function span(amount: bigint, unit: string): string {
  const [name, of] = LARGER[unit]?.find(([, size]) => amount > 0n && amount % size === 0n) ?? [unit, 1n];
  const count = amount / of;
  return `${count} ${name}${count === 1n ? '' : 's'}`;
}

const ORDERED = {
  '<': 'is less than',
  '<=': 'is at most',
  '>': 'is more than',
  '>=': 'is at least',
} as const;
const TIMED = {
  '<': 'is before',
  '<=': 'is no later than',
  '>': 'is after',
  '>=': 'is no earlier than',
} as const;

function comparison(how: '=' | '<>' | keyof typeof ORDERED, { type }: Bound): string {
  if (how === '=') return 'is';
  if (how === '<>') return 'is not';
  return type.type === 'date' || type.type === 'instant' || type.type === 'time' ? TIMED[how] : ORDERED[how];
}

function negative(a: Bound, words: (part: Bound) => string): string | null {
  if (a.op === 'isNull') return `${words(a.a)} is filled`;
  if (a.op === 'ref' || a.op === 'worked') return `not ${words(a)}`;
  if (a.op === 'in') return `${words(a.a)} is none of ${a.list.map(words).join(', ')}`;
  return null;
}

function pattern(bound: Extract<Bound, { op: 'like' }>): string {
  const source = bound.pattern.op === 'const' ? String(bound.pattern.value) : null;
  if (source === null) return 'is like a pattern';
  const match = /^(%?)(.*?)(%?)$/s.exec(source)!;
  const [, before, middle = '', after] = match;
  const escaped = bound.escape;
  const bare = escaped === null ? middle : middle.split(escaped).join('');
  const wild = escaped === null ? /[%_]/.test(middle) : new RegExp(`(?<!\\${escaped})[%_]`).test(middle);
  if (wild) return `is like “${source}”`;
  if (before && after) return `contains “${bare}”`;
  if (after) return `begins with “${bare}”`;
  return before ? `ends with “${bare}”` : `is “${bare}”, in any case`;
}
