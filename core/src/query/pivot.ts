import type { Measure, Query } from '../design';
import { chartOf } from '../chart';
import {
  add,
  compare,
  fromText,
  isNumeric,
  showValue,
  toText,
  type Locale,
  type Value,
  type ValueKind,
} from '../values';
import type { ResultColumn } from './compile';
import { conditionTexts } from './scope';

/** Groups and totals as they were worked out, with what they are grouped by behind each row. */
export interface Grouped {
  readonly columns: readonly ResultColumn[];
  readonly rows: readonly (readonly Value[])[];
  /** What each row is grouped by, as it is kept. */
  readonly keys: readonly (readonly (string | null)[])[];
}

/** Cells a pivot has at most: nobody reads more. */
export const MOST_CELLS = 20_000;
/** Columns that run across at most. */
export const MOST_ACROSS = 200;

/** What has no total over several groups: it tells of one group beside another. */
const BETWEEN: ReadonlySet<Measure['total']> = new Set(['running', 'change']);

/** Whether a total over several groups is told by those of the groups: no row counts in two of them. */
const folds = ({ total, once }: Measure, kind: ValueKind): boolean =>
  !once &&
  (total === 'count' ||
    total === 'sum' ||
    ((total === 'least' || total === 'most') && (isNumeric(kind) || kind.kind === 'date')));

/** The groups that run down and those that run across, in their order. */
export function sidesOf(query: Query): { readonly down: string[]; readonly across: string[] } {
  const by = query.group?.by.map(({ id }) => id) ?? [];
  const across = by.filter((id) => query.pivot?.across.includes(id) ?? false);
  return { down: by.filter((id) => !across.includes(id)), across };
}

/** The groups of which there are totals: fewer of those down, of those across, or of both. */
function levelsOf(query: Query): string[][] {
  const { down, across } = sidesOf(query);
  const levels: string[][] = [];
  for (let d = down.length; d >= 0; d--)
    for (let a = across.length; a >= 0; a--)
      if (d < down.length || a < across.length) levels.push([...down.slice(0, d), ...across.slice(0, a)]);
  return levels;
}

/** Whether some groups are left out, so that a total over all rows would not be that of what is shown. */
const isNarrowed = (query: Query): boolean => conditionTexts(query.keep).length > 0 || query.first !== null;

/**
 * The queries for those totals of a pivot that its cells do not tell: an average, a median, what differs. `kinds`: of
 * its columns, in their order.
 */
export function pivotTotals(query: Query, kinds: readonly ValueKind[]): Query[] {
  const { group } = query;
  if (!group || isNarrowed(query)) return [];
  const measures = group.measures.filter(
    (measure, i) => !BETWEEN.has(measure.total) && !folds(measure, kinds[group.by.length + i]!),
  );
  if (measures.length === 0) return [];
  return levelsOf(query).map((level) => ({
    ...query,
    group: { by: group.by.filter(({ id }) => level.includes(id)), measures },
    unlike: false,
    sort: [],
    first: null,
    firstOf: undefined,
  }));
}

/** A cell of a pivot. */
export interface PivotCell {
  readonly text: string;
  /** From 0, the least of all cells of its measure, to 1, the most; null where there is no number, and for totals. */
  readonly heat: number | null;
  /** What its rows are grouped by, by the id of the column: what is not named may be anything. */
  readonly keys: Readonly<Record<string, string | null>>;
}

/** A row or a column: the names of what it is of, fewer than there are levels where it is a total. */
export interface PivotLine {
  readonly names: readonly string[];
  readonly isTotal: boolean;
}

export interface PivotModel {
  readonly down: readonly string[];
  readonly across: readonly string[];
  readonly measures: readonly { readonly label: string; readonly kind: ValueKind }[];
  readonly rows: readonly (PivotLine & { readonly cells: readonly (readonly PivotCell[])[] })[];
  /** For each of them a cell of every row, of each measure. */
  readonly columns: readonly PivotLine[];
  readonly notes: readonly string[];
}

/** A value on one side, with those beneath it. */
interface Node {
  readonly id: string;
  readonly name: string;
  readonly children: Map<string, Node>;
  place: number;
}

const root = (): Node => ({ id: '', name: '', children: new Map(), place: 0 });
const written = (key: string | null | undefined): string =>
  key === null || key === undefined ? 'n' : `s${key}`;

interface Line {
  readonly path: readonly Node[];
  readonly isTotal: boolean;
}

/** The lines of a tree from its root, each with its total behind it. */
function linesOf(
  node: Node,
  depth: number,
  path: readonly Node[],
  order: (nodes: Node[], path: readonly Node[]) => Node[],
): Line[] {
  if (path.length === depth) return [{ path, isTotal: false }];
  const inner = order([...node.children.values()], path).flatMap((child) =>
    linesOf(child, depth, [...path, child], order),
  );
  // One alone is its own total.
  return path.length > 0 && node.children.size === 1 ? inner : [...inner, { path, isTotal: true }];
}

/**
 * Lays groups out as a pivot with subtotals both ways. `totals`: what {@link pivotTotals} asked for, in its order.
 */
export function pivotModel(
  query: Query,
  result: Grouped,
  totals: readonly Grouped[],
  locale: Locale,
): PivotModel {
  const group = query.group!;
  const { down, across } = sidesOf(query);
  const ids = group.by.map(({ id }) => id);
  const measures = group.measures.map((measure, i) => ({
    measure,
    column: result.columns[ids.length + i]!,
    place: ids.length + i,
  }));
  const [downs, acrosses] = [root(), root()];
  const notes: string[] = [];
  let beyond = 0;
  const known = new Map<string, (Value | undefined)[]>();
  const at = (keys: Readonly<Record<string, string>>): string => JSON.stringify(keys);
  const pathKeys = (row: readonly Node[], column: readonly Node[]): Record<string, string> =>
    Object.fromEntries([
      ...row.map((node, i) => [down[i]!, node.id] as const),
      ...column.map((node, i) => [across[i]!, node.id] as const),
    ]);
  const walk = (
    from: Node,
    side: readonly string[],
    row: readonly Value[],
    keys: readonly (string | null)[],
  ): Node[] => {
    const path: Node[] = [];
    let node = from;
    for (const id of side) {
      const place = ids.indexOf(id);
      const key = written(keys[place]);
      let child = node.children.get(key);
      if (!child) {
        const name = showValue(result.columns[place]!.kind, row[place] ?? null, locale) || '(empty)';
        child = { id: key, name, children: new Map(), place: node.children.size };
        node.children.set(key, child);
      }
      path.push(child);
      node = child;
    }
    return path;
  };
  // What runs across is in its own order, however the rows of the result are sorted.
  const acrossOrder = new Map<Node, Value>();
  for (const [r, row] of result.rows.entries()) {
    const keys = result.keys[r]!;
    const columnPath = walk(acrosses, across, row, keys);
    for (const [i, node] of columnPath.entries()) acrossOrder.set(node, row[ids.indexOf(across[i]!)] ?? null);
    const rowPath = walk(downs, down, row, keys);
    const values = measures.map(({ place }) => row[place] ?? null);
    known.set(at(pathKeys(rowPath, columnPath)), values);
    // Totals that the cells tell.
    for (let d = rowPath.length; d >= 0; d--)
      for (let a = columnPath.length; a >= 0; a--) {
        if (d === rowPath.length && a === columnPath.length) continue;
        const key = at(pathKeys(rowPath.slice(0, d), columnPath.slice(0, a)));
        const sums = known.get(key) ?? measures.map(() => undefined);
        for (const [m, { measure, column }] of measures.entries())
          if (folds(measure, column.kind)) sums[m] = folded(measure.total, sums[m], values[m]!);
        known.set(key, sums);
      }
  }
  for (const level of totals) {
    const levelIds = level.columns.map(({ id }) => id);
    for (const [r, row] of level.rows.entries()) {
      const keys = level.keys[r]!;
      const named = Object.fromEntries(
        [...down, ...across].flatMap((id) => {
          const place = levelIds.indexOf(id);
          return place < 0 ? [] : [[id, written(keys[place])] as const];
        }),
      );
      const sums = known.get(at(named));
      if (!sums) continue;
      for (const [m, { measure }] of measures.entries()) {
        const place = levelIds.indexOf(measure.id);
        if (place >= 0) sums[m] = row[place] ?? null;
      }
    }
  }
  if (isNarrowed(query) && measures.some(({ measure, column }) => !folds(measure, column.kind)))
    notes.push('Groups are left out: what cannot be told from those that are shown has no total here.');

  const columnSort = (nodes: Node[]): Node[] =>
    nodes.sort((a, b) => ordered(acrossOrder.get(a) ?? null, acrossOrder.get(b) ?? null));
  const { order } = query.pivot ?? {};
  const by = order ? measures.findIndex(({ measure }) => measure.id === order.measure) : -1;
  const rowSort = (nodes: Node[], path: readonly Node[]): Node[] => {
    if (by < 0) return nodes;
    const total = (node: Node): Value => known.get(at(pathKeys([...path, node], [])))?.[by] ?? null;
    return nodes.sort((a, b) => {
      const [x, y] = [total(a), total(b)];
      if (x === null || y === null) return x === y ? a.place - b.place : x === null ? 1 : -1;
      return (order!.descending ? -1 : 1) * ordered(x, y) || a.place - b.place;
    });
  };
  const all = result.rows.length === 0 ? [] : linesOf(downs, down.length, [], rowSort);
  const rows = all.filter(({ isTotal }) => !isTotal || down.length > 0);
  let columns = linesOf(acrosses, across.length, [], columnSort).filter(
    ({ isTotal }) => !isTotal || across.length > 0,
  );
  if (columns.length > MOST_ACROSS) {
    beyond = columns.length - MOST_ACROSS;
    columns = [...columns.slice(0, MOST_ACROSS - 1), columns.at(-1)!];
  }
  if (beyond > 0)
    notes.push(
      `The first ${MOST_ACROSS} columns are shown; ${beyond.toLocaleString('en-GB')} more are left out.`,
    );
  const scales = measures.map((_, m) => {
    const numbers = result.rows.flatMap((row) => {
      const value = row[measures[m]!.place] ?? null;
      const number = value === null ? Number.NaN : Number(value);
      return Number.isFinite(number) ? [number] : [];
    });
    return numbers.reduce(([least, most], n) => [Math.min(least, n), Math.max(most, n)] as const, [
      Infinity,
      -Infinity,
    ] as const);
  });
  const raw = (path: Record<string, string>): Record<string, string | null> =>
    Object.fromEntries(Object.entries(path).map(([id, key]) => [id, key === 'n' ? null : key.slice(1)]));
  return {
    down: down.map((id) => group.by.find((column) => column.id === id)!.label),
    across: across.map((id) => group.by.find((column) => column.id === id)!.label),
    measures: measures.map(({ column: { label, kind } }) => ({ label, kind })),
    columns: columns.map(named),
    rows: rows.map((row) => ({
      ...named(row),
      cells: columns.map((column) => {
        const path = pathKeys(row.path, column.path);
        const values = known.get(at(path));
        const keys = raw(path);
        return measures.map(({ column: { kind } }, m): PivotCell => {
          const value = values?.[m] ?? null;
          const number = value === null || !isNumeric(kind) ? null : Number(value);
          const [least, most] = scales[m]!;
          const isCell = !row.isTotal && !column.isTotal;
          return {
            text: showValue(kind, value, locale),
            heat: number === null || !isCell ? null : most > least ? (number - least) / (most - least) : 0.5,
            keys,
          };
        });
      }),
    })),
    notes,
  };
}

const named = ({ path, isTotal }: Line): PivotLine => ({ names: path.map(({ name }) => name), isTotal });

/** Two totals of the same kind together. */
function folded(total: Measure['total'], a: Value | undefined, b: Value): Value {
  if (a === undefined || a === null) return b;
  if (b === null) return a;
  const [x, y] = [fromText(String(a)), fromText(String(b))];
  if (total === 'least' || total === 'most') {
    const before = x && y ? compare(x, y) : ordered(a, b);
    return (total === 'least') === before <= 0 ? a : b;
  }
  return x && y ? toText(add(x, y)) : a;
}

/** Values in their order: numbers by size, all else by letters; what is empty stands first. */
function ordered(a: Value, b: Value): number {
  if (a === null || b === null) return a === b ? 0 : a === null ? -1 : 1;
  const [x, y] = [fromText(String(a)), fromText(String(b))];
  if (x && y) return compare(x, y);
  return String(a).localeCompare(String(b), 'en');
}

/** How a query that groups is laid out where nothing says so: its last group runs across, where it has several. */
export const pivotFor = (query: Query): NonNullable<Query['pivot']> => ({
  across: query.group && query.group.by.length > 1 ? [query.group.by.at(-1)!.id] : [],
  heat: true,
});

/** Columns of which nothing is as good as 0. */
export const countsOf = (query: Query): ReadonlySet<string> =>
  new Set(
    query.group?.measures.flatMap(({ id, total }) =>
      total === 'count' || total === 'distinct' || total === 'sum' ? [id] : [],
    ) ?? [],
  );

/** The query with charts and pivots only of columns that are there. */
export function withDrawn(query: Query, isThere: (id: string) => boolean): Query {
  const { chart, pivot, ...rest } = query;
  const kept = chart ? chartOf(chart, isThere) : null;
  const order = pivot?.order && isThere(pivot.order.measure) ? { order: pivot.order } : {};
  return {
    ...rest,
    ...(kept ? { chart: kept } : {}),
    ...(pivot && rest.group
      ? { pivot: { across: pivot.across.filter(isThere), heat: pivot.heat, ...order } }
      : {}),
  };
}
