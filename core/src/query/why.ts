import { distance, fold, parts, type Bound } from '../expression';
import { showValue, type Locale, type Value, type ValueKind } from '../values';

/** Values that are looked through for what is near to what was asked for. */
export const MOST_VALUES = 2000;
/** Values that are named, and characters of each. */
const [MOST_NAMED, MOST_SHOWN] = [5, 40];
/** Characters of texts that are compared letter by letter. */
const MOST_COMPARED = 60;

/**
 * A comparison that may leave no row: of what, in words, and with what. `values`: texts, whose neighbours are looked for;
 * `range`: what has an order; `filled`: whether there is anything.
 */
export interface Comparison {
  readonly by: 'values' | 'range' | 'filled';
  readonly of: Bound;
  /** The text it is compared with, null where that is no single one. */
  readonly wanted: string | null;
}

/** The comparisons of a condition with something that stands there, in the order in which they are written. */
export function comparisonsOf(bound: Bound): Comparison[] {
  const isConst = ({ op }: Bound): boolean => op === 'const' || op === 'clock';
  const text = (side: Bound): string | null =>
    side.op === 'const' && typeof side.value === 'string' && side.type.type === 'text' ? side.value : null;
  const sided = (a: Bound, b: Bound): Comparison[] => {
    const [of, other] = isConst(bareOf(b)) ? [a, b] : isConst(bareOf(a)) ? [b, a] : [null, null];
    if (!of || isConst(bareOf(of))) return [];
    const by = of.type.type === 'text' ? 'values' : of.type.type === 'boolean' ? 'filled' : 'range';
    return [{ by, of: bareOf(of), wanted: text(bareOf(other!)) }];
  };
  switch (bound.op) {
    case 'compare':
      return sided(bound.a, bound.b);
    case 'in':
      return bound.list.length === 1
        ? sided(bound.a, bound.list[0]!)
        : sided(bound.a, bound.list[0]!).map((item) => ({ ...item, wanted: null }));
    case 'between':
      return sided(bound.a, bound.low);
    case 'like':
      return sided(bound.a, bound.pattern).map((item) => ({ ...item, wanted: null }));
    case 'isNull':
      return [{ by: 'filled', of: bound.a, wanted: null }];
    case 'and':
    case 'or':
    case 'not':
      return parts(bound).flatMap(comparisonsOf);
    default:
      return [];
  }
}

/** An operand without changes of scale. */
const bareOf = (bound: Bound): Bound =>
  bound.op === 'rescale' || bound.op === 'limit' ? bareOf(bound.a) : bound;

/** What is told of how the values of one comparison stand, `counts`: each with the number of its rows, most first. */
export interface Standing {
  readonly subject: string;
  readonly kind: ValueKind;
  readonly locale: Locale;
  /** Rows in which nothing stands. */
  readonly empty: number;
  readonly rows: number;
}

const inRows = (count: number): string => `${count.toLocaleString('en-GB')} ${count === 1 ? 'row' : 'rows'}`;

type Counts = readonly (readonly [value: string, count: number])[];

const named = (list: Counts): string =>
  list
    .slice(0, MOST_NAMED)
    .map(([value, count]) => `“${cut(value)}” (${inRows(count)})`)
    .join(', ');

/** A text as it is without its spaces and capitals. */
const bare = (text: string): string => fold(text.trim().replace(/\s+/g, ' '));

/** What stands there that differs from what was asked for by capitals and spaces only; null where nothing does. */
export function writtenLike(subject: string, wanted: string, counts: Counts): string | null {
  const same = counts.filter(([value]) => value !== wanted && bare(value) === bare(wanted));
  return same.length > 0
    ? `Of ${subject} there is ${named(same)}, which differs by capitals or spaces only.`
    : null;
}

/** Why a text leaves no row: what stands there that differs from it only by case or spaces, is near to it, or at all. */
export function whyOfValues(
  { subject, empty, rows }: Standing,
  wanted: string | null,
  counts: Counts,
): string {
  if (counts.length === 0) return nothingThere(subject, rows);
  const more = empty > 0 ? ` Nothing stands there in ${inRows(empty)}.` : '';
  if (wanted !== null) {
    const like = writtenLike(subject, wanted, counts);
    if (like !== null) return like;
    const near = counts
      .filter(([value]) => value.length <= MOST_COMPARED && wanted.length <= MOST_COMPARED)
      .map(([value, count]) => ({ value, count, far: distance(bare(value), bare(wanted)) }))
      .filter(({ far, value }) => far <= Math.max(1, Math.floor(value.length / 4)))
      .sort((a, b) => a.far - b.far)
      .map(({ value, count }) => [value, count] as const);
    if (near.length > 0) return `Near to “${wanted}”, ${subject} has ${named(near)}.`;
  }
  const others = counts.length > MOST_NAMED ? ' and others' : '';
  return `What stands in ${subject}: ${named(counts)}${others}.${more}`;
}

/** Why a bound leaves no row: from where to where the values run. */
export function whyOfRange(
  { subject, kind, locale, empty, rows }: Standing,
  least: Value,
  most: Value,
): string {
  if (least === null || most === null) return nothingThere(subject, rows);
  const [from, to] = [showValue(kind, least, locale), showValue(kind, most, locale)];
  const more = empty > 0 ? ` Nothing stands there in ${inRows(empty)}.` : '';
  return from === to
    ? `${capital(subject)} is ${from} in all of them.${more}`
    : `${capital(subject)} runs from ${from} to ${to} there.${more}`;
}

/** Why being empty or filled leaves no row. */
export const whyOfFilled = ({ subject, empty, rows }: Standing): string =>
  empty === rows
    ? nothingThere(subject, rows)
    : empty === 0
      ? `${capital(subject)} is filled ${inAll(rows)}.`
      : `${capital(subject)} is empty in ${inRows(empty)} of ${rows.toLocaleString('en-GB')}.`;

const inAll = (rows: number): string =>
  rows === 1 ? 'in the one row before it' : `in all of the ${inRows(rows)} before it`;

const nothingThere = (subject: string, rows: number): string =>
  `${capital(subject)} is empty ${inAll(rows)}.`;

const cut = (text: string): string => (text.length > MOST_SHOWN ? `${text.slice(0, MOST_SHOWN)}…` : text);

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
