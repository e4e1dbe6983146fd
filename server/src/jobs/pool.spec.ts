import { Problem } from '../problem';
import { openForReading } from '../store/driver';
import { Office } from '../testing/office';
import { caller } from './caller';
import { until } from '../testing/until';
import { JobPool } from './pool';

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
    await pool.close();
    await office.close();
  });

  const isWorking = (of: JobPool): boolean => [...of['alive']].some((child) => child['running']?.begun);
  const refusal = (work: Promise<unknown>): Promise<unknown> =>
    work.then(
      () => 'done',
      (error: unknown) => error,
    );

  it('does a job in a child that can only read', async () => {
    expect(await pool.run(office.path, { ...slow(), sql: 'SELECT count(*) FROM hire' })).toEqual([[3918]]);
    const reader = openForReading(office.path);
    expect(() => reader.exec('DELETE FROM hire')).toThrowError(/readonly/);
    reader.close();
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
    // The office has children of its own, which come and go meanwhile: those of this pool alone are counted.
    const done = new Map<number, number>();
    const start = few['start'].bind(few);
    few['start'] = () => {
      const child = start();
      const run = child.run.bind(child);
      child.run = (...args) => {
        // One that has done its share works on only while no other has begun to listen.
        if (child.done >= 3) expect(few['idle'].some(({ isReady }) => isReady)).toBeFalse();
        done.set(child.pid!, (done.get(child.pid!) ?? 0) + 1);
        return run(...args);
      };
      return child;
    };
    for (let i = 0; i < 8 || done.size < 3; i++) {
      expect(await few.run(office.path, { ...slow(), sql: `SELECT ${i}` })).toEqual([[i]]);
      // Somebody who waits for a moment, so that the next one may have begun.
      await new Promise((wait) => setTimeout(wait, 20));
    }
    expect([...done.values()].slice(0, -1).every((jobs) => jobs >= 3)).toBeTrue();
    await few.close();
  });

  it('does a job once for all who ask the same, and stops it when the last of them has gone', async () => {
    const few = new JobPool();
    const ran: unknown[] = [];
    const run = few.run.bind(few);
    few.run = (path, task, options) => {
      ran.push(task);
      return run(path, task, options);
    };
    const quick = { ...slow(), sql: 'SELECT 7' };
    const all = Array.from({ length: 10 }, () => few.runOnce('a', office.path, quick));
    expect(await Promise.all(all)).toEqual(Array.from({ length: 10 }, () => [[7]]));
    expect(ran.length).toBe(1);
    // What has ended is asked anew.
    expect(await few.runOnce('a', office.path, quick)).toEqual([[7]]);
    expect(ran.length).toBe(2);
    const [first, second] = [new AbortController(), new AbortController()];
    const one = refusal(few.runOnce('b', office.path, slow(), { signal: first.signal }));
    const two = refusal(few.runOnce('b', office.path, slow(), { signal: second.signal }));
    first.abort();
    expect(((await one) as Problem).type).toBe('stopped');
    // The other still waits for it.
    expect(few['shared'].get('b')!.waiting).toBe(1);
    second.abort();
    expect(((await two) as Problem).type).toBe('stopped');
    expect(few['shared'].size).toBe(0);
    expect(ran.length).toBe(3);
    // A job that fails is told to everyone who waits.
    const wrong = { ...slow(), sql: 'SELECT missing' };
    const told = await Promise.all([1, 2].map(() => refusal(few.runOnce('c', office.path, wrong))));
    for (const error of told) expect((error as Error).message).toContain('no such column');
    few.close();
  });

  it('tells all who ask the same how far it is, and nobody who has gone', async () => {
    const few = new JobPool();
    const heard: [number[], number[]] = [[], []];
    few.run = (_path, _task, { tell } = {}) => {
      for (const step of [1, 2, 3]) setTimeout(() => tell!({ step, of: 3, what: 'Counting' }), step * 20);
      return new Promise((resolve) => setTimeout(() => resolve([[7]] as never), 90));
    };
    const gone = new AbortController();
    const one = few.runOnce('a', office.path, slow(), { tell: ({ step }) => heard[0].push(step) });
    const two = refusal(
      few.runOnce('a', office.path, slow(), {
        signal: gone.signal,
        tell: ({ step }) => {
          heard[1].push(step);
          gone.abort();
        },
      }),
    );
    expect(((await two) as Problem).type).toBe('stopped');
    expect(await one).toEqual([[7]] as never);
    expect(heard).toEqual([[1, 2, 3], [1]]);
    few.close();
  });

  it('goes on when an idle child is killed, and does what comes next in another', async () => {
    const few = new JobPool();
    const quick = (i: number) => few.run(office.path, { ...slow(), sql: `SELECT ${i}` });
    for (let turn = 0; turn < 5; turn++) {
      expect(await quick(turn)).toEqual([[turn]]);
      // At once, before its end is heard of, and after it.
      for (const { pid } of few['idle']) process.kill(pid!, 'SIGKILL');
      if (turn % 2 === 1) await new Promise((done) => setTimeout(done, 100));
    }
    expect(await Promise.all([1, 2, 3].map(quick))).toEqual([[[1]], [[2]], [[3]]]);
    few.close();
  });

  it('answers for a child that is killed at its work, and fills up again', async () => {
    const few = new JobPool();
    const work = refusal(few.run(office.path, slow()));
    // Until it has begun another would do it.
    await until(() => isWorking(few));
    const pids = [...few['alive']].map(({ pid }) => pid!);
    expect(pids.length).toBeGreaterThan(0);
    for (const pid of pids) process.kill(pid, 'SIGKILL');
    const error = (await work) as Problem;
    expect([error.type, error.detail]).toEqual([
      'stopped',
      jasmine.stringMatching(/ended before it was done: try again/),
    ]);
    expect(await few.run(office.path, { ...slow(), sql: 'SELECT 7' })).toEqual([[7]]);
    expect(few['idle'].length).toBeGreaterThan(0);
    expect(few['lines'].long.running).toBe(0);
    few.close();
  });

  it('says so when a child cannot do it however often it is begun', async () => {
    const few = new JobPool();
    few['start'] = () => {
      const child = JobPool.prototype['start'].call(few);
      child.kill();
      return child;
    };
    expect(await refusal(few.run(office.path, slow()))).toEqual(
      jasmine.objectContaining({ type: 'stopped' }),
    );
    // The one that was started ahead of the next need has its end still to come.
    await until(() => few['alive'].size === 0);
    expect(few['idle']).toEqual([]);
    few.close();
  });

  it('ends all children when it is closed, also those that work', async () => {
    const few = new JobPool();
    const work = refusal(few.run(office.path, slow()));
    await until(() => isWorking(few));
    await few.close();
    expect(((await work) as Problem).type).toBe('stopped');
    expect(few['alive'].size).toBe(0);
    // Nobody is left to do anything.
    expect(((await refusal(few.run(office.path, slow()))) as Problem).type).toBe('stopped');
  });

  it('goes on with what others ask for beside the longest work of one', async () => {
    const few = new JobPool();
    const gone = new AbortController();
    const hers = caller.run('a_one', () =>
      Array.from({ length: 6 }, () =>
        refusal(few.run(office.path, slow(), { signal: gone.signal, queue: 'long' })),
      ),
    );
    const theirs = await caller.run('a_two', () =>
      few.run(office.path, { ...slow(), sql: 'SELECT 7' }, { queue: 'long' }),
    );
    expect(theirs).toEqual([[7]]);
    gone.abort();
    for (const one of hers) expect(((await one) as Problem).type).toBe('stopped');
    few.close();
  });

  it('does many jobs, a few at a time', async () => {
    const jobs = Array.from({ length: 12 }, (_, i) =>
      pool.run(office.path, { ...slow(), sql: `SELECT ${i}` }),
    );
    expect(await Promise.all(jobs)).toEqual(Array.from({ length: 12 }, (_, i) => [[i]]));
  });
});
