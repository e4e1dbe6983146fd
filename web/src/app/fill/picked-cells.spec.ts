import { holds, isBlock, sidesOf, sizeWords, spread, type Range } from './picked-cells';

const range = (top: number, left: number, bottom: number, right: number): Range => ({
  from: { row: top, column: left },
  to: { row: bottom, column: right },
});

describe('a block of cells', () => {
  it('has the same sides however it is drawn', () => {
    expect(sidesOf(range(5, 3, 2, 1))).toEqual(sidesOf(range(2, 1, 5, 3)));
    expect(sidesOf(range(5, 1, 2, 3))).toEqual({ top: 2, bottom: 5, left: 1, right: 3 });
  });

  it('holds what lies within its sides', () => {
    const block = range(2, 1, 5, 3);
    expect([holds(block, 2, 1), holds(block, 5, 3), holds(block, 6, 3), holds(block, 2, 0)]).toEqual([
      true,
      true,
      false,
      false,
    ]);
    expect(holds(null, 0, 0)).toBeFalse();
  });

  it('has more cells than one, and tells how many', () => {
    expect(isBlock(range(1, 1, 1, 1))).toBeFalse();
    expect(isBlock(range(1, 1, 1, 2))).toBeTrue();
    expect(sizeWords(range(1, 1, 1, 2))).toBe('2 cells in 1 row');
    expect(sizeWords(range(0, 0, 1999, 4))).toBe('10,000 cells in 2,000 rows');
  });

  it('is filled by one text, and left as it is by a block', () => {
    expect(spread([['x']], range(1, 1, 2, 2))).toEqual([
      ['x', 'x'],
      ['x', 'x'],
    ]);
    expect(spread([['x']], range(1, 1, 1, 1))).toEqual([['x']]);
    expect(spread([['a', 'b']], range(1, 1, 9, 9))).toEqual([['a', 'b']]);
  });
});
