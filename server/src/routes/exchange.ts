import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import * as answers from '@heathridge/core/api';
import { applyChanges } from '@heathridge/core/change';
import { differences, fromFolder, standardDdl, toFolder } from '@heathridge/core/exchange';
import { Problem } from '../problem';
import type { Call, Router } from '../http/routes';

/** Bytes of definitions, unpacked. */
const MOST_BYTES = 20 * 1024 * 1024;

/** The earliest time a ZIP archive can name: the same definitions give the same bytes. */
const STILL = new Date(1980, 0, 1);

function unpacked(body: unknown): { path: string; text: string }[] {
  if (!Buffer.isBuffer(body))
    throw new Problem(
      'bad-request',
      'The folder must be sent as a ZIP archive, as application/octet-stream.',
    );
  let total = 0;
  try {
    const files = unzipSync(body, {
      filter: ({ name, originalSize }) => {
        total += originalSize;
        if (total > MOST_BYTES) throw new Problem('too-large', 'The definitions have more than 20 MB.');
        return name.endsWith('.json');
      },
    });
    return Object.entries(files).map(([path, bytes]) => ({ path, text: strFromU8(bytes) }));
  } catch (error) {
    if (error instanceof Problem) throw error;
    throw new Problem('bad-request', `This is no ZIP archive that can be read: ${(error as Error).message}`);
  }
}

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
    handler: ({ file, request }) => {
      const read = fromFolder(unpacked(request.body));
      if (!read.ok) throw new Problem('design-invalid', read.message);
      const changes = differences(file.design, read.design);
      // Told here already when it cannot be: such a draft would not open.
      applyChanges(file.design, changes);
      return { base: file.design.version, changes };
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
