import {
  attempt,
  columnsRead,
  evaluate,
  filledMessage,
  kindOfType,
  some,
  type Bound,
  type Fault,
} from '../expression';
import { boundIn, localeOf, placesOf, type Design, type Field, type Rule, type Table } from '../design';
import { fromText, rescale, showValue, type Value, type ValueKind } from '../values';
import type { Val } from '../expression';
import type { RowChecking } from './check-row';
import { fromVal, type Moment } from './start';

/** A value as the evaluator takes it: decimals in units. */
export function toVal(field: Field, value: Value): Val {
  if (typeof value === 'number') return BigInt(value);
  const places = placesOf(field.type);
  if (typeof value === 'string' && (field.type.kind === 'decimal' || field.type.kind === 'money')) {
    const number = fromText(value);
    return number ? rescale(number.units, number.scale, places) : null;
  }
  return value;
}

/** True when an expression can be worked out from the row alone. */
export const fromRowAlone = (bound: Bound): boolean =>
  !some(bound, (node) => (node.op === 'ref' && node.links.length > 0) || node.op === 'aggregate');

/** The fields of the row that an expression over the row alone reads. */
export function fieldsRead(bound: Bound, table: Table): string[] {
  const columns = new Set(columnsRead(bound, table.id).map(({ column }) => column));
  return table.fields.filter(({ name }) => columns.has(name)).map(({ id }) => id);
}

/** Works out an expression over one row given by field id, without looking at any other. */
export function evaluateRow(
  bound: Bound,
  table: Table,
  values: ReadonlyMap<string, Value>,
  { today, now }: Moment,
): ReturnType<typeof evaluate> {
  return evaluate(bound, {
    row: values,
    today,
    now,
    read: (row, wanted) => {
      const source = table.fields.find(({ id }) => id === wanted.id);
      return source ? toVal(source, row.get(wanted.id) ?? null) : null;
    },
    follow: () => null,
    children: () => [],
  });
}

/** How the result of an expression is shown: as the field it is, else by its type. */
export const kindOfBound = (bound: Bound): ValueKind =>
  bound.op === 'ref' || bound.op === 'worked' ? bound.field.kind : kindOfType(bound.type);

/**
 * A rule's message with the row's values in it. What other rows would have to tell is asked of
 * `checking.elsewhere`; without an answer it is left as an ellipsis.
 */
export function ruleMessage(
  design: Design,
  table: Table,
  rule: Rule,
  values: ReadonlyMap<string, Value>,
  checking: RowChecking,
): string {
  const shown = (expression: string): string => {
    const bound = attempt(() => boundIn(design, table.id, expression).bound);
    if (!bound.ok) return '…';
    const { value } = bound;
    const lookup = value.op === 'ref' && value.links.length === 0 && value.field.kind.kind === 'lookup';
    if (lookup || !fromRowAlone(value)) return checking.elsewhere?.(expression) ?? '…';
    const result = evaluateRow(value, table, values, checking);
    if (!result.ok || result.value === null) return '(empty)';
    const scale = value.type.type === 'number' ? value.type.scale : 0;
    return showValue(kindOfBound(value), fromVal(result.value, scale), localeOf(design.settings));
  };
  return filledMessage(rule.message, shown);
}

/** What is worked out for a row, or why it cannot be. */
export interface Worked {
  readonly value: Value;
  readonly fault?: Fault;
}
