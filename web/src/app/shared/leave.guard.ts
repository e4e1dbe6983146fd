import { inject } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import type { CanDeactivateFn } from '@angular/router';
import { map, of, tap } from 'rxjs';
import { ConfirmDialog, type Confirmation } from './confirm.dialog';

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
  return inject(MatDialog)
    .open<ConfirmDialog, Confirmation, boolean>(ConfirmDialog, { data })
    .afterClosed()
    .pipe(
      map((answer) => answer === true),
      tap((leaves) => leaves && page.left?.()),
    );
};
