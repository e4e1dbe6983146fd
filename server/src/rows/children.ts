import { sqlName } from '@heathridge/core/expression';
import {
  catalogOf,
  displayOf,
  displaySql,
  fieldOf,
  fieldSql,
  shownText,
  type Design,
  type Field,
  type Table,
} from '@heathridge/core/design';
import type { RowKey } from '@heathridge/core/rows';
import type { Connection } from '../store/driver';
import { asBytes, prepared, textOf } from '../store/statements';
import { keyColumns, titled } from './json';

/** Rows that are named where the rows of another table lead to a row. */
export const MOST_NAMED = 4;

/** The rows that lead to a row: how many, and what the first of them, by their keys, are called. */
export type LedFrom = readonly [count: number, names: readonly string[]];

const joined = (parts: readonly string[]): string => parts.join(` || ', ' || `);

/**
 * SQL for what a row is called among those that lead to one row. One that only ties rows together, with lookups for
 * a key, is called by what it leads to beside that row.
 */
function nameSql(design: Design, child: Table, link: Field): string {
  const catalog = catalogOf(design);
  const others = child.key.filter((id) => id !== link.id).map((id) => fieldOf(child, id)!);
  const ties = others.length > 0 && others.length < child.key.length;
  if (child.display !== null || !ties || !others.every(({ type }) => type.kind === 'lookup'))
    return displaySql(child, displayOf(child), { catalog, row: 't' });
  return joined(
    others.map((field) => shownText(design, catalog, field, fieldSql(design, catalog, child, field, 't'))!),
  );
}

/**
 * For each of these rows the rows of another table whose lookup leads to it. A row without a name is called by
 * its key. Reads the lookup's index once per row.
 */
export function childrenOf(
  db: Connection,
  design: Design,
  { table: child, field: link }: { readonly table: Table; readonly field: Field },
  keys: readonly RowKey[],
): readonly LedFrom[] {
  const shown = nameSql(design, child, link);
  const keyed = keyColumns(child, 't');
  const key = joined(keyed.map((column) => `CAST(${column} AS TEXT)`));
  const from = `${sqlName(child.name)} AS t WHERE t.${sqlName(link.name)} = p.value`;
  // The order in which the index of the lookup has them: another would sort all of them to name a few.
  const order = keyed.join(', ');
  const names = `SELECT coalesce(nullif(${titled(shown)}, ''), ${key}) AS d FROM ${from} ORDER BY ${order} LIMIT ${MOST_NAMED}`;
  const sql =
    `SELECT ${asBytes('json_group_array(json_array(c, json(d)))')} FROM (` +
    `SELECT (SELECT count(*) FROM ${from}) AS c, (SELECT json_group_array(d) FROM (${names})) AS d ` +
    `FROM json_each(?) AS p ORDER BY p.key)`;
  const [json] = prepared(db, sql).get(JSON.stringify(keys.map(([first]) => first))) as [Buffer];
  return JSON.parse(textOf(json)) as LedFrom[];
}
