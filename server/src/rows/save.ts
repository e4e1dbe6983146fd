import { createHash } from 'node:crypto';
import { fieldOf, tableOf, type Design, type Table } from '@heathridge/core/design';
import type { RowChange, RowError, SavedRow, SaveRequest } from '@heathridge/core/rows';
import { keptText } from '@heathridge/core/values';
import type { Clock } from '../clock';
import { UNWATCHED, type Tell } from '../change/run';
import { openForWriting } from '../store/driver';
import type { OpenFile } from '../store/files';
import { DesignMoved, storedVersion } from '../store/versions';
import { inTransaction, prepared } from '../store/statements';
import { together } from '../store/together';
import { boundsWithin, isAmong, isClosed, type Bounds, type Within } from './among';
import { changeRow } from './change-row';
import { blockChanges, type Block } from './paste';
import type { Placed, Saving } from './saving';
import { checkKey } from './tables';

export type SaveResult =
  | { readonly ok: true; readonly entry: number; readonly saved: readonly SavedRow[] }
  | { readonly ok: false; readonly errors: readonly RowError[] };

class Refused extends Error {
  constructor(readonly errors: readonly RowError[]) {
    super('refused');
  }
}

/** Whoever saves: the id of the account, and the name that history shows. */
export interface Saver {
  readonly id: string;
  readonly name: string;
}

/** A save that cannot be made, whatever the file holds. */
export class BadSave extends Error {}

/** A save was sent under a name that another save had before it. */
export class RequestReused extends Error {}

/** What a save is made on, and with. */
type SavingFile = Pick<OpenFile, 'design' | 'writer'>;
type When = Pick<Clock, 'now' | 'today'>;

/**
 * Makes row changes in one short transaction: check in the core, write, history, commit. All stand or none
 * does; what was refused comes back beside its field, with nothing changed. A save that has a name is made
 * once: sent again, it is answered as it was. Throws RequestReused when that name stands for another,
 * DesignMoved when the file has another design than was read of it.
 */
export function saveRows(
  file: SavingFile,
  request: SaveRequest,
  by: Saver,
  clock: When,
  bounds: Bounds | null = null,
  tell: Tell = UNWATCHED,
): SaveResult {
  try {
    return {
      ok: true,
      ...inTransaction(file.writer, () => saveInside(file, request, by, clock, bounds, tell)),
    };
  } catch (error) {
    return refusedOrThrown(error);
  }
}

/** The same, committed together with what else is saved at this moment; resolves once it is on the disk. */
export async function saveTogether(
  file: SavingFile,
  request: SaveRequest,
  by: Saver,
  clock: When,
  bounds: Bounds | null,
): Promise<SaveResult> {
  try {
    const work = (): Saved => saveInside(file, request, by, clock, bounds, UNWATCHED);
    return { ok: true, ...(await together(file.writer, work)) };
  } catch (error) {
    return refusedOrThrown(error);
  }
}

function refusedOrThrown(error: unknown): SaveResult {
  if (error instanceof Refused) return { ok: false, errors: error.errors };
  throw error;
}

interface Saved {
  readonly entry: number;
  readonly saved: readonly SavedRow[];
}

/** Makes row changes in the transaction that is open. Throws Refused, with nothing of it to be kept. */
function saveInside(
  file: SavingFile,
  request: SaveRequest,
  by: Saver,
  clock: When,
  bounds: Bounds | null,
  tell: Tell,
): Saved {
  const { design, writer: db } = file;
  const name = request.id === undefined ? null : `${by.id} ${request.id}`;
  const digest = name && createHash('sha256').update(JSON.stringify(request.changes)).digest('hex');
  const before = name && answered(file, name, digest!);
  if (before) return before;
  const now = clock.now();
  const saving: Saving = {
    db,
    design,
    by: keptText(by.name),
    now,
    today: clock.today(design.settings.timeZone),
    entry: opened(file, now, by.name, name, digest),
    keys: new Map(),
    refused: new Set(),
  };
  const errors = bounds ? outOfBounds(saving, request.changes, bounds) : [];
  // What is closed before and after takes nothing; what somebody opens or closes in the same save does.
  const shut = bounds ? closedFields(saving, request.changes, bounds) : [];
  const done: SavedRow[] = [];
  const outside = new Set(errors.map(({ change }) => change));
  const of = request.changes.length;
  for (const [step, placed] of parentsFirst(request.changes).entries()) {
    if (step % TOLD_EVERY === 0) tell({ step, of, what: 'Saving' });
    if (outside.has(placed.index)) continue;
    const result = changeRow(saving, placed);
    if (!('errors' in result)) done.push(result);
    else {
      errors.push(...result.errors);
      if (placed.change.op === 'insert' && placed.change.temp !== undefined)
        saving.refused.add(placed.change.temp);
    }
  }
  if (errors.length === 0 && bounds) errors.push(...leftBounds(saving, request.changes, done, bounds));
  if (errors.length === 0) errors.push(...stillClosed(saving, shut, done));
  if (errors.length > 0) throw new Refused(errors);
  done.sort((a, b) => a.change - b.change);
  if (name) prepared(db, 'UPDATE hr_log SET answer = ? WHERE id = ?').run(JSON.stringify(done), saving.entry);
  return { entry: saving.entry, saved: done };
}

/** Rows between two words on how far a save is. */
const TOLD_EVERY = 100;

/** A block of texts that is put over rows of a table. */
export interface BlockOrder {
  readonly table: string;
  readonly block: Block;
}

/** A save that is made apart from the server's own connection. */
export interface SaveOrder {
  readonly request: SaveRequest | BlockOrder;
  readonly by: Saver;
  readonly within: Within | null;
  readonly now: string;
  readonly today: string;
}

/** What a save made apart comes to: as it ends here, or why it cannot be made at all. */
export type SavedApart =
  | { readonly done: SaveResult }
  | { readonly refused: 'bad' | 'reused'; readonly message: string }
  | { readonly refused: 'unread'; readonly errors: readonly RowError[] };

/** Makes a save on a connection of its own: the work of a child. */
export function saveApart(path: string, design: Design, order: SaveOrder, tell: Tell): SavedApart {
  const writer = openForWriting(path);
  try {
    const { request: asked, by, within, now, today } = order;
    const clock = { now: () => now, today: () => today };
    let request: SaveRequest;
    if ('block' in asked) {
      // The design is looked at again when the rows are written.
      if (storedVersion(writer) !== design.version) throw new DesignMoved();
      const table = tableOf(design, asked.table);
      const { changes, errors } = blockChanges({ design, reader: writer }, table, asked.block, today);
      if (errors.length > 0) return { refused: 'unread', errors };
      request = { changes };
    } else request = asked;
    return { done: saveRows({ design, writer }, request, by, clock, boundsWithin(design, within), tell) };
  } catch (error) {
    if (error instanceof RequestReused) return { refused: 'reused', message: error.message };
    if (error instanceof BadSave) return { refused: 'bad', message: error.message };
    throw error;
  } finally {
    writer.close();
  }
}

/** Errors for changes of rows that are not among those that whoever saves may change. */
function outOfBounds({ db, design }: Saving, changes: readonly RowChange[], bounds: Bounds): RowError[] {
  return changes.flatMap((change, index): RowError[] => {
    const table = design.tables.find(({ id }) => id === change.table);
    if (change.op === 'insert' || !table) return [];
    const key = checkKey(design, table, change.key);
    const lists = bounds.before(table);
    // A row that has gone is told of as such.
    if (!key || !isAmong(db, design, table, key, [[]]) || isAmong(db, design, table, key, lists)) return [];
    const message = `This ${table.label.toLowerCase()} is not among those you may change.`;
    return [{ change: index, table: table.id, key, field: null, rule: null, message }];
  });
}

/** Errors for rows that are, once they are saved, not among those there are for whoever saves. */
function leftBounds(
  { db, design }: Saving,
  changes: readonly RowChange[],
  done: readonly SavedRow[],
  bounds: Bounds,
): RowError[] {
  return done.flatMap(({ change: index, table: id, key }): RowError[] => {
    const table = tableOf(design, id);
    const conditions = bounds.after(table);
    if (conditions.length === 0 || changes[index]!.op === 'delete') return [];
    if (isAmong(db, design, table, key, [conditions])) return [];
    const message = `As it is now this ${table.label.toLowerCase()} would not be among those that are yours.`;
    return [{ change: index, table: id, key, field: null, rule: null, message }];
  });
}

/** A field that is to be changed though it takes nothing while conditions hold, which do so for its row. */
interface Shut {
  readonly change: number;
  readonly table: Table;
  readonly field: string;
  readonly lists: readonly (readonly string[])[];
}

function closedFields({ db, design }: Saving, changes: readonly RowChange[], bounds: Bounds): Shut[] {
  return changes.flatMap((change, index) => {
    const table = design.tables.find(({ id }) => id === change.table);
    const key = change.op === 'update' && table ? checkKey(design, table, change.key) : null;
    if (change.op !== 'update' || !table || !key) return [];
    return Object.keys(change.values).flatMap((field) => {
      const lists = bounds.closed(table, field);
      const isShut = lists !== null && isClosed(db, design, table, key, lists);
      return isShut ? [{ change: index, table, field, lists }] : [];
    });
  });
}

/** Errors for fields that took nothing before the save, and take nothing now either. */
function stillClosed({ db, design }: Saving, shut: readonly Shut[], done: readonly SavedRow[]): RowError[] {
  return shut.flatMap(({ change, table, field, lists }): RowError[] => {
    const key = done.find((row) => row.change === change)?.key;
    if (!key || !isClosed(db, design, table, key, lists)) return [];
    const message = `${fieldOf(table, field)?.label ?? 'This field'} of this ${table.label.toLowerCase()} is only for reading as it stands now.`;
    return [{ change, table: table.id, key, field, rule: null, message }];
  });
}

/**
 * The changes of a save, each row that is added behind those it leads to, in whatever order they were sent.
 */
function parentsFirst(changes: readonly RowChange[]): Placed[] {
  const places = new Map<string, number>();
  changes.forEach((change, i) => {
    if (change.op !== 'insert' || change.temp === undefined) return;
    if (places.has(change.temp)) throw new BadSave('Two rows of this save have one name.');
    places.set(change.temp, i);
  });
  const ordered: Placed[] = [];
  const state = new Map<number, 'begun' | 'done'>();
  const visit = (index: number): void => {
    if (state.get(index) === 'done') return;
    if (state.get(index) === 'begun') throw new BadSave('Rows of this save lead to one another in a circle.');
    state.set(index, 'begun');
    const change = changes[index]!;
    if (change.op !== 'delete')
      for (const value of Object.values(change.values)) {
        const place = typeof value === 'object' && value !== null ? places.get(value.temp) : undefined;
        if (place !== undefined) visit(place);
      }
    state.set(index, 'done');
    ordered.push({ change, index });
  };
  changes.forEach((_, index) => visit(index));
  return ordered;
}

/** What a save of this name was answered, if it was made already. */
function answered(
  { writer }: Pick<OpenFile, 'writer'>,
  name: string,
  digest: string,
): { readonly entry: number; readonly saved: readonly SavedRow[] } | null {
  const known = prepared(writer, 'SELECT digest, answer, id FROM hr_log WHERE request = ?').get(name) as
    [string, string, number] | undefined;
  if (!known) return null;
  if (known[0] !== digest) throw new RequestReused('This name stands for another save.');
  return { entry: known[2], saved: JSON.parse(known[1]) as SavedRow[] };
}

/**
 * Opens an entry of the log for the rows of a save. Throws DesignMoved when the file has another design than
 * was read of it: within the transaction it then stays the one that the rows are checked by.
 */
function opened(
  { writer, design }: Pick<OpenFile, 'design' | 'writer'>,
  at: string,
  by: string,
  name: string | null,
  digest: string | null,
): number {
  if (storedVersion(writer) !== design.version) throw new DesignMoved();
  const sql = "INSERT INTO hr_log (at, by, what, request, digest) VALUES (?, ?, 'rows', ?, ?)";
  const { lastInsertRowid } = prepared(writer, sql).run([at, by, name, digest]);
  return Number(lastInsertRowid);
}
