import * as v from 'valibot';
import { Id, Label } from '../design';

/** How the rows of a table are looked at in a grid: its columns in their order, how rows are sorted, what is asked. */
export const GridView = v.object({
  columns: v.pipe(
    v.array(
      v.object({
        field: Id,
        /** Pixels; without one it is as wide as its values. */
        width: v.optional(v.pipe(v.number(), v.minValue(30), v.maxValue(2000))),
        hidden: v.optional(v.boolean(), false),
        /** Whether it stays where the others are moved along. */
        frozen: v.optional(v.boolean(), false),
      }),
    ),
    v.maxLength(300),
  ),
  sort: v.pipe(v.array(v.object({ field: Id, descending: v.boolean() })), v.maxLength(5)),
  conditions: v.pipe(v.array(v.pipe(v.string(), v.minLength(1), v.maxLength(4000))), v.maxLength(20)),
});

export type GridView = v.InferOutput<typeof GridView>;

/** A view that is kept under a name, by one person for herself or for everyone. */
export const NamedView = v.object({ name: Label, everyone: v.boolean(), view: GridView });

export type NamedView = v.InferOutput<typeof NamedView>;

/** A view without what is no longer there, and with the fields that have come since behind the others. */
export function viewFor(view: GridView, fields: readonly string[]): GridView {
  const known = new Set(fields);
  const kept = view.columns.filter(({ field }) => known.has(field));
  const named = new Set(kept.map(({ field }) => field));
  const fresh = fields.filter((field) => !named.has(field));
  return {
    columns: [...kept, ...fresh.map((field) => ({ field, hidden: false, frozen: false }))],
    sort: view.sort.filter(({ field }) => known.has(field)),
    conditions: view.conditions,
  };
}
