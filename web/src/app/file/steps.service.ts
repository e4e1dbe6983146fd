import { computed, inject, Injectable, signal, type WritableSignal } from '@angular/core';
import { Subject, tap, type Observable } from 'rxjs';
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

type Stack = WritableSignal<readonly Step[]>;

/** What was done to each file, kept while the program is open: who looks at the plan can still undo rows after it. */
@Injectable({ providedIn: 'root' })
class KeptSteps {
  private readonly kept = new Map<string, { readonly done: Stack; readonly undone: Stack }>();

  of(file: string): { readonly done: Stack; readonly undone: Stack } {
    const known = this.kept.get(file) ?? { done: signal([]), undone: signal([]) };
    this.kept.set(file, known);
    return known;
  }
}

/** What was done to the rows of the open file, step by step, to be undone and done again. */
@Injectable()
export class Steps {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly done: Stack;
  private readonly undone: Stack;
  /** What undoing, and doing again, would be about; empty where there is nothing. */
  readonly undoes = computed(() => this.done().at(-1)?.what ?? '');
  readonly redoes = computed(() => this.undone().at(-1)?.what ?? '');

  /** Something was undone or done again: rows anywhere may be others. */
  readonly turned = new Subject<void>();

  constructor() {
    ({ done: this.done, undone: this.undone } = inject(KeptSteps).of(this.store.file));
  }

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

  private turn(from: Stack, to: Stack, entry?: number): Observable<Answer<typeof Undone>> | null {
    const step = entry === undefined ? from().at(-1) : from().find((one) => one.entry === entry);
    if (!step) return null;
    from.update((steps) => steps.filter((one) => one !== step));
    return this.api.undoEntry(this.store.file, step.entry).pipe(
      tap(({ entry: by }) => {
        to.update((steps) => [...steps, { entry: by, what: step.what }]);
        this.turned.next();
      }),
    );
  }
}
