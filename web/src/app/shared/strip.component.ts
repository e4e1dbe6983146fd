import { Component, input } from '@angular/core';
import { MatIconModule } from '@angular/material/icon';

/** A strip across a page or a dialog that says what went wrong, as soon as it is there. */
@Component({
  selector: 'hr-strip',
  imports: [MatIconModule],
  host: { role: 'alert' },
  template: `<mat-icon svgIcon="error" />
    <p>{{ text() }}</p>
    <ng-content />`,
  styles: `
    :host {
      display: flex;
      align-items: center;
      gap: 8px;
      min-width: 0;
      padding: 8px 12px;
      border-radius: var(--hr-corner);
      background: var(--hr-rust-tint);
      color: var(--hr-rust-deep);
      font-size: var(--hr-text-note);
    }
    p {
      flex: 1;
      min-width: 0;
      overflow-wrap: anywhere;
    }
  `,
})
export class StripComponent {
  readonly text = input.required<string>();
}
