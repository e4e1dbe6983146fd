import { inject, Injectable } from '@angular/core';
import { fromEvent, map, merge, Observable, share, startWith, switchMap, distinctUntilChanged } from 'rxjs';
import type { RowKey } from '@heathridge/core/rows';
import { FileStore } from './file.store';

/** What somebody did to the open file. */
export interface News {
  readonly account: string;
  readonly by: string;
  readonly entry: number | null;
  readonly tables: readonly { readonly table: string; readonly changed: readonly RowKey[] | null }[];
  readonly design: boolean;
}

/** Everything may be another: what happened meanwhile is not known any more. */
export const ALL = 'all';

/**
 * What happens to the open file, as the server tells it. A page that nobody sees listens to nothing: browsers open
 * only a few lines to one server; seen again, it hears what it has missed.
 */
@Injectable()
export class FileNews {
  private readonly store = inject(FileStore);

  readonly all: Observable<News | typeof ALL> = fromEvent(document, 'visibilitychange').pipe(
    startWith(null),
    map(() => document.visibilityState === 'visible'),
    distinctUntilChanged(),
    switchMap((isSeen) => (isSeen ? this.line() : [])),
    // However many listen, there is one line.
    share(),
  );

  private last: string | null = null;

  private line(): Observable<News | typeof ALL> {
    return new Observable((listener) => {
      const behind = this.last === null ? '' : `?last=${encodeURIComponent(this.last)}`;
      const source = new EventSource(`/api/files/${encodeURIComponent(this.store.file)}/events${behind}`);
      const heard = merge(
        fromEvent<MessageEvent<string>>(source, 'message').pipe(
          map((event) => {
            this.last = event.lastEventId;
            return JSON.parse(event.data) as News;
          }),
        ),
        fromEvent(source, 'reset').pipe(map((): typeof ALL => ALL)),
      ).subscribe(listener);
      return () => {
        heard.unsubscribe();
        source.close();
      };
    });
  }
}
