import { Directive, inject } from '@angular/core';
import { MatAutocompleteModule, MatAutocompleteTrigger } from '@angular/material/autocomplete';

/**
 * A list of choices that is asked for when somebody comes to its line opens whenever the answer is there. Who has pressed
 * Escape meanwhile does not want it any more: Material only hears that key once something is offered.
 */
@Directive({ selector: 'input[matAutocomplete]', host: { '(keydown.escape)': 'close()' } })
export class CloseUnopenedDirective {
  private readonly trigger = inject(MatAutocompleteTrigger);

  protected close(): void {
    if (!this.trigger.panelOpen) this.trigger.closePanel();
  }
}

/** What a component needs that offers a list of choices beneath a line to type in. */
export const CHOICES_LIST = [MatAutocompleteModule, CloseUnopenedDirective] as const;
