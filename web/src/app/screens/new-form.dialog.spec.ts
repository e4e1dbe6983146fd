import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import type { Design, Form } from '@heathridge/core/design';
import { cellsOf, formFromTable, panesOf } from '@heathridge/core/form';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { button, setUp } from '../testing/bench';
import { NewFormDialog } from './new-form.dialog';

describe('NewFormDialog', () => {
  let fixture: ComponentFixture<NewFormDialog>;
  let page: HTMLElement;
  let closed: Form | undefined;

  async function open(design: Design = OFFICE): Promise<void> {
    TestBed.overrideProvider(MAT_DIALOG_DATA, { useValue: { design } });
    TestBed.overrideProvider(MatDialogRef, { useValue: { close: (form: Form) => (closed = form) } });
    setUp();
    fixture = TestBed.createComponent(NewFormDialog);
    page = fixture.nativeElement as HTMLElement;
    await fixture.whenStable();
  }
  beforeEach(() => (closed = undefined));

  const box = (name: string): HTMLInputElement =>
    [...page.querySelectorAll<HTMLElement>('mat-checkbox')]
      .find(({ textContent }) => textContent.trim() === name)!
      .querySelector('input')!;
  async function tick(name: string): Promise<void> {
    box(name).click();
    await fixture.whenStable();
  }
  const outline = (): string => page.querySelector('[role="status"]')!.textContent;

  it('takes along what leads to a table, and shows how they lie in one another', async () => {
    await open();
    button(page, 'Make it').click();
    await fixture.whenStable();
    expect(page.textContent).toContain('Tick the tables that it shows first.');
    expect(outline()).toContain('Tick a table');
    await tick('Borrowers');
    expect([box('Loans').checked, box('Fines').checked]).toEqual([true, true]);
    expect(outline()).toMatch(/Borrowers, one at a time\s*Loans, beneath it\s*Fines, within each/);
    await tick('Fines');
    expect(outline()).not.toContain('Fines');
    button(page, 'Make it').click();
    expect([closed!.table, closed!.label]).toEqual(['t_borrower', 'Borrowers']);
    expect(JSON.stringify(closed)).not.toContain('f_fLoan');
  });

  it('sees which is the parent, in whatever order they are ticked, and says what has no place', async () => {
    await open();
    await tick('Fines');
    await tick('Borrowers');
    await tick('Loans');
    // Nothing is between the two any more: the one that was ticked first stays.
    expect(outline()).toContain('Fines, one at a time');
    expect(outline()).toContain('No lookup ties Borrowers to the rest: left out.');
    await tick('Loans');
    expect(outline()).toMatch(/Borrowers, one at a time\s*Loans, beneath it\s*Fines, within each/);
  });

  it('keeps a name that somebody has written, and asks for one', async () => {
    await open();
    await tick('Loans');
    const name = page.querySelector<HTMLInputElement>('hr-line input')!;
    expect(name.value).toBe('Loans');
    name.value = ' ';
    name.dispatchEvent(new Event('input'));
    await tick('Borrowers');
    expect(name.value).toBe(' ');
    button(page, 'Make it').click();
    expect(closed).toBeUndefined();
  });

  it('offers a name that no form has', async () => {
    const forms = ['Loans', 'loans 2'].map((label, i) =>
      formFromTable(OFFICE, OFFICE.tables[1]!, `o_${i}`, label),
    );
    await open({ ...OFFICE, forms });
    await tick('Loans');
    expect(page.querySelector<HTMLInputElement>('hr-line input')!.value).toBe('Loans 3');
  });

  it('begins with the only table there is', async () => {
    await open({ ...OFFICE, tables: [OFFICE.tables[0]!] });
    expect(box('Borrowers').checked).toBeTrue();
    expect(outline()).toContain('Borrowers');
  });

  it('makes a list of the same tables, whose rows follow one another', async () => {
    await open();
    await tick('Borrowers');
    fixture.componentInstance.sort.set('list');
    await fixture.whenStable();
    expect(outline()).toMatch(
      /Borrowers, beneath one another\s*Loans, of the one picked\s*Fines, of the one picked/,
    );
    button(page, 'Make it').click();
    expect(closed!.list).toEqual({ starts: 'rows', saves: 'row' });
    expect(panesOf(OFFICE, closed!).map(({ form }) => form.table)).toEqual([
      't_borrower',
      't_loan',
      't_fine',
    ]);
  });

  it('takes only the fields that are wanted of a table, and never none', async () => {
    await open();
    await tick('Loans');
    const [, loan] = OFFICE.tables;
    const dialog = fixture.componentInstance;
    expect(dialog.fieldsOf(loan!)).toBe('its fields');
    for (const { id } of loan!.fields.slice(2)) dialog.pickField(loan!, id);
    expect(dialog.fieldsOf(loan!)).toBe('2 of 7 fields');
    for (const { id } of loan!.fields.slice(0, 2)) dialog.pickField(loan!, id);
    expect(dialog.fieldsOf(loan!)).toBe('1 of 7 fields');
    dialog.pickField(loan!, 'f_lNo');
    button(page, 'Make it').click();
    expect(new Set(cellsOf(closed!.parts).map(({ field }) => field))).toEqual(
      new Set(['f_lBorrower', 'f_lNo']),
    );
  });

  it('makes cards, in columns by a choice where there is one, or by what is chosen', async () => {
    await open();
    fixture.componentInstance.sort.set('cards');
    await tick('Loans');
    // What belongs to a card stands on the screen of its record.
    expect(box('Fines').checked).toBeFalse();
    expect(outline()).toContain('Loans, as cards');
    const { componentInstance: dialog } = fixture;
    expect(dialog.laidOutBy().map(({ id }) => id)).toEqual(['f_lBorrower', 'f_lState']);
    expect(dialog.by()).toBe('f_lState');
    dialog.chosen.set('f_lBorrower');
    button(page, 'Make it').click();
    expect([closed!.list!.cards, closed!.rights.change]).toEqual(['f_lBorrower', true]);
    // Of fields that nobody has chosen, a few.
    expect(cellsOf(closed!.parts).length).toBe(6);
  });

  it('makes cards of the fields that are wanted', async () => {
    await open();
    fixture.componentInstance.sort.set('cards');
    await tick('Loans');
    const [, loan] = OFFICE.tables;
    fixture.componentInstance.pickField(loan!, 'f_lFrom');
    button(page, 'Make it').click();
    expect(cellsOf(closed!.parts).map(({ field }) => field)).toContain('f_lNote');
  });

  it('says where nothing lays out the cards of a list', async () => {
    const [borrower] = OFFICE.tables;
    const fields = borrower!.fields.filter(({ type }) => type.kind !== 'tick');
    await open({ ...OFFICE, tables: [{ ...borrower!, fields }] });
    fixture.componentInstance.sort.set('cards');
    button(page, 'Make it').click();
    await fixture.whenStable();
    expect(closed).toBeUndefined();
    expect(page.textContent).toContain(
      'Borrowers have no choice, lookup or tick by which their cards could stand in columns.',
    );
  });
});
