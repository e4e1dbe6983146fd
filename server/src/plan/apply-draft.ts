import { join } from 'node:path';
import type { Change } from '@heathridge/core/change';
import type { Design } from '@heathridge/core/design';
import { copyName, discardCopy, MOST_TIME, type ApplyResult } from '../change/apply';
import type { Tell } from '../change/run';
import type { Clock } from '../clock';
import { Problem } from '../problem';
import type { JobPool } from '../jobs/pool';
import { pruneCopies } from '../store/copies';
import type { Files } from '../store/files';
import { storedVersion } from '../store/versions';

/**
 * Applies a draft in a child process, which tells how far it is and can be stopped: a safe copy, then
 * everything in one transaction. When a check fails, a step fails or a foreign key is left without its
 * row, nothing has happened and a problem says why. While it runs nobody else writes to the file.
 */
export async function applyDraft(
  files: Files,
  jobs: JobPool,
  id: string,
  base: number,
  changes: readonly Change[],
  by: string,
  clock: Clock,
  options: { readonly signal?: AbortSignal; readonly tell?: Tell } = {},
): Promise<Design> {
  const file = files.get(id);
  if (file.design.version !== base) throw moved(file.design.version);
  const copy = copyName(clock);
  const order = {
    changes,
    base,
    by,
    now: clock.now(),
    today: clock.today(file.design.settings.timeZone),
    copies: file.copies,
    copy,
  };
  const result = await files.whileChanging(id, () =>
    jobs
      .run(file.path, { task: 'apply', order }, { limit: MOST_TIME, ...options })
      .catch((error: unknown): ApplyResult => {
        // It was stopped, or its process ended, when it was already done: then it is done, and its copy is needed.
        if (storedVersion(file.reader) !== base) return { done: true };
        discardCopy(join(file.copies, copy));
        throw error;
      }),
  );
  if (!result.done) {
    if ('moved' in result) throw moved(result.moved);
    throw new Problem('draft-stopped', result.message, { findings: result.findings });
  }
  pruneCopies(file.copies, clock.now());
  return files.reload(id);
}

const moved = (version: number): Problem =>
  new Problem(
    'design-moved',
    'Somebody else has applied changes since this draft was begun. Your draft is kept: check it again.',
    { version },
  );
