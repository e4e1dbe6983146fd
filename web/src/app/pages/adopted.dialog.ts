import { Component, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';
import { MatTableModule } from '@angular/material/table';
import type { AdoptedFile } from '../shared/api.service';

export interface Adopted extends Omit<AdoptedFile, 'id'> {
  readonly name: string;
}

const number = (value: number): string => value.toLocaleString('en-GB');
const counted = (value: number, one: string, more: string): string =>
  `${number(value)} ${value === 1 ? one : more}`;

/** What is counted of each table, and how it is headed. */
const COUNTS = [
  ['there', 'Rows there'],
  ['here', 'Rows here'],
  ['compared', 'Values compared'],
] as const;

/** What was read otherwise than as it stood when a file was taken in, and what was compared. */
@Component({
  selector: 'hr-adopted-dialog',
  imports: [MatTableModule, MatButton, MatDialogModule],
  template: `
    <h2 mat-dialog-title>{{ data.name }} is taken in</h2>
    <mat-dialog-content class="body" tabindex="0">
      @if (data.tables.length > 0) {
        <p>{{ summary }}</p>
      }
      @if (data.notes.length === 0) {
        <p>Every table, key, link and rule was read as it stood.</p>
      } @else {
        <p>This was read otherwise than as it stood, or is kept as it is:</p>
        <ul>
          @for (note of data.notes; track $index) {
            <li>{{ note }}</li>
          }
        </ul>
      }
      @if (data.tables.length > 0) {
        <table mat-table class="facts" [dataSource]="tables">
          <ng-container matColumnDef="table">
            <th *matHeaderCellDef mat-header-cell scope="col">Table</th>
            <th *matCellDef="let table" mat-cell scope="row">
              {{ table.table }}
              @if (table.from !== table.table) {
                <span class="soft small">was {{ table.from }}</span>
              }
            </th>
          </ng-container>
          @for (column of counts; track column[0]) {
            <ng-container [matColumnDef]="column[0]">
              <th *matHeaderCellDef mat-header-cell scope="col" class="number">{{ column[1] }}</th>
              <td *matCellDef="let table" mat-cell class="number">{{ shown(table[column[0]]) }}</td>
            </ng-container>
          }
          <tr *matHeaderRowDef="columns; sticky: true" mat-header-row></tr>
          <tr *matRowDef="let table; columns: columns" mat-row></tr>
        </table>
      }
      <p class="soft small">The file as it came is kept beside the safe copies.</p>
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="filled" mat-dialog-close cdkFocusInitial>Go to its plan</button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      width: 620px;
      max-width: 100%;
      max-height: 60vh;
    }
    p {
      margin: 0 0 8px;
    }
    ul {
      margin: 0 0 12px;
      padding-left: 20px;
    }
    li {
      margin: 4px 0;
      overflow-wrap: anywhere;
    }
    .number {
      text-align: right;
      font-variant-numeric: tabular-nums;
      white-space: nowrap;
    }
  `,
})
export class AdoptedDialog {
  readonly data = inject<Adopted>(MAT_DIALOG_DATA);
  readonly shown = number;
  readonly counts = COUNTS;
  readonly columns = ['table', ...COUNTS.map(([id]) => id)];
  /** What the table takes may not be told as read-only. */
  readonly tables = [...this.data.tables];
  readonly summary = this.summed();

  private summed(): string {
    const sum = (of: 'here' | 'compared'): number =>
      this.data.tables.reduce((total, table) => total + table[of], 0);
    const [rows, values] = [sum('here'), sum('compared')];
    const are = `${counted(rows, 'row', 'rows')} in ${counted(this.data.tables.length, 'table', 'tables')} ${rows === 1 ? 'is' : 'are'} here`;
    return values === 0
      ? `${are}.`
      : `${are}; ${counted(values, 'value was', 'values were')} compared one by one with the file as it came, and nothing has changed but what is said below.`;
  }
}
