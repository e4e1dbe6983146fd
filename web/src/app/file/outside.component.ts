import { Component, computed, inject, input, output, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import { MatTooltipModule } from '@angular/material/tooltip';
import { filter, finalize, Subject, takeUntil } from 'rxjs';
import { showValue } from '@heathridge/core/values';
import { Api, type OutsideSource, type Progress } from '../shared/api.service';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { newId } from '../shared/ids';
import { Toast } from '../shared/toast.service';
import { FileStore } from './file.store';
import { ALL, FileNews } from './news.service';

/** Rows that were fetched, and the entry of the log by which that is undone. */
export interface FetchedRows {
  readonly table: string;
  readonly entry: number | null;
  /** What came, as people read it. */
  readonly words: string;
}

const EVERY: Readonly<Record<OutsideSource['again']['every'], string>> = {
  asked: '',
  hour: ', every hour',
  day: ', every day',
};

const number = (count: number): string => count.toLocaleString('en-GB');

/** What came of a source the last time, as people read it. */
export function cameWords({
  problem,
  added,
  changed,
  deleted,
  kept,
  bad,
  why,
}: OutsideSource['told']): string {
  if (problem !== null) return `nothing came: ${problem}`;
  const parts = [
    ...(added > 0 ? [`${number(added)} added`] : []),
    ...(changed > 0 ? [`${number(changed)} changed`] : []),
    ...(deleted > 0 ? [`${number(deleted)} deleted`] : []),
    ...(bad > 0 ? [`${number(bad)} not taken`] : []),
    ...(kept > 0 ? [`${number(kept)} gone there, but kept`] : []),
  ];
  const words = parts.length === 0 ? 'nothing had changed' : parts.join(', ');
  return why === '' ? words : `${words} (${why.replace(/\.$/, '')})`;
}

/**
 * Of each of these tables whose rows come from outside: from where, since when, what came, and the press that fetches
 * them again.
 */
@Component({
  selector: 'hr-outside',
  imports: [MatButton, MatIconButton, MatIconModule, MatMenuModule, MatTooltipModule],
  template: `
    @for (source of shown(); track source.table) {
      <div class="source row" role="group" [attr.aria-label]="nameOf(source) + ', from outside'">
        <mat-icon
          [svgIcon]="source.told.problem === null ? 'cloud_download' : 'warning'"
          aria-hidden="true"
        />
        <span class="grow words" role="status">
          <strong dir="auto">{{ nameOf(source) }}</strong> from
          <span class="address" dir="ltr" [matTooltip]="source.address">{{ short(source.address) }}</span>
          <span class="soft">&ngsp;· {{ fetched(source) }}: {{ came(source) }}</span>
        </span>
        @if (busy() === source.table) {
          <span class="soft small cut" role="status">{{ progress()?.what ?? 'Fetching' }} …</span>
          <button matButton="outlined" class="compact" type="button" (click)="stopped.next()">Stop</button>
        } @else {
          <button
            matButton="outlined"
            class="compact"
            type="button"
            [disabled]="busy() !== null"
            (click)="fetch(source)"
          >
            Fetch again
          </button>
          <button
            matIconButton
            type="button"
            class="compact"
            [attr.aria-label]="'More about where ' + nameOf(source) + ' come from'"
            [matMenuTriggerFor]="more"
          >
            <mat-icon svgIcon="more_vert" />
          </button>
          <mat-menu #more>
            <button mat-menu-item type="button" (click)="drop(source)">Fetch them no more…</button>
          </mat-menu>
        }
      </div>
    }
  `,
  styles: `
    .source {
      gap: 8px;
      min-height: 34px;
      padding: 2px 18px;
      background: var(--hr-heather-tint);
      font-size: var(--hr-text-note);
    }
    .words {
      min-width: 0;
      overflow-wrap: anywhere;
    }
    mat-icon {
      flex: none;
    }
  `,
})
export class OutsideComponent {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly toast = inject(Toast);
  private readonly dialogs = inject(LazyDialogs);
  /** Ids of tables. */
  readonly tables = input.required<readonly string[]>();
  readonly rows = output<FetchedRows>();
  readonly busy = signal<string | null>(null);
  readonly progress = signal<Progress | null>(null);
  readonly stopped = new Subject<void>();
  readonly shown = computed(() => {
    const tables = this.tables();
    return this.store.sources().filter(({ table }) => tables.includes(table));
  });
  protected readonly came = ({ told }: OutsideSource): string => cameWords(told);

  constructor() {
    // Others fetch too, and the server does by itself.
    inject(FileNews)
      .all.pipe(
        filter((news) => news === ALL || news.tables.some(({ table }) => this.isFromOutside(table))),
        takeUntilDestroyed(),
      )
      .subscribe(() => this.store.readSources());
  }

  private isFromOutside(table: string): boolean {
    return this.store.sources().some((source) => source.table === table);
  }

  protected nameOf({ table }: OutsideSource): string {
    return this.store.design().tables.find(({ id }) => id === table)?.plural ?? '';
  }

  /** An address without what everybody knows of it. */
  protected short(address: string): string {
    const plain = address.replace(/^https?:\/\//, '');
    return plain.length > 60 ? `${plain.slice(0, 59)}…` : plain;
  }

  protected fetched({ at, again }: OutsideSource): string {
    return `fetched ${showValue({ kind: 'dateTime' }, at, this.store.locale())}${EVERY[again.every]}`;
  }

  fetch({ table }: OutsideSource): void {
    const watch = newId('w');
    this.busy.set(table);
    const looking = this.api
      .watching(this.store.file, watch)
      .subscribe((progress) => this.progress.set(progress));
    this.api
      .fetchSource(this.store.file, table, watch)
      .pipe(
        takeUntil(this.stopped),
        finalize(() => {
          looking.unsubscribe();
          this.busy.set(null);
          this.progress.set(null);
        }),
      )
      .subscribe({
        next: ({ source, entry, counts }) => {
          this.store.take(this.store.design(), counts);
          this.store.readSources();
          const words = cameWords(source.told);
          this.toast.say(`${this.nameOf(source)}: ${words}.`);
          this.rows.emit({ table, entry, words });
        },
        error: (error: unknown) => {
          this.toast.problem(error);
          // What keeps it from coming stands beside the table for the others too.
          this.store.readSources();
        },
      });
  }

  protected drop(source: OutsideSource): void {
    const name = this.nameOf(source);
    this.dialogs
      .open(() => import('../shared/confirm.dialog').then((m) => m.ConfirmDialog), {
        data: {
          title: `Fetch ${name} no more?`,
          text: 'The rows that are there stay, and are then rows like all others.',
          act: 'Fetch them no more',
          stay: 'Leave it',
        },
      })
      .pipe(filter((yes) => yes === true))
      .subscribe(() =>
        this.api.dropSource(this.store.file, source.table).subscribe({
          next: () => this.store.readSources(),
          error: (error: unknown) => this.toast.problem(error),
        }),
      );
  }
}
