import { Directive, effect, inject, input } from '@angular/core';
import { MatInput } from '@angular/material/input';

/**
 * Says of a line of Material that what stands in it is wrong, whoever has found that out: its form field then shows
 * the `mat-error`s in it, and those who listen hear them with the line.
 */
@Directive({ selector: '[matInput][hrWrong]' })
export class WrongDirective {
  readonly hrWrong = input.required<boolean>();

  constructor() {
    const line = inject(MatInput, { self: true });
    effect(() => {
      line.errorState = this.hrWrong();
      line.stateChanges.next();
    });
  }
}
