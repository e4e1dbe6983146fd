import { inject } from '@angular/core';
import type { CanDeactivateFn } from '@angular/router';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { filter, from, fromEvent, map, of, switchMap, tap, type Observable } from 'rxjs';
import type { Confirmation } from './confirm.dialog';
import { LazyDialogs } from './lazy-dialogs.service';

/** A page that may hold changes which are not saved yet. */
export interface MayHoldChanges {
  unsaved(): boolean;
  /** Saves what is unsaved where it can be saved as it stands; false where it cannot, which is then said on the page. */
  settle?(): Promise<boolean>;
  /** It is left with what is unsaved, which somebody has agreed to. */
  left?(): void;
}

/** Saves what is unsaved on a page that can, or asks whether it is to be left all the same. True when it is left. */
export function leaving(page: MayHoldChanges, dialogs: LazyDialogs): Observable<boolean> {
  if (!page.unsaved()) return of(true);
  const data: Confirmation = {
    title: 'Leave without saving?',
    text: page.settle
      ? 'What you changed here cannot be saved as it stands: see the messages beside the fields.'
      : 'What you changed here is not saved yet.',
    act: 'Leave it',
    stay: 'Stay here',
    danger: true,
  };
  const asked = (): Observable<boolean> =>
    dialogs
      .open<unknown, Confirmation, boolean>(() => import('./confirm.dialog').then((m) => m.ConfirmDialog), {
        data,
      })
      .pipe(
        map((answer) => answer === true),
        tap((leaves) => leaves && page.left?.()),
      );
  const settled = page.settle ? from(page.settle()) : of(false);
  return settled.pipe(switchMap((isSaved) => (isSaved ? of(true) : asked())));
}

/** Lets nobody leave a page with unsaved changes unasked. */
export const leaveGuard: CanDeactivateFn<MayHoldChanges> = (page) => leaving(page, inject(LazyDialogs));

/** Lets the browser ask before the page is closed or read anew, while something is unsaved. Needs an injector. */
export function askBeforeUnload(unsaved: () => boolean): void {
  fromEvent<BeforeUnloadEvent>(window, 'beforeunload')
    .pipe(filter(unsaved), takeUntilDestroyed())
    .subscribe((event) => event.preventDefault());
}
