import { ExpressionError } from './errors';
import { parse } from './parse';
import { idName, paths, resolve } from './resolve';
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
  return [...stored.matchAll(/"#([\w-]+)"/g)].map((match) => match[1]!);
}

const RESERVED =
  /^(and|or|not|case|when|then|else|end|between|in|like|escape|is|null|true|false|unknown|distinct|from|for|as|filter|where|current_date|current_timestamp)$/i;

/** A name as it is typed in an expression: quoted only where it must be. */
export const writtenName = (name: string): string =>
  /^[\p{L}_][\p{L}\p{N}_]*$/u.test(name) && !RESERVED.test(name) ? name : `"${name.replace(/"/g, '""')}"`;

function rewrite(
  source: string,
  catalog: Catalog,
  table: string,
  write: (item: { id: string; name: string }) => string,
): string {
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

function itemAt(
  catalog: Catalog,
  table: string,
  steps: Parameters<typeof resolve>[2],
): { id: string; name: string } | null {
  try {
    const { hops, field } = resolve(catalog, table, steps);
    const last = hops[hops.length - 1];
    return field ?? (last?.hop === 'children' ? last.child : (last?.field ?? null));
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    // An unknown name stays as it is; binding reports it with its position.
    return null;
  }
}
