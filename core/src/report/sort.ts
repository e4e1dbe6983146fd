import { uses, type DocumentSort, type Report, type Use } from '../design';
import { reportProblems } from './source';

function useInReport(report: Report, gone: ReadonlySet<string>): Use | null {
  if (gone.has(report.source.id)) return { use: 'its rows', fate: 'the report is dropped' };
  const columns = report.columns
    .filter(({ column }) => gone.has(column))
    .map(({ label }) => `column ${label}`);
  const others = [
    ...(uses(report.group, gone) ? ['its group'] : []),
    ...(uses(report.sort, gone) ? ['its order'] : []),
  ];
  const all = [...columns, ...others];
  const left = report.columns.length - columns.length;
  const fate = left > 0 ? 'taken out of the report' : 'the report is dropped';
  return all.length > 0 ? { use: all.join(', '), fate } : null;
}

function reportWithout(report: Report, gone: ReadonlySet<string>): Report | null {
  if (gone.has(report.source.id)) return null;
  const columns = report.columns.filter(({ column }) => !gone.has(column));
  if (columns.length === 0 && report.columns.length > 0) return null;
  return {
    ...report,
    columns,
    group: report.group && gone.has(report.group.column) ? null : report.group,
    sort: report.sort && gone.has(report.sort.column) ? null : report.sort,
  };
}

export const reportSort: DocumentSort<Report> = {
  problems: reportProblems,
  use: useInReport,
  without: reportWithout,
  builtOn: ({ source }) => (source.kind === 'query' ? source.id : null),
};
