import { createHash } from 'node:crypto';
import type { RowError, SavedRow, SaveRequest } from '@heathridge/core/rows';
import type { Clock } from '../clock';
import { assertWritable, storedVersion, type OpenFile } from '../store/files';
import { inTransaction, prepared } from '../store/statements';
import { changeRow } from './change-row';
import type { Saving } from './saving';

export type SaveResult =
  | { readonly ok: true; readonly saved: readonly SavedRow[] }
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

/** The design of the file is another than the one a save was checked by: it must be read again. */
export class DesignMoved extends Error {}

/** A save was sent under a name that another save had before it. */
export class RequestReused extends Error {}

/**
 * Makes row changes in one short transaction: check in the core, write, history, commit. All stand or
 * none does; what was refused comes back beside its field, with nothing changed. A save that has a name is
 * made once: sent again, it is answered as it was. Throws RequestReused when that name stands for another, and
 * DesignMoved when the file has another design than was read of it.
 */
export function saveRows(file: OpenFile, request: SaveRequest, by: Saver, clock: Clock): SaveResult {
  const { design, writer: db } = file;
  assertWritable(file);
  const name = request.id === undefined ? null : `${by.id} ${request.id}`;
  const digest = name && createHash('sha256').update(JSON.stringify(request.changes)).digest('hex');
  try {
    const saved = inTransaction(db, () => {
      if (storedVersion(db) !== design.version) throw new DesignMoved('The design has changed meanwhile.');
      const before = name && answered(file, name, digest!);
      if (before) return before;
      const now = clock.now();
      const saving: Saving = {
        db,
        design,
        by: by.name,
        now,
        today: clock.today(design.settings.timeZone),
        entry: opened(file, now, by.name, name, digest),
        keys: new Map(),
      };
      const errors: RowError[] = [];
      const done: SavedRow[] = [];
      request.changes.forEach((change, index) => {
        const result = changeRow(saving, { change, index });
        if ('errors' in result) errors.push(...result.errors);
        else done.push(result);
      });
      if (errors.length > 0) throw new Refused(errors);
      if (name)
        prepared(db, 'UPDATE hr_log SET answer = ? WHERE id = ?').run(JSON.stringify(done), saving.entry);
      return done;
    });
    return { ok: true, saved };
  } catch (error) {
    if (error instanceof Refused) return { ok: false, errors: error.errors };
    throw error;
  }
}

/** What a save of this name was answered, if it was made already. */
function answered({ writer }: OpenFile, name: string, digest: string): readonly SavedRow[] | null {
  const known = prepared(writer, 'SELECT digest, answer FROM hr_log WHERE request = ?').get(name) as
    [string, string] | undefined;
  if (!known) return null;
  if (known[0] !== digest) throw new RequestReused('This name stands for another save.');
  return JSON.parse(known[1]) as SavedRow[];
}

/** Opens an entry of the log for the rows of a save. */
function opened(
  { writer }: OpenFile,
  at: string,
  by: string,
  name: string | null,
  digest: string | null,
): number {
  const sql = "INSERT INTO hr_log (at, by, what, request, digest) VALUES (?, ?, 'rows', ?, ?)";
  return Number(prepared(writer, sql).run(at, by, name, digest).lastInsertRowid);
}
