import { rmSync } from 'node:fs';
import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { Problem } from '../problem';
import type { Call, Router } from '../http/routes';
import { patiently } from '../http/patience';
import { BYTES, receiveBody } from '../http/receive';
import { madeAt, sendOnce } from '../http/send';
import { attachedBytes, bytesOf, knownAttachment, MOST_ATTACHED, MOST_BYTES } from '../rows/attachments';
import { assertWritable } from '../store/files';

const Upload = v.object({
  name: v.pipe(v.string(), v.trim(), v.minLength(1, 'A file needs a name.'), v.maxLength(200)),
  picture: v.optional(v.picklist(['yes', 'no']), 'no'),
});

/** Bytes that are answered from memory; more of them come by way of the disk. */
const FROM_MEMORY = 256 * 1024;

export function attachmentRoutes(router: Router): void {
  router.add({
    method: 'POST',
    url: '/api/files/:file/attachments',
    answer: answers.Attachment,
    needs: 'colleague',
    summary: 'Keep a picture or a file: its bytes are the body, as application/octet-stream',
    query: Upload,
    handler: async ({ context, file, person, params, query, request }) => {
      const { clock, files, jobs, sheets } = context;
      assertWritable(file);
      const bytes = sheets.placeFor(clock.id('a'), 'part');
      try {
        await receiveBody(request.body, bytes, BYTES, MOST_BYTES);
        const order = {
          name: query.name,
          bytes,
          mustBePicture: query.picture === 'yes',
          by: { id: person.id, name: person.name },
          now: clock.now(),
        };
        const kept = await patiently(
          jobs,
          () => file.path,
          () => {
            // It may have been changed while the bytes came.
            const now = files.get(params['file']!);
            assertWritable(now);
            return jobs.run(now.path, { task: 'keep attachment', design: now.design, order });
          },
        );
        if ('refused' in kept) throw new Problem(kept.refused, kept.message);
        return kept;
      } finally {
        rmSync(bytes, { force: true });
      }
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/attachments',
    answer: answers.Attached,
    needs: 'colleague',
    summary: 'How many bytes the pictures and files of this database have, and how many they may have',
    handler: ({ file }) => ({ bytes: attachedBytes(file.reader), most: MOST_ATTACHED }),
  });
  for (const part of ['whole', 'preview'] as const)
    router.add({
      method: 'GET',
      url: `/api/files/:file/attachments/:attachment${part === 'whole' ? '' : '/preview'}`,
      needs: 'colleague',
      summary: part === 'whole' ? 'An attachment' : 'A small copy of a picture',
      handler: (call) => sendAttachment(call, part),
    });
}

async function sendAttachment(
  { context, file, viewer, params, reply, gone: signal }: Call<undefined, unknown>,
  part: 'whole' | 'preview',
): Promise<unknown> {
  const id = Number(params['attachment']);
  const { name, type, size } = knownAttachment(file, viewer, id, part);
  const shown = type.startsWith('image/') ? 'inline' : 'attachment';
  const named = (): typeof reply =>
    reply
      .type(type)
      .header('content-disposition', `${shown}; filename*=UTF-8''${encodeURIComponent(name)}`)
      .header('cache-control', 'private, max-age=86400, immutable');
  const lost = new Problem('not-found', 'This attachment is no longer there.');
  if (size <= FROM_MEMORY || part === 'preview') {
    const bytes = bytesOf(file.reader, id, part);
    if (!bytes) throw lost;
    return named().send(bytes);
  }
  // Whoever takes long to fetch it holds a file open, not its bytes in memory.
  const { clock, jobs, sheets } = context;
  const to = sheets.placeFor(clock.id('a'), 'part');
  const { version } = file.design;
  const task = { task: 'read attachment', version, id, to } as const;
  if (!(await madeAt(to, () => jobs.run(file.path, task, { signal })))) throw lost;
  return sendOnce(named().header('content-length', size), to);
}
