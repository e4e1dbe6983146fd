import { catalogOf, lookupText, type Design, type Field, type Table } from '@heathridge/core/design';
import type { RowKey } from '@heathridge/core/rows';
import { BEGINNING_OF_TEXT, type Value } from '@heathridge/core/values';
import type { Connection } from '../store/driver';
import { guarded, prepared } from '../store/statements';
import type { Row } from '../store/history';
import { toStored } from './codec';
import { titled } from './json';
import { beginOf } from './undo-entry';

/** A value as it was: a lookup beside the text by which its row is shown now. */
export interface PastValue {
  readonly value: Value;
  readonly text?: string;
  /** The characters of a text of which only the beginning is here. */
  readonly cut?: number;
}

/** Something that happened to a row. */
export interface PastOfRow {
  readonly entry: number;
  readonly at: string;
  readonly by: string;
  readonly op: 'insert' | 'update' | 'delete';
  readonly changes: readonly {
    readonly field: string;
    readonly before: PastValue;
    readonly after: PastValue;
  }[];
}

/** Things that happened to one row which are told. */
const MOST_OF_ROW = 200;
/** Characters of long texts that are told of one row: of those that happened to it before, the beginnings. */
const MOST_LONG = 2 * 1024 * 1024;

/** What happened to a row, the newest first: who changed which field when, from what to what. */
export function pastOfRow(db: Connection, design: Design, table: Table, key: RowKey): PastOfRow[] {
  const ids = prepared(
    db,
    'SELECT id FROM hr_history WHERE table_id = ? AND key = ? ORDER BY id DESC LIMIT ?',
  ).all([table.id, JSON.stringify(key), MOST_OF_ROW]) as [number][];
  const one = guarded(
    db,
    'SELECT coalesce(log, 0), at, by, op, before, after FROM hr_history WHERE id = ?',
    6,
  );
  const text = shownTexts(db, design);
  let left = MOST_LONG;
  const shown = (field: Field, value: Value): PastValue => {
    if (typeof value !== 'string' || value.length <= BEGINNING_OF_TEXT) return text(field, value);
    if (value.length > left) return { value: `${value.slice(0, BEGINNING_OF_TEXT)}…`, cut: value.length };
    left -= value.length;
    return { value };
  };
  // One after another: each may be of some megabytes.
  return ids.map(([id]) => {
    const [entry, at, by, op, beforeText, afterText] = one.get(id) as unknown as [
      number,
      string,
      string,
      PastOfRow['op'],
      string | null,
      string | null,
    ];
    const [before, after] = [beforeText, afterText].map((text) =>
      text === null ? {} : (JSON.parse(text) as Row),
    );
    const changes = table.fields.flatMap((field) => {
      const [was, is] = [before![field.id] ?? null, after![field.id] ?? null];
      // A stamp changes with each save: that is told by the entry itself.
      if (was === is || field.type.kind === 'stamp') return [];
      return [{ field: field.id, before: shown(field, was), after: shown(field, is) }];
    });
    return { entry, at, by, op, changes };
  });
}

/** Tells values with the texts of the rows that lookups lead to, as these are now. */
function shownTexts(db: Connection, design: Design): (field: Field, value: Value) => PastValue {
  const known = new Map<string, string | null>();
  return (field, value) => {
    if (field.type.kind !== 'lookup' || value === null) return { value };
    const name = `${field.id} ${String(value)}`;
    if (!known.has(name)) {
      const sql = `SELECT ${titled(lookupText(design, catalogOf(design), field, '?1'))}`;
      const [text] = (guarded(db, sql, 1).get(toStored(field, value)) ?? [null]) as [string | null];
      known.set(name, text);
    }
    return { value, text: known.get(name) ?? 'a row that is gone' };
  };
}

/** An entry of the log about rows. */
export interface PastEntry {
  readonly entry: number;
  readonly at: string;
  readonly by: string;
  readonly what: 'rows' | 'brought in' | 'undone';
  /** Rows by table and by what happened to them; `more` where there are too many to count. */
  readonly rows: readonly {
    readonly table: string;
    readonly op: PastOfRow['op'];
    readonly count: number;
  }[];
  readonly more: boolean;
  /** What a sheet was called that was brought in. */
  readonly sheet: string | null;
  readonly undone: boolean;
}

const MOST_COUNTED = 20_000;

/** What was done to rows, entry by entry, the newest first, before an entry or from the last one on. */
export function pastOfFile(db: Connection, before: number | null, limit: number): PastEntry[] {
  const sql =
    `SELECT l.id, l.at, l.by, l.what, l.detail, EXISTS (SELECT 1 FROM hr_log AS u WHERE u.what = 'undone' AND u.detail = CAST(l.id AS TEXT)) ` +
    `FROM hr_log AS l WHERE l.what IN ('rows', 'brought in', 'undone') AND l.id < ? ORDER BY l.id DESC LIMIT ?`;
  const found = guarded(db, sql, 6).all(before ?? Number.MAX_SAFE_INTEGER, limit) as unknown as [
    number,
    string,
    string,
    PastEntry['what'],
    string | null,
    number,
  ][];
  return found.map(([entry, at, by, what, detail, undone]) => {
    const [first, last] = [beginOf(db, entry), beginOf(db, entry + 1)];
    const counted = prepared(
      db,
      'SELECT table_id, op, count(*) FROM hr_history WHERE id >= ? AND id < ? GROUP BY 1, 2',
    ).all([first, Math.min(last, first + MOST_COUNTED)]) as [string, PastOfRow['op'], number][];
    const sheet =
      what === 'brought in' && detail !== null ? (JSON.parse(detail) as { sheet?: string }).sheet : null;
    return {
      entry,
      at,
      by,
      what,
      rows: counted.map(([table, op, count]) => ({ table, op, count })),
      more: last - first > MOST_COUNTED,
      sheet: sheet ?? null,
      undone: undone === 1,
    };
  });
}
