import { uses, type DocumentSort, type Query, type Use } from '../design';
import { queryProblems } from './validate';

function useInQuery(query: Query, gone: ReadonlySet<string>): Use | null {
  if (gone.has(query.from)) return { use: 'its rows', fate: 'the query is dropped' };
  const parts = [
    ...query.columns.filter((column) => uses(column.expression, gone)).map(({ label }) => `column ${label}`),
    ...(uses(query.where, gone) ? ['a condition'] : []),
    ...(uses(query.with, gone) ? ['a table beside it'] : []),
    ...(query.group && uses([query.group.by, query.group.measures], gone) ? ['its groups and totals'] : []),
    ...(query.sort.some(({ column }) => gone.has(column)) ? ['its order'] : []),
  ];
  return parts.length > 0 ? { use: parts.join(', '), fate: 'these parts are taken out' } : null;
}

/** The columns a query loses when what they are made of is taken out of it. */
const columnsLost = ({ columns, group }: Query, gone: ReadonlySet<string>): Set<string> =>
  new Set(
    [...columns, ...(group ? [...group.by, ...group.measures] : [])]
      .filter(({ expression }) => uses(expression, gone))
      .map(({ id }) => id),
  );

function queryWithout(query: Query, gone: ReadonlySet<string>): Query | null {
  if (gone.has(query.from)) return null;
  const columns = query.columns.filter(({ expression }) => !uses(expression, gone));
  const by = query.group?.by.filter(({ expression }) => !uses(expression, gone)) ?? [];
  const measures = query.group?.measures.filter(({ expression }) => !uses(expression, gone)) ?? [];
  const left = new Set([...columns, ...by, ...measures].map(({ id }) => id));
  // Without columns of its own a query shows every field of its table, by the field's id.
  const named = query.columns.length > 0 || query.group !== null;
  return {
    ...query,
    columns,
    with: query.with.filter(({ path }) => !uses(path, gone)),
    where: query.where.filter((condition) => !uses(condition, gone)),
    group: query.group && by.length + measures.length > 0 ? { by, measures } : null,
    sort: query.sort.filter(({ column }) => (named ? left.has(column) : !gone.has(column))),
  };
}

export const querySort: DocumentSort<Query> = {
  problems: queryProblems,
  use: useInQuery,
  without: queryWithout,
  lost: columnsLost,
};
