import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { displayOf, fieldOf, findField, Form, Id, type Table } from '@heathridge/core/design';
import { ExpressionError } from '@heathridge/core/expression';
import { sampled, shownRows } from '@heathridge/core/form';
import { documentProblems } from '@heathridge/core/documents';
import { designOf, lookupTarget, refusedChange, rowsThere, type Viewer } from '@heathridge/core/people';
import { boundsWithin, type Within } from '../rows/among';
import {
  Key,
  NOTHING,
  RowsAsked,
  SaveRequest,
  type RowChange,
  type RowError,
  type RowKey,
  type SavedRow,
} from '@heathridge/core/rows';
import { MOST_TEXT } from '@heathridge/core/values';
import { todayIn, type Context } from '../http/context';
import { MOST_TOLD, type News } from '../http/news';
import { Problem } from '../problem';
import type { Call, Router } from '../http/routes';
import { blockChanges } from '../rows/paste';
import { childrenOf } from '../rows/children';
import { readList, readPage, readRecord, type Choice } from '../rows/read';
import { along, choices, window } from '../reading/rows';
import { BadSave, RequestReused, saveTogether, type BlockOrder, type SaveResult } from '../rows/save';
import { checkKey } from '../rows/tables';
import { Params } from '../rows/params';
import { askedSql, readRow } from '../rows/window';
import { MOST_TIME } from '../change/apply';
import { watched, Watch } from '../http/watched';
import {
  longestOf,
  NotUndone,
  sizeOf,
  undoEntry,
  type Undone,
  type UndoEntryOrder,
} from '../rows/undo-entry';
import type { JobOptions } from '../jobs/pool';
import type { Connection } from '../store/driver';
import { assertWritable, type OpenFile } from '../store/files';
import { inTransaction } from '../store/statements';
import { DesignMoved, storedVersion } from '../store/versions';

/** Rows of a list that are shown while it is designed. */
const MOST_SAMPLED = 8;

export const Search = v.object({ search: v.optional(v.pipe(v.string(), v.maxLength(200)), '') });

const Window = v.object({
  start: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e9)),
  limit: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(1000)),
  sort: v.optional(v.pipe(v.array(v.object({ field: Id, descending: v.boolean() })), v.maxLength(5)), []),
  ...RowsAsked.entries,
});

/** Keys as the file has them. Throws a problem for one that is none of the table's. */
export function checkedKeys({ design }: OpenFile, table: Table, keys: readonly RowKey[]): RowKey[] {
  return keys.map((key) => {
    const right = checkKey(design, table, key);
    if (!right) throw new Problem('bad-request', `This is no key of ${table.label}.`);
    return right;
  });
}

/** Throws a problem in words where what is asked of rows cannot be. */
export function checkAsked({ design }: OpenFile, table: Table, asked: RowsAsked): void {
  try {
    askedSql(design, table, asked, new Params());
  } catch (error) {
    if (error instanceof ExpressionError) throw new Problem('bad-request', error.message);
    throw error;
  }
}

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

/** What a save needs to know of the call that makes it. */
type SavingCall = Pick<Call, 'context' | 'file' | 'viewer' | 'params'>;

/** What is answered to a save. */
interface Kept {
  readonly entry: number;
  readonly saved: readonly SavedRow[];
}

/**
 * Saves what a viewer may save. Rejects with `not-allowed` for what she may not, and with `rows-refused` with every
 * error beside its field when the save is refused.
 */
export async function save(call: SavingCall, request: SaveRequest): Promise<Kept> {
  const { file, viewer } = call;
  for (const change of request.changes) {
    const refusal = refusedChange(file.design, viewer, change);
    if (refusal !== null) throw new Problem('not-allowed', refusal);
  }
  return saveWithin(call, request, viewer.screen ? { viewer } : null);
}

/** Saves what a viewer may save, within bounds. Rejects with `rows-refused` as {@link save} does. */
export async function saveWithin(
  call: SavingCall,
  request: SaveRequest,
  within: Within | null,
): Promise<Kept> {
  const { context, file, viewer } = call;
  const result =
    request.changes.length > MOST_AT_ONCE || lettersIn(request.changes) > MOST_LETTERS_AT_ONCE
      ? await keptApart(call, { request, within })
      : await keptHere(file, request, viewer, context, within);
  const kept = taken(result);
  context.news.tell(call.params['file']!, {
    ...newsOf(request, kept.saved),
    account: viewer.id,
    by: viewer.name,
    entry: kept.entry,
  });
  return kept;
}

/** Letters of all texts in row changes. */
const lettersIn = (changes: readonly RowChange[]): number =>
  changes.reduce((sum, change) => {
    const values = change.op === 'delete' ? [] : Object.values(change.values);
    return values.reduce<number>((all, value) => all + (typeof value === 'string' ? value.length : 0), sum);
  }, 0);

/** Makes a save while others wait: one that is short. */
async function keptHere(
  file: OpenFile,
  request: SaveRequest,
  viewer: Viewer,
  { clock }: Context,
  within: Within | null,
): Promise<SaveResult> {
  assertWritable(file);
  try {
    return await saveTogether(file, request, viewer, clock, boundsWithin(file.design, within));
  } catch (error) {
    if (error instanceof RequestReused) throw reused();
    if (error instanceof BadSave) throw new Problem('bad-request', error.message);
    throw error;
  }
}

/** Has a child make a save: one that takes long, while which others go on. */
async function keptApart(
  { context, file, viewer }: SavingCall,
  what: { readonly request: SaveRequest | BlockOrder; readonly within: Within | null },
): Promise<SaveResult> {
  assertWritable(file);
  const { design, path } = file;
  const { id, name } = viewer;
  const order = { ...what, by: { id, name }, now: context.clock.now(), today: todayIn(context, file) };
  const saved = await context.jobs.run(path, { task: 'save', design, order });
  if ('done' in saved) return saved.done;
  switch (saved.refused) {
    case 'reused':
      throw reused();
    case 'unread':
      throw unread(saved.errors);
    case 'bad':
      throw new Problem('bad-request', saved.message);
  }
}

const reused = (): Problem => new Problem('bad-request', 'This save was sent under the name of another one.');

const unread = (errors: readonly RowError[]): Problem =>
  new Problem('rows-refused', `${errors.length} of these values cannot be taken.`, { errors });

/** What was saved. Throws `rows-refused` where it was not. */
function taken(result: SaveResult): Kept {
  if (result.ok) return { entry: result.entry, saved: result.saved };
  throw new Problem('rows-refused', result.errors[0]?.message ?? 'Nothing was saved.', {
    errors: result.errors,
  });
}

/** What others are told of a save. */
function newsOf(request: SaveRequest, saved: readonly SavedRow[]): Pick<News, 'tables' | 'design'> {
  const tables = [...new Set(request.changes.map(({ table }) => table))];
  return {
    design: false,
    tables: tables.map((table) => {
      const own = request.changes.filter((change) => change.table === table);
      const isPlain = own.length <= MOST_TOLD && own.every(({ op }) => op === 'update');
      const keys = saved.filter((row) => row.table === table).map(({ key }) => key);
      return { table, changed: isPlain ? keys : null };
    }),
  };
}

const LongText = v.pipe(v.string(), v.maxLength(MOST_TEXT));

/** What a lookup's choices are asked with. */
export const ChoicesBody = v.object({
  search: v.optional(v.pipe(v.string(), v.maxLength(200)), ''),
  /** The row the lookup stands in, by field id. */
  row: v.optional(
    v.nullable(
      v.pipe(v.record(Id, v.union([v.null(), LongText, v.number(), v.boolean()])), v.maxEntries(300)),
    ),
    null,
  ),
  /** The key of that row, when it is in the file. */
  key: v.optional(v.nullable(Key), null),
  /** A key: is its row among the choices? */
  only: v.optional(v.nullable(v.union([LongText, v.number()])), null),
});

/** Choices of a lookup for the answer to a request. Throws `not-found` when it is gone. */
export async function choicesFor(
  context: Context,
  file: OpenFile,
  field: string,
  body: v.InferOutput<typeof ChoicesBody> & { readonly all?: boolean },
  signal: AbortSignal,
  viewer: Viewer | null = null,
): Promise<{ readonly choices: readonly Choice[] }> {
  const asked = { ...body, today: todayIn(context, file) };
  const design = viewer ? designOf(file.design, viewer) : file.design;
  const target = lookupTarget(design, field);
  const there = viewer && target ? rowsThere(viewer, target) : [];
  const found = await choices({ file, design, jobs: context.jobs, signal }, field, asked, there);
  if (!found) throw new Problem('not-found', 'This lookup is no longer there.');
  return { choices: found };
}

/** Entries of the log that are told at once. */
const ENTRIES = 30;
/** Rows that are pasted at once. */
const MOST_PASTED = 5000;

/** Rows that are saved or put back while others wait, some 20 ms of them; more are work for a child. */
export const MOST_AT_ONCE = 100;
/** Letters of texts that are saved or put back while others wait: the file looks at each that is beyond ASCII. */
const MOST_LETTERS_AT_ONCE = 10_000;
/** Bytes of a save: the longest text there is, in letters of three bytes, and what stood there before, are taken. */
export const MOST_OF_SAVE = 8 * 1024 * 1024;
/** Rows of a block that are read while others wait: each of its texts may be that of a row, which has to be found. */
const MOST_PASTED_HERE = 20;

/** Whether an entry of the log is undone while others wait. */
const isShort = (db: Connection, entry: number): boolean =>
  sizeOf(db, entry) <= MOST_AT_ONCE && longestOf(db, entry) <= MOST_LETTERS_AT_ONCE;

/** Undoes an entry of the log while others wait. Throws `not-undone`. */
function undoHere({ writer, design }: OpenFile, order: UndoEntryOrder): Undone {
  try {
    return inTransaction(writer, () => {
      if (storedVersion(writer) !== design.version) throw new DesignMoved();
      return undoEntry(writer, design, order);
    });
  } catch (error) {
    if (error instanceof NotUndone) throw new Problem('not-undone', error.message);
    throw error;
  }
}

const undoApart = (
  { files, jobs }: Context,
  { id, path, design: { version: base } }: OpenFile,
  order: UndoEntryOrder,
  options: JobOptions = {},
): Promise<Undone> => {
  const task = { task: 'undo entry', order: { ...order, base } } as const;
  return files.whileChanging(id, () => jobs.run(path, task, { ...options, limit: MOST_TIME }));
};

/** Undoes an entry of the log, here or in a child. Rejects with `not-undone`. */
export const undone = async (context: Context, file: OpenFile, order: UndoEntryOrder): Promise<Undone> =>
  isShort(file.writer, order.entry) ? undoHere(file, order) : undoApart(context, file, order);

export function rowRoutes(router: Router): void {
  router.add({
    method: 'POST',
    url: '/api/files/:file/tables/:table/window',
    answer: answers.Window,
    needs: 'builder',
    summary: 'A window of rows: a cell for each field, a lookup as [key, text]',
    body: Window,
    handler: async ({ context, file, viewer, params, body, reply, gone: signal }) => {
      const table = tableAt(file, params['table']!);
      for (const { field } of body.sort)
        if (!fieldOf(table, field))
          throw new Problem('bad-request', 'The field to sort by is no longer there.');
      checkAsked(file, table, body);
      const { jobs } = context;
      const asked = { ...body, today: todayIn(context, file) };
      const { total, rows } = await window({ file, jobs, signal }, viewer, table, asked);
      return reply.type('application/json').send(`{"total":${total},"rows":${rows}}`);
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/tables/:table/row',
    answer: answers.Row,
    needs: 'builder',
    summary: 'One row by its key: a cell for each field, a lookup as [key, text]',
    query: v.object({ key: v.pipe(v.string(), v.maxLength(2000)) }),
    handler: ({ file, viewer, params, query, reply }) => {
      const table = tableAt(file, params['table']!);
      const json = readRow(file.reader, file.design, viewer, table, keyFrom(file, table, query.key));
      if (json === null) throw new Problem('not-found', 'This row is no longer there.');
      return reply.type('application/json').send(`{"cells":${json}}`);
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/tables/:table/along',
    answer: answers.Along,
    needs: 'builder',
    summary: 'What would become of other rows if these were deleted; nothing is changed',
    body: v.object({ keys: v.pipe(v.array(Key), v.minLength(1), v.maxLength(5000)) }),
    handler: async ({ context: { jobs }, file, params, body, gone: signal }) => {
      const table = tableAt(file, params['table']!);
      return { along: await along({ file, jobs, signal }, table, checkedKeys(file, table, body.keys)) };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/tables/:table/children',
    answer: answers.Children,
    needs: 'builder',
    summary: 'How many rows of other tables lead to each of these rows, and what the first are called',
    body: v.object({
      keys: v.pipe(v.array(Key), v.maxLength(500)),
      links: v.pipe(v.array(Id), v.maxLength(20)),
    }),
    handler: ({ file, params, body }) => {
      const table = tableAt(file, params['table']!);
      const keys = checkedKeys(file, table, body.keys);
      const children = body.links.map((link) => {
        const found = findField(file.design, link);
        const type = found?.field.type;
        if (!found || type?.kind !== 'lookup' || type.table !== table.id)
          throw new Problem('not-found', `This lookup to ${table.plural} is no longer there.`);
        return childrenOf(file.reader, file.design, found, keys);
      });
      return { children };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/tables/:table/work-out',
    answer: answers.WorkedOut,
    needs: 'builder',
    summary: 'What an expression gives for rows, as values of a field; nothing is changed',
    body: v.object({
      field: Id,
      expression: v.pipe(v.string(), v.minLength(1, 'An expression is needed.'), v.maxLength(4000)),
      keys: v.pipe(v.array(Key), v.maxLength(500)),
    }),
    handler: async ({ context: { jobs }, file, params, body: { field: id, expression, keys }, gone }) => {
      const table = tableAt(file, params['table']!);
      const field = fieldOf(table, id);
      if (!field) throw new Problem('not-found', 'This field is no longer there.');
      const checked = checkedKeys(file, table, keys);
      const task = { task: 'work out', design: file.design, field: id, expression, keys: checked } as const;
      return { values: await jobs.run(file.path, task, { signal: gone }) };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/rows',
    answer: answers.SavedRows,
    needs: 'builder',
    summary: 'Add, change and delete rows, all or none',
    body: SaveRequest,
    most: MOST_OF_SAVE,
    handler: (call) => save(call, call.body),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/tables/:table/paste',
    answer: answers.SavedRows,
    needs: 'builder',
    summary: 'Put a block of texts over rows, and below them as new ones: all of it or nothing',
    body: v.pipe(
      v.object({
        keys: v.pipe(v.array(Key), v.maxLength(MOST_PASTED)),
        fields: v.pipe(v.array(Id), v.minLength(1), v.maxLength(300)),
        cells: v.pipe(
          v.array(v.pipe(v.array(v.pipe(v.string(), v.maxLength(100_000))), v.maxLength(300))),
          v.minLength(1),
          v.maxLength(MOST_PASTED, 'At most 5,000 rows are pasted at once: bring more in as a sheet.'),
        ),
      }),
      v.check(
        ({ fields, cells }) => cells.every((row) => row.length <= fields.length),
        'A row has more cells than there are fields.',
      ),
    ),
    handler: async (call) => {
      const { context, file, viewer, params, body } = call;
      const table = tableAt(file, params['table']!);
      const block = { ...body, keys: checkedKeys(file, table, body.keys) };
      if (body.cells.length <= MOST_PASTED_HERE) {
        const { changes, errors } = blockChanges(file, table, block, todayIn(context, file));
        if (errors.length > 0) throw unread(errors);
        return save(call, { changes });
      }
      const kept = taken(await keptApart(call, { request: { table: table.id, block }, within: null }));
      const tables = [{ table: table.id, changed: null }];
      const { id: account, name: by } = viewer;
      context.news.tell(params['file']!, { account, by, entry: kept.entry, tables, design: false });
      return kept;
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/tables/:table/past',
    answer: answers.PastOfRow,
    needs: 'builder',
    summary: 'What happened to a row, the newest first: who changed which field when, from what to what',
    query: v.object({ key: v.pipe(v.string(), v.maxLength(2000)) }),
    handler: async ({ context: { jobs }, file, params, query, gone: signal }) => {
      const table = tableAt(file, params['table']!);
      const key = keyFrom(file, table, query.key);
      const task = { task: 'past', design: file.design, table: table.id, key } as const;
      return { past: await jobs.run(file.path, task, { signal }) };
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/log',
    answer: answers.PastOfFile,
    needs: 'builder',
    summary: 'What was done to rows, save by save, the newest first',
    query: v.object({
      before: v.optional(v.pipe(v.string(), v.regex(/^\d{1,15}$/), v.transform(Number))),
    }),
    handler: async ({ context: { jobs }, file, query, gone: signal }) => {
      const { version } = file.design;
      const [before, limit] = [query.before ?? null, ENTRIES + 1];
      const task = { task: 'past of all', version, before, limit } as const;
      const past = await jobs.run(file.path, task, { signal });
      return { past: past.slice(0, ENTRIES), more: past.length > ENTRIES };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/log/:entry/undo',
    answer: answers.Undone,
    needs: 'builder',
    summary:
      'Undo a save, or what was brought in: all of its rows or none; undoing what this answers does it again',
    body: v.object({ watch: Watch }),
    handler: (call) => {
      const { context, file, person, params, body } = call;
      const entry = Number(params['entry']);
      if (!Number.isSafeInteger(entry) || entry < 1)
        throw new Problem('not-found', 'There is no such entry.');
      assertWritable(file);
      const { clock } = context;
      const order = { entry, by: person.name, now: clock.now(), today: todayIn(context, file) };
      const told = (undone: Undone): Undone => {
        const tables = undone.tables.map((table) => ({ table, changed: null }));
        const { id: account, name: by } = person;
        context.news.tell(params['file']!, { account, by, entry: undone.entry, tables, design: false });
        return undone;
      };
      if (isShort(file.writer, entry)) return told(undoHere(file, order));
      return watched(call, body.watch, (options) => undoApart(context, file, order, options)).then(told);
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/lookups/:field',
    answer: answers.Choices,
    needs: 'builder',
    summary: 'Choices of a lookup field, narrowed by the row it stands in: [[key, text, …columns], …]',
    body: ChoicesBody,
    handler: ({ context, file, params, body, gone }) =>
      choicesFor(context, file, params['field']!, body, gone),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/forms/preview',
    answer: v.nullable(answers.FormPreview),
    needs: 'builder',
    summary: 'A real record as a form that is being designed shows it',
    body: v.object({ form: Form, key: v.nullable(Key) }),
    handler: ({ file, viewer, body, reply }) => {
      const table = tableAt(file, body.form.table);
      const [problem] = documentProblems(file.design, body.form);
      if (problem !== undefined) throw new Problem('design-invalid', problem);
      if (body.form.list) {
        const rows = readPage(file.reader, file.design, viewer, sampled(body.form, MOST_SAMPLED), {
          ...NOTHING,
          start: 0,
          limit: MOST_SAMPLED,
          shows: displayOf(table),
          conditions: shownRows(body.form),
          sort: body.form.order ?? [],
        });
        const [record] = JSON.parse(rows) as unknown[];
        return reply
          .type('application/json')
          .send(record ? `{"record":${JSON.stringify(record)},"rows":${rows}}` : 'null');
      }
      const first = JSON.parse(
        readList(file.reader, file.design, viewer, table, {
          search: '',
          after: null,
          limit: 1,
          conditions: shownRows(body.form),
          sort: body.form.order ?? [],
        }),
      ) as { key: RowKey }[];
      const key = body.key ? checkKey(file.design, table, body.key) : (first[0]?.key ?? null);
      const record = key ? readRecord(file.reader, file.design, viewer, body.form, key) : null;
      return reply.type('application/json').send(record ?? 'null');
    },
  });
}
