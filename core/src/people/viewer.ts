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

interface Part {
  readonly table: Table;
  readonly fields: readonly { readonly field: string; readonly people: 'type' | 'read' }[];
  readonly rights: Form['rights'] & { readonly relink: boolean };
  /** The lookup that leads from a subform's rows to the record; null for the record itself. */
  readonly link: string | null;
}

/** The parts of a screen that people see: the record, then its subforms. */
function partsOf(design: Design, form: Form): Part[] {
  const own = design.tables.find(({ id }) => id === form.table);
  const subforms = form.subforms.flatMap(({ link, shown, fields, rights }): Part[] => {
    const table = findField(design, link)?.table;
    return table && shown ? [{ table, fields, rights, link }] : [];
  });
  const record = own && {
    table: own,
    fields: form.fields,
    rights: { ...form.rights, relink: false },
    link: null,
  };
  return record ? [record, ...subforms] : subforms;
}

/** The tables whose rows a screen shows: its own and those of its subforms. */
export const tablesOn = (design: Design, form: Form): Table[] => [
  ...new Set(partsOf(design, form).map(({ table }) => table)),
];

/** The fields of a table whose values a viewer may have, in the table's order. */
export function visibleFields(design: Design, viewer: Viewer, table: Table): readonly Field[] {
  const { screen, role } = viewer;
  if (screen === null) return role === 'builder' ? table.fields : [];
  const seen = new Set(
    partsOf(design, screen)
      .filter((part) => part.table.id === table.id)
      .flatMap(({ fields, link }) => [...fields.map(({ field }) => field), ...(link === null ? [] : [link])]),
  );
  return table.fields.filter(({ id }) => seen.has(id));
}

/** The lookups whose choices a viewer may ask for. */
export const seesLookup = (design: Design, viewer: Viewer, field: string): boolean => {
  const { screen, role } = viewer;
  if (screen === null) return role === 'builder';
  const owner = findField(design, field)?.table;
  if (!owner) return false;
  const shown = partsOf(design, screen).some(({ fields }) => fields.some((cell) => cell.field === field));
  return shown || addableTables(design, screen).some(({ id }) => id === owner.id);
};

/** Tables to which rows may be added from lookups on a screen, though it does not show them. */
export function addableTables(design: Design, screen: Form): Table[] {
  const ids = partsOf(design, screen).flatMap(({ table, fields }) =>
    fields.flatMap(({ field: id, people }) => {
      const type = fieldOf(table, id)?.type;
      return type?.kind === 'lookup' && type.addHere && people === 'type' ? [type.table] : [];
    }),
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
  const parts = partsOf(design, screen).filter(({ table }) => table.id === change.table);
  if (change.op === 'insert' && !parts.some(({ rights }) => rights.add)) {
    const table = addableTables(design, screen).find(({ id }) => id === change.table);
    if (table) return closedField(table, change.values, new Set(fieldsToAdd(table).map(({ id }) => id)));
  }
  const [first] = parts;
  if (!first) return 'This screen does not change rows of that table.';
  const many = first.table.plural.toLowerCase();
  if (change.op === 'delete')
    return parts.some(({ rights }) => rights.delete) ? null : `This screen does not delete ${many}.`;
  const right = change.op === 'insert' ? 'add' : 'change';
  const open = parts.filter(({ rights, link }) => rights[right] || (link !== null && rights.relink));
  if (open.length === 0) return `This screen does not ${right} ${many}.`;
  const allowed = new Set(
    open.flatMap(({ fields, link, rights }) => [
      ...(rights[right] ? fields.filter(({ people }) => people === 'type').map(({ field }) => field) : []),
      ...(link !== null && (change.op === 'insert' ? rights.add : rights.relink) ? [link] : []),
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
