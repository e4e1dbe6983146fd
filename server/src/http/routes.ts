import type { CreateRateLimitOptions } from '@fastify/rate-limit';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { Readable } from 'node:stream';
import { setImmediate as setTurn } from 'node:timers/promises';
import * as v from 'valibot';
import type { Form, RoleDefinition } from '@heathridge/core/design';
import { mayCall, screenOf, type Need, type Role, type Viewer } from '@heathridge/core/people';
import { caller } from '../jobs/caller';
import type { Person } from '../people/accounts';
import type { OpenFile } from '../store/files';
import type { Context } from './context';
import { Problem } from '../problem';
import { patiently } from './patience';
import { valid, validInTurns } from './validate';

export const COOKIE = 'heathridge';

/** One call of a route, with everything about it that has been checked. */
export interface Call<Body = undefined, Query = undefined> {
  readonly context: Context;
  readonly params: Readonly<Record<string, string>>;
  readonly query: Query;
  readonly body: Body;
  /** Throws `not-signed-in` when nobody is. */
  readonly person: Person;
  /** Who looks at the file, through the screen that the address names. Throws `not-found` when it is gone. */
  readonly viewer: Viewer;
  readonly file: OpenFile;
  readonly reply: FastifyReply;
  readonly request: FastifyRequest;
  /** Aborts when whoever asked has gone. */
  readonly gone: AbortSignal;
}

export interface RouteSpec<B extends v.GenericSchema | undefined, Q extends v.GenericSchema | undefined> {
  readonly method: 'GET' | 'POST' | 'PUT' | 'DELETE';
  /** A path with `:file` works on that file; `needs` is then about the role in it. */
  readonly url: string;
  readonly needs: Need;
  readonly summary: string;
  readonly body?: B;
  readonly query?: Q;
  /** What it answers as JSON, see the core's answers; none for bytes. */
  readonly answer?: v.GenericSchema;
  readonly rateLimit?: { readonly max: number; readonly timeWindow: string };
  /** Bytes of a body at most, where that is another number than for all. */
  readonly most?: number;
  handler(
    call: Call<
      B extends v.GenericSchema ? v.InferOutput<B> : undefined,
      Q extends v.GenericSchema ? v.InferOutput<Q> : undefined
    >,
  ): unknown;
}

/** What the OpenAPI document is made from. */
export interface RouteRecord {
  readonly method: string;
  readonly url: string;
  readonly needs: Need;
  readonly summary: string;
  readonly body?: v.GenericSchema | undefined;
  readonly query?: v.GenericSchema | undefined;
  readonly answer?: v.GenericSchema | undefined;
}

/** Whoever calls, as far as that is known before the body is read. */
interface Admitted {
  readonly params: Readonly<Record<string, string>>;
  readonly person: Person | null;
  readonly role: Role | null;
}

/** Bytes of a body that somebody may send who has not signed in. */
const MOST_OF_STRANGERS = 16 * 1024;

/** Pictures, files and sheets that one person may send at once: each may lie in memory while it comes. */
export const MOST_UPLOADS = 8;

/** What people are sending that may be large. */
class Uploads {
  private readonly by = new Map<FastifyRequest, string>();

  /** Throws a problem where somebody sends too much at once. */
  enter(request: FastifyRequest, person: string): void {
    let now = 0;
    for (const other of this.by.values()) if (other === person) now++;
    if (now >= MOST_UPLOADS)
      throw new Problem(
        'too-many',
        `At most ${MOST_UPLOADS} files are sent at once: wait until one of them has come.`,
      );
    this.by.set(request, person);
    // Who goes in the middle of it has no answer, of which {@link Router} would hear.
    request.raw.once('close', () => this.leave(request));
  }

  leave(request: FastifyRequest): void {
    this.by.delete(request);
  }
}

/** Registers routes; rights, origin, query and body are checked here and nowhere else. */
export class Router {
  readonly records: RouteRecord[] = [];

  constructor(
    private readonly app: FastifyInstance,
    private readonly context: Context,
    /** Milliseconds in which a body must come that is read as a whole. */
    private readonly patience: number,
  ) {}

  private readonly admitted = new WeakMap<FastifyRequest, Admitted>();
  private readonly waiting = new WeakMap<FastifyRequest, NodeJS.Timeout>();
  private readonly uploads = new Uploads();

  /** Counts calls by a key of one's own: for limits that are not about addresses. */
  limiter(options: CreateRateLimitOptions): ReturnType<FastifyInstance['createRateLimit']> {
    return this.app.createRateLimit(options);
  }

  add<B extends v.GenericSchema | undefined = undefined, Q extends v.GenericSchema | undefined = undefined>(
    spec: RouteSpec<B, Q>,
  ): void {
    const { method, url, needs, summary, body, query, answer } = spec;
    this.records.push({ method, url, needs, summary, body, query, answer });
    this.app.route({
      method,
      url,
      config: spec.rateLimit ? { rateLimit: { ...spec.rateLimit } } : {},
      // Of those who are not known yet no more is read than a name and a password take.
      ...(needs === 'anyone' ? { bodyLimit: MOST_OF_STRANGERS } : spec.most ? { bodyLimit: spec.most } : {}),
      // Before a byte of the body is read: nobody who may not do it can make the server work.
      onRequest: (request, reply, done) => {
        const admitted = this.admit(method, needs, request);
        this.admitted.set(request, admitted);
        if (body) this.cutWhenSlow(request, reply);
        else if (method !== 'GET' && method !== 'DELETE' && admitted.person)
          this.uploads.enter(request, admitted.person.id);
        done();
      },
      preValidation: (request, _, done) => {
        clearTimeout(this.waiting.get(request));
        if (isLong(request)) setImmediate(done);
        else done();
      },
      onResponse: (request, _, done) => {
        this.uploads.leave(request);
        done();
      },
      handler: async (request, reply) => {
        if (body && (request.body instanceof Readable || Buffer.isBuffer(request.body)))
          throw new Problem('bad-request', 'The body of this request must be sent as application/json.');
        const { params, person, role } = this.admitted.get(request)!;
        const { context } = this;
        const check = isLong(request) ? validInTurns : valid;
        const checked = body ? await check(body, request.body) : undefined;
        let gone: AbortSignal | null = null;
        let looked: OpenFile | null = null;
        const call: Pick<Call, 'person' | 'file' | 'viewer'> & Record<string, unknown> = {
          context,
          params,
          reply,
          request,
          get gone() {
            return (gone ??= abortedWith(reply));
          },
          query: query ? valid(query, request.query) : undefined,
          body: checked,
          get person() {
            if (!person) throw new Problem('not-signed-in', 'Please sign in.');
            return person;
          },
          get file() {
            if (looked) return looked;
            looked = context.files.get(params['file'] ?? '');
            // As far as nothing else runs it need not be looked for again.
            queueMicrotask(() => (looked = null));
            return looked;
          },
          get viewer(): Viewer {
            const { id, name } = call.person;
            const duty = dutyOf(call.file, role, context.files.duty(params['file'] ?? '', id), request);
            const viewer = { id, name, role: role ?? 'colleague', duty };
            const screen =
              params['screen'] === undefined ? null : screenAt(call.file, viewer, params['screen']);
            return { ...viewer, screen };
          },
        };
        if (isLong(request)) await setTurn();
        const writes = method !== 'GET' && role !== null;
        const work = async (): Promise<unknown> => {
          const file = writes ? call.file : null;
          const answer = await spec.handler(call as never);
          // Before it is acknowledged: a file can be taken away at any moment.
          if (file) context.files.assertThere(file);
          return answer;
        };
        return caller.run(person?.id ?? '', () =>
          // What comes in pieces comes but once.
          request.body instanceof Readable
            ? work()
            : patiently(
                context.jobs,
                () => (role === null ? null : context.files.path(params['file']!)),
                work,
              ),
        );
      },
    });
  }

  /** Who calls, and whether she may. Throws a problem where she may not. */
  private admit(method: string, needs: Need, request: FastifyRequest): Admitted {
    const params = checkedParams(request.params as Record<string, string>);
    const token = tokenOf(request);
    if (method !== 'GET' && token?.from !== 'header') sameOrigin(request);
    const person = token ? this.context.accounts.person(token.value) : null;
    const role =
      person && params['file'] !== undefined ? this.context.files.role(params['file'], person.id) : null;
    this.check(needs, person, role, params['file']);
    return { params, person, role };
  }

  /** Ends a call whose body does not come: it holds a place, and what has come of it. */
  private cutWhenSlow(request: FastifyRequest, reply: FastifyReply): void {
    const timer = globalThis.setTimeout(() => {
      const words = `The whole of a request must come within ${this.patience / 1000} seconds.`;
      void reply.header('connection', 'close').send(new Problem('stopped', words));
      reply.raw.once('finish', () => request.raw.destroy());
    }, this.patience);
    timer.unref();
    request.raw.once('close', () => clearTimeout(timer));
    this.waiting.set(request, timer);
  }

  private check(needs: Need, person: Person | null, role: Role | null, file: string | undefined): void {
    if (mayCall(needs, person !== null, role)) return;
    if (!person) throw new Problem('not-signed-in', 'Please sign in.');
    // Whether a file exists is nobody's business who may not open it.
    if (file !== undefined && role === null)
      throw new Problem('not-found', 'This file is not there, or not open to you.');
    throw new Problem('not-allowed', 'Only the builder of this file may do this.');
  }
}

/** Bytes of a body from which on reading it, checking it and working with it are done with others in between. */
const LONG_BODY = 64 * 1024;

/** Whether a body is long; one that comes in pieces and does not say may be. */
const isLong = ({ headers, body }: FastifyRequest): boolean =>
  !(body instanceof Readable) &&
  ('transfer-encoding' in headers || Number(headers['content-length'] ?? 0) > LONG_BODY);

/** Aborts when the connection that an answer goes to is closed. */
function abortedWith(reply: FastifyReply): AbortSignal {
  const controller = new AbortController();
  reply.raw.once('close', () => controller.abort());
  return controller.signal;
}

/** The header by which a builder looks at the Desk as those with a role do: the role's id. */
const AS_ROLE = 'heathridge-as-role';

/** A role that is no longer there lets nobody do anything. */
const NOTHING_AT_ALL: RoleDefinition = {
  type: 'role',
  id: 'g_gone',
  label: '',
  screens: [],
  tables: [],
  fields: [],
};

/** What the builder lets somebody do on the Desk: by her role, or by that through whose eyes the builder looks. */
function dutyOf(
  { design }: OpenFile,
  role: Role | null,
  own: string | null,
  { headers }: FastifyRequest,
): RoleDefinition | null {
  const asked = headers[AS_ROLE];
  const id = role !== 'builder' ? own : typeof asked === 'string' && asked !== '' ? asked : null;
  if (id === null) return null;
  return design.roles.find((duty) => duty.id === id) ?? NOTHING_AT_ALL;
}

function screenAt({ design }: OpenFile, viewer: Omit<Viewer, 'screen'>, id: string): Form {
  const form = design.forms.find((candidate) => candidate.id === id);
  const there = form && screenOf(design, viewer, form);
  if (!there) throw new Problem('not-found', 'This screen is no longer there.');
  return there;
}

/** What the parts of an address may look like: anything else is no address of ours. */
const PARAM = v.pipe(v.string(), v.regex(/^[A-Za-z0-9_-]{1,60}$/));

function checkedParams(params: Readonly<Record<string, string>>): Readonly<Record<string, string>> {
  for (const value of Object.values(params))
    if (!v.is(PARAM, value)) throw new Problem('not-found', 'There is nothing at this address.');
  return params;
}

/** The token of a session: browsers send it as a cookie, programs as `Authorization: Bearer …`. */
function tokenOf(
  request: FastifyRequest,
): { readonly value: string; readonly from: 'cookie' | 'header' } | null {
  const bearer = /^Bearer ([\w-]+)$/.exec(request.headers.authorization ?? '')?.[1];
  if (bearer !== undefined) return { value: bearer, from: 'header' };
  const cookie = request.cookies[COOKIE];
  return cookie ? { value: cookie, from: 'cookie' } : null;
}

/**
 * Another site can make a browser send our cookie, but not an Origin that is ours; a program that sends none
 * proves by its token, which no other site can read, that it was meant.
 */
function sameOrigin(request: FastifyRequest): void {
  const { origin } = request.headers;
  if (origin === undefined)
    throw new Problem(
      'wrong-origin',
      'A request that writes names its origin, or carries the token of a session in its Authorization header.',
    );
  let host: string;
  try {
    ({ host } = new URL(origin));
  } catch {
    throw new Problem('wrong-origin', 'The address this request came from cannot be read.');
  }
  if (host !== request.host.replace(/:(80|443)$/, '') && host !== request.host)
    throw new Problem('wrong-origin', 'Requests that write must come from this site itself.');
}
