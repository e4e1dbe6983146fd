import {
  bindCondition,
  columnsRead,
  fromStoredMessage,
  parts,
  sqlName,
  sqlText,
  toSql,
  type Bound,
  type Catalog,
  type Hop,
} from '../expression';
import {
  catalogOf,
  fieldOf,
  rulesOf,
  storedFields,
  tableOf,
  type Design,
  type Rule,
  type Table,
} from '../design';
import { isText, textFault, textFaultNumber } from './text-sql';
import { ruleSql } from './ddl';
import { orderBodies } from './order';

export interface Trigger {
  readonly name: string;
  readonly sql: string;
}

/**
 * The triggers that hold what no constraint can: rules that look at other rows or at the clock, or spare
 * the rows that were there before; and texts that are none.
 *
 * All are asked AFTER the change, in the same statement: only then has a row its running number, and only
 * then do totals over rows of the same table see it. A rule over other rows is watched from both ends:
 * when the row itself is written, and when one of the rows it looks at is.
 */
export function triggersOf(design: Design, table: Table): Trigger[] {
  const rules = rulesOf(table).flatMap(({ rule }) => {
    if (ruleSql(design, table, rule).as !== 'trigger') return [];
    return [...ownTriggers(design, table, rule), ...watchTriggers(design, table, rule)];
  });
  return [...textTriggers(table), ...orderTriggers(design, table), ...rules];
}

/** What keeps the order keys of a table's texts in step with its rows. */
function orderTriggers(design: Design, table: Table): Trigger[] {
  const bodies = orderBodies(design, table);
  if (!bodies) return [];
  const name = (event: string): string => `${table.name} order ${event}`;
  const of = bodies.columns.join(', ');
  return [
    trigger(name('insert'), 'AFTER INSERT', table, null, bodies.insert),
    trigger(name('update'), `AFTER UPDATE OF ${of}`, table, null, bodies.update),
    trigger(name('delete'), 'AFTER DELETE', table, null, bodies.delete),
  ];
}

export const createTriggers = (design: Design, table: Table): string[] =>
  triggersOf(design, table).map(({ sql }) => sql);

const raise = (catalog: Catalog, table: Table, rule: Rule): string =>
  `SELECT RAISE(ABORT, ${sqlText(`rule:${rule.id} ${fromStoredMessage(rule.message, catalog, table.id)}`)})`;

/** True where one of these columns has another value than before. */
const changed = (columns: readonly string[]): string =>
  `(${columns.map((column) => `OLD.${sqlName(column)} IS NOT NEW.${sqlName(column)}`).join(' OR ')})`;

const trigger = (
  name: string,
  when: string,
  table: Table,
  condition: string | null,
  body: string,
): Trigger => ({
  name,
  sql: `CREATE TRIGGER ${sqlName(name)} ${when} ON ${sqlName(table.name)}\n${condition === null ? '' : `WHEN ${condition}\n`}BEGIN ${body} END`,
});

/**
 * A rule asked of the row that is written: of a new one always, of one that is changed only where a field
 * that the rule reads has changed. So last year's row, whose day has passed since, can still be corrected.
 */
function ownTriggers(design: Design, table: Table, rule: Rule): Trigger[] {
  const catalog = catalogOf(design);
  const { bound } = bindCondition(rule.expression, { catalog, table: table.id });
  const holds = (row: string): string => toSql(bound, { catalog, row }).sql;
  const name = `${table.name} rule ${rule.id}`;
  const body = `${raise(catalog, table, rule)};`;
  const insert = trigger(`${name} insert`, 'AFTER INSERT', table, `NOT ${holds('NEW')}`, body);
  const own = columnsRead(bound, table.id)
    .filter((read) => read.table === table.id)
    .map(({ column }) => column);
  if (own.length === 0) return [insert];
  // A row that broke the rule before may go on doing so, where the row alone can tell.
  const spared = rule.newRowsOnly && watched(bound).length === 0 ? ` AND ${holds('OLD')} IS NOT 0` : '';
  const condition = `${changed(own)} AND NOT ${holds('NEW')}${spared}`;
  return [insert, trigger(`${name} update`, 'AFTER UPDATE', table, condition, body)];
}

const hopKey = (hop: Hop): string => (hop.hop === 'link' ? hop.field.id : `~${hop.child.id}`);

/** The paths, as hops from the rule's table, to the tables whose rows a rule looks at. */
function watched(bound: Bound): Hop[][] {
  const found = new Map<string, Hop[]>();
  const add = (hops: readonly Hop[]): void => {
    hops.forEach((_, i) => {
      const path = hops.slice(0, i + 1);
      found.set(path.map(hopKey).join(' '), path);
    });
  };
  const visit = (node: Bound, rows: ReadonlyMap<number, readonly Hop[]>): void => {
    let inner = rows;
    if (node.op === 'ref') add([...(rows.get(node.row) ?? []), ...node.links]);
    if (node.op === 'aggregate' && node.over) {
      const hops = [...(rows.get(node.over.from) ?? []), ...node.over.hops];
      add(hops);
      inner = new Map(rows).set(node.over.as, hops);
    }
    parts(node).forEach((part) => visit(part, inner));
  };
  visit(bound, new Map([[0, []]]));
  return [...found.values()];
}

/** Triggers on the tables a rule looks at: no change there may break the rule for a row that looks. */
function watchTriggers(design: Design, table: Table, rule: Rule): Trigger[] {
  const catalog = catalogOf(design);
  const { bound } = bindCondition(rule.expression, { catalog, table: table.id });
  const { sql: holds, clock } = toSql(bound, { catalog, row: 'o' });
  // What held when a row was written need not hold for ever when it spares old rows or asks for today.
  if (clock || rule.newRowsOnly) return [];
  const columns = columnsRead(bound, table.id);
  return watched(bound).flatMap((hops, number) => {
    const last = hops[hops.length - 1]!;
    const target = tableOf(design, last.table);
    const name = (event: string): string => `${table.name} rule ${rule.id} via ${number + 1} ${event}`;
    const rows = (row: string): string => lookers(catalog, table, hops, row);
    const body = (affected: readonly string[]): string =>
      affected
        .map((row) => `${raise(catalog, table, rule)} WHERE EXISTS (${rows(row)} AND NOT ${holds});`)
        .join(' ');
    const read = columns.filter((column) => column.table === target.id).map(({ column }) => column);
    const many = last.hop === 'children';
    return [
      // A row may come after those that look at it, while foreign keys are deferred.
      trigger(name('insert'), 'AFTER INSERT', target, null, body(['NEW'])),
      trigger(name('update'), 'AFTER UPDATE', target, changed(read), body(many ? ['OLD', 'NEW'] : ['NEW'])),
      ...(many ? [trigger(name('delete'), 'AFTER DELETE', target, null, body(['OLD']))] : []),
      ...(many
        ? replaceTriggers(
            target,
            last.child.on.map(([, column]) => column),
            name,
          )
        : []),
    ];
  });
}

/**
 * REPLACE takes a row away without a word to the triggers for deleting. Where a rule counts that row among
 * those of its parent, and no other comes to that parent for it, the statement is refused, with the words the
 * engine itself has for a value that is there already.
 */
function replaceTriggers(
  target: Table,
  links: readonly string[],
  name: (event: string) => string,
): Trigger[] {
  const columnsOf = (ids: readonly string[]): string[] => ids.map((id) => fieldOf(target, id)!.name);
  const unique = [
    columnsOf(target.key),
    ...storedFields(target)
      .filter(({ noTwoAlike }) => noTwoAlike)
      .map((field) => [field.name]),
    ...target.noTwoAlike.map(columnsOf),
  ];
  const same = (columns: readonly string[], a: string, b: string): string =>
    columns.map((column) => `${a}.${sqlName(column)} = ${b}.${sqlName(column)}`).join(' AND ');
  const moved = links.map((column) => `o.${sqlName(column)} IS NOT NEW.${sqlName(column)}`).join(' OR ');
  const key = unique[0]!;
  const body = (lost: string): string =>
    unique
      .map((columns) => {
        const words = `UNIQUE constraint failed: ${columns.map((column) => `${target.name}.${column}`).join(', ')}`;
        return `SELECT RAISE(ABORT, ${sqlText(words)}) WHERE EXISTS (SELECT 1 FROM ${sqlName(target.name)} AS o WHERE ${same(columns, 'o', 'NEW')} AND ${lost});`;
      })
      .join(' ');
  return [
    trigger(name('replace insert'), 'BEFORE INSERT', target, null, body(`(${moved})`)),
    trigger(
      name('replace update'),
      'BEFORE UPDATE',
      target,
      changed(unique.flat()),
      // The row that is changed was one of its parent's already: the other one is lost in any case.
      body(`NOT (${same(key, 'o', 'OLD')})`),
    ),
  ];
}

/** The rows `o` of the rule's table that see a row along these hops. */
function lookers(catalog: Catalog, table: Table, hops: readonly Hop[], row: string): string {
  const tables = hops.slice(0, -1).map((hop, i) => `, ${sqlName(catalog.table(hop.table).name)} AS h${i}`);
  const conditions = hops.flatMap((hop, i) => {
    const from = i === 0 ? 'o' : `h${i - 1}`;
    const to = i === hops.length - 1 ? row : `h${i}`;
    const on = hop.hop === 'link' ? hop.on : hop.child.on;
    return on.map(([own, other]) => `${to}.${sqlName(other)} = ${from}.${sqlName(own)}`);
  });
  return `SELECT 1 FROM ${sqlName(table.name)} AS o${tables.join('')} WHERE ${conditions.join(' AND ')}`;
}

/**
 * Texts must be texts: no constraint can walk through their characters, so that a trigger does. What it asks is long,
 * and every connection keeps it in memory for every table: it is written once for all fields, over a list of their values.
 */
function textTriggers(table: Table): Trigger[] {
  const texts = storedFields(table).filter(isText);
  if (texts.length === 0) return [];
  const column = (name: string): string => `NEW.${sqlName(name)}`;
  const values = texts.map(({ name }, i) => `(${i}, ${column(name)})`).join(', ');
  const { sql, said } = textFaultNumber('"~x"');
  const refused = said.map((message, fault) => {
    const each = texts.map(
      ({ id, label }, i) => `WHEN ${i} THEN RAISE(ABORT, ${sqlText(`text:${id} ${message(label)}`)})`,
    );
    return `WHEN ${fault} THEN CASE "~f" ${each.join(' ')} END`;
  });
  // With a limit the list stays a list: the engine would else make a copy of the whole question for each value.
  const body =
    `SELECT CASE ${sql} ${refused.join(' ')} END FROM ` +
    `(WITH "~v"("~f", "~x") AS (VALUES ${values}) SELECT "~f", "~x" FROM "~v" LIMIT -1);`;
  const suspect = texts.map(({ name }) => textFault(column(name)).suspect).join(' OR ');
  const columns = texts.map(({ name }) => sqlName(name)).join(', ');
  const name = `${table.name} texts`;
  return [
    trigger(`${name} insert`, 'AFTER INSERT', table, suspect, body),
    trigger(`${name} update`, `AFTER UPDATE OF ${columns}`, table, suspect, body),
  ];
}
