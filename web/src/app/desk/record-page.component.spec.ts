import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController, TestRequest } from '@angular/common/http/testing';
import { MatSnackBar } from '@angular/material/snack-bar';
import { Router } from '@angular/router';
import { Subject } from 'rxjs';
import { emptyDesign, type ButtonAct, type Form, type FormPart } from '@heathridge/core/design';
import { formFromTable, mapParts } from '@heathridge/core/form';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { after, button, shown as there, until } from '../testing/bench';
import { calling, setUpDesk } from '../testing/desk';
import type { DeskNews } from './desk-news.service';
import { RecordDrafts } from './record-drafts.service';
import { RecordPageComponent } from './record-page.component';

const LOANS = formFromTable(OFFICE, OFFICE.tables[1]!, 'o_loan');
const SCREEN = '/api/files/f_x/desk/screens/o_loan';
const CELLS = {
  f_lNo: 1000,
  f_lBorrower: [1, 'Ada Quist'],
  f_lFrom: '2026-11-01',
  f_lDue: '2026-12-01',
  f_lFee: '3.50',
  f_lState: 'Out',
  f_lNote: null,
};
const FINES = [{ key: [7], cells: { f_fNo: 7, f_fLoan: [1000, 'Ada'], f_fAmount: '0.10' }, subforms: [] }];
const record = (cells: object = {}) => ({
  record: {
    key: [1000],
    cells: { ...CELLS, ...cells },
    subforms: [{ link: 'f_fLoan', rows: FINES, total: 1 }],
  },
});
const GONE = [
  { type: '/problems/not-found', title: 'Gone', status: 404, detail: 'This is no longer there.' },
  { status: 404, statusText: 'x' },
] as const;
const news = (more: Partial<DeskNews> = {}): DeskNews =>
  ({ design: false, own: false, by: 'Bo', tables: ['t_loan'], ...more }) as DeskNews;

describe('RecordPageComponent', () => {
  let fixture: ComponentFixture<RecordPageComponent>;
  let http: HttpTestingController;
  let heard: Subject<unknown>;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;
  /** All that can be read on the page, and in what lies above it. */
  const said = (): string => document.body.innerText.replace(/\s+/g, ' ');

  const call = (url: string, method?: string): Promise<TestRequest> => calling(http, url, method);

  async function answerList(): Promise<void> {
    (await call(`${SCREEN}/list`)).flush({
      total: 1,
      all: 1,
      entries: [{ key: [1000], title: 'Ada Quist', second: [] }],
    });
  }

  const info = (form: Form) => ({
    form,
    tables: OFFICE.tables,
    settings: emptyDesign().settings,
    second: [],
    views: [],
    today: '2026-11-25',
  });

  async function open(form: Form = LOANS, inputs: Record<string, string> = {}): Promise<void> {
    heard = new Subject();
    const screens = [
      { id: 'o_loan', shows: 'record', table: 't_loan' },
      { id: 'o_b', shows: 'record', table: 't_borrower' },
      { id: 'o_fines', shows: 'list', table: 't_fine' },
    ] as const;
    http = setUpDesk(heard, screens, 'colleague');
    fixture = TestBed.createComponent(RecordPageComponent);
    for (const [name, value] of Object.entries({ screen: 'o_loan', ...inputs }))
      fixture.componentRef.setInput(name, value);
    document.body.append(page());
    fixture.detectChanges();
    (await call(SCREEN)).flush(info(form));
    await answerList();
  }

  async function shown(form?: Form): Promise<void> {
    await open(form);
    (await call(`${SCREEN}/record`)).flush(record());
    await fixture.whenStable();
  }

  const field = (label: string): HTMLInputElement => {
    const found = [...page().querySelectorAll('label')].find(({ textContent }) =>
      textContent.trim().startsWith(label),
    )!;
    return page().querySelector<HTMLInputElement>(`#${CSS.escape(found.htmlFor)}`)!;
  };
  async function write(label: string, text: string): Promise<void> {
    field(label).value = text;
    field(label).dispatchEvent(new Event('input', { bubbles: true }));
    field(label).dispatchEvent(new Event('change', { bubbles: true }));
    field(label).dispatchEvent(new Event('blur', { bubbles: true }));
    await fixture.whenStable();
  }

  beforeEach(() => localStorage.clear());
  afterEach(async () => {
    TestBed.inject(MatSnackBar).dismiss();
    page().remove();
    fixture.destroy();
    localStorage.clear();
    await after(20);
  });

  describe('when another screen is opened', () => {
    const BORROWERS = formFromTable(OFFICE, OFFICE.tables[0]!, 'o_b');
    const OTHER = '/api/files/f_x/desk/screens/o_b';
    const found = { total: 1, all: 1, entries: [{ key: [1], title: 'Ada Quist', second: [] }] };

    it('shows its first record, however late the list of the one before comes', async () => {
      await shown();
      heard.next(news());
      const late = await call(`${SCREEN}/list`);
      fixture.componentRef.setInput('screen', 'o_b');
      fixture.detectChanges();
      const screen = await call(OTHER);
      // Before it is known what the screen shows, and while the answer is on its way.
      if (!late.cancelled) late.flush({ ...found, entries: [{ ...found.entries[0], key: [1000] }] });
      screen.flush(info(BORROWERS));
      (await call(`${OTHER}/list`)).flush(found);
      const asked = await call(`${OTHER}/record`);
      expect(asked.request.params.get('key')).toBe('[1]');
      expect(http.match((request) => request.url === `${OTHER}/record`)).toEqual([]);
    });

    it('says why it cannot be shown, and does not go on looking for its rows', async () => {
      await shown();
      fixture.componentRef.setInput('screen', 'o_b');
      fixture.detectChanges();
      const detail = 'The database file of this name is not in its place any more.';
      (await call(OTHER)).flush(
        { type: '/problems/not-found', title: 'Gone', status: 404, detail },
        { status: 404, statusText: 'Gone' },
      );
      await fixture.whenStable();
      expect(page().textContent).toContain(detail);
      expect(page().querySelector('[role=status]')!.textContent.trim()).toBe('');
    });
  });

  describe('while the next record is on its way', () => {
    const other = { record: { ...record().record, key: [1001], cells: { ...CELLS, f_lNo: 1001 } } };

    async function next(): Promise<TestRequest> {
      await shown();
      fixture.componentRef.setInput('key', '[1001]');
      fixture.detectChanges();
      return call(`${SCREEN}/record`);
    }

    it('saves what is typed into the one that is still shown', async () => {
      const asked = await next();
      await write('Note', 'Just in time');
      asked.flush(other);
      const save = await call(`${SCREEN}/save`, 'POST');
      const { changes } = save.request.body as { changes: { key: number[]; values: object }[] };
      expect(changes.map(({ key, values }) => [key, values])).toEqual([
        [[1000], { f_lNote: 'Just in time' }],
      ]);
      expect(field('Number').value).toBe('1000');
      save.flush({ saved: [], entry: 5 });
      await after(20);
      await fixture.whenStable();
      expect([field('Number').value, field('Note').value]).toEqual(['1001', '']);
    });

    it('stays with what cannot be saved as it stands, where somebody wants that', async () => {
      const asked = await next();
      const navigate = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
      await write('Fee', 'a lot');
      asked.flush(other);
      await there('mat-dialog-container button', document.body);
      await fixture.whenStable();
      expect(said()).toContain('Leave without saving?');
      button(document.body, 'Stay here').click();
      await after(50);
      await fixture.whenStable();
      expect([field('Number').value, field('Fee').value]).toEqual(['1000', 'a lot']);
      expect(navigate.calls.mostRecent().args[1]!.queryParams).toEqual({ key: '[1000]' });
    });

    it('leaves the cursor where it is, and what is searched for', async () => {
      const asked = await next();
      const box = page().querySelector<HTMLInputElement>('input[type="search"]')!;
      box.focus();
      asked.flush(other);
      await fixture.whenStable();
      expect(field('Number').value).toBe('1001');
      expect(document.activeElement).toBe(box);
    });
  });

  describe('while others work', () => {
    it('takes what they have changed, and keeps what was typed here', async () => {
      await shown();
      await write('Fee', '9.99');
      heard.next(news());
      (await call(`${SCREEN}/record`)).flush(record({ f_lNote: 'Theirs', f_lFee: '4.00' }));
      await fixture.whenStable();
      expect([field('Fee').value, field('Note').value]).toEqual(['£9.99', 'Theirs']);
      expect(said()).toContain('Bo has changed this loan');
    });

    it('says that the record was deleted, and that what was typed is still there', async () => {
      await shown();
      await write('Note', 'Not to be lost');
      heard.next(news());
      (await call(`${SCREEN}/record`)).flush(...GONE);
      await fixture.whenStable();
      expect(said()).toMatch(/Loan \S+ was deleted meanwhile\. What you typed is still here\./);
      expect(field('Note').value).toBe('Not to be lost');
    });

    it('draws a screen anew that the builder has changed, with what was typed', async () => {
      await shown();
      await write('Note', 'Typed before');
      heard.next(news({ design: true, tables: [] }));
      const without = LOANS.parts.filter((part) => part.part !== 'cell' || part.field !== 'f_lState');
      (await call(SCREEN)).flush(info({ ...LOANS, parts: without }));
      const again = await call(`${SCREEN}/record`);
      // What is typed until it comes is kept, too.
      await write('Fee', '9.99');
      again.flush(record());
      await fixture.whenStable();
      expect(field('Fee').value).toBe('£9.99');
      expect(said()).toContain('The builder has changed this screen. What you typed is kept.');
      expect(
        [...page().querySelectorAll('label')].some(({ textContent }) => textContent.includes('State')),
      ).toBeFalse();
      expect(field('Note').value).toBe('Typed before');
      expect(fixture.componentInstance.state()!.dirty()).toBeTrue();
    });

    it('says that a screen is gone, and leaves what was typed to be copied', async () => {
      await shown();
      await write('Note', 'Nowhere to save it');
      heard.next(news({ design: true, tables: [] }));
      (await call(SCREEN)).flush(...GONE);
      await fixture.whenStable();
      expect(said()).toContain('This is no longer there. What you typed is still here, to be copied.');
      expect(field('Note').value).toBe('Nowhere to save it');
      // It is kept in this browser too.
      await after(300);
      expect(TestBed.inject(RecordDrafts).find('f_x', 'o_loan', [1000])).not.toBeNull();
    });
  });

  describe('with buttons', () => {
    const withButtons = (...acts: ButtonAct[]): Form => ({
      ...LOANS,
      parts: [
        ...LOANS.parts,
        ...acts.map((does, i): FormPart => ({
          part: 'button',
          id: `b_${i}`,
          label: `Press ${i}`,
          width: 3,
          does,
        })),
      ],
    });
    const CHANGE: ButtonAct = {
      act: 'change',
      rows: 'this',
      of: null,
      conditions: [],
      sets: [{ field: 'f_lState', expression: "'Back'" }],
    };
    const FOUND = {
      table: 't_loan',
      fields: ['f_lState'],
      total: 1,
      rows: [{ key: [1000], title: 'Ada Quist', cells: [{ was: 'Out', now: 'Back' }] }],
      mark: 'm1',
    };

    it('saves first what is typed, then does what the button says, and offers to take it back', async () => {
      await shown(withButtons(CHANGE));
      await write('Note', 'Typed');
      button(page(), 'Press 0').click();
      const saved = await call(`${SCREEN}/save`);
      expect((saved.request.body as { changes: { values: object }[] }).changes[0]!.values).toEqual({
        f_lNote: 'Typed',
      });
      saved.flush({ entry: 5, saved: [{ change: 0, table: 't_loan', key: [1000] }] });
      const preview = await call(`${SCREEN}/buttons/b_0/preview`);
      expect(preview.request.body).toEqual({ path: [], key: [1000] });
      preview.flush(FOUND);
      // What changes the row alone that is looked at is done at once.
      const run = await call(`${SCREEN}/buttons/b_0/run`);
      expect(run.request.body).toEqual({ path: [], key: [1000], mark: 'm1' });
      run.flush({ entry: 6, saved: [{ change: 0, table: 't_loan', key: [1000] }] });
      (await call(`${SCREEN}/record`)).flush(record({ f_lState: 'Back', f_lNote: 'Typed' }));
      await fixture.whenStable();
      expect(said()).toContain('Press 0: 1 loan changed.');
      await after(50);
      [...document.querySelectorAll('button')]
        .filter(({ textContent }) => textContent.includes('Take it back'))
        .at(-1)!
        .click();
      expect((await call(`${SCREEN}/undo`)).request.body).toEqual({ entry: 6 });
    });

    it('does nothing while the record cannot be saved, and says why', async () => {
      await shown(withButtons(CHANGE));
      await write('Due back', '2020-01-01');
      button(page(), 'Press 0').click();
      await after(30);
      await fixture.whenStable();
      http.expectNone(`${SCREEN}/save`);
      http.expectNone(`${SCREEN}/buttons/b_0/preview`);
      expect(said()).toContain('Not saved yet.');
    });

    it('says that there is nothing to change, and what the server refuses', async () => {
      await shown(withButtons(CHANGE));
      button(page(), 'Press 0').click();
      (await call(`${SCREEN}/buttons/b_0/preview`)).flush({ ...FOUND, total: 0, rows: [] });
      await after(20);
      await fixture.whenStable();
      expect(said()).toContain('Press 0: there is nothing to change.');
      button(page(), 'Press 0').click();
      (await call(`${SCREEN}/buttons/b_0/preview`)).flush(FOUND);
      const detail = 'These rows have changed since you looked: look again.';
      (await call(`${SCREEN}/buttons/b_0/run`)).flush(
        { type: '/problems/document-moved', title: 'x', status: 409, detail },
        { status: 409, statusText: 'x' },
      );
      await after(20);
      await fixture.whenStable();
      expect(said()).toContain(detail);
    });

    it('shows row by row what becomes of other rows, and does it when that is wanted', async () => {
      const does: ButtonAct = {
        ...CHANGE,
        rows: 'belonging',
        of: 'f_fLoan',
        sets: [{ field: 'f_fAmount', expression: '0' }],
      };
      await shown(withButtons(does));
      const found = {
        table: 't_fine',
        fields: ['f_fAmount'],
        total: 120,
        rows: [{ key: [7], title: 'Fine 7', cells: [{ was: '0.10', now: '2.00' }] }],
        mark: 'm2',
      };
      for (const choice of ['Leave as it is', 'Change 120']) {
        button(page(), 'Press 0').click();
        (await call(`${SCREEN}/buttons/b_0/preview`)).flush(found);
        const dialog = await (async () => {
          for (;;) {
            const at = document.querySelector<HTMLElement>('hr-prepared-change');
            if (at) return at;
            await after(5);
          }
        })();
        await fixture.whenStable();
        const text = dialog.textContent.replace(/\s+/g, ' ');
        expect(text).toContain('120 fines would change. Nothing has changed yet.');
        expect(text).toMatch(/Fine 7 ?£0\.10 → ?becomes £2\.00/);
        expect(text).toContain('the other 119 change in the same way');
        button(dialog, choice).click();
        await after(30);
        if (choice === 'Leave as it is') http.expectNone(`${SCREEN}/buttons/b_0/run`);
      }
      (await call(`${SCREEN}/buttons/b_0/run`)).flush({ entry: 9, saved: [] });
      (await call(`${SCREEN}/record`)).flush(record());
      await fixture.whenStable();
      expect(said()).toContain('Press 0: 120 fines changed.');
    });

    it('opens other screens on what the links lead to, and says where they lead nowhere', async () => {
      const open = (screen: string, link: string | null): ButtonAct => ({ act: 'open', screen, link });
      await shown(withButtons(open('o_b', 'f_lBorrower'), open('o_fines', 'f_fLoan'), open('o_gone', null)));
      const navigate = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
      const to = async (name: string) => {
        button(page(), name).click();
        await after(10);
        return navigate.calls.mostRecent()?.args;
      };
      expect(await to('Press 0')).toEqual([
        ['/desk', 'f_x', 'screen', 'o_b'],
        { queryParams: { key: '[1]' } },
      ]);
      expect(await to('Press 1')).toEqual([
        ['/desk', 'f_x', 'list', 'o_fines'],
        { queryParams: { of: '{"f_fLoan":1000}' } },
      ]);
      const before = navigate.calls.count();
      await to('Press 2');
      expect(navigate.calls.count()).toBe(before);
      expect(said()).toContain('What Press 2 opens is no longer there.');
    });

    it('prints the rows of a report in a page of their own, or the record as it stands', async () => {
      await shown(withButtons({ act: 'print', report: 'p_l' }, { act: 'print', report: null }));
      const opened = spyOn(window, 'open');
      const printed = spyOn(window, 'print');
      button(page(), 'Press 0').click();
      await after(10);
      expect(opened.calls.mostRecent().args[0]).toBe(`${SCREEN}/buttons/b_0/print?path=&key=%5B1000%5D`);
      button(page(), 'Press 1').click();
      await until(() => printed.calls.count() > 0);
      expect(printed).toHaveBeenCalledTimes(1);
    });

    it('is not pressed for a row of a subform that is not saved', async () => {
      const parts = mapParts(LOANS.parts, (part) =>
        part.part === 'subform'
          ? {
              ...part,
              look: 'cards' as const,
              parts: [
                ...part.parts,
                { part: 'button' as const, id: 'b_in', label: 'Within', width: 3, does: CHANGE },
              ],
            }
          : part,
      );
      await shown({ ...LOANS, parts });
      button(page(), 'Fine').click();
      await fixture.whenStable();
      const [there, fresh] = [...page().querySelectorAll('button')].filter(
        ({ textContent }) => textContent.trim() === 'Within',
      );
      expect([there!.getAttribute('aria-disabled'), fresh!.getAttribute('aria-disabled')]).toEqual([
        null,
        'true',
      ]);
      fresh!.click();
      await after(20);
      http.expectNone(`${SCREEN}/save`);
      http.expectNone(`${SCREEN}/buttons/b_in/preview`);
    });
  });

  it('begins a record with what leads to it, by its text, or with a choice; anything else is left out', async () => {
    const given = { f_lBorrower: 1, f_lState: 'Back', f_lNote: 'x', f_lFrom: true, f_gone: 1 };
    await open(LOANS, { new: JSON.stringify(given) });
    const asked = await call(`${SCREEN}/lookups/f_lBorrower`);
    expect((asked.request.body as { only: number }).only).toBe(1);
    asked.flush({ choices: [[1, 'Ada Quist']] });
    await after(30);
    await fixture.whenStable();
    expect(said()).toContain('New loan');
    expect(field('Borrower').value).toBe('Ada Quist');
    const { held } = fixture.componentInstance.state()!.record();
    expect([held['f_lState']!.value, held['f_lNote']!.value, held['f_lFrom']!.value]).toEqual([
      'Back',
      null,
      '2026-11-25',
    ]);
    // The cursor stands in what is still to be filled in.
    expect(document.activeElement).toBe(field('Lent on'));
  });

  it('begins without a row that is none of the choices', async () => {
    await open(LOANS, { new: JSON.stringify({ f_lBorrower: 99 }) });
    (await call(`${SCREEN}/lookups/f_lBorrower`)).flush(...GONE);
    await after(30);
    await fixture.whenStable();
    expect(said()).toContain('New loan');
    expect(fixture.componentInstance.state()!.record().held['f_lBorrower']!.value).toBeNull();
  });
});
