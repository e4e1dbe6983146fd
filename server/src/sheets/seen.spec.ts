import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { Seen } from './seen';

describe('Seen', () => {
  let folder: string;
  beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'heathridge-seen-'))));
  afterAll(() => rmSync(folder, { recursive: true }));

  it('tells like a map where a number was seen first, whether memory holds it or the disk', () => {
    const number = fc.oneof(fc.integer({ min: -20, max: 20 }), fc.maxSafeInteger());
    let spilt = 0;
    fc.assert(
      fc.property(fc.array(number, { maxLength: 60 }), fc.integer({ min: 1, max: 20 }), (numbers, most) => {
        const path = join(folder, 'seen.db');
        const seen = new Seen(path, most);
        const model = new Map<number, number>();
        for (const [line, n] of numbers.entries()) {
          expect(seen.find(n)).toBe(model.get(n));
          if (model.has(n)) continue;
          seen.add(n, line);
          model.set(n, line);
        }
        if (existsSync(path)) spilt++;
        seen.close();
        expect(existsSync(path)).toBeFalse();
      }),
      { numRuns: 200, seed: 20261127 },
    );
    expect(spilt).toBeGreaterThan(50);
  });
});
