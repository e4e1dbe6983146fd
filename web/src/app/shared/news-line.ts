import { distinctUntilChanged, fromEvent, map, merge, Observable, share, startWith, switchMap } from 'rxjs';

/** Everything may be another: what happened meanwhile is not known any more. */
export const ALL = 'all';

/**
 * What happens to a file, as the server tells it at an address. A page that nobody sees listens to nothing: browsers
 * open only a few lines to one server; seen again, it hears what it has missed. However many listen, there is one line.
 */
export function newsLine<News>(address: () => string): Observable<News | typeof ALL> {
  let last: string | null = null;
  const line = (): Observable<News | typeof ALL> =>
    new Observable((listener) => {
      const behind = last === null ? '' : `?last=${encodeURIComponent(last)}`;
      const source = new EventSource(`${address()}${behind}`);
      const heard = merge(
        fromEvent<MessageEvent<string>>(source, 'message').pipe(
          map((event) => {
            last = event.lastEventId;
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
  return fromEvent(document, 'visibilitychange').pipe(
    startWith(null),
    map(() => document.visibilityState === 'visible'),
    distinctUntilChanged(),
    switchMap((isSeen) => (isSeen ? line() : [])),
    share(),
  );
}
