import { Component, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';

/** What stands at the foot of every panel in which a part of a sentence is changed: it is taken out, or done. */
@Component({
  selector: 'hr-part-foot',
  imports: [MatButton],
  host: { class: 'row' },
  template: `
    <button matButton="outlined" class="compact danger" type="button" (click)="dropped.emit()">
      {{ drops() }}
    </button>
    <ng-content />
    <span class="grow"></span>
    <button matButton="outlined" class="compact" type="button" (click)="done.emit()">Done</button>
  `,
})
export class PartFootComponent {
  readonly drops = input('Take out');
  readonly dropped = output();
  readonly done = output();
}
