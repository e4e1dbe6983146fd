import { fork, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { Tell } from '../change/run';
import type { JobMessage, JobReply } from './child';
import { SentDesigns } from './designs';
import type { Task } from './tasks';

/** How a job ended: with an answer, or with the process before it had begun, or while it worked. */
export type Ended =
  | { readonly how: 'answered'; readonly reply: Extract<JobReply, { ok: boolean }> }
  | { readonly how: 'before' | 'amid'; readonly code: number | null; readonly signal: NodeJS.Signals | null };

interface Running {
  readonly tell: Tell | undefined;
  readonly end: (ended: Ended) => void;
  begun: boolean;
}

/**
 * A process that does one job after another. It is listened to for its whole life, whether it has a job or not: a
 * process may be killed by the machine, or by hand, at any moment, and an event that nobody hears ends the server.
 */
export class JobChild {
  private readonly process: ChildProcess;
  private running: Running | null = null;
  private isOver = false;
  private tellGone: () => void = () => undefined;
  /** Resolves when the process is no more. */
  readonly gone = new Promise<void>((resolve) => (this.tellGone = resolve));
  private readonly designs = new SentDesigns();
  /** Whether it has begun to listen: what is sent to it before waits for that. */
  isReady = false;
  /** Jobs that it has done. */
  done = 0;
  /** What it did last: on which file, and whether it wrote to it. */
  last: { readonly path: string; readonly writes: boolean } | null = null;

  /** `left` is called once, when the process is no more. */
  constructor(private readonly left: (child: JobChild) => void) {
    this.process = start();
    this.process.on('message', (reply: JobReply) => this.heard(reply));
    // A channel that closes first: the process does not hear us any more, and is of no use.
    this.process.on('disconnect', () => this.process.kill('SIGKILL'));
    this.process.on('exit', (code, signal) => this.over(code, signal));
    // It could not be started, or what was sent did not arrive: then it has gone, or is to go.
    this.process.on('error', () => {
      this.process.kill('SIGKILL');
      // One that never began has no end either.
      if (this.process.pid === undefined) this.over(null, null);
    });
  }

  get pid(): number | undefined {
    return this.process.pid;
  }

  get isGone(): boolean {
    return this.isOver;
  }

  /** Does a job; another may follow once this has ended. Never rejects. */
  run(message: JobMessage, writes: boolean, tell: Tell | undefined): Promise<Ended> {
    return new Promise((resolve) => {
      if (this.isOver || !this.process.connected) {
        resolve({ how: 'before', code: null, signal: null });
        this.kill();
        return;
      }
      this.last = { path: message.path, writes };
      this.running = { tell, end: resolve, begun: false };
      // What does not arrive is told by the end of the process; without a listener here it would be thrown.
      this.process.send(this.packed(message), (error) => error && this.kill());
    });
  }

  /** The message with its design as this process needs it. */
  private packed(message: JobMessage): JobMessage {
    const { task } = message;
    if (!('design' in task)) return message;
    const { design, ...rest } = task;
    return { ...message, task: rest as Task, design: this.designs.send(design) };
  }

  kill(): void {
    this.process.kill('SIGKILL');
  }

  private heard(reply: JobReply): void {
    this.isReady = true;
    const { running } = this;
    if (!running || 'ready' in reply) return;
    if ('begun' in reply) running.begun = true;
    else if ('progress' in reply) running.tell?.(reply.progress);
    else {
      this.running = null;
      this.done++;
      running.end({ how: 'answered', reply });
    }
  }

  private over(code: number | null, signal: NodeJS.Signals | null): void {
    if (this.isOver) return;
    this.isOver = true;
    const { running } = this;
    this.running = null;
    this.left(this);
    this.tellGone();
    running?.end({ how: running.begun ? 'amid' : 'before', code, signal });
  }
}

/** Megabytes of values that a job may hold: where it takes more its process ends, not the server. */
const MOST_MEMORY = 1024;

/** The child's code lies beside the built server, or beside this source when it runs from source. */
function start(): ChildProcess {
  const source = import.meta.url.endsWith('.ts');
  const entry = fileURLToPath(new URL(source ? './child.ts' : './child.js', import.meta.url));
  return fork(entry, [String(process.pid)], {
    serialization: 'advanced',
    execArgv: [`--max-old-space-size=${MOST_MEMORY}`, ...(source ? ['--import', 'tsx'] : [])],
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
}
