import { bind, bindCondition, decimalText, sqlName, sqlText, toSql } from '../expression';
import {
  catalogOf,
  comesWithText,
  fieldOf,
  fieldSql,
  linksFrom,
  shownText,
  placesOf,
  readableKeys,
  readableName,
  stampsTime,
  storedFields,
  tableOf,
  typeOf,
  type Design,
  type Field,
  type Rule,
  type Table,
} from '../design';
import { fromText, MOST_DIGITS, patternGlob, rescale } from '../values';

/** The largest number of units a number field may hold. */
const MOST_UNITS = '9'.repeat(MOST_DIGITS);

/**
 * The SQL that makes a table of a design: STRICT, with its key, foreign keys, and a named constraint
 * for everything a field asks for. `name` differs from the table's own while it is being rebuilt.
 */
export function createTable(design: Design, table: Table, name = table.name): string {
  const columns = storedFields(table).map((field) => `  ${columnSql(design, table, field)}`);
  const constraints: string[] = [];
  if (!runningKey(table)) {
    const key = table.key.map((id) => sqlName(fieldOf(table, id)!.name));
    constraints.push(`  CONSTRAINT ${sqlName(`key ${table.name}`)} PRIMARY KEY (${key.join(', ')})`);
  }
  for (const ids of table.noTwoAlike) {
    const columns = ids.map((id) => sqlName(fieldOf(table, id)!.name));
    constraints.push(`  CONSTRAINT ${sqlName(`alike ${ids.join(' ')}`)} UNIQUE (${columns.join(', ')})`);
  }
  for (const link of linksFrom(design, table).filter(({ on }) => on.length > 1)) {
    const list = (side: 0 | 1): string => link.on.map((pair) => sqlName(pair[side].name)).join(', ');
    constraints.push(
      `  CONSTRAINT ${sqlName(`link ${link.id}`)} FOREIGN KEY (${list(0)}) REFERENCES ${sqlName(link.parent.name)} (${list(1)}) ${ACTIONS[link.onDelete]}`,
    );
  }
  for (const rule of table.rules) {
    const written = ruleSql(design, table, rule);
    if (written.as === 'check')
      constraints.push(`  CONSTRAINT ${sqlName(`rule ${rule.id}`)} CHECK (${written.sql})`);
  }
  for (const { id, what, table: owner, sql } of design.kept)
    if (what === 'check' && owner === table.id)
      constraints.push(`  CONSTRAINT ${sqlName(`kept ${id}`)} CHECK (${sql})`);
  const rowid = runningKey(table) ? '' : ', WITHOUT ROWID';
  return `CREATE TABLE ${sqlName(name)} (\n${[...columns, ...constraints].join(',\n')}\n) STRICT${rowid}`;
}

const ACTIONS = {
  refuse: 'ON DELETE RESTRICT ON UPDATE CASCADE',
  deleteAlong: 'ON DELETE CASCADE ON UPDATE CASCADE',
  leaveEmpty: 'ON DELETE SET NULL ON UPDATE CASCADE',
} as const;

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
  const rule = field.rule && ruleSql(design, table, field.rule);
  if (rule?.as === 'check') parts.push(`CONSTRAINT ${sqlName(`rule ${field.rule!.id}`)} CHECK (${rule.sql})`);
  if (field.type.kind === 'picture' || field.type.kind === 'file')
    parts.push(
      `CONSTRAINT ${sqlName(`link ${field.id}`)} REFERENCES "hr_attachment" ("id") ON DELETE RESTRICT`,
    );
  if (field.type.kind === 'lookup') {
    const target = tableOf(design, field.type.table);
    const key = fieldOf(target, target.key[0]!)!;
    parts.push(
      `CONSTRAINT ${sqlName(`link ${field.id}`)} REFERENCES ${sqlName(target.name)} (${sqlName(key.name)}) ${ACTIONS[field.type.onDelete]}`,
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

const units = (bound: string, places: number): string => {
  const number = fromText(bound);
  if (!number) throw new RangeError(`“${bound}” is not a number.`);
  return String(rescale(number.units, number.scale, places));
};

/** What the kind of a field asks of its values, as a CHECK; null when storage alone says it. */
export function kindCheck(field: Field, c = sqlName(field.name)): string | null {
  const { type } = field;
  switch (type.kind) {
    case 'text': {
      const parts = [`${c} <> ''`];
      if (type.most) parts.push(`length(${c}) <= ${type.most}`);
      if (type.pattern) parts.push(`${c} GLOB ${sqlText(patternGlob(type.pattern))}`);
      return parts.join(' AND ');
    }
    case 'longText':
      return `${c} <> ''`;
    case 'wholeNumber':
    case 'decimal':
    case 'money': {
      const least = type.least ? units(type.least, placesOf(type)) : `-${MOST_UNITS}`;
      const greatest = type.greatest ? units(type.greatest, placesOf(type)) : MOST_UNITS;
      return `${c} BETWEEN ${least} AND ${greatest}`;
    }
    case 'tick':
      return `${c} IN (0, 1)`;
    case 'date':
      // Without a modifier the engine hands 30 February back as it is. IS, since a CHECK lets NULL pass.
      return `${c} >= '0001' AND date(${c}, '+0 days') IS ${c}`;
    case 'time':
      return `time(${c}, '+0 days') IS ${c}`;
    case 'dateTime':
      return instantCheck(c);
    case 'stamp':
      return stampsTime(type.of) ? instantCheck(c) : `${c} <> ''`;
    case 'choice':
      return `${c} IN (${type.choices.map(sqlText).join(', ')})`;
    default:
      return null;
  }
}

const instantCheck = (c: string): string =>
  `${c} >= '0001' AND strftime('%Y-%m-%dT%H:%M:%SZ', ${c}, '+0 days') IS ${c}`;

export interface RuleSql {
  readonly as: 'check' | 'trigger';
  /** False where the rule is broken, for the row NEW in a trigger. */
  readonly sql: string;
}

/** A rule as SQL that is false where it is broken, and whether a CHECK can hold it or a trigger must. */
export function ruleSql(design: Design, table: Table, rule: Rule): RuleSql {
  const catalog = catalogOf(design);
  const { bound } = bindCondition(rule.expression, { catalog, table: table.id });
  const plain = toSql(bound, { catalog, row: null });
  if (!plain.subquery && !plain.clock && !rule.newRowsOnly) return { as: 'check', sql: plain.sql };
  return { as: 'trigger', sql: toSql(bound, { catalog, row: 'NEW' }).sql };
}

export interface Index {
  readonly name: string;
  readonly columns: readonly string[];
  readonly sql: string;
}

/**
 * Indexes of a design's own: one for every link, be it to a row or to a picture or file (the engine makes none by
 * itself, and looks through the whole table at each delete of a parent without one), and for every field marked for it.
 */
export function indexesOf(design: Design, table: Table): Index[] {
  const index = (id: string, columns: readonly string[]): Index => {
    const name = `index ${id}`;
    const list = columns.map(sqlName).join(', ');
    return { name, columns, sql: `CREATE INDEX ${sqlName(name)} ON ${sqlName(table.name)} (${list})` };
  };
  const own = storedFields(table)
    .filter(
      (field) => (comesWithText(field) || field.indexed) && !field.noTwoAlike && table.key[0] !== field.id,
    )
    .map((field) => index(field.id, [field.name]));
  const links = linksFrom(design, table)
    .filter(
      ({ on }) =>
        on.length > 1 &&
        ![table.key, ...table.noTwoAlike].some((ids) => on.every(([{ id }], i) => ids[i] === id)),
    )
    .map((link) =>
      index(
        link.id,
        link.on.map(([{ name }]) => name),
      ),
    );
  return [...own, ...links];
}

/** All indexes of a table: the design's own, and those of an adopted file that go on as they were. */
export function createIndexes(design: Design, table: Table): string[] {
  const kept = design.kept.filter(({ what, table: owner }) => what === 'index' && owner === table.id);
  return [...indexesOf(design, table), ...kept].map(({ sql }) => sql);
}

/** Triggers and views of an adopted file that go on as they were: in the order in which they can be made. */
export const keptObjects = (
  design: Design,
): { readonly name: string; readonly drop: string; readonly sql: string }[] =>
  [...design.kept]
    .filter(({ what }) => what === 'view' || what === 'trigger')
    .sort((a, b) => Number(a.what === 'trigger') - Number(b.what === 'trigger'))
    .map(({ name, what, sql }) => ({
      name,
      drop: `DROP ${what === 'view' ? 'VIEW' : 'TRIGGER'} IF EXISTS ${sqlName(name)}`,
      sql,
    }));

/**
 * The view in which other tools read a table: decimals as decimals, ticks as they are, worked-out fields, lookups as
 * the text they show and, at the end, as the key that they hold.
 */
export function createReadable(design: Design, table: Table): string {
  const catalog = catalogOf(design);
  const columns = table.fields.map((field) => {
    const own = fieldSql(design, catalog, table, field, 't');
    const places = placesOf(field.type);
    const sql =
      places > 0
        ? `(SELECT CASE WHEN v IS NOT NULL THEN ${decimalText('v', places)} END FROM (SELECT ${own} AS v))`
        : (shownText(design, catalog, field, own) ?? own);
    return `${sql} AS ${sqlName(field.name)}`;
  });
  const keys = [...readableKeys(table)].map(
    ([id, name]) => `t.${sqlName(fieldOf(table, id)!.name)} AS ${sqlName(name)}`,
  );
  return `CREATE VIEW ${sqlName(readableName(table))} AS SELECT\n  ${[...columns, ...keys].join(',\n  ')}\nFROM ${sqlName(table.name)} AS t`;
}
