import type { Connection } from './driver';
import { begin, prepared, rollBack } from './statements';

/** Pieces of work that are committed together at most: whoever asked first waits for the last of them. */
const MOST = 32;

interface Piece {
  readonly work: () => unknown;
  resolve(value: unknown): void;
  reject(error: unknown): void;
}

interface Group {
  readonly waiting: Piece[];
  isDue: boolean;
}

const groups = new WeakMap<Connection, Group>();

/**
 * Work that is done wholly or not at all, and is on the disk when this resolves: group commit (DeWitt et al.,
 * "Implementation Techniques for Main Memory Database Systems", 1984). To wait for the disk is most of what a short
 * save takes; what comes in at the same moment waits for it once, all in one transaction. A piece that throws is undone
 * alone and rejects with what it threw; where the transaction itself cannot be begun or committed, all of them do.
 */
export function together<T>(db: Connection, work: () => T): Promise<T> {
  const group = groups.get(db) ?? { waiting: [], isDue: false };
  groups.set(db, group);
  return new Promise<T>((resolve, reject) => {
    group.waiting.push({ work, resolve: resolve as (value: unknown) => void, reject });
    if (group.isDue) return;
    group.isDue = true;
    // After all that has come in by now has been read.
    setImmediate(() => commit(db, group));
  });
}

function commit(db: Connection, group: Group): void {
  const pieces = group.waiting.splice(0, MOST);
  group.isDue = group.waiting.length > 0;
  if (group.isDue) setImmediate(() => commit(db, group));
  const done: (readonly [Piece, unknown])[] = [];
  try {
    begin(db);
    for (const piece of pieces) {
      if (pieces.length > 1) prepared(db, 'SAVEPOINT piece').run();
      try {
        done.push([piece, piece.work()]);
      } catch (error) {
        // The engine has ended the transaction itself, as it does when the disk is full: nothing of it stands.
        if (!db.inTransaction) throw error;
        piece.reject(error);
        if (pieces.length === 1) rollBack(db);
        else prepared(db, 'ROLLBACK TO piece').run();
      }
      if (pieces.length > 1) prepared(db, 'RELEASE piece').run();
    }
    if (db.inTransaction) prepared(db, 'COMMIT').run();
  } catch (error) {
    rollBack(db);
    // A piece that was rejected already stays so.
    for (const piece of pieces) piece.reject(error);
    return;
  }
  for (const [piece, value] of done) piece.resolve(value);
}
