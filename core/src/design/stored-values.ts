import { fromText, rescale, toText, type Value } from '../values';
import { placesOf } from './catalog';
import type { FieldType } from './schema';

/** A value as a column holds it: decimals in units, ticks as 0 or 1. */
export type Stored = string | number;

/** A stored value as it travels: decimals as text, ticks as true or false. */
export function travelling(type: FieldType, stored: Stored): Exclude<Value, null> {
  if (type.kind === 'tick') return stored === 1;
  if (type.kind !== 'decimal' && type.kind !== 'money') return stored;
  return toText({ units: BigInt(stored), scale: placesOf(type) });
}

/** The inverse; null for a text that is no decimal. */
export function storing(type: FieldType, value: Value): Stored | null {
  if (typeof value === 'boolean') return value ? 1 : 0;
  if (typeof value !== 'string' || (type.kind !== 'decimal' && type.kind !== 'money')) return value;
  const number = fromText(value);
  return number ? Number(rescale(number.units, number.scale, type.places)) : null;
}
