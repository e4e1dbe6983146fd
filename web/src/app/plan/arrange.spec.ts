import ELK from 'elkjs/lib/elk.bundled.js';
import { arrange, scale } from './arrange';
import type { LayoutRequest } from './layout.service';
import { nextCard } from './map-keys';

type Link = readonly [from: number, to: number];

/** Ways in which tables are linked, for any number of them. */
const SHAPES: Readonly<Record<string, (n: number) => Link[]>> = {
  tree: (n) =>
    Array.from({ length: n }, (_, i): Link[] => [
      ...(i > 0 ? [[Math.floor((i - 1) / 3), i] as const] : []),
      ...(i > 4 ? [[i - 4, i] as const] : []),
    ]).flat(),
  star: (n) => Array.from({ length: n - 1 }, (_, i): Link => [0, i + 1]),
  chain: (n) => Array.from({ length: n - 1 }, (_, i): Link => [i, i + 1]),
  islands: (n) => Array.from({ length: Math.floor(n / 4) }, (_, i): Link => [i * 4, i * 4 + 1]),
  none: () => [],
  itself: (n) => Array.from({ length: n }, (_, i): Link => [i, i]),
};

const request = (n: number, links: readonly Link[], aspect = 1.35): LayoutRequest => ({
  cards: Array.from({ length: n }, (_, i) => ({ id: `t_${i}`, width: 186, height: 90 + (i % 5) * 20 })),
  links: links.map(([from, to]) => ({ from: `t_${from}`, to: `t_${to}` })),
  aspect,
  height: 560,
});

describe('a map of tables', () => {
  const elk = new ELK();

  for (const [shape, links] of Object.entries(SHAPES))
    for (const n of [1, 7, 24, 60])
      it(`of ${n} tables linked like ${shape} fills its window, no card upon another`, async () => {
        const asked = request(n, links(n));
        const places = await arrange(elk, asked);
        expect(places.map(({ table }) => table).sort()).toEqual(asked.cards.map(({ id }) => id).sort());
        const boxes = places.map((place) => ({
          ...place,
          ...asked.cards.find(({ id }) => id === place.table)!,
        }));
        for (const [i, a] of boxes.entries())
          for (const b of boxes.slice(i + 1))
            expect(a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height)
              .withContext(`${a.id} and ${b.id}`)
              .toBeFalse();
        if (n < 24) return;
        const k = scale(places, asked);
        const width =
          Math.max(...boxes.map(({ x, width: w }) => x + w)) - Math.min(...boxes.map(({ x }) => x));
        const height =
          Math.max(...boxes.map(({ y, height: h }) => y + h)) - Math.min(...boxes.map(({ y }) => y));
        expect((width * k) / (asked.aspect * asked.height))
          .withContext('share of the width')
          .toBeGreaterThan(0.5);
        expect((height * k) / asked.height)
          .withContext('share of the height')
          .toBeGreaterThan(0.5);
        // A card of 60 pixels is still wide enough for its name.
        expect(186 * k)
          .withContext('pixels of a card')
          .toBeGreaterThan(60);
      });
});

describe('the keys of the map', () => {
  const box = (x: number, y: number) => ({ x, y, width: 100, height: 50 });
  const grid = [0, 1, 2].flatMap((row) => [0, 1, 2].map((column) => box(column * 150, row * 90)));

  it('lead to the nearest card in their direction, and nowhere at the edge', () => {
    const middle = grid[4]!;
    expect(nextCard(grid, middle, 'ArrowLeft')).toBe(grid[3]!);
    expect(nextCard(grid, middle, 'ArrowRight')).toBe(grid[5]!);
    expect(nextCard(grid, middle, 'ArrowUp')).toBe(grid[1]!);
    expect(nextCard(grid, middle, 'ArrowDown')).toBe(grid[7]!);
    expect(nextCard(grid, grid[0]!, 'ArrowUp')).toBeNull();
    expect(nextCard(grid, middle, 'Enter')).toBeNull();
  });

  it('reach every card of a map from any other', () => {
    const cards = Array.from({ length: 40 }, (_, i) => box((i * 7919) % 900, (i * 104_729) % 700));
    const reached = new Set([cards[0]!]);
    for (const card of reached)
      for (const key of ['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown']) {
        const next = nextCard(cards, card, key);
        if (next) reached.add(next);
      }
    expect(reached.size).toBe(cards.length);
  });
});
