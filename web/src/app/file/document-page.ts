import { computed, effect, inject, signal, untracked, type Signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatDialog } from '@angular/material/dialog';
import { Router } from '@angular/router';
import equal from 'fast-deep-equal';
import { map, type Observable } from 'rxjs';
import type { DesignDocument } from '@heathridge/core/design';
import { AskDialog, type Answer, type Question } from '../shared/ask.dialog';
import { ConfirmDialog, type Confirmation } from '../shared/confirm.dialog';
import { askBeforeUnload } from '../shared/leave.guard';
import { FileStore } from './file.store';

/** How a page speaks of what it edits. */
export interface DocumentWords {
  /** `query`: also the parameter of the address. */
  readonly one: string;
  /** What stays when it is dropped: `the rows it reads stay as they are`. */
  readonly dropped: string;
}

/**
 * What the pages for queries, screens and reports have in common: a list to open from, one document being
 * edited, saving it (Ctrl+S), dropping it, and asking before unsaved changes are left behind.
 */
export abstract class DocumentPage<D extends DesignDocument> {
  readonly store = inject(FileStore);
  protected readonly dialog = inject(MatDialog);
  private readonly router = inject(Router);
  protected abstract readonly speech: DocumentWords;
  /** The id in the address. */
  abstract readonly wanted: Signal<string | undefined>;

  /** The document as it is being edited; null until there is one. */
  readonly document = signal<D | null>(null);
  readonly dirty = computed(() => {
    const document = this.document();
    return (
      document !== null &&
      !equal(
        this.all().find(({ id }) => id === document.id),
        document,
      )
    );
  });

  constructor() {
    askBeforeUnload(() => this.unsaved());
    this.store.replaced.pipe(takeUntilDestroyed()).subscribe((id) => {
      if (this.document()?.id === id) this.document.set(null);
    });
    effect(() => {
      const wanted = this.wanted();
      const all = this.all();
      untracked(() => {
        if (this.document() !== null && (wanted === undefined || wanted === this.document()?.id)) return;
        const found = all.find(({ id }) => id === wanted) ?? all[0];
        if (found) this.take(found);
      });
    });
  }

  /** The saved documents of this sort. */
  abstract all(): readonly D[];

  /** Begins to edit a document. */
  protected take(document: D): void {
    this.document.set(document);
  }

  abstract set(patch: Partial<D>): void;

  unsaved(): boolean {
    return this.dirty();
  }

  keys(event: KeyboardEvent): void {
    if (!event.ctrlKey || event.key.toLowerCase() !== 's') return;
    event.preventDefault();
    if (this.dirty()) this.save();
  }

  open(document: D): void {
    if (document.id === this.document()?.id) return;
    this.ifFree(() => {
      this.take(document);
      void this.router.navigate([], { queryParams: { [this.speech.one]: document.id } });
    });
  }

  openId(id: string): void {
    const document = this.all().find((other) => other.id === id);
    if (document) this.open(document);
  }

  rename(label: string): void {
    this.set({ label: label.trim() } as Partial<D>);
  }

  save(): void {
    const document = this.document();
    if (!document) return;
    this.store.save(document).subscribe(() => {
      // The server writes a text without the spaces around it; what was changed meanwhile is not saved yet.
      const saved = this.all().find(({ id }) => id === document.id);
      if (saved && this.document() === document) this.document.set(saved);
    });
  }

  drop(): void {
    const document = this.document();
    if (!document) return;
    this.ask(
      {
        title: `Drop ${document.label}?`,
        text: `It goes; ${this.speech.dropped}.`,
        act: 'Drop it',
        stay: 'Keep it',
      },
      () => {
        const forget = (): void => {
          this.document.set(null);
          const [next] = this.all();
          if (next) this.take(next);
          void this.router.navigate([], { queryParams: {} });
        };
        if (this.all().some(({ id }) => id === document.id)) this.store.drop(document).subscribe(forget);
        else forget();
      },
    );
  }

  /** Asks for a name and what a new document is made from, and begins to edit it. */
  protected begin(question: Question, create: (answer: Answer) => D): void {
    const asked = (): Observable<Answer | undefined> =>
      this.dialog.open<AskDialog, Question, Answer>(AskDialog, { data: question }).afterClosed();
    this.beginBy(() => asked().pipe(map((answer) => answer && create(answer))));
  }

  /** Begins with what a dialog gives; with nothing where it is left. */
  protected beginBy(open: () => Observable<D | undefined>): void {
    this.ifFree(() =>
      open().subscribe((made) => {
        if (!made) return;
        this.take(made);
        // The address no longer asks for the one that was open before.
        void this.router.navigate([], { queryParams: {} });
      }),
    );
  }

  private ifFree(then: () => void): void {
    if (!this.dirty()) then();
    else
      this.ask(
        {
          title: `Leave this ${this.speech.one} unsaved?`,
          text: 'What you changed in it is not saved yet.',
          act: 'Leave it',
          stay: 'Stay here',
        },
        then,
      );
  }

  protected ask(confirmation: Omit<Confirmation, 'danger'>, then: () => void): void {
    this.dialog
      .open<ConfirmDialog, Confirmation, boolean>(ConfirmDialog, { data: { ...confirmation, danger: true } })
      .afterClosed()
      .subscribe((sure) => sure && then());
  }
}
