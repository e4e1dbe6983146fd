import { add, decimal, fromText, toText, type Decimal } from './decimal';
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
