import { TestBed } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import type { GridApi } from 'ag-grid-community';
import { Subject } from 'rxjs';
import { field, lookup, OFFICE } from '../../../../core/src/design/testing/office';
import { FileNews, type ALL, type News } from '../file/news.service';
import { after, setUpFile } from '../testing/bench';
import type { GridRow } from './fill.store';
import { LeadingRows, leadingTo, ledText } from './leading.service';

const [BORROWER, LOAN] = [OFFICE.tables[0]!, OFFICE.tables[1]!];
const row = (key: number): GridRow => ({ key: [key], cells: {} });

describe('rows that lead to a table', () => {
  it('come by every lookup to it, each called by its table, and by its own name where there are two', () => {
    expect(leadingTo(OFFICE, BORROWER).map(({ id, label }) => [id, label])).toEqual([
      ['led_lBorrower', 'Loans'],
    ]);
    const second = {
      ...LOAN,
      fields: [...LOAN.fields, field('lGuarantor', 'guarantor', lookup('borrower'))],
    };
    const design = { ...OFFICE, tables: [BORROWER, second, OFFICE.tables[2]!] };
    expect(leadingTo(design, BORROWER).map(({ label }) => label)).toEqual([
      'Loans (Borrower)',
      'Loans (Guarantor)',
    ]);
    expect(leadingTo(OFFICE, OFFICE.tables[2]!)).toEqual([]);
  });

  it('are told in a cell by their number and the first names', () => {
    expect(ledText(undefined)).toBe('');
    expect(ledText([0, []])).toBe('none');
    expect(ledText([2, ['Oboe', 'Drum']])).toBe('2: Oboe, Drum');
    expect(ledText([12500, ['Oboe', 'Drum']])).toBe('12,500: Oboe, Drum, …');
  });
});

describe('LeadingRows', () => {
  let http: HttpTestingController;
  let leading: LeadingRows;
  let news: Subject<News | typeof ALL>;
  let refreshed: string[][];
  const shown = [row(1), row(2)];

  beforeEach(() => {
    news = new Subject();
    TestBed.configureTestingModule({ providers: [LeadingRows] });
    TestBed.overrideProvider(FileNews, { useValue: { all: news } });
    http = setUpFile();
    leading = TestBed.inject(LeadingRows);
    refreshed = [];
    leading.attach({
      refreshCells: ({ columns }: { columns: string[] }) => refreshed.push(columns),
      forEachNode: (tell: (node: { data: GridRow }) => void) => shown.forEach((data) => tell({ data })),
    } as unknown as GridApi<GridRow>);
    leading.show(BORROWER, leadingTo(OFFICE, BORROWER));
  });
  afterEach(() => http.verify());

  const asked = () => http.expectOne('/api/files/f_x/tables/t_borrower/children');
  const [way] = leadingTo(OFFICE, BORROWER);

  it('asks for the rows that are there, and shows them when the answer comes', () => {
    leading.read([...shown, { key: null, cells: {} }]);
    const call = asked();
    expect(call.request.body).toEqual({ keys: [[1], [2]], links: ['f_lBorrower'] });
    expect(leading.count(row(2), way!)).toBeNull();
    call.flush({
      children: [
        [
          [3, ['a']],
          [0, []],
        ],
      ],
    });
    expect([leading.count(row(1), way!), leading.count(row(2), way!)]).toEqual([3, 0]);
    expect(refreshed).toEqual([['led_lBorrower']]);
  });

  it('asks again once somebody has changed rows of those tables, and of no others', async () => {
    const told = (table: string): void =>
      news.next({
        account: 'a',
        by: 'B',
        entry: 1,
        design: false,
        tables: [{ table, changed: null }],
      });
    told('t_fine');
    await after(200);
    told('t_loan');
    told('t_loan');
    await after(200);
    asked().flush({
      children: [
        [
          [4, []],
          [0, []],
        ],
      ],
    });
    expect(leading.count(row(1), way!)).toBe(4);
  });

  it('forgets what is known of rows that the grid does not hold any more', () => {
    for (let start = 10; start < 21_000; start += 500) {
      const some = Array.from({ length: 500 }, (_, i) => row(start + i));
      leading.read(some);
      asked().flush({ children: [some.map(() => [1, ['x']])] });
    }
    expect(leading.count(row(20_600), way!)).toBe(1);
    expect(leading.count(row(10), way!)).toBeNull();
  });

  it('asks nothing where no lookup leads, and lets an answer for another table go', () => {
    leading.read(shown);
    const late = asked();
    leading.show(OFFICE.tables[2]!, []);
    leading.read(shown);
    late.flush({
      children: [
        [
          [3, []],
          [0, []],
        ],
      ],
    });
    expect(refreshed).toEqual([]);
  });
});
