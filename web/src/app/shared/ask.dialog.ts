import { Component, inject } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { Label } from '@heathridge/core/design';
import { bySchema } from './by-schema';
import { LineComponent } from './line.component';
import { SelectComponent, type Option } from './select.component';
import { StripComponent } from './strip.component';

export interface Question {
  readonly title: string;
  readonly label: string;
  readonly act: string;
  readonly value?: string;
  readonly hint?: string;
  /** Why what was given before is not taken. */
  readonly problem?: string;
  /** Some dialogs ask what it is made from too. */
  readonly from?: {
    readonly label: string;
    readonly options: readonly { readonly id: string; readonly label: string; readonly group?: string }[];
  };
}

export interface Answer {
  readonly name: string;
  readonly from: string;
}

/** Asks for a name, and where wanted for what the new thing is made from. */
@Component({
  selector: 'hr-ask',
  imports: [LineComponent, MatButton, MatDialogModule, ReactiveFormsModule, SelectComponent, StripComponent],
  template: `
    <h2 mat-dialog-title>{{ data.title }}</h2>
    <form [formGroup]="form" (ngSubmit)="done()">
      <mat-dialog-content class="body">
        @if (data.problem) {
          <hr-strip [text]="data.problem" />
        }
        @if (data.from; as from) {
          <hr-select [label]="from.label" [options]="options" formControlName="from" />
        }
        <hr-line first [label]="data.label" [hint]="data.hint ?? ''" formControlName="name" />
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
        <button type="submit" matButton="filled">{{ data.act }}</button>
      </mat-dialog-actions>
    </form>
  `,
  styles: `
    .body {
      display: grid;
      gap: 14px;
      width: 420px;
      max-width: 100%;
    }
  `,
})
export class AskDialog {
  readonly data = inject<Question>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<AskDialog, Answer>>(MatDialogRef);
  readonly options = (this.data.from?.options ?? []).map(({ id, label, group }): Option => ({
    id,
    label: group ? `${group}: ${label}` : label,
  }));
  readonly form = new FormGroup({
    from: new FormControl(this.data.from?.options[0]?.id ?? '', { nonNullable: true }),
    name: new FormControl(this.data.value ?? this.data.from?.options[0]?.label ?? '', {
      nonNullable: true,
      validators: bySchema(Label),
    }),
  });

  constructor() {
    const { from, name } = this.form.controls;
    // A name that nobody has written yet goes with what the new thing is made from.
    from.valueChanges.pipe(takeUntilDestroyed()).subscribe((id) => {
      const label = this.data.from?.options.find((option) => option.id === id)?.label ?? '';
      if (!name.dirty && this.data.value === undefined) name.setValue(label);
    });
  }

  done(): void {
    this.form.markAllAsTouched();
    const { name, from } = this.form.getRawValue();
    if (this.form.valid) this.ref.close({ name: name.trim(), from });
  }
}
