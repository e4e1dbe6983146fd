import type { Change } from '@heathridge/core/change';
import {
  fieldOf,
  nameFromLabel,
  uniqueName,
  type Design,
  type Table,
  type TableLink,
} from '@heathridge/core/design';
import type { LinkOffer } from '@heathridge/core/plan';
import { newId } from '../shared/ids';

/** A foreign key of several fields, with a name that nothing else in the table has. */
export function newLink(
  child: Table,
  parent: Table,
  on: LinkOffer['on'],
  onDelete: TableLink['onDelete'],
  taken: readonly string[] = [],
): TableLink {
  const name = uniqueName(nameFromLabel(parent.label, 'link'), [
    ...child.fields.map((field) => field.name),
    ...child.links.map((link) => link.name),
    ...taken,
  ]);
  return {
    id: newId('l'),
    name,
    label: parent.label,
    table: parent.id,
    on: on.map((pair) => ({ ...pair })),
    onDelete,
  };
}

/** The changes that make offered links good: a field becomes a lookup, several fields become a link. */
export function changesFor(design: Design, offers: readonly LinkOffer[]): Change[] {
  const changed = new Map<string, Table>();
  const find = (id: string): Table | undefined =>
    changed.get(id) ?? design.tables.find((table) => table.id === id);
  return offers.flatMap((offer): Change[] => {
    const [child, parent] = [find(offer.child), find(offer.parent)];
    const own = child && fieldOf(child, offer.on[0]!.own);
    if (!child || !parent || !own) return [];
    if (offer.on.length === 1) {
      const type = { kind: 'lookup', table: parent.id, shows: null, onDelete: 'refuse' } as const;
      return [
        {
          change: 'changeField',
          table: child.id,
          field: own.id,
          set: { type, indexed: false },
        },
      ];
    }
    const links = [...child.links, newLink(child, parent, offer.on, 'refuse')];
    changed.set(child.id, { ...child, links });
    return [{ change: 'changeTable', table: child.id, set: { links } }];
  });
}
