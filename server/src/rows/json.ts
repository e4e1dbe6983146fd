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
  conditionIn,
  fieldOf,
  placesOf,
  tableOf,
  type Design,
  type Field,
  type FieldType,
  type Table,
} from '@heathridge/core/design';
import type { Need } from '@heathridge/core/form';
import { BEGINNING_OF_TEXT, MOST_TEXT } from '@heathridge/core/values';

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
  if (field.type.kind === 'workedOut')
    return workedJson(catalog, table, `"#${field.id}"`, field.type.result, alias);
  const own = fieldSql(design, catalog, table, field, alias);
  const text = shownText(design, catalog, field, own);
  if (mayBeLong(field)) return longJson(own);
  return text === null
    ? valueJson(field.type, own)
    : `json(CASE WHEN ${own} IS NOT NULL THEN json_array(${own}, ${titled(text)}) ELSE 'null' END)`;
}

/** Characters by which a row is called where it is shown from elsewhere: it may be called by all that is written in it. */
const MOST_TITLE = 400;

/** SQL for the text by which a row is called, or its beginning. */
export const titled = (text: string): string => `substr(${text}, 1, ${MOST_TITLE})`;

/** Whether nothing but what fits into a field at all keeps a text short. */
const mayBeLong = ({ type }: Field): boolean =>
  type.kind === 'longText' || (type.kind === 'text' && type.most === undefined);

/** SQL for a text, or for its beginning where it is longer than a field takes: see the API's `BeginningCell`. */
const longJson = (own: string): string =>
  // How many bytes it has stands before it; only of a long one characters have to be counted.
  `json(CASE WHEN octet_length(${own}) > ${MOST_TEXT} AND length(${own}) > ${MOST_TEXT} THEN json_object('beginning', substr(${own}, 1, ${BEGINNING_OF_TEXT}), 'length', length(${own})) ELSE json_quote(${own}) END)`;

/** Bytes of long texts that are sent at once of several rows: whoever asked asks for the rest. */
const MOST_AT_ONCE = 4 * 1024 * 1024;

/**
 * Letters of an answer about rows at most, whatever it is made of: some four copies of it lie in memory on its way, and
 * no request is to hold more than 64 MB.
 */
const MOST_ANSWERED = 16 * 1024 * 1024;

/** Why an answer is too much to be sent; null where it is not. */
export const tooLarge = (json: string): string | null =>
  json.length <= MOST_ANSWERED
    ? null
    : `This has ${Math.round(json.length / 1024 ** 2)} MB of text, more than can be sent at once: show fewer fields with long texts, or fewer rows.`;

/**
 * SQL for the keys `k0`, `k1`, … and the place `n` of rows that a query gives in their order, as many of them as their
 * long texts let be sent at once, but one at least. `rows` gives the columns that it is handed.
 */
export function keysWithin(
  table: Table,
  rows: (columns: readonly string[]) => string,
  alias = 't',
  share = 1,
): string {
  const keys = keyColumns(table, alias);
  const named = keys.map((key, i) => `${key} AS k${i}`);
  const names = keys.map((_, i) => `k${i}`).join(', ');
  const long = table.fields.filter(mayBeLong);
  if (long.length === 0) return `SELECT ${names}, row_number() OVER () AS n FROM (${rows(named)})`;
  const bytes = long.map(({ name }) => `coalesce(octet_length(${alias}.${sqlName(name)}), 0)`).join(' + ');
  const counted = `SELECT ${names}, row_number() OVER () AS n, sum(b) OVER (ROWS UNBOUNDED PRECEDING) AS s FROM (${rows([...named, `${bytes} AS b`])})`;
  return `SELECT ${names}, n FROM (${counted}) WHERE n = 1 OR s <= ${Math.floor(MOST_AT_ONCE / share)}`;
}

/** SQL for a stored value as JSON, as it travels: a lookup by its key alone. */
export function valueJson(type: FieldType, own: string): string {
  if (type.kind === 'tick') return `json(${tickJson(own)})`;
  return type.kind === 'decimal' || type.kind === 'money' ? decimal(own, type) : own;
}

const tickJson = (v: string): string => `CASE ${v} WHEN 1 THEN 'true' WHEN 0 THEN 'false' ELSE 'null' END`;

const decimal = (v: string, type: FieldType): string =>
  `CASE WHEN ${v} IS NOT NULL THEN ${decimalText(v, placesOf(type))} END`;

/** SQL for what is worked out: its value, or `{"fault": …}` where that cannot be done. It is worked out once. */
function workedJson(
  catalog: Catalog,
  table: Table,
  expression: string,
  type: FieldType,
  alias: string,
): string {
  const { bound } = bind(expression, { catalog, table: table.id });
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

/** Something that is worked out for a row beside its fields. */
export interface Beside {
  readonly id: string;
  readonly expression: string;
  readonly result: FieldType;
}

/** What a row as JSON consists of. */
export interface RowParts {
  /** All of its table where it is not said. */
  readonly fields?: readonly Field[];
  readonly beside?: readonly Beside[];
  /** Ids of attachments, by what they are known by for the row. */
  readonly pictures?: readonly { readonly id: string; readonly sql: string }[];
  readonly more?: readonly (readonly [name: string, sql: string])[];
  /** Conditions by field, of which one is enough that its value is left out. */
  readonly hiddenIf?: ReadonlyMap<string, readonly string[]>;
}

/** SQL for whether a condition holds for a row; where it cannot be worked out it does not. */
export const holdsSql = (design: Design, table: Table, source: string, alias: string): string =>
  `coalesce((${toSql(conditionIn(design, table.id, source).bound, { catalog: catalogOf(design), row: alias, faults: 'empty' }).sql}), 0)`;

/**
 * SQL for a row as a JSON object `{key: […], cells: {id: cell, …}}`, the cells of fields, of pictures and of what is
 * worked out beside them; with `more`, further members.
 */
export function rowObject(
  design: Design,
  table: Table,
  alias: string,
  { fields = table.fields, beside = [], pictures = [], more = [], hiddenIf = new Map() }: RowParts = {},
): string {
  const catalog = catalogOf(design);
  const cell = (field: Field): string => {
    const own = cellJson(design, catalog, table, field, alias);
    const hiding = hiddenIf.get(field.id);
    if (!hiding) return own;
    const isHidden = hiding.map((source) => holdsSql(design, table, source, alias)).join(' OR ');
    return `json(CASE WHEN ${isHidden} THEN 'null' ELSE json_quote(${own}) END)`;
  };
  const cells = [
    ...fields.map((field) => `${sqlText(field.id)}, ${cell(field)}`),
    ...pictures.map(({ id, sql }) => `${sqlText(id)}, ${sql}`),
    ...beside.map(
      ({ id, expression, result }) =>
        `${sqlText(id)}, ${workedJson(catalog, table, expression, result, alias)}`,
    ),
  ];
  // The engine takes at most 127 arguments a call.
  const chunks: string[] = [];
  for (let i = 0; i < cells.length; i += 60) chunks.push(`json_object(${cells.slice(i, i + 60).join(', ')})`);
  const object = chunks.reduce(
    (all, chunk) => `json_patch(${all}, ${chunk})`,
    chunks.shift() ?? `json_object()`,
  );
  const members = more.map(([name, sql]) => `, ${sqlText(name)}, ${sql}`).join('');
  return `json_object('key', ${keyArray(table, alias)}, 'cells', ${object}${members})`;
}

/**
 * SQL for what is read of a row beyond what is shown of it, as JSON `{cells: {fieldId: value, …}, links: {linkId: the
 * same of the row it leads to, or null, …}}`. `depth` keeps the aliases apart.
 */
export function beyondObject(
  design: Design,
  table: string,
  { fields, links }: Need,
  alias: string,
  depth = 0,
): string {
  const values = tableOf(design, table)
    .fields.filter(({ id }) => fields.has(id))
    .map(({ id, name, type }) => `${sqlText(id)}, ${valueJson(type, `${alias}.${sqlName(name)}`)}`);
  const rows = [...links].map(([id, { hop, need }]) => {
    const inner = `b${depth}`;
    const on = hop.on.map(([own, other]) => `${inner}.${sqlName(other)} = ${alias}.${sqlName(own)}`);
    const row = beyondObject(design, hop.table, need, inner, depth + 1);
    const from = `${sqlName(tableOf(design, hop.table).name)} AS ${inner}`;
    return `${sqlText(id)}, json(coalesce((SELECT ${row} FROM ${from} WHERE ${on.join(' AND ')}), 'null'))`;
  });
  return `json_object('cells', json_object(${values.join(', ')}), 'links', json_object(${rows.join(', ')}))`;
}

export const keyArray = (table: Table, alias: string): string =>
  `json_array(${keyColumns(table, alias).join(', ')})`;

export const keyColumns = (table: Table, alias: string): string[] =>
  table.key.map((id) => `${alias}.${sqlName(fieldOf(table, id)!.name)}`);
