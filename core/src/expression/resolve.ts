import type { Node, Step } from './ast';
import type { Hop } from './bound';
import { failed } from './errors';
import type { Catalog, ExprField, ExprTable } from './types';

export interface Resolved {
  readonly hops: readonly Hop[];
  /** The field at the end, or null when the path ends in the child rows themselves. */
  readonly field: ExprField | null;
}

/** In stored expressions a name is a number sign and the id of what it stands for. */
export const idName = (id: string): string => `#${id}`;

const named = (item: { id: string; name: string }, name: string): boolean =>
  name.startsWith('#') ? item.id === name.slice(1) : item.name.toLowerCase() === name.toLowerCase();

/**
 * Follows a path from a table. Throws an ExpressionError that points at the step that is unknown
 * and names what is near it.
 */
export function resolve(catalog: Catalog, table: string, steps: readonly Step[]): Resolved {
  const hops: Hop[] = [];
  let at = catalog.table(table);
  for (const [i, step] of steps.entries()) {
    const last = i === steps.length - 1;
    const field = at.fields.find((candidate) => named(candidate, step.name));
    const link = field ? undefined : at.links.find((candidate) => named(candidate, step.name));
    const child = (field ?? link) ? undefined : at.children.find((candidate) => named(candidate, step.name));
    if (!field && !link && !child) unknown(at, step);
    if (field && last) return { hops, field };
    if (field) {
      if (field.link === undefined)
        failed(`${field.name} is not a lookup, so nothing follows it.`, steps[i + 1]!, 'no point here');
      const next = catalog.table(field.link);
      hops.push({ hop: 'link', field, table: next.id, on: [[field.column, next.keyColumn ?? 'rowid']] });
      at = next;
    } else if (link) {
      hops.push({ hop: 'link', field: link, table: link.table, on: link.on });
      at = catalog.table(link.table);
    } else if (child) {
      hops.push({ hop: 'children', child, table: child.table });
      at = catalog.table(child.table);
    }
  }
  return { hops, field: null };
}

function unknown(table: ExprTable, step: Step): never {
  const names = [...table.fields, ...table.links, ...table.children].map((item) => item.name);
  const wanted = step.name.toLowerCase();
  const near = names
    .map((name) => ({ name, distance: distance(name.toLowerCase(), wanted) }))
    .filter(({ name, distance }) => distance <= 2 || name.startsWith(wanted))
    .sort((a, b) => a.distance - b.distance);
  const shown = step.name.startsWith('#') ? 'A field that is no longer there' : `“${step.name}”`;
  failed(
    step.name.startsWith('#') ? `${shown} is used here.` : `${table.name} has no field ${shown}.`,
    step,
    (near.length > 0 ? near.slice(0, 3).map(({ name }) => name) : names.slice(0, 6)).join(', '),
  );
}

/** Levenshtein distance, source: V. I. Levenshtein, Soviet Physics Doklady 10 (1966). */
function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++)
      next.push(Math.min(next[j - 1]! + 1, row[j]! + 1, row[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1)));
    row = next;
  }
  return row[b.length]!;
}

/** The steps, outermost first, of the first path below these nodes that leads through child rows. */
export function findCollection(
  catalog: Catalog,
  table: string,
  nodes: readonly Node[],
): readonly Hop[] | null {
  for (const path of nodes.flatMap(paths)) {
    const { hops } = resolve(catalog, table, path.steps);
    const last = hops.map((hop) => hop.hop).lastIndexOf('children');
    if (last >= 0) return hops.slice(0, last + 1);
  }
  return null;
}

type PathNode = Extract<Node, { node: 'path' }>;

/** Every path in a syntax tree, in source order. */
export function paths(node: Node): PathNode[] {
  if (node.node === 'path') return [node];
  const found: PathNode[] = [];
  const visit = (value: unknown): void => {
    if (Array.isArray(value)) value.forEach(visit);
    else if (value !== null && typeof value === 'object') {
      if ('node' in value) found.push(...paths(value as Node));
      else Object.values(value).forEach(visit);
    }
  };
  Object.entries(node).forEach(([key, value]) => key !== 'steps' && visit(value));
  return found.sort((a, b) => a.start - b.start);
}
