import { Component, input, output } from '@angular/core';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { LineComponent } from '../shared/line.component';

/** A change of what stands beside a part of a sentence. */
export interface Aside {
  readonly off?: boolean;
  readonly note?: string;
}

/** Leaves a part of a sentence out for now, and keeps a note beside it. */
@Component({
  selector: 'hr-aside',
  imports: [LineComponent, MatCheckboxModule],
  template: `
    <mat-checkbox [checked]="off()" (change)="changed.emit({ off: $event.checked })"
      >Leave it out for now</mat-checkbox
    >
    <hr-line label="Note" most="300" [value]="note()" (changed)="changed.emit({ note: $event.trim() })" />
  `,
  styles: `
    :host {
      display: grid;
      gap: 6px;
    }
  `,
})
export class AsideComponent {
  readonly off = input(false);
  readonly note = input('');
  readonly changed = output<Aside>();
}
