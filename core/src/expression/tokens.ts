import { failed, type Span } from './errors';

export type TokenType = 'word' | 'name' | 'number' | 'text' | 'symbol' | 'end';

export interface Token extends Span {
  readonly type: TokenType;
  /** Words as typed; quoted names and texts without their quotes, doubled quotes made single. */
  readonly text: string;
}

const SYMBOLS = ['||', '<>', '<=', '>=', '=', '<', '>', '+', '-', '*', '/', '(', ')', ',', '.'];
const WORD = /[\p{L}_#][\p{L}\p{N}_#]*/uy;
const NUMBER = /\d+(?:\.\d*)?|\.\d+/y;
const SPACE = /(?:\s|--[^\n]*)+/y;

/**
 * Splits an expression into tokens, the last one of type `end`. Lexical elements are those of
 * ISO/IEC 9075-2: `'text'`, `"delimited name"`, names, exact numbers, `--` comments.
 * Throws an ExpressionError at the first character that starts none of them.
 */
export function tokens(source: string): Token[] {
  const found: Token[] = [];
  let at = 0;
  const match = (pattern: RegExp): string | null => {
    pattern.lastIndex = at;
    return pattern.exec(source)?.[0] ?? null;
  };
  const push = (type: TokenType, text: string, length: number): void => {
    found.push({ type, text, start: at, end: at + length });
    at += length;
  };
  while (at < source.length) {
    const space = match(SPACE);
    if (space) {
      at += space.length;
      continue;
    }
    const char = source[at]!;
    if (char === "'" || char === '"') {
      const text = quoted(source, at, char);
      push(char === "'" ? 'text' : 'name', text.value, text.length);
      continue;
    }
    const number = match(NUMBER);
    if (number) {
      push('number', number, number.length);
      continue;
    }
    const word = match(WORD);
    if (word) {
      push('word', word, word.length);
      continue;
    }
    const symbol = SYMBOLS.find((candidate) => source.startsWith(candidate, at));
    if (!symbol) {
      const odd = String.fromCodePoint(source.codePointAt(at)!);
      failed(`“${odd}” has no meaning here.`, { start: at, end: at + odd.length }, hint(odd));
    }
    push('symbol', symbol, symbol.length);
  }
  found.push({ type: 'end', text: '', start: at, end: at });
  return found;
}

function hint(odd: string): string {
  if (odd === '“' || odd === '”' || odd === '‘' || odd === '’') return "straight quotes: 'text'";
  if (odd === '!') return '<> for “is not”';
  if (odd === '&') return '|| to join texts, AND to join conditions';
  return 'a field name, a value or an operator';
}

function quoted(source: string, start: number, quote: string): { value: string; length: number } {
  let value = '';
  for (let i = start + 1; i < source.length; i++) {
    if (source[i] !== quote) value += source[i];
    else if (source[i + 1] === quote) value += source[i++];
    else return { value, length: i + 1 - start };
  }
  const what = quote === "'" ? 'This text' : 'This name';
  return failed(`${what} is not closed.`, { start, end: source.length }, `a closing ${quote}`);
}
