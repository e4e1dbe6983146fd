import { attempt } from '../expression';
import type { Design, Query } from '../design';
import { compileQuery } from './compile';

/** What keeps a query from being run, said for people; an empty list when it can be. */
export function queryProblems(design: Design, query: Query): string[] {
  if (!design.tables.some(({ id }) => id === query.from))
    return ['The table this query starts from is no longer there.'];
  if (query.group && query.group.by.length + query.group.measures.length === 0)
    return ['A group needs something to group by, or something to work out.'];
  const compiled = attempt(() => compileQuery(design, query, { today: '2000-01-01' }));
  return compiled.ok ? [] : [compiled.error.message];
}
