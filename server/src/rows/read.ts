import {
  bind,
  bindCondition,
  decimalText,
  orderKeySql,
  sqlName,
  sqlText,
  toSql,
  type SqlWriting,
} from '@heathridge/core/expression';
import { runningKey } from '@heathridge/core/change';
import { toldSql, type Answers } from '@heathridge/core/query';
import {
  asText,
  boundIn,
  catalogOf,
  displayOf,
  displaySql,
  findField,
  lookupDisplay,
  placesOf,
  tableOf,
  valueKind,
  type Design,
  type Field,
  type Form,
  type Table,
} from '@heathridge/core/design';
import {
  levelOf,
  levelTo,
  linkedPictures,
  reckoningOf,
  shownRows,
  sumLines,
  type Level,
  type LinkedPicture,
  type Reckoning,
  type RowCondition,
  type SumLine,
} from '@heathridge/core/form';
import { hiddenIf, rowsThere, seesField, visibleFields, type Viewer } from '@heathridge/core/people';
import type { RowKey } from '@heathridge/core/rows';
import { isNumeric, type Value } from '@heathridge/core/values';
import type { Connection } from '../store/driver';
import { asBytes, guarded, prepared, textOf } from '../store/statements';
import { alsoSql, conditionSql } from './among';
import {
  beyondObject,
  cellJson,
  holdsSql,
  keyArray,
  keyColumns,
  keysWithin,
  rowObject,
  titled,
} from './json';
import { Params } from './params';
import type { Stored } from './codec';
import { answersOver, shownExpression, unsavedRow } from './unsaved-row';
import {
  answersSql,
  orderOf,
  orderSql,
  searchSql,
  secondLine,
  wordsSql,
  type RowOrder,
  type SortBy,
} from './window';

/** Rows of a subform that are read at once for each row around them, and in all of a level. */
export const MOST_CHILDREN = 500;
const MOST_OF_LEVEL = 2000;

/** Rows of a level as they come out of the file: what they hang on, what they are, and what follows within them. */
interface ReadRow {
  /** `{key, cells}` as JSON text. */
  readonly json: string;
  /** The value by which rows within lead to this one. */
  readonly key: Stored;
  readonly lists: string[];
}

/** The rows of a subform that lead to one row. */
interface ReadRows {
  readonly rows: ReadRow[];
  readonly total: number;
  /** What the rows behind these come to, as JSON text; null where there are none, or nothing is totalled. */
  rest: string | null;
}

const NO_ROWS: ReadRows = { rows: [], total: 0, rest: null };

/** What the rows of a form's levels are read with. */
interface FormReading {
  readonly db: Connection;
  readonly design: Design;
  readonly viewer: Viewer;
  readonly reckoning: Reckoning;
}

const readingOf = (db: Connection, design: Design, viewer: Viewer, root: Level): FormReading => ({
  db,
  design,
  viewer,
  reckoning: reckoningFor(design, viewer, root),
});

/** What is worked out at the levels of a form, for who looks: values that are hidden from her come along nowhere. */
const reckoningFor = (design: Design, { duty }: Viewer, root: Level): Reckoning =>
  reckoningOf(design, root, duty ? (field) => seesField(design, duty, field) : undefined);

/** SQL for a row `t` of a level: its cells, what is worked out beside them, and what that needs beyond them. */
function levelRow({ design, viewer, reckoning }: FormReading, level: Level): string {
  const { table, worked, limits } = level;
  const need = reckoning.need(level);
  const has = need.fields.size > 0 || need.links.size > 0;
  const hiding = hiddenIf(design, viewer, table);
  return rowObject(design, table, 't', {
    fields: visibleFields(design, viewer, table),
    beside: [...worked, ...limits],
    pictures: linkedPictures(design, level).map((picture) => ({
      id: picture.id,
      sql: pictureSql(design, viewer, table, picture, hiding.get(picture.lookup.id)),
    })),
    more: has ? [['beyond', beyondObject(design, table.id, need, 't')]] : [],
    hiddenIf: hiding,
  });
}

/**
 * SQL for the picture of the row to which a lookup of row `t` leads, the id of an attachment: where that row is there
 * for who looks, and the lookup is not hidden.
 */
function pictureSql(
  design: Design,
  viewer: Viewer,
  own: Table,
  { lookup, table, picture }: LinkedPicture,
  hiding: readonly string[] = [],
): string {
  const [key] = keyColumns(table, 'p');
  const there = [
    ...rowsThere(viewer, table).map((source) => ` AND ${holdsSql(design, table, source, 'p')}`),
    ...hiding.map((source) => ` AND NOT ${holdsSql(design, own, source, 't')}`),
  ];
  return `(SELECT p.${sqlName(picture.name)} FROM ${sqlName(table.name)} AS p WHERE ${key} = t.${sqlName(lookup.name)}${there.join('')})`;
}

/**
 * A record as a form shows it, as JSON text: `{record: {key, cells, beyond, subforms: [{link, rows, total}]}}`, rows
 * within rows as deep as the form goes; null when there is no such row among those it shows. A lookup's cell is `[key,
 * text]`. Each level takes one statement, however many rows it hangs on.
 */
export function readRecord(
  db: Connection,
  design: Design,
  viewer: Viewer,
  form: Form,
  key: RowKey,
): string | null {
  const level = levelOf(design, form);
  if (!level) return null;
  const { table } = level;
  const where = keyColumns(table, 't')
    .map((column, i) => `${column} = ?${i + 1}`)
    .join(' AND ');
  const reading = readingOf(db, design, viewer, level);
  const row = levelRow(reading, level);
  const shown = alsoSql(design, table, shownRows(form));
  const sql = `SELECT ${asBytes(row)} FROM ${sqlName(table.name)} AS t WHERE ${where}${shown}`;
  const found = prepared(db, sql).get(key) as [Buffer] | undefined;
  if (!found) return null;
  const record: ReadRow = { json: textOf(found[0]), key: key[0]!, lists: [] };
  readWithin(reading, level, [record]);
  return `{"record":${written(record)}}`;
}

export interface PageRequest {
  /** Rows to pass over. */
  readonly start: number;
  readonly limit: number;
  readonly search: string;
  /** Where the words of a search are looked for. */
  readonly shows: string;
  /** See `Asked`. */
  readonly keys?: readonly number[];
  /** Conditions that all rows of the list meet. */
  readonly conditions: readonly RowCondition[];
  /** Empty for the table's own order. */
  readonly sort: readonly SortBy[];
}

/**
 * Rows of a list from a place on, as JSON text: each as a record of its form, `{key, cells, beyond, subforms}`. Each
 * level takes one statement. `kept` says that the order keys of the table may be relied on.
 */
export function readPage(
  db: Connection,
  design: Design,
  viewer: Viewer,
  form: Form,
  request: PageRequest,
  kept = false,
): string {
  const level = levelOf(design, form);
  if (!level) return '[]';
  const { table } = level;
  const params = new Params();
  const search = wordsSql(design, table, request, params);
  const conditions = request.conditions.map((source) => conditionSql(design, table, source));
  const asked = [...(search === null ? [] : [search]), ...conditions];
  const order = listOrder(design, table, request.sort, kept && asked.length === 0);
  const by = orderSql(order);
  const where = asked.length > 0 ? `WHERE ${asked.join(' AND ')}` : '';
  const keys = keyColumns(table, 't');
  const reading = readingOf(db, design, viewer, level);
  const limit = `LIMIT ${params.add(request.limit)} OFFSET ${params.add(request.start)}`;
  const picked = keysWithin(
    table,
    (columns) => `SELECT ${columns.join(', ')} FROM ${order.from} ${where} ORDER BY ${by} ${limit}`,
  );
  const joined = keys.map((key, i) => `${key} = p.k${i}`).join(' AND ');
  const sql = `SELECT ${keys[0]}, ${asBytes(levelRow(reading, level))} FROM (${picked}) AS p JOIN ${sqlName(table.name)} AS t ON ${joined} ORDER BY p.n`;
  const found = db.prepare(sql).raw().all(params.values) as [Stored, Buffer][];
  const rows = found.map(([key, json]): ReadRow => ({ key, json: textOf(json), lists: [] }));
  readWithin(reading, level, rows);
  return `[${rows.map(written).join(',')}]`;
}

export interface MoreRequest {
  /** The links of the subforms that lead to the rows, from the record on. */
  readonly path: readonly string[];
  /** The key of the row to which they lead. */
  readonly parent: Stored;
  /** Rows to pass over. */
  readonly start: number;
}

/**
 * Further rows of a subform that lead to one row, from a place on, with what follows within them: `{link, rows, total}`
 * as JSON text. Throws where the path leads to no subform.
 */
export function readMore(
  db: Connection,
  design: Design,
  viewer: Viewer,
  form: Form,
  { path, parent, start }: MoreRequest,
): string {
  const root = levelOf(design, form);
  const level = root && levelTo(root, path);
  if (!level) throw new Error('This path leads to no subform.');
  const reading = readingOf(db, design, viewer, root);
  const lists = readLevel(reading, level, [parent], start);
  const found = lists.get(parent) ?? NO_ROWS;
  readWithin(reading, level, found.rows);
  return listJson(level, found);
}

const written = ({ json, lists }: ReadRow): string => `${json.slice(0, -1)},"subforms":[${lists.join(',')}]}`;

const listJson = ({ subform }: Level, { rows, total, rest }: ReadRows): string =>
  `{"link":${JSON.stringify(subform!.link)},"rows":[${rows.map(written).join(',')}],"total":${total}${rest === null ? '' : `,"rest":${rest}`}}`;

/**
 * What is worked out on a form reads of the row to which a link of a row leads, as JSON text: see {@link beyondObject};
 * `null` where there is no such row. Undefined where nothing reads of it.
 */
export function readBeyond(
  db: Connection,
  design: Design,
  viewer: Viewer,
  { root, level }: { readonly root: Level; readonly level: Level },
  link: string,
  key: Stored,
): string | undefined {
  const found = reckoningFor(design, viewer, root).need(level).links.get(link);
  if (found?.hop.on.length !== 1) return undefined;
  const { hop, need } = found;
  const row = beyondObject(design, hop.table, need, 't');
  const target = tableOf(design, hop.table);
  const there = alsoSql(design, target, rowsThere(viewer, target));
  const sql = `SELECT ${asBytes(row)} FROM ${sqlName(target.name)} AS t WHERE t.${sqlName(hop.on[0]![1])} = ?${there}`;
  const read = prepared(db, sql).get([key]) as [Buffer] | undefined;
  return read ? textOf(read[0]) : 'null';
}

/** Reads what follows within rows of a level, and adds it to them. */
function readWithin(reading: FormReading, level: Level, around: readonly ReadRow[]): void {
  if (around.length === 0) return;
  const keys = around.map(({ key }) => key);
  for (const inner of level.levels) {
    const lists = readLevel(reading, inner, keys, 0);
    const found = [...lists.values()].flatMap(({ rows }) => rows);
    readWithin(reading, inner, found);
    for (const row of around) {
      row.lists.push(listJson(inner, lists.get(row.key) ?? NO_ROWS));
    }
  }
}

/** The rows of a level that lead to any of these, each with its own first ones from a place on. */
function readLevel(
  reading: FormReading,
  level: Level,
  parents: readonly Stored[],
  start: number,
): ReadonlyMap<Stored, ReadRows> {
  const { db, design } = reading;
  const { table, link, subform } = level;
  const order = orderSql(orderOf(design, table, subform?.order ?? []));
  const [from, keys] = [`${sqlName(table.name)} AS t`, keyColumns(table, 't')];
  const to = `t.${sqlName(link!.name)}`;
  const shown = alsoSql(design, table, subform ? shownRows(subform) : []);
  // A level of few rows each may hang on many: what all of them together may take is shared out.
  const wanted = start > 0 ? MOST_CHILDREN : Math.min(subform?.most ?? MOST_CHILDREN, MOST_CHILDREN);
  const most = Math.max(1, Math.min(wanted, Math.floor(MOST_OF_LEVEL / parents.length)));
  const picked = keysWithin(
    table,
    (columns) =>
      `SELECT ${columns.join(', ')} FROM ${from} WHERE ${to} = p.link${shown} ORDER BY ${order} LIMIT ?3 OFFSET ?2`,
    't',
    parents.length,
  );
  const sql =
    `WITH p(at, link, total) AS MATERIALIZED (SELECT e.key, e.value, (SELECT count(*) FROM ${from} WHERE ${to} = e.value${shown}) FROM json_each(?1) AS e) ` +
    `SELECT p.link, ${keys[0]}, p.total, ${asBytes(levelRow(reading, level))} FROM p CROSS JOIN ${from} ON (${keys.join(', ')}) IN ` +
    `(SELECT ${keys.map((_, i) => `k${i}`).join(', ')} FROM (${picked})) ` +
    `ORDER BY p.at, ${order}`;
  const found = prepared(db, sql).all([JSON.stringify(parents), start, most]) as [
    Stored,
    Stored,
    number,
    Buffer,
  ][];
  const lists = new Map<Stored, ReadRows>();
  for (const [parent, key, total, json] of found) {
    const list = lists.get(parent) ?? { rows: [], total, rest: null };
    lists.set(parent, list);
    list.rows.push({ json: textOf(json), key, lists: [] });
  }
  const lines = sumLines(level);
  if (lines.length > 0)
    for (const [parent, list] of lists) {
      const passed = start + list.rows.length;
      if (passed < list.total)
        list.rest = readRest(reading, level, lines, [parent, passed], `${to} = ?1${shown}`);
    }
  return lists;
}

/** What the rows of a level that lead to a row come to from a place on, as JSON text: a tally for each total. */
function readRest(
  { db, design }: FormReading,
  { table, subform }: Level,
  lines: readonly SumLine[],
  [parent, passed]: readonly [Stored, number],
  where: string,
): string {
  const catalog = catalogOf(design);
  const order = orderSql(orderOf(design, table, subform?.order ?? []));
  const columns = lines.map(({ field }, i) => {
    const { bound } = boundIn(design, table.id, `"#${field.id}"`);
    return `${toSql(bound, { catalog, row: 't', faults: 'empty' }).sql} AS c${i}`;
  });
  const tallies = lines.map(({ field }, i) => {
    const isNumber = isNumeric(valueKind(field.type));
    const shown = (sql: string): string => (isNumber ? decimalText(sql, placesOf(field.type)) : sql);
    const members = [
      `'count', count(c${i})`,
      `'sum', ${isNumber ? shown(`sum(c${i})`) : 'NULL'}`,
      `'least', ${shown(`min(c${i})`)}`,
      `'most', ${shown(`max(c${i})`)}`,
    ];
    return `json_object(${members.join(', ')})`;
  });
  const sql =
    `SELECT ${asBytes(`json_array(${tallies.join(', ')})`)} FROM (SELECT ${columns.join(', ')} FROM ${sqlName(table.name)} AS t ` +
    `WHERE ${where} ORDER BY ${order} LIMIT -1 OFFSET ?2)`;
  const [json] = prepared(db, sql).get([parent, passed]) as [Buffer];
  return textOf(json);
}

export interface ListRequest {
  readonly search: string;
  /** Start after the entry with this key; null for the first page. */
  readonly after: RowKey | null;
  readonly limit: number;
  /** Conditions that all rows of the list meet. */
  readonly conditions: readonly RowCondition[];
  /** Where the words of a search are looked for; what a row is shown as where it is not said. */
  readonly shows?: string;
  /** See `Asked`. */
  readonly keys?: readonly number[];
  /** Empty for the table's own order. */
  readonly sort: readonly SortBy[];
}

/**
 * Entries of the record list, as JSON text: `[{key, title, second: [cells]}]`, newest first where rows
 * have running numbers. Pages by key.
 */
export function readList(
  db: Connection,
  design: Design,
  viewer: Viewer,
  table: Table,
  request: ListRequest,
  kept = false,
): string {
  const params = new Params();
  const conditions: string[] = [];
  const search = wordsSql(design, table, request, params);
  if (search !== null) conditions.push(search);
  conditions.push(...request.conditions.map((source) => conditionSql(design, table, source)));
  const order = listOrder(design, table, request.sort, kept && conditions.length === 0);
  if (request.after) conditions.push(behind(db, table, order, request.after, params));
  const where = conditions.length > 0 ? `WHERE ${conditions.join(' AND ')}` : '';
  const catalog = catalogOf(design);
  const title = titled(displaySql(table, displayOf(table), { catalog, row: 't' }));
  const second = secondLine(design, viewer, table).map((field) =>
    field.type.kind === 'text'
      ? titled(`t.${sqlName(field.name)}`)
      : cellJson(design, catalog, table, field, 't'),
  );
  const sql =
    `SELECT ${asBytes('json_group_array(json(j))')} FROM (SELECT json_object('key', ${keyArray(table, 't')}, 'title', ${title}, ` +
    `'second', json_array(${second.join(', ')})) AS j FROM ${order.from} ${where} ` +
    `ORDER BY ${orderSql(order)} LIMIT ${params.add(request.limit)})`;
  const [json] = db.prepare(sql).raw().get(params.values) as [Buffer];
  return textOf(json);
}

/** The table's own order; without one that of its key, where numbers are given with the newest first. */
function listOrder(design: Design, table: Table, sort: readonly SortBy[], kept: boolean): RowOrder {
  const order = orderOf(design, table, sort, kept);
  if (sort.length > 0 || table.order.length > 0 || !runningKey(table)) return order;
  return { ...order, columns: order.columns.map(({ sql }) => ({ sql, descending: true })) };
}

/** The condition for rows that come after the one with this key. The engine puts NULL before all values. */
function behind(db: Connection, table: Table, order: RowOrder, key: RowKey, params: Params): string {
  const columns = order.columns.map(({ sql }) => sql);
  const where = keyColumns(table, 't').map((column) => `${column} = ?`);
  const sql = `SELECT ${columns.join(', ')} FROM ${order.from} WHERE ${where.join(' AND ')}`;
  const row = guarded(db, sql, columns.length).get(...key);
  // The row has gone since: what would follow it is then unknown, and the list begins again.
  if (!row) return '1';
  const value = (i: number): string => (row[i] === null ? 'NULL' : params.add(row[i]!));
  const ways = order.columns.flatMap(({ sql, descending }, i) => {
    const same = columns.slice(0, i).map((column, n) => `${column} IS ${value(n)}`);
    if (row[i] === null) return descending ? [] : [[...same, `${sql} IS NOT NULL`]];
    return descending
      ? [[...same, `(${sql} < ${value(i)} OR ${sql} IS NULL)`]]
      : [[...same, `${sql} > ${value(i)}`]];
  });
  return `(${ways.map((all) => all.join(' AND ')).join(' OR ')})`;
}

export interface ChoiceRequest {
  readonly search: string;
  readonly limit: number;
  /**
   * The row the lookup stands in, as it is being edited: what narrows the choices is read from it. What the
   * editor does not show is read from the file, by the row's key.
   */
  readonly row: Readonly<Record<string, Value>> | null;
  /** Asks for this row alone: whether it is among the choices. */
  readonly only: string | number | null;
  readonly today: string;
  /** What all choices meet, over the other table. */
  readonly conditions: readonly string[];
  /** Whether every row is meant that meets them, not those alone to which the lookup may lead anew. */
  readonly all?: boolean;
}

/** A choice: the key, what is shown of its row, and the further columns. */
export type Choice = readonly [key: string | number, text: string, ...columns: string[]];

/** Choices of a lookup field that hold all words typed, in the order the builder gave them. */
export function readChoices(
  db: Connection,
  design: Design,
  field: Field,
  request: ChoiceRequest,
): readonly Choice[] {
  if (field.type.kind !== 'lookup') return [];
  const { type } = field;
  const target = tableOf(design, type.table);
  const catalog = catalogOf(design);
  const params = new Params();
  const text = (value: string): string => params.add(value);
  const today = sqlText(request.today);
  // What cannot be worked out for a row narrows nothing down to it, and puts it at the end.
  const writing = { catalog, row: 't', text, today, faults: 'empty' } as const;
  const over = { catalog, table: target.id };
  const shows = lookupDisplay(design, type);
  const shown = displaySql(target, asText(shows), writing);
  const [key] = keyColumns(target, 't');
  const columns = (type.columns ?? []).map((column) => shownExpression(design, target, column, text));
  const conditions: string[] = [];
  const search = searchSql(design, target, request.search, params, shows);
  if (search !== null) conditions.push(search);
  conditions.push(...request.conditions.map((source) => conditionSql(design, target, source)));
  if (request.only !== null) conditions.push(`${key} = ${params.add(request.only)}`);
  const { all = false } = request;
  if (type.filter && !all) conditions.push(toSql(bindCondition(type.filter, over).bound, writing).sql);
  const query = all ? undefined : design.queries.find(({ id }) => id === type.query);
  if (query) {
    const { today } = request;
    const answers = answersOf(db, design, field, request.row);
    conditions.push(
      toldSql(design, query, { table: target, keys: keyColumns(target, 't') }, { today, answers }, text),
    );
  }
  const narrowed = all ? null : narrowing(design, field, request.row, params, writing);
  if (narrowed !== null) conditions.push(narrowed);
  const by = type.order ? bind(type.order.by, over).bound : null;
  const first = by ? `, ${toSql(by, writing).sql} AS b` : '';
  const order = by
    ? `${by.type.type === 'text' ? orderKeySql('q."b"') : 'q.b'}${type.order!.descending ? ' DESC' : ''}, `
    : '';
  const answers = answersSql('q."d"', request.search, params);
  const best = answers === null ? '' : `${answers}, `;
  const list = columns.map(({ sql }, i) => `, ${sql} AS c${i}`).join('');
  const found =
    `SELECT ${key} AS k, coalesce(${shown}, CAST(${key} AS TEXT)) AS d${list}${first} FROM ${sqlName(target.name)} AS t ` +
    `${conditions.length > 0 ? `WHERE ${conditions.join(' AND ')}` : ''}`;
  const sql =
    `SELECT k, ${titled('d')}${columns.map((_, i) => `, CASE typeof(c${i}) WHEN 'text' THEN ${titled(`c${i}`)} ELSE c${i} END`).join('')} FROM (${found}) AS q ` +
    `ORDER BY ${best}${order}${orderKeySql('q."d"')}, k LIMIT ${params.add(request.limit)}`;
  const rows = guarded(db, sql, 2 + columns.length).all(...params.values) as [
    string | number,
    string,
    ...Stored[],
  ][];
  return rows.map(([k, d, ...rest]) => [k, d, ...rest.map((value, i) => columns[i]!.show(value))]);
}

/** What the row in which a lookup stands answers to the query whose rows it offers; nothing where there is no row. */
function answersOf(db: Connection, design: Design, field: Field, row: ChoiceRequest['row']): Answers {
  if (field.type.kind !== 'lookup' || !field.type.answers?.length || row === null) return {};
  const owner = findField(design, field.id)!.table;
  const params = new Params();
  const from = unsavedRow(owner, row, params, 't');
  return answersOver(db, design, { table: owner, from, params }, field.type.answers);
}

/** The condition that what narrows a lookup puts on its choices; null while nothing does. */
function narrowing(
  design: Design,
  field: Field,
  row: ChoiceRequest['row'],
  params: Params,
  writing: SqlWriting,
): string | null {
  if (field.type.kind !== 'lookup' || !field.type.narrowed || row === null) return null;
  const { own, other } = field.type.narrowed;
  const owner = findField(design, field.id)!.table;
  const { catalog } = writing;
  const theirs = toSql(bind(other, { catalog, table: field.type.table }).bound, writing).sql;
  const source = unsavedRow(owner, row, params, 'o');
  const ours = toSql(bind(own, { catalog, table: owner.id }).bound, { ...writing, row: 'o' }).sql;
  // While the other field is empty it narrows nothing.
  return `(SELECT coalesce(${theirs} = n, n IS NULL) FROM (SELECT ${ours} AS n FROM ${source}))`;
}
