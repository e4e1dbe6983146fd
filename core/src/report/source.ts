import { fieldOf, type Design, type Query, type Report } from '../design';
import { compileQuery, queryOfTable, queryProblems, readingOf } from '../query';
import { isNumeric } from '../values';

/** A column that a report may show: of its table or its query. */
export interface SourceColumn {
  readonly id: string;
  readonly label: string;
  /** Whether it can be summed. */
  readonly numeric: boolean;
}

/** The columns a report may choose from; empty when its source is gone or cannot be run. */
export function sourceColumns(design: Design, source: Report['source']): SourceColumn[] {
  const table = design.tables.find(({ id }) => id === source.id);
  const query =
    source.kind === 'query'
      ? design.queries.find(({ id }) => id === source.id)
      : table && queryOfTable(table, table.fields);
  if (!query || queryProblems(design, query).length > 0) return [];
  // The date only stands in the SQL, not in the columns.
  const { columns } = compileQuery(design, query, { today: '2000-01-01' });
  return columns.map(({ id, label, kind }) => ({ id, label, numeric: isNumeric(kind) }));
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
    const wanted = [
      ...new Set([
        ...report.columns.map(({ column }) => column),
        ...(report.group ? [report.group.column] : []),
        ...(report.sort ? [report.sort.column] : []),
      ]),
    ];
    const fields = table ? wanted.flatMap((id) => fieldOf(table, id) ?? []) : [];
    query = table && queryOfTable(table, fields);
  }
  if (!query) return null;
  if (query.written) ({ query } = readingOf(design, query));
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
  const used = [
    ...report.columns.map(({ column }) => column),
    ...(report.group ? [report.group.column] : []),
    ...(report.sort ? [report.sort.column] : []),
  ];
  if (report.columns.length === 0) return ['A report needs a column.'];
  return used.some((id) => !known.has(id)) ? ['A column of this report is no longer there.'] : [];
}
