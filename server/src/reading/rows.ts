import {
  displayOf,
  findField,
  orderTable,
  tableOf,
  type Design,
  type Field,
  type Form,
  type Table,
} from '@heathridge/core/design';
import type { Viewer } from '@heathridge/core/people';
import { levelOf } from '@heathridge/core/form';
import { asksNothing, NOTHING, type RowKey } from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';
import { Problem } from '../problem';
import type { JobPool } from '../jobs/pool';
import type { Along } from '../rows/along';
import type { OpenFile } from '../store/files';
import { dataVersion, DesignMoved } from '../store/versions';
import { guarded, prepared } from '../store/statements';
import { tooLarge } from '../rows/json';
import { columnsOf, keyCondition, rowFrom } from '../rows/saving';
import {
  readChoices,
  readList,
  readPage,
  readRecord,
  type Choice,
  type ListRequest,
  type MoreRequest,
  type PageRequest,
} from '../rows/read';
import { checkKey } from '../rows/tables';
import { runningKey } from '@heathridge/core/change';
import { sqlName } from '@heathridge/core/expression';
import { foundRows, MOST_FOUND, prepareSearch, type FoundRows } from './search-index';
import {
  anchorSql,
  ANCHOR_STEP,
  countRows,
  keptOrder,
  orderOf,
  orderSql,
  readWindow,
  type Anchors,
  type Asked,
  type WindowRequest,
} from '../rows/window';

/** Where rows are read from: an open file, and the children for what may take long. */
export interface Reading {
  readonly file: OpenFile;
  /** The design by which rows are shown to whoever asks, where that is not the file's. */
  readonly design?: Design;
  readonly jobs: JobPool;
  /** Aborts when whoever asked has gone. */
  readonly signal: AbortSignal;
}

/**
 * Rows from which on what reads every one is left to a child process: as many are read in a few milliseconds, in which
 * nobody else is answered. A child takes a millisecond more to answer, and others do not wait for it.
 */
const MANY_ROWS = 1000;

/** Rows from which on it is worth keeping what is searched of all of them: fewer are looked through soon enough. */
const MANY_TEXTS = 20_000;

const counted = new WeakMap<
  Table,
  { readonly file: OpenFile; readonly version: number; readonly count: number }
>();

/** How many rows a table has: counted once, and again only after something was written. */
function rowCount(file: OpenFile, table: Table): number {
  const version = dataVersion(file.reader);
  const known = counted.get(table);
  if (known?.file === file && known.version === version) return known.count;
  const count = countRows(file.reader, file.design, table, NOTHING);
  counted.set(table, { file, version, count });
  return count;
}

const wholeOrders = new WeakMap<
  Field,
  { readonly file: OpenFile; readonly version: number; readonly whole: boolean }
>();

/**
 * Whether the order of a large table is to be read from kept order keys. Rows that a tool has added with
 * triggers switched off have none, and must be shown all the same: until the file is mended, keys are then
 * worked out anew.
 */
function readsKeptOrder(file: OpenFile, table: Table, sort: WindowRequest['sort']): boolean {
  const field = keptOrder(file.design, table, sort);
  if (!field || !isLarge(file, table)) return false;
  const version = dataVersion(file.reader);
  const known = wholeOrders.get(field);
  if (known?.file === file && known.version === version) return known.whole;
  const [kept] = prepared(file.reader, `SELECT count(*) FROM ${sqlName(orderTable(field))}`).get() as [
    number,
  ];
  const whole = kept >= rowCount(file, table);
  wholeOrders.set(field, { file, version, whole });
  return whole;
}

const isLarge = (file: OpenFile, table: Table): boolean => rowCount(file, table) > MANY_ROWS;

/** Whether what is searched of a table is kept. */
const keepsTexts = (file: OpenFile, table: Table): boolean => rowCount(file, table) > MANY_TEXTS;

/** Whether what is asked may take long: it reads every row of a large table, or who knows what by a condition. */
const isCostly = (file: OpenFile, table: Table, asked: Pick<Asked, 'search' | 'conditions'>): boolean =>
  asked.conditions.length > 0 || (!asksNothing(asked) && isLarge(file, table));

/** Rows of a large table in which the words of a search stand; null where the engine must look for them. */
function searched(
  { file, design = file.design, jobs }: Reading,
  table: Table,
  { search, shows = displayOf(table) }: Pick<Asked, 'search' | 'shows'>,
): FoundRows | null {
  if (search.trim() === '' || !keepsTexts(file, table)) return null;
  return foundRows({ file, design, jobs, table, search, shows });
}

/** The place of the first of rising keys that is no less than one. */
function placeOf(keys: readonly number[], key: number): number {
  let [low, high] = [0, keys.length];
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (keys[middle]! < key) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * The keys of the rows that a list of what is searched begins with, or goes on with; null where they are not known, or
 * are too many to be put in order one by one.
 */
function searchedFirst(reading: Reading, table: Table, request: ListRequest): readonly number[] | null {
  const found = searched(reading, table, request);
  if (!found) return null;
  if (found.count <= MOST_FOUND) return found.keys;
  if (request.sort.length > 0 || table.order.length > 0 || request.conditions.length > 0) return null;
  // In the order of the key, the newest first where it is a running number.
  const { keys } = found;
  const isFalling = runningKey(table);
  if (!request.after) return isFalling ? keys.slice(-request.limit) : keys.slice(0, request.limit);
  const after = Number(request.after[0]);
  const at = placeOf(keys, after);
  if (isFalling) return keys.slice(Math.max(0, at - request.limit), at);
  const from = keys[at] === after ? at + 1 : at;
  return keys.slice(from, from + request.limit);
}

const answered = new WeakMap<
  OpenFile,
  { readonly asked: string; readonly version: number; readonly count: number }
>();

/** How many rows answer what is asked: while a grid is scrolled through it is asked again and again. */
export async function count(
  reading: Reading,
  table: Table,
  { search, conditions, today, shows }: Asked,
): Promise<number> {
  const { file, design = file.design, jobs, signal } = reading;
  const asked = { search, conditions, today, shows };
  if (asksNothing(asked)) return rowCount(file, table);
  const found = searched(reading, table, asked);
  if (found && conditions.length === 0) return found.count;
  if (found && found.count <= MOST_FOUND)
    return countRows(file.reader, design, table, { ...asked, keys: found.keys });
  if (!isCostly(file, table, asked)) return countRows(file.reader, design, table, asked);
  const [name, version] = [JSON.stringify([table.id, design.version, asked]), dataVersion(file.reader)];
  const known = answered.get(file);
  if (known?.asked === name && known.version === version) return known.count;
  const task = { task: 'count', design, table: table.id, asked } as const;
  const all = await jobs.run(file.path, task, { signal });
  answered.set(file, { asked: name, version, count: all });
  return all;
}

/** Entries of a record list as JSON text, see `readList`. */
export async function list(
  reading: Reading,
  viewer: Viewer,
  table: Table,
  request: ListRequest,
): Promise<string> {
  const { file, design = file.design, jobs, signal } = reading;
  const { reader } = file;
  // Whoever opens a list will search it soon.
  const { shows = displayOf(table) } = request;
  if (request.search.trim() === '' && keepsTexts(file, table))
    prepareSearch({ file, design, jobs, table, shows });
  const keys = searchedFirst(reading, table, request);
  if (keys) return sendable(readList(reader, design, viewer, table, { ...request, keys }));
  const isQuick = (request.search.trim() === '' && request.conditions.length === 0) || !isLarge(file, table);
  // What a query reads may be large whatever the table is.
  if (isQuick && request.conditions.every((condition) => typeof condition === 'string'))
    return sendable(
      readList(reader, design, viewer, table, request, readsKeptOrder(file, table, request.sort)),
    );
  return jobs.run(file.path, { task: 'list', design, viewer, table: table.id, request }, { signal });
}

/** A record with the rows of its subforms as JSON text: see `readRecord`. */
export async function record(
  { file, design = file.design, jobs, signal }: Reading,
  viewer: Viewer,
  form: Form,
  key: RowKey,
): Promise<string | null> {
  // Each subform may have hundreds of rows, and these theirs.
  const isLong = (levelOf(design, form)?.levels.length ?? 0) > 0;
  if (!isLong) {
    const json = readRecord(file.reader, design, viewer, form, key);
    return json === null ? null : sendable(json);
  }
  return jobs.run(file.path, { task: 'record', design, viewer, form, key }, { signal });
}

/** Further rows of a subform as JSON text: see `readMore`. */
export const more = (
  { file, design = file.design, jobs, signal }: Reading,
  viewer: Viewer,
  form: Form,
  at: MoreRequest,
): Promise<string> => jobs.run(file.path, { task: 'more', design, viewer, form, at }, { signal });

/** What would become of other rows if these were deleted, which few or very many may be: see `goesAlong`. */
export const along = (
  { file, design = file.design, jobs, signal }: Reading,
  table: Table,
  keys: readonly RowKey[],
): Promise<readonly Along[]> =>
  jobs.run(file.path, { task: 'along', design, table: table.id, keys }, { signal });

/** Rows of a list as JSON text, with how many there are: see `readPage`. */
export async function page(
  reading: Reading,
  viewer: Viewer,
  form: Form,
  request: PageRequest,
): Promise<{ readonly total: number; readonly rows: string }> {
  const { file, design = file.design, jobs, signal } = reading;
  const table = tableOf(design, form.table);
  const { search, conditions, shows, sort, start } = request;
  const asked = { search, conditions, shows };
  const total = await count(reading, table, asked);
  const found = searched(reading, table, asked);
  if (found && found.count <= MOST_FOUND)
    return {
      total,
      rows: sendable(readPage(file.reader, design, viewer, form, { ...request, keys: found.keys })),
    };
  const kept = readsKeptOrder(file, table, sort);
  // What has no index to go by reads every row; so does what passes many over.
  const isLong = start > MANY_ROWS || (!orderOf(design, table, sort, kept).plain && isLarge(file, table));
  if (!isLong && !isCostly(file, table, asked))
    return { total, rows: sendable(readPage(file.reader, design, viewer, form, request, kept)) };
  const rows = await jobs.run(file.path, { task: 'page', design, viewer, form, request }, { signal });
  return { total, rows };
}

/** A window of rows as JSON text, with how many there are: see `readWindow`. */
export async function window(
  reading: Reading,
  viewer: Viewer,
  table: Table,
  request: WindowRequest,
): Promise<{ readonly total: number; readonly rows: string }> {
  const { file, jobs, signal } = reading;
  const { design, reader } = file;
  const total = await count(reading, table, request);
  if (file.design !== design) throw new DesignMoved();
  // What has no index to go by reads every row.
  const kept = readsKeptOrder(file, table, request.sort);
  const isSorted = !orderOf(design, table, request.sort, kept).plain && isLarge(file, table);
  if (isSorted || isCostly(file, table, request)) {
    const task = { task: 'window', design, viewer, table: table.id, request } as const;
    return { total, rows: await jobs.run(file.path, task, { signal }) };
  }
  const anchors = anchorsFor(reading, table, request, kept);
  return { total, rows: sendable(readWindow(reader, design, viewer, table, request, anchors, kept)) };
}

/** What is read of rows, where it can be sent. Throws `too-large`. */
function sendable(json: string): string {
  const refusal = tooLarge(json);
  if (refusal !== null) throw new Problem('too-large', refusal);
  return json;
}

/** What a lookup's choices are asked with. */
export interface ChoicesAsked {
  readonly search: string;
  readonly row: Readonly<Record<string, Value>> | null;
  /** The key of the row the lookup stands in, when it is in the file. */
  readonly key: RowKey | null;
  readonly only: string | number | null;
  readonly today: string;
  /** Whether every row is meant, not those alone to which the lookup may lead anew. */
  readonly all?: boolean;
}

/** Choices of a lookup field; null when there is no such lookup. */
export async function choices(
  { file, design = file.design, jobs, signal }: Reading,
  fieldId: string,
  { key, ...asked }: ChoicesAsked,
  conditions: readonly string[] = [],
): Promise<readonly Choice[] | null> {
  const { reader } = file;
  const found = findField(design, fieldId);
  if (found?.field.type.kind !== 'lookup') return null;
  const { field, table } = found;
  const { type } = found.field;
  const target = design.tables.find(({ id }) => id === type.table);
  if (!target) return null;
  // What the screen does not show may narrow the lookup all the same.
  const row = asked.row && key ? { ...storedRow(file, table, key), ...asked.row } : asked.row;
  const request = { ...asked, row, conditions, limit: 30 };
  // What a query reads may be large whatever the table is.
  const isQuick = asked.only !== null || !(isLarge(file, target) || type.query);
  if (isQuick) return readChoices(reader, design, field, request);
  return jobs.run(file.path, { task: 'choices', design, field: fieldId, request }, { signal });
}

function storedRow({ design, reader }: OpenFile, table: Table, key: RowKey): Record<string, Value> {
  if (!checkKey(design, table, key)) return {};
  const sql = `SELECT ${columnsOf(table).list} FROM ${sqlName(table.name)} WHERE ${keyCondition(table)}`;
  const cells = guarded(reader, sql, columnsOf(table).fields.length).get(...key);
  return cells ? { ...rowFrom(table, cells) } : {};
}

interface Sampled {
  readonly version: number;
  readonly anchors: Anchors | null;
}

const sampled = new WeakMap<OpenFile, Map<string, Sampled>>();

/**
 * The anchors of an order of a table, when they are sampled and nothing has been written since; else
 * null, and a child begins to sample them.
 */
function anchorsFor(
  { file, jobs }: Reading,
  table: Table,
  request: WindowRequest,
  kept: boolean,
): Anchors | null {
  if (request.start < 2 * ANCHOR_STEP || !asksNothing(request)) return null;
  const order = orderOf(file.design, table, request.sort, kept);
  if (!order.plain) return null;
  const name = `${table.id} ${orderSql(order)}`;
  const known = sampled.get(file) ?? new Map<string, Sampled>();
  sampled.set(file, known);
  const version = dataVersion(file.reader);
  const found = known.get(name);
  if (found?.version === version) return found.anchors;
  known.set(name, { version, anchors: null });
  jobs
    .run(
      file.path,
      { task: 'anchors', version: file.design.version, sql: anchorSql(order), columns: order.columns.length },
      { queue: 'background' },
    )
    .then(
      (rows) => known.set(name, { version, anchors: { order: name, rows } }),
      // Without anchors a window is found by counting, only more slowly.
      () => known.delete(name),
    );
  return null;
}
