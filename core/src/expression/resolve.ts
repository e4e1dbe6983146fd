import type { Node, Step } from './ast';
import type { Hop } from './bound';
import { failed } from './errors';
import { distance } from './distance';
import { writtenName } from './parse';
import { sqlText } from './sql-text';
import type { Catalog, ExprField, ExprTable } from './types';

export interface Resolved {
  readonly hops: readonly Hop[];
  /** The field at the end, or null when the path ends in the child rows themselves. */
  readonly field: ExprField | null;
}

const plain = (name: string): string => name.normalize('NFC').toLowerCase();

/** Whether a step means this field or link; `rows`, whether it is the rows at the other end of one. */
function means(item: { id: string; name: string }, step: Step, rows = false): boolean {
  if (!step.id) return plain(item.name) === plain(step.name);
  // Files of before say nothing of the end: there a field comes first, as it always did.
  return item.id === step.id.id && (rows || !step.id.rows);
}

/**
 * Follows a path from a table. Throws an ExpressionError that points at the step that is unknown
 * and names what is near it.
 */
export function resolve(catalog: Catalog, table: string, steps: readonly Step[]): Resolved {
  const hops: Hop[] = [];
  let at = catalog.table(table);
  for (const [i, step] of steps.entries()) {
    const last = i === steps.length - 1;
    const field = at.fields.find((candidate) => means(candidate, step));
    const link = field ? undefined : at.links.find((candidate) => means(candidate, step));
    const child = (field ?? link) ? undefined : at.children.find((candidate) => means(candidate, step, true));
    if (!field && !link && !child) unknown(at, step, steps.length === 1);
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

/** What stands for a moment, for people who type it as they would type a date. */
const MOMENTS: Readonly<Record<string, string>> = {
  today: 'CURRENT_DATE',
  now: 'CURRENT_TIMESTAMP',
  yesterday: "CURRENT_DATE - INTERVAL '1' DAY",
  tomorrow: "CURRENT_DATE + INTERVAL '1' DAY",
};

function unknown(table: ExprTable, step: Step, alone: boolean): never {
  if (step.id)
    failed('A field that is no longer there is used here.', step, namesOf(table).slice(0, 6).join(', '));
  const wanted = plain(step.name);
  const moment = alone && !step.quoted ? MOMENTS[wanted] : undefined;
  if (moment !== undefined)
    failed(`“${step.name}” is written differently here.`, step, moment, { ...step, text: moment });
  const near = namesOf(table)
    .map((name) => ({ name, distance: distance(plain(name), wanted) }))
    .filter(({ name, distance }) => distance <= 2 || plain(name).startsWith(wanted))
    .sort((a, b) => a.distance - b.distance);
  const { start, end } = step;
  if (near.length === 0 && step.quoted && alone) {
    const text = sqlText(step.name);
    failed(`${table.name} has no field “${step.name}”, and a text stands in single quotes.`, step, text, {
      start,
      end,
      text,
    });
  }
  failed(
    `${table.name} has no field “${step.name}”.`,
    step,
    (near.length > 0 ? near.slice(0, 3).map(({ name }) => name) : namesOf(table).slice(0, 6)).join(', '),
    near[0] ? { start, end, text: writtenName(near[0].name) } : null,
  );
}

const namesOf = (table: ExprTable): string[] =>
  [...table.fields, ...table.links, ...table.children].map((item) => item.name);

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
