import { Component, inject } from '@angular/core';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';

export interface Adopted {
  readonly name: string;
  readonly notes: readonly string[];
}

/** What was read otherwise than as it stood when a file was taken in. */
@Component({
  selector: 'hr-adopted-dialog',
  imports: [MatDialogModule],
  template: `
    <h2 mat-dialog-title>{{ data.name }} is taken in</h2>
    <mat-dialog-content class="body">
      @if (data.notes.length === 0) {
        <p>Every table, key, link and rule was read as it stood.</p>
      } @else {
        <p>All rows are here. This was read otherwise than as it stood, or is kept as it is:</p>
        <ul>
          @for (note of data.notes; track $index) {
            <li>{{ note }}</li>
          }
        </ul>
      }
      <p class="soft small">The file as it came is kept beside the safe copies.</p>
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" class="btn act" mat-dialog-close cdkFocusInitial>Go to its plan</button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      max-width: 560px;
      max-height: 60vh;
    }
    ul {
      padding-left: 20px;
    }
    li {
      margin: 4px 0;
      overflow-wrap: anywhere;
    }
  `,
})
export class AdoptedDialog {
  readonly data = inject<Adopted>(MAT_DIALOG_DATA);
}
