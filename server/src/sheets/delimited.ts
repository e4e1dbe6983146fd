import { Readable } from 'node:stream';
import Papa from 'papaparse';
import { DELIMITERS, type Delimiter, type SheetStyle } from '@heathridge/core/sheet';
import { decoded } from './encoding';
import { SheetError } from './sheet-error';
import type { Batch } from './rows-file';

/** Characters from which the delimiter is guessed. */
const LOOKED_AT = 1_000_000;
/** Characters that a quoted value may have before it is thought that its quote was never closed. */
const MOST_QUOTED = 8_000_000;

/** The first so many characters of a text. */
export async function beginning(path: string, encoding: SheetStyle['encoding']): Promise<string> {
  let text = '';
  for await (const piece of decoded(path, encoding)) {
    text += piece;
    if (text.length >= LOOKED_AT) break;
  }
  return text.slice(0, LOOKED_AT);
}

/** Lines end with LF, with or without a CR before it, unless there is none at all. */
const lineEnd = (text: string): '\n' | '\r' => (!text.includes('\n') && text.includes('\r') ? '\r' : '\n');

/**
 * The delimiter with which most rows have the same number of cells, more than one; the one that gives more cells
 * of two that are as good. A comma where there is only one column.
 */
export function delimiterOf(text: string): Delimiter {
  const newline = lineEnd(text);
  const whole = text.length < LOOKED_AT ? text : text.slice(0, text.lastIndexOf(newline));
  let best: { delimiter: Delimiter; score: number } = { delimiter: ',', score: 0 };
  for (const delimiter of Object.keys(DELIMITERS) as Delimiter[]) {
    const { data, errors } = Papa.parse<string[]>(whole, { delimiter, newline, preview: 2000 });
    const widths = new Map<number, number>();
    let rows = 0;
    for (const row of data) {
      if (row.length === 1 && row[0]!.trim() === '') continue;
      rows++;
      widths.set(row.length, (widths.get(row.length) ?? 0) + 1);
    }
    const [width, many] = [...widths].sort((a, b) => b[1] - a[1])[0] ?? [1, 0];
    if (width < 2) continue;
    const score = (many / rows) * (1 - 1 / width) - errors.length / (rows + 1);
    if (score > best.score + 1e-9) best = { delimiter, score };
  }
  return best.delimiter;
}

const QUOTE_WORDS: Readonly<Record<string, string>> = {
  MissingQuotes: 'a quote (") is opened there and never closed',
  InvalidQuotes: 'a quote (") stands where none may: within a quoted value it is written twice',
};

/**
 * The rows of a delimited text, by RFC 4180, with the line at which each begins. Throws a SheetError with the line
 * where quotes are torn.
 */
export async function* delimitedRows(
  path: string,
  { encoding, delimiter }: SheetStyle,
  read: (bytes: number) => void,
): AsyncGenerator<Batch> {
  const newline = lineEnd(await beginning(path, encoding));
  const pieces = Readable.from(decoded(path, encoding, read));
  const queue: Batch[] = [];
  let [line, waiting] = [1, 0];
  let failed: Error | null = null;
  let ended = false;
  let wake: () => void = () => undefined;
  const counting = (text: string): void => {
    for (let at = text.indexOf(newline); at >= 0; at = text.indexOf(newline, at + 1)) line++;
  };
  pieces.on('data', (piece: string) => (waiting += piece.length));
  Papa.parse<string[]>(pieces as never, {
    delimiter,
    newline,
    skipEmptyLines: false,
    chunk: ({ data, errors }, parser) => {
      const rows: Batch['rows'][number][] = [];
      const faults = new Map(errors.map(({ row, code }) => [row ?? 0, code]));
      for (const [i, cells] of data.entries()) {
        const fault = faults.get(i);
        if (fault !== undefined && QUOTE_WORDS[fault] !== undefined) {
          failed = new SheetError(
            `Line ${line}: ${QUOTE_WORDS[fault]}. Nothing was brought in; mend that line, or choose another delimiter.`,
          );
          parser.abort();
          break;
        }
        const begun = line++;
        if (newline === '\n') {
          const last = cells.length - 1;
          if (cells[last]!.endsWith('\r')) cells[last] = cells[last]!.slice(0, -1);
        }
        for (const cell of cells) if (cell.includes(newline)) counting(cell);
        if (cells.length > 1 || cells[0]!.trim() !== '') rows.push({ line: begun, cells });
      }
      if (rows.length > 0) waiting = 0;
      if (waiting > MOST_QUOTED && !failed) {
        failed = new SheetError(
          `Line ${line}: a quote (") is opened there and not closed within ${MOST_QUOTED.toLocaleString('en-GB')} characters. Nothing was brought in.`,
        );
        parser.abort();
      }
      queue.push({ rows });
      if (queue.length > 4) parser.pause();
      paused = parser;
      wake();
    },
    complete: () => {
      ended = true;
      wake();
    },
    error: (error) => {
      failed ??= error as Error;
      wake();
    },
  });
  let paused: Papa.Parser | null = null;
  pieces.on('error', (error: Error) => {
    failed ??= error;
    wake();
  });
  try {
    for (;;) {
      const batch = queue.shift();
      if (batch) {
        yield batch;
        if (queue.length === 0) (paused as Papa.Parser | null)?.resume();
      } else if (failed !== null) throw failed as Error;
      else if (ended) return;
      else await new Promise<void>((done) => (wake = done));
    }
  } finally {
    pieces.destroy();
  }
}
