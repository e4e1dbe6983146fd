import { computed, inject, Injectable, signal } from '@angular/core';
import { tap, type Observable } from 'rxjs';
import type { Answer, Undone } from '@heathridge/core/api';
import { Api } from '../shared/api.service';
import { FileStore } from './file.store';

/** Something that was done to rows: an entry of the log, and what it was. */
interface Step {
  readonly entry: number;
  readonly what: string;
}

/** Steps that are kept to be undone. */
const MOST_KEPT = 200;

/** What was done to the rows of the open file, step by step, to be undone and done again. */
@Injectable()
export class Steps {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly done = signal<readonly Step[]>([]);
  private readonly undone = signal<readonly Step[]>([]);
  /** What undoing, and doing again, would be about; empty where there is nothing. */
  readonly undoes = computed(() => this.done().at(-1)?.what ?? '');
  readonly redoes = computed(() => this.undone().at(-1)?.what ?? '');

  /** Whether an entry is one of ours: what it did is shown already. */
  knows(entry: number | null): boolean {
    return [...this.done(), ...this.undone()].some((step) => step.entry === entry);
  }

  did(entry: number, what: string): void {
    this.done.update((steps) => [...steps, { entry, what }].slice(-MOST_KEPT));
    this.undone.set([]);
  }

  /** Undoes the last step, or a certain one; null where there is none. What cannot be undone any more is let go. */
  undo(entry?: number): Observable<Answer<typeof Undone>> | null {
    return this.turn(this.done, this.undone, entry);
  }

  /** Does again what was undone last: that undoes the undoing. */
  redo(): Observable<Answer<typeof Undone>> | null {
    return this.turn(this.undone, this.done);
  }

  private turn(
    from: typeof this.done,
    to: typeof this.done,
    entry?: number,
  ): Observable<Answer<typeof Undone>> | null {
    const step = entry === undefined ? from().at(-1) : from().find((one) => one.entry === entry);
    if (!step) return null;
    from.update((steps) => steps.filter((one) => one !== step));
    return this.api
      .undoEntry(this.store.file, step.entry)
      .pipe(tap(({ entry }) => to.update((steps) => [...steps, { entry, what: step.what }])));
  }
}
