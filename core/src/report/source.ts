import { fieldOf, type Design, type Query, type Report } from '../design';
import { queryOfTable } from '../query';

/** A column that a report may show: of its table or its query. */
export interface SourceColumn {
  readonly id: string;
  readonly label: string;
}

/** The columns a report may choose from; empty when its source is gone. */
export function sourceColumns(design: Design, source: Report['source']): SourceColumn[] {
  if (source.kind === 'table') return design.tables.find(({ id }) => id === source.id)?.fields.map(({ id, label }) => ({ id, label })) ?? [];
  const query = design.queries.find(({ id }) => id === source.id);
  if (!query) return [];
  if (query.group) return [...query.group.by, ...query.group.measures].map(({ id, label }) => ({ id, label }));
  const table = design.tables.find(({ id }) => id === query.from);
  const columns = query.columns.length > 0 ? query.columns : (table?.fields ?? []);
  return columns.map(({ id, label }) => ({ id, label }));
}

/**
 * The query whose rows a report prints: that of its source, sorted by the report's group, then its own
 * order. Null when the source is gone.
 */
export function reportQuery(design: Design, report: Report): Query | null {
  const { source } = report;
  let query: Query | undefined;
  if (source.kind === 'query') query = design.queries.find(({ id }) => id === source.id);
  else {
    const table = design.tables.find(({ id }) => id === source.id);
    const wanted = [...new Set([...report.columns.map(({ column }) => column), ...(report.group ? [report.group.column] : []), ...(report.sort ? [report.sort.column] : [])])];
    const fields = table ? wanted.flatMap((id) => fieldOf(table, id) ?? []) : [];
    query = table && queryOfTable(table, fields);
  }
  if (!query) return null;
  const order = [
    ...(report.group ? [{ column: report.group.column, descending: false }] : []),
    ...(report.sort ? [report.sort] : []),
  ];
  // A query that keeps only its first rows must pick them in its own order.
  return { ...query, sort: query.first !== null ? query.sort : [...order, ...query.sort] };
}

/** What keeps a report from being laid out, said for people. */
export function reportProblems(design: Design, report: Report): string[] {
  const columns = sourceColumns(design, report.source);
  if (columns.length === 0) return ['The table or query this report prints is no longer there.'];
  const known = new Set(columns.map(({ id }) => id));
  const used = [...report.columns.map(({ column }) => column), ...(report.group ? [report.group.column] : []), ...(report.sort ? [report.sort.column] : [])];
  if (report.columns.length === 0) return ['A report needs a column.'];
  return used.some((id) => !known.has(id)) ? ['A column of this report is no longer there.'] : [];
}
