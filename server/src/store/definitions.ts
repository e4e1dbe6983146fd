import { asc, eq, max } from 'drizzle-orm';
import {
  definitionsOf,
  designFrom,
  emptyDesign,
  formatOf,
  readDefinitions,
  type Definition,
  type Design,
} from '@heathridge/core/design';
import type { Orm } from './driver';
import { change, definition, log } from './file-schema';

/** Reads all definitions of a file. Throws an Error when a document is not one of ours. */
export function loadDesign(orm: Orm): Design {
  const definitions = readDefinitions(documents(orm));
  const complete = definitions.some(({ type }) => type === 'settings')
    ? definitions
    : [emptyDesign().settings, ...definitions];
  return { version: designVersion(orm), ...designFrom(complete) };
}

const documents = (orm: Orm): unknown[] =>
  orm
    .select()
    .from(definition)
    .orderBy(asc(definition.position))
    .all()
    .map((row) => JSON.parse(row.document) as unknown);

/** The format in which the definitions of a file are kept. */
export const storedFormat = (orm: Orm): number => formatOf(documents(orm));

export const designVersion = (orm: Orm): number =>
  orm
    .select({ version: max(change.version) })
    .from(change)
    .get()?.version ?? 0;

/** Who changes a definition, and when. */
export interface Mark {
  readonly at: string;
  readonly by: string;
}

/**
 * Writes every definition of a design, in place of those there; the version of each that changes grows. Call
 * it in a transaction.
 */
export function saveDesign(orm: Orm, design: Omit<Design, 'version'>, mark: Mark): void {
  const known = new Map(
    orm
      .select()
      .from(definition)
      .all()
      .map((row) => [row.id, row] as const),
  );
  orm.delete(definition).run();
  definitionsOf(design).forEach((item, position) => {
    const { id, type } = item;
    const document = JSON.stringify(item);
    const was = known.get(id);
    const kept = was?.document === document;
    orm
      .insert(definition)
      .values({
        id,
        type,
        position,
        document,
        version: kept ? was.version : (was?.version ?? 0) + 1,
        changedAt: kept ? was.changedAt : mark.at,
        changedBy: kept ? was.changedBy : mark.by,
      })
      .run();
  });
}

/** The version of each definition, and who changed it last. */
export const definitionVersions = (
  orm: Orm,
): Record<string, { readonly version: number; readonly at: string | null; readonly by: string | null }> =>
  Object.fromEntries(
    orm
      .select({
        id: definition.id,
        version: definition.version,
        at: definition.changedAt,
        by: definition.changedBy,
      })
      .from(definition)
      .all()
      .map(({ id, ...rest }) => [id, rest]),
  );

/** Puts one document in place of the one with its id, or behind all others; gives its new version. */
export function putDefinition(orm: Orm, document: Definition, mark: Mark): number {
  const text = JSON.stringify(document);
  const before = orm.select().from(definition).where(eq(definition.id, document.id)).get();
  const version = (before?.version ?? 0) + 1;
  const marked = { document: text, version, changedAt: mark.at, changedBy: mark.by };
  if (before) orm.update(definition).set(marked).where(eq(definition.id, document.id)).run();
  else {
    const last =
      orm
        .select({ position: max(definition.position) })
        .from(definition)
        .get()?.position ?? 0;
    orm
      .insert(definition)
      .values({ id: document.id, type: document.type, position: last + 1, ...marked })
      .run();
  }
  note(orm, mark, before?.document ?? null, text);
  return version;
}

export function dropDefinition(orm: Orm, id: string, mark: Mark): void {
  const [before] = orm.delete(definition).where(eq(definition.id, id)).returning().all();
  if (before) note(orm, mark, before.document, null);
}

/** An entry of the log for one document. */
function note(orm: Orm, { at, by }: Mark, before: string | null, after: string | null): void {
  const parsed = (text: string | null): unknown => (text === null ? null : JSON.parse(text));
  orm
    .insert(log)
    .values({
      at,
      by,
      what: 'document',
      detail: JSON.stringify({ before: parsed(before), after: parsed(after) }),
    })
    .run();
}
