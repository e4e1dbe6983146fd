/** A part of a statement of the engine: a word, a sign, or what is quoted, with the quotes. */
export interface SqlToken {
  readonly text: string;
  readonly sort: 'word' | 'quoted' | 'sign';
}

const CLOSING: Readonly<Record<string, string>> = { "'": "'", '"': '"', '`': '`', '[': ']' };

/**
 * The tokens of a text of SQL as the engine reads it (its "Tokenizer" and `sqlite3_complete`, public domain);
 * null when a string or a comment in it has no end: what stands behind it would then be taken into it.
 */
export function sqlTokens(sql: string): SqlToken[] | null {
  const tokens: SqlToken[] = [];
  // The engine reads a statement up to the first NUL.
  if (sql.includes('\0')) return null;
  let at = 0;
  while (at < sql.length) {
    const rest = sql.slice(at);
    const blank = /^[ \t\n\f\r]+/.exec(rest);
    if (blank) at += blank[0].length;
    else if (rest.startsWith('--')) {
      const end = sql.indexOf('\n', at);
      if (end < 0) return null;
      at = end + 1;
    } else if (rest.startsWith('/*')) {
      const end = sql.indexOf('*/', at + 2);
      if (end < 0) return null;
      at = end + 2;
    } else if (CLOSING[rest.charAt(0)] !== undefined) {
      const close = CLOSING[rest.charAt(0)]!;
      let end = at + 1;
      for (;;) {
        end = sql.indexOf(close, end);
        if (end < 0) return null;
        if (close === ']' || sql[end + 1] !== close) break;
        end += 2;
      }
      tokens.push({ text: sql.slice(at, end + 1), sort: 'quoted' });
      at = end + 1;
    } else {
      const word = /^[\p{L}\p{N}_$\u0080-\u{10ffff}]+/u.exec(rest);
      tokens.push(word ? { text: word[0], sort: 'word' } : { text: rest[0]!, sort: 'sign' });
      at += word ? word[0].length : 1;
    }
  }
  return tokens;
}

const isWord = (token: SqlToken | undefined, ...words: readonly string[]): boolean =>
  token?.sort === 'word' && words.includes(token.text.toUpperCase());

const isSemicolon = (token: SqlToken | undefined): boolean => token?.sort === 'sign' && token.text === ';';

/**
 * What a single statement makes, in a file's schema: `table`, `index`, `trigger`, `view`; null for any other
 * text.
 */
export type Making = 'table' | 'index' | 'trigger' | 'view';

/**
 * What a text of SQL makes, when it is exactly one CREATE statement with nothing behind it; else null. A
 * file's schema can be forged to hold more: nothing of it may be carried out before it has been asked this.
 */
export function making(sql: string): Making | null {
  const tokens = sqlTokens(sql);
  if (!tokens || !isWord(tokens[0], 'CREATE')) return null;
  const at = isWord(tokens[1], 'UNIQUE') ? 2 : 1;
  const what = (['table', 'index', 'trigger', 'view'] as const).find((word) =>
    isWord(tokens[at], word.toUpperCase()),
  );
  if (what === undefined || (at === 2 && what !== 'index')) return null;
  const end = what === 'trigger' ? endOfTrigger(tokens) : tokens.findIndex(isSemicolon);
  if (what === 'trigger' && end < 0) return null;
  const behind = end < 0 ? [] : tokens.slice(end);
  return behind.every(isSemicolon) && behind.length <= 1 ? what : null;
}

/**
 * Where a trigger's text is over: behind the first END that stands behind a semicolon; −1 when there is none.
 */
function endOfTrigger(tokens: readonly SqlToken[]): number {
  const end = tokens.findIndex((token, i) => isWord(token, 'END') && isSemicolon(tokens[i - 1]));
  return end < 0 ? -1 : end + 1;
}

/** Whether a text can stand between the parentheses of a CHECK and end there: all that it opens it closes. */
export function isEnclosed(sql: string): boolean {
  const tokens = sqlTokens(sql);
  if (!tokens || tokens.length === 0) return false;
  let depth = 0;
  for (const token of tokens) {
    if (isSemicolon(token)) return false;
    if (token.sort === 'sign' && token.text === '(') depth++;
    if (token.sort === 'sign' && token.text === ')' && --depth < 0) return false;
  }
  return depth === 0;
}
