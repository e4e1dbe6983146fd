import { Component, forwardRef, viewChild, type ElementRef } from '@angular/core';
import { FIELD } from '../shared/field';
import { GrowingDirective } from '../shared/growing.directive';
import { TypedPart, ValuePart } from './value-part';

/** Several lines, as many as are written. */
@Component({
  selector: 'hr-long-text-value',
  imports: [FIELD, GrowingDirective],
  providers: [{ provide: ValuePart, useExisting: forwardRef(() => LongTextValueComponent) }],
  template: `
    <mat-form-field [class.read]="at.readonly()">
      <textarea
        #area
        matInput
        [hrGrowing]="at.label() === null ? 3 : 1"
        [hrGrowingMost]="12"
        [hrWrong]="at.wrong()"
        [id]="at.inputId()"
        [readonly]="at.readonly()"
        [attr.aria-label]="at.label()"
        [value]="shown()"
        (input)="type(area.value)"
        (blur)="leave()"
      ></textarea>
      @if (at.says()) {
        <mat-error>{{ at.says() }}</mat-error>
      }
    </mat-form-field>
  `,
})
export class LongTextValueComponent extends TypedPart {
  private readonly area = viewChild.required<ElementRef<HTMLTextAreaElement>>('area');

  protected override element(): HTMLTextAreaElement {
    return this.area().nativeElement;
  }
}
