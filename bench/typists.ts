import { get, type ClientRequest } from 'node:http';
import { once } from 'node:events';
import { setTimeout as pause } from 'node:timers/promises';
import { Callers } from './callers';

/** People who type into a file. */
export interface Typing {
  /** The file's address in the API. */
  readonly file: string;
  readonly cookie: string;
  readonly origin: string;
  readonly people: number;
}

/** What they found. */
export interface Typed {
  /** Milliseconds of each save. */
  readonly times: number[];
  /** How often one of them was told of a save. */
  readonly heard: number;
  readonly error: string | null;
}

/** Cells that each types, and milliseconds from one to the next, about. */
const [CELLS, PAUSE] = [25, 300];

/** Listens to what happens in a file; counts the news. */
async function listen(
  { file, cookie, origin }: Typing,
  news: (count: number) => void,
): Promise<ClientRequest> {
  const line = get(`${file}/events`, { headers: { cookie, origin }, agent: false });
  const [answer] = (await once(line, 'response')) as [NodeJS.ReadableStream];
  answer.setEncoding('utf8');
  answer.on('data', (text: string) => news(text.split('\ndata:').length - 1));
  return line;
}

async function type(typing: Typing): Promise<Typed> {
  const { file, cookie, origin, people } = typing;
  let heard = 0;
  const lines = await Promise.all(
    Array.from({ length: people }, () => listen(typing, (count) => void (heard += count))),
  );
  const callers = new Callers(`cookie: ${cookie}\r\norigin: ${origin}\r\n`);
  const times: number[] = [];
  const one = async (person: number): Promise<void> => {
    for (let turn = 0; turn < CELLS; turn++) {
      await pause(PAUSE * (0.5 + Math.random()));
      const values = { f_due: `2039-01-${10 + ((person + turn) % 20)}` };
      const changes = [{ op: 'update', table: 't_entry', key: [3000 + person], values, was: {} }];
      const start = performance.now();
      await callers.call('POST', `${file}/rows`, { changes });
      times.push(performance.now() - start);
    }
  };
  await Promise.all(Array.from({ length: people }, (_, person) => one(person)));
  await pause(500);
  for (const line of lines) line.destroy();
  callers.close();
  return { times, heard, error: null };
}

process.on('message', (typing: Typing) => {
  type(typing).then(
    (typed) => process.send?.(typed),
    (error: unknown) => process.send?.({ times: [], heard: 0, error: String(error) } satisfies Typed),
  );
});
