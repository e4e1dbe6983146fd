import {
  booleanAttribute,
  Component,
  computed,
  effect,
  inject,
  Injector,
  input,
  numberAttribute,
  output,
  signal,
  untracked,
  viewChild,
  type ElementRef,
  type OnInit,
} from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { NgControl, TouchedChangeEvent, type ControlValueAccessor } from '@angular/forms';
import { characters } from '@heathridge/core/values';
import { faultOf } from './by-schema';
import { FIELD } from './field';
import { GrowingDirective } from './growing.directive';
import { newId } from './ids';

/**
 * A line to type a text in, with its label above it, what helps with it below, and what is wrong with it in the same
 * place. A text of more characters than fit is refused in words and stays as it was typed: nothing is cut off, and
 * whoever listens does not hear of it. Stands alone (`value`, `changed`), or in a form (`formControlName`), whose
 * validators it then speaks for.
 */
@Component({
  selector: 'hr-line',
  imports: [FIELD, GrowingDirective],
  host: { class: 'field' },
  template: `
    @if (label()) {
      <label [for]="inputId()">{{ label() }}</label>
    }
    <mat-form-field [class.code]="code()">
      @if (lines() > 1) {
        <textarea
          #box
          matInput
          dir="auto"
          [hrGrowing]="lines()"
          [hrWrong]="says() !== ''"
          [id]="inputId()"
          [placeholder]="placeholder()"
          [disabled]="off()"
          [value]="held()"
          [attr.aria-label]="label() ? null : about()"
          (input)="write(box.value)"
          (change)="take(box.value)"
          (blur)="left()"
        ></textarea>
      } @else {
        <input
          #box
          matInput
          dir="auto"
          [class.end]="end()"
          [hrWrong]="says() !== ''"
          [id]="inputId()"
          [type]="type()"
          [placeholder]="placeholder()"
          [disabled]="off()"
          [value]="held()"
          [attr.autocomplete]="autocomplete()"
          [attr.inputmode]="inputmode()"
          [attr.aria-label]="label() ? null : about()"
          [attr.cdkFocusInitial]="first() ? '' : null"
          (input)="write(box.value)"
          (change)="take(box.value)"
          (blur)="left()"
        />
      }
      @if (hint()) {
        <mat-hint>{{ hint() }}</mat-hint>
      }
      @if (says()) {
        <mat-error role="alert">{{ says() }}</mat-error>
      }
    </mat-form-field>
  `,
  styles: `
    .end {
      text-align: right;
    }
  `,
})
export class LineComponent implements ControlValueAccessor, OnInit {
  readonly label = input('');
  /** What those hear who listen, where no label is to be seen. */
  readonly about = input('');
  readonly value = input<string | number | null>(null);
  /** Characters that fit, as people count them. */
  readonly most = input(Infinity, { transform: numberAttribute });
  /** Why it may not be left empty; empty where it may. */
  readonly needed = input('');
  readonly hint = input('');
  /** What is wrong with what was taken, as far as somebody else has found out. */
  readonly problem = input('');
  readonly placeholder = input('');
  readonly type = input<'text' | 'password' | 'search' | 'color'>('text');
  readonly autocomplete = input('off');
  readonly inputmode = input<string | null>(null);
  readonly disabled = input(false, { transform: booleanAttribute });
  /** Whether it is written in the type of code. */
  readonly code = input(false, { transform: booleanAttribute });
  /** Whether it stands at the end of its line, as numbers do. */
  readonly end = input(false, { transform: booleanAttribute });
  /** Whether a dialog begins here. */
  readonly first = input(false, { transform: booleanAttribute });
  /** Lines to begin with; more than one for a text that may be long. */
  readonly lines = input(1, { transform: numberAttribute });
  readonly inputId = input(newId('line'));
  /** A text has been typed that fits, and somebody has gone on. */
  readonly changed = output<string>();
  /** Each letter of a text that fits. */
  readonly typed = output<string>();

  private readonly control = inject(NgControl, { self: true, optional: true });
  private readonly injector = inject(Injector);
  private readonly box = viewChild.required<ElementRef<HTMLInputElement | HTMLTextAreaElement>>('box');
  protected readonly held = signal('');
  private readonly isOff = signal(false);
  private readonly refused = signal('');
  private readonly fault = signal('');
  private tell: (text: string) => void = () => undefined;
  private touch: () => void = () => undefined;
  readonly off = computed(() => this.disabled() || this.isOff());
  readonly says = computed(() => this.refused() || this.problem() || this.fault());

  constructor() {
    if (this.control) this.control.valueAccessor = this;
    effect(() => {
      const value = this.value();
      // What a form writes is not what stands beside it.
      if (value !== null || !this.control) untracked(() => this.show(value === null ? '' : String(value)));
    });
  }

  ngOnInit(): void {
    const control = this.control?.control;
    if (!control) return;
    const events = toSignal(control.events, { injector: this.injector });
    effect(
      () => {
        const event = events();
        // Who has not been here yet is not told off.
        const isSaid = control.touched || event instanceof TouchedChangeEvent;
        this.fault.set(isSaid ? faultOf(control) : '');
      },
      { injector: this.injector },
    );
  }

  writeValue(value: string | null): void {
    this.show(value ?? '');
  }

  registerOnChange(tell: (text: string) => void): void {
    this.tell = tell;
  }

  registerOnTouched(touch: () => void): void {
    this.touch = touch;
  }

  setDisabledState(isOff: boolean): void {
    this.isOff.set(isOff);
  }

  focus(): void {
    this.box().nativeElement.focus();
  }

  /** Goes in with all of it picked, so that what is typed takes its place. */
  select(): void {
    this.focus();
    this.box().nativeElement.select();
  }

  /** What stands in it; null where that is refused. */
  get text(): string | null {
    const text = this.box().nativeElement.value;
    return this.refusal(text) === '' ? text : null;
  }

  clear(): void {
    this.show('');
  }

  protected write(text: string): void {
    this.held.set(text);
    // A form takes all that is typed, and says itself what is wrong with it.
    this.tell(text);
    const refusal = this.refusal(text);
    // That something is needed is said when the line is left: who empties it is about to write.
    this.refused.set(text.trim() === '' ? '' : refusal);
    if (refusal === '') this.typed.emit(text);
  }

  protected take(text: string): void {
    this.refused.set(this.refusal(text));
    if (this.refused() === '') this.changed.emit(text);
  }

  protected left(): void {
    this.touch();
  }

  private show(text: string): void {
    this.held.set(text);
    this.refused.set('');
  }

  /** Why a text is not taken; empty when it is. */
  private refusal(text: string): string {
    const [has, most] = [characters(text), this.most()];
    if (has > most) return `At most ${most} characters fit here; this has ${has}, and is not taken yet.`;
    return text.trim() === '' ? this.needed() : '';
  }
}
