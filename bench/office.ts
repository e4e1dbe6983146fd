import { fork } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { fileURLToPath } from 'node:url';
import { plainField, plainTable, type MapDrawing } from '@heathridge/core/design';
import { makeDemo, SIGN_INS } from '@heathridge/demo';
import { buildApp, type App } from '../server/src/app';
import { hireOf, paymentOf } from '../server/src/testing/faults/hires';
import type { Answered, Asked, Order } from './asker';
import type { Figure } from './figures';

/** Saves a second that are the goal: of one row, and of a hire with two payments. */
const [ROWS, HIRES] = [1000, 500];
/** Milliseconds that a search in the demo's hires may take of the server's own thread. */
const OF_THREAD = 3;
/** Milliseconds that anybody may wait, whatever is going on. */
const WAIT = 50;
const [PEOPLE, SAVES, SEARCHES] = [20, 4000, 600];

/** Whoever asks, in a process of her own as she is in life. */
class Asker {
  private readonly child = fork(fileURLToPath(new URL('./asker.js', import.meta.url)));

  constructor(private readonly headers: string) {}

  async work(calls: readonly Asked[], people: number): Promise<Answered> {
    return this.order({ kind: 'work', headers: this.headers, calls, people });
  }

  /** Asks the same again and again while something is done; gives how long that took each time. */
  async meanwhile(call: Asked, work: () => Promise<unknown>): Promise<Answered> {
    const answered = this.order({ kind: 'look', headers: this.headers, call, every: 2 });
    await work();
    this.child.send({ kind: 'stop' } satisfies Order);
    return answered;
  }

  end(): void {
    this.child.kill();
  }

  private async order(order: Order): Promise<Answered> {
    this.child.send(order);
    const [answered] = (await once(this.child, 'message')) as [Answered];
    if (answered.error !== null) throw new Error(answered.error);
    return answered;
  }
}

/** An office at work, with the demo's rows: what a save costs, a search, and what others wait for whatever is long. */
export async function officeFigures(): Promise<Figure[]> {
  const data = mkdtempSync(join(tmpdir(), 'heathridge-bench-'));
  const app = await buildApp({ data, signInsAMinute: 1000 });
  let askers: Asker[] = [];
  try {
    const file = await makeDemo(app.context);
    const address = await app.server.listen({ port: 0, host: '127.0.0.1' });
    const { login, password } = SIGN_INS[0];
    const entered = await fetch(`${address}/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', origin: address },
      body: JSON.stringify({ login, password }),
    });
    const cookie = entered.headers.get('set-cookie')!.split(';')[0]!;
    const headers = `cookie: ${cookie}\r\norigin: ${address}\r\n`;
    const at = `${address}/api/files/${file}`;
    askers = [new Asker(headers), new Asker(headers)];
    return [
      ...(await saving(askers[0]!, at)),
      await searching(askers[0]!, at),
      ...(await waiting(app, file, askers as [Asker, Asker], at)),
    ];
  } finally {
    for (const asker of askers) asker.end();
    await app.close();
    rmSync(data, { recursive: true, force: true });
  }
}

/** A map as an office has it when it has grown for years. */
const MAP: MapDrawing = {
  title: 'A map',
  width: 4000,
  height: 4000,
  cards: Array.from({ length: 300 }, (_, i) => ({
    x: (i % 20) * 200,
    y: Math.floor(i / 20) * 260,
    width: 180,
    height: 240,
    title: `Table ${i}`,
    lines: Array.from({ length: 10 }, (_, j) => ({ text: `Field ${j} of it`, link: j === 0 })),
    foot: '1,234 rows',
  })),
  links: Array.from({ length: 400 }, (_, i) => `M${i * 7} 10 L${i * 9} 3900`),
};

async function saving(asker: Asker, at: string): Promise<Figure[]> {
  const saves = (tag: string, changes: (i: number) => unknown[]): Asked[] =>
    Array.from({ length: SAVES }, (_, i) => ({
      method: 'POST',
      url: `${at}/rows`,
      body: { id: `${tag}-${i}`, changes: changes(i) },
    }));
  const row = (i: number): unknown[] => [
    { op: 'update', table: 't_hire', key: [1500 + (i % 2000)], values: { f_hireNote: `${i}` }, was: {} },
  ];
  const three = (i: number): unknown[] => [hireOf(`${i}`), paymentOf('4.00'), paymentOf('6.00')];
  const figures: Figure[] = [];
  for (const [what, changes, goal] of [
    ['A save of one row', row, ROWS],
    ['A save of a hire with two payments', three, HIRES],
  ] as const) {
    // A server in use is warm.
    await asker.work(saves(`warm-${goal}`, changes).slice(0, SAVES / 2), PEOPLE);
    const { took } = await asker.work(saves(`measured-${goal}`, changes), PEOPLE);
    figures.push({
      what: `${what}, by the time that ${SAVES.toLocaleString('en')} take of ${PEOPLE} people who save one after the other, over HTTP`,
      against: `${goal} a second`,
      ours: took / SAVES,
      theirs: 1000 / goal,
    });
  }
  return figures;
}

async function searching(asker: Asker, at: string): Promise<Figure> {
  const words = ['vio', 'cel', 'ash', 'tro', '141', '20', 'har', 'elm'];
  const calls = Array.from({ length: SEARCHES }, (_, i): Asked => ({
    method: 'GET',
    url: `${at}/desk/screens/o_hireDesk/list?search=${words[i % words.length]}${i % 7}`,
  }));
  await asker.work(calls, 2);
  const before = performance.eventLoopUtilization();
  await asker.work(calls, 2);
  const { active } = performance.eventLoopUtilization(before);
  return {
    what: 'A search in the record list of some 8,000 hires, by what it takes of the server’s own thread',
    against: `${OF_THREAD} ms`,
    ours: active / SEARCHES,
    theirs: OF_THREAD,
  };
}

/** The longest that a record is waited for while others do what takes long. */
async function waiting(
  { context }: App,
  file: string,
  [watcher, worker]: readonly [Asker, Asker],
  at: string,
): Promise<Figure[]> {
  const { design, writer } = context.files.get(file);
  writer.exec(
    `INSERT INTO hire (player, instrument, hired_on, due_back, returned_on, monthly_fee, note)
     SELECT 1 + value % 300, 1 + value % 100, date('2015-01-01', (value * 7919 % 3000) || ' days'), date('2015-01-01', (value * 7919 % 3000 + 60) || ' days'), date('2015-01-01', (value * 7919 % 3000 + 30) || ' days'), 1000 + value % 500, 'Note ' || (value * 104729 % 100000) FROM generate_series(1, 100000);
     ANALYZE; PRAGMA wal_checkpoint(TRUNCATE)`,
  );
  const window = { start: 0, limit: 200, sort: [{ field: 'f_hireNote', descending: false }] };
  const draft = {
    base: design.version,
    changes: Array.from({ length: 100 }, (_, i) => ({
      change: 'addTable',
      table: plainTable(`t_z${i}`, `z${i}`, `Z${i}`, `Zs${i}`, [
        plainField(`f_z${i}n`, 'number', 'Number', { kind: 'runningNumber', prefix: '', width: 0, first: 1 }),
        ...Array.from({ length: 9 }, (_, j) =>
          plainField(`f_z${i}x${j}`, `c${j}`, `C${j}`, { kind: 'text', most: 60 }),
        ),
      ]),
    })),
  };
  const long: readonly (readonly [what: string, call: Asked])[] = [
    [
      '5,000 hires are saved at once',
      {
        method: 'POST',
        url: `${at}/rows`,
        body: {
          changes: Array.from({ length: 5000 }, (_, i) => ({ ...hireOf(`Many ${i}`), temp: `h${i}` })),
        },
      },
    ],
    [
      '100,000 hires are sorted by a field without an index',
      { method: 'POST', url: `${at}/tables/t_hire/window`, body: window },
    ],
    [
      '100,000 hires are searched before their texts are known',
      {
        method: 'POST',
        url: `${at}/tables/t_hire/window`,
        body: { ...window, sort: [], search: 'note 77 x' },
      },
    ],
    ['the map is printed', { method: 'POST', url: `${at}/map/pdf`, body: MAP }],
    [
      'a note of 1,000,000 letters, half of them with accents, is saved',
      { method: 'POST', url: `${at}/rows`, body: { changes: [hireOf('xü'.repeat(500_000))] } },
    ],
    ['a draft of 100 tables is checked', { method: 'POST', url: `${at}/draft/check`, body: draft }],
  ];
  const cheap: Asked = { method: 'GET', url: `${at}/desk/screens/o_hireDesk/record?key=[1500]` };
  await watcher.work(
    Array.from({ length: 300 }, () => cheap),
    1,
  );
  const figures: Figure[] = [];
  for (const [what, call] of long) {
    const { times } = await watcher.meanwhile(cheap, () => worker.work([call], 1));
    figures.push({
      what: `A record, the longest that it is waited for while ${what}, over HTTP`,
      against: `${WAIT} ms`,
      ours: Math.max(...times),
      theirs: WAIT,
    });
  }
  return figures;
}
