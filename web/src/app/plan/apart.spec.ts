import fc from 'fast-check';
import { apart } from './apart';

describe('apart', () => {
  it('leaves alone what covers nothing, and moves down what does', () => {
    const a = { id: 'a', x: 0, y: 0, width: 186, height: 300 };
    const b = { id: 'b', x: 100, y: 200, width: 186, height: 100 };
    const c = { id: 'c', x: 400, y: 0, width: 186, height: 100 };
    expect(apart([c, b, a])).toEqual([{ ...b, y: 324 }]);
    expect(apart([a, c])).toEqual([]);
  });

  it('ends with no box over another, wherever they lie', () => {
    const box = fc.record({
      x: fc.integer({ min: -500, max: 500 }),
      y: fc.integer({ min: -500, max: 500 }),
      width: fc.constant(186),
      height: fc.integer({ min: 70, max: 560 }),
    });
    fc.assert(
      fc.property(fc.array(box, { maxLength: 20 }), (boxes) => {
        const named = boxes.map((item, id) => ({ ...item, id }));
        const moved = new Map(apart(named).map((item) => [item.id, item]));
        const after = named.map((item) => moved.get(item.id) ?? item);
        for (const [i, a] of after.entries()) {
          expect(a.y).toBeGreaterThanOrEqual(named[i]!.y);
          for (const b of after.slice(i + 1)) {
            const isApart =
              a.x + a.width <= b.x || b.x + b.width <= a.x || a.y + a.height <= b.y || b.y + b.height <= a.y;
            expect(isApart).toBeTrue();
          }
        }
      }),
      { numRuns: 200, seed: 20261130 },
    );
  });
});
