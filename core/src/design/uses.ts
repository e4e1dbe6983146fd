import { idsIn } from '../expression';
import { rulesOf } from './catalog';
import type { Table } from './schema';

/** Every id that stands anywhere in a document: as a value, or inside an expression in stored form. */
export function idsUsed(value: unknown, found = new Set<string>()): Set<string> {
  if (typeof value === 'string') {
    found.add(value);
    if (value.includes('"#')) idsIn(value).forEach((id) => found.add(id));
  } else if (Array.isArray(value)) value.forEach((item) => idsUsed(item, found));
  else if (value !== null && typeof value === 'object')
    Object.values(value).forEach((item) => idsUsed(item, found));
  return found;
}

/** The ids that go with a table: its own and those of its fields and links. */
export const idsOfTable = (table: Table): Set<string> =>
  new Set([table.id, ...table.fields.map(({ id }) => id), ...table.links.map(({ id }) => id)]);

/** Whether any of these ids stands anywhere in a value. */
export const uses = (value: unknown, gone: ReadonlySet<string>): boolean =>
  value !== null && value !== undefined && [...idsUsed(value)].some((id) => gone.has(id));

/** Labels in a sentence: `Day, Room and Teacher`. */
export const listOf = (items: readonly string[]): string =>
  items.length < 2 ? (items[0] ?? '') : `${items.slice(0, -1).join(', ')} and ${items.at(-1)!}`;

/** The labels of rules that mention an id, for telling what a change touches. */
export const rulesUsing = (table: Table, gone: ReadonlySet<string>): string[] =>
  rulesOf(table)
    .filter(({ rule }) => uses(rule.expression, gone))
    .map(({ rule }) => rule.message);
