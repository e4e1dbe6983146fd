import * as v from 'valibot';
import type { Router } from '../http/routes';

export function newsRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/events',
    needs: 'builder',
    summary: 'What happens to a file, as server-sent events; resumed with Last-Event-ID',
    query: v.object({
      /** Seconds after which it ends; without any it goes on. */
      seconds: v.optional(v.pipe(v.string(), v.regex(/^\d{1,4}$/), v.transform(Number))),
      /** The id of the last event that was heard, where a header cannot be sent. */
      last: v.optional(v.pipe(v.string(), v.maxLength(80))),
    }),
    handler: ({ context, params, query, request, reply }) => {
      const header = request.headers['last-event-id'];
      const last = typeof header === 'string' ? header.slice(0, 80) : (query.last ?? null);
      return reply
        .type('text/event-stream; charset=utf-8')
        .header('cache-control', 'no-store')
        .header('x-accel-buffering', 'no')
        .send(context.news.listen(params['file']!, last, query.seconds ?? null));
    },
  });
}
