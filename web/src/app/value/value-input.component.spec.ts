import { Component, provideZonelessChangeDetection, signal } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { provideNativeDateAdapter } from '@angular/material/core';
import { MatIconRegistry } from '@angular/material/icon';
import { By, DomSanitizer } from '@angular/platform-browser';
import { of, throwError } from 'rxjs';
import type { Field, FieldType } from '@heathridge/core/design';
import { BRITISH } from '@heathridge/core/values';
import { field, lookup } from '../../../../core/src/design/testing/office';
import type { Choice } from './api.service';
import { ICONS } from './icons';
import { ValueInputComponent, type Fetch, type Held } from './value-input.component';

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
      providers: [provideZonelessChangeDetection(), provideNativeDateAdapter()],
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

  async function type(text: string): Promise<void> {
    control().dispatchEvent(new Event('focus'));
    await fixture.whenStable();
    control().value = text;
    control().dispatchEvent(new Event('input'));
    control().dispatchEvent(new Event('blur'));
    await fixture.whenStable();
  }

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

  it('ticks, chooses and takes many lines', async () => {
    const tick = await show({ kind: 'tick' }, { value: false });
    tick.click();
    expect(host.seen).toEqual([{ value: true }]);
    host.field.set(field('x', 'x', { kind: 'choice', choices: ['Card', 'Cash'] }));
    host.held.set({ value: 'Card' });
    await fixture.whenStable();
    const select = control() as unknown as HTMLSelectElement;
    expect([...select.options].map(({ value }) => value)).toEqual(['', 'Card', 'Cash']);
    expect(select.value).toBe('Card');
    select.value = '';
    select.dispatchEvent(new Event('change'));
    expect(host.held()).toEqual({ value: null });
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
    expect([control().value, component().typing]).toEqual(['9', true]);
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

  it('offers of an earlier answer only what goes with what is typed since', async () => {
    await show(lookup('borrower'), { value: null });
    host.choices = [
      [1, 'Ada Quist'],
      [2, 'Bo Reed'],
    ];
    const shown = (): string[] =>
      (fixture.debugElement.query(By.directive(ValueInputComponent)).componentInstance as ValueInputComponent)
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
