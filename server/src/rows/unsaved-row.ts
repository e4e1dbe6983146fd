import {
  bind,
  bindCondition,
  faultName,
  sqlName,
  toSql,
  type Bound,
  type Fault,
} from '@heathridge/core/expression';
import {
  shownText,
  UNSHOWN,
  catalogOf,
  findField,
  localeOf,
  rulesOf,
  storedFields,
  type Answering,
  type Design,
  type Table,
} from '@heathridge/core/design';
import type { Answers } from '@heathridge/core/query';
import { fromVal, kindOfBound, unworkedRule, type RowKey, type RowProblem } from '@heathridge/core/rows';
import { showValue, type Value } from '@heathridge/core/values';
import type { Connection } from '../store/driver';
import { toStored } from './codec';
import { keyColumns } from './json';
import { guarded } from '../store/statements';
import type { Stored } from './codec';
import { Params } from './params';

/** A row that need not be in the file, as a source for FROM: its stored values as columns. */
export function unsavedRow(
  table: Table,
  values: Readonly<Record<string, Value>>,
  params: Params,
  alias: string,
): string {
  const columns = storedFields(table).map((field) => {
    const stored = toStored(field, values[field.id] ?? null);
    return `${stored === null ? 'NULL' : params.add(stored)} AS ${sqlName(field.name)}`;
  });
  return `(SELECT ${columns.join(', ')}) AS ${alias}`;
}

/** An expression as SQL, and how its value is shown to people. */
export interface Shown {
  readonly sql: string;
  show(value: string | number | null): string;
}

/** Writes an expression over the row `t` of a table so that its value can be shown: lookups as their text. */
export function shownExpression(
  design: Design,
  table: Table,
  expression: string,
  text: (value: string) => string,
): Shown {
  const catalog = catalogOf(design);
  const { bound } = bind(expression, { catalog, table: table.id });
  const { sql: own, marked } = toSql(bound, { catalog, row: 't', text, faults: 'mark' });
  const field = bound.op === 'ref' ? findField(design, bound.field.id)?.field : undefined;
  const shown = field && shownText(design, catalog, field, own);
  if (shown) return { sql: shown, show: (value) => (value === null ? '' : String(value)) };
  const locale = localeOf(design.settings);
  return {
    sql: marked
      ? `(SELECT CASE typeof("~u") WHEN 'blob' THEN ${text(UNSHOWN)} ELSE "~u" END FROM (SELECT ${own} AS "~u"))`
      : own,
    show: (value) => {
      if (value === null || (marked && value === UNSHOWN)) return value ?? '';
      return showValue(kindOfBound(bound), travelling(bound, value), locale);
    },
  };
}

/** A row over which something is worked out. */
export interface WorkedOver {
  readonly table: Table;
  /** What follows FROM, where it is called `t`, to the end of the statement. */
  readonly from: string;
  /** What that is given. */
  readonly params: Params;
}

/** A row as it is in the file. */
export function keptRow(table: Table, key: RowKey): WorkedOver {
  const params = new Params();
  const where = keyColumns(table, 't').map((column, i) => `${column} = ${params.add(key[i]!)}`);
  return { table, from: `${sqlName(table.name)} AS t WHERE ${where.join(' AND ')}`, params };
}

/** What a row answers to questions of a query, by their ids; what cannot be worked out for it is no answer. */
export function answersOver(
  db: Connection,
  design: Design,
  { table, from, params }: WorkedOver,
  answering: Answering,
): Answers {
  const catalog = catalogOf(design);
  const asked = answering.map(({ question, by }) => {
    const { bound } = bind(by, { catalog, table: table.id });
    const text = (value: string): string => params.add(value);
    return { question, bound, sql: toSql(bound, { catalog, row: 't', text, faults: 'empty' }).sql };
  });
  if (asked.length === 0) return {};
  const sql = `SELECT ${asked.map(({ sql: own }) => own).join(', ')} FROM ${from}`;
  const cells = (guarded(db, sql, asked.length).get(...params.values) ?? []) as Stored[];
  return Object.fromEntries(
    asked.map(({ question, bound }, i) => [question, travelling(bound, cells[i] ?? null)]),
  );
}

/** What an expression has given in the engine, as values travel. */
function travelling(bound: Bound, value: Stored): Value {
  if (value === null) return null;
  if (bound.type.type === 'boolean') return value === 1;
  return typeof value === 'number'
    ? fromVal(BigInt(value), bound.type.type === 'number' ? bound.type.scale : 0)
    : value;
}

/** The value of an expression for a row that need not be in the file, as text for people; null when empty. */
export function shownForRow(
  db: Connection,
  design: Design,
  table: Table,
  values: Readonly<Record<string, Value>>,
  expression: string,
): string | null {
  const params = new Params();
  const from = unsavedRow(table, values, params, 't');
  const { sql, show } = shownExpression(design, table, expression, (text) => params.add(text));
  const [value] = guarded(db, `SELECT ${sql} FROM ${from}`, 1).get(...params.values) as [Stored];
  return value === null ? null : show(value);
}

/**
 * What is said of the first rule of a table that cannot be worked out for a row: the engine ends the statement
 * and does not say by which. Null when all can.
 */
export function faultyRule(
  db: Connection,
  design: Design,
  table: Table,
  values: Readonly<Record<string, Value>>,
): RowProblem | null {
  const catalog = catalogOf(design);
  for (const { rule } of rulesOf(table)) {
    const params = new Params();
    const from = unsavedRow(table, values, params, 't');
    const { bound } = bindCondition(rule.expression, { catalog, table: table.id });
    const text = (value: string): string => params.add(value);
    const { sql, marked } = toSql(bound, { catalog, row: 't', faults: 'mark', text });
    if (!marked) continue;
    const ask = `SELECT ${faultName('v')} FROM (SELECT ${sql} AS v FROM ${from})`;
    const [fault] = guarded(db, ask, 1).get(...params.values) as [Fault | null];
    if (fault !== null) return { rule: rule.id, ...unworkedRule(table, rule, fault) };
  }
  return null;
}
