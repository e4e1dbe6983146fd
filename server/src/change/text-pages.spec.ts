import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'libsql';
import { dice } from '@heathridge/demo';
import { textFacts } from './text-pages';

/** What is read of the pages themselves, against what the engine hands over of the same file. */
describe('the texts of a table as its pages hold them', () => {
  let folder: string;
  let files = 0;
  beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'text-pages-'))));
  afterAll(() => rmSync(folder, { recursive: true }));

  const MOST = 40;
  const make = (work: (db: Database.Database) => void, size = 4096): string => {
    const path = join(folder, `${files++}.db`);
    const db = new Database(path);
    db.exec(`PRAGMA page_size = ${size}`);
    work(db);
    db.close();
    return path;
  };
  const rootOf = (path: string, table: string): number => {
    const db = new Database(path);
    const [root] = db.prepare('SELECT rootpage FROM sqlite_schema WHERE name = ?').raw().get([table]) as [
      number,
    ];
    db.close();
    return root;
  };
  const asked = (path: string, columns: number): readonly [number[], number[]] => {
    const db = new Database(path);
    const beyond = new Set<number>();
    const long = new Set<number>();
    for (let i = 0; i < columns; i++)
      for (const [text] of db
        .prepare(`SELECT CAST(c${i} AS BLOB) FROM t WHERE typeof(c${i}) = 'text'`)
        .raw()
        .all() as [Buffer][]) {
        if (text.some((byte) => byte === 0 || byte > 127)) beyond.add(i);
        if (text.length > MOST || text.includes(10)) long.add(i);
      }
    db.close();
    return [[...beyond].sort(), [...long].sort()];
  };
  const read = (path: string, columns: number): unknown => {
    const facts = textFacts(path, rootOf(path, 't'), columns, MOST);
    return facts && [[...facts.beyond].sort(), [...facts.long].sort()];
  };

  it('are found as the engine gives them, whatever they are and wherever they lie', () => {
    const seen = { beyond: 0, plain: 0 };
    for (let seed = 1; seed <= 60; seed++) {
      const random = dice(seed);
      const size = random.pick([512, 1024, 4096, 65_536]);
      const columns = random.whole(1, 9);
      // Lengths about those at which a record goes on over another page.
      const length = (): number => random.pick([0, 1, 60, 130, size - 60, size - 30, size, 3 * size + 7]);
      const value = (odd: boolean): unknown => {
        const text = 'abc xyz '.repeat(Math.ceil(length() / 8)).slice(0, length());
        switch (random.whole(0, odd ? 9 : 5)) {
          case 0:
            return null;
          case 1:
            return random.whole(-5, 2_000_000_000);
          case 2:
            return random.whole(0, 1000) / 7;
          case 3:
            return Buffer.from(`é${text}`);
          case 6:
            return `${text}é`;
          case 7:
            return `${text}\0`;
          case 8:
            return `${text.slice(0, 5)}\n`;
          default:
            return random.chance(0.7) ? text.slice(0, MOST) : text;
        }
      };
      const path = make((db) => {
        const names = Array.from({ length: columns }, (_, i) => `c${i}`);
        db.exec(`CREATE TABLE other (x); CREATE TABLE t (${names.join(', ')}); BEGIN`);
        const add = db.prepare(
          `INSERT OR IGNORE INTO t (rowid, ${names.join(', ')}) VALUES (?, ${names.map(() => '?').join(', ')})`,
        );
        const odd = names.map(() => random.chance(0.4));
        for (let row = random.whole(0, 300); row > 0; row--) {
          const key = random.pick([row, -row, row * 1_000_003, row * 9_000_000_000_001]);
          const insert = names.map((_, i) => value(odd[i]! && random.chance(0.05)));
          add.run([key, ...insert]);
        }
        db.exec('DELETE FROM t WHERE rowid % 5 = 0; COMMIT');
      }, size);
      const expected = asked(path, columns);
      expect(read(path, columns)).withContext(`seed ${seed}`).toEqual(expected);
      seen.beyond += expected[0].length;
      seen.plain += columns - expected[0].length;
    }
    expect(Math.min(seen.beyond, seen.plain)).toBeGreaterThan(30);
  });

  it('are not taken for plain where a row does not hold a column itself', () => {
    const path = make((db) => {
      db.exec(
        "CREATE TABLE t (a TEXT); INSERT INTO t VALUES ('x'); ALTER TABLE t ADD COLUMN b TEXT DEFAULT 'é'",
      );
    });
    expect(read(path, 2)).toEqual([[1], []]);
  });

  it('are left to the engine in a table that is no b-tree by row number', () => {
    const path = make((db) =>
      db.exec("CREATE TABLE t (a TEXT PRIMARY KEY) WITHOUT ROWID; INSERT INTO t VALUES ('é')"),
    );
    expect(read(path, 1)).toBeNull();
  });

  it('are left to the engine in a file that is not as the format says', () => {
    const path = make((db) => {
      db.exec("CREATE TABLE t (a TEXT); INSERT INTO t SELECT 'Row ' || value FROM generate_series(1, 5000)");
    });
    const root = rootOf(path, 't');
    const whole = readFileSync(path);
    const damaged = (name: string, change: (bytes: Buffer) => Buffer): string => {
      const other = join(folder, `${name}.db`);
      writeFileSync(other, change(Buffer.from(whole)));
      return other;
    };
    const at = (root - 1) * 4096;
    const ways: Record<string, (bytes: Buffer) => Buffer> = {
      'a circle': (bytes) => (bytes.writeUInt32BE(root, at + 8), bytes),
      'a page that is none': (bytes) => (bytes.writeUInt32BE(999_999, at + 8), bytes),
      'a page of another sort': (bytes) => (bytes.writeUInt8(7, at), bytes),
      'a cell behind the page': (bytes) => (bytes.writeUInt16BE(4095, at + 12), bytes),
      'too many cells': (bytes) => (bytes.writeUInt16BE(60_000, at + 3), bytes),
      'half a file': (bytes) => bytes.subarray(0, at + 100),
      'no header': (bytes) => bytes.subarray(0, 50),
    };
    for (const [name, change] of Object.entries(ways))
      expect(textFacts(damaged(name, change), root, 1, MOST))
        .withContext(name)
        .toBeNull();
    // Whatever a byte becomes, it ends, and with an answer.
    const random = dice(7);
    for (let i = 0; i < 300; i++) {
      const change = (bytes: Buffer): Buffer => (
        bytes.writeUInt8(random.whole(0, 255), random.whole(100, bytes.length - 1)),
        bytes
      );
      const facts = textFacts(damaged('other', change), root, 1, MOST);
      expect(facts === null || facts.beyond.size <= 1).toBeTrue();
    }
  });
});
