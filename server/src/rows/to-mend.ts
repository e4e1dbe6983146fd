import * as v from 'valibot';
import { asText, catalogOf, displayOf, displaySql, type Design } from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import type { RowKey } from '@heathridge/core/rows';
import type { FoundRow } from '../change/run';
import type { Connection } from '../store/driver';
import { guarded } from '../store/statements';
import { keyColumns, rowObject, titled } from './json';

/** Which of the rows that a check finds are asked for: 50 from this one on, or as many as are said. */
export const FoundPage = v.object({
  offset: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e12)),
  limit: v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(500)), 50),
});

/** A row that a check has found, as it is mended. */
export interface RowToMend {
  readonly key: RowKey;
  readonly value: string | number | null;
  /** What the row is called, and its cells by field id, as they are now; null when it has gone. */
  readonly title: string | null;
  readonly cells: Readonly<Record<string, unknown>> | null;
}

/** Letters of rows that are told at once: whoever asked asks for the rest. */
const MOST_AT_ONCE = 4 * 1024 * 1024;

/**
 * Found rows with all that is needed to mend them: as many as their texts let be sent at once, but one at least.
 */
export function rowsToMend(
  db: Connection,
  design: Design,
  found: { readonly table: string; readonly rows: readonly FoundRow[] },
): RowToMend[] {
  const table = design.tables.find(({ id }) => id === found.table);
  if (!table) return [];
  const catalog = catalogOf(design);
  const title = displaySql(table, asText(displayOf(table)), { catalog, row: 't' });
  const where = keyColumns(table, 't').map((column) => `${column} = ?`);
  const sql = `SELECT ${titled(title)}, ${rowObject(design, table, 't')} || '' FROM ${sqlName(table.name)} AS t WHERE ${where.join(' AND ')}`;
  const read = guarded(db, sql, 2);
  const rows: RowToMend[] = [];
  let letters = 0;
  for (const { key, value } of found.rows) {
    const row = read.get(...key) as [string | null, string] | undefined;
    letters += row?.[1].length ?? 0;
    if (letters > MOST_AT_ONCE && rows.length > 0) break;
    const cells = row ? (JSON.parse(row[1]) as { cells: Record<string, unknown> }).cells : null;
    rows.push({ key: [...key], value, title: row?.[0] ?? null, cells });
  }
  return rows;
}
