import { listOf, rulesOf, type Design, type Field, type Rule, type Table } from '@heathridge/core/design';
import { emptyMessage, type RowError } from '@heathridge/core/rows';

/** True for an error by which the file refuses a row; anything else is not the row's fault. */
export function isConstraintError(error: unknown): boolean {
  const code = (error as { code?: unknown }).code;
  return (
    error instanceof Error &&
    (String(code).startsWith('SQLITE_CONSTRAINT') ||
      // The driver does not know the code of a STRICT table's type error.
      code === 'UNKNOWN_SQLITE_ERROR_3091' ||
      // A rule that left the range of numbers.
      /malformed JSON|integer overflow/.test(error.message))
  );
}

const isTrigger = (error: Error): boolean =>
  (error as { code?: unknown }).code === 'SQLITE_CONSTRAINT_TRIGGER';

export interface Mapped extends Pick<RowError, 'field' | 'rule' | 'message'> {
  /** The rule that is broken, whose message may still hold expressions. */
  readonly broken?: { readonly table: Table; readonly rule: Rule };
}

/**
 * Maps an error of the engine back to field, rule and message. Constraints are named after the field
 * or rule they stand for: `rule r_x`, `kind f_x`, `alike f_x`, `filled f_x`; triggers say `rule:r_x …`, or `text:f_x` and what is wrong with it.
 */
export function engineError(design: Design, table: Table, error: Error): Mapped {
  const { message } = error;
  const fields = design.tables.flatMap((other) => other.fields);
  const trigger = /rule:(r_\w+)/.exec(message);
  const check = /CHECK constraint failed: (rule|kind) (\w+)/.exec(message);
  const ruleId = trigger?.[1] ?? (check?.[1] === 'rule' ? check[2] : undefined);
  if (ruleId !== undefined) {
    for (const owner of design.tables) {
      const found = rulesOf(owner).find(({ rule }) => rule.id === ruleId);
      if (found)
        return {
          field: owner.id === table.id ? (found.field?.id ?? null) : null,
          rule: ruleId,
          message: found.rule.message,
          broken: { table: owner, rule: found.rule },
        };
    }
    return { field: null, rule: ruleId, message: 'A rule of this table is broken.' };
  }
  if (check) {
    const field = fields.find(({ id }) => id === check[2]);
    return {
      field: field?.id ?? null,
      rule: null,
      message: `${field?.label ?? 'A field'} cannot hold this value.`,
    };
  }
  const kept = /CHECK constraint failed: kept (\w+)/.exec(message)?.[1];
  const condition = design.kept.find(({ id }) => id === kept);
  if (condition)
    return {
      field: null,
      rule: null,
      message: `This row does not meet the check that came with the file: ${condition.sql}.`,
    };
  const text = /text:(f_\w+) (.+)/.exec(message);
  if (text) return { field: text[1]!, rule: null, message: text[2]! };
  const column = /(?:UNIQUE|NOT NULL) constraint failed: (.+)$/.exec(message)?.[1];
  if (column !== undefined) return columnError(table, column, message.includes('NOT NULL'));
  if (/FOREIGN KEY constraint failed/.test(message))
    return {
      field: null,
      rule: null,
      message: `Other rows still need this ${table.label.toLowerCase()}, so it cannot be deleted.`,
    };
  if (/malformed JSON|integer overflow/.test(message))
    return {
      field: null,
      rule: null,
      message: 'A rule works out a number that is too large with these values.',
    };
  // What a trigger says that came with the file is said as it stands there.
  if (isTrigger(error)) return { field: null, rule: null, message };
  return { field: null, rule: null, message: 'The file refused this row: a value is of the wrong kind.' };
}

function columnError(table: Table, columns: string, empty: boolean): Mapped {
  const named = columns.split(', ').map((column) => column.slice(table.name.length + 1));
  const found = named
    .map((name) => table.fields.find((field) => field.name === name))
    .filter((field): field is Field => field !== undefined);
  const [field] = found;
  if (empty && field) return { field: field.id, rule: null, message: emptyMessage(field) };
  const labels = listOf(found.map(({ label }) => label));
  return {
    field: field?.id ?? null,
    rule: null,
    message: `Another ${table.label.toLowerCase()} has this ${labels} already.`,
  };
}
