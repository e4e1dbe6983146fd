import * as v from 'valibot';
import type { Design } from '@heathridge/core/design';
import { screensOf, tablesOn } from '@heathridge/core/people';
import type { News } from '../http/news';
import type { Call, Router } from '../http/routes';

/** How long a line is open, and behind which event it goes on. */
const Line = v.object({
  /** Seconds after which it ends; without any it goes on. */
  seconds: v.optional(v.pipe(v.string(), v.regex(/^\d{1,4}$/), v.transform(Number))),
  /** The id of the last event that was heard, where a header cannot be sent. */
  last: v.optional(v.pipe(v.string(), v.maxLength(80))),
});

type LineCall = Pick<
  Call<undefined, v.InferOutput<typeof Line>>,
  'context' | 'params' | 'query' | 'request' | 'reply'
>;

/** Sends what happens to a file, as `as` gives it. */
function line({ context, params, query, request, reply }: LineCall, as?: (news: News) => object | null) {
  const header = request.headers['last-event-id'];
  const last = typeof header === 'string' ? header.slice(0, 80) : (query.last ?? null);
  return reply
    .type('text/event-stream; charset=utf-8')
    .header('cache-control', 'no-store')
    .header('x-accel-buffering', 'no')
    .send(context.news.listen(params['file']!, last, query.seconds ?? null, as));
}

export function newsRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/events',
    needs: 'builder',
    summary: 'What happens to a file, as server-sent events; resumed with Last-Event-ID',
    query: Line,
    handler: (call) => line(call),
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk/events',
    needs: 'colleague',
    summary: 'What happens to the tables on your screens, as server-sent events; resumed with Last-Event-ID',
    query: Line,
    handler: (call) => {
      const { context, params, person, viewer } = call;
      let known: { readonly design: Design; readonly tables: ReadonlySet<string> } | null = null;
      // Which tables those are is another question after each change of the design.
      const seen = (): ReadonlySet<string> => {
        const { design } = context.files.get(params['file']!);
        if (known?.design !== design) {
          const tables = screensOf(design, viewer).flatMap((form) => tablesOn(design, form));
          known = { design, tables: new Set(tables.map(({ id }) => id)) };
        }
        return known.tables;
      };
      return line(call, ({ account, by, tables, design }) => {
        const own = tables.map(({ table }) => table).filter((id) => seen().has(id));
        return own.length > 0 || design ? { own: account === person.id, by, tables: own, design } : null;
      });
    },
  });
}
