import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync, readdirSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** The server as it is started where people work, but from source: what is checked is what lies here. */
const ENTRY = join(dirname(fileURLToPath(import.meta.url)), '..', '..', '..', '..', 'demo', 'src', 'main.ts');

/** A port that nobody uses at this moment. */
export function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const server = createServer();
    server.listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo;
      server.close(() => resolve(port));
    });
  });
}

/** What a process takes of the machine: megabytes in memory, files and connections that it has open. */
export interface Taken {
  readonly memory: number;
  readonly open: number;
}

/** A server in a process of its own, which is killed and started again. */
export class Served {
  private process: ChildProcess | null = null;
  /** All that it has written about what went wrong. */
  errors = '';

  constructor(
    private readonly data: string,
    private readonly port: number,
  ) {}

  get address(): string {
    return `http://127.0.0.1:${this.port}`;
  }

  get pid(): number {
    return this.process?.pid ?? 0;
  }

  /** Starts it; resolves when it serves. Rejects when it ends before that. */
  start(env: Readonly<Record<string, string>> = {}): Promise<void> {
    // The one that was built is started in no time, as it is where people work.
    const built = process.env['FAULTS_BUILT'];
    const command = built ? [built] : ['--import', 'tsx', ENTRY];
    const child = spawn(process.execPath, command, {
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, ...env, PORT: String(this.port), HEATHRIDGE_DATA: this.data },
    });
    this.process = child;
    child.stderr.on('data', (bytes: Buffer) => (this.errors += bytes.toString()));
    return new Promise((resolve, reject) => {
      child.stdout.on('data', (bytes: Buffer) => {
        if (bytes.toString().includes('serves at')) resolve();
      });
      child.once('exit', (code) =>
        reject(new Error(`The server ended with ${code} before it served: ${this.errors}`)),
      );
    });
  }

  /** Ends it by a signal; gives the milliseconds that it took. */
  end(signal: 'SIGKILL' | 'SIGTERM'): Promise<number> {
    const child = this.process!;
    const begun = performance.now();
    return new Promise((resolve) => {
      if (child.exitCode !== null || child.signalCode !== null) resolve(0);
      child.once('exit', () => resolve(performance.now() - begun));
      child.kill(signal);
    });
  }

  /** Whether it is there, without having been ended from here. */
  get isUp(): boolean {
    return this.process?.exitCode === null && this.process.signalCode === null;
  }

  /** The processes that work for it. */
  children(): number[] {
    try {
      return readFileSync(`/proc/${this.pid}/task/${this.pid}/children`, 'utf8')
        .split(' ')
        .map(Number)
        .filter(Boolean);
    } catch {
      // It has gone, and they with it.
      return [];
    }
  }

  /** What it takes of the machine itself, without its children; null when it is not there. */
  taken(pid = this.pid): Taken | null {
    try {
      const status = readFileSync(`/proc/${pid}/status`, 'utf8');
      const kilobytes = Number(/^VmRSS:\s+(\d+)/m.exec(status)?.[1] ?? 0);
      return { memory: kilobytes / 1024, open: readdirSync(`/proc/${pid}/fd`).length };
    } catch {
      return null;
    }
  }
}
