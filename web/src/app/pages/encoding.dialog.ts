import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';
import { MatRadioModule } from '@angular/material/radio';
import { ENCODING_NAMES, ENCODINGS, type Encoding, type UnreadTexts } from '@heathridge/core/exchange';

export interface Unread {
  readonly name: string;
  readonly unread: readonly UnreadTexts[];
}

const SHOWN = 6;

/** Some texts of a file that is taken in are no UTF-8: in which encoding were they written? */
@Component({
  selector: 'hr-encoding-dialog',
  imports: [MatButtonModule, MatDialogModule, MatRadioModule],
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
      <table class="facts" aria-live="polite">
        <thead>
          <tr>
            <th scope="col">Where</th>
            <th scope="col">Row</th>
            <th scope="col">Reads</th>
          </tr>
        </thead>
        <tbody>
          @for (line of lines(); track $index) {
            <tr>
              <td>{{ line.where }}</td>
              <td>{{ line.row }}</td>
              <td>
                <strong>{{ line.text }}</strong>
              </td>
            </tr>
          }
        </tbody>
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
  `,
})
export class EncodingDialog {
  readonly data = inject<Unread>(MAT_DIALOG_DATA);
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
