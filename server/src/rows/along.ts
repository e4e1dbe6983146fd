import { fieldOf, linksFrom, type Design, type Field, type Link, type Table } from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import type { RowKey } from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';
import { fromStored, toStored } from './codec';
import { remember, type Row } from '../store/history';
import { rowsWith, type Saving } from './saving';
import { keyOf } from './tables';
import type { Connection } from '../store/driver';
import { asBytes, prepared, textOf } from '../store/statements';
import { keyColumns } from './json';

/** The links that lead to a table, from its own rows too. */
const linksInto = (design: Design, table: Table): Link[] =>
  design.tables.flatMap((child) => linksFrom(design, child).filter(({ parent }) => parent.id === table.id));

/** What a field that leads to a row holds: a lookup the key as the file keeps it, any other field its value. */
const heldBy = ([own, other]: readonly [Field, Field], parent: Row): Value =>
  fromStored(own, toStored(other, parent[other.id] ?? null));

const childrenOf = (saving: Saving, link: Link, parent: Row): Row[] =>
  rowsWith(
    saving,
    link.child,
    link.on.map(([own]) => own),
    link.on.map((pair) => heldBy(pair, parent)),
  );

/**
 * Writes into the history what the file does by itself to other rows when this one is deleted, children
 * first: rows that are deleted along with it, one by one, and lookups that are left empty. Call it before
 * the row is deleted, and remember that row itself afterwards.
 */
export function rememberDeletedAlong(saving: Saving, table: Table, row: Row, seen = new Set<string>()): void {
  seen.add(nameOf(table, row));
  for (const link of linksInto(saving.design, table)) {
    if (link.onDelete === 'refuse') continue;
    for (const child of childrenOf(saving, link, row)) {
      if (seen.has(nameOf(link.child, child))) continue;
      if (link.onDelete === 'deleteAlong') {
        rememberDeletedAlong(saving, link.child, child, seen);
        remember(saving, link.child, keyOf(link.child, child), 'delete', child, null);
      } else {
        const emptied = Object.fromEntries(link.on.map(([own]) => [own.id, null] as const));
        const after = { ...child, ...emptied };
        remember(saving, link.child, keyOf(link.child, child), 'update', child, after);
      }
    }
  }
}

/** The same for rows that follow a key that changes. Call it before the row is changed. */
export function rememberRekeyed(
  saving: Saving,
  table: Table,
  before: Row,
  after: Row,
  seen = new Set<string>(),
): void {
  seen.add(nameOf(table, before));
  for (const link of linksInto(saving.design, table)) {
    const moved = link.on.some(([, other]) => before[other.id] !== after[other.id]);
    if (!moved) continue;
    const set = Object.fromEntries(
      link.on.map(([own, other]) => [own.id, heldBy([own, other], after)] as const),
    );
    for (const child of childrenOf(saving, link, before)) {
      if (seen.has(nameOf(link.child, child))) continue;
      const next: Row = { ...child, ...set };
      remember(saving, link.child, keyOf(link.child, child), 'update', child, next);
      rememberRekeyed(saving, link.child, child, next, seen);
    }
  }
}

const nameOf = (table: Table, row: Row): string => `${table.id} ${JSON.stringify(keyOf(table, row))}`;

/** True when one of these values belongs to the key of a table. */
export const changesKey = (table: Table, values: Readonly<Record<string, Value>>): boolean =>
  table.key.some((id) => id in values && fieldOf(table, id) !== undefined);

/** Rows that are followed through one link at most: where there are more, that is all that is said. */
const MOST_FOLLOWED = 10_000;

/** What becomes of other rows when rows are deleted. */
export interface Along {
  /** The id of their table, and the label of what leads from them. */
  readonly table: string;
  /** What one of its rows is called, and several. */
  readonly one: string;
  readonly many: string;
  readonly link: string;
  readonly becomes: 'deleted' | 'emptied' | 'in the way';
  readonly count: number;
  readonly more: boolean;
}

/** The keys of the rows that lead to these by a link. */
function leadingTo(db: Connection, { child, parent, on }: Link, keys: readonly RowKey[]): RowKey[] {
  const column = (row: string, field: Field): string => `${row}.${sqlName(field.name)}`;
  const picked = keyColumns(parent, 'p').map((key, i) => `${key} = json_extract(k.value, '$[${i}]')`);
  const linked = on.map(([own, other]) => `${column('c', own)} = ${column('p', other)}`);
  const sql =
    `SELECT DISTINCT ${asBytes(`json_array(${keyColumns(child, 'c').join(', ')})`)} FROM json_each(?) AS k ` +
    `JOIN ${sqlName(parent.name)} AS p ON ${picked.join(' AND ')} ` +
    `JOIN ${sqlName(child.name)} AS c ON ${linked.join(' AND ')} LIMIT ${MOST_FOLLOWED + 1}`;
  const rows = prepared(db, sql).all([JSON.stringify(keys)]) as [Buffer][];
  return rows.map(([key]) => JSON.parse(textOf(key)) as RowKey);
}

/**
 * What would become of other rows if these were deleted, however far that goes; rows that go along themselves are
 * neither left empty nor in the way. Nothing is changed.
 */
export function goesAlong(
  db: Connection,
  design: Design,
  table: Table,
  keys: readonly RowKey[],
): readonly Along[] {
  const gone = new Map([[table.id, new Set(keys.map((key) => JSON.stringify(key)))]]);
  const goneOf = ({ id }: Table): Set<string> => {
    const known = gone.get(id) ?? new Set<string>();
    gone.set(id, known);
    return known;
  };
  const met = new Map<string, { readonly link: Link; readonly rows: Set<string> }>();
  const queue: [Table, readonly RowKey[]][] = [[table, keys]];
  // The list grows while it is gone through.
  for (const [parent, rows] of queue)
    for (const link of linksInto(design, parent)) {
      const known = met.get(link.id) ?? { link, rows: new Set<string>() };
      met.set(link.id, known);
      const fresh = leadingTo(db, link, rows).filter((key) => !known.rows.has(JSON.stringify(key)));
      fresh.forEach((key) => known.rows.add(JSON.stringify(key)));
      if (link.onDelete !== 'deleteAlong') continue;
      const going = fresh.filter((key) => !goneOf(link.child).has(JSON.stringify(key)));
      going.forEach((key) => goneOf(link.child).add(JSON.stringify(key)));
      if (going.length > 0) queue.push([link.child, going]);
    }
  const asked = new Set(keys.map((key) => JSON.stringify(key)));
  return [...met.values()].flatMap(({ link, rows }): Along[] => {
    const deletes = link.onDelete === 'deleteAlong';
    const counted = [...rows].filter((key) =>
      deletes ? !(link.child.id === table.id && asked.has(key)) : !goneOf(link.child).has(key),
    );
    if (counted.length === 0) return [];
    const becomes = deletes ? 'deleted' : link.onDelete === 'refuse' ? 'in the way' : 'emptied';
    const count = Math.min(counted.length, MOST_FOLLOWED);
    const { id, label: one, plural: many } = link.child;
    return [{ table: id, one, many, link: link.label, becomes, count, more: counted.length > count }];
  });
}
