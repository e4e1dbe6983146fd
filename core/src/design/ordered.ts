import { orderKeySql, sqlName } from '../expression';
import { fieldOf, isStored, storedFields, typeOf } from './catalog';
import type { Design, Field, Table } from './schema';

/** Whether the values of a field are texts that people put in the order of their letters. */
export const isLettered = (design: Design, { type }: Field): boolean =>
  type.kind !== 'lookup' && typeOf(design, type).type === 'text';

/**
 * The fields of a table whose order keys (see `orderKey`) are kept beside its rows: texts that have an index,
 * since they are marked for one, are no two alike or belong to the key. An index over the texts themselves
 * is in the order of their bytes, and no index of the engine can work a key out. Any other text is brought
 * into order when it is asked for.
 */
export const orderedFields = (design: Design, table: Table): Field[] =>
  storedFields(table).filter(
    (field) =>
      (field.indexed || field.noTwoAlike || table.key.includes(field.id)) && isLettered(design, field),
  );

/**
 * The table in which the order keys of a field stand: `k0`, `k1`, … are the key of the row, `o` the order
 * key.
 */
export const orderTable = (field: Field): string => `hr_order_${field.id}`;

/** The columns of a table's key, each with the one that holds it in a table of order keys. */
export const orderKeyColumns = (table: Table): { readonly own: string; readonly copy: string }[] =>
  table.key.map((id, i) => ({ own: sqlName(fieldOf(table, id)!.name), copy: `k${i}` }));

/** SQL by whose values the texts of a field come into order; the values of other fields order themselves. */
export const fieldOrder = (design: Design, field: Field, own: string): string =>
  isLettered(design, field) ? orderKeySql(own) : own;

/** Whether an order by this field can be read from an index. */
export const hasOrderTable = (design: Design, table: Table, field: Field): boolean =>
  isStored(field) && orderedFields(design, table).includes(field);
