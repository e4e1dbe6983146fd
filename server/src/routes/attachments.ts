import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { Problem } from '../problem';
import type { Router } from '../http/routes';
import { keepAttachment, readAttachment } from '../rows/attachments';

const Upload = v.object({
  name: v.pipe(v.string(), v.trim(), v.minLength(1, 'A file needs a name.'), v.maxLength(200)),
  picture: v.optional(v.picklist(['yes', 'no']), 'no'),
});

export function attachmentRoutes(router: Router): void {
  router.add({
    method: 'POST',
    url: '/api/files/:file/attachments',
    answer: answers.Attachment,
    needs: 'colleague',
    summary: 'Keep a picture or a file: its bytes are the body, as application/octet-stream',
    query: Upload,
    handler: ({ context, file, person, query, request }) => {
      if (!Buffer.isBuffer(request.body))
        throw new Problem('bad-request', 'The bytes of the file must be sent as application/octet-stream.');
      return keepAttachment(file, query.name, request.body, query.picture === 'yes', person, context.clock);
    },
  });
  for (const part of ['whole', 'preview'] as const)
    router.add({
      method: 'GET',
      url: `/api/files/:file/attachments/:attachment${part === 'whole' ? '' : '/preview'}`,
      needs: 'colleague',
      summary: part === 'whole' ? 'An attachment' : 'A small copy of a picture',
      handler: ({ file, viewer, params, reply }) => {
        const { name, type, bytes } = readAttachment(file, viewer, Number(params['attachment']), part);
        const shown = type.startsWith('image/') ? 'inline' : 'attachment';
        return reply
          .type(type)
          .header('content-disposition', `${shown}; filename*=UTF-8''${encodeURIComponent(name)}`)
          .header('cache-control', 'private, max-age=86400, immutable')
          .send(bytes);
      },
    });
}
