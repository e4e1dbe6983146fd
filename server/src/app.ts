import '@heathridge/core/temporal';
import { randomInt } from 'node:crypto';
import type { IncomingHttpHeaders } from 'node:http';
import { join } from 'node:path';
import compress from '@fastify/compress';
import cookie from '@fastify/cookie';
import rateLimit from '@fastify/rate-limit';
import Fastify, { type FastifyError, type FastifyInstance, type FastifyReply } from 'fastify';
import { systemClock, type Clock } from './clock';
import { assertShallow } from './http/json-body';
import { Newsroom } from './http/news';
import { Presence } from './http/presence';
import { openApi } from './http/openapi';
import { Problem } from './problem';
import { Router, type RouteRecord } from './http/routes';
import { BYTES, DATABASE, SHEET } from './http/receive';
import { servePages } from './http/static';
import { JobPool } from './jobs/pool';
import { Accounts } from './people/accounts';
import { attachmentRoutes } from './routes/attachments';
import { buttonRoutes } from './routes/buttons';
import { deskRoutes } from './routes/desk';
import { peopleRoutes } from './routes/people';
import { documentRoutes } from './routes/documents';
import { exchangeRoutes } from './routes/exchange';
import { MOST_BYTES } from './rows/attachments';
import { fileRoutes } from './routes/files';
import { newsRoutes } from './routes/news';
import { packageRoutes } from './routes/packages';
import { planRoutes } from './routes/plan';
import { queryRoutes } from './routes/query';
import { reportRoutes } from './routes/report';
import { rowRoutes } from './routes/rows';
import { viewRoutes } from './routes/views';
import { sheetRoutes } from './routes/sheets';
import { fetchDue, sourceRoutes } from './routes/sources';
import { sessionRoutes } from './routes/session';
import { soundnessRoutes } from './routes/soundness';
import { SheetFolder } from './sheets/folder';
import type { Reach } from './sheets/reach';
import { SHEETS } from './store/leftovers';
import { isDamaged, isFailing, isFull, isHeld, isUnwritable, keepPrivate } from './store/private';
import { openRegistry } from './store/registry';
import { Files } from './store/files';
import { DesignMoved } from './store/versions';
import { damaged } from './store/whose';
import type { Context } from './http/context';

export { isDamaged, isHeld, isUnwritable, Problem };

export interface AppOptions {
  /** The folder of the registry, the files and their safe copies. */
  readonly data: string;
  /** The folder of the built pages; without it only the API is served. */
  readonly pages?: string;
  readonly clock?: Clock;
  readonly log?: boolean;
  /** Sign-ins a minute from one address, and for one name. */
  readonly signInsAMinute?: number;
  /** Addresses of proxies whose word on the caller's address and protocol is taken; none by default. */
  readonly trustedProxies?: readonly string[];
  /** Whether the demo's passwords open anything: only where nobody else can reach the server. */
  readonly demoOpen?: boolean;
  /** Milliseconds in which a body must come that is read as a whole; 30,000 by default. */
  readonly patience?: number;
  /** What outside of the server may be asked for rows; the open net by default. */
  readonly reach?: Reach;
}

export interface App {
  readonly server: FastifyInstance;
  readonly context: Context;
  readonly routes: readonly RouteRecord[];
  /**
   * Takes nothing new, and lets what is being done end, for `finish` milliseconds at most; what still hangs then is cut
   * off, and its work undone.
   */
  close(finish?: number): Promise<void>;
}

/** Bytes of a request's body that are taken: a save of thousands of rows, not a film. */
const MOST_BODY = 4 * 1024 * 1024;

/** Whether something follows the head of a request. */
const hasBody = (headers: IncomingHttpHeaders): boolean =>
  headers['transfer-encoding'] !== undefined || Number(headers['content-length'] ?? 0) > 0;

/** Milliseconds that what is being done has to end when the server is to. */
const FINISH = 5000;

/** Milliseconds between looks for outside sources whose time has come. */
const EVERY_MINUTE = 60_000;

const isLoopback = (address: string | undefined): boolean =>
  address !== undefined && /^(::1|(::ffff:)?127\.)/.test(address);

/**
 * What every answer says to browsers: OWASP's secure headers. Pages bring a policy of their own; nothing else
 * that is sent may run or load anything. Set at once and not by a plugin header by header, since every call
 * pays for it; an answer that no plugin ever sees has the same.
 */
const HEADERS = {
  'content-security-policy': "default-src 'none'; frame-ancestors 'none'",
  'cross-origin-opener-policy': 'same-origin',
  'cross-origin-resource-policy': 'same-origin',
  'referrer-policy': 'no-referrer',
  'strict-transport-security': 'max-age=31536000; includeSubDomains',
  'x-content-type-options': 'nosniff',
  'x-frame-options': 'SAMEORIGIN',
} as const;

/** Builds the whole server, ready to listen or to be called in tests. */
export async function buildApp({
  data,
  pages,
  clock = systemClock,
  log = false,
  signInsAMinute = 30,
  trustedProxies = [],
  demoOpen = true,
  patience = 30_000,
  reach = { everything: false, hosts: [] },
}: AppOptions): Promise<App> {
  keepPrivate(data);
  const registry = openRegistry(data);
  const context: Context = {
    clock,
    files: new Files(registry.orm, data, clock),
    accounts: new Accounts(registry.orm, clock, demoOpen),
    jobs: new JobPool(),
    sheets: new SheetFolder(join(data, SHEETS)),
    news: new Newsroom(clock.id('e')),
    presence: new Presence(),
    progress: new Map(),
    reach,
  };

  // Whoever has it open reads all of it anew.
  context.files.onReplaced = (id) =>
    context.news.tell(id, { account: '', by: '', entry: null, tables: [], design: true });

  context.jobs.placeAt = (path) => context.files.placeAt(path);

  const server = Fastify({
    logger: log ? { level: 'warn' } : false,
    bodyLimit: MOST_BODY,
    // What is still asked over a connection while the server ends is answered, and is the last of it.
    return503OnClosing: false,
    routerOptions: { maxParamLength: 500 },
    trustProxy: trustedProxies.length > 0 ? [...trustedProxies] : false,
    // An address that cannot be read never comes to a route, and would be answered without our headers.
    frameworkErrors: (error, _, reply) => {
      const problem = asProblem(error);
      void (reply as FastifyReply)
        .headers(HEADERS)
        .code(problem.status)
        .type('application/problem+json')
        .send(JSON.stringify(problem));
    },
    clientErrorHandler: (_, socket) => {
      if (!socket.writable) return;
      const body = JSON.stringify(new Problem('bad-request', 'This is no request that can be read.'));
      const headers = Object.entries({
        ...HEADERS,
        'content-type': 'application/problem+json',
        'content-length': String(Buffer.byteLength(body)),
        connection: 'close',
      }).map(([name, value]) => `${name}: ${value}\r\n`);
      socket.end(`HTTP/1.1 400 Bad Request\r\n${headers.join('')}\r\n${body}`);
    },
  });
  server.setErrorHandler((error: FastifyError, request, reply) => {
    const problem = asProblem(error, request.routeOptions.bodyLimit);
    // What is still on its way is not waited for: it was not read, and is not to be.
    if (hasBody(request.headers) && !request.raw.complete) void reply.header('connection', 'close');
    if (problem.status >= 500) {
      const { number } = problem.extras;
      request.log.error({ number, err: error });
      if (!log)
        process.stderr.write(
          `${number === undefined ? '' : `${number} `}${request.method} ${request.url}: ${number === undefined ? problem.type : (error.stack ?? error.message)}\n`,
        );
    }
    return reply.code(problem.status).type('application/problem+json').send(JSON.stringify(problem));
  });
  let isClosing = false;
  server.addHook('onRequest', (request, reply, done) => {
    reply.headers(HEADERS);
    if (isClosing) void reply.header('connection', 'close');
    // To a browser on this machine, or a proxy on it, bytes cost less than the work of packing them.
    if (isLoopback(request.socket.remoteAddress)) request.headers['x-no-compression'] = 'true';
    // Where nothing is nothing is read either.
    if (request.is404 && request.method !== 'GET' && request.method !== 'HEAD')
      done(new Problem('not-found', 'There is nothing at this address.'));
    else done();
  });
  await server.register(cookie);
  await server.register(compress, {
    threshold: 2048,
    encodings: ['gzip', 'deflate'],
    // Nobody sends us anything packed, and a few bytes could be unpacked to very many.
    globalDecompression: false,
  });
  await server.register(rateLimit, { global: false });

  const json = server.getDefaultJsonParser('error', 'error');
  server.removeContentTypeParser('application/json');
  server.addContentTypeParser('application/json', { parseAs: 'string' }, (request, text, done) => {
    try {
      assertShallow(text as string);
    } catch (error) {
      done(error as Error);
      return;
    }
    json(request, text as string, done);
  });
  // What may be large goes to disk as it comes.
  for (const type of [DATABASE, SHEET, BYTES])
    server.addContentTypeParser(type, (_, body, done) => done(null, body));

  const router = new Router(server, context, patience);
  sessionRoutes(router, signInsAMinute);
  fileRoutes(router);
  planRoutes(router);
  documentRoutes(router);
  soundnessRoutes(router);
  rowRoutes(router);
  queryRoutes(router);
  reportRoutes(router);
  deskRoutes(router);
  buttonRoutes(router);
  peopleRoutes(router);
  attachmentRoutes(router);
  exchangeRoutes(router);
  sheetRoutes(router);
  sourceRoutes(router);
  newsRoutes(router);
  viewRoutes(router);
  packageRoutes(router);
  const document = openApi(router.records);
  router.add({
    method: 'GET',
    url: '/api/openapi.json',
    needs: 'anyone',
    summary: 'This document',
    handler: () => document,
  });
  if (pages) await servePages(server, pages);
  else
    server.setNotFoundHandler((_, reply) =>
      reply
        .code(404)
        .type('application/problem+json')
        .send(JSON.stringify(new Problem('not-found', 'There is nothing at this address.'))),
    );

  const ending = new AbortController();
  const looking = setInterval(() => fetchDue(context, ending.signal), EVERY_MINUTE).unref();
  return {
    server,
    context,
    routes: router.records,
    async close(finish = FINISH) {
      isClosing = true;
      clearInterval(looking);
      ending.abort();
      context.news.close();
      const cut = setTimeout(() => {
        void context.jobs.close();
        server.server.closeAllConnections();
      }, finish);
      await server.close();
      clearTimeout(cut);
      await context.jobs.close();
      context.files.close();
      registry.close();
    },
  };
}

const bytesInWords = (bytes: number): string =>
  bytes < 1024 ** 2 ? `${bytes / 1024} kB` : `${bytes / 1024 ** 2} MB`;

/** Every error as a problem document; what we did not foresee says nothing of our insides. */
function asProblem(error: FastifyError, bodyLimit = MOST_BODY): Problem {
  if (error instanceof Problem) return error;
  if (error.code === 'FST_ERR_CTP_BODY_TOO_LARGE')
    return new Problem(
      'too-large',
      `This request may hold ${bytesInWords(bodyLimit)} at most, a picture or file ${bytesInWords(MOST_BYTES)}.`,
    );
  if (error.statusCode === 429) return new Problem('too-many', 'Too many tries. Please wait a minute.');
  if (error instanceof DesignMoved)
    return new Problem('changing', 'The design of this file is being changed at this moment: try again.');
  if (isHeld(error))
    return new Problem(
      'changing',
      'Another program is using this file. What you typed is kept: try again when that program has let it go.',
    );
  if (isDamaged(error)) return damaged();
  if (isFull(error)) return new Problem('disk-full', 'The disk is full: nothing was saved.');
  if (isUnwritable(error) || isFailing(error))
    return new Problem(
      'not-writable',
      'The server cannot write to its disk at this moment: nothing was saved. What you typed is kept; tell whoever looks after the server, and try again.',
    );
  if (error.statusCode !== undefined && error.statusCode < 500)
    return new Problem(
      'bad-request',
      'This request cannot be read: its body is not valid JSON, or its address is malformed.',
    );
  const number = String(randomInt(100_000, 1_000_000));
  return new Problem(
    'unexpected',
    `Nothing was changed. Please try again; if it stays, tell whoever looks after the server the number ${number}.`,
    { number },
  );
}
