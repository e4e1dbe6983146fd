import { statSync } from 'node:fs';
import Database from 'libsql';
import { Office } from '../testing/office';
import { APPLICATION_ID, openForReading } from './driver';

describe('files', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open({ demo: false })));
  afterAll(() => office.close());

  it('are listed with when they changed and how large they are', async () => {
    const { body } = await office.call('GET', '/api/files');
    expect(body.files.length).toBe(1);
    const [file] = body.files;
    expect(file).toEqual(jasmine.objectContaining({ id: office.file, name: 'Test', role: 'builder' }));
    expect(Math.abs(Date.parse(file.changedAt) - Date.now())).toBeLessThan(120_000);
    expect(file.size).toBeGreaterThanOrEqual(statSync(office.path).size);
  });

  it('are made empty, of our own sort, in write-ahead mode', async () => {
    const { body } = await office.call('POST', '/api/files', { name: 'Second' });
    const db = new Database(office.app.context.files.get(body.id).path);
    const pragma = (name: string): unknown => (db.prepare(`PRAGMA ${name}`).raw().get() as [unknown])[0];
    expect(pragma('application_id')).toBe(APPLICATION_ID);
    expect(pragma('journal_mode')).toBe('wal');
    expect(pragma('integrity_check')).toBe('ok');
    db.close();
    const { body: design } = await office.call('GET', `/api/files/${body.id}/design`);
    expect(design.design.tables).toEqual([]);
    expect(design.design.version).toBe(0);
  });

  it('cannot be written through a reading connection, whatever it tries', () => {
    const db = openForReading(office.path);
    for (const sql of [
      'CREATE TABLE x (y)',
      'DELETE FROM hr_definition',
      'PRAGMA query_only = 0; DELETE FROM hr_definition',
    ]) {
      expect(() => db.exec(sql))
        .withContext(sql)
        .toThrowError(/readonly/);
    }
    db.close();
  });

  it('keep no secret of the office', () => {
    const db = openForReading(office.path);
    const tables = (
      db.prepare("SELECT name FROM sqlite_schema WHERE type = 'table'").raw().all() as [string][]
    ).map(([name]) => name);
    db.close();
    expect(tables).not.toContain('account');
    expect(tables).not.toContain('session');
  });

  it('are refused by name without a trace', async () => {
    for (const name of ['', 'a/b', 'a\\b', '.', 'x'.repeat(61), 'tab\tname', 'Test']) {
      const { status } = await office.call('POST', '/api/files', { name });
      expect([400, 409]).withContext(name).toContain(status);
    }
    expect((await office.call('GET', '/api/files')).body.files.length).toBe(2);
  });
});

describe('definitions', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const query = (id: string, label: string) => ({
    type: 'query',
    id,
    label,
    from: 't_school',
    questions: [],
    joins: [],
    where: [],
    columns: [],
    group: null,
    keep: [],
    unlike: false,
    sort: [],
    first: null,
  });

  it('are kept as JSON documents in the file, in order', async () => {
    expect((await office.put(query('q_one', 'One'))).status).toBe(200);
    const { reader } = office.app.context.files.get(office.file);
    const [document] = reader
      .prepare("SELECT document FROM hr_definition WHERE id = 'q_one'")
      .raw()
      .get() as [string];
    expect(JSON.parse(document)).toEqual(query('q_one', 'One'));
    expect(office.design.queries.at(-1)!.id).toBe('q_one');
  });

  it('keep their place when they are saved again', async () => {
    await office.put(query('q_one', 'One'));
    await office.put(query('q_two', 'Two'));
    await office.put(query('q_one', 'One again'));
    expect(office.design.queries.slice(-2).map(({ label }) => label)).toEqual(['One again', 'Two']);
  });

  it('have names of their own within their sort', async () => {
    const { status, body } = await office.put(query('q_three', 'tWO'));
    expect(status).toBe(409);
    expect(body.detail).toBe('There is a query called “tWO” already.');
  });

  it('are dropped when nothing uses them', async () => {
    expect((await office.drop('q_one')).status).toBe(200);
    expect(office.design.queries.some(({ id }) => id === 'q_one')).toBeFalse();
    const used = await office.drop('q_spend');
    expect(used.status).toBe(422);
    expect(used.body.detail).toContain('used by Repair spend by technician');
  });

  it('follow a rename without being touched', async () => {
    const before = JSON.stringify(office.design.queries.find(({ id }) => id === 'q_overdue'));
    const run = async (): Promise<unknown> =>
      (
        await office.call('POST', 'query/run', {
          query: office.design.queries.find(({ id }) => id === 'q_overdue'),
        })
      ).body.rows;
    const rows = await run();
    const { status } = await office.apply(
      {
        change: 'changeTable',
        table: 't_player',
        set: { name: 'musician', label: 'Musician', plural: 'Musicians' },
      },
      {
        change: 'changeField',
        table: 't_hire',
        field: 'f_hireDueBack',
        set: { name: 'expected', label: 'Expected' },
      },
    );
    expect(status).toBe(200);
    expect(JSON.stringify(office.design.queries.find(({ id }) => id === 'q_overdue'))).toBe(before);
    expect(await run()).toEqual(rows);
    const refused = await office.save({
      op: 'update',
      table: 't_hire',
      key: [1417],
      values: { f_hireDueBack: '2000-01-01' },
      was: {},
    });
    expect(refused.body.errors[0]).toEqual(
      jasmine.objectContaining({ field: 'f_hireDueBack', rule: 'r_dueBack' }),
    );
  });
});
