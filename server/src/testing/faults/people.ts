import { randomUUID } from 'node:crypto';
import type { Agent } from 'node:http';
import { request } from 'node:http';
import { setTimeout as pause } from 'node:timers/promises';
import { hireOf, paymentOf } from './hires';

/** What was answered to a call; nothing where the server was not there, or went in the middle of it. */
export interface Heard {
  readonly status: number;
  readonly text: string;
  /** Milliseconds. */
  readonly took: number;
}

/** An answer that says that something went wrong on the server's side. */
export interface Failure {
  readonly what: string;
  readonly status: number;
  readonly text: string;
}

/** What is asked of a file while something else stands in its place. */
export const NONE_OF_OURS = 'a file that is none of ours';

/** What all people together have heard, and what they were told is kept. */
export class Ledger {
  readonly failures: Failure[] = [];
  /** Hires that were answered as saved, by what is noted in them. */
  readonly saved = new Set<string>();
  /** Hires that were sent, whether answered or not. */
  readonly sent = new Set<string>();
  readonly statuses = new Map<number, number>();
  /** Milliseconds of the answers to those who work, while nothing was amiss. */
  readonly times: number[] = [];
  answers = 0;
  /** Calls that the end of the server cut off. */
  cut = 0;
  /** A disk that is made full answers with its own status, which is none of ours to fail by. */
  isFull = false;
  isCalm = true;

  hear(what: string, heard: Heard | null): void {
    if (!heard) {
      this.cut++;
      return;
    }
    this.answers++;
    this.statuses.set(heard.status, (this.statuses.get(heard.status) ?? 0) + 1);
    if (this.isCalm) this.times.push(heard.took);
    // That the file in use is not in its place is never true.
    const isMistaken = what !== NONE_OF_OURS && heard.text.includes('/problems/misplaced');
    if (!isMistaken && (heard.status < 500 || (this.isFull && heard.status === 507))) return;
    this.failures.push({ what, status: heard.status, text: heard.text.slice(0, 500) });
  }
}

export interface Sender {
  readonly address: string;
  readonly token: string;
  readonly agent: Agent;
}

/** Makes a call; null when the server was not there for all of it. */
export function call(
  { address, token, agent }: Sender,
  method: string,
  path: string,
  body?: string | Buffer,
  headers: Readonly<Record<string, string>> = { 'content-type': 'application/json' },
): Promise<Heard | null> {
  const begun = performance.now();
  return new Promise((resolve) => {
    const asked = request(
      `${address}${path}`,
      {
        method,
        agent,
        headers: {
          origin: address,
          ...(token === '' ? {} : { cookie: `heathridge=${token}` }),
          ...(body === undefined ? {} : { ...headers, 'content-length': String(Buffer.byteLength(body)) }),
        },
      },
      (answer) => {
        const parts: Buffer[] = [];
        answer.on('data', (part: Buffer) => parts.push(part));
        answer.on('error', () => resolve(null));
        answer.on('aborted', () => resolve(null));
        answer.on('end', () =>
          resolve({
            status: answer.statusCode ?? 0,
            text: Buffer.concat(parts).toString(),
            took: performance.now() - begun,
          }),
        );
      },
    );
    asked.on('error', () => resolve(null));
    asked.setTimeout(120_000, () => asked.destroy());
    asked.end(body);
  });
}

/** Milliseconds from one thing that somebody does to the next, about. */
const PAUSE = 400;

export interface Work {
  readonly file: string;
  readonly ledger: Ledger;
  readonly random: () => number;
  readonly isOver: () => boolean;
}

/** Somebody who works until it is over: looks, searches, opens, and saves hires with two payments each. */
export async function person(sender: Sender, number: number, work: Work): Promise<void> {
  const { file, ledger, random, isOver } = work;
  const at = `/api/files/${file}`;
  const screen = `${at}/desk/screens/o_hireDesk`;
  const whole = (most: number): number => Math.floor(random() * most);
  const look = async (method: string, path: string, body?: object): Promise<void> => {
    const heard = await call(sender, method, path, body && JSON.stringify(body));
    ledger.hear(`${method} ${path}`, heard);
    if (!heard) await pause(200);
  };
  for (let n = 0; !isOver(); n++) {
    await pause(PAUSE * (0.5 + random()));
    const sort = random();
    if (sort < 0.4) await save(sender, `Load ${number}-${n}`, at, work);
    else if (sort < 0.55) await look('GET', `${screen}/list?search=${['', 'vio', 'a', '14'][whole(4)]}`);
    else if (sort < 0.75) await look('GET', `${screen}/record?key=[${1417 + whole(3000)}]`);
    else if (sort < 0.85)
      await look('POST', `${screen}/lookups/f_hirePlayer`, { search: ['a', 'an', 'lo'][whole(3)] });
    else if (sort < 0.95)
      await look('POST', `${at}/desk/screens/o_stock/page`, { start: whole(100), limit: 50 });
    else await look('GET', `${at}/desk/boards/h_overview`);
  }
}

/** Saves a hire with two payments, under one name, until it is answered: whatever happens to the server meanwhile. */
async function save(
  sender: Sender,
  note: string,
  at: string,
  { ledger, random, isOver }: Work,
): Promise<void> {
  const hire = hireOf(note, 1 + Math.floor(random() * 200), 1 + Math.floor(random() * 100));
  const body = JSON.stringify({ id: randomUUID(), changes: [hire, paymentOf('4.00'), paymentOf('6.00')] });
  ledger.sent.add(note);
  // Who types waits a moment for a server that starts again, and sends it once more when all is over.
  for (let tries = 0; tries < 400; tries++) {
    const heard = await call(sender, 'POST', `${at}/rows`, body);
    ledger.hear('a hire with two payments', heard);
    if (heard?.status === 200) {
      ledger.saved.add(note);
      return;
    }
    // What is refused for good is not tried again; a full disk, a program that holds the file, are waited for.
    if (heard && ![408, 423, 429, 507].includes(heard.status)) return;
    if (isOver() && tries > 100) return;
    await pause(250);
  }
}
