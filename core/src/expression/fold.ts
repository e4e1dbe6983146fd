/**
 * Upper and lower case of letters, the same here and in SQL, where the engine itself knows only
 * A to Z: the letters of Latin-1 and Latin Extended-A are folded too (Unicode Character Database,
 * simple case mappings of U+00C0 to U+017F that pair one letter with one letter).
 */
const pairs: [upper: string, lower: string][] = [];
for (let code = 0xc0; code <= 0x17f; code++) {
  const upper = String.fromCodePoint(code);
  const lower = upper.toLowerCase();
  if (lower !== upper && [...lower].length === 1 && lower.toUpperCase() === upper) pairs.push([upper, lower]);
}

/** Pairs of letters beyond A to Z whose case is folded, upper first. */
export const LETTER_PAIRS: readonly (readonly [upper: string, lower: string])[] = pairs;

const TO_LOWER = new Map<string, string>(pairs);
const TO_UPPER = new Map<string, string>(pairs.map(([upper, lower]) => [lower, upper]));

const each = (text: string, table: ReadonlyMap<string, string>, ascii: (char: string) => string): string =>
  [...text].map((char) => (char < '\u0080' ? ascii(char) : (table.get(char) ?? char))).join('');

export const lower = (text: string): string => each(text, TO_LOWER, (char) => char.toLowerCase());
export const upper = (text: string): string => each(text, TO_UPPER, (char) => char.toUpperCase());

/** Compares by code point, as SQL's binary collation of UTF-8 does: negative, 0 or positive. */
export function compareText(a: string, b: string): number {
  const [x, y] = [[...a], [...b]];
  for (let i = 0; i < Math.min(x.length, y.length); i++) {
    const difference = x[i]!.codePointAt(0)! - y[i]!.codePointAt(0)!;
    if (difference !== 0) return difference;
  }
  return x.length - y.length;
}

/**
 * LIKE of ISO/IEC 9075-2, ignoring case: `%` stands for any characters, `_` for one. A pattern that
 * ends in its escape character matches nothing.
 */
export function like(text: string, pattern: string, escape: string | null): boolean {
  const chars = [...lower(text)];
  const wanted: { char: string; wild: boolean }[] = [];
  const source = [...pattern];
  for (let i = 0; i < source.length; i++) {
    const char = source[i]!;
    if (char === escape) {
      const next = source[++i];
      if (next === undefined) return false;
      wanted.push({ char: lower(next), wild: false });
    } else wanted.push({ char: lower(char), wild: char === '%' || char === '_' });
  }
  // Greedy with one remembered %: enough, since only the last one can need a longer match.
  let [t, p, star, mark] = [0, 0, -1, 0];
  while (t < chars.length) {
    const item = wanted[p];
    if (item?.wild && item.char === '%') {
      star = p++;
      mark = t;
    } else if (item && (item.wild || item.char === chars[t])) {
      p++;
      t++;
    } else if (star >= 0) {
      p = star + 1;
      t = ++mark;
    } else return false;
  }
  while (wanted[p]?.wild && wanted[p]!.char === '%') p++;
  return p === wanted.length;
}
