import { inject } from '@angular/core';
import type { CanDeactivateFn } from '@angular/router';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { filter, fromEvent, map, of, tap } from 'rxjs';
import type { Confirmation } from './confirm.dialog';
import { LazyDialogs } from './lazy-dialogs.service';

/** A page that may hold changes which are not saved yet. */
export interface MayHoldChanges {
  unsaved(): boolean;
  /** It is left with what is unsaved, which somebody has agreed to. */
  left?(): void;
}

/** Asks before a page with unsaved changes is left. */
export const leaveGuard: CanDeactivateFn<MayHoldChanges> = (page) => {
  if (!page.unsaved()) return of(true);
  const data: Confirmation = {
    title: 'Leave without saving?',
    text: 'What you changed here is not saved yet.',
    act: 'Leave it',
    stay: 'Stay here',
    danger: true,
  };
  return inject(LazyDialogs)
    .open<unknown, Confirmation, boolean>(() => import('./confirm.dialog').then((m) => m.ConfirmDialog), {
      data,
    })
    .pipe(
      map((answer) => answer === true),
      tap((leaves) => leaves && page.left?.()),
    );
};

/** Lets the browser ask before the page is closed or read anew, while something is unsaved. Needs an injector. */
export function askBeforeUnload(unsaved: () => boolean): void {
  fromEvent<BeforeUnloadEvent>(window, 'beforeunload')
    .pipe(filter(unsaved), takeUntilDestroyed())
    .subscribe((event) => event.preventDefault());
}
