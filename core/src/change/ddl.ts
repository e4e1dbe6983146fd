import { bind, bindCondition, decimalText, sqlName, sqlText, toSql, type Catalog } from '../expression';
import {
  catalogOf,
  fieldOf,
  linksTo,
  lookupDisplay,
  placesOf,
  tableOf,
  typeOf,
  type Design,
  type Field,
  type Table,
} from '../design';
import { MOST_DIGITS } from '../values';

/** The largest number of units a number field may hold. */
const MOST_UNITS = '9'.repeat(MOST_DIGITS);

/**
 * The SQL that makes a table of a design: STRICT, with its key, foreign keys, and a named constraint
 * for everything a field asks for. `name` differs from the table's own while it is being rebuilt.
 */
export function createTable(design: Design, table: Table, name = table.name): string {
  const columns = table.fields.map((field) => `  ${columnSql(design, table, field)}`);
  const constraints: string[] = [];
  if (!runningKey(table)) {
    const key = table.key.map((id) => sqlName(fieldOf(table, id)!.name));
    constraints.push(`  CONSTRAINT ${sqlName(`key ${table.name}`)} PRIMARY KEY (${key.join(', ')})`);
  }
  const rowid = runningKey(table) ? '' : ', WITHOUT ROWID';
  return `CREATE TABLE ${sqlName(name)} (\n${[...columns, ...constraints].join(',\n')}\n) STRICT${rowid}`;
}

/** The running number that is the table's whole key, if it has one. */
export const runningKey = (table: Table): Field | undefined => {
  const field = table.key.length === 1 ? fieldOf(table, table.key[0]!) : undefined;
  return field?.type.kind === 'runningNumber' ? field : undefined;
};

const storage = (design: Design, field: Field): 'TEXT' | 'INTEGER' => {
  const { type } = typeOf(design, field.type);
  return type === 'number' || type === 'boolean' ? 'INTEGER' : 'TEXT';
};

function columnSql(design: Design, table: Table, field: Field): string {
  const column = sqlName(field.name);
  if (runningKey(table)?.id === field.id)
    return `${column} INTEGER CONSTRAINT ${sqlName(`key ${table.name}`)} PRIMARY KEY AUTOINCREMENT`;
  const parts = [column, storage(design, field)];
  const filled = field.alwaysFilled || table.key.includes(field.id) || field.type.kind === 'tick';
  if (filled) parts.push(`CONSTRAINT ${sqlName(`filled ${field.id}`)} NOT NULL`);
  const start = startSql(design, field);
  if (start !== null) parts.push(`DEFAULT (${start})`);
  if (field.noTwoAlike) parts.push(`CONSTRAINT ${sqlName(`alike ${field.id}`)} UNIQUE`);
  const kind = kindCheck(field);
  if (kind !== null) parts.push(`CONSTRAINT ${sqlName(`kind ${field.id}`)} CHECK (${kind})`);
  const rule = ruleSql(design, table, field);
  if (rule?.as === 'check') parts.push(`CONSTRAINT ${sqlName(`rule ${field.rule!.id}`)} CHECK (${rule.sql})`);
  if (field.type.kind === 'lookup') {
    const target = tableOf(design, field.type.table);
    const key = fieldOf(target, target.key[0]!)!;
    const action = { refuse: 'RESTRICT', deleteAlong: 'CASCADE', leaveEmpty: 'SET NULL' }[
      field.type.onDelete
    ];
    parts.push(
      `CONSTRAINT ${sqlName(`link ${field.id}`)} REFERENCES ${sqlName(target.name)} (${sqlName(key.name)}) ON DELETE ${action} ON UPDATE CASCADE`,
    );
  }
  return parts.join(' ');
}

/** The starting value as SQL that may stand in a DEFAULT clause; null when there is none or it may not. */
export function startSql(design: Design, field: Field): string | null {
  if (field.start === null || field.start.trim() === '') return field.type.kind === 'tick' ? '0' : null;
  const catalog = catalogOf(design);
  const { bound } = bind(field.start, { catalog, table: null });
  const type = typeOf(design, field.type);
  const { sql, subquery } = toSql(bound, { catalog, row: null });
  if (subquery) return null;
  if (type.type !== 'number' || bound.type.type !== 'number') return sql;
  return `${sql} * 1${'0'.repeat(type.scale - bound.type.scale)}`;
}

/** What the kind of a field asks of its values, as a CHECK; null when storage alone says it. */
function kindCheck(field: Field): string | null {
  const c = sqlName(field.name);
  const { type } = field;
  switch (type.kind) {
    case 'text':
      return type.most ? `${c} <> '' AND length(${c}) <= ${type.most}` : `${c} <> ''`;
    case 'longText':
      return `${c} <> ''`;
    case 'wholeNumber':
    case 'decimal':
    case 'money':
      return `${c} BETWEEN -${MOST_UNITS} AND ${MOST_UNITS}`;
    case 'tick':
      return `${c} IN (0, 1)`;
    case 'date':
      // Without a modifier the engine hands 30 February back as it is.
      return `${c} GLOB '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]' AND ${c} >= '0001' AND date(${c}, '+0 days') = ${c}`;
    case 'choice':
      return `${c} IN (${type.choices.map(sqlText).join(', ')})`;
    default:
      return null;
  }
}

/** A rule as SQL that is false where it is broken, and whether a CHECK can hold it or a trigger must. */
export function ruleSql(
  design: Design,
  table: Table,
  field: Field,
): { as: 'check' | 'trigger'; sql: string } | null {
  if (!field.rule) return null;
  const catalog = catalogOf(design);
  const { bound } = bindCondition(field.rule.expression, { catalog, table: table.id });
  const plain = toSql(bound, { catalog, row: null });
  if (!plain.subquery && !plain.clock) return { as: 'check', sql: plain.sql };
  return { as: 'trigger', sql: toSql(bound, { catalog, row: 'NEW' }).sql };
}

/** The pairs of triggers that hold the rules no CHECK can: they look at other rows or at the clock. */
export function createTriggers(design: Design, table: Table): string[] {
  return table.fields.flatMap((field) => {
    const rule = ruleSql(design, table, field);
    if (rule?.as !== 'trigger') return [];
    const { id, message } = field.rule!;
    return ['INSERT', 'UPDATE'].map(
      (event) =>
        `CREATE TRIGGER ${sqlName(`${table.name} rule ${id} ${event.toLowerCase()}`)} BEFORE ${event} ON ${sqlName(table.name)}\n` +
        `WHEN NOT ${rule.sql}\nBEGIN SELECT RAISE(ABORT, ${sqlText(`rule:${id} ${message}`)}); END`,
    );
  });
}

/** Indexes: one for every lookup (the engine makes none by itself) and every field marked for it. */
export function createIndexes(table: Table): string[] {
  return table.fields
    .filter(
      ({ id, type, indexed, noTwoAlike }) =>
        (type.kind === 'lookup' || indexed) &&
        !noTwoAlike &&
        !(table.key.length === 1 && table.key[0] === id),
    )
    .map(
      (field) =>
        `CREATE INDEX ${sqlName(`index ${field.id}`)} ON ${sqlName(table.name)} (${sqlName(field.name)})`,
    );
}

/** The name of the view in which other tools read a table as people see it. */
export const readableName = (table: Table): string => `${table.name}_readable`;

/** That view: decimals as decimals, ticks as they are, lookups as the text they show. */
export function createReadable(design: Design, table: Table): string {
  const catalog = catalogOf(design);
  const columns = table.fields.map((field) => {
    const own = `t.${sqlName(field.name)}`;
    const places = placesOf(field.type);
    const sql =
      places > 0
        ? `CASE WHEN ${own} IS NOT NULL THEN ${decimalText(own, places)} END`
        : field.type.kind === 'lookup'
          ? lookupText(design, catalog, field, own)
          : own;
    return `${sql} AS ${sqlName(field.name)}`;
  });
  return `CREATE VIEW ${sqlName(readableName(table))} AS SELECT\n  ${columns.join(',\n  ')}\nFROM ${sqlName(table.name)} AS t`;
}

/** A scalar subquery for the text a lookup field shows, given SQL for the key it holds. */
export function lookupText(design: Design, catalog: Catalog, field: Field, own: string): string {
  if (field.type.kind !== 'lookup') throw new Error(`${field.label} is not a lookup.`);
  const target = tableOf(design, field.type.table);
  const { bound } = bind(lookupDisplay(design, field.type), { catalog, table: target.id });
  const key = fieldOf(target, target.key[0]!)!;
  const shown = toSql(bound, { catalog, row: 'd' }).sql;
  return `(SELECT ${shown} FROM ${sqlName(target.name)} AS d WHERE d.${sqlName(key.name)} = ${own})`;
}

/** True when deleting a row of the table can be refused because rows elsewhere need it. */
export const canBeNeeded = (design: Design, table: Table): boolean =>
  linksTo(design, table.id).some(
    ({ field }) => field.type.kind === 'lookup' && field.type.onDelete === 'refuse',
  );
