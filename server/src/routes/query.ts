import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { Query } from '@heathridge/core/design';
import { queryProblems } from '@heathridge/core/query';
import { todayIn } from '../http/context';
import { Problem } from '../problem';
import type { Router } from '../http/routes';

/** Rows of a result that are shown. */
export const MOST_ROWS = 1000;

/** Answers to what a query asks, by the id of the question. */
const Answers = v.pipe(
  v.record(v.string(), v.nullable(v.union([v.pipe(v.string(), v.maxLength(4000)), v.number(), v.boolean()]))),
  v.check((answers) => Object.keys(answers).length <= 200, 'At most 200 answers are taken.'),
);

export function queryRoutes(router: Router): void {
  router.add({
    method: 'POST',
    url: '/api/files/:file/query/run',
    answer: answers.QueryResult,
    needs: 'builder',
    summary: 'Run a query, saved or not: rows, SQL and the funnel',
    body: v.object({ query: Query, answers: v.optional(Answers, {}) }),
    handler: async ({ context, file, body, gone }) => {
      const problems = queryProblems(file.design, body.query);
      if (problems.length > 0) throw new Problem('design-invalid', problems[0]!);
      return context.jobs.run(
        file.path,
        {
          task: 'query',
          design: file.design,
          query: body.query,
          answers: body.answers,
          today: todayIn(context, file),
          limit: MOST_ROWS,
        },
        { signal: gone },
      );
    },
  });
}
