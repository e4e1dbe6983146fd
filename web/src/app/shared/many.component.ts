import { Component, input, output } from '@angular/core';
import { newId } from './ids';
import { SELECT } from './select';
import type { Option } from './select.component';

/** A list that drops down in which several may be chosen, with its label above it. */
@Component({
  selector: 'hr-many',
  imports: [SELECT],
  host: { class: 'field' },
  template: `
    <span class="label" [id]="id">{{ label() }}</span>
    <mat-form-field>
      <mat-select
        multiple
        [value]="value()"
        [placeholder]="none()"
        [aria-labelledby]="id"
        (selectionChange)="changed.emit($event.value)"
      >
        @for (option of options(); track option.id) {
          <mat-option [value]="option.id">{{ option.label }}</mat-option>
        }
      </mat-select>
    </mat-form-field>
  `,
})
export class ManyComponent {
  readonly label = input.required<string>();
  readonly options = input.required<readonly Option[]>();
  readonly value = input.required<readonly string[]>();
  /** What stands there where nothing is chosen. */
  readonly none = input('none');
  readonly changed = output<string[]>();
  protected readonly id = newId('many');
}
