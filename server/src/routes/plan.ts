import { eq } from 'drizzle-orm';
import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { Change, readChanges } from '@heathridge/core/change';
import { Id } from '@heathridge/core/design';
import { linkCandidates } from '@heathridge/core/plan';
import { applyDraft } from '../plan/apply-draft';
import { appliedChanges, Given } from '../change/undo';
import { undoDraft } from '../plan/undo-draft';
import { counts } from '../store/counts';
import { todayIn } from '../http/context';
import { Problem } from '../problem';
import { sourcesIn } from './bringing';
import type { Router } from '../http/routes';
import { watched, Watch } from '../http/watched';
import { askOnOpening } from '../plan/ask-soundness';
import { FoundPage } from '../rows/to-mend';
import { ALWAYS_KEPT, KEPT_DAYS, keptCopies } from '../store/copies';
import { definitionVersions } from '../store/definitions';
import { assertWritable } from '../store/files';
import type { Orm } from '../store/driver';
import { place, sight } from '../store/file-schema';

export const Draft = v.object({
  /** The version of the design it starts from. */
  base: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e15)),
  changes: v.pipe(v.array(Change), v.maxLength(1000)),
});

/** A draft as it was kept; null when it is none that can be read any more. */
function readDraft(kept: string): v.InferOutput<typeof Draft> | null {
  try {
    const { base, changes } = v.parse(
      v.object({ base: Draft.entries.base, changes: v.unknown() }),
      JSON.parse(kept),
    );
    return { base, changes: readChanges(changes) };
  } catch (error) {
    if (v.isValiError(error) || error instanceof SyntaxError) return null;
    throw error;
  }
}

const WatchedDraft = v.object({ ...Draft.entries, watch: Watch });

const Coordinate = v.pipe(v.number(), v.minValue(-100_000), v.maxValue(100_000));

/** Under which name a file keeps what the cards of its map show. */
const CARDS = 'cards';

function cardsOf(orm: Orm): answers.Cards | null {
  const kept = orm.select().from(sight).where(eq(sight.name, CARDS)).get();
  // Another tool may have written anything there.
  return v.is(answers.Cards, kept?.value) ? (kept!.value as answers.Cards) : null;
}

export function planRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/design',
    answer: answers.FileInfo,
    needs: 'builder',
    summary: 'All definitions of a file, the rows of each table, the places on the map and your draft',
    handler: ({ context, file, person, params }) => {
      askOnOpening(file, context.jobs);
      const kept = context.accounts.draft(file.id, person.id);
      return {
        name: context.files.name(params['file']!),
        design: file.design,
        versions: definitionVersions(file.orm),
        counts: counts(file),
        places: file.orm.select().from(place).all(),
        sources: sourcesIn(file),
        cards: cardsOf(file.orm),
        draft: kept.document === null ? null : readDraft(kept.document),
        draftVersion: kept.version,
        today: todayIn(context, file),
      };
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/places',
    answer: answers.SavedPlaces,
    needs: 'builder',
    summary: 'Remember where cards lie on the map',
    body: v.object({
      places: v.pipe(v.array(v.object({ table: Id, x: Coordinate, y: Coordinate })), v.maxLength(2000)),
    }),
    handler: ({ file, body }) => {
      assertWritable(file);
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
    url: '/api/files/:file/cards',
    answer: answers.SavedCards,
    needs: 'builder',
    summary: 'Choose what the cards of the map show',
    body: v.object({ cards: answers.Cards }),
    handler: ({ file, body: { cards } }) => {
      assertWritable(file);
      file.orm
        .insert(sight)
        .values({ name: CARDS, value: cards })
        .onConflictDoUpdate({ target: sight.name, set: { value: cards } })
        .run();
      return { cards };
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/draft',
    answer: answers.KeptDraft,
    needs: 'builder',
    summary: 'Keep your draft; with the version it is based on only where no other window has kept one since',
    body: v.object({ ...Draft.entries, version: v.optional(Draft.entries.base) }),
    handler: ({ context: { accounts }, file, person, body: { version: based, ...body } }) => {
      const document = body.changes.length > 0 ? JSON.stringify(body) : null;
      const version = accounts.keepDraft(file.id, person.id, document, based);
      if (version !== null) return { kept: body.changes.length, version };
      throw new Problem('document-moved', 'This draft was changed in another window meanwhile.');
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/draft',
    answer: answers.DraftNow,
    needs: 'builder',
    summary: 'Your draft as it was kept last, by whichever window',
    handler: ({ context, file, person }) => {
      const { document, version } = context.accounts.draft(file.id, person.id);
      return { draft: document === null ? null : readDraft(document), version };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/draft/check',
    answer: answers.CheckResult,
    needs: 'builder',
    summary: 'Check a draft against the real rows; nothing is changed',
    body: WatchedDraft,
    handler: async (call) => {
      const { context, file, body } = call;
      const { design } = file;
      const task = { task: 'check', design, changes: body.changes, today: todayIn(context, file) } as const;
      const result = await watched(call, body.watch, (options) =>
        context.jobs.run(file.path, task, { ...options, limit: 600_000 }),
      );
      return { ...result, version: design.version };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/draft/found',
    answer: answers.RowsToMend,
    needs: 'builder',
    summary: 'Rows that one check of a draft finds, with the values to mend them by',
    body: v.object({
      ...Draft.entries,
      number: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e9)),
      ...FoundPage.entries,
    }),
    handler: async ({ context, file, body, gone }) => {
      const { base: _, ...asked } = body;
      const task = { task: 'found', design: file.design, ...asked, today: todayIn(context, file) } as const;
      return { rows: await context.jobs.run(file.path, task, { signal: gone, limit: 600_000 }) };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/draft/preview',
    answer: answers.Preview,
    needs: 'builder',
    summary: 'What the values of a field become in a draft, each different one once',
    body: v.object({ ...Draft.entries, table: Id, field: Id }),
    handler: async ({ context, file, body, gone }) => {
      const { base: _, ...asked } = body;
      const task = { task: 'preview', design: file.design, ...asked, today: todayIn(context, file) } as const;
      const preview = await context.jobs.run(file.path, task, { signal: gone, limit: 600_000 });
      if ('refused' in preview) throw new Problem(preview.refused, preview.message);
      return preview;
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/draft/apply',
    answer: answers.AppliedDraft,
    needs: 'builder',
    summary: 'Apply a draft: a safe copy, then all of it in one transaction',
    body: WatchedDraft,
    handler: async (call) => {
      const { context, file, person, body } = call;
      const design = await watched(call, body.watch, (options) =>
        applyDraft(
          context.files,
          context.jobs,
          file.id,
          body.base,
          body.changes,
          person.name,
          context.clock,
          options,
        ),
      );
      context.news.tellDesign(file.id, person);
      const draftVersion = context.accounts.keepDraft(file.id, person.id, null)!;
      return { design, counts: counts(context.files.get(file.id)), draftVersion };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/links/offers',
    answer: answers.LinkOffers,
    needs: 'builder',
    summary: 'Links that may be meant, by names and values, with the share of rows that match',
    body: v.object({ between: v.optional(v.object({ child: Id, parent: Id })), watch: Watch }),
    handler: async (call) => {
      const { context, file, body } = call;
      const { design } = file;
      const candidates = linkCandidates(design, body.between);
      const task = { task: 'offers', design, candidates, every: body.between !== undefined } as const;
      const offers = await watched(call, body.watch, (options) =>
        context.jobs.run(file.path, task, { ...options, limit: 600_000 }),
      );
      return { offers };
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/progress/:watch',
    answer: answers.ProgressAnswer,
    needs: 'builder',
    summary: 'How far work is that you started; null when it is not running',
    handler: ({ context, person, params }) => ({
      progress: context.progress.get(`${person.id} ${params['watch']!}`) ?? null,
    }),
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/changes',
    answer: answers.AppliedChanges,
    needs: 'builder',
    summary: 'The design changes applied to a file, newest first',
    handler: ({ file }) => ({
      changes: appliedChanges(file),
      copies: { ...keptCopies(file.copies), always: ALWAYS_KEPT, days: KEPT_DAYS },
    }),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/changes/:version/undo',
    answer: answers.ChangedDesign,
    needs: 'builder',
    summary: 'Undo the newest applied draft, with what rows that would not fit are to hold',
    body: v.object({ watch: Watch, given: v.optional(v.pipe(v.array(Given), v.maxLength(5000)), []) }),
    handler: async (call) => {
      const { context, file, person, params, body } = call;
      const design = await watched(call, body.watch, (options) =>
        undoDraft(
          context.files,
          context.jobs,
          file.id,
          Number(params['version']),
          person.name,
          context.clock,
          body.given,
          options,
        ),
      );
      context.news.tellDesign(file.id, person);
      return { design, counts: counts(context.files.get(file.id)) };
    },
  });
}
