import {
  bind,
  decimalText,
  faultName,
  sqlName,
  sqlText,
  toSql,
  type Catalog,
} from '@heathridge/core/expression';
import {
  fieldSql,
  shownText,
  catalogOf,
  fieldOf,
  placesOf,
  type Design,
  type Field,
  type FieldType,
  type Table,
} from '@heathridge/core/design';

/**
 * SQL for a field's value as JSON: decimals as text, ticks as true or false, a lookup as
 * `[key, text]`. The engine builds the JSON, so rows pass through the server as they are.
 */
export function cellJson(
  design: Design,
  catalog: Catalog,
  table: Table,
  field: Field,
  alias: string,
): string {
  if (field.type.kind === 'workedOut') return workedJson(catalog, table, field, field.type.result, alias);
  const own = fieldSql(design, catalog, table, field, alias);
  const text = shownText(design, catalog, field, own);
  return text === null
    ? valueJson(field.type, own)
    : `json(CASE WHEN ${own} IS NOT NULL THEN json_array(${own}, ${text}) ELSE 'null' END)`;
}

/** SQL for a stored value as JSON, as it travels: a lookup by its key alone. */
export function valueJson(type: FieldType, own: string): string {
  if (type.kind === 'tick') return `json(${tickJson(own)})`;
  return type.kind === 'decimal' || type.kind === 'money' ? decimal(own, type) : own;
}

const tickJson = (v: string): string => `CASE ${v} WHEN 1 THEN 'true' WHEN 0 THEN 'false' ELSE 'null' END`;

const decimal = (v: string, type: FieldType): string =>
  `CASE WHEN ${v} IS NOT NULL THEN ${decimalText(v, placesOf(type))} END`;

/** What is worked out: its value, or `{"fault": …}` where that cannot be done. It is worked out once. */
function workedJson(catalog: Catalog, table: Table, { id }: Field, type: FieldType, alias: string): string {
  const { bound } = bind(`"#${id}"`, { catalog, table: table.id });
  const { sql, marked } = toSql(bound, { catalog, row: alias, faults: 'mark' });
  const isDecimal = type.kind === 'decimal' || type.kind === 'money';
  if (!marked) {
    if (type.kind === 'tick') return `json(${tickJson(sql)})`;
    return isDecimal ? `(SELECT ${decimal('v', type)} FROM (SELECT ${sql} AS v))` : sql;
  }
  const value = type.kind === 'tick' ? tickJson('v') : `json_quote(${isDecimal ? decimal('v', type) : 'v'})`;
  const fault = `json_object('fault', ${faultName('v')})`;
  return `json((SELECT CASE typeof(v) WHEN 'blob' THEN ${fault} ELSE ${value} END FROM (SELECT ${sql} AS v)))`;
}

/** SQL for a row as a JSON array: a cell for each field, in the order given (by default the table's). */
export function rowArray(
  design: Design,
  table: Table,
  alias: string,
  fields: readonly Field[] = table.fields,
): string {
  const catalog = catalogOf(design);
  const cells = fields.map((field) => cellJson(design, catalog, table, field, alias));
  if (cells.length <= MOST_ARGUMENTS) return `json_array(${cells.join(', ')})`;
  const chunks: string[] = [];
  for (let i = 0; i < cells.length; i += MOST_ARGUMENTS)
    chunks.push(inside(`json_array(${cells.slice(i, i + MOST_ARGUMENTS).join(', ')})`));
  return `json('[' || ${chunks.join(" || ',' || ")} || ']')`;
}

/** The elements of a JSON array, without its brackets. */
const inside = (array: string): string => `(SELECT substr(j, 2, length(j) - 2) FROM (SELECT ${array} AS j))`;

/** The engine takes at most 127 arguments a call. */
const MOST_ARGUMENTS = 100;

/** SQL for a row as a JSON object `{key: […], cells: {fieldId: cell, …}}`. */
export function rowObject(
  design: Design,
  table: Table,
  alias: string,
  fields: readonly Field[] = table.fields,
): string {
  const catalog = catalogOf(design);
  const cells = fields.map(
    (field) => `${sqlText(field.id)}, ${cellJson(design, catalog, table, field, alias)}`,
  );
  // The engine takes at most 127 arguments a call.
  const chunks: string[] = [];
  for (let i = 0; i < cells.length; i += 60) chunks.push(`json_object(${cells.slice(i, i + 60).join(', ')})`);
  const object = chunks.reduce(
    (all, chunk) => `json_patch(${all}, ${chunk})`,
    chunks.shift() ?? `json_object()`,
  );
  return `json_object('key', ${keyArray(table, alias)}, 'cells', ${object})`;
}

export const keyArray = (table: Table, alias: string): string =>
  `json_array(${keyColumns(table, alias).join(', ')})`;

export const keyColumns = (table: Table, alias: string): string[] =>
  table.key.map((id) => `${alias}.${sqlName(fieldOf(table, id)!.name)}`);
