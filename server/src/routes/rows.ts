import * as v from 'valibot';
import type { Table } from '@heathridge/core/design';
import { fieldOf, findField } from '@heathridge/core/design';
import { Form, Id } from '@heathridge/core/design';
import { Key, SaveRequest, type RowKey } from '@heathridge/core/rows';
import type { Context } from '../http/context';
import { Problem } from '../http/problem';
import type { Router } from '../http/routes';
import { readChoices, readList, readRecord, type Choice, type ListRequest } from '../rows/read';
import { RequestReused, saveRows, type Saver, type SaveResult } from '../rows/save';
import { checkKey } from '../rows/tables';
import {
  anchorSql,
  countRows,
  orderOf,
  orderSql,
  readRow,
  readWindow,
  ANCHOR_STEP,
  type Anchors,
  type WindowRequest,
} from '../rows/window';
import type { OpenFile } from '../store/files';

export const Search = v.object({ search: v.optional(v.pipe(v.string(), v.maxLength(200)), '') });

const Window = v.object({
  start: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e9)),
  limit: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(1000)),
  sort: v.optional(v.nullable(v.object({ field: Id, descending: v.boolean() })), null),
  search: v.optional(v.pipe(v.string(), v.maxLength(200)), ''),
});

/** Rows from which on a search is left to a child process, since it reads every one. */
const MANY_ROWS = 20_000;

export function tableAt(file: OpenFile, id: string): Table {
  const table = file.design.tables.find((candidate) => candidate.id === id);
  if (!table) throw new Problem('not-found', 'This table is no longer there.');
  return table;
}

export function keyFrom(file: OpenFile, table: Table, text: string): RowKey {
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch {
    throw new Problem('bad-request', 'A key is a JSON array, such as [1417].');
  }
  const key = v.safeParse(Key, parsed);
  const checked = key.success ? checkKey(file.design, table, key.output) : null;
  if (!checked) throw new Problem('bad-request', `This is not a key of ${table.label}.`);
  return checked;
}

/** Throws `rows-refused` with every error beside its field when a save is refused. */
export function save(file: OpenFile, request: SaveRequest, by: Saver, context: Context): unknown {
  let result: SaveResult;
  try {
    result = saveRows(file, request, by, context.clock);
  } catch (error) {
    if (error instanceof RequestReused)
      throw new Problem('bad-request', 'This save was sent under the name of another one.');
    throw error;
  }
  if (result.ok) return { saved: result.saved };
  throw new Problem('rows-refused', result.errors[0]?.message ?? 'Nothing was saved.', {
    errors: result.errors,
  });
}

/** Changes with every commit of any other connection to the file. */
const dataVersion = (file: OpenFile): number =>
  (file.reader.prepare('PRAGMA data_version').raw().get() as [number])[0];

const counted = new WeakMap<
  Table,
  { readonly file: OpenFile; readonly version: number; readonly count: number }
>();

/** How many rows a table has: counted once, and again only after something was written. */
function rowCount(file: OpenFile, table: Table): number {
  const version = dataVersion(file);
  const known = counted.get(table);
  if (known?.file === file && known.version === version) return known.count;
  const count = countRows(file.reader, file.design, table, '');
  counted.set(table, { file, version, count });
  return count;
}

const isLarge = (file: OpenFile, table: Table): boolean => rowCount(file, table) > MANY_ROWS;

/** How many rows answer a search. */
export async function count(
  { jobs }: Context,
  file: OpenFile,
  table: Table,
  search: string,
  signal: AbortSignal,
): Promise<number> {
  if (search.trim() === '') return rowCount(file, table);
  if (!isLarge(file, table)) return countRows(file.reader, file.design, table, search);
  return jobs.run(file.path, { task: 'count', design: file.design, table: table.id, search }, { signal });
}

export async function list(
  { jobs }: Context,
  file: OpenFile,
  table: Table,
  request: ListRequest,
  signal: AbortSignal,
): Promise<string> {
  if (request.search.trim() === '' || !isLarge(file, table))
    return readList(file.reader, file.design, table, request);
  return jobs.run(file.path, { task: 'list', design: file.design, table: table.id, request }, { signal });
}

/** What a lookup's choices are asked with. */
export const ChoicesBody = v.object({
  search: v.optional(v.pipe(v.string(), v.maxLength(200)), ''),
  /** The row the lookup stands in, by field id. */
  row: v.optional(v.nullable(v.record(Id, v.union([v.null(), v.string(), v.number(), v.boolean()]))), null),
  /** A key: is its row among the choices? */
  only: v.optional(v.nullable(v.union([v.string(), v.number()])), null),
});

export async function choices(
  { jobs, clock }: Context,
  file: OpenFile,
  fieldId: string,
  body: v.InferOutput<typeof ChoicesBody>,
  signal: AbortSignal,
): Promise<{ readonly choices: readonly Choice[] }> {
  const field = findField(file.design, fieldId)?.field;
  if (field?.type.kind !== 'lookup') throw new Problem('not-found', 'This lookup is no longer there.');
  const request = { ...body, limit: 30, today: clock.today(file.design.settings.timeZone) };
  if (body.only !== null || !isLarge(file, tableAt(file, field.type.table)))
    return { choices: readChoices(file.reader, file.design, field, request) };
  const found = await jobs.run(
    file.path,
    { task: 'choices', design: file.design, field: fieldId, request },
    { signal },
  );
  return { choices: found };
}

interface Kept {
  readonly version: number;
  readonly anchors: Anchors | null;
}

const kept = new WeakMap<OpenFile, Map<string, Kept>>();

/**
 * The anchors of an order of a table, when they are sampled and nothing has been written since; else
 * null, and a child begins to sample them.
 */
function anchorsFor(context: Context, file: OpenFile, table: Table, request: WindowRequest): Anchors | null {
  if (request.start < 2 * ANCHOR_STEP || request.search.trim() !== '') return null;
  const order = orderOf(file.design, table, request.sort);
  if (!order.plain) return null;
  const name = `${table.id} ${orderSql(order)}`;
  const known = kept.get(file) ?? new Map<string, Kept>();
  kept.set(file, known);
  const version = dataVersion(file);
  const found = known.get(name);
  if (found?.version === version) return found.anchors;
  known.set(name, { version, anchors: null });
  context.jobs.run(file.path, { task: 'anchors', sql: anchorSql(table, order) }).then(
    (rows) => known.set(name, { version, anchors: { order: name, rows } }),
    // Without anchors a window is found by counting, only more slowly.
    () => known.delete(name),
  );
  return null;
}

export function rowRoutes(router: Router): void {
  router.add({
    method: 'POST',
    url: '/api/files/:file/tables/:table/window',
    needs: 'builder',
    summary: 'A window of rows: a cell for each field, a lookup as [key, text]',
    body: Window,
    handler: async ({ context, file, params, body, reply, gone }) => {
      const table = tableAt(file, params['table']!);
      if (body.sort && !fieldOf(table, body.sort.field))
        throw new Problem('bad-request', 'The field to sort by is no longer there.');
      const total = await count(context, file, table, body.search, gone);
      // What has no index to go by reads every row.
      const costly = body.search.trim() !== '' || !orderOf(file.design, table, body.sort).plain;
      const large = costly && isLarge(file, table);
      const rows = large
        ? await context.jobs.run(
            file.path,
            { task: 'window', design: file.design, table: table.id, request: body },
            { signal: gone },
          )
        : readWindow(file.reader, file.design, table, body, anchorsFor(context, file, table, body));
      return reply.type('application/json').send(`{"total":${total},"rows":${rows}}`);
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/tables/:table/row',
    needs: 'builder',
    summary: 'One row by its key: a cell for each field, a lookup as [key, text]',
    query: v.object({ key: v.pipe(v.string(), v.maxLength(2000)) }),
    handler: ({ file, params, query, reply }) => {
      const table = tableAt(file, params['table']!);
      const json = readRow(file.reader, file.design, table, keyFrom(file, table, query.key));
      if (json === null) throw new Problem('not-found', 'This row is no longer there.');
      return reply.type('application/json').send(`{"cells":${json}}`);
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/rows',
    needs: 'builder',
    summary: 'Add, change and delete rows, all or none',
    body: SaveRequest,
    handler: ({ context, file, person, body }) => save(file, body, person, context),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/lookups/:field',
    needs: 'builder',
    summary: 'Choices of a lookup field, narrowed by the row it stands in: [[key, text, …columns], …]',
    body: ChoicesBody,
    handler: ({ context, file, params, body, gone }) => choices(context, file, params['field']!, body, gone),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/forms/preview',
    needs: 'builder',
    summary: 'A real record as a form that is being designed shows it',
    body: v.object({ form: Form, key: v.nullable(Key) }),
    handler: ({ file, body, reply }) => {
      const table = tableAt(file, body.form.table);
      const first = JSON.parse(
        readList(file.reader, file.design, table, { search: '', after: null, limit: 1 }),
      ) as { key: RowKey }[];
      const key = body.key ? checkKey(file.design, table, body.key) : (first[0]?.key ?? null);
      const record = key ? readRecord(file.reader, file.design, body.form, key) : null;
      return reply.type('application/json').send(record ?? 'null');
    },
  });
}
