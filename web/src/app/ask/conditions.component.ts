import { Component, computed, inject, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { attempt, toStored } from '@heathridge/core/expression';
import { rowsLeadingTo, type FieldPath } from '@heathridge/core/design';
import { FileStore } from '../file/file.store';
import { Api } from '../shared/api.service';
import { ChipComponent } from '../shared/chip.component';
import { ConditionBuilderComponent, type Made } from './condition-builder.component';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { conditionWords, readable } from '../shared/readable';
import type { Fetch } from '../value/held';

/** Conditions over the rows of a table, as parts of a sentence: each is read in words, changed and taken out in place. */
@Component({
  selector: 'hr-conditions',
  imports: [ChipComponent, ConditionBuilderComponent, ExpressionEditorComponent, MatButton],
  template: `
    @for (item of items(); track $index) {
      <ng-container>{{ $first ? '' : ' and ' }}</ng-container>
      <hr-chip #chip [text]="item.words" [hint]="item.text" about="Condition"
        ><ng-template>
          <hr-expression-editor
            label="Condition"
            [condition]="true"
            [optional]="false"
            [value]="item.text"
            [catalog]="store.catalog()"
            [table]="table()"
            (changed)="set($index, $event)"
          />
          <div class="row">
            <button matButton="outlined" class="compact danger" type="button" (click)="drop($index)">
              Take out</button
            ><span class="grow"></span
            ><button matButton="outlined" class="compact" type="button" (click)="chip.close()">Done</button>
          </div>
        </ng-template></hr-chip
      >
    }
    @if (conditions().length < most()) {
      <hr-chip #chip look="add" [text]="items().length > 0 ? '+ and…' : first()" about="Add a condition"
        ><ng-template>
          <hr-condition-builder
            [paths]="paths()"
            [rows]="rows()"
            [reading]="store.reading()"
            [choices]="choices"
            [asks]="asks()"
            (made)="add($event); chip.close()"
          /> </ng-template
      ></hr-chip>
    }
  `,
})
export class ConditionsComponent {
  private readonly api = inject(Api);
  readonly store = inject(FileStore);
  readonly choices: Fetch = (field, request) => this.api.choices(this.store.file, field, request);
  /** As they are kept, with ids. */
  readonly conditions = input.required<readonly string[]>();
  /** The id of the table whose rows they are about. */
  readonly table = input.required<string>();
  /** What can be asked about: fields of the row and of those that it leads to. */
  readonly paths = input.required<readonly FieldPath[]>();
  /** What is written where the first may be added. */
  readonly first = input.required<string>();
  readonly most = input(Infinity);
  /** What is written before the field where one is put together. */
  readonly asks = input('Keep rows where');
  readonly changed = output<readonly string[]>();

  /** How conditions are read that name rows by their keys, as long as this page is open. */
  private readonly said = new Map<string, string>();

  /** Rows that lead to those the conditions are about. */
  readonly rows = computed(() => {
    const { store } = this;
    const found = attempt(() => rowsLeadingTo(store.design(), store.catalog(), this.table()));
    return found.ok ? found.value : [];
  });

  readonly items = computed(() =>
    this.conditions().map((stored) => ({
      text: readable(stored, this.store.catalog(), this.table()),
      words: this.said.get(stored) ?? conditionWords(stored, this.store.catalog(), this.table()),
    })),
  );

  set(index: number, { text, ok }: { readonly text: string; readonly ok: boolean }): void {
    if (!ok || text.trim() === '') return;
    const next = [...this.conditions()];
    next[index] = this.stored(text);
    if (next[index] !== this.conditions()[index]) this.changed.emit(next);
  }

  add({ text, words }: Pick<Made, 'text' | 'words'>): void {
    const stored = this.stored(text);
    if (words) this.said.set(stored, words);
    this.changed.emit([...this.conditions(), stored]);
  }

  drop(index: number): void {
    this.changed.emit(this.conditions().filter((_, i) => i !== index));
  }

  private stored(text: string): string {
    return toStored(text, this.store.catalog(), this.table());
  }
}
