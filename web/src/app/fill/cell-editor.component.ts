import { Component, signal, viewChild, type AfterViewInit } from '@angular/core';
import type { ICellEditorAngularComp } from 'ag-grid-angular';
import type { ICellEditorParams } from 'ag-grid-community';
import type { Observable } from 'rxjs';
import type { Field } from '@heathridge/core/design';
import type { Reading } from '@heathridge/core/values';
import type { Choice } from '../shared/api.service';
import { ValueInputComponent, type Held } from '../shared/value-input.component';

export interface CellEditorParams {
  readonly field: Field;
  readonly reading: Reading;
  readonly held: Held;
  readonly fetch: (field: string, search: string) => Observable<readonly Choice[]>;
}

/** The grid's cell editor: the same inputs as on forms. */
@Component({
  selector: 'hr-cell-editor',
  imports: [ValueInputComponent],
  template: `
    @if (params(); as given) {
      <hr-value-input
        [field]="given.field"
        [held]="held()"
        [reading]="given.reading"
        [fetch]="given.fetch"
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
    :host ::ng-deep .input {
      border-radius: 0;
      min-height: 30px;
    }
    :host ::ng-deep .tick {
      margin: 6px 12px;
    }
  `,
})
export class CellEditorComponent implements ICellEditorAngularComp, AfterViewInit {
  readonly params = signal<(ICellEditorParams & CellEditorParams) | null>(null);
  readonly held = signal<Held>({ value: null });
  private readonly input = viewChild(ValueInputComponent);

  agInit(params: ICellEditorParams & CellEditorParams): void {
    this.params.set(params);
    this.held.set(params.held);
  }

  ngAfterViewInit(): void {
    const key = this.params()?.eventKey;
    setTimeout(() => this.input()?.focus(key && key.length === 1 ? key : undefined));
  }

  getValue(): Held {
    this.input()?.leave();
    return this.held();
  }

  changed(held: Held): void {
    this.held.set(held);
    // A choice that is clicked is a decision: the cell is done.
    if (this.params()?.field.type.kind === 'lookup' && held.problem === undefined)
      setTimeout(() => this.params()?.stopEditing());
  }
}
