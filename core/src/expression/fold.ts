import { FOLD_LETTERS, LOWER_LETTERS, UPPER_LETTERS } from './letters';

/**
 * Upper case, lower case and case folding of every letter, one letter for one letter (the simple mappings
 * of the Unicode Character Database), the same here and in SQL, where the engine itself knows only A to Z.
 */
const each = (text: string, table: ReadonlyMap<string, string>, ascii: (char: string) => string): string =>
  Array.from(text, (char) => (char < '\u0080' ? ascii(char) : (table.get(char) ?? char))).join('');

const asciiLower = (char: string): string => char.toLowerCase();

export const lower = (text: string): string => each(text, LOWER_LETTERS, asciiLower);
export const upper = (text: string): string => each(text, UPPER_LETTERS, (char) => char.toUpperCase());

/** The form in which texts are alike that differ only in the case of their letters. */
export const fold = (text: string): string => each(text, FOLD_LETTERS, asciiLower);

const variants = new Map<string, string[]>();
for (const [from, to] of FOLD_LETTERS) variants.set(to, [...(variants.get(to) ?? []), from]);

/** The letters beyond ASCII, other than itself, that fold to a letter. */
export const foldedFrom = (letter: string): readonly string[] => variants.get(letter) ?? [];

/** Compares by code point, as SQL's binary collation of UTF-8 does: negative, 0 or positive. */
export function compareText(a: string, b: string): number {
  let i = 0;
  while (i < a.length && i < b.length && a.charCodeAt(i) === b.charCodeAt(i)) i++;
  if (i === a.length || i === b.length) return a.length - b.length;
  const [x, y] = [a.charCodeAt(i), b.charCodeAt(i)];
  // Surrogates stand for code points above all others, though their own numbers are not the largest.
  const rank = (unit: number): number => (unit >= 0xd800 && unit <= 0xdfff ? unit + 0x10000 : unit);
  return rank(x) - rank(y);
}

/** One place of a LIKE pattern: a character that stands for itself, or `%` or `_` that does not. */
export interface LikeItem {
  readonly char: string;
  readonly wild: boolean;
}

/**
 * The places of a LIKE pattern, or null when its escape character stands before anything but `%`, `_` or
 * itself: a data exception of ISO/IEC 9075-2, 8.5.
 */
export function likeItems(pattern: string, escape: string | null): LikeItem[] | null {
  const items: LikeItem[] = [];
  const source = Array.from(pattern);
  for (let i = 0; i < source.length; i++) {
    const char = source[i]!;
    if (char === escape) {
      const next = source[++i];
      if (next !== '%' && next !== '_' && next !== escape) return null;
      items.push({ char: next, wild: false });
    } else items.push({ char, wild: char === '%' || char === '_' });
  }
  return items;
}

/** LIKE of ISO/IEC 9075-2, ignoring case; null for a pattern that is none, see {@link likeItems}. */
export function like(text: string, pattern: string, escape: string | null): boolean | null {
  const items = likeItems(pattern, escape);
  if (items === null) return null;
  const chars = Array.from(fold(text));
  const wanted = items.map((item) => (item.wild ? item : { ...item, char: fold(item.char) }));
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
