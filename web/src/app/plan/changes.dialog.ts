import { Component, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MAT_DIALOG_DATA } from '@angular/material/dialog';
import type { Design } from '@heathridge/core/design';
import { showValue, type Locale } from '@heathridge/core/values';
import { Api, type AppliedChange, type AppliedChanges } from '../shared/api.service';
import { problemOf } from '../shared/problem';
import { sizeText } from '../shared/size';
import { changeWords } from '../file/describe';

type Copies = AppliedChanges['copies'];

export interface ChangesData {
  readonly file: string;
  readonly design: Design;
  readonly locale: Locale;
}

/** The design changes that were applied to the file, who did it and when; the newest can be undone. */
@Component({
  selector: 'hr-changes-dialog',
  imports: [MatButton, MatDialogModule],
  template: `
    <h2 mat-dialog-title>Applied changes</h2>
    <mat-dialog-content class="body">
      @if (problem()) {
        <p class="message" role="alert">{{ problem() }}</p>
      }
      @if (changes(); as list) {
        <ol class="plain-list">
          @for (item of list; track item.version) {
            <li [class.undone]="item.undoneAt !== null">
              <div class="row">
                <strong>{{ item.what === 'draft undone' ? 'Undone' : 'Applied' }}</strong>
                <span class="soft">{{ when(item.at) }} · {{ item.by }}</span>
                <span class="grow"></span>
                @if (item.undoneAt !== null) {
                  <span class="tag">undone by {{ item.undoneBy }}</span>
                } @else if (item.canUndo) {
                  <button
                    matButton="outlined"
                    class="compact"
                    type="button"
                    (click)="ref.close(item.version)"
                  >
                    Undo this
                  </button>
                }
              </div>
              @for (line of lines(item); track $index) {
                <p class="small">{{ line }}</p>
              }
            </li>
          } @empty {
            <li class="soft">Nothing has been applied yet.</li>
          }
        </ol>
      } @else if (!problem()) {
        <p class="soft">Reading …</p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <span class="soft small note"
        >Undoing brings back structure, definitions and rows; what people wrote since stays.
        @if (copies(); as kept) {
          {{ copyWords(kept) }}
        }
      </span>
      <button type="button" matButton="outlined" mat-dialog-close>Close</button>
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
    .undone p {
      text-decoration: line-through;
      color: var(--hr-soft);
    }
    .note {
      margin-right: auto;
      flex: 1;
      text-align: left;
    }
  `,
})
export class ChangesDialog {
  private readonly api = inject(Api);
  private readonly data = inject<ChangesData>(MAT_DIALOG_DATA);
  readonly ref = inject<MatDialogRef<ChangesDialog, number>>(MatDialogRef);
  readonly changes = signal<readonly AppliedChange[] | null>(null);
  readonly copies = signal<Copies | null>(null);
  readonly problem = signal('');

  constructor() {
    this.api.changes(this.data.file).subscribe({
      next: ({ changes, copies }) => {
        this.changes.set(changes);
        this.copies.set(copies);
      },
      error: (error: unknown) => this.problem.set(problemOf(error).detail),
    });
  }

  when(at: string): string {
    return showValue({ kind: 'dateTime' }, at, this.data.locale);
  }

  copyWords({ count, bytes, always, days }: Copies): string {
    const copies = count === 1 ? 'One safe copy is' : `${count} safe copies are`;
    return `${copies} kept (${sizeText(bytes)}): the newest ${always} always, older ones for ${days} days.`;
  }

  lines({ changes, names }: AppliedChange): string[] {
    const all = changes.map((change) => changeWords(this.data.design, change, names));
    return all.length > 8 ? [...all.slice(0, 8), `and ${all.length - 8} more`] : all;
  }
}
