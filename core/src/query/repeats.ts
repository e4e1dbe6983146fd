import { some, type Bound } from '../expression';
import type { Design, Measure, Query, QueryJoin } from '../design';
import {
  activeJoins,
  typedColumns,
  joinedTo,
  scopeOf,
  sourceOf,
  sourceWords,
  type TypedMeasure,
} from './scope';

/** A total that counts rows more than once, because others stand beside them that are several. */
export interface Repeat {
  readonly measure: Measure;
  /** What is counted more than once, one of it. */
  readonly row: string;
  /** The rows because of which it is. */
  readonly because: string;
  /** Whether it can be told to count each once: rows of a table, or those beside them, have keys. */
  readonly canMend: boolean;
}

/** Joins that may put several rows beside one. */
const isMany = ({ by }: QueryJoin): boolean => by.by !== 'link';

/** Totals that come out the same however often a row is there. */
const SAFE: ReadonlySet<Measure['total']> = new Set(['distinct', 'least', 'most', 'first', 'last']);

/** The joins that expressions look at, with those between them and the rows that the query starts from. */
export function joinsUsed(query: Query, bounds: readonly Bound[]): QueryJoin[] {
  const joins = activeJoins(query);
  const used = new Set<string>();
  const reach = (id: string | null): void => {
    const join = joins.find((other) => other.id === id);
    if (!join || used.has(join.id)) return;
    used.add(join.id);
    reach(join.at);
  };
  const follow = (ids: readonly string[]): void => {
    let at: string | null = null;
    for (const id of ids) {
      const next: QueryJoin | undefined = joins.find((join) =>
        join.by.by === 'link' ? join.at === at && join.by.link === id : join.id === id,
      );
      if (!next) break;
      reach(next.id);
      at = next.id;
    }
  };
  for (const bound of bounds)
    some(bound, (node) => {
      const hops =
        node.op === 'ref' || node.op === 'worked'
          ? node.links
          : node.op === 'aggregate'
            ? node.over?.hops
            : null;
      // Only paths from the row at hand lead along what is joined.
      const fromHere = node.op === 'ref' ? node.row === 0 : node.op !== 'aggregate' || node.over?.from === 0;
      if (hops && fromHere) follow(hops.flatMap((hop) => (hop.hop === 'link' ? [hop.field.id] : [])));
      return false;
    });
  return joins.filter(({ id }) => used.has(id));
}

/** The joins whose rows, with the row that the query starts from, a total is about. */
export const joinsOf = (query: Query, { of }: TypedMeasure): QueryJoin[] =>
  of ? joinsUsed(query, [of]) : [];

/** Totals in which rows count more than once. Throws as `scopeOf` does. */
export function repeats(design: Design, query: Query): Repeat[] {
  if (!query.group) return [];
  const many = activeJoins(query).filter(isMany);
  if (many.length === 0) return [];
  const { measures } = typedColumns(design, query, scopeOf(design, query));
  return measures.flatMap((measured): Repeat[] => {
    const { measure } = measured;
    if (SAFE.has(measure.total) || measure.once) return [];
    const own = joinsOf(query, measured);
    const other = many.find((join) => !own.includes(join));
    if (!other) return [];
    const deepest = own.at(-1);
    return [
      {
        measure,
        row: rowWords(design, query, deepest ?? null),
        because: joinRows(design, query, other),
        canMend: measure.total !== 'median' && canCountOnce(design, query, measured),
      },
    ];
  });
}

/** Whether the rows that a total is about have keys by which each can be counted once. */
export function canCountOnce(design: Design, query: Query, measured: TypedMeasure): boolean {
  const sources = [query.from, ...joinsOf(query, measured).map((join) => rowsOfJoin(design, query, join))];
  return sources.every((id) => sourceOf(design, id)?.of === 'table');
}

/** The table or query of the rows that a join puts beside the others. */
export function rowsOfJoin(design: Design, query: Query, join: QueryJoin): string {
  const around = query.joins.find(({ id }) => id === join.at);
  return joinedTo(design, join, around ? rowsOfJoin(design, query, around) : query.from);
}

const rowWords = (design: Design, query: Query, join: QueryJoin | null): string => {
  const source = sourceOf(design, join ? rowsOfJoin(design, query, join) : query.from);
  return source ? sourceWords(source).label.toLowerCase() : 'row';
};

const joinRows = (design: Design, query: Query, join: QueryJoin): string => {
  const source = sourceOf(design, rowsOfJoin(design, query, join));
  return source ? sourceWords(source).plural.toLowerCase() : 'rows';
};
