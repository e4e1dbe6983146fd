import { catalogOf, conditionIn, type Design, type Table } from '@heathridge/core/design';
import { failed, sqlName, sqlText, toSql } from '@heathridge/core/expression';
import type { RowCondition } from '@heathridge/core/form';
import { closedIf, rowsOnScreen, rowsThere, type Viewer } from '@heathridge/core/people';
import { toldSql } from '@heathridge/core/query';
import type { RowKey } from '@heathridge/core/rows';
import type { Connection } from '../store/driver';
import { prepared } from '../store/statements';
import { holdsSql, keyColumns } from './json';

/**
 * SQL for a condition over rows `t`; one that cannot be worked out for a row does not hold for it. Throws an
 * ExpressionError where it can be for none.
 */
export function conditionSql(design: Design, table: Table, source: RowCondition): string {
  if (typeof source !== 'string') {
    const query = design.queries.find(({ id }) => id === source.query);
    if (!query) failed('The query whose rows are shown is no longer there.', { start: 0, end: 0 });
    return toldSql(design, query, { table, keys: keyColumns(table, 't') }, {}, sqlText);
  }
  const { bound } = conditionIn(design, table.id, source);
  return `(${toSql(bound, { catalog: catalogOf(design), row: 't', faults: 'empty' }).sql})`;
}

/** SQL that goes on behind another condition: with all of these too. */
export const alsoSql = (design: Design, table: Table, conditions: readonly RowCondition[] = []): string =>
  conditions.map((source) => ` AND ${conditionSql(design, table, source)}`).join('');

/** The same for all conditions of one of several lists; nothing where any row will do. */
export function oneOfSql(
  design: Design,
  table: Table,
  lists: readonly (readonly RowCondition[])[] | null,
): string {
  if (lists === null) return '';
  const ways = lists.map((list) => `(1${alsoSql(design, table, list)})`);
  return ` AND (${ways.join(' OR ')})`;
}

/** Which rows a save may change, and what rows it leaves behind must meet. */
export interface Bounds {
  /** All conditions of one of these lists hold for a row that is changed or deleted; null for any row. */
  before(table: Table): readonly (readonly RowCondition[])[] | null;
  /** All of these hold for a row that was added or changed. */
  after(table: Table): readonly string[];
  /** Lists of conditions of which each has one that holds while a field takes nothing; null where it always does. */
  closed(table: Table, field: string): readonly (readonly string[])[] | null;
}

/** The bounds of who saves through a screen; on the Bench there are none. */
export const boundsOf = (design: Design, viewer: Viewer): Bounds => ({
  before: (table) => rowsOnScreen(design, viewer, table),
  after: (table) => (viewer.screen ? rowsThere(viewer, table) : []),
  closed: (table, field) => closedIf(design, viewer, table, field),
});

/** What bounds a save, as it is told to a child: the screen of who saves, or conditions of rows that she may change. */
export type Within = { readonly viewer: Viewer } | { readonly rows: readonly string[] };

/** The bounds that are told; null for none. */
export function boundsWithin(design: Design, within: Within | null): Bounds | null {
  if (within === null) return null;
  if ('viewer' in within) return boundsOf(design, within.viewer);
  const { rows } = within;
  return { before: () => (rows.length > 0 ? [rows] : null), after: () => rows, closed: () => null };
}

/** Whether a row meets one condition of each of these lists. */
export function isClosed(
  db: Connection,
  design: Design,
  table: Table,
  key: RowKey,
  lists: readonly (readonly string[])[],
): boolean {
  const where = keyColumns(table, 't').map((column) => `${column} = ?`);
  const all = lists.map(
    (list) => `(${list.map((source) => holdsSql(design, table, source, 't')).join(' OR ')})`,
  );
  const sql = `SELECT 1 FROM ${sqlName(table.name)} AS t WHERE ${[...where, ...all].join(' AND ')}`;
  return prepared(db, sql).get(key) !== undefined;
}

/** Whether a row is among those that meet all conditions of one of these lists. */
export function isAmong(
  db: Connection,
  design: Design,
  table: Table,
  key: RowKey,
  lists: readonly (readonly RowCondition[])[] | null,
): boolean {
  if (lists === null) return true;
  const where = keyColumns(table, 't').map((column) => `${column} = ?`);
  const sql = `SELECT 1 FROM ${sqlName(table.name)} AS t WHERE ${where.join(' AND ')}${oneOfSql(design, table, lists)}`;
  return prepared(db, sql).get(key) !== undefined;
}
