import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController, TestRequest } from '@angular/common/http/testing';
import { getGridApi } from 'ag-grid-community';
import { Subject } from 'rxjs';
import type { Form } from '@heathridge/core/design';
import { asList, formFromTable, mapParts } from '@heathridge/core/form';
import type { RowChange } from '@heathridge/core/rows';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { RecordDrafts } from '../desk/record-drafts.service';
import type { RecordRow } from '../shared/api.service';
import { after, button, shown } from '../testing/bench';
import { calling, setUpDesk } from '../testing/desk';
import { ListPageComponent } from './list-page.component';
import { TakingBack } from './taking-back.service';

const RIGHTS = { add: true, change: true, delete: true };
const LIST: Form = {
  ...asList(formFromTable(OFFICE, OFFICE.tables[0]!, 'o_list', 'Borrowers', 2)),
  rights: RIGHTS,
};
const BORROWERS = ['Ann', 'Bo', 'Cy'].map((name, i): RecordRow => ({
  key: [i + 1],
  cells: { f_bNo: i + 1, f_bName: name, f_bEmail: null, f_bActive: true },
  subforms: [],
}));
const loan = (number: number, borrower: string): RecordRow => ({
  key: [number],
  cells: {
    f_lNo: number,
    f_lBorrower: [1, borrower],
    f_lFrom: '2026-01-05',
    f_lDue: null,
    f_lFee: '3.00',
    f_lState: 'Out',
    f_lNote: null,
  },
  subforms: [],
});
const SCREEN = '/api/files/f_x/desk/screens/o_list';

interface Asked {
  readonly path: string[];
  readonly parent: number | null;
  readonly search: string;
  readonly conditions: string[];
  readonly sort: { field: string; descending: boolean }[];
}

describe('ListPageComponent', () => {
  let fixture: ComponentFixture<ListPageComponent>;
  let http: HttpTestingController;
  let asked: Asked[];
  /** What others do meanwhile. */
  let heard: Subject<unknown>;
  /** Rows of the first list. */
  let first: RecordRow[];
  /** Loans of each borrower. */
  let loans: Record<number, RecordRow[]>;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;

  /** Answers whatever rows are asked for, until nothing more is. */
  async function settle(): Promise<void> {
    let quiet = 0;
    while (quiet < 12) {
      const calls = http.match(({ url }) => url === `${SCREEN}/page`);
      quiet = calls.length > 0 ? 0 : quiet + 1;
      for (const one of calls) {
        const body = one.request.body as Asked;
        asked.push(body);
        const rows =
          body.path.length === 0 ? first : body.path.length === 1 ? (loans[body.parent!] ?? []) : [];
        one.flush({ rows, total: rows.length });
      }
      await after(8);
      fixture.detectChanges();
    }
  }

  const call = (url: string): Promise<TestRequest> => calling(http, `${SCREEN}/${url}`);

  const grids = (): HTMLElement[] => [...page().querySelectorAll<HTMLElement>('ag-grid-angular')];
  const cell = (list: number, row: number, column: string): HTMLElement =>
    grids()[list]!.querySelector(`[row-index="${row}"] [col-id="${column}"]`)!;
  /** Puts the cursor into a cell, as a click or a key does; no row stands for that at the foot. */
  async function go(list: number, row: number | null, column: string): Promise<void> {
    const grid = getGridApi(grids()[list])!;
    grid.setFocusedCell(row ?? 0, column, row === null ? 'bottom' : null);
    await settle();
  }

  async function write(list: number, row: number | null, column: string, text: string): Promise<void> {
    await go(list, row, column);
    const grid = getGridApi(grids()[list])!;
    grid.startEditingCell({
      rowIndex: row ?? 0,
      colKey: column,
      ...(row === null ? { rowPinned: 'bottom' } : {}),
    });
    const input = await shown<HTMLInputElement>('[col-id] hr-value-input input', grids()[list]);
    input.value = text;
    input.dispatchEvent(new Event('input', { bubbles: true }));
    // As Enter does: the cell has the focus then.
    input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }));
    await settle();
  }

  async function open(form: Form, views: object[] = [], inputs: object = {}): Promise<void> {
    heard = new Subject();
    http = setUpDesk(heard, [{ id: 'o_b', shows: 'record', table: 't_borrower' }]);
    fixture = TestBed.createComponent(ListPageComponent);
    for (const [name, value] of Object.entries({ screen: 'o_list', ...inputs }))
      fixture.componentRef.setInput(name, value);
    Object.assign(page().style, { width: '1200px', height: '900px' });
    document.body.append(page());
    fixture.detectChanges();
    const { tables, settings } = OFFICE;
    http.expectOne(SCREEN).flush({ form, tables, settings, second: [], views, today: '2026-11-25' });
    await settle();
  }

  beforeEach(() => {
    localStorage.clear();
    asked = [];
    first = BORROWERS;
    loans = { 1: [loan(1000, 'Ann'), loan(1001, 'Ann')], 2: [loan(1002, 'Bo')] };
  });
  afterEach(async () => {
    page().remove();
    fixture.destroy();
    localStorage.clear();
    await after(100);
  });

  it('shows rows, and behind the first what belongs to it; behind another what belongs to that', async () => {
    await open(LIST);
    expect(grids().length).toBe(3);
    expect([0, 1, 2].map((row) => cell(0, row, 'f_bName').textContent)).toEqual(['Ann', 'Bo', 'Cy']);
    expect([0, 1].map((row) => cell(1, row, 'f_lNo').textContent)).toEqual(['1000', '1001']);
    expect(asked.map(({ path, parent }) => [path.length, parent])).toEqual([
      [0, null],
      [1, 1],
      [2, 1000],
    ]);
    asked = [];
    cell(0, 1, 'f_bNo').click();
    await settle();
    expect(page().querySelectorAll('h2')[0]!.textContent).toBe('Loans of borrower 2');
    expect(asked.map(({ path, parent }) => [path.length, parent])).toEqual([
      [1, 2],
      [2, 1002],
    ]);
    // One that nothing belongs to is followed by nothing.
    cell(0, 2, 'f_bNo').click();
    await settle();
    expect(grids().length).toBe(2);
    expect(page().textContent).toContain('Pick a row above');
  });

  it('moves the cursor from a row that is still being read', async () => {
    first = Array.from({ length: 500 }, (_, i) => ({ ...BORROWERS[0]!, key: [i + 1] }));
    await open(LIST);
    await go(0, 0, 'f_bName');
    const press = async (key: string): Promise<void> => {
      const at = document.activeElement!;
      at.dispatchEvent(new KeyboardEvent('keydown', { key, ctrlKey: true, bubbles: true, cancelable: true }));
      await after(50);
    };
    await press('End');
    const grid = getGridApi(grids()[0])!;
    expect(grid.getFocusedCell()!.rowIndex).toBe(499);
    // Its rows are asked for, and not there yet.
    expect(grid.getDisplayedRowAtIndex(499)!.data).toBeUndefined();
    await press('Home');
    expect(grid.getFocusedCell()!.rowIndex).toBe(0);
    await settle();
  });

  it('saves a row when it is left, and takes it back when that is wanted', async () => {
    await open(LIST);
    await write(0, 0, 'f_bName', 'Anna');
    http.expectNone(`${SCREEN}/save`);
    await go(0, 1, 'f_bNo');
    const save = await call('save');
    expect((save.request.body as { changes: RowChange[] }).changes).toEqual([
      {
        op: 'update',
        table: 't_borrower',
        key: [1],
        values: { f_bName: 'Anna' },
        was: { f_bName: 'Ann' },
      },
    ]);
    save.flush({ entry: 7, saved: [{ change: 0, table: 't_borrower', key: [1] }] });
    await settle();
    expect(document.body.textContent).toContain('Borrower 1 is saved.');
    const back = fixture.debugElement.injector.get(TakingBack).take();
    const undo = await call('undo');
    expect(undo.request.body).toEqual({ entry: 7 });
    undo.flush({ entry: 8, tables: ['t_borrower'] });
    await back;
  });

  it('keeps what cannot be saved where it was typed, names it, and lets it be set aside', async () => {
    await open(LIST);
    await write(0, 0, 'f_bName', '');
    await go(0, 1, 'f_bNo');
    await settle();
    http.expectNone(`${SCREEN}/save`);
    const wrong = page().querySelector('[aria-label="What is wrong"]')!;
    expect(wrong.textContent).toContain('Borrower 1');
    expect(wrong.textContent).toContain('always filled');
    // It is there after the page was closed, too.
    expect(TestBed.inject(RecordDrafts).find('f_x', 'o_list', [1])!.title).toBe('Borrower 1');
    expect(fixture.componentInstance.unsaved()).toBeTrue();
    button(page(), 'Set aside').click();
    await settle();
    expect(cell(0, 0, 'f_bName').textContent).toBe('Ann');
    expect(fixture.componentInstance.unsaved()).toBeFalse();
    expect(TestBed.inject(RecordDrafts).list('f_x')).toEqual([]);
  });

  it('says beside its field what the file refuses', async () => {
    await open(LIST);
    await write(0, 0, 'f_bEmail', 'bo@x.example');
    await go(0, 1, 'f_bNo');
    const errors = [
      { change: 0, field: 'f_bEmail', rule: null, message: 'Somebody has this e-mail already.' },
    ];
    (await call('save')).flush(
      { type: '/problems/rows-refused', title: 'Refused', detail: 'Nothing was saved.', status: 422, errors },
      { status: 422, statusText: 'Unprocessable' },
    );
    await settle();
    expect(page().querySelector('[aria-label="What is wrong"]')!.textContent).toContain(
      'Somebody has this e-mail already.',
    );
    expect(cell(0, 0, 'f_bEmail').textContent).toBe('bo@x.example');
  });

  it('saves all rows that were changed in one go, where the builder wants that', async () => {
    await open({ ...LIST, list: { starts: 'rows', saves: 'together' } });
    await write(0, 0, 'f_bName', 'Anna');
    await write(0, 2, 'f_bName', 'Cyra');
    expect(page().textContent).toContain('2 rows are changed and not saved yet.');
    http.expectNone(`${SCREEN}/save`);
    const settled = fixture.componentInstance.settle();
    const save = await call('save');
    const { changes } = save.request.body as { changes: { key: number[]; values: object }[] };
    expect(changes.map(({ key, values }) => [key, values])).toEqual([
      [[1], { f_bName: 'Anna' }],
      [[3], { f_bName: 'Cyra' }],
    ]);
    // What is refused of the second is said of the second.
    const errors = [{ change: 1, field: 'f_bName', rule: null, message: 'No such name.' }];
    save.flush(
      { type: '/problems/rows-refused', title: 'Refused', detail: 'Nothing was saved.', status: 422, errors },
      { status: 422, statusText: 'Unprocessable' },
    );
    expect(await settled).toBeFalse();
    await settle();
    expect(page().querySelector('[aria-label="What is wrong"]')!.textContent).toContain(
      'Borrower 3: Name: No such name.',
    );
  });

  it('adds a row at the foot; in a list that follows it belongs to what is picked before', async () => {
    const parts = mapParts(LIST.parts, (part) =>
      part.part === 'subform' ? { ...part, rights: { ...RIGHTS, relink: false } } : part,
    );
    await open({ ...LIST, parts });
    await write(1, null, 'f_lFee', '4.5');
    await go(0, 0, 'f_bNo');
    const save = await call('save');
    const [change] = (save.request.body as { changes: Extract<RowChange, { op: 'insert' }>[] }).changes;
    expect([change!.op, change!.table]).toEqual(['insert', 't_loan']);
    expect([change!.values['f_lBorrower'], change!.values['f_lFee']]).toEqual([1, '4.50']);
    save.flush({ entry: 9, saved: [{ change: 0, table: 't_loan', key: [1003], temp: change!.temp }] });
    await settle();
    expect(document.body.textContent).toContain('Loan 1003 is saved.');
  });

  it('has what was typed into a new row after the page was closed, for the row it belongs to', async () => {
    const parts = mapParts(LIST.parts, (part) =>
      part.part === 'subform' ? { ...part, rights: { ...RIGHTS, relink: false } } : part,
    );
    await open({ ...LIST, parts });
    await write(1, null, 'f_lFee', 'a lot');
    page().remove();
    fixture.destroy();
    TestBed.resetTestingModule();
    await open({ ...LIST, parts });
    const fee = () =>
      [...grids()[1]!.querySelectorAll('[role="gridcell"][col-id="f_lFee"]')].at(-1)!.textContent;
    expect(fee()).toBe('a lot');
    await go(0, 1, 'f_bNo');
    expect(fee()).toBe('');
    // It waits once, however often one comes back to it.
    await go(0, 0, 'f_bNo');
    expect(fee()).toBe('a lot');
    expect(page().textContent).toContain('1 row is changed and not saved yet.');
  });

  it('asks only for rows that fit, searches, sorts, and keeps how it is looked at', async () => {
    await open(LIST);
    asked = [];
    const list = fixture.componentInstance;
    list.ask({ text: '"#f_bActive"', words: '' });
    await settle();
    expect(asked[0]!.conditions).toEqual(['"#f_bActive"']);
    list.searched('an');
    await after(250);
    await settle();
    expect(asked.find(({ search }) => search === 'an')!.conditions).toEqual(['"#f_bActive"']);
    asked = [];
    const head = grids()[0]!.querySelector<HTMLElement>('[role="columnheader"][col-id="f_bName"]')!;
    head.focus();
    head.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }));
    await settle();
    expect(asked[0]!.sort).toEqual([{ field: 'f_bName', descending: false }]);
    // At once: whoever goes elsewhere in the next moment finds it so again.
    fixture.destroy();
    const kept = http.match(`${SCREEN}/view`);
    const body = kept.at(-1)!.request.body as {
      everyone: boolean;
      path: string[];
      view: { sort: object[]; conditions: string[] };
    };
    expect([body.everyone, body.path, body.view.conditions, body.view.sort]).toEqual([
      false,
      [],
      ['"#f_bActive"'],
      [{ field: 'f_bName', descending: false }],
    ]);
  });

  it('goes on asking, however many answers came when others were wanted already', async () => {
    await open(LIST);
    const pages = (): TestRequest[] => http.match(({ url }) => url === `${SCREEN}/page`);
    const late: TestRequest[] = [];
    // Each is asked for before the one before has been answered; half of them could not be read.
    for (const text of ['a', 'an', 'ann', 'ann ', 'ann q', 'ann qu']) {
      fixture.componentInstance.searched(text);
      await after(250);
      fixture.detectChanges();
      const [now] = late.splice(0, Infinity, ...pages());
      if (text.length % 2 === 0) now?.flush(null, { status: 500, statusText: 'Error' });
      else now?.flush({ rows: [], total: 0 });
    }
    first = BORROWERS.slice(1);
    for (const one of late) one.flush({ rows: [], total: 0 });
    fixture.componentInstance.searched('');
    await after(250);
    await settle();
    expect([0, 1].map((row) => cell(0, row, 'f_bName').textContent)).toEqual(['Bo', 'Cy']);
    expect(page().textContent).not.toContain('could not');
  });

  it('begins as it was kept: its columns, their widths, the order and the conditions', async () => {
    const view = {
      columns: [
        { field: 'f_bName', width: 333, hidden: false, frozen: false },
        { field: 'f_bNo', hidden: false, frozen: false },
      ],
      sort: [{ field: 'f_bNo', descending: true }],
      conditions: ['"#f_bActive"'],
    };
    const all = { ...view, columns: [], conditions: [] };
    await open(LIST, [
      { path: [], own: false, view: all },
      { path: [], own: true, view },
    ]);
    const [first] = asked;
    expect([first!.sort, first!.conditions]).toEqual([view.sort, view.conditions]);
    const heads = [...grids()[0]!.querySelectorAll<HTMLElement>('[role="columnheader"]')]
      .filter((head) => head.getAttribute('col-id')!.startsWith('f_'))
      .sort((a, b) => Number(a.getAttribute('aria-colindex')) - Number(b.getAttribute('aria-colindex')));
    expect(heads.map((head) => head.getAttribute('col-id'))).toEqual([
      'f_bName',
      'f_bNo',
      'f_bEmail',
      'f_bActive',
    ]);
    expect(heads[0]!.style.width).toBe('333px');
    expect(page().textContent).toContain('active');
  });

  it('begins with a line in which a row is found, where the builder wants that', async () => {
    await open({ ...LIST, list: { starts: 'line', saves: 'row' } });
    expect(grids().length).toBe(0);
    const list = fixture.componentInstance;
    list.finding('an');
    // On a slow machine the line has asked for all that may be found before anything is typed.
    let found = await call('list');
    if (found.request.params.get('search') === '') found = await call('list');
    expect(found.request.params.get('search')).toBe('an');
    found.flush({ total: 1, all: 3, entries: [{ key: [1], title: 'Ann', second: [] }] });
    list.take(list.offers()[0]!);
    await settle();
    expect(page().querySelectorAll('h2')[0]!.textContent).toBe('Loans of borrower Ann');
    expect([0, 1].map((row) => cell(0, row, 'f_lNo').textContent)).toEqual(['1000', '1001']);
  });

  it('shows what others have changed, and keeps what is typed here', async () => {
    await open({ ...LIST, list: { starts: 'rows', saves: 'together' } });
    await write(0, 0, 'f_bName', 'Anna');
    BORROWERS[1] = { ...BORROWERS[1]!, cells: { ...BORROWERS[1]!.cells, f_bName: 'Bodil' } };
    heard.next({ own: false, by: 'Mara', tables: ['t_borrower'], design: false });
    await after(250);
    await settle();
    expect([0, 1].map((row) => cell(0, row, 'f_bName').textContent)).toEqual(['Anna', 'Bodil']);
    BORROWERS[1] = { ...BORROWERS[1], cells: { ...BORROWERS[1].cells, f_bName: 'Bo' } };
  });

  it('shows what belongs to one row where something leads here for that, and keeps nothing of it', async () => {
    const asking = { ...LIST, parts: LIST.parts };
    await open(
      asking,
      [{ path: [], own: true, view: { columns: [], sort: [], conditions: ['"#f_bActive"'] } }],
      {
        of: JSON.stringify({ f_bName: 'Ann', f_gone: 1 }),
      },
    );
    const rows = asked.filter(({ path }) => path.length === 0);
    expect(rows.at(-1)!.conditions).toEqual([`"#f_bName" = 'Ann'`]);
    expect(page().textContent).toContain('name is');
    // What is looked at like this is not how the list is looked at.
    const view = fixture.componentInstance.lists()[0]!.viewNow();
    expect(view.conditions).toEqual(['"#f_bActive"']);
  });

  it('closes and empties cells as conditions say, and shows the picture of what a lookup leads to', async () => {
    const loans = asList(formFromTable(OFFICE, OFFICE.tables[1]!, 'o_list', 'Loans', 1));
    const form: Form = {
      ...loans,
      rights: RIGHTS,
      parts: mapParts(loans.parts, (part) => {
        if (part.part === 'subform') return null;
        if (part.part !== 'cell') return part;
        if (part.field === 'f_lFee') return { ...part, readIf: '"#f_lState" = \'Back\'' };
        if (part.field === 'f_lNote') return { ...part, hideIf: '"#f_lState" = \'Back\'' };
        return part.field === 'f_lBorrower' ? { ...part, picture: 'f_bFace' } : part;
      }),
    };
    const [out, back] = [loan(1000, 'Ann'), loan(1001, 'Bo')];
    const cells = {
      ...back.cells,
      f_lState: 'Back',
      'hide f_lNote': true,
      'read f_lFee': true,
      'picture f_lBorrower': 12,
    };
    const long = loan(1002, 'Cy');
    first = [
      { ...out, cells: { ...out.cells, f_lNote: 'Seen' } },
      { ...back, cells },
      // Only the beginning of this text is here: what is typed would be taken for the whole.
      { ...long, cells: { ...long.cells, f_lNote: { beginning: 'Once upon', length: 4_194_304 } } },
    ];
    await open(form);
    const [seen, hidden] = [cell(0, 0, 'f_lNote'), cell(0, 1, 'f_lNote')];
    expect([seen.textContent.trim(), hidden.textContent.trim()]).toEqual(['Seen', '']);
    const grid = getGridApi(grids()[0])!;
    const open0 = (row: number, column: string): boolean => {
      grid.setFocusedCell(row, column);
      grid.startEditingCell({ rowIndex: row, colKey: column });
      const is = grid.getEditingCells().length > 0;
      grid.stopEditing(true);
      return is;
    };
    expect([open0(0, 'f_lFee'), open0(1, 'f_lFee'), open0(0, 'f_lNote'), open0(1, 'f_lNote')]).toEqual([
      true,
      false,
      true,
      false,
    ]);
    expect([open0(2, 'f_lFee'), open0(2, 'f_lNote')]).toEqual([true, false]);
    expect(cell(0, 2, 'f_lNote').textContent.trim()).toBe('Once upon…');
    const picture = cell(0, 1, 'f_lBorrower').querySelector('img')!;
    expect(picture.getAttribute('src')).toBe('/api/files/f_x/attachments/12/preview');
    expect(picture.alt).toBe('');
    expect(cell(0, 1, 'f_lBorrower').textContent).toContain('Bo');
    expect(cell(0, 0, 'f_lBorrower').querySelector('img')).toBeNull();
  });
});
