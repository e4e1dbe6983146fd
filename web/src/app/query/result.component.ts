import { Component, computed, input, linkedSignal, output } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';
import { chartFor, chartModel, chartOf, type ChartMark } from '@heathridge/core/chart';
import type { Chart, Pivot, Query } from '@heathridge/core/design';
import { countsOf, pivotFor, pivotModel, type RowsAsked } from '@heathridge/core/query';
import { type Locale } from '@heathridge/core/values';
import { meantByMark, meantByRow, type Meant } from '../chart/behind';
import { ChartBarComponent } from '../chart/chart-bar.component';
import { ChartComponent } from '../chart/chart.component';
import { PivotComponent } from '../chart/pivot.component';
import { ResultTableComponent } from '../chart/result-table.component';
import type { QueryResult, QueryRows } from '../shared/api.service';
import { SegmentsComponent } from '../shared/segments.component';
import { lasting } from './lasting';
import { PivotBarComponent } from './pivot-bar.component';

/** How a result is looked at. */
export type Look = 'rows' | 'chart' | 'pivot';

const LOOKS = [
  ['rows', 'Rows'],
  ['chart', 'Chart'],
  ['pivot', 'Pivot'],
] as const;

/** Rows that are shown at once. */
const WINDOW = 1000;

/** Milliseconds from which on a query makes people wait. */
const SLOW = 1000;

/** Rows that are asked for, and what they are. */
export interface Asked {
  readonly asked: RowsAsked;
  readonly of: string;
}

/** Rows behind a part of a result, as they came. */
export interface Behind {
  readonly of: string;
  readonly rows: QueryRows | null;
}

/** What a query gives: its rows, a chart of them, or a pivot; and the rows behind any part of it. */
@Component({
  selector: 'hr-result',
  imports: [
    ChartBarComponent,
    ChartComponent,
    MatButton,
    MatIconButton,
    MatCheckboxModule,
    MatIconModule,
    MatTooltipModule,
    PivotBarComponent,
    PivotComponent,
    ResultTableComponent,
    SegmentsComponent,
  ],
  template: `
    @let found = result();
    @if (behind() ?? own(); as one) {
      <div class="row bar">
        <strong class="grow cut">{{ one.of }}</strong>
        @if (one.rows; as rows) {
          <span class="tag" role="status">{{ counted(rows) }}</span>
        }
        <button matButton="outlined" class="compact" type="button" (click)="own.set(null); back.emit()">
          <mat-icon svgIcon="arrow_back" />Back to the result
        </button>
      </div>
      @if (one.rows; as rows) {
        <hr-result-table class="grow" [result]="rows" [locale]="locale()" none="There is no such row." />
      } @else {
        <p class="empty"><mat-icon class="spin" svgIcon="progress_activity" />Looking for them …</p>
      }
    } @else {
      <div class="row bar">
        <hr-segments
          about="Result shown as"
          [choices]="looks"
          [value]="look()"
          (changed)="looked.emit($event)"
        />
        <span class="grow"></span>
        @if (isStale()) {
          <button matButton="outlined" class="compact" type="button" (click)="again.emit()">
            <mat-icon svgIcon="warning" />Rows have changed: run again
          </button>
        }
        <mat-checkbox [checked]="follows()" (change)="followed.emit($event.checked)"
          >Follow changes</mat-checkbox
        >
        <span class="soft small" role="status">{{ counted(found) }}</span>
        @if (took() > 0) {
          <button
            matButton="text"
            class="compact"
            [class.slow]="isSlow()"
            type="button"
            matTooltip="What takes the time, and what would spare some of it"
            (click)="slow.emit()"
          >
            {{ lasting(took()) }}{{ isSlow() ? ': why so long?' : '' }}
          </button>
        }
      </div>
      @switch (look()) {
        @case ('rows') {
          <hr-result-table
            class="grow"
            [result]="found"
            [locale]="locale()"
            isWindow
            [opens]="found.keys.length > 0"
            (opened)="openRow($event)"
          />
          @if (start() > 0 || found.more) {
            <div class="row bar windows" role="group" aria-label="Which rows are shown">
              <span class="grow small" role="status">{{ windowed(found) }}</span>
              @for (way of ways(); track way.label) {
                <button
                  matIconButton
                  class="compact"
                  type="button"
                  [attr.aria-label]="way.label"
                  [matTooltip]="way.label"
                  [disabled]="isMoving() || way.to === null"
                  (click)="moved.emit(way.to!)"
                >
                  <mat-icon [svgIcon]="way.icon" />
                </button>
              }
            </div>
          }
        }
        @case ('chart') {
          @if (drawn(); as chart) {
            <hr-chart-bar [chart]="chart" [columns]="found.columns" (changed)="chartChanged.emit($event)" />
            <hr-chart
              class="grow"
              opens
              [model]="model()!"
              [locale]="locale()"
              [label]="query().label"
              (picked)="openMark($event)"
            />
          } @else {
            <p class="empty">
              There is no number in this result to draw. Group it, and count or add something up.
            </p>
          }
        }
        @case ('pivot') {
          @if (query().group) {
            <hr-pivot-bar [query]="query()" [pivot]="laidOut()" (changed)="pivotChanged.emit($event)" />
            @if (pivot(); as one) {
              <hr-pivot
                class="grow"
                opens
                [model]="one"
                [heat]="laidOut().heat"
                (picked)="
                  open.emit({ asked: { what: 'cell', keys: $event.keys }, of: 'Rows behind ' + $event.of })
                "
              />
            }
          } @else {
            <p class="empty">A pivot lays groups out both ways: group by a field first, then by another.</p>
          }
        }
      }
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      height: 100%;
    }
    .bar {
      flex: none;
      flex-wrap: wrap;
      gap: 4px 10px;
      padding: 6px 12px;
      border-bottom: 1px solid var(--hr-faint);
    }
    hr-segments {
      flex: none;
      width: 220px;
    }
    .grow {
      min-height: 0;
    }
    .windows {
      padding: 2px 12px;
      border-top: 1px solid var(--hr-faint);
      border-bottom: 0;
    }
    .slow {
      color: var(--hr-rust);
    }
  `,
})
export class ResultComponent {
  readonly query = input.required<Query>();
  readonly result = input.required<QueryResult>();
  readonly locale = input.required<Locale>();
  readonly look = input.required<Look>();
  readonly behind = input.required<Behind | null>();
  /** Whether rows have changed since it came, and whether it comes anew by itself then. */
  readonly isStale = input(false);
  readonly follows = input(false);
  /** Milliseconds that it took; 0 where that is not known. */
  readonly took = input(0);
  readonly slow = output();
  /** The place of the first row, of how many, and whether others are on their way; `moved` asks for others. */
  readonly start = input(0);
  readonly total = input<number | null>(null);
  readonly isMoving = input(false);
  readonly moved = output<number>();
  readonly again = output();
  readonly followed = output<boolean>();
  readonly looked = output<Look>();
  readonly chartChanged = output<Chart>();
  readonly pivotChanged = output<Pivot>();
  readonly open = output<Asked>();
  readonly back = output();
  /** Rows of the result itself that are looked at alone. */
  protected readonly own = linkedSignal<QueryResult, Behind | null>({
    source: () => this.result(),
    computation: () => null,
  });
  protected readonly looks = LOOKS;
  protected readonly lasting = lasting;
  protected readonly isSlow = computed(() => this.took() >= SLOW);

  /** The chart as it is kept, as far as its columns are there, or one that suits. */
  protected readonly drawn = computed(() => {
    const { columns } = this.result();
    const { chart } = this.query();
    const isThere = (id: string): boolean => columns.some((column) => column.id === id);
    return (chart && chartOf(chart, isThere)) ?? chartFor(columns);
  });
  protected readonly model = computed(() => {
    const chart = this.drawn();
    if (!chart) return null;
    const { columns, rows, more } = this.result();
    const model = chartModel(chart, { columns, rows, locale: this.locale(), zero: countsOf(this.query()) });
    if (!more) return model;
    const note = `The first ${rows.length.toLocaleString('en-GB')} rows are drawn; there are more.`;
    return { ...model, notes: [note, ...model.notes] };
  });
  protected readonly laidOut = computed((): Pivot => this.query().pivot ?? pivotFor(this.query()));
  protected readonly pivot = computed(() => {
    const result = this.result();
    const query = { ...this.query(), pivot: this.laidOut() };
    // What it is grouped by may have changed since the result came.
    if (!query.group || result.columns.map(({ id }) => id).join() !== outputIds(query).join()) return null;
    const model = pivotModel(query, result, result.totals, this.locale());
    if (!result.more) return model;
    const note = `Only the first ${result.rows.length.toLocaleString('en-GB')} groups are laid out, and totals are of those: keep fewer of them.`;
    return { ...model, notes: [note, ...model.notes] };
  });

  /** Where one may go from the rows that are shown; null where there is nothing. */
  protected readonly ways = computed(() => {
    const { rows, more } = this.result();
    const [start, total] = [this.start(), this.total()];
    const last = total === null ? null : Math.max(0, Math.ceil(total / WINDOW) - 1) * WINDOW;
    return [
      { label: 'The first rows', icon: 'first_page', to: start > 0 ? 0 : null },
      { label: 'The rows before', icon: 'arrow_back', to: start > 0 ? Math.max(0, start - WINDOW) : null },
      { label: 'The rows after', icon: 'arrow_forward', to: more ? start + rows.length : null },
      { label: 'The last rows', icon: 'last_page', to: more && last !== null && last > start ? last : null },
    ];
  });

  protected windowed({ rows }: QueryRows): string {
    const number = (n: number): string => n.toLocaleString('en-GB');
    const [start, total] = [this.start(), this.total()];
    const of = total === null ? '' : ` of ${number(total)}`;
    return rows.length === 0
      ? `No row from ${number(start + 1)} on`
      : `Rows ${number(start + 1)} to ${number(start + rows.length)}${of}`;
  }

  protected counted({ rows, more }: QueryRows): string {
    const total = this.total();
    if (this.look() === 'rows' && rows === this.result().rows && total !== null)
      return `${total.toLocaleString('en-GB')} ${total === 1 ? 'row' : 'rows'}`;
    const number = rows.length.toLocaleString('en-GB');
    return more ? `the first ${number} rows` : `${number} ${rows.length === 1 ? 'row' : 'rows'}`;
  }

  /** The rows behind one row of the result. */
  protected openRow(index: number): void {
    const meant = meantByRow(this.query(), this.result(), index, this.locale());
    if (meant) this.show(meant);
  }

  /** The rows behind a mark of the chart. */
  protected openMark(mark: ChartMark): void {
    this.show(meantByMark(this.query(), this.result(), mark, this.locale()));
  }

  private show(meant: Meant): void {
    if ('keys' in meant) this.open.emit({ asked: { what: 'cell', keys: meant.keys }, of: meant.of });
    else
      this.own.set({
        of: meant.of,
        rows: { columns: this.result().columns, rows: meant.rows as never, more: false },
      });
  }
}

/** The columns of a query that groups. */
const outputIds = ({ group }: Query): string[] =>
  [...(group?.by ?? []), ...(group?.measures ?? [])].map(({ id }) => id);
