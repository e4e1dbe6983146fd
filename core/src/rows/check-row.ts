import { attempt, bindCondition } from '../expression';
import {
  catalogOf,
  isGiven,
  isStored,
  rulesOf,
  typeOf,
  valueKind,
  type Design,
  type Field,
  type Rule,
  type Table,
} from '../design';
import { checkValue, type Read, type Value } from '../values';
import { evaluateRow, fromRowAlone, ruleMessage } from './rule-message';
import type { Moment } from './start';

export interface RowProblem {
  /** Null for a rule of the table. */
  readonly field: string | null;
  readonly rule: string | null;
  readonly message: string;
}

export interface RowChecking extends Moment {
  /** True for a row that is not in the file yet. */
  readonly isNew?: boolean;
  /** The text of an expression in a message that looks at other rows. */
  readonly elsewhere?: (expression: string) => string | null;
}

export const emptyMessage = (field: Field): string => `${field.label} is always filled.`;

function checkField(design: Design, field: Field, value: unknown): Read {
  const read = checkValue(valueKind(field.type), value);
  if (!read.ok || field.type.kind !== 'lookup' || read.value === null) return read;
  const wanted = typeOf(design, field.type).type === 'number' ? 'number' : 'string';
  return typeof read.value === wanted ? read : { ok: false, message: 'This is no key of the other table.' };
}

/**
 * Checks a whole row (by field id) against everything that can be known from the row alone: kinds,
 * always filled, and rules over its own fields. Rules over other rows are the file's to check. What the
 * file or the server gives (a running number, a stamp) may be missing.
 */
export function checkRow(
  design: Design,
  table: Table,
  row: Readonly<Record<string, unknown>>,
  checking: RowChecking,
): RowProblem[] {
  const problems: RowProblem[] = [];
  const values = new Map<string, Value>();
  for (const field of table.fields.filter(isStored)) {
    const read = checkField(design, field, row[field.id] ?? null);
    if (read.ok) values.set(field.id, read.value);
    else problems.push({ field: field.id, rule: null, message: `${field.label}: ${read.message}` });
    if (!read.ok || read.value !== null || isGiven(field)) continue;
    if (field.alwaysFilled || table.key.includes(field.id))
      problems.push({ field: field.id, rule: null, message: emptyMessage(field) });
  }
  const wrong = new Set(problems.map(({ field }) => field));
  for (const { rule, field } of rulesOf(table)) {
    if ((rule.newRowsOnly && !checking.isNew) || (field && wrong.has(field.id))) continue;
    const broken = brokenRule(design, table, rule, values, checking);
    if (broken !== null) problems.push({ field: field?.id ?? null, rule: rule.id, message: broken });
  }
  return problems;
}

/** The message of a rule when these values break it; null when they do not, or cannot say. */
function brokenRule(
  design: Design,
  table: Table,
  rule: Rule,
  values: ReadonlyMap<string, Value>,
  checking: RowChecking,
): string | null {
  const catalog = catalogOf(design);
  const bound = attempt(() => bindCondition(rule.expression, { catalog, table: table.id }).bound);
  if (!bound.ok) return `A rule cannot be worked out: ${bound.error.message}`;
  if (!fromRowAlone(bound.value)) return null;
  const result = evaluateRow(bound.value, table, values, checking);
  if (!result.ok) return result.message;
  return result.value === false ? ruleMessage(design, table, rule, values, checking) : null;
}
