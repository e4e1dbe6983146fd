import { fieldOf, tableOf, type Design, type Table } from '@heathridge/core/design';
import type { RowError, RowKey } from '@heathridge/core/rows';
import { keptText, type Value } from '@heathridge/core/values';
import { UNWATCHED, type Tell } from '../change/run';
import { loadDesign } from '../store/definitions';
import { openForWriting, ormOver, type Connection } from '../store/driver';
import { guarded, inTransaction, prepared } from '../store/statements';
import { DesignMoved, storedVersion } from '../store/versions';
import type { Row } from '../store/history';
import { goesAlong } from './along';
import { changeRow } from './change-row';
import { currentRow, type Saving } from './saving';
import { keyOf } from './tables';

/** Why an entry of the log is not undone, in words. */
export class NotUndone extends Error {}

export interface UndoEntryOrder {
  readonly entry: number;
  readonly by: string;
  readonly now: string;
  readonly today: string;
}

export interface Undone {
  /** The entry of the log that the undoing is itself: undoing that does it again. */
  readonly entry: number;
  readonly rows: number;
  readonly tables: readonly string[];
}

type Happened = readonly [
  id: number,
  table: string,
  key: string,
  op: 'insert' | 'update' | 'delete',
  before: string | null,
  after: string | null,
];

/** Rows of the history that are read at once. */
const AT_ONCE = 2000;

/**
 * Undoes an entry of the log in the transaction that is open: rows that it added are deleted, rows that it deleted
 * come back, and fields that it changed hold again what they held. Throws NotUndone, with nothing to be kept, where
 * somebody has changed one of them since, or the file refuses it.
 */
export function undoEntry(
  db: Connection,
  design: Design,
  order: UndoEntryOrder,
  tell: Tell = UNWATCHED,
): Undone {
  const { entry: undoes } = order;
  const known = prepared(db, 'SELECT what FROM hr_log WHERE id = ?').get([undoes]) as [string] | undefined;
  if (!known || !['rows', 'brought in', 'undone'].includes(known[0]))
    throw new NotUndone('There is nothing under this entry that could be undone.');
  const since = prepared(db, "SELECT 1 FROM hr_log WHERE what = 'design' AND id > ? LIMIT 1").get([undoes]);
  if (since !== undefined)
    throw new NotUndone('The design of the file has been changed since: undo that first, in Plan.');
  if (
    prepared(db, "SELECT 1 FROM hr_log WHERE what = 'undone' AND detail = ?").get([String(undoes)]) !==
    undefined
  )
    throw new NotUndone('This was undone already.');
  const sql = "INSERT INTO hr_log (at, by, what, detail) VALUES (?, ?, 'undone', ?)";
  const entry = Number(prepared(db, sql).run([order.now, order.by, String(undoes)]).lastInsertRowid);
  const saving: Saving = {
    db,
    design,
    by: keptText(order.by),
    now: order.now,
    today: order.today,
    entry,
    keys: new Map(),
    refused: new Set(),
    restores: true,
  };
  const tables = new Set<string>();
  let rows = 0;
  const first = beginOf(db, undoes);
  const of = sizeOf(db, undoes);
  for (let below = beginOf(db, undoes + 1); ;) {
    const happened = guarded(
      db,
      'SELECT id, table_id, key, op, before, after FROM hr_history WHERE id >= ? AND id < ? ORDER BY id DESC LIMIT ?',
      6,
    ).all(first, below, AT_ONCE) as unknown as Happened[];
    if (happened.length === 0) break;
    guardOthers(saving, happened);
    for (const one of happened) {
      undoOne(saving, one);
      tables.add(one[1]);
      rows++;
    }
    below = happened.at(-1)![0];
    tell({ step: rows, of, what: 'Undoing' });
  }
  return { entry, rows, tables: [...tables] };
}

/** How many rows of the history belong to an entry of the log. */
export const sizeOf = (db: Connection, entry: number): number => beginOf(db, entry + 1) - beginOf(db, entry);

/** Bytes of the longest row, as it was, that belongs to an entry of the log. */
export function longestOf(db: Connection, entry: number): number {
  const sql = 'SELECT coalesce(max(octet_length(before)), 0) FROM hr_history WHERE id >= ? AND id < ?';
  const [bytes] = prepared(db, sql).get([beginOf(db, entry), beginOf(db, entry + 1)]) as [number];
  return bytes;
}

/** Undoes an entry on a connection of its own: the work of a child. */
export function undoAtOnce(
  path: string,
  order: UndoEntryOrder & { readonly base: number },
  tell: Tell,
): Undone {
  const db = openForWriting(path);
  try {
    return inTransaction(db, () => {
      if (storedVersion(db) !== order.base) throw new DesignMoved();
      const undone = undoEntry(db, loadDesign(ormOver(db)), order, tell);
      tell({ step: 1, of: 1, what: 'Writing it to the disk' });
      return undone;
    });
  } finally {
    db.close();
  }
}

/**
 * The first row of the history that belongs to this entry of the log or a later one: entries are written one after
 * the other, so it is found by halving.
 */
export function beginOf(db: Connection, entry: number): number {
  const at = prepared(db, 'SELECT coalesce(log, 0) FROM hr_history WHERE id >= ? ORDER BY id LIMIT 1');
  let [low, high] = [
    1,
    (prepared(db, 'SELECT coalesce(max(id), 0) FROM hr_history').get([]) as [number])[0] + 1,
  ];
  while (low < high) {
    const middle = Math.floor((low + high) / 2);
    const found = at.get([middle]) as [number] | undefined;
    if (found && found[0] < entry) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** What was added takes nothing along that others have hung on it since. */
function guardOthers({ db, design }: Saving, happened: readonly Happened[]): void {
  const added = new Map<string, RowKey[]>();
  for (const [, table, key, op] of happened)
    if (op === 'insert') added.set(table, [...(added.get(table) ?? []), JSON.parse(key) as RowKey]);
  for (const [id, keys] of added) {
    const table = tableOf(design, id);
    const [along] = goesAlong(db, design, table, keys).filter(
      // Rows of the same table and entry go by themselves.
      ({ table: child }) => !added.has(child),
    );
    if (along)
      throw new NotUndone(
        `Nothing was undone: ${along.count.toLocaleString('en-GB')} ${tableOf(design, along.table).plural.toLowerCase()} lead to rows that would be taken out. Move or delete those first.`,
      );
  }
}

const said = (table: Table, errors: readonly RowError[]): NotUndone =>
  new NotUndone(`Nothing was undone. ${table.label}: ${errors[0]?.message ?? 'the file refused it.'}`);

const changedSince = (table: Table): NotUndone =>
  new NotUndone(
    `Nothing was undone: somebody has changed one of these ${table.plural.toLowerCase()} since. Its history tells what.`,
  );

function undoOne(saving: Saving, [, tableId, keyText, op, beforeText, afterText]: Happened): void {
  const table = saving.design.tables.find(({ id }) => id === tableId);
  if (!table) throw new NotUndone('A table of these rows is no longer there.');
  const before = beforeText === null ? null : (JSON.parse(beforeText) as Row);
  const after = afterText === null ? null : (JSON.parse(afterText) as Row);
  const key = after ? keyOf(table, after) : (JSON.parse(keyText) as RowKey);
  const typed = (row: Row): Record<string, Value> =>
    Object.fromEntries(
      Object.entries(row).filter(([id]) => {
        const kind = fieldOf(table, id)?.type.kind;
        return kind !== undefined && kind !== 'stamp' && kind !== 'workedOut';
      }),
    );
  if (op === 'insert') {
    const now = currentRow(saving, table, key);
    if (!now || !after || !same(typed(now), typed(after))) throw changedSince(table);
    check(table, changeRow(saving, { change: { op: 'delete', table: tableId, key }, index: 0 }));
  } else if (op === 'delete') {
    // With its stamps: it is the row that was there.
    const values = Object.fromEntries(
      Object.entries(before!).filter(([id]) => fieldOf(table, id) !== undefined),
    );
    check(table, changeRow(saving, { change: { op: 'insert', table: tableId, values }, index: 0 }));
  } else {
    const [was, is] = [typed(before!), typed(after!)];
    const values = Object.fromEntries(Object.entries(was).filter(([id, value]) => is[id] !== value));
    // What a row that it leads to has taken along is as it was already.
    const now = currentRow(saving, table, key);
    if (!now && currentRow(saving, table, keyOf(table, before!))) return;
    if (Object.keys(values).length === 0) return;
    check(
      table,
      changeRow(saving, { change: { op: 'update', table: tableId, key, values, was: is }, index: 0 }),
    );
  }
}

function check(table: Table, result: ReturnType<typeof changeRow>): void {
  if (!('errors' in result)) return;
  throw result.errors.some(({ theirs }) => theirs !== undefined)
    ? changedSince(table)
    : said(table, result.errors);
}

const same = (a: Readonly<Record<string, Value>>, b: Readonly<Record<string, Value>>): boolean =>
  Object.entries(a).every(([id, value]) => (b[id] ?? null) === value);
