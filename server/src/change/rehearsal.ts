import { mapTable, type CheckPlan, type Step } from '@heathridge/core/change';
import { listOf, type Design } from '@heathridge/core/design';
import { openForWriting, type Connection } from '../store/driver';
import { only } from '../store/statements';
import { keptProblem, runSteps, StepError, UNWATCHED } from './run';

const SCHEMA = `SELECT sql FROM main.sqlite_schema WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite!_%' ESCAPE '!'
  ORDER BY CASE type WHEN 'table' THEN 0 WHEN 'index' THEN 1 WHEN 'view' THEN 2 ELSE 3 END, rowid`;

/**
 * Carries the steps of a draft out on an empty copy of a file's schema, in memory: what the engine would refuse
 * when the draft is applied is known when it is checked. Null when it refuses nothing.
 */
export function rehearsal(
  db: Connection,
  plan: CheckPlan,
  list: readonly Step[],
  design: Design,
  today: string,
): string | null {
  const parts = db.prepare(SCHEMA).raw().all() as [string][];
  const copy = openForWriting(':memory:');
  try {
    copy.exec('PRAGMA foreign_keys = OFF');
    for (const [sql] of parts) only(copy, sql);
    for (const { table } of [...plan.maps, ...plan.keys]) copy.exec(mapTable(table));
    runSteps(copy, plan, list, today, UNWATCHED);
    return keptProblem(copy, design);
  } catch (error) {
    if (!(error instanceof StepError)) throw error;
    const kept = design.kept.map(({ what, name }) => `the ${what} ${name}`);
    return kept.length === 0
      ? error.message
      : `${error.message}. What is kept as SQL may stand in the way: ${listOf(kept)}.`;
  } finally {
    copy.close();
  }
}
