import { fork } from 'node:child_process';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { openForWriting } from '../server/src/store/driver';
import { medians, type Figure } from './figures';
import type { Sending, Sent } from './sender';

/** Whoever sends a file does so from a process of its own, as a browser does. */
class Sender {
  private readonly child = fork(fileURLToPath(new URL('./sender.js', import.meta.url)));

  constructor(
    private readonly origin: string,
    private readonly cookie: string,
  ) {}

  /** Sends a file and waits for the answer; throws what that says where it is no success. */
  async send(address: string, path: string): Promise<void> {
    const { origin, cookie } = this;
    const sent = new Promise<Sent>((resolve) =>
      this.child.once('message', (answer) => resolve(answer as Sent)),
    );
    this.child.send({ address, path, headers: { origin, cookie } } satisfies Sending);
    const { status, text } = await sent;
    if (status !== 200) throw new Error(text);
  }

  close(): void {
    this.child.disconnect();
  }
}

/** Rows and pictures of a file that is taken in, beside what the engine alone takes to copy them. */
export async function takingIn(
  data: string,
  rows: number,
  address: string,
  cookie: string,
): Promise<Figure[]> {
  const sorts: [what: string, make: string][] = [
    [
      `Taking in ${rows.toLocaleString('en')} rows of 7 columns (every value read, copied, compared), over HTTP`,
      `CREATE TABLE t (id INTEGER PRIMARY KEY, name TEXT NOT NULL, town TEXT, day TEXT, fee REAL, n INTEGER, note TEXT);
        INSERT INTO t SELECT value, 'Person number ' || value, 'Town ' || (value % 1000), date('2015-01-01', (value % 4000) || ' days'),
          (value % 10000) / 100.0, value * 7 % 100000, 'some note here ' || value FROM generate_series(1, ${rows})`,
    ],
    [
      'Taking in 10,000 pictures of 4 kB, over HTTP',
      'CREATE TABLE t (id INTEGER PRIMARY KEY, name TEXT, photo BLOB); INSERT INTO t SELECT value, value, randomblob(4100) FROM generate_series(1, 10000)',
    ],
  ];
  const figures: Figure[] = [];
  const sender = new Sender(address, cookie);
  for (const [i, [what, make]] of sorts.entries()) {
    const source = join(data, `foreign-${i}.db`);
    const made = openForWriting(source);
    made.exec(`${make}; PRAGMA wal_checkpoint(TRUNCATE); PRAGMA journal_mode = DELETE`);
    made.close();
    let files = 0;
    const ours = (): Promise<void> =>
      sender.send(`${address}/api/files/adopt?name=Foreign%20${i}%20${++files}`, source);
    const theirs = (): void => {
      const copy = join(data, `copy-${i}-${++files}.db`);
      const target = openForWriting(copy);
      target.exec(
        `ATTACH '${source}' AS src; CREATE TABLE t AS SELECT * FROM src.t WHERE FALSE; INSERT INTO t SELECT * FROM src.t`,
      );
      target.close();
    };
    figures.push({
      what,
      against: 'driver, INSERT … SELECT of the same rows into a new file',
      ...(await medians(ours, theirs, 7)),
    });
  }
  sender.close();
  return figures;
}
