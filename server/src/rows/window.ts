import { bindCondition, orderKeySql, sqlName, sqlText, toSql } from '@heathridge/core/expression';
import {
  fieldSql,
  shownText,
  catalogOf,
  displayOf,
  fieldOf,
  fieldOrder,
  hasOrderTable,
  isLettered,
  isStored,
  orderKeyColumns,
  orderTable,
  type Design,
  type Field,
  type Table,
} from '@heathridge/core/design';
import type { RowCondition } from '@heathridge/core/form';
import { hiddenIf, visibleFields, type Viewer } from '@heathridge/core/people';
import { asksNothing, type RowKey, type RowsAsked } from '@heathridge/core/rows';
import { keptText } from '@heathridge/core/values';
import type { Connection } from '../store/driver';
import { asBytes, prepared, textOf } from '../store/statements';
import { conditionSql } from './among';
import { keyColumns, keysWithin, rowArray } from './json';
import { Params } from './params';

/** What is asked of rows, and what day it is then. */
export interface Asked extends Pick<RowsAsked, 'search'> {
  /** What the rows meet, all of it. */
  readonly conditions: readonly RowCondition[];
  /** `YYYY-MM-DD`; the engine's own clock where it is not said. */
  readonly today?: string;
  /** Where the words of a search are looked for; what a row is shown as where it is not said. */
  readonly shows?: string;
  /** The keys of the rows in which all its words stand, where they are known; the table has a key of one field. */
  readonly keys?: readonly number[];
}

export interface WindowRequest extends Asked {
  /** Rows to pass over. */
  readonly start: number;
  readonly limit: number;
  /** The first counts most; none for the table's own order. */
  readonly sort: readonly SortBy[];
}

export interface SortBy {
  readonly field: string;
  readonly descending: boolean;
}

/** Every how many rows a sampled anchor stands. */
export const ANCHOR_STEP = 5000;

/** Sort value and key of every ANCHOR_STEP-th row, for one order of one table. */
export interface Anchors {
  readonly order: string;
  readonly rows: readonly (readonly (string | number | null)[])[];
}

/** The order of rows `t`, the key last, so that it is total. */
export interface RowOrder {
  readonly columns: readonly { readonly sql: string; readonly descending: boolean }[];
  /** What stands behind FROM: the table, and where its order is kept. */
  readonly from: string;
  /** The columns of the key, as the order has them. */
  readonly keys: readonly string[];
  /**
   * True when all run the same way and can be had without working one out for each row: anchors can then be
   * used.
   */
  readonly plain: boolean;
}

/** The field whose order keys an order of a table can be read from; null when it begins with none. */
export function keptOrder(design: Design, table: Table, sort: readonly SortBy[]): Field | null {
  const first = sort[0]?.field ?? table.order[0]?.field ?? table.key[0];
  const field = first === undefined ? undefined : fieldOf(table, first);
  return field && hasOrderTable(design, table, field) ? field : null;
}

/**
 * The order asked for, else the table's own, else that of its key. Lookups are ordered by what they show,
 * texts by their letters. `kept` says that the order keys of {@link keptOrder} may be relied on: the order is
 * then that of an index.
 */
export function orderOf(design: Design, table: Table, sort: readonly SortBy[], kept = false): RowOrder {
  const catalog = catalogOf(design);
  const asked = sort.length > 0 ? sort : table.order;
  const found = asked.flatMap(({ field: id, descending }) => {
    const field = fieldOf(table, id);
    return field ? [{ field, descending }] : [];
  });
  const wanted =
    found.length > 0 ? found : table.key.map((id) => ({ field: fieldOf(table, id)!, descending: false }));
  const name = sqlName(table.name);
  const keeper = kept ? keptOrder(design, table, sort) : null;
  const columns = wanted.map(({ field, descending }, i) => {
    if (i === 0 && field.id === keeper?.id) return { sql: 'o.o', descending };
    const own = fieldSql(design, catalog, table, field, 't');
    const shown = table.key.includes(field.id) ? null : shownText(design, catalog, field, own);
    return { sql: shown === null ? fieldOrder(design, field, own) : orderKeySql(shown), descending };
  });
  const keys = keeper ? orderKeyColumns(table).map(({ copy }) => `o.${copy}`) : keyColumns(table, 't');
  const last = columns[columns.length - 1]!.descending;
  const tie = keys
    .filter((key) => !columns.some(({ sql }) => sql === key))
    .map((sql) => ({ sql, descending: last }));
  const plain =
    (keeper !== null || !isLettered(design, wanted[0]!.field)) &&
    wanted.every(
      ({ field }) => isStored(field) && (field.type.kind !== 'lookup' || table.key.includes(field.id)),
    ) &&
    columns.every(({ descending }) => descending === last);
  // CROSS JOIN keeps the engine from walking the rows first: their order is what the other table is for.
  const from = keeper
    ? `${sqlName(orderTable(keeper))} AS o CROSS JOIN ${name} AS t ON ${orderKeyColumns(table)
        .map(({ own, copy }) => `t.${own} = o.${copy}`)
        .join(' AND ')}`
    : `${name} AS t`;
  return { columns: [...columns, ...tie], from, keys, plain };
}

export const orderSql = ({ columns }: RowOrder): string =>
  columns.map(({ sql, descending }) => `${sql}${descending ? ' DESC' : ''}`).join(', ');

/** The query that samples the anchors of an order; each row is one anchor. */
export function anchorSql(order: RowOrder): string {
  const names = order.columns.map((_, i) => `a${i}`);
  const list = order.columns.map(({ sql }, i) => `${sql} AS a${i}`).join(', ');
  return (
    `SELECT ${names.join(', ')} FROM (SELECT ${list}, row_number() OVER (ORDER BY ${orderSql(order)}) AS n ` +
    `FROM ${order.from}) WHERE n % ${ANCHOR_STEP} = 1 ORDER BY n`
  );
}

/**
 * A window of rows as JSON text: an array of arrays, a cell for each field in the table's order. The
 * place is found in an index alone, from the nearest anchor when there are some; only the rows asked
 * for are then read whole, and fewer of them where their texts are long. `kept`: see {@link orderOf}.
 */
export function readWindow(
  db: Connection,
  design: Design,
  viewer: Viewer,
  table: Table,
  request: WindowRequest,
  anchors: Anchors | null,
  kept = false,
): string {
  const order = orderOf(design, table, request.sort, kept && asksNothing(request));
  const params = new Params();
  const search = askedSql(design, table, request, params);
  const name = sqlName(table.name);
  const by = orderSql(order);
  const keys = keyColumns(table, 't');
  let where = search === null ? '' : `WHERE ${search}`;
  let skip = request.start;
  const anchor =
    anchors && order.plain && search === null
      ? anchors.rows[Math.floor(request.start / ANCHOR_STEP)]
      : undefined;
  const descending = order.columns[0]!.descending;
  const nullable = descending && order.columns.length > keys.length;
  if (anchor && !nullable && anchor.every((value) => value !== null)) {
    skip = request.start % ANCHOR_STEP;
    where = `WHERE (${order.columns.map(({ sql }) => sql).join(', ')}) ${descending ? '<=' : '>='} (${anchor.map((value) => params.add(value!)).join(', ')})`;
  }
  const limit = `LIMIT ${params.add(request.limit)} OFFSET ${params.add(skip)}`;
  const picked = keysWithin(
    table,
    (columns) => `SELECT ${columns.join(', ')} FROM ${order.from} ${where} ORDER BY ${by} ${limit}`,
  );
  const joined = keys.map((key, i) => `${key} = p.k${i}`).join(' AND ');
  const sql = `SELECT ${asBytes('json_group_array(json(j))')} FROM (SELECT ${rowArray(design, table, 't', visibleFields(design, viewer, table))} AS j FROM (${picked}) AS p JOIN ${name} AS t ON ${joined} ORDER BY p.n)`;
  const [json] = prepared(db, sql).get(params.values) as [Buffer];
  return textOf(json);
}

/** All rows that are asked for, in their order, as cells of these fields: see {@link rowArray}. */
export function* eachRow(
  db: Connection,
  design: Design,
  table: Table,
  fields: readonly Field[],
  asked: Asked,
  sort: readonly SortBy[],
): Generator<unknown[]> {
  const order = orderOf(design, table, sort);
  const params = new Params();
  const condition = askedSql(design, table, asked, params);
  const where = condition === null ? '' : `WHERE ${condition}`;
  const sql = `SELECT ${asBytes(rowArray(design, table, 't', fields))} FROM ${order.from} ${where} ORDER BY ${orderSql(order)}`;
  for (const row of db.prepare(sql).raw().iterate(params.values) as IterableIterator<[Buffer]>)
    yield JSON.parse(textOf(row[0])) as unknown[];
}

/** One row as JSON text, a cell for each field in the table's order; null when it is not there. */
export function readRow(
  db: Connection,
  design: Design,
  viewer: Viewer,
  table: Table,
  key: RowKey,
): string | null {
  const where = keyColumns(table, 't').map((column) => `${column} = ?`);
  const fields = visibleFields(design, viewer, table);
  const sql = `SELECT ${asBytes(rowArray(design, table, 't', fields))} FROM ${sqlName(table.name)} AS t WHERE ${where.join(' AND ')}`;
  const row = prepared(db, sql).get(key) as [Buffer] | undefined;
  return row ? textOf(row[0]) : null;
}

/** How many rows there are, or answer a search. */
export function countRows(db: Connection, design: Design, table: Table, asked: Asked): number {
  const params = new Params();
  const condition = askedSql(design, table, asked, params);
  const where = condition === null ? '' : `WHERE ${condition}`;
  const [count] = db
    .prepare(`SELECT count(*) FROM ${sqlName(table.name)} AS t ${where}`)
    .raw()
    .get(params.values) as [number];
  return count;
}

/** A condition over rows `t` for all that is asked; null where nothing is. Throws an ExpressionError. */
export function askedSql(design: Design, table: Table, asked: Asked, params: Params): string | null {
  const catalog = catalogOf(design);
  const writing = { catalog, row: 't', text: (value: string) => params.add(value), faults: 'empty' } as const;
  const today = asked.today === undefined ? {} : { today: sqlText(asked.today) };
  const condition = (source: RowCondition): string =>
    typeof source !== 'string'
      ? conditionSql(design, table, source)
      : `(${toSql(bindCondition(source, { catalog, table: table.id }).bound, { ...writing, ...today }).sql})`;
  const search = wordsSql(design, table, asked, params);
  const all = [...(search === null ? [] : [search]), ...asked.conditions.map(condition)];
  return all.length === 0 ? null : all.join(' AND ');
}

/** A condition for the words of a search: that they stand in a row, or that it is one of those which are known. */
export function wordsSql(
  design: Design,
  table: Table,
  { search, shows, keys }: Pick<Asked, 'search' | 'shows' | 'keys'>,
  params: Params,
): string | null {
  if (!keys) return searchSql(design, table, search, params, shows);
  return `${keyColumns(table, 't')[0]!} IN (SELECT value FROM json_each(${params.add(JSON.stringify(keys))}))`;
}

/** The words of a search; no text of a file holds a NUL. */
export const searchedWords = (search: string): string[] =>
  keptText(search)
    .split(/[\s\0]+/)
    .filter((word) => word !== '')
    .slice(0, 8);

const literally = (text: string): string => text.replace(/[!%_]/g, '!$&');

/** What stands before a word within a text. */
const BEFORE_WORDS = [' ', '-', '('];

/**
 * SQL for how well a text answers a search: 0 where it begins with it, 1 where each word of it is the beginning
 * of a word there, 2 elsewhere. Null without words.
 */
export function answersSql(text: string, search: string, params: Params): string | null {
  const words = searchedWords(search);
  if (words.length === 0) return null;
  const like = (pattern: string): string => `${text} LIKE ${params.add(pattern)} ESCAPE '!'`;
  const begins = words.map((word) => {
    const places = ['', ...BEFORE_WORDS.map((sign) => `%${sign}`)];
    return `(${places.map((place) => like(`${place}${literally(word)}%`)).join(' OR ')})`;
  });
  return `CASE WHEN ${like(`${literally(words.join(' '))}%`)} THEN 0 WHEN ${begins.join(' AND ')} THEN 1 ELSE 2 END`;
}

/** A condition for "all these words stand in what a row shows, or in its key"; null without words. */
export function searchSql(
  design: Design,
  table: Table,
  search: string,
  params: Params,
  shows = displayOf(table),
): string | null {
  const words = searchedWords(search);
  if (words.length === 0) return null;
  const catalog = catalogOf(design);
  const keys = table.key.map((id) => `' ' || "#${id}"`).join(' || ');
  const parts = words.map((word) => {
    const pattern = `%${literally(word)}%`;
    const source = `COALESCE((${shows}) || ${keys}, ${keys}) LIKE ${sqlText(pattern)} ESCAPE '!'`;
    const writing = { catalog, row: 't', text: (value: string) => params.add(value) };
    const { bound } = bindCondition(source, { catalog, table: table.id });
    const { sql, marked } = toSql(bound, { ...writing, faults: 'mark' });
    if (!marked) return sql;
    // A row whose text cannot be worked out is found by its key.
    const byKey = bindCondition(`(${keys}) LIKE ${sqlText(pattern)} ESCAPE '!'`, {
      catalog,
      table: table.id,
    });
    return `(SELECT CASE typeof("~f") WHEN 'blob' THEN ${toSql(byKey.bound, writing).sql} ELSE "~f" END FROM (SELECT ${sql} AS "~f"))`;
  });
  return parts.join(' AND ');
}

/**
 * The fields that fill the second line of an entry in a record list: the first short ones not shown above.
 */
export function secondLine(design: Design, viewer: Viewer, table: Table): Field[] {
  const display = displayOf(table);
  const hiding = hiddenIf(design, viewer, table);
  return visibleFields(design, viewer, table)
    .filter(
      ({ id, type }) =>
        !hiding.has(id) &&
        !table.key.includes(id) &&
        !display.includes(`"#${id}"`) &&
        type.kind !== 'longText' &&
        type.kind !== 'tick' &&
        type.kind !== 'picture' &&
        type.kind !== 'file' &&
        type.kind !== 'stamp',
    )
    .slice(0, 3);
}
