import { switchMap, timer, type Observable, type OperatorFunction } from 'rxjs';

/**
 * Does some work for a value once no other has come for so many milliseconds. Another value ends at once what is on its
 * way for the one before: its answer, coming late, would be taken for that of the new one.
 */
export const paused = <T, R>(
  milliseconds: number,
  work: (value: T) => Observable<R>,
): OperatorFunction<T, R> => switchMap((value) => timer(milliseconds).pipe(switchMap(() => work(value))));
