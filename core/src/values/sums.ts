import { add, compare, decimal, divide, fromText, toText, type Decimal } from './decimal';
import { showValue, type Value, type ValueKind } from './kinds';
import type { Locale } from './locale';

/** Whether the values of a kind are amounts, of which a sum tells something. */
export const isSummed = ({ kind }: ValueKind): boolean =>
  kind === 'money' || kind === 'decimal' || kind === 'wholeNumber';

/** The exact sum of the values of a kind as people read it; what is empty counts nothing. */
export function sumShown(kind: ValueKind, values: Iterable<Value>, locale: Locale): string {
  let sum: Decimal = decimal(0n, kind.kind === 'money' || kind.kind === 'decimal' ? kind.places : 0);
  for (const value of values) sum = add(sum, fromText(String(value ?? '')) ?? decimal(0n));
  return showValue(kind, toText(sum), locale);
}

/** What is told of the values of a column together. */
export type Total = 'sum' | 'average' | 'least' | 'most' | 'count';

/** What is known of values that are not at hand, all as values of their kind. */
export interface Tally {
  /** How many of them are not empty. */
  readonly count: number;
  readonly sum: Value;
  readonly least: Value;
  readonly most: Value;
}

/** The totals that tell something of a kind. */
export function totalsOf(kind: ValueKind): readonly Total[] {
  if (isSummed(kind)) return ['sum', 'average', 'least', 'most', 'count'];
  return kind.kind === 'date' || kind.kind === 'time' || kind.kind === 'dateTime'
    ? ['least', 'most', 'count']
    : ['count'];
}

/** Decimal places of an average: those of its values, at least two. */
const averagePlaces = (kind: ValueKind): number =>
  Math.max(2, kind.kind === 'money' || kind.kind === 'decimal' ? kind.places : 0);

/**
 * A total of the values of a kind as people read it, exactly; what is empty counts nothing, and where all is, only the
 * sum and the count have something to say. An average is rounded half away from zero. `rest` stands for further values.
 */
export function totalShown(
  kind: ValueKind,
  total: Total,
  values: Iterable<Value>,
  locale: Locale,
  rest: Tally | null = null,
): string {
  const all = [...values].filter((value) => value !== null);
  const count = all.length + (rest?.count ?? 0);
  if (total === 'count') return showValue({ kind: 'wholeNumber' }, count, locale);
  if (total === 'sum') return sumShown(kind, [...all, rest?.sum ?? null], locale);
  if (total === 'average') {
    const places = averagePlaces(kind);
    const sum = [...all, rest?.sum ?? null].reduce<Decimal>(
      (so, value) => add(so, fromText(String(value ?? '')) ?? decimal(0n)),
      decimal(0n),
    );
    const mean = divide(sum, decimal(BigInt(count)), places);
    const shown: ValueKind =
      kind.kind === 'money' || kind.kind === 'decimal' ? { ...kind, places } : { kind: 'decimal', places };
    return mean ? showValue(shown, toText(mean), locale) : '';
  }
  const sign = total === 'least' ? -1 : 1;
  const last = rest?.[total] ?? null;
  const found = (last === null ? all : [...all, last]).reduce<Value>(
    (best, value) => (best === null || ordered(value, best) * sign > 0 ? value : best),
    null,
  );
  return showValue(kind, found, locale);
}

/** Numbers by their worth; dates and times, which are written so, as texts. */
function ordered(a: Value, b: Value): number {
  const [one, other] = [fromText(String(a)), fromText(String(b))];
  if (one && other) return compare(one, other);
  return String(a) < String(b) ? -1 : String(a) > String(b) ? 1 : 0;
}
