import { rmSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { dirname } from 'node:path';
import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { isTimeZone } from '@heathridge/core/values';
import { Problem } from '../problem';
import { ENCODING_NAMES, type UnreadTexts } from '@heathridge/core/exchange';
import { DATABASE, receiveBody } from '../http/receive';
import type { Router } from '../http/routes';
import { watched, Watch } from '../http/watched';

export function fileRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files',
    answer: answers.FileList,
    needs: 'signed-in',
    summary: 'The files that are open to you',
    handler: ({ context, person }) => ({ files: context.files.list(person.id) }),
  });
  router.add({
    method: 'POST',
    url: '/api/files',
    answer: answers.MadeFile,
    needs: 'signed-in',
    summary: 'Make a new, empty file',
    body: v.object({
      name: v.pipe(v.string(), v.maxLength(200)),
      timeZone: v.optional(
        v.pipe(v.string(), v.maxLength(100), v.check<string, string>(isTimeZone, 'This is no time zone.')),
      ),
    }),
    handler: ({ context, person, body }) => {
      if (!person.maker) throw new Problem('not-allowed', 'Only a builder may make files.');
      return { id: context.files.create(body.name, person.id, body.timeZone) };
    },
  });
  router.add({
    method: 'GET',
    url: '/api/taking-in/:watch',
    answer: answers.ProgressAnswer,
    needs: 'signed-in',
    summary: 'How far the taking in of a file is that you started; null when it is not running',
    handler: ({ context, person, params }) => ({
      progress: context.progress.get(`${person.id} ${params['watch']!}`) ?? null,
    }),
  });
  router.add({
    method: 'POST',
    url: '/api/files/adopt',
    answer: answers.AdoptedFile,
    needs: 'signed-in',
    summary: 'Take in an SQLite file: its bytes are the body, as application/vnd.sqlite3',
    query: v.object({
      name: v.pipe(v.string(), v.maxLength(200)),
      /** How texts are read that are no UTF-8. */
      encoding: v.optional(v.picklist(ENCODING_NAMES)),
      watch: Watch,
    }),
    handler: async (call) => {
      const { context, person, query, request } = call;
      if (!person.maker) throw new Problem('not-allowed', 'Only a builder may make files.');
      const { files, jobs, clock } = context;
      const name = files.freeName(query.name);
      const place = files.placeFor();
      try {
        await receive(request.body, place.original);
        const result = await watched(call, query.watch, async (work) => {
          const options = { ...work, limit: MOST_TIME };
          work.tell({ step: 0, of: 4, what: 'Looking whether the file is whole' });
          const [ours, looked] = await Promise.allSettled([
            jobs.run(place.original, { task: 'whole' }, options),
            jobs.run(place.original, { task: 'texts' }, options),
          ]);
          // What a damaged file makes of the other look is no news of its own.
          if (ours.status === 'rejected') throw ours.reason as Error;
          if (looked.status === 'rejected') throw looked.reason as Error;
          const order = {
            foreign: place.original,
            encoding: query.encoding ?? null,
            by: person.name,
            now: clock.now(),
            ours: ours.value,
            looked: looked.value,
          };
          return jobs.run(place.path, { task: 'adopt', order }, options);
        });
        if ('unread' in result)
          throw new Problem('unread-text', unreadWords(result.unread), { unread: result.unread });
        files.register(place.id, name, person.id);
        return { id: place.id, ...result };
      } catch (error) {
        for (const suffix of ['', '-wal', '-shm']) rmSync(place.path + suffix, { force: true });
        rmSync(dirname(place.original), { recursive: true, force: true });
        throw error;
      }
    },
  });
}

function unreadWords(unread: readonly UnreadTexts[]): string {
  const rows = unread.reduce((sum, item) => sum + item.rows, 0);
  const columns = unread.slice(0, 5).map(({ table, column }) => `${column} of ${table}`);
  return `${rows} ${rows === 1 ? 'text is' : 'texts are'} no UTF-8 (${columns.join(', ')}${unread.length > 5 ? ', …' : ''}). Say in which encoding they were written.`;
}

/** Milliseconds that taking a file in may last. */
const MOST_TIME = 3_600_000;

/** Bytes of a file that is taken in. */
const MOST_FILE = 2 * 1024 * 1024 * 1024;

/** Writes a body to disk as it comes. Throws a problem when it is no SQLite file, or too large. */
async function receive(body: unknown, path: string): Promise<void> {
  await receiveBody(body, path, DATABASE, MOST_FILE);
  const head = Buffer.alloc(16);
  const file = await open(path);
  try {
    await file.read(head, 0, 16, 0);
  } finally {
    await file.close();
  }
  if (head.toString('latin1') !== 'SQLite format 3\0')
    throw new Problem('bad-request', 'This is no SQLite file.');
}
