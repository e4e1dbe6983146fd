import type { Tell } from '../change/run';
import type { ProblemType } from '@heathridge/core/api';
import { Problem } from '../problem';
import { DesignMoved } from '../store/versions';
import type { JobMessage } from './child';
import { caller } from './caller';
import { JobChild, type Ended } from './job-child';
import { Line } from './line';
import type { Results, Task } from './tasks';

export interface JobOptions {
  /** Ends the job when whoever asked has gone. */
  readonly signal?: AbortSignal;
  /** Milliseconds until the job is stopped; 60,000 by default. */
  readonly limit?: number;
  /** Hears how far the job is. */
  readonly tell?: Tell;
  /** The line it waits in; by default that of its task. */
  readonly queue?: Queue;
}

/** What waits in lines of its own, so that nobody at a form waits for a report. */
export type Queue = 'short' | 'long' | 'write' | 'picture' | 'background' | 'trial';

/** Children that work at once for each line. */
const MOST_RUNNING: Readonly<Record<Queue, number>> = {
  short: 3,
  long: 3,
  write: 2,
  // One at a time: sixteen at once took 3.4 GB.
  picture: 1,
  background: 1,
  trial: 1,
};

const QUEUES: Readonly<Partial<Record<Task['task'], Queue>>> = {
  window: 'short',
  count: 'short',
  list: 'short',
  choices: 'short',
  page: 'short',
  record: 'short',
  more: 'short',
  along: 'short',
  past: 'short',
  'past of all': 'short',
  'work out': 'short',
  'prepared change': 'short',
  save: 'write',
  'keep attachment': 'picture',
  'read attachment': 'short',
  apply: 'write',
  undo: 'write',
  whole: 'write',
  texts: 'write',
  adopt: 'write',
  bring: 'write',
  'open package': 'write',
  'load package': 'write',
  'undo entry': 'write',
  anchors: 'background',
  advise: 'trial',
};

const queueOf = (task: Task): Queue => QUEUES[task.task] ?? 'long';

const WRITING: ReadonlySet<Queue> = new Set(['write', 'picture']);

const writes = (task: Task): boolean => WRITING.has(queueOf(task));

/** What a person is told when something of theirs cannot be worked with, by what was to be done with it. */
const REFUSALS: Readonly<Partial<Record<Task['task'], ProblemType>>> = {
  whole: 'not-taken-in',
  texts: 'not-taken-in',
  adopt: 'not-taken-in',
  look: 'sheet-refused',
  stage: 'sheet-refused',
  bring: 'sheet-refused',
  'open package': 'not-taken-in',
  'load package': 'not-taken-in',
  'undo entry': 'not-undone',
};

/**
 * Jobs after which a child gives way to another: what the driver has opened for them is given back only when its
 * memory is looked through, whenever that may be.
 */
const MOST_JOBS = 2000;

/** Children that are kept though they have nothing to do: as many as read at once for people at forms. */
const MOST_IDLE = MOST_RUNNING.short;
/** And of those that write: a save of many rows follows another. */
const MOST_IDLE_WRITERS = 1;

interface SharedJob {
  readonly result: Promise<unknown>;
  readonly stop: AbortController;
  /** Who hears how far it is. */
  readonly tells: Set<Tell>;
  waiting: number;
}

/** Children that do long reads: the engine cannot be interrupted from inside, a process can be killed. */
export class JobPool {
  private idle: JobChild[] = [];
  /** All that live, whether they work or not. */
  private readonly alive = new Set<JobChild>();
  private readonly lines = Object.fromEntries(
    Object.entries(MOST_RUNNING).map(([queue, places]) => [queue, new Line(places)]),
  ) as Record<Queue, Line>;
  /** Jobs for which several may wait. */
  private readonly shared = new Map<string, SharedJob>();
  /** Jobs that write, by the file to which they do. */
  private readonly writing = new Map<string, number>();
  private closed = false;
  /**
   * Which file on the disk is the one at a path to whoever asks for a job: no job is done on one that was put in its place
   * meanwhile. Undefined where that does not matter.
   */
  placeAt: (path: string) => string | undefined = () => undefined;

  constructor(private readonly mostJobs = MOST_JOBS) {}

  /**
   * Runs a task on a file. Rejects with a `stopped` or `query-failed` problem, with DesignMoved when the file has
   * another design by now than the task was made from, or with an Error for a defect.
   */
  async run<T extends Task>(
    path: string,
    task: T,
    { signal, limit = 60_000, tell, queue = queueOf(task) }: JobOptions = {},
  ): Promise<Results[T['task']]> {
    const place = this.placeAt(path);
    const line = this.lines[queue];
    const who = caller.getStore() ?? '';
    await line.enter(who, signal, gaveUp);
    try {
      if (signal?.aborted) throw gaveUp();
      if (writes(task)) this.writing.set(path, (this.writing.get(path) ?? 0) + 1);
      return (await this.job({ path, place, task, limit }, signal, tell)) as Results[T['task']];
    } finally {
      if (writes(task)) this.writing.set(path, (this.writing.get(path) ?? 1) - 1);
      if (this.writing.get(path) === 0) this.writing.delete(path);
      line.leave(who);
    }
  }

  /** Whether a job of ours writes to a file just now: it ends, and whoever wants to write has but to wait. */
  isWriting(path: string): boolean {
    return this.writing.has(path);
  }

  /**
   * Runs a task as {@link run} does, once for all who ask the same meanwhile (`key`): it is stopped when the last of
   * them has gone.
   */
  runOnce<T extends Task>(
    key: string,
    path: string,
    task: T,
    { signal, tell, ...options }: JobOptions = {},
  ): Promise<Results[T['task']]> {
    if (signal?.aborted) return Promise.reject(gaveUp());
    let job = this.shared.get(key);
    if (!job) {
      const stop = new AbortController();
      const tells = new Set<Tell>();
      const tellAll: Tell = (progress) => tells.forEach((one) => one(progress));
      const result = this.run(path, task, { ...options, signal: stop.signal, tell: tellAll }).finally(() => {
        if (this.shared.get(key) === job) this.shared.delete(key);
      });
      // Whoever waits hears of it; where nobody does any more nobody need.
      result.catch(() => undefined);
      job = { result, stop, tells, waiting: 0 };
      this.shared.set(key, job);
    }
    const own = job;
    own.waiting++;
    if (tell) own.tells.add(tell);
    return new Promise((resolve, reject) => {
      const leave = (): void => {
        own.waiting--;
        if (tell) own.tells.delete(tell);
        reject(gaveUp());
        if (own.waiting > 0) return;
        // Who asks now begins anew.
        if (this.shared.get(key) === own) this.shared.delete(key);
        own.stop.abort();
      };
      signal?.addEventListener('abort', leave, { once: true });
      own.result
        .finally(() => signal?.removeEventListener('abort', leave))
        .then((result) => resolve(result as Results[T['task']]), reject);
    });
  }

  /** Starts a child ahead of need, where none has nothing to do: nobody is to wait for one to begin. */
  warm(): void {
    const isThere = this.idle.some(({ last, done }) => !last?.writes && done < this.mostJobs);
    if (!this.closed && !isThere) this.idle.push(this.start());
  }

  /**
   * Ends all children, also those that work: what they have not done wholly is not done at all. Resolves when none of
   * them is there any more, nor has a file open.
   */
  async close(): Promise<void> {
    this.closed = true;
    this.idle = [];
    for (const child of this.alive) child.kill();
    await Promise.all([...this.alive].map(({ gone }) => gone));
  }

  private start(): JobChild {
    const child = new JobChild((gone) => {
      this.alive.delete(gone);
      this.idle = this.idle.filter((other) => other !== gone);
    });
    this.alive.add(child);
    return child;
  }

  /** Keeps a child for what comes next, unless there are enough, or it has done enough and another is ready. */
  private release(child: JobChild): void {
    const alike = this.idle.filter(({ last }) => last?.writes === child.last?.writes);
    const most = child.last?.writes ? MOST_IDLE_WRITERS : MOST_IDLE;
    const isOld = child.done >= this.mostJobs && (child.last?.writes || alike.some(({ isReady }) => isReady));
    if (this.closed || alike.length >= most || isOld) child.kill();
    else this.idle.push(child);
    this.warm();
  }

  /**
   * A child that has nothing to do: one that has this file open still, where there is one. Those that read have a limit
   * of memory that the engine never takes back, and a file open: what writes is for others.
   */
  private takeIdle({ path, task }: JobMessage): JobChild | undefined {
    const able = this.idle.filter((child) => child.last === null || child.last.writes === writes(task));
    const ready = able.filter(({ isReady }) => isReady);
    // One that has done enough is for when there is no other.
    const fresh = ready.filter(({ done }) => done < this.mostJobs);
    const child = fresh.find(({ last }) => last?.path === path) ?? fresh[0] ?? ready[0] ?? able[0];
    this.idle = this.idle.filter((other) => other !== child);
    return child;
  }

  private async job(
    message: JobMessage,
    signal: AbortSignal | undefined,
    tell: Tell | undefined,
  ): Promise<unknown> {
    if (this.closed) throw gaveUp();
    const { task } = message;
    for (let turn = 1; ; turn++) {
      const ended = await this.once(message, signal, tell);
      // A child that went before it had begun has done nothing: another does it.
      if (ended.how === 'before' && turn < MOST_TURNS && !this.closed) continue;
      if (ended.how !== 'answered') throw this.closed ? gaveUp() : lost(task, ended);
      const { reply } = ended;
      if (reply.ok) return reply.result;
      if (reply.sort === 'moved') throw new DesignMoved();
      if (reply.sort === 'unfit')
        throw new Problem('design-moved', reply.message, { version: versionOf(task) });
      if (reply.sort === 'person') throw new Problem(REFUSALS[task.task] ?? 'query-failed', reply.message);
      throw Object.assign(new Error(reply.message), reply.code === undefined ? {} : { code: reply.code });
    }
  }

  /** Has one child do a job, which is killed when whoever asked has gone, or its time is over. */
  private async once(
    message: JobMessage,
    signal: AbortSignal | undefined,
    tell: Tell | undefined,
  ): Promise<Ended> {
    const child = this.takeIdle(message) ?? this.start();
    // Whoever comes while it works is not to wait for a process to begin.
    this.warm();
    let reason: string | null = null;
    const kill = (why: string): void => {
      reason ??= why;
      child.kill();
    };
    const stop = (): void => kill('This was stopped.');
    const { limit } = message;
    const timer = setTimeout(
      () => kill(`This took longer than ${limit / 1000} seconds and was stopped.`),
      limit,
    );
    signal?.addEventListener('abort', stop, { once: true });
    try {
      const ended = await child.run(message, writes(message.task), tell);
      // What writes and has answered has done it, whatever came meanwhile.
      const isDone = ended.how === 'answered' && writes(message.task);
      if (reason !== null && !isDone)
        throw new Problem(
          'stopped',
          ended.how === 'amid' && writes(message.task) ? `${String(reason)} ${LOOK_FIRST}` : reason,
        );
      if (ended.how === 'answered') this.release(child);
      else this.warm();
      return ended;
    } finally {
      clearTimeout(timer);
      signal?.removeEventListener('abort', stop);
    }
  }
}

/** The version of the design that a task is about. */
function versionOf(task: Task): number {
  if ('design' in task) return task.design.version;
  return task.task === 'apply' ? task.order.base : 0;
}

/** What is said of writing that was stopped: it may have been done at that very moment. */
const LOOK_FIRST = 'Either all of it is there or nothing: look before you do it again.';

/** Times that a job is given to a child which goes before it begins. */
const MOST_TURNS = 3;

/** What people read of a job whose process ended by itself, or was ended by the machine. */
function lost(task: Task, { code, signal }: Extract<Ended, { how: 'before' | 'amid' }>): Problem {
  process.stderr.write(
    `The process of a job (${task.task}) ended by itself: ${signal ?? code ?? 'not begun'}.\n`,
  );
  return new Problem(
    'stopped',
    writes(task)
      ? 'The process that wrote this ended before it could say whether all of it was done. Either all of it is there or nothing: look before you try again.'
      : 'The process that worked on this ended before it was done: try again. If it stays, ask for less at once.',
  );
}

const gaveUp = (): Problem => new Problem('stopped', 'This was stopped before it began.');
