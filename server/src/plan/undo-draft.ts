import { join } from 'node:path';
import type { Design } from '@heathridge/core/design';
import { copyName, discardCopy, MOST_TIME, type ApplyResult } from '../change/apply';
import type { Tell } from '../change/run';
import { appliedChanges, type Given } from '../change/undo';
import type { Clock } from '../clock';
import { Problem } from '../problem';
import type { JobPool } from '../jobs/pool';
import { pruneCopies } from '../store/copies';
import type { Files } from '../store/files';
import { storedVersion } from '../store/versions';

/**
 * Undoes the newest applied draft that is not undone yet: structure, definitions and rows go back to what
 * they were, with what people have written since kept. Takes a safe copy first, like any change.
 */
export async function undoDraft(
  files: Files,
  jobs: JobPool,
  id: string,
  version: number,
  by: string,
  clock: Clock,
  given: readonly Given[] = [],
  options: { readonly signal?: AbortSignal; readonly tell?: Tell } = {},
): Promise<Design> {
  const file = files.get(id);
  const wanted = appliedChanges(file).find((change) => change.version === version);
  if (!wanted?.canUndo)
    throw new Problem(
      'design-moved',
      'This change cannot be undone: a later one must be undone first, or its safe copy is gone.',
      { version: file.design.version },
    );
  const before = file.design.version;
  const copy = copyName(clock);
  const order = {
    version,
    by,
    now: clock.now(),
    today: clock.today(file.design.settings.timeZone),
    copies: file.copies,
    copy,
    given,
  };
  const result = await files.whileChanging(id, () =>
    jobs
      .run(file.path, { task: 'undo', order }, { limit: MOST_TIME, ...options })
      .catch((error: unknown): ApplyResult => {
        // See `applyDraft`.
        if (storedVersion(file.reader) !== before) return { done: true };
        discardCopy(join(file.copies, copy));
        throw error;
      }),
  );
  if (!result.done)
    throw new Problem('draft-stopped', 'message' in result ? result.message : 'The design has moved on.', {
      findings: 'findings' in result ? result.findings : null,
    });
  pruneCopies(file.copies, clock.now());
  return files.reload(id);
}
