import type { Query, QueryColumn, Table } from '../design';

/** The columns a query shows while nobody has chosen any: every field of its table. */
export const defaultColumns = (table: Table): QueryColumn[] =>
  table.fields.map((field) => ({ id: field.id, label: field.label, expression: `"#${field.id}"` }));

/** The columns a query shows: those that have been chosen, or every field. */
export const columnsOf = (query: Query, table: Table): readonly QueryColumn[] =>
  query.columns.length > 0 ? query.columns : defaultColumns(table);
