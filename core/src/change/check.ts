import { bindCondition, sqlName, sqlText, toSql } from '../expression';
import {
  catalogOf,
  dependantsOf,
  fieldOf,
  validateTables,
  type Dependant,
  type Design,
  type Field,
  type Table,
} from '../design';
import { kindProblem } from './changes';
import { carriedValue } from './steps';

/** A question to the real rows: which of them would not survive the draft? */
export interface RowCheck {
  readonly table: string;
  readonly field: string;
  readonly sort: 'empty' | 'alike' | 'rule' | 'choice' | 'length';
  /** For people, without the count: `would break the rule on Due back: …`. */
  readonly message: string;
  /** One number: how many rows. */
  readonly count: string;
  /** Up to 20 of them: the key (as a JSON array) and the value. */
  readonly sample: string;
}

/** Something the draft cannot do, or does beyond what was asked, known without looking at rows. */
export interface Notice {
  readonly level: 'stop' | 'note';
  readonly table: string;
  readonly field?: string | undefined;
  readonly message: string;
  readonly dependants: readonly Dependant[];
}

export interface CheckPlan {
  readonly notices: readonly Notice[];
  readonly rows: readonly RowCheck[];
}

/** What must be asked of the real rows before a draft is applied, and what is known already. */
export function checkPlan(before: Design, after: Design): CheckPlan {
  const notices: Notice[] = validateTables(after).map((problem) => ({
    level: 'stop',
    ...problem,
    dependants: [],
  }));
  notices.push(...dropped(before, after), ...renamed(before, after));
  for (const table of after.tables) {
    const old = before.tables.find(({ id }) => id === table.id);
    if (!old) continue;
    if (old.key.join() !== table.key.join())
      notices.push({
        level: 'stop',
        table: table.id,
        message: `The key of ${table.label} stays as it is once it holds rows.`,
        dependants: [],
      });
    for (const field of table.fields) {
      const source = fieldOf(old, field.id);
      const problem = source ? kindProblem(source, field) : null;
      if (problem !== null)
        notices.push({ level: 'stop', table: table.id, field: field.id, message: problem, dependants: [] });
    }
  }
  const stopped = notices.some(({ level }) => level === 'stop');
  return { notices, rows: stopped ? [] : rowChecks(before, after) };
}

function dropped(before: Design, after: Design): Notice[] {
  const notices: Notice[] = [];
  const gone = (table: Table, item: { id: string; label: string }, field?: string): void => {
    const dependants = dependantsOf(after, item.id);
    notices.push({
      level: dependants.length > 0 ? 'stop' : 'note',
      table: table.id,
      field,
      message:
        dependants.length > 0
          ? `${item.label} is still used: take it out there first.`
          : `${item.label} and all it holds will be gone (until you undo).`,
      dependants,
    });
  };
  for (const table of before.tables) {
    const next = after.tables.find(({ id }) => id === table.id);
    if (!next) {
      gone(table, table);
      continue;
    }
    for (const field of table.fields) if (!fieldOf(next, field.id)) gone(table, field, field.id);
  }
  return notices;
}

function renamed(before: Design, after: Design): Notice[] {
  return after.tables.flatMap((table) => {
    const old = before.tables.find(({ id }) => id === table.id);
    if (!old) return [];
    const notices: Notice[] = [];
    const follow = (item: { id: string; label: string }, was: string, field?: string): void => {
      const dependants = dependantsOf(after, item.id);
      if (dependants.length > 0)
        notices.push({
          level: 'note',
          table: table.id,
          field,
          message: `${was} becomes ${item.label}; what uses it follows.`,
          dependants,
        });
    };
    if (old.name !== table.name) follow(table, old.label);
    for (const field of table.fields) {
      const source = fieldOf(old, field.id);
      if (source && source.name !== field.name) follow(field, source.label, field.id);
    }
    return notices;
  });
}

/**
 * The checks run on the file as it is. Each is preceded by common table expressions that show every
 * changed table as it will be, under its new name, so that a rule over a new field can be asked too.
 */
function rowChecks(before: Design, after: Design): RowCheck[] {
  const views = after.tables.flatMap((table) => {
    const old = before.tables.find(({ id }) => id === table.id);
    if (!old)
      return [
        `${sqlName(table.name)} AS (SELECT ${table.fields.map((field) => `NULL AS ${sqlName(field.name)}`).join(', ')} WHERE 0)`,
      ];
    const columns = table.fields.map(
      (field) => `${carriedValue(before, after, old, field)} AS ${sqlName(field.name)}`,
    );
    return [`${sqlName(table.name)} AS (SELECT ${columns.join(', ')} FROM main.${sqlName(old.name)})`];
  });
  const prelude = `WITH ${views.join(', ')} `;
  const checks: RowCheck[] = [];
  for (const table of after.tables) {
    const old = before.tables.find(({ id }) => id === table.id);
    if (!old) continue;
    const key = `json_array(${table.key.map((id) => `t.${sqlName(fieldOf(table, id)!.name)}`).join(', ')})`;
    const ask = (field: Field, sort: RowCheck['sort'], message: string, where: string): void => {
      const from = `FROM ${sqlName(table.name)} AS t WHERE ${where}`;
      checks.push({
        table: table.id,
        field: field.id,
        sort,
        message,
        count: `${prelude}SELECT count(*) ${from}`,
        sample: `${prelude}SELECT ${key}, t.${sqlName(field.name)} ${from} LIMIT 20`,
      });
    };
    for (const field of table.fields) fieldChecks(after, table, old, field, ask);
  }
  return checks;
}

function fieldChecks(
  after: Design,
  table: Table,
  old: Table,
  field: Field,
  ask: (field: Field, sort: RowCheck['sort'], message: string, where: string) => void,
): void {
  const source = fieldOf(old, field.id);
  const c = `t.${sqlName(field.name)}`;
  if (field.alwaysFilled && !source?.alwaysFilled)
    ask(field, 'empty', `${field.label} is to be always filled, and is empty there.`, `${c} IS NULL`);
  if (field.noTwoAlike && !source?.noTwoAlike)
    ask(
      field,
      'alike',
      `${field.label} is to have no two alike, and holds a value that another row has.`,
      `${c} IN (SELECT ${sqlName(field.name)} FROM ${sqlName(table.name)} GROUP BY 1 HAVING count(*) > 1)`,
    );
  if (
    field.rule &&
    (source?.rule?.expression !== field.rule.expression || source.rule.id !== field.rule.id)
  ) {
    const catalog = catalogOf(after);
    const { bound } = bindCondition(field.rule.expression, { catalog, table: table.id });
    ask(
      field,
      'rule',
      `They break the rule on ${field.label}: “${field.rule.message}”`,
      `NOT ${toSql(bound, { catalog, row: 't' }).sql}`,
    );
  }
  if (field.type.kind === 'choice' && source?.type.kind === 'choice') {
    const { choices } = field.type;
    const lost = source.type.choices.filter((choice) => !choices.includes(choice));
    if (lost.length > 0)
      ask(
        field,
        'choice',
        `${field.label} holds a choice that is taken away.`,
        `${c} IN (${lost.map(sqlText).join(', ')})`,
      );
  }
  if (field.type.kind === 'text' && field.type.most) {
    const had = source?.type.kind === 'text' ? source.type.most : null;
    if (!had || had > field.type.most)
      ask(
        field,
        'length',
        `${field.label} is longer than ${field.type.most} characters.`,
        `length(${c}) > ${field.type.most}`,
      );
  }
}
