import { closeSync, createReadStream, createWriteStream, openSync, readSync } from 'node:fs';
import { once } from 'node:events';
import { finished } from 'node:stream/promises';
import type { Cell } from '@heathridge/core/sheet';

/** Rows of a sheet with the line, or row, at which each begins. */
export interface Batch {
  readonly rows: readonly { readonly line: number; readonly cells: readonly Cell[] }[];
}

/** A file of JSON lines while it is written. */
export interface LinesFile {
  add(line: string): Promise<void> | undefined;
  end(): Promise<void>;
}

const ENOUGH = 1024 * 1024;

/** Begins a file of lines. What it cannot write is thrown when it is added to, or at its end. */
export function linesFile(path: string): LinesFile {
  const stream = createWriteStream(path, { highWaterMark: 4 * ENOUGH });
  const done = finished(stream);
  // Whoever adds or ends is told; until then it is not lost.
  done.catch(() => undefined);
  let text = '';
  const flush = async (): Promise<void> => {
    const piece = text;
    text = '';
    if (!stream.write(piece)) await Promise.race([once(stream, 'drain'), done]);
  };
  return {
    add(line) {
      text += line;
      text += '\n';
      return text.length > ENOUGH ? flush() : undefined;
    },
    async end() {
      stream.end(text);
      await done;
    },
  };
}

/** The lines of a file, many at once; a line ends with LF alone, whatever else its JSON holds. */
export async function* linesOf(path: string): AsyncGenerator<readonly string[]> {
  let rest = '';
  for await (const piece of createReadStream(path, {
    highWaterMark: ENOUGH,
    encoding: 'utf8',
  }) as AsyncIterable<string>) {
    const lines = (rest + piece).split('\n');
    rest = lines.pop()!;
    yield lines;
  }
  if (rest !== '') yield [rest];
}

/** The rows of a sheet as they were kept, in batches. */
export async function* keptRows(path: string): AsyncGenerator<Batch> {
  for await (const lines of linesOf(path))
    yield {
      rows: lines.map((text) => {
        const parsed = JSON.parse(text) as [number, ...Cell[]];
        return { line: parsed[0], cells: parsed.slice(1) as Cell[] };
      }),
    };
}

/** The lines of a file one by one, read while nothing else is done: for work in a transaction that must not wait. */
export function* linesAtOnce(path: string): Generator<string> {
  const file = openSync(path, 'r');
  try {
    const buffer = Buffer.alloc(ENOUGH);
    const decoder = new TextDecoder();
    let rest = '';
    for (let read = readSync(file, buffer); read > 0; read = readSync(file, buffer)) {
      const lines = (rest + decoder.decode(buffer.subarray(0, read), { stream: true })).split('\n');
      rest = lines.pop()!;
      yield* lines;
    }
    if (rest !== '') yield rest;
  } finally {
    closeSync(file);
  }
}
