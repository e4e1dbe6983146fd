import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

const WEB = join(import.meta.dirname, '../../../web/src/app');

describe('icons', () => {
  const icons = readFileSync(join(WEB, 'shared/icons.ts'), 'utf8');
  const known = new Set([...icons.matchAll(/^ {2}(\w+): '<svg/gm)].map(([, name]) => name!));
  const sources = readdirSync(WEB, { recursive: true, encoding: 'utf8' })
    .filter((path) => /\.(ts|html)$/.test(path) && !path.endsWith('shared/icons.ts'))
    .map((path) => readFileSync(join(WEB, path), 'utf8'));

  it('are all there that a template names, and none travels that nobody names', () => {
    expect(known.size).toBeGreaterThan(50);
    const named = sources.flatMap((text) =>
      [...text.matchAll(/\bsvgIcon(?:="|\]="'|: ')(\w+)/g)].map(([, name]) => name!),
    );
    expect(named.length).toBeGreaterThan(100);
    expect([...new Set(named)].filter((name) => !known.has(name))).toEqual([]);
    const quoted = new Set(
      sources.flatMap((text) => [...text.matchAll(/['"](\w+)['"]/g)].map(([, word]) => word!)),
    );
    expect([...known].filter((name) => !quoted.has(name))).toEqual([]);
  });
});
