import { Clipboard } from '@angular/cdk/clipboard';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import type { Design, Query } from '@heathridge/core/design';
import { newQuery } from '@heathridge/core/query';
import { By } from '@angular/platform-browser';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { after, button, setUpFile, shown } from '../testing/bench';
import { ConditionsComponent } from '../ask/conditions.component';
import { QueryComponent } from './query.component';

const QUERY: Query = {
  ...newQuery('q_a', 'Out now', OFFICE.tables[1]!),
  where: ['"#f_lDue" < CURRENT_DATE'],
  columns: [
    { id: 'c1', label: 'Borrower', expression: '"#f_lBorrower"' },
    { id: 'c2', label: 'Fee', expression: '"#f_lFee"' },
  ],
  sort: [{ column: 'c2', descending: true }],
};
const DESIGN: Design = { ...OFFICE, queries: [QUERY, { ...QUERY, id: 'q_b', label: 'Second' }] };

describe('QueryComponent', () => {
  let fixture: ComponentFixture<QueryComponent>;
  let http: HttpTestingController;
  let page: HTMLElement;

  beforeEach(async () => {
    http = setUpFile(DESIGN);
    fixture = TestBed.createComponent(QueryComponent);
    page = fixture.nativeElement as HTMLElement;
    await fixture.whenStable();
  });

  async function run(answer: object | null = null): Promise<Query> {
    await after(300);
    const request = http.expectOne('/api/files/f_x/query/run');
    const rows = [['Ada', '12.50']];
    const columns = [
      { id: 'c1', label: 'Borrower', kind: { kind: 'longText' } },
      { id: 'c2', label: 'Fee', kind: { kind: 'money', places: 2 } },
    ];
    request.flush(
      answer ?? {
        columns,
        rows,
        more: false,
        sql: 'SELECT 1',
        funnel: [{ part: 'from', label: 'Loans', count: 7 }],
      },
    );
    await fixture.whenStable();
    return (request.request.body as { query: Query }).query;
  }

  const conditions = (): ConditionsComponent =>
    fixture.debugElement.query(By.directive(ConditionsComponent)).componentInstance as ConditionsComponent;
  const sentence = (): string =>
    page
      .querySelector('[aria-label="The query as a sentence"]')!
      .textContent.replace(/\s+/g, ' ')
      .replace(/ ,/g, ',')
      .trim();

  it('reads as a sentence', async () => {
    await run();
    expect(sentence()).toContain('Take every loan');
    expect(sentence()).toContain('Keep rows where due back is before today');
    expect(sentence()).toContain('Show borrower, fee');
    expect(sentence()).toContain('Sort by Fee, most first');
  });

  it('shows the result as people read it, numbers at the right', async () => {
    await run();
    // Which rows are to be seen is known a frame later.
    while (page.querySelectorAll('td').length < 2) await new Promise(requestAnimationFrame);
    await fixture.whenStable();
    const [text, number] = [...page.querySelectorAll('td')];
    expect(text!.textContent.trim()).toBe('Ada');
    expect(number!.textContent.trim()).toBe('£12.50');
    expect(number!.classList).toContain('number');
  });

  it('shows the SQL, and copies it', async () => {
    await run();
    const copy = spyOn(TestBed.inject(Clipboard), 'copy').and.returnValue(true);
    fixture.componentInstance.view.set('sql');
    await fixture.whenStable();
    expect(page.querySelector('pre')!.textContent).toBe('SELECT 1');
    button(page, 'Copy').click();
    expect(copy).toHaveBeenCalledOnceWith('SELECT 1');
  });

  it('runs again with each change, and marks itself as not saved', async () => {
    await run();
    conditions().add({ text: "state = 'Out'", words: '' });
    const query = await run();
    expect(query.where).toEqual(['"#f_lDue" < CURRENT_DATE', `"#f_lState" = 'Out'`]);
    expect(page.textContent).toContain('not saved yet');
    expect(fixture.componentInstance.unsaved()).toBeTrue();
  });

  it('keeps ids in what it saves, whatever names say', async () => {
    await run();
    conditions().set(0, { text: 'due_back  >  lent_on', ok: true });
    expect((await run()).where).toEqual(['"#f_lDue"  >  "#f_lFrom"']);
    button(page, 'Save query').click();
    const request = http.expectOne('/api/files/f_x/definitions/q_a');
    expect(request.request.body.base).toBe(0);
    expect(request.request.body.document.where).toEqual(['"#f_lDue"  >  "#f_lFrom"']);
    request.flush({
      design: { ...DESIGN, queries: [request.request.body.document] },
      versions: { q_a: { version: 1, at: null, by: null } },
    });
    await fixture.whenStable();
    expect(fixture.componentInstance.unsaved()).toBeFalse();
  });

  it('shows both versions when somebody else was quicker, and saves over theirs only when told', async () => {
    await fixture.whenStable();
    fixture.componentInstance.rename('Mine');
    await fixture.whenStable();
    button(page, 'Save query').click();
    const request = http.expectOne('/api/files/f_x/definitions/q_a');
    const { document: mine } = request.request.body as { document: Query };
    const theirs = {
      document: { ...mine, label: 'Theirs' },
      version: 4,
      by: 'Mara',
      at: '2026-11-25T10:00:00Z',
    };
    request.flush(
      { type: '/problems/document-moved', detail: 'Mara has changed it.', theirs },
      { status: 409, statusText: 'Conflict' },
    );
    const dialog = await shown('hr-clash-dialog');
    await fixture.whenStable();
    expect(dialog.textContent).toContain('Mara has changed it');
    expect([...dialog.querySelectorAll('td')].map((cell) => cell.textContent.trim())).toEqual([
      'Mine',
      'Theirs',
    ]);
    button(dialog, 'Save mine over it').click();
    await fixture.whenStable();
    await after(300);
    const again = http.expectOne('/api/files/f_x/definitions/q_a').request.body as { base: number };
    expect(again.base).toBe(4);
  });

  it('does not take a condition that does not hold together', async () => {
    await run();
    conditions().set(0, { text: 'due_back >', ok: false });
    await after(300);
    http.expectNone('/api/files/f_x/query/run');
    expect(fixture.componentInstance.document()!.where).toEqual(QUERY.where);
  });

  it('groups, with a count to begin with, and sorts only by what is left', async () => {
    await run();
    const path = fixture.componentInstance.fieldPaths().find(({ text }) => text === 'borrower.name')!;
    fixture.componentInstance.groupBy(path);
    const query = await run();
    expect(query.group!.by.map(({ expression }) => expression)).toEqual(['"#f_lBorrower"."#f_bName"']);
    expect(query.group!.measures.map(({ total, label }) => [total, label])).toEqual([
      ['count', 'Number of loans'],
    ]);
    expect(query.sort).toEqual([]);
    expect(sentence()).toContain('Group by borrower’s name');
    expect(sentence()).toContain('working out count of loans');
  });

  it('adds totals and gives a sum something to add up', async () => {
    await run();
    const { componentInstance: part } = fixture;
    part.groupBy(part.fieldPaths().find(({ text }) => text === 'state')!);
    await run();
    part.setTotal(0, 'sum');
    const query = await run();
    expect(query.group!.measures[0]).toEqual(
      jasmine.objectContaining({ total: 'sum', expression: '"#f_lFee"' }),
    );
    part.addMeasure(
      'most',
      part.fieldPaths().find(({ text }) => text === 'fee')!,
    );
    expect((await run()).group!.measures[1]!.label).toBe('Most fee');
    part.removeGroup(0);
    expect((await run()).group).toBeNull();
  });

  it('follows links, names them, and keeps rows without a partner unless told', async () => {
    await run();
    const { componentInstance: part } = fixture;
    part.addLink(['f_lBorrower']);
    expect((await run()).with).toEqual([{ path: ['f_lBorrower'], keepWithout: true }]);
    expect(sentence()).toContain('with its borrower (or none)');
    part.setKeep(0, false);
    expect((await run()).with[0]!.keepWithout).toBeFalse();
    part.removeAt('with', 0);
    expect((await run()).with).toEqual([]);
  });

  it('keeps only the first rows, and all when none are asked', async () => {
    await run();
    fixture.componentInstance.setFirst(10);
    expect((await run()).first).toBe(10);
    expect(sentence()).toContain('Keep only the first 10');
    fixture.componentInstance.setFirst(null);
    expect((await run()).first).toBeNull();
  });

  it('shows the SQL, and a refusal where the result would be', async () => {
    await run();
    button(page, 'SQL').click();
    await fixture.whenStable();
    expect(page.querySelector('pre')!.textContent).toBe('SELECT 1');
    fixture.componentInstance.set({ first: 3 });
    await after(300);
    http
      .expectOne('/api/files/f_x/query/run')
      .flush(
        { detail: 'Too large.', type: '/problems/query-failed', status: 422 },
        { status: 422, statusText: 'x' },
      );
    await fixture.whenStable();
    expect(page.querySelector('[role="alert"]')!.textContent).toContain('Too large.');
  });

  it('asks before it leaves changes behind', async () => {
    await run();
    fixture.componentInstance.set({ first: 3 });
    await run();
    button(page, 'Second').click();
    await fixture.whenStable();
    expect(fixture.componentInstance.document()!.id).toBe('q_a');
    expect(document.body.textContent).toContain('Leave this query unsaved?');
    document.querySelectorAll('mat-dialog-container').forEach((dialog) => dialog.remove());
  });
});
