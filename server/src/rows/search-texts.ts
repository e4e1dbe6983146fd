import { closeSync, openSync, writeSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { fold, sqlName, toSql } from '@heathridge/core/expression';
import { boundIn, catalogOf, fieldOf, type Design, type Table } from '@heathridge/core/design';
import type { Connection } from '../store/driver';
import { asBytes, prepared, textOf } from '../store/statements';
import { keyColumns } from './json';

/** What the words of a search are looked for in, row by row: one text behind the other. */
export interface SearchTexts {
  /** The key of each row, rising. */
  readonly keys: Float64Array;
  /** Where the text of each row ends. */
  readonly ends: Uint32Array;
  /** The texts in UTF-8, their letters as a comparison takes them, with a NUL behind each. */
  readonly bytes: Uint8Array;
  /** The newest row of history when they were read. */
  readonly mark: number;
}

/** Bytes of all texts together that are kept at most. */
const MOST_BYTES = 96 * 1024 * 1024;
/** Rows that are read at once. */
const BATCH = 20_000;

/** Whether the rows of a table are told apart by one whole number. */
export const hasNumberKey = (table: Table): boolean =>
  table.key.length === 1 &&
  ['runningNumber', 'wholeNumber'].includes(fieldOf(table, table.key[0]!)!.type.kind);

/** SQL for the bytes of what is searched of a row `t`: what it shows, and its key; as `searchSql` has it. */
function textSql(design: Design, table: Table, shows: string): string {
  const own = table.key.map((id) => `' ' || "#${id}"`).join(' || ');
  const writing = { catalog: catalogOf(design), row: 't', faults: 'mark' } as const;
  const text = (source: string) => toSql(boundIn(design, table.id, source).bound, writing);
  const { sql, marked } = text(`COALESCE((${shows}) || ${own}, ${own})`);
  if (!marked) return asBytes(`lower(${sql})`);
  // A row whose text cannot be worked out is found by its key.
  return `(SELECT ${asBytes(`lower(CASE typeof(v) WHEN 'blob' THEN ${text(own).sql} ELSE v END)`)} FROM (SELECT ${sql} AS v))`;
}

/** Reads what is searched of all rows of a table with a key of one number; null where that is too much to be kept. */
export function readSearchTexts(
  db: Connection,
  design: Design,
  table: Table,
  shows: string,
): SearchTexts | null {
  const [mark] = prepared(db, 'SELECT coalesce(max(id), 0) FROM hr_history').get() as [number];
  const [key] = keyColumns(table, 't');
  const sql = `SELECT ${key}, ${textSql(design, table, shows)} FROM ${sqlName(table.name)} AS t WHERE ${key} > ? ORDER BY ${key} LIMIT ${BATCH}`;
  const read = prepared(db, sql);
  const [keys, ends, parts]: [number[], number[], Buffer[]] = [[], [], []];
  let [size, last] = [0, -Infinity];
  for (;;) {
    const rows = read.all([last]) as [number, Buffer][];
    const texts = rows.map(([own, bytes]) => {
      const text = folded(bytes);
      keys.push(own);
      size += text.length;
      ends.push(size++);
      return text;
    });
    parts.push(Buffer.concat(texts.flatMap((text) => [text, SEPARATOR])));
    if (size > MOST_BYTES) return null;
    if (rows.length < BATCH) break;
    last = rows.at(-1)![0];
  }
  return { keys: Float64Array.from(keys), ends: Uint32Array.from(ends), bytes: Buffer.concat(parts), mark };
}

const SEPARATOR = Buffer.from([0]);

/** Reads what is searched of some rows; those that are gone are not among them. */
export function readTextsOf(
  db: Connection,
  design: Design,
  table: Table,
  shows: string,
  keys: readonly number[],
): ReadonlyMap<number, Buffer> {
  const [key] = keyColumns(table, 't');
  const sql = `SELECT ${key}, ${textSql(design, table, shows)} FROM ${sqlName(table.name)} AS t WHERE ${key} IN (SELECT value FROM json_each(?))`;
  const found = prepared(db, sql).all([JSON.stringify(keys)]) as [number, Buffer][];
  return new Map(found.map(([own, bytes]) => [own, folded(bytes)]));
}

/** Letters as a comparison takes them: the engine has made A to Z small, others are left to us. */
function folded(bytes: Buffer): Buffer {
  const text = textOf(bytes);
  return text.length === bytes.length ? bytes : Buffer.from(fold(text));
}

/** What is known of texts that were written down: their rows, and the newest row of history when they were read. */
export interface WrittenTexts {
  readonly rows: number;
  readonly mark: number;
}

/** Writes texts to disk: of a million rows they are more than one process hands another in no time. */
export function writeTexts({ keys, ends, bytes, mark }: SearchTexts, to: string): WrittenTexts {
  const file = openSync(to, 'w');
  try {
    for (const { buffer, byteOffset, byteLength } of [keys, ends, bytes]) {
      const part = Buffer.from(buffer, byteOffset, byteLength);
      for (let at = 0; at < part.length;) at += writeSync(file, part, at);
    }
  } finally {
    closeSync(file);
  }
  return { rows: keys.length, mark };
}

/** Reads texts that were written down, without anybody waiting for it. */
export async function readTexts(from: string, { rows, mark }: WrittenTexts): Promise<SearchTexts> {
  const whole = await readFile(from);
  const [ofKeys, ofEnds] = [rows * Float64Array.BYTES_PER_ELEMENT, rows * Uint32Array.BYTES_PER_ELEMENT];
  // Numbers lie at places that their size divides.
  const buffer = whole.byteOffset % 8 === 0 ? whole : Buffer.from(new Uint8Array(whole).buffer);
  return {
    keys: new Float64Array(buffer.buffer, buffer.byteOffset, rows),
    ends: new Uint32Array(buffer.buffer, buffer.byteOffset + ofKeys, rows),
    bytes: buffer.subarray(ofKeys + ofEnds),
    mark,
  };
}
