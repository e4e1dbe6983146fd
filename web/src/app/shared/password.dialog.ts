import { Component, inject, signal } from '@angular/core';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { LEAST_PASSWORD, Password } from '@heathridge/core/people';
import { Api } from './api.service';
import { bySchema, refuse } from './by-schema';
import { LineComponent } from './line.component';
import { problemOf } from './problem';

/** Another password for whoever is signed in. */
@Component({
  selector: 'hr-password',
  imports: [LineComponent, MatButton, MatDialogModule, ReactiveFormsModule],
  template: `
    <h2 mat-dialog-title>Change password</h2>
    <form [formGroup]="form" (ngSubmit)="done()">
      <mat-dialog-content class="body">
        <hr-line
          first
          label="The password you have"
          type="password"
          autocomplete="current-password"
          formControlName="current"
        />
        <hr-line
          [label]="'Another one, ' + least + ' characters or more'"
          type="password"
          autocomplete="new-password"
          formControlName="next"
        />
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
        <button type="submit" matButton="filled" [disabled]="busy()">Change it</button>
      </mat-dialog-actions>
    </form>
  `,
  styles: `
    .body {
      display: grid;
      gap: 14px;
      min-width: 340px;
    }
  `,
})
export class PasswordDialog {
  private readonly api = inject(Api);
  private readonly ref = inject<MatDialogRef<PasswordDialog, boolean>>(MatDialogRef);
  readonly least = LEAST_PASSWORD;
  readonly busy = signal(false);
  readonly form = new FormGroup({
    current: new FormControl('', { nonNullable: true }),
    next: new FormControl('', { nonNullable: true, validators: bySchema(Password) }),
  });

  done(): void {
    this.form.markAllAsTouched();
    if (this.form.invalid) return;
    const { current, next } = this.form.getRawValue();
    this.busy.set(true);
    this.api.changePassword(current, next).subscribe({
      next: () => this.ref.close(true),
      error: (error: unknown) => {
        this.busy.set(false);
        refuse(this.form.controls.current, problemOf(error).detail);
      },
    });
  }
}
