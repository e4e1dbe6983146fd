import { Component, computed, forwardRef, viewChild, type ElementRef } from '@angular/core';
import { fitPattern, parsePattern } from '@heathridge/core/values';
import { FIELD } from '../shared/field';
import { TypedPart, ValuePart } from './value-part';

/** A line: texts, numbers, money, dates with their time. */
@Component({
  selector: 'hr-line-value',
  imports: [FIELD],
  providers: [{ provide: ValuePart, useExisting: forwardRef(() => LineValueComponent) }],
  template: `
    <mat-form-field [class.read]="at.readonly()">
      <input
        #line
        matInput
        autocomplete="off"
        [class.number]="numeric()"
        [hrWrong]="at.wrong()"
        [id]="at.inputId()"
        [readonly]="at.readonly()"
        [placeholder]="pattern() ?? ''"
        [attr.inputmode]="numeric() ? 'decimal' : null"
        [attr.aria-label]="at.label()"
        [value]="shown()"
        (pointerdown)="pointed = true"
        (focus)="begin()"
        (input)="typeInto($event)"
        (blur)="leave()"
        (keydown.enter)="leave()"
      />
      @if (unit()) {
        <span matTextSuffix>{{ unit() }}</span>
      }
      @if (at.says()) {
        <mat-error>{{ at.says() }}</mat-error>
      }
    </mat-form-field>
  `,
  styles: `
    .number {
      text-align: right;
    }
  `,
})
export class LineValueComponent extends TypedPart {
  private readonly line = viewChild.required<ElementRef<HTMLInputElement>>('line');
  protected readonly pattern = computed(() => {
    const { type } = this.at.field();
    return type.kind === 'text' ? (type.pattern ?? null) : null;
  });
  /** What a number is of, while it is typed without it. */
  protected readonly unit = computed(() => {
    const kind = this.kind();
    if (!this.isTyping()) return '';
    if (kind.kind === 'money') return kind.currency ?? this.at.reading().locale.currency;
    return (kind.kind === 'decimal' || kind.kind === 'wholeNumber') && kind.unit ? kind.unit : '';
  });

  protected override element(): HTMLInputElement {
    return this.line().nativeElement;
  }

  /** Lets what is typed fall into its places, as long as it is typed at the end and fits. */
  protected typeInto(event: Event): void {
    const element = this.element();
    const pattern = this.pattern();
    const parsed = pattern === null ? null : parsePattern(pattern);
    const atEnd = element.selectionStart === element.value.length;
    if (parsed?.ok && atEnd && !(event as InputEvent).inputType?.startsWith('delete')) {
      const fitted = fitPattern(parsed.slots, element.value);
      // What does not fit stays as it was typed: it is told when the field is left.
      if (fitted.misfit === null && fitted.text !== '') element.value = fitted.text;
    }
    this.type(element.value);
  }
}
