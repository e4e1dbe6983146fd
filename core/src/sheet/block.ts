/*
 * Blocks of cells as they go through the clipboard: rows end with LF or CR LF, cells with a tab; one with a tab, a
 * line end or a quote in it stands in quotes, where a quote is written twice (common practice of spreadsheets, after
 * RFC 4180 with a tab for the comma).
 */

/** Writes cells as a block. */
export const writeBlock = (rows: readonly (readonly string[])[]): string =>
  rows
    .map((row) =>
      row.map((cell) => (/[\t\r\n"]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell)).join('\t'),
    )
    .join('\n');

/** Reads a block; a line end behind the last row is no row. A quote that is never closed is a letter. */
export function readBlock(text: string): string[][] {
  const rows: string[][] = [[]];
  let at = 0;
  for (;;) {
    const quoted = text[at] === '"' ? quotedCell(text, at) : null;
    const [cell, end] = quoted ?? plainCell(text, at);
    rows.at(-1)!.push(cell);
    if (end >= text.length) break;
    if (text[end] === '\t') {
      at = end + 1;
      continue;
    }
    at = end + (text.startsWith('\r\n', end) ? 2 : 1);
    if (at >= text.length) break;
    rows.push([]);
  }
  return rows;
}

function plainCell(text: string, at: number): [cell: string, end: number] {
  let end = at;
  while (end < text.length && !/[\t\r\n]/.test(text[end]!)) end++;
  return [text.slice(at, end), end];
}

function quotedCell(text: string, at: number): [cell: string, end: number] | null {
  for (let end = text.indexOf('"', at + 1); end >= 0; end = text.indexOf('"', end + 2)) {
    if (text[end + 1] === '"') continue;
    const isEnd = end + 1 >= text.length || /[\t\r\n]/.test(text[end + 1]!);
    return isEnd ? [text.slice(at + 1, end).replaceAll('""', '"'), end + 1] : null;
  }
  return null;
}
