import {
  afterNextRender,
  Component,
  computed,
  ElementRef,
  inject,
  Injector,
  input,
  signal,
} from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';
import {
  catchError,
  EMPTY,
  map,
  of,
  startWith,
  Subject,
  switchMap,
  throttleTime,
  type Observable,
} from 'rxjs';
import type { Chosen, DrawnPart } from '@heathridge/core/board';
import { chartFor, chartModel, chartOf, type ChartMark } from '@heathridge/core/chart';
import type { Query } from '@heathridge/core/design';
import { countsOf, MOST_CELLS, pivotFor, pivotModel, type Answers } from '@heathridge/core/query';
import { meantByMark, type Meant } from '../chart/behind';
import { ChartComponent } from '../chart/chart.component';
import { PivotComponent } from '../chart/pivot.component';
import { ResultTableComponent } from '../chart/result-table.component';
import { DeskLine } from '../desk/desk-news.service';
import { DeskStore } from '../desk/desk.store';
import { Api, type BoardDrawing, type QueryRows } from '../shared/api.service';
import { problemOf } from '../shared/problem';

/** Milliseconds between two drawings of what others change. */
const DRAWN_EVERY = 5000;

/** What is asked of the server for a part: of which board, and what is chosen there. */
export interface Drawing {
  readonly board: string;
  readonly part: string;
  readonly chosen: readonly Chosen[];
  /** To what its query asks. */
  readonly answers: Answers;
  /** The query itself, while a board is designed that is not saved yet. */
  readonly query: Query | null;
}

/** What a query gives, as a part of a board: a chart or a pivot, drawn anew when rows change. */
@Component({
  selector: 'hr-board-drawn',
  imports: [
    ChartComponent,
    MatIconButton,
    MatIconModule,
    MatTooltipModule,
    PivotComponent,
    ResultTableComponent,
  ],
  template: `
    @if (behind(); as one) {
      <div class="row bar">
        <h3 class="grow cut" dir="auto" [matTooltip]="one.of">{{ one.of }}</h3>
        @if (one.rows; as rows) {
          <span class="tag" role="status"
            >{{ rows.more ? 'the first ' : '' }}{{ rows.rows.length.toLocaleString('en-GB') }}
            {{ rows.rows.length === 1 ? 'row' : 'rows' }}</span
          >
        }
        <button
          matIconButton
          class="compact"
          type="button"
          [attr.aria-label]="'Back to ' + label()"
          [matTooltip]="'Back to ' + label()"
          (click)="closeBehind()"
        >
          <mat-icon svgIcon="arrow_back" />
        </button>
      </div>
    } @else {
      <h3 class="cut" dir="auto">{{ label() }}</h3>
    }
    @if (behind(); as one) {
      @if (one.problem) {
        <p class="soft small" role="alert">{{ one.problem }}</p>
      } @else if (one.rows; as rows) {
        <hr-result-table class="drawing" [result]="rows" [locale]="locale()" none="There is no such row." />
      } @else {
        <p class="empty">Looking for them …</p>
      }
    } @else if (problem()) {
      <p class="soft small" role="alert">{{ problem() }}</p>
    } @else if (part().part === 'chart') {
      @if (model(); as chart) {
        <hr-chart
          opens
          class="drawing"
          [class.old]="isOld()"
          [model]="chart"
          [locale]="locale()"
          [label]="label()"
          (picked)="openMark($event)"
        />
      } @else {
        <p class="empty">{{ said() }}</p>
      }
    } @else {
      @if (pivot(); as laid) {
        <hr-pivot
          opens
          class="drawing"
          [class.old]="isOld()"
          [model]="laid"
          [heat]="drawing()?.query?.pivot?.heat ?? false"
          (picked)="open({ of: 'Rows behind ' + $event.of, keys: $event.keys })"
        />
      } @else {
        <p class="empty">{{ said() }}</p>
      }
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      height: 100%;
      overflow: hidden;
    }
    h3 {
      flex: none;
      padding: 2px 4px 0;
    }
    .bar {
      flex: none;
      gap: 8px;
    }
    .bar h3 {
      flex: 1;
    }
    .drawing {
      flex: 1;
      min-height: 0;
    }
    .old {
      opacity: 0.6;
    }
  `,
})
export class BoardDrawnComponent {
  private readonly api = inject(Api);
  private readonly desk = inject(DeskStore);
  readonly part = input.required<DrawnPart>();
  readonly label = input.required<string>();
  readonly on = input.required<Drawing>();
  readonly drawing = signal<BoardDrawing | null>(null);
  /** Whether another is being worked out. */
  readonly isOld = signal(true);
  readonly problem = signal('');
  /** The rows behind a part of the drawing, while they are looked at; null as long as they have not come. */
  readonly behind = signal<{
    readonly of: string;
    readonly rows: QueryRows | null;
    readonly problem?: string;
  } | null>(null);
  private readonly asked = new Subject<Extract<Meant, { keys: object }> | null>();
  private readonly injector = inject(Injector);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  readonly locale = computed(() => this.desk.reading().locale);
  readonly said = computed(() =>
    this.drawing() ? 'There is nothing to draw in what this query gives.' : 'Working it out …',
  );

  readonly model = computed(() => {
    const drawing = this.drawing();
    if (!drawing) return null;
    const { query, columns, rows, more } = drawing;
    const isThere = (id: string): boolean => columns.some((column) => column.id === id);
    const chart = (query.chart && chartOf(query.chart, isThere)) ?? chartFor(columns);
    if (!chart) return null;
    const model = chartModel(chart, { columns, rows, locale: this.locale(), zero: countsOf(query) });
    const note = `The first ${rows.length.toLocaleString('en-GB')} rows are drawn; there are more.`;
    return more ? { ...model, notes: [note, ...model.notes] } : model;
  });
  readonly pivot = computed(() => {
    const drawing = this.drawing();
    return drawing?.query.group ? pivotModel(drawing.query, drawing, drawing.totals, this.locale()) : null;
  });

  constructor() {
    const changes = inject(DeskLine).all.pipe(
      throttleTime(DRAWN_EVERY, undefined, { leading: true, trailing: true }),
      startWith(null),
    );
    this.asked
      .pipe(
        switchMap((meant) =>
          meant === null
            ? EMPTY
            : this.askBehind(this.on(), meant.keys).pipe(
                map((rows) => ({ of: meant.of, rows })),
                catchError((error: unknown) =>
                  of({ of: meant.of, rows: null, problem: problemOf(error).detail }),
                ),
              ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((behind) => this.behind.set(behind));
    toObservable(this.on)
      .pipe(
        switchMap((on) => {
          // What is chosen otherwise has other rows behind it.
          if (this.behind()) this.closeBehind();
          this.isOld.set(true);
          return changes.pipe(
            switchMap(() =>
              this.ask(on).pipe(
                catchError((error: unknown) => {
                  this.problem.set(problemOf(error).detail);
                  return EMPTY;
                }),
              ),
            ),
          );
        }),
        takeUntilDestroyed(),
      )
      .subscribe((drawing) => {
        this.problem.set('');
        this.drawing.set(drawing);
        this.isOld.set(false);
      });
  }

  protected openMark(mark: ChartMark): void {
    const { query, ...drawing } = this.drawing()!;
    this.open(meantByMark(query, drawing, mark, this.locale()));
  }

  /** Shows the rows behind a part of the drawing, in its place. */
  protected open(meant: Meant): void {
    if ('keys' in meant) {
      this.behind.set({ of: meant.of, rows: null });
      this.asked.next(meant);
    } else {
      const { columns } = this.drawing()!;
      this.behind.set({ of: meant.of, rows: { columns, rows: meant.rows as never, more: false } });
    }
    this.focus('button');
  }

  protected closeBehind(): void {
    this.asked.next(null);
    this.behind.set(null);
    this.focus('[role="application"], [role="grid"] [tabindex]');
  }

  /** Who works by keys goes on where she was: what she stood in is not there any more. */
  private focus(selector: string): void {
    if (!this.host.contains(document.activeElement)) return;
    afterNextRender(() => this.host.querySelector<HTMLElement>(selector)?.focus(), {
      injector: this.injector,
    });
  }

  private askBehind(
    { board, part, chosen, answers, query }: Drawing,
    keys: Readonly<Record<string, string | null>>,
  ): Observable<QueryRows> {
    const { file } = this.desk;
    return query
      ? this.api.queryRows(file, query, answers, { what: 'cell', keys })
      : this.api.boardBehind(file, board, { part, chosen, answers, keys });
  }

  private ask({ board, part, chosen, answers, query }: Drawing): Observable<BoardDrawing> {
    const { file } = this.desk;
    if (!query) return this.api.boardDrawn(file, board, { part, chosen, answers });
    const whole = query.group ? { ...query, pivot: query.pivot ?? pivotFor(query) } : query;
    const how = { rows: MOST_CELLS, totals: this.part().part === 'pivot' };
    return this.api.runQuery(file, whole, answers, how).pipe(map((result) => ({ ...result, query: whole })));
  }
}
