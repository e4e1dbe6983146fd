import { Injectable } from '@angular/core';

/** Which file pictures and files belong to that are shown or chosen now: set by whoever opens one. */
@Injectable({ providedIn: 'root' })
export class Attachments {
  file = '';
}
