import { distance } from '@heathridge/core/expression';
import { valueKind, type Design, type Query, type Written } from '@heathridge/core/design';
import { literalsOf, sqlFault, sqlWith, type Answers, type SqlFault } from '@heathridge/core/query';
import type { Connection } from '../store/driver';
import { guarded } from '../store/statements';

/** What a query in SQL gives, or what is wrong with it. */
export type Described = { readonly columns: Written['columns'] } | { readonly fault: SqlFault };

/** Places after the point that a number without an origin is looked at for. */
const MOST_PLACES = 6;

/**
 * The columns of a query in SQL: what a column of a table holds is shown as its field says; of all else it is seen
 * from every value what it is. The statement is prepared alone and within another, where only what reads can stand.
 */
export function describeWritten(
  db: Connection,
  design: Design,
  query: Query,
  answers: Answers,
  today: string,
): Described {
  const { sql: text, columns: known } = query.written!;
  const fault = sqlFault(
    text,
    query.questions.map(({ name }) => name),
  );
  if (fault) return { fault };
  const sql = sqlWith(text, literalsOf(design, query, answers, today));
  const whole = `SELECT * FROM (\n${sql}\n)`;
  let origins: readonly { name: string; column: string | null; table: string | null }[];
  try {
    if (!db.prepare(sql).reader)
      return { fault: { message: 'A query only reads.', from: 0, to: text.length } };
    origins = db.prepare(whole).columns();
  } catch (error) {
    return { fault: placed(db, design, text, sql, (error as Error).message) };
  }
  if (origins.length > 100)
    return { fault: { message: 'A query in SQL gives at most 100 columns.', from: 0, to: text.length } };
  let seen: Seen[];
  try {
    seen = seenIn(db, sql, origins.length);
  } catch (error) {
    // A value that cannot be worked out is found when it is read.
    const { code, message } = error as Error & { readonly code?: string };
    if (!code?.startsWith('SQLITE_')) throw error;
    return { fault: placed(db, design, text, sql, message) };
  }
  const taken: string[] = [];
  const columns = origins.map(({ name, column, table }, i): Written['columns'][number] => {
    const field = design.tables.find((one) => one.name === table)?.fields.find((one) => one.name === column);
    const kind = field ? valueKind(field.type) : null;
    const own = seen[i]!;
    let result: Written['columns'][number]['result'];
    let scaled = false;
    if (kind && (kind.kind === 'money' || kind.kind === 'decimal')) {
      result = kind as typeof result;
      scaled = true;
    } else if (
      kind &&
      (kind.kind === 'tick' || kind.kind === 'date' || kind.kind === 'time' || kind.kind === 'dateTime')
    )
      result = kind as typeof result;
    else if (own.texts > 0 || own.wholes + own.reals === 0)
      result = own.texts === 0 ? { kind: 'text' } : textual(own);
    else if (own.reals === 0) result = { kind: 'wholeNumber' };
    else result = { kind: 'decimal', places: own.places };
    // The same name keeps its id: what reads the column goes on reading it.
    const id =
      known.find((other) => other.name === name && !taken.includes(other.id))?.id ??
      freshId(name, i, taken, known);
    taken.push(id);
    const label =
      (known.find((other) => other.id === id)?.label ?? name).slice(0, 60).trim() || `Column ${i + 1}`;
    return { id, name: name.slice(0, 200), label, result, scaled };
  });
  return { columns };
}

function freshId(name: string, index: number, taken: readonly string[], known: Written['columns']): string {
  const all = new Set([...taken, ...known.map(({ id }) => id)]);
  const plain =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '')
      .slice(0, 20) || `c${index}`;
  let id = `w_${plain}`;
  for (let i = 2; all.has(id); i++) id = `w_${plain}${i}`;
  return id;
}

interface Seen {
  readonly wholes: number;
  readonly reals: number;
  readonly texts: number;
  readonly days: number;
  readonly moments: number;
  readonly times: number;
  /** Places after the point in which all numbers can be written. */
  readonly places: number;
}

function textual({ texts, wholes, reals, days, moments, times }: Seen): Written['columns'][number]['result'] {
  if (wholes + reals > 0) return { kind: 'text' };
  if (days === texts) return { kind: 'date' };
  if (moments === texts) return { kind: 'dateTime' };
  return times === texts ? { kind: 'time' } : { kind: 'text' };
}

/** Of every column, what its values are: of all of them, since the first may be of another kind than the last. */
function seenIn(db: Connection, sql: string, columns: number): Seen[] {
  const names = Array.from({ length: columns }, (_, i) => `w${i}`);
  const asks = names.flatMap((name) => [
    `total(typeof(${name}) = 'integer')`,
    `total(typeof(${name}) = 'real')`,
    `total(typeof(${name}) IN ('text', 'blob'))`,
    `total(date(${name}) = ${name} AND typeof(${name}) = 'text')`,
    `total(strftime('%Y-%m-%dT%H:%M:%SZ', ${name}) = ${name})`,
    `total(time(${name}) = ${name} AND typeof(${name}) = 'text')`,
    ...Array.from(
      { length: MOST_PLACES },
      (_, p) =>
        `total(typeof(${name}) = 'real' AND abs(${name} * 1e${p} - round(${name} * 1e${p})) > 1e-7 * max(1, abs(${name})))`,
    ),
  ]);
  const each = asks.length / columns;
  const counts = guarded(
    db,
    `WITH "~s"(${names.join(', ')}) AS (\n${sql}\n)\nSELECT ${asks.join(', ')} FROM "~s"`,
    asks.length,
  )
    .get()!
    .map(Number);
  return names.map((_, i) => {
    const [wholes, reals, texts, days, moments, times, ...unfit] = counts.slice(i * each, (i + 1) * each) as [
      number,
      number,
      number,
      number,
      number,
      number,
      ...number[],
    ];
    const places = unfit.indexOf(0);
    return { wholes, reals, texts, days, moments, times, places: places < 0 ? MOST_PLACES : places };
  });
}

/** The name that is most like one that is not there; undefined where none is. */
const nearest = (name: string, all: readonly string[]): string | undefined =>
  [...new Set(all)]
    .map((other) => ({ other, far: distance(name.toLowerCase(), other.toLowerCase()) }))
    .filter(({ far }) => far <= Math.max(1, name.length / 3))
    .sort((a, b) => a.far - b.far)[0]?.other;

/** What the engine says of SQL in words for people, with its place in what was written. */
function placed(db: Connection, design: Design, text: string, sql: string, message: string): SqlFault {
  const at = (from: number, length: number, words: string): SqlFault =>
    from < 0 ? { message: words, from: 0, to: text.length } : { message: words, from, to: from + length };
  const word = (name: string): number => {
    const own = name.split('.').at(-1)!;
    const escaped = own.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
    return new RegExp(`(?<![\\p{L}\\p{N}_])${escaped}(?![\\p{L}\\p{N}_])`, 'iu').exec(text)?.index ?? -1;
  };
  const near = /^near "(.+)": syntax error$/s.exec(message);
  if (near) {
    const [, token] = near as unknown as [string, string];
    return at(unexpected(db, sql, text, token), token.length, `“${token}” is not expected here.`);
  }
  if (message === 'incomplete input') return at(text.trimEnd().length, 0, 'Something is missing at the end.');
  const column = /^no such column: (.+?)( - should this be.*)?$/s.exec(message)?.[1];
  if (column !== undefined) {
    const own = column.split('.').at(-1)!;
    const all = design.tables.flatMap(({ fields }) => fields.map(({ name }) => name));
    const close = nearest(own, all);
    return at(
      word(column),
      own.length,
      `There is no column “${column}” here.${close ? ` Is it “${close}”?` : ''}`,
    );
  }
  const table = /^no such table: (.+)$/s.exec(message)?.[1];
  if (table !== undefined) {
    const own = table.split('.').at(-1)!;
    const close = nearest(
      own,
      design.tables.flatMap(({ name }) => [name, `${name}_readable`]),
    );
    return at(
      word(table),
      own.length,
      `There is no table “${table}” in this file.${close ? ` Is it “${close}”?` : ''}`,
    );
  }
  const call = /^no such function: (.+)$/s.exec(message)?.[1];
  if (call !== undefined) return at(word(call), call.length, `There is no function “${call}”.`);
  const several = /^ambiguous column name: (.+)$/s.exec(message)?.[1];
  if (several !== undefined)
    return at(
      word(several),
      several.length,
      `“${several}” could be of several tables: write which before it, with a point between.`,
    );
  const broken = /^unrecognized token: "(.+)"$/s.exec(message)?.[1];
  if (broken !== undefined) return at(text.indexOf(broken), broken.length, `“${broken}” cannot be read.`);
  if (/out of memory|too big/.test(message))
    return at(
      -1,
      0,
      'This asks for more than one query may hold in memory: keep fewer rows, or shorter texts.',
    );
  if (message === 'integer overflow') return at(-1, 0, 'A number in this is too large to be worked with.');
  return at(-1, 0, `The engine says: ${message}.`);
}

/** Where a piece stands that is not expected: the first before which the text is but a beginning, and with which it is wrong. */
function unexpected(db: Connection, sql: string, text: string, token: string): number {
  const says = (part: string): string => {
    try {
      db.prepare(part);
      return '';
    } catch (error) {
      return (error as Error).message;
    }
  };
  for (let at = sql.indexOf(token); at >= 0; at = sql.indexOf(token, at + 1)) {
    const isWrong = says(sql.slice(0, at + token.length)).startsWith('near ');
    if (isWrong && !says(sql.slice(0, at)).startsWith('near ')) {
      // What was asked for stands as a literal in one of the two.
      const tail = sql.length - at;
      const there = sql === text ? at : text.trimEnd().length - tail;
      return text.startsWith(token, there) ? there : text.indexOf(token);
    }
  }
  return text.indexOf(token);
}
