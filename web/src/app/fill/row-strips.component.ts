import { Component, input } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import type { Others } from './others.service';
import type { RowsEditor } from './rows-editor.service';

/** What of a grid's rows waits for a word: a new row, a value that two people have changed, values that were refused. */
@Component({
  selector: 'hr-row-strips',
  imports: [MatButton, MatIconModule],
  template: `
    @if (editor().newTouched()) {
      <div class="strip" role="status">
        <span class="grow">
          @if (editor().waitingNew(); as waiting) {
            @if (waiting.length > 0) {
              <strong class="bad">The new row waits: </strong>{{ waiting[0]!.message
              }}{{ waiting.length > 1 ? ' (and ' + (waiting.length - 1) + ' more)' : '' }}
            } @else {
              A new row is being filled in.
            }
          }
        </span>
        <button matButton="outlined" type="button" (click)="editor().dropNew()">Set aside</button>
        <button matButton="filled" type="button" (click)="editor().addNew()">
          Add the row <span class="key">Ctrl Enter</span>
        </button>
      </div>
    }
    @if (others().clash(); as both) {
      <div class="strip refused-strip" role="alert">
        <mat-icon svgIcon="error" />
        <span class="grow"
          ><strong>{{ both.label }} of {{ both.row }}:</strong> somebody has put “{{ both.theirs }}” there
          meanwhile, and you “{{ both.mine }}”. Which is right?</span
        >
        <button matButton="outlined" type="button" (click)="others().keepMine(both)">
          Keep “{{ both.mine }}”
        </button>
        <button matButton="outlined" type="button" (click)="others().takeTheirs(both)">
          Take “{{ both.theirs }}”
        </button>
      </div>
    } @else if (editor().waiting(); as waiting) {
      @if (waiting.length > 0) {
        <p class="strip refused-strip" role="alert">
          <mat-icon svgIcon="error" />
          <span>
            <strong
              >{{ waiting.length }} {{ waiting.length === 1 ? 'value was' : 'values were' }} refused</strong
            >
            and {{ waiting.length === 1 ? 'waits' : 'wait' }} in the cell: {{ waiting[0]!.message }}
          </span>
        </p>
      }
    }
  `,
  styles: `
    :host {
      display: block;
      flex: none;
    }
    .strip {
      display: flex;
      align-items: center;
      gap: 10px;
      margin: 0;
      padding: 8px 18px;
      background: var(--hr-gorse-tint);
      border-top: 1px solid var(--hr-gorse-line);
    }
    .refused-strip {
      background: var(--hr-rust-tint);
      border-top-color: var(--hr-rust-line);
    }
    .refused-strip mat-icon {
      color: var(--hr-rust);
    }
    .key {
      font-weight: 400;
      font-size: var(--hr-text-small);
    }
  `,
})
export class RowStripsComponent {
  readonly editor = input.required<RowsEditor>();
  readonly others = input.required<Others>();
}
