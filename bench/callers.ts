import { connect, type Socket } from 'node:net';

/** Makes a call and gives the body of the answer; what is no success is thrown. */
export type Caller = (method: 'GET' | 'POST', url: string, body?: unknown) => Promise<string>;

/** A kept connection on which one call after the other is made. */
class Line {
  private got: Buffer = Buffer.alloc(0);
  /** The server ends what nothing has been asked over for a while. */
  isClosed = false;
  private waiting: { resolve(text: string): void; reject(error: Error): void } | null = null;

  constructor(private readonly socket: Socket) {
    socket.setNoDelay(true);
    socket.on('data', (bytes) => this.take(bytes));
    socket.on('error', (error) => this.waiting?.reject(error));
    socket.on('close', () => {
      this.isClosed = true;
      this.waiting?.reject(new Error('The connection was closed.'));
    });
  }

  ask(request: string): Promise<string> {
    return new Promise((resolve, reject) => {
      this.waiting = { resolve, reject };
      this.socket.write(request);
    });
  }

  close(): void {
    this.waiting = null;
    this.socket.destroy();
  }

  private take(bytes: Buffer): void {
    this.got = this.got.length === 0 ? bytes : Buffer.concat([this.got, bytes]);
    const end = this.got.indexOf('\r\n\r\n');
    if (end < 0) return;
    const head = this.got.toString('latin1', 0, end);
    const length = /^content-length: (\d+)$/im.exec(head)?.[1];
    if (length === undefined) throw new Error(`An answer without its length: ${head}`);
    if (this.got.length < end + 4 + Number(length)) return;
    const body = this.got.toString('utf8', end + 4);
    const { resolve, reject } = this.waiting!;
    this.got = Buffer.alloc(0);
    this.waiting = null;
    if (head.startsWith('HTTP/1.1 200 ')) resolve(body);
    else reject(new Error(body));
  }
}

/**
 * Calls over kept connections with as little of its own as can be: what a caller costs is not the server's,
 * and Node's own client costs more than the server's whole answer to a short call.
 */
export class Callers {
  private readonly free = new Map<string, Line[]>();
  private readonly all: Line[] = [];

  constructor(private readonly headers: string) {}

  call: Caller = async (method, url, body) => {
    const { host, hostname, port, pathname, search } = new URL(url);
    const free = (this.free.get(host) ?? []).filter(({ isClosed }) => !isClosed);
    this.free.set(host, free);
    const line = free.pop() ?? new Line(connect(Number(port), hostname));
    if (!this.all.includes(line)) this.all.push(line);
    const text = body === undefined ? '' : JSON.stringify(body);
    const sent = text
      ? `content-type: application/json\r\ncontent-length: ${Buffer.byteLength(text)}\r\n`
      : '';
    try {
      return await line.ask(
        `${method} ${pathname}${search} HTTP/1.1\r\nhost: ${host}\r\n${this.headers}${sent}\r\n${text}`,
      );
    } finally {
      free.push(line);
    }
  };

  close(): void {
    for (const line of this.all) line.close();
  }
}
