import { attempt } from '../expression';
import {
  boundIn,
  conditionIn,
  fieldOf,
  findField,
  type Design,
  type Field,
  type Form,
  type FormCell,
  type FormPart,
  type FormWorked,
  type Subform,
  type Table,
} from '../design';
import { cellsOf, inTabOrder, subformsOf, workedOf } from './tree';

/**
 * The rows of one table on a form: the record itself, or a subform's; and the levels beneath each of its rows. What
 * reads, shows, checks and saves the rows of a form goes along these.
 */
export interface Level {
  readonly table: Table;
  /** Whether the order of the Tab key was made by hand: it is not that of reading then. */
  readonly isByHand: boolean;
  /** In the order of the Tab key. */
  readonly cells: readonly { readonly field: Field; readonly cell: FormCell }[];
  /** The conditions under which cells are only to be read, or are not there. */
  readonly limits: readonly CellLimit[];
  /** What is worked out for each of its rows beside its fields, as far as its expressions can be read. */
  readonly worked: readonly FormWorked[];
  readonly rights: Subform['rights'];
  /** Null for the record. */
  readonly subform: Subform | null;
  /** The field of its rows that leads to the row around them; null for the record. */
  readonly link: Field | null;
  readonly levels: readonly Level[];
}

/** A condition on a cell: where it holds for a row, the cell is only to be read there, or is not there. */
export interface CellLimit {
  /** What it is known by among what is worked out for the row: no field and no part has such an id. */
  readonly id: string;
  readonly field: string;
  readonly limit: 'read' | 'hide';
  readonly expression: string;
  readonly result: { readonly kind: 'tick' };
}

/** What the condition that hides a field, or closes it, is known by for its row. */
export const limitId = (limit: CellLimit['limit'], field: string): string => `${limit} ${field}`;

/** A picture of the row to which a lookup leads, beside its text. */
export interface LinkedPicture {
  /** What it is known by among what comes with a row. */
  readonly id: string;
  readonly lookup: Field;
  /** The table to which the lookup leads, and its field with the picture. */
  readonly table: Table;
  readonly picture: Field;
}

/** What the picture beside a lookup is known by for its row: no field and no part has such an id. */
export const pictureId = (field: string): string => `picture ${field}`;

/** The pictures that stand beside lookups of a level. */
export const linkedPictures = (design: Design, { cells }: Level): LinkedPicture[] =>
  cells.flatMap(({ field: lookup, cell }) => {
    const found = cell.picture === undefined ? undefined : findField(design, cell.picture);
    const { type } = lookup;
    if (type.kind !== 'lookup' || found?.table.id !== type.table || found.field.type.kind !== 'picture')
      return [];
    return [{ id: pictureId(lookup.id), lookup, table: found.table, picture: found.field }];
  });

/**
 * A cell as it is where one of its conditions cannot be read any more: what says when it is seen keeps it away, what
 * says when it is typed into closes it. Null for away.
 */
function readable(cell: FormCell, isRead: (condition: string) => boolean): FormCell | null {
  const { readIf, ...rest } = cell;
  if (cell.hideIf !== undefined && !isRead(cell.hideIf)) return null;
  return readIf === undefined || isRead(readIf) ? cell : { ...rest, people: 'read' };
}

const TICK = { kind: 'tick' } as const;

const limitsOf = ({ field, readIf, hideIf }: FormCell): CellLimit[] =>
  [['read', readIf] as const, ['hide', hideIf] as const].flatMap(([limit, expression]) =>
    expression === undefined ? [] : [{ id: limitId(limit, field), field, limit, expression, result: TICK }],
  );

/** The levels of a form, outermost the record; null where its table is gone. What is gone of the rest is left out. */
export function levelOf(design: Design, form: Form): Level | null {
  const table = design.tables.find(({ id }) => id === form.table);
  const order = form.list ? undefined : form.tabOrder;
  return table ? levelAt(design, table, form.parts, order, { ...form.rights, relink: false }, null) : null;
}

function levelAt(
  design: Design,
  table: Table,
  parts: readonly FormPart[],
  order: readonly string[] | undefined,
  rights: Subform['rights'],
  subform: Subform | null,
): Level {
  const cells = inTabOrder(
    cellsOf(parts).flatMap((found) => {
      const field = fieldOf(table, found.field);
      const cell =
        field && readable(found, (condition) => attempt(() => conditionIn(design, table.id, condition)).ok);
      return field && cell ? [{ field, cell }] : [];
    }),
    order,
    ({ field }) => field.id,
  );
  return {
    table,
    rights,
    subform,
    link: subform ? (fieldOf(table, subform.link) ?? null) : null,
    worked: workedOf(parts).filter(
      ({ expression }) => attempt(() => boundIn(design, table.id, expression)).ok,
    ),
    isByHand: order !== undefined,
    cells,
    limits: cells.flatMap(({ cell }) => limitsOf(cell)),
    levels: subformsOf(parts).flatMap((inner) => {
      const found = findField(design, inner.link);
      const leads = found?.field.type.kind === 'lookup' && found.field.type.table === table.id;
      const own = inner.look === 'cards' ? inner.tabOrder : undefined;
      return leads ? [levelAt(design, found.table, inner.parts, own, inner.rights, inner)] : [];
    }),
  };
}

/** A level and all beneath it, outer ones first. */
export const allLevels = (level: Level): Level[] => [level, ...level.levels.flatMap(allLevels)];

/** The level to which a path of links leads from the record. */
export const levelTo = (level: Level, path: readonly string[]): Level | null =>
  path.reduce<Level | null>(
    (at, link) => at?.levels.find(({ subform }) => subform?.link === link) ?? null,
    level,
  );
