import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { emptyDesign, type Form, type FormCell } from '@heathridge/core/design';
import { formFromTable, mapParts, subformsOf } from '@heathridge/core/form';
import { BRITISH } from '@heathridge/core/values';
import { OFFICE } from '../../../../core/src/design/testing/office';
import type { RecordData } from '../shared/api.service';
import { after, button, setUp, until } from '../testing/bench';
import { RecordSheetComponent } from './record-sheet.component';
import { designOf, RecordState } from './record.state';

const LOAN = OFFICE.tables[1]!;
const FORM = formFromTable(OFFICE, LOAN, 'o_loan');
const CLOCK = { today: '2026-11-25', now: '2026-11-25T09:00:00Z' };
const CELLS = {
  f_lNo: 1000,
  f_lBorrower: [1, 'Ada Quist'] as const,
  f_lFrom: '2026-11-01',
  f_lDue: '2026-12-01',
  f_lFee: '3.50',
  f_lState: 'Out',
  f_lNote: null,
};
const FINES = [
  { key: [7], cells: { f_fNo: 7, f_fLoan: [1000, 'Ada'] as const, f_fAmount: '0.10' }, subforms: [] },
  { key: [8], cells: { f_fNo: 8, f_fLoan: [1000, 'Ada'] as const, f_fAmount: '0.20' }, subforms: [] },
];

describe('RecordSheetComponent', () => {
  let fixture: ComponentFixture<RecordSheetComponent>;
  let page: HTMLElement;
  let state: RecordState;
  let cells: RecordData['record']['cells'] = CELLS;

  async function show(
    rest: Record<string, unknown> = {},
    form = FORM,
    rows: object[] = FINES,
    unread = 0,
  ): Promise<void> {
    setUp();
    state = new RecordState(
      designOf(OFFICE.tables, emptyDesign().settings),
      form,
      {
        record: {
          key: [1000],
          cells,
          subforms: [{ link: 'f_fLoan', rows: rows as typeof FINES, total: rows.length + unread }],
        },
      },
      CLOCK,
    );
    fixture = TestBed.createComponent(RecordSheetComponent);
    const inputs = { state, reading: { locale: BRITISH, today: CLOCK.today }, ...rest };
    for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
    page = fixture.nativeElement as HTMLElement;
    await fixture.whenStable();
    // Rows beyond the first come a moment later.
    await after(5);
    await fixture.whenStable();
  }

  it('draws the first rows of a long subform at once, all others a moment later, and all of them on paper', async () => {
    const many = Array.from({ length: 60 }, (_, i) => ({ ...FINES[0]!, key: [i + 1] }));
    await show({}, FORM, many);
    const drawn = (): number => page.querySelectorAll('[data-row]').length;
    expect(drawn()).toBe(60);
    const next = new RecordState(
      designOf(OFFICE.tables, emptyDesign().settings),
      FORM,
      {
        record: {
          key: [1001],
          cells: CELLS,
          subforms: [{ link: 'f_fLoan', rows: many as typeof FINES, total: 60 }],
        },
      },
      CLOCK,
    );
    fixture.componentRef.setInput('state', next);
    fixture.detectChanges();
    expect(drawn()).toBeLessThan(60);
    // Before a page is printed there is no moment to wait for.
    window.dispatchEvent(new Event('beforeprint'));
    expect(drawn()).toBe(60);
  });

  it('draws many cards by and by, with moments between for who types, and goes into one that is added meanwhile', async () => {
    const many = Array.from({ length: 60 }, (_, i) => ({ ...FINES[0]!, key: [i + 1] }));
    const parts = mapParts(FORM.parts, (part) =>
      part.part === 'subform' ? { ...part, look: 'cards' } : part,
    );
    await show({}, { ...FORM, parts }, many);
    const drawn = (): number => page.querySelectorAll('[data-row]').length;
    const steps = [drawn()];
    const seen = new MutationObserver(() => steps.push(drawn()));
    seen.observe(page, { subtree: true, childList: true });
    await until(() => steps.at(-1)! >= 24);
    seen.disconnect();
    expect(steps[0]).toBeLessThan(24);
    expect(steps.at(-1)).toBeLessThan(60);
    for (const [i, step] of steps.slice(1).entries()) expect(step - steps[i]!).toBeLessThanOrEqual(3);
    document.body.append(page);
    button(page, 'Fine').click();
    await fixture.whenStable();
    expect(drawn()).toBe(61);
    expect(document.activeElement!.closest('[data-row]')!.getAttribute('aria-label')).toBe('Fine 61');
    page.remove();
  });

  it('goes into a row that is added to as many as are drawn at once', async () => {
    const many = Array.from({ length: 14 }, (_, i) => ({ ...FINES[0]!, key: [i + 1] }));
    await show({}, FORM, many);
    document.body.append(page);
    button(page, 'Fine').click();
    await fixture.whenStable();
    expect(document.activeElement!.getAttribute('aria-label')).toBe('Amount, row 15');
    page.remove();
  });

  /** The control that a label names. */
  function labelled(text: string): HTMLInputElement {
    const label = [...page.querySelectorAll('label')].find(({ textContent }) =>
      textContent.trim().startsWith(text),
    )!;
    return page.querySelector<HTMLInputElement>(`#${CSS.escape(label.htmlFor)}`)!;
  }

  it('names every control by a label of its own', async () => {
    await show();
    expect(labelled('Borrower').value).toBe('Ada Quist');
    expect(labelled('Lent on').value).toBe('1 Nov 2026');
    expect(labelled('Fee').value).toBe('£3.50');
    expect(labelled('Number').readOnly).toBeTrue();
  });

  it('shows a lookup’s text where it may only be read', async () => {
    const parts = mapParts(FORM.parts, (part) => (part.part === 'cell' ? { ...part, people: 'read' } : part));
    await show({}, { ...FORM, parts });
    expect(labelled('Borrower').value).toBe('Ada Quist');
    expect(labelled('Borrower').readOnly).toBeTrue();
    expect(page.querySelectorAll('[role="group"][aria-label="Loan"] hr-value-input').length).toBe(0);
  });

  it('shows the beginning of a text that is too long for a field, says so, and takes nothing in its place', async () => {
    cells = { ...CELLS, f_lNote: { beginning: 'Once upon', length: 4_194_304 } };
    await show();
    cells = CELLS;
    const control = labelled('Note');
    expect([control.value, control.readOnly]).toEqual(['Once upon…', true]);
    expect(control.closest('mat-form-field')!.textContent).toContain('this text has 4,194,304 characters');
    expect(labelled('Fee').readOnly).toBeFalse();
  });

  it('marks what is always filled, in words too', async () => {
    await show();
    const label = [...page.querySelectorAll('label')].find(({ textContent }) =>
      textContent.includes('Borrower'),
    )!;
    expect(label.textContent).toContain('always filled');
  });

  it('puts the message of a rule beside its field and ties it to the control', async () => {
    await show();
    const due = LOAN.fields.find(({ id }) => id === 'f_lDue')!;
    state.change(state.record(), due, { value: '2026-10-01' });
    await fixture.whenStable();
    const control = labelled('Due back');
    expect(control.getAttribute('aria-invalid')).toBe('true');
    const message = document.getElementById(control.getAttribute('aria-describedby')!);
    expect(message!.textContent).toBe('It comes back after it was lent.');
  });

  it('adds up the money of a subform exactly', async () => {
    await show();
    expect(page.querySelector('[aria-label="Sums of Fines"]')!.textContent).toContain('Sum of amount £0.30');
    state.removeChild(state.record().lists[0]!.rows[0]!);
    await fixture.whenStable();
    expect(page.querySelector('[aria-label="Sums of Fines"]')!.textContent).toContain('£0.20');
    expect(page.querySelector('section[aria-label="Fines"]')!.textContent).toContain('1 row');
  });

  it('numbers the rows of a subform in the names of its controls', async () => {
    await show();
    button(page, 'Fine').click();
    await fixture.whenStable();
    const names = [...page.querySelectorAll('td :is(input, [role="textbox"])')].map((input) =>
      input.getAttribute('aria-label'),
    );
    expect(names).toEqual(['Amount, row 1', 'Amount, row 2', 'Amount, row 3']);
    expect(button(page, 'Remove row 3 of Fines')).toBeTruthy();
  });

  it('takes the value from the row above with Ctrl+D', async () => {
    await show();
    document.body.append(page);
    page.querySelector<HTMLElement>('[aria-label="Amount, row 2"]')!.focus();
    document.activeElement!.dispatchEvent(
      new KeyboardEvent('keydown', { key: 'd', ctrlKey: true, bubbles: true }),
    );
    expect(state.record().lists[0]!.rows[1]!.held['f_fAmount']).toEqual({ value: '0.10' });
    page.remove();
  });

  it('begins another row with Enter in the last one, once something stands in it', async () => {
    await show();
    button(page, 'Fine').click();
    await fixture.whenStable();
    const last = (): Element => [...page.querySelectorAll('td hr-value-input')].at(-1)!;
    last().dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    expect(state.record().lists[0]!.rows.length).toBe(3);
    const amount = OFFICE.tables[2]!.fields[2]!;
    state.change(state.record().lists[0]!.rows[2]!, amount, { value: '0.50' });
    await fixture.whenStable();
    last().dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    expect(state.record().lists[0]!.rows.length).toBe(4);
  });

  it('gives a cell of a subform its input when somebody goes there, or must', async () => {
    const fines = Array.from({ length: 60 }, (_, i) => ({
      key: [i],
      cells: { f_fNo: i, f_fLoan: [1000, 'Ada'] as const, f_fAmount: '0.10' },
      subforms: [],
    }));
    await show({}, FORM, fines);
    document.body.append(page);
    const inputs = (): string[] =>
      [...page.querySelectorAll('td input')].map((input) => input.getAttribute('aria-label')!);
    expect(inputs()).toEqual([]);
    expect(page.querySelector('[aria-label="Sums of Fines"]')!.textContent).toContain('£6.00');
    const cell = (n: number): HTMLElement => page.querySelector(`[aria-label="Amount, row ${n}"]`)!;
    const waiting = cell(9);
    expect([waiting.getAttribute('role'), waiting.tabIndex, waiting.textContent]).toEqual([
      'textbox',
      0,
      '£0.10',
    ]);
    // Within the same key press, with all of it picked: the next key takes its place.
    waiting.focus();
    expect(inputs()).toEqual(['Amount, row 9']);
    const input = document.activeElement as HTMLInputElement;
    expect([input.getAttribute('aria-label'), input.value]).toEqual(['Amount, row 9', '0.10']);
    expect([input.selectionStart, input.selectionEnd]).toEqual([0, 4]);
    // It keeps it when it is left, and a row that something is said about has all of them anyway.
    input.blur();
    const { rows } = state.record().lists[0]!;
    const error = { table: 't_fine', key: [29], field: 'f_fAmount', message: 'Too little.', rule: null };
    state.refuse([{ change: 0, ...error }], [rows[29]!]);
    button(page, 'Fine').click();
    await fixture.whenStable();
    expect(inputs()).toEqual(['Amount, row 9', 'Amount, row 30', 'Amount, row 61']);
    fixture.componentInstance.focusAt(rows[29]!.id, 'f_fAmount');
    await fixture.whenStable();
    await after(50);
    expect(document.activeElement!.getAttribute('aria-label')).toBe('Amount, row 30');
    // One that waits is gone to as well.
    fixture.componentInstance.focusAt(rows[4]!.id, 'f_fAmount');
    await fixture.whenStable();
    await after(50);
    expect(document.activeElement!.matches('input[aria-label="Amount, row 5"]')).toBeTrue();
    page.remove();
  });

  it('gives a cell its input while a pointer is over it, and leaves it there once it was pressed', async () => {
    await show();
    const inputs = (): string[] =>
      [...page.querySelectorAll('td input')].map((input) => input.getAttribute('aria-label')!);
    const point = async (type: string, at: Element): Promise<void> => {
      at.dispatchEvent(new PointerEvent(type, { bubbles: type === 'pointerdown' }));
      await fixture.whenStable();
    };
    const waiting = (): Element => page.querySelector('[role="textbox"][aria-label="Amount, row 1"]')!;
    const live = (): Element => page.querySelector('td hr-value-input')!;
    await point('pointerenter', waiting());
    expect(inputs()).toEqual(['Amount, row 1']);
    await point('pointerleave', live());
    expect(inputs()).toEqual([]);
    await point('pointerenter', waiting());
    await point('pointerdown', live());
    await point('pointerleave', live());
    expect(inputs()).toEqual(['Amount, row 1']);
  });

  it('is picked, not typed into, while it is designed', async () => {
    await show({ designing: true });
    const seen: object[] = [];
    fixture.componentInstance.partPicked.subscribe((pick) => seen.push(pick));
    expect(page.querySelectorAll('input, select, textarea').length).toBe(0);
    page
      .querySelector<HTMLElement>('[aria-label="Fee"]')!
      .dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    expect(seen).toEqual([{ id: 'f_lFee', more: false }]);
  });

  it('says how many rows of a subform are not shown, reads them when asked, and adds up all or nothing', async () => {
    const asked: unknown[] = [];
    await show({ more: (row: unknown, list: unknown) => asked.push([row, list]) }, FORM, FINES, 3);
    const fines = (): string => page.querySelector('section[aria-label="Fines"]')!.textContent;
    expect(fines()).toContain('5 rows');
    expect(fines()).toContain('2 of 5 are');
    expect(page.querySelector('[aria-label="Sums of Fines"]')).toBeNull();
    button(page, 'Show more').click();
    expect(asked).toEqual([[state.record(), state.record().lists[0]]]);
    const rows = [9, 10, 11].map((n) => ({
      key: [n],
      cells: { f_fNo: n, f_fLoan: [1000, 'Ada'] as const, f_fAmount: '1.00' },
      subforms: [],
    }));
    state.more(state.record(), { link: 'f_fLoan', rows, total: 5 });
    await fixture.whenStable();
    expect(fines()).not.toContain('Show more');
    expect(page.querySelector('[aria-label="Sums of Fines"]')!.textContent).toContain('£3.30');
  });

  it('leads from a lookup to the screen of the row it stands for, where there is one', async () => {
    const places = new Map([['t_borrower', { link: ['/desk', 'f_x', 'screen', 'o_b'], label: 'Borrowers' }]]);
    await show({ places });
    const link = page.querySelector<HTMLAnchorElement>('a[aria-label="Open borrower on Borrowers"]')!;
    expect(link.getAttribute('href')).toBe('/desk/f_x/screen/o_b?key=%5B1%5D');
    state.change(
      state.record(),
      LOAN.fields.find(({ id }) => id === 'f_lBorrower')!,
      { value: null },
    );
    await fixture.whenStable();
    expect(page.querySelector('a')).toBeNull();
    fixture.componentRef.setInput('places', new Map());
    state.change(
      state.record(),
      LOAN.fields.find(({ id }) => id === 'f_lBorrower')!,
      { value: 1 },
    );
    await fixture.whenStable();
    expect(page.querySelector('a')).toBeNull();
  });

  it('goes to a field on a tab that is not shown', async () => {
    const [cells, others] = [FORM.parts.slice(0, 3), FORM.parts.slice(3)];
    const tabs = {
      part: 'tabs' as const,
      id: 'x_t',
      tabs: [
        { id: 'y_a', label: 'First', parts: cells },
        { id: 'y_b', label: 'Second', parts: others },
      ],
    };
    await show({}, { ...FORM, parts: [tabs] });
    const here = () => page.querySelector('[role="tab"][aria-selected="true"]')!.textContent.trim();
    expect(here()).toBe('First');
    fixture.componentInstance.focusAt(state.record().id, 'f_lFee');
    await fixture.whenStable();
    await after(300);
    expect(here()).toBe('Second');
    expect(document.activeElement!.id).toBe(`${state.record().id}f_lFee`);
    fixture.componentInstance.focusAt(state.record().lists[0]!.rows[0]!.id, 'f_fAmount');
    await fixture.whenStable();
    await after(300);
    expect(document.activeElement!.getAttribute('aria-label')).toBe('Amount, row 1');
    page.remove();
  });

  it('adds up what is not shown too, where the file says what that comes to', async () => {
    await show({}, FORM, FINES, 3);
    const rest = [{ count: 3, sum: '3.00', least: '0.50', most: '2.00' }];
    state.more(state.record(), { link: 'f_fLoan', rows: [], total: 5, rest });
    await fixture.whenStable();
    expect(page.querySelector('[aria-label="Sums of Fines"]')!.textContent).toContain('£3.30');
  });

  it('shows what is worked out, with its label where the builder put it', async () => {
    const worked = {
      part: 'worked',
      id: 'w_rest',
      label: 'Left to pay',
      width: 3,
      labelAt: 'end',
      expression: '"#f_lFee" - SUM("#f_fLoan"."#f_fAmount")',
      result: { kind: 'money', places: 2 },
    } as const;
    const parts = mapParts([...FORM.parts, worked], (part) =>
      part.part === 'cell' && part.field === 'f_lNote' ? { ...part, labelAt: 'none' as const } : part,
    );
    await show({}, { ...FORM, parts });
    const output = page.querySelector('output')!;
    expect(output.textContent.trim()).toBe('£3.20');
    const label = page.querySelector(`[id="${output.getAttribute('aria-labelledby')}"]`);
    expect(label!.textContent).toBe('Left to pay');
    const [amount] = state.record().lists[0]!.rows;
    state.change(amount!, OFFICE.tables[2]!.fields[2]!, { value: '3.50' });
    await fixture.whenStable();
    expect(output.textContent.trim()).toBe('-£0.20');
    // A label that is not to be seen is still heard.
    const note = [...page.querySelectorAll('label')].find(({ textContent }) => textContent.includes('Note'))!;
    expect(note.getBoundingClientRect().width).toBeLessThan(2);
    expect(page.querySelector(`[id="${note.htmlFor}"]`)).not.toBeNull();
  });

  describe('with rows within rows', () => {
    const BORROWER = OFFICE.tables[0]!;
    const DEEP = formFromTable(OFFICE, BORROWER, 'o_deep', 'Borrowers', 2);
    const loan = (n: number, fines: typeof FINES) => ({
      key: [n],
      cells: { ...CELLS, f_lNo: n },
      subforms: [{ link: 'f_fLoan', rows: fines, total: fines.length }],
    });

    async function deep(form = DEEP, rest: Record<string, unknown> = {}): Promise<void> {
      setUp();
      const cells = { f_bNo: 1, f_bName: 'Ada Quist', f_bEmail: null, f_bActive: true };
      const rows = [loan(1000, FINES), loan(1001, [])];
      const subforms = [{ link: 'f_lBorrower', rows, total: 2 }];
      const design = designOf(OFFICE.tables, emptyDesign().settings);
      state = new RecordState(design, form, { record: { key: [1], cells, subforms } }, CLOCK);
      fixture = TestBed.createComponent(RecordSheetComponent);
      const inputs = { state, reading: { locale: BRITISH, today: CLOCK.today }, ...rest };
      for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
      page = fixture.nativeElement as HTMLElement;
      await fixture.whenStable();
    }
    const opener = (row: number): HTMLButtonElement =>
      page.querySelector(`button[aria-label^="Row ${row} of Loans"]`)!;
    const shown = (): string[] =>
      [...page.querySelectorAll('section[aria-label="Fines"] td [role="textbox"]')].map(
        ({ textContent }) => textContent,
      );

    it('tells how many are within a row, and unfolds them beneath it', async () => {
      await deep();
      expect(opener(1).getAttribute('aria-label')).toBe('Row 1 of Loans: 2 fines');
      expect(opener(2).getAttribute('aria-label')).toBe('Row 2 of Loans: 0 fines');
      expect(shown()).toEqual([]);
      opener(1).click();
      await fixture.whenStable();
      expect(opener(1).getAttribute('aria-expanded')).toBe('true');
      expect(shown()).toEqual(['£0.10', '£0.20']);
      opener(1).click();
      await fixture.whenStable();
      expect(shown()).toEqual([]);
    });

    it('unfolds a row that is new, and one in which something is wrong', async () => {
      await deep();
      button(page, 'Loan').click();
      await fixture.whenStable();
      expect(opener(3).getAttribute('aria-expanded')).toBe('true');
      const [fine] = state.record().lists[0]!.rows[0]!.lists[0]!.rows;
      const error = { table: 't_fine', key: [7], field: 'f_fAmount', message: 'Too much.', rule: null };
      state.refuse([{ change: 0, ...error }], [fine!]);
      await fixture.whenStable();
      expect(opener(1).getAttribute('aria-expanded')).toBe('true');
      expect(page.textContent).toContain('Too much.');
    });

    it('folds what is within a row that goes, and unfolds it again when it stays', async () => {
      await deep();
      opener(1).click();
      const [loans] = state.record().lists;
      state.removeChild(loans!.rows[0]!);
      await fixture.whenStable();
      expect([opener(1).disabled, shown()]).toEqual([true, []]);
      state.removeChild(state.record().lists[0]!.rows[0]!);
      await fixture.whenStable();
      expect(shown()).toEqual(['£0.10', '£0.20']);
    });

    it('shows each row as a card, with what is within it inside', async () => {
      const parts = mapParts(DEEP.parts, (part) =>
        part.part === 'subform' && part.link === 'f_lBorrower' ? { ...part, look: 'cards' } : part,
      );
      await deep({ ...DEEP, parts });
      const cards = [...page.querySelectorAll('[role="group"][aria-label^="Loan "]')];
      expect(cards.map((card) => card.getAttribute('aria-label'))).toEqual(['Loan 1', 'Loan 2']);
      expect(shown()).toEqual(['£0.10', '£0.20']);
      expect(button(page, 'Remove row 2 of Loans')).toBeTruthy();
    });

    it('keeps sections and tabs apart on the page, and their rows in one record', async () => {
      const [first, ...cells] = DEEP.parts.filter(({ part }) => part === 'cell');
      const tabs = [
        { id: 'y_a', label: 'More of it', parts: cells },
        { id: 'y_b', label: 'Their loans', parts: subformsOf(DEEP.parts) },
      ];
      await deep({
        ...DEEP,
        parts: [
          { part: 'note', id: 'n_a', width: 12, look: 'note', text: 'Ask for a card.' },
          { part: 'section', id: 's_a', label: 'Who', parts: [first!] },
          { part: 'tabs', id: 'x_a', tabs },
        ],
      });
      expect(page.textContent).toContain('Ask for a card.');
      expect(page.querySelector('section[aria-label="Who"]')!.textContent).toContain('Number');
      const names = [...page.querySelectorAll('[role="tab"]')].map(({ textContent }) => textContent.trim());
      expect(names).toEqual(['More of it', 'Their loans']);
      expect(page.querySelector('section[aria-label="Loans"]')).toBeNull();
      page.querySelectorAll<HTMLElement>('[role="tab"]')[1]!.click();
      await fixture.whenStable();
      expect(page.querySelector('section[aria-label="Loans"]')).toBeTruthy();
    });

    it('picks the innermost part while it is designed', async () => {
      await deep(DEEP, { designing: true });
      const seen: string[] = [];
      fixture.componentInstance.partPicked.subscribe(({ id }) => seen.push(id));
      opener(1).click();
      await fixture.whenStable();
      page.querySelector<HTMLElement>('section[aria-label="Fines"]')!.click();
      page.querySelector<HTMLElement>('[role="button"][aria-label="Loans"]')!.click();
      expect(seen).toEqual(['f_lBorrower/f_fLoan', 'f_lBorrower']);
    });
  });
});

describe('a form with conditions, and an order of the Tab key made by hand', () => {
  let fixture: ComponentFixture<RecordSheetComponent>;
  let page: HTMLElement;
  let state: RecordState;

  async function show(form: Form, cells: object = {}): Promise<void> {
    setUp();
    const design = designOf(OFFICE.tables, emptyDesign().settings);
    const subforms = [{ link: 'f_fLoan', rows: FINES, total: FINES.length }];
    state = new RecordState(
      design,
      form,
      { record: { key: [1000], cells: { ...CELLS, ...cells }, subforms } },
      CLOCK,
    );
    fixture = TestBed.createComponent(RecordSheetComponent);
    fixture.componentRef.setInput('state', state);
    fixture.componentRef.setInput('reading', { locale: BRITISH, today: CLOCK.today });
    page = fixture.nativeElement as HTMLElement;
    document.body.append(page);
    await fixture.whenStable();
  }
  afterEach(() => {
    page.remove();
    fixture.destroy();
  });

  const limited = (field: string, more: Partial<FormCell>): Form => ({
    ...FORM,
    parts: mapParts(FORM.parts, (part) =>
      part.part === 'cell' && part.field === field ? { ...part, ...more } : part,
    ),
  });
  const label = (text: string): HTMLLabelElement | undefined =>
    [...page.querySelectorAll('label')].find(({ textContent }) => textContent.trim().startsWith(text));
  const control = (text: string): HTMLInputElement =>
    page.querySelector<HTMLInputElement>(`#${CSS.escape(label(text)!.htmlFor)}`)!;
  const field = (id: string) => LOAN.fields.find((other) => other.id === id)!;

  it('closes and opens a field as what is typed beside it goes', async () => {
    await show(limited('f_lFee', { readIf: '"#f_lState" = \'Back\'' }));
    expect(control('Fee').readOnly).toBeFalse();
    state.change(state.record(), field('f_lFee'), { value: '4.00' });
    state.change(state.record(), field('f_lState'), { value: 'Back' });
    await fixture.whenStable();
    expect([control('Fee').readOnly, control('Fee').value]).toEqual([true, '£4.00']);
    // What was typed before it was closed is saved with it.
    expect(state.changesToSave().changes[0]).toEqual(
      jasmine.objectContaining({ values: { f_lFee: '4.00', f_lState: 'Back' } }) as never,
    );
    state.change(state.record(), field('f_lState'), { value: 'Out' });
    await fixture.whenStable();
    expect(control('Fee').readOnly).toBeFalse();
  });

  it('hides a field as what is typed goes; one that came hidden stays so, since nobody knows what it holds', async () => {
    const form = limited('f_lFee', { hideIf: '"#f_lState" = \'Back\'' });
    await show(form);
    state.change(state.record(), field('f_lState'), { value: 'Back' });
    await fixture.whenStable();
    expect(label('Fee')).toBeUndefined();
    state.change(state.record(), field('f_lState'), { value: 'Out' });
    await fixture.whenStable();
    expect(control('Fee').value).toBe('£3.50');
    page.remove();
    fixture.destroy();
    TestBed.resetTestingModule();
    await show(form, { f_lState: 'Back', f_lFee: null, 'hide f_lFee': true });
    expect(label('Fee')).toBeUndefined();
    state.change(state.record(), field('f_lState'), { value: 'Out' });
    await fixture.whenStable();
    expect(label('Fee')).toBeUndefined();
    expect(state.changesToSave().changes).toEqual([
      jasmine.objectContaining({ values: { f_lState: 'Out' } }) as never,
    ]);
  });

  it('works out nothing anew from what is kept away: what the file says stays', async () => {
    const form: Form = {
      ...limited('f_lFee', { hideIf: '"#f_lState" = \'Back\'' }),
      parts: [
        ...limited('f_lFee', { hideIf: '"#f_lState" = \'Back\'' }).parts,
        {
          part: 'worked',
          id: 'w_twice',
          label: 'Twice',
          width: 3,
          expression: '"#f_lFee" * 2',
          result: { kind: 'money', places: 2 },
        },
      ],
    };
    await show(form, { f_lState: 'Back', f_lFee: null, 'hide f_lFee': true, w_twice: '7.00' });
    state.change(state.record(), field('f_lNote'), { value: 'x' });
    await fixture.whenStable();
    expect(page.querySelector('output')!.textContent).toContain('£7.00');
  });

  /** Presses Tab where the cursor is; where nothing takes the key the browser itself goes on. */
  async function tab(shiftKey = false): Promise<boolean> {
    const event = new KeyboardEvent('keydown', { key: 'Tab', shiftKey, bubbles: true, cancelable: true });
    document.activeElement!.dispatchEvent(event);
    await after(60);
    return event.defaultPrevented;
  }
  const at = (): string | undefined => {
    const { activeElement } = document;
    return [...page.querySelectorAll('label')]
      .find(({ htmlFor }) => htmlFor !== '' && htmlFor === activeElement?.id)
      ?.childNodes[0]!.textContent!.trim();
  };

  it('is gone through in that order, backwards too, and left behind its last field', async () => {
    const form: Form = {
      ...FORM,
      tabOrder: ['f_lNote', 'f_lFee', 'f_lBorrower', 'f_lFrom', 'f_lDue', 'f_lState'],
      parts: [
        ...FORM.parts.filter(({ part }) => part === 'cell'),
        { part: 'button', id: 'b_print', label: 'Print it', width: 3, does: { act: 'print', report: null } },
        ...FORM.parts.filter(({ part }) => part !== 'cell'),
      ],
    };
    await show(form);
    fixture.componentInstance.focusFirst();
    await after(60);
    expect(at()).toBe('Note');
    expect(await tab()).toBeTrue();
    expect(at()).toBe('Fee');
    expect(await tab()).toBeTrue();
    expect(at()).toBe('Borrower');
    expect(await tab(true)).toBeTrue();
    expect(at()).toBe('Fee');
    // Behind the fields come the buttons, and then what stands behind the whole row.
    button(page, 'Print it').focus();
    expect(await tab()).toBeTrue();
    expect(page.querySelector('section[aria-label="Fines"]')!.contains(document.activeElement)).toBeTrue();
    button(page, 'Print it').focus();
    await tab(true);
    expect(document.activeElement!.closest('[data-stop]')!.getAttribute('data-stop')).toContain('f_lState');
  });

  it('leaves the Tab key alone where the order is that of reading', async () => {
    await show(FORM);
    fixture.componentInstance.focusFirst();
    await after(30);
    expect(at()).toBe('Borrower');
    expect(await tab()).toBeFalse();
  });
});
