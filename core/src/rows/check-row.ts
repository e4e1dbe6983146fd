import { attempt, FAULT_WORDS, idsIn, some, type Bound, type Fault } from '../expression';
import {
  conditionIn,
  fieldOf,
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
import { evaluateRow, fieldsRead, fromRowAlone, ruleMessage } from './rule-message';
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
  /** The row as it is in the file: some rules are asked again only where a field they read has changed. */
  readonly was?: Readonly<Record<string, unknown>>;
  /** The fields whose values are at hand, where that is not all: what reads others is the file's to check. */
  readonly known?: ReadonlySet<string>;
  /** Fields whose values were read as ones of their kind just now, and need not be looked at again by themselves. */
  readonly read?: ReadonlySet<string>;
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
  const rules = compiledRules(design, table);
  const values = new Map<string, Value>();
  // Without a rule nobody asks for them.
  const keep = (id: string, value: Value): unknown => rules.length > 0 && values.set(id, value);
  for (const field of table.fields) {
    if (!isStored(field)) continue;
    if (checking.known && !checking.known.has(field.id)) continue;
    const { id } = field;
    // What stands in the file was checked when it came there.
    if (!checking.isNew && checking.was && id in checking.was && Object.is(checking.was[id], row[id])) {
      keep(id, row[id] as Value);
      continue;
    }
    const value = row[field.id] ?? null;
    const read: Read = checking.read?.has(id)
      ? { ok: true, value: value as Value }
      : checkField(design, field, value);
    if (read.ok) keep(field.id, read.value);
    else problems.push({ field: field.id, rule: null, message: `${field.label}: ${read.message}` });
    if (!read.ok || read.value !== null || isGiven(field)) continue;
    if (field.alwaysFilled || table.key.includes(field.id))
      problems.push({ field: field.id, rule: null, message: emptyMessage(field) });
  }
  if (rules.length === 0) return problems;
  const wrong = new Set(problems.map(({ field }) => field));
  for (const compiled of rules) {
    const { rule, field } = compiled;
    if (field !== null && wrong.has(field)) continue;
    const broken = brokenRule(design, table, compiled, values, row, checking);
    if (broken !== null) problems.push({ field, rule: rule.id, ...broken });
  }
  return problems;
}

/** A rule with what is known of it before any row is seen. */
interface CompiledRule {
  readonly rule: Rule;
  /** The field it stands at; null for a rule of the table. */
  readonly field: string | null;
  /** Null for a rule that looks at other rows: those are the file's to ask. */
  readonly alone: {
    readonly bound: Bound;
    /** The fields it reads, and the running number among them, if there is one. */
    readonly read: readonly string[];
    readonly number: string | null;
    readonly asksToday: boolean;
  } | null;
  /** Why it cannot be worked out, when that is so. */
  readonly problem: string | null;
}

const compiled = new WeakMap<Design, Map<string, readonly CompiledRule[]>>();

/** The rules of a table, bound and looked through once for as long as the design lives. */
function compiledRules(design: Design, table: Table): readonly CompiledRule[] {
  const tables = compiled.get(design) ?? new Map<string, readonly CompiledRule[]>();
  compiled.set(design, tables);
  const known = tables.get(table.id);
  if (known) return known;
  const made = rulesOf(table).map(({ rule, field }): CompiledRule => {
    const attempted = attempt(() => conditionIn(design, table.id, rule.expression).bound);
    const at = { rule, field: field?.id ?? null };
    if (!attempted.ok)
      return { ...at, alone: null, problem: `A rule cannot be worked out: ${attempted.error.message}` };
    const bound = attempted.value;
    if (!fromRowAlone(bound)) return { ...at, alone: null, problem: null };
    const read = fieldsRead(bound, table);
    const number = read.find((id) => fieldOf(table, id)?.type.kind === 'runningNumber') ?? null;
    const asksToday = some(bound, ({ op }) => op === 'clock');
    return { ...at, alone: { bound, read, number, asksToday }, problem: null };
  });
  tables.set(table.id, made);
  return made;
}

/** What is said of a rule that cannot be worked out for a row, by the field with whose value it cannot. */
export function unworkedRule(table: Table, rule: Rule, fault: Fault): Omit<RowProblem, 'rule'> {
  const ids = new Set(idsIn(rule.expression));
  const read = table.fields.find((field) => field.rule?.id === rule.id || ids.has(field.id));
  return {
    field: read?.id ?? null,
    message: `${read ? `${read.label}: the` : 'The'} rule “${rule.message.replace(/\{[^}]*\}/g, '…')}” cannot be worked out with this. ${FAULT_WORDS[fault]}`,
  };
}

/** What is said of a rule when these values break it; null when they do not, or cannot say. */
function brokenRule(
  design: Design,
  table: Table,
  { rule, alone, problem }: CompiledRule,
  values: ReadonlyMap<string, Value>,
  row: Readonly<Record<string, unknown>>,
  checking: RowChecking,
): (Partial<Pick<RowProblem, 'field'>> & Pick<RowProblem, 'message'>) | null {
  if (!alone) return problem === null ? null : { message: problem };
  const { bound, read, number, asksToday } = alone;
  const { known, was, isNew } = checking;
  if (known && read.some((id) => !known.has(id))) return null;
  // A number that is still to be given is the file's to ask about.
  if (isNew && number !== null && (row[number] ?? null) === null) return null;
  if (!isNew) {
    // A rule is asked again only where a field it reads has changed, as the file does.
    if (was && read.every((id) => (was[id] ?? null) === (row[id] ?? null))) return null;
    if (!was && (rule.newRowsOnly || asksToday)) return null;
    if (was && rule.newRowsOnly) {
      // A row that broke the rule before may go on doing so.
      const before = new Map(Object.entries(was) as [string, Value][]);
      const held = evaluateRow(bound, table, before, checking);
      if (held.ok && held.value === false) return null;
    }
  }
  const result = evaluateRow(bound, table, values, checking);
  if (!result.ok) return unworkedRule(table, rule, result.fault);
  return result.value === false ? { message: ruleMessage(design, table, rule, values, checking) } : null;
}
