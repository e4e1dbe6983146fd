import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { TestKey } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import type { HttpTestingController } from '@angular/common/http/testing';
import { MatTreeHarness } from '@angular/material/tree/testing';
import type { Design, Query, Report } from '@heathridge/core/design';
import { newQuery } from '@heathridge/core/query';
import { layoutReport } from '@heathridge/core/report';
import { BRITISH } from '@heathridge/core/values';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { after, button, setUpFile } from '../testing/bench';
import { PrintComponent } from './print.component';

const REPORT: Report = {
  type: 'report',
  id: 'p_a',
  label: 'Fees',
  source: { kind: 'table', id: 't_loan' },
  columns: [
    { column: 'f_lBorrower', label: 'Borrower', sum: false },
    { column: 'f_lFee', label: 'Fee', sum: true },
  ],
  group: null,
  sort: null,
  paper: 'A4 tall',
};
const ASKED: Query = {
  ...newQuery('q_asked', 'Asked', { id: 't_loan' }),
  questions: [
    {
      id: 'a_least',
      name: 'least',
      label: 'From which fee',
      answer: { kind: 'decimal', places: 2 },
      start: null,
      needed: false,
    },
  ],
};
const DESIGN: Design = { ...OFFICE, queries: [...OFFICE.queries, ASKED], reports: [REPORT] };

const model = (rows: number) =>
  layoutReport({
    title: 'Fees',
    subtitle: '',
    columns: [
      { id: 'a', label: 'Borrower', kind: { kind: 'text' }, sum: false },
      { id: 'b', label: 'Fee', kind: { kind: 'money', places: 2 }, sum: true },
    ],
    rows: Array.from({ length: rows }, (_, i) => [`Row ${i}`, '1.25']),
    group: null,
    paper: 'A4 tall',
    locale: BRITISH,
    measure: (text, _, size) => text.length * size * 0.5,
  });

describe('PrintComponent', () => {
  let fixture: ComponentFixture<PrintComponent>;
  let http: HttpTestingController;
  let page: HTMLElement;
  let part: PrintComponent;

  beforeEach(async () => {
    http = setUpFile(DESIGN);
    fixture = TestBed.createComponent(PrintComponent);
    part = fixture.componentInstance;
    page = fixture.nativeElement as HTMLElement;
    await fixture.whenStable();
  });

  async function laidOut(rows = 3): Promise<Report> {
    await after(260);
    const request = http.expectOne('/api/files/f_x/reports/pages');
    request.flush(model(rows));
    await fixture.whenStable();
    return (request.request.body as { report: Report }).report;
  }

  it('paints the page model', async () => {
    await laidOut();
    const texts = [...page.querySelectorAll('svg text')].map(({ textContent }) => textContent.trim());
    expect(texts).toContain('Page 1 of 1');
    expect(texts.filter((text) => text === '£1.25').length).toBe(3);
    expect(texts).toContain('£3.75');
  });

  it('asks what its query asks, and prints by the answers', async () => {
    await laidOut();
    expect(page.querySelector('hr-answers')).toBeNull();
    expect(part.pdf()).toBe('/api/files/f_x/reports/p_a/pdf');
    part.set({ source: { kind: 'query', id: 'q_asked' } });
    await after(260);
    const first = http.expectOne('/api/files/f_x/reports/pages');
    expect(first.request.body.answers).toEqual({});
    first.flush(model(3));
    await fixture.whenStable();
    expect(page.querySelector('hr-answers')!.textContent).toContain('From which fee');
    part.answer({ a_least: '5.00' });
    await after(260);
    const again = http.expectOne('/api/files/f_x/reports/pages');
    expect(again.request.body.answers).toEqual({ a_least: '5.00' });
    again.flush(model(1));
    await fixture.whenStable();
    const address = new URL(part.pdf(), 'http://x');
    expect(JSON.parse(address.searchParams.get('answers')!)).toEqual({ a_least: '5.00' });
  });

  it('turns pages and stops at the ends', async () => {
    await laidOut(200);
    expect(button(page, 'Page before').disabled).toBeTrue();
    button(page, 'Page after').click();
    await fixture.whenStable();
    expect(page.querySelector('[role="status"]')!.textContent).toContain('Page 2 of');
    part.page(99);
    await fixture.whenStable();
    expect(button(page, 'Page after').disabled).toBeTrue();
  });

  it('lays out again with each change', async () => {
    await laidOut();
    part.setGroup('f_lState');
    expect((await laidOut()).group).toEqual({ column: 'f_lState', newPage: false });
    expect(page.textContent).toContain('For each state');
    part.setSort('f_lFrom');
    expect((await laidOut()).sort).toEqual({ column: 'f_lFrom', descending: false });
    part.setGroup('');
    expect((await laidOut()).group).toBeNull();
  });

  it('adds, moves, sums and takes out columns', async () => {
    await laidOut();
    button(page, 'Due back').click();
    expect((await laidOut()).columns.map(({ column }) => column)).toEqual([
      'f_lBorrower',
      'f_lFee',
      'f_lDue',
    ]);
    part.moveColumn(-2);
    expect((await laidOut()).columns.map(({ column }) => column)).toEqual([
      'f_lDue',
      'f_lBorrower',
      'f_lFee',
    ]);
    part.removeColumn();
    expect((await laidOut()).columns.length).toBe(2);
  });

  it('offers a sum only for numbers', async () => {
    await laidOut();
    expect(part.canSum('f_lFee')).toBeTrue();
    expect(part.canSum('f_lBorrower')).toBeFalse();
    expect(part.canSum('f_gone')).toBeFalse();
  });

  it('says why it cannot be laid out', async () => {
    await after(260);
    http
      .expectOne('/api/files/f_x/reports/pages')
      .flush({ detail: 'Too many rows.', status: 422 }, { status: 422, statusText: 'x' });
    await fixture.whenStable();
    expect(page.querySelector('[role="alert"]')!.textContent).toContain('Too many rows.');
    expect(button(page, 'PDF').disabled).toBeTrue();
  });

  describe('the outline', () => {
    const loader = () => TestbedHarnessEnvironment.loader(fixture);
    const texts = async (): Promise<string[]> => {
      const nodes = await (await loader().getHarness(MatTreeHarness)).getNodes();
      return Promise.all(
        nodes.map(
          async (node) => `${await node.getLevel()} ${(await node.getText()).replace('summed', ' summed')}`,
        ),
      );
    };

    it('is a tree of the bands, open to begin with', async () => {
      await laidOut();
      expect(await texts()).toEqual([
        '1 Once, at the start',
        '2 Title · where from · date',
        '1 Top of each page',
        '2 Column heads · page number',
        '1 Each row',
        '2 Borrower',
        '2 Fee summed',
        '1 Once, at the end',
        '2 Sums of the whole',
      ]);
      part.setGroup('f_lState');
      await laidOut();
      expect((await texts()).slice(4, 10)).toEqual([
        '1 For each state',
        '2 State',
        '2 Each row',
        '3 Borrower',
        '3 Fee summed',
        '2 Rows counted, sums',
      ]);
    });

    it('picks a column by Enter, and leaves it by Enter again', async () => {
      await laidOut();
      const fee = (await (await loader().getHarness(MatTreeHarness)).getNodes({ text: /^Fee/ }))[0]!;
      const host = await fee.host();
      await host.focus();
      await host.sendKeys(TestKey.ENTER);
      expect(part.picked()).toBe('f_lFee');
      expect(await host.getAttribute('aria-selected')).toBe('true');
      await host.sendKeys(TestKey.ENTER);
      expect(part.picked()).toBeNull();
    });
  });
});
