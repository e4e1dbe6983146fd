import { join } from 'node:path';
import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { differences, fromFolder } from '@heathridge/core/exchange';
import { MOST_TIME } from '../change/apply';
import { receiveBody, SHEET } from '../http/receive';
import { madeAt, sendOut } from '../http/send';
import type { Router } from '../http/routes';
import { watched, Watch } from '../http/watched';
import { applyDraft } from '../plan/apply-draft';
import { Problem } from '../problem';
import { partsOf } from '../sheets/folder';
import { definitionOf } from '../sheets/package';

/** Bytes of a package that is taken in. */
const MOST_PACKAGE = 2 * 1024 ** 3;

export function packageRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/package.zip',
    needs: 'builder',
    summary: 'The whole file as a data package: a descriptor, a CSV file for each table, pictures and files',
    handler: async ({ context, file, params, reply, gone }) => {
      const { clock, files, jobs, sheets } = context;
      const title = files.name(params['file']!);
      const path = sheets.placeFor(clock.id('s'), 'zip');
      const order = { path, title, created: clock.now() };
      const task = { task: 'pack', design: file.design, order } as const;
      await madeAt(path, () => jobs.run(file.path, task, { signal: gone, limit: MOST_TIME }));
      return sendOut(reply, path, 'application/zip', `${title}.zip`);
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/package',
    answer: answers.TakenPackage,
    needs: 'signed-in',
    summary:
      'Make a file of a data package that Heathridge has written: its bytes are the body, as application/x-sheet',
    query: v.object({ name: v.pipe(v.string(), v.maxLength(200)), watch: Watch }),
    handler: async (call) => {
      const { context, person, query, request } = call;
      if (!person.maker) throw new Problem('not-allowed', 'Only a builder may make files.');
      const { clock, files, jobs, sheets } = context;
      const name = files.freeName(query.name);
      const id = clock.id('s');
      const folder = sheets.make(id, person.id, Date.parse(clock.now()));
      let made: string | null = null;
      try {
        const { came } = partsOf(folder);
        await receiveBody(request.body, came, SHEET, MOST_PACKAGE);
        return await watched(call, query.watch, async (work) => {
          const options = { ...work, limit: MOST_TIME };
          const opened = await jobs.run(
            came,
            { task: 'open package', folder: join(folder, 'parts') },
            options,
          );
          const read = fromFolder(definitionOf(opened));
          if (!read.ok) throw new Problem('design-invalid', read.message);
          made = files.create(name, person.id);
          const { design: empty } = files.get(made);
          const changes = differences(empty, read.design);
          if (changes.length > 0)
            await applyDraft(files, jobs, made, empty.version, changes, person.name, clock, work);
          const { design, path } = files.get(made);
          const order = { opened, by: person.name, now: clock.now() };
          const task = { task: 'load package', design, order } as const;
          const rows = await files.whileChanging(made, () => jobs.run(path, task, options));
          return { id: made, rows };
        });
      } catch (error) {
        if (made !== null) files.discard(made);
        throw error;
      } finally {
        sheets.remove(id);
      }
    },
  });
}
