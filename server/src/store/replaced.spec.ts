import { existsSync, mkdtempSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { Office } from '../testing/office';
import { openForWriting } from './driver';

describe('a database file under an open server', () => {
  let office: Office;
  let aside: string;
  beforeEach(async () => {
    office = await Office.open();
    aside = mkdtempSync(join(tmpdir(), 'heathridge-aside-'));
  });
  afterEach(async () => {
    await office.close();
    rmSync(aside, { recursive: true, force: true });
  });

  const note = (text: string) =>
    office.save({ op: 'update', table: 't_hire', key: [1417], values: { f_hireNote: text }, was: {} });
  const noteIn = (path: string): unknown => {
    const db = openForWriting(path);
    const [found] = db.prepare('SELECT note FROM hire WHERE hire_number = 1417').raw().get() as [unknown];
    db.close();
    return found;
  };

  it('that is renamed or deleted is missed at once, in words, and gone on with when it comes back', async () => {
    const path = office.path;
    expect((await note('before')).status).toBe(200);
    renameSync(path, join(aside, 'moved.db'));
    for (const answer of [
      await note('lost'),
      await office.call('GET', 'design'),
      await office.call('POST', 'tables/t_hire/window', { start: 0, limit: 10 }),
    ])
      expect([answer.status, answer.body.detail]).toEqual([
        404,
        jasmine.stringMatching(
          /not in its place any more: somebody has moved, renamed or deleted it on the server/,
        ),
      ]);
    renameSync(join(aside, 'moved.db'), path);
    expect((await note('after')).status).toBe(200);
    expect(office.ask('SELECT note FROM hire WHERE hire_number = 1417')).toEqual([['after']]);
  });

  it('that is taken away while something is saved does not acknowledge it', async () => {
    const path = office.path;
    // After it was written, and before that is said.
    spyOn(office.app.context.news, 'tell').and.callFake(() => renameSync(path, join(aside, 'moved.db')));
    const body = {
      changes: [{ op: 'update', table: 't_hire', key: [1417], values: { f_hireNote: 'lost' }, was: {} }],
    };
    const { status, body: told } = await office.call('POST', 'rows', body);
    expect([status, told.detail]).toEqual([
      404,
      jasmine.stringMatching(/What you saved just now is not kept in it/),
    ]);
  });

  it('that is replaced by another is read anew, and saved into from then on', async () => {
    const path = office.path;
    const { writer } = office.app.context.files.get(office.file);
    expect((await note('old')).status).toBe(200);
    const other = join(aside, 'other.db');
    writer.prepare('VACUUM INTO ?').run([other]);
    const db = openForWriting(other);
    db.exec(
      "UPDATE hire SET note = 'another' WHERE hire_number = 1417; UPDATE school SET district = 'Elsewhere'",
    );
    db.exec('PRAGMA wal_checkpoint(TRUNCATE)');
    db.close();
    expect((await note('newest of the old')).status).toBe(200);
    // Its log stays where it is: played into the new file it would spoil it.
    expect(existsSync(`${path}-wal`)).toBeTrue();
    const heard: unknown[] = [];
    spyOn(office.app.context.news, 'tell').and.callFake((_, news) => heard.push(news));
    renameSync(other, path);
    const page = await office.call('GET', 'tables/t_hire/row?key=[1417]');
    expect(page.status).toBe(200);
    expect(office.ask('SELECT note FROM hire WHERE hire_number = 1417')).toEqual([['another']]);
    expect(office.ask("SELECT count(*) FROM school WHERE district <> 'Elsewhere'")).toEqual([[0]]);
    expect(heard).toEqual([jasmine.objectContaining({ design: true })]);
    expect((await note('into the new')).status).toBe(200);
    expect(readdirSync(dirname(path)).some((name) => name.endsWith('-wal.stray'))).toBeTrue();
    await office.app.close();
    expect(noteIn(path)).toBe('into the new');
    const sound = openForWriting(path);
    expect(sound.pragma('integrity_check')).toEqual([{ integrity_check: 'ok' }] as never);
    sound.close();
  });
});
