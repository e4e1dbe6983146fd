import { idsUsed } from './uses';
import type { Design, Field, Table } from './schema';

/**
 * What a field is searched or sorted by: a reason to keep it in order with an index of its own. Each is a
 * phrase such as `query Overdue`. Empty when nothing in the file speaks for an index; links and keys have
 * one anyway.
 */
export function searchedBy(design: Design, table: Table, field: Field): string[] {
  const has = (value: unknown): boolean => idsUsed(value).has(field.id);
  const queries = design.queries.filter(({ where, sort, columns, group }) => {
    const sorted = [...columns, ...(group?.by ?? [])].filter(({ id }) =>
      sort.some(({ column }) => column === id),
    );
    return has(where) || has(sorted.map(({ expression }) => expression));
  });
  const lookups = design.tables.flatMap((other) =>
    other.fields
      .filter(({ type }) => type.kind === 'lookup' && type.table === table.id)
      .filter(
        ({ type }) => type.kind === 'lookup' && has([type.filter, type.order, type.narrowed?.other ?? null]),
      )
      .map(({ label }) => `the choices of ${other.label} › ${label}`),
  );
  return [
    ...(has(table.order) ? [`the order of ${table.plural}`] : []),
    ...queries.map(({ label }) => `query ${label}`),
    ...lookups,
  ];
}
