import { TokenParser, Tokenizer, TokenType } from '@streamparser/json';
import type { Cell, SheetEncoding } from '@heathridge/core/sheet';
import { decoded } from './encoding';
import type { Batch } from './rows-file';
import { SheetError } from './sheet-error';

/** Numbers with more digits than a double keeps stay texts, with all of them. */
class ExactTokenizer extends Tokenizer {
  override parseNumber(text: string): number {
    const number = Number(text);
    const digits = text
      .replace(/[eE].*$/, '')
      .replace(/\D/g, '')
      .replace(/^0+/, '');
    return digits.length > 15 ? (text as unknown as number) : number;
  }
}

const MOST_DEPTH = 20;

/** Puts what an object holds into cells by name: objects in it by their names with a point between. */
function flatten(value: unknown, name: string, into: Map<string, Cell>, depth = 0): void {
  if (value === null || typeof value === 'string' || typeof value === 'boolean') into.set(name, value);
  else if (typeof value === 'number') into.set(name, value);
  else if (Array.isArray(value) || depth >= MOST_DEPTH) into.set(name, JSON.stringify(value));
  else
    for (const [key, inner] of Object.entries(value as object))
      flatten(inner, name === '' ? key : `${name}.${key}`, into, depth + 1);
}

/** Depth of brackets beyond which nothing is a table any more. */
const MOST_NESTED = 200;
const ROWS_AT_ONCE = 500;

/**
 * The rows of a JSON array of objects or arrays, or of such lines, one value each (RFC 8259; newline-delimited).
 * Names are those of the objects in the order in which they appear first, and are told once all rows have been
 * read. The line counts the values.
 */
export async function* jsonRows(
  path: string,
  encoding: SheetEncoding,
  read: (bytes: number) => void,
  named: (names: readonly string[]) => void,
): AsyncGenerator<Batch> {
  const places = new Map<string, number>();
  let rows: Batch['rows'][number][] = [];
  let line = 0;
  const take = (value: unknown): void => {
    line++;
    const cells: Cell[] = [];
    if (Array.isArray(value))
      cells.push(
        ...value.map((item: unknown): Cell => {
          const flat = new Map<string, Cell>();
          flatten(typeof item === 'object' && item !== null ? [item] : item, '', flat);
          return typeof item === 'object' && item !== null ? JSON.stringify(item) : (flat.get('') ?? null);
        }),
      );
    else if (typeof value === 'object' && value !== null) {
      const flat = new Map<string, Cell>();
      flatten(value, '', flat);
      for (const [name, cell] of flat) {
        const place = places.get(name) ?? places.size;
        places.set(name, place);
        cells[place] = cell;
      }
      for (let i = 0; i < cells.length; i++) cells[i] ??= null;
    } else throw new SheetError(`Value ${line} is neither an object nor an array: it is no row of a table.`);
    rows.push({ line, cells });
  };
  let isArray: boolean | null = null;
  let depth = 0;
  const tokenizer = new ExactTokenizer({ separator: '' });
  const parser = new TokenParser({ separator: '', keepStack: false });
  parser.onEnd = () => undefined;
  parser.onValue = ({ value, stack }) => {
    // Of an array of rows, its elements; of lines, the values themselves.
    if (isArray ? stack.length === 1 : stack.length === 0) take(value);
  };
  tokenizer.onToken = ({ token, value, offset }) => {
    if (token === TokenType.LEFT_BRACE || token === TokenType.LEFT_BRACKET) {
      isArray ??= token === TokenType.LEFT_BRACKET;
      if (++depth > MOST_NESTED) throw new SheetError('This JSON is nested too deeply for a table.');
    } else if (token === TokenType.RIGHT_BRACE || token === TokenType.RIGHT_BRACKET) depth--;
    parser.write({ token, value, offset } as never);
  };
  try {
    for await (const piece of decoded(path, encoding, read)) {
      tokenizer.write(piece);
      if (rows.length < ROWS_AT_ONCE) continue;
      yield { rows };
      rows = [];
    }
    tokenizer.end();
  } catch (error) {
    if (error instanceof SheetError) throw error;
    throw new SheetError(`This is no JSON that can be read: ${(error as Error).message}, after row ${line}.`);
  }
  if (depth > 0) throw new SheetError(`This JSON ends in the middle of row ${line + 1}.`);
  if (rows.length > 0) yield { rows };
  if (places.size > 0) named([...places.keys()]);
}
