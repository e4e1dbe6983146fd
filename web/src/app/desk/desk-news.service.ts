import { inject, Injectable } from '@angular/core';
import { ALL, newsLine } from '../shared/news-line';
import { DeskStore } from './desk.store';

/** What somebody did to the tables on the screens of whoever listens. */
export interface DeskNews {
  /** Whether she did it herself, on this page or another. */
  readonly own: boolean;
  readonly by: string;
  readonly tables: readonly string[];
  readonly design: boolean;
}

/** What happens on the Desk of the open file. */
@Injectable()
export class DeskLine {
  private readonly desk = inject(DeskStore);
  readonly all = newsLine<DeskNews>(() => `/api/files/${encodeURIComponent(this.desk.file)}/desk/events`);
}

export { ALL };
