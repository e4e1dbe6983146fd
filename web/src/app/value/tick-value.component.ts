import { Component, forwardRef, viewChild } from '@angular/core';
import { MatCheckbox } from '@angular/material/checkbox';
import { ValuePart } from './value-part';

/** A tick. */
@Component({
  selector: 'hr-tick-value',
  imports: [MatCheckbox],
  providers: [{ provide: ValuePart, useExisting: forwardRef(() => TickValueComponent) }],
  template: `
    <mat-checkbox
      [id]="at.inputId() ? at.inputId() + '-box' : ''"
      [checked]="at.held().value === true"
      [disabled]="at.readonly()"
      [aria-label]="at.label() ?? at.field().label"
      [aria-invalid]="at.wrong()"
      (change)="at.emit({ value: $event.checked })"
    />
    @if (at.says()) {
      <p class="message">{{ at.says() }}</p>
    }
  `,
})
export class TickValueComponent extends ValuePart {
  private readonly box = viewChild.required(MatCheckbox);

  override focus(): void {
    this.box().focus();
  }
}
