import { inject, Injectable, type Type } from '@angular/core';
import { MatDialog, type MatDialogConfig } from '@angular/material/dialog';
import { catchError, EMPTY, from, switchMap, type Observable } from 'rxjs';
import { Toast } from './toast.service';

/** Opens dialogs whose code is only read when they are wanted: a page is there sooner without it. */
@Injectable({ providedIn: 'root' })
export class LazyDialogs {
  private readonly dialog = inject(MatDialog);
  private readonly toast = inject(Toast);

  /** Opens the dialog once somebody listens, and gives what it is closed with. */
  open<C, D, R>(load: () => Promise<Type<C>>, config: MatDialogConfig<D> = {}): Observable<R | undefined> {
    return from(load()).pipe(
      catchError(() => {
        this.toast.unread();
        return EMPTY;
      }),
      switchMap((dialog) => this.dialog.open<C, D, R>(dialog, config).afterClosed()),
    );
  }
}
