import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { Query } from '@heathridge/core/design';
import { queryProblems } from '@heathridge/core/query';
import { todayIn } from '../http/context';
import { Problem } from '../problem';
import type { Router } from '../http/routes';

/** Rows of a result that are shown. */
export const MOST_ROWS = 1000;

export function queryRoutes(router: Router): void {
  router.add({
    method: 'POST',
    url: '/api/files/:file/query/run',
    answer: answers.QueryResult,
    needs: 'builder',
    summary: 'Run a query, saved or not: rows, SQL and the funnel',
    body: v.object({ query: Query }),
    handler: async ({ context, file, body, gone }) => {
      const problems = queryProblems(file.design, body.query);
      if (problems.length > 0) throw new Problem('design-invalid', problems[0]!);
      return context.jobs.run(
        file.path,
        {
          task: 'query',
          design: file.design,
          query: body.query,
          today: todayIn(context, file),
          limit: MOST_ROWS,
        },
        { signal: gone },
      );
    },
  });
}
