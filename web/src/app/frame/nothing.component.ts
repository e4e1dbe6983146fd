import { Component, input } from '@angular/core';

/** What stands on a page on which there is nothing yet: why, and (as its content) what to do. */
@Component({
  selector: 'hr-nothing',
  template: `
    <p>{{ text() }}</p>
    <ng-content />
  `,
  styles: `
    :host {
      display: grid;
      place-content: center;
      justify-items: center;
      gap: 12px;
      padding: 40px 24px;
      color: var(--hr-soft);
      text-align: center;
    }
  `,
})
export class NothingComponent {
  readonly text = input.required<string>();
}
