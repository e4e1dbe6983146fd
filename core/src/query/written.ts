import {
  attempt,
  bind,
  decimalText,
  numberType,
  sqlName,
  sqlText,
  toSql,
  TEXT,
  type ExprField,
  type Type,
} from '../expression';
import { catalogOf, nameFromLabel, uniqueName, type Design, type Query, type Written } from '../design';
import type { Value, ValueKind } from '../values';
import { identifier } from './identifier';
import { newQuery } from './new';

/** Something that is wrong with SQL, and where: places in its text, from 0. */
export interface SqlFault {
  readonly message: string;
  readonly from: number;
  readonly to: number;
}

/** A piece of SQL: comments and blanks are none. */
interface Piece {
  readonly is: 'word' | 'text' | 'name' | 'number' | 'asked' | 'mark' | 'open';
  readonly text: string;
  readonly at: number;
}

/** What a statement may begin with that only reads. */
const READS = new Set(['SELECT', 'WITH', 'VALUES']);

/** The pieces of SQL as SQLite reads it (ISO/IEC 9075-2, 5.2; with its own quoting by [ ] and ` `). */
function piecesOf(sql: string): Piece[] {
  const pieces: Piece[] = [];
  const each =
    /\s+|--[^\n]*|\/\*[\s\S]*?(?:\*\/|$)|'(?:[^']|'')*'|"(?:[^"]|"")*"|`(?:[^`]|``)*`|\[[^\]]*\]|[:@$#?][\p{L}\p{N}_]*|(?:\d[\p{L}\p{N}_.]*|\.\d[\p{L}\p{N}_.]*)|[\p{L}_][\p{L}\p{N}_$]*|[\s\S]/gu;
  for (const found of sql.matchAll(each)) {
    const [text] = found;
    const at = found.index;
    if (/^(\s|--|\/\*)/.test(text)) continue;
    const first = text[0]!;
    const isQuote = '\'"`['.includes(first);
    pieces.push({
      text,
      at,
      is: isQuote
        ? text.length === 1
          ? 'open'
          : first === "'"
            ? 'text'
            : 'name'
        : ':@$#?'.includes(first)
          ? 'asked'
          : /^[\p{L}_]/u.test(text)
            ? 'word'
            : /^\.?\d/.test(text)
              ? 'number'
              : 'mark',
    });
  }
  return pieces;
}

/** The name that a piece of SQL is; null for anything else, and for a word that calls a function or is one of the engine's. */
function nameOf(piece: Piece, next: Piece | undefined): string | null {
  if (piece.is === 'name') {
    const quote = piece.text.at(-1)!;
    return piece.text.slice(1, -1).replaceAll(quote + quote, quote);
  }
  const isName = piece.is === 'word' && next?.text !== '(' && identifier(piece.text) === piece.text;
  return isName ? piece.text : null;
}

/** All names that stand in SQL, in small letters. */
export const namesIn = (sql: string): ReadonlySet<string> => {
  const pieces = piecesOf(sql);
  return new Set(pieces.flatMap((piece, i) => nameOf(piece, pieces[i + 1])?.toLowerCase() ?? []));
};

/** SQL with others in place of the names for which `rename` gives any, as they are to be written. */
export function sqlRenamed(sql: string, rename: (name: string) => string | null): string {
  const pieces = piecesOf(sql);
  let [text, at] = ['', 0];
  for (const [i, piece] of pieces.entries()) {
    const name = nameOf(piece, pieces[i + 1]);
    const next = name === null ? null : rename(name);
    if (next === null) continue;
    text += sql.slice(at, piece.at) + next;
    at = piece.at + piece.text.length;
  }
  return text + sql.slice(at);
}

const faultAt = (message: string, { at, text }: Pick<Piece, 'at' | 'text'>): SqlFault => ({
  message,
  from: at,
  to: at + text.length,
});

/**
 * What keeps SQL from being one statement that only reads, before any engine sees it; null where nothing does. `asked`:
 * names of what the query asks for, which stand in it with a colon before them.
 */
export function sqlFault(sql: string, asked: readonly string[]): SqlFault | null {
  const pieces = piecesOf(sql);
  const [first] = pieces;
  if (!first) return { message: 'A query needs SQL.', from: 0, to: sql.length };
  const open = pieces.find(({ is }) => is === 'open');
  if (open) return faultAt(`This ${open.text} is never closed.`, open);
  if (!READS.has(first.text.toUpperCase()))
    return faultAt('A query only reads: it begins with SELECT, or with WITH before a SELECT.', first);
  const known = new Set(asked.map((name) => name.toLowerCase()));
  let depth = 0;
  for (const [i, piece] of pieces.entries()) {
    if (piece.text === ';') {
      const next = pieces.slice(i + 1).find(({ text }) => text !== ';');
      if (next) return faultAt('One statement is run, and another begins here.', next);
    }
    if (piece.text === '(') depth++;
    if (piece.text === ')' && --depth < 0) return faultAt('This ) closes nothing.', piece);
    // Where the file lies is nobody's business.
    if ((piece.is === 'word' || piece.is === 'name') && /^\W?pragma_/i.test(piece.text))
      return faultAt('This tells of the engine, and not of rows.', piece);
    if (piece.is !== 'asked') continue;
    if (!piece.text.startsWith(':') || piece.text.length === 1)
      return faultAt('What is asked for is written with a colon and its name, such as :from.', piece);
    if (!known.has(piece.text.slice(1).toLowerCase()))
      return faultAt(`Nothing is asked for that is called “${piece.text.slice(1)}”.`, piece);
  }
  if (depth > 0) {
    const last = pieces.filter(({ text }) => text === '(').at(-1)!;
    return faultAt('This ( is never closed.', last);
  }
  return null;
}

/** The statement alone, with the answers in it as `answers` has them by name, in small letters. */
export function sqlWith(sql: string, answers: ReadonlyMap<string, string>): string {
  let [text, at] = ['', 0];
  for (const piece of piecesOf(sql)) {
    if (piece.text === ';') break;
    if (piece.is === 'asked') {
      text += sql.slice(at, piece.at) + (answers.get(piece.text.slice(1).toLowerCase()) ?? 'NULL');
      at = piece.at + piece.text.length;
    }
  }
  const end = piecesOf(sql).find((piece) => piece.text === ';')?.at ?? sql.length;
  return (text + sql.slice(at, end)).trim();
}

/** Answers as literals of SQL, by the name of what is asked for in small letters. */
export function literalsOf(
  design: Design,
  { questions }: Query,
  answers: Readonly<Record<string, Value>>,
  today?: string,
): Map<string, string> {
  const catalog = catalogOf(design);
  return new Map(
    questions.map(({ id, name, answer, start }) => {
      const given = Object.hasOwn(answers, id) ? answers[id]! : undefined;
      return [name.toLowerCase(), given === undefined ? begun(start) : literal(given, answer.kind)] as const;
    }),
  );

  function begun(start: string | null): string {
    const bound = start === null ? null : attempt(() => bind(start, { catalog, table: null }).bound);
    if (!bound?.ok) return 'NULL';
    const sql = toSql(bound.value, {
      catalog,
      row: '',
      ...(today === undefined ? {} : { today: sqlText(today) }),
      text: sqlText,
    }).sql;
    const { type } = bound.value;
    return type.type === 'number' && type.scale > 0
      ? `CAST(${decimalText(`(${sql})`, type.scale)} AS REAL)`
      : `(${sql})`;
  }
}

function literal(value: Value, kind: string): string {
  if (value === null || value === '') return 'NULL';
  if (typeof value === 'boolean') return value ? '1' : '0';
  const isNumber = kind === 'wholeNumber' || kind === 'decimal' || typeof value === 'number';
  return isNumber && /^-?\d{1,15}(\.\d{1,6})?$/.test(String(value)) ? String(value) : sqlText(String(value));
}

type WrittenColumn = Written['columns'][number];

/** How the values of a column are shown. */
export const kindOfWritten = ({ result }: WrittenColumn): ValueKind =>
  result.kind === 'text' ? { kind: 'longText' } : (result as ValueKind);

function typeOfWritten({ result }: WrittenColumn): Type {
  switch (result.kind) {
    case 'wholeNumber':
      return numberType(0);
    case 'decimal':
    case 'money':
      return numberType(result.places);
    case 'tick':
      return { type: 'boolean' };
    case 'date':
      return { type: 'date' };
    case 'time':
      return { type: 'time' };
    case 'dateTime':
      return { type: 'instant' };
    default:
      return TEXT;
  }
}

/** The columns of a written query as fields that expressions name. */
export function fieldsOfWritten({ columns }: Written): ExprField[] {
  const names: string[] = [];
  return columns.map((column, i) => {
    const name = uniqueName(nameFromLabel(column.label, 'column'), names);
    names.push(name);
    return { id: column.id, name, column: `w${i}`, type: typeOfWritten(column), kind: kindOfWritten(column) };
  });
}

/** SQL, in brackets, for its rows as others read them: decimals as whole numbers of their last place. */
export function rowsOfWritten({ columns }: Written, sql: string): string {
  const names = columns.map((_, i) => sqlName(`w${i}`));
  const list = columns.map((column, i) => {
    const own = names[i]!;
    const type = typeOfWritten(column);
    if (type.type === 'number' && !column.scaled)
      return `CAST(round(${own} * ${10 ** type.scale}) AS INTEGER) AS ${own}`;
    return type.type === 'text' ? `CAST(${own} AS TEXT) AS ${own}` : own;
  });
  return `(WITH "~w"(${names.join(', ')}) AS (\n${sql}\n)\nSELECT ${list.join(', ')} FROM "~w")`;
}

/** The same for people: under names, numbers as they are read. */
export function plainOfWritten(written: Written, sql: string): string {
  const fields = fieldsOfWritten(written);
  if (written.columns.every(({ scaled, name }, i) => !scaled && name === fields[i]!.name)) return sql;
  const list = written.columns.map(({ scaled, result }, i) => {
    const own = sqlName(`w${i}`);
    const places = result.kind === 'decimal' || result.kind === 'money' ? result.places : 0;
    return `${scaled && places > 0 ? `${own} / ${10 ** places}.0` : own} AS ${sqlName(fields[i]!.name)}`;
  });
  const names = fields.map(({ column }) => sqlName(column)).join(', ');
  return `WITH written(${names}) AS (\n${sql}\n)\nSELECT ${list.join(', ')} FROM written`;
}

/**
 * A written query as one that reads it: what is asked of a sentence is asked of that one, and answered as of any other.
 */
export function readingOf(design: Design, query: Query): { readonly design: Design; readonly query: Query } {
  const whole = design.queries.some(({ id }) => id === query.id)
    ? { ...design, queries: design.queries.map((other) => (other.id === query.id ? query : other)) }
    : { ...design, queries: [...design.queries, query] };
  const reading = newQuery(`${query.id}~`, query.label, { id: query.id });
  return { design: whole, query: query.chart ? { ...reading, chart: query.chart } : reading };
}
