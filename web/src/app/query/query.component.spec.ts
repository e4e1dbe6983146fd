import { Clipboard } from '@angular/cdk/clipboard';
import type { Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import type { Design, Query } from '@heathridge/core/design';
import { newQuery, so } from '@heathridge/core/query';
import { By } from '@angular/platform-browser';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { after, button, setUpFile, shown } from '../testing/bench';
import { Subject } from 'rxjs';
import { ALL, FileNews, type News } from '../file/news.service';
import { ConditionBuilderComponent } from '../ask/condition-builder.component';
import { ConditionPartComponent } from './condition-part.component';
import { QueryComponent } from './query.component';

const QUERY: Query = {
  ...newQuery('q_a', 'Out now', OFFICE.tables[1]!),
  where: [so('"#f_lDue" < CURRENT_DATE')],
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
  let news: Subject<News | typeof ALL>;

  beforeEach(async () => {
    news = new Subject();
    TestBed.overrideComponent(QueryComponent, { remove: { providers: [FileNews] } });
    TestBed.overrideProvider(FileNews, { useValue: { all: news } });
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
    const found = answer ?? {
      columns,
      rows,
      keys: [],
      more: false,
      sql: 'SELECT 1',
      funnel: [{ part: 'from', label: 'Loans', count: 7 }],
      totals: [],
    };
    expect(request.request.body.counted).toBeFalse();
    request.flush({ ...found, funnel: [] });
    // The rows come first, then how many its parts leave.
    for (const counts of http.match('/api/files/f_x/query/counts'))
      if (!counts.cancelled) counts.flush({ funnel: (found as { funnel: object[] }).funnel });
    await fixture.whenStable();
    return (request.request.body as { query: Query }).query;
  }

  /** A part of the sentence whose panel is opened; its component, which stands over the page. */
  async function opened<T>(text: string, component: Type<T>): Promise<T> {
    button(page, text).click();
    await fixture.whenStable();
    return fixture.debugElement.query(By.directive(component)).componentInstance as T;
  }
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

  it('takes no late answer for that of what was asked since, nor of a query that was left', async () => {
    await after(300);
    const late = http.expectOne('/api/files/f_x/query/run');
    // At once, and not when the next one is sent: it may come in between.
    fixture.componentInstance.set({ first: 3 });
    expect(late.cancelled).toBeTrue();
    await after(300);
    const next = http.expectOne('/api/files/f_x/query/run');
    expect(next.request.body.query.first).toBe(3);
    fixture.componentInstance['take'](fixture.componentInstance.all()[0]!);
    expect(next.cancelled).toBeTrue();
    expect(fixture.componentInstance.result()).toBeNull();
    await run();
    expect(fixture.componentInstance.result()!.rows.length).toBe(1);
  });

  const GROUPED = {
    columns: [
      { id: 'g1', label: 'Borrower', kind: { kind: 'longText' } },
      { id: 'm1', label: 'Loans', kind: { kind: 'wholeNumber' } },
    ],
    rows: [
      ['Ada', 3],
      [null, 4],
    ],
    keys: [['1001'], [null]],
    more: false,
    sql: 'SELECT 1',
    funnel: [
      { part: 'from', label: 'Loans', count: 9 },
      { part: 'where', label: 'due back is before today', count: 7 },
      { part: 'group', label: 'Borrower', count: 2 },
    ],
    totals: [],
  };
  const group: Query['group'] = {
    by: [{ id: 'g1', label: 'Borrower', expression: '"#f_lBorrower"' }],
    measures: [{ id: 'm1', label: 'Loans', total: 'count', expression: null }],
  };
  const BEHIND = {
    columns: [{ id: 'c', label: 'Loan', kind: { kind: 'wholeNumber' } }],
    rows: [[12], [13]],
    more: false,
  };
  const look = async (name: string): Promise<void> => {
    const choice = [...page.querySelectorAll<HTMLElement>('[role=radio]')].find(
      (one) => one.textContent.trim() === name,
    )!;
    choice.click();
    await fixture.whenStable();
  };

  it('shows the rows behind a group, and those that a part leaves out', async () => {
    await run();
    fixture.componentInstance.set({ group });
    await run(GROUPED);
    (await shown('[aria-label="Rows behind this one"]', page)).click();
    const asked = http.expectOne('/api/files/f_x/query/rows');
    expect(asked.request.body.asked).toEqual({ what: 'cell', keys: { g1: '1001' } });
    asked.flush(BEHIND);
    await fixture.whenStable();
    expect(page.textContent).toContain('Rows behind Ada');
    expect(page.textContent).toContain('2 rows');
    button(page, 'Back to the result').click();
    await fixture.whenStable();
    expect(page.textContent).not.toContain('Rows behind Ada');
    button(page, 'leaves out 2').click();
    const lost = http.expectOne('/api/files/f_x/query/rows');
    expect(lost.request.body.asked).toEqual({ what: 'lost', part: 1 });
    lost.flush({ title: 'No', detail: 'It could not be worked out.' }, { status: 422, statusText: 'No' });
    await fixture.whenStable();
    expect(page.textContent).toContain('It could not be worked out.');
    expect(page.textContent).toContain('Loans');
  });

  it('shows the rows before they are counted, and goes from window to window', async () => {
    await after(300);
    const columns = [{ id: 'c1', label: 'Borrower', kind: { kind: 'longText' } }];
    const window = (from: number, more: boolean): object => ({
      columns,
      rows: Array.from({ length: more ? 1000 : 200 }, (_, i) => [`Name ${from + i}`]),
      keys: [],
      more,
      sql: 'SELECT 1',
      funnel: [],
      totals: [],
    });
    http.expectOne('/api/files/f_x/query/run').flush(window(0, true));
    await fixture.whenStable();
    expect(fixture.componentInstance.result()!.rows.length).toBe(1000);
    expect(page.textContent).toContain('Counting …');
    expect(page.textContent).toContain('Rows 1 to 1,000');
    expect(button(page, 'The last rows').disabled).toBeTrue();
    const counts = http.expectOne('/api/files/f_x/query/counts');
    expect(counts.request.body.last).toBeNull();
    counts.flush({ funnel: [{ part: 'from', label: 'Loans', count: 2200 }] });
    await fixture.whenStable();
    expect(page.textContent).toContain('Rows 1 to 1,000 of 2,200');
    const go = async (name: string, start: number, more: boolean): Promise<void> => {
      button(page, name).click();
      const asked = http.expectOne('/api/files/f_x/query/run');
      expect([asked.request.body.start, asked.request.body.counted]).toEqual([start, false]);
      asked.flush(window(start, more));
      await fixture.whenStable();
    };
    await go('The rows after', 1000, true);
    expect(page.textContent).toContain('Rows 1,001 to 2,000 of 2,200');
    await go('The last rows', 2000, false);
    expect(page.textContent).toContain('Rows 2,001 to 2,200 of 2,200');
    expect(button(page, 'The rows after').disabled).toBeTrue();
    await go('The rows before', 1000, true);
    button(page, 'The first rows').click();
    http
      .expectOne('/api/files/f_x/query/run')
      .flush({ detail: 'The server is busy.' }, { status: 503, statusText: 'x' });
    await fixture.whenStable();
    // What was there stays.
    expect(page.textContent).toContain('Rows 1,001 to 2,000 of 2,200');
  });

  it('moves a part that is dragged among those of its sort, whatever lies between them', async () => {
    await run();
    const part = fixture.componentInstance;
    part.addCondition('where', [], { text: 'fee > 1' });
    await run();
    part.orCondition('where', [0], so('"#f_lFee" > 2'));
    await run();
    // Each that can be dragged, in the order of the sentence: a group of two, its two, another, two columns, the order.
    const parts = part.stretches().filter((one) => one.says === 'part' && one.what !== 'from');
    const at = (what: string, ...place: number[]): number =>
      parts.findIndex((one) => one.says === 'part' && one.what === what && one.at.join() === place.join());
    const drop = (from: number, to: number): void =>
      part.dropped({ item: { data: parts[from] }, previousIndex: from, currentIndex: to } as never);
    drop(at('column', 1), at('column', 0));
    expect((await run()).columns.map(({ id }) => id)).toEqual(['c2', 'c1']);
    drop(at('where', 1), at('where', 0));
    expect((await run()).where.map(({ is }) => is)).toEqual(['so', 'any']);
    expect(parts.map((one) => part.isMovable(one))).toEqual(
      parts.map((one) => one.says === 'part' && one.at.length === 1 && one.what !== 'sort'),
    );
  });

  it('draws a chart and a pivot of all of the result, and keeps how', async () => {
    await run();
    await look('Pivot');
    expect(page.textContent).toContain('group by a field first');
    await run();
    fixture.componentInstance.set({ group });
    await run(GROUPED);
    await look('Chart');
    await after(300);
    const asked = http.expectOne('/api/files/f_x/query/run');
    expect([asked.request.body.rows, asked.request.body.totals]).toEqual([20_000, false]);
    asked.flush(GROUPED);
    await fixture.whenStable();
    expect(page.querySelector('[aria-roledescription=chart]')).not.toBeNull();
    fixture.componentInstance.set({ chart: { as: 'pie', along: 'g1', value: 'm1' } });
    await after(300);
    // How it is drawn asks nothing anew.
    http.expectNone('/api/files/f_x/query/run');
    expect(fixture.componentInstance.document()!.chart).toEqual({ as: 'pie', along: 'g1', value: 'm1' });
    // A total that goes takes its chart along.
    fixture.componentInstance.set({ group: { ...group!, measures: [{ ...group!.measures[0]!, id: 'm2' }] } });
    expect(fixture.componentInstance.document()!.chart).toBeUndefined();
    await run({ ...GROUPED, columns: [GROUPED.columns[0], { ...GROUPED.columns[1], id: 'm2' }] });
    await look('Pivot');
    await after(300);
    const totals = http.expectOne('/api/files/f_x/query/run');
    expect(totals.request.body.totals).toBeTrue();
    expect(totals.request.body.query.pivot).toEqual({ across: [], heat: true });
  });

  it('says when rows that it reads have changed, and follows them if wished', async () => {
    await run();
    const of = (table: string): News => ({
      account: 'a',
      by: 'B',
      entry: 1,
      tables: [{ table, changed: null }],
      design: false,
    });
    // Fines are not read.
    news.next(of('t_fine'));
    await fixture.whenStable();
    expect(page.textContent).not.toContain('Rows have changed');
    news.next(of('t_loan'));
    await fixture.whenStable();
    button(page, 'Rows have changed: run again').click();
    await run();
    expect(page.textContent).not.toContain('Rows have changed');
    [...page.querySelectorAll<HTMLInputElement>('input[type=checkbox]')].at(-1)!.click();
    await fixture.whenStable();
    expect(fixture.componentInstance.follows()).toBeTrue();
    await after(2100);
    news.next(ALL);
    await run();
    expect(page.textContent).not.toContain('Rows have changed');
  });

  it('goes on in SQL and back, and the sentence waits as it was', async () => {
    await run();
    await look('SQL');
    button(page, 'Go on in SQL').click();
    const begun = await run();
    expect(begun.written).toEqual({ sql: 'SELECT 1\n', columns: [] });
    expect(begun.sort).toEqual(QUERY.sort);
    expect(sentence()).toContain('Take the rows that its SQL gives');
    expect(page.querySelector('[aria-label="SQL of this query"]')).not.toBeNull();
    fixture.componentInstance.setSql('SELECT 2');
    const columns = [{ id: 'w_2', name: '2', label: '2', result: { kind: 'wholeNumber' }, scaled: false }];
    const empty = { rows: [], keys: [], more: false, sql: '', funnel: [], totals: [] };
    await run({
      ...empty,
      columns: [{ id: 'w_2', label: '2', kind: { kind: 'wholeNumber' } }],
      rows: [[2]],
      written: columns,
    });
    // What it gives is kept for those who read it.
    expect(fixture.componentInstance.document()!.written as object).toEqual({ sql: 'SELECT 2', columns });
    fixture.componentInstance.setSql('SELEC');
    await run({ ...empty, columns: [], fault: { message: 'A query only reads.', from: 0, to: 5 } });
    expect(page.textContent).toContain('A query only reads.');
    expect(fixture.componentInstance.fault()!.to).toBe(5);
    button(page, 'Back to the sentence…').click();
    const sure = await shown('mat-dialog-container button', document.body);
    expect(sure).toBeTruthy();
    await fixture.whenStable();
    button(document.body, 'Take out the SQL').click();
    await after(50);
    await fixture.whenStable();
    const back = await run();
    expect(back.written).toBeUndefined();
    expect(back.sort).toEqual(QUERY.sort);
    expect(sentence()).toContain('Take every loan');
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
    const builder = await opened('+ and…', ConditionBuilderComponent);
    builder.made.emit({ text: "state = 'Out'", words: '', said: '' });
    const query = await run();
    expect(query.where).toEqual([so('"#f_lDue" < CURRENT_DATE'), so(`"#f_lState" = 'Out'`)]);
    expect(page.textContent).toContain('not saved yet');
    expect(fixture.componentInstance.unsaved()).toBeTrue();
  });

  it('keeps ids in what it saves, whatever names say', async () => {
    await run();
    const part = await opened('due back is before today', ConditionPartComponent);
    part.write({ text: 'due_back  >  lent_on', ok: true });
    expect((await run()).where).toEqual([so('"#f_lDue"  >  "#f_lFrom"')]);
    button(page, 'Save query').click();
    const request = http.expectOne('/api/files/f_x/definitions/q_a');
    expect(request.request.body.base).toBe(0);
    expect(request.request.body.document.where).toEqual([so('"#f_lDue"  >  "#f_lFrom"')]);
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
    const part = await opened('due back is before today', ConditionPartComponent);
    part.write({ text: 'due_back >', ok: false });
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
    button(page, '+ with its…').click();
    await fixture.whenStable();
    button(document.querySelector('[role="dialog"]')!, 'borrower').click();
    const [join] = (await run()).joins;
    expect(join).toEqual(
      jasmine.objectContaining({ at: null, by: { by: 'link', link: 'f_lBorrower' }, keepWithout: true }),
    );
    expect(sentence()).toContain('with its borrower (or none)');
    part.setJoin(0, { keepWithout: false });
    expect((await run()).joins[0]!.keepWithout).toBeFalse();
    part.removePart(join!.id);
    expect((await run()).joins).toEqual([]);
  });

  it('puts rows beside its own that lead here, says which totals count a row more than once, and mends them', async () => {
    await run();
    const { componentInstance: part } = fixture;
    button(page, '+ with its…').click();
    await fixture.whenStable();
    button(document.body, 'fines, one by one').click();
    const [join] = (await run()).joins;
    expect(join!.name).toBe('fine');
    expect(sentence()).toContain('with its fines (or none)');
    expect(part.fieldPaths().some(({ text }) => text === 'fine.amount')).toBeTrue();
    part.groupBy(part.fieldAt('state'));
    await run();
    expect(page.textContent).toContain(
      '“Number of loans” counts a loan once for each of the fines beside it.',
    );
    button(page, 'Count each loan once').click();
    expect((await run()).group!.measures[0]!.once).toBeTrue();
    expect(page.textContent).not.toContain('once for each of');
    // What uses rows that are taken out goes along, and that is said.
    part.addMeasure('sum', part.fieldAt('fine.amount'));
    await run();
    part.removePart(join!.id);
    expect((await run()).group!.measures.map(({ total }) => total)).toEqual(['count']);
  });

  it('leaves parts out for now, and puts conditions side by side of which either is to hold', async () => {
    await run();
    const part = await opened('due back is before today', ConditionPartComponent);
    part.or.emit(so('"#f_lFee" > 5'));
    expect((await run()).where).toEqual([
      { is: 'any', of: [so('"#f_lDue" < CURRENT_DATE'), so('"#f_lFee" > 5')] },
    ]);
    expect(sentence()).toContain('any of (due back is before today or fee is more than 5+ or…)');
    fixture.componentInstance.setCondition('where', [0, 1], {
      ...so('"#f_lFee" > 5'),
      off: true,
      note: 'later',
    });
    expect((await run()).where).toEqual([
      {
        is: 'any',
        of: [so('"#f_lDue" < CURRENT_DATE'), { ...so('"#f_lFee" > 5'), off: true, note: 'later' }],
      },
    ]);
    expect(sentence()).toContain('fee is more than 5, left out for now');
  });

  it('asks the reader, starts as it is said, and runs again with the answer', async () => {
    await run();
    const { componentInstance: part } = fixture;
    part.addQuestion();
    await run();
    part.setQuestion(0, {
      label: 'Since when?',
      answer: { kind: 'date' },
      start: "CURRENT_DATE - INTERVAL '1' DAY",
    });
    await run();
    const { name, id } = part.questionAt(0);
    expect([name, part.fieldPaths().some(({ text }) => text === name)]).toEqual(['asked', true]);
    const input = page.querySelector<HTMLInputElement>(`#answer-${id}`)!;
    expect(input.value).not.toBe('');
    part.answer({ [id]: '2026-01-05' });
    await after(300);
    const request = http.expectOne('/api/files/f_x/query/run');
    expect((request.request.body as { answers: object }).answers).toEqual({ [id]: '2026-01-05' });
  });

  it('groups by the month of a date, and keeps only some groups', async () => {
    await run();
    const { componentInstance: part } = fixture;
    part.groupBy(part.fieldAt('due_back'));
    const { group } = await run();
    expect(part.isDate(part.groupAt(0))).toBeTrue();
    part.setStep(0, 'month');
    expect((await run()).group!.by[0]!.step).toBe('month');
    expect(sentence()).toContain('Group by month of due back');
    part.addCondition('keep', [], { text: 'number_of_loans > 1' });
    expect((await run()).keep).toEqual([so(`"#${group!.measures[0]!.id}" > 1`)]);
    expect(sentence()).toContain('keeping groups where number of loans is more than 1');
    part.setStep(0, 'day');
    expect((await run()).group!.by[0]!.step).toBeUndefined();
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
