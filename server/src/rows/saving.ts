import { sqlName } from '@heathridge/core/expression';
import { fieldOf, storedFields, type Design, type Field, type Table } from '@heathridge/core/design';
import type { Moment, RowChange, RowError, RowKey, SavedRow } from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';
import type { Row, Writing } from '../store/history';
import { guarded } from '../store/statements';
import { fromStored, toStored, type Stored } from './codec';

/** One save while it is being made: a transaction is open. */
export interface Saving extends Moment, Writing {
  readonly design: Design;
  /** Keys of the rows that it has added, by the name they were added under. */
  readonly keys: Map<string, RowKey>;
  /** Rows that are added have been there before: their stamps come back with them. */
  readonly restores?: boolean;
  /** The names of rows that it was to add and that were refused. */
  readonly refused: Set<string>;
}

/** A change and its place in the save. */
export interface Placed<C = RowChange> {
  readonly change: C;
  readonly index: number;
}

export type Outcome = SavedRow | { readonly errors: readonly RowError[] };

const names = new WeakMap<Table, { readonly fields: readonly Field[]; readonly list: string }>();

/** The stored fields of a table and their columns as a list for SQL. */
export function columnsOf(table: Table): { readonly fields: readonly Field[]; readonly list: string } {
  const known = names.get(table);
  if (known) return known;
  const fields = storedFields(table);
  const made = { fields, list: fields.map(({ name }) => sqlName(name)).join(', ') };
  names.set(table, made);
  return made;
}

/** The row that an array of its columns holds. */
export const rowFrom = (table: Table, cells: readonly Stored[]): Row =>
  Object.fromEntries(columnsOf(table).fields.map((field, i) => [field.id, fromStored(field, cells[i]!)]));

export const keyCondition = (table: Table): string =>
  table.key.map((id) => `${sqlName(fieldOf(table, id)!.name)} = ?`).join(' AND ');

/** The row with this key as it is now; undefined when there is none. */
export function currentRow({ db }: Saving, table: Table, key: RowKey): Row | undefined {
  const sql = `SELECT ${columnsOf(table).list} FROM ${sqlName(table.name)} WHERE ${keyCondition(table)}`;
  const cells = guarded(db, sql, columnsOf(table).fields.length).get(...key);
  return cells && rowFrom(table, cells);
}

/** Rows of a table that hold these values in these fields. */
export function rowsWith(
  { db }: Pick<Saving, 'db'>,
  table: Table,
  fields: readonly Field[],
  values: readonly Value[],
): Row[] {
  const where = fields.map(({ name }) => `${sqlName(name)} = ?`).join(' AND ');
  const sql = `SELECT ${columnsOf(table).list} FROM ${sqlName(table.name)} WHERE ${where}`;
  const stored = fields.map((field, i) => toStored(field, values[i]!));
  const found = guarded(db, sql, columnsOf(table).fields.length).all(...stored);
  return found.map((cells) => rowFrom(table, cells));
}
