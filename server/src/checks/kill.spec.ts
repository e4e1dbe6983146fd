import { fork, spawn, type ChildProcess } from 'node:child_process';
import { cpSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { buildApp } from '../app';
import { openForWriting } from '../store/driver';
import { Office, ORIGIN, stillClock, TODAY } from '../testing/office';
import { QUERY } from '../testing/routes';
import '../testing/timeouts';

/** A design that another process has changed under a server that had read it before. */
describe('a design that changes under an open file', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  /** What a child of a server that was killed does: it applies a draft, and nobody tells this server. */
  async function appliedElsewhere(places: number): Promise<void> {
    const { apply } = await import('../change/apply');
    const file = office.app.context.files.get(office.file);
    const field = file.design.tables
      .find(({ id }) => id === 't_hire')!
      .fields.find(({ id }) => id === 'f_hireMonthlyFee')!;
    const result = apply(
      file.path,
      {
        changes: [
          {
            change: 'changeField',
            table: 't_hire',
            field: field.id,
            set: { type: { ...field.type, places } as never },
            convert: {},
          },
        ],
        base: file.design.version,
        by: 'Another',
        now: stillClock.now(),
        today: '2026-11-25',
        copies: file.copies,
        copy: `elsewhere-${places}.db`,
      },
      () => undefined,
    );
    expect(result).toEqual({ done: true });
  }

  const fee = async (): Promise<unknown> => {
    const { body } = await office.call('GET', 'tables/t_hire/row?key=[1417]');
    const at = office.design.tables
      .find(({ id }) => id === 't_hire')!
      .fields.findIndex(({ id }) => id === 'f_hireMonthlyFee');
    return (body.cells as unknown[])[at];
  };
  const save = (value: string) =>
    office.save({ op: 'update', table: 't_hire', key: [1417], values: { f_hireMonthlyFee: value }, was: {} });

  it('is read again before anything is read or saved by it', async () => {
    expect((await save('25.00')).status).toBe(200);
    await appliedElsewhere(3);
    expect(await fee()).toBe('25.000');
    await appliedElsewhere(4);
    const { status, body } = await save('250.0000');
    expect(status).withContext(JSON.stringify(body)).toBe(200);
    expect(await fee()).toBe('250.0000');
    await appliedElsewhere(2);
    expect(await fee()).toBe('250.00');
    const draft = await office.check();
    expect(draft.status).toBe(200);
  });

  it('is noticed within the transaction of a save', async () => {
    const { saveRows } = await import('../rows/save');
    const { DesignMoved } = await import('../store/versions');
    const file = office.app.context.files.get(office.file);
    const stale = { ...file, design: file.design };
    await appliedElsewhere(3);
    const request = {
      changes: [
        {
          op: 'update' as const,
          table: 't_hire',
          key: [1417],
          values: { f_hireMonthlyFee: '2.50' },
          was: {},
        },
      ],
    };
    expect(() => saveRows(stale, request, { id: 'a', name: 'A' }, stillClock)).toThrowError(DesignMoved);
    expect(await fee()).toBe('250.000');
    await appliedElsewhere(2);
  });

  it('is read again when it changes while somebody waits for an answer', async () => {
    const { jobs } = office.app.context;
    const run = jobs.run.bind(jobs);
    let tries = 0;
    spyOn(jobs, 'run').and.callFake(async (...args) => {
      if (tries++ === 0) await appliedElsewhere(3);
      return run(...args);
    });
    const query = {
      ...QUERY,
      from: 't_hire',
      where: [{ is: 'so', expression: '"#f_hireHireNumber" = 1417' }],
      columns: [{ id: 'fee', label: 'Fee', expression: '"#f_hireMonthlyFee"' }],
    };
    expect((await save('25.00')).status).toBe(200);
    const { body } = await office.call('POST', 'query/run', { query });
    expect([body.rows, tries]).toEqual([[['25.000']], 2]);
    await appliedElsewhere(2);
  });

  it('leaves a save in words while another program is writing', async () => {
    const tool = openForWriting(office.path);
    tool.exec('BEGIN IMMEDIATE');
    const { status, body } = await save('26.00');
    tool.exec('ROLLBACK');
    tool.close();
    expect([status, body.type]).toEqual([423, '/problems/changing']);
    expect(body.detail).toContain('Another program is using this file');
    expect((await save('26.00')).status).toBe(200);
  });

  it('waits for another program without keeping anybody else, and saves once it has let go', async () => {
    const tool = openForWriting(office.path);
    tool.exec('BEGIN IMMEDIATE');
    let isSaved = false;
    const saved = save('27.00').then((answer) => {
      isSaved = true;
      return answer;
    });
    // Others read meanwhile, and write to other files.
    const others = await Promise.all([
      office.call('GET', 'tables/t_hire/row?key=[1417]'),
      office.call('POST', '/api/files', { name: 'Beside it' }),
    ]);
    expect(others.map(({ status }) => status)).toEqual([200, 200]);
    expect(isSaved).toBeFalse();
    tool.exec('ROLLBACK');
    tool.close();
    expect((await saved).status).toBe(200);
    expect(await fee()).toMatch(/^27/);
  });

  it('waits for another program that holds the registry of accounts, and keeps nobody else meanwhile', async () => {
    const { accounts } = office.app.context;
    const [login, password, next] = ['newcomer', 'a long enough password', 'a much longer password'];
    await accounts.create(login, 'New Comer', password, false);
    const authorization = `Bearer ${await accounts.signIn(login, password)}`;
    // Of what waits anything may come first, such as the new password.
    const other = { login: 'another', password };
    await accounts.create(other.login, 'Another', password, false);
    const tool = openForWriting(join(office.data, 'registry.db'));
    tool.exec('BEGIN IMMEDIATE');
    const waiting = [
      office.call('POST', '/api/session', other, null),
      office.call('PUT', '/api/session/look', { colours: 'dark', size: 'large' }),
      office.call('PUT', '/api/session/password', { current: password, next }, null, { authorization }),
      office.call('POST', '/api/files', { name: 'Later' }),
    ];
    // Who needs nothing of it goes on.
    expect((await save('28.00')).status).toBe(200);
    tool.exec('ROLLBACK');
    tool.close();
    const answers = await Promise.all(waiting);
    expect(answers.map(({ status }) => status))
      .withContext(JSON.stringify(answers.map(({ body }) => body)))
      .toEqual([200, 200, 200, 200]);
    expect(await accounts.signIn(login, next)).toMatch(/./);
    expect((await office.call('GET', '/api/session')).body.person.look).toEqual({
      colours: 'dark',
      size: 'large',
    });
  });
});

/** A server that is killed while its child applies a draft. */
describe('a server that is killed', () => {
  const here = dirname(fileURLToPath(import.meta.url));
  let folder: string;
  beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'heathridge-kill-'))));
  afterAll(() => rmSync(folder, { recursive: true, force: true }));

  /** Starts a server and resolves when it is at work. */
  function started(data: string, file: string, ...more: string[]): Promise<ChildProcess & { said: string }> {
    const child = spawn(
      process.execPath,
      ['--import', 'tsx', join(here, '..', 'testing', 'killed.ts'), data, file, ...more],
      {
        stdio: ['ignore', 'pipe', 'inherit'],
        env: process.env,
      },
    );
    return new Promise((resolve, reject) => {
      child.once('exit', (code) => reject(new Error(`ended with ${code}`)));
      child.stdout!.once('data', (data: Buffer) => resolve(Object.assign(child, { said: String(data) })));
    });
  }

  it('is not outlived by work that its child had not yet begun', async () => {
    const office = await Office.open();
    const { path, copies, design } = office.app.context.files.get(office.file);
    const order = {
      changes: [{ change: 'dropField', table: 't_school', field: 'f_schoolPhone' }],
      ...{ base: design.version, by: 'Mara', now: stillClock.now(), today: TODAY, copies, copy: 'late.db' },
    };
    // Told that another is its parent, it is like one whose parent has gone.
    const child = fork(join(here, '..', 'jobs', 'child.ts'), [String(process.pid + 1)], {
      serialization: 'advanced',
      execArgv: ['--import', 'tsx'],
    });
    child.send({ path, task: { task: 'apply', order }, limit: 60_000 });
    // It ends itself, or its watch ends it before.
    const ended = await new Promise((resolve) =>
      child.once('exit', (code, signal) => resolve(signal ?? code)),
    );
    expect([1, 'SIGKILL']).toContain(ended as number);
    expect(office.design.version).toBe(design.version);
    await office.close();
  });

  it('is not outlived by a read that would go on for hours', async () => {
    const office = await Office.open();
    const { file } = office;
    await office.app.close();
    const child = await started(office.data, file, 'reads');
    const pids = child.said.split(' ').map(Number);
    expect(pids.length).toBeGreaterThan(0);
    const lives = (pid: number): boolean => {
      try {
        return process.kill(pid, 0);
      } catch {
        return false;
      }
    };
    expect(pids.some(lives)).toBeTrue();
    const ended = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGKILL');
    await ended;
    for (let waited = 0; pids.some(lives) && waited < 100; waited++)
      await new Promise((resolve) => setTimeout(resolve, 100));
    expect(pids.filter(lives)).toEqual([]);
    rmSync(office.data, { recursive: true, force: true });
  }, 60_000);

  it('leaves the old design or the new one, and rows that fit it', async () => {
    const office = await Office.open();
    const { file, token } = office;
    const first = office.design.version;
    office.app.context.files
      .get(file)
      .writer.exec(
        "INSERT INTO school (name, district) SELECT 'School ' || value, 'Causey' FROM generate_series(1, 20000)",
      );
    await office.app.close();
    const outcomes = new Set<number>();
    for (const wait of [0, 60, 250, 900]) {
      const data = join(folder, `after-${wait}`);
      cpSync(office.data, data, { recursive: true });
      const child = await started(data, file);
      await new Promise((resolve) => setTimeout(resolve, wait));
      child.removeAllListeners('exit');
      child.kill('SIGKILL');
      const app = await buildApp({ data, clock: stillClock });
      const call = async (method: 'GET' | 'POST', url: string, payload?: object) => {
        const answer = await app.server.inject({
          method,
          url: `/api/files/${file}/${url}`,
          ...(payload ? { payload } : {}),
          cookies: { heathridge: token },
          headers: { origin: ORIGIN },
        });
        return { status: answer.statusCode, body: answer.json() as never };
      };
      const saving = {
        changes: [
          { op: 'insert', table: 't_school', values: { f_schoolName: 'After', f_schoolDistrict: 'Causey' } },
        ],
      };
      let saved = await call('POST', 'rows', saving);
      // A child that is only now about to notice that it is alone may still hold the file.
      for (let tries = 0; saved.status === 423 && tries < 40; tries++) {
        await new Promise((resolve) => setTimeout(resolve, 250));
        saved = await call('POST', 'rows', saving);
      }
      expect(saved.status)
        .withContext(`${wait}: ${JSON.stringify(saved.body)}`)
        .toBe(200);
      const sound = await call('POST', 'sound', {});
      expect(sound.body)
        .withContext(`${wait}`)
        .toEqual({ findings: [], missing: [], damage: [] } as never);
      const { version, tables } = app.context.files.get(file).design;
      const extra = tables
        .find(({ id }) => id === 't_school')!
        .fields.some(({ id }) => id === 'f_schoolExtra');
      expect(extra)
        .withContext(`${wait}`)
        .toBe(version > first);
      outcomes.add(version);
      await app.close();
    }
    rmSync(office.data, { recursive: true, force: true });
    expect(outcomes).toContain(first);
    expect([...outcomes].every((version) => version === first || version === first + 1)).toBeTrue();
  });
});
