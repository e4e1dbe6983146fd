import { catalogOf, pathsFrom } from '@heathridge/core/design';
import { plainType } from '@heathridge/core/plan';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { sizeText } from '../shared/size';
import { describe as phrase } from '../file/describe';
import { linkPaths, type Box, type LinkShape } from './link-path';

const box = (x: number, y: number): Box => ({ x, y, width: 180, height: 100 });
const ends = { optional: false, single: false };
const linkPath = (one: Box, many: Box, how: typeof ends): LinkShape => linkPaths([{ one, many, ...how }])[0]!;

describe('linkPaths', () => {
  const start = (path: string): number[] => /^M([\d.-]+) ([\d.-]+)/.exec(path)!.slice(1).map(Number);

  it('leaves from the side that faces the other card', () => {
    expect(start(linkPath(box(0, 0), box(400, 200), ends).path)[0]).toBe(180);
    expect(start(linkPath(box(400, 0), box(0, 200), ends).path)[0]).toBe(400);
  });

  it('goes straight down between cards above one another', () => {
    expect(linkPath(box(0, 0), box(20, 300), ends).path).toMatch(/^M[\d.]+ 100V300$/);
    expect(linkPath(box(0, 300), box(20, 0), ends).path).toMatch(/^M[\d.]+ 300V100$/);
  });

  it('tells none from one and many from one by its ends', () => {
    const shapes = [
      linkPath(box(0, 0), box(400, 0), ends),
      linkPath(box(0, 0), box(400, 0), { optional: true, single: false }),
      linkPath(box(0, 0), box(400, 0), { optional: false, single: true }),
    ];
    expect(new Set(shapes.map(({ one, many }) => one + many)).size).toBe(3);
    expect(shapes[1]!.one).toContain('a4 4');
    expect(shapes[0]!.one).not.toContain('a4 4');
  });

  it('keeps lines apart that meet one side of a card, in an order in which they do not cross', () => {
    const hub = box(0, 0);
    const others = [box(400, 200), box(400, -200), box(400, 0)];
    const shapes = linkPaths(others.map((many) => ({ one: hub, many, ...ends })));
    const [low, high, level] = shapes.map(({ path }) => start(path)[1]!) as [number, number, number];
    expect(high).toBeLessThan(level);
    expect(level).toBeLessThan(low);
    expect(Math.min(level - high, low - level)).toBeGreaterThanOrEqual(24);
    expect(high).toBeGreaterThanOrEqual(18);
    expect(low).toBeLessThanOrEqual(82);
    // More lines than there is room for share what there is.
    const many = linkPaths(
      Array.from({ length: 9 }, (_, i) => ({ one: hub, many: box(400, i * 120), ...ends })),
    );
    const places = many.map(({ path }) => start(path)[1]!);
    expect(new Set(places).size).toBe(9);
    expect(Math.max(...places)).toBeLessThanOrEqual(82);
  });

  it('runs behind neither of its cards, wherever they lie', () => {
    const first = box(0, 0);
    for (let x = -500; x <= 500; x += 37)
      for (let y = -400; y <= 400; y += 41) {
        const [apart, above] = [Math.abs(x) - 180, Math.abs(y) - 100];
        if (Math.max(apart, above) < 44) continue;
        const second = box(x, y);
        const { path } = linkPath(first, second, ends);
        let at: [number, number] = [0, 0];
        for (const [, way, a, b] of path.matchAll(/([MHV])([-\d.]+)(?: ([-\d.]+))?/g)) {
          const from = at;
          at = way === 'M' ? [Number(a), Number(b)] : way === 'H' ? [Number(a), at[1]] : [at[0], Number(a)];
          if (way === 'M') continue;
          for (const card of [first, second]) {
            const over = (i: 0 | 1, start: number, length: number): boolean =>
              Math.min(from[i], at[i]) < start + length - 1 && Math.max(from[i], at[i]) > start + 1;
            expect(over(0, card.x, card.width) && over(1, card.y, card.height))
              .withContext(`${x}, ${y}: ${path}`)
              .toBeFalse();
          }
        }
      }
  });

  it('draws a table that links to itself as a loop', () => {
    const own = box(0, 0);
    expect(linkPath(own, own, ends).path).toContain('v14');
  });
});

describe('fields in words', () => {
  const catalog = catalogOf(OFFICE);
  const loan = OFFICE.tables[1]!;
  const of = (id: string): string =>
    phrase(
      OFFICE,
      catalog,
      loan.fields.find((field) => field.id === id)!,
    );

  it('say what they are', () => {
    expect(of('f_lNo')).toBe('running number, from 1000');
    expect(of('f_lBorrower')).toBe('looks up a borrower · shows name');
    expect(of('f_lFee')).toBe('money, 2 places');
    expect(of('f_lFrom')).toBe('date · starts as today');
    expect(of('f_lState')).toBe('choice of Out, Back · starts as Out');
  });

  it('begin with a type of their kind', () => {
    expect(plainType('lookup', OFFICE)).toEqual({
      kind: 'lookup',
      table: 't_borrower',
      shows: null,
      onDelete: 'refuse',
    });
    expect(plainType('date', OFFICE)).toEqual({ kind: 'date' });
  });
});

describe('pathsFrom', () => {
  it('leads along lookups, and never round in circles', () => {
    const paths = pathsFrom(OFFICE, OFFICE.tables[2]!);
    expect(paths.map(({ text }) => text)).toContain('loan.borrower.name');
    expect(paths.find(({ text }) => text === 'loan.borrower.name')!.label).toBe('Borrower name');
    expect(paths.find(({ text }) => text === 'loan.borrower.name')!.of).toBe('loan’s borrower');
    expect(new Set(paths.map(({ text }) => text)).size).toBe(paths.length);
  });
});

describe('sizeText', () => {
  it('shows sizes for people', () => {
    expect([0, 999, 1000, 1_234_567, 78_000_000, 5e12].map(sizeText)).toEqual([
      '0 bytes',
      '999 bytes',
      '1.0 kB',
      '1.2 MB',
      '78 MB',
      '5.0 TB',
    ]);
  });
});
