import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { MapDrawing, Report, type Design } from '@heathridge/core/design';
import type { Answers } from '@heathridge/core/query';
import { reportProblems } from '@heathridge/core/report';
import { todayIn, type Context } from '../http/context';
import { Problem } from '../problem';
import type { Call, Router } from '../http/routes';
import type { Results } from '../jobs/tasks';
import type { OpenFile } from '../store/files';
import { AnswersBody } from './query';

/** How a report is laid out beyond what it says itself. */
interface LayingOut {
  readonly pdf: boolean;
  /** The design by which it is shown to whoever prints it, where that is not the file's. */
  readonly design?: Design;
  /** What its rows meet beside what it asks for itself. */
  readonly only?: readonly string[];
  /** To what its query asks. */
  readonly answers?: Answers;
}

function layOut(
  context: Context,
  file: OpenFile,
  report: Report,
  { pdf, design = file.design, only = [], answers: given = {} }: LayingOut,
  signal: AbortSignal,
): Promise<Results['report']> {
  const problems = reportProblems(design, report);
  if (problems.length > 0) throw new Problem('design-invalid', problems[0]!);
  return context.jobs.run(
    file.path,
    { task: 'report', design, report, only, answers: given, today: todayIn(context, file), pdf },
    { signal, limit: 120_000 },
  );
}

/** Answers with a report as PDF, to be shown by the browser. */
export async function sendPdf(
  { context, file, reply, gone }: Pick<Call, 'context' | 'file' | 'reply' | 'gone'>,
  report: Report,
  how: Omit<LayingOut, 'pdf'> = {},
): Promise<unknown> {
  const { pdf } = await layOut(context, file, report, { ...how, pdf: true }, gone);
  const name = encodeURIComponent(`${report.label}.pdf`);
  return (
    reply
      .type('application/pdf')
      // The browser's own viewer is a page that shows it.
      .header('content-security-policy', "frame-ancestors 'self'")
      .header('content-disposition', `inline; filename*=UTF-8''${name}`)
      .send(Buffer.from(pdf!))
  );
}

export function reportRoutes(router: Router): void {
  router.add({
    method: 'POST',
    url: '/api/files/:file/reports/pages',
    answer: answers.Pages,
    needs: 'builder',
    summary: 'Lay out a report, saved or not: its page model',
    body: v.object({ report: Report, answers: v.optional(AnswersBody, {}) }),
    handler: async ({ context, file, body, reply, gone }) => {
      const how = { pdf: false, answers: body.answers };
      const { pages } = await layOut(context, file, body.report, how, gone);
      return reply.type('application/json').send(pages);
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/reports/:report/pdf',
    needs: 'builder',
    summary: 'A saved report as PDF',
    query: v.object({
      /** Answers to what its query asks, as JSON. */
      answers: v.optional(
        v.pipe(v.string(), v.maxLength(20_000), v.parseJson(undefined, 'Answers are JSON.'), AnswersBody),
        '{}',
      ),
    }),
    handler: (call) => {
      const report = call.file.design.reports.find(({ id }) => id === call.params['report']);
      if (!report) throw new Problem('not-found', 'This report is no longer there.');
      return sendPdf(call, report, { answers: call.query.answers });
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/map/pdf',
    needs: 'builder',
    summary: 'The map of tables and links, as it is drawn, as PDF',
    body: MapDrawing,
    handler: async ({ context: { jobs }, file, body: map, reply, gone: signal }) => {
      const { version } = file.design;
      const pdf = await jobs.run(file.path, { task: 'map', version, map }, { signal });
      return reply.type('application/pdf').send(Buffer.from(pdf));
    },
  });
}
