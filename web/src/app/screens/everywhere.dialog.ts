import { Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import type { Design, Field, Form, Report, Table } from '@heathridge/core/design';
import { couldShow, withFields } from '@heathridge/core/documents';

/** Fields of a table that are not on the form at hand. */
export interface NotPlaced {
  readonly design: Design;
  readonly table: Table;
  readonly fields: readonly Field[];
}

/** Puts fields of a table on all forms and reports that are ticked, at once. */
@Component({
  selector: 'hr-everywhere',
  imports: [MatButton, MatCheckboxModule, MatDialogModule],
  template: `
    <h2 mat-dialog-title>Put fields of {{ data.table.plural.toLowerCase() }} on forms and reports</h2>
    <mat-dialog-content class="body">
      <div class="field" role="group" aria-label="Fields">
        <span class="label">Fields</span>
        @for (field of data.fields; track field.id) {
          <mat-checkbox [checked]="chosen().has(field.id)" (change)="choose(field.id)">{{
            field.label
          }}</mat-checkbox>
        }
      </div>
      <div class="field" role="group" aria-label="Where to put them">
        <span class="label">Where to put them</span>
        @for (place of places(); track place.id) {
          <mat-checkbox [checked]="!without().has(place.id)" (change)="leave(place.id)"
            >{{ place.label }} <span class="soft">{{ place.type === 'form' ? 'screen' : 'report' }}</span>
          </mat-checkbox>
        } @empty {
          <span class="soft">Every form and report of these rows shows them already.</span>
        }
      </div>
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
      <button type="button" matButton="filled" [disabled]="wanted().length === 0" (click)="done()">
        Put them there
      </button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      display: grid;
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
      gap: 14px 24px;
      min-width: min(520px, 80vw);
    }
  `,
})
export class EverywhereDialog {
  readonly data = inject<NotPlaced>(MAT_DIALOG_DATA);
  private readonly self = inject<MatDialogRef<EverywhereDialog, readonly (Form | Report)[]>>(MatDialogRef);
  readonly chosen = signal<ReadonlySet<string>>(new Set(this.data.fields.map(({ id }) => id)));
  readonly without = signal<ReadonlySet<string>>(new Set());
  private readonly fields = computed(() => this.data.fields.filter(({ id }) => this.chosen().has(id)));
  readonly places = computed(() => couldShow(this.data.design, this.data.table, this.fields()));
  readonly wanted = computed(() => this.places().filter(({ id }) => !this.without().has(id)));

  choose(id: string): void {
    this.chosen.update((known) => turned(known, id));
  }

  leave(id: string): void {
    this.without.update((known) => turned(known, id));
  }

  done(): void {
    const { design, table } = this.data;
    this.self.close(this.wanted().map((document) => withFields(design, document, table, this.fields())));
  }
}

/** A set with an id, or without it where it is there. */
function turned(known: ReadonlySet<string>, id: string): ReadonlySet<string> {
  const next = new Set(known);
  if (!next.delete(id)) next.add(id);
  return next;
}
