import {
  displayOf,
  findField,
  idsUsed,
  isStored,
  readableName,
  type Design,
  type Field,
  type Query,
  type Table,
} from '../design';
import { allRead } from './scope';

/** A field by its table. */
export interface FieldPlace {
  readonly table: string;
  readonly field: string;
}

/** Indexes that are tried for one query. */
export const MOST_TRIED = 8;

/** What an index does not help to find, however it is asked for. */
const NOT_SOUGHT: ReadonlySet<Field['type']['kind']> = new Set(['longText', 'picture', 'file', 'tick']);

/** Whether rows are kept in the order of a field already. */
const isKeptInOrder = (table: Table, { id, type, indexed, noTwoAlike }: Field): boolean =>
  indexed || noTwoAlike || type.kind === 'lookup' || table.key[0] === id;

/**
 * The fields whose index might make a query quicker: those by which it keeps, joins, groups or sorts rows, itself or in
 * a query that it reads, as far as they have none. Whether one does is for the engine to say.
 */
export function indexCandidates(design: Design, query: Query): FieldPlace[] {
  const ids = new Set<string>();
  const words = new Set<string>();
  for (const { where, joins, group, columns, sort, written } of allRead(design, query)) {
    const sorted = columns.filter(({ id }) => sort.some(({ column }) => column === id));
    idsUsed([where, joins, group?.by ?? [], sorted, sort.map(({ column }) => column)], ids);
    for (const word of written?.sql.toLowerCase().match(/\w+/g) ?? []) words.add(word);
  }
  // A set is gone through with what is added meanwhile: what is worked out is worked out of fields.
  for (const id of ids) {
    const type = findField(design, id)?.field.type;
    if (type?.kind === 'workedOut') idsUsed(type.expression, ids);
    if (type?.kind === 'lookup') {
      const to = design.tables.find((table) => table.id === type.table);
      if (to) idsUsed(type.shows ?? displayOf(to), ids);
    }
  }
  const isNamed = (table: Table, { name }: Field): boolean =>
    words.has(name.toLowerCase()) &&
    (words.has(table.name.toLowerCase()) || words.has(readableName(table).toLowerCase()));
  return design.tables.flatMap((table) =>
    table.fields
      .filter(
        (field) =>
          isStored(field) &&
          (ids.has(field.id) || isNamed(table, field)) &&
          !NOT_SOUGHT.has(field.type.kind) &&
          !isKeptInOrder(table, field),
      )
      .map((field) => ({ table: table.id, field: field.id })),
  );
}

/**
 * Fields whose index nothing reads in its order, or narrows by, that a design says of them: neither the order of a table,
 * of choices, of a screen or a list, nor a condition, a card's column or a filter. `views`: how people keep their lists.
 * Queries and reports are for the engine to tell.
 */
export function idleIndexes(design: Design, views: unknown): FieldPlace[] {
  const { tables, forms, boards } = design;
  const told = idsUsed([
    tables.map(({ order, fields }) => [order, fields.map(({ type }) => 'order' in type && type.order)]),
    forms.map(({ label: _label, rights: _rights, look: _look, ...form }) => orders(form)),
    boards.map(({ filters }) => filters),
    views,
  ]);
  return tables.flatMap((table) =>
    table.fields
      .filter(
        ({ id, type, indexed, noTwoAlike }) =>
          indexed && !noTwoAlike && type.kind !== 'lookup' && table.key[0] !== id && !told.has(id),
      )
      .map((field) => ({ table: table.id, field: field.id })),
  );
}

/** What a form, or a part of one, says of the order and the choice of rows; not what it shows. */
function orders(part: unknown): unknown[] {
  if (Array.isArray(part)) return part.flatMap(orders);
  if (typeof part !== 'object' || part === null) return [];
  return Object.entries(part).flatMap(([name, value]) =>
    RULING.has(name) ? [value as unknown] : orders(value),
  );
}

const RULING: ReadonlySet<string> = new Set(['order', 'conditions', 'cards', 'finds', 'condition']);
