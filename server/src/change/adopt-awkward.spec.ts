import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'libsql';
import { Office, type Answer } from '../testing/office';
import '../testing/timeouts';

/** Files that somebody has forged, or that no tool should have made: taken in safely, or refused in words. */
describe('taking in an awkward file', () => {
  let office: Office;
  let folder: string;
  beforeAll(async () => {
    office = await Office.open();
    folder = mkdtempSync(join(tmpdir(), 'awkward-'));
  });
  afterAll(async () => {
    await office.close();
    rmSync(folder, { recursive: true, force: true });
  });

  const readFolder = (): string[] =>
    ['files', 'copies']
      .map((name) => join(office.data, name))
      .flatMap((path) => (existsSync(path) ? readdirSync(path) : []));

  let files = 0;
  /** Makes a file by SQL and gives its bytes. */
  function made(work: (db: Database.Database) => void, start?: Buffer): Buffer {
    const path = join(folder, `${++files}.db`);
    if (start) writeFileSync(path, start);
    const db = new Database(path);
    work(db);
    db.close();
    return readFileSync(path);
  }

  async function takeIn(bytes: Buffer, query = ''): Promise<Answer> {
    return office.call('POST', `/api/files/adopt?name=Awkward%20${++files}${query}`, bytes, 'builder', {
      'content-type': 'application/vnd.sqlite3',
    });
  }

  const at = (answer: Answer, url: string): string => `/api/files/${answer.body.id as string}/${url}`;
  const rows = async (answer: Answer, table: string): Promise<unknown[][]> =>
    (await office.call('POST', at(answer, `tables/${table}/window`), { start: 0, limit: 10 })).body
      .rows as unknown[][];
  const isSound = async (answer: Answer): Promise<void> => {
    const { body } = await office.call('POST', at(answer, 'sound'), {});
    expect(body).toEqual({ findings: [], missing: [], damage: [] });
  };
  const forge = (db: Database.Database, sql: string, name: string): void => {
    db.exec('PRAGMA writable_schema = ON');
    db.prepare('UPDATE sqlite_schema SET sql = ? WHERE name = ?').run(sql, name);
    db.exec('PRAGMA writable_schema = RESET');
  };

  describe('with more than one statement where the schema has one', () => {
    const other = (): string => join(folder, 'other.db');
    beforeAll(() => {
      const db = new Database(other());
      db.exec("CREATE TABLE secret (a TEXT); INSERT INTO secret VALUES ('untouched')");
      db.close();
    });
    const evil = (): string => `; ATTACH '${other()}' AS other; UPDATE other.secret SET a = 'changed'`;
    const forged: Readonly<Record<string, [make: string, name: string, text: (evil: string) => string]>> = {
      'a view': [
        'CREATE VIEW v AS SELECT a FROM t',
        'v',
        (tail) => `CREATE VIEW v AS SELECT a FROM t${tail}`,
      ],
      'a trigger': [
        'CREATE TRIGGER r AFTER INSERT ON t BEGIN SELECT 1; END',
        'r',
        (tail) => `CREATE TRIGGER r AFTER INSERT ON t BEGIN SELECT 1; END${tail}`,
      ],
      'an index': ['CREATE INDEX i ON t (a, b)', 'i', (tail) => `CREATE INDEX i ON t (a, b)${tail}`],
      'a table': ['CREATE TABLE u (x)', 'u', (tail) => `CREATE TABLE u (x)${tail}`],
    };
    for (const [what, [make, name, text]] of Object.entries(forged))
      it(`such as ${what}`, async () => {
        const bytes = made((db) => {
          db.exec(
            `CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT, b TEXT); INSERT INTO t VALUES (1, 'x', 'y'); ${make}`,
          );
          forge(db, text(evil()), name);
        });
        const answer = await takeIn(bytes);
        expect([200, 422]).withContext(JSON.stringify(answer.body)).toContain(answer.status);
        const db = new Database(other());
        expect(db.prepare('SELECT a FROM secret').raw().all()).toEqual([['untouched']]);
        db.close();
        if (answer.status === 200 && what !== 'a table') {
          expect(JSON.stringify(answer.body.notes)).toContain(name);
          await isSound(answer);
        }
      });
  });

  describe('that says it is ours', () => {
    const ours = (work: (db: Database.Database) => void): Buffer => {
      const path = join(folder, `${++files}.db`);
      office.app.context.files.get(office.file).writer.prepare('VACUUM INTO ?').run(path);
      return made(work, readFileSync(path));
    };

    it('and is', async () => {
      const answer = await takeIn(ours(() => undefined));
      expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
      expect(answer.body.notes).toEqual(['This file was made by Heathridge.']);
      expect((await rows(answer, 't_school')).length).toBe(10);
      await isSound(answer);
      const query = office.design.queries[0]!;
      expect((await office.call('POST', at(answer, 'query/run'), { query })).status).toBe(200);
    });

    it('with triggers and views that its definitions do not know: they are named and taken out', async () => {
      const answer = await takeIn(
        ours((db) =>
          db.exec(`CREATE TRIGGER spy AFTER INSERT ON hr_log BEGIN DELETE FROM school; END;
            CREATE VIEW odd AS SELECT 1; CREATE TABLE stowaway (x)`),
        ),
      );
      expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
      const notes = (answer.body.notes as string[]).join('\n');
      for (const name of ['trigger spy', 'view odd', 'table stowaway']) expect(notes).toContain(name);
      expect((await rows(answer, 't_school')).length).toBe(10);
    });

    it('with rows that break its promises: they are counted', async () => {
      const answer = await takeIn(
        ours((db) =>
          db.exec(
            'PRAGMA foreign_keys = OFF; UPDATE hire SET player = 999999 WHERE rowid = (SELECT min(rowid) FROM hire)',
          ),
        ),
      );
      expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
      expect(JSON.stringify(answer.body.notes)).toContain('1 row is not as the file promises');
    });

    const refused: Readonly<Record<string, [work: string, words: RegExp]>> = {
      'with a condition that leaves its parentheses': [
        `INSERT INTO hr_definition (id, type, position, document) VALUES ('k_x', 'kept', 999, '{"type":"kept","id":"k_x","table":"t_school","what":"check","name":"x","sql":"1)) STRICT; ATTACH ''x'' AS y; --"}')`,
        /one statement of its kind, or one condition/,
      ],
      'with a kept view of two statements': [
        `INSERT INTO hr_definition (id, type, position, document) VALUES ('k_x', 'kept', 999, '{"type":"kept","id":"k_x","table":null,"what":"view","name":"x","sql":"CREATE VIEW x AS SELECT 1; DROP TABLE school"}')`,
        /one statement of its kind/,
      ],
      'with a definition that is no JSON': ["UPDATE hr_definition SET document = '{'", /cannot be read/],
      'with a definition of no type we know': [
        `UPDATE hr_definition SET document = '{"type":"spell","id":"x"}' WHERE type = 'query'`,
        /none of ours/,
      ],
      'of a later version': [
        "UPDATE hr_definition SET document = json_set(document, '$.format', 99) WHERE type = 'settings'",
        /later version/,
      ],
      'without a table of its own': [
        'PRAGMA foreign_keys = OFF; DROP VIEW school_readable; DROP TABLE school',
        /table school/,
      ],
      'with a table that is another': [
        'ALTER TABLE school ADD COLUMN extra TEXT',
        /not the one that its definitions describe/,
      ],
      'with definitions that are no text': [
        "UPDATE hr_definition SET document = CAST(x'7be9' AS TEXT)",
        /bytes that are no text/,
      ],
      'with history that is no text': [
        "INSERT INTO hr_history (at, by, table_id, key, op) VALUES (CAST(x'e9' AS TEXT), '', '', '', 'insert')",
        /bytes that are no text/,
      ],
    };
    for (const [what, [work, words]] of Object.entries(refused))
      it(what, async () => {
        const answer = await takeIn(ours((db) => db.exec(work)));
        expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(422);
        expect(answer.body.detail).toMatch(words);
      });
  });

  describe('with texts that are no UTF-8', () => {
    const LATIN =
      "CREATE TABLE guest (id INTEGER PRIMARY KEY, name TEXT, town TEXT UNIQUE); CREATE TRIGGER busy AFTER UPDATE ON guest BEGIN DELETE FROM guest; END; INSERT INTO guest VALUES (1, 'Ann', 'Ayr'), (2, CAST(x'5a6fe9' AS TEXT), CAST(x'c5' AS TEXT)), (3, CAST(x'4f27' || x'92' AS TEXT), NULL); CREATE TABLE w (k TEXT PRIMARY KEY, v TEXT) WITHOUT ROWID; INSERT INTO w VALUES (CAST(x'e9' AS TEXT), CAST(x'80' AS TEXT))";

    it('asks in which encoding they were written, and names them', async () => {
      const answer = await takeIn(made((db) => db.exec(LATIN)));
      expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(422);
      expect(answer.body.type).toBe('/problems/unread-text');
      expect(answer.body.detail).toContain(
        '5 texts are no UTF-8 (name of guest, town of guest, k of w, v of w)',
      );
      const [name] = answer.body.unread as {
        rows: number;
        sample: { row: string; readings: Record<string, string> }[];
      }[];
      expect(name!.rows).toBe(2);
      expect(name!.sample[0]).toEqual({
        row: '2',
        readings: jasmine.objectContaining({ 'windows-1252': 'Zoé', 'windows-1251': 'Zoй' }) as never,
      });
    });

    it('reads them in the encoding that is said, and nothing else', async () => {
      const answer = await takeIn(
        made((db) => db.exec(LATIN)),
        '&encoding=windows-1252',
      );
      expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
      expect(await rows(answer, 't_guest')).toEqual([
        [1, 'Ann', 'Ayr'],
        [2, 'Zoé', 'Å'],
        [3, "O'\u2019", null],
      ]);
      expect(await rows(answer, 't_w')).toEqual([['é', '€']]);
      expect(JSON.stringify(answer.body.notes)).toContain(
        '2 texts in name of guest were no UTF-8 and read as windows-1252.',
      );
      await isSound(answer);
    });

    it('knows no other encoding', async () => {
      expect(
        (
          await takeIn(
            made((db) => db.exec(LATIN)),
            '&encoding=ebcdic',
          )
        ).status,
      ).toBe(400);
    });
  });

  for (const encoding of ['UTF-16le', 'UTF-16be'])
    it(`in ${encoding} is kept in UTF-8, with all that is in it`, async () => {
      const answer = await takeIn(
        made((db) =>
          db.exec(`PRAGMA encoding = '${encoding}'; CREATE TABLE a (id INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT NOT NULL, size REAL, bytes BLOB);
            CREATE TABLE b (id INTEGER PRIMARY KEY, a INTEGER REFERENCES a (id)); CREATE INDEX by_name ON a (name);
            INSERT INTO a (name, size, bytes) VALUES ('Zoë 🎻', 1.5, x'00ff'), ('日本', NULL, NULL); INSERT INTO b VALUES (1, 2); CREATE TABLE c (only_one); INSERT INTO c VALUES (NULL), (x'01'), ('one')`),
        ),
      );
      expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
      expect((await rows(answer, 't_a')).map(([, name]) => name)).toEqual(['Zoë 🎻', '日本']);
      expect((await rows(answer, 't_b')).length).toBe(1);
      expect((answer.body.notes as string[])[0]).toContain('UTF-16');
      await isSound(answer);
    });

  it('keeps order keys for what an adopted table has an index for', async () => {
    const answer = await takeIn(
      made((db) =>
        db.exec(
          "CREATE TABLE p (id INTEGER PRIMARY KEY, name TEXT UNIQUE); INSERT INTO p VALUES (1, 'Zoë'), (2, 'Émile'), (3, 'eva')",
        ),
      ),
    );
    expect(answer.status).toBe(200);
    await isSound(answer);
  });

  it('keeps the file as it came, to the byte, and nothing beside it', async () => {
    const plain = "CREATE TABLE t (id INTEGER PRIMARY KEY, name TEXT); INSERT INTO t VALUES (1, 'One')";
    const files: Record<string, Buffer> = {
      plain: made((db) => db.exec(plain)),
      'with a log': made((db) => db.exec(`PRAGMA journal_mode = WAL; ${plain}`)),
      'with accents apart': made((db) => db.exec(`${plain}; INSERT INTO t VALUES (2, 'e' || char(769))`)),
      'in UTF-16': made((db) => db.exec(`PRAGMA encoding = 'UTF-16'; ${plain}`)),
    };
    for (const [name, bytes] of Object.entries(files)) {
      const answer = await takeIn(bytes);
      expect(answer.status)
        .withContext(`${name}: ${JSON.stringify(answer.body)}`)
        .toBe(200);
      const folderOf = join(office.data, 'copies', answer.body.id as string);
      expect(readdirSync(folderOf)).withContext(name).toEqual(['as-it-came.db']);
      expect(readFileSync(join(folderOf, 'as-it-came.db')).equals(bytes))
        .withContext(name)
        .toBeTrue();
    }
  });

  it('leaves nothing behind of what it refuses', async () => {
    const before = readFolder();
    await takeIn(made((db) => db.exec('CREATE TABLE t (a TEXT)')).subarray(0, 3000));
    expect(readFolder()).toEqual(before);
  });
});
