import { signal, type WritableSignal } from '@angular/core';
import type { DesignDocument } from '@heathridge/core/design';
import { isTypedIn } from '../shared/typed-in';
import { DocumentPage } from './document-page';

/** Steps that can be undone. */
const MOST_STEPS = 100;

/** A page on which a document is changed step by step, each of which is undone and done again by a key. */
export abstract class SteppedPage<D extends DesignDocument> extends DocumentPage<D> {
  /** The document as it was before each step, and as it was before each that was undone. */
  readonly past = signal<readonly D[]>([]);
  readonly future = signal<readonly D[]>([]);

  undo(): void {
    this.goBack(this.past, this.future);
  }

  redo(): void {
    this.goBack(this.future, this.past);
  }

  private goBack(from: WritableSignal<readonly D[]>, to: WritableSignal<readonly D[]>): void {
    const [now, back] = [this.document(), from().at(-1)];
    if (!now || !back) return;
    from.update((all) => all.slice(0, -1));
    to.update((all) => [...all, now]);
    this.document.set(back);
    this.shown(back, now);
  }

  override keys(event: KeyboardEvent): void {
    const letter = event.key.toLowerCase();
    if (event.ctrlKey && !isTypedIn(event.target) && (letter === 'z' || letter === 'y')) {
      event.preventDefault();
      if (letter === 'y' || event.shiftKey) this.redo();
      else this.undo();
    } else super.keys(event);
  }

  set(patch: Partial<D>): void {
    const now = this.document();
    if (now) this.replace({ ...now, ...patch });
  }

  /** Puts another in its place, which is one step. */
  protected replace(next: D): void {
    const now = this.document();
    if (!now) return;
    this.past.update((all) => [...all.slice(1 - MOST_STEPS), now]);
    this.future.set([]);
    this.document.set(next);
    this.shown(next, now);
  }

  /** Another is in its place now. */
  protected abstract shown(next: D, before: D): void;

  protected override take(document: D): void {
    super.take(document);
    this.past.set([]);
    this.future.set([]);
  }
}
