import { setTimeout as pause } from 'node:timers/promises';
import { Callers } from './callers';

/** A call of the API. */
export interface Asked {
  readonly method: 'GET' | 'POST';
  readonly url: string;
  readonly body?: unknown;
}

/** What is to be asked, and of whom; or that it is enough. */
export type Order =
  | {
      readonly kind: 'work';
      readonly headers: string;
      readonly calls: readonly Asked[];
      /** Who asks at once, one call after the other each. */
      readonly people: number;
    }
  | { readonly kind: 'look'; readonly headers: string; readonly call: Asked; readonly every: number }
  | { readonly kind: 'stop' };

/** Milliseconds of each call, and of all of them together. */
export interface Answered {
  readonly times: number[];
  readonly took: number;
  readonly error: string | null;
}

let looking = false;

async function timed(callers: Callers, { method, url, body }: Asked, times: number[]): Promise<void> {
  const begun = performance.now();
  await callers.call(method, url, body);
  times.push(performance.now() - begun);
}

async function work({ headers, calls, people }: Extract<Order, { kind: 'work' }>): Promise<number[]> {
  const callers = new Callers(headers);
  const times: number[] = [];
  let next = 0;
  const one = async (): Promise<void> => {
    for (let at = next++; at < calls.length; at = next++) await timed(callers, calls[at]!, times);
  };
  await Promise.all(Array.from({ length: people }, one));
  callers.close();
  return times;
}

async function look({ headers, call, every }: Extract<Order, { kind: 'look' }>): Promise<number[]> {
  const callers = new Callers(headers);
  const times: number[] = [];
  for (looking = true; looking; await pause(every)) await timed(callers, call, times);
  callers.close();
  return times;
}

process.on('message', (order: Order) => {
  if (order.kind === 'stop') {
    looking = false;
    return;
  }
  const begun = performance.now();
  (order.kind === 'work' ? work(order) : look(order)).then(
    (times) => process.send?.({ times, took: performance.now() - begun, error: null } satisfies Answered),
    (error: unknown) => process.send?.({ times: [], took: 0, error: String(error) } satisfies Answered),
  );
});
