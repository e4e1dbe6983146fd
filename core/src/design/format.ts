import * as v from 'valibot';
import { Definition, FORMAT, LIST_NAMES, listOfType, listsOf, type Design, type ListName } from './schema';

/** A file that was made by a later version of Heathridge than this one. */
export class LaterFormat extends Error {
  constructor(readonly format: number) {
    super('This file was made by a later version of Heathridge: please use that one.');
  }
}

type Document = Readonly<Record<string, unknown>>;

const isDocument = (value: unknown): value is Document => typeof value === 'object' && value !== null;

/**
 * What each format changed, as a function that brings a document of the format before up to date. They are
 * applied one after another and never changed again: a file of any age opens. Each leaves alone what is so
 * already: changes that are kept do not say their format.
 */
const UPGRADES: readonly ((document: Document) => Document)[] = [
  // Format 2: a screen says what people may do to rows. Until then it went by what they could type.
  (document) => {
    if (document['type'] !== 'form' || 'rights' in document) return document;
    const typeable = (fields: unknown): boolean =>
      Array.isArray(fields) && fields.some((cell) => isDocument(cell) && cell['people'] === 'type');
    const rights = (fields: unknown) => {
      const may = typeable(fields);
      return { add: may, change: may, delete: may };
    };
    const subforms = (document['subforms'] as unknown[]).map((subform) =>
      isDocument(subform)
        ? { ...subform, rights: { ...rights(subform['fields']), relink: typeable(subform['fields']) } }
        : subform,
    );
    return { ...document, rights: rights(document['fields']), subforms };
  },
  // Format 3: texts are in the order of their letters, which is kept beside the rows: nothing in documents.
  (document) => document,
  // Formats 4 to 6 changed nothing in documents either.
  (document) => document,
  (document) => document,
  (document) => document,
  // Format 7: a form is one tree of parts. Until then it was a list of fields, and subforms one level deep; those
  // that were not shown are on the shelf now, as whatever is not in the tree.
  (document) => {
    if (document['type'] !== 'form' || 'parts' in document) return document;
    const cells = (fields: unknown): unknown[] =>
      Array.isArray(fields) ? fields.map((field: object) => ({ part: 'cell', ...field })) : [];
    const subforms = (document['subforms'] as unknown[]).flatMap((subform) => {
      if (!isDocument(subform) || subform['shown'] === false) return [];
      const { fields, shown: _, ...rest } = subform;
      return [{ part: 'subform', ...rest, look: 'grid', parts: cells(fields) }];
    });
    const { fields, hidden: _, subforms: __, ...rest } = document;
    return { ...rest, parts: [...cells(fields), ...subforms] };
  },
  // Format 8: forms have what is worked out on them, and say which rows they show: what nothing says of is as before.
  (document) => document,
  // Format 9: forms have buttons and pictures, conditions on their cells, and an order of the Tab key.
  (document) => document,
  // Format 10: the rows of a list may stand as cards in columns.
  (document) => document,
  // Format 11: a query puts rows beside its own along links of both directions or by a condition, as a tree, and its
  // conditions stand in one another. Until then it went along lookups, each way written out, and its conditions all held.
  (document) => {
    if (document['type'] !== 'query' || 'joins' in document) return document;
    const joins: Document[] = [];
    const ids = new Map<string, string>();
    for (const item of document['with'] as unknown[]) {
      if (!isDocument(item) || !Array.isArray(item['path'])) continue;
      let [way, at]: [string, string | null] = ['', null];
      for (const link of item['path'] as string[]) {
        way += ` ${link}`;
        let id: string | undefined = ids.get(way);
        if (id === undefined) {
          id = `j_${joins.length + 1}`;
          joins.push({ id, at, by: { by: 'link', link }, keepWithout: item['keepWithout'] });
          ids.set(way, id);
        }
        at = id;
      }
    }
    const { with: _, where, ...rest } = document;
    return {
      ...rest,
      joins,
      where: (where as unknown[]).map((expression) => ({ is: 'so', expression })),
    };
  },
  // Format 12: a query may say how its result is drawn, or be written in SQL; boards show what queries give.
  (document) => document,
  // Format 13: the answer to a question may be a choice of a lookup, and a column may say how its numbers are shown.
  (document) => document,
  // Format 14: screens show the rows that a query tells, and what it asks is answered by a row: of a lookup, of a button.
  (document) => document,
  // Format 15: what keeps texts sound is written once for a table, and quick for long texts: nothing in documents.
  (document) => document,
  // Format 16: links to pictures and files have an index as other links have one: nothing in documents.
  (document) => document,
];

/** A document of a format as the newest format has it. What is up to date already stays as it is. */
export const upToDate = (document: unknown, from = 1): unknown =>
  UPGRADES.slice(from - 1).reduce<unknown>(
    (now, upgrade) => (isDocument(now) ? upgrade(now) : now),
    document,
  );

/** The format of a set of documents: that of its settings, 1 where they say nothing. */
export function formatOf(documents: readonly unknown[]): number {
  const settings = documents.find((document) => isDocument(document) && document['type'] === 'settings');
  const format = isDocument(settings) ? settings['format'] : undefined;
  return typeof format === 'number' ? format : 1;
}

/**
 * Reads definitions of any format up to this one. Throws LaterFormat for one of a later format, and a
 * ValiError when a document is none of ours.
 */
export function readDefinitions(documents: readonly unknown[], from = formatOf(documents)): Definition[] {
  if (from > FORMAT) throw new LaterFormat(from);
  return documents.map((document) => {
    const definition = v.parse(Definition, upToDate(document, from));
    return definition.type === 'settings' ? { ...definition, format: FORMAT } : definition;
  });
}

/** A whole design out of what was kept of one: read like any other definitions. Throws like them. */
export function readDesign(value: unknown): Design {
  const kept = v.parse(KeptDesign, value);
  const { version, settings, ...lists } = kept;
  const documents = readDefinitions([settings, ...Object.values(lists).flat()]);
  return { version, ...designFrom(documents) };
}

const Documents = v.optional(v.array(v.record(v.string(), v.unknown())), []);
const KeptDesign = v.object({
  version: v.pipe(v.number(), v.integer(), v.minValue(0)),
  settings: v.record(v.string(), v.unknown()),
  ...Object.fromEntries(LIST_NAMES.map((name) => [name, Documents])),
});

/**
 * The parts of a design out of its definitions, each sort in the order given. Throws when no settings are
 * there.
 */
export function designFrom(definitions: readonly Definition[]): Omit<Design, 'version'> {
  const settings = definitions.find((definition) => definition.type === 'settings');
  if (settings?.type !== 'settings') throw new Error('The settings of this file are missing.');
  const of = (list: ListName): Definition[] =>
    definitions.filter(({ type }) => type !== 'settings' && listOfType(type) === list);
  return { settings, ...listsOf((list) => of(list) as never) };
}
