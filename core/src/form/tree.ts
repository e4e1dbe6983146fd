import type { FormButton, FormCell, FormPart, FormWorked, Subform } from '../design';

/** The parts that stand in a part, as lists: one for most, one a tab; none in what holds no others. */
export function within(part: FormPart): readonly (readonly FormPart[])[] {
  switch (part.part) {
    case 'cell':
    case 'note':
    case 'worked':
    case 'picture':
    case 'button':
      return [];
    case 'section':
    case 'subform':
      return [part.parts];
    case 'tabs':
      return part.tabs.map(({ parts }) => parts);
  }
}

/** A part with each list of parts in it made anew. */
export function withLists(part: FormPart, make: (parts: readonly FormPart[]) => FormPart[]): FormPart {
  switch (part.part) {
    case 'cell':
    case 'note':
    case 'worked':
    case 'picture':
    case 'button':
      return part;
    case 'section':
    case 'subform':
      return { ...part, parts: make(part.parts) };
    case 'tabs':
      return { ...part, tabs: part.tabs.map((tab) => ({ ...tab, parts: make(tab.parts) })) };
  }
}

/**
 * Parts made anew, from the outside in: `make` gives what stands in place of a part, null for nothing. What it gives
 * is gone into in its turn.
 */
export const mapParts = (parts: readonly FormPart[], make: (part: FormPart) => FormPart | null): FormPart[] =>
  parts.flatMap((part) => {
    const made = make(part);
    return made ? [withLists(made, (inner) => mapParts(inner, make))] : [];
  });

/** Parts of the rows around them in reading order, whatever sections and tabs they stand in; not those of subforms. */
const ofLevel = (parts: readonly FormPart[]): readonly FormPart[] =>
  parts.flatMap((part) => (part.part === 'subform' ? [part] : [part, ...within(part).flatMap(ofLevel)]));

/** A column of a list: a field, something worked out, or rows that are named within a cell. */
export type Column = FormCell | FormWorked | Subform;

/** The columns of a list, in their order. */
export const columnsOf = (parts: readonly FormPart[]): Column[] =>
  ofLevel(parts).filter(
    (part): part is Column => part.part === 'cell' || part.part === 'worked' || part.part === 'subform',
  );

/** The cells of a level in reading order. */
export const cellsOf = (parts: readonly FormPart[]): FormCell[] =>
  ofLevel(parts).filter((part): part is FormCell => part.part === 'cell');

/** What is worked out at a level. */
export const workedOf = (parts: readonly FormPart[]): FormWorked[] =>
  ofLevel(parts).filter((part): part is FormWorked => part.part === 'worked');

/** The buttons of a level. */
export const buttonsOf = (parts: readonly FormPart[]): FormButton[] =>
  ofLevel(parts).filter((part): part is FormButton => part.part === 'button');

/** The subforms of a level; not those within them. */
export const subformsOf = (parts: readonly FormPart[]): Subform[] =>
  ofLevel(parts).filter((part): part is Subform => part.part === 'subform');

/** Every part, the outer before those in it. */
export const allParts = (parts: readonly FormPart[]): FormPart[] =>
  parts.flatMap((part) => [part, ...within(part).flatMap(allParts)]);

/** What tells a part from the others of its level. */
export const partId = (part: FormPart): string =>
  part.part === 'cell' ? part.field : part.part === 'subform' ? part.link : part.id;

/** Items in the order of the Tab key: those that are named first, the others as they stand. */
export function inTabOrder<T>(
  items: readonly T[],
  order: readonly string[] | undefined,
  id: (item: T) => string,
): T[] {
  const places = new Map((order ?? []).map((name, i) => [name, i]));
  const place = (item: T): number => places.get(id(item)) ?? places.size;
  return items
    .map((item, at) => ({ item, at }))
    .sort((a, b) => place(a.item) - place(b.item) || a.at - b.at)
    .map(({ item }) => item);
}
