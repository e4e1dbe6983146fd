import { fork, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import Fastify from 'fastify';
import { applyChanges, evolve, steps, type Change } from '@heathridge/core/change';
import { plainQuery, so } from '@heathridge/core/query';
import { plainField, plainTable, type Query, type Table } from '@heathridge/core/design';
import { buildApp } from '../server/src/app';
import { applyDraft } from '../server/src/plan/apply-draft';
import { openForReading, openForWriting } from '../server/src/store/driver';
import type { Files, OpenFile } from '../server/src/store/files';
import { bringingIn, csvOf } from './bringing-in';
import { Callers, type Caller } from './callers';
import { medians, type Figure } from './figures';
import { mapFrames } from './map';
import { officeFigures } from './office';
import { pageFigures } from './pages';
import { queryFigures } from './queries';
import { openingRecords, searchingRecords } from './records';
import { scrolling } from './scrolling';
import { takingIn } from './taking-in';
import type { Typed, Typing } from './typists';

/**
 * The figures: each is what the application takes over HTTP, as a ratio to the bare driver or the sqlite3
 * command line doing the same work in the same run. Ratios travel between machines; times do not.
 */

const ROWS = 1_000_000;
/** Rows of the sheet that is brought in. */
const BROUGHT = 500_000;

const LARGE = plainTable('t_entry', 'entry', 'Entry', 'Entries', [
  plainField('f_no', 'number', 'Number', { kind: 'runningNumber', prefix: '', width: 0, first: 1 }),
  plainField('f_name', 'name', 'Name', { kind: 'text', most: 60 }, { alwaysFilled: true }),
  plainField('f_day', 'day', 'Day', { kind: 'date' }, { alwaysFilled: true, indexed: true }),
  plainField(
    'f_due',
    'due',
    'Due',
    { kind: 'date' },
    { rule: { id: 'r_due', expression: '"#f_due" > "#f_day"', message: 'Later than the day.' } },
  ),
  plainField('f_fee', 'fee', 'Fee', { kind: 'money', places: 2 }),
  plainField('f_done', 'done', 'Done', { kind: 'tick' }),
]);

const FILL = `INSERT INTO entry (name, day, due, fee, done)
  SELECT 'Entry number ' || value, date('2015-01-01', (value * 7919 % 4000) || ' days'), date('2015-01-01', (value * 7919 % 4000 + 30) || ' days'), value % 10000, value % 3 = 0
  FROM generate_series(1, ${ROWS}); ANALYZE; PRAGMA wal_checkpoint(TRUNCATE)`;

const OVERDUE: Query = {
  type: 'query',
  id: 'q_overdue',
  label: 'Overdue',
  from: 't_entry',
  questions: [],
  joins: [],
  where: [so('"#f_due" < CURRENT_DATE'), so('NOT "#f_done"')],
  columns: [],
  group: {
    by: [{ id: 'year', label: 'Year', expression: 'EXTRACT(YEAR FROM "#f_day")' }],
    measures: [
      { id: 'n', label: 'Entries', total: 'count', expression: null },
      { id: 'fee', label: 'Fees', total: 'sum', expression: '"#f_fee"' },
    ],
  },
  keep: [],
  unlike: false,
  sort: [{ column: 'year', descending: false }],
  first: null,
};

/**
 * What a call costs before and after its work: a route of ours that does nothing, beside one of bare Fastify.
 */
async function emptyRoute(call: Caller, ours: string): Promise<Figure> {
  const bare = Fastify();
  bare.get('/', () => ({ progress: null }));
  const address = await bare.listen({ port: 0, host: '127.0.0.1' });
  try {
    return {
      what: 'A route that does nothing, signed in, over HTTP',
      against: 'a route of bare Fastify, over HTTP',
      ...(await medians(
        () => call('GET', ours),
        () => call('GET', address),
        2000,
      )),
    };
  } finally {
    await bare.close();
  }
}

/**
 * What it costs to be deep in a table: the driver is told at which row to begin, as whoever had gone there row by row
 * would know it, and sends what it finds from a route of bare Fastify.
 */
async function seeking(what: string, path: string, ours: () => unknown, call: Caller): Promise<Figure> {
  const db = openForReading(path);
  const [day, number] = db
    .prepare('SELECT day, number FROM entry ORDER BY day, number LIMIT 1 OFFSET 900000')
    .raw()
    .get() as [string, number];
  const find = db.prepare('SELECT * FROM entry WHERE (day, number) >= (?, ?) ORDER BY day, number LIMIT 200');
  const bare = Fastify();
  bare.get('/', () => find.raw().all(day, number));
  const address = await bare.listen({ port: 0, host: '127.0.0.1' });
  try {
    return {
      what,
      against: 'driver’s seek by key to that row, in a route of bare Fastify, over HTTP',
      ...(await medians(ours, () => call('GET', address), 100)),
    };
  } finally {
    await bare.close();
    db.close();
  }
}

/** An UPDATE with its row of history, committed, by the driver alone. */
function bareSaving({ writer }: OpenFile): (key: number, fee: number) => void {
  const [begin, commit] = [writer.prepare('BEGIN IMMEDIATE'), writer.prepare('COMMIT')];
  const update = writer.prepare('UPDATE entry SET fee = ? WHERE number = ?');
  const history = writer.prepare(
    "INSERT INTO hr_history (at, by, table_id, key, op, before, after) VALUES ('2026-01-01T00:00:00Z', 'Bench', 't_entry', ?, 'update', ?, ?)",
  );
  const row = JSON.stringify({ f_no: 1, f_name: 'Entry number 1', f_day: '2020-01-01', f_fee: '1.00' });
  return (key, fee) => {
    begin.run();
    update.run(fee, key);
    history.run(`[${key}]`, row, row);
    commit.run();
  };
}

/** Twenty people who save at once, again and again: what the slowest twentieth of their saves takes. */
async function manyPeople(call: Caller, url: string, file: OpenFile): Promise<Figure> {
  const [people, saves] = [20, 40];
  const slowest = (times: number[]): number => times.sort((a, b) => a - b)[Math.floor(times.length * 0.95)]!;
  const all = async (save: (person: number, turn: number) => unknown): Promise<number> => {
    const times: number[] = [];
    const one = async (person: number): Promise<void> => {
      for (let turn = 0; turn < saves; turn++) {
        const start = performance.now();
        await save(person, turn);
        times.push(performance.now() - start);
      }
    };
    await Promise.all(Array.from({ length: people }, (_, person) => one(person)));
    return slowest(times);
  };
  const bare = bareSaving(file);
  const ours = (person: number, turn: number): Promise<string> =>
    call('POST', url, {
      changes: [
        {
          op: 'update',
          table: 't_entry',
          key: [1000 + person],
          values: { f_fee: `${turn + 1}.00` },
          was: {},
        },
      ],
    });
  // Each waits for its turn, as twenty callers in one process do.
  const theirs = async (person: number, turn: number): Promise<void> => {
    await new Promise((resolve) => setImmediate(resolve));
    bare(2000 + person, turn + 1);
  };
  await all(ours);
  await all(theirs);
  return {
    what: 'A save (19 of 20 are quicker) while 20 people save at once, over HTTP',
    against: 'the same 20 with the bare driver in one process',
    ours: await all(ours),
    theirs: await all(theirs),
  };
}

/** Milliseconds that one save may take, that of 19 in 20, while people type; and a choice among many. */
const [SAVE, CHOICE] = [10, 50];

/**
 * Twenty people who type, each a cell every 300 ms or so, and hear of what the others do: the time of a save with the
 * row's rule, its history, and the news of it. They sit in a process of their own, as they do in life.
 */
async function peopleTyping(typing: Typing): Promise<Figure> {
  const child = fork(fileURLToPath(new URL('./typists.js', import.meta.url)));
  const answer = new Promise<Typed>((resolve) =>
    child.once('message', (message) => resolve(message as Typed)),
  );
  child.send(typing);
  const { times, heard, error } = await answer;
  child.kill();
  if (error !== null) throw new Error(error);
  // Whoever types hears of each save: else what was measured was not that.
  if (heard < times.length * typing.people)
    throw new Error(`${times.length} saves were heard of only ${heard} times by ${typing.people} people.`);
  return {
    what: `One cell saved (19 of 20 are quicker) while ${typing.people} people type, over HTTP`,
    against: `${SAVE} ms`,
    ours: times.sort((a, b) => a - b)[Math.floor(times.length * 0.95)]!,
    theirs: SAVE,
  };
}

/** 50,000 generated expressions, worked out by the core and by the engine: they must agree on each. */
function agreement(): void {
  const { status } = spawnSync(
    process.execPath,
    [
      '--import',
      'tsx',
      'node_modules/jasmine/bin/jasmine.js',
      '--config=server/jasmine.json',
      'server/src/checks/agreement.spec.ts',
    ],
    {
      stdio: 'inherit',
      env: {
        ...process.env,
        TSX_TSCONFIG_PATH: 'server/tsconfig.json',
        AGREEMENT_RUNS: '10000',
        AGREEMENT_SEED: String(Date.now() % 1_000_000_000),
      },
    },
  );
  if (status !== 0) throw new Error('The core and the engine disagree on an expression: see above.');
}

async function main(): Promise<void> {
  const data = mkdtempSync(join(tmpdir(), 'heathridge-bench-'));
  const app = await buildApp({ data, signInsAMinute: 1000 });
  const figures: Figure[] = [];
  const began = performance.now();
  const add = (...more: Figure[]): void => {
    figures.push(...more);
    // It takes long: whoever waits sees how far it is, and has what was measured if it ends before its time.
    const minutes = ((performance.now() - began) / 60_000).toFixed(1);
    for (const { what, ours, theirs } of more)
      process.stdout.write(`${minutes} min: ${(ours / theirs).toFixed(2)} ${what}\n`);
  };
  let callers: Callers | undefined;
  try {
    const person = await app.context.accounts.create('bench', 'Bench', 'a long enough password', true);
    const id = app.context.files.create('Bench', person.id);
    const { files, jobs, clock } = app.context;
    await applyDraft(files, jobs, id, 0, [{ change: 'addTable', table: LARGE }], 'Bench', clock);
    const file = app.context.files.get(id);
    process.stdout.write(`Making ${ROWS.toLocaleString('en')} rows …\n`);
    file.writer.exec(FILL);
    const address = await app.server.listen({ port: 0, host: '127.0.0.1' });
    const entered = await fetch(`${address}/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', origin: address },
      body: JSON.stringify({ login: 'bench', password: 'a long enough password' }),
    });
    const cookie = entered.headers.get('set-cookie')!.split(';')[0]!;
    callers = new Callers(`cookie: ${cookie}\r\norigin: ${address}\r\n`);
    const { call } = callers;
    const post = (path: string, body: unknown): Promise<string> =>
      call('POST', `${address}/api/files/${id}/${path}`, body);
    add(await emptyRoute(call, `${address}/api/files/${id}/progress/none`));
    const bare = openForReading(file.path);
    const page = (sql: string) => () => JSON.stringify(bare.prepare(sql).raw().all());

    const first = { start: 0, limit: 200, sort: [], search: '' };
    add({
      what: 'First page of 200 rows of 1,000,000, over HTTP',
      against: 'driver + JSON.stringify in process',
      ...(await medians(
        () => post('tables/t_entry/window', first),
        page('SELECT * FROM entry ORDER BY number LIMIT 200'),
        100,
      )),
    });
    const deep = { start: 900_000, limit: 200, sort: [{ field: 'f_day', descending: false }], search: '' };
    await post('tables/t_entry/window', deep);
    // The anchors are sampled in the background: the next asks find them.
    await new Promise((resolve) => setTimeout(resolve, 8000));
    const what = '200 rows from row 900,000 by an indexed field, over HTTP';
    add({
      what,
      against: 'driver with OFFSET + JSON.stringify in process',
      ...(await medians(
        () => post('tables/t_entry/window', deep),
        page('SELECT * FROM entry ORDER BY day, number LIMIT 200 OFFSET 900000'),
      )),
    });
    add(await seeking(what, file.path, () => post('tables/t_entry/window', deep), call));

    let saves = 0;
    // Always another one, and none that the rule further down would refuse.
    const nextFee = (): number => (++saves % 900) + 1;
    const edit = (): Promise<string> =>
      post('rows', {
        changes: [
          { op: 'update', table: 't_entry', key: [500_000], values: { f_fee: `${nextFee()}.00` }, was: {} },
        ],
      });
    const bareSave = bareSaving(file);
    const simple = Fastify();
    simple.post('/', () => {
      bareSave(500_001, nextFee());
      return { saved: [] };
    });
    const simplest = await simple.listen({ port: 0, host: '127.0.0.1' });
    add({
      what: 'Saving one record (checks, history and commit on disk), over HTTP',
      against: 'driver’s UPDATE, history row and commit in a route of bare Fastify, over HTTP',
      ...(await medians(edit, () => call('POST', simplest, { saves }), 300)),
    });
    await simple.close();
    add({
      what: 'Saving one record (checks, history and commit on disk), over HTTP',
      against: 'driver’s UPDATE, history row and commit in process',
      ...(await medians(edit, () => bareSave(500_001, nextFee()), 300)),
    });
    add(await manyPeople(call, `${address}/api/files/${id}/rows`, file));
    add(
      await peopleTyping({
        file: `${address}/api/files/${id}`,
        cookie,
        origin: address,
        people: 20,
      }),
    );

    const today = app.context.clock.today('UTC');
    const script = join(data, 'overdue.sql');
    writeFileSync(script, `${plainQuery(file.design, OVERDUE, today)};`);
    add({
      what: 'The overdue query over 1,000,000 rows with its funnel of 4 counts, over HTTP',
      against: 'sqlite3 command line, the query alone',
      ...(await medians(
        () => post('query/run', { query: OVERDUE }),
        () => {
          const { status, stderr } = spawnSync('sqlite3', [file.path], {
            input: readFileSync(script),
            encoding: 'utf8',
          });
          if (status !== 0) throw new Error(stderr);
        },
        5,
      )),
    });
    add(...(await designChanges(id, data, app.context.files, post)));
    add(...(await changesBack(id, data, app.context.files, post)));
    let typed = 0;
    add({
      what: 'Choices for what is typed into a lookup of 100,000 rows, over HTTP',
      against: `${CHOICE} ms`,
      ...(await medians(
        () => post('lookups/f_pieceMaker', { search: `number ${100 + (typed++ % 900)}` }),
        () => CHOICE,
        20,
      )),
    });
    const send = async (url: string, body: Buffer | object, type = 'application/json'): Promise<string> => {
      const answer = await fetch(`${address}/api/files/${id}/${url}`, {
        method: 'POST',
        headers: { cookie, origin: address, 'content-type': type },
        body: Buffer.isBuffer(body) ? new Uint8Array(body) : JSON.stringify(body),
      });
      const text = await answer.text();
      if (!answer.ok) throw new Error(text);
      return text;
    };
    const path = await csvOf(data, BROUGHT);
    const apply = async (table: Table): Promise<void> => {
      const { version } = files.get(id).design;
      await applyDraft(files, jobs, id, version, [{ change: 'addTable', table }], 'Bench', clock);
    };
    const bringing = { file: files.get(id), send, apply, csv: readFileSync(path) };
    add(...(await bringingIn(data, BROUGHT, path, bringing)));
    const at = `${address}/api/files/${id}`;
    add(await searchingRecords(files.get(id), at, cookie, LARGE, call));
    add(await openingRecords(files.get(id), at, cookie, apply, call));
    add(...(await officeFigures()));
    add(...(await queryFigures(ROWS)));
    add(await scrolling(LARGE, ROWS, FILL));
    add(...(await takingIn(data, ROWS, address, cookie)));
    add({
      what: 'A frame (19 of 20) while a card is dragged on a map of 100 tables, in the browser',
      against: 'the same on a map of 10 tables',
      ...(await mapFrames()),
    });
    add(...(await pageFigures()));
    bare.close();
  } finally {
    callers?.close();
    await app.close();
    rmSync(data, { recursive: true, force: true });
  }
  report(figures);
  agreement();
}

const RULES = 6;

/** A rule over several fields that no row breaks; each number gives one that the file does not have yet. */
const ruleChange = (n: number): Change => ({
  change: 'changeTable',
  table: 't_entry',
  set: {
    rules: [
      {
        id: 'r_bench',
        expression: `"#f_due" > "#f_day" AND "#f_fee" < ${n + 1000} AND CHAR_LENGTH("#f_name") > 3`,
        message: 'It fits.',
      },
    ],
  },
});

/** A draft that drops a field of a million rows, undone; and one that finds the rows of 100,000 texts. */
async function changesBack(
  id: string,
  data: string,
  files: Files,
  post: (path: string, body: unknown) => Promise<string>,
): Promise<Figure[]> {
  const file = (): OpenFile => files.get(id);
  const apply = (...changes: Change[]): Promise<string> =>
    post('draft/apply', { base: file().design.version, changes });
  const copy = join(data, 'undone.db');
  file().writer.prepare('VACUUM INTO ?').run(copy);
  const bare = openForWriting(copy);
  bare.exec(
    'PRAGMA foreign_keys = OFF; CREATE TABLE was (number INTEGER PRIMARY KEY, done INTEGER); INSERT INTO was SELECT number, done FROM entry',
  );
  // What it takes to drop the field is not counted: each round is one undo.
  const drop: Change = { change: 'dropField', table: 't_entry', field: 'f_done', mends: [] };
  const times: { ours: number[]; theirs: number[] } = { ours: [], theirs: [] };
  const timed = async (list: number[], work: () => unknown): Promise<void> => {
    const start = performance.now();
    await work();
    list.push(performance.now() - start);
  };
  for (let round = 0; round < 3; round++) {
    await apply(drop);
    const { version } = file().design;
    await timed(times.ours, () => post(`changes/${version}/undo`, {}));
    await timed(times.theirs, () => {
      bare.exec('BEGIN IMMEDIATE');
      bare.exec('UPDATE entry SET done = (SELECT w.done FROM was AS w WHERE w.number = entry.number)');
      bare.exec('COMMIT');
    });
  }
  bare.close();
  const middle = (list: number[]): number => list.sort((a, b) => a - b)[1]!;
  const undone = {
    what: 'Undo of a dropped field over 1,000,000 rows (safe copy, rebuild, links checked), over HTTP',
    against: 'driver, UPDATE of the field from a table that holds it, and commit',
    ours: middle(times.ours),
    theirs: middle(times.theirs),
  };

  const texts = 100_000;
  const maker = plainTable('t_maker', 'maker', 'Maker', 'Makers', [
    plainField('f_makerNo', 'number', 'Number', { kind: 'runningNumber', prefix: '', width: 0, first: 1 }),
    plainField('f_makerName', 'name', 'Name', { kind: 'text' }),
  ]);
  const part = plainTable('t_piece', 'piece', 'Piece', 'Pieces', [
    plainField('f_pieceNo', 'number', 'Number', { kind: 'runningNumber', prefix: '', width: 0, first: 1 }),
    plainField('f_pieceMaker', 'maker', 'Maker', { kind: 'text' }),
  ]);
  await apply({ change: 'addTable', table: maker }, { change: 'addTable', table: part });
  const fill = `INSERT INTO maker (name) SELECT 'Maker number ' || value FROM generate_series(1, ${texts});
    INSERT INTO piece (maker) SELECT 'Maker number ' || value FROM generate_series(1, ${texts})`;
  file().writer.exec(fill);
  const plain = openForWriting(join(data, 'texts.db'));
  plain.exec(
    'CREATE TABLE maker (number INTEGER PRIMARY KEY, name TEXT); CREATE TABLE piece (number INTEGER PRIMARY KEY, maker)',
  );
  plain.exec(fill);
  const ours: number[] = [];
  const theirs: number[] = [];
  const type = { kind: 'lookup', table: 't_maker', shows: null, onDelete: 'refuse' } as const;
  await timed(ours, () =>
    apply({ change: 'changeField', table: 't_piece', field: 'f_pieceMaker', set: { type } }),
  );
  await timed(theirs, () => {
    plain.exec('CREATE TEMP TABLE found (name TEXT PRIMARY KEY, number INTEGER)');
    plain.exec('INSERT INTO found SELECT name, number FROM maker');
    plain.exec('UPDATE piece SET maker = (SELECT number FROM found WHERE name = piece.maker)');
  });
  plain.close();
  const looked = {
    what: 'Apply of a lookup made of 100,000 texts that find their rows among 100,000 (safe copy, rebuild), over HTTP',
    against: 'driver, UPDATE from a table with the names as its key, and commit',
    ours: ours[0]!,
    theirs: theirs[0]!,
  };
  return [undone, looked];
}

/** A draft with a new rule over a million rows: checked, and applied. */
async function designChanges(
  id: string,
  data: string,
  files: Files,
  post: (path: string, body: unknown) => Promise<string>,
): Promise<Figure[]> {
  const file = (): OpenFile => files.get(id);
  const draft = (n: number) => ({ base: file().design.version, changes: [ruleChange(n)] });
  // The bare work is done on a file of its own, with the settings the application writes with.
  const copy = join(data, 'bare.db');
  file().writer.prepare('VACUUM INTO ?').run(copy);
  const bare = openForWriting(copy);
  const select = `SELECT count(*) FROM entry WHERE NOT (due > day AND fee < 100100 AND length(name) > 3)`;
  const reader = openForReading(file().path);
  const checks = {
    what: 'Check of a new rule over 1,000,000 rows, over HTTP',
    against: 'driver, SELECT count(*) of the rows that break it',
    ...(await medians(
      async () => {
        const { clear } = JSON.parse(await post('draft/check', draft(0))) as { clear: boolean };
        if (!clear) throw new Error('The rule does not fit.');
      },
      () => reader.prepare(select).raw().get(),
      RULES,
    )),
  };
  reader.close();
  const lists = Array.from({ length: RULES + 1 }, (_, n) => {
    const before = applyChanges(file().design, [ruleChange(n)]);
    return steps(before, evolve(before, [ruleChange(n + 1)])).flatMap((step) =>
      'sql' in step ? [step.sql] : [],
    );
  });
  bare.exec('PRAGMA foreign_keys = OFF');
  // The file begins with the rule that the first list takes away.
  bare.exec('BEGIN IMMEDIATE');
  for (const sql of steps(file().design, evolve(file().design, [ruleChange(0)])))
    if ('sql' in sql) bare.exec(sql.sql);
  bare.exec('COMMIT');
  let theirs = 0;
  let ours = 0;
  const applied = {
    what: 'Apply of that rule (safe copy, check, rebuild, links checked, commit on disk), over HTTP',
    against: 'driver, the SQL steps alone in one transaction',
    ...(await medians(
      () => post('draft/apply', draft(++ours)),
      () => {
        bare.exec('BEGIN IMMEDIATE');
        for (const sql of lists[theirs++]!) bare.exec(sql);
        bare.prepare('PRAGMA foreign_key_check').raw().all();
        bare.exec('COMMIT');
      },
      RULES,
    )),
  };
  bare.close();
  return [checks, applied];
}

function report(figures: readonly Figure[]): void {
  const rows = figures.map(
    ({ what, against, ours, theirs }) => `| ${what} | ${against} | ${(ours / theirs).toFixed(2)} |`,
  );
  const table = ['| what | against | ratio |', '| --- | --- | ---: |', ...rows].join('\n');
  process.stdout.write(`\n${table}\n`);
  const readme = 'README.md';
  const text = readFileSync(readme, 'utf8');
  const next = text.replace(/(<!-- figures -->\n)[\s\S]*?(\n<!-- \/figures -->)/, `$1\n${table}\n$2`);
  if (next !== text) writeFileSync(readme, next);
}

await main();
