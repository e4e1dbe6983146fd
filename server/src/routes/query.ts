import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { Query, type Design } from '@heathridge/core/design';
import { MOST_CELLS, queryProblems } from '@heathridge/core/query';
import { todayIn } from '../http/context';
import { watched, Watch } from '../http/watched';
import { Problem } from '../problem';
import type { Router } from '../http/routes';
import type { OpenFile } from '../store/files';
import { keptOrders } from './list-views';

/** Rows of a result that are shown where nobody asks for more. */
export const MOST_ROWS = 1000;

/** Rows of a result that are sent at most, for a chart or a pivot. */
export const MOST_DRAWN = MOST_CELLS;

/** Milliseconds that trying indexes may take. */
const MOST_ADVICE = 600_000;

/** Answers to what a query asks, by the id of the question. */
export const AnswersBody = v.pipe(
  v.record(
    v.pipe(v.string(), v.maxLength(60)),
    v.nullable(v.union([v.pipe(v.string(), v.maxLength(4000)), v.number(), v.boolean()])),
  ),
  v.maxEntries(200, 'At most 200 answers are taken.'),
);

/** Which group: what its rows are grouped by, as text; what is not named may be anything. */
export const GroupKeys = v.pipe(
  v.record(v.pipe(v.string(), v.maxLength(60)), v.nullable(v.pipe(v.string(), v.maxLength(4000)))),
  v.maxEntries(30, 'Rows are grouped by at most 30 things.'),
);

/** Which rows: those of a group, by what it is grouped by; or those lost at a part, by its place in the funnel. */
const RowsAsked = v.variant('what', [
  v.object({ what: v.literal('cell'), keys: GroupKeys }),
  v.object({
    what: v.literal('lost'),
    part: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(300)),
  }),
]);

export function queryRoutes(router: Router): void {
  router.add({
    method: 'POST',
    url: '/api/files/:file/query/run',
    answer: answers.QueryResult,
    needs: 'builder',
    summary: 'Run a query, saved or not: rows, SQL and the funnel',
    body: v.object({
      query: Query,
      answers: v.optional(AnswersBody, {}),
      /** Rows at most. */
      rows: v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(MOST_DRAWN)), MOST_ROWS),
      /** Rows of the result that are passed over: results are read in windows. */
      start: v.optional(v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e12)), 0),
      /** Whether the totals of its pivot are asked for. */
      totals: v.optional(v.boolean(), false),
      /** Whether it is counted how many rows its parts leave. */
      counted: v.optional(v.boolean(), true),
    }),
    handler: async ({ context, file, body, gone }) => {
      refuse(file.design, body.query);
      return context.jobs.runOnce(
        sameQuestion(file, todayIn(context, file), body),
        file.path,
        {
          task: 'query',
          design: file.design,
          query: body.query,
          answers: body.answers,
          today: todayIn(context, file),
          limit: body.rows,
          start: body.start,
          totals: body.totals,
          counted: body.counted,
        },
        { signal: gone },
      );
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/query/counts',
    answer: answers.QueryCounts,
    needs: 'builder',
    summary: 'How many rows each part of a query leaves, and why one leaves none',
    body: v.object({
      query: Query,
      answers: v.optional(AnswersBody, {}),
      /** How many the last part leaves, where that is known. */
      last: v.optional(v.nullable(v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e12))), null),
      watch: Watch,
    }),
    handler: async (call) => {
      const { context, file, body } = call;
      refuse(file.design, body.query);
      const today = todayIn(context, file);
      const { watch, ...asked } = body;
      const { query, answers: given, last } = asked;
      const funnel = await watched(call, watch, (options) =>
        context.jobs.runOnce(
          sameQuestion(file, today, ['counts', asked]),
          file.path,
          { task: 'query counts', design: file.design, query, answers: given, today, last },
          options,
        ),
      );
      return { funnel };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/query/rows',
    answer: answers.QueryRows,
    needs: 'builder',
    summary: 'The rows behind one group of a query, or those that one of its parts leaves out',
    body: v.object({ query: Query, answers: v.optional(AnswersBody, {}), asked: RowsAsked }),
    handler: async ({ context, file, body, gone }) => {
      refuse(file.design, body.query);
      return context.jobs.run(
        file.path,
        {
          task: 'query rows',
          design: file.design,
          query: body.query,
          answers: body.answers,
          today: todayIn(context, file),
          limit: MOST_ROWS,
          asked: body.asked,
        },
        { signal: gone },
      );
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/query/advice',
    answer: answers.Advice,
    needs: 'builder',
    summary: 'Why a query is slow, and which index would help: tried on a copy of the file',
    body: v.object({ query: Query, answers: v.optional(AnswersBody, {}), watch: Watch }),
    handler: async (call) => {
      const { context, file, person, body } = call;
      refuse(file.design, body.query);
      const id = context.clock.id('s');
      const folder = context.sheets.make(id, person.id, Date.parse(context.clock.now()));
      try {
        return await watched(call, body.watch, (options) =>
          context.jobs.run(
            file.path,
            {
              task: 'advise',
              design: file.design,
              order: {
                query: body.query,
                answers: body.answers,
                today: todayIn(context, file),
                folder,
                views: keptOrders(file),
                limit: MOST_ROWS,
              },
            },
            { ...options, limit: MOST_ADVICE },
          ),
        );
      } finally {
        context.sheets.remove(id);
      }
    },
  });
}

/** By what it is known that two ask the same of the same rows: ten who open one board ask once. */
export function sameQuestion({ path, design, reader }: OpenFile, today: string, asked: unknown): string {
  const [rows] = reader.prepare('PRAGMA data_version').raw().get() as [number];
  return JSON.stringify([path, design.version, rows, today, asked]);
}

function refuse(design: Design, query: Query): void {
  const problems = queryProblems(design, query);
  if (problems.length > 0) throw new Problem('design-invalid', problems[0]!);
}
