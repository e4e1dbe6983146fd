import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import {
  applyChanges,
  ChangeError,
  checkPlan,
  steps,
  type Change,
  type CheckPlan,
  type Notice,
  type RowCheck,
} from '@heathridge/core/change';
import type { Design } from '@heathridge/core/design';
import type { Clock } from '../clock';
import { Problem } from '../http/problem';
import { saveDesign } from '../store/definitions';
import type { Connection } from '../store/driver';
import type { Files, OpenFile } from '../store/files';
import { change as changeLog } from '../store/file-schema';

/** A row check with the rows that fail it. */
export interface Finding extends Pick<RowCheck, 'table' | 'field' | 'sort' | 'message'> {
  readonly count: number;
  /** Up to 20: the key, and the value in the field. */
  readonly sample: readonly {
    readonly key: readonly (string | number)[];
    readonly value: string | number | null;
  }[];
}

export interface CheckResult {
  readonly notices: readonly Notice[];
  readonly findings: readonly Finding[];
  /** True when nothing stands in the way. */
  readonly clear: boolean;
}

/** The design a draft leads to. Throws a `design-moved` problem when a change no longer fits. */
export function draftedDesign(design: Design, changes: readonly Change[]): Design {
  try {
    return applyChanges(design, changes);
  } catch (error) {
    if (error instanceof ChangeError)
      throw new Problem('design-moved', error.message, { version: design.version });
    throw error;
  }
}

/** Asks the real rows the questions of a plan. */
export function runChecks(db: Connection, plan: CheckPlan): CheckResult {
  const findings: Finding[] = [];
  for (const { table, field, sort, message, count, sample } of plan.rows) {
    const [number] = db.prepare(count).raw().get() as [number];
    if (number === 0) continue;
    const rows = db.prepare(sample).raw().all() as [string, string | number | null][];
    findings.push({
      table,
      field,
      sort,
      message,
      count: number,
      sample: rows.map(([key, value]) => ({ key: JSON.parse(key) as (string | number)[], value })),
    });
  }
  const stopped = plan.notices.some(({ level }) => level === 'stop');
  return { notices: plan.notices, findings, clear: !stopped && findings.length === 0 };
}

/**
 * Applies a draft: a safe copy, then everything in one transaction. When a check fails, a step fails
 * or a foreign key is left without its row, nothing has happened and a problem says why.
 */
export function applyDraft(
  files: Files,
  id: string,
  base: number,
  changes: readonly Change[],
  by: string,
  clock: Clock,
): Design {
  const file = files.get(id);
  const before = file.design;
  if (before.version !== base)
    throw new Problem(
      'design-moved',
      'Somebody else has applied changes since this draft was begun. Your draft is kept: check it again.',
      { version: before.version },
    );
  const after = draftedDesign(before, changes);
  const plan = checkPlan(before, after);
  const safeCopy = takeSafeCopy(file, clock);
  // Must stand outside the transaction: inside one the engine ignores it.
  file.writer.exec('PRAGMA foreign_keys = OFF');
  try {
    file.orm.transaction(
      (tx) => {
        const result = runChecks(file.writer, plan);
        if (!result.clear) throw new Problem('draft-stopped', stopMessage(result), { findings: result });
        for (const { sql } of steps(before, after)) file.writer.exec(sql);
        const orphans = file.writer.prepare('PRAGMA foreign_key_check').raw().all();
        if (orphans.length > 0)
          throw new Problem('draft-stopped', `${orphans.length} rows would point to rows that are gone.`);
        saveDesign(tx as never, after);
        tx.insert(changeLog)
          .values({ at: clock.now(), by, what: 'draft applied', changes: JSON.stringify(changes), safeCopy })
          .run();
      },
      { behavior: 'immediate' },
    );
  } finally {
    file.writer.exec('PRAGMA foreign_keys = ON');
  }
  return files.reload(id);
}

function stopMessage({ notices, findings }: CheckResult): string {
  const stop = notices.find(({ level }) => level === 'stop');
  if (stop) return stop.message;
  const [finding] = findings;
  return finding
    ? `${finding.count} ${finding.count === 1 ? 'row' : 'rows'}: ${finding.message}`
    : 'Nothing stands in the way.';
}

/** A consistent copy of the whole file beside the others; the name of the new file. */
export function takeSafeCopy(file: OpenFile, clock: Clock): string {
  mkdirSync(file.copies, { recursive: true });
  const name = `${clock.now().replace(/:/g, '-')}-${clock.id('c').slice(2, 6)}.db`;
  file.writer.prepare('VACUUM INTO ?').run(join(file.copies, name));
  return name;
}
