import { fieldOf, linksTo, type Design, type Field, type FormPart, type Table } from '../design';
import { moved } from './generate';
import { cellsOf, partId, subformsOf, within, withLists } from './tree';

/** Where a part stands: the links of the subforms around it, and its own id. */
export type PartPath = readonly string[];

/** The part at a path; null where there is none. */
export function partAt(parts: readonly FormPart[], [id, ...rest]: PartPath): FormPart | null {
  for (const part of parts) {
    if (partId(part) === id)
      return rest.length === 0 ? part : part.part === 'subform' ? partAt(part.parts, rest) : null;
    // A section and the tabs are of the same level.
    if (part.part !== 'subform')
      for (const list of within(part)) {
        const found = partAt(list, [id!, ...rest]);
        if (found) return found;
      }
  }
  return null;
}

/** Parts in which the list that holds the part at a path, and its place there, give another list. */
function inList(
  parts: readonly FormPart[],
  path: PartPath,
  make: (list: readonly FormPart[], place: number) => FormPart[],
): FormPart[] {
  const [id, ...rest] = path;
  const place = parts.findIndex((part) => partId(part) === id);
  if (place >= 0 && rest.length === 0) return make(parts, place);
  return parts.map((part, i) => {
    if (i === place)
      return part.part === 'subform' ? { ...part, parts: inList(part.parts, rest, make) } : part;
    return part.part === 'subform' || place >= 0 ? part : withLists(part, (list) => inList(list, path, make));
  });
}

/** Parts in which another stands at a path: `make` gives it, null for none. */
export const withPartAt = (
  parts: readonly FormPart[],
  path: PartPath,
  make: (part: FormPart) => FormPart | null,
): FormPart[] =>
  inList(parts, path, (list, place) =>
    list.flatMap((part, i) => (i === place ? (make(part) ?? []) : [part])),
  );

/** Parts in which the one at a path stands so many places further on in its list; it stops at the ends. */
export const withPartMoved = (parts: readonly FormPart[], path: PartPath, by: number): FormPart[] =>
  inList(parts, path, (list, place) => moved(list, place, place + by));

/**
 * Parts with another behind the last of its sort: a cell behind the cells, a button behind what stands on the grid, a
 * subform behind all.
 */
export function withPartAdded(parts: readonly FormPart[], part: FormPart): FormPart[] {
  const isBefore = (other: FormPart): boolean =>
    part.part === 'cell' ? other.part === 'cell' : part.part !== 'button' || 'width' in other;
  const last = parts.map(isBefore).lastIndexOf(true);
  return [...parts.slice(0, last + 1), part, ...parts.slice(last + 1)];
}

/** What could stand at a level and does not: fields of its table, and links that lead to it. */
export interface Shelf {
  readonly fields: readonly Field[];
  readonly links: readonly { readonly table: Table; readonly field: Field }[];
}

/** The shelf of the parts of a table's rows; `link` is the field that leads to the row around them. */
export function shelfOf(
  design: Design,
  table: Table,
  parts: readonly FormPart[],
  link: string | null = null,
): Shelf {
  const cells = new Set(cellsOf(parts).map(({ field }) => field));
  const subforms = new Set(subformsOf(parts).map((subform) => subform.link));
  return {
    fields: table.fields.filter(({ id }) => id !== link && !cells.has(id)),
    links: linksTo(design, table.id).filter(({ field: { id } }) => !subforms.has(id)),
  };
}

/** The cells of a level in the order of a table's fields, with a field put among them. */
export function withColumn(table: Table, parts: readonly FormPart[], cell: FormPart): FormPart[] {
  const place = (part: FormPart): number =>
    part.part === 'cell' && fieldOf(table, part.field)
      ? table.fields.findIndex(({ id }) => id === part.field)
      : table.fields.length;
  const at = parts.findIndex((part) => place(part) > place(cell));
  return at < 0 ? [...parts, cell] : [...parts.slice(0, at), cell, ...parts.slice(at)];
}

/** Where the parts of a level may stand beside the form itself: in a section, on a tab. */
export interface Place {
  readonly id: string;
  readonly label: string;
}

/** The sections and tabs of a level, outer ones first. */
export const placesOf = (parts: readonly FormPart[]): Place[] =>
  parts.flatMap((part): Place[] => {
    if (part.part === 'section') return [{ id: part.id, label: part.label }, ...placesOf(part.parts)];
    if (part.part !== 'tabs') return [];
    return part.tabs.flatMap((tab) => [{ id: tab.id, label: tab.label }, ...placesOf(tab.parts)]);
  });

/** The section or tab in which a part of a level stands; null for the form itself, undefined where it is not there. */
export function placeOf(
  parts: readonly FormPart[],
  id: string,
  place: string | null = null,
): string | null | undefined {
  for (const part of parts) {
    if (partId(part) === id) return place;
    const inner =
      part.part === 'section'
        ? [placeOf(part.parts, id, part.id)]
        : part.part === 'tabs'
          ? part.tabs.map((tab) => placeOf(tab.parts, id, tab.id))
          : [];
    const found = inner.find((other) => other !== undefined);
    if (found !== undefined) return found;
  }
  return undefined;
}

/** Parts of a level with one list, that of a section or tab, made anew. */
const withPlace = (
  parts: readonly FormPart[],
  id: string,
  make: (list: readonly FormPart[]) => FormPart[],
): FormPart[] =>
  parts.map((part) => {
    const within = (list: readonly FormPart[], own: string): FormPart[] =>
      own === id ? make(list) : withPlace(list, id, make);
    if (part.part === 'section') return { ...part, parts: within(part.parts, part.id) };
    if (part.part === 'tabs')
      return { ...part, tabs: part.tabs.map((tab) => ({ ...tab, parts: within(tab.parts, tab.id) })) };
    return part;
  });

/** Parts of a level without some, and those, in reading order. */
function parted(
  parts: readonly FormPart[],
  ids: ReadonlySet<string>,
): { readonly left: FormPart[]; readonly taken: FormPart[] } {
  const taken: FormPart[] = [];
  const without = (list: readonly FormPart[]): FormPart[] =>
    list.flatMap((part) => {
      if (ids.has(partId(part))) {
        taken.push(part);
        return [];
      }
      return [part.part === 'subform' ? part : withLists(part, without)];
    });
  return { left: without(parts), taken };
}

/**
 * Parts of a level in which some stand in a section or on a tab, behind what is there; null for the form itself. What
 * holds the place is not put into itself: then nothing changes.
 */
export function movedInto(
  parts: readonly FormPart[],
  ids: readonly string[],
  place: string | null,
): FormPart[] {
  const { left, taken } = parted(parts, new Set(ids));
  if (place === null) return taken.reduce<FormPart[]>(withPartAdded, left);
  if (!placesOf(left).some(({ id }) => id === place)) return [...parts];
  return withPlace(left, place, (list) => [...list, ...taken]);
}

/**
 * Parts of a level in which one stands before or behind another, in the section or on the tab in which that stands.
 * Nothing changes where one of them is not there, or stands within the other.
 */
export function placedBeside(
  parts: readonly FormPart[],
  id: string,
  other: string,
  side: 'before' | 'behind',
): FormPart[] {
  const { left, taken } = parted(parts, new Set([id]));
  const [part] = taken;
  if (!part || placeOf(left, other) === undefined) return [...parts];
  const put = (list: readonly FormPart[]): FormPart[] =>
    list.flatMap((at) => {
      if (partId(at) === other) return side === 'before' ? [part, at] : [at, part];
      return [at.part === 'subform' ? at : withLists(at, put)];
    });
  return put(left);
}

/** Parts of a level in which some stand in a part of their own, which takes the place of the first of them. */
export function gathered(
  parts: readonly FormPart[],
  ids: readonly string[],
  make: (taken: FormPart[]) => FormPart,
): FormPart[] {
  const wanted = new Set(ids);
  const { taken } = parted(parts, wanted);
  const [first] = taken;
  if (!first) return [...parts, make([])];
  const put = (list: readonly FormPart[]): FormPart[] =>
    list.flatMap((part) => {
      if (part === first) return [make(taken)];
      if (wanted.has(partId(part))) return [];
      return [part.part === 'subform' ? part : withLists(part, put)];
    });
  return put(parts);
}

/** Parts of a level in which what stood in a section or on tabs stands in its place. */
export const takenApart = (parts: readonly FormPart[], id: string): FormPart[] =>
  inList(parts, [id], (list, place) =>
    list.flatMap((part, i) => (i === place && part.part !== 'subform' ? within(part).flat() : [part])),
  );
