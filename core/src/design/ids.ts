import { rulesOf } from './catalog';
import { definitionsOf, type Design } from './schema';

/** Something that has an id. */
export interface IdOwner {
  readonly id: string;
  /** The type of its definition, or what it is of a table. */
  readonly type: string;
  /** For people: `table Hire`, `field Due back of Hire`. */
  readonly words: string;
  /** The table it belongs to; null for what belongs to the file. */
  readonly table: string | null;
}

/**
 * Everything in a file that has an id. An id belongs to one thing in the whole file: expressions, queries and
 * the file's own constraints name tables, fields, links and rules by it alone.
 */
export const idOwners = (design: Omit<Design, 'version'>): IdOwner[] =>
  definitionsOf(design).flatMap((definition): IdOwner[] => {
    const { id, type } = definition;
    if (type === 'settings') return [{ id, type, words: 'the settings of the file', table: null }];
    const words = `the ${type} ${'label' in definition ? definition.label : definition.name}`;
    if (definition.type !== 'table') return [{ id, type, words, table: null }];
    const of = (item: { readonly id: string }, sort: string, label: string): IdOwner => ({
      id: item.id,
      type: sort,
      words: `the ${sort} ${label} of ${definition.label}`,
      table: id,
    });
    return [
      { id, type, words, table: id },
      ...definition.fields.map((field) => of(field, 'field', field.label)),
      ...definition.links.map((link) => of(link, 'link', link.label)),
      ...rulesOf(definition).map(({ rule }) => of(rule, 'rule', `“${rule.message}”`)),
    ];
  });

/** Pairs of things that have one id between them. */
export function doubledIds(design: Omit<Design, 'version'>): (readonly [IdOwner, IdOwner])[] {
  const first = new Map<string, IdOwner>();
  return idOwners(design).flatMap((owner) => {
    const other = first.get(owner.id);
    if (!other) first.set(owner.id, owner);
    return other ? [[other, owner] as const] : [];
  });
}

/** What is said of two things with one id. */
export const doubledWords = ([a, b]: readonly [IdOwner, IdOwner]): string =>
  `${a.words.charAt(0).toUpperCase()}${a.words.slice(1)} and ${b.words} have one id between them (${a.id}): each needs its own.`;
