import { Component, inject, signal } from '@angular/core';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { boardFrom } from '@heathridge/core/board';
import { Label, MOST_ON_BOARD, type Board, type Design } from '@heathridge/core/design';
import { bySchema } from '../shared/by-schema';
import { newId } from '../shared/ids';
import { LineComponent } from '../shared/line.component';

/** Screens that are put on a new board at once, at most: each may bring its number along. */
const MOST_AT_ONCE = MOST_ON_BOARD / 2;

/** A board made in one step of the screens that are ticked. */
@Component({
  selector: 'hr-new-board',
  imports: [LineComponent, MatButton, MatCheckboxModule, MatDialogModule, ReactiveFormsModule],
  template: `
    <h2 mat-dialog-title>New board</h2>
    <form [formGroup]="form" (ngSubmit)="done()">
      <mat-dialog-content class="body">
        <div class="field" role="group" aria-label="Screens that stand on it">
          <span class="label">Screens that stand on it</span>
          @for (screen of design.forms; track screen.id) {
            <mat-checkbox
              [checked]="ticked().has(screen.id)"
              [disabled]="!ticked().has(screen.id) && ticked().size >= most"
              (change)="tick(screen.id)"
              >{{ screen.label }}</mat-checkbox
            >
          }
        </div>
        <p class="soft small">
          Their rows stand side by side, with a number for each list that is watched. What they have in common
          narrows them together. All of that can be changed afterwards.
        </p>
        <hr-line label="What is it called on the Desk?" formControlName="name" />
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
        <button type="submit" matButton="filled">Make it</button>
      </mat-dialog-actions>
    </form>
  `,
  styles: `
    .body {
      display: grid;
      gap: 12px;
      max-width: 420px;
    }
  `,
})
export class NewBoardDialog {
  readonly design = inject<{ readonly design: Design }>(MAT_DIALOG_DATA).design;
  private readonly ref = inject<MatDialogRef<NewBoardDialog, Board>>(MatDialogRef);
  readonly most = MOST_AT_ONCE;
  readonly ticked = signal<ReadonlySet<string>>(new Set());
  readonly form = new FormGroup({
    name: new FormControl(this.free('Board'), { nonNullable: true, validators: bySchema(Label) }),
  });

  /** A name that no screen and no board has. */
  private free(name: string): string {
    const { forms, boards } = this.design;
    const taken = new Set([...forms, ...boards].map(({ label }) => label.toLowerCase()));
    for (let i = 1; ; i++) {
      const tried = i === 1 ? name : `${name} ${i}`;
      if (!taken.has(tried.toLowerCase())) return tried;
    }
  }

  tick(id: string): void {
    this.ticked.update(
      (known) => new Set(known.has(id) ? [...known].filter((other) => other !== id) : [...known, id]),
    );
  }

  done(): void {
    this.form.markAllAsTouched();
    if (this.form.invalid) return;
    const screens = this.design.forms.filter(({ id }) => this.ticked().has(id));
    const label = this.form.getRawValue().name.trim();
    this.ref.close(boardFrom(this.design, newId('h'), label, screens, () => newId('k')));
  }
}
