import { bind, sqlName, toSql, type Catalog } from '../expression';
import { fieldOf, isStored, lookupDisplay, tableOf } from './catalog';
import type { Design, Field, Table } from './schema';

/** SQL for a field's value as it is kept: its column, or what is worked out from others. */
export function fieldSql(
  design: Design,
  catalog: Catalog,
  table: Table,
  field: Field,
  alias: string,
): string {
  if (isStored(field)) return `${alias}.${sqlName(field.name)}`;
  const { bound } = bind(`"#${field.id}"`, { catalog, table: table.id });
  return toSql(bound, { catalog, row: alias }).sql;
}

/** SQL for the text that stands for the key a field holds; null for fields that show their own value. */
export function shownText(design: Design, catalog: Catalog, field: Field, own: string): string | null {
  if (field.type.kind === 'lookup') return lookupText(design, catalog, field, own);
  if (field.type.kind !== 'picture' && field.type.kind !== 'file') return null;
  return `(SELECT a.name FROM hr_attachment AS a WHERE a.id = ${own})`;
}

/** An expression whose result is a text: joining makes one of numbers and dates. */
export const asText = (expression: string): string => `(${expression}) || ''`;

/** A scalar subquery for the text a lookup field shows, given SQL for the key it holds. */
export function lookupText(design: Design, catalog: Catalog, field: Field, own: string): string {
  if (field.type.kind !== 'lookup') throw new Error(`${field.label} is not a lookup.`);
  const target = tableOf(design, field.type.table);
  const { bound } = bind(asText(lookupDisplay(design, field.type)), { catalog, table: target.id });
  const key = fieldOf(target, target.key[0]!)!;
  const shown = toSql(bound, { catalog, row: 'd' }).sql;
  return `(SELECT ${shown} FROM ${sqlName(target.name)} AS d WHERE d.${sqlName(key.name)} = ${own})`;
}
