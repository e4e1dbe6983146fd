import { createHash } from 'node:crypto';
import type { RowChange, RowError, SavedRow, SaveRequest } from '@heathridge/core/rows';
import { keptText } from '@heathridge/core/values';
import type { Clock } from '../clock';
import { assertWritable, type OpenFile } from '../store/files';
import { DesignMoved, storedVersion } from '../store/versions';
import { inTransaction, prepared } from '../store/statements';
import { changeRow } from './change-row';
import type { Placed, Saving } from './saving';

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

/**
 * Makes row changes in one short transaction: check in the core, write, history, commit. All stand or none
 * does; what was refused comes back beside its field, with nothing changed. A save that has a name is made
 * once: sent again, it is answered as it was. Throws RequestReused when that name stands for another,
 * DesignMoved when the file has another design than was read of it.
 */
export function saveRows(file: OpenFile, request: SaveRequest, by: Saver, clock: Clock): SaveResult {
  const { design, writer: db } = file;
  assertWritable(file);
  const name = request.id === undefined ? null : `${by.id} ${request.id}`;
  const digest = name && createHash('sha256').update(JSON.stringify(request.changes)).digest('hex');
  try {
    const done = inTransaction(db, () => {
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
      const errors: RowError[] = [];
      const done: SavedRow[] = [];
      for (const placed of parentsFirst(request.changes)) {
        const result = changeRow(saving, placed);
        if (!('errors' in result)) done.push(result);
        else {
          errors.push(...result.errors);
          if (placed.change.op === 'insert' && placed.change.temp !== undefined)
            saving.refused.add(placed.change.temp);
        }
      }
      if (errors.length > 0) throw new Refused(errors);
      done.sort((a, b) => a.change - b.change);
      if (name)
        prepared(db, 'UPDATE hr_log SET answer = ? WHERE id = ?').run(JSON.stringify(done), saving.entry);
      return { entry: saving.entry, saved: done };
    });
    return { ok: true, ...done };
  } catch (error) {
    if (error instanceof Refused) return { ok: false, errors: error.errors };
    throw error;
  }
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
  { writer }: OpenFile,
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
  { writer, design }: OpenFile,
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
