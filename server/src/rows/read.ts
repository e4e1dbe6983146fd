import { bind, sqlName, toSql } from '@heathridge/core/expression';
import {
  catalogOf,
  displayOf,
  fieldOf,
  lookupDisplay,
  tableOf,
  type Design,
  type Field,
  type Form,
  type Table,
} from '@heathridge/core/design';
import type { RowKey } from '@heathridge/core/rows';
import type { Connection } from '../store/driver';
import { cellJson, keyArray, keyColumns, rowObject } from './json';
import { Params } from './params';
import { orderOf, orderSql, searchSql, secondLine } from './window';

/** Rows a subform shows at once. */
export const MOST_CHILDREN = 500;

/**
 * A record as a form shows it, as JSON text: `{record: {key, cells}, subforms: [{link, rows, more}]}`;
 * null when there is no such row. A lookup's cell is `[key, text]`.
 */
export function readRecord(db: Connection, design: Design, form: Form, key: RowKey): string | null {
  const table = tableOf(design, form.table);
  const where = keyColumns(table, 't')
    .map((column, i) => `${column} = ?${i + 1}`)
    .join(' AND ');
  const found = db
    .prepare(`SELECT ${rowObject(design, table, 't')} FROM ${sqlName(table.name)} AS t WHERE ${where}`)
    .raw()
    .get(...key) as [string] | undefined;
  if (!found) return null;
  const subforms = form.subforms
    .filter(({ shown }) => shown)
    .map(({ link }) => {
      const child = design.tables.find((other) => fieldOf(other, link))!;
      const rows = readChildren(db, design, child, fieldOf(child, link)!, key);
      return `{"link":${JSON.stringify(link)},"rows":${rows}}`;
    });
  return `{"record":${found[0]},"subforms":[${subforms.join(',')}]}`;
}

function readChildren(db: Connection, design: Design, child: Table, link: Field, key: RowKey): string {
  const order = orderSql(orderOf(child, null));
  const sql = `SELECT json_group_array(json(j)) FROM (SELECT ${rowObject(design, child, 't')} AS j FROM ${sqlName(child.name)} AS t WHERE t.${sqlName(link.name)} = ? ORDER BY ${order} LIMIT ${MOST_CHILDREN})`;
  const [json] = db.prepare(sql).raw().get(key[0]) as [string];
  return json;
}

export interface ListRequest {
  readonly search: string;
  /** Start after the entry with this key; null for the first page. */
  readonly after: RowKey | null;
  readonly limit: number;
}

/**
 * Entries of the record list, as JSON text: `[{key, title, second: [cells]}]`, newest first where rows
 * have running numbers. Pages by key.
 */
export function readList(db: Connection, design: Design, table: Table, request: ListRequest): string {
  const params = new Params();
  const keys = keyColumns(table, 't');
  const conditions: string[] = [];
  const search = searchSql(design, table, request.search, params);
  if (search !== null) conditions.push(search);
  if (request.after)
    conditions.push(`(${keys.join(', ')}) < (${request.after.map((value) => params.add(value)).join(', ')})`);
  const where = conditions.length > 0 ? `WHERE ${conditions.join(' AND ')}` : '';
  const catalog = catalogOf(design);
  const title = toSql(bind(displayOf(table), { catalog, table: table.id }).bound, { catalog, row: 't' }).sql;
  const second = secondLine(table).map((field) => cellJson(design, catalog, field, 't'));
  const sql =
    `SELECT json_group_array(json(j)) FROM (SELECT json_object('key', ${keyArray(table, 't')}, 'title', ${title}, ` +
    `'second', json_array(${second.join(', ')})) AS j FROM ${sqlName(table.name)} AS t ${where} ` +
    `ORDER BY ${keys.map((key) => `${key} DESC`).join(', ')} LIMIT ${params.add(request.limit)})`;
  const [json] = db
    .prepare(sql)
    .raw()
    .get(...params.values) as [string];
  return json;
}

/** Choices of a lookup field that hold all words typed, as JSON text: `[[key, text], …]`, by text. */
export function readChoices(
  db: Connection,
  design: Design,
  field: Field,
  search: string,
  limit: number,
): string {
  if (field.type.kind !== 'lookup') return '[]';
  const target = tableOf(design, field.type.table);
  const shows = lookupDisplay(design, field.type);
  const catalog = catalogOf(design);
  const params = new Params();
  const text = toSql(bind(shows, { catalog, table: target.id }).bound, { catalog, row: 't' }).sql;
  const condition = searchSql(design, target, search, params, shows);
  const [key] = keyColumns(target, 't');
  const sql =
    `SELECT json_group_array(json_array(k, d)) FROM (SELECT ${key} AS k, coalesce(${text}, CAST(${key} AS TEXT)) AS d FROM ${sqlName(target.name)} AS t ` +
    `${condition === null ? '' : `WHERE ${condition}`} ORDER BY d COLLATE NOCASE, k LIMIT ${params.add(limit)})`;
  const [json] = db
    .prepare(sql)
    .raw()
    .get(...params.values) as [string];
  return json;
}
