import { placesOf, type Field } from '@heathridge/core/design';
import { toVal } from '@heathridge/core/rows';
import { toText, type Value } from '@heathridge/core/values';

/** A value as a column holds it. */
export type Stored = string | number | null;

/** A value as the file keeps it: decimals in units, ticks as 0 or 1. */
export function toStored(field: Field, value: Value): Stored {
  const stored = toVal(field, value);
  if (typeof stored === 'boolean') return stored ? 1 : 0;
  return typeof stored === 'bigint' ? Number(stored) : stored;
}

/** The inverse: a value as it travels, from what the file keeps. */
export function fromStored(field: Field, stored: Stored): Value {
  if (stored === null) return null;
  if (field.type.kind === 'tick') return stored === 1;
  if (field.type.kind === 'decimal' || field.type.kind === 'money')
    return toText({ units: BigInt(stored), scale: placesOf(field.type) });
  return stored;
}
