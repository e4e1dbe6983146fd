import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController, TestRequest } from '@angular/common/http/testing';
import { Router } from '@angular/router';
import { Subject } from 'rxjs';
import type { Form } from '@heathridge/core/design';
import { asList, cardsFrom, formFromTable } from '@heathridge/core/form';
import type { RowChange } from '@heathridge/core/rows';
import { OFFICE } from '../../../../core/src/design/testing/office';
import type { RecordRow } from '../shared/api.service';
import { after, button } from '../testing/bench';
import { calling, setUpDesk } from '../testing/desk';
import { LanesComponent } from './lanes.component';
import { ListPageComponent } from './list-page.component';
import { TakingBack } from './taking-back.service';

const LOANS = OFFICE.tables.find(({ id }) => id === 't_loan')!;
const FINES = OFFICE.tables.find(({ id }) => id === 't_fine')!;
const LIST = asList(formFromTable(OFFICE, LOANS, 'o_cards', 'Loans'));
const FLAT: Form = { ...LIST, parts: LIST.parts.filter(({ part }) => part === 'cell') };
const CARDS = cardsFrom(FLAT, LOANS, 'f_lState', false);
const SCREEN = '/api/files/f_x/desk/screens/o_cards';

interface Asked {
  readonly path: string[];
  readonly start: number;
  readonly limit: number;
  readonly search: string;
  readonly conditions: string[];
  readonly sort: { field: string; descending: boolean }[];
}

interface Loan {
  readonly no: number;
  state: string | null;
  borrower?: string;
}

const rowOf = ({ no, state, borrower = 'Ann' }: Loan): RecordRow => ({
  key: [no],
  cells: {
    f_lNo: no,
    f_lBorrower: [1, borrower],
    f_lFrom: '2026-01-05',
    f_lDue: null,
    f_lFee: '3.00',
    f_lState: state,
    f_lNote: null,
  },
  subforms: [],
});

describe('LanesComponent', () => {
  let fixture: ComponentFixture<ListPageComponent>;
  let http: HttpTestingController;
  let heard: Subject<unknown>;
  /** What is in the file. */
  let loans: Loan[];
  let asked: Asked[];
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;
  const lanesIn = (): LanesComponent =>
    fixture.debugElement.query(({ componentInstance }) => componentInstance instanceof LanesComponent)
      .componentInstance as LanesComponent;

  /** The rows that meet what a column asks. */
  function meets({ state }: Loan, condition: string): boolean {
    if (condition.endsWith('IS NULL') && !condition.includes('NOT IN')) return state === null;
    if (condition.includes('NOT IN')) return !['Out', 'Back'].includes(state ?? '');
    return condition === `"#f_lState" = '${state}'`;
  }

  async function settle(): Promise<void> {
    for (let quiet = 0; quiet < 8;) {
      const calls = http.match(({ url }) => url === `${SCREEN}/page`);
      quiet = calls.length > 0 ? 0 : quiet + 1;
      for (const one of calls) {
        const body = one.request.body as Asked;
        asked.push(body);
        if (body.path.length > 0) {
          one.flush({ rows: [], total: 0 });
          continue;
        }
        const condition = body.conditions.at(-1);
        const found = loans.filter((loan) => condition === undefined || meets(loan, condition));
        const rows = found.slice(body.start, body.start + body.limit).map(rowOf);
        one.flush({ rows, total: found.length });
      }
      await after(5);
      fixture.detectChanges();
    }
  }

  const call = (url: string): Promise<TestRequest> => calling(http, `${SCREEN}/${url}`);

  async function open(form: Form = CARDS, adds = true, views: object[] = []): Promise<void> {
    heard = new Subject();
    http = setUpDesk(heard, [{ id: 'o_l', shows: 'record', table: 't_loan', adds }]);
    fixture = TestBed.createComponent(ListPageComponent);
    fixture.componentRef.setInput('screen', 'o_cards');
    Object.assign(page().style, { width: '1200px', height: '800px' });
    document.body.append(page());
    fixture.detectChanges();
    const { tables, settings } = OFFICE;
    http.expectOne(SCREEN).flush({ form, tables, settings, second: [], views, today: '2026-11-25' });
    await settle();
  }

  /** What stands in each column: its head, how many rows it says there are, and its cards. */
  const columns = (): unknown[] =>
    [...page().querySelectorAll('hr-lanes section')].map((lane) => [
      lane.querySelector('h2')!.textContent.trim(),
      [...lane.querySelectorAll('[data-card]')].map((card) => card.textContent.trim()),
    ]);
  const card = (no: number): HTMLElement => page().querySelector(`[data-card="[${no}]"]`)!;
  const press = (no: number, key: string, rest: KeyboardEventInit = {}): void => {
    card(no).dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...rest }));
    fixture.detectChanges();
  };
  const changeOf = (save: TestRequest): RowChange[] =>
    (save.request.body as { changes: RowChange[] }).changes;

  beforeEach(() => {
    localStorage.clear();
    asked = [];
    loans = [
      { no: 1, state: 'Out' },
      { no: 2, state: 'Out', borrower: 'Bo' },
      { no: 3, state: 'Back' },
    ];
  });
  afterEach(() => {
    page().remove();
    fixture.destroy();
    localStorage.clear();
  });

  it('shows a column for each value, each with its rows and how many there are', async () => {
    await open();
    expect(columns()).toEqual([
      ['No state', []],
      ['Out', ['1', '2']],
      ['Back', ['3']],
    ]);
    expect(page().querySelector('[role="status"]')!.textContent).toBe('3 loans');
    // What its column says already stands on no card.
    expect(page().querySelector('hr-card')!.textContent).toContain('Borrower');
    expect(page().querySelector('hr-card')!.textContent).not.toContain('State');
    expect(asked.map(({ limit, conditions }) => [limit, conditions.length])).toEqual([
      [50, 1],
      [50, 1],
      [50, 1],
      [50, 1],
    ]);
  });

  it('shows what holds none of the values in a column of its own, out of which a card can be put', async () => {
    loans.push({ no: 4, state: 'Lost' });
    await open();
    expect(columns().at(-1)).toEqual(['Any other state', ['4']]);
    const lanes = lanesIn();
    const rest = lanes.stacks().at(-1)!;
    expect(lanes.takes({} as never, { data: rest } as never)).toBe(false);
    expect(lanes.targets(rest).map(({ label }) => label)).toEqual(['No state', 'Out', 'Back']);
    // Nothing is put in there.
    expect(lanes.targets(lanes.stacks()[0]!).map(({ label }) => label)).toEqual(['Out', 'Back']);
    expect(await lanes.move(lanes.stacks()[1]!.cards[0]!, rest.lane)).toBe(false);
    http.expectNone(`${SCREEN}/save`);
  });

  it('puts a card into the next column by keys, saves it, and takes it back', async () => {
    await open();
    card(1).focus();
    press(1, 'ArrowRight', { ctrlKey: true });
    const save = await call('save');
    expect(changeOf(save)).toEqual([
      { op: 'update', table: 't_loan', key: [1], values: { f_lState: 'Back' }, was: { f_lState: 'Out' } },
    ]);
    // It stands there while it is saved, and nobody moves it again.
    expect(columns().slice(1)).toEqual([
      ['Out', ['2']],
      ['Back', ['1', '3']],
    ]);
    press(1, 'ArrowLeft', { ctrlKey: true });
    http.expectNone(`${SCREEN}/save`);
    expect(fixture.componentInstance.unsaved()).toBe(true);
    loans[0]!.state = 'Back';
    save.flush({ entry: 9, saved: [] });
    await settle();
    expect(fixture.componentInstance.unsaved()).toBe(false);
    expect(document.activeElement).toBe(card(1));
    expect(document.body.textContent).toContain('Loan 1 is in “Back” now.');
    const back = fixture.debugElement.injector.get(TakingBack).take();
    const undo = await call('undo');
    expect(undo.request.body).toEqual({ entry: 9 });
    loans[0]!.state = 'Out';
    undo.flush({ entry: 10 });
    await back;
    await settle();
    expect(columns()[1]).toEqual(['Out', ['1', '2']]);
  });

  it('puts a card back where it cannot be saved, and says why', async () => {
    await open();
    press(3, 'ArrowLeft', { ctrlKey: true });
    const save = await call('save');
    const error = {
      change: 0,
      table: 't_loan',
      field: 'f_lState',
      message: 'A loan that is back stays back.',
    };
    save.flush(
      { type: '/problems/rows-invalid', status: 422, detail: 'Not saved.', errors: [error] },
      { status: 422, statusText: 'No' },
    );
    await settle();
    expect(columns().slice(1)).toEqual([
      ['Out', ['1', '2']],
      ['Back', ['3']],
    ]);
    expect(page().querySelector('hr-strip')!.textContent).toContain(
      'Loan 3 stays in “Back”. A loan that is back stays back.',
    );
    expect(document.activeElement).toBe(card(3));
    // Said once: it is gone with the next move.
    press(1, 'ArrowLeft', { ctrlKey: true });
    (await call('save')).flush({ entry: 1, saved: [] });
    await settle();
    expect(page().querySelector('hr-strip')).toBeNull();
  });

  it('moves a card on that has just been moved, from what was saved', async () => {
    await open();
    press(1, 'ArrowRight', { ctrlKey: true });
    (await call('save')).flush({ entry: 1, saved: [] });
    // What was read is behind still.
    await after(0);
    fixture.detectChanges();
    press(1, 'ArrowLeft', { ctrlKey: true });
    const save = await call('save');
    expect(changeOf(save)[0]).toEqual(
      jasmine.objectContaining({ values: { f_lState: 'Out' }, was: { f_lState: 'Back' } }),
    );
    save.flush({ entry: 2, saved: [] });
    await settle();
    expect(columns()[1]).toEqual(['Out', ['1', '2']]);
  });

  it('puts the cursor beside where a card was that is not listed any more', async () => {
    await open();
    card(1).focus();
    press(1, 'ArrowRight', { ctrlKey: true });
    const save = await call('save');
    loans = loans.filter(({ no }) => no !== 1);
    save.flush({ entry: 1, saved: [] });
    await settle();
    expect(columns().slice(1)).toEqual([
      ['Out', ['2']],
      ['Back', ['3']],
    ]);
    expect(document.activeElement).toBe(card(2));
  });

  it('empties the field of a card that is put into the column of what is empty', async () => {
    await open();
    press(2, 'ArrowLeft', { ctrlKey: true });
    const save = await call('save');
    expect(changeOf(save)[0]).toEqual(jasmine.objectContaining({ values: { f_lState: null } }));
    loans[1]!.state = null;
    save.flush({ entry: 1, saved: [] });
    await settle();
    expect(columns()[0]).toEqual(['No state', ['2']]);
  });

  it('has a card once, whatever was read while it was moved', async () => {
    await open();
    press(1, 'ArrowRight', { ctrlKey: true });
    const save = await call('save');
    // Others have done something: what is read meanwhile has the card where it was.
    lanesIn().refresh();
    await settle();
    expect(columns().slice(1)).toEqual([
      ['Out', ['1', '2']],
      ['Back', ['3']],
    ]);
    save.flush({ status: 409, detail: 'It is being changed.' }, { status: 409, statusText: 'No' });
    await after(0);
    fixture.detectChanges();
    expect(columns()[1]).toEqual(['Out', ['1', '2']]);
    expect(
      lanesIn()
        .stacks()
        .map(({ total }) => total),
    ).toEqual([0, 2, 1, 0]);
    await settle();
    expect(page().querySelector('hr-strip')!.textContent).toContain('Loan 1 stays in “Out”.');
  });

  it('deletes a card once somebody who has been told what goes along wants it', async () => {
    await open({ ...CARDS, rights: { add: true, change: true, delete: true } });
    const removed = lanesIn().remove(lanesIn().stacks()[2]!.cards[0]!);
    (await call('along')).flush({ along: [] });
    await after(50);
    button(document.body, 'Delete').click();
    const save = await call('save');
    expect(changeOf(save)).toEqual([{ op: 'delete', table: 't_loan', key: [3] }] as never);
    loans.pop();
    save.flush({ entry: 4, saved: [] });
    await removed;
    await settle();
    expect(columns()[2]).toEqual(['Back', []]);
    expect(document.body.textContent).toContain('Loan 3 is deleted.');
  });

  it('is gone through by arrows, and a card is opened by Enter', async () => {
    await open();
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    card(1).focus();
    press(1, 'ArrowDown');
    await after(0);
    expect(document.activeElement).toBe(card(2));
    press(2, 'ArrowRight');
    expect(document.activeElement).toBe(card(3));
    press(3, 'ArrowLeft');
    expect(document.activeElement).toBe(card(1));
    // Columns in which nothing stands are passed over.
    press(1, 'ArrowLeft');
    expect(document.activeElement).toBe(card(1));
    press(1, 'End');
    expect(document.activeElement).toBe(card(2));
    press(2, 'Enter');
    expect(go.calls.mostRecent().args).toEqual([
      ['/desk', 'f_x', 'screen', 'o_l'],
      { queryParams: { key: '[2]' } },
    ]);
  });

  it('begins a record that holds the value of a column', async () => {
    await open();
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    page().querySelector<HTMLElement>('[aria-label="New loan in Back"]')!.click();
    expect(go.calls.mostRecent().args[1]).toEqual({ queryParams: { new: '{"f_lState":"Back"}' } });
    page().querySelector<HTMLElement>('[aria-label="New loan in No state"]')!.click();
    expect(go.calls.mostRecent().args[1]).toEqual({ queryParams: { new: 1 } });
  });

  it('moves nothing where that is not for her, or not for a row', async () => {
    await open({ ...CARDS, rights: { add: true, change: false, delete: false } }, false);
    press(1, 'ArrowRight', { ctrlKey: true });
    await settle();
    http.expectNone(`${SCREEN}/save`);
    expect(columns()[1]).toEqual(['Out', ['1', '2']]);
    expect(page().textContent).not.toContain('Drag a card');
    expect(page().querySelector('[aria-label^="What can be done"]')).toBeNull();
    expect(page().querySelector('[aria-label^="New loan in"]')).toBeNull();
  });

  it('leaves alone a row whose field is only to be read', async () => {
    await open({
      ...CARDS,
      parts: CARDS.parts.map((part) =>
        part.part === 'cell' && part.field === 'f_lState' ? { ...part, readIf: '"#f_lNo" = 1' } : part,
      ),
    });
    const [, out] = lanesIn().stacks();
    expect(out!.cards.map((one) => lanesIn().isMoved(one))).toEqual([false, true]);
  });

  it('reads on where a column has more than was read', async () => {
    loans = Array.from({ length: 120 }, (_, i) => ({ no: i + 1, state: 'Out' }));
    await open();
    expect(lanesIn().stacks()[1]!.cards.length).toBe(50);
    button(page(), '70 more: read on').click();
    await settle();
    button(page(), '20 more: read on').click();
    await settle();
    expect(lanesIn().stacks()[1]!.cards.length).toBe(120);
    // What others do is read as far as one has read.
    asked = [];
    loans[119]!.state = 'Back';
    heard.next({});
    await after(250);
    await settle();
    expect(asked.map(({ limit }) => limit).sort((a, b) => a - b)).toEqual([50, 50, 50, 150]);
    expect(
      lanesIn()
        .stacks()
        .map(({ total }) => total),
    ).toEqual([0, 119, 1, 0]);
  });

  it('reads to its end what is begun, however much happens meanwhile, and then once more', async () => {
    await open();
    asked = [];
    lanesIn().refresh();
    for (let i = 0; i < 5; i++) lanesIn().refresh();
    loans[2]!.state = 'Out';
    await settle();
    expect(asked.length).toBe(8);
    expect(columns()[1]).toEqual(['Out', ['1', '2', '3']]);
  });

  it('orders its cards, and keeps that for her', async () => {
    await open();
    asked = [];
    lanesIn().reorder('f_lFrom down');
    const kept = await call('view');
    expect((kept.request.body as { view: object }).view).toEqual(
      jasmine.objectContaining({ sort: [{ field: 'f_lFrom', descending: true }] }),
    );
    kept.flush({ id: 'v_1' });
    await settle();
    expect(asked.every(({ sort }) => sort[0]?.field === 'f_lFrom' && sort[0].descending)).toBe(true);
  });

  it('is found as it was kept; what is no longer on it orders nothing', async () => {
    const view = { columns: [], sort: [{ field: 'f_lFrom', descending: true }], conditions: [] };
    await open(CARDS, true, [{ path: [], own: true, view }]);
    expect(lanesIn().order()).toBe('f_lFrom down');
    fixture.destroy();
    page().remove();
    TestBed.resetTestingModule();
    await open(CARDS, true, [
      { path: [], own: true, view: { ...view, sort: [{ field: 'f_gone', descending: true }] } },
    ]);
    expect(lanesIn().order()).toBe('');
  });

  it('leads on: what belongs to the card that is picked is listed beneath', async () => {
    expect(FINES.fields.some(({ id }) => id === 'f_fLoan')).toBe(true);
    await open(cardsFrom(LIST, LOANS, 'f_lState', false));
    const of = (): string | null => page().querySelector('[aria-label^="Fines"]')!.getAttribute('aria-label');
    expect(of()).toBe('Fines of loan 1');
    card(3).click();
    await settle();
    expect(of()).toBe('Fines of loan 3');
    expect(asked.at(-1)).toEqual(jasmine.objectContaining({ path: ['f_fLoan'], parent: 3 }));
  });

  it('has columns by the rows to which a lookup leads', async () => {
    await open(cardsFrom(FLAT, LOANS, 'f_lBorrower', false));
    const [choices] = http.match(({ url }) => url === `${SCREEN}/lookups/f_lBorrower`);
    choices!.flush({
      choices: [
        [1, 'Ann'],
        [2, 'Bo'],
      ],
    });
    await settle();
    const labels = lanesIn()
      .stacks()
      .map(({ lane }) => lane.label);
    expect(labels.slice(-3)).toEqual(['Ann', 'Bo', 'Any other borrower']);
  });

  it('asks for one condition less than a list does: each column asks for one of its own', async () => {
    await open();
    expect(fixture.componentInstance.mostConditions()).toBe(19);
    fixture.destroy();
    page().remove();
    TestBed.resetTestingModule();
    await open(FLAT);
    expect(fixture.componentInstance.mostConditions()).toBe(20);
  });

  it('says what went wrong while it was read', async () => {
    await open(cardsFrom(FLAT, LOANS, 'f_lBorrower', false));
    const [choices] = http.match(({ url }) => url === `${SCREEN}/lookups/f_lBorrower`);
    choices!.flush(
      { type: '/problems/busy', status: 503, detail: 'Try again.' },
      { status: 503, statusText: 'Busy' },
    );
    await settle();
    expect(page().querySelector('hr-strip')!.textContent).toContain('Try again.');
    // Once it can be read, nothing is wrong any more.
    lanesIn().refresh();
    const [again] = http.match(({ url }) => url === `${SCREEN}/lookups/f_lBorrower`);
    again!.flush({ choices: [[1, 'Ann']] });
    await settle();
    expect(page().querySelector('hr-strip')).toBeNull();
  });
});
