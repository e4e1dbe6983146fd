import { TestBed } from '@angular/core/testing';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { of } from 'rxjs';
import type { Design, Form, FormPart, Report } from '@heathridge/core/design';
import { cellsOf, formFromTable } from '@heathridge/core/form';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { button, setUp, setUpFile } from '../testing/bench';
import { EverywhereDialog, type NotPlaced } from './everywhere.dialog';
import { ScreensComponent } from './screens.component';

const LOAN = OFFICE.tables[1]!;
const NOTE = LOAN.fields.find(({ id }) => id === 'f_lNote')!;
const without = (parts: readonly FormPart[]): FormPart[] =>
  parts.filter((part) => part.part !== 'cell' || part.field !== NOTE.id);
const form = (id: string, label: string): Form => {
  const whole = formFromTable(OFFICE, LOAN, id, label);
  return { ...whole, parts: without(whole.parts) };
};
const DESIGN: Design = { ...OFFICE, forms: [form('o_a', 'Loan desk'), form('o_b', 'Second desk')] };

describe('a field that is not placed', () => {
  it('is put on the forms and reports that are ticked', async () => {
    const close = jasmine.createSpy();
    const data: NotPlaced = { design: DESIGN, table: LOAN, fields: [NOTE] };
    setUp([
      { provide: MAT_DIALOG_DATA, useValue: data },
      { provide: MatDialogRef, useValue: { close } },
    ]);
    const fixture = TestBed.createComponent(EverywhereDialog);
    const page = fixture.nativeElement as HTMLElement;
    const dialog = fixture.componentInstance;
    await fixture.whenStable();
    expect(dialog.wanted().map(({ id }) => id)).toEqual(['o_a', 'o_b']);
    dialog.leave('o_a');
    await fixture.whenStable();
    button(page, 'Put them there').click();
    const [documents] = close.calls.mostRecent().args as [readonly Form[]];
    expect(documents.map(({ id, parts }) => [id, cellsOf(parts).at(-1)!.field])).toEqual([['o_b', NOTE.id]]);
    dialog.choose(NOTE.id);
    await fixture.whenStable();
    expect(page.textContent).toContain('Every form and report of these rows shows them already.');
    expect(dialog.wanted()).toEqual([]);
  });

  it('comes to all of them in one press from the shelf', async () => {
    const http = setUpFile(DESIGN);
    const fixture = TestBed.createComponent(ScreensComponent);
    await fixture.whenStable();
    http.expectOne('/api/files/f_x/forms/preview').flush(null);
    await fixture.whenStable();
    const part = fixture.componentInstance;
    const documents: readonly (Form | Report)[] = DESIGN.forms;
    spyOn(TestBed.inject(LazyDialogs), 'open').and.returnValue(of(documents));
    const save = spyOn(part.store, 'save').and.returnValue(of(null));
    button(fixture.nativeElement as HTMLElement, 'On other forms and reports too…').click();
    expect(save.calls.allArgs().map(([{ id }]) => id)).toEqual(['o_a', 'o_b']);
    // While this form is changed and not saved it is not offered: what was changed would be saved with it.
    part.rename('Other');
    await fixture.whenStable();
    expect((fixture.nativeElement as HTMLElement).textContent).not.toContain('On other forms');
  });
});
