import { Component } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';

/** Stands where a part of a page was to be whose code did not come: the line is gone, or the server is newer. */
@Component({
  selector: 'hr-not-read',
  imports: [MatButtonModule],
  template: `
    <p role="alert">This part of the page could not be read from the server.</p>
    <button matButton="outlined" class="compact" type="button" (click)="reload()">Read the page again</button>
  `,
  styles: `
    :host {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      align-items: center;
      padding: 8px 18px;
    }
    p {
      margin: 0;
    }
  `,
})
export class NotReadComponent {
  reload(): void {
    location.reload();
  }
}
