import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { appendFileSync, mkdtempSync, rmSync, statSync, utimesSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setImmediate } from 'node:timers/promises';
import { chance } from '../testing/killed-at-work';
import { BY_SERVER, openForReading, openForWriting, writeLog, type Connection } from './driver';
import { Stand } from './stand';

describe('where a file is that is open', () => {
  let folder: string;
  let path: string;
  let writer: Connection;
  let stand: Stand;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'heathridge-stand-'));
    path = join(folder, 'file.db');
    writer = openForWriting(path, BY_SERVER);
    writer.exec('CREATE TABLE t (a TEXT)');
    stand = new Stand(path);
  });
  afterEach(() => {
    writer.close();
    rmSync(folder, { recursive: true });
  });

  /** Another process that writes, and puts what it wrote into the file or does not. */
  const tool = (sql: string): void => {
    const { status, stderr } = spawnSync('sqlite3', [path, sql], { encoding: 'utf8' });
    expect([status, stderr]).toEqual([0, '']);
  };

  it('is its place whatever the engine does, in this process and in others', () => {
    const random = chance(7);
    const rows = (many: number): string =>
      `WITH n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < ${many})
       INSERT INTO t SELECT hex(randomblob(${100 + Math.floor(random() * 3000)})) FROM n`;
    let reader: Connection | null = null;
    const ways: Readonly<Record<string, () => void>> = {
      'a row': () => void writer.exec(rows(1)),
      'many rows': () => void writer.exec(rows(700)),
      'none any more': () => void writer.exec('DELETE FROM t'),
      'a row of a tool': () => tool(rows(1)),
      'many rows of a tool': () => tool(rows(700)),
      'a tool that writes part of the log into the file': () => tool('PRAGMA wal_checkpoint(PASSIVE)'),
      'the file made smaller': () => void writer.exec('VACUUM'),
      'the log written into the file': () => void writeLog(writer),
      'part of it': () => void writer.exec('PRAGMA wal_checkpoint(PASSIVE)'),
      'somebody who reads': () => {
        if (reader) reader.exec('COMMIT');
        else reader = openForReading(path);
        reader.exec('BEGIN');
        reader.prepare('SELECT count(*) FROM t').raw().get();
      },
      'nobody who reads': () => {
        reader?.exec('COMMIT');
        reader?.close();
        reader = null;
      },
    };
    const names = Object.keys(ways);
    for (let n = 0; n < 300; n++) {
      const name = names[Math.floor(random() * names.length)]!;
      ways[name]!();
      // It is not looked at each time.
      if (random() < 0.6) expect(stand.look()).withContext(`${n}: ${name}`).toBe('in place');
    }
    ways['nobody who reads']!();
    expect(stand.look()).toBe('in place');
    appendFileSync(path, 'x');
    expect(stand.look()).toBe('written over');
    expect(stand.mayBeWritten()).toBeFalse();
  });

  it('is its place when its time is set as it is, in whole seconds or in millionths', () => {
    for (const unit of [1000, 0.001]) {
      writer.exec("INSERT INTO t VALUES ('x')");
      writeLog(writer);
      expect(stand.look()).toBe('in place');
      const { atimeMs, mtimeMs } = statSync(path);
      utimesSync(path, atimeMs / 1000, (Math.floor(mtimeMs / unit) * unit) / 1000);
      expect(stand.look()).withContext(String(unit)).toBe('in place');
    }
    // As a copy that keeps its time has it.
    utimesSync(path, new Date(0), new Date(0));
    expect(stand.look()).toBe('written over');
  });

  it('is its place at every moment at which another process writes the log into the file', async () => {
    const turns = ['PASSIVE', 'FULL', 'RESTART', 'TRUNCATE'].map(
      (
        how,
      ) => `INSERT INTO t VALUES (hex(randomblob(40000))); UPDATE t SET a = hex(randomblob(20000)) WHERE rowid % 7 = 0;
        PRAGMA wal_checkpoint(${how}); DELETE FROM t WHERE rowid % 5 = 0;`,
    );
    const child = spawn('sqlite3', [path], { stdio: ['pipe', 'ignore', 'inherit'] });
    const ended = once(child, 'exit');
    let isRunning = true;
    void ended.then(() => (isRunning = false));
    child.stdin.end(
      `PRAGMA busy_timeout = 60000; PRAGMA wal_autocheckpoint = 10;\n${turns.join('').repeat(300)}`,
    );
    let looks = 0;
    const found = new Set<string>();
    for (; isRunning; looks++) {
      found.add(stand.look());
      if (looks % 50 === 0) await setImmediate();
    }
    expect([...found]).toEqual(['in place']);
    expect(looks).toBeGreaterThan(1000);
    expect(await ended).toEqual([0, null]);
  });
});
