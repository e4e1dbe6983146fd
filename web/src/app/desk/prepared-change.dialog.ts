import { Component, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';
import type { PreparedChange } from '@heathridge/core/api';
import { fieldOf, localeOf, type FormButton, type Settings, type Table } from '@heathridge/core/design';
import type { Cell } from '../shared/api.service';
import { heldOf } from './record.state';
import { fieldShown } from './shown';

export interface PreparedData {
  readonly button: FormButton;
  readonly found: PreparedChange;
  /** The table whose rows change. */
  readonly table: Table;
  readonly settings: Settings;
}

/** What a button would change, row by row, before it does. */
@Component({
  selector: 'hr-prepared-change',
  imports: [MatButton, MatDialogModule],
  template: `
    <h2 mat-dialog-title>{{ data.button.label }}</h2>
    <mat-dialog-content>
      <p>
        {{ count }} {{ (data.found.total === 1 ? data.table.label : data.table.plural).toLowerCase() }} would
        change. Nothing has changed yet.
      </p>
      <div class="scroll" tabindex="0" role="region" aria-label="What would change">
        <table>
          <thead>
            <tr>
              <th scope="col">{{ data.table.label }}</th>
              @for (field of fields; track field.id) {
                <th scope="col">{{ field.label }}</th>
              }
            </tr>
          </thead>
          <tbody>
            @for (row of data.found.rows; track row.key.join()) {
              <tr>
                <th scope="row" dir="auto">{{ row.title }}</th>
                @for (field of fields; track field.id; let i = $index) {
                  <td dir="auto">
                    @if (shown(i, row.cells[i]!.was) === shown(i, row.cells[i]!.now)) {
                      <span class="soft">as it is</span>
                    } @else {
                      <span class="soft">{{ shown(i, row.cells[i]!.was) || 'empty' }}</span>
                      <span aria-hidden="true"> → </span
                      ><span class="visually-hidden">&ngsp;becomes&ngsp;</span>
                      <strong>{{ shown(i, row.cells[i]!.now) || 'empty' }}</strong>
                    }
                  </td>
                }
              </tr>
            }
          </tbody>
        </table>
      </div>
      @if (data.found.total > data.found.rows.length) {
        <p class="soft">
          The first {{ data.found.rows.length }} are shown; the other
          {{ data.found.total - data.found.rows.length }} change in the same way.
        </p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button matButton="outlined" type="button" [mat-dialog-close]="false" cdkFocusInitial>
        Leave as it is
      </button>
      <button matButton="filled" type="button" [mat-dialog-close]="true">Change {{ count }}</button>
    </mat-dialog-actions>
  `,
  styles: `
    p {
      margin: 0 0 10px;
    }
    .scroll {
      max-height: 50vh;
      overflow: auto;
      border: 1px solid var(--hr-line);
      border-radius: 6px;
    }
    table {
      width: 100%;
      border-collapse: collapse;
    }
    th,
    td {
      padding: 6px 10px;
      text-align: start;
      border-bottom: 1px solid var(--hr-line);
    }
    thead th {
      position: sticky;
      top: 0;
      background: var(--hr-shade);
    }
    tbody th {
      font-weight: 400;
    }
  `,
})
export class PreparedChangeDialog {
  readonly data = inject<PreparedData>(MAT_DIALOG_DATA);
  readonly count = this.data.found.total.toLocaleString('en-GB');
  readonly fields = this.data.found.fields.map((id) => fieldOf(this.data.table, id)!);
  private readonly locale = localeOf(this.data.settings);

  shown(at: number, cell: Cell): string {
    return fieldShown(this.fields[at]!, heldOf(cell), this.locale);
  }
}
