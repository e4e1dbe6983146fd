import { Problem } from '../problem';
import { Office } from '../testing/office';
import { JobPool } from './pool';

/** Counts to a billion: long enough to be stopped. */
const SLOW = {
  task: 'anchors',
  version: 1,
  columns: 1,
  sql: 'WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1000000000) SELECT count(*) FROM n',
} as const;

describe('the pool of jobs', () => {
  let office: Office;
  const pool = new JobPool();
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
    expect(await pool.run(office.path, { ...SLOW, sql: 'SELECT count(*) FROM hire' })).toEqual([[3918]]);
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
    const error = await refusal(pool.run(office.path, SLOW, { limit: 300 }));
    expect(error).toBeInstanceOf(Problem);
    expect((error as Problem).type).toBe('stopped');
  });

  it('stops a job when whoever asked has gone', async () => {
    const gone = new AbortController();
    const job = refusal(pool.run(office.path, SLOW, { signal: gone.signal }));
    setTimeout(() => gone.abort(), 200);
    expect((await job) as Problem).toEqual(jasmine.objectContaining({ type: 'stopped' }));
    expect(((await refusal(pool.run(office.path, SLOW, { signal: gone.signal }))) as Problem).type).toBe(
      'stopped',
    );
  });

  it('does many jobs, a few at a time', async () => {
    const jobs = Array.from({ length: 12 }, (_, i) => pool.run(office.path, { ...SLOW, sql: `SELECT ${i}` }));
    expect(await Promise.all(jobs)).toEqual(Array.from({ length: 12 }, (_, i) => [[i]]));
  });
});
