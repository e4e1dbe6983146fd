import { Component, computed, ElementRef, inject, input, output, signal } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { catchError, debounceTime, EMPTY, forkJoin, map, of, Subject, switchMap } from 'rxjs';
import { daysOf, shiftedDays, SPAN_LABELS, type Chosen, type Days, type Span } from '@heathridge/core/board';
import type { Board, BoardFilter } from '@heathridge/core/design';
import { localeOf } from '@heathridge/core/design';
import { readDate, showDate } from '@heathridge/core/values';
import { DeskStore } from '../desk/desk.store';
import { Api, type Choice } from '../shared/api.service';
import { CHOICES_LIST } from '../shared/choices-list';
import { FIELD } from '../shared/field';
import { LineComponent } from '../shared/line.component';
import { problemOf } from '../shared/problem';
import { SelectComponent, type Option } from '../shared/select.component';
import { StripComponent } from '../shared/strip.component';

/** Milliseconds without a letter after which a search begins. */
const SEARCH_AFTER = 200;
/** Days that somebody has named by themselves. */
const OWN = 'own';

type RowFilter = Extract<BoardFilter, { readonly by: 'row' }>;

/** What narrows the parts of a board at once: a row that is found by typing, and days. */
@Component({
  selector: 'hr-board-filters',
  imports: [
    CHOICES_LIST,
    FIELD,
    LineComponent,
    MatIconButton,
    MatIconModule,
    SelectComponent,
    StripComponent,
  ],
  host: { role: 'search', 'aria-label': 'What the board is narrowed to' },
  template: `
    @for (filter of board().filters; track filter.id) {
      @if (filter.by === 'row') {
        <div class="field row-of">
          <label [for]="filter.id">{{ filter.label }}</label>
          <mat-form-field>
            <mat-icon matIconPrefix svgIcon="search" aria-hidden="true" />
            <input
              #box
              matInput
              class="first"
              autocomplete="off"
              dir="auto"
              placeholder="all"
              [id]="filter.id"
              [matAutocomplete]="auto"
              [value]="names().get(filter.id) ?? ''"
              (focus)="begin(filter)"
              (input)="search(filter, box.value)"
              (blur)="leave(filter, box)"
            />
            @if (keyOf(filter) !== null) {
              <button
                matIconButton
                matIconSuffix
                type="button"
                [attr.aria-label]="'All again, not one ' + filter.label.toLowerCase() + ' alone'"
                (click)="choose(filter, null)"
              >
                <mat-icon svgIcon="close" />
              </button>
            }
          </mat-form-field>
          <mat-autocomplete #auto="matAutocomplete" autoActiveFirstOption>
            @for (choice of offers(); track choice[0]) {
              <mat-option
                [value]="choice[1]"
                (onSelectionChange)="$event.isUserInput && choose(filter, choice)"
                ><span dir="auto">{{ choice[1] }}</span></mat-option
              >
            }
          </mat-autocomplete>
        </div>
      } @else {
        @let days = daysIn(filter);
        <div class="row days" role="group" [attr.aria-label]="filter.label">
          <hr-select
            [label]="filter.label"
            [options]="spans"
            [value]="spanOf(days)"
            (changed)="span(filter, $event)"
          />
          <button
            matIconButton
            type="button"
            aria-label="The days before"
            [disabled]="!days.from || !days.to"
            (click)="shift(filter, -1)"
          >
            <mat-icon svgIcon="chevron_left" />
          </button>
          <hr-line
            label="from"
            placeholder="the first"
            [value]="written(days.from)"
            [problem]="wrong().get(filter.id + 'from') ?? ''"
            (changed)="day(filter, 'from', $event)"
          />
          <hr-line
            label="to"
            placeholder="the last"
            [value]="written(days.to)"
            [problem]="wrong().get(filter.id + 'to') || turned(days)"
            (changed)="day(filter, 'to', $event)"
          />
          <button
            matIconButton
            type="button"
            aria-label="The days behind"
            [disabled]="!days.from || !days.to"
            (click)="shift(filter, 1)"
          >
            <mat-icon svgIcon="chevron_right" />
          </button>
        </div>
      }
    }
    @if (problem()) {
      <hr-strip [text]="problem()" />
    }
  `,
  styles: `
    :host {
      flex: 1 1 600px;
      justify-content: flex-end;
      display: flex;
      flex-wrap: wrap;
      align-items: end;
      gap: 8px 20px;
    }
    .row-of {
      flex: 0 1 280px;
      min-width: 180px;
    }
    .days {
      align-items: end;
      gap: 4px;
    }
    .days hr-select {
      width: 9.5rem;
    }
    .days hr-line {
      width: 8.5rem;
    }
  `,
})
export class BoardFiltersComponent {
  private readonly api = inject(Api);
  private readonly desk = inject(DeskStore);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  readonly board = input.required<Board>();
  readonly chosen = input.required<readonly Chosen[]>();
  readonly changed = output<readonly Chosen[]>();
  readonly spans: Option[] = [
    ...Object.entries(SPAN_LABELS).map(([id, label]) => ({ id, label })),
    { id: OWN, label: 'from … to …' },
  ];
  readonly offers = signal<readonly Choice[]>([]);
  readonly problem = signal('');
  /** What was typed that is no day, by filter and end. */
  readonly wrong = signal<ReadonlyMap<string, string>>(new Map());
  /** How the rows that are chosen are called, by filter. */
  readonly names = signal<ReadonlyMap<string, string>>(new Map());
  private readonly searches = new Subject<{ readonly filter: string; readonly search: string }>();
  private readonly locale = computed(() => localeOf(this.desk.info()!.settings));

  constructor() {
    this.searches
      .pipe(
        debounceTime(SEARCH_AFTER),
        switchMap(({ filter, search }) =>
          this.api.filterChoices(this.desk.file, this.board().id, { filter, search, only: null }).pipe(
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              return EMPTY;
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((offers) => {
        this.problem.set('');
        this.offers.set(offers);
      });
    // Rows that the address names by their keys are called by their texts.
    toObservable(
      computed(() => this.chosen().flatMap(({ filter, key }) => (key === null ? [] : [{ filter, key }]))),
    )
      .pipe(
        switchMap((rows) =>
          rows.length === 0
            ? of([])
            : forkJoin(
                rows.map(({ filter, key }) =>
                  this.api
                    .filterChoices(this.desk.file, this.board().id, { filter, search: '', only: key })
                    .pipe(
                      map(([choice]): [string, string] => [filter, choice?.[1] ?? String(key)]),
                      catchError((error: unknown) => {
                        this.problem.set(problemOf(error).detail);
                        return of<[string, string]>([filter, String(key)]);
                      }),
                    ),
                ),
              ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((named) => this.names.set(new Map(named)));
  }

  /** Puts the cursor into the first of them; false where there is none to be typed into. */
  enter(): boolean {
    const box = this.element.querySelector<HTMLInputElement>('input');
    box?.focus();
    box?.select();
    return box !== null;
  }

  private choiceIn({ id }: BoardFilter): Chosen | undefined {
    return this.chosen().find(({ filter }) => filter === id);
  }

  keyOf(filter: RowFilter): string | number | null {
    return this.choiceIn(filter)?.key ?? null;
  }

  /** Every row is offered at first; those of another filter no more. */
  begin(filter: RowFilter): void {
    this.offers.set([]);
    this.search(filter, '');
  }

  search({ id }: RowFilter, search: string): void {
    this.searches.next({ filter: id, search });
  }

  choose(filter: RowFilter, choice: Choice | null): void {
    this.names.update((names) => new Map([...names, [filter.id, choice?.[1] ?? '']]));
    this.put({ filter: filter.id, key: choice?.[0] ?? null, from: null, to: null });
  }

  /** What was typed and not chosen is not asked for: an empty line asks for all again. */
  leave(filter: RowFilter, box: HTMLInputElement): void {
    if (box.value.trim() === '' && this.keyOf(filter) !== null) this.choose(filter, null);
    else setTimeout(() => (box.value = this.names().get(filter.id) ?? ''), SEARCH_AFTER);
  }

  daysIn(filter: BoardFilter): Days {
    const { from = null, to = null } = this.choiceIn(filter) ?? {};
    return { from, to };
  }

  spanOf(days: Days): string {
    const today = this.desk.info()!.today;
    const found = (Object.keys(SPAN_LABELS) as Span[]).find((span) => {
      const { from, to } = daysOf(span, today);
      return from === days.from && to === days.to;
    });
    return found ?? OWN;
  }

  /** What is wrong with days of which the last lies before the first: none lies between. */
  turned({ from, to }: Days): string {
    return from && to && from > to ? 'This day lies before the first.' : '';
  }

  written(day: string | null): string {
    return day ? showDate(day, 'short', this.locale().dateOrder) : '';
  }

  span(filter: BoardFilter, span: string): void {
    // Its own days are typed: until then they are those there were.
    if (span !== OWN) this.putDays(filter, daysOf(span as Span, this.desk.info()!.today));
  }

  shift(filter: BoardFilter, by: 1 | -1): void {
    this.putDays(filter, shiftedDays(this.daysIn(filter), by));
  }

  day(filter: BoardFilter, end: 'from' | 'to', text: string): void {
    const read = text.trim() === '' ? null : readDate(text, this.desk.info()!.today, this.locale());
    const isWrong = read === null && text.trim() !== '';
    const words = `“${text.trim()}” is no date.`;
    this.wrong.update((known) => new Map([...known, [filter.id + end, isWrong ? words : '']]));
    if (!isWrong) this.putDays(filter, { ...this.daysIn(filter), [end]: read });
  }

  private putDays(filter: BoardFilter, days: Days): void {
    const before = this.daysIn(filter);
    // What is no date stays where it was typed, and is told, until another day stands there.
    const isStill = (at: string): boolean =>
      !(['from', 'to'] as const).some((end) => at === filter.id + end && before[end] !== days[end]);
    this.wrong.update((known) => new Map([...known].filter(([at]) => isStill(at))));
    this.put({ filter: filter.id, key: null, ...days });
  }

  private put(choice: Chosen): void {
    this.changed.emit([...this.chosen().filter(({ filter }) => filter !== choice.filter), choice]);
  }
}
