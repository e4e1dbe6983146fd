import { Component, computed, inject, input, signal } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { MatIconModule } from '@angular/material/icon';
import { catchError, EMPTY, map, startWith, switchMap, throttleTime, type Observable } from 'rxjs';
import type { Chosen, DrawnPart } from '@heathridge/core/board';
import { chartFor, chartModel, chartOf } from '@heathridge/core/chart';
import type { Query } from '@heathridge/core/design';
import { countsOf, MOST_CELLS, pivotFor, pivotModel, type Answers } from '@heathridge/core/query';
import { ChartComponent } from '../chart/chart.component';
import { PivotComponent } from '../chart/pivot.component';
import { DeskLine } from '../desk/desk-news.service';
import { DeskStore } from '../desk/desk.store';
import { Api, type BoardDrawing } from '../shared/api.service';
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
  imports: [ChartComponent, MatIconModule, PivotComponent],
  template: `
    <h3 class="cut" dir="auto">{{ label() }}</h3>
    @if (problem()) {
      <p class="soft small" role="alert">{{ problem() }}</p>
    } @else if (part().part === 'chart') {
      @if (model(); as chart) {
        <hr-chart
          class="drawing"
          [class.old]="isOld()"
          [model]="chart"
          [locale]="locale()"
          [label]="label()"
        />
      } @else {
        <p class="empty">{{ said() }}</p>
      }
    } @else {
      @if (pivot(); as laid) {
        <hr-pivot
          class="drawing"
          [class.old]="isOld()"
          [model]="laid"
          [heat]="drawing()?.query?.pivot?.heat ?? false"
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
    toObservable(this.on)
      .pipe(
        switchMap((on) => {
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

  private ask({ board, part, chosen, answers, query }: Drawing): Observable<BoardDrawing> {
    const { file } = this.desk;
    if (!query) return this.api.boardDrawn(file, board, { part, chosen, answers });
    const whole = query.group ? { ...query, pivot: query.pivot ?? pivotFor(query) } : query;
    const how = { rows: MOST_CELLS, totals: this.part().part === 'pivot' };
    return this.api.runQuery(file, whole, answers, how).pipe(map((result) => ({ ...result, query: whole })));
  }
}
