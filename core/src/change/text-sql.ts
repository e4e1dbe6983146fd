import type { Field } from '../design';
import { apartSql, beyondAscii, MARK_TABLE, strangers } from '../expression';

/** True for fields whose values people write character by character. */
export const isText = ({ type }: Field): boolean =>
  type.kind === 'text' ||
  type.kind === 'longText' ||
  (type.kind === 'stamp' && (type.of === 'createdBy' || type.of === 'changedBy'));

/**
 * SQL that is true for a value that is no text: one with a NUL, behind which the engine's own functions
 * see nothing, or one whose bytes are no UTF-8. A byte that belongs to no character is read by the engine
 * as some other character, whose own bytes then differ. `suspect` is quick, and true for all that may be at
 * fault; `fault` is exact.
 */
export function textFault(value: string): { readonly suspect: string; readonly fault: string } {
  const bytes = `EXISTS (WITH RECURSIVE ${strangers(value)} SELECT 1 FROM "~s" WHERE ${isNone})`;
  return {
    suspect: `(${hasNul(value)} OR ${beyondAscii(value)})`,
    fault: `(${hasNul(value)} OR ${beyondAscii(value)} AND ${bytes})`,
  };
}

const hasNul = (value: string): string => `instr(${value}, char(0)) > 0`;
const isNone = `"~c" <> '' AND char(unicode("~c")) <> "~c"`;

const SAID: readonly ((label: string) => string)[] = [
  (label) => `${label} holds characters that are none.`,
  (label) => `${label} holds letters with their accents apart: each is to be one character (Unicode, NFC).`,
];

/** All that may be wrong with a text, as SQL over `value`, with what is said of a field where it is. */
export const textFaults = (
  value: string,
): { readonly fault: string; readonly message: (label: string) => string }[] =>
  [textFault(value).fault, apartSql(value)].map((fault, i) => ({ fault, message: SAID[i]! }));

/** The same in one walk: SQL for which of them it is (0, 1), or NULL, and what is said of each. */
export const textFaultNumber = (value: string): { readonly sql: string; readonly said: typeof SAID } => ({
  sql:
    `CASE WHEN ${hasNul(value)} THEN 0 WHEN ${beyondAscii(value)} THEN (WITH RECURSIVE ${strangers(value)} ` +
    `SELECT CASE WHEN max(${isNone}) THEN 0 WHEN count(m.mark) > 0 AND ${apartSql(value)} THEN 1 END ` +
    `FROM "~s" LEFT JOIN ${MARK_TABLE} AS m ON m.mark = "~c") END`,
  said: SAID,
});
