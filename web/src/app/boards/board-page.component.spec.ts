import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { Router } from '@angular/router';
import { Subject } from 'rxjs';
import { boardOf, type Chosen } from '@heathridge/core/board';
import { emptyDesign, type Board, type Design, type Form } from '@heathridge/core/design';
import { askedBy, asList, formFromTable } from '@heathridge/core/form';
import { newQuery } from '@heathridge/core/query';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { after } from '../testing/bench';
import { setUpDesk } from '../testing/desk';
import { BoardPageComponent } from './board-page.component';

const LOANS: Form = {
  ...asList(formFromTable(OFFICE, OFFICE.tables[1]!, 'o_loans', 'Loans')),
  rights: { add: true, change: true, delete: false },
};
const PEOPLE: Form = formFromTable(OFFICE, OFFICE.tables[0]!, 'o_people', 'Borrowers');
const DESIGN: Design = { ...OFFICE, forms: [LOANS, PEOPLE] };
const MADE: Board = {
  type: 'board',
  id: 'h_x',
  label: 'The day',
  parts: [
    { part: 'note', id: 'n_1', width: 12, height: 1, look: 'heading', text: 'What is out' },
    { part: 'number', id: 'k_n', width: 3, height: 2, label: 'Out', screen: 'o_loans' },
    { part: 'list', id: 'k_l', width: 9, height: 8, screen: 'o_loans' },
    { part: 'list', id: 'k_p', width: 12, height: 6, screen: 'o_people' },
  ],
  filters: [
    { by: 'row', id: 'v_who', label: 'Borrower', table: 't_borrower', ways: [] },
    { by: 'days', id: 'v_due', label: 'Lent', starts: 'month', ways: [] },
  ],
};
/** As the server gives it: with the way from each part. */
const BOARD = boardOf(DESIGN, { id: 'a', name: 'Ada', role: 'builder', duty: null }, MADE)!;
const NOVEMBER = { filter: 'v_due', key: null, from: '2026-11-01', to: '2026-11-30' };
const AT = '/api/files/f_x/desk';

interface Asked {
  readonly url: string;
  readonly on: { readonly part: string; readonly chosen: readonly Chosen[] } | null;
  readonly limit: number;
}

describe('BoardPageComponent', () => {
  let fixture: ComponentFixture<BoardPageComponent>;
  let http: HttpTestingController;
  let heard: Subject<unknown>;
  let asked: Asked[];
  let total: number;
  /** With which answers charts and pivots were asked for. */
  const answered: [string, object][] = [];
  /** The board as the server gives it. */
  let info: object;
  /** Whether no rows can be read. */
  let gone: boolean;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;

  /** Answers whatever is asked for, until nothing more is. */
  async function settle(): Promise<void> {
    for (let quiet = 0; quiet < 14; quiet++) {
      for (const one of http.match(({ url }) => url.startsWith(AT))) {
        quiet = 0;
        const { url, body } = one.request as { url: string; body: Asked };
        const forms = new Map([LOANS, PEOPLE].map((form) => [`${AT}/screens/${form.id}`, form]));
        const form = forms.get(url);
        if (form)
          one.flush({
            form,
            tables: OFFICE.tables,
            settings: emptyDesign().settings,
            second: [],
            views: [],
            today: '2026-11-25',
          });
        else if (gone && url.endsWith('/page'))
          one.flush({ detail: 'This borrower is no longer there.' }, { status: 404, statusText: 'x' });
        else if (url.endsWith('/page')) {
          asked.push({ ...body, url });
          one.flush({ rows: [], total });
        } else if (url.endsWith('/drawn')) {
          const { part, answers } = body as unknown as { part: string; answers: object };
          answered.push([part, answers]);
          const query = newQuery('q_x', 'Fees', { id: 't_loan' });
          one.flush({ query, columns: [], rows: [], keys: [], more: false, totals: [] });
        } else if (url.endsWith('/choices'))
          one.flush({
            choices: [
              [1, 'Ada Quist'],
              [2, 'Bo Lind'],
            ].filter(([key]) => {
              const only = (body as unknown as { only: number | null }).only;
              return only === null || only === key;
            }),
          });
        else one.flush(info);
      }
      await after(8);
      fixture.detectChanges();
    }
  }

  async function open(by?: string): Promise<void> {
    heard = new Subject();
    asked = [];
    total = 7;
    gone = false;
    http = setUpDesk(heard, [
      { id: 'o_loans', shows: 'list', table: 't_loan' },
      { id: 'o_people', shows: 'record', table: 't_borrower' },
    ]);
    fixture = TestBed.createComponent(BoardPageComponent);
    fixture.componentRef.setInput('board', 'h_x');
    if (by !== undefined) fixture.componentRef.setInput('by', by);
    await settle();
  }
  beforeEach(() => (info = { board: BOARD, asked: [] }));
  afterEach(() => fixture.destroy());

  /** What was last asked for a part, with nothing where nothing narrows it. */
  const last = (part: string, screen = 'o_loans', limit?: number) =>
    asked
      .filter((one) => one.on?.part === part || (one.on === null && one.url.includes(screen)))
      .filter((one) => limit === undefined || one.limit === limit)
      .at(-1)?.on?.chosen;
  const navigated = (): jasmine.Spy => spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
  const chosenIn = (spy: jasmine.Spy): unknown =>
    JSON.parse((spy.calls.mostRecent().args[1] as { queryParams: { by: string } }).queryParams.by);

  it('shows its parts side by side, and begins with the days that its builder says', async () => {
    await open();
    expect([...page().querySelectorAll('section')].map((part) => part.getAttribute('aria-label'))).toEqual([
      'What is out',
      'Out',
      'o_loans',
      'o_people',
    ]);
    expect(page().querySelector('hr-board-number')!.textContent).toContain('7');
    expect(last('k_n')).toEqual([NOVEMBER]);
    expect(last('k_l')).toEqual([NOVEMBER]);
    // No day leads there from a borrower.
    expect(last('k_p', 'o_people')).toBeUndefined();
    expect(page().querySelector('hr-board-filters')!.textContent).toContain('this month');
  });

  it('asks what the queries of its parts ask, and each part is drawn by the answers to its own', async () => {
    const query = {
      ...newQuery('q_x', 'Fees', { id: 't_loan' }),
      questions: [
        {
          id: 'a_least',
          name: 'least',
          label: 'From which fee on?',
          answer: { kind: 'decimal' as const, places: 2 },
          start: '1.5',
          needed: true,
        },
      ],
    };
    const drawn = (id: string) => ({ part: 'chart' as const, id, width: 6, height: 6, query: 'q_x' });
    info = {
      board: { ...BOARD, parts: [drawn('k_a'), drawn('k_b')], filters: [] },
      asked: [
        { parts: ['k_a'], asked: askedBy({ ...DESIGN, queries: [query] }, query.questions, '2026-11-25')[0] },
      ],
    };
    await open();
    const box = page().querySelector<HTMLInputElement>('#answer-a_least')!;
    expect(box.value).toBe('1.50');
    expect(box.closest('[role=group]')!.getAttribute('aria-label')).toBe('What is asked here');
    const spy = navigated();
    box.value = '3';
    box.dispatchEvent(new Event('input', { bubbles: true }));
    box.dispatchEvent(new Event('change', { bubbles: true }));
    box.dispatchEvent(new Event('blur', { bubbles: true }));
    await settle();
    const params = spy.calls.mostRecent().args[1] as { queryParams: { answers: string } };
    expect(params.queryParams).toEqual({ answers: '{"a_least":"3.00"}' });
    answered.length = 0;
    fixture.componentRef.setInput('answers', params.queryParams.answers);
    await settle();
    // The other part is not asked again.
    expect(answered).toEqual([['k_a', { a_least: '3.00' }]]);
    for (const odd of ['', '[', '[1]', '{"a":{}}']) {
      fixture.componentRef.setInput('answers', odd);
      await settle();
      expect(box.value).withContext(odd).toBe('1.50');
    }
  });

  it('asks each part for what the address says, and takes no notice of what makes no sense there', async () => {
    await open(JSON.stringify([{ filter: 'v_who', key: 1 }, { filter: 'v_due' }]));
    expect(last('k_l')).toEqual([{ filter: 'v_who', key: 1, from: null, to: null }]);
    expect(page().querySelector<HTMLInputElement>('#v_who')!.value).toBe('Ada Quist');
    fixture.destroy();
    TestBed.resetTestingModule();
    for (const odd of ['', '[', '[1]', '{"a":1}', '[{"filter":"v_due","from":"2026-02-30"}]']) {
      await open(odd);
      expect(last('k_l')).withContext(odd).toEqual([NOVEMBER]);
      fixture.destroy();
      TestBed.resetTestingModule();
    }
    await open();
  });

  it('is narrowed to a row that is found by typing, and widened again', async () => {
    await open();
    const spy = navigated();
    const box = page().querySelector<HTMLInputElement>('#v_who')!;
    box.dispatchEvent(new Event('focusin'));
    box.value = 'bo';
    box.dispatchEvent(new Event('input'));
    await after(220);
    await settle();
    const options = [...document.querySelectorAll<HTMLElement>('mat-option')];
    expect(options.map((option) => option.textContent.trim())).toEqual(['Ada Quist', 'Bo Lind']);
    options[1]!.click();
    await settle();
    const wanted = [{ filter: 'v_who', key: 2, from: null, to: null }, NOVEMBER];
    expect(chosenIn(spy)).toEqual(jasmine.arrayWithExactContents(wanted));
    fixture.componentRef.setInput('by', JSON.stringify(wanted));
    await settle();
    expect(last('k_l')).toEqual(wanted);
    // What is begun there leads to that borrower.
    expect(page().querySelector('[aria-label="All again, not one borrower alone"]')).not.toBeNull();
    page().querySelector<HTMLElement>('[aria-label="All again, not one borrower alone"]')!.click();
    expect(chosenIn(spy)).toEqual(
      jasmine.arrayWithExactContents([NOVEMBER, { filter: 'v_who', key: null, from: null, to: null }]),
    );
  });

  it('takes days as people write them, and says of what is none that it is none', async () => {
    await open();
    const spy = navigated();
    const [from, to] = [...page().querySelectorAll<HTMLInputElement>('[role="group"] hr-line input')];
    const type = async (text: string): Promise<void> => {
      from!.value = text;
      from!.dispatchEvent(new Event('input'));
      from!.dispatchEvent(new Event('change'));
      await settle();
    };
    await type('31 feb');
    expect(spy).not.toHaveBeenCalled();
    expect(page().querySelector('[role="group"]')!.textContent).toContain('“31 feb” is no date.');
    expect(from!.value).toBe('31 feb');
    // It stays, and is told, whatever else is chosen.
    to!.value = '20 nov 2026';
    to!.dispatchEvent(new Event('input'));
    to!.dispatchEvent(new Event('change'));
    await settle();
    expect(chosenIn(spy)).toEqual([{ ...NOVEMBER, to: '2026-11-20' }]);
    expect(page().querySelector('[role="group"]')!.textContent).toContain('“31 feb” is no date.');
    fixture.componentRef.setInput('by', JSON.stringify([{ ...NOVEMBER, to: '2026-10-31' }]));
    await settle();
    expect(page().querySelector('[role="group"]')!.textContent).toContain('This day lies before the first.');
    fixture.componentRef.setInput('by', undefined);
    await settle();
    await type('5 nov 2026');
    expect(chosenIn(spy)).toEqual([{ ...NOVEMBER, from: '2026-11-05' }]);
    page().querySelector<HTMLElement>('[aria-label="The days behind"]')!.click();
    expect(chosenIn(spy)).toEqual([{ ...NOVEMBER, from: '2026-12-01', to: '2026-12-31' }]);
  });

  it('tells why rows are not there no longer than they are not', async () => {
    await open();
    fixture.componentRef.setInput('by', JSON.stringify([{ filter: 'v_who', key: 9 }, { filter: 'v_due' }]));
    gone = true;
    await settle();
    const told = (): number => page().textContent.split('This borrower is no longer there.').length - 1;
    expect(told()).toBe(2);
    gone = false;
    fixture.componentRef.setInput('by', JSON.stringify([{ filter: 'v_due' }]));
    await settle();
    expect(told()).toBe(0);
  });

  it('counts and reads anew when somebody changes something, and not when only another part is narrowed', async () => {
    await open(JSON.stringify([{ filter: 'v_due' }]));
    asked = [];
    total = 1;
    heard.next({ own: false, by: 'Bo', tables: ['t_loan'], design: false });
    await after(220);
    await settle();
    expect(page().querySelector('hr-board-number')!.textContent).toMatch(/1\s*x/);
    expect(asked.filter(({ limit }) => limit > 1).length).toBe(2);
    asked = [];
    fixture.componentRef.setInput('by', JSON.stringify([{ filter: 'v_due' }, { filter: 'v_who', key: 1 }]));
    await settle();
    expect(asked.map(({ url }) => url).filter((url) => url.includes('o_people'))).toEqual([]);
    expect(last('k_n')).toEqual([{ filter: 'v_who', key: 1, from: null, to: null }]);
  });

  it('says why it is not there', async () => {
    heard = new Subject();
    http = setUpDesk(heard, []);
    fixture = TestBed.createComponent(BoardPageComponent);
    fixture.componentRef.setInput('board', 'h_x');
    fixture.detectChanges();
    await after(5);
    http
      .expectOne(`${AT}/boards/h_x`)
      .flush({ detail: 'This board is no longer there.' }, { status: 404, statusText: 'x' });
    fixture.detectChanges();
    expect(page().textContent).toContain('This board is no longer there.');
  });
});
