import { idsIn } from '@heathridge/core/expression';
import type { Field, Table } from '@heathridge/core/design';

/** The lookups of a table whose choices depend on a field of the same row. */
export const narrowedBy = (table: Table, field: string): Field[] =>
  table.fields.filter(
    ({ id, type }) =>
      id !== field && type.kind === 'lookup' && type.narrowed && idsIn(type.narrowed.own)[0] === field,
  );
