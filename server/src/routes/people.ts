import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { Id } from '@heathridge/core/design';
import type { Context } from '../http/context';
import type { Router } from '../http/routes';
import { Problem } from '../problem';
import type { OpenFile, Standing } from '../store/files';

const As = {
  role: v.picklist(['builder', 'colleague']),
  /** The id of a role of the file; null for everything that stands on the Desk. */
  duty: v.nullable(Id),
};

/** Throws a problem where a role is not there. */
function checked({ design }: OpenFile, { role, duty }: Standing): Standing {
  if (duty !== null && !design.roles.some(({ id }) => id === duty))
    throw new Problem('bad-request', 'This role is no longer there.');
  // The builder finds everything, whatever she lets others do.
  return { role, duty: role === 'builder' ? null : duty };
}

/** Throws a problem where somebody is not there, or is the last who builds the file. */
function assertOthersBuild({ files }: Context, file: OpenFile, person: string): void {
  const people = files.people(file.id);
  if (!people.some(({ id }) => id === person))
    throw new Problem('not-found', 'This file is not open to this person any more.');
  if (!people.some(({ id, role }) => id !== person && role === 'builder'))
    throw new Problem('not-allowed', 'Nobody else builds this file: make somebody else its builder first.');
}

/** Who may open a file, and as what. */
export function peopleRoutes(router: Router): void {
  const all = ({ files }: Context, file: OpenFile) => ({ people: files.people(file.id) });
  router.add({
    method: 'GET',
    url: '/api/files/:file/people',
    answer: answers.People,
    needs: 'builder',
    summary: 'Who may open the file, and as what',
    handler: ({ context, file }) => all(context, file),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/people',
    answer: answers.People,
    needs: 'builder',
    summary: 'Open the file to somebody: who signs in already, or with a new account',
    body: v.object({
      login: v.pipe(v.string(), v.maxLength(100)),
      /** Both for a new account, neither for one that is there. */
      name: v.optional(v.pipe(v.string(), v.maxLength(60))),
      password: v.optional(v.pipe(v.string(), v.maxLength(200))),
      ...As,
    }),
    handler: async ({ context, file, body: { login, name, password, ...as } }) => {
      const standing = checked(file, as);
      const known = context.accounts.find(login);
      if (!known && (name === undefined || password === undefined))
        throw new Problem(
          'not-found',
          `Nobody signs in as “${login.trim()}” yet: with a name and a first password an account is made.`,
        );
      if (known && password !== undefined)
        throw new Problem('name-taken', `Somebody signs in as “${known.login}” already.`);
      if (known && context.files.role(file.id, known.id) !== null)
        throw new Problem('name-taken', `The file is open to ${known.name} already.`);
      const person = known ?? (await context.accounts.create(login, name!, password!, false));
      context.files.share(file.id, person.id, standing.role, standing.duty);
      return all(context, file);
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/people/:person',
    answer: answers.People,
    needs: 'builder',
    summary: 'Say as what somebody may open the file',
    body: v.object(As),
    handler: ({ context, file, params, body }) => {
      const standing = checked(file, body);
      if (context.files.role(file.id, params['person']!) === null || standing.role !== 'builder')
        assertOthersBuild(context, file, params['person']!);
      context.files.share(file.id, params['person']!, standing.role, standing.duty);
      return all(context, file);
    },
  });
  router.add({
    method: 'DELETE',
    url: '/api/files/:file/people/:person',
    answer: answers.People,
    needs: 'builder',
    summary: 'Close the file to somebody; what she has entered stays',
    handler: ({ context, file, params }) => {
      assertOthersBuild(context, file, params['person']!);
      context.files.unshare(file.id, params['person']!);
      return all(context, file);
    },
  });
}
