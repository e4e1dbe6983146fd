import { Component, computed, inject, input } from '@angular/core';
import { outputFromObservable } from '@angular/core/rxjs-interop';
import { MatTableModule } from '@angular/material/table';
import { fieldOf, isGiven, valueKind, type Design, type Form, type Table } from '@heathridge/core/design';
import {
  cardColumns,
  lanesBy,
  choiceColour,
  columnsOf,
  lanesOf,
  namedValues,
  panesOf,
  partId,
  type Column,
  type LaneValue,
  type Pane,
} from '@heathridge/core/form';
import { isNumeric, type Reading } from '@heathridge/core/values';
import { columnLabel, columnShown } from '../desk/column-shown';
import { PartDirective } from '../desk/part.directive';
import { RecordState } from '../desk/record.state';
import { Sheet } from '../desk/sheet.service';
import { CardComponent } from '../desk/card.component';
import type { RecordRow } from '../shared/api.service';

/** Rows of each list that are shown while it is designed. */
const MOST_SHOWN = 8;
/** Cards of each column that are shown while a list is designed. */
const MOST_CARDS = 2;

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

/** A column of cards with those of the first rows that stand in it. */
interface SampledLane {
  readonly id: string;
  readonly label: string;
  readonly colour: string;
  readonly columns: readonly Column[];
  readonly rows: readonly RecordState[];
}

/** A list screen while it is designed: its lists beneath one another on rows of the real data, columns to be picked. */
@Component({
  selector: 'hr-list-sheet',
  imports: [CardComponent, MatTableModule, PartDirective],
  providers: [Sheet],
  template: `
    @if (lanes(); as lanes) {
      <div class="lanes" role="group" tabindex="0" aria-label="Its cards">
        @for (lane of lanes; track lane.id) {
          <div class="lane" role="group" [attr.aria-label]="lane.label">
            <div class="row head {{ lane.colour }}">
              <strong class="cut" dir="auto">{{ lane.label }}</strong>
            </div>
            <div class="stack">
              @for (row of lane.rows; track $index) {
                <div class="card one">
                  <hr-card [state]="row" [file]="file()" [columns]="lane.columns" [reading]="reading()" />
                </div>
              }
            </div>
          </div>
        }
      </div>
      <p class="soft small lines">What stands on a card, the first at its head:</p>
    }
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
  styleUrl: '../desk/_lanes.scss',
  styles: `
    .stack {
      display: grid;
      gap: 8px;
      padding: 8px;
    }
    .one {
      padding: 8px 10px;
    }
    .lines {
      margin: 0;
    }
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
  /** The id of the file whose pictures are shown. */
  readonly file = input.required<string>();
  readonly picked = input<readonly string[]>([]);
  readonly partPicked = outputFromObservable(this.sheet.picks);
  readonly partMoved = outputFromObservable(this.sheet.moves);

  readonly lists = computed((): Listed[] => {
    const [design, rows] = [this.design(), this.rows()];
    return panesOf(design, this.form()).map((pane) => {
      const table = design.tables.find(({ id }) => id === pane.form.table)!;
      const { rights } = pane.form;
      // Nothing is typed into cards: they are moved.
      const isInLanes = lanesBy(pane.form, table) !== null;
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
          label: columnLabel(table, column),
          column,
          isNumber: kind !== null && isNumeric(kind),
          isTyped:
            !isInLanes &&
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

  /** The first rows as cards; null where they stand beneath one another. */
  readonly lanes = computed((): readonly SampledLane[] | null => {
    const [first] = this.lists();
    const field = first ? lanesBy(first.pane.form, first.table) : null;
    if (!first || !field) return null;
    const held = (row: RecordState) => row.record().held[field.id];
    const found = first.rows.map((row): LaneValue | null => {
      const { value, text } = held(row) ?? { value: null };
      return typeof value === 'string' || typeof value === 'number' ? [value, text ?? String(value)] : null;
    });
    const led = new Map(found.flatMap((value) => (value ? [[value[0], value] as const] : [])));
    const values = namedValues(field, this.reading().locale) ?? [...led.values()];
    const columns = cardColumns(first.pane.form, field);
    return lanesOf(field, values).flatMap(({ id, label, value }) => {
      if (value === undefined) return [];
      const rows = first.rows.filter((row) => (held(row)?.value ?? null) === value).slice(0, MOST_CARDS);
      return [{ id, label, colour: choiceColour(field, value), columns, rows }];
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
    return columnShown(row.record(), row.table, column, this.reading().locale);
  }
}
