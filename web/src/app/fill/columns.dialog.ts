import { Component, inject, signal } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import type { GridView } from '@heathridge/core/rows';

type Column = GridView['columns'][number];

/** The columns of a grid, with how each is called. */
export interface Columns {
  readonly columns: readonly Column[];
  readonly label: (field: string) => string;
}

/** Which columns are shown, in which order, and which stay where they are: all of it by keyboard. */
@Component({
  selector: 'hr-columns-dialog',
  imports: [MatButton, MatCheckboxModule, MatDialogModule, MatIconButton, MatIconModule],
  template: `
    <h2 mat-dialog-title>Columns of this view</h2>
    <mat-dialog-content class="body">
      <ol>
        @for (column of columns(); track column.field; let i = $index) {
          <li>
            <mat-checkbox [checked]="!column.hidden" (change)="set(i, { hidden: !$event.checked })">{{
              data.label(column.field)
            }}</mat-checkbox>
            <mat-checkbox
              [checked]="column.frozen"
              [disabled]="column.hidden"
              [aria-label]="data.label(column.field) + ' stays in sight'"
              (change)="set(i, { frozen: $event.checked })"
              >stays in sight</mat-checkbox
            >
            <button
              matIconButton
              type="button"
              [disabled]="i === 0"
              [attr.aria-label]="'Move ' + data.label(column.field) + ' up'"
              (click)="move(i, -1)"
            >
              <mat-icon svgIcon="arrow_upward" />
            </button>
            <button
              matIconButton
              type="button"
              [disabled]="i === columns().length - 1"
              [attr.aria-label]="'Move ' + data.label(column.field) + ' down'"
              (click)="move(i, 1)"
            >
              <mat-icon svgIcon="arrow_downward" />
            </button>
          </li>
        }
      </ol>
      @if (none()) {
        <p class="bad" role="alert">At least one column is shown.</p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
      <button type="button" matButton="filled" [disabled]="none()" [mat-dialog-close]="columns()">
        Show so
      </button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      width: 480px;
      max-width: 100%;
    }
    ol {
      margin: 0;
      padding: 0;
      list-style: none;
    }
    li {
      display: grid;
      grid-template-columns: minmax(0, 1fr) auto auto auto;
      align-items: center;
      gap: 6px;
    }
  `,
})
export class ColumnsDialog {
  readonly data = inject<Columns>(MAT_DIALOG_DATA);
  readonly columns = signal<readonly Column[]>(this.data.columns);

  none(): boolean {
    return this.columns().every(({ hidden }) => hidden);
  }

  set(place: number, change: Partial<Column>): void {
    this.columns.update((all) => all.map((column, i) => (i === place ? { ...column, ...change } : column)));
  }

  move(place: number, by: -1 | 1): void {
    const all = [...this.columns()];
    const [column] = all.splice(place, 1);
    all.splice(place + by, 0, column!);
    this.columns.set(all);
  }
}
