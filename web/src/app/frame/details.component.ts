import { Component } from '@angular/core';

/** The panel at the right of a design surface: everything about what is picked there, as short phrases. */
@Component({
  selector: 'hr-details',
  host: { role: 'complementary', 'aria-label': 'Details' },
  template: '<ng-content />',
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      align-items: flex-start;
      gap: 14px;
      padding: 18px;
      overflow: auto;
      border-left: 1px solid var(--hr-line);
      background: var(--hr-paper);
    }
  `,
})
export class DetailsComponent {}
