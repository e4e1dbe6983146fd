import { Component, DestroyRef, effect, inject, signal, viewChild } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { catchError, EMPTY, switchMap, timer, type Observable, type Subscription } from 'rxjs';
import type { Encoding, UnreadTexts } from '@heathridge/core/exchange';
import { Api, type AdoptedFile, type Progress } from '../shared/api.service';
import { newId } from '../shared/ids';
import { problemOf } from '../shared/problem';

export interface Taking {
  readonly picked: File;
  readonly name: string;
  readonly encoding: Encoding | null;
}

/** How it ended: taken in, or with texts of which must first be said how they are read. */
export type Taken =
  AdoptedFile | { readonly id: string; readonly rows: number } | { readonly unread: readonly UnreadTexts[] };

/** Whether a file is a data package, by the ending of its name. */
const isPackage = ({ name }: File): boolean => /\.zip$/i.test(name);

/** Takes a file in, says how far that is, and can be stopped; what is refused stays to be read. */
@Component({
  selector: 'hr-taking-dialog',
  imports: [MatButton, MatDialogModule, MatIconModule, MatProgressBarModule],
  template: `
    @if (problem(); as message) {
      <h2 mat-dialog-title>{{ data.name }} is not taken in</h2>
      <mat-dialog-content class="body">
        <p class="message" role="alert">{{ message }}</p>
        <p class="soft">
          Nothing was changed: the file on your computer is as it was, and none was made here.
        </p>
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button #leave type="button" matButton="filled" mat-dialog-close>Close</button>
      </mat-dialog-actions>
    } @else {
      <h2 mat-dialog-title>Taking in {{ data.name }}</h2>
      <mat-dialog-content class="body">
        <p role="status">{{ progress()?.what ?? 'Sending the file' }} …</p>
        @if (progress(); as at) {
          <mat-progress-bar mode="determinate" [value]="(100 * at.step) / at.of" aria-label="How far it is" />
          <p class="soft small">Step {{ at.step + 1 }} of {{ at.of }}</p>
        } @else {
          <mat-progress-bar mode="indeterminate" aria-label="Sending the file" />
        }
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button type="button" matButton="outlined" (click)="stop()">Stop</button>
      </mat-dialog-actions>
    }
  `,
  styles: `
    .body {
      display: grid;
      gap: 10px;
      width: 460px;
      max-width: 100%;
    }
    p {
      margin: 0;
      overflow-wrap: anywhere;
    }
  `,
})
export class TakingDialog {
  private readonly api = inject(Api);
  readonly data = inject<Taking>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<TakingDialog, Taken>>(MatDialogRef);
  readonly progress = signal<Progress | null>(null);
  readonly problem = signal('');
  private readonly leave = viewChild('leave', { read: MatButton });
  private readonly work: Subscription;

  constructor() {
    // The button that had the focus is gone by then.
    effect(() => this.leave()?.focus());
    const { picked, name, encoding } = this.data;
    const watch = newId('w');
    const looking = timer(300, 400)
      .pipe(
        // An answer that does not come in time is asked for again.
        switchMap(() => this.api.takingIn(watch).pipe(catchError(() => EMPTY))),
        takeUntilDestroyed(),
      )
      .subscribe(({ progress }) => progress && this.progress.set(progress));
    const taking: Observable<Taken> = isPackage(picked)
      ? this.api.adoptPackage(picked, name, watch)
      : this.api.adoptFile(picked, name, encoding, watch);
    this.work = taking.subscribe({
      next: (taken) => this.ref.close(taken),
      error: (error: unknown) => {
        looking.unsubscribe();
        const { unread, detail } = problemOf(error);
        if (unread) this.ref.close({ unread });
        else {
          this.problem.set(detail);
          this.ref.disableClose = false;
        }
      },
    });
    // Who leaves stops it: nobody would be told how it ends.
    inject(DestroyRef).onDestroy(() => this.work.unsubscribe());
  }

  stop(): void {
    this.ref.close();
  }
}
