import { fieldOf, valueKind, type Field } from '../design';
import type { Total } from '../values';
import type { Level } from './level';

/** A total beneath the rows of a subform. */
export interface SumLine {
  readonly field: Field;
  readonly total: Total;
}

/** The totals beneath the rows of a level: those the builder has named, else the sums of its money. */
export function sumLines({ subform, table, cells }: Level): SumLine[] {
  if (!subform) return [];
  if (!subform.sums)
    return cells
      .filter(({ field }) => valueKind(field.type).kind === 'money')
      .map(({ field }) => ({ field, total: 'sum' }));
  return subform.sums.flatMap(({ field: id, total }) => {
    const field = fieldOf(table, id);
    return field ? [{ field, total }] : [];
  });
}
