import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { emptyDesign } from '@heathridge/core/design';
import { formFromTable } from '@heathridge/core/form';
import { BRITISH } from '@heathridge/core/values';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { button, setUp } from '../testing/bench';
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
  { key: [7], cells: { f_fNo: 7, f_fLoan: [1000, 'Ada'] as const, f_fAmount: '0.10' } },
  { key: [8], cells: { f_fNo: 8, f_fLoan: [1000, 'Ada'] as const, f_fAmount: '0.20' } },
];

describe('RecordSheetComponent', () => {
  let fixture: ComponentFixture<RecordSheetComponent>;
  let page: HTMLElement;
  let state: RecordState;

  async function show(
    rest: Record<string, unknown> = {},
    form = FORM,
    rows: object[] = FINES,
  ): Promise<void> {
    setUp();
    state = new RecordState(
      designOf(OFFICE.tables, emptyDesign().settings),
      form,
      { record: { key: [1000], cells: CELLS }, subforms: [{ link: 'f_fLoan', rows: rows as typeof FINES }] },
      CLOCK,
    );
    fixture = TestBed.createComponent(RecordSheetComponent);
    const inputs = { state, reading: { locale: BRITISH, today: CLOCK.today }, ...rest };
    for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
    page = fixture.nativeElement as HTMLElement;
    await fixture.whenStable();
  }

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
    const fields = FORM.fields.map((item) => ({ ...item, people: 'read' as const }));
    await show({}, { ...FORM, fields });
    expect(labelled('Borrower').value).toBe('Ada Quist');
    expect(labelled('Borrower').readOnly).toBeTrue();
    expect(page.querySelectorAll('[role="group"][aria-label="Loan"] hr-value-input').length).toBe(0);
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
    state.removeChild(state.children()[0]!.rows[0]!);
    await fixture.whenStable();
    expect(page.querySelector('[aria-label="Sums of Fines"]')!.textContent).toContain('£0.20');
    expect(page.querySelector('section[aria-label="Fines"]')!.textContent).toContain('1 row');
  });

  it('numbers the rows of a subform in the names of its controls', async () => {
    await show();
    button(page, 'Fine').click();
    await fixture.whenStable();
    const names = [...page.querySelectorAll('td input')].map((input) => input.getAttribute('aria-label'));
    expect(names).toEqual(['Amount, row 1', 'Amount, row 2', 'Amount, row 3']);
    expect(button(page, 'Remove row 3 of Fines')).toBeTruthy();
  });

  it('takes the value from the row above with Ctrl+D', async () => {
    await show();
    const second = page.querySelectorAll('td hr-value-input')[1]!;
    second.dispatchEvent(new KeyboardEvent('keydown', { key: 'd', ctrlKey: true, bubbles: true }));
    expect(state.children()[0]!.rows[1]!.held['f_fAmount']).toEqual({ value: '0.10' });
  });

  it('begins another row with Enter in the last one, once something stands in it', async () => {
    await show();
    button(page, 'Fine').click();
    await fixture.whenStable();
    const last = (): Element => [...page.querySelectorAll('td hr-value-input')].at(-1)!;
    last().dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    expect(state.children()[0]!.rows.length).toBe(3);
    const amount = OFFICE.tables[2]!.fields[2]!;
    state.change(state.children()[0]!.rows[2]!, amount, { value: '0.50' });
    await fixture.whenStable();
    last().dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    expect(state.children()[0]!.rows.length).toBe(4);
  });

  it('gives the rows of a long subform their inputs when somebody goes there, or must', async () => {
    const fines = Array.from({ length: 60 }, (_, i) => ({
      key: [i],
      cells: { f_fNo: i, f_fLoan: [1000, 'Ada'] as const, f_fAmount: '0.10' },
    }));
    await show({}, FORM, fines);
    document.body.append(page);
    const inputs = (): string[] =>
      [...page.querySelectorAll('td input')].map((input) => input.getAttribute('aria-label')!);
    expect(inputs()).toEqual([]);
    expect(page.querySelector('[aria-label="Sums of Fines"]')!.textContent).toContain('£6.00');
    const waiting = page.querySelector<HTMLElement>('[aria-label="Amount, row 9"]')!;
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
    // It keeps them when it is left, and a row that something is said about has them anyway.
    input.blur();
    const { rows } = state.children()[0]!;
    const error = { table: 't_fine', key: [29], field: 'f_fAmount', message: 'Too little.', rule: null };
    state.refuse([{ change: 0, ...error }], [rows[29]!]);
    button(page, 'Fine').click();
    await fixture.whenStable();
    expect(inputs()).toEqual(['Amount, row 9', 'Amount, row 30', 'Amount, row 61']);
    fixture.componentInstance.focusFirst(true);
    expect(document.activeElement!.getAttribute('aria-label')).toBe('Amount, row 30');
    page.remove();
  });

  it('is picked, not typed into, while it is designed', async () => {
    await show({ designing: true });
    const seen: object[] = [];
    fixture.componentInstance.cellPicked.subscribe((pick) => seen.push(pick));
    expect(page.querySelectorAll('input, select, textarea').length).toBe(0);
    page
      .querySelector<HTMLElement>('[aria-label="Fee"]')!
      .dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    expect(seen).toEqual([{ id: 'f_lFee', more: false }]);
  });
});
