import { fieldOf, isGiven, localeOf, tableOf, valueKind, type Table } from '@heathridge/core/design';
import type { RowChange, RowError, RowKey } from '@heathridge/core/rows';
import { readValue, type Value } from '@heathridge/core/values';
import type { OpenFile } from '../store/files';
import { NamedRows } from './named-rows';

/** A block of texts that is put over rows, and below them. */
export interface Block {
  /** The rows that it is put over, in their order; what is left of it becomes new rows. */
  readonly keys: readonly RowKey[];
  readonly fields: readonly string[];
  readonly cells: readonly (readonly string[])[];
}

/** Reads a block as changes of rows, each text as if somebody had typed it; or says what of it cannot be read. */
export function blockChanges(
  { design, reader }: Pick<OpenFile, 'design' | 'reader'>,
  table: Table,
  { keys, fields, cells }: Block,
  today: string,
): { readonly changes: RowChange[]; readonly errors: RowError[] } {
  const locale = localeOf(design.settings);
  const named = new NamedRows(reader, design);
  const errors: RowError[] = [];
  const changes = cells.map((texts, index): RowChange => {
    const key = keys[index];
    const values: Record<string, Value> = {};
    texts.forEach((text, i) => {
      const field = fieldOf(table, fields[i] ?? '');
      const refuse = (message: string): void =>
        void errors.push({
          change: index,
          table: table.id,
          key: key ?? null,
          field: field?.id ?? null,
          rule: null,
          message,
        });
      if (!field) return refuse('A field of this block is no longer there.');
      // What the file gives by itself may be copied along with the rest of a row that is new.
      if (isGiven(field)) return key ? refuse(`${field.label} is filled by itself.`) : undefined;
      if (field.type.kind === 'picture' || field.type.kind === 'file')
        return text.trim() === ''
          ? undefined
          : refuse(`${field.label} holds files: it is not pasted as a text.`);
      if (field.type.kind === 'lookup') {
        const found = text.trim() === '' ? null : named.find(field, text);
        if (found === 'several')
          return refuse(`Several rows are shown as “${text}”: choose the one that is meant.`);
        if (found === null && text.trim() !== '')
          return refuse(`There is no ${tableOf(design, field.type.table).label.toLowerCase()} “${text}”.`);
        values[field.id] = found;
        return;
      }
      const read = readValue(valueKind(field.type), text, { locale, today });
      if (read.ok) values[field.id] = read.value;
      else refuse(read.message);
    });
    return key
      ? { op: 'update', table: table.id, key, values, was: {} }
      : { op: 'insert', table: table.id, values };
  });
  return { changes, errors };
}
