import { createHash } from 'node:crypto';
import {
  closeSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  symlinkSync,
  truncateSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import Database from 'libsql';
import { buildApp } from '../app';
import type { Problem } from '../problem';
import { Office, stillClock } from '../testing/office';
import { until } from '../testing/until';
import { openForWriting } from './driver';
import type { OpenFile } from './files';

/** What somebody may put in the place of a database file, by what it is; `ours` is a whole copy of the file. */
const STRANGE: Readonly<
  Record<string, { readonly make: (path: string, ours: string) => void; readonly told: RegExp }>
> = {
  nothing: { make: () => undefined, told: /not in its place any more|not there \(any more\)/ },
  'an empty file': { make: (path) => writeFileSync(path, ''), told: /stands an empty file/ },
  'one byte': { make: (path) => writeFileSync(path, 'S'), told: /a file that is no database/ },
  'a letter': {
    make: (path) => writeFileSync(path, 'Dear colleagues,\n'.repeat(400)),
    told: /a file that is no database/,
  },
  'a folder': { make: (path) => mkdirSync(path), told: /something that is no file/ },
  'a database of another program': {
    make: (path) => {
      const db = new Database(path);
      db.exec('CREATE TABLE theirs (a); INSERT INTO theirs VALUES (1)');
      db.close();
    },
    told: /a database of another program/,
  },
  'one with a log of its own': {
    make: (path) => {
      const db = openForWriting(`${path}.theirs`);
      db.exec('CREATE TABLE theirs (a)');
      // As it lies there when its program is killed: all of it is in the log.
      for (const suffix of ['', '-wal']) copyFileSync(`${path}.theirs${suffix}`, path + suffix);
      db.close();
      rmSync(`${path}.theirs`);
    },
    told: /a file that is no database|a database of another program|an empty file/,
  },
  'one of ours that has lost its tables': {
    make: (path, ours) => {
      copyFileSync(ours, path);
      const db = new Database(path);
      db.exec('PRAGMA writable_schema = ON; DELETE FROM sqlite_schema');
      db.close();
    },
    told: /is damaged/,
  },
  'half of ours': {
    make: (path, ours) => {
      copyFileSync(ours, path);
      truncateSync(path, statSync(path).size >> 1);
    },
    told: /is damaged/,
  },
  'one of ours of a later version': {
    make: (path, ours) => {
      copyFileSync(ours, path);
      const db = new Database(path);
      db.exec(
        "UPDATE hr_definition SET document = json_set(document, '$.format', 9999) WHERE type = 'settings'",
      );
      db.close();
    },
    told: /later version/,
  },
};

describe('in the place of a database file', () => {
  let office: Office;
  let aside: string;
  const begin = async (): Promise<void> => {
    office = await Office.open();
    aside = mkdtempSync(join(tmpdir(), 'heathridge-aside-'));
  };
  const end = async (): Promise<void> => {
    await office.close();
    rmSync(aside, { recursive: true, force: true });
  };

  const note = (text: string) =>
    office.save({ op: 'update', table: 't_hire', key: [1417], values: { f_hireNote: text }, was: {} });
  const NOTE = 'SELECT note FROM hire WHERE hire_number = 1417';
  const whole = (): string => {
    const copy = join(aside, 'whole.db');
    office.app.context.files.get(office.file).writer.prepare('VACUUM INTO ?').run([copy]);
    return copy;
  };
  const takenAway = (path: string): void => renameSync(path, join(aside, 'original.db'));
  const putBack = (path: string): void => {
    rmSync(path, { recursive: true, force: true });
    renameSync(join(aside, 'original.db'), path);
  };
  /** Makes something elsewhere, and moves it into a place, with the log that it may have. */
  const putInto = (path: string, make: (path: string, ours: string) => void, ours: string): void => {
    const made = join(aside, 'made');
    make(made, ours);
    for (const suffix of ['', '-wal'])
      if (existsSync(made + suffix)) renameSync(made + suffix, path + suffix);
  };
  /** The note in a file as somebody finds it who has but the file, on another machine. */
  const heldAt = (path: string): unknown => {
    const copy = join(aside, 'looked-at.db');
    copyFileSync(path, copy);
    const db = openForWriting(copy);
    expect(db.pragma('integrity_check')).toEqual([{ integrity_check: 'ok' }] as never);
    const [held] = db.prepare(NOTE).raw().get() as [unknown];
    db.close();
    for (const suffix of ['', '-wal', '-shm']) rmSync(copy + suffix, { force: true });
    return held;
  };
  const bytesAt = (path: string): string | null =>
    existsSync(path) && statSync(path).isFile()
      ? createHash('sha256').update(readFileSync(path)).digest('hex')
      : null;

  /** What whoever works with it is told by all roads. */
  const told = async (): Promise<string[]> => {
    const answers = [
      await office.call('GET', 'design'),
      await note('lost'),
      await office.call('POST', 'tables/t_hire/window', { start: 0, limit: 10 }),
      await office.call('POST', 'draft/check', { base: 1, changes: [] }),
      await office.call('GET', 'desk'),
      await office.call('GET', 'schema.sql'),
    ];
    expect(answers.filter(({ status }) => status >= 500)).toEqual([]);
    return answers.flatMap(({ status, body }) => (status === 200 ? [] : [body.detail as string]));
  };

  /** Its log lies under the name that another has then: no other process would find it. */
  const TAKES_LOG = 'one with a log of its own';
  const isLeft = (kind: string): boolean => kind !== 'one of ours of a later version';

  const whileOpen = async (kind: string): Promise<void> => {
    const { make, told: words } = STRANGE[kind]!;
    const path = office.path;
    const ours = whole();
    expect((await note(`before ${kind}`)).status).toBe(200);
    takenAway(path);
    putInto(path, make, ours);
    const before = bytesAt(path);
    const said = await told();
    expect(said.length).toBeGreaterThan(3);
    for (const one of said) expect(one).toMatch(words);
    if (isLeft(kind)) expect(bytesAt(path)).toBe(before);
    expect(heldAt(join(aside, 'original.db'))).toBe(`before ${kind}`);
    putBack(path);
    rmSync(ours);
  };

  describe('while it is open', () => {
    beforeAll(begin);
    afterAll(end);

    for (const kind of Object.keys(STRANGE).filter((one) => one !== TAKES_LOG))
      it(`${kind} is told in words, left as it is, and the file that comes back has all that was saved`, async () => {
        await whileOpen(kind);
        expect(office.ask(NOTE)).toEqual([[`before ${kind}`]]);
        expect((await note('after')).status).toBe(200);
        expect(office.ask(NOTE)).toEqual([['after']]);
      });
  });

  describe('when the server starts', () => {
    let ours: string;
    let path: string;
    beforeAll(async () => {
      await begin();
      path = office.path;
      ours = whole();
      await office.app.close();
    });
    afterAll(end);

    for (const [kind, { make, told: words }] of Object.entries(STRANGE))
      it(`${kind} is told in words, left as it is, and opened when the file is back`, async () => {
        for (const suffix of ['', '-wal', '-shm']) rmSync(path + suffix, { force: true });
        putInto(path, make, ours);
        const before = bytesAt(path);
        const app = await buildApp({ data: office.data, clock: stillClock });
        expect(() => app.context.files.get(office.file)).toThrowMatching(({ detail }: Problem) =>
          words.test(detail),
        );
        if (isLeft(kind)) expect(bytesAt(path)).toBe(before);
        for (const suffix of ['', '-wal', '-shm']) rmSync(path + suffix, { force: true, recursive: true });
        copyFileSync(ours, path);
        // It is not looked at again at once.
        let file: OpenFile | undefined;
        await until(() => {
          try {
            file = app.context.files.get(office.file);
          } catch {
            return false;
          }
          return true;
        });
        const { reader } = file!;
        expect(reader.prepare('SELECT count(*) > 1000 FROM hire').raw().all()).toEqual([[1]] as never);
        await app.close();
      });
  });

  describe('each time anew', () => {
    beforeEach(begin);
    afterEach(end);

    it(`${TAKES_LOG} is told in words, and the file that comes back is opened by the next server`, async () => {
      const path = office.path;
      await whileOpen(TAKES_LOG);
      for (const one of await told()) expect(one).toMatch(/when the server has been started anew/);
      await office.app.close();
      expect(heldAt(path)).toBe(`before ${TAKES_LOG}`);
    });

    /** What somebody may do to the very file that is open. */
    const WRITTEN: Readonly<Record<string, (path: string, ours: string) => void>> = {
      'a copy': (path, ours) => copyFileSync(ours, path),
      nothing: (path) => truncateSync(path, 0),
      'half of it': (path) => truncateSync(path, statSync(path).size >> 1),
      'a letter': (path) => writeFileSync(path, 'Dear colleagues'),
      'a few bytes': (path) => {
        const file = openSync(path, 'r+');
        writeSync(file, Buffer.alloc(100, 0x5a), 0, 100, statSync(path).size >> 1);
        closeSync(file);
      },
    };
    for (const [what, write] of Object.entries(WRITTEN))
      it(`${what} written over it is told, and neither mixed with what was there nor saved into`, async () => {
        const path = office.path;
        const ours = whole();
        expect((await note('in the log')).status).toBe(200);
        write(path, ours);
        const before = bytesAt(path);
        const said = await told();
        expect(said.length).toBe(6);
        for (const one of said) expect(one).toMatch(/has written over this database file/);
        expect(bytesAt(path)).toBe(before);
        expect(existsSync(`${path}-wal`)).toBeFalse();
        // A copy that is moved into its place is worked with at once.
        copyFileSync(ours, join(aside, 'copy.db'));
        renameSync(join(aside, 'copy.db'), path);
        expect((await note('in the copy')).status).toBe(200);
        await office.app.close();
        expect(heldAt(path)).toBe('in the copy');
      });

    it('a copy written over it is what the next server works with', async () => {
      const path = office.path;
      const ours = whole();
      expect((await note('in the log')).status).toBe(200);
      copyFileSync(ours, path);
      expect((await note('lost')).status).toBe(409);
      await office.app.close();
      expect(bytesAt(path)).toBe(bytesAt(ours));
      expect(heldAt(path)).not.toBe('in the log');
    });

    it('a copy written over it while something is saved does not acknowledge that', async () => {
      const path = office.path;
      const ours = whole();
      spyOn(office.app.context.news, 'tell').and.callFake(() => copyFileSync(ours, path));
      const { status, body } = await note('lost');
      expect([status, body.detail]).toEqual([
        409,
        jasmine.stringMatching(/has written over this database file/),
      ]);
    });

    for (const suffix of ['-wal', '-shm'])
      it(`what belongs to it (${suffix}) is missed, and nothing of what was saved`, async () => {
        const path = office.path;
        expect((await note('saved before')).status).toBe(200);
        renameSync(path + suffix, join(aside, 'own'));
        for (const one of await told()) expect(one).toMatch(/when the server has been started anew/);
        renameSync(join(aside, 'own'), path + suffix);
        expect((await note('saved after')).status).toBe(200);
        // At the very moment at which something is saved.
        spyOn(office.app.context.news, 'tell').and.callFake(() => rmSync(path + suffix));
        expect((await note('saved at last')).status).toBe(200);
        expect((await note('lost')).status).toBe(409);
        await office.app.close();
        expect(heldAt(path)).toBe('saved at last');
      });

    it('another of ours is worked with, and each has what was saved in it when the first comes back', async () => {
      const path = office.path;
      const other = whole();
      for (let turn = 1; turn <= 3; turn++) {
        expect((await note(`in the first ${turn}`)).status).toBe(200);
        takenAway(path);
        renameSync(other, path);
        expect((await note(`in the second ${turn}`)).status).toBe(200);
        renameSync(path, other);
        putBack(path);
        expect(office.ask(NOTE)).toEqual([[`in the first ${turn}`]]);
        // A job finds the log that is there now.
        const { body } = await office.call('POST', 'tables/t_hire/window', { start: 0, limit: 10 });
        expect(body.rows.length).toBe(10);
      }
      expect((await note('in the first, at last')).status).toBe(200);
      await office.app.close();
      expect(heldAt(path)).toBe('in the first, at last');
      expect(heldAt(other)).toBe('in the second 3');
    });

    it('another of ours that was left amid something is as it was before that', async () => {
      const path = office.path;
      const other = whole();
      const tool = new Database(other);
      tool.exec("UPDATE hire SET note = 'before' WHERE hire_number = 1417; PRAGMA cache_size = 1");
      tool.exec("BEGIN; UPDATE hire SET note = 'amid'");
      expect(existsSync(`${other}-journal`)).toBeTrue();
      // As they lie there when its program is killed.
      for (const suffix of ['', '-journal']) copyFileSync(other + suffix, `${other}.left${suffix}`);
      tool.exec('ROLLBACK');
      tool.close();
      for (const suffix of ['-journal', '']) renameSync(`${other}.left${suffix}`, path + suffix);
      expect(office.ask(NOTE)).toEqual([['before']]);
      expect((await note('saved after')).status).toBe(200);
      await office.app.close();
      expect(heldAt(path)).toBe('saved after');
    });

    it('a link to another of ours is worked with, and each has what was saved in it', async () => {
      const path = office.path;
      const other = whole();
      expect((await note('in the first')).status).toBe(200);
      takenAway(path);
      symlinkSync(other, path);
      expect((await note('in the second')).status).toBe(200);
      expect(office.ask(NOTE)).toEqual([['in the second']]);
      putBack(path);
      expect(office.ask(NOTE)).toEqual([['in the first']]);
      expect(heldAt(other)).toBe('in the second');
      // Beside it lies nothing any more that would be played into it.
      expect(existsSync(`${other}-wal`)).toBeFalse();
    });

    it('one that is taken away has all that was saved in it, wherever it is', async () => {
      const path = office.path;
      expect((await note('saved before')).status).toBe(200);
      takenAway(path);
      expect((await note('lost')).status).toBe(409);
      // As somebody finds it who takes it to another machine.
      expect(heldAt(join(aside, 'original.db'))).toBe('saved before');
    });

    it('another that is open is refused, and opened by the next server', async () => {
      const path = office.path;
      expect((await note('in the first')).status).toBe(200);
      const { body: made } = await office.call('POST', '/api/files', { name: 'Beside it' });
      const { path: second } = office.app.context.files.get(made.id);
      takenAway(path);
      renameSync(second, path);
      putBack(second);
      for (const id of [office.file, made.id]) {
        const { status, body } = await office.call('GET', `/api/files/${id}/design`);
        expect([status, body.detail]).toEqual([409, jasmine.stringMatching(/open under another name/)]);
      }
      await office.app.close();
      // This process has them open still: to the next server they are files like others.
      for (const at of [path, second]) {
        copyFileSync(at, `${at}.copy`);
        for (const suffix of ['-wal', '-shm']) rmSync(at + suffix, { force: true });
        renameSync(`${at}.copy`, at);
      }
      const app = await buildApp({ data: office.data, clock: stillClock });
      expect(app.context.files.get(office.file).design.tables).toEqual([]);
      expect(app.context.files.get(made.id).reader.prepare(NOTE).raw().all()).toEqual([
        ['in the first'],
      ] as never);
      await app.close();
    });

    it('another leaves no log behind when the server is started again', async () => {
      const path = office.path;
      const other = whole();
      expect((await note('of the first')).status).toBe(200);
      renameSync(other, path);
      expect((await note('of the second')).status).toBe(200);
      await office.app.close();
      const strays = (): string[] => readdirSync(dirname(path)).filter((name) => name.endsWith('.stray'));
      expect(strays().length).toBeGreaterThan(0);
      await (await buildApp({ data: office.data, clock: stillClock })).close();
      expect(strays()).toEqual([]);
    });
  });
});
