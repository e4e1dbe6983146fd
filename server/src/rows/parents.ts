import { sqlName } from '@heathridge/core/expression';
import { linksFrom, type Table } from '@heathridge/core/design';
import type { RowError } from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';
import { prepared } from '../store/statements';
import { toStored, type Stored } from './codec';
import type { Row } from '../store/history';
import type { Saving } from './saving';

/**
 * The first link among the changed fields that leads to no row, as an error beside its field; null when all
 * lead somewhere. The engine does not say which foreign key failed, so they are asked one by one beforehand.
 */
export function missingParent(
  { db, design }: Saving,
  table: Table,
  changed: Readonly<Record<string, Value>>,
  row: Row,
): Pick<RowError, 'field' | 'rule' | 'message'> | null {
  const isThere = (sql: string, values: readonly Stored[]): boolean =>
    prepared(db, sql).get(values) !== undefined;
  for (const { parent, on, label } of linksFrom(design, table)) {
    const values = on.map(([own]) => row[own.id] ?? null);
    if (values.includes(null) || !on.some(([own]) => own.id in changed)) continue;
    const stored = on.map(([own], i) => toStored(own, values[i]!));
    // A row may be its own parent.
    const isOwn = on.every(([, other], i) => toStored(other, row[other.id] ?? null) === stored[i]);
    if (parent.id === table.id && isOwn) continue;
    const where = on.map(([, other]) => `${sqlName(other.name)} = ?`).join(' AND ');
    if (isThere(`SELECT 1 FROM ${sqlName(parent.name)} WHERE ${where}`, stored)) continue;
    const what = parent.label.toLowerCase();
    return {
      field: on[0]![0].id,
      rule: null,
      message:
        on.length === 1
          ? `This ${what} is no longer there: please choose another.`
          : `There is no ${what} with these values (${label}).`,
    };
  }
  for (const field of table.fields) {
    const value = changed[field.id] ?? null;
    if ((field.type.kind !== 'picture' && field.type.kind !== 'file') || value === null) continue;
    if (!isThere('SELECT 1 FROM hr_attachment WHERE id = ?', [toStored(field, value)]))
      return {
        field: field.id,
        rule: null,
        message: 'This attachment is not in the file: please choose it again.',
      };
  }
  return null;
}
