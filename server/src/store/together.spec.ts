import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { openForReading, openForWriting, type Connection } from './driver';
import { together } from './together';

describe('work that is committed together', () => {
  let folder: string;
  let db: Connection;
  let reader: Connection;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'together-'));
    db = openForWriting(join(folder, 'a.db'));
    db.exec('CREATE TABLE t (n INTEGER PRIMARY KEY, text TEXT NOT NULL); PRAGMA busy_timeout = 25');
    reader = openForReading(join(folder, 'a.db'));
  });
  afterEach(() => {
    reader.close();
    db.close();
    rmSync(folder, { recursive: true });
  });

  const there = (): number[] =>
    (reader.prepare('SELECT n FROM t ORDER BY n').raw().all() as [number][]).map(([n]) => n);
  const put = (n: number): Promise<number> =>
    together(db, () => {
      db.prepare('INSERT INTO t VALUES (?, ?)').run([n, `text ${n}`]);
      return n;
    });
  const ended = (work: readonly Promise<unknown>[]) =>
    Promise.allSettled(work).then((all) => all.map(({ status }) => status === 'fulfilled'));

  it('is there for others once it resolves, with what it gave, and waits for the disk once', async () => {
    const before = reader.prepare('PRAGMA data_version').raw().get() as [number];
    expect(await Promise.all(Array.from({ length: 20 }, (_, n) => put(n)))).toEqual(
      Array.from({ length: 20 }, (_, n) => n),
    );
    expect(there()).toEqual(Array.from({ length: 20 }, (_, n) => n));
    // Others see one change, not twenty.
    const after = reader.prepare('PRAGMA data_version').raw().get() as [number];
    expect(after[0] - before[0]).toBe(1);
  });

  it('is undone alone where it throws, and what came before and behind it stands', async () => {
    const all: Promise<unknown>[] = [
      put(1),
      put(2),
      together(db, () => {
        db.prepare("INSERT INTO t VALUES (100, 'half of it')").run();
        throw new Error('no');
      }),
      together(db, () => db.prepare('INSERT INTO t VALUES (101, NULL)').run()),
      // It is there already.
      put(1),
      put(3),
    ];
    expect(await ended(all)).toEqual([true, true, false, false, false, true]);
    await expectAsync(all[2]!).toBeRejectedWithError('no');
    expect(there()).toEqual([1, 2, 3]);
    // Nothing is left open, also where it was alone.
    expect(await ended([together(db, () => db.prepare('INSERT INTO t VALUES (1, 1)').run())])).toEqual([
      false,
    ]);
    expect(db.inTransaction).toBeFalse();
    await put(4);
    expect(there()).toEqual([1, 2, 3, 4]);
  });

  it('is rejected as a whole where another writes, and can be tried again', async () => {
    const other = openForWriting(join(folder, 'a.db'));
    other.exec('BEGIN IMMEDIATE');
    const all = [put(1), put(2)];
    expect(await ended(all)).toEqual([false, false]);
    await expectAsync(all[0]!).toBeRejectedWith(jasmine.objectContaining({ code: 'SQLITE_BUSY' }));
    other.exec('COMMIT');
    other.close();
    expect(await ended([put(1), put(2)])).toEqual([true, true]);
  });

  it('is rejected as a whole where the disk is full in the middle of it', async () => {
    const [pages] = db.prepare('PRAGMA page_count').raw().get() as [number];
    db.exec(`PRAGMA max_page_count = ${pages + 2}`);
    const large = together(db, () => db.prepare('INSERT INTO t VALUES (50, ?)').run('x'.repeat(100_000)));
    const all = [put(1), large, put(2)];
    const results = await ended(all);
    expect(results[1]).toBeFalse();
    // What was answered as done is there, and nothing else.
    expect(there()).toEqual([1, 2].filter((_, i) => results[i * 2]));
    db.exec('PRAGMA max_page_count = 4294967294');
    expect(await ended([put(7)])).toEqual([true]);
  });

  it('goes on in the order in which it came, however much there is', async () => {
    const order: number[] = [];
    await Promise.all(Array.from({ length: 200 }, (_, n) => put(n).then((done) => order.push(done))));
    expect(order).toEqual(Array.from({ length: 200 }, (_, n) => n));
    expect(there().length).toBe(200);
  });
});
