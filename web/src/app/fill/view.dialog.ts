import { Component, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { LineComponent } from '../shared/line.component';
import { SegmentsComponent } from '../shared/segments.component';

/** What a view is kept as. */
export interface Keeping {
  readonly name: string;
  readonly everyone: boolean;
}

/** Asks under which name a view is kept, and for whom. */
@Component({
  selector: 'hr-view-dialog',
  imports: [LineComponent, MatButton, MatDialogModule, SegmentsComponent],
  template: `
    <h2 mat-dialog-title>Keep this view</h2>
    <mat-dialog-content class="body">
      <p class="soft">Its columns, their order and widths, how rows are sorted and which are shown.</p>
      <hr-line
        first
        label="Name of the view"
        [most]="60"
        [value]="name()"
        [problem]="problem()"
        (typed)="name.set($event)"
        (keydown.enter)="keep()"
      />
      <hr-segments
        label="Kept for"
        [choices]="[
          [false, 'me alone'],
          [true, 'everyone'],
        ]"
        [value]="everyone()"
        (changed)="everyone.set($event)"
      />
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
      <button type="button" matButton="filled" (click)="keep()">Keep</button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      display: grid;
      gap: 12px;
      width: 380px;
      max-width: 100%;
    }
  `,
})
export class ViewDialog {
  private readonly ref = inject<MatDialogRef<ViewDialog, Keeping>>(MatDialogRef);
  private readonly known = inject<Keeping | null>(MAT_DIALOG_DATA);
  readonly name = signal(this.known?.name ?? '');
  readonly everyone = signal(this.known?.everyone ?? false);
  readonly problem = signal('');

  keep(): void {
    const name = this.name().trim();
    this.problem.set(name === '' ? 'A view needs a name.' : '');
    if (name !== '') this.ref.close({ name, everyone: this.everyone() });
  }
}
