import { stack } from 'd3';
import { chartModel, type ChartColumn, type ChartModel } from '@heathridge/core/chart';
import type { Chart } from '@heathridge/core/design';
import { BRITISH, type Value } from '@heathridge/core/values';
import { drawChart, tickText, type DrawnChart } from './layout';

const COLUMNS: ChartColumn[] = [
  { id: 'day', label: 'Day', kind: { kind: 'date' } },
  { id: 'name', label: 'Name', kind: { kind: 'longText' } },
  { id: 'sum', label: 'Sum', kind: { kind: 'money', places: 2 } },
  { id: 'count', label: 'Count', kind: { kind: 'wholeNumber' } },
];
const rowsOf = (count: number, name = (i: number) => `n${i % 5}`): Value[][] =>
  Array.from({ length: count }, (_, i): Value[] => [
    `2026-0${1 + (i % 6)}-0${1 + (i % 9)}`,
    name(i),
    `${(i * 37) % 101}.50`,
    i,
  ]);
const SHAPES: Chart[] = [
  { as: 'bars', along: 'name', values: ['sum'], pile: 'beside' },
  { as: 'bars', along: 'day', values: ['sum'], split: 'name', pile: 'stacked' },
  { as: 'bars', along: 'name', values: ['sum', 'count'], pile: 'beside' },
  { as: 'lines', along: 'day', values: ['sum'], split: 'name', pile: 'beside', apart: 'name' },
  { as: 'areas', along: 'day', values: ['sum'], split: 'name', pile: 'shares' },
  { as: 'points', across: 'count', up: 'sum', split: 'name' },
  { as: 'points', across: 'day', up: 'sum', apart: 'name' },
  { as: 'spread', of: 'sum', apart: 'name' },
  { as: 'pie', along: 'name', value: 'sum', apart: 'day' },
];
const modelOf = (chart: Chart, rows: Value[][]): ChartModel =>
  chartModel(chart, { columns: COLUMNS, rows, locale: BRITISH });
const draw = (model: ChartModel, width = 700, height = 320): DrawnChart =>
  drawChart(model, { width, height }, (text) => text.length * 7, BRITISH);

describe('the drawing of a chart', () => {
  it('stays within its room, whatever its shape, its size and what it is of', () => {
    const long = (i: number): string => `a name that goes on and on without an end ${i % 40}`;
    for (const chart of SHAPES)
      for (const rows of [[], rowsOf(1), rowsOf(60), rowsOf(400, long)])
        for (const [width, height] of [
          [1000, 500],
          [340, 120],
        ] as const) {
          const drawn = draw(modelOf(chart, rows), width, height);
          const about = `${JSON.stringify(chart)} of ${rows.length} rows in ${width}`;
          expect(JSON.stringify(drawn))
            .withContext(about)
            .not.toMatch(/NaN|Infinity|undefined/);
          for (const panel of drawn.panels) {
            expect(panel.x + panel.width)
              .withContext(about)
              .toBeLessThanOrEqual(drawn.width + 0.5);
            expect(panel.y + panel.height)
              .withContext(about)
              .toBeLessThanOrEqual(drawn.height + 0.5);
            for (const { x, y } of panel.marks) {
              expect(x).withContext(about).toBeGreaterThanOrEqual(-0.5);
              expect(x)
                .withContext(about)
                .toBeLessThanOrEqual(panel.width + 0.5);
              expect(y).withContext(about).toBeGreaterThanOrEqual(-0.5);
              expect(y)
                .withContext(about)
                .toBeLessThanOrEqual(panel.height + 0.5);
            }
          }
        }
  });

  it('lays bars down whose names have no room beside one another, and shows each name', () => {
    const names = (i: number): string => `School number ${i}`;
    const [panel] = draw(modelOf(SHAPES[0]!, rowsOf(30, names))).panels;
    for (let i = 0; i < 30; i++) expect(panel!.words.some(({ text }) => text === names(i))).toBeTrue();
    const ys = panel!.marks.map(({ y }) => y);
    expect(new Set(ys).size).toBe(30);
  });

  it('leaves out names that would lie on one another', () => {
    const model = modelOf(SHAPES[1]!, rowsOf(60));
    const [panel] = draw(model, 400).panels;
    const along = panel!.words.filter(({ text }) => model.places.includes(text)).sort((a, b) => a.x - b.x);
    expect(along.length).toBeGreaterThan(2);
    for (const [i, word] of along.entries())
      if (i > 0)
        expect(word.x - along[i - 1]!.x).toBeGreaterThanOrEqual(
          (word.text.length * 7 + along[i - 1]!.text.length * 7) / 2,
        );
  });

  it('stands series on one another as d3 does', () => {
    const rows: Value[][] = [
      ['2026-01-01', 'a', '3.00', 1],
      ['2026-01-01', 'b', '4.00', 1],
      ['2026-01-02', 'a', '1.00', 1],
      ['2026-01-02', 'b', '5.00', 1],
    ];
    const model = modelOf(
      { as: 'areas', along: 'day', values: ['sum'], split: 'name', pile: 'stacked' },
      rows,
    );
    const theirs = stack<{ a: number; b: number }>().keys(['a', 'b'])([
      { a: 3, b: 4 },
      { a: 1, b: 5 },
    ]);
    for (const [s, series] of theirs.entries())
      expect(model.panels[0]!.marks.filter((mark) => mark.series === s).map(({ y0, y }) => [y0, y])).toEqual(
        series.map(([from, to]) => [from, to]),
      );
  });

  it('begins bars at 0, and says its numbers in their unit', () => {
    const [panel] = draw(modelOf(SHAPES[0]!, [['2026-01-01', 'a', '900.00', 1]])).panels;
    const texts = panel!.words.map(({ text }) => text);
    expect(texts).toContain('£0');
    expect(texts).toContain('£800');
    expect(panel!.lines.some(({ isBase }) => isBase)).toBeTrue();
    expect(tickText({ kind: 'decimal', places: 1, unit: '%' }, 50, 25, BRITISH)).toBe('50%');
    expect(tickText({ kind: 'wholeNumber' }, 0.2, 0.1, BRITISH)).toBe('0.2');
    expect(tickText({ kind: 'wholeNumber' }, 12000, 4000, BRITISH)).toBe('12,000');
  });
});
