import { Component, signal } from '@angular/core';
import { MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import type { ICellRendererAngularComp } from 'ag-grid-angular';
import type { ICellRendererParams } from 'ag-grid-community';
import type { ListRow } from './list-rows';

export interface ActParams {
  readonly icon: string;
  /** What it does with a row, in words; empty where it does nothing with it. */
  readonly says: (row: ListRow) => string;
  readonly act: (row: ListRow) => void;
}

/** A button in a cell that does something with its row; the key for it is Enter on the cell. */
@Component({
  selector: 'hr-act-cell',
  imports: [MatIconButton, MatIconModule],
  template: `
    @if (row(); as row) {
      @if (params()!.says(row); as says) {
        <button
          matIconButton
          class="compact"
          type="button"
          tabindex="-1"
          [attr.aria-label]="says"
          (click)="params()!.act(row)"
        >
          <mat-icon [svgIcon]="params()!.icon" />
        </button>
      }
    }
  `,
  styles: `
    :host {
      display: grid;
      place-items: center;
      height: 100%;
      margin-inline: -8px;
    }
    /* That of the row would put the icon beneath the middle. */
    button {
      line-height: 0;
    }
  `,
})
export class ActCellComponent implements ICellRendererAngularComp {
  readonly params = signal<ActParams | null>(null);
  readonly row = signal<ListRow | null>(null);

  agInit(params: ICellRendererParams<ListRow> & ActParams): void {
    this.params.set(params);
    this.row.set(params.data ?? null);
  }

  refresh(params: ICellRendererParams<ListRow> & ActParams): boolean {
    this.agInit(params);
    return true;
  }
}
