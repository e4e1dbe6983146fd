import { fieldOf, storing, type Table } from '../design';
import type { Value } from '../values';

/** One entry of the history of a table: what somebody has done to a row, which it names by its key then. */
export interface Entry {
  /** A JSON array. */
  readonly key: string;
  readonly op: 'insert' | 'update' | 'delete';
  /** The row by field id, as values travel. */
  readonly before: Readonly<Record<string, Value>> | null;
  readonly after: Readonly<Record<string, Value>> | null;
}

/** What has become of a row that somebody has touched. */
export interface Followed {
  /** Its key where the following began, as a JSON array; null for a row that was added since. */
  readonly was: string | null;
  /** The ids of the fields that were written since, as `,a,b,`; empty for none. */
  readonly written: string;
}

/** What keys became of others where a change of the design moved them; null for a key that was none. */
export interface Moves {
  /** The key that became this one. */
  from(now: string): string | null;
  /** The key that this one became. */
  to(was: string): string | null;
}

const holds = (written: string, id: string): boolean => written.includes(`,${id},`);

/**
 * Follows the rows of one table through what was done to them since some moment: saves that change any of their
 * values, those of the key too, and changes of the design that give all of them other keys. Rows that nobody
 * has touched are not kept: their way leads through the moves alone.
 */
export class Follower {
  private rows = new Map<string, Followed>();
  private readonly moves: Moves[] = [];
  /** Each list of fields once: a million rows in which the same fields were written have it in common. */
  private readonly lists = new Map<string, string>();

  /** The rows that were touched, by the keys they have now. */
  get touched(): ReadonlyMap<string, Followed> {
    return this.rows;
  }

  /**
   * Takes an entry of the history; `table` as it was then. What only follows something else is not what somebody has
   * written: `isAlong` says it of a field and the values it had and has.
   */
  entry(
    table: Table,
    { key, op, before, after }: Entry,
    isAlong: (field: string, was: Value, is: Value) => boolean = () => false,
  ): void {
    if (op === 'delete') {
      this.rows.delete(key);
      return;
    }
    if (op === 'insert') {
      this.rows.set(key, { was: null, written: '' });
      return;
    }
    const known = this.rows.get(key) ?? { was: this.origin(key), written: '' };
    const ids = Object.keys({ ...before, ...after });
    const changed = ids.filter((id) => (before?.[id] ?? null) !== (after?.[id] ?? null));
    const own = changed.filter((id) => !isAlong(id, before?.[id] ?? null, after?.[id] ?? null));
    const written = this.with(known.written, own);
    const now = table.key.some((id) => changed.includes(id)) ? keyIn(table, after ?? {}) : key;
    if (now !== key) this.rows.delete(key);
    this.rows.set(now, { ...known, written });
  }

  /** Takes a change of the design that gave every row another key. */
  moved(moves: Moves): void {
    const rows = new Map<string, Followed>();
    for (const [key, row] of this.rows) {
      const now = moves.to(key);
      if (now !== null) rows.set(now, row);
    }
    this.rows = rows;
    this.moves.push(moves);
  }

  /**
   * Takes the undoing of a change that had made fields of others: where one of them was written, so was what it
   * was made of. `made` gives the fields that were made of one.
   */
  unmade(made: ReadonlyMap<string, readonly string[]>): void {
    for (const [key, row] of this.rows) {
      const ids = [...made].filter(([, of]) => of.some((id) => holds(row.written, id))).map(([id]) => id);
      if (ids.length > 0) this.rows.set(key, { ...row, written: this.with(row.written, ids) });
    }
  }

  /** The key, where the following began, of a row that nobody has touched so far. */
  private origin(key: string): string | null {
    return this.moves.reduceRight<string | null>((at, moves) => at && moves.from(at), key);
  }

  private with(written: string, ids: readonly string[]): string {
    const more = ids.filter((id) => !holds(written, id));
    if (more.length === 0) return written;
    const list = `${written || ','}${more.join(',')},`;
    const known = this.lists.get(list);
    if (known !== undefined) return known;
    this.lists.set(list, list);
    return list;
  }
}

/** The key of a row as JSON, as history names rows. */
const keyIn = (table: Table, row: Readonly<Record<string, Value>>): string =>
  JSON.stringify(table.key.map((id) => storing(fieldOf(table, id)!.type, row[id] ?? null)));
