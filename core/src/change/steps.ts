import { bind, sqlName, sqlText, toSql } from '../expression';
import { catalogOf, fieldOf, placesOf, typeOf, type Design, type Field, type Table } from '../design';
import {
  createIndexes,
  createReadable,
  createTable,
  createTriggers,
  readableName,
  ruleSql,
  runningKey,
} from './ddl';

/** One step of an apply: SQL and what it does, for the log of applied changes. */
export interface SqlStep {
  readonly sql: string;
  readonly what: string;
}

const REBUILT = 'hr_rebuilt';

/**
 * The ordered SQL that turns a file of one design into a file of another. It follows the procedure of
 * SQLite's documentation ("Making Other Kinds Of Table Schema Changes", lang_altertable): foreign key
 * enforcement is off and a transaction open around it, triggers and views go first and come back last,
 * a table that cannot be changed in place is made anew, filled, dropped and renamed. The caller checks
 * foreign keys at the end.
 */
export function steps(before: Design, after: Design): SqlStep[] {
  const list: SqlStep[] = [];
  const add = (what: string, ...sql: string[]): void => {
    list.push(...sql.map((text) => ({ sql: text, what })));
  };
  for (const table of before.tables) {
    add(
      `take away the readable view of ${table.label}`,
      `DROP VIEW IF EXISTS ${sqlName(readableName(table))}`,
    );
    add(`take away the rules of ${table.label}`, ...dropTriggers(before, table));
  }
  for (const table of before.tables)
    if (!after.tables.some(({ id }) => id === table.id))
      add(`drop ${table.label}`, `DROP TABLE ${sqlName(table.name)}`);

  // Rebuilt tables take their final names only when all old ones are gone: names may be swapped.
  const renames: SqlStep[] = [];
  for (const table of after.tables) {
    const old = before.tables.find(({ id }) => id === table.id);
    if (!old) {
      add(`make ${table.label}`, createTable(after, table), ...firstNumber(table, table.name));
      add(`index ${table.label}`, ...createIndexes(table));
    } else if (createTable(before, old) !== createTable(after, table)) {
      const temporary = `${REBUILT}_${table.id}`;
      add(`rebuild ${table.label}`, createTable(after, table, temporary));
      add(
        `copy the rows of ${table.label}`,
        copyRows(before, after, old, table, temporary),
        ...keepNumbers(old, table, temporary),
      );
      add(`drop the old ${old.label}`, `DROP TABLE ${sqlName(old.name)}`);
      renames.push({
        what: `name ${table.label}`,
        sql: `ALTER TABLE ${sqlName(temporary)} RENAME TO ${sqlName(table.name)}`,
      });
      renames.push(...createIndexes(table).map((sql) => ({ sql, what: `index ${table.label}` })));
    } else {
      const [had, has] = [createIndexes(old), createIndexes(table)];
      const name = (sql: string): string => /INDEX ("(?:[^"]|"")*")/.exec(sql)![1]!;
      add(
        `index ${table.label}`,
        ...had.filter((sql) => !has.includes(sql)).map((sql) => `DROP INDEX ${name(sql)}`),
      );
      add(`index ${table.label}`, ...has.filter((sql) => !had.includes(sql)));
    }
  }
  list.push(...renames);
  for (const table of after.tables) {
    add(`put the rules of ${table.label} in place`, ...createTriggers(after, table));
    add(`make the readable view of ${table.label}`, createReadable(after, table));
  }
  return list;
}

function dropTriggers(design: Design, table: Table): string[] {
  return table.fields
    .filter((field) => ruleSql(design, table, field)?.as === 'trigger')
    .flatMap((field) =>
      ['insert', 'update'].map(
        (event) => `DROP TRIGGER IF EXISTS ${sqlName(`${table.name} rule ${field.rule!.id} ${event}`)}`,
      ),
    );
}

function firstNumber(table: Table, name: string): string[] {
  const key = runningKey(table);
  if (key?.type.kind !== 'runningNumber' || key.type.first === 1) return [];
  return [`INSERT INTO sqlite_sequence (name, seq) VALUES (${sqlText(name)}, ${key.type.first - 1})`];
}

/** Running numbers are never given twice, so the last one given survives a rebuild. */
function keepNumbers(old: Table, table: Table, temporary: string): string[] {
  if (!runningKey(table) || !runningKey(old)) return [];
  const last = `coalesce((SELECT seq FROM sqlite_sequence WHERE name = ${sqlText(old.name)}), 0)`;
  return [
    `DELETE FROM sqlite_sequence WHERE name = ${sqlText(temporary)}`,
    `INSERT INTO sqlite_sequence (name, seq) SELECT ${sqlText(temporary)}, ${last} WHERE ${last} > 0`,
  ];
}

function copyRows(before: Design, after: Design, old: Table, table: Table, into: string): string {
  const columns = table.fields.map((field) => ({
    name: sqlName(field.name),
    value: carriedValue(before, after, old, field),
  }));
  return (
    `INSERT INTO ${sqlName(into)} (${columns.map(({ name }) => name).join(', ')}) ` +
    `SELECT ${columns.map(({ value }) => value).join(', ')} FROM main.${sqlName(old.name)}`
  );
}

/**
 * SQL for what a row of the old table holds in a field of the new one: its value at the new scale; in
 * a new field that is always filled the starting value; otherwise nothing.
 */
export function carriedValue(before: Design, after: Design, old: Table, field: Field): string {
  const source = fieldOf(old, field.id);
  if (source) {
    const up = placesOf(field.type) - placesOf(source.type);
    return up > 0 ? `${sqlName(source.name)} * 1${'0'.repeat(up)}` : sqlName(source.name);
  }
  if (field.type.kind === 'tick' && field.start === null) return '0';
  if (field.start === null || !(field.alwaysFilled || field.type.kind === 'tick')) return 'NULL';
  const catalog = catalogOf(after);
  const { bound } = bind(field.start, { catalog, table: null });
  const type = typeOf(after, field.type);
  const { sql } = toSql(bound, { catalog, row: null });
  if (type.type !== 'number' || bound.type.type !== 'number') return sql;
  return `${sql} * 1${'0'.repeat(type.scale - bound.type.scale)}`;
}
