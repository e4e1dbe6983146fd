import { Component, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, type MatDialog, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { map, of, switchMap, type Observable } from 'rxjs';
import type { Design, Field, Table } from '@heathridge/core/design';
import { fieldsToAdd } from '@heathridge/core/people';
import { startRow, type SavedRow, type SaveRequest } from '@heathridge/core/rows';
import type { Reading } from '@heathridge/core/values';
import { problemOf } from '../shared/problem';
import type { Fetch, Held } from './held';
import { ValueInputComponent } from './value-input.component';

export interface AddRow {
  readonly design: Design;
  readonly table: Table;
  /** What was typed where a choice was looked for. */
  readonly text: string;
  readonly reading: Reading;
  readonly fetch: Fetch;
  save(request: SaveRequest): Observable<{ saved: readonly SavedRow[] }>;
}

/** Adds a row to the table of a lookup, with what it cannot do without. */
@Component({
  selector: 'hr-add-row-dialog',
  imports: [MatButton, MatDialogModule, ValueInputComponent],
  template: `
    <h2 mat-dialog-title>New {{ data.table.label.toLowerCase() }}</h2>
    <mat-dialog-content class="body">
      @for (field of fields; track field.id) {
        <div class="field">
          <label [for]="'add-' + field.id"
            >{{ field.label }}
            @if (field.alwaysFilled) {
              <span class="must" aria-hidden="true">*</span
              ><span class="visually-hidden">, always filled</span>
            }
          </label>
          <hr-value-input
            [field]="field"
            [held]="held()[field.id] ?? { value: null }"
            [reading]="data.reading"
            [fetch]="data.fetch"
            [inputId]="'add-' + field.id"
            [message]="errors()[field.id] ?? ''"
            (changed)="take(field, $event)"
          />
        </div>
      }
      @if (problem()) {
        <p class="message" role="alert">{{ problem() }}</p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
      <button type="button" matButton="filled" [disabled]="busy()" (click)="done()">Add and choose it</button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      display: grid;
      gap: 12px;
      min-width: 380px;
    }
  `,
})
export class AddRowDialog {
  readonly data = inject<AddRow>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<AddRowDialog, SavedRow>>(MatDialogRef);
  readonly fields = fieldsToAdd(this.data.table);
  readonly held = signal<Readonly<Record<string, Held>>>(this.start());
  readonly errors = signal<Readonly<Record<string, string>>>({});
  readonly problem = signal('');
  readonly busy = signal(false);
  private wanted = false;

  take(field: Field, held: Held): void {
    this.held.update((all) => ({ ...all, [field.id]: held }));
    this.errors.update(({ [field.id]: _, ...others }) => others);
    if (this.wanted && held.sought !== true) this.done();
  }

  done(): void {
    const all = Object.values(this.held());
    // What is still looked up is waited for: then the row is added.
    this.wanted = all.some(({ sought }) => sought === true);
    if (this.wanted || this.busy() || all.some(({ problem }) => problem !== undefined)) return;
    const values = Object.fromEntries(Object.entries(this.held()).map(([id, { value }]) => [id, value]));
    this.busy.set(true);
    this.data.save({ changes: [{ op: 'insert', table: this.data.table.id, values }] }).subscribe({
      next: ({ saved }) => this.ref.close(saved[0]),
      error: (error: unknown) => {
        const { errors = [], detail } = problemOf(error);
        this.busy.set(false);
        const shown = errors.filter(({ field }) => this.fields.some(({ id }) => id === field));
        this.errors.set(Object.fromEntries(shown.map(({ field, message }) => [field!, message])));
        this.problem.set(
          shown.length === errors.length && shown.length > 0 ? '' : (errors[0]?.message ?? detail),
        );
      },
    });
  }

  private start(): Record<string, Held> {
    const { design, table, text, reading } = this.data;
    const values = startRow(design, table, { today: reading.today, now: `${reading.today}T00:00:00Z` });
    const first = this.fields.find(({ type }) => type.kind === 'text' || type.kind === 'longText');
    return Object.fromEntries(
      this.fields.map(({ id }) => [id, { value: id === first?.id ? text : (values[id] ?? null) }]),
    );
  }
}

/** Asks for a new row in a dialog; gives what the lookup field then holds, or null when nobody added one. */
export const addedRow = (
  dialog: MatDialog,
  data: AddRow,
  field: Field,
  fetch: Fetch,
): Observable<Held | null> =>
  dialog
    .open<AddRowDialog, AddRow, SavedRow>(AddRowDialog, { data })
    .afterClosed()
    .pipe(
      switchMap((saved) => {
        const value = saved?.key[0];
        if (value === undefined) return of(null);
        return fetch(field.id, { search: '', only: value }).pipe(
          map((choices): Held => ({ value, text: choices[0]?.[1] ?? data.text })),
        );
      }),
    );
