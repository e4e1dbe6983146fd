import { getTableColumns, getTableName } from 'drizzle-orm';
import { textFault } from '@heathridge/core/change';
import { sqlName } from '@heathridge/core/expression';
import { Problem } from '../problem';
import type { Connection } from './driver';
import { attachment, change, definition, history, log, place, rekeyed, sight } from './file-schema';

/** What is read of a file as it stands, not row by row as JSON. */
const READ_WHOLE = [definition, change, attachment, place, sight];
/** What is read in parts, and by the byte. */
const READ_IN_PARTS = [history, log, rekeyed];

/**
 * Looks at our own tables before the first of their texts is read: one whose bytes are no UTF-8, which
 * another tool has left there, would end the whole process. `every` looks at history too. Throws `damaged`.
 */
export function assertReadable(db: Connection, every = false): void {
  for (const table of every ? [...READ_WHOLE, ...READ_IN_PARTS] : READ_WHOLE) {
    const name = getTableName(table);
    const columns = Object.values(getTableColumns(table)).filter(
      ({ columnType }) => columnType === 'SQLiteText',
    );
    const fault = columns.map((column) => textFault(sqlName(column.name)).fault).join(' OR ');
    const [count] = db
      .prepare(`SELECT count(*) FROM ${sqlName(name)} WHERE ${fault}`)
      .raw()
      .get() as [number];
    if (count > 0)
      throw new Problem(
        'damaged',
        'What this file says of its own tables holds bytes that are no text: another tool has written there. Nothing was changed. Go back to a safe copy of it.',
      );
  }
}
