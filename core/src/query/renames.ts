import type { Design, Field, Query, Table } from '../design';
import { identifier } from './identifier';
import { namesIn, sqlRenamed } from './written';

const same = (a: string, b: string): boolean => a.toLowerCase() === b.toLowerCase();

/**
 * How the SQL of a query names a table, or a field of it: by a name that stands for nothing else there (`clear`), or for
 * something else as well (`unclear`); null where it does not. Only the engine knows SQL: a name is what is written like it.
 */
export function namedInSql(
  design: Design,
  { written }: Pick<Query, 'written'>,
  { table, field }: { readonly table: Table; readonly field?: Field },
): 'clear' | 'unclear' | null {
  if (!written) return null;
  const names = namesIn(written.sql);
  const isThere = (name: string): boolean => names.has(name.toLowerCase());
  const { name } = field ?? table;
  if (!isThere(name) || !isThere(table.name)) return null;
  const read = design.tables.filter((other) => isThere(other.name));
  const called = read.flatMap((other) => [other, ...other.fields]).filter((other) => same(other.name, name));
  return called.length === 1 ? 'clear' : 'unclear';
}

/** A query in SQL with the new names of tables and fields in place of those they had, where it is clear what is meant. */
export function followNames(query: Query, before: Design, after: Design): Query {
  if (!query.written) return query;
  const names = new Map<string, string>();
  for (const table of before.tables) {
    const next = after.tables.find(({ id }) => id === table.id);
    if (!next) continue;
    if (next.name !== table.name && namedInSql(before, query, { table }) === 'clear')
      names.set(table.name.toLowerCase(), next.name);
    for (const field of table.fields) {
      const now = next.fields.find(({ id }) => id === field.id);
      if (now && now.name !== field.name && namedInSql(before, query, { table, field }) === 'clear')
        names.set(field.name.toLowerCase(), now.name);
    }
  }
  if (names.size === 0) return query;
  const sql = sqlRenamed(query.written.sql, (name) => {
    const next = names.get(name.toLowerCase());
    return next === undefined ? null : identifier(next);
  });
  return sql === query.written.sql ? query : { ...query, written: { ...query.written, sql } };
}
