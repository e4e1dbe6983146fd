import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { compileQuery } from '@heathridge/core/query';
import type { Field, FieldType, Query, Table } from '@heathridge/core/design';
import { buildApp } from '../server/src/app';
import { applyDraft } from '../server/src/change/apply';
import { openForReading } from '../server/src/store/driver';

/**
 * The figures: each is what the application takes over HTTP, as a ratio to the bare driver or the sqlite3
 * command line doing the same work in the same run. Ratios travel between machines; times do not.
 */

const ROWS = 1_000_000;
const ROUNDS = 15;

const field = (id: string, name: string, type: FieldType, rest: Partial<Field> = {}): Field => ({
  id,
  name,
  label: name,
  type,
  alwaysFilled: false,
  noTwoAlike: false,
  indexed: false,
  start: null,
  rule: null,
  ...rest,
});

const LARGE: Table = {
  type: 'table',
  id: 't_entry',
  name: 'entry',
  label: 'Entry',
  plural: 'Entries',
  fields: [
    field('f_no', 'number', { kind: 'runningNumber', prefix: '', width: 0, first: 1 }),
    field('f_name', 'name', { kind: 'text', most: 60 }, { alwaysFilled: true }),
    field('f_day', 'day', { kind: 'date' }, { alwaysFilled: true, indexed: true }),
    field(
      'f_due',
      'due',
      { kind: 'date' },
      { rule: { id: 'r_due', expression: '"#f_due" > "#f_day"', message: 'Later than the day.' } },
    ),
    field('f_fee', 'fee', { kind: 'money', places: 2 }),
    field('f_done', 'done', { kind: 'tick' }),
  ],
  key: ['f_no'],
  display: null,
};

const OVERDUE: Query = {
  type: 'query',
  id: 'q_overdue',
  label: 'Overdue',
  from: 't_entry',
  with: [],
  where: ['"#f_due" < CURRENT_DATE', 'NOT "#f_done"'],
  columns: [],
  group: {
    by: [{ id: 'year', label: 'Year', expression: 'EXTRACT(YEAR FROM "#f_day")' }],
    measures: [
      { id: 'n', label: 'Entries', total: 'count', expression: null },
      { id: 'fee', label: 'Fees', total: 'sum', expression: '"#f_fee"' },
    ],
  },
  sort: [{ column: 'year', descending: false }],
  first: null,
};

/** Milliseconds of the middle of several runs, the first not counted. */
async function median(work: () => unknown, rounds = ROUNDS): Promise<number> {
  const times: number[] = [];
  await work();
  for (let i = 0; i < rounds; i++) {
    const start = performance.now();
    await work();
    times.push(performance.now() - start);
  }
  return times.sort((a, b) => a - b)[Math.floor(times.length / 2)]!;
}

interface Figure {
  readonly what: string;
  readonly against: string;
  readonly ours: number;
  readonly theirs: number;
}

async function main(): Promise<void> {
  const data = mkdtempSync(join(tmpdir(), 'heathridge-bench-'));
  const app = await buildApp({ data, signInsAMinute: 1000 });
  const figures: Figure[] = [];
  try {
    const person = await app.context.accounts.create('bench', 'Bench', 'a long enough password', true);
    const id = app.context.files.create('Bench', person.id);
    applyDraft(app.context.files, id, 0, [{ change: 'addTable', table: LARGE }], 'Bench', app.context.clock);
    const file = app.context.files.get(id);
    process.stdout.write(`Making ${ROWS.toLocaleString('en')} rows …\n`);
    file.writer.exec(`INSERT INTO entry (name, day, due, fee, done)
      SELECT 'Entry number ' || value, date('2015-01-01', (value * 7919 % 4000) || ' days'), date('2015-01-01', (value * 7919 % 4000 + 30) || ' days'), value % 10000, value % 3 = 0
      FROM generate_series(1, ${ROWS}); ANALYZE; PRAGMA wal_checkpoint(TRUNCATE)`);
    const address = await app.server.listen({ port: 0, host: '127.0.0.1' });
    const entered = await fetch(`${address}/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ login: 'bench', password: 'a long enough password' }),
    });
    const cookie = entered.headers.get('set-cookie')!.split(';')[0]!;
    const post = async (path: string, body: unknown): Promise<string> => {
      const answer = await fetch(`${address}/api/files/${id}/${path}`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', cookie },
        body: JSON.stringify(body),
      });
      const text = await answer.text();
      if (!answer.ok) throw new Error(`${path}: ${text}`);
      return text;
    };
    const bare = openForReading(file.path);
    const page = (sql: string) => () => JSON.stringify(bare.prepare(sql).raw().all());

    const first = { start: 0, limit: 200, sort: null, search: '' };
    figures.push({
      what: 'First page of 200 rows of 1,000,000, over HTTP',
      against: 'driver + JSON.stringify in process',
      ours: await median(() => post('tables/t_entry/window', first)),
      theirs: await median(page('SELECT * FROM entry ORDER BY number LIMIT 200')),
    });
    const deep = { start: 900_000, limit: 200, sort: { field: 'f_day', descending: false }, search: '' };
    await post('tables/t_entry/window', deep);
    // The anchors are sampled in the background: the next asks find them.
    await new Promise((resolve) => setTimeout(resolve, 8000));
    figures.push({
      what: '200 rows from row 900,000 by an indexed field, over HTTP',
      against: 'driver with OFFSET + JSON.stringify in process',
      ours: await median(() => post('tables/t_entry/window', deep)),
      theirs: await median(page('SELECT * FROM entry ORDER BY day, number LIMIT 200 OFFSET 900000')),
    });

    let fee = 0;
    const edit = (): Promise<string> =>
      post('rows', {
        changes: [
          { op: 'update', table: 't_entry', key: [500_000], values: { f_fee: `${++fee}.00` }, was: {} },
        ],
      });
    const write = file.writer.prepare('UPDATE entry SET fee = ? WHERE number = 500001');
    figures.push({
      what: 'Saving one record (checks, history and commit on disk), over HTTP',
      against: 'driver’s UPDATE and commit in process',
      ours: await median(edit, 60),
      theirs: await median(() => write.run(++fee), 60),
    });

    const today = app.context.clock.today();
    const compiled = compileQuery({ ...file.design }, OVERDUE, { today });
    const script = join(data, 'overdue.sql');
    writeFileSync(script, `${compiled.text};`);
    figures.push({
      what: 'The overdue query over 1,000,000 rows with its funnel of 4 counts, over HTTP',
      against: 'sqlite3 command line, the query alone',
      ours: await median(() => post('query/run', { query: OVERDUE }), 5),
      theirs: await median(() => {
        const { status, stderr } = spawnSync('sqlite3', [file.path], {
          input: readFileSync(script),
          encoding: 'utf8',
        });
        if (status !== 0) throw new Error(stderr);
      }, 5),
    });
    bare.close();
  } finally {
    await app.close();
    rmSync(data, { recursive: true, force: true });
  }
  report(figures);
}

function report(figures: readonly Figure[]): void {
  const rows = figures.map(
    ({ what, against, ours, theirs }) => `| ${what} | ${against} | ${(ours / theirs).toFixed(2)} |`,
  );
  const table = ['| what | against | ratio |', '| --- | --- | ---: |', ...rows].join('\n');
  process.stdout.write(`\n${table}\n`);
  const readme = fileURLToPath(new URL('../README.md', import.meta.url));
  const text = readFileSync(readme, 'utf8');
  const next = text.replace(/(<!-- figures -->\n)[\s\S]*?(\n<!-- \/figures -->)/, `$1\n${table}\n$2`);
  if (next !== text) writeFileSync(readme, next);
}

await main();
