import { bind, sqlName, sqlText, toSql, type Catalog, type SqlWriting } from '../expression';
import { fieldOf, isStored, lookupDisplay, tableOf } from './catalog';
import type { Design, Field, Table } from './schema';

/**
 * SQL for a field's value as it is kept: its column, or what is worked out from others. Where that cannot be
 * done it is NULL, or with `mark` what tells the fault.
 */
export function fieldSql(
  design: Design,
  catalog: Catalog,
  table: Table,
  field: Field,
  alias: string,
  faults: 'empty' | 'mark' = 'empty',
): string {
  if (isStored(field)) return `${alias}.${sqlName(field.name)}`;
  const { bound } = bind(`"#${field.id}"`, { catalog, table: table.id });
  return toSql(bound, { catalog, row: alias, faults }).sql;
}

/** What people read where a text that stands for a row cannot be worked out. */
export const UNSHOWN = '(cannot be worked out)';

/**
 * SQL for the text by which a row is shown. An expression that cannot be worked out for it must not end a whole
 * list: its key stands there then, with the reason.
 */
export function displaySql(table: Table, expression: string, writing: SqlWriting & { row: string }): string {
  const { catalog, row } = writing;
  const { bound } = bind(expression, { catalog, table: table.id });
  const { sql, marked } = toSql(bound, { ...writing, faults: 'mark' });
  if (!marked) return sql;
  const keys = table.key.map((id) => `${row}.${sqlName(fieldOf(table, id)!.name)} || ' ' || `).join('');
  return `(SELECT CASE typeof("~d") WHEN 'blob' THEN ${keys}${sqlText(UNSHOWN)} ELSE "~d" END FROM (SELECT ${sql} AS "~d"))`;
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
  const key = fieldOf(target, target.key[0]!)!;
  const shown = displaySql(target, asText(lookupDisplay(design, field.type)), { catalog, row: 'd' });
  return `(SELECT ${shown} FROM ${sqlName(target.name)} AS d WHERE d.${sqlName(key.name)} = ${own})`;
}
