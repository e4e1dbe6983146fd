import { asc, eq, max } from 'drizzle-orm';
import {
  designFrom,
  emptyDesign,
  formatOf,
  readDefinitions,
  type Definition,
  type Design,
} from '@heathridge/core/design';
import type { Orm } from './driver';
import { change, definition } from './file-schema';

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

/** Writes every definition of a design, in place of those there. Call it in a transaction. */
export function saveDesign(orm: Orm, design: Omit<Design, 'version'>): void {
  orm.delete(definition).run();
  const documents: Definition[] = [
    design.settings,
    ...design.tables,
    ...design.queries,
    ...design.forms,
    ...design.reports,
    ...design.kept,
  ];
  documents.forEach((document, position) => {
    const { id, type } = document;
    orm
      .insert(definition)
      .values({ id, type, position, document: JSON.stringify(document) })
      .run();
  });
}

/** Puts one document in place of the one with its id, or behind all others. */
export function putDefinition(orm: Orm, document: Definition): void {
  const text = JSON.stringify(document);
  const changed = orm
    .update(definition)
    .set({ document: text })
    .where(eq(definition.id, document.id))
    .returning()
    .all();
  if (changed.length > 0) return;
  const last =
    orm
      .select({ position: max(definition.position) })
      .from(definition)
      .get()?.position ?? 0;
  orm
    .insert(definition)
    .values({ id: document.id, type: document.type, position: last + 1, document: text })
    .run();
}

export function dropDefinition(orm: Orm, id: string): void {
  orm.delete(definition).where(eq(definition.id, id)).run();
}
