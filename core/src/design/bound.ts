import { bind, bindCondition, type Binding } from '../expression';
import { catalogOf } from './catalog';
import type { Design } from './schema';

const known = new WeakMap<Design, Map<string, Binding>>();

function kept(design: Design, name: string, make: () => Binding): Binding {
  const all = known.get(design) ?? new Map<string, Binding>();
  known.set(design, all);
  const found = all.get(name);
  if (found) return found;
  const made = make();
  all.set(name, made);
  return made;
}

/**
 * An expression over a row of a table (null: over none) of a design, bound once for as long as the design
 * lives. Throws an ExpressionError like `bind`.
 */
export const boundIn = (design: Design, table: string | null, source: string): Binding =>
  kept(design, `v ${table ?? ''} ${source}`, () => bind(source, { catalog: catalogOf(design), table }));

/** The same for something that must be true or false. */
export const conditionIn = (design: Design, table: string, source: string): Binding =>
  kept(design, `c ${table} ${source}`, () => bindCondition(source, { catalog: catalogOf(design), table }));
