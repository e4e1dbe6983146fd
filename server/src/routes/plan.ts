import * as v from 'valibot';
import { Carrier, Change, checkPlan, documentProblems } from '@heathridge/core/change';
import {
  asText,
  catalogOf,
  dependantsOf,
  displayOf,
  fieldOf,
  Form,
  Id,
  linkCandidates,
  Query,
  Report,
  validateTables,
} from '@heathridge/core/design';
import { bind, sqlName, toSql } from '@heathridge/core/expression';
import type { RowKey } from '@heathridge/core/rows';
import { applyDraft, drafted } from '../change/apply';
import type { FoundRow, Tell } from '../change/run';
import { appliedChanges, undoDraft } from '../change/undo';
import { todayIn } from '../http/context';
import { Problem } from '../http/problem';
import type { Call, Router } from '../http/routes';
import { keyColumns, rowObject } from '../rows/json';
import { dropDefinition, putDefinition } from '../store/definitions';
import { assertWritable, type OpenFile } from '../store/files';
import { place } from '../store/file-schema';

export const Draft = v.object({
  /** The version of the design it starts from. */
  base: v.pipe(v.number(), v.integer(), v.minValue(0)),
  changes: v.pipe(v.array(Change), v.maxLength(1000)),
});

/** A name by which the caller can ask how far the work is. */
const Watch = v.optional(v.pipe(v.string(), v.regex(/^[\w-]{1,40}$/)));
const WatchedDraft = v.object({ ...Draft.entries, watch: Watch });

/** Runs long work and lets whoever watches it see how far it is. */
async function watched<T>(
  { context, person, gone }: Pick<Call, 'context' | 'person' | 'gone'>,
  watch: string | undefined,
  work: (options: { signal: AbortSignal; tell: Tell }) => Promise<T>,
): Promise<T> {
  const name = `${person.id} ${watch ?? ''}`;
  try {
    return await work({
      signal: gone,
      tell: (progress) => watch !== undefined && context.progress.set(name, progress),
    });
  } finally {
    context.progress.delete(name);
  }
}

interface RowToMend {
  readonly key: RowKey;
  readonly value: string | number | null;
  /** What the row is called, and its cells by field id, as they are now; null when it has gone. */
  readonly title: string | null;
  readonly cells: Readonly<Record<string, unknown>> | null;
}

function rowsToMend({ design, reader }: OpenFile, tableId: string, found: readonly FoundRow[]): RowToMend[] {
  const table = design.tables.find(({ id }) => id === tableId);
  if (!table) return [];
  const catalog = catalogOf(design);
  const { bound } = bind(asText(displayOf(table)), { catalog, table: table.id });
  const title = toSql(bound, { catalog, row: 't' }).sql;
  const where = keyColumns(table, 't').map((column) => `${column} = ?`);
  const read = reader.prepare(
    `SELECT ${title}, ${rowObject(design, table, 't')} FROM ${sqlName(table.name)} AS t WHERE ${where.join(' AND ')}`,
  );
  return found.map(({ key, value }) => {
    const row = read.raw().get(...key) as [string | null, string] | undefined;
    const cells = row ? (JSON.parse(row[1]) as { cells: Record<string, unknown> }).cells : null;
    return { key: [...key], value, title: row?.[0] ?? null, cells };
  });
}

const Coordinate = v.pipe(v.number(), v.minValue(-100_000), v.maxValue(100_000));

const counts = ({ design, reader }: OpenFile): Record<string, number> =>
  Object.fromEntries(
    design.tables.map(({ id, name }) => [
      id,
      (
        reader
          .prepare(`SELECT count(*) FROM ${sqlName(name)}`)
          .raw()
          .get() as [number]
      )[0],
    ]),
  );

export function planRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/design',
    needs: 'builder',
    summary: 'All definitions of a file, the rows of each table, the places on the map and your draft',
    handler: ({ context, file, person, params }) => {
      const kept = context.accounts.draft(file.id, person.id);
      return {
        name: context.files.name(params['file']!),
        design: file.design,
        counts: counts(file),
        places: file.orm.select().from(place).all(),
        draft: kept === null ? null : (JSON.parse(kept) as unknown),
        today: todayIn(context, file),
      };
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/places',
    needs: 'builder',
    summary: 'Remember where cards lie on the map',
    body: v.object({
      places: v.pipe(v.array(v.object({ table: Id, x: Coordinate, y: Coordinate })), v.maxLength(2000)),
    }),
    handler: ({ file, body }) => {
      assertWritable(file);
      file.orm.transaction((tx) => {
        for (const { table, x, y } of body.places) {
          const values = { table, x: Math.round(x), y: Math.round(y) };
          tx.insert(place).values(values).onConflictDoUpdate({ target: place.table, set: values }).run();
        }
      });
      return { saved: body.places.length };
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/draft',
    needs: 'builder',
    summary: 'Keep your draft',
    body: Draft,
    handler: ({ context, file, person, body }) => {
      context.accounts.keepDraft(file.id, person.id, body.changes.length > 0 ? JSON.stringify(body) : null);
      return { kept: body.changes.length };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/draft/check',
    needs: 'builder',
    summary: 'Check a draft against the real rows; nothing is changed',
    body: WatchedDraft,
    handler: async (call) => {
      const { context, file, body } = call;
      const plan = checkPlan(file.design, drafted(file.design, body.changes), body.changes);
      const task = { task: 'check', plan, today: todayIn(context, file) } as const;
      const result = await watched(call, body.watch, (options) =>
        context.jobs.run(file.path, task, { ...options, limit: 600_000 }),
      );
      return { ...result, version: file.design.version };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/draft/found',
    needs: 'builder',
    summary: 'Rows that one check of a draft finds, with the values to mend them by',
    body: v.object({
      ...Draft.entries,
      number: v.pipe(v.number(), v.integer(), v.minValue(0)),
      offset: v.pipe(v.number(), v.integer(), v.minValue(0)),
    }),
    handler: async ({ context, file, body, gone }) => {
      const plan = checkPlan(file.design, drafted(file.design, body.changes), body.changes);
      const { number, offset } = body;
      const found = await context.jobs.run(
        file.path,
        { task: 'found', plan, today: todayIn(context, file), number, limit: 50, offset },
        { signal: gone, limit: 600_000 },
      );
      return { rows: rowsToMend(file, plan.rows[number]?.table ?? '', found) };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/draft/preview',
    needs: 'builder',
    summary: 'What the values of a field become in a draft, each different one once',
    body: v.object({ ...Draft.entries, table: Id, field: Id }),
    handler: async ({ context, file, body, gone }) => {
      const evolved = drafted(file.design, body.changes);
      const [old, table] = [file.design, evolved.design].map(({ tables }) =>
        tables.find(({ id }) => id === body.table),
      );
      const [was, field] = [old && fieldOf(old, body.field), table && fieldOf(table, body.field)];
      if (!old || !was || !field) throw new Problem('not-found', 'This field holds no values yet.');
      const invented = validateTables(evolved.design).find(({ field: id }) => id === field.id);
      if (invented) throw new Problem('design-invalid', invented.message);
      const plan = new Carrier(file.design, evolved).plan(old, was, field);
      const task = { task: 'preview', plan, today: todayIn(context, file) } as const;
      return context.jobs.run(file.path, task, { signal: gone, limit: 600_000 });
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/draft/apply',
    needs: 'builder',
    summary: 'Apply a draft: a safe copy, then all of it in one transaction',
    body: WatchedDraft,
    handler: async (call) => {
      const { context, file, person, body } = call;
      const design = await watched(call, body.watch, (options) =>
        applyDraft(
          context.files,
          context.jobs,
          file.id,
          body.base,
          body.changes,
          person.name,
          context.clock,
          options,
        ),
      );
      context.accounts.keepDraft(file.id, person.id, null);
      return { design, counts: counts(context.files.get(file.id)) };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/links/offers',
    needs: 'builder',
    summary: 'Links that may be meant, by names and values, with the share of rows that match',
    body: v.object({ between: v.optional(v.object({ child: Id, parent: Id })), watch: Watch }),
    handler: async (call) => {
      const { context, file, body } = call;
      const { design } = file;
      const candidates = linkCandidates(design, body.between);
      const task = { task: 'offers', design, candidates, every: body.between !== undefined } as const;
      const offers = await watched(call, body.watch, (options) =>
        context.jobs.run(file.path, task, { ...options, limit: 600_000 }),
      );
      return { offers };
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/progress/:watch',
    needs: 'builder',
    summary: 'How far work is that you started; null when it is not running',
    handler: ({ context, person, params }) => ({
      progress: context.progress.get(`${person.id} ${params['watch']!}`) ?? null,
    }),
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/changes',
    needs: 'builder',
    summary: 'The design changes applied to a file, newest first',
    handler: ({ file }) => ({ changes: appliedChanges(file) }),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/changes/:version/undo',
    needs: 'builder',
    summary: 'Undo the newest applied draft: structure, definitions and rows',
    body: v.object({ watch: Watch }),
    handler: async (call) => {
      const { context, file, person, params, body } = call;
      const design = await watched(call, body.watch, (options) =>
        undoDraft(
          context.files,
          context.jobs,
          file.id,
          Number(params['version']),
          person.name,
          context.clock,
          options,
        ),
      );
      return { design, counts: counts(context.files.get(file.id)) };
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/definitions/:id',
    needs: 'builder',
    summary: 'Save a query, a form or a report',
    body: v.variant('type', [Query, Form, Report]),
    handler: ({ context, file, body, params }) => {
      if (body.id !== params['id'])
        throw new Problem('bad-request', 'The id of the document is not the one in the address.');
      const problems = documentProblems(file.design, body);
      if (problems.length > 0) throw new Problem('design-invalid', problems[0]!);
      const others = [...file.design.queries, ...file.design.forms, ...file.design.reports];
      if (others.some(({ id, type }) => id === body.id && type !== body.type))
        throw new Problem('bad-request', 'This id belongs to something of another kind.');
      if (
        others.some(
          ({ id, type, label }) =>
            id !== body.id && type === body.type && label.toLowerCase() === body.label.toLowerCase(),
        )
      )
        throw new Problem('name-taken', `There is a ${body.type} called “${body.label}” already.`);
      assertWritable(file);
      file.orm.transaction((tx) => putDefinition(tx as never, body));
      return { design: context.files.reload(file.id) };
    },
  });
  router.add({
    method: 'DELETE',
    url: '/api/files/:file/definitions/:id',
    needs: 'builder',
    summary: 'Drop a query, a form or a report that nothing else uses',
    handler: ({ context, file, params }) => {
      const id = params['id']!;
      const known = [...file.design.queries, ...file.design.forms, ...file.design.reports].find(
        (document) => document.id === id,
      );
      if (!known) throw new Problem('not-found', 'This is no longer there.');
      const [user] = dependantsOf(file.design, id);
      if (user)
        throw new Problem(
          'design-invalid',
          `${known.label} is used by ${user.label}: take it out there first.`,
        );
      assertWritable(file);
      file.orm.transaction((tx) => dropDefinition(tx as never, id));
      return { design: context.files.reload(file.id) };
    },
  });
}
