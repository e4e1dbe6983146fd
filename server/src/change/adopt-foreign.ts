import { createHash } from 'node:crypto';
import { closeSync, fsyncSync, openSync, renameSync, rmSync } from 'node:fs';
import { dirname } from 'node:path';
import {
  adopt,
  AdoptError,
  columnsKey,
  nothingRelaxed,
  ROW,
  type AdoptCopy,
  type Adoption,
  type AdoptNote,
  type ForeignSchema,
  type ForeignTable,
  type Relaxed,
} from '@heathridge/core/exchange';
import { runningKey, steps } from '@heathridge/core/change';
import { fieldOf, storedFields, tableOf, type Design, type Table } from '@heathridge/core/design';
import { sqlName, sqlText } from '@heathridge/core/expression';
import { saveDesign } from '../store/definitions';
import {
  APPLICATION_ID,
  migrate,
  openForReading,
  openForWriting,
  uriOf,
  ormOver,
  type Connection,
} from '../store/driver';
import { change, log } from '../store/file-schema';
import { isOfMachine } from '../store/private';
import { guarded, only, rollBack } from '../store/statements';
import { columnFacts, foreignSchema } from './foreign-schema';
import type { Tell } from './run';

/** What became of a table of a foreign file. */
export interface TakenTable {
  /** What it is called here and was called there. */
  readonly table: string;
  readonly from: string;
  readonly there: number;
  readonly here: number;
  /** Values that were compared one by one in both files, and are the same. */
  readonly compared: number;
}

export interface ForeignResult {
  readonly notes: readonly string[];
  readonly tables: readonly TakenTable[];
}

interface Saver {
  readonly by: string;
  readonly now: string;
}

/** Rounds after which a file that goes on to be otherwise than it says is given up. */
const MOST_ROUNDS = 200;

/** Something that the rows do not keep has been learnt: the file is made again, with less asked of it. */
class Again extends Error {}

/**
 * Makes a file of Heathridge's form at `path` from a foreign one. What the file asks of its rows is believed
 * until the engine finds rows that do not keep it; then less is asked, that is noted, and the file is made
 * again. `short` are the columns whose texts are known to be short ones. Afterwards every value is compared with what it was made of: a difference stops all. Throws an
 * AdoptError, and leaves no file.
 */
export function adoptForeign(
  path: string,
  foreign: string,
  short: ReadonlySet<string>,
  saver: Saver,
  tell: Tell,
): ForeignResult {
  let schema = readSchema(foreign, short);
  if (schema.tables.length === 0) throw new AdoptError('There is no table in this file.');
  const relaxed = nothingRelaxed();
  const part = `${path}.part`;
  try {
    for (let round = 0; round < MOST_ROUNDS; round++) {
      removeFile(part);
      const maker = new Maker(part, foreign, schema, relaxed, saver, tell);
      try {
        return maker.make(path);
      } catch (error) {
        if (!(error instanceof Again)) throw error;
        schema = maker.schema;
      } finally {
        maker.close();
      }
    }
    throw new AdoptError('The rows of this file are otherwise than it says in too many ways to take it in.');
  } finally {
    removeFile(part);
  }
}

/** Waits until a file, or the names in a folder, stand on the disk. */
function toDisk(path: string): void {
  const handle = openSync(path, 'r');
  try {
    fsyncSync(handle);
  } finally {
    closeSync(handle);
  }
}

const removeFile = (path: string): void => {
  for (const suffix of ['', '-wal', '-shm', '-journal']) rmSync(path + suffix, { force: true });
};

function readSchema(foreign: string, short: ReadonlySet<string>): ForeignSchema {
  const source = openForeign(foreign);
  try {
    return foreignSchema(source, short);
  } finally {
    source.close();
  }
}

/**
 * Opens a file of unknown origin as SQLite advises (“Defense Against The Dark Arts”): nothing in its schema may
 * call what has effects, and its cells are looked at before they are used. The driver cannot be told to be
 * defensive.
 */
export function openForeign(path: string): Connection {
  const source = openForReading(path);
  source.exec('PRAGMA trusted_schema = OFF; PRAGMA cell_size_check = ON; PRAGMA mmap_size = 0');
  return source;
}

/** Triggers would act on rows that are only carried over, and indexes are quicker made at once. */
const isLater = (text: string): boolean =>
  /^\s*CREATE (TRIGGER|INDEX|UNIQUE INDEX|VIEW)|^(CREATE TABLE|INSERT INTO) "hr_order_/i.test(text);

class Maker {
  private readonly adoption: Adoption;
  private readonly db: Connection;
  private readonly notes: string[] = [];
  private step = 0;
  private closed = false;

  constructor(
    private readonly part: string,
    private readonly foreign: string,
    public schema: ForeignSchema,
    private readonly relaxed: Relaxed,
    private readonly saver: Saver,
    private readonly tell: Tell,
  ) {
    this.adoption = adopt(schema, relaxed);
    this.db = openForWriting(part);
  }

  close(): void {
    if (this.closed) return;
    this.closed = true;
    // Statements that are still about keep a connection, and its locks, alive.
    rollBack(this.db);
    this.db.close();
  }

  private says(what: string): void {
    this.tell({ step: this.step++, of: 2 * this.adoption.copies.length + 3, what });
  }

  make(path: string): ForeignResult {
    const { db, adoption } = this;
    const { design } = adoption;
    // Until it is whole nobody opens the file: it needs no log, and is brought to the disk once, at the end.
    db.exec(
      `PRAGMA journal_mode = MEMORY; PRAGMA synchronous = OFF; PRAGMA application_id = ${APPLICATION_ID}; PRAGMA user_version = ${this.schema.version}`,
    );
    migrate(ormOver(db), 'file');
    db.exec(
      `PRAGMA foreign_keys = OFF; PRAGMA trusted_schema = OFF; PRAGMA cell_size_check = ON; ATTACH ${sqlText(uriOf(this.foreign))} AS src; BEGIN IMMEDIATE`,
    );
    const list = steps({ ...design, tables: [], kept: [] }, { design, carry: {} });
    const sql = list.flatMap((step) => ('sql' in step ? [step.sql] : []));
    for (const text of sql.filter((item) => !isLater(item))) this.create(text);
    const copied = adoption.copies.map((copy) => this.copy(copy));
    this.says('Making what keeps the rows in order');
    const lost = this.makeLater(sql.filter(isLater));
    this.assertLinks();
    const tables = adoption.copies.map((copy, i) => this.compared(copy, copied[i]!));
    for (const note of adoption.notes) this.notes.push(this.words(note));
    this.finish({ ...design, kept: design.kept.filter(({ id }) => !lost.has(id)) }, tables);
    this.says('Bringing the file to the disk');
    this.close();
    toDisk(this.part);
    renameSync(this.part, path);
    toDisk(dirname(path));
    return { notes: this.notes, tables };
  }

  /** Makes a table; one whose kept conditions the engine cannot read is made without them. */
  private create(sql: string): void {
    const problem = this.made(sql);
    if (problem === null) return;
    const table = this.adoption.design.tables.find(({ name }) =>
      sql.includes(`CREATE TABLE ${sqlName(name)} (`),
    );
    const from = table && this.copyOf(table).from.toLowerCase();
    if (from === undefined || this.relaxed.unchecked.has(from))
      throw new AdoptError(`${sql.split('\n')[0]!} cannot be made: ${problem}`);
    this.relaxed.unchecked.add(from);
    throw new Again();
  }

  private copyOf(table: Table): AdoptCopy {
    return this.adoption.copies.find((copy) => copy.table === table.id)!;
  }

  private foreignOf(copy: AdoptCopy): ForeignTable {
    return this.schema.tables.find(({ name }) => name === copy.from)!;
  }

  /** Carries out one statement; null, or why the file cannot have it. */
  private made(sql: string): string | null {
    try {
      only(this.db, sql);
      return null;
    } catch (error) {
      if (isOfMachine(error)) throw error;
      return (error as Error).message;
    }
  }

  /** The rows of a foreign table, as SQL; those that have no numbers of use are copied and numbered first. */
  private rowsOf(copy: AdoptCopy): string {
    if (!copy.numbered) return `src.${sqlName(copy.from)}`;
    const name = `rows ${copy.table}`;
    const [there] = this.db
      .prepare('SELECT count(*) FROM sqlite_temp_schema WHERE name = ?')
      .raw()
      .get(name) as [number];
    if (there === 0)
      this.db.exec(
        `CREATE TEMP TABLE ${sqlName(name)} AS SELECT row_number() OVER () AS ${sqlName(ROW)}, * FROM src.${sqlName(copy.from)}; CREATE INDEX temp.${sqlName(`${name} by row`)} ON ${sqlName(name)} (${sqlName(ROW)})`,
      );
    return `temp.${sqlName(name)}`;
  }

  /** Copies the rows of a table; gives SQL for the rows they were. */
  private copy(copy: AdoptCopy): string {
    const { db, adoption } = this;
    const table = tableOf(adoption.design, copy.table);
    this.says(`Copying ${copy.from}`);
    const rows = this.rowsOf(copy);
    const columns = storedFields(table).map(({ name }) => sqlName(name));
    const values = storedFields(table).map((field) => {
      const value = copy.values.find((item) => item.field === field.id)!;
      return value.blob ? this.keepBytes(copy, rows, value.column!, table) : value.sql;
    });
    try {
      db.exec(
        `INSERT INTO main.${sqlName(table.name)} (${columns.join(', ')}) SELECT ${values.join(', ')} FROM ${rows} AS o`,
      );
    } catch (error) {
      this.relax(copy, table, error as Error);
    }
    this.carrySequence(copy, table);
    return rows;
  }

  /** A number that was given once is never given again, though its row is gone. */
  private carrySequence(copy: AdoptCopy, table: Table): void {
    if (!runningKey(table)) return;
    const [there] = this.db
      .prepare("SELECT count(*) FROM src.sqlite_schema WHERE name = 'sqlite_sequence'")
      .raw()
      .get() as [number];
    if (there === 0) return;
    const last = this.db
      .prepare(
        "SELECT CAST(max(seq) AS REAL) FROM src.sqlite_sequence WHERE name = ? AND typeof(seq) = 'integer'",
      )
      .raw()
      .get(copy.from) as [number | null];
    if (last[0] === null || !Number.isSafeInteger(last[0]) || copy.values[0]?.column === null) return;
    const [known] = this.db
      .prepare('SELECT count(*) FROM main.sqlite_sequence WHERE name = ?')
      .raw()
      .get(table.name) as [number];
    if (known === 0)
      this.db.prepare('INSERT INTO main.sqlite_sequence (name, seq) VALUES (?, ?)').run(table.name, last[0]);
    else
      this.db
        .prepare('UPDATE main.sqlite_sequence SET seq = max(seq, ?) WHERE name = ?')
        .run(last[0], table.name);
  }

  /** Learns from what the engine refused, and begins again; throws an AdoptError where nothing is to be learnt. */
  private relax(copy: AdoptCopy, table: Table, error: Error): never {
    if (isOfMachine(error)) throw error;
    const { relaxed, adoption } = this;
    const from = copy.from.toLowerCase();
    const learnt = (set: Set<string>, value: string): never => {
      if (set.has(value))
        throw new AdoptError(`Rows of ${copy.from} do not fit: ${error.message}. Nothing was taken in.`);
      set.add(value);
      throw new Again();
    };
    const columnOf = (name: string): string => {
      const field = table.fields.find((item) => item.name === name);
      return copy.values.find((value) => value.field === field?.id)?.column ?? name;
    };
    const isKey = (names: readonly string[]): boolean =>
      table.key.length === names.length &&
      names.every((name) => table.key.some((id) => fieldOf(table, id)!.name === name));
    const unique = /UNIQUE constraint failed: (.+)$/.exec(error.message)?.[1];
    if (unique !== undefined) {
      const names = unique.split(', ').map((column) => column.slice(table.name.length + 1));
      return isKey(names)
        ? learnt(relaxed.unkeyed, from)
        : learnt(relaxed.doubled, columnsKey(copy.from, names.map(columnOf)));
    }
    const empty = /NOT NULL constraint failed: (.+)$/.exec(error.message)?.[1]?.slice(table.name.length + 1);
    if (empty !== undefined) {
      if (table.key.some((id) => fieldOf(table, id)!.name === empty)) return learnt(relaxed.unkeyed, from);
      if (this.askAll(copy)) throw new Again();
      return learnt(relaxed.empty, columnsKey(copy.from, [columnOf(empty)]));
    }
    const [, what, id] = /CHECK constraint failed: (rule|kept|kind) (\w+)/.exec(error.message) ?? [];
    if (what === 'rule' || what === 'kept') return learnt(relaxed.broken, id!);
    // A value that the first rows did not show.
    if (this.askAll(copy)) throw new Again();
    if (what === 'kind') {
      const field = fieldOf(table, id!);
      if (field?.type.kind === 'choice') return learnt(relaxed.broken, `choice ${id!}`);
    }
    // A condition that leaves the range of numbers does not say which it is.
    const rules = [...adoption.checks].find(
      ([rule, { table: of }]) => of === copy.from && !relaxed.broken.has(rule),
    );
    if (/overflow|malformed JSON/.test(error.message) && rules) return learnt(relaxed.broken, rules[0]);
    throw new AdoptError(`Rows of ${copy.from} do not fit: ${error.message}. Nothing was taken in.`);
  }

  /** Asks every row of a table of which only some were asked; false when all were already. */
  private askAll(copy: AdoptCopy): boolean {
    const table = this.foreignOf(copy);
    if (!table.columns.some(({ sampled }) => sampled)) return false;
    const source = openForeign(this.foreign);
    try {
      const facts = columnFacts(
        source,
        table.name,
        table.columns.map(({ name }) => name),
      );
      const known: ForeignTable = {
        ...table,
        columns: table.columns.map((column, i) => ({ ...column, facts: facts[i]!, sampled: false })),
      };
      this.schema = {
        ...this.schema,
        tables: this.schema.tables.map((other) => (other === table ? known : other)),
      };
      return true;
    } finally {
      source.close();
    }
  }

  /** Keeps the bytes of a column as attachments, and gives SQL for the number of each. */
  private keepBytes(copy: AdoptCopy, rows: string, column: string, table: Table): string {
    const { db, saver } = this;
    const name = `temp.${sqlName(`bytes ${copy.table} ${column}`)}`;
    const [rowid, bytes] = [copy.row!, sqlName(column)];
    db.exec(`CREATE TEMP TABLE ${name.slice(5)} ("row" INTEGER PRIMARY KEY, "id" INTEGER, "sha256" TEXT)`);
    const [last] = db.prepare('SELECT coalesce(max(id), 0) FROM hr_attachment').raw().get() as [number];
    const sizes = db
      .prepare(
        `SELECT ${rowid}, octet_length(${bytes}) FROM ${rows} WHERE ${bytes} IS NOT NULL ORDER BY ${rowid}`,
      )
      .raw()
      .all() as [number, number][];
    const read = db
      .prepare(
        `SELECT CAST(${bytes} AS BLOB) FROM ${rows} WHERE ${rowid} BETWEEN ? AND ? AND ${bytes} IS NOT NULL ORDER BY ${rowid}`,
      )
      .raw();
    const note = db.prepare(
      `INSERT INTO ${name} SELECT value ->> '$[0]', value ->> '$[1]', value ->> '$[2]' FROM json_each(?)`,
    );
    const keep = db.prepare(
      `INSERT INTO hr_attachment (id, name, type, size, sha256, at, by, bytes) SELECT b."id", ? || ' ' || (b."id" - ?), 'application/octet-stream', octet_length(o.${bytes}), b."sha256", ?, ?, CAST(o.${bytes} AS BLOB) ` +
        `FROM ${name} AS b JOIN ${rows} AS o ON o.${rowid} = b."row" WHERE b."row" BETWEEN ? AND ? ORDER BY b."row"`,
    );
    let id = last;
    // A few at a time: all of them together may be more than the memory holds.
    for (const some of together(sizes)) {
      const [from, to] = [some[0]![0], some.at(-1)![0]];
      const sums = (read.all(from, to) as [Buffer][]).map(([found]) =>
        createHash('sha256').update(found).digest('hex'),
      );
      note.run([JSON.stringify(some.map(([row], i) => [row, ++id, sums[i]]))]);
      keep.run([table.name, last, saver.now, saver.by, from, to]);
      this.tell({ step: this.step, of: 2 * this.adoption.copies.length + 3, what: `Copying ${copy.from}` });
    }
    return `(SELECT b."id" FROM ${name} AS b WHERE b."row" = o.${rowid})`;
  }

  /** Makes triggers, indexes and views; gives the ids of what is kept and cannot be made. */
  private makeLater(list: readonly string[]): ReadonlySet<string> {
    const lost = new Set<string>();
    for (const text of list) {
      const kept = this.adoption.design.kept.find((item) => item.sql === text);
      const problem = this.made(text);
      if (problem === null) continue;
      if (!kept) throw new AdoptError(`${text.split('\n')[0]!} cannot be made: ${problem}`);
      lost.add(kept.id);
      this.notes.push(
        `The ${kept.what} ${kept.name} does not go with the tables as they are now and is not taken over: ${problem}`,
      );
    }
    // A view is only read when it is asked.
    for (const kept of this.adoption.design.kept.filter(({ what, id }) => what === 'view' && !lost.has(id))) {
      const problem = this.asked(kept.name);
      if (problem === null) continue;
      lost.add(kept.id);
      only(this.db, `DROP VIEW ${sqlName(kept.name)}`);
      this.notes.push(`The view ${kept.name} cannot be asked here and is not taken over: ${problem}`);
    }
    return lost;
  }

  /** Asks a view for its columns; null, or why it cannot be asked. */
  private asked(view: string): string | null {
    try {
      this.db
        .prepare(`SELECT * FROM ${sqlName(view)} LIMIT 0`)
        .raw()
        .all();
      return null;
    } catch (error) {
      if (isOfMachine(error)) throw error;
      return (error as Error).message;
    }
  }

  /** A link that leads nowhere in some rows is not taken over. */
  private assertLinks(): void {
    const { db, adoption, relaxed } = this;
    const orphans = guarded(db, 'SELECT DISTINCT "table", fkid FROM pragma_foreign_key_check', 2).all() as [
      string,
      number,
    ][];
    if (orphans.length === 0) return;
    for (const [name, number] of orphans) {
      const table = adoption.design.tables.find((other) => other.name === name);
      if (!table) throw new AdoptError(`Rows of ${name} lead to rows that are not there.`);
      const copy = this.copyOf(table);
      const columns = (
        guarded(db, 'SELECT "from" FROM pragma_foreign_key_list(?) WHERE id = ? ORDER BY seq', 1).all(
          name,
          number,
        ) as [string][]
      ).map(
        ([column]) =>
          copy.values.find((value) => value.field === table.fields.find((field) => field.name === column)?.id)
            ?.column ?? column,
      );
      const foreign = this.foreignOf(copy).foreignKeys.filter(
        ({ pairs }) =>
          pairs.length === columns.length &&
          pairs.every(([from], i) => from.toLowerCase() === columns[i]!.toLowerCase()),
      );
      const key = columnsKey(copy.from, foreign[0]?.pairs.map(([from]) => from) ?? columns);
      if (relaxed.unlinked.has(key))
        throw new AdoptError(`Rows of ${copy.from} (${columns.join(', ')}) lead to rows that are not there.`);
      relaxed.unlinked.add(key);
    }
    throw new Again();
  }

  /**
   * Compares every value of a table with what it was made of. Where the first rows have told too little of the
   * others all are asked, and the file is made again; else a difference stops all.
   */
  private compared(copy: AdoptCopy, rows: string): TakenTable {
    const table = tableOf(this.adoption.design, copy.table);
    this.says(`Comparing ${copy.from} with what it was`);
    const count = (from: string): number =>
      (this.db.prepare(`SELECT count(*) FROM ${from}`).raw().get() as [number])[0];
    const both = `${rows} AS o JOIN main.${sqlName(table.name)} AS n ON ${copy.sameRow}`;
    const [there, here] = [count(rows), count(`main.${sqlName(table.name)}`)];
    const compared = copy.values.filter(({ column }) => column !== null);
    const wrong: string[] = [];
    let met = there;
    const AT_ONCE = 40;
    for (let i = 0; i < compared.length || i === 0; i += AT_ONCE) {
      const some = compared.slice(i, i + AT_ONCE);
      // What differs is only asked for where not all of them are the same.
      const all = some.map(({ same }) => `(${same})`).join(' AND ') || 'TRUE';
      if (count(`${both} WHERE ${all}`) === there) continue;
      met = Math.min(met, count(both));
      const totals = some.map(({ same }) => `total((${same}) IS NOT TRUE)`).join(', ');
      const counts = this.db
        .prepare(`SELECT ${totals || 'NULL'} FROM ${both}`)
        .raw()
        .get() as number[];
      some.forEach(({ column }, n) => {
        if (counts[n]! > 0) wrong.push(`${column!} (${counts[n]!} of ${there})`);
      });
    }
    if (there === here && met === there && wrong.length === 0)
      return { table: table.name, from: copy.from, there, here, compared: there * compared.length };
    if (this.askAll(copy)) throw new Again();
    throw new AdoptError(
      wrong.length > 0
        ? `Values of ${copy.from} would not be the same any more: ${wrong.join(', ')}. Nothing was taken in.`
        : `${copy.from} has ${there} rows, of which ${Math.min(met, here)} would be here. Nothing was taken in.`,
    );
  }

  /** A note with the rows that it is about. */
  private words({ text, rows }: AdoptNote): string {
    if (!rows) return text;
    const table = this.schema.tables.find(({ name }) => name === rows.table)!;
    const key = table.columns.filter(({ pk }) => pk > 0).sort((a, b) => a.pk - b.pk);
    const shown = [
      ...(key.length > 0 ? key.map(({ name }) => `o.${sqlName(name)}`) : []),
      ...(key.length === 0 && table.rowid ? [`o.${table.rowid}`] : []),
    ];
    const told =
      shown.length > 0
        ? shown
            .map(
              (column) =>
                `CASE typeof(${column}) WHEN 'text' THEN ${column} WHEN 'null' THEN '(empty)' ELSE quote(${column}) END`,
            )
            .join(" || ' · ' || ")
        : "''";
    const from = `FROM src.${sqlName(rows.table)} AS o WHERE ${rows.where}`;
    const [count] = this.db.prepare(`SELECT count(*) ${from}`).raw().get() as [number];
    if (count === 0) return text;
    const [all] = this.db
      .prepare(`SELECT count(*) FROM src.${sqlName(rows.table)}`)
      .raw()
      .get() as [number];
    if (count === all && count > 1) return `${text} All ${count.toLocaleString('en-GB')} rows.`;
    const sample = guarded(this.db, `SELECT substr(${told}, 1, 60) ${from} LIMIT ${SHOWN}`, 1).all() as [
      string,
    ][];
    const named = sample.map(([row]) => row).join(', ');
    return `${text} ${count.toLocaleString('en-GB')} ${count === 1 ? 'row' : 'rows'}${named === '' ? '' : `: ${named}${count > SHOWN ? ', …' : ''}`}`;
  }

  private finish(design: Design, tables: readonly TakenTable[]): void {
    const { db, saver } = this;
    const orm = ormOver(db);
    saveDesign(orm, design, { at: saver.now, by: saver.by });
    const [entry] = orm
      .insert(log)
      .values({ at: saver.now, by: saver.by, what: 'taken in', detail: JSON.stringify({ tables }) })
      .returning({ id: log.id })
      .all();
    orm
      .insert(change)
      .values({
        at: saver.now,
        by: saver.by,
        what: 'file adopted',
        changes: JSON.stringify(this.notes),
        log: entry!.id,
      })
      .run();
    db.exec('COMMIT; DETACH src');
  }
}

/** Rows, and bytes, that are read together; a row that has more is read on its own. */
const TOGETHER = { rows: 500, bytes: 4 * 1024 * 1024 };

/** Parts rows with their sizes, so that each part is small enough to be held at once. */
function* together(sizes: readonly (readonly [row: number, bytes: number])[]): Generator<[number, number][]> {
  let part: [number, number][] = [];
  let sum = 0;
  for (const [row, bytes] of sizes) {
    if (part.length > 0 && (part.length >= TOGETHER.rows || sum + bytes > TOGETHER.bytes)) {
      yield part;
      [part, sum] = [[], 0];
    }
    part.push([row, bytes]);
    sum += bytes;
  }
  if (part.length > 0) yield part;
}

/** Rows that a note names one by one. */
const SHOWN = 20;
