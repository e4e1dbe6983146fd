import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { MapDrawing, Report } from '@heathridge/core/design';
import { reportProblems } from '@heathridge/core/report';
import { todayIn, type Context } from '../http/context';
import { Problem } from '../problem';
import type { Router } from '../http/routes';
import { paintMap } from '../report/pdf';
import type { Results } from '../jobs/tasks';
import type { OpenFile } from '../store/files';

function layOut(
  context: Context,
  file: OpenFile,
  report: Report,
  pdf: boolean,
  signal: AbortSignal,
): Promise<Results['report']> {
  const problems = reportProblems(file.design, report);
  if (problems.length > 0) throw new Problem('design-invalid', problems[0]!);
  return context.jobs.run(
    file.path,
    { task: 'report', design: file.design, report, today: todayIn(context, file), pdf },
    { signal, limit: 120_000 },
  );
}

export function reportRoutes(router: Router): void {
  router.add({
    method: 'POST',
    url: '/api/files/:file/reports/pages',
    answer: answers.Pages,
    needs: 'builder',
    summary: 'Lay out a report, saved or not: its page model',
    body: v.object({ report: Report }),
    handler: async ({ context, file, body, gone }) =>
      (await layOut(context, file, body.report, false, gone)).model,
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/reports/:report/pdf',
    needs: 'builder',
    summary: 'A saved report as PDF',
    handler: async ({ context, file, params, reply, gone }) => {
      const report = file.design.reports.find(({ id }) => id === params['report']);
      if (!report) throw new Problem('not-found', 'This report is no longer there.');
      const { pdf } = await layOut(context, file, report, true, gone);
      const name = encodeURIComponent(`${report.label}.pdf`);
      return (
        reply
          .type('application/pdf')
          // The browser's own viewer is a page that shows it.
          .header('content-security-policy', "frame-ancestors 'self'")
          .header('content-disposition', `inline; filename*=UTF-8''${name}`)
          .send(Buffer.from(pdf!))
      );
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/map/pdf',
    needs: 'builder',
    summary: 'The map of tables and links, as it is drawn, as PDF',
    body: MapDrawing,
    handler: async ({ body, reply }) => reply.type('application/pdf').send(Buffer.from(await paintMap(body))),
  });
}
