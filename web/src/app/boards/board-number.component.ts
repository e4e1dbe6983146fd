import { Component, computed, inject, input, signal } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { catchError, EMPTY, startWith, switchMap, throttleTime } from 'rxjs';
import type { Narrowing, ScreenPart } from '@heathridge/core/board';
import { DeskLine } from '../desk/desk-news.service';
import { DeskStore } from '../desk/desk.store';
import { Api } from '../shared/api.service';
import { problemOf } from '../shared/problem';
import { screenLink, screenOn } from './screen-link';

/** Milliseconds between two counts of what others change. */
const COUNTED_EVERY = 3000;

/** How many rows a screen has, as a part of a board. */
@Component({
  selector: 'hr-board-number',
  imports: [RouterLink],
  template: `
    <a [routerLink]="link()">
      <strong class="cut" dir="auto">{{ label() }}</strong>
      @if (problem()) {
        <span class="soft small" role="alert">{{ problem() }}</span>
      } @else {
        <span class="row" role="status"
          ><span class="number" [class.old]="isOld()">{{ shown() }}</span>
          <span class="soft cut">{{ of() }}</span></span
        >
      }
    </a>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
      overflow: hidden;
    }
    a {
      display: grid;
      align-content: center;
      height: 100%;
      color: inherit;
      text-decoration: none;
    }
    a:hover strong {
      text-decoration: underline;
    }
    .row {
      align-items: baseline;
      gap: 8px;
      min-width: 0;
    }
    .number {
      font-size: 1.9rem;
      font-weight: 700;
      line-height: 1.15;
      color: var(--hr-heather-deep);
    }
    .old {
      color: var(--hr-soft);
    }
  `,
})
export class BoardNumberComponent {
  private readonly api = inject(Api);
  private readonly desk = inject(DeskStore);
  readonly part = input.required<ScreenPart>();
  readonly label = input.required<string>();
  readonly on = input.required<Narrowing | null>();
  private readonly total = signal<number | null>(null);
  /** Whether another number is being worked out. */
  readonly isOld = signal(true);
  readonly problem = signal('');
  private readonly screen = computed(() => screenOn(this.desk.info(), this.part()));
  readonly link = computed(() => screenLink(this.desk.file, this.screen()));
  readonly shown = computed(() => this.total()?.toLocaleString('en-GB') ?? '…');
  readonly of = computed(() => {
    const [screen, total] = [this.screen(), this.total()];
    return screen ? (total === 1 ? screen.one : screen.many).toLowerCase() : '';
  });

  constructor() {
    const changes = inject(DeskLine).all.pipe(
      throttleTime(COUNTED_EVERY, undefined, { leading: true, trailing: true }),
      startWith(null),
    );
    toObservable(computed(() => ({ screen: this.part().screen, on: this.on() })))
      .pipe(
        switchMap(({ screen, on }) => {
          this.isOld.set(true);
          return changes.pipe(
            switchMap(() =>
              this.api
                .page(this.desk.file, screen, {
                  path: [],
                  parent: null,
                  start: 0,
                  limit: 1,
                  search: '',
                  sort: [],
                  conditions: [],
                  on,
                })
                .pipe(
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
      .subscribe(({ total }) => {
        this.problem.set('');
        this.total.set(total);
        this.isOld.set(false);
      });
  }
}
