import { idsIn } from '../expression';
import {
  displayOf,
  fieldOf,
  findField,
  isGiven,
  type Design,
  type Field,
  type Form,
  type Table,
} from '../design';
import { allLevels, levelOf, type Level } from '../form';
import type { RowChange } from '../rows';
import type { Role } from './rights';

/** Who looks at a file or writes to it, and through which screen: null on the Bench, where the whole file lies open. */
export interface Viewer {
  readonly id: string;
  /** The name that history shows. */
  readonly name: string;
  readonly role: Role;
  readonly screen: Form | null;
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

/** The lookups whose choices a viewer may ask for. */
export const seesLookup = (design: Design, viewer: Viewer, field: string): boolean => {
  const { screen, role } = viewer;
  if (screen === null) return role === 'builder';
  const owner = findField(design, field)?.table;
  if (!owner) return false;
  const shown = levelsOn(design, screen).some(({ cells }) => cells.some((cell) => cell.field.id === field));
  return shown || addableTables(design, screen).some(({ id }) => id === owner.id);
};

/** Tables to which rows may be added from lookups on a screen, though it does not show them. */
export function addableTables(design: Design, screen: Form): Table[] {
  const ids = levelsOn(design, screen).flatMap(({ cells }) =>
    cells.flatMap(({ field: { type }, cell }) =>
      type.kind === 'lookup' && type.addHere && cell.people === 'type' ? [type.table] : [],
    ),
  );
  return design.tables.filter(({ id }) => ids.includes(id));
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
    const table = addableTables(design, screen).find(({ id }) => id === change.table);
    if (table) return closedField(table, change.values, new Set(fieldsToAdd(table).map(({ id }) => id)));
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
