import { Component, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';
import type { AdoptedFile } from '../shared/api.service';

export interface Adopted extends Omit<AdoptedFile, 'id'> {
  readonly name: string;
}

const number = (value: number): string => value.toLocaleString('en-GB');
const counted = (value: number, one: string, more: string): string =>
  `${number(value)} ${value === 1 ? one : more}`;

/** What was read otherwise than as it stood when a file was taken in, and what was compared. */
@Component({
  selector: 'hr-adopted-dialog',
  imports: [MatButtonModule, MatDialogModule],
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
        <table class="facts">
          <thead>
            <tr>
              <th scope="col">Table</th>
              <th scope="col" class="number">Rows there</th>
              <th scope="col" class="number">Rows here</th>
              <th scope="col" class="number">Values compared</th>
            </tr>
          </thead>
          <tbody>
            @for (table of data.tables; track table.table) {
              <tr>
                <th scope="row">
                  {{ table.table }}
                  @if (table.from !== table.table) {
                    <span class="soft small">was {{ table.from }}</span>
                  }
                </th>
                <td class="number">{{ shown(table.there) }}</td>
                <td class="number">{{ shown(table.here) }}</td>
                <td class="number">{{ shown(table.compared) }}</td>
              </tr>
            }
          </tbody>
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
