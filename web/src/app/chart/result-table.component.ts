import { ScrollingModule } from '@angular/cdk/scrolling';
import { NgTemplateOutlet } from '@angular/common';
import { booleanAttribute, Component, computed, input, linkedSignal, output } from '@angular/core';
import { MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTableModule } from '@angular/material/table';
import { MatTooltipModule } from '@angular/material/tooltip';
import { isNumeric, showValue, type Locale, type Value, type ValueKind } from '@heathridge/core/values';
import { rowHeight, typeScale } from '../shared/row-height';
import type { QueryResult } from '../shared/api.service';

/** Pixels that a column needs for what its kind usually holds; all others share what is left. */
const WIDTHS: Partial<Record<ValueKind['kind'], number>> = {
  wholeNumber: 110,
  decimal: 120,
  money: 130,
  tick: 80,
  date: 130,
  time: 90,
  dateTime: 170,
};
const LEAST = 150;

/** Pixels that a column needs at least where it is not one of text: its values must fit, and its heading. */
function widthOf({ kind }: ValueKind, label: string, scale: number): number | null {
  const width = WIDTHS[kind];
  return width === undefined ? null : Math.round(Math.max(width, label.length * 8 + 32) * scale);
}

/** A column that is none of the result: none has such an id. */
const OPENS = ' opens';

/** The rows that a query gives: only those are made that are to be seen. */
@Component({
  selector: 'hr-result-table',
  imports: [
    MatIconButton,
    MatIconModule,
    MatTableModule,
    MatTooltipModule,
    NgTemplateOutlet,
    ScrollingModule,
  ],
  template: `
    @if (turn()) {
      <ng-container [ngTemplateOutlet]="shown" />
    } @else {
      <ng-container [ngTemplateOutlet]="shown" />
    }
    <ng-template #shown>
      <cdk-virtual-scroll-viewport [itemSize]="row()" tabindex="0" role="region" aria-label="Result">
        <table mat-table fixedLayout [dataSource]="rows()" [trackBy]="byPlace" [style.minWidth.px]="least()">
          @for (column of columns(); track column.id; let c = $index) {
            <ng-container [matColumnDef]="column.id">
              <th
                *matHeaderCellDef
                mat-header-cell
                scope="col"
                [class.number]="column.numeric"
                [style.width.px]="column.width"
              >
                {{ column.label }}
              </th>
              <td *matCellDef="let values" mat-cell dir="auto" [class.number]="column.numeric">
                {{ cell(values[c], column.kind) }}
              </td>
            </ng-container>
          }
          <ng-container matColumnDef=" opens">
            <th *matHeaderCellDef mat-header-cell class="opens">
              <span class="cdk-visually-hidden">Rows behind it</span>
            </th>
            <td *matCellDef="let values" mat-cell class="opens">
              <button
                matIconButton
                class="compact"
                type="button"
                aria-label="Rows behind this one"
                matTooltip="Rows behind this one"
                (click)="opened.emit(place(values))"
              >
                <mat-icon svgIcon="arrow_outward" />
              </button>
            </td>
          </ng-container>
          <tr *matHeaderRowDef="ids(); sticky: true" mat-header-row></tr>
          <tr *matRowDef="let values; columns: ids()" mat-row></tr>
        </table>
        @if (result().rows.length === 0) {
          <p class="soft none">{{ none() }}</p>
        }
      </cdk-virtual-scroll-viewport>
    </ng-template>
    @if (result().more && !isWindow()) {
      <p class="soft more">
        The first {{ result().rows.length.toLocaleString('en-GB') }} rows are shown; there are more.
      </p>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      height: 100%;
      min-height: 160px;
    }
    cdk-virtual-scroll-viewport {
      flex: 1;
    }
    table {
      width: 100%;
    }
    th,
    td {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .number {
      text-align: right;
      font-variant-numeric: tabular-nums;
    }
    .opens {
      width: 44px;
      padding: 0 4px;
    }
    .none,
    .more {
      padding: 8px 12px;
    }
  `,
})
export class ResultTableComponent {
  readonly result = input.required<Pick<QueryResult, 'columns' | 'rows' | 'more'>>();
  /** What is said where there is no row. */
  readonly none = input('No row is left. The funnel shows which part empties it.');
  /** Whether others can be gone to: whoever shows this one says so. */
  readonly isWindow = input(false, { transform: booleanAttribute });
  /** Whether the rows behind each can be opened. */
  readonly opens = input(false);
  readonly opened = output<number>();
  readonly locale = input.required<Locale>();
  protected readonly row = rowHeight();
  private readonly scale = typeScale();
  /** What the table takes may not be told as read-only. */
  protected readonly rows = computed(() => [...this.result().rows]);
  protected readonly columns = computed(() =>
    this.result().columns.map(({ id, label, kind }) => ({
      id,
      label,
      kind,
      numeric: isNumeric(kind),
      width: widthOf(kind, label, this.scale()),
    })),
  );
  protected readonly ids = computed(() => [
    ...this.columns().map(({ id }) => id),
    ...(this.opens() ? [OPENS] : []),
  ]);
  /** A table of its own for each set of columns: rows that it puts aside to use them again keep those they had. */
  protected readonly turn = linkedSignal<string, boolean>({
    source: () => this.ids().join(),
    computation: (_, before) => !(before?.value ?? false),
  });
  protected readonly least = computed(() =>
    this.columns().reduce((sum, { width }) => sum + (width ?? LEAST), 0),
  );

  protected cell(value: Value, kind: ValueKind): string {
    return showValue(kind, value, this.locale());
  }

  protected place(values: Value[]): number {
    return this.rows().indexOf(values);
  }

  protected readonly byPlace = (place: number): number => place;
}
