import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { clearLeftovers } from './leftovers';

describe('what a killed server leaves', () => {
  it('is cleared, and nothing else is', () => {
    const data = mkdtempSync(join(tmpdir(), 'leftovers-'));
    const left = [
      'copies/f_1/2026.db-shm',
      'copies/f_1/2026.db-wal',
      // Of a file that was being taken in; what was taken in keeps it.
      'copies/f_2/as-it-came.db',
      'copies/f_2/as-it-came.db.read',
      'copies/f_2/as-it-came.db.read-journal',
      // Of a file that had another in its place.
      'files/f_1.db-shm.65024-17.stray',
      'files/f_1.db-wal.65024-16.stray',
      'files/f_2.db.part',
      'files/f_2.db.part-journal',
      // Of a file that was never whole, and is gone.
      'files/f_4.db-shm',
      'files/f_4.db-wal',
    ];
    // The log of a file holds what was saved last: it is the file's own.
    const stays = [
      'copies/f_1/2026.db',
      'copies/f_3/as-it-came.db',
      'files/f_1.db',
      'files/f_1.db-shm',
      'files/f_1.db-wal',
      // What it held could not be written into its file.
      'files/f_1.db-wal.65024-18.stray',
      // Somebody has taken the file of it away, and may bring it back.
      'files/f_3.db-wal',
      // One of which the list does not know may be a whole office's.
      'files/f_5.db',
      'files/f_5.db-wal',
      'registry.db',
    ];
    for (const path of [...left, ...stays]) {
      mkdirSync(join(data, path, '..'), { recursive: true });
      writeFileSync(join(data, path), path.includes('-16.') ? '' : 'x');
    }
    const known = new Set(['f_1', 'f_3']);
    expect(clearLeftovers(data, known)).toEqual(left);
    const there = (readdirSync(data, { recursive: true }) as string[]).filter((path) => /\.\w/.test(path));
    expect(there.sort()).toEqual(stays);
    expect(clearLeftovers(data, known)).toEqual([]);
    rmSync(data, { recursive: true });
  });

  it('is nothing where there is no data yet', () => {
    expect(clearLeftovers(join(tmpdir(), 'nothing-there'), new Set())).toEqual([]);
  });
});
