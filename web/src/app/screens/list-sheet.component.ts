import { Component, computed, inject, input } from '@angular/core';
import { outputFromObservable } from '@angular/core/rxjs-interop';
import { MatTableModule } from '@angular/material/table';
import { fieldOf, isGiven, valueKind, type Design, type Form, type Table } from '@heathridge/core/design';
import { columnsOf, panesOf, partId, type Column, type Pane } from '@heathridge/core/form';
import { isNumeric, type Reading } from '@heathridge/core/values';
import { PartDirective } from '../desk/part.directive';
import { RecordState } from '../desk/record.state';
import { Sheet } from '../desk/sheet.service';
import { namedRows } from '../desk/named-rows';
import { fieldShown, workedShown } from '../desk/shown';
import type { RecordRow } from '../shared/api.service';

/** Rows of each list that are shown while it is designed. */
const MOST_SHOWN = 8;

interface Head {
  readonly id: string;
  /** Where the column stands among the parts of the form. */
  readonly path: string;
  readonly label: string;
  readonly column: Column;
  readonly isNumber: boolean;
  readonly isTyped: boolean;
}

interface Listed {
  readonly pane: Pane;
  readonly path: string;
  readonly table: Table;
  /** Whose rows follow: `those of one instrument`; empty for the first list. */
  readonly of: string;
  readonly heads: readonly Head[];
  readonly rows: readonly RecordState[];
}

/** A list screen while it is designed: its lists beneath one another on rows of the real data, columns to be picked. */
@Component({
  selector: 'hr-list-sheet',
  imports: [MatTableModule, PartDirective],
  providers: [Sheet],
  template: `
    @for (list of lists(); track list.path) {
      <section class="card" region [hrPart]="list.path || '-'" [name]="list.pane.form.label">
        @if (list.path) {
          <div class="row head" [hrPart]="list.path" [name]="list.pane.form.label">
            <h2>{{ list.pane.form.label }}</h2>
            <span class="tag heather">{{ list.of }}</span>
          </div>
        }
        <div class="scroll">
          <table mat-table [dataSource]="list.rows">
            @for (head of list.heads; track head.id) {
              <ng-container [matColumnDef]="head.id">
                <th
                  *matHeaderCellDef
                  mat-header-cell
                  scope="col"
                  [class.number]="head.isNumber"
                  [class.picked]="sheet.isPicked(head.path)"
                  [attr.data-part]="head.path"
                >
                  <span class="head-part" [hrPart]="head.path" [name]="head.label">{{ head.label }}</span>
                </th>
                <td
                  *matCellDef="let row"
                  mat-cell
                  [class.number]="head.isNumber"
                  [class.typed]="head.isTyped"
                >
                  <span class="still cut" dir="auto">{{ shown(row, head.column) }}</span>
                </td>
              </ng-container>
            }
            <tr *matHeaderRowDef="idsOf(list)" mat-header-row [attr.data-level]="list.path"></tr>
            <tr *matRowDef="let row; columns: idsOf(list)" mat-row></tr>
            <tr *matNoDataRow>
              <td class="soft none" [attr.colspan]="list.heads.length">
                No {{ list.table.plural.toLowerCase() }} yet.
              </td>
            </tr>
          </table>
        </div>
      </section>
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: minmax(0, 1fr);
      gap: 16px;
    }
    section {
      overflow: hidden;
    }
    .head {
      gap: 10px;
      padding: 8px 12px;
    }
    .scroll {
      overflow: auto;
    }
    th,
    td {
      max-width: 260px;
      white-space: nowrap;
    }
    .still {
      display: block;
      padding-block: 4px;
    }
    .number {
      text-align: right;
    }
    .typed .still {
      padding-inline: 6px;
      background: var(--hr-field);
      border: 1px solid var(--hr-line);
      border-radius: 5px;
      min-height: 1.9em;
    }
    .head-part {
      display: inline-block;
      padding: 4px 6px;
      margin: -4px -6px;
      border-radius: 5px;
      cursor: pointer;
    }
    .head-part:hover,
    .head:hover {
      background: var(--hr-shade);
    }
    .picked,
    .head.picked {
      background: var(--hr-heather-tint);
    }
    section.picked {
      border-color: var(--hr-heather);
    }
    .none {
      padding: 12px;
    }
  `,
})
export class ListSheetComponent {
  readonly sheet = inject(Sheet);
  readonly design = input.required<Design>();
  readonly form = input.required<Form>();
  /** The first rows of the first list, with what belongs to each. */
  readonly rows = input.required<readonly RecordRow[]>();
  readonly reading = input.required<Reading>();
  readonly picked = input<readonly string[]>([]);
  readonly partPicked = outputFromObservable(this.sheet.picks);
  readonly partMoved = outputFromObservable(this.sheet.moves);

  readonly lists = computed((): Listed[] => {
    const [design, rows] = [this.design(), this.rows()];
    return panesOf(design, this.form()).map((pane) => {
      const table = design.tables.find(({ id }) => id === pane.form.table)!;
      const { rights } = pane.form;
      const heads = columnsOf(pane.form.parts).map((column): Head => {
        const field = column.part === 'cell' ? fieldOf(table, column.field) : undefined;
        const kind = field
          ? valueKind(field.type)
          : column.part === 'worked'
            ? valueKind(column.result)
            : null;
        return {
          id: partId(column),
          path: [...pane.path, partId(column)].join('/'),
          label: column.part === 'cell' ? (field?.label ?? '') : column.label,
          column,
          isNumber: kind !== null && isNumeric(kind),
          isTyped:
            rights.change &&
            field !== undefined &&
            column.part === 'cell' &&
            column.people === 'type' &&
            !isGiven(field),
        };
      });
      const link = pane.path.at(-1);
      const parent = link === undefined ? undefined : fieldOf(table, link)?.label.toLowerCase();
      return {
        pane,
        path: pane.path.join('/'),
        table,
        of: parent ? `those of the ${parent} that is picked` : '',
        heads,
        rows: this.within(rows, pane.path)
          .slice(0, MOST_SHOWN)
          .map((record) => new RecordState(design, pane.form, { record }, this.clock())),
      };
    });
  });

  constructor() {
    const state = (): RecordState => this.lists()[0]!.rows[0]!;
    const nothing = (): null => null;
    this.sheet.connect({
      state,
      reading: this.reading,
      picked: this.picked,
      designing: () => true,
      add: nothing,
      more: nothing,
      beyond: nothing,
      fetch: () => {
        throw new Error('Nothing is looked up while a list is designed.');
      },
      places: () => new Map(),
    });
  }

  /** The rows to which links lead from the first row of each list before. */
  private within(rows: readonly RecordRow[], [link, ...rest]: readonly string[]): readonly RecordRow[] {
    if (link === undefined) return rows;
    // Of rows among which several have some, the first with any is shown.
    const lists = rows.map(({ subforms }) => subforms.find((list) => list.link === link)?.rows ?? []);
    return this.within(lists.find((list) => list.length > 0) ?? [], rest);
  }

  private clock() {
    return { today: this.reading().today, now: `${this.reading().today}T00:00:00Z` };
  }

  idsOf({ heads }: Listed): string[] {
    return heads.map(({ id }) => id);
  }

  shown(row: RecordState, column: Column): string {
    const record = row.record();
    const { locale } = this.reading();
    switch (column.part) {
      case 'cell': {
        const field = fieldOf(row.table, column.field);
        return field ? fieldShown(field, record.held[field.id] ?? { value: null }, locale) : '';
      }
      case 'worked':
        return workedShown(column, record.held[column.id], locale);
      case 'subform': {
        const list = record.lists.find(({ level }) => level.link!.id === column.link);
        return list ? namedRows(list, locale) : '';
      }
    }
  }
}
