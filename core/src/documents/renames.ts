import { fieldOf, type Design, type Table } from '../design';
import { followNames, namedInSql } from '../query';
import type { Dependant } from './dependants';

/** What becomes of something that uses what has another name now. */
export const FOLLOWS = 'follows by itself';

/** A design whose documents name tables and fields as they are called now, where they do not name them by their ids. */
export const namesFollowed = (before: Design, after: Design): Design =>
  after.queries.some(({ written }) => written)
    ? { ...after, queries: after.queries.map((query) => followNames(query, before, after)) }
    : after;

/** The documents that name a table, or a field of it (`field`), in SQL: they follow where it is clear what they mean. */
export const namedInSqlBy = (design: Design, table: Table, field?: string): Dependant[] =>
  design.queries.flatMap((query): Dependant[] => {
    const item = { table, ...(field === undefined ? {} : { field: fieldOf(table, field) }) };
    const named = namedInSql(design, query, item);
    if (named === null) return [];
    const fate = named === 'clear' ? FOLLOWS : 'more than one thing in it is called so: change it by hand';
    return [{ kind: 'query', id: query.id, label: query.label, use: 'its SQL', fate }];
  });
