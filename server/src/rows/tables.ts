import { fieldOf, typeOf, type Design, type Table } from '@heathridge/core/design';
import type { Value } from '@heathridge/core/values';
import type { RowKey } from '@heathridge/core/rows';
import { toStored } from './codec';

/** The key of a row given by field id: as the file keeps it, which is how every list names the row. */
export const keyOf = (table: Table, row: Readonly<Record<string, Value>>): RowKey =>
  table.key.map((id) => toStored(fieldOf(table, id)!, row[id]!)!);

/** The key of a row, checked against the key's fields; null when it cannot be one. */
export function checkKey(design: Design, table: Table, key: RowKey): RowKey | null {
  if (key.length !== table.key.length) return null;
  const right = table.key.every((id, i) => {
    const field = fieldOf(table, id)!;
    const wanted = typeOf(design, field.type).type === 'number' ? 'number' : 'string';
    return typeof key[i] === wanted && (wanted === 'string' || Number.isSafeInteger(key[i]));
  });
  return right ? key : null;
}
