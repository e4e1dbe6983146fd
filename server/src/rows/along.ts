import { fieldOf, linksFrom, type Design, type Field, type Link, type Table } from '@heathridge/core/design';
import type { Value } from '@heathridge/core/values';
import { fromStored, toStored } from './codec';
import { remember, type Row } from '../store/history';
import { rowsWith, type Saving } from './saving';
import { keyOf } from './tables';

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
