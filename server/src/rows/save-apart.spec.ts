import { renameSync, copyFileSync } from 'node:fs';
import { MOST_AT_ONCE } from '../routes/rows';
import { Office, type Answer } from '../testing/office';
import '../testing/timeouts';

/** More rows than are saved while others wait. */
const MANY = MOST_AT_ONCE * 3;

describe('a save of many rows, made by a child', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const schools = (many: number, tag: string) =>
    Array.from({ length: many }, (_, i) => ({
      op: 'insert',
      table: 't_school',
      values: { f_schoolName: `${tag} ${i}`, f_schoolDistrict: 'Causey' },
    }));
  const count = (tag: string): number =>
    office.ask<[number]>(`SELECT count(*) FROM school WHERE name LIKE '${tag} %'`)[0]![0];
  const ok = ({ status, body }: Answer): Answer['body'] => {
    expect(status).withContext(JSON.stringify(body).slice(0, 500)).toBe(200);
    return body;
  };
  const spied = () => spyOn(office.app.context.jobs, 'run').and.callThrough();

  it('is answered, kept in history and told like one that is made at once', async () => {
    const run = spied();
    const told = spyOn(office.app.context.news, 'tell');
    const { entry, saved } = ok(await office.save(...schools(MANY, 'Apart')));
    expect(run.calls.allArgs().map(([, task]) => task.task)).toEqual(['save']);
    expect(saved.length).toBe(MANY);
    expect(saved.map(({ change }: { change: number }) => change)).toEqual(
      Array.from({ length: MANY }, (_, i) => i),
    );
    expect(count('Apart')).toBe(MANY);
    expect(office.ask(`SELECT count(*) FROM hr_history WHERE log = ${entry}`)).toEqual([[MANY]]);
    expect(told.calls.mostRecent().args[1]).toEqual(
      jasmine.objectContaining({ by: 'Mara Ashdown', entry, tables: [{ table: 't_school', changed: null }] }),
    );
    run.calls.reset();
    ok(await office.save(...schools(MOST_AT_ONCE, 'Short')));
    expect(run).not.toHaveBeenCalled();
  });

  it('is so of long texts too, and their undoing, which the file looks through letter by letter', async () => {
    const run = spied();
    const tasks = () => run.calls.allArgs().map(([, task]) => task.task);
    const long = 'ü'.repeat(10_001);
    const { entry, saved } = ok(
      await office.save({
        op: 'insert',
        table: 't_hire',
        values: {
          f_hirePlayer: 1,
          f_hireInstrument: 1,
          f_hireHiredOn: '2025-01-01',
          f_hireDueBack: '2025-03-01',
          f_hireReturnedOn: '2025-02-01',
          f_hireMonthlyFee: '10.00',
          f_hireNote: long,
        },
      }),
    );
    expect(entry).toBeGreaterThan(0);
    const { key } = saved[0];
    const note = () => office.ask(`SELECT note FROM hire WHERE hire_number = ${key[0]}`);
    expect(note()).toEqual([[long]]);
    const emptied = ok(
      await office.save({
        op: 'update',
        table: 't_hire',
        key,
        values: { f_hireNote: null },
        was: { f_hireNote: long },
      }),
    );
    expect(tasks()).toEqual(['save']);
    ok(await office.call('POST', `log/${emptied.entry}/undo`, {}));
    expect(tasks()).toEqual(['save', 'undo entry']);
    expect(note()).toEqual([[long]]);
  });

  it('is refused as a whole, each error beside its row', async () => {
    const changes = [
      ...schools(MANY, 'Refused'),
      { op: 'insert', table: 't_school', values: { f_schoolDistrict: 'No name' } },
    ];
    const { status, body } = await office.save(...changes);
    expect([status, body.errors[0].change, body.errors[0].field]).toEqual([422, MANY, 'f_schoolName']);
    expect(count('Refused')).toBe(0);
    const twice = schools(MANY, 'Twice').map((change) => ({ ...change, temp: 'one' }));
    const bad = await office.save(...twice);
    expect([bad.status, bad.body.detail]).toEqual([400, 'Two rows of this save have one name.']);
  });

  it('is made once under its name, and not under that of another', async () => {
    const request = { id: 'once-and-only', changes: schools(MANY, 'Named') };
    const first = ok(await office.call('POST', 'rows', request));
    expect(ok(await office.call('POST', 'rows', request))).toEqual(first);
    expect(count('Named')).toBe(MANY);
    const { status } = await office.call('POST', 'rows', { ...request, changes: schools(MANY, 'Other') });
    expect(status).toBe(400);
  });

  it('reads a block of cells there too, and says of each what cannot be read', async () => {
    const paste = (cells: string[][]) =>
      office.call('POST', 'tables/t_hire/paste', {
        keys: [],
        fields: ['f_hirePlayer', 'f_hireInstrument', 'f_hireHiredOn', 'f_hireDueBack', 'f_hireReturnedOn'],
        cells,
      });
    const wrong = await paste(
      Array.from({ length: 50 }, () => ['nobody at all', 'nothing', 'x', '2025-03-01', '2025-02-01']),
    );
    expect([wrong.status, wrong.body.detail]).toEqual([422, '150 of these values cannot be taken.']);
    const run = spied();
    const cells = Array.from({ length: 50 }, (_, i) => [`Pasted ${i}`, 'Causey']);
    const { saved } = ok(
      await office.call('POST', 'tables/t_school/paste', {
        keys: [],
        fields: ['f_schoolName', 'f_schoolDistrict'],
        cells,
      }),
    );
    expect(saved.length).toBe(50);
    expect(run.calls.allArgs().map(([, task]) => task.task)).toEqual(['save']);
    expect(count('Pasted')).toBe(50);
  });

  it('waits for nobody, and who saves meanwhile waits for it', async () => {
    const large = office.save(...schools(3000, 'Large'));
    // Long enough for the child to have the file.
    while (!office.app.context.jobs.isWriting(office.path)) await new Promise(setImmediate);
    const short = await Promise.all(
      Array.from({ length: 5 }, (_, i) => office.save(...schools(1, `Mid${i}`))),
    );
    expect(short.map(({ status }) => status)).toEqual([200, 200, 200, 200, 200]);
    ok(await large);
    expect(count('Large')).toBe(3000);
  });

  it('is not made where a design has been applied meanwhile, but checked against it and made then', async () => {
    const large = office.save(...schools(MANY, 'Moved'));
    const applied = await office.apply({
      change: 'changeField',
      table: 't_school',
      field: 'f_schoolName',
      set: { label: 'name of it' },
    });
    const { status } = await large;
    // Either came first; the other was made on what it left, or told to wait.
    expect([200, 423]).toContain(status);
    expect([200, 409, 423]).toContain(applied.status);
    expect(count('Moved')).toBe(status === 200 ? MANY : 0);
  });

  it('is read of a file that was put in the place of the one that a child had open', async () => {
    const sorted = (): Promise<Answer> =>
      office.call('POST', 'tables/t_hire/window', {
        start: 0,
        limit: 1,
        sort: [{ field: 'f_hireNote', descending: true }],
      });
    const { writer } = office.app.context.files.get(office.file);
    const before = ok(await sorted());
    writer.exec('PRAGMA wal_checkpoint(TRUNCATE)');
    copyFileSync(office.path, `${office.path}.other`);
    ok(
      await office.save({
        op: 'update',
        table: 't_hire',
        key: [1417],
        values: { f_hireNote: 'zzz last of all' },
        was: {},
      }),
    );
    expect(JSON.stringify(ok(await sorted()).rows)).toContain('zzz last of all');
    renameSync(`${office.path}.other`, office.path);
    // The child that had the first one open has another now, or has ended.
    expect(ok(await sorted()).rows).toEqual(before.rows);
    expect(ok(await office.call('POST', 'sound', {}))).toEqual({ findings: [], missing: [], damage: [] });
  });
});
