import { Component, input, output } from '@angular/core';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { newId } from './ids';

/** A few choices side by side, of which one holds; or none, where what is picked differs. */
@Component({
  selector: 'hr-segments',
  imports: [MatButtonToggleModule],
  host: { class: 'field' },
  template: `
    @if (label()) {
      <span class="label" [id]="id">{{ label() }}</span>
    }
    <mat-button-toggle-group
      hideSingleSelectionIndicator
      [attr.aria-labelledby]="label() ? id : null"
      [attr.aria-label]="label() ? null : about()"
      [value]="value()"
      (change)="changed.emit($event.value)"
    >
      @for (choice of choices(); track choice[0]) {
        <mat-button-toggle [value]="choice[0]">{{ choice[1] }}</mat-button-toggle>
      }
    </mat-button-toggle-group>
  `,
  styles: `
    mat-button-toggle {
      flex: 1;
      text-align: center;
    }
  `,
})
export class SegmentsComponent<T extends string | number | boolean> {
  readonly label = input('');
  /** What those hear who listen, where no label is to be seen. */
  readonly about = input('');
  readonly choices = input.required<readonly (readonly [value: T, label: string])[]>();
  readonly value = input.required<T | null>();
  readonly changed = output<T>();
  protected readonly id = newId('segments');
}
