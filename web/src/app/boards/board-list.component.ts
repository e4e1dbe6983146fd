import { Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { Router, RouterLink } from '@angular/router';
import { catchError, EMPTY, switchMap, tap } from 'rxjs';
import type { Narrowing, ScreenPart } from '@heathridge/core/board';
import { lanesBy, listsOn, type Pane } from '@heathridge/core/form';
import type { RowKey } from '@heathridge/core/rows';
import { DeskStore } from '../desk/desk.store';
import { designOf } from '../desk/record.state';
import { RowRemoval } from '../desk/row-removal.service';
import { LanesComponent } from '../lists/lanes.component';
import { ListGridComponent } from '../lists/list-grid.component';
import type { ListView, Place } from '../lists/list-view';
import { TakingBack } from '../lists/taking-back.service';
import { Api, type ScreenInfo } from '../shared/api.service';
import { problemOf } from '../shared/problem';
import { StripComponent } from '../shared/strip.component';
import { screenLink, screenOn } from './screen-link';

/** The rows of a screen as a part of a board: all that can be done to them there can be done here. */
@Component({
  selector: 'hr-board-list',
  imports: [LanesComponent, ListGridComponent, MatButton, MatIconModule, RouterLink, StripComponent],
  providers: [RowRemoval],
  template: `
    <div class="row head">
      <h2 class="cut" dir="auto">{{ label() }}</h2>
      @if (count()) {
        <span class="soft count" role="status">{{ count() }}</span>
      }
      <span class="grow"></span>
      @if (adds()) {
        <button matButton="text" class="compact" type="button" (click)="startNew()">
          <mat-icon svgIcon="add" />{{ table()?.label }}
        </button>
      }
      <a matButton="text" class="compact" [routerLink]="link()" [attr.aria-label]="'Open ' + label()">Open</a>
    </div>
    @if (problem()) {
      <hr-strip [text]="problem()" />
    }
    @if (pane(); as pane) {
      @if (place(); as place) {
        @if (isInLanes()) {
          <hr-lanes
            class="rows"
            [pane]="pane"
            [place]="place"
            [on]="on()"
            [opens]="opensOn() !== null"
            [begins]="adds()"
            [keepsConditions]="false"
            [view]="view()"
            (opened)="open($event)"
            (begun)="begin($event)"
            (counted)="total.set($event)"
            (saved)="saved($event)"
          />
        } @else {
          <hr-list-grid
            class="rows"
            [pane]="pane"
            [place]="place"
            [on]="on()"
            [opens]="opensOn() !== null"
            [keepsConditions]="false"
            [view]="view()"
            (opened)="open($event)"
            (counted)="total.set($event)"
            (saved)="saved($event)"
          />
        }
      }
    } @else if (!problem()) {
      <p class="soft" role="status">Looking …</p>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      height: 100%;
      gap: 6px;
    }
    .head {
      flex: none;
      min-width: 0;
    }
    h2 {
      flex: 0 1 auto;
      min-width: 4rem;
      font-size: var(--hr-text-base);
    }
    .count {
      flex: 0 9 auto;
      min-width: 0;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .rows {
      flex: 1;
      min-height: 0;
    }
  `,
})
export class BoardListComponent {
  private readonly api = inject(Api);
  private readonly back = inject(TakingBack);
  private readonly router = inject(Router);
  readonly desk = inject(DeskStore);
  readonly part = input.required<ScreenPart>();
  readonly label = input.required<string>();
  /** What is chosen in the filters of the board. */
  readonly on = input.required<Narrowing | null>();
  /** What a row holds by that which is begun here, by field id. */
  readonly given = input<Readonly<Record<string, string | number>>>({});
  readonly info = signal<ScreenInfo | null>(null);
  readonly problem = signal('');
  readonly total = signal<number | null>(null);
  private readonly lanes = viewChild(LanesComponent);
  private readonly grid = viewChild(ListGridComponent);

  readonly design = computed(() => {
    const info = this.info();
    return info && designOf(info.tables, info.settings);
  });
  /** Its rows: those of the first of its lists, where lists follow it. */
  readonly pane = computed((): Pane | null => {
    const [design, info] = [this.design(), this.info()];
    return (design && info && listsOn(design, info.form)[0]) ?? null;
  });
  readonly place = computed((): Place | null => {
    const [design, screen] = [this.design(), this.part().screen];
    return (
      design && {
        design,
        screen,
        fetch: (field, request) => this.api.screenChoices(this.desk.file, screen, field, request),
      }
    );
  });
  readonly table = computed(() => this.design()?.tables.find(({ id }) => id === this.pane()?.form.table));
  readonly isInLanes = computed(() => {
    const [pane, table] = [this.pane(), this.table()];
    return pane !== null && table !== undefined && lanesBy(pane.form, table) !== null;
  });
  /** How the screen itself is looked at. */
  readonly view = computed(() => {
    const own = this.info()?.views.filter(({ path }) => path.length === 0) ?? [];
    return (own.find((view) => view.own) ?? own[0])?.view ?? null;
  });
  readonly count = computed(() => {
    const [total, table] = [this.total(), this.table()];
    if (total === null || !table) return '';
    return `${total.toLocaleString('en-GB')} ${(total === 1 ? table.label : table.plural).toLowerCase()}`;
  });
  private readonly screen = computed(() => screenOn(this.desk.info(), this.part()));
  readonly link = computed(() => screenLink(this.desk.file, this.screen()));
  /** The screen on which its rows are opened one by one: itself where it shows records. */
  readonly opensOn = computed(() =>
    this.screen()?.shows === 'record' ? this.screen() : this.desk.recordScreenOf(this.table()?.id ?? ''),
  );
  readonly adds = computed(() => {
    const rights = this.info()?.form.rights;
    if (!rights?.add) return false;
    const isTyped = this.screen()?.shows === 'list';
    return isTyped || this.opensOn()?.adds === true;
  });

  constructor() {
    toObservable(computed(() => this.part().screen))
      .pipe(
        tap(() => {
          this.info.set(null);
          this.total.set(null);
          this.problem.set('');
        }),
        switchMap((screen) =>
          this.api.screen(this.desk.file, screen).pipe(
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              return EMPTY;
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((info) => this.info.set(info));
    this.back.failed.pipe(takeUntilDestroyed()).subscribe((words) => this.problem.set(words));
    effect(() => {
      this.on();
      untracked(() => this.problem.set(''));
    });
  }

  /** Its rows, as something that may hold changes. */
  list(): ListView | undefined {
    return this.lanes() ?? this.grid();
  }

  saved({ text, entry }: { readonly text: string; readonly entry: number }): void {
    this.back.offer({ text, entry, screen: this.part().screen });
  }

  startNew(): void {
    if (this.screen()?.shows === 'list') this.list()?.startNew();
    else if (this.isInLanes()) this.list()?.startNew();
    else void this.begin({});
  }

  async open(key: RowKey): Promise<void> {
    const screen = this.opensOn();
    if (screen)
      await this.router.navigate(['/desk', this.desk.file, 'screen', screen.id], {
        queryParams: { key: JSON.stringify(key) },
      });
  }

  async begin(own: Readonly<Record<string, string | number | boolean>>): Promise<void> {
    const screen = this.opensOn();
    const given = { ...this.given(), ...own };
    const queryParams = { new: Object.keys(given).length > 0 ? JSON.stringify(given) : 1 };
    if (screen) await this.router.navigate(['/desk', this.desk.file, 'screen', screen.id], { queryParams });
  }
}
