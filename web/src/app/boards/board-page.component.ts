import { Component, computed, inject, input, signal, viewChild } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { Router, type Params } from '@angular/router';
import { catchError, debounceTime, EMPTY, switchMap, tap } from 'rxjs';
import * as v from 'valibot';
import { Chosen, daysOf } from '@heathridge/core/board';
import type { Answers } from '@heathridge/core/query';
import { AnswersComponent } from '../ask/answers.component';
import { DeskLine } from '../desk/desk-news.service';
import { DeskStore } from '../desk/desk.store';
import { TakingBack } from '../lists/taking-back.service';
import { Api, type BoardInfo } from '../shared/api.service';
import type { MayHoldChanges } from '../shared/leave.guard';
import { problemOf } from '../shared/problem';
import { StripComponent } from '../shared/strip.component';
import { isTypedIn } from '../shared/typed-in';
import type { Fetch } from '../value/held';
import { BoardFiltersComponent } from './board-filters.component';
import { BoardComponent } from './board.component';

/** Milliseconds after the last change of somebody else after which rows are read again. */
const READ_AFTER = 200;

const Asked = v.pipe(v.string(), v.parseJson(), v.array(Chosen));
const Answered = v.pipe(
  v.string(),
  v.parseJson(),
  v.record(v.string(), v.union([v.null(), v.string(), v.number(), v.boolean()])),
);

/** A board on the Desk: several screens side by side, narrowed by what is chosen above them. */
@Component({
  selector: 'hr-board-page',
  imports: [AnswersComponent, BoardComponent, BoardFiltersComponent, MatIconModule, StripComponent],
  providers: [TakingBack],
  host: { '(document:keydown)': 'keys($event)', '(window:beforeunload)': 'warn($event)' },
  template: `
    @if (problem()) {
      <hr-strip [text]="problem()" />
    }
    @if (info()?.board; as board) {
      <div class="page">
        <div class="head">
          <h1 class="cut" dir="auto">{{ board.label }}</h1>
          @if (board.filters.length > 0) {
            <hr-board-filters [board]="board" [chosen]="chosen()" (changed)="choose($event)" />
          }
          @if (asked().length > 0) {
            <hr-answers
              label="What is asked here"
              [asked]="asked()"
              [answers]="answered()"
              [choices]="choices"
              [reading]="desk.reading()"
              (changed)="answer($event)"
            />
          }
        </div>
        @if (board.parts.length > 0) {
          <hr-board [board]="board" [chosen]="chosen()" [questions]="info()!.asked" [answers]="answered()" />
        } @else {
          <p class="soft">Nothing stands on this board yet. The builder puts it there in Screens.</p>
        }
      </div>
    } @else if (!problem()) {
      <p class="empty" role="status"><mat-icon class="spin" svgIcon="progress_activity" />Opening …</p>
    }
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
      overflow: auto;
    }
    .page {
      display: grid;
      gap: 14px;
      padding: 18px 24px;
    }
    .head {
      display: flex;
      flex-wrap: wrap;
      align-items: end;
      justify-content: space-between;
      gap: 8px 24px;
    }
    hr-answers {
      flex: 1 1 500px;
      grid-template-columns: repeat(auto-fit, minmax(min(220px, 100%), 240px));
      justify-content: end;
      padding: 0;
    }
    @media (max-width: 620px) {
      .page {
        padding: 14px;
      }
    }
  `,
})
export class BoardPageComponent implements MayHoldChanges {
  private readonly api = inject(Api);
  private readonly back = inject(TakingBack);
  readonly desk = inject(DeskStore);
  private readonly dialog = inject(MatDialog);
  private readonly router = inject(Router);
  /** The id of the board. */
  readonly board = input.required<string>();
  /** What is chosen in its filters, as JSON. */
  readonly by = input<string | undefined>(undefined);
  /** To what its queries ask, as JSON. */
  readonly answersParam = input<string | undefined>(undefined, { alias: 'answers' });
  readonly info = signal<BoardInfo | null>(null);
  readonly problem = signal('');
  private readonly view = viewChild(BoardComponent);
  private readonly filters = viewChild(BoardFiltersComponent);

  /** What is chosen: as the address says, or else as the board begins. */
  readonly chosen = computed((): readonly Chosen[] => {
    const [board, by] = [this.info()?.board, this.by()];
    const asked = by === undefined ? null : v.safeParse(Asked, by);
    // Somebody may have written anything into the address.
    const known = asked?.success ? asked.output : [];
    return (board?.filters ?? []).flatMap((filter) => {
      const own = known.find((choice) => choice.filter === filter.id);
      if (own) return [own];
      return filter.by === 'days'
        ? [{ filter: filter.id, key: null, ...daysOf(filter.starts, this.desk.info()?.today ?? '') }]
        : [];
    });
  });

  readonly asked = computed(() => (this.info()?.asked ?? []).map(({ asked }) => asked));
  /** The answers, as the address says; what it says nothing of starts as the question says. */
  readonly answered = computed((): Answers => {
    const read = this.answersParam() === undefined ? null : v.safeParse(Answered, this.answersParam());
    return read?.success ? read.output : {};
  });
  readonly choices: Fetch = (filter, { search, only = null }) =>
    this.api.filterChoices(this.desk.file, this.board(), { filter, search, only });

  constructor() {
    toObservable(this.board)
      .pipe(
        tap(() => {
          this.info.set(null);
          this.problem.set('');
          this.back.forget();
        }),
        switchMap((board) =>
          this.api.board(this.desk.file, board).pipe(
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              return EMPTY;
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((info) => this.info.set(info));
    inject(DeskLine)
      .all.pipe(debounceTime(READ_AFTER), takeUntilDestroyed())
      .subscribe(() => this.refresh());
    this.back.done.pipe(takeUntilDestroyed()).subscribe(() => this.refresh());
  }

  private lists() {
    return this.view()?.lists() ?? [];
  }

  private refresh(): void {
    this.lists().forEach((list) => list.refresh());
  }

  choose(chosen: readonly Chosen[]): void {
    // Back leads to where one came from, not through all that was looked at.
    this.go({ by: JSON.stringify(chosen) });
  }

  answer(answers: Answers): void {
    this.go({ answers: JSON.stringify(answers) });
  }

  private go(queryParams: Params): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }

  unsaved(): boolean {
    return this.lists().some((list) => list.unsaved());
  }

  async settle(): Promise<boolean> {
    for (const list of this.lists()) if (!(await list.saveAll())) return false;
    return true;
  }

  left(): void {
    this.lists().forEach((list) => list.setAllAside());
  }

  warn(event: BeforeUnloadEvent): void {
    if (this.unsaved()) event.preventDefault();
  }

  keys(event: KeyboardEvent): void {
    if (this.dialog.openDialogs.length > 0 || !event.ctrlKey) return;
    const letter = event.key.toLowerCase();
    if (letter === 's') {
      event.preventDefault();
      void this.settle();
    } else if (letter === 'k' && this.filters()?.enter() === true) event.preventDefault();
    else if (letter === 'z' && this.back.isOffered() && !isTypedIn(event.target)) {
      event.preventDefault();
      void this.back.take();
    }
  }
}
