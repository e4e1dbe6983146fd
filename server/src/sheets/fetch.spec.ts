import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { brotliCompressSync, deflateSync, gzipSync } from 'node:zlib';
import { UNWATCHED } from '../change/run';
import { fetchSheet, MOST_FETCHED } from './fetch';
import { isAllowed, isOpen, type Reach } from './reach';
import { SheetError } from './sheet-error';

const ANYWHERE: Reach = { everything: true, hosts: [] };
const OPEN_NET: Reach = { everything: false, hosts: [] };

describe('what the server may ask', () => {
  it('is no address of a special purpose (RFC 6890), however it is written', () => {
    const closed = [
      ...['0.0.0.0', '10.1.2.3', '100.64.0.1', '127.0.0.1', '127.255.0.9', '169.254.169.254', '172.16.0.1'],
      ...[
        '172.31.255.255',
        '192.168.1.1',
        '198.18.0.1',
        '224.0.0.1',
        '255.255.255.255',
        '::',
        '::1',
        'fc00::1',
      ],
      ...[
        'fd12:3456::1',
        'fe80::1',
        'ff02::1',
        '::ffff:127.0.0.1',
        '::ffff:10.0.0.1',
        '64:ff9b::a00:1',
        'x',
        '',
      ],
    ];
    expect(closed.filter(isOpen)).toEqual([]);
    const open = ['1.1.1.1', '172.32.0.1', '100.128.0.1', '192.0.1.1', '2606:4700::1111', '2a00:1450::1'];
    expect(open.filter((address) => !isOpen(address))).toEqual([]);
  });

  it('is what whoever looks after it has allowed, by host or by host and port', () => {
    const reach = { everything: false, hosts: ['stock.local:8080', 'prices.local'] };
    const may = (address: string): boolean => isAllowed(reach, new URL(address));
    expect(may('http://stock.local:8080/a')).toBeTrue();
    expect(may('http://STOCK.local:8080/a')).toBeTrue();
    expect(may('http://stock.local/a')).toBeFalse();
    expect(may('https://prices.local:9000/a')).toBeTrue();
    expect(may('https://prices.local.example.org/a')).toBeFalse();
  });
});

describe('fetching from outside', () => {
  let folder: string;
  let server: Server;
  let base: string;
  let answer: RequestListener;
  beforeAll(async () => {
    folder = mkdtempSync(join(tmpdir(), 'heathridge-fetch-'));
    server = createServer((request, response) => answer(request, response));
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterAll(() => {
    server.close();
    server.closeAllConnections();
    rmSync(folder, { recursive: true });
  });

  const fetching = (
    address: string,
    reach = ANYWHERE,
    signal = new AbortController().signal,
    patience = 20_000,
  ) => fetchSheet(address, join(folder, 'came'), reach, { signal, tell: UNWATCHED, patience });
  /** Why nothing comes. */
  const refusal = (address: string, reach = ANYWHERE, patience?: number): Promise<string> =>
    fetching(address, reach, undefined, patience).then(
      () => 'nothing is refused',
      (error: unknown) => (error instanceof SheetError ? error.message : `not for people: ${String(error)}`),
    );
  const text = (): string => readFileSync(join(folder, 'came'), 'utf8');

  it('writes down what comes, called by the last part of its address', async () => {
    answer = (_, response) => response.end('a,b\n1,é\n');
    expect(await fetching(`${base}/lists/the%20prices.csv?x=1`)).toEqual({
      bytes: 9,
      name: 'the prices.csv',
    });
    expect(text()).toBe('a,b\n1,é\n');
    expect((await fetching(base)).name).toBe('127.0.0.1');
    expect((await fetching(`${base}/100%`)).name).toBe('100%');
  });

  for (const [packing, pack] of [
    ['gzip', gzipSync],
    ['deflate', deflateSync],
    ['br', brotliCompressSync],
  ] as const)
    it(`unpacks what comes as ${packing}, and counts what comes out`, async () => {
      answer = (_, response) => response.setHeader('content-encoding', packing).end(pack('a\n1\n'));
      expect((await fetching(base)).bytes).toBe(4);
      expect(text()).toBe('a\n1\n');
      // Packed before anybody waits for it.
      const many = pack(Buffer.alloc(MOST_FETCHED + 1, 'a'));
      answer = (_, response) => response.setHeader('content-encoding', packing).end(many);
      expect(await refusal(base)).toMatch(/sends more than 64 MB: ask it for fewer rows/);
    });

  it('says of each answer that is no rows what it is', async () => {
    answer = (_, response) => response.writeHead(404).end();
    expect(await refusal(base)).toMatch(/answered 404 not found\.$/);
    answer = (_, response) => response.writeHead(503).end();
    expect(await refusal(base)).toMatch(/answered 503 service unavailable\.$/);
    answer = (_, response) => response.setHeader('content-type', 'text/html').end('<p>');
    expect(await refusal(base)).toMatch(/a page to be read, not with rows/);
    answer = (_, response) => response.setHeader('content-encoding', 'zstd').end('x');
    expect(await refusal(base)).toMatch(/in a way that is not known here \(zstd\)/);
    answer = (_, response) => response.setHeader('content-encoding', 'gzip').end('no gzip');
    expect(await refusal(base)).toMatch(/cannot be read: incorrect header check/);
    answer = (_, response) => {
      response.setHeader('content-length', '100');
      response.write('a,b');
      setTimeout(() => response.destroy(), 20);
    };
    expect(await refusal(base)).toMatch(/broke off in the middle/);
    answer = (request) => request.socket.destroy();
    expect(await refusal(base)).toMatch(/broke off in the middle/);
    answer = () => undefined;
    expect(await refusal(base, ANYWHERE, 500)).toMatch(/says nothing for 1 s/);
    answer = (_, response) => void response.write('a,b\n');
    expect(await refusal(base, ANYWHERE, 500)).toMatch(/says nothing for 1 s/);
    expect(await refusal('http://127.0.0.1:9/')).toMatch(/takes no calls/);
    expect(await refusal('https://nobody.invalid/x.csv')).toMatch(/No host called nobody.invalid is found/);
  });

  it('follows a source that sends on, not for ever, and never to what may not be asked', async () => {
    answer = (request, response) =>
      request.url === '/last' ? response.end('a\n1\n') : response.writeHead(302, { location: '/last' }).end();
    expect(await fetching(`${base}/first`)).toEqual({ bytes: 4, name: 'last' });
    answer = (_, response) => response.writeHead(307, { location: '/again' }).end();
    expect(await refusal(base)).toMatch(/sends on and on: it was followed 5 times/);
    answer = (_, response) => response.writeHead(302, { location: 'file:///etc/passwd' }).end();
    expect(await refusal(base)).toMatch(/Only addresses that begin with https/);
    answer = (_, response) => response.writeHead(302, { location: 'http://[' }).end();
    expect(await refusal(base)).toMatch(/sends on to what is no address/);
    // Allowed by its host and port, it sends on to another port of the same machine.
    const reach = { everything: false, hosts: [new URL(base).host] };
    answer = (_, response) => response.writeHead(302, { location: 'http://127.0.0.1:1/x' }).end();
    expect(await refusal(base, reach)).toMatch(/127.0.0.1:1 stands in the network of this server/);
  });

  it('asks nothing in its own network, by number or by name', async () => {
    let asked = 0;
    answer = (_, response) => {
      asked++;
      response.end('a\n1\n');
    };
    const { port } = new URL(base);
    for (const host of ['127.0.0.1', 'localhost', '[::1]', '0', '2130706433', '127.1', '[::ffff:127.0.0.1]'])
      expect(await refusal(`http://${host}:${port}/`, OPEN_NET))
        .withContext(host)
        .toMatch(/stands in the network of this server, which is not asked for rows/);
    expect(asked).toBe(0);
  });

  it('gives up on who sends a letter now and then, for ever', async () => {
    answer = (_, response) => {
      const sending = setInterval(() => response.write('a'), 20);
      response.once('close', () => clearInterval(sending));
    };
    const options = { signal: new AbortController().signal, tell: UNWATCHED, longest: 300 };
    await expectAsync(fetchSheet(base, join(folder, 'came'), ANYWHERE, options)).toBeRejectedWithError(
      SheetError,
      /takes longer than 1 min to send it/,
    );
  });

  it('ends at once when whoever asked goes', async () => {
    const going = new AbortController();
    answer = () => going.abort(new Error('gone'));
    await expectAsync(fetching(base, ANYWHERE, going.signal, 60_000)).toBeRejectedWithError('gone');
    const later = new AbortController();
    answer = (_, response) => {
      response.write('a');
      setTimeout(() => later.abort(new Error('gone')), 20);
    };
    await expectAsync(fetching(base, ANYWHERE, later.signal, 60_000)).toBeRejectedWithError('gone');
  });
});
