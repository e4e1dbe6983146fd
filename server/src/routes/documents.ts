import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { withDocument } from '@heathridge/core/change';
import { DesignDocument, documentsOf, findDocument, idOwners } from '@heathridge/core/design';
import { brokenWith, dependantsOf, documentProblems } from '@heathridge/core/documents';
import { Problem } from '../problem';
import type { Router } from '../http/routes';
import { definitionVersions, dropDefinition, putDefinition } from '../store/definitions';
import { assertWritable, type OpenFile } from '../store/files';

/** Throws `document-moved`, with what stands there now, when a document is not what somebody began with. */
function assertBase(file: OpenFile, id: string, base: number, label: string): void {
  const now = definitionVersions(file.orm)[id];
  if ((now?.version ?? 0) === base) return;
  const document = findDocument(file.design, id) ?? null;
  const who = now?.by ? now.by : 'Somebody else';
  throw new Problem(
    'document-moved',
    document
      ? `${who} has changed ${label} since you began.`
      : `Somebody else has dropped ${label} since you began.`,
    { theirs: { document, version: now?.version ?? 0, by: now?.by ?? null, at: now?.at ?? null } },
  );
}

/** Documents (queries, screens, reports): each is saved by itself, outside any draft. */
export function documentRoutes(router: Router): void {
  router.add({
    method: 'PUT',
    url: '/api/files/:file/definitions/:id',
    answer: answers.SavedDocument,
    needs: 'builder',
    summary: 'Save a document; `base` is the version it was begun with, 0 for a new one',
    body: v.object({
      document: DesignDocument,
      base: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e15)),
    }),
    handler: ({ context, file, person, body: { document: body, base }, params }) => {
      if (body.id !== params['id'])
        throw new Problem('bad-request', 'The id of the document is not the one in the address.');
      const problems = documentProblems(file.design, body);
      if (problems.length > 0) throw new Problem('design-invalid', problems[0]!);
      const owner = idOwners(file.design).find(({ id, type }) => id === body.id && type !== body.type);
      if (owner) throw new Problem('bad-request', `This id belongs to ${owner.words}.`);
      const others = documentsOf(file.design);
      if (
        others.some(
          ({ id, type, label }) =>
            id !== body.id && type === body.type && label.toLowerCase() === body.label.toLowerCase(),
        )
      )
        throw new Problem('name-taken', `There is a ${body.type} called “${body.label}” already.`);
      const broken =
        body.type === 'query' ? brokenWith(file.design, withDocument(file.design, body), body) : null;
      if (broken !== null) throw new Problem('design-invalid', broken);
      assertWritable(file);
      assertBase(file, body.id, base, body.label);
      const mark = { at: context.clock.now(), by: person.name };
      file.orm.transaction((tx) => putDefinition(tx as never, body, mark));
      const design = context.files.reload(file.id);
      context.news.tellDesign(file.id, person);
      return { design, versions: definitionVersions(file.orm) };
    },
  });
  router.add({
    method: 'DELETE',
    url: '/api/files/:file/definitions/:id',
    answer: answers.SavedDocument,
    needs: 'builder',
    summary: 'Drop a document that nothing else uses',
    query: v.object({ base: v.pipe(v.string(), v.regex(/^\d{1,9}$/), v.transform(Number)) }),
    handler: ({ context, file, person, params, query }) => {
      const id = params['id']!;
      const known = findDocument(file.design, id);
      if (!known) throw new Problem('not-found', 'This is no longer there.');
      const [user] = dependantsOf(file.design, id);
      if (user)
        throw new Problem(
          'design-invalid',
          `${known.label} is used by ${user.label}: take it out there first.`,
        );
      const holder = context.files.people(file.id).find(({ duty }) => duty === id);
      if (holder)
        throw new Problem(
          'design-invalid',
          `${holder.name} has the role ${known.label}: say first what else.`,
        );
      assertWritable(file);
      assertBase(file, id, query.base, known.label);
      const mark = { at: context.clock.now(), by: person.name };
      file.orm.transaction((tx) => dropDefinition(tx as never, id, mark));
      const design = context.files.reload(file.id);
      context.news.tellDesign(file.id, person);
      return { design, versions: definitionVersions(file.orm) };
    },
  });
}
