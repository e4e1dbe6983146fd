import type { Subform } from '../design';

/** Something that rows meet: an expression over them, or that a query tells them. */
export type RowCondition = string | { readonly query: string };

/** What the rows meet that a form or subform shows; empty for all rows. */
export const shownRows = ({
  query,
  conditions = [],
}: Pick<Subform, 'query' | 'conditions'>): readonly RowCondition[] =>
  query === undefined ? conditions : [{ query }, ...conditions];
