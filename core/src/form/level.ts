import { attempt } from '../expression';
import {
  boundIn,
  fieldOf,
  findField,
  type Design,
  type Field,
  type Form,
  type FormCell,
  type FormWorked,
  type Subform,
  type Table,
} from '../design';
import { cellsOf, subformsOf, workedOf } from './tree';

/**
 * The rows of one table on a form: the record itself, or a subform's; and the levels beneath each of its rows. What
 * reads, shows, checks and saves the rows of a form goes along these.
 */
export interface Level {
  readonly table: Table;
  readonly cells: readonly { readonly field: Field; readonly cell: FormCell }[];
  /** What is worked out for each of its rows beside its fields, as far as its expressions can be read. */
  readonly worked: readonly FormWorked[];
  readonly rights: Subform['rights'];
  /** Null for the record. */
  readonly subform: Subform | null;
  /** The field of its rows that leads to the row around them; null for the record. */
  readonly link: Field | null;
  readonly levels: readonly Level[];
}

/** The levels of a form, outermost the record; null where its table is gone. What is gone of the rest is left out. */
export function levelOf(design: Design, form: Form): Level | null {
  const table = design.tables.find(({ id }) => id === form.table);
  return table ? levelAt(design, table, form, { ...form.rights, relink: false }, null) : null;
}

function levelAt(
  design: Design,
  table: Table,
  { parts }: Pick<Subform, 'parts'>,
  rights: Subform['rights'],
  subform: Subform | null,
): Level {
  return {
    table,
    rights,
    subform,
    link: subform ? (fieldOf(table, subform.link) ?? null) : null,
    worked: workedOf(parts).filter(
      ({ expression }) => attempt(() => boundIn(design, table.id, expression)).ok,
    ),
    cells: cellsOf(parts).flatMap((cell) => {
      const field = fieldOf(table, cell.field);
      return field ? [{ field, cell }] : [];
    }),
    levels: subformsOf(parts).flatMap((inner) => {
      const found = findField(design, inner.link);
      const leads = found?.field.type.kind === 'lookup' && found.field.type.table === table.id;
      return leads ? [levelAt(design, found.table, inner, inner.rights, inner)] : [];
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
