import { booleanAttribute, Component, input, output } from '@angular/core';
import { MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';

/** Undoing what was done step by step on a design surface, and doing it again. */
@Component({
  selector: 'hr-steps',
  imports: [MatIconButton, MatIconModule, MatTooltipModule],
  template: `
    <button
      matIconButton
      type="button"
      matTooltip="Undo (Ctrl+Z)"
      aria-label="Undo"
      [disabled]="!back()"
      (click)="undone.emit()"
    >
      <mat-icon svgIcon="undo" />
    </button>
    <button
      matIconButton
      type="button"
      matTooltip="Do again (Ctrl+Y)"
      aria-label="Do again"
      [disabled]="!forth()"
      (click)="redone.emit()"
    >
      <mat-icon svgIcon="redo" />
    </button>
  `,
})
export class StepsComponent {
  /** Whether there is a step to undo, and one to do again. */
  readonly back = input(false, { transform: booleanAttribute });
  readonly forth = input(false, { transform: booleanAttribute });
  readonly undone = output();
  readonly redone = output();
}
