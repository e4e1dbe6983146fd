/** Lines that stand beneath a row, counted among the rows themselves. */
export interface Block {
  /** The place of the row among all rows, the first being 0. */
  readonly at: number;
  readonly lines: number;
}

/** Where something stands in a grid in which some rows have lines beneath them. */
export interface Spot<B extends Block> {
  /** The place of the row that stands there, or to which what stands there belongs. */
  readonly row: number;
  /** What stands beneath that row, and which of its lines this is; null where the row itself stands. */
  readonly beneath: { readonly block: B; readonly line: number } | null;
}

/** Tells the places of rows from those at which they are shown: other lines stand between them. */
export class Lines<B extends Block = Block> {
  private readonly blocks: readonly B[];

  /** No two blocks stand beneath one row. */
  constructor(blocks: readonly B[]) {
    this.blocks = [...blocks].sort((a, b) => a.at - b.at);
  }

  /** How many lines stand above the row at this place. */
  private above(row: number): number {
    return this.blocks.reduce((sum, { at, lines }) => (at < row ? sum + lines : sum), 0);
  }

  /** Where the row at this place is shown. */
  shownAt(row: number): number {
    return row + this.above(row);
  }

  /** What is shown at a place. */
  at(shown: number): Spot<B> {
    let above = 0;
    for (const block of this.blocks) {
      const line = shown - above - block.at - 1;
      if (line < 0) break;
      if (line < block.lines) return { row: block.at, beneath: { block, line } };
      above += block.lines;
    }
    return { row: shown - above, beneath: null };
  }

  /** How much is shown of so many rows, all lines included. */
  total(rows: number): number {
    return rows + this.above(rows);
  }
}
