import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { World } from '../testing/world';
import '../testing/timeouts';

/**
 * Drafts made by chance on rows made by chance. After each apply the engine's own checks must be clean and
 * the schema the one that would be made from scratch; after undoing it the file must hold what it held.
 */
describe('drafts made by chance', () => {
  const DRAFTS = 1000;
  /** Milliseconds that one may take on a slow machine. */
  const MOST_EACH = 2000;

  it(
    `leave a sound file when applied and the old one when undone (${DRAFTS} drafts)`,
    async () => {
      const folder = mkdtempSync(join(tmpdir(), 'heathridge-drafts-'));
      const tally = { applied: 0, stopped: 0, kept: 0 };
      try {
        for (let world = 0; tally.applied + tally.stopped < DRAFTS; world++) {
          const file = new World(join(folder, `w${world}.db`), join(folder, 'copies'), world);
          try {
            for (let i = 0; i < 12 && tally.applied + tally.stopped < DRAFTS; i++) file.draft(tally);
          } finally {
            file.close();
          }
          // What the driver has opened is given back between two turns.
          await new Promise((resolve) => setImmediate(resolve));
        }
      } finally {
        rmSync(folder, { recursive: true, force: true });
      }
      expect(tally.applied + tally.stopped).toBe(DRAFTS);
      // A check that stopped nearly everything would prove nothing.
      expect(tally.applied).toBeGreaterThan(DRAFTS / 2);
      expect(tally.stopped).toBeGreaterThan(0);
    },
    DRAFTS * MOST_EACH,
  );
});
