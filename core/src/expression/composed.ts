import { beyondAscii, strangers } from './characters';
import { sqlText } from './sql-text';

/**
 * Whether a text is composed (Unicode, UAX 15, NFC), told by the engine. One é has two spellings: a letter of
 * its own, and an e with an accent behind it. Texts are composed on every road of ours; a tool that writes
 * into the file would else bring a second é that looks like the first and is not.
 *
 * The driver offers no functions of one's own, so the file keeps what there is to know in {@link MARK_TABLE}:
 * for every letter that does not stand in composed text wherever it likes its canonical combining class, for
 * letters, and pairs of letters one behind the other, that never stand there {@link NEVER}. The walk is the
 * detection of normal forms in UAX 15, section 9, made exact: a letter composes with the last starter before
 * it, unless one of at least its class stands between (blocked, definition D115 of the Unicode Standard).
 */
export const MARK_TABLE = 'hr_mark';
const NEVER = -1;

/** Syllables of Hangul are composed by reckoning (Unicode Standard, section 3.12): there are 11,172. */
const HANGUL = {
  first: 0xac00,
  last: 0xd7a3,
  leading: [0x1100, 0x1112],
  vowels: [0x1161, 0x1175],
  trailing: [0x11a8, 0x11c2],
} as const;

const nfc = (text: string): string => text.normalize('NFC');
const nfd = (text: string): string => text.normalize('NFD');
const letters = (text: string): string[] => Array.from(text);

/** Code points in blocks where there are letters: the rest of Unicode is ideographs, and for private use. */
function* assigned(): Generator<string> {
  for (const [from, to] of [
    [0xa0, 0x33ff],
    [0xa000, HANGUL.first - 1],
    [0xd7b0, 0xd7ff],
    [0xf900, 0x1ffff],
    [0x2f800, 0x2fa1f],
  ] as const)
    for (let code = from; code <= to; code++) yield String.fromCodePoint(code);
}

/** Marks of the lowest and the highest combining class there are (1 and 240): every other is moved by one. */
const LOWEST = '\u0334';
const HIGHEST = '\u0345';

/**
 * Combining classes of marks, as small numbers in the same order; the platform tells no classes, but which of
 * two marks comes first.
 */
function classes(marks: readonly string[]): Map<string, number> {
  const moves = (a: string, b: string): boolean => nfd(a + b) !== nfd(a) + nfd(b);
  const ordered = marks
    .filter((mark) => nfd(mark) === mark && (moves(HIGHEST, mark) || moves(mark, LOWEST)))
    .sort((a, b) => (moves(a, b) ? 1 : moves(b, a) ? -1 : 0));
  const found = new Map<string, number>();
  let rank = 0;
  ordered.forEach((mark, i) => {
    if (i === 0 || moves(mark, ordered[i - 1]!)) rank++;
    found.set(mark, rank);
  });
  return found;
}

let known: ReadonlyMap<string, number> | null = null;

/** What the table holds: a letter or a pair of letters, and the class, or {@link NEVER}. */
function marks(): ReadonlyMap<string, number> {
  if (known) return known;
  const all = [...assigned()];
  const composites = all.filter((letter) => nfc(letter) === letter && nfd(letter) !== letter);
  const firsts = new Set<string>();
  const seconds = new Set<string>();
  for (const composite of composites) {
    const parts = letters(nfd(composite));
    firsts.add(composite);
    parts.slice(1).forEach((part, i) => {
      const before = nfc(parts.slice(0, i + 1).join(''));
      if (letters(before).length === 1) firsts.add(before);
      seconds.add(part);
    });
  }
  const found = classes(all.filter((letter) => /\p{M}/u.test(letter)));
  for (const letter of seconds) if (!found.has(letter)) found.set(letter, 0);
  for (const letter of all) if (nfc(letter) !== letter) found.set(letter, NEVER);
  for (const first of firsts)
    for (const second of seconds)
      if (nfc(first + second) !== first + second) found.set(first + second, NEVER);
  for (const [from, to] of [HANGUL.vowels, HANGUL.trailing])
    for (let code: number = from; code <= to; code++) found.set(String.fromCodePoint(code), 0);
  known = found;
  return found;
}

const between = (letter: string, [from, to]: readonly [number, number]): string =>
  `unicode(${letter}) BETWEEN ${from} AND ${to}`;

/**
 * SQL that is true for a text that is not composed, in a file that has {@link MARK_TABLE}; `value` is SQL for
 * a text or NULL.
 */
export function apartSql(value: string): string {
  const char = `substr("~k", "~o", 1)`;
  // Most texts hold none of these letters: only pieces in which one stands are walked through.
  const marked = `"~m"("~k") AS (SELECT DISTINCT "~k" FROM "~s" CROSS JOIN ${MARK_TABLE} AS m ON m.mark = "~c")`;
  // "~b" is the last starter, "~c" the class of the letter before, "~a" whether something is apart.
  const mark = 'coalesce(m.class, 0)';
  const hangul =
    `"~c" = 0 AND (${between('"~b"', HANGUL.leading)} AND ${between(char, HANGUL.vowels)} OR ` +
    `${between('"~b"', [HANGUL.first, HANGUL.last])} AND (unicode("~b") - ${HANGUL.first}) % 28 = 0 AND ${between(char, HANGUL.trailing)})`;
  const pair = `("~c" = 0 OR "~c" < m.class) AND "~b" <> '' AND p.mark IS NOT NULL`;
  const apart = `(m.class < 0 OR m.class > 0 AND "~c" > m.class OR ${pair} OR ${hangul}) IS TRUE`;
  const walk =
    `"~w"("~k", "~o", "~b", "~c", "~a") AS (SELECT "~k", 1, '', 0, FALSE FROM "~m" UNION ALL ` +
    `SELECT "~k", "~o" + 1, CASE WHEN ${mark} = 0 THEN ${char} ELSE "~b" END, ${mark}, ${apart} FROM "~w" ` +
    `LEFT JOIN ${MARK_TABLE} AS m ON m.mark = ${char} LEFT JOIN ${MARK_TABLE} AS p ON p.mark = "~b" || ${char} ` +
    `WHERE "~o" <= length("~k") AND NOT "~a")`;
  const exact = `EXISTS (WITH RECURSIVE ${strangers(value, { withPiece: true })}, ${marked}, ${walk} SELECT 1 FROM "~w" WHERE "~a")`;
  return `(${beyondAscii(value)} AND ${exact})`;
}

/** Fills the table of marks of a file. */
export const fillMarks = (): string =>
  `INSERT INTO ${MARK_TABLE} (mark, class) SELECT value ->> 0, value ->> 1 FROM json_each(${sqlText(
    JSON.stringify([...marks()]),
  )})`;
