import { inject, Injectable } from '@angular/core';
import { MatSnackBar, type MatSnackBarRef } from '@angular/material/snack-bar';
import { problemOf } from './problem';

/** Below the top bar, where it covers neither messages nor buttons. */
const PLACE = { verticalPosition: 'top', panelClass: 'news' } as const;

/** Short news at the top of the page: what was done, or what went wrong. */
@Injectable({ providedIn: 'root' })
export class Toast {
  private readonly bar = inject(MatSnackBar);
  private said: MatSnackBarRef<unknown> | null = null;

  say(text: string): void {
    this.said = this.bar.open(text, undefined, { ...PLACE, duration: 3000 });
  }

  /** Takes away what was said: “is saved” is not to stand beside why the next save is refused. */
  past(): void {
    this.said?.dismiss();
    this.said = null;
  }

  /** Says what was done, and offers to do something about it for as long as it is to be read, in milliseconds. */
  offer(text: string, act: string, work: () => void, duration = 15_000): void {
    const said = this.bar.open(text, act, { ...PLACE, duration });
    said.onAction().subscribe(work);
    this.said = said;
  }

  problem(error: unknown): void {
    this.refuse(problemOf(error).detail);
  }

  /** A part of the application did not come from the server: the line is gone, or the server is newer. */
  unread(): void {
    this.refuse('This could not be read from the server. Try it again, or load the page anew.');
  }

  private refuse(text: string): void {
    this.bar.open(text, 'Close', { ...PLACE, duration: 12_000, politeness: 'assertive' });
  }
}
