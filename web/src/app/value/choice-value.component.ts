import { Component, computed, forwardRef, viewChild } from '@angular/core';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelect } from '@angular/material/select';
import { SELECT } from '../shared/select';
import { ValuePart } from './value-part';

/** A choice out of a list that drops down. */
@Component({
  selector: 'hr-choice-value',
  imports: [MatFormFieldModule, SELECT],
  providers: [{ provide: ValuePart, useExisting: forwardRef(() => ChoiceValueComponent) }],
  template: `
    <mat-form-field [class.read]="at.readonly()">
      <mat-select
        [id]="at.inputId()"
        [disabled]="at.readonly()"
        [aria-label]="at.label() ?? at.field().label"
        [hrWrong]="at.wrong()"
        [value]="at.held().value ?? ''"
        (selectionChange)="at.emit({ value: $event.value || null })"
      >
        <mat-option value=""><span class="visually-hidden">none</span></mat-option>
        @for (choice of choices(); track choice) {
          <mat-option [value]="choice">{{ choice }}</mat-option>
        }
      </mat-select>
      @if (at.says()) {
        <mat-error>{{ at.says() }}</mat-error>
      }
    </mat-form-field>
  `,
})
export class ChoiceValueComponent extends ValuePart {
  private readonly list = viewChild.required(MatSelect);
  /** A value that is no choice any more still shows. */
  protected readonly choices = computed(() => {
    const { type } = this.at.field();
    const { value } = this.at.held();
    const choices = type.kind === 'choice' ? type.choices : [];
    return typeof value === 'string' && !choices.includes(value) ? [...choices, value] : choices;
  });

  override focus(): void {
    this.list().focus();
  }
}
