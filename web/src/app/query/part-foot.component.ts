import { Component, input, output } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';

/** What stands at the foot of every panel in which a part of a sentence is changed: it is taken out, or done. */
@Component({
  selector: 'hr-part-foot',
  imports: [MatButton, MatIconButton, MatIconModule, MatTooltipModule],
  host: { class: 'row' },
  template: `
    <button matButton="outlined" class="compact danger" type="button" (click)="dropped.emit()">
      {{ drops() }}
    </button>
    <ng-content />
    @if (many() > 1) {
      @for (way of WAYS; track way.by) {
        <button
          matIconButton
          class="compact"
          type="button"
          [attr.aria-label]="way.label"
          [matTooltip]="way.label"
          [disabled]="way.by < 0 ? place() === 0 : place() === many() - 1"
          (click)="moved.emit(place() + way.by)"
        >
          <mat-icon [svgIcon]="way.icon" />
        </button>
      }
    }
    <span class="grow"></span>
    <button matButton="outlined" class="compact" type="button" (click)="done.emit()">Done</button>
  `,
})
export class PartFootComponent {
  readonly drops = input('Take out');
  /** Its place among how many of its sort; nothing is moved where there is no other. */
  readonly place = input(0);
  readonly many = input(0);
  readonly moved = output<number>();
  protected readonly WAYS = [
    { by: -1, label: 'Earlier', icon: 'arrow_back' },
    { by: 1, label: 'Later', icon: 'arrow_forward' },
  ];
  readonly dropped = output();
  readonly done = output();
}
