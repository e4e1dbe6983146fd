import type { Design, Form, FormPart } from '../design';
import { levelOf, type Level } from './level';
import { mapParts } from './tree';

/** Rows that are named within a cell, unless the builder says how many. */
const NAMED_ROWS = 3;

/** One of the lists of a list screen, as a form over the rows that it shows. */
export interface Pane {
  readonly form: Form;
  /** The links that lead to its rows from those of the first list; none for that. */
  readonly path: readonly string[];
}

/**
 * The lists of a list screen in the order in which they follow each other: the first shows its records, each other one
 * what belongs to the row that is picked in the list before it. A form that is no list has none.
 */
export function panesOf(design: Design, form: Form): readonly Pane[] {
  const root = form.list ? levelOf(design, form) : null;
  if (!root) return [];
  const at = (level: Level, path: readonly string[]): Pane[] => [
    { path, form: paneForm(form, level) },
    ...level.levels.flatMap((inner) =>
      inner.subform?.look === 'next' ? at(inner, [...path, inner.link!.id]) : [],
    ),
  ];
  return at(root, []);
}

/**
 * A list as a form over its own rows: what follows it is left out, and of what stands within a cell only as many rows
 * come as are named there.
 */
function paneForm(form: Form, { table, rights, subform }: Level): Form {
  const { query, conditions, order, parts } = subform ?? form;
  const { query: _, ...whole } = form;
  const { add, change } = rights;
  return {
    ...whole,
    ...(query === undefined ? {} : { query }),
    label: subform?.label ?? form.label,
    table: table.id,
    rights: { add, change, delete: rights.delete },
    conditions: conditions ?? [],
    order: order ?? [],
    parts: mapParts(parts, (part) => {
      if (part.part !== 'subform') return part;
      return part.look === 'next'
        ? null
        : { ...part, most: part.most ?? NAMED_ROWS, sums: [], parts: withoutSubforms(part.parts) };
    }),
  };
}

/** A list screen as a form of which a few rows are read, with what follows each, to be shown while it is designed. */
export const sampled = (form: Form, most: number): Form => ({
  ...form,
  parts: mapParts(form.parts, (part) =>
    part.part === 'subform'
      ? { ...part, sums: [], most: part.look === 'next' ? most : (part.most ?? NAMED_ROWS) }
      : part,
  ),
});

/** Within a cell there is no room for what lies deeper. */
const withoutSubforms = (parts: readonly FormPart[]): FormPart[] =>
  mapParts(parts, (part) => (part.part === 'subform' ? null : part));

/** The lists of a screen, those of one that shows a record at a time too: its records are then a list to be read. */
export const listsOn = (design: Design, form: Form): readonly Pane[] =>
  form.list ? panesOf(design, form) : panesOf(design, asList(form)).slice(0, 1);

/** The list of a screen to which links lead; null where there is none, or none any more. */
export const paneAt = (design: Design, form: Form, path: readonly string[]): Pane | null =>
  listsOn(design, form).find((pane) => pane.path.join() === path.join()) ?? null;

/**
 * A form as a list of its records: its cells are columns, in which nothing is typed until the builder allows it; the
 * rows that belong to one follow in lists of their own, as deep as they go.
 */
export function asList(form: Form): Form {
  const none = { add: false, change: false, delete: false };
  return {
    ...form,
    list: { starts: 'rows', saves: 'row' },
    rights: none,
    parts: mapParts(form.parts, (part) =>
      part.part === 'subform' ? { ...part, look: 'next', rights: { ...none, relink: false } } : part,
    ),
  };
}
