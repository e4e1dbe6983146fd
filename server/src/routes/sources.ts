import { eq } from 'drizzle-orm';
import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { SECONDS_BETWEEN } from '@heathridge/core/sheet';
import { UNWATCHED } from '../change/run';
import type { Context } from '../http/context';
import type { Router } from '../http/routes';
import { watched, Watch } from '../http/watched';
import { Problem } from '../problem';
import { source } from '../store/file-schema';
import { assertWritable } from '../store/files';
import { counts } from '../store/counts';
import { fetchAgain, sourcesIn, type Bringer } from './bringing';
import { tableAt } from './rows';

/** Tables that are being fetched, by file and table: each is fetched once at a time. */
const running = new WeakMap<Context, Set<string>>();

async function alone<T>({ context, file }: Bringer, table: string, work: () => Promise<T>): Promise<T> {
  const busy = running.get(context) ?? new Set<string>();
  running.set(context, busy);
  const name = `${file} ${table}`;
  if (busy.has(name)) throw new Problem('changing', 'These rows are being fetched at this moment.');
  busy.add(name);
  try {
    return await work();
  } finally {
    busy.delete(name);
  }
}

export function sourceRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/sources',
    answer: answers.OutsideSources,
    needs: 'builder',
    summary: 'The tables whose rows come from outside: from where, how often, and what came the last time',
    handler: ({ file }) => ({ sources: sourcesIn(file) }),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/tables/:table/source/fetch',
    answer: answers.FetchedSource,
    needs: 'builder',
    summary: 'Fetch the rows of a table from its outside source once more',
    body: v.object({ watch: Watch }),
    handler: async (call) => {
      const { context, params, person, file } = call;
      const { id } = tableAt(file, params['table']!);
      const bringer = { context, file: params['file']!, account: person.id, by: person.name };
      const { entry } = await alone(bringer, id, () =>
        watched(call, call.body.watch, (working) => fetchAgain(bringer, id, working)),
      );
      const now = context.files.get(bringer.file);
      return { source: sourcesIn(now).find(({ table }) => table === id)!, entry, counts: counts(now) };
    },
  });
  router.add({
    method: 'DELETE',
    url: '/api/files/:file/tables/:table/source',
    answer: answers.Gone,
    needs: 'builder',
    summary: 'Let the rows of a table come from outside no more; those that are there stay',
    handler: ({ file, params }) => {
      assertWritable(file);
      const { id } = tableAt(file, params['table']!);
      file.orm.delete(source).where(eq(source.table, id)).run();
      return { gone: true as const };
    },
  });
}

/**
 * Fetches, one after another, what is to be fetched by itself and whose time has come, of the files that somebody
 * has open. What goes wrong is told beside the table, like what came.
 */
export async function fetchDue(context: Context, signal: AbortSignal): Promise<void> {
  for (const file of context.files.opened())
    try {
      await fetchDueOf(context, file, signal);
    } catch (error) {
      if (signal.aborted) return;
      if (!(error instanceof Problem))
        process.stderr.write(`${file}: ${(error as Error).stack ?? String(error)}\n`);
    }
}

async function fetchDueOf(context: Context, file: string, signal: AbortSignal): Promise<void> {
  const now = Date.parse(context.clock.now());
  for (const { table, again, at, by } of sourcesIn(context.files.get(file))) {
    const seconds = SECONDS_BETWEEN[again.every];
    if (seconds === null || now - Date.parse(at) < seconds * 1000) continue;
    const bringer = { context, file, account: '', by };
    try {
      await alone(bringer, table, () => fetchAgain(bringer, table, { signal, tell: UNWATCHED }));
    } catch (error) {
      // It stands beside the table, where people read it; the next is fetched all the same.
      if (!(error instanceof Problem)) throw error;
    }
  }
}
