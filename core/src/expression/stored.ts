import { ExpressionError } from './errors';
import type { ItemId } from './ast';
import { idName, parse, writtenName } from './parse';
import { paths, resolve } from './resolve';
import type { Catalog } from './types';

/**
 * Definitions keep expressions with ids in place of names (`"#f_due" > "#f_hired"`), so that a rename
 * touches nothing else. Spaces, case and comments of the source stay as they were typed.
 */
export function toStored(source: string, catalog: Catalog, table: string): string {
  return rewrite(source, catalog, table, ({ id }) => `"${idName(id)}"`);
}

/** The inverse: current names in place of ids. What is no longer there keeps its id. */
export function fromStored(stored: string, catalog: Catalog, table: string): string {
  return rewrite(stored, catalog, table, ({ name }) => writtenName(name));
}

/** The ids of every field and link an expression in stored form refers to. */
export function idsIn(stored: string): string[] {
  return [...stored.matchAll(/"#~?([\w-]+)"/g)].map((match) => match[1]!);
}

/** The expression with one id in place of another, at either end of a link. */
export const withId = (stored: string, from: string, to: string): string =>
  [false, true].reduce(
    (text, rows) => text.split(`"${idName({ id: from, rows })}"`).join(`"${idName({ id: to, rows })}"`),
    stored,
  );

interface Item {
  readonly id: ItemId;
  readonly name: string;
}

function rewrite(source: string, catalog: Catalog, table: string, write: (item: Item) => string): string {
  let result = source;
  for (const path of paths(parse(source)).reverse()) {
    for (let i = path.steps.length - 1; i >= 0; i--) {
      const step = path.steps[i]!;
      const item = itemAt(catalog, table, path.steps.slice(0, i + 1));
      if (item) result = result.slice(0, step.start) + write(item) + result.slice(step.end);
    }
  }
  return result;
}

function itemAt(catalog: Catalog, table: string, steps: Parameters<typeof resolve>[2]): Item | null {
  const item = ({ id, name }: { id: string; name: string }, rows = false): Item => ({
    id: { id, rows },
    name,
  });
  try {
    const { hops, field } = resolve(catalog, table, steps);
    if (field) return item(field);
    const last = hops[hops.length - 1];
    if (!last) return null;
    return last.hop === 'children' ? item(last.child, true) : item(last.field);
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    // An unknown name stays as it is; binding reports it with its position.
    return null;
  }
}
