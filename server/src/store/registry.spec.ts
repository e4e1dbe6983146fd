import {
  copyFileSync,
  existsSync,
  mkdtempSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'libsql';
import { buildApp } from '../app';
import type { Problem } from '../problem';
import { Office, stillClock } from '../testing/office';

describe('the list of people and files', () => {
  let office: Office;
  let aside: string;
  let path: string;
  beforeEach(async () => {
    office = await Office.open({ demo: false });
    aside = mkdtempSync(join(tmpdir(), 'heathridge-aside-'));
    path = join(office.data, 'registry.db');
  });
  afterEach(async () => {
    await office.close();
    rmSync(aside, { recursive: true, force: true });
  });

  const made = (name: string) => office.call('POST', '/api/files', { name });
  const named = async (): Promise<string[]> =>
    ((await office.call('GET', '/api/files')).body.files as { name: string }[]).map(({ name }) => name);
  /** The files that stand in a list as somebody finds it who has but that, on another machine. */
  const heldIn = (list: string): string[] => {
    const copy = join(aside, 'looked-at.db');
    copyFileSync(list, copy);
    const db = new Database(copy);
    const rows = db.prepare('SELECT name FROM file ORDER BY name').raw().all() as [string][];
    db.close();
    rmSync(copy);
    return rows.map(([name]) => name);
  };

  const TROUBLE: Readonly<Record<string, () => void>> = {
    'is deleted': () => undefined,
    'has another in its place': () => {
      const db = new Database(join(aside, 'other.db'));
      db.exec('CREATE TABLE theirs (a)');
      db.close();
      renameSync(join(aside, 'other.db'), path);
    },
    'has an empty file in its place': () => writeFileSync(path, ''),
  };
  for (const [what, put] of Object.entries(TROUBLE))
    it(`that ${what} while it is open takes nothing, says so, and is gone on with when it comes back`, async () => {
      expect((await made('Before')).status).toBe(200);
      renameSync(path, join(aside, 'list.db'));
      put();
      const { login, password } = { login: 'nobody', password: 'nothing at all' };
      const answers = [
        await made('Lost'),
        await office.call('PUT', '/api/session/look', { colours: 'dark', size: 'large' }),
        await office.call('POST', 'people', {
          login,
          name: 'Nobody',
          password,
          role: 'colleague',
          duty: null,
        }),
        await office.call('DELETE', '/api/session'),
      ];
      for (const { status, body } of answers)
        expect([status, body.detail]).toEqual([
          409,
          jasmine.stringMatching(/registry\.db\) is not in its place/),
        ]);
      // Records can still be worked with.
      expect((await office.call('GET', 'design')).status).toBe(200);
      // All that was saved is in it, wherever it is.
      expect(heldIn(join(aside, 'list.db'))).toEqual(['Before', 'Test']);
      renameSync(join(aside, 'list.db'), path);
      expect(await named()).toEqual(['Before', 'Test']);
      expect((await made('After')).status).toBe(200);
      await office.app.close();
      expect(heldIn(path)).toEqual(['After', 'Before', 'Test']);
    });

  const START: Readonly<Record<string, readonly [make: () => void, told: RegExp]>> = {
    'is gone, with its files there': [() => undefined, /is missing or empty, and database files are there/],
    'is an empty file': [() => writeFileSync(path, ''), /is missing or empty/],
    'is that of another program': [TROUBLE['has another in its place']!, /a database of another program/],
    'is no database': [() => writeFileSync(path, 'Dear colleagues,\n'.repeat(400)), /not a database/],
  };
  for (const [what, [make, told]] of Object.entries(START))
    it(`that ${what} does not start a server`, async () => {
      await office.app.close();
      for (const suffix of ['', '-wal', '-shm']) rmSync(path + suffix, { force: true });
      make();
      const before = existsSync(path) ? readFileSync(path).toString('base64') : null;
      await expectAsync(buildApp({ data: office.data, clock: stillClock })).toBeRejectedWith(
        jasmine.objectContaining({ message: jasmine.stringMatching(told) }) as unknown as Problem,
      );
      // It is left as it is.
      expect(existsSync(path) ? readFileSync(path).toString('base64') : null).toBe(before);
    });
});
