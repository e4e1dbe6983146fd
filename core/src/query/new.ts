import type { Query, Table } from '../design';
import { so } from './scope';

/** A query over one table with chosen fields as columns, such as a report runs. */
export function queryOfTable(
  table: Pick<Table, 'id' | 'label'>,
  fields: readonly { readonly id: string; readonly label: string }[],
): Query {
  return {
    type: 'query',
    id: table.id,
    label: table.label,
    from: table.id,
    questions: [],
    joins: [],
    where: [],
    columns: fields.map(({ id, label }) => ({ id, label, expression: `"#${id}"` })),
    group: null,
    keep: [],
    unlike: false,
    sort: [],
    first: null,
  };
}

/** A new query over a table or another query: nothing left out, sorted by nothing. */
export const newQuery = (id: string, label: string, from: { readonly id: string }): Query => ({
  ...queryOfTable({ id: from.id, label }, []),
  id,
  label,
});

/** Values that are offered of those there are. */
const MOST_OFFERED = 200;

/**
 * Asks which values an expression has in the rows that a query reads, before its conditions: those of most rows first,
 * each with how many rows have it.
 */
export const valuesThere = (query: Query, expression: string): Query => ({
  ...newQuery(query.id, query.label, { id: query.from }),
  joins: query.joins,
  questions: query.questions,
  where: [so(`${expression} IS NOT NULL`)],
  group: {
    by: [{ id: 'value', label: 'Value', expression }],
    measures: [{ id: 'rows', label: 'Rows', total: 'count', expression: null }],
  },
  sort: [
    { column: 'rows', descending: true },
    { column: 'value', descending: false },
  ],
  first: MOST_OFFERED,
});
