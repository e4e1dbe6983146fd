import { statfsSync, statSync } from 'node:fs';
import { join } from 'node:path';
import Database from 'libsql';
import { createIndexes, evolve } from '@heathridge/core/change';
import { fieldOf, tableOf, type Design, type Query } from '@heathridge/core/design';
import { attempt, failed, sqlName } from '@heathridge/core/expression';
import {
  compileQuery,
  idleIndexes,
  indexCandidates,
  MOST_TRIED,
  type Answers,
  type Compiling,
  type FieldPlace,
} from '@heathridge/core/query';
import { reportQuery } from '@heathridge/core/report';
import type { Tell } from '../change/run';
import { openForReading, openForScratch, type Connection } from '../store/driver';
import { guarded, only } from '../store/statements';
import { DesignMoved, storedVersion } from '../store/versions';

/** What is to be found out about one query. */
export interface AdviceOrder {
  readonly query: Query;
  readonly answers: Answers;
  readonly today: string;
  /** Where the copy is put on which indexes are tried; whoever asks clears it away. */
  readonly folder: string;
  /** How people keep their lists: what is sorted by in them is in use. */
  readonly views: readonly unknown[];
  /** Rows of a result that are read, as they are when it is looked at. */
  readonly limit: number;
}

/** Rows that a query reads from the first to the last, of the table or of one of its indexes. */
export interface WholeRead {
  readonly table: string;
  readonly rows: number;
  /** Whether the engine makes an index of them for this one query and throws it away. */
  readonly ordered: boolean;
}

/** What one index would do to a query: milliseconds without and with it. */
export interface Trial extends FieldPlace {
  readonly before: number;
  readonly after: number;
}

export interface Advice {
  /** Milliseconds that the query takes. */
  readonly took: number;
  readonly whole: readonly WholeRead[];
  /** The indexes that help, the best first. */
  readonly help: readonly Trial[];
  /** How many were tried. */
  readonly tried: number;
  /** Indexes that nothing uses. */
  readonly idle: readonly FieldPlace[];
}

/** An index is offered where the query takes at most this share of its time with it, and so many milliseconds less. */
const [WORTH, SPARED] = [0.8, 10];

/** How much room there must be for the copy, in sizes of the file. */
const ROOM = 2;

/** Times that a query is run to know what it takes, and milliseconds after which once is enough. */
const [RUNS, LONG] = [3, 4000];

/**
 * What makes a query slow, and which index would help: tried on a copy of the file, as Apply would make it.
 * Throws DesignMoved when the file has another design by the time it is copied.
 */
export function advise(db: Connection, design: Design, order: AdviceOrder, tell: Tell): Advice {
  const { query, answers, today, folder, limit } = order;
  const compiling: Compiling = { today, answers };
  const { sql: whole, params, columns, keys } = compileQuery(design, query, compiling);
  const width = columns.length + keys;
  const sql = `SELECT * FROM (${whole}) LIMIT ${limit + 1}`;
  const candidates = indexCandidates(design, query);
  const steps = Math.min(candidates.length, MOST_TRIED) + 3;
  tell({ step: 0, of: steps, what: 'Running the query as it is' });
  const took = timed(db, sql, width, params);
  const plan = plannerOf(db);
  const reads = wholeReads(db, design, plan(sql, params));
  const idle = idleOf(plan, design, order);
  const isWhole = (table: string): number => Number(reads.some((read) => read.table === table));
  const likely = candidates.sort((a, b) => isWhole(b.table) - isWhole(a.table)).slice(0, MOST_TRIED);
  if (likely.length === 0) return { took, whole: reads, help: [], tried: 0, idle };

  tell({ step: 1, of: steps, what: 'Copying the file' });
  const copy = copied(db, folder);
  if (on(copy, storedVersion) !== design.version) throw new DesignMoved();
  tell({ step: 2, of: steps, what: 'Running the query on the copy' });
  const before = on(copy, (plain) => timed(plain, sql, width, params));
  const help = likely.flatMap(({ table, field }, i): Trial[] => {
    const { label } = fieldOf(tableOf(design, table), field)!;
    tell({ step: 3 + i, of: steps, what: `Trying an index on ${tableOf(design, table).label} · ${label}` });
    const [made, gone] = indexOf(design, { table, field });
    // What the engine does not even look at is not measured: two runs of the same are never equally long.
    if (!plannerOf(db, made)(sql, params).some(({ name }) => name === `index ${field}`)) return [];
    const after = on(copy, (own) => {
      only(own, made);
      const time = timed(own, sql, width, params);
      only(own, gone);
      return time;
    });
    return after <= before * WORTH && before - after >= SPARED ? [{ table, field, before, after }] : [];
  });
  help.sort((a, b) => a.after - b.after);
  return { took, whole: reads, help, tried: likely.length, idle };
}

function on<T>(path: string, work: (db: Connection) => T): T {
  const db = openForScratch(path);
  try {
    return work(db);
  } finally {
    db.close();
  }
}

/** Copies the file that is read: on a connection of its own, since a copy is made outside of transactions. */
function copied(db: Connection, folder: string): string {
  const [, , own] = db.prepare('PRAGMA database_list').raw().get() as [number, string, string];
  const path = join(folder, 'copy.db');
  // Whoever saves meanwhile must not find the disk full: the copy grows by an index at a time.
  const { bavail, bsize } = statfsSync(folder);
  if (bavail * bsize < statSync(own).size * ROOM)
    failed('There is no room on the disk for a copy of this file, on which indexes could be tried.', {
      start: 0,
      end: 0,
    });
  const reader = openForReading(own);
  try {
    reader.prepare('VACUUM INTO ?').run(path);
  } finally {
    reader.close();
  }
  return path;
}

/** Makes the index of a field as Apply would, and drops it. */
function indexOf(design: Design, { table, field }: FieldPlace): readonly [made: string, gone: string] {
  const known = createIndexes(design, tableOf(design, table));
  const next = evolve(design, [{ change: 'changeField', table, field, set: { indexed: true } }]).design;
  const made = createIndexes(next, tableOf(next, table)).find((sql) => !known.includes(sql))!;
  return [made, `DROP INDEX "index ${field}"`];
}

/** Milliseconds of the middle of some runs; the first is not counted, unless it takes long. */
function timed(db: Connection, sql: string, columns: number, params: readonly string[]): number {
  const statement = guarded(db, sql, columns);
  const run = (): number => {
    const start = performance.now();
    statement.all(...params);
    return performance.now() - start;
  };
  const first = run();
  if (first > LONG) return first;
  const times = Array.from({ length: RUNS }, run);
  return times.sort((a, b) => a - b)[Math.floor(RUNS / 2)]!;
}

/** What a statement opens: by its name, and whether it is gone through from end to end. */
interface Opened {
  readonly name: string;
  /** The table that it is, or is an index of. */
  readonly table: string;
  readonly whole: boolean;
  readonly ordered: boolean;
}

type Planner = (sql: string, params: readonly string[]) => Opened[];

/**
 * Tells what statements open that read this file, with one more index if one is given: from the program that the engine
 * makes of each (SQLite, "The SQLite Bytecode Engine": `OpenRead` opens by the root page, `Rewind` and `Last` go to one end
 * of what is then read row by row, `Count` counts all of it). It is made over the tables of the file without their rows:
 * the driver leaves an EXPLAIN open, which would keep the file from being written.
 */
function plannerOf(db: Connection, index?: string): Planner {
  const bare = new Database(':memory:');
  const schema = guarded(
    db,
    "SELECT name, sql FROM sqlite_schema WHERE sql IS NOT NULL AND type IN ('table', 'index', 'view') AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' ORDER BY rowid",
    2,
  ).all() as [string, string][];
  const isThere = bare.prepare('SELECT 1 FROM sqlite_schema WHERE name = ?').raw();
  // Tables that a virtual one makes for itself are there already.
  for (const [name, sql] of schema) if (isThere.all([name]).length === 0) only(bare, sql);
  if (index !== undefined) only(bare, index);
  withStatistics(db, bare);
  const [roots, owners] = [new Map<number, string>(), new Map<string, string>()];
  for (const [root, name, table] of bare
    .prepare('SELECT rootpage, name, tbl_name FROM sqlite_schema WHERE rootpage > 0')
    .raw()
    .all() as unknown as [number, string, string][]) {
    roots.set(root, name);
    owners.set(name, table);
  }
  return (sql, params) => {
    const program = bare.prepare(`EXPLAIN ${sql}`).raw().all(params) as [number, string, number, number][];
    const ordered = program.some(([, code]) => code === 'OpenAutoindex');
    const whole = new Set(
      program.flatMap(([, code, cursor]) => (['Rewind', 'Last', 'Count'].includes(code) ? [cursor] : [])),
    );
    return program.flatMap(([, code, cursor, root]) => {
      const name = code === 'OpenRead' ? roots.get(root) : undefined;
      return name === undefined
        ? []
        : [{ name, table: owners.get(name)!, whole: whole.has(cursor), ordered }];
    });
  };
}

/** What the engine knows of how values are spread in a file, if it has ever counted them: plans are made by it. */
function withStatistics(db: Connection, bare: Connection): void {
  const [known] = db.prepare("SELECT 1 FROM sqlite_schema WHERE name = 'sqlite_stat1'").raw().all();
  if (!known) return;
  bare.exec('ANALYZE; DELETE FROM sqlite_stat1');
  const put = bare.prepare('INSERT INTO sqlite_stat1 (tbl, idx, stat) VALUES (?, ?, ?)');
  for (const row of guarded(db, 'SELECT tbl, idx, stat FROM sqlite_stat1', 3).all()) put.run(row);
  bare.exec('ANALYZE sqlite_schema');
}

/** The tables that are read from end to end, most rows first. */
function wholeReads(db: Connection, design: Design, opened: readonly Opened[]): WholeRead[] {
  const reads = opened.filter(({ whole }) => whole).map(({ table }) => table);
  return design.tables
    .filter(({ name }) => reads.includes(name))
    .map(({ id, name }) => {
      const [[rows]] = db
        .prepare(`SELECT count(*) FROM ${sqlName(name)}`)
        .raw()
        .all() as [[number]];
      return { table: id, rows, ordered: opened.some(({ ordered }) => ordered) };
    })
    .sort((a, b) => b.rows - a.rows);
}

/** Indexes that no query and no report opens, and nothing else reads in their order. */
function idleOf(plan: Planner, design: Design, { today, views }: AdviceOrder): FieldPlace[] {
  const unsaid = idleIndexes(design, views);
  if (unsaid.length === 0) return [];
  const queries = [
    ...design.queries,
    ...design.reports.flatMap((report) => reportQuery(design, report) ?? []),
  ];
  const used = new Set<string>();
  for (const query of queries) {
    // One that cannot be run uses nothing; its own page says what is wrong with it.
    const made = attempt(() => compileQuery(design, query, { today }));
    if (made.ok) plan(made.value.sql, made.value.params).forEach(({ name }) => used.add(name));
  }
  return unsaid.filter(({ field }) => !used.has(`index ${field}`));
}
