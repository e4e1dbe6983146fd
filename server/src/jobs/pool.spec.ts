import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { Problem } from '../problem';
import { Office } from '../testing/office';
import { JobPool } from './pool';

/** The numbers of the processes that this one has started. */
const children = (): string[] =>
  readdirSync('/proc').filter((pid) => {
    const path = `/proc/${pid}/stat`;
    const parent =
      /^\d+$/.test(pid) && existsSync(path) ? /\) \w (\d+)/.exec(readFileSync(path, 'utf8')) : null;
    return parent?.[1] === String(process.pid);
  });

describe('the pool of jobs', () => {
  let office: Office;
  const pool = new JobPool();
  /** Counts to a billion: long enough to be stopped. */
  const slow = () =>
    ({
      task: 'anchors',
      version: office.design.version,
      columns: 1,
      sql: 'WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1000000000) SELECT count(*) FROM n',
    }) as const;
  beforeAll(async () => (office = await Office.open()));
  afterAll(async () => {
    pool.close();
    await office.close();
  });

  const refusal = (work: Promise<unknown>): Promise<unknown> =>
    work.then(
      () => 'done',
      (error: unknown) => error,
    );

  it('does a job in a child that can only read', async () => {
    expect(await pool.run(office.path, { ...slow(), sql: 'SELECT count(*) FROM hire' })).toEqual([[3918]]);
    const row = { table: 't_hire', field: null, sort: 'rule', message: '', fields: [], sample: '' } as const;
    const rows = [{ ...row, count: 'DELETE FROM hire RETURNING 1' }];
    const plan = { notices: [], maps: [], keys: [], rows, rounded: [] };
    const after = office.design;
    const task = {
      task: 'check',
      version: after.version,
      plan,
      steps: [],
      after,
      today: '2026-11-25',
    } as const;
    const error = await refusal(pool.run(office.path, task));
    expect((error as Error).message).toContain('readonly');
    expect(
      office.app.context.files.get(office.file).reader.prepare('SELECT count(*) FROM hire').raw().get(),
    ).toEqual([3918]);
  });

  it('stops a job at its time limit', async () => {
    const error = await refusal(pool.run(office.path, slow(), { limit: 300 }));
    expect(error).toBeInstanceOf(Problem);
    expect((error as Problem).type).toBe('stopped');
  });

  it('stops a job when whoever asked has gone', async () => {
    const gone = new AbortController();
    const job = refusal(pool.run(office.path, slow(), { signal: gone.signal }));
    setTimeout(() => gone.abort(), 200);
    expect((await job) as Problem).toEqual(jasmine.objectContaining({ type: 'stopped' }));
    expect(((await refusal(pool.run(office.path, slow(), { signal: gone.signal }))) as Problem).type).toBe(
      'stopped',
    );
  });

  it('lets a child do so many jobs, and then starts another', async () => {
    const few = new JobPool(3);
    const before = new Set(children());
    const pids = new Set<string>();
    for (let i = 0; i < 8; i++) {
      expect(await few.run(office.path, { ...slow(), sql: `SELECT ${i}` })).toEqual([[i]]);
      for (const pid of children()) if (!before.has(pid)) pids.add(pid);
    }
    // Three, three and two jobs; and one that waits.
    expect(pids.size).toBeGreaterThanOrEqual(3);
    expect(pids.size).toBeLessThanOrEqual(4);
    few.close();
  });

  it('does many jobs, a few at a time', async () => {
    const jobs = Array.from({ length: 12 }, (_, i) =>
      pool.run(office.path, { ...slow(), sql: `SELECT ${i}` }),
    );
    expect(await Promise.all(jobs)).toEqual(Array.from({ length: 12 }, (_, i) => [[i]]));
  });
});
