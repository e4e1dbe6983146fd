import { and, asc, eq, gt } from 'drizzle-orm';
import * as v from 'valibot';
import {
  AppliedDraft,
  Follower,
  readChanges,
  rowsTable,
  type Applied,
  type Entry,
  type Moves,
} from '@heathridge/core/change';
import { fieldOf, readDesign, storing, type Design, type Table } from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import type { Connection, Orm } from '../store/driver';
import { change as changeLog, rekeyed } from '../store/file-schema';
import { guarded, prepared } from '../store/statements';
import type { Tell } from './run';

/** A change of the design as the file has it in its log. */
export type LoggedChange = typeof changeLog.$inferSelect;

/** A draft as the log of changes holds it. Null for what is none, or of which too little is known. */
export function appliedOf({ before, after, changes }: LoggedChange): Applied | null {
  if (before === null || after === null) return null;
  return {
    before: readDesign(JSON.parse(before)),
    after: readDesign(JSON.parse(after)),
    changes: readChanges(JSON.parse(changes)),
  };
}

/** Entries of the history that are read at a time. */
const CHUNK = 5000;

const HISTORY = `SELECT id, log, table_id, key, op, before, after FROM hr_history WHERE id > ? ORDER BY id LIMIT ${CHUNK}`;

/** Notes of new keys that were made before keys were noted at all: rows cannot be followed past them. */
export class Unfollowed extends Error {
  constructor(readonly table: Table) {
    super(`The rows of ${table.label} cannot be followed.`);
  }
}

/**
 * Follows all rows from where a draft was applied to where they are now, and leaves what it has found in the
 * temporary tables that an undo reads, see {@link rowsTable}. Gives the tables that have one: those to which
 * anybody has written, and those whose keys the draft moved. Throws {@link Unfollowed} where an earlier version
 * of the program moved keys and did not note what they became.
 */
export function followRows(db: Connection, orm: Orm, draft: LoggedChange, tell: Tell): Set<string> {
  const applied = new AppliedDraft(appliedOf(draft)!);
  const way = new Way(db, orm, applied, draft);
  way.follow(tell);
  for (const [table, follower] of way.followers) write(db, table, follower, way.moves.get(table) ?? []);
  return new Set(way.followers.keys());
}

const Undoing = v.object({ undoes: v.number() });

/** What was done to rows and keys since a draft, in the order in which it was done. */
class Way {
  readonly followers = new Map<string, Follower>();
  /** By table, the versions of the design that moved its keys. */
  readonly moves = new Map<string, number[]>();
  private now: Design;
  /** The save whose entries are being taken, and the keys it has changed so far, as `table was is`. */
  private save: { readonly log: number | null; readonly keys: Set<string> } = { log: null, keys: new Set() };

  constructor(
    private readonly db: Connection,
    private readonly orm: Orm,
    private readonly applied: AppliedDraft,
    private readonly draft: LoggedChange,
  ) {
    this.now = applied.after;
  }

  follow(tell: Tell): void {
    this.take(this.draft.version, this.applied);
    const later = this.orm
      .select()
      .from(changeLog)
      .where(gt(changeLog.version, this.draft.version))
      .orderBy(asc(changeLog.version))
      .all();
    const drafts = new Map<number, AppliedDraft>();
    let at = this.draft.historyMark ?? 0;
    for (const change of later) {
      at = this.entries(at, change.historyMark ?? at, tell);
      if (change.what === 'draft applied') {
        const known = appliedOf(change);
        if (!known) continue;
        const other = new AppliedDraft(known);
        drafts.set(change.version, other);
        this.take(change.version, other);
        this.now = other.after;
      } else if (change.what === 'draft undone') {
        const undone = drafts.get(v.parse(Undoing, JSON.parse(change.changes)).undoes);
        if (!undone) continue;
        this.take(change.version, undone);
        for (const { id, fields } of undone.before.tables) {
          const made = new Map(
            fields.flatMap((field) => {
              const of = undone.madeOf(id, field.id);
              return of ? [[field.id, of.fields] as const] : [];
            }),
          );
          if (made.size > 0) this.followers.get(id)?.unmade(made);
        }
        this.now = { ...this.now, tables: undone.before.tables };
      }
    }
    this.entries(at, Infinity, tell);
  }

  /** Takes a change of the design, done or undone, that may have moved keys. */
  private take(version: number, draft: AppliedDraft): void {
    for (const table of draft.before.tables) {
      if (!this.follows(table.id) || !this.moved(version, table, draft)) continue;
      this.of(table.id).moved(movesOf(this.db, version, table.id));
      this.moves.set(table.id, [...(this.moves.get(table.id) ?? []), version]);
    }
  }

  private moved(version: number, table: Table, draft: AppliedDraft): boolean {
    const noted = this.orm
      .select()
      .from(rekeyed)
      .where(and(eq(rekeyed.change, version), eq(rekeyed.table, table.id), eq(rekeyed.was, '[]')))
      .get();
    if (!noted && draft.movedKey(table.id)) throw new Unfollowed(table);
    return noted !== undefined;
  }

  /** Takes what is in the history behind one entry and up to another; gives where it has come to. */
  private entries(from: number, to: number, tell: Tell): number {
    const read = guarded(this.db, HISTORY, 7);
    for (let at = from; ;) {
      tell({ step: 0, of: 1, what: 'Following the rows written since' });
      const rows = read.all(at) as [
        number,
        number | null,
        string,
        string,
        Entry['op'],
        string | null,
        string | null,
      ][];
      for (const [id, log, table, key, op, before, after] of rows) {
        if (id > to) return at;
        at = id;
        if (log !== this.save.log) this.save = { log, keys: new Set() };
        const then = this.now.tables.find((candidate) => candidate.id === table);
        if (then) this.entry(then, { key, op, before: rowOf(before), after: rowOf(after) });
      }
      if (rows.length < CHUNK) return at;
    }
  }

  private entry(table: Table, entry: Entry): void {
    const { before, after } = entry;
    const [field] = table.key.length === 1 ? table.key : [];
    if (entry.op === 'update' && field !== undefined)
      this.save.keys.add(`${table.id} ${keyText(table, field, before)} ${keyText(table, field, after)}`);
    if (!this.follows(table.id)) return;
    this.of(table.id).entry(table, entry, (id, was, is) => {
      const type = fieldOf(table, id)?.type;
      return type?.kind === 'lookup' && this.save.keys.has(`${type.table} ${was} ${is}`);
    });
  }

  /** Only tables that were there before the draft and after it go back by their rows. */
  private follows(table: string): boolean {
    const { before, after } = this.applied;
    return [before, after].every(({ tables }) => tables.some(({ id }) => id === table));
  }

  private of(table: string): Follower {
    const known = this.followers.get(table) ?? new Follower();
    this.followers.set(table, known);
    return known;
  }
}

const rowOf = (json: string | null): Entry['before'] =>
  json === null ? null : (JSON.parse(json) as NonNullable<Entry['before']>);

/** What a lookup that leads to a row with this key holds. */
const keyText = (table: Table, field: string, row: Entry['before']): string =>
  String(storing(fieldOf(table, field)!.type, row?.[field] ?? null));

/** What keys became at one version of the design, as the file has noted it. */
function movesOf(db: Connection, version: number, table: string): Moves {
  const ask = (sql: string, key: string): string | null =>
    (guarded(db, sql, 1).get(version, table, key)?.[0] ?? null) as string | null;
  return {
    from: (now) => ask('SELECT was FROM hr_rekeyed WHERE change = ? AND table_id = ? AND now = ?', now),
    to: (was) => ask('SELECT now FROM hr_rekeyed WHERE change = ? AND table_id = ? AND was = ?', was),
  };
}

/** Writes the rows of a table that were followed, and where its keys moved all the others. */
function write(db: Connection, table: string, { touched }: Follower, versions: readonly number[]): void {
  const name = `temp.${sqlName(rowsTable(table))}`;
  db.exec(
    `CREATE TEMP TABLE ${sqlName(rowsTable(table))} (now TEXT PRIMARY KEY, was TEXT, written TEXT NOT NULL) STRICT, WITHOUT ROWID`,
  );
  const [first, ...rest] = versions;
  if (first !== undefined) {
    const moves = rest.map(
      (version, i) =>
        ` JOIN hr_rekeyed AS m${i + 1} ON m${i + 1}.change = ${version} AND m${i + 1}.table_id = m0.table_id AND m${i + 1}.was = m${i}.now`,
    );
    db.prepare(
      `INSERT INTO ${name} (now, was, written) SELECT m${rest.length}.now, m0.was, '' FROM hr_rekeyed AS m0${moves.join('')} WHERE m0.change = ${first} AND m0.table_id = ?`,
    ).run([table]);
  }
  const insert = prepared(
    db,
    `INSERT OR REPLACE INTO ${name} (now, was, written) SELECT value ->> '$[0]', value ->> '$[1]', value ->> '$[2]' FROM json_each(?)`,
  );
  let rows: (string | null)[][] = [];
  const flush = (): void => {
    insert.run([JSON.stringify(rows)]);
    rows = [];
  };
  for (const [now, { was, written }] of touched) {
    rows.push([now, was, written]);
    if (rows.length >= CHUNK) flush();
  }
  flush();
}
