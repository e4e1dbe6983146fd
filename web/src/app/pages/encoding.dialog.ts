import { Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';
import { MatRadioModule } from '@angular/material/radio';
import { MatTableModule } from '@angular/material/table';
import { ENCODING_NAMES, ENCODINGS, type Encoding, type UnreadTexts } from '@heathridge/core/exchange';

export interface Unread {
  readonly name: string;
  readonly unread: readonly UnreadTexts[];
}

const SHOWN = 6;

const COLUMNS = [
  ['where', 'Where'],
  ['row', 'Row'],
  ['text', 'Reads'],
] as const;

/** Some texts of a file that is taken in are no UTF-8: in which encoding were they written? */
@Component({
  selector: 'hr-encoding-dialog',
  imports: [MatTableModule, MatButton, MatDialogModule, MatRadioModule],
  template: `
    <h2 mat-dialog-title>How are these texts to be read?</h2>
    <mat-dialog-content class="body">
      <p>
        {{ count }} in {{ data.name }} {{ rows === 1 ? 'is' : 'are' }} not written in UTF-8, and the file does
        not say how. Choose the way in which they read right; everything else is taken in as it is.
      </p>
      <mat-radio-group aria-label="Encoding" [value]="encoding()" (change)="encoding.set($event.value)">
        @for (item of encodings; track item.id) {
          <mat-radio-button [value]="item.id">{{ item.label }}</mat-radio-button>
        }
      </mat-radio-group>
      <table mat-table class="facts" aria-live="polite" [dataSource]="lines()">
        @for (column of columns; track column[0]) {
          <ng-container [matColumnDef]="column[0]">
            <th *matHeaderCellDef mat-header-cell scope="col">{{ column[1] }}</th>
            <td *matCellDef="let line" mat-cell [class.read]="column[0] === 'text'">{{ line[column[0]] }}</td>
          </ng-container>
        }
        <tr *matHeaderRowDef="ids; sticky: true" mat-header-row></tr>
        <tr *matRowDef="let line; columns: ids" mat-row></tr>
      </table>
      @if (more > 0) {
        <p class="soft small">and {{ more }} more</p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="outlined" mat-dialog-close>Do not take it in</button>
      <button type="button" matButton="filled" [mat-dialog-close]="encoding()">Take it in like this</button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      display: grid;
      gap: 12px;
      max-width: 600px;
    }
    p {
      margin: 0;
    }
    mat-radio-group {
      display: grid;
    }
    td.read {
      font-weight: 700;
    }
  `,
})
export class EncodingDialog {
  readonly data = inject<Unread>(MAT_DIALOG_DATA);
  readonly columns = COLUMNS;
  readonly ids = COLUMNS.map(([id]) => id);
  readonly encodings = ENCODING_NAMES.map((id) => ({ id, label: ENCODINGS[id] }));
  readonly encoding = signal<Encoding>(ENCODING_NAMES[0]);
  readonly rows = this.data.unread.reduce((sum, { rows }) => sum + rows, 0);
  readonly count = `${this.rows.toLocaleString('en-GB')} ${this.rows === 1 ? 'text' : 'texts'}`;
  private readonly shown = this.data.unread
    .flatMap(({ table, column, sample }) => sample.map((item) => ({ where: `${table}, ${column}`, ...item })))
    .slice(0, SHOWN);
  readonly more = this.rows - this.shown.length;
  readonly lines = computed(() =>
    this.shown.map(({ where, row, readings }) => ({ where, row, text: readings[this.encoding()] })),
  );
}
