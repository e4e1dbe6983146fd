import { Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import type { Change } from '@heathridge/core/change';
import { fieldOf, type Design, type Field, type Table } from '@heathridge/core/design';
import type { LinkOffer } from '@heathridge/core/plan';
import { Api, type Progress } from '../shared/api.service';
import { newId } from '../shared/ids';
import { problemOf } from '../shared/problem';
import { changesFor } from './link-changes';

export interface Offering {
  readonly file: string;
  /** The design as the draft has it. */
  readonly design: Design;
}

interface Line {
  readonly offer: LinkOffer;
  readonly child: Table;
  readonly parent: Table;
  readonly owns: readonly Field[];
}

/** Links that the names and the values of the file speak for, each with the share of rows that match. */
@Component({
  selector: 'hr-offers-dialog',
  imports: [MatButton, MatDialogModule, MatCheckboxModule, MatProgressBarModule],
  template: `
    <h2 mat-dialog-title>Links that the rows speak for</h2>
    <mat-dialog-content class="body">
      @if (problem()) {
        <p class="message" role="alert">{{ problem() }}</p>
      } @else if (offers() === null) {
        <p role="status">
          {{ progress()?.what ?? 'Comparing the fields of all tables' }} …
          @if (progress(); as at) {
            <span class="soft">{{ at.step + 1 }} of {{ at.of }}</span>
          }
        </p>
        <mat-progress-bar
          aria-label="How far the comparing is"
          [value]="(100 * (progress()?.step ?? 0)) / (progress()?.of ?? 1)"
        />
      } @else {
        @if (lines().length === 0) {
          <p>No field holds keys of another table that it is not linked to already.</p>
        } @else {
          <ul class="plain-list">
            @for (line of lines(); track line.offer) {
              <li>
                <mat-checkbox
                  class="line"
                  [checked]="chosen().has(line.offer)"
                  (change)="choose(line.offer, $event.checked)"
                  ><span class="text">
                    <span class="grow">
                      <strong>{{ line.child.label }} › {{ names(line.owns) }}</strong> leads to
                      <strong>{{ line.parent.label }}</strong>
                      <span class="soft small how">{{ how(line) }}</span>
                    </span>
                    <span class="share">
                      @if (line.offer.rows === 0) {
                        <span class="soft">no rows yet</span>
                      } @else {
                        <strong>{{ percent(line.offer) }}</strong>
                        <span class="soft small how"
                          >{{ number(line.offer.matching) }} of {{ number(line.offer.rows) }} rows</span
                        >
                      }
                    </span>
                  </span></mat-checkbox
                >
              </li>
            }
          </ul>
          <p class="soft small">
            Rows without a partner are listed by Check, and can be mended there, before anything is enforced.
          </p>
        }
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button type="button" matButton="outlined" mat-dialog-close>
        {{ offers() === null && !problem() ? 'Stop' : lines().length === 0 ? 'Close' : 'Cancel' }}
      </button>
      @if (lines().length > 0) {
        <button type="button" matButton="filled" [disabled]="chosen().size === 0" (click)="done()">
          Add {{ chosen().size === 1 ? 'this link' : chosen().size + ' links' }} to the draft
        </button>
      }
    </mat-dialog-actions>
  `,
  styles: `
    .body {
      width: 560px;
    }
    li {
      border-bottom: 1px solid var(--hr-line);
    }
    .line {
      padding: 6px 2px;
    }
    .text {
      display: flex;
      gap: 10px;
      width: 500px;
      max-width: 70vw;
    }
    .how {
      display: block;
    }
    .share {
      text-align: right;
      white-space: nowrap;
    }
  `,
})
export class OffersDialog {
  private readonly api = inject(Api);
  private readonly data = inject<Offering>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<OffersDialog, Change[]>>(MatDialogRef);
  /** Null while the rows are compared. */
  readonly offers = signal<readonly LinkOffer[] | null>(null);
  readonly progress = signal<Progress | null>(null);
  readonly problem = signal('');
  readonly chosen = signal<ReadonlySet<LinkOffer>>(new Set());
  /** The offers that the draft has not made good yet. */
  readonly lines = computed((): Line[] =>
    (this.offers() ?? []).flatMap((offer) => {
      const find = (id: string) => this.data.design.tables.find((table) => table.id === id);
      const [child, parent] = [find(offer.child), find(offer.parent)];
      if (!child || !parent) return [];
      const owns = offer.on.flatMap(({ own }) => fieldOf(child, own) ?? []);
      const linked = owns.length === 1 && owns[0]!.type.kind === 'lookup';
      const known = child.links.some(
        ({ table, on }) => table === parent.id && JSON.stringify(on) === JSON.stringify(offer.on),
      );
      return owns.length < offer.on.length || linked || known ? [] : [{ offer, child, parent, owns }];
    }),
  );

  constructor() {
    const watch = newId('w');
    const looking = this.api
      .watching(this.data.file, watch)
      .pipe(takeUntilDestroyed())
      .subscribe((progress) => this.progress.set(progress));
    // Closing the dialog ends the request, and with it the work on the server.
    this.api
      .linkOffers(this.data.file, { watch })
      .pipe(takeUntilDestroyed(inject(DestroyRef)))
      .subscribe({
        next: ({ offers }) => {
          looking.unsubscribe();
          this.offers.set(offers);
          this.chosen.set(
            new Set(this.lines().flatMap(({ offer }) => (offer.named && offer.rows > 0 ? [offer] : []))),
          );
        },
        error: (error: unknown) => {
          looking.unsubscribe();
          this.problem.set(problemOf(error).detail);
        },
      });
  }

  names(owns: readonly Field[]): string {
    return owns.map(({ label }) => label).join(' + ');
  }

  how({ offer, owns, parent }: Line): string {
    const what = owns.length === 1 ? 'it holds' : 'they hold';
    return offer.by === 'text'
      ? `by the text its rows are shown by; ${what} texts, which become a lookup`
      : `by its key${parent.key.length === 1 ? '' : ' of several fields'}`;
  }

  number(value: number): string {
    return value.toLocaleString('en-GB');
  }

  /** Never rounded up to all of them. */
  percent({ rows, matching }: LinkOffer): string {
    return `${(Math.floor((matching / rows) * 1000) / 10).toLocaleString('en-GB')} %`;
  }

  choose(offer: LinkOffer, yes: boolean): void {
    const next = new Set(this.chosen());
    if (yes) next.add(offer);
    else next.delete(offer);
    this.chosen.set(next);
  }

  done(): void {
    const chosen = this.lines().flatMap(({ offer }) => (this.chosen().has(offer) ? [offer] : []));
    this.ref.close(changesFor(this.data.design, chosen));
  }
}
