import { Lines, type Block } from './lines';

describe('Lines', () => {
  it('tell, for blocks anywhere, what a grid that is written out shows', () => {
    // Written out one by one, by numbers that repeat themselves from run to run.
    let seed = 7;
    const random = (below: number): number => (seed = (seed * 1103515245 + 12345) % 2147483648) % below;
    for (let run = 0; run < 200; run++) {
      const rows = 1 + random(12);
      const blocks: Block[] = [];
      for (let at = 0; at < rows; at++) if (random(3) === 0) blocks.push({ at, lines: 1 + random(4) });
      const lines = new Lines([...blocks].reverse());
      const written: { row: number; line: number | null }[] = [];
      for (let row = 0; row < rows; row++) {
        expect(lines.shownAt(row)).toBe(written.length);
        written.push({ row, line: null });
        const block = blocks.find(({ at }) => at === row);
        for (let line = 0; line < (block?.lines ?? 0); line++) written.push({ row, line });
      }
      expect(lines.total(rows)).toBe(written.length);
      written.forEach(({ row, line }, shown) => {
        const spot = lines.at(shown);
        expect([spot.row, spot.beneath?.line ?? null]).toEqual([row, line]);
        if (spot.beneath) expect(spot.beneath.block.at).toBe(row);
      });
    }
  });

  it('are the places themselves where nothing is unfolded', () => {
    const lines = new Lines([]);
    expect([lines.shownAt(5), lines.total(9), lines.at(4)]).toEqual([5, 9, { row: 4, beneath: null }]);
  });
});
