import { Component, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';

export interface Confirmation {
  readonly title: string;
  readonly text: string;
  readonly act: string;
  readonly stay: string;
  readonly danger?: boolean;
}

@Component({
  selector: 'hr-confirm',
  imports: [MatButton, MatDialogModule],
  template: `
    <h2 mat-dialog-title>{{ data.title }}</h2>
    <mat-dialog-content>{{ data.text }}</mat-dialog-content>
    <mat-dialog-actions align="end">
      <button matButton="outlined" [mat-dialog-close]="false" cdkFocusInitial>{{ data.stay }}</button>
      <button
        matButton="outlined"
        [class.danger]="data.danger"
        [class.act]="!data.danger"
        [mat-dialog-close]="true"
      >
        {{ data.act }}
      </button>
    </mat-dialog-actions>
  `,
})
export class ConfirmDialog {
  readonly data = inject<Confirmation>(MAT_DIALOG_DATA);
}
