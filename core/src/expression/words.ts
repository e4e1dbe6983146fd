import type { Bound, Collection } from './bound';
import { likeItems } from './fold';
import { showDate } from '../values';

/**
 * A plain-words reading of an expression: `due_back < CURRENT_DATE` is `due back is before today`. What
 * has no plain words is quoted as it was written. `source` is the text that was bound.
 */
export const inWords = (bound: Bound, source: string): string => reading(bound, source, null);

/**
 * What a text is put together from: `surname || ', ' || first_name` is `surname, first name`. Any other expression
 * is read as {@link inWords} does.
 */
export const shownInWords = (bound: Bound, source: string): string =>
  bound.op === 'concat'
    ? shownInWords(bound.a, source) + shownInWords(bound.b, source)
    : bound.op === 'const' && bound.type.type === 'text' && bound.value !== null
      ? String(bound.value)
      : inWords(bound, source);

/** `theirs` is the row variable of the rows that a condition is about. */
function reading(bound: Bound, source: string, theirs: number | null): string {
  const words = (part: Bound): string => reading(part, source, theirs);
  /** An operand, in parentheses where its own operator binds less. */
  const side = (part: Bound, least: number): string =>
    binding(part, source) < least ? `(${words(part)})` : words(part);
  const own = binding(bound, source);
  const oneOf = ({ a, list }: Extract<Bound, { op: 'in' }>, how: string): string =>
    `${side(a, SUM)} ${how} ${list.map((item) => side(item, SUM)).join(', ')}`;
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
    case 'or':
      return `${side(bound.a, own)} ${bound.op} ${side(bound.b, own)}`;
    case 'not':
      if (bound.a.op === 'isNull') return `${side(bound.a.a, TERM)} is filled`;
      if (bound.a.op === 'in') return oneOf(bound.a, 'is none of');
      return bound.a.op === 'ref' || bound.a.op === 'worked'
        ? `not ${words(bound.a)}`
        : `not (${words(bound.a)})`;
    case 'isNull':
      return `${side(bound.a, TERM)} is empty`;
    case 'distinct':
      return `${side(bound.a, SUM)} differs from ${side(bound.b, SUM)}`;
    case 'compare': {
      const any = anyRows(bound, source);
      if (any !== null) return any;
      return `${side(bound.a, SUM)} ${comparison(bound.how, bound.a)} ${side(bound.b, SUM)}`;
    }
    case 'between':
      return `${side(bound.a, SUM)} lies between ${side(bound.low, SUM)} and ${side(bound.high, SUM)}`;
    case 'in':
      return oneOf(bound, 'is one of');
    case 'like':
      return `${side(bound.a, SUM)} ${pattern(bound, written)}`;
    case 'concat':
      return written;
    case 'addDays':
    case 'addMonths':
    case 'addSeconds':
      return bound.b.op === 'const'
        ? `${side(bound.a, SUM)} ${(bound.b.value as bigint) < 0n ? 'minus' : 'plus'} ${words(bound.b)}`
        : written;
    case 'daysBetween':
      return `days from ${side(bound.b, TERM)} to ${side(bound.a, TERM)}`;
    case 'add':
      return `${side(bound.a, SUM)} + ${side(bound.b, SUM)}`;
    case 'sub':
      return `${side(bound.a, SUM)} − ${side(bound.b, PRODUCT)}`;
    case 'mul':
      return `${side(bound.a, PRODUCT)} × ${side(bound.b, PRODUCT + 1)}`;
    case 'aggregate': {
      const name = { COUNT: 'count', SUM: 'sum', AVG: 'average', MIN: 'least', MAX: 'most' }[bound.name];
      const rows = bound.over ? rowsOf(bound.over) : 'rows';
      const what = bound.arg ? `${rows}’ ${bound.distinct ? 'different ' : ''}${words(bound.arg)}` : rows;
      const where = bound.filter ? ` where ${reading(bound.filter, source, bound.over?.as ?? null)}` : '';
      return where === '' ? `${name} of ${what}` : `(${name} of ${what}${where})`;
    }
    default:
      return written;
  }
}

/** `hires’s payments` */
const rowsOf = ({ hops }: Collection): string =>
  hops.map((hop) => plain(hop.hop === 'link' ? hop.field.name : hop.child.name)).join('’s ');

/** That there are rows, or none, where a count is compared with none: `has no hires`. Null for anything else. */
function anyRows({ a, b, how }: Extract<Bound, { op: 'compare' }>, source: string): string | null {
  if (a.op !== 'aggregate' || a.name !== 'COUNT' || a.arg || a.over?.hops.length !== 1) return null;
  if (b.op !== 'const' || b.value !== 0n || (how !== '=' && how !== '>')) return null;
  const where = a.filter ? ` (where ${reading(a.filter, source, a.over.as)})` : '';
  return `has ${how === '=' ? 'no ' : ''}${rowsOf(a.over)}${where}`;
}

/** How strongly an operator holds its operands together in words: `or` least, a single name most. */
const [OR, AND, NOT, PREDICATE, SUM, PRODUCT, TERM] = [0, 1, 2, 3, 4, 5, 7];

function binding(bound: Bound, source: string): number {
  switch (bound.op) {
    case 'or':
      return OR;
    case 'and':
      return AND;
    case 'not':
      return bound.a.op === 'isNull' || bound.a.op === 'in' ? PREDICATE : NOT;
    case 'compare':
    case 'between':
    case 'in':
    case 'like':
    case 'isNull':
    case 'distinct':
      return PREDICATE;
    case 'add':
    case 'sub':
    case 'addDays':
    case 'addMonths':
    case 'addSeconds':
    case 'daysBetween':
      return SUM;
    case 'mul':
      return PRODUCT;
    case 'const':
      return typeof bound.value === 'bigint' && bound.value < 0n ? PRODUCT : TERM;
    case 'worked':
    case 'ref':
      return TERM;
    case 'rescale':
    case 'toText': {
      // Nothing is said of a change of scale: what stands below is read in its place.
      const written = source.slice(bound.start, bound.end);
      return /^(round|cast)/i.test(written) ? TERM : binding(bound.a, source);
    }
    case 'aggregate':
      return TERM;
    default:
      return quotedBinding(source.slice(bound.start, bound.end));
  }
}

/** What is shown as it was written stands for itself when it is one call or one name. */
const quotedBinding = (written: string): number =>
  /^(\w+\s*\([^()]*\)|[\w.]+|\([^()]*\))$/.test(written) ? TERM : OR;

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

function pattern(bound: Extract<Bound, { op: 'like' }>, written: string): string {
  const source = bound.pattern.op === 'const' ? String(bound.pattern.value) : null;
  const items = source === null ? null : likeItems(source, bound.escape);
  if (source === null || !items) return `is like ${written.replace(/^.*?\blike\b\s*/is, '')}`;
  const isAny = (at: number): boolean => items[at]?.wild === true && items[at].char === '%';
  const before = isAny(0);
  const after = items.length > 1 && isAny(items.length - 1);
  const middle = items.slice(before ? 1 : 0, after ? -1 : undefined);
  if (middle.some(({ wild }) => wild))
    return `is like “${source}”${bound.escape === null ? '' : ` (with ${bound.escape} as the escape character)`}`;
  const bare = middle.map(({ char }) => char).join('');
  if (bare === '') return before ? 'is filled' : 'is a text without characters';
  if (before && after) return `contains “${bare}”`;
  if (after) return `begins with “${bare}”`;
  return before ? `ends with “${bare}”` : `is “${bare}”, in any case`;
}
