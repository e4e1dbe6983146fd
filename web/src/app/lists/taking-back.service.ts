import { inject, Injectable } from '@angular/core';
import { firstValueFrom, Subject } from 'rxjs';
import { DeskStore } from '../desk/desk.store';
import { Api } from '../shared/api.service';
import { problemOf } from '../shared/problem';
import { Toast } from '../shared/toast.service';

/** Milliseconds for which it is offered to take something back. */
const BACK_OFFERED = 6000;

/** What was saved last in the lists of a page, and taking it back. */
@Injectable()
export class TakingBack {
  private readonly api = inject(Api);
  private readonly desk = inject(DeskStore);
  private readonly toast = inject(Toast);
  private last: { readonly entry: number; readonly screen: string } | null = null;
  /** Something was taken back: what is shown is to be read anew. */
  readonly done = new Subject<void>();
  /** Why something could not be taken back. */
  readonly failed = new Subject<string>();

  /** Says what was saved, and offers to take it back. */
  offer({ text, ...last }: { readonly text: string; readonly entry: number; readonly screen: string }): void {
    this.last = last;
    this.toast.offer(text, 'Take it back', () => void this.take(), BACK_OFFERED);
  }

  isOffered(): boolean {
    return this.last !== null;
  }

  forget(): void {
    this.last = null;
  }

  async take(): Promise<void> {
    const { last } = this;
    this.last = null;
    if (!last) return;
    try {
      await firstValueFrom(this.api.undoSave(this.desk.file, last.screen, last.entry));
    } catch (error) {
      this.failed.next(problemOf(error).detail);
      return;
    }
    this.toast.say('It is as it was before.');
    this.done.next();
  }
}
