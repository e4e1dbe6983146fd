import * as v from 'valibot';
import { Change, checkPlan } from '@heathridge/core/change';
import { dependantsOf, Form, Id, Query, Report, type Design } from '@heathridge/core/design';
import { formProblems } from '@heathridge/core/form';
import { queryProblems } from '@heathridge/core/query';
import { reportProblems } from '@heathridge/core/report';
import { sqlName } from '@heathridge/core/expression';
import { applyDraft, draftedDesign } from '../change/apply';
import { Problem } from '../http/problem';
import type { Router } from '../http/routes';
import { dropDefinition, putDefinition } from '../store/definitions';
import type { OpenFile } from '../store/files';
import { place } from '../store/file-schema';

export const Draft = v.object({
  /** The version of the design it starts from. */
  base: v.pipe(v.number(), v.integer(), v.minValue(0)),
  changes: v.pipe(v.array(Change), v.maxLength(1000)),
});

const Coordinate = v.pipe(v.number(), v.minValue(-100_000), v.maxValue(100_000));

const counts = ({ design, reader }: OpenFile): Record<string, number> =>
  Object.fromEntries(
    design.tables.map(({ id, name }) => [
      id,
      (
        reader
          .prepare(`SELECT count(*) FROM ${sqlName(name)}`)
          .raw()
          .get() as [number]
      )[0],
    ]),
  );

function problemsOf(design: Design, document: Query | Form | Report): string[] {
  switch (document.type) {
    case 'query':
      return queryProblems(design, document);
    case 'form':
      return formProblems(design, document);
    case 'report':
      return reportProblems(design, document);
  }
}

export function planRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/design',
    needs: 'builder',
    summary: 'All definitions of a file, the rows of each table, the places on the map and your draft',
    handler: ({ context, file, person, params }) => {
      const kept = context.accounts.draft(file.id, person.id);
      return {
        name: context.files.name(params['file']!),
        design: file.design,
        counts: counts(file),
        places: file.orm.select().from(place).all(),
        draft: kept === null ? null : (JSON.parse(kept) as unknown),
        today: context.clock.today(),
      };
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/places',
    needs: 'builder',
    summary: 'Remember where cards lie on the map',
    body: v.object({
      places: v.pipe(v.array(v.object({ table: Id, x: Coordinate, y: Coordinate })), v.maxLength(2000)),
    }),
    handler: ({ file, body }) => {
      file.orm.transaction((tx) => {
        for (const { table, x, y } of body.places) {
          const values = { table, x: Math.round(x), y: Math.round(y) };
          tx.insert(place).values(values).onConflictDoUpdate({ target: place.table, set: values }).run();
        }
      });
      return { saved: body.places.length };
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/draft',
    needs: 'builder',
    summary: 'Keep your draft',
    body: Draft,
    handler: ({ context, file, person, body }) => {
      context.accounts.keepDraft(file.id, person.id, body.changes.length > 0 ? JSON.stringify(body) : null);
      return { kept: body.changes.length };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/draft/check',
    needs: 'builder',
    summary: 'Check a draft against the real rows; nothing is changed',
    body: Draft,
    handler: async ({ context, file, body, gone }) => {
      const plan = checkPlan(file.design, draftedDesign(file.design, body.changes));
      const result = await context.jobs.run(
        file.path,
        { task: 'check', plan },
        { signal: gone, limit: 600_000 },
      );
      return { ...result, version: file.design.version };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/draft/apply',
    needs: 'builder',
    summary: 'Apply a draft: a safe copy, then all of it in one transaction',
    body: Draft,
    handler: ({ context, file, person, body }) => {
      const design = applyDraft(context.files, file.id, body.base, body.changes, person.name, context.clock);
      context.accounts.keepDraft(file.id, person.id, null);
      return { design, counts: counts(context.files.get(file.id)) };
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/definitions/:id',
    needs: 'builder',
    summary: 'Save a query, a form or a report',
    body: v.variant('type', [Query, Form, Report]),
    handler: ({ context, file, body, params }) => {
      if (body.id !== params['id'])
        throw new Problem('bad-request', 'The id of the document is not the one in the address.');
      const problems = problemsOf(file.design, body);
      if (problems.length > 0) throw new Problem('design-invalid', problems[0]!);
      const others = [...file.design.queries, ...file.design.forms, ...file.design.reports];
      if (others.some(({ id, type }) => id === body.id && type !== body.type))
        throw new Problem('bad-request', 'This id belongs to something of another kind.');
      if (
        others.some(
          ({ id, type, label }) =>
            id !== body.id && type === body.type && label.toLowerCase() === body.label.toLowerCase(),
        )
      )
        throw new Problem('name-taken', `There is a ${body.type} called “${body.label}” already.`);
      file.orm.transaction((tx) => putDefinition(tx as never, body));
      return { design: context.files.reload(file.id) };
    },
  });
  router.add({
    method: 'DELETE',
    url: '/api/files/:file/definitions/:id',
    needs: 'builder',
    summary: 'Drop a query, a form or a report that nothing else uses',
    handler: ({ context, file, params }) => {
      const id = params['id']!;
      const known = [...file.design.queries, ...file.design.forms, ...file.design.reports].find(
        (document) => document.id === id,
      );
      if (!known) throw new Problem('not-found', 'This is no longer there.');
      const [user] = dependantsOf(file.design, id);
      if (user)
        throw new Problem(
          'design-invalid',
          `${known.label} is used by ${user.label}: take it out there first.`,
        );
      file.orm.transaction((tx) => dropDefinition(tx as never, id));
      return { design: context.files.reload(file.id) };
    },
  });
}
