import { pbkdf2 } from 'node:crypto';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable, Transform } from 'node:stream';
import { promisify } from 'node:util';
import { intoFile } from './into-file';

describe('a file that is written from a stream', () => {
  let folder: string;
  beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'heathridge-into-'))));
  afterAll(() => rmSync(folder, { recursive: true, force: true }));

  const hash = promisify(pbkdf2);
  const refusing = (): Transform =>
    new Transform({ transform: (_, __, done) => done(new Error('more than it may have')) });

  it('holds what came, through what lies between', async () => {
    const path = join(folder, 'whole');
    const upper = new Transform({
      transform: (chunk: Buffer, _, done) => done(null, chunk.toString().toUpperCase()),
    });
    await intoFile(path, [Readable.from(['one ', 'two']), upper]);
    expect(readFileSync(path, 'utf8')).toBe('ONE TWO');
  });

  it('does not come into being after it was cleared, where it is refused or ended at once', async () => {
    // All threads that open files have other work first: what is to be opened waits.
    const busy = Array.from({ length: 16 }, () => hash('a password', 'salt', 200_000, 64, 'sha512'));
    const paths = [join(folder, 'refused'), join(folder, 'ended')];
    const ended = new AbortController();
    ended.abort();
    const written = [
      intoFile(paths[0]!, [Readable.from(['x']), refusing()]),
      intoFile(paths[1]!, [Readable.from(['x'])], { signal: ended.signal }),
    ];
    await Promise.all(
      written.map(async (one, i) => {
        await expectAsync(one).toBeRejected();
        rmSync(paths[i]!, { force: true });
      }),
    );
    await Promise.all(busy);
    // What still had to be opened is open by now: one after another.
    await (await open(folder)).close();
    expect(paths.filter((path) => existsSync(path))).toEqual([]);
  });

  it('that cannot be opened is told', async () => {
    await expectAsync(intoFile(join(folder, 'none', 'at all'), [Readable.from(['x'])])).toBeRejectedWithError(
      /ENOENT/,
    );
  });
});
