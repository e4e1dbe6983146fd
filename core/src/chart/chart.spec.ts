import type { Chart } from '../design';
import { BRITISH, type Value, type ValueKind } from '../values';
import {
  chartAs,
  chartFor,
  chartModel,
  chartOf,
  columnsOf,
  MOST_POINTS,
  MOST_SLICES,
  type ChartColumn,
  type ChartModel,
} from '.';

const money: ValueKind = { kind: 'money', places: 2 };
const whole: ValueKind = { kind: 'wholeNumber' };
const column = (id: string, kind: ValueKind): ChartColumn => ({ id, label: id.toUpperCase(), kind });
const COLUMNS = [
  column('month', { kind: 'date', style: 'month' }),
  column('method', { kind: 'longText' }),
  column('sum', money),
  column('count', whole),
];
const ROWS: Value[][] = [
  ['2026-01-01', 'Card', '10.10', 2],
  ['2026-01-01', 'Cash', '5.00', 1],
  ['2026-04-01', 'Card', '0.20', 1],
  [null, 'Card', '9.00', 1],
];
const draw = (chart: Chart, rows = ROWS, columns = COLUMNS): ChartModel =>
  chartModel(chart, { columns, rows, locale: BRITISH, zero: new Set(['sum', 'count']) });
const bars = (rest: Partial<Extract<Chart, { pile: string }>> = {}): Chart => ({
  as: 'bars',
  along: 'month',
  values: ['sum'],
  pile: 'beside',
  ...rest,
});
const marks = (model: ChartModel, panel = 0) =>
  model.panels[panel]!.marks.map(({ series, x, y0, y, said }) => [series, x, y0, y, said]);

describe('charts', () => {
  it('give each month its place, also those in which nothing was', () => {
    const model = draw(bars());
    expect(model.places).toEqual(['Jan 2026', 'Feb 2026', 'Mar 2026', 'Apr 2026', '(empty)']);
    expect(marks(model)).toEqual([
      [0, 0, 0, 15.1, '£15.10'],
      [0, 3, 0, 0.2, '£0.20'],
      [0, 4, 0, 9, '£9.00'],
    ]);
    expect(model.notes).toEqual(['Where several rows stand at one place their sum is drawn.']);
    expect(model.panels[0]!.marks[0]!.rows).toEqual([0, 1]);
  });

  it('draw nothing as 0 in lines of what counts or adds up, and only there', () => {
    const line = draw({ ...bars({ split: 'method' }), as: 'lines' } as Chart);
    expect(line.axis).toBe('days');
    const own = line.panels[0]!.marks.filter(({ series }) => series === 0);
    expect(own.map(({ y, said }) => [y, said])).toEqual([
      [10.1, '£10.10'],
      [0, '£0.00'],
      [0, '£0.00'],
      [0.2, '£0.20'],
    ]);
    expect(line.notes).toEqual(['1 row with nothing in “MONTH” is not drawn.']);
    const plain = chartModel({ ...bars({ split: 'method' }), as: 'lines' } as Chart, {
      columns: COLUMNS,
      rows: ROWS,
      locale: BRITISH,
    });
    expect(plain.panels[0]!.marks.filter(({ series }) => series === 0).length).toBe(2);
  });

  it('stack series on one another, and down from 0 what is below it', () => {
    const rows: Value[][] = [
      ['2026-01-01', 'a', '3.00', 1],
      ['2026-01-01', 'b', '-2.00', 1],
      ['2026-01-01', 'c', '4.00', 1],
      ['2026-01-01', 'd', '-1.00', 1],
    ];
    expect(marks(draw(bars({ split: 'method', pile: 'stacked' }), rows))).toEqual([
      [0, 0, 0, 3, '£3.00'],
      [1, 0, 0, -2, '-£2.00'],
      [2, 0, 3, 7, '£4.00'],
      [3, 0, -2, -3, '-£1.00'],
    ]);
    const shares = draw(bars({ split: 'method', pile: 'shares' }), rows);
    expect(shares.pile).toBe('beside');
    expect(shares.notes.join()).toContain('below 0');
  });

  it('have shares of each place add up to a hundred', () => {
    const model = draw(bars({ split: 'method', pile: 'shares' }));
    expect(model.panels[0]!.kind).toEqual({ kind: 'decimal', places: 1, unit: '%' });
    const top = new Map<number, number>();
    for (const { x, y } of model.panels[0]!.marks) top.set(x, Math.max(top.get(x) ?? 0, y));
    for (const y of top.values()) expect(y).toBeCloseTo(100, 9);
    expect(model.panels[0]!.marks[0]!.said).toBe('£10.10 (66.9%)');
  });

  it('draw what is counted in different units apart', () => {
    const model = draw(bars({ values: ['sum', 'count'] }));
    expect(model.panels.map(({ label, kind }) => [label, kind.kind])).toEqual([
      ['SUM', 'money'],
      ['COUNT', 'wholeNumber'],
    ]);
    expect(model.notes[0]).toContain('same unit');
  });

  it('leave out what is too much, and say so', () => {
    const many = Array.from({ length: MOST_POINTS + 7 }, (_, i): Value[] => [null, null, `${i}.00`, i]);
    const points = draw({ as: 'points', across: 'count', up: 'sum' }, many);
    expect(points.panels[0]!.marks.length).toBe(MOST_POINTS);
    expect(points.notes).toEqual(['The first 5,000 points are drawn; 7 rows more are left out.']);
    const names = Array.from({ length: 230 }, (_, i): Value[] => [null, `name ${i}`, '1.00', 1]);
    const long = draw(bars({ along: 'method' }), names);
    expect(long.places.length).toBe(200);
    expect(long.notes).toEqual([
      'The first 200 of what stands along it are drawn; 30 rows more are left out.',
    ]);
    const pie = draw({ as: 'pie', along: 'method', value: 'sum' }, names);
    expect(pie.series.length).toBe(MOST_SLICES);
    expect(pie.series.at(-1)).toBe('all others');
    expect(pie.panels[0]!.marks.at(-1)!.rows.length).toBe(230 - MOST_SLICES + 1);
    expect(pie.panels[0]!.marks.at(-1)!.y).toBeCloseTo(100, 9);
  });

  it('leave what is below 0 out of a whole', () => {
    const pie = draw({ as: 'pie', along: 'method', value: 'sum' }, [
      [null, 'a', '-1.00', 1],
      [null, 'b', '3.00', 1],
    ]);
    expect(pie.series).toEqual(['b']);
    expect(pie.notes).toEqual(['1 row below 0 is no part of a whole and not drawn.']);
  });

  it('draw values that are all the same as one bar', () => {
    const same = draw({ as: 'spread', of: 'count' }, [
      [null, null, null, 4],
      [null, null, null, 4],
    ]);
    expect(same.panels[0]!.marks.map(({ y }) => y)).toEqual([2]);
  });

  it('draw nothing of nothing', () => {
    for (const chart of [
      bars(),
      { as: 'points', across: 'count', up: 'sum' },
      { as: 'spread', of: 'sum' },
      { as: 'pie', along: 'method', value: 'sum' },
    ] as Chart[])
      expect(draw(chart, []).panels.flatMap((panel) => panel.marks))
        .withContext(chart.as)
        .toEqual([]);
  });

  it('suit a result by themselves', () => {
    const [month, method, sum, count] = COLUMNS as [ChartColumn, ChartColumn, ChartColumn, ChartColumn];
    expect(chartFor([month, sum, count])).toEqual({
      as: 'lines',
      along: 'month',
      values: ['sum'],
      pile: 'beside',
    });
    expect(chartFor([method, sum])).toEqual({ as: 'bars', along: 'method', values: ['sum'], pile: 'beside' });
    expect(chartFor([month, method, sum])).toEqual(jasmine.objectContaining({ split: 'method' }));
    expect(chartFor([sum, count])).toEqual({ as: 'points', across: 'sum', up: 'count' });
    expect(chartFor([count])).toEqual({ as: 'spread', of: 'count' });
    expect(chartFor([month, method])).toBeNull();
  });

  it('become another shape of the same columns, and each can be drawn', () => {
    const shapes: Chart['as'][] = ['bars', 'lines', 'areas', 'points', 'spread', 'pie'];
    for (const from of shapes)
      for (const to of shapes) {
        const begun = chartAs(from, null, COLUMNS)!;
        const chart = chartAs(to, begun, COLUMNS)!;
        expect(chart.as).toBe(to);
        expect(columnsOf(chart).every((id) => COLUMNS.some((one) => one.id === id))).toBeTrue();
        expect(draw(chart).panels.length).withContext(`${from} ${to}`).toBeGreaterThan(0);
      }
    expect(chartAs('points', null, [COLUMNS[2]!])).toBeNull();
  });

  it('do without columns that have gone', () => {
    const chart = bars({ values: ['sum', 'count'], split: 'method', apart: 'month' });
    expect(chartOf(chart, (id) => id !== 'sum' && id !== 'method')).toEqual({
      as: 'bars',
      along: 'month',
      values: ['count'],
      apart: 'month',
      pile: 'beside',
    });
    for (const [shape, id] of [
      [bars(), 'month'],
      [bars(), 'sum'],
      [{ as: 'points', across: 'count', up: 'sum' }, 'count'],
      [{ as: 'spread', of: 'sum' }, 'sum'],
      [{ as: 'pie', along: 'method', value: 'sum' }, 'method'],
    ] as [Chart, string][])
      expect(chartOf(shape, (own) => own !== id))
        .withContext(`${shape.as} without ${id}`)
        .toBeNull();
  });
});
