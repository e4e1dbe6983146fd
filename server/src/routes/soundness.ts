import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { remakeTriggers } from '../store/remake';
import { ask, knownSoundness } from '../plan/ask-soundness';
import type { Router } from '../http/routes';
import { watched, Watch } from '../http/watched';
import { FoundPage } from '../rows/to-mend';
import { assertWritable } from '../store/files';

const Place = v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e9));

/** Whether a file keeps what it promises, whoever has written to it. */
export function soundnessRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/sound',
    answer: answers.KnownSoundness,
    needs: 'builder',
    summary: 'What is known of the file’s soundness; it is asked in the background when the file is opened',
    handler: ({ file }) => knownSoundness(file),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/sound',
    answer: answers.Soundness,
    needs: 'builder',
    summary: 'Is everything sound? Asks the file’s pages, its schema and every row',
    body: v.object({ watch: Watch }),
    handler: (call) =>
      watched(call, call.body.watch, (options) => ask(call.file, call.context.jobs, options)),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/sound/found',
    answer: answers.RowsToMend,
    needs: 'builder',
    summary: 'Rows that one question finds, with the values to mend them by',
    body: v.object({ number: Place, ...FoundPage.entries }),
    handler: async ({ context, file, body, gone }) => {
      const task = { task: 'unsound', design: file.design, ...body } as const;
      return { rows: await context.jobs.run(file.path, task, { signal: gone, limit: 600_000 }) };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/sound/repair',
    answer: answers.Soundness,
    needs: 'builder',
    summary: 'Put triggers and readable views that are missing in place again',
    body: v.object({}),
    handler: async ({ context, file }) => {
      assertWritable(file);
      remakeTriggers(file.writer, file.design);
      return ask(file, context.jobs);
    },
  });
}
