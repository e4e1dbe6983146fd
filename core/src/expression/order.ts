import { fold } from './fold';
import { FOLD_LETTERS } from './letters';
import { IGNORED, LETTERS, SIGNS } from './order-letters';
import { sqlText } from './sql-text';

/**
 * The order in which texts are shown: that of a dictionary, alike on every machine. Blanks and signs come
 * before digits, digits before letters; accents and upper case count only between texts that are otherwise
 * alike: accents then decide, case does not. It is the root order of Unicode's collation algorithm (UTS #10)
 * but for signs among themselves, which are in the order of their code points.
 *
 * The engine cannot be taught an order of its own by the driver, so it is brought into a key, whose order as
 * plain text is the one that is meant: the letters alone, then, where they differ, the letters with their
 * accents. What a field is often ordered by keeps its keys beside its rows, see `core/change/order.ts`.
 */
export interface OrderedLetter {
  readonly letter: string;
  /** Without upper case. */
  readonly folded: string;
  /** Without accents too: what is compared first. */
  readonly sorted: string;
}

/** Characters of a text that its order looks at: the rest of a long one makes no difference to people. */
export const ORDERED_CHARS = 200;

/** Stands between the two parts of a key, before every character that is ordered. */
const BETWEEN = '\u0001';

/** Where letters that follow all others of the letter before them begin: behind every alphabet. */
const AFTER = 0xe000;

function* runs(text: string): Generator<string> {
  for (const run of text.split(/[ ,]/)) {
    const [, from, to, step] = /^([0-9a-f]+)(?:-([0-9a-f]+))?(?:\/(\d))?$/.exec(run)!;
    const last = parseInt(to ?? from!, 16);
    for (let code = parseInt(from!, 16); code <= last; code += Number(step ?? 1))
      yield String.fromCodePoint(code);
  }
}

const target = (text: string): string =>
  text
    .replace(/\+([0-9a-f]+)/g, (_, after: string) => String.fromCodePoint(AFTER + parseInt(after, 16)))
    .replace(/<([0-9a-f]+)>/g, (_, code: string) => String.fromCodePoint(parseInt(code, 16)));

function read(): Map<string, string> {
  const map = new Map<string, string>();
  for (const group of LETTERS.split(' ')) {
    const [to, letters] = group.split('=') as [string, string];
    for (const letter of runs(letters)) map.set(letter, target(to));
  }
  for (const letter of runs(IGNORED)) map.set(letter, '');
  // A solidus is the last of the signs that stand before the digits as they are.
  for (const letter of runs(SIGNS)) map.set(letter, `/${letter}`);
  return map;
}

const isControl = (letter: string): boolean => letter < ' ' || (letter >= '\u007f' && letter < '\u00a0');

let known: ReadonlyMap<string, OrderedLetter> | null = null;

/** Every letter that is ordered otherwise than by its own code point: read when it is first asked for. */
function orderedLetters(): ReadonlyMap<string, OrderedLetter> {
  if (known) return known;
  const sorted = read();
  const letters = new Map<string, OrderedLetter>();
  for (const letter of [...sorted.keys(), ...FOLD_LETTERS.keys()]) {
    const folded = fold(letter);
    letters.set(letter, {
      letter,
      folded: isControl(letter) ? '' : folded,
      sorted: sorted.get(letter) ?? sorted.get(folded) ?? folded,
    });
  }
  known = letters;
  return letters;
}

/** The key of a text, see above: compared code point by code point it gives the order of the texts. */
export function orderKey(text: string): string {
  const letters = orderedLetters();
  let folded = '';
  let sorted = '';
  for (const char of Array.from(text).slice(0, ORDERED_CHARS)) {
    const entry = letters.get(char);
    folded += entry?.folded ?? fold(char);
    sorted += entry?.sorted ?? fold(char);
  }
  return sorted === folded ? sorted : `${sorted}${BETWEEN}${folded}`;
}

/** The table of a file that tells `orderKeySql` of letters beyond ASCII, with {@link orderedLetters}. */
const LETTER_TABLE = 'hr_letter';

/** What the engine's own function for lower case brings into a key as it is. */
const PLAIN = `'*[^ -/0-9A-Za-z]*'`;

/**
 * SQL for the key of a text, in a file that has {@link LETTER_TABLE}. `value` is SQL for a text or NULL, and
 * is worked out once.
 */
export function orderKeySql(value: string): string {
  const simple = /^(?:(?:\w+\.)?"(?:[^"]|"")*"|\w+)$/.test(value);
  const v = simple ? value : '"~v"';
  const text = `substr(${v}, 1, ${ORDERED_CHARS})`;
  const char = `substr("~t", "~i", 1)`;
  const walk =
    `(WITH RECURSIVE "~c"("~t", "~i", "~s", "~f") AS (SELECT ${text}, 1, '', '' UNION ALL ` +
    `SELECT "~t", "~i" + 1, "~s" || coalesce(l.sorted, lower(${char})), "~f" || coalesce(l.folded, lower(${char})) ` +
    `FROM "~c" LEFT JOIN ${LETTER_TABLE} AS l ON l.letter = ${char} WHERE "~i" <= length("~t")) ` +
    `SELECT CASE WHEN "~s" = "~f" THEN "~s" ELSE "~s" || char(1) || "~f" END FROM "~c" WHERE "~i" > length("~t"))`;
  const key = `CASE WHEN ${v} GLOB ${PLAIN} THEN ${walk} ELSE lower(${text}) END`;
  return simple ? `(${key})` : `(WITH "~o"("~v") AS MATERIALIZED (SELECT ${value}) SELECT ${key} FROM "~o")`;
}

/** Fills the table of letters of a file. */
export const fillLetters = (): string =>
  `INSERT INTO ${LETTER_TABLE} (letter, folded, sorted) SELECT value ->> 0, value ->> 1, value ->> 2 FROM json_each(${sqlText(
    JSON.stringify(
      [...orderedLetters().values()].map(({ letter, folded, sorted }) => [letter, folded, sorted]),
    ),
  )})`;
