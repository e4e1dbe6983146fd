import { attempt, bindCondition, fromStored, inWords, type Catalog } from '@heathridge/core/expression';

/** An expression with current names; as it is kept where that cannot be. */
export function readable(stored: string, catalog: Catalog, table: string): string {
  const result = attempt(() => fromStored(stored, catalog, table));
  return result.ok ? result.value : stored;
}

/** A stored condition in plain words; as it is kept where it cannot be read. */
export function conditionWords(stored: string, catalog: Catalog, table: string): string {
  const text = readable(stored, catalog, table);
  const words = attempt(() => inWords(bindCondition(text, { catalog, table }).bound, text));
  return words.ok ? words.value : text;
}
