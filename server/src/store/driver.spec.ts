import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { BY_SERVER, migrate, openForReading, openForWriting, ormOver } from './driver';
import { isHeld } from './private';
import { fact } from './registry-schema';
import { inTransaction } from './statements';

describe('a connection that was refused because somebody else wrote', () => {
  let folder: string;
  beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'heathridge-driver-'))));
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  const WAYS = {
    'by itself': (orm: ReturnType<typeof ormOver>, name: string) =>
      orm.insert(fact).values({ name, value: 'x' }).run(),
    'with what it made': (orm: ReturnType<typeof ormOver>, name: string) =>
      orm.insert(fact).values({ name, value: 'x' }).returning({ name: fact.name }).get(),
    'in a transaction': (orm: ReturnType<typeof ormOver>, name: string) =>
      orm.transaction((tx) => tx.insert(fact).values({ name, value: 'x' }).run()),
  };
  for (const [way, write] of Object.entries(WAYS))
    it(`keeps what it writes afterwards (${way})`, async () => {
      const path = join(folder, 'registry.db');
      const db = openForWriting(path, BY_SERVER);
      const orm = ormOver(db);
      migrate(orm, 'registry');
      const other = openForWriting(path);
      const names = (): string[] =>
        (other.prepare('SELECT name FROM fact ORDER BY name').raw().all() as [string][]).map(
          ([name]) => name,
        );
      inTransaction(other, () => expect(() => write(orm, 'refused')).toThrowMatching(isHeld));
      write(orm, 'kept');
      expect(names()).toEqual(['kept']);
      // What the driver still has of the one that was refused goes at some time.
      for (let n = 0; n < 3; n++) {
        (globalThis as { gc?: () => void }).gc?.();
        await pause(10);
      }
      write(orm, 'kept too');
      expect(names()).toEqual(['kept', 'kept too']);
      const reader = openForReading(path);
      expect(reader.prepare('SELECT count(*) FROM fact').raw().get()).toEqual([2]);
      for (const one of [reader, other, db]) one.close();
    });
});
