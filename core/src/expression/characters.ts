import { sqlText } from './sql-text';

/** Characters that are looked at together. */
const PIECE = 256;
/** Characters out of which pieces are cut: a position in a long text is found by counting from its beginning. */
const LARGE = 16_384;
/** How far a piece reaches back into the one before: longer runs of marks are in no text (UAX 15, section 13). */
const RUN = 32;

/** All of ASCII but NUL, those that texts hold most first: they are tried one after another. */
const ASCII = (() => {
  const often = ' etaoinsrhldcumfpgwybvk.,0123456789-ETAOINSRHLDCUMFPGWYBVK';
  const all = Array.from({ length: 127 }, (_, i) => i + 1);
  const rest = all.filter((code) => !often.includes(String.fromCharCode(code)));
  const printed = rest.filter((code) => code >= 32 && code < 127);
  const control = rest.filter((code) => code < 32 || code === 127);
  return `${sqlText(often + String.fromCharCode(...printed))} || char(${control.join(', ')})`;
})();

/** SQL that is true for a text that holds anything but ASCII. */
export const beyondAscii = (text: string): string =>
  `${text} GLOB '*[^' || char(1) || '-' || char(127) || ']*'`;

/** SQL for a part of a text that begins at `at` (from 1), with what it reaches back. */
const partAt = (text: string, at: string, length: number): string =>
  `substr(${text}, max(1, ${at} - ${RUN}), ${length + RUN})`;

/**
 * Common table expressions over a text: `"~s"` has in `"~c"`, for each piece of it, every different character
 * beyond ASCII, and '' once; with the piece itself in `"~k"` if that is asked for. A piece has few different ones, so
 * that the engine's own `replace` and `ltrim` do nearly all of the work. What was seen becomes a blank, not nothing:
 * the bytes on either side of it must not come to be a character.
 */
export function strangers(value: string, { withPiece = false } = {}): string {
  const kept = withPiece ? '"~k", ' : '';
  const pieces = `SELECT ${partAt('"~t"', '"~i"', PIECE)} AS "~k" FROM "~p"`;
  return (
    `"~g"("~i") AS (SELECT 1 UNION ALL SELECT "~i" + ${LARGE} FROM "~g" WHERE substr(${value}, "~i" + ${LARGE}, 1) <> ''), ` +
    `"~p"("~t", "~i") AS (SELECT ${partAt(value, '"~i"', LARGE)}, 1 FROM "~g" UNION ALL ` +
    `SELECT "~t", "~i" + ${PIECE} FROM "~p" WHERE substr("~t", "~i" + ${PIECE}, 1) <> ''), ` +
    `"~s"(${kept}"~r", "~c") AS (SELECT ${kept}ltrim("~k", ${ASCII}), '' FROM (${pieces}) UNION ALL ` +
    `SELECT ${kept}ltrim(replace("~r", substr("~r", 1, 1), ' '), ${ASCII}), substr("~r", 1, 1) FROM "~s" WHERE "~r" <> '')`
  );
}
