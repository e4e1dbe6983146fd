import { copyFileSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { Agent } from 'node:http';
import { setTimeout as pause } from 'node:timers/promises';
import { join } from 'node:path';
import Database from 'libsql';
import { buildApp } from '../../app';
import { DATABASE } from '../../http/receive';
import { systemClock } from '../../clock';
import { STUB_OF_FULL_DISK } from '../../store/driver';
import { chance } from '../killed-at-work';
import { Office } from '../office';
import { PARAMS, ROUTES } from '../routes';
import { Odd, type Document } from './odd';
import { NONE_OF_OURS, call, Ledger, person, type Failure, type Sender } from './people';
import { freePort, Served } from './served';

export interface Faults {
  /** Seconds for which people work. */
  readonly seconds: number;
  readonly people: number;
  /** Requests that make little sense. */
  readonly odd: number;
  readonly seed: number;
}

/** What came of it. */
export interface Outcome {
  readonly answers: number;
  readonly cut: number;
  readonly statuses: Readonly<Record<number, number>>;
  /** Saves that were answered as done, and those of them that are not in the file, or twice, or by halves. */
  readonly saved: number;
  readonly lost: readonly string[];
  readonly broken: readonly string[];
  readonly failures: readonly Failure[];
  readonly odd: Readonly<Record<number, number>>;
  readonly happened: Readonly<Record<string, number>>;
  /** What is wrong with a file afterwards, by the engine and by the application itself. */
  readonly unsound: readonly string[];
  /** Milliseconds of 19 of 20 answers while nothing was amiss. */
  readonly slow: number;
  /** Milliseconds that the slowest end on request took. */
  readonly end: number;
  /**
   * Megabytes of the server itself: the most that it ever had, and how much it grew by the minute at the end; null where
   * no process of it lived long enough for that to be seen.
   */
  readonly memory: { readonly most: number; readonly growth: number | null };
  /** Files and connections that the server had open at most. */
  readonly open: number;
}

const PASSWORD = 'a long enough password';

/**
 * People at work on a server in a process of its own, to which everything happens that happens to servers: it is killed
 * and ended, its children are killed, another program holds the file, the disk is full, a file is put in the place of
 * another, and requests come that make no sense.
 */
export async function faults({ seconds, people, odd, seed }: Faults): Promise<Outcome> {
  const random = chance(seed);
  const office = await Office.open();
  const { data, file } = office;
  const tokens = await signedIn(office, Math.min(people, Math.max(5, Math.floor(seconds / 12))));
  // The demo as a file of its own for what makes no sense, and one that is replaced.
  office.app.context.files.get(file).writer.exec('PRAGMA wal_checkpoint(TRUNCATE)');
  const bytes = readFileSync(office.path);
  const victim = await adopted(office, 'Victim', bytes);
  const spare = await adopted(office, 'Spare', bytes);
  const paths = Object.fromEntries(
    [file, victim, spare].map((id) => [id, office.app.context.files.get(id).path]),
  );
  const builder = office.token;
  const document = (await office.call('GET', '/api/openapi.json')).body as Document;
  await office.app.close();

  const served = new Served(data, await freePort());
  const agent = new Agent({ keepAlive: true, maxSockets: 200 });
  const sender = (token: string): Sender => ({ address: served.address, token, agent });
  const ledger = new Ledger();
  const happened: Record<string, number> = {};
  const memory: { readonly pid: number; readonly at: number; readonly value: number }[] = [];
  let open = 0;
  let slowestEnd = 0;
  const note = (what: string): void => void (happened[what] = (happened[what] ?? 0) + 1);
  const measuring = setInterval(() => {
    const taken = served.taken();
    if (!taken) return;
    memory.push({ pid: served.pid, at: performance.now() / 60_000, value: taken.memory });
    open = Math.max(open, taken.open);
  }, 1000);
  await served.start();
  const until = performance.now() + seconds * 1000;
  let allHappened = false;
  // On a slow machine it takes longer until each thing has happened: people work on until then.
  const isOver = (): boolean => performance.now() > until && allHappened;
  const amiss = async (work: () => Promise<void>): Promise<void> => {
    ledger.isCalm = false;
    await work();
    // What was held up is worked off.
    await pause(1000);
    ledger.isCalm = true;
  };

  /** What happens to it, one after the other: each several times in a long run, and once in a short one. */
  const trouble: Readonly<Record<string, () => Promise<void>>> = {
    'a child of the server killed': async () => {
      // It begins one when there is something to do, and one may go by itself meanwhile.
      for (let isKilled = false; !isKilled; await pause(50)) {
        const children = served.children();
        const child = children[Math.floor(random() * children.length)];
        isKilled = child !== undefined && killed(child);
      }
      note('children killed');
    },
    'the server killed': async () => {
      await served.end('SIGKILL');
      note('kills of the server');
      await served.start();
    },
    'the file held by another program': async () => {
      const other = new Database(paths[file]!);
      // Others write all the time: it waits for its turn as long as it must.
      other.exec('PRAGMA busy_timeout = 60000; BEGIN IMMEDIATE');
      await pause(seconds >= 600 ? 8000 : 3000);

      other.exec('ROLLBACK');
      other.close();
      note('times another program held the file');
    },
    'a file replaced by another': async () => {
      const other = `${paths[spare]}.other`;
      const source = new Database(paths[spare]!);
      source.prepare('VACUUM INTO ?').run(other);
      source.close();
      renameSync(other, paths[spare]!);
      const heard = await call(sender(builder), 'GET', `/api/files/${spare}/design`);
      ledger.hear('a file that was replaced', heard);
      note('files replaced');
    },
    'a file replaced, and put back': async () => {
      const path = paths[spare]!;
      const [original, other] = [`${path}.original`, `${path}.other`];
      const builders = sender(builder);
      const noted = `Before ${(happened['files put back'] ?? 0) + 1}`;
      const change = { op: 'update', table: 't_hire', key: [1417], values: { f_hireNote: noted }, was: {} };
      const rows = JSON.stringify({ changes: [change] });
      ledger.hear('a save', await call(builders, 'POST', `/api/files/${spare}/rows`, rows));
      // What is none of ours, and may be anything: a few bytes, nothing at all, a file of another program.
      const strange = [
        () => writeFileSync(other, 'Dear colleagues'),
        () => writeFileSync(other, ''),
        () => theirs(other),
      ];
      strange[Math.floor(random() * strange.length)]!();
      renameSync(path, original);
      renameSync(other, path);
      const refused = await call(builders, 'GET', `/api/files/${spare}/design`);
      ledger.hear(NONE_OF_OURS, refused);
      if (refused && refused.status !== 409) ledger.failures.push({ ...refused, what: NONE_OF_OURS });
      renameSync(original, path);
      const back = await call(builders, 'GET', `/api/files/${spare}/tables/t_hire/row?key=[1417]`);
      ledger.hear('a file that is back', back);
      if (back && !back.text.includes(noted)) ledger.failures.push({ ...back, what: 'a file that is back' });
      note('files put back');
    },
    'the disk full': async () => {
      slowestEnd = Math.max(slowestEnd, await served.end('SIGTERM'));
      const reader = new Database(paths[file]!);
      const [pages] = reader.prepare('PRAGMA page_count').raw().get() as [number];
      reader.close();
      ledger.isFull = true;
      await served.start({ [STUB_OF_FULL_DISK]: String(pages + 5) });
      await pause(Math.min(8000, seconds * 50));
      note('full disks');
      slowestEnd = Math.max(slowestEnd, await served.end('SIGTERM'));
      await served.start();
      ledger.isFull = false;
    },
  };

  const heardOdd: Record<number, number> = {};
  const strange = async (): Promise<void> => {
    const maker = new Odd(document, random, ROUTES, { ...PARAMS, file: victim });
    const operations = Object.entries(document.paths).flatMap(([path, methods]) =>
      Object.keys(methods).map((method) => [path, method] as const),
    );
    const share = Math.ceil(odd / 4);
    const one = async (lane: number): Promise<void> => {
      for (let n = 0; n < share;) {
        const [path, method] = operations[(n * 4 + lane) % operations.length]!;
        // Its own account goes, and its session: that is for who works.
        const isOwn = path.startsWith('/api/session') || path.startsWith('/api/accounts');
        const asked = maker.make(path, method);
        const heard = await call(
          sender(isOwn || n % 20 === 0 ? '' : builder),
          asked.method,
          // A line of news stays open for as long as is asked.
          path.endsWith('/events') ? `${asked.path.replace(/\?.*/, '')}?seconds=0` : asked.path,
          asked.body,
          asked.headers,
        );
        if (heard) heardOdd[heard.status] = (heardOdd[heard.status] ?? 0) + 1;
        else await pause(300);
        // Where the server was gone just then, another is made in its place.
        if (heard || isOver()) n++;
        ledger.hear(`${asked.method} ${asked.path}: ${String(asked.body).slice(0, 400)}`, heard);
      }
    };
    await Promise.all([0, 1, 2, 3].map(one));
  };
  const happening = async (): Promise<void> => {
    const restarts = new Set(['the server killed', 'the disk full']);
    const all = Object.keys(trouble);
    // The last third is one life of the server: how it grows is seen only where it lives.
    const last = until - (seconds * 1000) / 3;
    const gap = Math.max(2000, Math.min(15_000, (seconds * 1000) / (all.length * 2.5)));
    try {
      for (let n = 0; n < all.length || performance.now() + gap < until; n++) {
        await pause(gap);
        const isLast = seconds >= 600 && performance.now() > last;
        const names = isLast ? all.filter((name) => !restarts.has(name)) : all;
        const what = names[n % names.length]!;
        await amiss(trouble[what]!);
        if (!served.isUp) throw new Error(`After ${what} the server was gone: ${served.errors}`);
      }
    } finally {
      allHappened = true;
    }
  };
  const work = { file, ledger, random, isOver };
  await Promise.all([
    ...Array.from({ length: people }, (_, i) => person(sender(tokens[i % tokens.length]!), i, work)),
    strange(),
    happening(),
  ]);
  clearInterval(measuring);
  slowestEnd = Math.max(slowestEnd, await served.end('SIGTERM'));
  agent.destroy();

  const { lost, broken } = compared(paths[file]!, ledger);
  const unsound = await soundness(data, builder, [file, victim, spare], paths);
  rmSync(data, { recursive: true, force: true });
  ledger.times.sort((a, b) => a - b);
  return {
    answers: ledger.answers,
    cut: ledger.cut,
    statuses: Object.fromEntries(ledger.statuses),
    saved: ledger.saved.size,
    lost,
    broken,
    failures: ledger.failures,
    odd: heardOdd,
    happened,
    unsound,
    slow: ledger.times[Math.floor(ledger.times.length * 0.95)] ?? 0,
    end: slowestEnd,
    memory: { most: Math.max(...memory.map(({ value }) => value)), growth: growthOf(memory) },
    open,
  };
}

/** Makes a database of another program. */
function theirs(path: string): void {
  const db = new Database(path);
  db.exec('CREATE TABLE theirs (a)');
  db.close();
}

/** Kills a process; false where it has gone already. */
function killed(pid: number): boolean {
  try {
    return process.kill(pid, 'SIGKILL');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ESRCH') return false;
    throw error;
  }
}

/** Sessions of so many people, each with an account of her own. */
async function signedIn(office: Office, many: number): Promise<string[]> {
  const { accounts, files } = office.app.context;
  const tokens: string[] = [];
  for (let i = 0; i < many; i++) {
    const login = `person${i}`;
    const { id } = await accounts.create(login, `Person ${i}`, PASSWORD, false);
    files.share(office.file, id, 'builder');
    const { headers } = await office.call('POST', '/api/session', { login, password: PASSWORD }, null);
    tokens.push(/heathridge=([^;]+)/.exec(String(headers['set-cookie']))![1]!);
  }
  return tokens;
}

async function adopted(office: Office, name: string, bytes: Buffer): Promise<string> {
  const { status, body } = await office.call('POST', `/api/files/adopt?name=${name}`, bytes, 'builder', {
    'content-type': DATABASE,
  });
  if (status !== 200) throw new Error(`The demo could not be taken in: ${JSON.stringify(body)}`);
  return (body as { id: string }).id;
}

/** Saves that were answered and are not in the file; and such as are there twice, or without their payments. */
function compared(path: string, { saved, sent }: Ledger): Pick<Outcome, 'lost' | 'broken'> {
  const db = new Database(path);
  const rows = db
    .prepare(
      `SELECT h.note, count(DISTINCT h.hire_number), count(p.hire) FROM hire AS h LEFT JOIN payment AS p ON p.hire = h.hire_number
       WHERE h.note LIKE 'Load %' GROUP BY h.note`,
    )
    .raw()
    .all() as [string, number, number][];
  db.close();
  const there = new Set(rows.map(([note]) => note));
  const broken = rows
    .filter(([note, hires, payments]) => hires !== 1 || payments !== 2 || !sent.has(note))
    .map(([note, hires, payments]) => `${note}: ${hires} hires, ${payments} payments`);
  return { lost: [...saved].filter((note) => !there.has(note)), broken };
}

/** What is wrong with files, by the engine's own check and by that of the application. */
async function soundness(
  data: string,
  token: string,
  files: readonly string[],
  paths: Readonly<Record<string, string>>,
): Promise<string[]> {
  const found: string[] = [];
  for (const id of files) {
    // On a copy: what is looked at is to stay as the server left it.
    const copy = join(data, 'looked-at.db');
    copyFileSync(paths[id]!, copy);
    const db = new Database(copy);
    const integrity = (db.prepare('PRAGMA integrity_check').raw().all() as [string][]).map(([line]) => line);
    const orphans = db.prepare('PRAGMA foreign_key_check').raw().all();
    db.close();
    if (integrity.join() !== 'ok') found.push(`${id}: ${integrity.join(' ')}`);
    if (orphans.length > 0) found.push(`${id}: ${orphans.length} rows lead nowhere`);
    if (statSync(paths[id]!).size === 0) found.push(`${id} is empty`);
  }
  const app = await buildApp({ data, clock: systemClock });
  for (const id of files) {
    const { payload, statusCode } = await app.server.inject({
      method: 'POST',
      url: `/api/files/${id}/sound`,
      payload: {},
      headers: { authorization: `Bearer ${token}` },
    });
    const { findings, missing, damage } = JSON.parse(payload) as Record<string, unknown[] | undefined>;
    if (statusCode !== 200 || findings?.length || missing?.length || damage?.length)
      found.push(`${id}: ${payload.slice(0, 500)}`);
  }
  await app.close();
  return found;
}

/** Minutes after its start from which on a server is warm: it keeps of the files in use what it may keep of them. */
const WARM = 3;

/**
 * Megabytes a minute by which the server grew, by the least squares over the longest time that one process of it was
 * warm; null where none was for long enough.
 */
function growthOf(
  memory: readonly { readonly pid: number; readonly at: number; readonly value: number }[],
): number | null {
  const lives = new Map<number, { readonly at: number; readonly value: number }[]>();
  for (const { pid, ...one } of memory) lives.set(pid, [...(lives.get(pid) ?? []), one]);
  const warm = [...lives.values()].map((life) => life.filter(({ at }) => at > life[0]!.at + WARM));
  const longest = warm.reduce((best, life) => (life.length > best.length ? life : best), []);
  if (longest.length < 60) return null;
  const mean = (of: (one: { at: number; value: number }) => number): number =>
    longest.reduce((sum, one) => sum + of(one), 0) / longest.length;
  const [at, value] = [mean((one) => one.at), mean((one) => one.value)];
  return mean((one) => (one.at - at) * (one.value - value)) / mean((one) => (one.at - at) ** 2);
}
