import {
  closeSync,
  existsSync,
  fstatSync,
  fsyncSync,
  mkdirSync,
  openSync,
  readSync,
  renameSync,
  rmSync,
  statSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { max } from 'drizzle-orm';
import { checkPlan, evolve, steps, type Change } from '@heathridge/core/change';
import type { Clock } from '../clock';
import { designVersion, loadDesign, saveDesign } from '../store/definitions';
import { openForWriting, ormOver, type Connection, type Orm } from '../store/driver';
import { change as changeLog, history, log } from '../store/file-schema';
import { begin, rollBack } from '../store/statements';
import { keptProblem, runChecks, runSteps, StepError, type CheckResult, type Tell } from './run';

/** What a child is given to apply a draft. */
export interface ApplyOrder {
  readonly changes: readonly Change[];
  /** The version of the design the draft starts from. */
  readonly base: number;
  readonly by: string;
  readonly now: string;
  readonly today: string;
  /** The folder of safe copies, and the name of the one to take. */
  readonly copies: string;
  readonly copy: string;
}

/** How an apply ended: done, or what stood in the way, with nothing changed. */
export type ApplyResult =
  | { readonly done: true }
  | { readonly done: false; readonly moved: number }
  | { readonly done: false; readonly message: string; readonly findings: CheckResult | null };

/** Milliseconds an apply may take: an hour. */
export const MOST_TIME = 3_600_000;

/** Applies a draft on a writing connection of its own: the work of a child process. */
export function apply(path: string, order: ApplyOrder, tell: Tell): ApplyResult {
  const db = openForWriting(path);
  try {
    const orm = ormOver(db);
    tell({ step: 0, of: 1, what: 'Taking a safe copy' });
    return locked(db, path, join(order.copies, order.copy), tell, () => applyInside(db, orm, order, tell));
  } finally {
    db.close();
  }
}

/** The entry of the log for a change of the design. */
export const logged = (orm: Orm, at: string, by: string): number =>
  orm.insert(log).values({ at, by, what: 'design' }).returning({ id: log.id }).all()[0]!.id;

/** Applies a draft in a transaction that is open, in which its checks are made; see {@link locked}. */
export function applyInside(db: Connection, orm: Orm, order: ApplyOrder, tell: Tell): ApplyResult {
  const version = designVersion(orm);
  if (version !== order.base) return { done: false, moved: version };
  const before = loadDesign(orm);
  const evolved = evolve(before, order.changes);
  const plan = checkPlan(before, evolved, order.changes);
  const stopped = plan.notices.some(({ level }) => level === 'stop');
  const list = stopped ? [] : steps(before, evolved);
  const of = plan.maps.length + plan.rows.length + list.length + 1;
  const result = runChecks(db, plan, order.today, (at) => tell({ ...at, of }));
  if (!result.clear) return { done: false, message: stopMessage(result), findings: result };
  runSteps(db, plan, list, order.today, (at) =>
    tell({ step: of - list.length - 1 + at.step, of, what: at.what }),
  );
  tell({ step: of - 1, of, what: 'Checking that every link has its row' });
  const orphans = db.prepare('PRAGMA foreign_key_check').raw().all();
  if (orphans.length > 0)
    return {
      done: false,
      message: `${orphans.length} rows would point to rows that are gone.`,
      findings: null,
    };
  const kept = keptProblem(db, evolved.design);
  if (kept !== null) return { done: false, message: kept, findings: null };
  saveDesign(orm, evolved.design, { at: order.now, by: order.by });
  const entry = logged(orm, order.now, order.by);
  const mark = orm
    .select({ id: max(history.id) })
    .from(history)
    .get();
  orm
    .insert(changeLog)
    .values({
      at: order.now,
      by: order.by,
      what: 'draft applied',
      changes: JSON.stringify(order.changes),
      log: entry,
      safeCopy: order.copy,
      before: JSON.stringify(before),
      after: JSON.stringify(evolved.design),
      historyMark: mark?.id ?? 0,
    })
    .run();
  return { done: true };
}

const PART = '.part';

/** Takes a safe copy away that was taken for nothing. */
export function discardCopy(copy: string): void {
  for (const suffix of ['', PART]) rmSync(copy + suffix, { force: true });
}

/**
 * Takes a safe copy and does the work in one transaction, with nobody able to write between the two. The
 * work's transaction is kept only when it says it is done.
 */
export function locked(
  db: Connection,
  path: string,
  copy: string,
  tell: Tell,
  work: () => ApplyResult,
): ApplyResult {
  // Must stand outside the transaction: inside one the engine ignores it.
  db.exec('PRAGMA foreign_keys = OFF');
  beginWithCopy(db, path, copy);
  try {
    const result = work();
    // The last moment at which a child can hear that nobody waits for it any more.
    tell({ step: 1, of: 1, what: 'Writing it to the disk' });
    if (result.done) db.exec('COMMIT');
    else {
      rollBack(db);
      discardCopy(copy);
    }
    return result;
  } catch (error) {
    rollBack(db);
    discardCopy(copy);
    if (error instanceof StepError) return { done: false, message: error.message, findings: null };
    throw error;
  }
}

/**
 * Begins a writing transaction and copies the file as it is then. With an empty write-ahead log the main
 * file alone is the whole database, and while the transaction lasts nobody can add to the log: so the
 * copy is a plain one, as fast as the disk. Where a reader keeps the log in use the engine copies.
 */
function beginWithCopy(db: Connection, path: string, copy: string): void {
  mkdirSync(join(copy, '..'), { recursive: true });
  const log = `${path}-wal`;
  for (let attempt = 0; attempt < 5; attempt++) {
    db.exec('PRAGMA wal_checkpoint(TRUNCATE)');
    begin(db);
    if (!existsSync(log) || statSync(log).size === 0) {
      copyFile(path, copy + PART);
      renameSync(copy + PART, copy);
      return;
    }
    rollBack(db);
  }
  db.prepare('VACUUM INTO ?').run(copy);
  begin(db);
}

/** Descriptors of the files that this process has copied, by path. */
const copied = new Map<string, number>();

const CHUNK = 4 * 1024 * 1024;

/** Closes what copying has left open. Only for a process in which nothing that was copied is open as a database. */
export function closeCopied(): void {
  for (const descriptor of copied.values()) closeSync(descriptor);
  copied.clear();
}

/**
 * Where a file says that it is written by way of a log (2), or is not (1): SQLite, "Database File Format", 1.3.2.
 * A copy is only ever read, and with a log the engine would put files beside it that outlive a kill.
 */
const LOG_FLAGS = 18;
const NO_LOG = Buffer.from([1, 1]);

/**
 * Copies a file that is open as a database, whose log is empty. A process that closes a file gives up every lock it has on it
 * (POSIX, fcntl): those of our connections would go with the copying, and whoever left the file next would take
 * its log away as the last. So it is read by a descriptor that stays open, see {@link closeCopied}.
 */
function copyFile(from: string, to: string): void {
  const known = copied.get(from);
  const isSame = known !== undefined && fstatSync(known).ino === statSync(from).ino;
  // Another file that has its name by now: the old one is gone, and nobody holds it.
  if (known !== undefined && !isSame) closeSync(known);
  const source = isSame ? known : openSync(from, 'r');
  copied.set(from, source);
  const target = openSync(to, 'w');
  try {
    const buffer = Buffer.allocUnsafe(Math.max(1, Math.min(CHUNK, fstatSync(source).size)));
    for (let at = 0; ;) {
      const read = readSync(source, buffer, 0, buffer.length, at);
      if (read === 0) break;
      for (let written = 0; written < read;) written += writeSync(target, buffer, written, read - written);
      at += read;
    }
    writeSync(target, NO_LOG, 0, NO_LOG.length, LOG_FLAGS);
    fsyncSync(target);
  } finally {
    closeSync(target);
  }
}

function stopMessage({ notices, findings }: CheckResult): string {
  const stop = notices.find(({ level }) => level === 'stop');
  if (stop) return stop.message;
  const [finding] = findings;
  return finding
    ? `${finding.count} ${finding.count === 1 ? 'row' : 'rows'}: ${finding.message}`
    : 'Nothing stands in the way.';
}

/** The name of a safe copy taken now. */
export const copyName = (clock: Clock): string =>
  `${clock.now().replace(/:/g, '-')}-${clock.id('c').slice(2, 6)}.db`;
