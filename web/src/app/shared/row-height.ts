import { computed, inject, type Signal } from '@angular/core';
import { SessionService } from './session.service';

/** Pixels of a row, as `--hr-row` says: lists that make only what is to be seen count with them. */
export function rowHeight(): Signal<number> {
  const session = inject(SessionService);
  return computed(() => (session.look().size === 'large' ? 42 : 32));
}

/** How much larger the type is than the usual, as the large look says: for widths that are made for it. */
export function typeScale(): Signal<number> {
  const session = inject(SessionService);
  return computed(() => (session.look().size === 'large' ? 17 / 14 : 1));
}
