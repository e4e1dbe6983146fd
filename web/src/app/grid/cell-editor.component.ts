import { Component, signal, viewChild } from '@angular/core';
import type { ICellEditorAngularComp } from 'ag-grid-angular';
import type { ICellEditorParams } from 'ag-grid-community';
import type { Field } from '@heathridge/core/design';
import type { Reading, Value } from '@heathridge/core/values';
import type { Fetch, Held } from '../value/held';
import { ValueInputComponent } from '../value/value-input.component';

export interface CellEditorParams {
  readonly field: Field;
  readonly reading: Reading;
  readonly held: Held;
  readonly fetch: Fetch;
  /** The row it stands in, by field id. */
  readonly row: Readonly<Record<string, Value>>;
  /** Adds a row that a lookup misses, beginning with this text, and puts it into the cell. */
  readonly add: (field: Field, text: string) => void;
}

/** The grid's cell editor: the same inputs as on forms. */
@Component({
  selector: 'hr-cell-editor',
  imports: [ValueInputComponent],
  host: { '(keydown.escape)': 'leave($event)' },
  template: `
    @if (params(); as given) {
      <hr-value-input
        class="in-cell"
        [marksOnly]="true"
        [field]="given.field"
        [held]="held()"
        [reading]="given.reading"
        [fetch]="given.fetch"
        [row]="given.row"
        [canAdd]="true"
        (adding)="given.add(given.field, $event)"
        [label]="given.field.label"
        (changed)="changed($event)"
      />
    }
  `,
  styles: `
    :host {
      display: block;
      width: 100%;
    }
  `,
})
export class CellEditorComponent implements ICellEditorAngularComp {
  readonly params = signal<(ICellEditorParams & CellEditorParams) | null>(null);
  readonly held = signal<Held>({ value: null });
  private readonly input = viewChild(ValueInputComponent);

  agInit(params: ICellEditorParams & CellEditorParams): void {
    this.params.set(params);
    this.held.set(params.held);
  }

  /**
   * Called by the grid, in the key press that began the editing, as soon as the editor is in the page: it
   * takes the cursor then, so that whatever is typed next arrives here, however slow the machine is.
   */
  afterGuiAttached(): void {
    const key = this.params()?.eventKey;
    this.input()?.focus(key?.length === 1 ? key : undefined);
  }

  /** The grid asks this whenever it likes, also while somebody is typing: it must change nothing. */
  getValue(): Held {
    const input = this.input();
    return input?.isTyping() ? input.current() : this.held();
  }

  /**
   * Leaves the cell as it was. An input with a list prevents the default of every Escape, for which the grid
   * then does nothing; while the list is open, the key closes that alone.
   */
  protected leave(event: Event): void {
    const given = this.params();
    const isListOpen =
      event.target instanceof Element && event.target.getAttribute('aria-expanded') === 'true';
    if (!given || isListOpen || !event.defaultPrevented) return;
    const { api, column, rowIndex, node } = given;
    api.stopEditing(true);
    api.setFocusedCell(rowIndex, column, node.rowPinned);
  }

  changed(held: Held): void {
    this.held.set(held);
    // A choice that is clicked is a decision: the cell is done.
    const kind = this.params()?.field.type.kind;
    if ((kind === 'lookup' || kind === 'picture' || kind === 'file') && held.problem === undefined)
      setTimeout(() => this.params()?.stopEditing());
  }
}
