import { Component, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { toStored } from '@heathridge/core/expression';
import { type FieldType, type Table } from '@heathridge/core/design';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { readable } from './describe';
import { DraftStore } from './draft.store';
import { SELECT } from '../shared/select';

type Lookup = Extract<FieldType, { kind: 'lookup' }>;
interface Edit {
  readonly text: string;
  readonly ok: boolean;
}

/** Which rows a lookup offers, what it shows of them, and what follows when one is deleted. */
@Component({
  selector: 'hr-lookup-settings',
  imports: [
    MatButtonModule,
    MatCheckboxModule,
    FormsModule,
    MatIconModule,
    ExpressionEditorComponent,
    SELECT,
  ],
  template: `
    @let type = this.type();
    <div class="field wide">
      <span class="label" id="f-table-label">Looks up a row of</span>
      <mat-form-field
        ><mat-select
          id="f-table"
          [ngModel]="type.table"
          (ngModelChange)="retarget($event)"
          aria-labelledby="f-table-label"
        >
          @for (table of targets(); track table.id) {
            <mat-option [value]="table.id">{{ table.label }}</mat-option>
          }
        </mat-select></mat-form-field
      >
    </div>
    <div class="field wide">
      <span class="label" id="f-delete-label">When that row is deleted</span>
      <mat-form-field
        ><mat-select
          id="f-delete"
          [ngModel]="type.onDelete"
          (ngModelChange)="patch({ onDelete: $event })"
          aria-labelledby="f-delete-label"
        >
          <mat-option value="refuse">refuse, while rows here need it</mat-option>
          <mat-option value="deleteAlong">delete the rows here along with it</mat-option>
          <mat-option value="leaveEmpty">leave this field empty</mat-option>
        </mat-select></mat-form-field
      >
    </div>
    <div class="field wide">
      <span class="label">Shows</span>
      <hr-expression-editor
        label="What the lookup shows"
        [value]="over(type.shows)"
        [catalog]="draft.catalog()"
        [table]="type.table"
        (changed)="setOver('shows', $event)"
      />
      <span class="soft small"
        >Empty: what its table shows everywhere. Fields of that table, joined with ||</span
      >
    </div>
    @for (column of type.columns ?? []; track $index; let i = $index) {
      <div class="field wide">
        <span class="label">Column {{ i + 2 }} while choosing</span>
        <div class="row">
          <hr-expression-editor
            class="grow"
            [label]="'Column ' + (i + 2) + ' while choosing'"
            [value]="over(column)"
            [catalog]="draft.catalog()"
            [table]="type.table"
            (changed)="setColumn(i, $event)"
          />
          <button
            matIconButton
            type="button"
            [attr.aria-label]="'Take column ' + (i + 2) + ' out'"
            (click)="dropColumn(i)"
          >
            <mat-icon svgIcon="close" />
          </button>
        </div>
      </div>
    }
    <div class="field wide">
      <span class="label">Only rows where</span>
      <hr-expression-editor
        label="Which rows are offered"
        [condition]="true"
        [value]="over(type.filter)"
        [catalog]="draft.catalog()"
        [table]="type.table"
        (changed)="setOver('filter', $event)"
      />
      <span class="soft small">Empty: all of them. A row chosen earlier still shows.</span>
    </div>
    @if (queries().length > 0) {
      <div class="field wide">
        <span class="label" id="f-query-label">Only rows of the query</span>
        <mat-form-field
          ><mat-select
            id="f-query"
            [ngModel]="type.query ?? ''"
            (ngModelChange)="patch({ query: $event || null })"
            aria-labelledby="f-query-label"
          >
            <mat-option value="">none: all rows of the table</mat-option>
            @for (query of queries(); track query.id) {
              <mat-option [value]="query.id">{{ query.label }}</mat-option>
            }
          </mat-select></mat-form-field
        >
      </div>
    }
    <div class="field">
      <span class="label">Narrowed by</span>
      <hr-expression-editor
        label="The value of this row that narrows the choices"
        [value]="narrowOwn()"
        [catalog]="draft.catalog()"
        [table]="table().id"
        (changed)="setNarrowed('own', $event)"
      />
      <span class="soft small">a field of this row, such as family</span>
    </div>
    <div class="field">
      <span class="label">which equals</span>
      <hr-expression-editor
        label="The value of the other row it must equal"
        [value]="narrowOther()"
        [catalog]="draft.catalog()"
        [table]="type.table"
        (changed)="setNarrowed('other', $event)"
      />
      <span class="soft small">of the row offered, through any links</span>
    </div>
    <div class="field wide">
      <span class="label">In the order of</span>
      <div class="row">
        <hr-expression-editor
          class="grow"
          label="The order of the choices"
          [value]="over(type.order?.by)"
          [catalog]="draft.catalog()"
          [table]="type.table"
          (changed)="setOrder($event)"
        />
        @if (type.order; as order) {
          <button
            matButton="outlined"
            class="compact"
            type="button"
            (click)="patch({ order: { by: order.by, descending: !order.descending } })"
          >
            {{ order.descending ? 'falling' : 'rising' }}
          </button>
        }
      </div>
      <span class="soft small">Empty: by what is shown.</span>
    </div>
    <div class="row wide">
      <mat-checkbox [checked]="type.addHere" (change)="patch({ addHere: $event.checked })"
        >A missing row may be added while choosing</mat-checkbox
      >
      <span class="grow"></span>
      <button
        matButton="outlined"
        class="compact"
        type="button"
        [disabled]="(type.columns?.length ?? 0) >= 6"
        (click)="addColumn()"
      >
        <mat-icon svgIcon="add" />Column
      </button>
    </div>
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 10px;
    }
    .wide {
      grid-column: 1 / -1;
    }
    .grow {
      flex: 1;
      min-width: 0;
    }
    .tick input {
      accent-color: var(--hr-moss);
    }
  `,
})
export class LookupSettingsComponent {
  readonly draft = inject(DraftStore);
  readonly type = input.required<Lookup>();
  readonly table = input.required<Table>();
  readonly changed = output<Lookup>();

  readonly targets = computed(() => this.draft.design().tables.filter(({ key }) => key.length === 1));
  readonly queries = computed(() =>
    this.draft.design().queries.filter(({ from, group }) => from === this.type().table && !group),
  );
  readonly narrowOwn = computed(() => {
    const { narrowed } = this.type();
    return (
      this.half()?.own ?? (narrowed ? readable(narrowed.own, this.draft.catalog(), this.table().id) : '')
    );
  });
  readonly narrowOther = computed(() => this.half()?.other ?? this.over(this.type().narrowed?.other));
  /** One side of what narrows, while the other is still to be written. */
  private readonly half = signal<{ own?: string; other?: string } | null>(null);

  patch(set: Partial<Lookup>): void {
    this.changed.emit({ ...this.type(), ...set });
  }

  /** An expression over the other table, with current names. */
  over(stored: string | null | undefined): string {
    return stored ? readable(stored, this.draft.catalog(), this.type().table) : '';
  }

  /** Another table: what was said of the old one no longer holds. */
  retarget(table: string): void {
    this.changed.emit({ kind: 'lookup', table, shows: null, onDelete: this.type().onDelete });
  }

  setOver(part: 'shows' | 'filter', { text, ok }: Edit): void {
    if (!ok || text === this.over(this.type()[part])) return;
    this.patch({ [part]: this.stored(text) });
  }

  setOrder({ text, ok }: Edit): void {
    const { order } = this.type();
    if (!ok || text === this.over(order?.by)) return;
    const by = this.stored(text);
    this.patch({ order: by === null ? null : { by, descending: order?.descending ?? false } });
  }

  addColumn(): void {
    const { columns = [], table } = this.type();
    const target = this.draft.design().tables.find(({ id }) => id === table);
    const next = target?.fields.find(({ id }) => !columns.includes(`"#${id}"`));
    if (next) this.patch({ columns: [...columns, `"#${next.id}"`] });
  }

  setColumn(index: number, { text, ok }: Edit): void {
    const { columns = [] } = this.type();
    const stored = this.stored(text);
    if (!ok || stored === null || stored === columns[index]) return;
    this.patch({ columns: columns.map((column, i) => (i === index ? stored : column)) });
  }

  dropColumn(index: number): void {
    this.patch({ columns: (this.type().columns ?? []).filter((_, i) => i !== index) });
  }

  /** Both sides make it; while one is missing nothing narrows. */
  setNarrowed(side: 'own' | 'other', { text, ok }: Edit): void {
    if (!ok || text === (side === 'own' ? this.narrowOwn() : this.narrowOther())) return;
    const now = { own: this.narrowOwn(), other: this.narrowOther(), [side]: text.trim() };
    if (now.own === '' || now.other === '') {
      this.half.set(now);
      if (this.type().narrowed) this.patch({ narrowed: null });
      return;
    }
    this.half.set(null);
    const catalog = this.draft.catalog();
    this.patch({
      narrowed: {
        own: toStored(now.own, catalog, this.table().id),
        other: toStored(now.other, catalog, this.type().table),
      },
    });
  }

  private stored(text: string): string | null {
    return text.trim() === '' ? null : toStored(text, this.draft.catalog(), this.type().table);
  }
}
