import { parallel, type HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { Component, provideZonelessChangeDetection, signal } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { provideIsoDates } from './iso-date-adapter';
import { MatAutocompleteHarness } from '@angular/material/autocomplete/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatCheckboxHarness } from '@angular/material/checkbox/testing';
import { MatDatepickerInputHarness } from '@angular/material/datepicker/testing';
import { MatFormFieldHarness } from '@angular/material/form-field/testing';
import { MatIconRegistry } from '@angular/material/icon';
import { MatInputHarness } from '@angular/material/input/testing';
import { MatRadioGroupHarness } from '@angular/material/radio/testing';
import { MatSelectHarness } from '@angular/material/select/testing';
import { MatTimepickerInputHarness } from '@angular/material/timepicker/testing';
import { By, DomSanitizer } from '@angular/platform-browser';
import { of, throwError } from 'rxjs';
import type { Field, FieldType } from '@heathridge/core/design';
import { BRITISH } from '@heathridge/core/values';
import { field, lookup } from '../../../../core/src/design/testing/office';
import type { Choice } from '../shared/api.service';
import { ICONS } from '../shared/icons';
import type { Fetch, Held } from './held';
import { LookupValueComponent } from './lookup-value.component';
import { ValueInputComponent } from './value-input.component';

@Component({
  selector: 'hr-host',
  imports: [ValueInputComponent],
  template: `<label for="it">Label</label
    ><hr-value-input
      inputId="it"
      [field]="field()"
      [held]="held()"
      [reading]="reading"
      [fetch]="fetch"
      [readonly]="readonly()"
      (changed)="take($event)"
    />`,
})
class HostComponent {
  readonly field = signal<Field>(field('x', 'x', { kind: 'text' }));
  readonly held = signal<Held>({ value: null });
  readonly readonly = signal(false);
  readonly reading = { locale: BRITISH, today: '2026-11-25' };
  readonly seen: Held[] = [];
  choices: readonly Choice[] = [];
  broken = false;
  readonly fetch: Fetch = (_, { search }) =>
    this.broken
      ? throwError(() => new Error('no answer'))
      : of(this.choices.filter(([, text]) => text.toLowerCase().includes(search.toLowerCase())));
  take(held: Held): void {
    this.seen.push(held);
    this.held.set(held);
  }
}

describe('ValueInputComponent', () => {
  let fixture: ComponentFixture<HostComponent>;
  let host: HostComponent;

  async function show(
    type: FieldType,
    held: Held,
    rest: { readonly?: boolean } = {},
  ): Promise<HTMLInputElement> {
    await TestBed.configureTestingModule({
      imports: [HostComponent],
      providers: [provideZonelessChangeDetection(), provideIsoDates()],
    }).compileComponents();
    const [registry, sanitizer] = [TestBed.inject(MatIconRegistry), TestBed.inject(DomSanitizer)];
    for (const [name, svg] of Object.entries(ICONS))
      registry.addSvgIconLiteral(name, sanitizer.bypassSecurityTrustHtml(svg));
    fixture = TestBed.createComponent(HostComponent);
    host = fixture.componentInstance;
    host.field.set(field('x', 'x', type));
    host.held.set(held);
    host.readonly.set(rest.readonly ?? false);
    await fixture.whenStable();
    return control();
  }

  const control = (): HTMLInputElement => (fixture.nativeElement as HTMLElement).querySelector('#it')!;

  const loader = (): HarnessLoader => TestbedHarnessEnvironment.documentRootLoader(fixture);

  async function type(text: string): Promise<void> {
    control().dispatchEvent(new Event('focus'));
    await fixture.whenStable();
    control().value = text;
    control().dispatchEvent(new Event('input'));
    control().dispatchEvent(new Event('blur'));
    await fixture.whenStable();
  }

  it('stays picked whole when the same value comes once more, and shows another', async () => {
    const input = await show({ kind: 'decimal', places: 2 }, { value: '1234.50' });
    input.dispatchEvent(new Event('focus'));
    await fixture.whenStable();
    host.held.set({ value: '1234.50' });
    await fixture.whenStable();
    expect([input.value, input.selectionStart, input.selectionEnd]).toEqual(['1234.50', 0, 7]);
    host.held.set({ value: '99.00' });
    await fixture.whenStable();
    expect(input.value).toBe('99.00');
  });

  it('shows the plain value at once when it is entered, picked whole', async () => {
    const input = await show({ kind: 'money', places: 2 }, { value: '1234.50' });
    expect(input.value).toBe('£1,234.50');
    input.dispatchEvent(new Event('focus'));
    // Without waiting: what is typed next replaces it all.
    expect([input.value, input.selectionStart, input.selectionEnd]).toEqual(['1234.50', 0, 7]);
    await fixture.whenStable();
    expect([input.value, input.selectionStart, input.selectionEnd]).toEqual(['1234.50', 0, 7]);
  });

  it('shows a value as people read it and reads it back as typed', async () => {
    const input = await show({ kind: 'money', places: 2 }, { value: '1234.50' });
    expect(input.value).toBe('£1,234.50');
    input.dispatchEvent(new Event('focus'));
    await fixture.whenStable();
    expect(input.value).toBe('1234.50');
    await type('99.9');
    expect(host.seen).toEqual([{ value: '99.90' }]);
    expect(control().value).toBe('£99.90');
  });

  it('keeps what cannot be read, with the reason', async () => {
    await show({ kind: 'date' }, { value: '2026-11-04' });
    await type('soonish');
    expect(host.seen[0]).toEqual(jasmine.objectContaining({ value: '2026-11-04', typed: 'soonish' }));
    expect(host.seen[0]!.problem).toContain('“soonish” is not a date');
    expect(control().value).toBe('soonish');
    expect(control().getAttribute('aria-invalid')).toBe('true');
    await type('fri');
    expect(host.held()).toEqual({ value: '2026-11-27' });
    expect(control().value).toBe('27 Nov 2026');
  });

  it('says nothing when nothing changed', async () => {
    await show({ kind: 'wholeNumber' }, { value: 1200 });
    await type('1200');
    expect(host.seen).toEqual([]);
  });

  it('ticks', async () => {
    await show({ kind: 'tick' }, { value: false });
    const box = await loader().getHarness(MatCheckboxHarness);
    await box.check();
    expect(host.seen).toEqual([{ value: true }]);
    expect(await box.isChecked()).toBeTrue();
  });

  it('chooses from a list, or nothing, and keeps what is no choice any more', async () => {
    await show({ kind: 'choice', choices: ['Card', 'Cash'] }, { value: 'Card' });
    const list = await loader().getHarness(MatSelectHarness);
    expect(await list.getValueText()).toBe('Card');
    await list.open();
    const offered = await Promise.all((await list.getOptions()).map((option) => option.getText()));
    expect(offered).toEqual(['none', 'Card', 'Cash']);
    await list.clickOptions({ text: 'none' });
    expect(host.held()).toEqual({ value: null });
    host.held.set({ value: 'Cheque' });
    expect(await list.getValueText()).toBe('Cheque');
  });

  it('chooses among what lies side by side, or nothing', async () => {
    await show({ kind: 'choice', choices: ['Card', 'Cash'], as: 'radio' }, { value: 'Card' });
    const group = await loader().getHarness(MatRadioGroupHarness);
    expect(await group.getCheckedValue()).toBe('Card');
    await group.checkRadioButton({ label: 'Cash' });
    expect(host.held()).toEqual({ value: 'Cash' });
    await (await loader().getHarness(MatButtonHarness.with({ text: 'none' }))).click();
    expect(host.held()).toEqual({ value: null });
    expect(await group.getCheckedRadioButton()).toBeNull();
  });

  it('opens a lookup on the row that is chosen, also where that is none of the first', async () => {
    await show(lookup('borrower'), { value: 9, text: 'Zoe Tarn' });
    host.choices = [
      [1, 'Ada Quist'],
      [2, 'Bo Reed'],
    ];
    const line = await loader().getHarness(MatAutocompleteHarness);
    await line.focus();
    await new Promise((resolve) => setTimeout(resolve, 250));
    const options = await line.getOptions();
    expect(await parallel(() => options.map((option) => option.getText()))).toEqual([
      'Zoe Tarn',
      'Ada Quist',
      'Bo Reed',
    ]);
    expect(await parallel(() => options.map((option) => option.isActive()))).toEqual([true, false, false]);
  });

  it('takes a day from the calendar and a time from the list, as they stand in a file', async () => {
    await show({ kind: 'date' }, { value: '2026-11-04' });
    const day = await loader().getHarness(MatDatepickerInputHarness);
    await (await loader().getHarness(MatButtonHarness)).click();
    const calendar = await day.getCalendar();
    expect(await calendar.getCurrentViewLabel()).toContain('2026');
    await calendar.selectCell({ text: '29' });
    expect(host.held()).toEqual({ value: '2026-11-29' });
    expect(control().value).toBe('29 Nov 2026');

    host.field.set(field('x', 'x', { kind: 'time', seconds: false }));
    host.held.set({ value: '09:00:00' });
    await fixture.whenStable();
    await (await loader().getHarness(MatButtonHarness)).click();
    const times = await (await loader().getHarness(MatTimepickerInputHarness)).getTimepicker();
    await times.selectOption({ text: /^14:30$/ });
    expect(host.held()).toEqual({ value: '14:30:00' });
  });

  it('takes part in a form: what it holds, what it is told, and being off', async () => {
    const control = new FormControl<Held>({ value: '5.50' }, { nonNullable: true });
    @Component({
      selector: 'hr-form',
      imports: [ReactiveFormsModule, ValueInputComponent],
      template: `<hr-value-input inputId="it" [field]="field" [reading]="reading" [formControl]="control" />`,
    })
    class FormComponent {
      readonly field = field('x', 'x', { kind: 'money', places: 2 });
      readonly reading = { locale: BRITISH, today: '2026-11-25' };
      readonly control = control;
    }
    await TestBed.configureTestingModule({
      imports: [FormComponent],
      providers: [provideZonelessChangeDetection(), provideIsoDates()],
    }).compileComponents();
    fixture = TestBed.createComponent(FormComponent) as unknown as ComponentFixture<HostComponent>;
    const line = await loader().getHarness(MatInputHarness);
    expect(await line.getValue()).toBe('£5.50');
    await line.setValue('7,5x');
    await line.blur();
    expect(control.value).toEqual(jasmine.objectContaining({ value: '5.50', typed: '7,5x' }));
    const around = await loader().getHarness(MatFormFieldHarness);
    expect((await around.getTextErrors()).join()).toContain('7,5x');
    control.setValue({ value: '8.00' });
    expect(await line.getValue()).toBe('£8.00');
    expect(await around.hasErrors()).toBeFalse();
    control.disable();
    expect(await line.isReadonly()).toBeTrue();
  });

  it('shows a lookup’s text, and only that, when it may only be read', async () => {
    const input = await show(lookup('borrower'), { value: 12, text: 'Oduya, Temi' }, { readonly: true });
    expect(input.value).toBe('Oduya, Temi');
    expect(input.readOnly).toBeTrue();
  });

  it('takes the one choice that what was typed stands for', async () => {
    await show(lookup('borrower'), { value: null });
    host.choices = [
      [1, 'Ada Quist'],
      [2, 'Bo Reed'],
    ];
    await type('ada');
    await new Promise((resolve) => setTimeout(resolve, 250));
    expect(host.held()).toEqual({ value: 1, text: 'Ada Quist' });
  });

  it('keeps a lookup’s typing when nothing or too much matches', async () => {
    await show(lookup('borrower'), { value: 2, text: 'Bo Reed' });
    host.choices = [
      [1, 'Ada Quist'],
      [3, 'Ada Quill'],
    ];
    await type('ada');
    await new Promise((resolve) => setTimeout(resolve, 250));
    expect(host.held()).toEqual(jasmine.objectContaining({ value: 2, typed: 'ada' }));
    expect(host.held().problem).toContain('Several match');
    await type('zed');
    await new Promise((resolve) => setTimeout(resolve, 250));
    expect(host.held().problem).toContain('Nothing matches “zed”');
    await type('');
    await new Promise((resolve) => setTimeout(resolve, 250));
    expect(host.held()).toEqual({ value: null, text: null });
  });

  it('tells what it would hold, as often as it is asked, without ending what is typed', async () => {
    const component = (): ValueInputComponent =>
      fixture.debugElement.query(By.directive(ValueInputComponent)).componentInstance as ValueInputComponent;
    const begin = async (text: string): Promise<void> => {
      control().dispatchEvent(new Event('focus'));
      control().value = text;
      control().dispatchEvent(new Event('input'));
      await fixture.whenStable();
    };
    await show({ kind: 'money', places: 2 }, { value: '5.50' });
    expect(component().current()).toBe(host.held());
    await begin('9');
    expect(component().current()).toEqual({ value: '9.00' });
    await fixture.whenStable();
    expect([control().value, component().isTyping()]).toEqual(['9', true]);
    await begin('9.7x');
    expect(component().current()).toEqual(jasmine.objectContaining({ value: '5.50', typed: '9.7x' }));
    expect(component().current().problem).toContain('9.7x');

    host.field.set(field('x', 'x', lookup('borrower')));
    host.held.set({ value: 2, text: 'Bo Reed' });
    await fixture.whenStable();
    await begin('ada');
    expect(component().current()).toEqual({ value: 2, text: 'Bo Reed', typed: 'ada', sought: true });
    await begin('Bo Reed');
    expect(component().current()).toBe(host.held());
    await begin('');
    expect(component().current()).toEqual({ value: null, text: null });
    expect(host.seen).toEqual([]);
  });

  it('opens no list for who has pressed Escape before the answer was there', async () => {
    const input = await show(lookup('borrower'), { value: null });
    host.choices = [[1, 'Ada Quist']];
    const isOpen = async (): Promise<string | null> => {
      await new Promise((resolve) => setTimeout(resolve, 200));
      await fixture.whenStable();
      return input.getAttribute('aria-expanded');
    };
    input.focus();
    input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', keyCode: 27, bubbles: true }));
    expect(await isOpen()).toBe('false');
    input.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', keyCode: 40, bubbles: true }));
    expect(await isOpen()).toBe('true');
  });

  it('offers of an earlier answer only what goes with what is typed since', async () => {
    await show(lookup('borrower'), { value: null });
    host.choices = [
      [1, 'Ada Quist'],
      [2, 'Bo Reed'],
    ];
    const shown = (): string[] =>
      (
        fixture.debugElement.query(By.directive(LookupValueComponent))
          .componentInstance as LookupValueComponent
      )
        .offered()
        .map(([, text]) => String(text));
    control().dispatchEvent(new Event('focus'));
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(shown()).toEqual(['Ada Quist', 'Bo Reed']);
    control().value = 're';
    control().dispatchEvent(new Event('input'));
    // The answer to this is still under way.
    expect(shown()).toEqual(['Bo Reed']);
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(shown()).toEqual(['Bo Reed']);
  });

  it('gives numbers to the right and the keyboard for decimals', async () => {
    const input = await show({ kind: 'decimal', places: 1 }, { value: null });
    expect(input.classList).toContain('number');
    expect(input.inputMode).toBe('decimal');
  });
});
