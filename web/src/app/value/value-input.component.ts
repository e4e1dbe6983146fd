import {
  Component,
  computed,
  forwardRef,
  input,
  linkedSignal,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { NG_VALUE_ACCESSOR, type ControlValueAccessor } from '@angular/forms';
import { of } from 'rxjs';
import type { Field } from '@heathridge/core/design';
import type { Reading, Value } from '@heathridge/core/values';
import { AttachmentValueComponent } from './attachment-value.component';
import { ChoiceValueComponent } from './choice-value.component';
import { DateValueComponent } from './date-value.component';
import type { Fetch, Held } from './held';
import { LineValueComponent } from './line-value.component';
import { LongTextValueComponent } from './long-text-value.component';
import { LookupValueComponent } from './lookup-value.component';
import { RadioValueComponent } from './radio-value.component';
import { TickValueComponent } from './tick-value.component';
import { TimeValueComponent } from './time-value.component';
import { VALUE, ValuePart, type ValueContext } from './value-part';

const NOTHING: Held = { value: null };

/**
 * The input for a value of a field, after its kind: line, area, tick, choice, calendar, search in another table. It
 * holds what was typed as long as that cannot be read, with the reason. Used alike wherever a value is typed, alone
 * (`held`, `changed`) or in a form.
 */
@Component({
  selector: 'hr-value-input',
  imports: [
    AttachmentValueComponent,
    ChoiceValueComponent,
    DateValueComponent,
    LineValueComponent,
    LongTextValueComponent,
    LookupValueComponent,
    RadioValueComponent,
    TickValueComponent,
    TimeValueComponent,
  ],
  providers: [
    { provide: VALUE, useExisting: forwardRef(() => ValueInputComponent) },
    { provide: NG_VALUE_ACCESSOR, useExisting: forwardRef(() => ValueInputComponent), multi: true },
  ],
  template: `
    @switch (look()) {
      @case ('tick') {
        <hr-tick-value />
      }
      @case ('choice') {
        <hr-choice-value />
      }
      @case ('radio') {
        <hr-radio-value />
      }
      @case ('attachment') {
        <hr-attachment-value />
      }
      @case ('longText') {
        <hr-long-text-value />
      }
      @case ('lookup') {
        <hr-lookup-value />
      }
      @case ('date') {
        <hr-date-value />
      }
      @case ('time') {
        <hr-time-value />
      }
      @default {
        <hr-line-value />
      }
    }
  `,
  styles: `
    :host {
      display: block;
      min-width: 0;
    }
  `,
})
export class ValueInputComponent implements ControlValueAccessor, ValueContext {
  readonly field = input.required<Field>();
  readonly given = input<Held>(NOTHING, { alias: 'held' });
  readonly reading = input.required<Reading>();
  readonly readOnly = input(false, { alias: 'readonly' });
  readonly inputId = input('');
  /** For inputs without a visible label, such as cells. */
  readonly label = input<string | null>(null);
  /** What others have found wrong with it, such as a rule that is broken. */
  readonly message = input('');
  /** Whether it only marks itself where something is wrong, and somebody else says what. */
  readonly marksOnly = input(false);
  /** Whether there is a way to add a row to the other table here. */
  readonly canAdd = input(false);
  /** How a choice is chosen; as its field says where it is not said. */
  readonly chosenAs = input<'list' | 'radio' | undefined>(undefined);
  /** Where a lookup's choices come from. */
  readonly fetch = input<Fetch>(() => of([]));
  /** The row it stands in, which may narrow a lookup's choices. */
  readonly row = input<Readonly<Record<string, Value>> | null>(null);
  readonly changed = output<Held>();
  /** Somebody wants to add a row to the other table, with this text to begin with. */
  readonly adding = output<string>();

  readonly held = linkedSignal(() => this.given());
  private readonly isOff = signal(false);
  private readonly part = viewChild.required(ValuePart);
  private tell: (held: Held) => void = () => undefined;
  readonly readonly = computed(() => this.readOnly() || this.isOff());
  private readonly problem = computed(() => this.message() || (this.held().problem ?? ''));
  readonly wrong = computed(() => this.problem() !== '');
  readonly says = computed(() => (this.marksOnly() ? '' : this.problem()));
  protected readonly look = computed(() => {
    const { type } = this.field();
    switch (type.kind) {
      case 'choice':
        return (this.chosenAs() ?? type.as) === 'radio' ? 'radio' : 'choice';
      case 'picture':
      case 'file':
        return 'attachment';
      default:
        return type.kind;
    }
  });

  writeValue(held: Held | null): void {
    this.held.set(held ?? NOTHING);
  }

  registerOnChange(tell: (held: Held) => void): void {
    this.tell = tell;
  }

  registerOnTouched(): void {
    // What is wrong is known when something is taken, not when it is left.
  }

  setDisabledState(isOff: boolean): void {
    this.isOff.set(isOff);
  }

  focus(start?: string): void {
    this.part().focus(start);
  }

  current(): Held {
    return this.part().current();
  }

  isTyping(): boolean {
    return this.part().isTyping();
  }

  emit(held: Held): void {
    this.held.set(held);
    this.tell(held);
    this.changed.emit(held);
  }

  add(text: string): void {
    this.adding.emit(text);
  }
}
