import type { HttpTestingController } from '@angular/common/http/testing';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { Subject } from 'rxjs';
import type { OutsideSource } from '../shared/api.service';
import { after, button, setUpFile, shown } from '../testing/bench';
import { FileStore } from './file.store';
import { FileNews, type News } from './news.service';
import { cameWords, OutsideComponent, type FetchedRows } from './outside.component';

const TOLD: OutsideSource['told'] = {
  added: 0,
  changed: 0,
  deleted: 0,
  kept: 0,
  bad: 0,
  why: '',
  problem: null,
};
const SOURCE: OutsideSource = {
  table: 't_loan',
  address: 'https://example.org/lists/loans.csv',
  again: { every: 'day', gone: 'stay' },
  by: 'Ada',
  at: '2026-11-25T12:00:00Z',
  told: { ...TOLD, added: 3 },
};

describe('what came of an outside source', () => {
  it('is said in words', () => {
    const said = (told: Partial<typeof TOLD>): string => cameWords({ ...TOLD, ...told });
    expect(said({})).toBe('nothing had changed');
    expect(said({ added: 1200, changed: 1, deleted: 2 })).toBe('1,200 added, 1 changed, 2 deleted');
    expect(said({ bad: 2, why: 'This is dear.' })).toBe('2 not taken (This is dear)');
    expect(said({ kept: 1, why: 'other rows lead to them' })).toBe(
      '1 gone there, but kept (other rows lead to them)',
    );
    expect(said({ problem: 'example.org takes no calls.' })).toBe(
      'nothing came: example.org takes no calls.',
    );
  });
});

describe('OutsideComponent', () => {
  let http: HttpTestingController;
  let fixture: ComponentFixture<OutsideComponent>;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;
  const text = (): string => page().textContent.replace(/\s+/g, ' ').trim();

  async function show(sources: readonly OutsideSource[], tables: readonly string[]): Promise<void> {
    http = setUpFile();
    TestBed.inject(FileStore).readSources();
    http.expectOne('/api/files/f_x/sources').flush({ sources });
    fixture = TestBed.createComponent(OutsideComponent);
    fixture.componentRef.setInput('tables', tables);
    await fixture.whenStable();
  }

  it('shows nothing of tables that people fill', async () => {
    await show([SOURCE], ['t_borrower']);
    expect(text()).toBe('');
  });

  it('says from where, since when and what came, and fetches again', async () => {
    await show([SOURCE], ['t_loan']);
    expect(text()).toMatch(
      /^Loans from example.org\/lists\/loans.csv · fetched 25 Nov 2026 12:00.*, every day: 3 added Fetch again$/,
    );
    const rows: FetchedRows[] = [];
    fixture.componentInstance.rows.subscribe((one) => rows.push(one));
    button(page(), 'Fetch again').click();
    await fixture.whenStable();
    const asked = http.expectOne('/api/files/f_x/tables/t_loan/source/fetch');
    const now = { ...SOURCE, told: { ...TOLD, changed: 2 } };
    asked.flush({ source: now, entry: 12, counts: { t_loan: 9 } });
    http.expectOne('/api/files/f_x/sources').flush({ sources: [now] });
    await fixture.whenStable();
    expect(rows).toEqual([{ table: 't_loan', entry: 12, words: '2 changed' }]);
    expect(TestBed.inject(FileStore).counts()['t_loan']).toBe(9);
    expect(text()).toContain('every day: 2 changed');
  });

  it('can be stopped, and tells what keeps rows from coming', async () => {
    await show([SOURCE], ['t_loan']);
    button(page(), 'Fetch again').click();
    await fixture.whenStable();
    await after(450);
    http
      .expectOne(({ url }) => url.startsWith('/api/files/f_x/progress/'))
      .flush({ progress: { step: 0, of: 0, what: 'Asking example.org' } });
    await fixture.whenStable();
    expect(text()).toContain('Asking example.org …');
    const asked = http.expectOne('/api/files/f_x/tables/t_loan/source/fetch');
    button(page(), 'Stop').click();
    await fixture.whenStable();
    expect(asked.cancelled).toBeTrue();
    button(page(), 'Fetch again').click();
    http
      .expectOne('/api/files/f_x/tables/t_loan/source/fetch')
      .flush(
        { type: 'x', title: 'x', status: 422, detail: 'example.org takes no calls.' },
        { status: 422, statusText: 'x' },
      );
    const problem = { ...SOURCE, told: { ...TOLD, problem: 'example.org takes no calls.' } };
    http.expectOne('/api/files/f_x/sources').flush({ sources: [problem] });
    await fixture.whenStable();
    expect(text()).toContain('nothing came: example.org takes no calls.');
    expect(page().querySelector('mat-icon')!.getAttribute('data-mat-icon-name')).toBe('warning');
  });

  it('hears what others and the server itself have fetched, and lets it be', async () => {
    const news = new Subject<News | 'all'>();
    TestBed.overrideProvider(FileNews, { useValue: { all: news } });
    await show([SOURCE], ['t_loan']);
    const happened = (table: string): void =>
      news.next({ account: '', by: '', entry: 1, tables: [{ table, changed: null }], design: false });
    happened('t_borrower');
    http.expectNone('/api/files/f_x/sources');
    happened('t_loan');
    http.expectOne('/api/files/f_x/sources').flush({ sources: [SOURCE] });
    button(page(), 'More about where Loans come from').click();
    (await shown('[mat-menu-item]', document.body)).click();
    // The menu that was pressed closes beside it.
    await shown('mat-dialog-container button', document.body);
    await fixture.whenStable();
    button(document.body, 'Fetch them no more').click();
    await fixture.whenStable();
    await after(200);
    http.expectOne({ method: 'DELETE', url: '/api/files/f_x/tables/t_loan/source' }).flush({ gone: true });
    http.expectOne('/api/files/f_x/sources').flush({ sources: [] });
    await fixture.whenStable();
    expect(text()).toBe('');
  });
});
