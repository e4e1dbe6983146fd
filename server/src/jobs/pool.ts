import { fork, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { Tell } from '../change/run';
import { Problem } from '../http/problem';
import type { JobMessage, JobReply } from './child';
import type { Results, Task } from './tasks';

export interface JobOptions {
  /** Ends the job when whoever asked has gone. */
  readonly signal?: AbortSignal;
  /** Milliseconds until the job is stopped; 60,000 by default. */
  readonly limit?: number;
  /** Hears how far the job is. */
  readonly tell?: Tell;
}

const MOST_RUNNING = 4;

/** Children that do long reads: the engine cannot be interrupted from inside, a process can be killed. */
export class JobPool {
  private idle: ChildProcess[] = [];
  private running = 0;
  private readonly waiting: (() => void)[] = [];
  private closed = false;

  /** Runs a task on a file. Rejects with a `stopped` or `query-failed` problem, or an Error for a defect. */
  async run<T extends Task>(
    path: string,
    task: T,
    { signal, limit = 60_000, tell }: JobOptions = {},
  ): Promise<Results[T['task']]> {
    if (this.running >= MOST_RUNNING) await new Promise<void>((resolve) => this.waiting.push(resolve));
    this.running++;
    try {
      if (signal?.aborted) throw new Problem('stopped', 'This was stopped before it began.');
      return (await this.job(path, task, signal, limit, tell)) as Results[T['task']];
    } finally {
      this.running--;
      this.waiting.shift()?.();
    }
  }

  /** Starts a child ahead of need, so that the first query does not wait for one. */
  warm(): void {
    if (!this.closed && this.idle.length === 0) this.idle.push(start());
  }

  close(): void {
    this.closed = true;
    this.idle.forEach((child) => child.kill());
    this.idle = [];
  }

  private job(
    path: string,
    task: Task,
    signal: AbortSignal | undefined,
    limit: number,
    tell: Tell | undefined,
  ): Promise<unknown> {
    const child = this.idle.pop() ?? start();
    return new Promise((resolve, reject) => {
      const settle = (): void => {
        clearTimeout(timer);
        signal?.removeEventListener('abort', stop);
        child.removeAllListeners();
      };
      const kill = (reason: string): void => {
        settle();
        child.kill('SIGKILL');
        reject(new Problem('stopped', reason));
      };
      const stop = (): void => kill('This was stopped.');
      const timer = setTimeout(
        () => kill(`This took longer than ${limit / 1000} seconds and was stopped.`),
        limit,
      );
      signal?.addEventListener('abort', stop, { once: true });
      child.on('message', (reply: JobReply) => {
        if ('progress' in reply) {
          tell?.(reply.progress);
          return;
        }
        settle();
        if (this.closed || this.idle.length >= 2) child.kill();
        else this.idle.push(child);
        if (reply.ok) resolve(reply.result);
        else
          reject(
            reply.sort === 'person' ? new Problem('query-failed', reply.message) : new Error(reply.message),
          );
      });
      child.once('exit', (code) => {
        settle();
        reject(new Error(`A job's process ended by itself (${code}).`));
      });
      const message: JobMessage = { path, task };
      child.send(message);
    });
  }
}

/** The child's code lies beside the built server, or beside this source when it runs from source. */
function start(): ChildProcess {
  const source = import.meta.url.endsWith('.ts');
  const entry = fileURLToPath(new URL(source ? './child.ts' : './child.js', import.meta.url));
  return fork(entry, {
    serialization: 'advanced',
    execArgv: source ? ['--import', 'tsx'] : [],
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
}
