import { rmSync } from 'node:fs';
import { strToU8, zipSync } from 'fflate';
import * as answers from '@heathridge/core/api';
import { standardDdl, toFolder } from '@heathridge/core/exchange';
import { BYTES, receiveBody } from '../http/receive';
import { Problem } from '../problem';
import type { Call, Router } from '../http/routes';

/** Bytes of an archive of definitions. */
const MOST_ARCHIVE = 25 * 1024 * 1024;

/** The earliest time a ZIP archive can name: the same definitions give the same bytes. */
const STILL = new Date(1980, 0, 1);

const saved = (
  { context, params, reply }: Pick<Call, 'context' | 'params' | 'reply'>,
  ending: string,
): string => {
  const name = `${context.files.name(params['file']!)}${ending}`;
  reply.header('content-disposition', `attachment; filename*=UTF-8''${encodeURIComponent(name)}`);
  return name;
};

export function exchangeRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/definitions.zip',
    needs: 'builder',
    summary: 'The whole definition as a folder of JSON, in a ZIP archive',
    handler: (call) => {
      const files = toFolder(call.file.design);
      const entries = files.map(({ path, text }) => [path, [strToU8(text), { mtime: STILL }]] as const);
      saved(call, ' definition.zip');
      return call.reply
        .type('application/zip')
        .send(Buffer.from(zipSync(Object.fromEntries(entries) as never)));
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/definitions/read',
    answer: answers.Draft,
    needs: 'builder',
    summary: 'The draft that would make this file as a folder of JSON says; nothing is changed',
    handler: async ({ context, file, request, gone: signal }) => {
      const { clock, jobs, sheets } = context;
      const { design } = file;
      const archive = sheets.placeFor(clock.id('a'), 'part');
      try {
        await receiveBody(request.body, archive, BYTES, MOST_ARCHIVE);
        const read = await jobs.run(
          file.path,
          { task: 'read definitions', design, archive },
          { signal, queue: 'trial' },
        );
        if ('refused' in read) throw new Problem(read.refused, read.message);
        return { base: design.version, changes: read.changes };
      } finally {
        rmSync(archive, { force: true });
      }
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/schema.sql',
    needs: 'builder',
    summary: 'The schema as data definition statements of standard SQL',
    handler: (call) => {
      saved(call, ' schema.sql');
      return call.reply.type('application/sql; charset=utf-8').send(standardDdl(call.file.design));
    },
  });
}
