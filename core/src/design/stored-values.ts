import { fromText, rescale, showValue, toText, type Locale, type Value } from '../values';
import { fieldOf, placesOf, valueKind } from './catalog';
import type { FieldType, Table } from './schema';

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

/** The key of a row, which is as the file keeps it, as people read it. */
export const showKey = (table: Table, key: readonly Stored[], locale?: Locale): string =>
  table.key
    .map((id, i) => {
      const { type } = fieldOf(table, id)!;
      return showValue(valueKind(type), travelling(type, key[i]!), locale);
    })
    .join(' · ');
