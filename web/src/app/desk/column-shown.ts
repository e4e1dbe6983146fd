import { fieldOf, type Table } from '@heathridge/core/design';
import type { Column } from '@heathridge/core/form';
import type { Locale } from '@heathridge/core/values';
import { namedRows } from './named-rows';
import { isHidden, type RowState } from './record.state';
import { fieldShown, workedShown } from './shown';

/** What stands in a column of a list for a row, as people read it: nothing where it is not there for that row. */
export function columnShown(row: RowState, table: Table, column: Column, locale: Locale): string {
  switch (column.part) {
    case 'cell': {
      const field = fieldOf(table, column.field);
      if (!field || isHidden(row, field.id)) return '';
      return fieldShown(field, row.held[field.id] ?? { value: null }, locale);
    }
    case 'worked':
      return workedShown(column, row.held[column.id], locale);
    case 'subform': {
      const list = row.lists.find(({ level }) => level.link!.id === column.link);
      return list ? namedRows(list, locale) : '';
    }
  }
}

/** What a column of a list is called. */
export const columnLabel = (table: Table, column: Column): string =>
  column.part === 'cell' ? (fieldOf(table, column.field)?.label ?? '') : column.label;
