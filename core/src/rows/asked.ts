import * as v from 'valibot';

/** What is asked of the rows of a table: words, and conditions that must all hold. */
export const RowsAsked = v.object({
  /** Words that must all stand in the row's display text; empty for all rows. */
  search: v.optional(v.pipe(v.string(), v.maxLength(200)), ''),
  /** Expressions over a row as they are kept, with ids. */
  conditions: v.optional(
    v.pipe(v.array(v.pipe(v.string(), v.minLength(1), v.maxLength(10_000))), v.maxLength(20)),
    [],
  ),
});
export type RowsAsked = v.InferOutput<typeof RowsAsked>;

export const NOTHING: RowsAsked = { search: '', conditions: [] };

/** Whether all rows are asked for. */
export const asksNothing = ({
  search,
  conditions,
}: {
  readonly search: string;
  readonly conditions: readonly unknown[];
}): boolean => search.trim() === '' && conditions.length === 0;
