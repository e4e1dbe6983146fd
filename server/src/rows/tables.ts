import {
  customType,
  integer,
  sqliteTable,
  text,
  type SQLiteColumnBuilderBase,
} from 'drizzle-orm/sqlite-core';
import { and, eq, type SQL } from 'drizzle-orm';
import {
  fieldOf,
  placesOf,
  storedFields,
  typeOf,
  type Design,
  type Field,
  type Table,
} from '@heathridge/core/design';
import { fromText, rescale, toText, type Value } from '@heathridge/core/values';
import type { RowKey } from '@heathridge/core/rows';

/** A decimal kept as a whole number of units; exact on the way in and out. */
const scaled = (places: number) =>
  customType<{ data: string; driverData: number }>({
    dataType: () => 'integer',
    toDriver(value) {
      const number = fromText(value);
      if (!number) throw new RangeError(`“${value}” is not a decimal.`);
      return Number(rescale(number.units, number.scale, places));
    },
    fromDriver: (units) => toText({ units: BigInt(units), scale: places }),
  })();

function columnFor(design: Design, field: Field): SQLiteColumnBuilderBase {
  const places = placesOf(field.type);
  if (places > 0 || field.type.kind === 'decimal' || field.type.kind === 'money') return scaled(places);
  if (field.type.kind === 'tick') return integer({ mode: 'boolean' });
  return typeOf(design, field.type).type === 'number' ? integer() : text();
}

/** A table that the builder designed, as Drizzle sees it: one column a field, under the field's id. */
export type RowTable = ReturnType<typeof buildTable>;

function buildTable(design: Design, table: Table) {
  const columns: Record<string, SQLiteColumnBuilderBase> = {};
  for (const field of storedFields(table)) {
    const column = columnFor(design, field) as SQLiteColumnBuilderBase & {
      config: { name: string; keyAsName: boolean };
    };
    column.config.name = field.name;
    column.config.keyAsName = false;
    columns[field.id] = column;
  }
  return sqliteTable(table.name, columns);
}

const built = new WeakMap<Table, { design: Design; table: RowTable }>();

/** The Drizzle table of a definition, built once for each version of the design. */
export function rowTable(design: Design, table: Table): RowTable {
  const known = built.get(table);
  if (known?.design === design) return known.table;
  const made = buildTable(design, table);
  built.set(table, { design, table: made });
  return made;
}

type ColumnMap = Record<string, Parameters<typeof eq>[0]>;

/** The condition that picks one row by its key. */
export function byKey(design: Design, table: Table, key: RowKey): SQL {
  const columns = rowTable(design, table) as unknown as ColumnMap;
  return and(...table.key.map((id, i) => eq(columns[id]!, key[i])))!;
}

/** The key of a row given by field id. */
export const keyOf = (table: Table, row: Readonly<Record<string, Value>>): RowKey =>
  table.key.map((id) => row[id] as string | number);

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
