import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { makeDemo, SIGN_INS } from '@heathridge/demo';
import type { Change } from '@heathridge/core/change';
import type { Viewer } from '@heathridge/core/people';
import { buildApp, type App } from '../app';
import { systemClock, type Clock } from '../clock';
import type { Reach } from '../sheets/reach';
import { definitionVersions } from '../store/definitions';

/** Time stands still at noon of this day. */
export const TODAY = '2026-11-25';

export const stillClock: Clock = { ...systemClock, now: () => `${TODAY}T12:00:00Z`, today: () => TODAY };

export interface Answer {
  readonly status: number;
  readonly headers: Readonly<Record<string, unknown>>;
  // What a route answers is checked by each test.
  // eslint-disable-next-line @typescript-eslint/no-explicit-any
  readonly body: any;
  readonly raw: Buffer;
}

/** Where a page that calls the server comes from, when it is called without a network. */
export const ORIGIN = 'http://localhost';

/** Somebody before whom the whole file lies open. */
export const BUILDER: Viewer = {
  id: 'a_builder',
  name: 'Builder',
  role: 'builder',
  duty: null,
  screen: null,
};

type Who = 'builder' | 'colleague' | null;

/** A server over a folder of its own, with people who can call it. */
export class Office {
  private readonly cookies = new Map<string, string>();

  private constructor(
    readonly app: App,
    readonly data: string,
    /** The demo file's id, or that of an empty file. */
    readonly file: string,
  ) {}

  static async open({ demo = true, reach = undefined as Reach | undefined } = {}): Promise<Office> {
    const data = mkdtempSync(join(tmpdir(), 'heathridge-test-'));
    const app = await buildApp({
      data,
      clock: stillClock,
      signInsAMinute: 1000,
      ...(reach ? { reach } : {}),
    });
    let file: string;
    if (demo) file = await makeDemo(app.context);
    else {
      const { login, name, password } = SIGN_INS[0];
      const person = await app.context.accounts.create(login, name, password, true);
      file = app.context.files.create('Test', person.id);
    }
    const office = new Office(app, data, file);
    await office.signIn('builder', SIGN_INS[0]);
    if (demo) await office.signIn('colleague', SIGN_INS[1]);
    return office;
  }

  /** The token of the builder's session. */
  get token(): string {
    return this.cookies.get('builder')!;
  }

  get path(): string {
    return this.app.context.files.get(this.file).path;
  }

  get design() {
    return this.app.context.files.get(this.file).design;
  }

  async call(
    method: 'GET' | 'POST' | 'PUT' | 'DELETE',
    url: string,
    payload?: unknown,
    who: Who = 'builder',
    headers: Record<string, string> = {},
  ): Promise<Answer> {
    const cookie = who === null ? undefined : this.cookies.get(who);
    const answer = await this.app.server.inject({
      method,
      url: url.startsWith('/api') ? url : `/api/files/${this.file}/${url}`,
      ...(payload === undefined ? {} : { payload: payload as object }),
      ...(cookie ? { cookies: { heathridge: cookie } } : {}),
      headers: { origin: ORIGIN, ...headers },
    });
    const json = String(answer.headers['content-type']).includes('json');
    return {
      status: answer.statusCode,
      headers: answer.headers,
      body: json && answer.body !== '' ? answer.json() : answer.body,
      raw: answer.rawPayload,
    };
  }

  /** Rows of the file as the engine has them, for plain SQL. */
  ask<Row extends readonly unknown[] = (string | number | null)[]>(sql: string, ...values: unknown[]): Row[] {
    return this.app.context.files
      .get(this.file)
      .reader.prepare(sql)
      .raw()
      .all(values as never) as unknown as Row[];
  }

  apply(...changes: Change[]): Promise<Answer> {
    return this.call('POST', 'draft/apply', { base: this.design.version, changes });
  }

  check(...changes: Change[]): Promise<Answer> {
    return this.call('POST', 'draft/check', { base: this.design.version, changes });
  }

  /** Saves a document as somebody who has just read it. */
  put<D extends { readonly id: string }>(document: D): Promise<Answer> {
    const base = this.baseOf(document.id);
    return this.call('PUT', `definitions/${document.id}`, { document, base });
  }

  drop(id: string): Promise<Answer> {
    return this.call('DELETE', `definitions/${id}?base=${this.baseOf(id)}`);
  }

  private baseOf(id: string): number {
    return definitionVersions(this.app.context.files.get(this.file).orm)[id]?.version ?? 0;
  }

  save(...changes: unknown[]): Promise<Answer> {
    return this.call('POST', 'rows', { changes });
  }

  async close(): Promise<void> {
    await this.app.close();
    rmSync(this.data, { recursive: true, force: true });
  }

  private async signIn(who: string, { login, password }: { login: string; password: string }): Promise<void> {
    const { headers } = await this.call('POST', '/api/session', { login, password }, null);
    this.cookies.set(who, /heathridge=([^;]+)/.exec(String(headers['set-cookie']))![1]!);
  }
}
