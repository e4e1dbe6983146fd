import '@heathridge/core/temporal';
import { Worker } from 'node:worker_threads';
import { ChangeError } from '@heathridge/core/change';
import { ExpressionError } from '@heathridge/core/expression';
import { apply, closeCopied } from '../change/apply';
import type { Progress } from '../change/run';
import { undo } from '../change/undo';
import { AdoptError } from '@heathridge/core/exchange';
import { adoptFile, isOurs, textsOf } from '../change/adopt';
import { NotUndone, undoAtOnce } from '../rows/undo-entry';
import { keepAttachment } from '../rows/attachments';
import { saveApart } from '../rows/save';
import { loadPackage, openPackage } from '../sheets/package';
import { SheetError } from '../sheets/sheet-error';
import { bringIn } from '../sheets/write';
import { awaitAt, endUnlessItStands, placeOf, standsAt } from '../store/place';
import { openForReading, type Connection } from '../store/driver';
import { KnownDesigns, type SentDesign } from './designs';
import { prepared } from '../store/statements';
import { dataVersion, DesignMoved } from '../store/versions';
import { runTask, TaskError, type Task } from './tasks';

/** Bytes of a file that a job maps into memory at most. */
const MAPPED = 2 ** 30;

/** Bytes that the engine may hold in a job's process: one query must not take the memory of the machine. */
const HELD = 512 * 2 ** 20;

/** What the pool sends, and what comes back. */
export interface JobMessage {
  readonly path: string;
  /** Which file is to be found there, where that matters; see {@link placeOf}. */
  readonly place?: string | undefined;
  /** Without its design, where it has one. */
  readonly task: Task;
  readonly design?: SentDesign | undefined;
  /** Milliseconds that it may take. */
  readonly limit: number;
}

export type JobReply =
  | { readonly ready: true }
  | { readonly begun: true }
  | { readonly progress: Progress }
  | { readonly ok: true; readonly result: unknown }
  | {
      readonly ok: false;
      readonly message: string;
      readonly sort: 'person' | 'moved' | 'unfit' | 'defect';
      /** What the system or the engine calls it: a full disk is no defect of ours. */
      readonly code?: string;
    };

/** How a job has ended. */
type Done = Extract<JobReply, { ok: boolean }>;

/** The server may have gone while its answer is on the way: that is no error of this process. */
const unheard = (): void => undefined;

// A child process of the server: does one job after another, each on a connection of its own, which only
// reads unless the job is to change the design; it dies with its parent, which tells its number: it may be gone
// before this line is reached, with the order still to be read.
const parent = Number(process.argv[2]);

/**
 * Whose server was killed must not go on to commit: another may be serving the file by now. While it works it
 * hears of nothing; but a process without its parent is given another one.
 */
const isAlone = (): boolean => process.ppid !== parent;

/** Milliseconds beyond its limit that a job has: who asked for it should have ended it by then. */
const GRACE = 5000;

/** Milliseconds in which a task that writes may clear what it has begun, once its parent is gone; reads end at once. */
const CLEARING = 2000;
const WRITES: ReadonlySet<Task['task']> = new Set([
  'save',
  'keep attachment',
  'apply',
  'undo',
  'adopt',
  'bring',
  'load package',
  'undo entry',
]);

/**
 * A thread that ends this process when its parent is gone, or its time over: while it works it hears of nothing, and
 * one statement may take minutes. What it has not committed by then is undone by whoever opens the file next.
 */
const watch = new Worker(
  `const { parentPort, workerData } = require('node:worker_threads');
   let [until, clearing, alone] = [Infinity, 0, 0];
   parentPort.on('message', (told) => {
     [until, clearing] = told === null ? [Infinity, 0] : [Date.now() + told.time, told.clearing];
   });
   setInterval(() => {
     const now = Date.now();
     if (process.ppid !== workerData) alone ||= now;
     if (now > until || (alone > 0 && now >= alone + clearing)) process.kill(process.pid, 'SIGKILL');
   }, 100);`,
  { eval: true, workerData: parent },
);
watch.unref();

const designs = new KnownDesigns();

/** The file that was read last, open still: whoever looks at it asks again and again. */
let open: { readonly path: string; readonly place: string; readonly db: Connection } | null = null;

/** Milliseconds for which a file that nobody asks for stays open. */
const KEPT_OPEN = 20_000;

const letGo = (): void => {
  const last = open;
  open = null;
  if (!last) return;
  // Of a file that has another in its place the engine would delete the log of that one: such a process ends as it is.
  if (placeOf(last.path) !== last.place) process.kill(process.pid, 'SIGKILL');
  last.db.close();
};

const hasOwnTables = (db: Connection): boolean =>
  prepared(db, 'SELECT 1 FROM temp.sqlite_schema LIMIT 1').get() !== undefined;

let idle = setTimeout(letGo, KEPT_OPEN).unref();

/** A connection that reads a file: the one that is open already where it is this file's. */
function reading(path: string): Connection {
  if (open && open.path === path && open.place === placeOf(path)) return open.db;
  letGo();
  const place = placeOf(path);
  const db = openForReading(path);
  // Long reads go over whole tables once: mapped pages save a system call and a copy each.
  db.exec(`PRAGMA mmap_size = ${MAPPED}; PRAGMA hard_heap_limit = ${HELD}`);
  // With the first that is read of it the engine takes the log that lies beside it.
  dataVersion(db);
  endUnlessItStands(path);
  open = { path, place, db };
  return db;
}

process.on('message', ({ path, place, task, limit, design }: JobMessage) => {
  clearTimeout(idle);
  // Before it is said that the job has begun: a process that has to end here leaves it to another.
  if (open && (open.path !== path || open.place !== placeOf(path))) letGo();
  // Not from a message of each time: what is known of a design is kept with it, and asked for by it.
  if (design) Object.assign(task, { design: designs.take(design) });
  watch.postMessage({ time: limit + GRACE, clearing: WRITES.has(task.task) ? CLEARING : 0 });
  process.send?.({ begun: true } satisfies JobReply, unheard);
  const tell = (progress: Progress): void => {
    // Thrown, so that what was begun is undone and what was being made is cleared; the process then ends.
    if (isAlone()) throw new Error('The server has gone.');
    process.send?.({ progress } satisfies JobReply, unheard);
  };
  if (isAlone()) process.exit(1);
  Promise.resolve()
    .then((): unknown => {
      awaitAt(path, place);
      // The server does not know yet that there is another: the log that lies beside it is that of the one before.
      if (!standsAt(path)) throw new DesignMoved();
      // Changes of the design open the file for writing themselves.
      if (task.task === 'save') return saveApart(path, task.design, task.order, tell);
      if (task.task === 'keep attachment') return keepAttachment(path, task.design, task.order);
      if (task.task === 'apply') return apply(path, task.order, tell);
      if (task.task === 'whole') return isOurs(path);
      if (task.task === 'texts') return textsOf(path);
      if (task.task === 'adopt') return adoptFile(path, task.order, tell);
      if (task.task === 'bring') return bringIn(path, task.order, tell);
      if (task.task === 'open package') return openPackage(path, task.folder);
      if (task.task === 'load package') return loadPackage(path, task.design, task.order, tell);
      if (task.task === 'undo entry') return undoAtOnce(path, task.order, tell);
      if (task.task === 'undo') return undo(path, task.order, tell);
      return runTask(reading(path), task, tell);
    })
    .then(
      (result): Done => ({ ok: true, result }),
      (error: Error & { readonly code?: unknown }): Done => ({
        ok: false,
        message: error.message,
        ...(typeof error.code === 'string' ? { code: error.code } : {}),
        sort: [TaskError, AdoptError, ExpressionError, SheetError, NotUndone].some(
          (sort) => error instanceof sort,
        )
          ? 'person'
          : error instanceof DesignMoved
            ? 'moved'
            : error instanceof ChangeError
              ? 'unfit'
              : 'defect',
      }),
    )
    .then((reply: Done) => {
      watch.postMessage(null);
      // What could not go on may have left anything behind; tables of a job's own are not for the next one.
      if (!reply.ok || (open && hasOwnTables(open.db))) letGo();
      idle = setTimeout(letGo, KEPT_OPEN).unref();
      // A child has one job at a time, and has closed all that it had open to write.
      closeCopied();
      if (isAlone()) process.exit(1);
      process.send?.(reply, unheard);
    });
});
process.on('disconnect', () => process.exit(0));
process.send?.({ ready: true } satisfies JobReply, unheard);
