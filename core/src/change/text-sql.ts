import type { Field } from '../design';
import { apartSql } from '../expression';

/** True for fields whose values people write character by character. */
export const isText = ({ type }: Field): boolean =>
  type.kind === 'text' ||
  type.kind === 'longText' ||
  (type.kind === 'stamp' && (type.of === 'createdBy' || type.of === 'changedBy'));

/** Characters that are looked at one after another at a time: positions in a long text are slow to find. */
const CHUNK = 256;

/**
 * SQL that is true for a value that is no text: one with a NUL, behind which the engine's own functions
 * see nothing, or one whose bytes are no UTF-8. A byte that belongs to no character is read by the engine
 * as some other character, whose own bytes then differ. `suspect` is quick, and true for all that may be at
 * fault; `fault` is exact.
 */
export function textFault(value: string): { readonly suspect: string; readonly fault: string } {
  const beyondAscii = (text: string): string => `${text} GLOB '*[^' || char(1) || '-' || char(127) || ']*'`;
  const nul = `instr(${value}, char(0)) > 0`;
  const chunks =
    `"~p"("~r", "~k") AS (SELECT ${value}, '' UNION ALL ` +
    `SELECT substr("~r", ${CHUNK + 1}), substr("~r", 1, ${CHUNK}) FROM "~p" WHERE "~r" <> '')`;
  const numbers = `"~n"("~i") AS (SELECT 1 UNION ALL SELECT "~i" + 1 FROM "~n" WHERE "~i" < ${CHUNK} AND substr(${value}, "~i" + 1, 1) <> '')`;
  const char = `substr("~k", "~i", 1)`;
  const bytes =
    `EXISTS (WITH RECURSIVE ${chunks}, ${numbers} SELECT 1 FROM "~p", "~n" ` +
    `WHERE ${beyondAscii('"~k"')} AND "~i" <= length("~k") AND char(unicode(${char})) <> ${char})`;
  return {
    suspect: `(${nul} OR ${beyondAscii(value)})`,
    fault: `(${nul} OR ${beyondAscii(value)} AND ${bytes})`,
  };
}

/** All that may be wrong with a text, as SQL over `value`, with what is said of a field where it is. */
export const textFaults = (
  value: string,
  label: string,
): { readonly fault: string; readonly message: string }[] => [
  { fault: textFault(value).fault, message: `${label} holds characters that are none.` },
  {
    fault: apartSql(value),
    message: `${label} holds letters with their accents apart: each is to be one character (Unicode, NFC).`,
  },
];
