import * as v from 'valibot';
import { asText, catalogOf, displayOf, displaySql } from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import type { RowKey } from '@heathridge/core/rows';
import type { FoundRow } from '../change/run';
import type { OpenFile } from '../store/files';
import { guarded } from '../store/statements';
import { keyColumns, rowObject } from './json';

/** Which of the rows that a check finds are asked for: 50 from this one on, or as many as are said. */
export const FoundPage = v.object({
  offset: v.pipe(v.number(), v.integer(), v.minValue(0)),
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

/** Found rows with all that is needed to mend them. */
export function rowsToMend(
  { design, reader }: OpenFile,
  tableId: string,
  found: readonly FoundRow[],
): RowToMend[] {
  const table = design.tables.find(({ id }) => id === tableId);
  if (!table) return [];
  const catalog = catalogOf(design);
  const title = displaySql(table, asText(displayOf(table)), { catalog, row: 't' });
  const where = keyColumns(table, 't').map((column) => `${column} = ?`);
  const sql = `SELECT ${title}, ${rowObject(design, table, 't')} || '' FROM ${sqlName(table.name)} AS t WHERE ${where.join(' AND ')}`;
  const read = guarded(reader, sql, 2);
  return found.map(({ key, value }) => {
    const row = read.get(...key) as [string | null, string] | undefined;
    const cells = row ? (JSON.parse(row[1]) as { cells: Record<string, unknown> }).cells : null;
    return { key: [...key], value, title: row?.[0] ?? null, cells };
  });
}
