import { Component, computed, inject, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { catchError, EMPTY, finalize, Subject, switchMap, takeUntil } from 'rxjs';
import { findField, type Query } from '@heathridge/core/design';
import type { Answers } from '@heathridge/core/query';
import { FileStore } from '../file/file.store';
import { DraftStore } from '../plan/draft.store';
import { Api, type Advice, type Progress } from '../shared/api.service';
import { newId } from '../shared/ids';
import { problemOf } from '../shared/problem';
import { lasting } from './lasting';

export interface AdviceData {
  readonly query: Query;
  readonly answers: Answers;
}

interface Place {
  readonly table: string;
  readonly field: string;
}

/** Why a query takes its time, and which index would spare some of it: offered as a change of the draft. */
@Component({
  selector: 'hr-advice-dialog',
  imports: [MatButton, MatDialogModule, MatIconModule],
  template: `
    <h2 mat-dialog-title>How long “{{ data.query.label }}” takes, and why</h2>
    <mat-dialog-content class="body">
      @if (busy()) {
        <p class="row" role="status">
          <mat-icon class="spin" svgIcon="progress_activity" />
          <span>{{ progress()?.what ?? 'Waiting for its turn' }} …</span>
          @if (progress(); as at) {
            <span class="soft">{{ at.step }} of {{ at.of }}</span>
          }
        </p>
        <p class="soft small">
          Indexes are tried on a copy, in the background. The file stays as it is, and everybody goes on
          working.
        </p>
      } @else if (problem()) {
        <p class="message" role="alert">{{ problem() }}</p>
      } @else if (advice(); as found) {
        <p role="status">{{ told() }}</p>
        <h3>What it reads</h3>
        @for (read of found.whole; track read.table) {
          <p class="line">
            All <strong>{{ read.rows.toLocaleString('en-GB') }}</strong> rows of
            <strong>{{ plural(read.table) }}</strong>, from the first to the last.
          </p>
        } @empty {
          <p class="line row">
            <mat-icon class="moss" svgIcon="check_circle" />Only the rows that it needs, by their keys and
            indexes.
          </p>
        }
        @if (isOrdered()) {
          <p class="line">
            Some of them are put into an order for this one run, so that others are found by them; that is
            thrown away afterwards.
          </p>
        }
        <h3>What would help</h3>
        @for (trial of found.help; track trial.field) {
          <div class="line row">
            <span class="grow"
              >An index on <strong>{{ named(trial) }}</strong>: {{ lasting(trial.after) }} instead of
              {{ lasting(trial.before) }}{{ gain(trial) }}.</span
            >
            @if (isDrafted(trial, true)) {
              <span class="row moss small"><mat-icon svgIcon="check_circle" />In the draft</span>
            } @else {
              <button matButton="outlined" class="compact" type="button" (click)="draft(trial, true)">
                Put it into the draft
              </button>
            }
          </div>
        } @empty {
          <p class="line">{{ none() }}</p>
        }
        @if (found.idle.length > 0) {
          <h3>Indexes that nothing uses</h3>
          <p class="soft small">
            No query and no report reads them, and no list is kept in their order. Each is written anew with
            every save. Whoever sorts by such a field now and then waits longer without.
          </p>
          @for (place of found.idle; track place.field) {
            <div class="line row">
              <span class="grow"
                ><strong>{{ named(place) }}</strong></span
              >
              @if (isDrafted(place, false)) {
                <span class="row moss small"><mat-icon svgIcon="check_circle" />In the draft</span>
              } @else {
                <button matButton="outlined" class="compact" type="button" (click)="draft(place, false)">
                  Draft that it goes
                </button>
              }
            </div>
          }
        }
        @if (hasDrafted()) {
          <p class="soft small">Nothing is changed until the draft is applied, in Plan.</p>
        }
      } @else {
        <p>Stopped: nothing was found out, and nothing changed.</p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      @if (busy()) {
        <button matButton="outlined" type="button" (click)="stop()">Stop</button>
      } @else {
        <button matButton="outlined" type="button" (click)="ask()">Try again</button>
      }
      <button matButton="filled" type="button" mat-dialog-close>Close</button>
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      display: grid;
      gap: 8px;
      min-width: 0;
      width: min(500px, 78vw);
    }
    h3 {
      margin: 10px 0 0;
    }
    p {
      margin: 0;
    }
    .line {
      padding: 6px 0;
      border-bottom: 1px solid var(--hr-line);
    }
    .row {
      gap: 10px;
    }
    .moss {
      color: var(--hr-moss);
    }
  `,
})
export class AdviceDialog {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly drafts = inject(DraftStore);
  readonly data = inject<AdviceData>(MAT_DIALOG_DATA);
  protected readonly busy = signal(false);
  protected readonly progress = signal<Progress | null>(null);
  protected readonly problem = signal('');
  protected readonly advice = signal<Advice | null>(null);
  private readonly runs = new Subject<void>();
  private readonly stops = new Subject<void>();
  protected readonly lasting = lasting;

  protected readonly isOrdered = computed(() => this.advice()!.whole.some(({ ordered }) => ordered));
  protected readonly told = computed(() => {
    const { took } = this.advice()!;
    const time = `It takes ${lasting(took)} at this moment`;
    return took < 100 ? `${time}: that is quick.` : `${time}, without what its funnel counts.`;
  });
  protected readonly none = computed(() => {
    const { tried } = this.advice()!;
    if (tried === 0)
      return 'There is no field in its parts whose index could be tried: those there are have one.';
    const what = tried === 1 ? 'One index was tried: it makes' : `${tried} indexes were tried: none makes`;
    return `${what} ${tried === 1 ? 'no difference' : 'a difference'} that counts. It takes its time because of how many rows it works with.`;
  });
  protected readonly hasDrafted = computed(() => {
    const { help, idle } = this.advice()!;
    return [...help, ...idle].some((place) => this.isDrafted(place, true) || this.isDrafted(place, false));
  });

  constructor() {
    this.runs
      .pipe(
        switchMap(() => {
          const watch = newId('w');
          this.busy.set(true);
          this.problem.set('');
          this.advice.set(null);
          const told = this.api
            .watching(this.store.file, watch)
            .subscribe((progress) => this.progress.set(progress));
          const end = (): void => {
            told.unsubscribe();
            this.progress.set(null);
            this.busy.set(false);
          };
          return this.api.queryAdvice(this.store.file, this.data.query, this.data.answers, watch).pipe(
            takeUntil(this.stops),
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              return EMPTY;
            }),
            finalize(end),
          );
        }),
        takeUntilDestroyed(),
      )
      .subscribe((advice) => this.advice.set(advice));
    this.ask();
  }

  ask(): void {
    this.runs.next();
  }

  stop(): void {
    this.stops.next();
  }

  protected plural(table: string): string {
    return this.store.design().tables.find(({ id }) => id === table)?.plural ?? '';
  }

  protected named({ field }: Place): string {
    const found = findField(this.store.design(), field);
    return found ? `${found.table.label} · ${found.field.label}` : '';
  }

  /** How much quicker it is, where that is more than a little. */
  protected gain({ before, after }: Advice['help'][number]): string {
    const times = before / Math.max(after, 0.05);
    return times >= 2 ? `, ${times >= 10 ? Math.round(times) : times.toFixed(1)} times as quick` : '';
  }

  /** Whether the draft has a field indexed, or not any more. */
  protected isDrafted({ field }: Place, indexed: boolean): boolean {
    const isSo = (design: Parameters<typeof findField>[0]): boolean =>
      findField(design, field)?.field.indexed === indexed;
    return isSo(this.drafts.design()) && !isSo(this.store.design());
  }

  protected draft({ table, field }: Place, indexed: boolean): void {
    this.drafts.changeField(table, field, { indexed });
  }
}
