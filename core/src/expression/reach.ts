import { writtenName } from './parse';
import type { Catalog, ExprTable, Type } from './types';

/** Something that may stand at a place of an expression: as it is written there, and what it is, for people. */
export interface Reached {
  readonly text: string;
  readonly what: string;
}

/** Names behind other names that are told before their way is begun. */
const MOST_FAR = 300;

/** How many links away fields are told of before their way is begun. */
const FAR = 2;

const bare = (name: string): string => name.replace(/"/g, '').toLowerCase();

const TYPES: Readonly<Partial<Record<Type['type'], string>>> = {
  boolean: 'yes or no',
  instant: 'date and time',
};

const whatOf = ({ link, type }: ExprTable['fields'][number]): string =>
  link === undefined ? (TYPES[type.type] ?? type.type) : 'lookup';

/** Where a name leads from rows of a table: along a lookup, a link, or to the rows that lead here. */
function ledTo({ fields, links, children }: ExprTable, step: string): string | null {
  const isIt = ({ name }: { readonly name: string }): boolean => name.toLowerCase() === bare(step);
  return fields.find(isIt)?.link ?? links.find(isIt)?.table ?? children.find(isIt)?.table ?? null;
}

/**
 * What may follow the names `steps` from rows of a table, links of both directions included; null where they lead
 * nowhere. Where nothing is written yet, also what stands up to two links of one row away, by its whole way.
 */
export function reached(catalog: Catalog, table: string, steps: readonly string[]): Reached[] | null {
  let at: string | null = table;
  for (const step of steps) {
    at = ledTo(catalog.table(at), step);
    if (at === null) return null;
  }
  const { fields, links, children } = catalog.table(at);
  const near: Reached[] = [
    ...fields.map((field) => ({ text: writtenName(field.name), what: whatOf(field) })),
    ...links.map(({ name }) => ({ text: writtenName(name), what: 'one row' })),
    ...children.map(({ name }) => ({ text: writtenName(name), what: 'many rows' })),
  ];
  return steps.length > 0 ? near : [...near, ...far(catalog, at, '', FAR).slice(0, MOST_FAR)];
}

/** The fields of the rows that a row leads to, the nearest first. */
function far(catalog: Catalog, table: string, way: string, left: number): Reached[] {
  if (left === 0) return [];
  const { fields, links } = catalog.table(table);
  const ways = [
    ...fields.flatMap(({ name, link }) => (link === undefined ? [] : [{ name, to: link }])),
    ...links.map(({ name, table: to }) => ({ name, to })),
  ].map(({ name, to }) => ({ way: `${way}${writtenName(name)}.`, to }));
  return [
    ...ways.flatMap(({ way: own, to }) =>
      catalog
        .table(to)
        .fields.map((field) => ({ text: `${own}${writtenName(field.name)}`, what: whatOf(field) })),
    ),
    ...ways.flatMap(({ way: own, to }) => far(catalog, to, own, left - 1)),
  ];
}
