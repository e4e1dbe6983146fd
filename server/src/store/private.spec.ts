import { chmodSync, mkdtempSync, readdirSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Office } from '../testing/office';
import { buildApp } from '../app';
import { stillClock } from '../testing/office';

/** All that lies in a folder with what others may do to it. */
const openTo = (path: string): string[] => {
  const found = statSync(path);
  const own = (found.mode & 0o077) === 0 ? [] : [`${path} ${(found.mode & 0o777).toString(8)}`];
  const inside = found.isDirectory() ? readdirSync(path).flatMap((name) => openTo(join(path, name))) : [];
  return [...own, ...inside];
};

describe('the folder of the office', () => {
  it('is open to nobody else on the machine, with all that is made in it', async () => {
    const office = await Office.open();
    // A safe copy, a sheet, and the files that the engine makes beside its own.
    await office.apply({ change: 'dropField', table: 't_school', field: 'f_schoolPhone' });
    await office.call('POST', 'sheets?name=a.csv', Buffer.from('a,b\n1,2\n'), 'builder', {
      'content-type': 'application/x-sheet',
    });
    expect(readdirSync(office.data).length).toBeGreaterThan(2);
    expect(openTo(office.data)).toEqual([]);
    await office.close();
  });

  it('is closed where it was open, but for what it only leads to', async () => {
    const [data, other] = [1, 2].map(() => mkdtempSync(join(tmpdir(), 'heathridge-private-'))) as [
      string,
      string,
    ];
    writeFileSync(join(data, 'kept.db'), 'x');
    writeFileSync(join(other, 'theirs'), 'x');
    chmodSync(data, 0o755);
    chmodSync(join(data, 'kept.db'), 0o644);
    chmodSync(join(other, 'theirs'), 0o644);
    symlinkSync(join(other, 'theirs'), join(data, 'link'));
    await (await buildApp({ data, clock: stillClock })).close();
    expect(statSync(data).mode & 0o777).toBe(0o700);
    expect(statSync(join(data, 'kept.db')).mode & 0o777).toBe(0o600);
    expect(statSync(join(other, 'theirs')).mode & 0o777).toBe(0o644);
    for (const folder of [data, other]) rmSync(folder, { recursive: true });
  });
});
