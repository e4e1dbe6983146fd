import { idsIn } from '../expression';
import {
  displayOf,
  fieldOf,
  findField,
  isGiven,
  type Design,
  type Field,
  type Form,
  type RoleDefinition,
  type Table,
} from '../design';
import { allLevels, levelOf, shownRows, type Level, type RowCondition } from '../form';
import type { RowChange } from '../rows';
import { designFor } from './design-for';
import type { Role } from './rights';
import { peopleMay, rightsOn } from './limits';
import { conditionsOn, screenFor } from './roles';

/**
 * Who looks at a file or writes to it, and through which screen, as it is there for her: null on the Bench, where the
 * whole file lies open.
 */
export interface Viewer {
  readonly id: string;
  /** The name that history shows. */
  readonly name: string;
  readonly role: Role;
  /** What the builder lets her do on the Desk; null where she has said nothing: every screen is then there. */
  readonly duty: RoleDefinition | null;
  readonly screen: Form | null;
}

/** A screen as it is there for somebody; null where it is not. */
export const screenOf = (design: Design, viewer: Omit<Viewer, 'screen'>, form: Form): Form | null =>
  viewer.duty ? screenFor(design, viewer.duty, form, viewer.name) : form;

/** The screens of a file as they are there for somebody. */
export const screensOf = (design: Design, viewer: Omit<Viewer, 'screen'>): Form[] =>
  design.forms.flatMap((form) => screenOf(design, viewer, form) ?? []);

/** The design by which rows are shown to somebody. */
export const designOf = (design: Design, { duty }: Viewer): Design =>
  duty ? designFor(design, duty) : design;

/** What rows of a table meet, all of it, that are there for somebody at all; empty for all rows. */
export const rowsThere = (viewer: Viewer, table: Table): readonly string[] =>
  viewer.duty ? conditionsOn(viewer.duty, table.id, viewer.name) : [];

/** Whether rows of a table, as choices or within others, are there for somebody. */
export const isThere = (viewer: Viewer, table: Table): boolean =>
  viewer.duty === null || rightsOn(viewer.duty, table.id).read;

/**
 * What a row of a table meets that somebody may change through a screen: all conditions of one of these lists, each
 * those of a place where the screen shows such rows; null for any row.
 */
export function rowsOnScreen(
  design: Design,
  { screen }: Viewer,
  table: Table,
): readonly (readonly RowCondition[])[] | null {
  if (!screen) return null;
  const lists = levelsOn(design, screen)
    .filter((level) => level.table.id === table.id)
    .map(({ subform }) => shownRows(subform ?? screen));
  return lists.length === 0 || lists.some((list) => list.length === 0) ? null : lists;
}

/** The levels of a screen that people see: the record, then its subforms and theirs. */
function levelsOn(design: Design, form: Form): Level[] {
  const level = levelOf(design, form);
  return level ? allLevels(level) : [];
}

/** The tables whose rows a screen shows: its own and those of its subforms. */
export const tablesOn = (design: Design, form: Form): Table[] => [
  ...new Set(levelsOn(design, form).map(({ table }) => table)),
];

/** The fields of a table whose values a viewer may have, in the table's order. */
export function visibleFields(design: Design, viewer: Viewer, table: Table): readonly Field[] {
  const { screen, role } = viewer;
  if (screen === null) return role === 'builder' ? table.fields : [];
  const seen = new Set(
    levelsOn(design, screen)
      .filter((level) => level.table.id === table.id)
      .flatMap(({ cells, link }) => [...cells.map(({ field }) => field.id), ...(link ? [link.id] : [])]),
  );
  return table.fields.filter(({ id }) => seen.has(id));
}

/**
 * The conditions under which fields of a table are not there on a screen: by field, all conditions of the places where
 * the screen shows it.
 */
export function hiddenIf(
  design: Design,
  { screen }: Viewer,
  table: Table,
): ReadonlyMap<string, readonly string[]> {
  const found = new Map<string, readonly string[]>();
  if (!screen) return found;
  for (const level of levelsOn(design, screen))
    if (level.table.id === table.id)
      for (const { field, limit, expression } of level.limits)
        if (limit === 'hide') found.set(field, [...(found.get(field) ?? []), expression]);
  return found;
}

/**
 * The conditions under which a field of a table takes nothing on a screen: one list for each place where people type
 * into it, of which one condition is enough; null where some place has none.
 */
export function closedIf(
  design: Design,
  { screen }: Viewer,
  table: Table,
  field: string,
): readonly (readonly string[])[] | null {
  if (!screen) return null;
  const places = levelsOn(design, screen).filter(
    ({ table: { id }, cells }) =>
      id === table.id && cells.some(({ cell }) => cell.field === field && cell.people === 'type'),
  );
  const lists = places.map(({ limits }) =>
    limits.filter((limit) => limit.field === field).map(({ expression }) => expression),
  );
  return lists.length === 0 || lists.some((list) => list.length === 0) ? null : lists;
}

/** The table to which a lookup leads. */
export function lookupTarget(design: Design, field: string): Table | null {
  const type = findField(design, field)?.field.type;
  return (type?.kind === 'lookup' && design.tables.find(({ id }) => id === type.table)) || null;
}

/** The lookups whose choices a viewer may ask for. */
export const seesLookup = (design: Design, viewer: Viewer, field: string): boolean => {
  const { screen, role } = viewer;
  if (screen === null) return role === 'builder';
  const owner = findField(design, field)?.table;
  if (!owner) return false;
  const target = lookupTarget(design, field);
  if (target && !isThere(viewer, target)) return false;
  const shown = levelsOn(design, screen).some(({ cells }) => cells.some((cell) => cell.field.id === field));
  return shown || addableTables(design, viewer).some(({ id }) => id === owner.id);
};

/** Tables to which rows may be added from lookups on a screen, though it does not show them. */
export function addableTables(design: Design, { screen, duty }: Viewer): Table[] {
  if (!screen) return [];
  const ids = levelsOn(design, screen).flatMap(({ cells }) =>
    cells.flatMap(({ field: { type }, cell }) =>
      type.kind === 'lookup' && type.addHere && cell.people === 'type' ? [type.table] : [],
    ),
  );
  return design.tables.filter(({ id }) => ids.includes(id) && (duty === null || rightsOn(duty, id).add));
}

/** The fields a row added from a lookup is asked for: what it shows and what is always filled. */
export function fieldsToAdd(table: Table): readonly Field[] {
  const shown = idsIn(displayOf(table));
  const open = table.fields.filter((field) => !isGiven(field));
  const asked = open.filter(
    (field) => field.alwaysFilled || table.key.includes(field.id) || shown.includes(field.id),
  );
  return asked.length > 0 ? asked : open.slice(0, 3);
}

/** Why a viewer may not make a change of rows, said for people; null when she may. */
export function refusedChange(design: Design, viewer: Viewer, change: RowChange): string | null {
  const { screen, role } = viewer;
  if (screen === null) return role === 'builder' ? null : 'Only the builder of this file may do this.';
  const levels = levelsOn(design, screen).filter(({ table }) => table.id === change.table);
  if (change.op === 'insert' && !levels.some(({ rights }) => rights.add)) {
    const table = addableTables(design, viewer).find(({ id }) => id === change.table);
    const open = (id: string): boolean => viewer.duty === null || peopleMay(viewer.duty, id) === 'type';
    if (table)
      return closedField(
        table,
        change.values,
        new Set(
          fieldsToAdd(table)
            .map(({ id }) => id)
            .filter(open),
        ),
      );
  }
  const [first] = levels;
  if (!first) return 'This screen does not change rows of that table.';
  const many = first.table.plural.toLowerCase();
  if (change.op === 'delete')
    return levels.some(({ rights }) => rights.delete) ? null : `This screen does not delete ${many}.`;
  const right = change.op === 'insert' ? 'add' : 'change';
  const open = levels.filter(({ rights, link }) => rights[right] || (link !== null && rights.relink));
  if (open.length === 0) return `This screen does not ${right} ${many}.`;
  const allowed = new Set(
    open.flatMap(({ cells, link, rights }) => [
      ...(rights[right]
        ? cells.filter(({ cell }) => cell.people === 'type').map(({ field }) => field.id)
        : []),
      ...(link !== null && (change.op === 'insert' ? rights.add : rights.relink) ? [link.id] : []),
    ]),
  );
  return closedField(first.table, change.values, allowed);
}

function closedField(
  table: Table,
  values: Readonly<Record<string, unknown>>,
  allowed: ReadonlySet<string>,
): string | null {
  const closed = Object.keys(values).find((field) => !allowed.has(field));
  return closed === undefined
    ? null
    : `${fieldOf(table, closed)?.label ?? 'A field'} is only for reading on this screen.`;
}
