import { Component, computed, inject, input, linkedSignal, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { pathsFrom, type Field, type RoleDefinition, type Table } from '@heathridge/core/design';
import type { TableRights } from '@heathridge/core/people';
import { ConditionsComponent } from '../ask/conditions.component';
import { FileStore } from '../file/file.store';
import { SegmentsComponent } from '../shared/segments.component';
import { SelectComponent, type Option } from '../shared/select.component';

type Limits = RoleDefinition['fields'];

/** Rows of everybody: no field has such an id. */
const ALL_ROWS = '-all';

/** What people with a role may do to the rows of one table, which rows are theirs, and which of its fields. */
@Component({
  selector: 'hr-table-limits',
  imports: [
    ConditionsComponent,
    MatButton,
    MatCheckboxModule,
    MatIconModule,
    SegmentsComponent,
    SelectComponent,
  ],
  host: { role: 'group', '[attr.aria-label]': 'table().plural' },
  template: `
    <div class="head">
      <h3 class="cut" dir="auto">{{ table().plural }}</h3>
      @for (right of rightChoices; track right[0]) {
        <mat-checkbox
          [checked]="rights()[right[0]]"
          [disabled]="right[0] !== 'read' && !rights().read"
          (change)="turn(right[0], $event.checked)"
          >{{ right[1] }}</mat-checkbox
        >
      }
      <span class="grow"></span>
      <button
        matButton="text"
        class="compact"
        type="button"
        [disabled]="!rights().read"
        [attr.aria-expanded]="open()"
        (click)="open.set(!open())"
      >
        {{ limitsWords()
        }}<mat-icon iconPositionEnd [svgIcon]="open() ? 'keyboard_arrow_up' : 'keyboard_arrow_down'" />
      </button>
    </div>
    @if (rights().read) {
      <p class="rows">
        Of these it finds
        <hr-select
          compact
          class="own"
          [about]="'Rows of ' + table().plural"
          [options]="owners()"
          [value]="rights().own ?? all"
          (changed)="changed.emit({ ...rights(), own: $event === all ? null : $event })"
        />
        <hr-conditions
          first="+ only where…"
          [conditions]="rights().conditions"
          [table]="table().id"
          [paths]="paths()"
          [most]="20"
          (changed)="changed.emit({ ...rights(), conditions: [...$event] })"
        />
      </p>
    }
    @if (open() && rights().read) {
      <div class="fields">
        @for (field of table().fields; track field.id) {
          <div class="one">
            <span class="cut" dir="auto">{{ field.label }}</span>
            <hr-segments
              [about]="field.label"
              [choices]="mayChoices"
              [value]="may(field)"
              (changed)="limit(field, $event)"
            />
          </div>
        }
      </div>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 4px;
      padding: 8px 0;
      border-top: 1px solid var(--hr-line);
    }
    .head {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 0 10px;
    }
    h3 {
      width: 150px;
      font-size: var(--hr-text-base);
    }
    .rows {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 4px 8px;
    }
    .own {
      width: 230px;
    }
    .fields {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(min(100%, 340px), 1fr));
      gap: 6px 24px;
      padding: 6px 0 4px;
    }
    .one {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 190px;
      align-items: center;
      gap: 10px;
    }
  `,
})
export class TableLimitsComponent {
  private readonly store = inject(FileStore);
  readonly table = input.required<Table>();
  readonly rights = input.required<TableRights>();
  /** The limits on fields of the whole role. */
  readonly fields = input.required<Limits>();
  readonly changed = output<TableRights>();
  readonly fieldsChanged = output<Limits>();
  readonly all = ALL_ROWS;
  readonly rightChoices = [
    ['read', 'see'],
    ['add', 'add'],
    ['change', 'change'],
    ['delete', 'delete'],
  ] as const;
  readonly mayChoices = [
    ['type', 'type'],
    ['read', 'read'],
    ['hidden', 'not see'],
  ] as const;
  readonly open = linkedSignal({ source: () => this.table().id, computation: () => false });
  readonly paths = computed(() => pathsFrom(this.store.design(), this.table()));
  /** Whose rows are found: everybody's, or those that hold one's own name. */
  readonly owners = computed((): Option[] => [
    { id: ALL_ROWS, label: 'all of them' },
    ...this.table()
      .fields.filter(
        ({ type }) =>
          type.kind === 'text' ||
          (type.kind === 'stamp' && (type.of === 'createdBy' || type.of === 'changedBy')),
      )
      .map(({ id, label }) => ({ id, label: `those with one’s own name in ${label}` })),
  ]);
  private readonly own = computed(() => {
    const ids = new Set(this.table().fields.map(({ id }) => id));
    return this.fields().filter(({ field }) => ids.has(field));
  });
  readonly limitsWords = computed(() => {
    const { length } = this.own();
    return length === 0 ? 'every field' : `${length} ${length === 1 ? 'field' : 'fields'} with less`;
  });

  turn(right: 'read' | 'add' | 'change' | 'delete', may: boolean): void {
    this.changed.emit({ ...this.rights(), [right]: may });
  }

  may({ id }: Field): 'type' | 'read' | 'hidden' {
    return this.fields().find(({ field }) => field === id)?.people ?? 'type';
  }

  limit({ id }: Field, people: 'type' | 'read' | 'hidden'): void {
    const others = this.fields().filter(({ field }) => field !== id);
    this.fieldsChanged.emit(people === 'type' ? others : [...others, { field: id, people }]);
  }
}
