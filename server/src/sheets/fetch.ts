import { lookup } from 'node:dns';
import { request as plain, STATUS_CODES, type IncomingMessage } from 'node:http';
import { request as secure } from 'node:https';
import { isIP, type LookupFunction } from 'node:net';
import { Transform } from 'node:stream';
import { createBrotliDecompress, createGunzip, createInflate } from 'node:zlib';
import { addressProblem } from '@heathridge/core/sheet';
import type { Tell } from '../change/run';
import { intoFile } from '../store/into-file';
import { hostOf, isAllowed, isOpen, type Reach } from './reach';
import { SheetError } from './sheet-error';

/** Bytes of what comes from outside, unpacked: a hundred thousand rows, not the archive of a country. */
export const MOST_FETCHED = 64 * 1024 * 1024;
/** Milliseconds without one byte after which an outside source is given up. */
const PATIENCE = 20_000;
/** Milliseconds that all of it may take: who sends a letter a second would hold a place for ever. */
const LONGEST = 5 * 60_000;
/** Times that a source may send on to another address. */
const MOST_SENT_ON = 5;

export interface Fetching {
  readonly signal: AbortSignal;
  readonly tell: Tell;
  /** See {@link PATIENCE} and {@link LONGEST}. */
  readonly patience?: number;
  readonly longest?: number;
}

export interface Fetched {
  readonly bytes: number;
  /** What it is called: the last part of its address, or its host. */
  readonly name: string;
}

class Closed extends Error {}

/** Looks a host up, and passes on its open addresses alone: looked up twice, it could have become another. */
const openLookup: LookupFunction = (hostname, options, done) => {
  lookup(hostname, { ...options, all: true }, (error, found) => {
    if (error) return done(error, []);
    const open = found.filter(({ address }) => isOpen(address));
    const [first] = open;
    if (!first) done(new Closed(), []);
    else if (options.all) done(null, open);
    else done(null, first.address, first.family);
  });
};

/**
 * Fetches what stands at an address into a file, as it comes. Throws a SheetError, for people, for whatever keeps it
 * from being rows; what `signal` ends is thrown as it is.
 */
export async function fetchSheet(
  address: string,
  path: string,
  reach: Reach,
  { longest = LONGEST, ...options }: Fetching,
): Promise<Fetched> {
  const late = AbortSignal.timeout(longest);
  const signal = AbortSignal.any([options.signal, late]);
  try {
    return await followed(address, path, reach, { ...options, signal });
  } catch (error) {
    if (!late.aborted || options.signal.aborted || error instanceof SheetError) throw error;
    const minutes = Math.max(1, Math.round(longest / 60_000));
    throw new SheetError(
      `${new URL(address).host} takes longer than ${minutes} min to send it: ask it for fewer rows.`,
    );
  }
}

/** Asks from address to address, as far as one sends on to another. */
async function followed(
  address: string,
  path: string,
  reach: Reach,
  { signal, tell, patience = PATIENCE }: Fetching,
): Promise<Fetched> {
  let url = new URL(address);
  for (let turn = 0; turn <= MOST_SENT_ON; turn++) {
    const wrong = addressProblem(url.href);
    if (wrong !== null) throw new SheetError(wrong);
    tell({ step: 0, of: 0, what: `Asking ${url.host}` });
    const answer = await asked(url, reach, signal, patience);
    const status = answer.statusCode ?? 0;
    const { location } = answer.headers;
    if (status >= 300 && status < 400 && location !== undefined) {
      answer.destroy();
      try {
        url = new URL(location, url);
      } catch {
        throw new SheetError(`${url.host} sends on to what is no address.`);
      }
      continue;
    }
    if (status !== 200) {
      answer.destroy();
      throw new SheetError(
        `${url.host} answered ${status} ${(STATUS_CODES[status] ?? '').toLowerCase()}`.trim() + '.',
      );
    }
    if (/^text\/html\b|xhtml/i.test(answer.headers['content-type'] ?? '')) {
      answer.destroy();
      throw new SheetError(
        `${url.host} answered with a page to be read, not with rows: look for an address of CSV or JSON.`,
      );
    }
    return { bytes: await received(url, answer, path, signal, tell), name: nameOf(url) };
  }
  throw new SheetError(`${url.host} sends on and on: it was followed ${MOST_SENT_ON} times.`);
}

/** Asks, and gives the beginning of the answer. */
function asked(url: URL, reach: Reach, signal: AbortSignal, patience: number): Promise<IncomingMessage> {
  const host = hostOf(url);
  const free = isAllowed(reach, url);
  // A numeric address is never looked up.
  if (!free && isIP(host) !== 0 && !isOpen(host)) return Promise.reject(closed(url));
  return new Promise((done, fail) => {
    const request = (url.protocol === 'https:' ? secure : plain)(url, {
      signal,
      timeout: patience,
      agent: false,
      headers: {
        accept: 'text/csv, application/json, application/x-ndjson, text/tab-separated-values, */*;q=0.5',
        'accept-encoding': 'identity',
        'user-agent': 'Heathridge',
      },
      ...(free ? {} : { lookup: openLookup }),
    });
    request.once('response', (answer) => {
      request.once('timeout', () => answer.destroy(new SheetError(silent(url, patience))));
      done(answer);
    });
    request.once('timeout', () => request.destroy(new SheetError(silent(url, patience))));
    request.on('error', (error) => fail(signal.aborted ? (signal.reason as Error) : worded(url, error)));
    request.end();
  });
}

const silent = (url: URL, patience: number): string =>
  `${url.host} says nothing for ${Math.ceil(patience / 1000)} s: try again later.`;

const closed = (url: URL): SheetError =>
  new SheetError(
    `${url.host} stands in the network of this server, which is not asked for rows. Whoever looks after the server may allow it (HEATHRIDGE_SOURCES).`,
  );

function worded(url: URL, error: NodeJS.ErrnoException): Error {
  if (error instanceof SheetError) return error;
  if (error instanceof Closed) return closed(url);
  switch (error.code) {
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return new SheetError(
        `No host called ${url.hostname} is found: look at the address, or whether this server reaches the net.`,
      );
    case 'ECONNREFUSED':
      return new SheetError(`${url.host} takes no calls: look at the address, or try again later.`);
    case 'ECONNRESET':
    case 'EPIPE':
    case 'ERR_STREAM_PREMATURE_CLOSE':
      return new SheetError(`${url.host} broke off in the middle: try again.`);
    case 'ETIMEDOUT':
    case 'EHOSTUNREACH':
    case 'ENETUNREACH':
      return new SheetError(`${url.host} is not reached from this server: try again later.`);
    case 'ENOSPC':
      return error;
    default:
      return new SheetError(`${url.host} cannot be read: ${error.message}.`);
  }
}

const UNPACKING = {
  gzip: createGunzip,
  'x-gzip': createGunzip,
  deflate: createInflate,
  br: createBrotliDecompress,
};

/** Writes an answer down as it comes; gives its bytes, unpacked. */
async function received(
  url: URL,
  answer: IncomingMessage,
  path: string,
  signal: AbortSignal,
  tell: Tell,
): Promise<number> {
  let size = 0;
  const counted = new Transform({
    transform(chunk: Buffer, _, done) {
      size += chunk.length;
      tell({ step: 0, of: 0, what: `Fetching: ${Math.ceil(size / 1024).toLocaleString('en-GB')} kB so far` });
      done(
        size > MOST_FETCHED
          ? new SheetError(
              `${url.host} sends more than ${MOST_FETCHED / 1024 ** 2} MB: ask it for fewer rows.`,
            )
          : null,
        chunk,
      );
    },
  });
  // Asked for nothing packed, some pack it all the same.
  const packing = (answer.headers['content-encoding'] ?? 'identity').toLowerCase();
  try {
    if (packing === 'identity') await intoFile(path, [answer, counted], { signal });
    else if (packing in UNPACKING)
      await intoFile(path, [answer, UNPACKING[packing as keyof typeof UNPACKING](), counted], { signal });
    else
      throw new SheetError(`${url.host} packs what it sends in a way that is not known here (${packing}).`);
  } catch (error) {
    answer.destroy();
    if (signal.aborted) throw signal.reason;
    throw worded(url, error as NodeJS.ErrnoException);
  }
  if (!answer.complete) throw new SheetError(`${url.host} broke off in the middle: try again.`);
  return size;
}

/** What is fetched is called by the last part of its address. */
function nameOf(url: URL): string {
  const last =
    url.pathname
      .split('/')
      .filter((part) => part !== '')
      .at(-1) ?? url.hostname;
  try {
    return decodeURIComponent(last).slice(0, 200);
  } catch {
    // A percent sign that stands for itself.
    return last.slice(0, 200);
  }
}
