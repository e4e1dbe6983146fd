import { compareText, fold, foldedFrom, like, likeItems, lower, upper } from './fold';
import { FOLD_LETTERS, LOWER_LETTERS, UPPER_LETTERS } from './letters';

/** What the engine of the tests itself holds to be one letter: ECMA-262, Canonicalize with the flags i and u. */
const sameLetter = (a: string, b: string): boolean =>
  new RegExp(`^\\u{${a.codePointAt(0)!.toString(16)}}$`, 'iu').test(b);

/** Letters that came with Unicode 16 and 17, after the version that is frozen here. */
const isLater = (code: number): boolean =>
  [
    [0x1c89, 0x1c8a],
    [0xa7cb, 0xa7dc],
    [0x10d50, 0x10d85],
    [0x16ea0, 0x16edf],
  ].some(([first, last]) => code >= first! && code <= last!);

describe('letters', () => {
  it('fold as the regular expressions of ECMA-262 do, which follow the Unicode Character Database', () => {
    expect(FOLD_LETTERS.size).toBeGreaterThan(1300);
    for (const [from, to] of FOLD_LETTERS) {
      if (!sameLetter(from, to)) fail(`${from} is said to fold to ${to}`);
      expect(fold(to)).withContext(`${from} and ${to}`).toBe(to);
    }
  });

  it('leave no two letters apart that are one', () => {
    const apart: string[] = [];
    for (let code = 0x80; code < 0x1f000; code++) {
      if ((code >= 0xd800 && code <= 0xdfff) || isLater(code)) continue;
      const char = String.fromCodePoint(code);
      for (const other of new Set([char.toLowerCase(), char.toUpperCase()]))
        if (
          [...other].length === 1 &&
          !isLater(other.codePointAt(0)!) &&
          sameLetter(char, other) &&
          fold(char) !== fold(other)
        )
          apart.push(`${char}${other}`);
    }
    expect(apart).toEqual([]);
  });

  it('have the upper and lower case that ECMA-262 gives them, where that is one letter', () => {
    const odd: string[] = [];
    for (const [map, own] of [
      [LOWER_LETTERS, (char: string) => char.toLowerCase()],
      [UPPER_LETTERS, (char: string) => char.toUpperCase()],
    ] as const)
      for (const [from, to] of map) if ([...own(from)].length === 1 && own(from) !== to) odd.push(from);
    expect(odd).toEqual([]);
  });

  it('are one for one: no text gets longer', () => {
    expect([upper('Straße ﬁ'), lower('İSTANBUL'), fold('ΣΊΣΥΦΟΣ')]).toEqual([
      'STRAßE ﬁ',
      'istanbul',
      'σίσυφοσ',
    ]);
    expect(foldedFrom('s')).toEqual(['ſ']);
    expect(foldedFrom('k')).toEqual(['\u212a']);
    expect(foldedFrom('ß')).toEqual(['ẞ']);
  });
});

describe('compareText', () => {
  it('orders by code point, as the bytes of UTF-8 do, which keep that order (RFC 3629, section 1)', () => {
    const list = ['', 'a', 'ab', 'b', 'é', '\uffee', '🎻', '🎻a', '𝄞'];
    for (const a of list)
      for (const b of list) {
        const [x, y] = [a, b].map((text) => Array.from(text, (char) => char.codePointAt(0)!)) as [
          number[],
          number[],
        ];
        let expected = 0;
        for (let i = 0; expected === 0 && i < Math.max(x.length, y.length); i++)
          expected = (x[i] ?? -1) - (y[i] ?? -1);
        expect(Math.sign(compareText(a, b)))
          .withContext(`${a} and ${b}`)
          .toBe(Math.sign(expected));
      }
  });
});

describe('like', () => {
  const cases: [string, string, string | null, boolean | null][] = [
    ['École', 'éCOLE', null, true],
    ['Жизнь', 'ж%', null, true],
    ['STRASSE', 'straße', null, false],
    ['ẞ', 'ß', null, true],
    ['50%', '50!%', '!', true],
    ['50x', '50!%', '!', false],
    ['a', 'aa', 'a', true],
    ['A', 'AA', 'a', false],
    ['x', 'x!', '!', null],
    ['x', 'x!y', '!', null],
    ['a_b', '%ax', 'a', null],
    ['x%', 'xa%', 'a', true],
    ['🎻', '_', null, true],
    ['', '%', null, true],
  ];
  for (const [text, pattern, escape, expected] of cases)
    it(`of “${text}” with ${pattern}${escape ? ` and ${escape}` : ''} is ${String(expected)}`, () => {
      expect(like(text, pattern, escape)).toBe(expected);
      expect(likeItems(pattern, escape) === null).toBe(expected === null);
    });
});
