import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { GenericSchema, InferOutput } from 'valibot';
import { mayCall, type Need, type Role } from '@heathridge/core/people';
import type { Person } from '../people/accounts';
import type { OpenFile } from '../store/files';
import type { Context } from './context';
import { Problem } from './problem';
import { valid } from './validate';

export const COOKIE = 'heathridge';

/** One call of a route, with everything about it that has been checked. */
export interface Call<Body = undefined, Query = undefined> {
  readonly context: Context;
  readonly params: Readonly<Record<string, string>>;
  readonly query: Query;
  readonly body: Body;
  /** Throws `not-signed-in` when nobody is. */
  readonly person: Person;
  readonly file: OpenFile;
  readonly reply: FastifyReply;
  readonly request: FastifyRequest;
  /** Aborts when whoever asked has gone. */
  readonly gone: AbortSignal;
}

export interface RouteSpec<B extends GenericSchema | undefined, Q extends GenericSchema | undefined> {
  readonly method: 'GET' | 'POST' | 'PUT' | 'DELETE';
  /** A path with `:file` works on that file; `needs` is then about the role in it. */
  readonly url: string;
  readonly needs: Need;
  readonly summary: string;
  readonly body?: B;
  readonly query?: Q;
  readonly rateLimit?: { readonly max: number; readonly timeWindow: string };
  handler(
    call: Call<
      B extends GenericSchema ? InferOutput<B> : undefined,
      Q extends GenericSchema ? InferOutput<Q> : undefined
    >,
  ): unknown;
}

/** What the OpenAPI document is made from. */
export interface RouteRecord {
  readonly method: string;
  readonly url: string;
  readonly needs: Need;
  readonly summary: string;
  readonly body?: GenericSchema | undefined;
  readonly query?: GenericSchema | undefined;
}

/** Registers routes; rights, origin, query and body are checked here and nowhere else. */
export class Router {
  readonly records: RouteRecord[] = [];

  constructor(
    private readonly app: FastifyInstance,
    private readonly context: Context,
  ) {}

  add<B extends GenericSchema | undefined = undefined, Q extends GenericSchema | undefined = undefined>(
    spec: RouteSpec<B, Q>,
  ): void {
    const { method, url, needs, summary, body, query } = spec;
    this.records.push({ method, url, needs, summary, body, query });
    this.app.route({
      method,
      url,
      config: spec.rateLimit ? { rateLimit: { ...spec.rateLimit } } : {},
      handler: async (request, reply) => {
        if (method !== 'GET') sameOrigin(request);
        const params = request.params as Record<string, string>;
        const person = this.person(request);
        const role =
          person && params['file'] !== undefined ? this.context.files.role(params['file'], person.id) : null;
        this.check(needs, person, role, params['file']);
        const gone = new AbortController();
        reply.raw.once('close', () => gone.abort());
        const { context } = this;
        const call = {
          context,
          params,
          reply,
          request,
          gone: gone.signal,
          query: query ? valid(query, request.query) : undefined,
          body: body ? valid(body, request.body) : undefined,
          get person() {
            if (!person) throw new Problem('not-signed-in', 'Please sign in.');
            return person;
          },
          get file() {
            return context.files.get(params['file'] ?? '');
          },
        };
        return spec.handler(call as never);
      },
    });
  }

  private person(request: FastifyRequest): Person | null {
    const token = request.cookies[COOKIE];
    return token ? this.context.accounts.person(token) : null;
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

function sameOrigin(request: FastifyRequest): void {
  const { origin } = request.headers;
  if (origin === undefined) return;
  let host: string;
  try {
    ({ host } = new URL(origin));
  } catch {
    throw new Problem('wrong-origin', 'The address this request came from cannot be read.');
  }
  if (host !== request.headers.host)
    throw new Problem('wrong-origin', 'Requests that write must come from this site itself.');
}
