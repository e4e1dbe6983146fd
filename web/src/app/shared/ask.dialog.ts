import { Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MostDirective } from './most.directive';
import { SELECT } from './select';

export interface Question {
  readonly title: string;
  readonly label: string;
  readonly act: string;
  readonly value?: string;
  readonly hint?: string;
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
  imports: [MatButtonModule, MostDirective, FormsModule, MatDialogModule, SELECT],
  template: `
    <h2 mat-dialog-title>{{ data.title }}</h2>
    <form (ngSubmit)="done()">
      <mat-dialog-content class="body">
        @if (data.from; as from) {
          <div class="field">
            <span class="label" id="ask-from-label">{{ from.label }}</span>
            <mat-select
              id="ask-from"
              class="input"
              name="from"
              [ngModel]="from_()"
              (ngModelChange)="choose($event)"
              aria-labelledby="ask-from-label"
            >
              @for (option of from.options; track option.id) {
                <mat-option [value]="option.id">
                  {{ option.group ? option.group + ': ' : '' }}{{ option.label }}
                </mat-option>
              }
            </mat-select>
          </div>
        }
        <div class="field">
          <label for="ask-name">{{ data.label }}</label>
          <input
            id="ask-name"
            class="input"
            name="name"
            hrMost="60"
            autocomplete="off"
            cdkFocusInitial
            [ngModel]="name()"
            (ngModelChange)="typed($event)"
          />
          @if (data.hint) {
            <span class="soft small">{{ data.hint }}</span>
          }
        </div>
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
        <button type="submit" matButton="filled" [disabled]="name().trim() === ''">{{ data.act }}</button>
      </mat-dialog-actions>
    </form>
  `,
  styles: `
    .body {
      display: grid;
      gap: 14px;
      min-width: 380px;
    }
  `,
})
export class AskDialog {
  readonly data = inject<Question>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<AskDialog, Answer>>(MatDialogRef);
  private touched = this.data.value !== undefined;
  readonly from_ = signal(this.data.from?.options[0]?.id ?? '');
  readonly name = signal(this.data.value ?? this.data.from?.options[0]?.label ?? '');

  choose(id: string): void {
    this.from_.set(id);
    if (!this.touched) this.name.set(this.data.from?.options.find((option) => option.id === id)?.label ?? '');
  }

  typed(name: string): void {
    this.touched = true;
    this.name.set(name);
  }

  done(): void {
    if (this.name().trim() !== '') this.ref.close({ name: this.name().trim(), from: this.from_() });
  }
}
