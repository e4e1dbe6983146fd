/** A name as an SQL identifier, always quoted: any character may stand in it. */
export const sqlName = (name: string): string => `"${name.replace(/"/g, '""')}"`;

/** A text as an SQL literal. Throws a RangeError for NUL, which the engine would cut off. */
export function sqlText(text: string): string {
  if (text.includes('\0')) throw new RangeError('A text with NUL cannot be written as SQL.');
  return `'${text.replace(/'/g, "''")}'`;
}
