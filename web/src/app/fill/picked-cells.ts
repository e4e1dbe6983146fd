/** A place in a grid: the row's and the column's number as they are displayed, from 0. */
export interface Place {
  readonly row: number;
  readonly column: number;
}

/** A block of cells, from where it was begun to where it was drawn. */
export interface Range {
  readonly from: Place;
  readonly to: Place;
}

/** The sides of a block, both included. */
export interface Sides {
  readonly top: number;
  readonly bottom: number;
  readonly left: number;
  readonly right: number;
}

export const sidesOf = ({ from, to }: Range): Sides => ({
  top: Math.min(from.row, to.row),
  bottom: Math.max(from.row, to.row),
  left: Math.min(from.column, to.column),
  right: Math.max(from.column, to.column),
});

export function holds(range: Range | null, row: number, column: number): boolean {
  if (!range) return false;
  const { top, bottom, left, right } = sidesOf(range);
  return row >= top && row <= bottom && column >= left && column <= right;
}

/** True for a block of more cells than one. */
export const isBlock = (range: Range | null): range is Range =>
  range !== null && (range.from.row !== range.to.row || range.from.column !== range.to.column);

/** How large a block is, in words: `12 cells in 3 rows`. */
export function sizeWords(range: Range): string {
  const { top, bottom, left, right } = sidesOf(range);
  const rows = bottom - top + 1;
  const cells = rows * (right - left + 1);
  const number = (count: number): string => count.toLocaleString('en-GB');
  return `${number(cells)} cells in ${number(rows)} ${rows === 1 ? 'row' : 'rows'}`;
}

/** The cells that a pasted text fills: one text fills a whole block, a block of them as many as it has. */
export function spread(block: readonly (readonly string[])[], range: Range): readonly (readonly string[])[] {
  if (block.length !== 1 || block[0]!.length !== 1 || !isBlock(range)) return block;
  const { top, bottom, left, right } = sidesOf(range);
  const row = Array<string>(right - left + 1).fill(block[0]![0]!);
  return Array.from({ length: bottom - top + 1 }, () => row);
}
