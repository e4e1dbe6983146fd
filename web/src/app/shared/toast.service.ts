import { inject, Injectable } from '@angular/core';
import { MatSnackBar } from '@angular/material/snack-bar';
import { problemOf } from './problem';

/** Short news at the foot of the page: what was done, or what went wrong. */
@Injectable({ providedIn: 'root' })
export class Toast {
  private readonly bar = inject(MatSnackBar);

  say(text: string): void {
    this.bar.open(text, undefined, { duration: 4000 });
  }

  problem(error: unknown): void {
    this.bar.open(problemOf(error).detail, 'Close', { duration: 12_000, politeness: 'assertive' });
  }
}
