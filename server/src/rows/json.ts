import { decimalText, sqlName, sqlText, type Catalog } from '@heathridge/core/expression';
import { lookupText } from '@heathridge/core/change';
import { catalogOf, fieldOf, placesOf, type Design, type Field, type Table } from '@heathridge/core/design';

/**
 * SQL for a field's value as JSON: decimals as text, ticks as true or false, a lookup as
 * `[key, text]`. The engine builds the JSON, so rows pass through the server as they are.
 */
export function cellJson(design: Design, catalog: Catalog, field: Field, alias: string): string {
  const own = `${alias}.${sqlName(field.name)}`;
  const places = placesOf(field.type);
  if (field.type.kind === 'tick')
    return `json(CASE ${own} WHEN 1 THEN 'true' WHEN 0 THEN 'false' ELSE 'null' END)`;
  if (field.type.kind === 'decimal' || field.type.kind === 'money')
    return `CASE WHEN ${own} IS NOT NULL THEN ${decimalText(own, places)} END`;
  if (field.type.kind === 'lookup')
    return `json(CASE WHEN ${own} IS NOT NULL THEN json_array(${own}, ${lookupText(design, catalog, field, own)}) ELSE 'null' END)`;
  return own;
}

/** SQL for a row as a JSON array: a cell for each field, in the order given (by default the table's). */
export function rowArray(
  design: Design,
  table: Table,
  alias: string,
  fields: readonly Field[] = table.fields,
): string {
  const catalog = catalogOf(design);
  return `json_array(${fields.map((field) => cellJson(design, catalog, field, alias)).join(', ')})`;
}

/** SQL for a row as a JSON object `{key: […], cells: {fieldId: cell, …}}`. */
export function rowObject(design: Design, table: Table, alias: string): string {
  const catalog = catalogOf(design);
  const cells = table.fields.map(
    (field) => `${sqlText(field.id)}, ${cellJson(design, catalog, field, alias)}`,
  );
  // The engine takes at most 127 arguments a call.
  const chunks: string[] = [];
  for (let i = 0; i < cells.length; i += 60) chunks.push(`json_object(${cells.slice(i, i + 60).join(', ')})`);
  const object = chunks.reduce((all, chunk) => `json_patch(${all}, ${chunk})`);
  return `json_object('key', ${keyArray(table, alias)}, 'cells', ${object})`;
}

export const keyArray = (table: Table, alias: string): string =>
  `json_array(${keyColumns(table, alias).join(', ')})`;

export const keyColumns = (table: Table, alias: string): string[] =>
  table.key.map((id) => `${alias}.${sqlName(fieldOf(table, id)!.name)}`);
