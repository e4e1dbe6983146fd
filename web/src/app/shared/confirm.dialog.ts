import { Component, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';

export interface Confirmation {
  readonly title: string;
  readonly text: string;
  /** More that is to be known before it is done, one after another. */
  readonly lines?: readonly string[];
  /** What the button that does it says; none where it cannot be done. */
  readonly act?: string;
  readonly stay: string;
  readonly danger?: boolean;
}

@Component({
  selector: 'hr-confirm',
  imports: [MatButton, MatDialogModule],
  template: `
    <h2 mat-dialog-title>{{ data.title }}</h2>
    <mat-dialog-content>
      <p>{{ data.text }}</p>
      @if (data.lines?.length) {
        <ul>
          @for (line of data.lines; track $index) {
            <li>{{ line }}</li>
          }
        </ul>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button matButton="outlined" [mat-dialog-close]="false" cdkFocusInitial>{{ data.stay }}</button>
      @if (data.act) {
        <button
          matButton="outlined"
          [class.danger]="data.danger"
          [class.act]="!data.danger"
          [mat-dialog-close]="true"
        >
          {{ data.act }}
        </button>
      }
    </mat-dialog-actions>
  `,
  styles: `
    p {
      margin: 0;
    }
    ul {
      display: grid;
      gap: 4px;
      margin: 10px 0 0;
      padding-inline-start: 20px;
    }
  `,
})
export class ConfirmDialog {
  readonly data = inject<Confirmation>(MAT_DIALOG_DATA);
}
