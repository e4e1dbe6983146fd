import { attempt, bindCondition, evaluate, some, type Val } from '../expression';
import { catalogOf, placesOf, valueKind, type Design, type Field, type Table } from '../design';
import { checkValue, fromText, rescale, type Value } from '../values';

export interface FieldProblem {
  readonly field: string;
  readonly rule: string | null;
  readonly message: string;
}

export interface RowChecking {
  readonly today: string;
  readonly now: string;
}

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

export const emptyMessage = (field: Field): string => `${field.label} is always filled.`;

/**
 * Checks a whole row (by field id) against everything that can be known from the row alone: kinds,
 * always filled, and rules over its own fields. Rules over other rows are the file's to check. A key
 * that the file itself will give (a running number) may be missing.
 */
export function checkRow(
  design: Design,
  table: Table,
  row: Readonly<Record<string, unknown>>,
  checking: RowChecking,
): FieldProblem[] {
  const problems: FieldProblem[] = [];
  const values = new Map<string, Value>();
  for (const field of table.fields) {
    const read = checkValue(valueKind(field.type), row[field.id] ?? null);
    if (read.ok) values.set(field.id, read.value);
    else problems.push({ field: field.id, rule: null, message: `${field.label}: ${read.message}` });
    if (!read.ok || read.value !== null) continue;
    const given = table.key.includes(field.id) && field.type.kind === 'runningNumber';
    if (field.alwaysFilled || (table.key.includes(field.id) && !given))
      problems.push({ field: field.id, rule: null, message: emptyMessage(field) });
  }
  for (const field of table.fields) {
    if (!field.rule || problems.some((problem) => problem.field === field.id)) continue;
    const broken = brokenRule(design, table, field, values, checking);
    if (broken !== null) problems.push({ field: field.id, rule: field.rule.id, message: broken });
  }
  return problems;
}

/** The message of a field's rule when these values break it; null when they do not, or cannot say. */
function brokenRule(
  design: Design,
  table: Table,
  field: Field,
  values: ReadonlyMap<string, Value>,
  { today, now }: RowChecking,
): string | null {
  const catalog = catalogOf(design);
  const bound = attempt(() => bindCondition(field.rule!.expression, { catalog, table: table.id }).bound);
  if (!bound.ok) return `The rule of ${field.label} cannot be worked out: ${bound.error.message}`;
  const looksElsewhere = some(
    bound.value,
    (node) => (node.op === 'ref' && node.links.length > 0) || node.op === 'aggregate',
  );
  if (looksElsewhere) return null;
  const result = evaluate(bound.value, {
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
  if (!result.ok) return result.message;
  return result.value === false ? field.rule!.message : null;
}
