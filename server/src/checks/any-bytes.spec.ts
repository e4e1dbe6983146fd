import { spawnSync } from 'node:child_process';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { ROUTES } from '../testing/routes';
import '../testing/timeouts';

interface Told {
  readonly texts: number;
  readonly shown: string;
  readonly statuses: Readonly<Record<string, number>>;
}

describe('a file with bytes that are no text', () => {
  it('ends no process, whichever route reads it', () => {
    const script = join(dirname(fileURLToPath(import.meta.url)), '..', 'testing', 'any-bytes.ts');
    const { status, stdout, stderr } = spawnSync(process.execPath, ['--import', 'tsx', script], {
      encoding: 'utf8',
      env: process.env,
    });
    expect(status).withContext(stderr).toBe(0);
    const { texts, shown, statuses } = JSON.parse(stdout.trim().split('\n').at(-1)!) as Told;
    expect(texts).toBeGreaterThan(10);
    // What is no character is shown as the character that stands for that.
    expect(shown).toContain('\ufffd');
    const calls = Object.keys(ROUTES).length - 1;
    expect(Object.keys(statuses).length).toBe(2 * calls);
    const failed = Object.entries(statuses).filter(([, code]) => code >= 500);
    expect(failed).toEqual([]);
    const refused = Object.entries(statuses).filter(
      ([route, code]) => route.startsWith('definitions') && code === 409,
    );
    expect(refused.length).toBeGreaterThan(30);
  });
});
