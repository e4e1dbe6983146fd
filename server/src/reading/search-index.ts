import { rmSync } from 'node:fs';
import { findField, type Design, type Table } from '@heathridge/core/design';
import { fold, idsIn } from '@heathridge/core/expression';
import type { JobPool } from '../jobs/pool';
import { hasNumberKey, readTexts, readTextsOf, type SearchTexts } from '../rows/search-texts';
import { searchedWords } from '../rows/window';
import type { OpenFile } from '../store/files';
import { prepared } from '../store/statements';
import { dataVersion } from '../store/versions';

/**
 * What is searched of large tables is kept in memory: looking through it takes milliseconds where the engine would
 * work out and compare the text of every row. It follows the history of the file; what that does not tell, as a tool
 * that writes to the file by itself, has it read anew, and until then the engine searches as it always can.
 */

/** Rows that are looked up one by one for an answer; what more rows answer is found by the engine soon enough. */
export const MOST_FOUND = 2000;
/** Rows that have changed since all were read, from which on all are read anew. */
const MOST_CHANGED = 2000;
/** Bytes that are kept for all tables of all files together: those that were searched last. */
const MOST_KEPT = 256 * 1024 * 1024;

export interface FoundRows {
  readonly count: number;
  /** The keys of all of them, rising. */
  readonly keys: readonly number[];
}

/** What is asked of an index: words in what a row shows. */
interface Sought {
  readonly file: OpenFile;
  /** The design by which rows are shown to whoever searches. */
  readonly design: Design;
  readonly jobs: JobPool;
  readonly table: Table;
  readonly search: string;
  readonly shows: string;
}

interface Kept {
  readonly file: OpenFile;
  readonly design: number;
  /** The tables of which its texts tell beside its own. */
  readonly others: ReadonlySet<string>;
  /** What the connection that writes says of commits by others, when reading began. */
  readonly foreign: number;
  /** Null while they are read. */
  texts: SearchTexts | null;
  mark: number;
  /** What the file was like when history was looked through last. */
  seen: number;
  /** What is now searched of rows that have changed since; null for those that are gone. */
  readonly changed: Map<number, Buffer | null>;
  /** What was searched last, and found: how many there are and which come first is asked one after the other. */
  last: { readonly search: string; readonly seen: number; readonly found: FoundRows } | null;
}

const kept = new Map<string, Kept>();

/** Texts that were written down so far. */
let written = 0;

/** Rows in which all words stand, in what they show or their key; null where the engine must be asked. */
export function foundRows(sought: Sought): FoundRows | null {
  const index = current(sought);
  const { search } = sought;
  const words = searchedWords(search).map((word) => Buffer.from(fold(word)));
  if (!index?.texts || words.length === 0) return null;
  const { last, seen } = index;
  if (last?.search === search && last.seen === seen) return last.found;
  const found = lookThrough(index.texts, index.changed, words);
  index.last = { search, seen, found };
  return found;
}

/** Begins to read what is searched of a table, where somebody is about to search it. */
export function prepareSearch(sought: Omit<Sought, 'search'>): void {
  current({ ...sought, search: '' });
}

/** The texts as they now are; null while they are not at hand. */
function current(sought: Sought): Kept | null {
  const { file, design, table, shows } = sought;
  const others = tellsOf(design, table, shows);
  if (!hasNumberKey(table) || others === null) return null;
  const name = `${file.path} ${table.id} ${shows}`;
  const known = kept.get(name);
  if (known && isSound(known, sought)) {
    // Those searched last are kept longest.
    kept.delete(name);
    kept.set(name, known);
    return known;
  }
  begin(name, sought, others);
  return null;
}

/** Whether kept texts are, or can be made, what the file holds. */
function isSound(index: Kept, { file, design, table, shows }: Sought): boolean {
  if (index.file !== file && index.file.writer !== file.writer) return false;
  if (index.design !== design.version || index.foreign !== dataVersion(file.writer)) return false;
  const now = dataVersion(file.reader);
  if (index.texts === null || index.seen === now) return true;
  const since = prepared(
    file.reader,
    'SELECT id, table_id, key, after FROM hr_history WHERE id > ? ORDER BY id LIMIT ?',
  ).all([index.mark, MOST_CHANGED + 1]) as [number, string, string, string | null][];
  if (index.changed.size + since.length > MOST_CHANGED || since.some(([, other]) => index.others.has(other)))
    return false;
  const own = since.filter(([, other]) => other === table.id);
  const keys = own.flatMap(([, , key, after]) => [
    (JSON.parse(key) as number[])[0]!,
    // A row may have been given another key.
    ...(after === null ? [] : [(JSON.parse(after) as Record<string, number>)[table.key[0]!]!]),
  ]);
  const texts =
    keys.length > 0 ? readTextsOf(file.reader, design, table, shows, keys) : new Map<number, Buffer>();
  for (const key of keys) index.changed.set(key, texts.get(key) ?? null);
  index.mark = since.at(-1)?.[0] ?? index.mark;
  index.seen = now;
  return true;
}

function begin(
  name: string,
  { file, design, jobs, table, shows }: Sought,
  others: ReadonlySet<string>,
): void {
  const index: Kept = {
    file,
    design: design.version,
    others,
    foreign: dataVersion(file.writer),
    texts: null,
    mark: 0,
    seen: -1,
    changed: new Map(),
    last: null,
  };
  kept.delete(name);
  kept.set(name, index);
  const to = `${file.path}.texts-${++written}.part`;
  jobs
    .run(file.path, { task: 'search texts', design, table: table.id, shows, to }, { queue: 'background' })
    .then(async (texts) => {
      // What is too much to be kept stays with the engine.
      if (!texts) return;
      index.texts = await readTexts(to, texts);
      index.mark = texts.mark;
      makeRoom();
    })
    // It is tried again when somebody searches next.
    .catch(() => kept.delete(name))
    .finally(() => rmSync(to, { force: true }));
}

/** Forgets what was searched longest ago, as long as there is too much. */
function makeRoom(): void {
  const size = ({ texts }: Kept): number =>
    texts ? texts.bytes.byteLength + texts.keys.byteLength + texts.ends.byteLength : 0;
  let all = [...kept.values()].reduce((sum, index) => sum + size(index), 0);
  for (const [name, index] of kept) {
    if (all <= MOST_KEPT) return;
    kept.delete(name);
    all -= size(index);
  }
}

/** The tables of which an expression over a row tells beside the row's own; null where it tells of the day too. */
function tellsOf(design: Design, table: Table, shows: string): ReadonlySet<string> | null {
  const tables = new Set<string>();
  const seen = new Set<string>();
  const look = (expression: string): boolean => {
    if (/CURRENT_/i.test(expression)) return false;
    for (const id of idsIn(expression)) {
      if (seen.has(id)) continue;
      seen.add(id);
      const found = findField(design, id);
      if (found && found.table.id !== table.id) tables.add(found.table.id);
      const type = found?.field.type;
      if (type?.kind === 'workedOut' && !look(type.expression)) return false;
      // Of a link of several fields the table is not seen so easily.
      if (!found && !design.tables.some((other) => other.id === id)) return false;
    }
    return true;
  };
  return look(shows) ? tables : null;
}

/**
 * All rows with all words. Each word goes from one of its places to the next, and over all rows that some other word has
 * passed over already: a leapfrog join (Veldhuizen, 2014) of the rows of each word.
 */
export function lookThrough(
  { keys, ends, bytes }: SearchTexts,
  changed: ReadonlyMap<number, Buffer | null>,
  words: readonly Buffer[],
): FoundRows {
  const all = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const places = words.map(() => -1);
  const found: number[] = [];
  let [row, from] = [0, 0];
  for (;;) {
    let furthest = from;
    for (let i = 0; i < words.length; i++) {
      if (places[i]! < from) places[i] = all.indexOf(words[i]!, from);
      if (places[i]! < 0) return withChanged(found, changed, words);
      if (places[i]! > furthest) furthest = places[i]!;
    }
    row = rowAt(ends, furthest, row);
    const [start, end] = [row === 0 ? 0 : ends[row - 1]! + 1, ends[row]!];
    let isThere = true;
    for (const place of places) isThere &&= place >= start;
    if (isThere) {
      const key = keys[row]!;
      if (changed.size === 0 || !changed.has(key)) found.push(key);
      from = end + 1;
    } else from = start;
  }
}

/** What was found, with those of the rows that have changed since in which all words stand now. */
function withChanged(
  found: number[],
  changed: ReadonlyMap<number, Buffer | null>,
  words: readonly Buffer[],
): FoundRows {
  const more = [...changed].flatMap(([key, text]) =>
    text && words.every((word) => text.includes(word)) ? [key] : [],
  );
  const keys = more.length === 0 ? found : Array.from(Float64Array.from([...found, ...more]).sort());
  return { count: keys.length, keys };
}

/** The row whose text holds a place, from a row on: the first that ends behind it. Looked for in ever longer steps. */
function rowAt(ends: Uint32Array, place: number, from: number): number {
  let [low, step] = [from, 1];
  while (low + step < ends.length && ends[low + step]! <= place) {
    low += step;
    step *= 2;
  }
  let high = Math.min(low + step, ends.length - 1);
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (ends[middle]! > place) high = middle;
    else low = middle + 1;
  }
  return low;
}
