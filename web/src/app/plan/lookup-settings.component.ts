import { Component, computed, inject, input, output, signal } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { toStored } from '@heathridge/core/expression';
import { type FieldType, type Table } from '@heathridge/core/design';
import { keyedBy } from '@heathridge/core/query';
import { AnsweringComponent } from '../ask/answering.component';
import { FieldChoiceComponent } from '../ask/field-choice.component';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { readable } from '../shared/readable';
import { DraftStore } from './draft.store';
import { options, SelectComponent, type Option } from '../shared/select.component';

type Lookup = Extract<FieldType, { kind: 'lookup' }>;
interface Edit {
  readonly text: string;
  readonly ok: boolean;
}

/** Which rows a lookup offers, what it shows of them, and what follows when one is deleted. */
@Component({
  selector: 'hr-lookup-settings',
  imports: [
    AnsweringComponent,
    MatButton,
    MatIconButton,
    MatCheckboxModule,
    MatIconModule,
    ExpressionEditorComponent,
    FieldChoiceComponent,
    SelectComponent,
  ],
  template: `
    @let type = this.type();
    <hr-select
      class="wide"
      label="Looks up a row of"
      inputId="f-table"
      [options]="targets()"
      [value]="type.table"
      (changed)="retarget($event)"
    />
    <hr-select
      class="wide"
      label="When that row is deleted"
      inputId="f-delete"
      [options]="onDelete"
      [value]="type.onDelete"
      (changed)="patch({ onDelete: $event })"
    />
    <hr-field-choice
      [design]="draft.design()"
      class="wide"
      label="Shows"
      about="What the lookup shows"
      several
      empty="as its table says, or …"
      [value]="over(type.shows)"
      [table]="type.table"
      (changed)="setOver('shows', $event)"
    />
    @for (column of type.columns ?? []; track $index; let i = $index) {
      <div class="row wide column">
        <hr-field-choice
          [design]="draft.design()"
          class="grow"
          [label]="'Column ' + (i + 2) + ' while choosing'"
          [about]="'Column ' + (i + 2) + ' while choosing'"
          [value]="over(column)"
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
      <hr-select
        class="wide"
        label="Only rows of the query"
        inputId="f-query"
        [options]="queries()"
        [value]="type.query ?? ''"
        (changed)="patch({ query: $event || null, answers: [] })"
      />
      @if (query(); as asking) {
        <hr-answering
          class="wide"
          [design]="draft.design()"
          [query]="asking"
          [table]="table().id"
          [answering]="type.answers ?? []"
          (changed)="patch({ answers: $event })"
        />
      }
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
    <div class="row wide column">
      <hr-field-choice
        [design]="draft.design()"
        class="grow"
        label="In the order of"
        about="The order of the choices"
        empty="what is shown"
        [value]="over(type.order?.by)"
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
    .column {
      align-items: flex-end;
    }
  `,
})
export class LookupSettingsComponent {
  readonly draft = inject(DraftStore);
  readonly type = input.required<Lookup>();
  readonly table = input.required<Table>();
  readonly changed = output<Lookup>();

  readonly targets = computed(() => this.draft.design().tables.filter(({ key }) => key.length === 1));
  readonly queries = computed((): Option[] => {
    const design = this.draft.design();
    const target = design.tables.find(({ id }) => id === this.type().table);
    const fit = target ? design.queries.filter((query) => keyedBy(design, query, target)) : [];
    return fit.length === 0
      ? []
      : [{ id: '', label: 'none: all rows of the table' }, ...fit.map(({ id, label }) => ({ id, label }))];
  });
  readonly query = computed(() => this.draft.design().queries.find(({ id }) => id === this.type().query));
  readonly onDelete = options([
    ['refuse', 'refuse, while rows here need it'],
    ['deleteAlong', 'delete the rows here along with it'],
    ['leaveEmpty', 'leave this field empty'],
  ] as const);
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
