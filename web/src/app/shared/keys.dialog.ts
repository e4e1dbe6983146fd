import { Component } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatDialogModule } from '@angular/material/dialog';

const KEYS = [
  ['Ctrl+K', 'go to a table, query, screen or report'],
  ['Ctrl+S', 'save'],
  ['Alt+N', 'new record, or new row'],
  ['Alt+Up, Alt+Down', 'previous, next record, or list; moves a field in the list of fields'],
  [
    'Enter, in a list',
    'open the record of a row, where nothing is typed into the cell; of cards, that of the card',
  ],
  ['Ctrl+Left, Ctrl+Right', 'among cards in columns: put the card into the column before, behind'],
  ['Alt with arrows', 'on a design surface: move what is picked; on a board, with Shift too, size it'],
  ['Enter, Ctrl+Enter', 'in the name of a new field: the next new field, or the last'],
  ['Ctrl+Enter', 'save and start the next'],
  ['F2, or typing', 'edit a cell'],
  ['Esc', 'leave a cell as it was'],
  ['Ctrl+D', 'take the value from the row above; in a block, from its first row'],
  ['Home, End', 'to the ends of a row of a grid; with Ctrl to its first and last cell'],
  ['Shift with arrows', 'pick a block of cells, to be copied, pasted over, filled or emptied'],
  ['Ctrl+Z, Ctrl+Y', 'undo what was done to rows, do it again; on the Desk take the last save back'],
  ['Alt+Down', 'in Fill: go into the rows that are unfolded beneath a row'],
  ['Alt+Up, Esc', 'in Fill: back to the row they belong to'],
  ['?', 'this list'],
] as const;

@Component({
  selector: 'hr-keys',
  imports: [MatButton, MatDialogModule],
  template: `
    <h2 mat-dialog-title>Keys</h2>
    <mat-dialog-content>
      <dl>
        @for (key of keys; track key[0]) {
          <dt>{{ key[0] }}</dt>
          <dd>{{ key[1] }}</dd>
        }
      </dl>
    </mat-dialog-content>
    <mat-dialog-actions align="end"
      ><button matButton="outlined" mat-dialog-close>Close</button></mat-dialog-actions
    >
  `,
  styles: `
    dl {
      display: grid;
      grid-template-columns: auto 1fr;
      gap: 6px 20px;
      margin: 0;
    }
    dt {
      font-weight: 700;
    }
    dd {
      margin: 0;
    }
  `,
})
export class KeysDialog {
  readonly keys = KEYS;
}
