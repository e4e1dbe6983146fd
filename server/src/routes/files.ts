import * as v from 'valibot';
import { Problem } from '../http/problem';
import type { Router } from '../http/routes';

export function fileRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files',
    needs: 'signed-in',
    summary: 'The files that are open to you',
    handler: ({ context, person }) => ({ files: context.files.list(person.id) }),
  });
  router.add({
    method: 'POST',
    url: '/api/files',
    needs: 'signed-in',
    summary: 'Make a new, empty file',
    body: v.object({ name: v.pipe(v.string(), v.maxLength(200)) }),
    handler: ({ context, person, body }) => {
      if (!person.maker) throw new Problem('not-allowed', 'Only a builder may make files.');
      return { id: context.files.create(body.name, person.id) };
    },
  });
}
