import { existsSync, mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { FORMAT, LaterFormat } from '@heathridge/core/design';
import { sqlText } from '@heathridge/core/expression';
import { remakeTriggers } from './remake';
import { Problem } from '../problem';
import { loadDesign, saveDesign, storedFormat } from './definitions';
import type { Connection, Orm } from './driver';
import { inTransaction, prepared } from './statements';

/**
 * Brings the definitions of a file that an earlier version made up to date, with the triggers that hold its
 * rules and its readable views, after a safe copy. Rows are not touched. Throws a
 * problem for a file of a later version.
 */
export function bringUpToDate(db: Connection, orm: Orm, copies: string, now: string): void {
  const format = storedFormat(orm);
  if (format === FORMAT) return;
  const design = readable(orm);
  mkdirSync(copies, { recursive: true });
  const copy = join(copies, `before-format-${FORMAT}.db`);
  if (!existsSync(copy)) db.exec(`VACUUM INTO ${sqlText(copy)}`);
  remakeTriggers(db, design);
  inTransaction(db, () => {
    saveDesign(orm, design, { at: now, by: 'Heathridge' });
    prepared(db, "INSERT INTO hr_log (at, by, what, detail) VALUES (?, 'Heathridge', 'format', ?)").run(
      now,
      JSON.stringify({ from: format, to: FORMAT }),
    );
  });
}

function readable(orm: Orm): ReturnType<typeof loadDesign> {
  try {
    return loadDesign(orm);
  } catch (error) {
    if (error instanceof LaterFormat) throw new Problem('later-format', error.message);
    throw error;
  }
}
