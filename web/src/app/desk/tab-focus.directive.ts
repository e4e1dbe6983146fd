import { Directive } from '@angular/core';

/**
 * A tab has the focus once it is clicked, and not when the mouse goes down: with the focus one at the edge comes into
 * sight, and the mouse would be let go over another.
 */
@Directive({
  selector: '[hrTabFocus]',
  host: { '(mousedown)': '$event.preventDefault()', '(click)': 'focus($event)' },
})
export class TabFocusDirective {
  protected focus({ target }: Event): void {
    (target as HTMLElement).closest('a')?.focus();
  }
}
