import type { Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MatSelectHarness } from '@angular/material/select/testing';
import { By } from '@angular/platform-browser';
import { allParts, asList, cellsOf, formFromTable, formProblems, subformsOf } from '@heathridge/core/form';
import {
  MOST_PICTURE_TEXT,
  type Design,
  type FormPart,
  type Query,
  type Report,
} from '@heathridge/core/design';
import { newQuery } from '@heathridge/core/query';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { AnsweringComponent } from '../ask/answering.component';
import { FileStore } from '../file/file.store';
import { button, setUpFile } from '../testing/bench';
import { ButtonDetailsComponent } from './button-details.component';
import { CellDetailsComponent } from './cell-details.component';
import { PartDetailsComponent } from './part-details.component';
import { RowsShownComponent } from './rows-shown.component';
import { ScreenDetailsComponent } from './screen-details.component';
import { SubformDetailsComponent } from './subform-details.component';
import { ScreensComponent } from './screens.component';
import { SumLinesComponent } from './sum-lines.component';
import { TabOrderComponent } from './tab-order.component';

const FORM = formFromTable(OFFICE, OFFICE.tables[1]!, 'o_a', 'Loan desk');
const DESIGN: Design = { ...OFFICE, forms: [FORM] };

describe('ScreensComponent', () => {
  let fixture: ComponentFixture<ScreensComponent>;
  let http: HttpTestingController;
  let page: HTMLElement;
  let part: ScreensComponent;

  beforeEach(async () => {
    http = setUpFile(DESIGN);
    fixture = TestBed.createComponent(ScreensComponent);
    part = fixture.componentInstance;
    page = fixture.nativeElement as HTMLElement;
    await fixture.whenStable();
    http.expectOne('/api/files/f_x/forms/preview').flush({
      record: {
        key: [1000],
        cells: {
          f_lNo: 1000,
          f_lBorrower: [1, 'Ada Quist'],
          f_lFrom: '2026-11-01',
          f_lDue: null,
          f_lFee: '3.50',
          f_lState: 'Out',
          f_lNote: null,
        },
        subforms: [{ link: 'f_fLoan', rows: [], total: 0 }],
      },
    });
    await fixture.whenStable();
  });

  const shown = <C>(type: Type<C>): C =>
    fixture.debugElement.query(By.directive(type)).componentInstance as C;
  const rows = (): SubformDetailsComponent => shown(SubformDetailsComponent);
  const screen = (): ScreenDetailsComponent => shown(ScreenDetailsComponent);
  const cells = (): CellDetailsComponent => shown(CellDetailsComponent);
  const other = (): PartDetailsComponent => shown(PartDetailsComponent);
  const order = (): string[] => cellsOf(part.form()!.parts).map(({ field }) => field);
  const cell = (name: string): HTMLElement =>
    page.querySelector<HTMLElement>(`[role="button"][aria-label="${name}"]`)!;

  it('shows a record of the real data, lookups as their text', () => {
    expect(cell('Borrower').textContent).toContain('Ada Quist');
    expect(cell('Fee').textContent).toContain('£3.50');
    expect(page.textContent).toContain('Row 1000 of the real data');
  });

  it('numbers the order of the Tab key, leaving out what may only be read', () => {
    const tabs = [...page.querySelectorAll('[role="button"][aria-pressed] label span:last-child')].map(
      ({ textContent }) => textContent.trim(),
    );
    expect(tabs).toEqual(['–', '1', '2', '3', '4', '5', '6']);
  });

  it('picks one cell, or several with Shift, and sets them together', async () => {
    cell('Lent on').click();
    cell('Due back').dispatchEvent(new MouseEvent('click', { bubbles: true, shiftKey: true }));
    await fixture.whenStable();
    expect(page.textContent).toContain('2 cells picked');
    button(page, '6').click();
    button(page, 'read').click();
    await fixture.whenStable();
    const picked = cellsOf(part.form()!.parts).filter(({ field }) => ['f_lFrom', 'f_lDue'].includes(field));
    expect(picked.map(({ width, people }) => [width, people])).toEqual([
      [6, 'read'],
      [6, 'read'],
    ]);
    expect(part.unsaved()).toBeTrue();
  });

  it('moves a cell by its buttons and by Alt and an arrow key', async () => {
    cell('Fee').click();
    await fixture.whenStable();
    button(page, 'earlier').click();
    expect(order().indexOf('f_lFee')).toBe(3);
    await fixture.whenStable();
    cell('Fee').dispatchEvent(
      new KeyboardEvent('keydown', { key: 'ArrowRight', altKey: true, bubbles: true }),
    );
    expect(order().indexOf('f_lFee')).toBe(4);
  });

  it('takes a field off the form onto the shelf, and places it again', async () => {
    cell('Note').click();
    await fixture.whenStable();
    button(page, 'Take off the form').click();
    await fixture.whenStable();
    expect(order()).not.toContain('f_lNote');
    expect(part.editor.shelf().fields.map(({ id }) => id)).toEqual(['f_lNote']);
    button(page, 'Note').click();
    expect(order().at(-1)).toBe('f_lNote');
    expect(part.editor.shelf().fields).toEqual([]);
  });

  it('chooses the columns of a subform, and never leaves it without one', async () => {
    cell('Fines').click();
    await fixture.whenStable();
    const [number, , amount] = OFFICE.tables[2]!.fields;
    const columns = () =>
      rows()
        .columns()
        .map(({ field }) => field);
    rows().toggleColumn(number!);
    expect(columns()).toEqual(['f_fAmount']);
    rows().toggleColumn(amount!);
    expect(columns()).toEqual(['f_fAmount']);
    rows().toggleColumn(number!);
    expect(columns()).toEqual(['f_fNo', 'f_fAmount']);
    // Every field of a row has come already.
    http.expectNone('/api/files/f_x/forms/preview');
  });

  it('puts something worked out on the form and among the rows of a subform, and takes its expression', async () => {
    button(page, 'Worked out').click();
    http.expectOne('/api/files/f_x/forms/preview').flush(null);
    await fixture.whenStable();
    const last = () =>
      allParts(part.form()!.parts)
        .filter((item) => item.part === 'worked')
        .at(-1)!;
    expect([last().label, last().result.kind, part.editor.levelTable()]).toEqual([
      'Worked out',
      'text',
      't_loan',
    ]);
    other().setWorked({
      kind: 'workedOut',
      expression: 'SUM("#f_fLoan"."#f_fAmount")',
      result: { kind: 'decimal', places: 2 },
    });
    http.expectOne('/api/files/f_x/forms/preview').flush(null);
    expect(last().result).toEqual({ kind: 'decimal', places: 2 });
    cell('Fines').click();
    await fixture.whenStable();
    button(page, 'Worked out').click();
    http.expectOne('/api/files/f_x/forms/preview').flush(null);
    await fixture.whenStable();
    expect([part.editor.picked()[0]!.split('/')[0], part.editor.levelTable()]).toEqual(['f_fLoan', 't_fine']);
    expect(formProblems(OFFICE, part.form()!)).toEqual([]);
  });

  it('says which rows are shown, in what order, how many at first and with which totals', async () => {
    cell('Fines').click();
    await fixture.whenStable();
    const sums = fixture.debugElement.query(By.directive(SumLinesComponent))
      .componentInstance as SumLinesComponent;
    expect(sums.lines()).toEqual([{ words: 'sum of Amount' }]);
    sums.add('average f_fAmount');
    http.expectOne('/api/files/f_x/forms/preview').flush(null);
    await fixture.whenStable();
    expect(part.editor.pickedSubform()!.sums).toEqual([
      { field: 'f_fAmount', total: 'sum' },
      { field: 'f_fAmount', total: 'average' },
    ]);
    sums.drop(0);
    await fixture.whenStable();
    sums.drop(0);
    expect(part.editor.pickedSubform()!.sums).toEqual([]);
    const rows = fixture.debugElement.query(By.directive(RowsShownComponent))
      .componentInstance as RowsShownComponent;
    rows.changed.emit({ most: 10, conditions: ['"#f_fAmount" > 1'] });
    expect([part.editor.pickedSubform()!.most, part.editor.pickedSubform()!.conditions]).toEqual([
      10,
      ['"#f_fAmount" > 1'],
    ]);
    expect(formProblems(OFFICE, part.form()!)).toEqual([]);
    http
      .match('/api/files/f_x/forms/preview')
      .filter(({ cancelled }) => !cancelled)
      .forEach((request) => request.flush(null));
  });

  it('shows only the rows that a query tells, of those that tell some', async () => {
    const told: Query = {
      ...newQuery('q_told', 'Dear ones', { id: 't_loan' }),
      where: [{ is: 'so', expression: '"#f_lFee" > 3' }],
    };
    const counted: Query = {
      ...told,
      id: 'q_counted',
      group: { by: [], measures: [{ id: 'n', label: 'Loans', total: 'count', expression: null }] },
    };
    const store = TestBed.inject(FileStore);
    store.take({ ...store.design(), queries: [told, counted] }, {});
    await fixture.whenStable();
    const rows = fixture.debugElement.query(By.directive(RowsShownComponent))
      .componentInstance as RowsShownComponent;
    expect(rows.queries().map(({ id }) => id)).toEqual(['', 'q_told']);
    rows.changed.emit({ query: 'q_told' });
    await fixture.whenStable();
    expect(part.form()!.query).toBe('q_told');
    expect(rows.isAll()).toBeFalse();
    http.expectOne('/api/files/f_x/forms/preview').flush(null);
    rows.changed.emit({ query: undefined });
    await fixture.whenStable();
    expect(rows.isAll()).toBeTrue();
    http.expectOne('/api/files/f_x/forms/preview').flush(null);
  });

  it('says in which fields its list is searched', async () => {
    expect(
      screen()
        .searched()
        .map(({ id }) => id),
    ).toEqual(['f_lState', 'f_lNote']);
    screen().toggleFound('f_lNote');
    expect(part.form()!.finds).toEqual(['f_lNote']);
    screen().toggleFound('f_lNote');
    expect(part.form()!.finds).toEqual([]);
  });

  it('says what of a form is gone, and takes it out', async () => {
    const gone = { part: 'cell', field: 'f_gone', width: 3, people: 'type' } as const;
    part.form.set({ ...FORM, parts: [gone, ...FORM.parts] });
    await fixture.whenStable();
    expect(page.textContent).toContain('A field of Loan desk is no longer there.');
    expect(cell('Fee')).not.toBeNull();
    button(page, 'Take out what is gone').click();
    await fixture.whenStable();
    expect(part.problems()).toEqual([]);
    expect(part.form()!.parts).toEqual(FORM.parts);
  });

  it('puts the labels of all fields in one place, and that of a picked one in another', async () => {
    expect(screen().labelsAt()).toBe('above');
    screen().setLabels('left');
    expect(screen().labelsAt()).toBe('left');
    cell('Fee').click();
    await fixture.whenStable();
    expect(cells().labelAt()).toBe('left');
    part.editor.setCells({ labelAt: 'none' });
    expect(cells().labelAt()).toBe('none');
    part.editor.picked.set([]);
    await fixture.whenStable();
    expect(screen().labelsAt()).toBeNull();
  });

  it('takes a subform off the form and offers it again', async () => {
    cell('Fines').click();
    await fixture.whenStable();
    button(page, 'Take off the form').click();
    http.expectOne('/api/files/f_x/forms/preview').flush(null);
    await fixture.whenStable();
    expect(subformsOf(part.form()!.parts)).toEqual([]);
    button(page, 'Fines').click();
    http.expectOne('/api/files/f_x/forms/preview').flush(null);
    expect(subformsOf(part.form()!.parts).map(({ link }) => link)).toEqual(['f_fLoan']);
  });

  it('makes a form with what leads to each row within it, and lets that be taken out and put back', async () => {
    part.form.set(formFromTable(OFFICE, OFFICE.tables[0]!, 'o_b', 'Borrowers', 2));
    await fixture.whenStable();
    cell('Loans').click();
    await fixture.whenStable();
    const box = (): HTMLInputElement =>
      page.querySelector('[role="group"][aria-label="Within each row"] input')!;
    expect(box().checked).toBeTrue();
    box().click();
    const asked = http.expectOne('/api/files/f_x/forms/preview');
    expect(JSON.stringify(asked.request.body)).not.toContain('f_fLoan');
    asked.flush(null);
    await fixture.whenStable();
    expect(box().checked).toBeFalse();
    box().click();
    http.expectOne('/api/files/f_x/forms/preview').flush(null);
    expect(
      rows()
        .within()
        .map(({ link }) => link),
    ).toEqual(['f_fLoan']);
  });

  it('shows the rows of a subform as cards, whose fields are picked like any others', async () => {
    cell('Fines').click();
    await fixture.whenStable();
    button(page, 'cards').click();
    expect(part.editor.pickedSubform()!.look).toBe('cards');
    part.editor.picked.set(['f_fLoan/f_fAmount']);
    part.editor.setCells({ width: 8 });
    expect(cellsOf(subformsOf(part.form()!.parts)[0]!.parts).map(({ width }) => width)).toEqual([3, 8]);
  });

  it('puts what is picked into a section, onto tabs and back, each step undone and done again', async () => {
    const { parts } = part.form()!;
    const text = () =>
      part
        .form()!
        .parts.map((one) => (one.part === 'cell' ? one.field : one.part))
        .join(' ');
    const before = text();
    cell('Lent on').click();
    cell('Due back').dispatchEvent(new MouseEvent('click', { bubbles: true, shiftKey: true }));
    await fixture.whenStable();
    part.editor.put('-section');
    await fixture.whenStable();
    expect(text()).toBe(before.replace('f_lFrom f_lDue', 'section'));
    expect(part.editor.place()).toBe(part.editor.places()[1]!.id);
    const heading = page.querySelector<HTMLElement>('[role="button"][aria-label="Section"]')!;
    heading.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    await fixture.whenStable();
    part.editor.setPart({ label: 'Dates' });
    expect(part.editor.places().map(({ label }) => label)).toContain('in Dates');
    cell('Fee').click();
    part.editor.put('-tabs');
    cell('Lent on').click();
    part.editor.put(part.editor.places().find(({ label }) => label === 'in Tab')!.id);
    expect(part.editor.place()).toBe(part.editor.places().find(({ label }) => label === 'in Tab')!.id);
    for (let step = 0; step < 4; step++) part.undo();
    expect(part.form()!.parts).toEqual(parts);
    expect(part.unsaved()).toBeFalse();
    for (let step = 0; step < 4; step++) part.redo();
    expect(part.future()).toEqual([]);
    // A section that is taken apart leaves what stood in it.
    part.editor.picked.set([part.editor.places().find(({ label }) => label === 'in Dates')!.id]);
    part.editor.takeApart();
    expect(text()).toBe(before.replace('f_lFrom ', '').replace('f_lFee', 'tabs'));
  });

  it('adds tabs and takes them away without what stands on them', async () => {
    cell('Fee').click();
    part.editor.put('-tabs');
    const tabs = part.form()!.parts.find((one) => one.part === 'tabs')!;
    part.editor.picked.set([tabs.id]);
    await fixture.whenStable();
    other().addTab();
    await fixture.whenStable();
    const now = () => part.form()!.parts.find((one) => one.part === 'tabs')!.tabs;
    other().setTab(now()[0]!.id, 'Money');
    expect(now().map(({ label, parts }) => [label, parts.length])).toEqual([
      ['Money', 1],
      ['Another tab', 0],
    ]);
    other().dropTab(now()[0]!.id);
    expect(now().map(({ label, parts }) => [label, parts.length])).toEqual([['Another tab', 1]]);
    other().dropTab(now()[0]!.id);
    expect(now().length).toBe(1);
  });

  it('adds a heading and a note, and shares a row evenly', async () => {
    button(page, 'Heading').click();
    await fixture.whenStable();
    part.editor.setPart({ text: 'Who borrows' });
    await fixture.whenStable();
    expect([...page.querySelectorAll('h2')].map(({ textContent }) => textContent)).toContain('Who borrows');
    cell('Lent on').click();
    for (const name of ['Due back', 'Fee', 'State'])
      cell(name).dispatchEvent(new MouseEvent('click', { bubbles: true, shiftKey: true }));
    await fixture.whenStable();
    button(page, 'Share one row evenly').click();
    expect(part.editor.pickedCells().map(({ width }) => width)).toEqual([3, 3, 3, 3]);
  });

  it('opens on the first record, on a blank one, or is for entering alone', async () => {
    expect(part.form()!.opens).toBe('first');
    const loader = TestbedHarnessEnvironment.loader(fixture);
    const opens = (await loader.getAllHarnesses(MatSelectHarness))[0]!;
    for (const [words, value] of [
      ['the list and a blank record', 'blank'],
      ['a blank record, for entering only', 'entering'],
    ] as const) {
      await opens.clickOptions({ text: words });
      expect(part.form()!.opens).toBe(value);
    }
  });

  it('gives it a look, and every other screen the same in one press', async () => {
    const other = formFromTable(OFFICE, OFFICE.tables[0]!, 'o_b', 'Borrowers');
    TestBed.inject(FileStore).take({ ...DESIGN, forms: [FORM, other] });
    await fixture.whenStable();
    screen().setLook('Tints, gorse');
    const look = { shape: 'tints', colour: '#a86f00' } as const;
    expect(part.form()!.look).toEqual(look);
    await fixture.whenStable();
    const sheet = page.querySelector<HTMLElement>('hr-record-sheet')!;
    expect(sheet.getAttribute('data-shape')).toBe('tints');
    expect(sheet.style.getPropertyValue('--hr-look-ink')).toContain('light-dark(#');
    button(page, 'The same on every screen').click();
    const saved = http.expectOne('/api/files/f_x/definitions/o_b');
    expect(saved.request.body.document.look).toEqual(look);
    saved.flush({ design: { ...DESIGN, forms: [FORM, { ...other, look }] }, versions: {} });
    expect(http.expectOne('/api/files/f_x/definitions/o_a').request.body.document.look).toEqual(look);
    screen().setLook('');
    expect('look' in part.form()!).toBeFalse();
  });

  it('chooses among all of a choice side by side, where this form wants that', async () => {
    cell('State').click();
    await fixture.whenStable();
    expect([cells().areChoices(), cells().chosenAs()]).toEqual([true, 'list']);
    part.editor.setCells({ as: 'radio' });
    expect(cells().chosenAs()).toBe('radio');
    cell('State').click();
    cell('Fee').click();
    await fixture.whenStable();
    expect(cells().areChoices()).toBeFalse();
  });

  it('puts a part beside another of its level by mouse, and sets its width, each in one step', () => {
    const steps = part.past().length;
    part.editor.putBeside('f_lFee', 'f_lNo', 'before');
    expect(order()[0]).toBe('f_lFee');
    part.editor.putBeside('f_lFee', 'f_fLoan/f_fAmount', 'before');
    part.editor.setWidth('f_lFee', 5);
    expect(cellsOf(part.form()!.parts)[0]!.width).toBe(5);
    part.editor.setWidth('f_fLoan/f_fAmount', 7);
    expect(
      cellsOf(subformsOf(part.form()!.parts)[0]!.parts).find(({ field }) => field === 'f_fAmount')!.width,
    ).toBe(7);
    expect(part.past().length).toBe(steps + 3);
    part.undo();
    part.undo();
    part.undo();
    expect(part.form()).toEqual(FORM);
  });

  it('shows a list while it is designed: each list on its first rows, columns picked and moved by keys', async () => {
    const list = asList(formFromTable(OFFICE, OFFICE.tables[0]!, 'o_list', 'People', 2));
    part.form.set(list);
    const fine = { key: [7], cells: { f_fNo: 7, f_fLoan: [1000, 'Ada'], f_fAmount: '1.00' }, subforms: [] };
    const loan = {
      key: [1000],
      cells: { f_lNo: 1000, f_lFee: '3.50' },
      subforms: [{ link: 'f_fLoan', rows: [fine], total: 1 }],
    };
    const borrower = (number: number, name: string, loans: object[]) => ({
      key: [number],
      cells: { f_bNo: number, f_bName: name, f_bEmail: null, f_bActive: true },
      subforms: [{ link: 'f_lBorrower', rows: loans, total: loans.length }],
    });
    const rows = [borrower(1, 'Ann', []), borrower(2, 'Bo', [loan])];
    part.data.set({ record: rows[0], rows } as never);
    await fixture.whenStable();
    const texts = [...page.querySelectorAll('table')].map((table) =>
      [...table.querySelectorAll('tbody tr')].map((row) => row.textContent.replace(/\s+/g, ' ').trim()),
    );
    expect(texts.map((lines) => lines.length)).toEqual([2, 1, 1]);
    expect(texts[0]![1]).toContain('Bo');
    // Behind a row of which nothing follows, what follows the next is shown.
    expect(texts[1]![0]).toContain('£3.50');
    expect(texts[2]![0]).toContain('£1.00');
    cell('Email').dispatchEvent(
      new KeyboardEvent('keydown', { key: 'ArrowLeft', altKey: true, bubbles: true }),
    );
    await fixture.whenStable();
    expect(order()).toEqual(['f_bNo', 'f_bEmail', 'f_bName', 'f_bActive']);
    cell('Loans').click();
    await fixture.whenStable();
    expect(rows && shown(SubformDetailsComponent).look()).toBe('next');
    part.editor.setSubform({ look: 'grid' });
    await fixture.whenStable();
    expect([...page.querySelectorAll('table')].length).toBe(1);
    part.editor.picked.set([]);
    await fixture.whenStable();
    expect(screen().following()).toBe('nothing follows them.');
    part.undo();
    await fixture.whenStable();
    expect(screen().following()).toBe('loans of the one that is picked follow.');
  });

  it('shows cards while they are designed: the first rows, in columns by what is chosen, and back', async () => {
    part.form.set(asList(formFromTable(OFFICE, OFFICE.tables[1]!, 'o_list', 'Loans', 0)));
    const loan = (number: number, state: string | null) => ({
      key: [number],
      cells: { f_lNo: number, f_lBorrower: [1, 'Ada Quist'], f_lFee: '3.50', f_lState: state },
      subforms: [],
    });
    const rows = [loan(1, 'Out'), loan(2, null), loan(3, 'Out'), loan(4, 'Out'), loan(5, 'Lost')];
    part.data.set({ record: rows[0], rows } as never);
    await fixture.whenStable();
    expect(page.querySelector('hr-card')).toBeNull();
    expect(
      screen()
        .layouts()
        .map(({ label }) => label),
    ).toEqual(['beneath one another', 'as cards, by borrower', 'as cards, by state']);
    screen().layOut('f_lState');
    await fixture.whenStable();
    const lanes = (): unknown[] =>
      [...page.querySelectorAll('[aria-label="Its cards"] > [role="group"]')].map((lane) => [
        lane.querySelector('strong')!.textContent,
        [...lane.querySelectorAll('hr-card > strong')].map(({ textContent }) => textContent),
      ]);
    // Two of each column are enough to see what a card is like.
    expect(lanes()).toEqual([
      ['No state', ['2']],
      ['Out', ['1', '3']],
      ['Back', []],
    ]);
    screen().layOut('f_lBorrower');
    await fixture.whenStable();
    expect(lanes()).toEqual([['Ada Quist', ['1', '2']]]);
    part.undo();
    await fixture.whenStable();
    expect(part.form()!.list!.cards).toBe('f_lState');
    screen().layOut('');
    await fixture.whenStable();
    expect(part.form()!.list).toEqual({ starts: 'rows', saves: 'row' });
    expect(page.querySelector('hr-card')).toBeNull();
  });

  it('saves the form as it stands', async () => {
    part.rename('Lending');
    await fixture.whenStable();
    button(page, 'Save screen').click();
    const request = http.expectOne('/api/files/f_x/definitions/o_a');
    expect(request.request.method).toBe('PUT');
    expect(request.request.body.document.label).toBe('Lending');
    request.flush(
      { detail: 'There is a form called “Lending” already.', status: 409 },
      { status: 409, statusText: 'Conflict' },
    );
    expect(part.unsaved()).toBeTrue();
  });

  it('is saved when the server keeps a text without the spaces around it, unless it was changed meanwhile', async () => {
    const save = async (meanwhile: () => void): Promise<void> => {
      part.set({ conditions: [' "#f_lFee" > 1'] });
      await fixture.whenStable();
      button(page, 'Save screen').click();
      meanwhile();
      const kept = { ...FORM, conditions: ['"#f_lFee" > 1'] };
      http
        .expectOne('/api/files/f_x/definitions/o_a')
        .flush({ design: { ...DESIGN, forms: [kept] }, versions: {} });
      await fixture.whenStable();
    };
    await save(() => undefined);
    expect(part.unsaved()).toBeFalse();
    expect(part.form()!.conditions).toEqual(['"#f_lFee" > 1']);
    await save(() => part.rename('Lending'));
    expect(part.unsaved()).toBeTrue();
    expect(part.form()!.label).toBe('Lending');
  });

  it('makes a button, and says what it does: prints, opens what the links lead to, changes rows', async () => {
    button(page, 'Button').click();
    await fixture.whenStable();
    const made = () => allParts(part.form()!.parts).find((item) => item.part === 'button')!;
    expect([made().label, made().does]).toEqual(['Print', { act: 'print', report: null }]);
    // It stands behind the fields, before the rows of other tables.
    expect(part.form()!.parts.findIndex((item) => item.part === 'button')).toBe(
      part.form()!.parts.findIndex((item) => item.part === 'subform') - 1,
    );
    const details = shown(ButtonDetailsComponent);
    details.setAct('open');
    // No other screen is there to be opened: it goes on printing.
    expect(made().does.act).toBe('print');
    details.setAct('change');
    await fixture.whenStable();
    expect(details.changeable().map(({ id }) => id)).toEqual([
      'this',
      'belonging f_fLoan',
      'all t_borrower',
      'all t_loan',
      'all t_fine',
    ]);
    expect(part.problems()).toEqual(['The button Print sets no field yet.']);
    details.addSet('f_lState');
    await fixture.whenStable();
    details.setTo('f_lState', { text: "'Back'", ok: true });
    await fixture.whenStable();
    details.setChange({ conditions: ['"#f_lDue" IS NULL'] });
    await fixture.whenStable();
    expect(made().does).toEqual({
      act: 'change',
      rows: 'this',
      of: null,
      conditions: ['"#f_lDue" IS NULL'],
      sets: [{ field: 'f_lState', expression: "'Back'" }],
    });
    expect(part.problems()).toEqual([]);
    // What is half written is not taken.
    details.setTo('f_lState', { text: "'Ba", ok: false });
    expect(details.settable().map(({ id }) => id)).not.toContain('f_lState');
    expect(details.settable().map(({ id }) => id)).not.toContain('f_lNo');
    details.setRows('belonging f_fLoan');
    await fixture.whenStable();
    expect(made().does).toEqual({
      act: 'change',
      rows: 'belonging',
      of: 'f_fLoan',
      conditions: [],
      sets: [],
    });
    details.addSet('f_fAmount');
    await fixture.whenStable();
    details.unset('f_fAmount');
    button(page, 'Undo').click();
    await fixture.whenStable();
    expect(made().does).toEqual(
      jasmine.objectContaining({ sets: [{ field: 'f_fAmount', expression: 'NULL' }] }) as never,
    );
  });

  it('makes a button that prints a report by what its row answers, whose rows do not belong to it', async () => {
    const asking: Query = {
      ...newQuery('q_ask', 'Asking', { id: 't_borrower' }),
      questions: [
        {
          id: 'a_fee',
          name: 'fee',
          label: 'Which fee?',
          answer: { kind: 'text' },
          start: null,
          needed: true,
        },
      ],
    };
    const report: Report = {
      type: 'report',
      id: 'p_ask',
      label: 'By fee',
      source: { kind: 'query', id: 'q_ask' },
      columns: [{ column: 'f_bName', label: 'Name', sum: false }],
      group: null,
      sort: null,
      paper: 'A4 tall',
    };
    const store = TestBed.inject(FileStore);
    store.take({ ...store.design(), queries: [asking], reports: [report] }, {});
    button(page, 'Button').click();
    await fixture.whenStable();
    const details = shown(ButtonDetailsComponent);
    expect(details.printed().map(({ id, group }) => [id, group])).toEqual([
      ['', undefined],
      ['p_ask', 'A report that asks, answered by the loan'],
    ]);
    details.set({ act: 'print', report: 'p_ask' });
    await fixture.whenStable();
    expect(details.belongs()).toBeFalse();
    expect(part.problems()).toEqual([
      'The button Print prints a report whose rows do not belong to loans, and which asks nothing that is answered by them.',
    ]);
    shown(AnsweringComponent).changed.emit([{ question: 'a_fee', by: '"#f_lState"' }]);
    await fixture.whenStable();
    expect(part.problems()).toEqual([]);
  });

  it('puts a picture on the form, small enough to be kept in it; what is none is refused in words', async () => {
    const canvas = document.createElement('canvas');
    [canvas.width, canvas.height] = [3000, 1500];
    const drawing = canvas.getContext('2d')!;
    // Noise is what a picture is kept worst of.
    for (let x = 0; x < 3000; x += 6)
      for (let y = 0; y < 1500; y += 6) {
        drawing.fillStyle = `rgb(${(x * 7919) % 256} ${(y * 104729) % 256} ${(x * y) % 256})`;
        drawing.fillRect(x, y, 6, 6);
      }
    const blob = await new Promise<Blob>((resolve) => canvas.toBlob((made) => resolve(made!), 'image/png'));
    const chosen = (file: File) => ({ files: [file], value: 'x' }) as unknown as HTMLInputElement;
    await part.addPicture(chosen(new File([blob], 'Plan of the house.png', { type: 'image/png' })));
    await fixture.whenStable();
    const made = () => allParts(part.form()!.parts).filter((item) => item.part === 'picture');
    expect(made().map(({ about }) => about)).toEqual(['Plan of the house']);
    expect(made()[0]!.source.length).toBeLessThanOrEqual(MOST_PICTURE_TEXT);
    const image = new Image();
    image.src = made()[0]!.source;
    await image.decode();
    expect(image.naturalWidth / image.naturalHeight).toBeCloseTo(2, 1);
    expect(cell('Plan of the house').querySelector('img')!.alt).toBe('Plan of the house');
    await part.addPicture(chosen(new File(['no picture'], 'letter.png', { type: 'image/png' })));
    await fixture.whenStable();
    expect(document.body.textContent).toContain('letter.png is no picture that can be shown');
    expect(made().length).toBe(1);
  });

  it('says when a field is only to be read, or not there, for all that are picked', async () => {
    cell('Fee').click();
    cell('Due back').dispatchEvent(new MouseEvent('click', { bubbles: true, shiftKey: true }));
    await fixture.whenStable();
    cells().limitCells('hideIf', ['"#f_lState" = \'Back\'']);
    cells().limitCells('readIf', ['"#f_lNote" IS NULL']);
    await fixture.whenStable();
    const limits = () =>
      cellsOf(part.form()!.parts).flatMap(({ field, readIf, hideIf }) =>
        hideIf ? [[field, readIf, hideIf]] : [],
      );
    expect(limits()).toEqual([
      ['f_lDue', '"#f_lNote" IS NULL', '"#f_lState" = \'Back\''],
      ['f_lFee', '"#f_lNote" IS NULL', '"#f_lState" = \'Back\''],
    ]);
    expect(cells().conditionOf('hideIf')).toEqual(['"#f_lState" = \'Back\'']);
    expect(part.problems()).toEqual([]);
    cells().limitCells('hideIf', []);
    await fixture.whenStable();
    expect(limits()).toEqual([]);
  });

  it('puts the Tab key in another order by hand, and back', async () => {
    const order = () => shown(TabOrderComponent);
    button(page, 'In another order…').click();
    await fixture.whenStable();
    button(page, 'Note earlier').click();
    await fixture.whenStable();
    button(page, 'Note earlier').click();
    await fixture.whenStable();
    expect(part.form()!.tabOrder!.indexOf('f_lNote')).toBe(part.form()!.tabOrder!.length - 3);
    expect(
      order()
        .fields()
        .map(({ id }) => id),
    ).toEqual(part.form()!.tabOrder!);
    order().dropped({ previousIndex: part.form()!.tabOrder!.length - 3, currentIndex: 0 } as never);
    await fixture.whenStable();
    expect(part.form()!.tabOrder![0]).toBe('f_lNote');
    // The cells say their numbers.
    expect(cell('Note').querySelector('label span:last-child')!.textContent.trim()).toBe('1');
    button(page, 'As one reads again').click();
    await fixture.whenStable();
    expect('tabOrder' in part.form()!).toBeFalse();
  });

  it('takes out what names a screen or a report that is gone, and keeps the rest', async () => {
    const parts: FormPart[] = [
      ...part.form()!.parts,
      {
        part: 'button',
        id: 'b_1',
        label: 'Gone',
        width: 3,
        does: { act: 'open', screen: 'o_gone', link: null },
      },
      { part: 'button', id: 'b_2', label: 'Lost', width: 3, does: { act: 'print', report: 'p_gone' } },
      { part: 'button', id: 'b_3', label: 'Stays', width: 3, does: { act: 'print', report: null } },
    ];
    part.editor.set({ parts });
    await fixture.whenStable();
    expect(part.problems().length).toBe(2);
    button(page, 'Take out what is gone').click();
    await fixture.whenStable();
    expect(part.problems()).toEqual([]);
    expect(
      allParts(part.form()!.parts).flatMap((item) => (item.part === 'button' ? [item.label] : [])),
    ).toEqual(['Stays']);
  });
});
