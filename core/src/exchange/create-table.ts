import { isEnclosed, sqlTokens, type SqlToken } from '../expression';

/** A name as it is meant, without the quotes around it. */
const nameOf = ({ text, sort }: SqlToken): string => {
  if (sort !== 'quoted') return text;
  const close = text.at(-1)!;
  const inner = text.slice(1, -1);
  return close === ']' ? inner : inner.replaceAll(close + close, close);
};

/** The names, and whatever else may be one, in a text of SQL, in lower case; null when it cannot be read. */
export const namesIn = (sql: string): ReadonlySet<string> | null => {
  const tokens = sqlTokens(sql);
  return (
    tokens &&
    new Set(tokens.filter(({ sort }) => sort !== 'sign').map((token) => nameOf(token).toLowerCase()))
  );
};

/** The conditions of all CHECKs in a CREATE TABLE statement, as they are written. */
export function checksIn(sql: string): string[] {
  const found: string[] = [];
  // What is quoted, or a comment, is skipped as a whole: only a CHECK of the statement's own is one.
  const parts =
    /'(?:[^']|'')*'|"(?:[^"]|"")*"|`(?:[^`]|``)*`|\[[^\]]*\]|--[^\n]*|\/\*[\s\S]*?\*\/|[\p{L}\p{N}_$]+|[()]/gu;
  let from = -1;
  let depth = 0;
  let before = '';
  for (const { 0: text, index } of sql.matchAll(parts)) {
    if (text === '(') {
      if (from < 0 && /^check$/i.test(before)) [from, depth] = [index + 1, 1];
      else if (from >= 0) depth++;
    } else if (text === ')' && from >= 0 && --depth === 0) {
      found.push(sql.slice(from, index).trim());
      from = -1;
    }
    if (!/^(--|\/\*)/.test(text)) before = text;
  }
  return found.filter(isEnclosed);
}

/** Something that a CREATE TABLE statement asks for and that is not carried over. */
export interface Clause {
  /** The column it stands at; null for one of the table. */
  readonly column: string | null;
  readonly clause: string;
  readonly what: 'collation' | 'on update' | 'deferred' | 'on conflict' | 'match';
}

const TABLE_WORDS = /^(constraint|primary|unique|check|foreign)$/i;

/** Clauses of a CREATE TABLE statement that have no counterpart here, by the column they stand at. */
export function clausesIn(sql: string): Clause[] {
  const tokens = sqlTokens(sql) ?? [];
  const found: Clause[] = [];
  let depth = 0;
  let column: string | null = null;
  let begins = false;
  const word = (i: number): string =>
    tokens[i]?.sort === 'sign' ? '' : nameOf(tokens[i] ?? { text: '', sort: 'word' }).toUpperCase();
  tokens.forEach((token, i) => {
    if (token.sort === 'sign') {
      if (token.text === '(') begins = ++depth === 1;
      if (token.text === ')') depth--;
      if (token.text === ',' && depth === 1) begins = true;
      return;
    }
    if (begins) column = TABLE_WORDS.test(token.text) ? null : nameOf(token);
    begins = false;
    if (token.sort === 'quoted' || depth !== 1) return;
    const [next, after] = [word(i + 1), word(i + 2)];
    const add = (what: Clause['what'], clause: string): number => found.push({ column, clause, what });
    switch (token.text.toUpperCase()) {
      case 'COLLATE':
        if (next !== 'BINARY') add('collation', next);
        break;
      case 'ON':
        if (next === 'UPDATE' && after !== 'CASCADE')
          add('on update', /^(SET|NO)$/.test(after) ? `${after} ${word(i + 3)}` : after);
        if (next === 'CONFLICT' && after !== 'ABORT') add('on conflict', after);
        break;
      case 'DEFERRABLE':
        if (next === 'INITIALLY' && after === 'DEFERRED' && word(i - 1) !== 'NOT')
          add('deferred', 'DEFERRABLE INITIALLY DEFERRED');
        break;
      case 'MATCH':
        if (next !== 'SIMPLE') add('match', `MATCH ${next}`);
        break;
    }
  });
  return found;
}

/** Whether an index compares otherwise than by the bytes of texts, or backwards. */
export const indexWords = (sql: string): readonly string[] =>
  (sqlTokens(sql) ?? []).flatMap(({ sort, text }) =>
    sort === 'word' && /^(collate|desc)$/i.test(text) ? [text.toUpperCase()] : [],
  );

/** Whether a statement takes all columns of a table without naming them; a star after a parenthesis counts rows. */
export const selectsAll = (sql: string): boolean =>
  (sqlTokens(sql) ?? []).some(
    ({ text, sort }, i, tokens) =>
      sort === 'sign' &&
      text === '*' &&
      (/^[.,]$/.test(tokens[i - 1]?.text ?? '') ||
        /^(select|distinct|all)$/i.test(tokens[i - 1]?.text ?? '')),
  );
