import { sqlName, sqlText } from '../expression';
import { fieldOf, readableName, storedFields, type Design, type Table } from '../design';
import { Carrier, movesKey, type MapPlan } from './carry';
import type { Evolved } from './changes';
import { createIndexes, createReadable, createTable, keptObjects, runningKey } from './ddl';
import { orderParts } from './order';
import { createTriggers, triggersOf } from './triggers';

/** One step of an apply: SQL, or values to be read one by one, and what it does for whoever watches. */
export type Step =
  | { readonly sql: string; readonly what: string; readonly table: string | null }
  | { readonly map: MapPlan; readonly what: string; readonly table: string };

const REBUILT = 'hr_rebuilt';

/** The temporary table in which a map's results stand. */
export const mapTable = (name: string): string =>
  `CREATE TEMP TABLE ${sqlName(name)} (old ANY PRIMARY KEY, new ANY, message TEXT) STRICT, WITHOUT ROWID`;

/**
 * The ordered steps that turn a file of one design into a file of another. They follow the procedure of
 * SQLite's documentation ("Making Other Kinds Of Table Schema Changes", lang_altertable): foreign key
 * enforcement is off and a transaction open around them, triggers and views go first and come back last,
 * a table that cannot be changed in place is made anew, filled, dropped and renamed. The caller checks
 * foreign keys at the end. Every copy is made while all old tables are still there under their names.
 */
export function steps(before: Design, evolved: Evolved, carrier = new Carrier(before, evolved)): Step[] {
  const after = evolved.design;
  const list: Step[] = [];
  const add = (what: string, table: string | null, ...sql: readonly string[]): void => {
    list.push(...sql.map((text) => ({ sql: text, what, table })));
  };
  for (const { name, drop } of [...keptObjects(before)].reverse())
    add(`take ${name} away for now`, null, drop);
  for (const table of before.tables) {
    add(
      `take away the readable view of ${table.label}`,
      table.id,
      `DROP VIEW IF EXISTS ${sqlName(readableName(table))}`,
    );
    add(
      `take away the rules of ${table.label}`,
      table.id,
      ...triggersOf(before, table).map(({ name }) => `DROP TRIGGER IF EXISTS ${sqlName(name)}`),
    );
  }
  const kept = keptOrders(before, carrier);
  for (const table of before.tables)
    for (const { name } of orderParts(before, table))
      if (!kept.has(name))
        add(`take away the order of ${table.label}`, table.id, `DROP TABLE ${sqlName(name)}`);
  const maps = carrier.maps();
  for (const map of maps)
    list.push({ map, what: 'read the values that change their kind', table: map.field });
  const keys = carrier.keys();
  for (const { table, sql } of keys) add('note the new keys', null, mapTable(table), sql);

  // Rebuilt tables take their final names only when all old ones are gone: names may be swapped.
  const drops: Step[] = [];
  const names: Step[] = [];
  for (const table of after.tables) {
    const old = before.tables.find(({ id }) => id === table.id);
    if (!old) {
      names.push(
        ...[
          createTable(after, table),
          ...firstNumber(table),
          ...bringBack(carrier, table),
          ...createIndexes(after, table),
        ].map((sql) => ({
          sql,
          what: `make ${table.label}`,
          table: table.id,
        })),
      );
    } else if (mustRebuild(carrier, old, table)) {
      const temporary = `${REBUILT}_${table.id}`;
      add(`make the new ${table.label}`, table.id, createTable(after, table, temporary));
      add(
        `copy the rows of ${table.label}`,
        table.id,
        copyRows(carrier, old, table, temporary),
        ...keepNumbers(carrier, old, table, temporary),
      );
      if (movesKey(carrier, old, table))
        add(`note the new keys of ${table.label}`, table.id, ...noteKeys(carrier, old, table));
      drops.push({
        what: `drop the old ${old.label}`,
        sql: `DROP TABLE ${sqlName(old.name)}`,
        table: table.id,
      });
      names.push({
        what: `name ${table.label}`,
        sql: `ALTER TABLE ${sqlName(temporary)} RENAME TO ${sqlName(table.name)}`,
        table: table.id,
      });
      for (const sql of createIndexes(after, table))
        names.push({ sql, what: `index ${table.label}`, table: table.id });
    } else {
      const [had, has] = [createIndexes(before, old), createIndexes(after, table)];
      // One that another tool has dropped, or that files had none of when theirs was made, is not missed.
      const name = (sql: string): string => /INDEX ("(?:[^"]|"")*")/.exec(sql)![1]!;
      add(
        `index ${table.label}`,
        table.id,
        ...had.filter((sql) => !has.includes(sql)).map((sql) => `DROP INDEX IF EXISTS ${name(sql)}`),
        ...has.filter((sql) => !had.includes(sql)),
      );
    }
  }
  for (const table of before.tables)
    if (!after.tables.some(({ id }) => id === table.id))
      drops.push({ what: `drop ${table.label}`, sql: `DROP TABLE ${sqlName(table.name)}`, table: table.id });
  list.push(...drops, ...names);
  for (const table of after.tables) {
    for (const { name, create } of orderParts(after, table))
      if (!kept.has(name)) add(`put ${table.plural} in order`, table.id, ...create);
    add(`put the rules of ${table.label} in place`, table.id, ...createTriggers(after, table));
    add(`make the readable view of ${table.label}`, table.id, createReadable(after, table));
  }
  for (const { name, sql } of keptObjects(after)) add(`make ${name} again`, null, sql);
  for (const name of [...maps, ...keys].map(({ table }) => table))
    add('clear up', null, `DROP TABLE temp.${sqlName(name)}`);
  return list;
}

/** Whether a table's shape or any of its values change, so that it must be made anew. */
function mustRebuild(carrier: Carrier, old: Table, table: Table): boolean {
  const { before, evolved } = carrier;
  if (createTable(before, old) !== createTable(evolved.design, table)) return true;
  return storedFields(table).some((field) => {
    const was = old.fields.find(({ id }) => id === field.id);
    return !was || carrier.value(old, table, field) !== sqlName(was.name);
  });
}

/** The tables of order keys that stay as they are: of tables that do, by fields that do. */
function keptOrders(before: Design, carrier: Carrier): Set<string> {
  const after = carrier.evolved.design;
  return new Set(
    before.tables.flatMap((old) => {
      const table = after.tables.find(({ id }) => id === old.id);
      if (!table || mustRebuild(carrier, old, table)) return [];
      const still = new Set(orderParts(after, table).map(({ name }) => name));
      return orderParts(before, old).flatMap(({ name }) => (still.has(name) ? [name] : []));
    }),
  );
}

function firstNumber(table: Table): string[] {
  const key = runningKey(table);
  if (key?.type.kind !== 'runningNumber' || key.type.first === 1) return [];
  return [`INSERT INTO sqlite_sequence (name, seq) VALUES (${sqlText(table.name)}, ${key.type.first - 1})`];
}

/**
 * Running numbers are never given twice, so the last one given survives a rebuild. A key that becomes a
 * running number only now goes on after the last one in use.
 */
function keepNumbers(carrier: Carrier, old: Table, table: Table, temporary: string): string[] {
  const key = runningKey(table);
  if (key?.type.kind !== 'runningNumber') return [];
  const given =
    runningKey(old)?.id === key.id
      ? `coalesce((SELECT seq FROM sqlite_sequence WHERE name = ${sqlText(old.name)}), 0)`
      : `max(${key.type.first - 1}, ${carrier.lastNumber(table) ?? '0'}, coalesce((SELECT max(${sqlName(key.name)}) FROM ${sqlName(temporary)}), 0))`;
  return [
    `DELETE FROM sqlite_sequence WHERE name = ${sqlText(temporary)}`,
    `INSERT INTO sqlite_sequence (name, seq) SELECT ${sqlText(temporary)}, n FROM (SELECT ${given} AS n) WHERE n > 0`,
  ];
}

/** Writes down what the keys of rows become: those who are to find a row by an earlier key follow it. */
function noteKeys(carrier: Carrier, old: Table, table: Table): string[] {
  const was = old.key.map((id) => `o.${sqlName(fieldOf(old, id)!.name)}`).join(', ');
  const now = table.key.map((id) => carrier.value(old, table, fieldOf(table, id)!)).join(', ');
  return noted(table, was, now, carrier.from(old, table));
}

function noted(table: Table, was: string, now: string, from: string): string[] {
  const into = 'INSERT INTO main.hr_rekeyed (change, table_id, was, now) SELECT';
  const change = `(SELECT coalesce(max(version), 0) + 1 FROM main.hr_change), ${sqlText(table.id)}`;
  // An entry for no row says that it was noted, also of a table without rows.
  return [
    `${into} ${change}, '[]', '[]'`,
    `${into} ${change}, json_array(${was}), json_array(${now}) FROM ${from}`,
  ];
}

/** Brings back the rows of a table that was not there: no number that it has given is given again. */
function bringBack(carrier: Carrier, table: Table): string[] {
  const returning = carrier.returning(table);
  if (!returning) return [];
  const { from, key, values } = returning;
  const name = sqlName(table.name);
  const columns = storedFields(table);
  const sql = (id: string): string => values.get(id)!.sql;
  const rows = `INSERT INTO main.${name} (${columns.map((field) => sqlName(field.name)).join(', ')}) SELECT ${columns.map(({ id }) => sql(id)).join(', ')} FROM ${from}`;
  const moved = table.key.some((id) => !values.get(id)!.same);
  const notes = moved ? noted(table, key.join(', '), table.key.map(sql).join(', '), from) : [];
  const last = carrier.lastNumber(table);
  const numbers = last
    ? [
        `UPDATE sqlite_sequence SET seq = max(seq, ${last}) WHERE name = ${sqlText(table.name)}`,
        `INSERT INTO sqlite_sequence (name, seq) SELECT ${sqlText(table.name)}, n FROM (SELECT ${last} AS n) WHERE n > 0 AND NOT EXISTS (SELECT 1 FROM sqlite_sequence WHERE name = ${sqlText(table.name)})`,
      ]
    : [];
  return [rows, ...numbers, ...notes];
}

function copyRows(carrier: Carrier, old: Table, table: Table, into: string): string {
  const columns = storedFields(table).map((field) => ({
    name: sqlName(field.name),
    value: carrier.value(old, table, field),
  }));
  return (
    `INSERT INTO ${sqlName(into)} (${columns.map(({ name }) => name).join(', ')}) ` +
    `SELECT ${columns.map(({ value }) => value).join(', ')} FROM ${carrier.from(old, table)}`
  );
}
