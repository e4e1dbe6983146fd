import { inject, Injectable } from '@angular/core';
import type { RowKey } from '@heathridge/core/rows';
import { ALL, newsLine } from '../shared/news-line';
import { FileStore } from './file.store';

/** What somebody did to the open file. */
export interface News {
  readonly account: string;
  readonly by: string;
  readonly entry: number | null;
  readonly tables: readonly { readonly table: string; readonly changed: readonly RowKey[] | null }[];
  readonly design: boolean;
}

/** What happens to the open file, as the server tells it. */
@Injectable()
export class FileNews {
  private readonly store = inject(FileStore);
  readonly all = newsLine<News>(() => `/api/files/${encodeURIComponent(this.store.file)}/events`);
}

export { ALL };
