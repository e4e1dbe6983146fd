import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';

/** A spare part as the shop sells it. */
interface Part {
  readonly code: string;
  readonly part: string;
  readonly fits: string;
  readonly price: number;
  readonly inStock: number;
  readonly since: string;
}

const NAMES: readonly (readonly [part: string, fits: string, price: number])[] = [
  ['Reed, strength 2', 'Clarinet', 2.4],
  ['Reed, strength 2½', 'Clarinet', 2.4],
  ['Reed, alto', 'Saxophone', 3.1],
  ['Mouthpiece cap', 'Clarinet', 4.75],
  ['Thumb rest', 'Clarinet', 6.2],
  ['Pad, 10 mm', 'Flute', 0.85],
  ['Pad, 12 mm', 'Flute', 0.9],
  ['Head joint cork', 'Flute', 1.6],
  ['Valve felt', 'Trumpet', 0.45],
  ['Valve spring', 'Trumpet', 1.15],
  ['Slide grease, 10 g', 'Trombone', 5.5],
  ['Water key cork', 'Trombone', 0.6],
  ['E string, 4/4', 'Violin', 3.95],
  ['A string, 4/4', 'Violin', 6.4],
  ['Bridge, 1/2', 'Violin', 7.8],
  ['End pin', 'Cello', 14.25],
  ['Rosin, dark', 'Cello', 8.3],
  ['Tuning key, chrome', 'Guitar', 11.9],
  ['Nylon strings, set', 'Guitar', 9.6],
  ['Snare wire, 14 inch', 'Drum', 12.75],
];

/** The list as it stands on a day: prices move, what is in stock is sold, one part goes and another comes. */
export function partsOn(day: number): Part[] {
  return NAMES.map(([part, fits, price], i) => ({
    code: `P-${String(101 + i)}`,
    part,
    fits,
    price: Math.round(price * 100 + ((i + day) % 5 === 0 ? 10 * day : 0)) / 100,
    inStock: (i * 37 + day * 11) % 60,
    since: `2026-0${1 + (i % 9)}-1${i % 10}`,
  })).filter((_, i) => day === 0 || i !== (day * 3) % NAMES.length);
}

/** A small service of a shop that does not exist: its price list is to be had as JSON and CSV. */
export interface Shop {
  /** Of its list without an ending, such as `http://127.0.0.1:4848/parts`. */
  readonly parts: string;
  /** Lets days go by: by itself it stays on the first. */
  later(days: number): void;
  close(): Promise<void>;
}

/** Opens the shop on a port of this machine; 0 for any that is free. */
export async function openShop(port = 0): Promise<Shop> {
  let day = 0;
  const server = createServer((request, response) => {
    const { pathname, searchParams } = new URL(request.url ?? '/', 'http://shop.invalid');
    // `few` cuts the list off, as a service does that gives its rows in pages.
    const today = partsOn(day).slice(0, Number(searchParams.get('few') ?? NAMES.length));
    if (pathname === '/parts.json')
      response.setHeader('content-type', 'application/json').end(JSON.stringify(today));
    else if (pathname === '/parts.csv') {
      const lines = today.map(
        ({ code, part, fits, price, inStock, since }) =>
          `${code},"${part}",${fits},${price.toFixed(2)},${inStock},${since}`,
      );
      response
        .setHeader('content-type', 'text/csv; charset=utf-8')
        .end(`code,part,fits,price,inStock,since\r\n${lines.join('\r\n')}\r\n`);
    } else
      response
        .writeHead(pathname === '/' ? 200 : 404, { 'content-type': 'text/html; charset=utf-8' })
        .end('<!doctype html><title>Parts</title><p>The price list: /parts.csv, /parts.json</p>');
  });
  await new Promise<void>((done) => server.listen(port, '127.0.0.1', done));
  const { port: own } = server.address() as AddressInfo;
  return {
    parts: `http://127.0.0.1:${own}/parts`,
    later: (days) => {
      day += days;
    },
    close: () =>
      new Promise((done) => {
        server.close(() => done());
        server.closeAllConnections();
      }),
  };
}
