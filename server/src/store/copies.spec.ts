import { mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { copyName } from '../change/apply';
import { systemClock } from '../clock';
import { ALWAYS_KEPT, KEPT_DAYS, keptCopies, pruneCopies } from './copies';

const NOW = '2026-11-25T12:00:00Z';
const daysAgo = (days: number): string => new Date(Date.parse(NOW) - days * 86_400_000).toISOString();

describe('safe copies', () => {
  let folder: string;
  beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'copies-'))));
  afterEach(() => rmSync(folder, { recursive: true }));

  /** Copies as they are named when they are taken, so many days ago. */
  const take = (...days: readonly number[]): string[] =>
    days.map((day) => {
      const name = copyName({ ...systemClock, now: () => `${daysAgo(day).slice(0, 19)}Z` });
      writeFileSync(join(folder, name), 'copy');
      return name;
    });

  it('stay while they are young, however many there are', () => {
    take(...Array.from({ length: 40 }, (_, i) => i * 2));
    expect(pruneCopies(folder, NOW)).toEqual([]);
    expect(keptCopies(folder)).toEqual({ count: 40, bytes: 160 });
  });

  it('stay while they are among the newest, however old they are', () => {
    take(...Array.from({ length: ALWAYS_KEPT }, (_, i) => 1000 + i));
    expect(pruneCopies(folder, NOW)).toEqual([]);
  });

  it('go when they are neither, and nothing else goes', () => {
    const others = ['as-it-came.db', 'before-format-5.db', 'notes.txt', '2020-01-01T00-00-00Z-abcd.db.part'];
    for (const name of others) writeFileSync(join(folder, name), 'x');
    const young = take(...Array.from({ length: ALWAYS_KEPT - 1 }, (_, i) => i));
    const [newest, ...old] = take(KEPT_DAYS + 1, KEPT_DAYS + 2, 400);
    expect(pruneCopies(folder, NOW).sort()).toEqual([...old].sort());
    expect(readdirSync(folder).sort()).toEqual([...others, ...young, newest!].sort());
    expect(pruneCopies(folder, NOW)).toEqual([]);
  });

  it('are none where there is no folder yet', () => {
    expect(pruneCopies(join(folder, 'none'), NOW)).toEqual([]);
    expect(keptCopies(join(folder, 'none'))).toEqual({ count: 0, bytes: 0 });
  });
});
