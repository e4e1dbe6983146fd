import { BRITISH, type Value } from '../values';
import { OFFICE } from '../design/testing/office';
import type { Design, Report } from '../design';
import { fitText, layoutReport, type PageMark, type ReportInput } from './layout';
import { reportProblems, reportQuery, sourceColumns } from './source';

/** Every letter half as wide as it is high. */
const measure = (text: string, _: unknown, size: number): number => [...text].length * size * 0.5;

const input = (rows: Value[][], patch: Partial<ReportInput> = {}): ReportInput => ({
  title: 'Fees',
  subtitle: 'From Loans',
  columns: [
    { id: 'name', label: 'Name', kind: { kind: 'text' }, sum: false },
    { id: 'fee', label: 'Fee', kind: { kind: 'money', places: 2 }, sum: true },
  ],
  rows,
  group: { label: 'State', kind: { kind: 'text' }, newPage: false },
  paper: 'A4 tall',
  locale: BRITISH,
  measure,
  ...patch,
});

const texts = (items: readonly PageMark[]): string[] =>
  items.flatMap((item) => (item.item === 'text' ? [item.text] : []));
const many = (count: number): Value[][] =>
  Array.from({ length: count }, (_, i) => [`Row ${i}`, '0.10', i % 2 === 0 ? 'Out' : 'Back']);

describe('layoutReport', () => {
  it('adds money up exactly, by group and as a whole', () => {
    const model = layoutReport(input(many(30)));
    expect(model.totals).toEqual({ fee: '3.00' });
    const all = model.pages.flatMap(({ items }) => texts(items));
    expect(all.filter((text) => text === '£1.50').length).toBe(2);
    expect(all).toContain('£3.00');
    expect(all).toContain('All 30 rows');
    expect(all.filter((text) => text === '15 rows').length).toBe(2);
  });

  it('numbers its pages and repeats the column heads', () => {
    const model = layoutReport(input(many(200)));
    expect(model.pages.length).toBeGreaterThan(2);
    model.pages.forEach(({ items }, i) => {
      expect(texts(items)).toContain(`Page ${i + 1} of ${model.pages.length}`);
      expect(texts(items)).toContain('Name');
    });
    expect(texts(model.pages[1]!.items)).toContain('Out, continued');
  });

  it('keeps everything on the paper', () => {
    for (const paper of ['A4 tall', 'A4 wide'] as const) {
      const model = layoutReport(
        input([...many(150), ['An exceedingly long name '.repeat(20), '1234567890123.45', 'Out']], { paper }),
      );
      for (const item of model.pages.flatMap(({ items }) => items)) {
        const [left, right] =
          item.item === 'line'
            ? [item.x1, item.x2]
            : item.align === 'right'
              ? [item.x - measure(item.text, '', item.size), item.x]
              : [item.x, item.x + measure(item.text, '', item.size)];
        expect(left).toBeGreaterThan(30);
        expect(right).toBeLessThanOrEqual(model.width - 30);
        expect(item.y).toBeLessThan(model.height - 20);
      }
    }
  });

  it('is the size of ISO 216 A4 (210 mm x 297 mm) in points', () => {
    const { width, height } = layoutReport(input([]));
    expect((width / 72) * 25.4).toBeCloseTo(210, 6);
    expect((height / 72) * 25.4).toBeCloseTo(297, 6);
  });

  it('never leaves a group’s heading alone at the foot of a page', () => {
    for (let n = 20; n < 60; n++) {
      const rows: Value[][] = Array.from({ length: n }, (_, i) => [
        `Row ${i}`,
        '1.00',
        i < n - 2 ? 'Out' : 'Back',
      ]);
      const model = layoutReport(input(rows));
      for (const { items } of model.pages) {
        const list = texts(items).filter((text) => !text.startsWith('Page '));
        expect(list[list.length - 1]).not.toBe('Back');
      }
    }
  });

  it('begins each group on a new page when asked', () => {
    const model = layoutReport(
      input(many(4), { group: { label: 'State', kind: { kind: 'text' }, newPage: true } }),
    );
    expect(model.pages.length).toBe(2);
  });

  it('says so when there are no rows, and names an empty group', () => {
    expect(texts(layoutReport(input([])).pages[0]!.items)).toContain('No rows: nothing to show.');
    expect(texts(layoutReport(input([['A', '1.00', null]])).pages[0]!.items)).toContain('No state');
  });

  it('sums past what a float could hold', () => {
    const rows: Value[][] = Array.from({ length: 3 }, () => ['x', '9999999999999.99', 'Out']);
    expect(layoutReport(input(rows)).totals).toEqual({ fee: '29999999999999.97' });
  });
});

describe('fitText', () => {
  const width = (text: string): number => [...text].length;
  it('cuts at the width and says that something is left out', () => {
    expect(fitText('abcdef', 6, width)).toBe('abcdef');
    expect(fitText('abcdefg', 6, width)).toBe('abcde…');
    expect(fitText('ab   cd\nef', 20, width)).toBe('ab cd ef');
    expect(fitText('abc', 0.5, width)).toBe('');
  });
});

describe('the source of a report', () => {
  const report: Report = {
    type: 'report',
    id: 'p_a',
    label: 'Loans',
    source: { kind: 'table', id: 't_loan' },
    columns: [{ column: 'f_lFee', label: 'Fee', sum: true }],
    group: { column: 'f_lState', newPage: false },
    sort: { column: 'f_lFrom', descending: true },
    paper: 'A4 tall',
  };

  it('offers a table’s fields, and knows which can be summed', () => {
    expect(
      sourceColumns(OFFICE, report.source)
        .filter(({ numeric }) => numeric)
        .map(({ id }) => id),
    ).toEqual(['f_lFee']);
  });

  it('reads only what it prints, sorted by its group and its order', () => {
    const query = reportQuery(OFFICE, report)!;
    expect(query.columns.map(({ id }) => id)).toEqual(['f_lFee', 'f_lState', 'f_lFrom']);
    expect(query.sort.map(({ column }) => column)).toEqual(['f_lState', 'f_lFrom']);
  });

  it('keeps the order in which a query picks its first rows', () => {
    const query = {
      type: 'query' as const,
      id: 'q_a',
      label: 'Top',
      from: 't_loan',
      questions: [],
      joins: [],
      where: [],
      columns: [],
      group: null,
      keep: [],
      unlike: false,
      sort: [{ column: 'f_lFee', descending: true }],
      first: 5,
    };
    const design: Design = { ...OFFICE, queries: [query] };
    expect(reportQuery(design, { ...report, source: { kind: 'query', id: 'q_a' } })!.sort).toEqual(
      query.sort,
    );
  });

  it('says what is gone', () => {
    expect(reportProblems(OFFICE, report)).toEqual([]);
    expect(reportProblems(OFFICE, { ...report, source: { kind: 'query', id: 'q_gone' } })[0]).toContain(
      'no longer there',
    );
    expect(reportProblems(OFFICE, { ...report, group: { column: 'f_gone', newPage: false } })[0]).toContain(
      'column of this report',
    );
    expect(reportProblems(OFFICE, { ...report, columns: [] })[0]).toContain('needs a column');
  });
});
