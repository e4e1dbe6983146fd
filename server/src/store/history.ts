import type { Table } from '@heathridge/core/design';
import type { RowChange, RowKey } from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';
import type { Connection } from './driver';
import { prepared } from './statements';

/** A row by field id. */
export type Row = Readonly<Record<string, Value>>;

/** What rows are written by: who and when, and the entry of the log to which they belong. */
export interface Writing {
  readonly db: Connection;
  readonly now: string;
  readonly by: string;
  readonly entry: number;
}

/** Writes what has happened to one row into the history. */
export function remember(
  { db, now, by, entry }: Writing,
  table: Table,
  key: RowKey,
  op: RowChange['op'],
  before: Row | null,
  after: Row | null,
): void {
  prepared(
    db,
    'INSERT INTO hr_history (at, by, table_id, key, op, before, after, log) VALUES (?, ?, ?, ?, ?, ?, ?, ?)',
  ).run(
    now,
    by,
    table.id,
    JSON.stringify(key),
    op,
    before && JSON.stringify(before),
    after && JSON.stringify(after),
    entry,
  );
}
