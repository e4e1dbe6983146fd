import {
  linksTo,
  stampsTime,
  tableOf,
  type Design,
  type Field,
  type Form,
  type FormCell,
  type KindName,
  type Subform,
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

const ordered = (table: Table): Field[] => [
  ...table.fields.filter(({ id }) => table.key.includes(id)),
  ...table.fields.filter(({ id, type }) => !table.key.includes(id) && type.kind !== 'longText'),
  ...table.fields.filter(({ id, type }) => !table.key.includes(id) && type.kind === 'longText'),
];

/** Controls of at least this width take what is left of their row. */
const WIDE = 6;

/** A field as a cell of a form, as wide as its kind wants to be. */
export const cellFor = (field: Field): FormCell => ({
  part: 'cell',
  field: field.id,
  width: widthOf(field),
  people: field.type.kind === 'runningNumber' ? 'read' : 'type',
});

/**
 * Stretches the last wide control of each row so that rows of the 12-column grid are full: controls
 * keep their order, and dates and numbers stay as narrow as they are.
 */
export function fillRows(cells: readonly FormCell[]): FormCell[] {
  const rows: FormCell[][] = [[]];
  for (const cell of cells) {
    const row = rows[rows.length - 1]!;
    const used = row.reduce((sum, { width }) => sum + width, 0);
    if (used + cell.width > 12) rows.push([cell]);
    else row.push(cell);
  }
  return rows.flatMap((row) => {
    const rest = 12 - row.reduce((sum, { width }) => sum + width, 0);
    const wide = row.map(({ width }) => width >= WIDE).lastIndexOf(true);
    return row.map((cell, i) => (i === wide ? { ...cell, width: cell.width + rest } : cell));
  });
}

/** Kinds that stay out of the rows of a subform at first: they take room there and are rarely asked for. */
const ASIDE: ReadonlySet<KindName> = new Set(['stamp', 'picture', 'file']);

const ALL_RIGHTS: Form['rights'] = { add: true, change: true, delete: true };

/** A table that a form is to show, and which of its fields; all where `fields` is null. */
export interface Wanted {
  readonly table: string;
  readonly fields: readonly string[] | null;
}

/** How deep subforms are made within one another. */
const MOST_LEVELS = 6;

/**
 * A subform for the rows that lead by a link to those of a table; `wanted` says which tables' rows stand within them,
 * down to so many levels.
 */
export function subformFor(
  design: Design,
  { table: child, field: link }: { readonly table: Table; readonly field: Field },
  wanted: readonly Wanted[] = [],
  above: readonly string[] = [],
  levels = 1,
): Subform {
  const parent = link.type.kind === 'lookup' ? link.type.table : '';
  const alike = linksTo(design, parent).filter(({ table }) => table.id === child.id);
  const fields = wanted.find(({ table }) => table === child.id)?.fields ?? null;
  const cells = ordered(child)
    .filter(({ id }) => id !== link.id)
    .filter(({ id, type }) => (fields ? fields.includes(id) : !ASIDE.has(type.kind)));
  return {
    part: 'subform',
    link: link.id,
    label: alike.length > 1 ? `${child.plural} (${link.label})` : child.plural,
    look: 'grid',
    rights: { ...ALL_RIGHTS, relink: false },
    parts: [...cells.map(cellFor), ...subformsFor(design, child, wanted, [...above, parent], levels - 1)],
  };
}

/** Subforms for those of the wanted tables whose rows lead to a table; none goes round in a circle. */
function subformsFor(
  design: Design,
  table: Table,
  wanted: readonly Wanted[],
  above: readonly string[],
  levels: number,
): Subform[] {
  if (levels <= 0) return [];
  return linksTo(design, table.id)
    .filter(({ table: { id } }) => id !== table.id && !above.includes(id))
    .filter(({ table: { id } }) => wanted.some((other) => other.table === id))
    .map((link) => subformFor(design, link, wanted, above, levels));
}

/** Which tables a form with this one outermost would show of those wanted, itself included. */
function reached(design: Design, root: string, wanted: readonly Wanted[]): ReadonlySet<string> {
  const found = new Set([root]);
  for (const id of found)
    for (const { table } of linksTo(design, id))
      if (wanted.some((other) => other.table === table.id)) found.add(table.id);
  return found;
}

/**
 * A form over several tables, made in one step: which of them is the parent and which are children, and how deep, is
 * seen from the links. The outermost is the table that the most of the others lead to; of several, the one named first.
 * `left` are those that nothing leads from. Throws when no table is wanted, or one is unknown.
 */
export function formFromTables(
  design: Design,
  wanted: readonly Wanted[],
  id: string,
  label?: string,
): { readonly form: Form; readonly left: readonly Table[] } {
  const [first] = wanted;
  if (!first) throw new Error('A form needs a table.');
  const ways = wanted.map((root) => ({ root, shown: reached(design, root.table, wanted) }));
  const { root, shown } = ways.reduce((best, way) => (way.shown.size > best.shown.size ? way : best));
  const table = tableOf(design, root.table);
  const cells = ordered(table).filter((field) => root.fields?.includes(field.id) ?? true);
  return {
    form: {
      type: 'form',
      id,
      label: label ?? table.plural,
      table: table.id,
      parts: [...fillRows(cells.map(cellFor)), ...subformsFor(design, table, wanted, [], MOST_LEVELS)],
      rights: ALL_RIGHTS,
      opens: 'first',
    },
    left: wanted.filter((other) => !shown.has(other.table)).map((other) => tableOf(design, other.table)),
  };
}

/** The tables whose rows lead to those of a table, by so many links at most; itself first. */
export function leadingTables(design: Design, table: Table, levels: number): readonly Table[] {
  const found = new Set([table]);
  let last: readonly Table[] = [table];
  for (let level = 0; level < levels; level++) {
    last = last.flatMap(({ id }) => linksTo(design, id).map((link) => link.table));
    for (const other of last) found.add(other);
  }
  return [...found];
}

/**
 * A form made from a table in one step: a control for every field, key first and long texts last, and
 * a subform for every table that links to it; with more levels, within those for what links to them.
 */
export function formFromTable(design: Design, table: Table, id: string, label?: string, levels = 1): Form {
  const { form } = formFromTables(design, [{ table: table.id, fields: null }], id, label);
  const wanted = leadingTables(design, table, levels).map((other) => ({ table: other.id, fields: null }));
  return { ...form, parts: [...form.parts, ...subformsFor(design, table, wanted, [], levels)] };
}

/** Moves an item of a list to another place; places outside are brought to the nearest end. */
export function moved<T>(list: readonly T[], from: number, to: number): T[] {
  const item = list[from];
  if (item === undefined) return [...list];
  const rest = list.filter((_, i) => i !== from);
  const at = Math.min(Math.max(to, 0), rest.length);
  return [...rest.slice(0, at), item, ...rest.slice(at)];
}
