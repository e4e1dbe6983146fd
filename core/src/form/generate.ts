import {
  linksTo,
  stampsTime,
  type Design,
  type Field,
  type Form,
  type KindName,
  type Table,
} from '../design';

/** Columns of the 12-column grid that the control of a kind wants. */
export function widthOf(field: Field): number {
  const { type } = field;
  switch (type.kind) {
    case 'longText':
      return 12;
    case 'text':
      return type.most && type.most <= 20 ? 3 : 6;
    case 'lookup':
      return 6;
    case 'dateTime':
      return 4;
    case 'stamp':
      return stampsTime(type.of) ? 4 : 3;
    case 'runningNumber':
      return 3;
    default:
      return 3;
  }
}

const order = (table: Table): Field[] => [
  ...table.fields.filter(({ id }) => table.key.includes(id)),
  ...table.fields.filter(({ id, type }) => !table.key.includes(id) && type.kind !== 'longText'),
  ...table.fields.filter(({ id, type }) => !table.key.includes(id) && type.kind === 'longText'),
];

/** Controls of at least this width take what is left of their row. */
const WIDE = 6;

type FormField = Form['fields'][number];

const place = (table: Table, field: Field): FormField => ({
  field: field.id,
  width: widthOf(field),
  people: field.type.kind === 'runningNumber' ? 'read' : 'type',
});

/**
 * Stretches the last wide control of each row so that rows of the 12-column grid are full: controls
 * keep their order, and dates and numbers stay as narrow as they are.
 */
export function fillRows(fields: readonly FormField[]): FormField[] {
  const rows: FormField[][] = [[]];
  for (const field of fields) {
    const row = rows[rows.length - 1]!;
    const used = row.reduce((sum, { width }) => sum + width, 0);
    if (used + field.width > 12) rows.push([field]);
    else row.push(field);
  }
  return rows.flatMap((row) => {
    const rest = 12 - row.reduce((sum, { width }) => sum + width, 0);
    const wide = row.map(({ width }) => width >= WIDE).lastIndexOf(true);
    return row.map((field, i) => (i === wide ? { ...field, width: field.width + rest } : field));
  });
}

/** Kinds that stay out of the rows of a subform at first: they take room there and are rarely asked for. */
const ASIDE: ReadonlySet<KindName> = new Set(['stamp', 'picture', 'file']);

/**
 * A form made from a table in one step: a control for every field, key first and long texts last, and
 * a subform for every table that links to it.
 */
export function formFromTable(design: Design, table: Table, id: string, label = table.plural): Form {
  const subforms = linksTo(design, table.id)
    .filter((link) => link.table.id !== table.id)
    .map(({ table: child, field: link }, _, all) => ({
      link: link.id,
      label:
        all.filter((other) => other.table.id === child.id).length > 1
          ? `${child.plural} (${link.label})`
          : child.plural,
      fields: order(child)
        .filter((field) => field.id !== link.id && !ASIDE.has(field.type.kind))
        .map((field) => place(child, field)),
      shown: true,
      rights: { ...ALL_RIGHTS, relink: false },
    }));
  return {
    type: 'form',
    id,
    label,
    table: table.id,
    fields: fillRows(order(table).map((field) => place(table, field))),
    hidden: [],
    subforms,
    rights: ALL_RIGHTS,
  };
}

const ALL_RIGHTS: Form['rights'] = { add: true, change: true, delete: true };

/** Moves an item of a list to another place; places outside are brought to the nearest end. */
export function moved<T>(list: readonly T[], from: number, to: number): T[] {
  const item = list[from];
  if (item === undefined) return [...list];
  const rest = list.filter((_, i) => i !== from);
  const at = Math.min(Math.max(to, 0), rest.length);
  return [...rest.slice(0, at), item, ...rest.slice(at)];
}
