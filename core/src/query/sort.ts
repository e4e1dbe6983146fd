import { uses, type DocumentSort, type Query, type Use } from '../design';
import { withDrawn } from './pivot';
import { mapConditions } from './scope';
import { queryProblems } from './validate';

/**
 * With what goes from a query itself when these ids go: joins along links that go, joins beside those, and questions that
 * are answered with the choices of a lookup that goes.
 */
function withJoins({ joins, questions }: Query, gone: ReadonlySet<string>): Set<string> {
  const all = new Set(gone);
  for (const { id, answer } of questions) if (answer.kind === 'lookup' && gone.has(answer.field)) all.add(id);
  for (const { id, at, by } of joins) if ((at !== null && all.has(at)) || uses(by, all)) all.add(id);
  return all;
}

function useInQuery(query: Query, ids: ReadonlySet<string>): Use | null {
  // What SQL reads is known to the engine alone.
  if (query.written) return null;
  if (ids.has(query.from)) return { use: 'its rows', fate: 'the query is dropped' };
  const isBeneath = query.stack?.some((id) => ids.has(id)) ?? false;
  const gone = withJoins(query, ids);
  const parts = [
    ...query.columns.filter((column) => uses(column.expression, gone)).map(({ label }) => `column ${label}`),
    ...(uses(query.where, gone) ? ['a condition'] : []),
    ...(query.joins.some(({ id }) => gone.has(id)) ? ['a table beside it'] : []),
    ...(isBeneath ? ['rows beneath its own'] : []),
    ...(query.questions.some(({ id }) => gone.has(id)) ? ['what it asks for'] : []),
    ...(uses(query.keep, gone) ? ['what it keeps of its result'] : []),
    ...(query.group && uses([query.group.by, query.group.measures], gone) ? ['its groups and totals'] : []),
    ...(query.sort.some(({ column }) => gone.has(column)) ? ['its order'] : []),
  ];
  return parts.length > 0 ? { use: parts.join(', '), fate: 'these parts are taken out' } : null;
}

/** The columns a query loses when what they are made of is taken out of it. */
function columnsLost(query: Query, ids: ReadonlySet<string>): Set<string> {
  if (query.written) return new Set();
  const gone = withJoins(query, ids);
  const { columns, group } = query;
  return new Set(
    [...columns, ...(group ? [...group.by, ...group.measures] : [])]
      .filter(({ expression }) => uses(expression, gone))
      .map(({ id }) => id),
  );
}

/** The conditions without those that use what is gone. */
const left = (conditions: Query['where'], gone: ReadonlySet<string>): Query['where'] =>
  mapConditions(conditions, (condition) => (uses(condition.expression, gone) ? null : condition));

function queryWithout(query: Query, ids: ReadonlySet<string>): Query | null {
  if (query.written) return query;
  if (ids.has(query.from)) return null;
  const gone = withJoins(query, ids);
  const columns = query.columns.filter(({ expression }) => !uses(expression, gone));
  const by = query.group?.by.filter(({ expression }) => !uses(expression, gone)) ?? [];
  const measures = query.group?.measures.filter(({ expression }) => !uses(expression, gone)) ?? [];
  const stays = new Set([...columns, ...by, ...measures].map(({ id }) => id));
  // Without columns of its own a query shows every field of its table, by the field's id.
  const named = query.columns.length > 0 || query.group !== null;
  const next: Query = {
    ...query,
    ...(query.stack ? { stack: query.stack.filter((id) => !ids.has(id)) } : {}),
    ...(query.firstOf
      ? { firstOf: query.firstOf.filter((id) => (named ? stays.has(id) : !gone.has(id))) }
      : {}),
    columns,
    questions: query.questions.filter(({ id }) => !gone.has(id)),
    joins: query.joins.filter(({ id }) => !gone.has(id)),
    where: left(query.where, gone),
    keep: left(query.keep, new Set([...gone, ...columnsLost(query, ids)])),
    group: query.group && by.length + measures.length > 0 ? { by, measures } : null,
    sort: query.sort.filter(({ column }) => (named ? stays.has(column) : !gone.has(column))),
  };
  return withDrawn(next, (id) => (named ? stays.has(id) : !gone.has(id)));
}

export const querySort: DocumentSort<Query> = {
  problems: queryProblems,
  use: useInQuery,
  without: queryWithout,
  // A query that starts from another one, or from a table, which is no document.
  builtOn: ({ from, written }) => (written ? null : from),
  lost: columnsLost,
};
