import { Component, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import type { Kept } from '@heathridge/core/design';

/** What an adopted file brought along that has no definition, as the SQL it is. */
@Component({
  selector: 'hr-kept-dialog',
  imports: [MatButton, MatDialogModule],
  template: `
    <h2 mat-dialog-title>Kept as SQL</h2>
    <mat-dialog-content class="body">
      <p class="soft">
        These came with the file and cannot be said in Heathridge’s own terms. They go on working; a draft
        that does not go with one of them is stopped.
      </p>
      <ul class="plain-list">
        @for (item of data; track item.id) {
          <li [class.gone]="gone().includes(item.id)">
            <div class="row">
              <strong class="grow">{{ item.name }}</strong>
              <span class="tag">{{ item.what }}</span>
              <button matButton="outlined" class="compact" type="button" (click)="toggle(item.id)">
                {{ gone().includes(item.id) ? 'Keep it' : 'Let go of it' }}
              </button>
            </div>
            <pre class="code">{{ item.sql }}</pre>
          </li>
        }
      </ul>
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="filled" (click)="ref.close(gone())">
        {{ gone().length > 0 ? 'Add to the draft' : 'Close' }}
      </button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      min-width: 520px;
      max-height: 60vh;
    }
    li {
      padding: 8px 0;
      border-bottom: 1px solid var(--hr-line);
    }
    .gone pre,
    .gone strong {
      text-decoration: line-through;
      color: var(--hr-soft);
    }
    pre {
      margin: 4px 0 0;
      white-space: pre-wrap;
      font-size: var(--hr-text-label);
    }
  `,
})
export class KeptDialog {
  readonly data = inject<readonly Kept[]>(MAT_DIALOG_DATA);
  readonly ref = inject<MatDialogRef<KeptDialog, readonly string[]>>(MatDialogRef);
  readonly gone = signal<readonly string[]>([]);

  toggle(id: string): void {
    this.gone.update((gone) => (gone.includes(id) ? gone.filter((other) => other !== id) : [...gone, id]));
  }
}
