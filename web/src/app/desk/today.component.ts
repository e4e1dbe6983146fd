import { Component, computed, inject, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatListModule } from '@angular/material/list';
import { Router, RouterLink } from '@angular/router';
import { catchError, EMPTY, startWith, switchMap, throttleTime } from 'rxjs';
import { showDate } from '@heathridge/core/values';
import { Api, type DeskInfo, type Worked } from '../shared/api.service';
import { problemOf } from '../shared/problem';
import { StripComponent } from '../shared/strip.component';
import { DeskLine } from './desk-news.service';
import { DeskStore } from './desk.store';
import { RecordDrafts, type RecordDraft } from './record-drafts.service';

/** Milliseconds between two counts of what is watched. */
const COUNTED_EVERY = 5000;

/** What is done on a screen; the rows it is about stand behind it. */
const DOES = { record: 'find and change', list: 'a list of', cards: 'cards of' } as const;

/** The first tab: what there is to open, what was not finished, and what was worked on last. */
@Component({
  selector: 'hr-today',
  imports: [MatButton, MatIconButton, MatIconModule, MatListModule, RouterLink, StripComponent],
  template: `
    <div class="page">
      <h1>Today, {{ date(desk.info()?.today ?? '') }}</h1>
      <div class="screens">
        @for (screen of desk.info()?.screens ?? []; track screen.id) {
          <div class="card">
            <a class="open" [routerLink]="linkOf(screen)"
              ><strong>{{ screen.label }}</strong>
              @if (numbers().get(screen.id); as number) {
                <span class="number">{{ number }}</span>
              }
              <span class="soft">{{ does[screen.shows] }} {{ screen.many.toLowerCase() }}</span></a
            >
            @if (screen.shows === 'record' && screen.adds) {
              <a matButton="outlined" class="compact" [routerLink]="linkOf(screen)" [queryParams]="{ new: 1 }"
                ><mat-icon svgIcon="add" />New {{ screen.one.toLowerCase() }}</a
              >
            }
          </div>
        }
        @for (board of desk.info()?.boards ?? []; track board.id) {
          <div class="card">
            <a class="open" [routerLink]="['/desk', desk.file, 'board', board.id]"
              ><strong>{{ board.label }}</strong> <span class="soft">several screens side by side</span></a
            >
          </div>
        }
        @if (isEmpty()) {
          <div class="card empty">
            <p>No screen is on the Desk yet. The builder makes them in Screens.</p>
          </div>
        }
      </div>
      <div class="two">
        <section aria-labelledby="today-worked">
          <h2 id="today-worked">What you worked on last</h2>
          @if (problem()) {
            <hr-strip [text]="problem()" />
          }
          @if (worked(); as list) {
            @if (list.records.length > 0) {
              <mat-nav-list class="card entries" aria-labelledby="today-worked">
                @for (record of list.records; track record.screen + record.key.join()) {
                  <a
                    mat-list-item
                    [routerLink]="['/desk', desk.file, 'screen', record.screen]"
                    [queryParams]="{ key: asText(record.key) }"
                  >
                    <span class="lines">
                      <strong class="cut" dir="auto">{{ record.title || 'Without a name' }}</strong>
                      <span class="soft small"
                        >{{ screenOf(record.screen) }} · {{ record.added ? 'added' : 'changed' }}
                        {{ moment(record.at) }}</span
                      >
                    </span>
                  </a>
                }
              </mat-nav-list>
            } @else {
              <p class="card none soft">Nothing yet. The records that you add and change are listed here.</p>
            }
          } @else if (!problem()) {
            <p class="card none soft" role="status">Looking …</p>
          }
        </section>
        @if (unfinished() > 0) {
          <section aria-labelledby="today-unfinished">
            <h2 id="today-unfinished">Not finished</h2>
            <ul class="plain-list card">
              @for (draft of drafts(); track draft.screen + asText(draft.key)) {
                <li class="row">
                  <span class="lines grow">
                    <strong class="cut" dir="auto">{{ draft.title }}</strong>
                    <span class="soft small"
                      >{{ screenOf(draft.screen) }} · typed {{ moment(draft.at) }}, not saved</span
                    >
                  </span>
                  <button matButton="outlined" class="compact" type="button" (click)="goOn(draft)">
                    Go on
                  </button>
                  <button
                    matIconButton
                    type="button"
                    [attr.aria-label]="'Throw away what was typed into ' + draft.title"
                    (click)="drop(draft)"
                  >
                    <mat-icon svgIcon="close" />
                  </button>
                </li>
              }
              @if (worked()?.draft; as draft) {
                <li class="row">
                  <span class="lines grow">
                    <strong class="cut">Draft of the design</strong>
                    <span class="soft small"
                      >{{ draft.changes }} {{ draft.changes === 1 ? 'change' : 'changes' }} · kept
                      {{ moment(draft.at) }}, not applied</span
                    >
                  </span>
                  <a matButton="outlined" class="compact" [routerLink]="['/file', desk.file, 'plan']"
                    >Go on</a
                  >
                </li>
              }
            </ul>
          </section>
        }
      </div>
    </div>
  `,
  styles: `
    .page {
      height: 100%;
      overflow: auto;
      padding: 28px 32px;
    }
    .screens {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(min(250px, 100%), 1fr));
      gap: 14px;
      margin-top: 18px;
    }
    .screens .card {
      display: grid;
      gap: 12px;
      align-content: start;
      justify-items: start;
      padding: 16px;
    }
    .two {
      display: grid;
      grid-template-columns: repeat(auto-fit, minmax(min(380px, 100%), 1fr));
      gap: 14px 24px;
      max-width: 1100px;
      margin-top: 26px;
    }
    h2 {
      margin-bottom: 8px;
      font-size: var(--hr-text-base);
    }
    .lines {
      display: grid;
      min-width: 0;
    }
    .none,
    li {
      padding: 10px 14px;
    }
    li + li {
      border-top: 1px solid var(--hr-faint);
    }
    .entries {
      padding: 4px 0;
    }
    .open {
      display: grid;
      color: inherit;
      text-decoration: none;
      font-size: var(--hr-text-large);
    }
    .number {
      font-size: 1.9rem;
      font-weight: 700;
      line-height: 1.2;
      color: var(--hr-heather-deep);
    }
    .open:hover strong {
      text-decoration: underline;
    }
    @media (max-width: 620px) {
      .page {
        padding: 18px 14px;
      }
    }
  `,
})
export class TodayComponent {
  readonly does = DOES;
  readonly desk = inject(DeskStore);
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly kept = inject(RecordDrafts);
  readonly date = showDate;
  readonly worked = signal<Worked | null>(null);
  /** How many rows the lists have that are watched, as they are written. */
  readonly numbers = signal<ReadonlyMap<string, string>>(new Map());
  readonly problem = signal('');
  readonly drafts = signal<readonly RecordDraft[]>(this.kept.list(this.desk.file));
  readonly isEmpty = computed(() => {
    const info = this.desk.info();
    return info !== null && info.screens.length + info.boards.length === 0;
  });
  readonly unfinished = computed(() => this.drafts().length + (this.worked()?.draft ? 1 : 0));

  constructor() {
    // They are counted anew when somebody has changed something, though not at every key press of an office.
    inject(DeskLine)
      .all.pipe(
        throttleTime(COUNTED_EVERY, undefined, { leading: false, trailing: true }),
        startWith(null),
        switchMap(() =>
          this.api.watches(this.desk.file).pipe(
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              return EMPTY;
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe(({ watches }) =>
        this.numbers.set(
          new Map(watches.map(({ screen, count }) => [screen, count.toLocaleString('en-GB')])),
        ),
      );
    this.api.worked(this.desk.file).subscribe({
      next: (worked) => this.worked.set(worked),
      error: (error: unknown) => this.problem.set(problemOf(error).detail),
    });
  }

  asText(key: readonly (string | number)[] | null): string {
    return JSON.stringify(key);
  }

  moment(at: string): string {
    return this.desk.moment(at);
  }

  screenOf(at: string): string {
    return this.screenAt(at)?.label ?? 'a screen that is gone';
  }

  /** A screen by its id, behind which lists that follow may be named. */
  private screenAt(at: string): DeskInfo['screens'][number] | undefined {
    return this.desk.info()?.screens.find(({ id }) => id === at.split('/')[0]);
  }

  linkOf({ id, shows }: DeskInfo['screens'][number]): readonly string[] {
    return ['/desk', this.desk.file, shows === 'record' ? 'screen' : 'list', id];
  }

  goOn({ screen: at, key }: RecordDraft): void {
    const screen = this.screenAt(at);
    if (!screen) return;
    const record = key === null ? { new: 1 } : { key: JSON.stringify(key) };
    const queryParams = screen.shows === 'record' ? record : {};
    void this.router.navigate([...this.linkOf(screen)], { queryParams });
  }

  drop({ screen, key }: RecordDraft): void {
    this.kept.drop(this.desk.file, screen, key);
    this.drafts.set(this.kept.list(this.desk.file));
  }
}
