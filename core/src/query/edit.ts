import {
  allLinks,
  linksFrom,
  uniqueName,
  type Design,
  type Link,
  type Query,
  type QueryCondition,
  type QueryJoin,
} from '../design';
import { activeJoins, joinedTo, outputColumns, scopeOf, sourceOf, sourceWords } from './scope';
import { withDrawn } from './pivot';
import { querySort } from './sort';

/** A place in a tree of conditions: an index for each level. */
export type Place = readonly number[];

/** The conditions with what `change` makes of the one at a place; null takes it out, and groups that are left empty. */
export function changedAt(
  conditions: readonly QueryCondition[],
  [index, ...rest]: Place,
  change: (condition: QueryCondition) => QueryCondition | null,
): QueryCondition[] {
  return conditions.flatMap((condition, i): QueryCondition[] => {
    if (i !== index) return [condition];
    if (rest.length > 0) {
      if (condition.is === 'so') return [condition];
      const of = changedAt(condition.of, rest, change);
      return of.length > 0 ? [{ ...condition, of }] : [];
    }
    const next = change(condition);
    return next ? [next] : [];
  });
}

/** The conditions with one more at the end of a group, or of all where the place is empty. */
export const addedTo = (
  conditions: readonly QueryCondition[],
  place: Place,
  condition: QueryCondition,
): QueryCondition[] =>
  place.length === 0
    ? [...conditions, condition]
    : changedAt(conditions, place, (group) =>
        group.is === 'so' ? group : { ...group, of: [...group.of, condition] },
      );

/** The conditions with one beside that at a place, of which either is to hold. */
export const orElse = (
  conditions: readonly QueryCondition[],
  place: Place,
  condition: QueryCondition,
): QueryCondition[] => changedAt(conditions, place, (other) => ({ is: 'any', of: [other, condition] }));

/** The condition at a place; undefined where there is none. */
export function conditionAt(
  conditions: readonly QueryCondition[],
  [index, ...rest]: Place,
): QueryCondition | undefined {
  const condition = conditions[index!];
  if (rest.length === 0 || condition === undefined) return condition;
  return condition.is === 'so' ? undefined : conditionAt(condition.of, rest);
}

/** Parts of a sentence that stand in an order among those of their sort. */
export const MOVABLE = ['column', 'group', 'measure', 'where', 'keep', 'sort'] as const;
export type Movable = (typeof MOVABLE)[number];

/** How many parts of a sort stand beside one another; conditions within others are not counted. */
export function partsOf(query: Query, what: Movable): number {
  switch (what) {
    case 'column':
      return query.columns.length;
    case 'group':
      return query.group?.by.length ?? 0;
    case 'measure':
      return query.group?.measures.length ?? 0;
    default:
      return query[what].length;
  }
}

/** The query with one of its parts in another place among those of its sort; places beyond them are the ends. */
export function movedPart(query: Query, what: Movable, from: number, to: number): Query {
  const moved = <Part>(list: readonly Part[]): Part[] => {
    const rest = [...list];
    const [part] = rest.splice(from, 1);
    if (part !== undefined) rest.splice(Math.max(0, to), 0, part);
    return rest;
  };
  const { group } = query;
  switch (what) {
    case 'column':
      return { ...query, columns: moved(query.columns) };
    case 'group':
      return { ...query, group: group && { ...group, by: moved(group.by) } };
    case 'measure':
      return { ...query, group: group && { ...group, measures: moved(group.measures) } };
    case 'where':
      return { ...query, where: moved(query.where) };
    case 'keep':
      return { ...query, keep: moved(query.keep) };
    case 'sort':
      return { ...query, sort: moved(query.sort) };
  }
}

/** What may be put beside the rows of a query. */
export interface JoinChoice {
  readonly at: string | null;
  readonly by: QueryJoin['by'];
  /** The table or query it is of. */
  readonly to: string;
  /** Whose it is: empty for that of the rows it starts from. */
  readonly of: string;
  readonly label: string;
  /** Whether there may be several of it for one row. */
  readonly many: boolean;
}

/** All that the links of a file lead to from the rows of a query, in both directions, what is joined already left out. */
export function joinChoices(design: Design, query: Query): JoinChoice[] {
  const links = allLinks(design);
  const nodes: { at: string | null; to: string; of: string }[] = [{ at: null, to: query.from, of: '' }];
  const active = activeJoins(query);
  for (const join of active) {
    const around = nodes.find(({ at }) => at === join.at)!;
    const to = joinedTo(design, join, around.to);
    nodes.push({ at: join.id, to, of: owner(around.of, joinLabel(design, join, to)) });
  }
  const isThere = (at: string | null, by: 'link' | 'children', link: string): boolean =>
    active.some((join) => join.at === at && join.by.by === by && join.by.link === link);
  return nodes.flatMap(({ at, to, of }) => {
    const source = sourceOf(design, to);
    if (!source) return [];
    if (source.of === 'query') return lookupsOf(design, query, at, to, of);
    const parents = linksFrom(design, source.table)
      .filter(({ id }) => !isThere(at, 'link', id))
      .map((link): JoinChoice => ({
        at,
        by: { by: 'link', link: link.id },
        to: link.parent.id,
        of,
        label: link.label.toLowerCase(),
        many: false,
      }));
    const children = links
      .filter(({ parent, id }) => parent.id === to && !isThere(at, 'children', id))
      .map((link): JoinChoice => ({
        at,
        by: { by: 'children', link: link.id },
        to: link.child.id,
        of,
        label: childWords(links, link),
        many: true,
      }));
    return [...parents, ...children];
  });
}

/** The lookups among the columns of a query. */
function lookupsOf(design: Design, query: Query, at: string | null, from: string, of: string): JoinChoice[] {
  const table = at === null ? scopeOf(design, query).base : scopeOf(design, query).catalog.table(from);
  const source = sourceOf(design, from)!;
  const labels = source.of === 'query' ? outputColumns(design, source.query) : [];
  return table.fields.flatMap(({ id, name, link }) =>
    link === undefined
      ? []
      : [
          {
            at,
            by: { by: 'link' as const, link: id },
            to: link,
            of,
            label: (labels.find((column) => column.id === id)?.label ?? name).toLowerCase(),
            many: false,
          },
        ],
  );
}

const owner = (of: string, label: string): string => (of === '' ? label : `${of}’s ${label}`);

/** Child rows by their table, and by their link too where several lead to one row. */
function childWords(links: readonly Link[], { child, parent, label }: Link): string {
  const several = links.filter((other) => other.child === child && other.parent === parent).length > 1;
  const plural = child.plural.toLowerCase();
  return several ? `${plural} (as ${label.toLowerCase()})` : plural;
}

/** What a join puts beside the rows, in words. */
export function joinLabel(design: Design, { by, name }: QueryJoin, to: string): string {
  const source = sourceOf(design, to);
  const words = source ? sourceWords(source) : null;
  if (by.by === 'link') {
    const links = design.tables.flatMap((table) => linksFrom(design, table));
    const found = links.find(({ id }) => id === by.link);
    return (found?.label ?? words?.label ?? 'a link that is gone').toLowerCase();
  }
  if (by.by === 'children') {
    const links = allLinks(design);
    const found = links.find(({ id }) => id === by.link);
    return found ? childWords(links, found) : 'a link that is gone';
  }
  return name?.replaceAll('_', ' ') ?? words?.label.toLowerCase() ?? 'rows that are gone';
}

/** The query with more rows beside its own; where there may be several they get a name of their own. */
export function withJoin(
  design: Design,
  query: Query,
  { at, by, to, many }: Pick<JoinChoice, 'at' | 'by' | 'to' | 'many'>,
  id: string,
): Query {
  const join: QueryJoin = { id, at, by, keepWithout: true };
  if (by.by === 'link' && !many) return { ...query, joins: [...query.joins, join] };
  const { catalog, table } = scopeOf(design, query);
  const rows = catalog.table(table);
  const taken = [
    ...[...rows.fields, ...rows.links, ...rows.children].map(({ name }) => name),
    ...query.joins.flatMap(({ name }) => name ?? []),
  ];
  const source = sourceOf(design, to);
  const called = source?.of === 'table' ? source.table.name : catalogName(design, to);
  return { ...query, joins: [...query.joins, { ...join, name: uniqueName(called, taken) }] };
}

function catalogName(design: Design, id: string): string {
  const source = sourceOf(design, id);
  return source
    ? sourceWords(source)
        .label.toLowerCase()
        .replace(/[^\p{L}\p{N}]+/gu, '_')
        .replace(/^_|_$/g, '') || 'rows'
    : 'rows';
}

/** The query without a join or a question, and without all that uses it. */
export const withoutPart = (query: Query, id: string): Query =>
  querySort.without(query, new Set([id])) ?? query;

/** The query with its order only by columns that it shows, and with drawings of those only. */
export function withOrder(design: Design, query: Query): Query {
  if (query.written) {
    const { columns } = query.written;
    // Until it has run nothing is known of them; the sentence waits as it is.
    return columns.length === 0
      ? query
      : withDrawn(query, (id) => columns.some((column) => column.id === id));
  }
  const ids = new Set(outputColumns(design, query).map(({ id }) => id));
  const sort = query.sort.filter(({ column }) => ids.has(column));
  const next = {
    ...query,
    sort,
    ...(query.firstOf ? { firstOf: query.firstOf.filter((id) => ids.has(id)) } : {}),
  };
  return withDrawn(next, (id) => ids.has(id));
}
