import { rmSync } from 'node:fs';
import { openForScratch, type Connection } from '../store/driver';

/** Numbers that are kept in memory: some 30 MB. More of them go to the disk. */
const MOST_IN_MEMORY = 500_000;
/** Numbers that go to the disk in one transaction. */
const AT_ONCE = 100_000;

/**
 * Whole numbers that were seen, each with the line where that was: as many as come, in memory that does not grow with
 * them. `path` is where those lie that memory does not hold; nothing is there after {@link close}.
 */
export class Seen {
  private fresh = new Map<number, number>();
  private disk: {
    readonly db: Connection;
    readonly find: ReturnType<Connection['prepare']>;
    readonly add: ReturnType<Connection['prepare']>;
  } | null = null;

  constructor(
    private readonly path: string,
    private readonly most = MOST_IN_MEMORY,
  ) {}

  /** The line where a number was seen; undefined where it was not. */
  find(number: number): number | undefined {
    return this.fresh.get(number) ?? (this.disk?.find.raw().get([number]) as [line: number] | undefined)?.[0];
  }

  add(number: number, line: number): void {
    this.fresh.set(number, line);
    if (this.fresh.size >= (this.disk ? Math.min(AT_ONCE, this.most) : this.most)) this.toDisk();
  }

  close(): void {
    this.disk?.db.close();
    if (this.disk) rmSync(this.path, { force: true });
    this.disk = null;
    this.fresh.clear();
  }

  private toDisk(): void {
    this.disk ??= this.opened();
    const { db, add } = this.disk;
    db.exec('BEGIN');
    // In their order: then each leaf of the tree is written once.
    for (const entry of [...this.fresh].sort(([a], [b]) => a - b)) add.run(entry);
    db.exec('COMMIT');
    this.fresh.clear();
  }

  private opened(): NonNullable<typeof this.disk> {
    rmSync(this.path, { force: true });
    const db = openForScratch(this.path);
    db.exec('CREATE TABLE seen (number INTEGER PRIMARY KEY, line INTEGER NOT NULL) STRICT');
    return {
      db,
      find: db.prepare('SELECT line FROM seen WHERE number = ?'),
      add: db.prepare('INSERT OR IGNORE INTO seen (number, line) VALUES (?, ?)'),
    };
  }
}
