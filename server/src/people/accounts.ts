import { createHash, randomBytes } from 'node:crypto';
import { and, eq, inArray, lt, ne, sql } from 'drizzle-orm';
import { hash, verify } from '@node-rs/argon2';
import * as v from 'valibot';
import type * as answers from '@heathridge/core/api';
import type { Answer } from '@heathridge/core/api';
import { Account } from '@heathridge/core/people';
import type { Clock } from '../clock';
import { Problem } from '../problem';
import type { Orm } from '../store/driver';
import { account, draft, fact, session } from '../store/registry-schema';

export interface Person {
  readonly id: string;
  readonly login: string;
  readonly name: string;
  readonly maker: boolean;
  readonly look: Look;
}

type Look = Answer<typeof answers.Look>;

/** How the pages look to whoever has not said anything else. */
const USUAL: Look = { colours: 'system', size: 'usual' };

export interface DemoSignIn {
  readonly login: string;
  readonly password: string;
  readonly name: string;
  readonly role: string;
}

const SESSION_DAYS = 14;

/** Sessions whose people are remembered at once. */
const MOST_REMEMBERED = 10_000;

/** Argon2id with the parameters of OWASP's Password Storage Cheat Sheet (19 MiB, 2 passes, 1 lane). */
const ARGON = { memoryCost: 19456, timeCost: 2, parallelism: 1 };

const digest = (token: string): string => createHash('sha256').update(token).digest('hex');

/** Accounts, their sessions and their kept drafts, in the registry. */
export class Accounts {
  private readonly people = new Map<string, { readonly person: Person; readonly until: string }>();

  constructor(
    private readonly registry: Orm,
    private readonly clock: Clock,
    /** Whether the demo's passwords, which everybody knows, open anything. */
    private readonly demoOpen = true,
  ) {
    if (!demoOpen) this.closeDemo();
  }

  /** True while nobody can sign in: accounts of the demo do not count where they are closed. */
  isEmpty(): boolean {
    const closed = this.demoOpen ? [] : this.demoLogins();
    const all = this.registry.select({ login: account.login }).from(account).all();
    return all.every(({ login }) => closed.includes(login));
  }

  /** Makes the first account, the builder’s. Throws `not-allowed` once there is one, whoever was quicker. */
  async createFirst(login: string, name: string, password: string): Promise<Person> {
    this.assertEmpty();
    return this.create(login, name, password, true, () => this.assertEmpty());
  }

  private assertEmpty(): void {
    if (!this.isEmpty()) throw new Problem('not-allowed', 'The first account is made already.');
  }

  /**
   * Throws a problem for a login that is taken or odd, or a password that is too short. `still` is asked once
   * more when the password is hashed, which takes its time.
   */
  async create(
    login: string,
    name: string,
    password: string,
    maker: boolean,
    still: () => void = () => undefined,
  ): Promise<Person> {
    const read = v.safeParse(Account, { login, name, password });
    if (!read.success) throw new Problem('bad-request', read.issues[0].message);
    const key = read.output.login;
    if (this.registry.select().from(account).where(eq(account.login, key)).get())
      throw new Problem('name-taken', `Somebody signs in as “${key}” already.`);
    const person = { id: this.clock.id('a'), login: key, name: read.output.name, maker };
    const passwordHash = await hash(password, ARGON);
    // Nothing else runs from here to the insert.
    still();
    if (this.registry.select().from(account).where(eq(account.login, key)).get())
      throw new Problem('name-taken', `Somebody signs in as “${key}” already.`);
    this.registry
      .insert(account)
      .values({ ...person, passwordHash, createdAt: this.clock.now() })
      .run();
    return { ...person, look: USUAL };
  }

  /** Who signs in under a name; null when nobody does. */
  find(login: string): { readonly id: string; readonly login: string; readonly name: string } | null {
    const found = this.registry
      .select({ id: account.id, login: account.login, name: account.name })
      .from(account)
      .where(eq(account.login, login.trim().toLowerCase()))
      .get();
    return found ?? null;
  }

  /** A new session's token. Throws `wrong-sign-in`, and takes as long, whether or not the name is known. */
  async signIn(login: string, password: string): Promise<string> {
    const found = this.registry
      .select()
      .from(account)
      .where(eq(account.login, login.trim().toLowerCase()))
      .get();
    const matches = await verify(found?.passwordHash ?? NOBODY, password);
    const closed = !this.demoOpen && found !== undefined && this.demoLogins().includes(found.login);
    if (!found || !matches || closed)
      throw new Problem('wrong-sign-in', 'This name and password do not go together.');
    const token = randomBytes(32).toString('base64url');
    const expiresAt = new Date(Date.parse(this.clock.now()) + SESSION_DAYS * 86_400_000).toISOString();
    this.registry.transaction((tx) => {
      tx.delete(session).where(lt(session.expiresAt, this.clock.now())).run();
      tx.insert(session)
        .values({ id: digest(token), account: found.id, expiresAt })
        .run();
    });
    return token;
  }

  /** Who a session's token stands for; null when it stands for nobody. Remembered until it ends. */
  person(token: string): Person | null {
    const known = this.people.get(token);
    if (known && known.until > this.clock.now()) return known.person;
    const found = this.readPerson(digest(token));
    if (!found) {
      this.people.delete(token);
      return null;
    }
    const { expiresAt, ...person } = found;
    if (this.people.size >= MOST_REMEMBERED) this.people.clear();
    this.people.set(token, { person, until: expiresAt });
    return person;
  }

  private readPerson(id: string): (Person & { readonly expiresAt: string }) | null {
    const found = this.registry
      .select({
        id: account.id,
        login: account.login,
        name: account.name,
        maker: account.maker,
        colours: account.colours,
        size: account.size,
        expiresAt: session.expiresAt,
      })
      .from(session)
      .innerJoin(account, eq(account.id, session.account))
      .where(eq(session.id, id))
      .get();
    if (!found || found.expiresAt < this.clock.now()) return null;
    const { colours, size, ...person } = found;
    return { ...person, look: { colours, size } };
  }

  /** Keeps how somebody has the pages look, in every browser. */
  keepLook(id: string, look: Look): void {
    this.registry.update(account).set(look).where(eq(account.id, id)).run();
    for (const [token, { person }] of this.people) if (person.id === id) this.people.delete(token);
  }

  /**
   * Gives somebody another password, and ends her sessions but this one. Throws `not-allowed` where the one she has is
   * another than she says, or where it is one that everybody knows.
   */
  async changePassword(id: string, current: string, next: string, token: string): Promise<void> {
    const found = this.registry.select().from(account).where(eq(account.id, id)).get();
    if (!found || !(await verify(found.passwordHash, current)))
      throw new Problem('not-allowed', 'This is not the password that you have now.');
    if (this.demoLogins().includes(found.login))
      throw new Problem('not-allowed', 'This account belongs to the demo, whose passwords everybody knows.');
    const passwordHash = await hash(next, ARGON);
    // Both or neither: where the registry is held by another program it is tried again, with the password as it was.
    this.registry.transaction((tx) => {
      tx.update(account).set({ passwordHash }).where(eq(account.id, id)).run();
      tx.delete(session)
        .where(and(eq(session.account, id), ne(session.id, digest(token))))
        .run();
    });
    for (const [other, { person }] of this.people)
      if (person.id === id && other !== token) this.people.delete(other);
  }

  signOut(token: string): void {
    this.people.delete(token);
    this.registry
      .delete(session)
      .where(eq(session.id, digest(token)))
      .run();
  }

  /** The demo's sign-ins, as everybody may see them; none where they are closed. */
  demoSignIns(): DemoSignIn[] {
    return this.demoOpen ? this.rememberedDemo() : [];
  }

  private demoLogins(): string[] {
    return this.rememberedDemo().map(({ login }) => login);
  }

  /** Ends the sessions of the demo's people. */
  private closeDemo(): void {
    const logins = this.demoLogins();
    if (logins.length === 0) return;
    const people = this.registry
      .select({ id: account.id })
      .from(account)
      .where(inArray(account.login, logins));
    this.registry.delete(session).where(inArray(session.account, people)).run();
  }

  private rememberedDemo(): DemoSignIn[] {
    const found = this.registry.select().from(fact).where(eq(fact.name, 'demo')).get();
    return found ? (JSON.parse(found.value) as DemoSignIn[]) : [];
  }

  rememberDemo(signIns: readonly DemoSignIn[]): void {
    this.registry
      .insert(fact)
      .values({ name: 'demo', value: JSON.stringify(signIns) })
      .onConflictDoNothing()
      .run();
  }

  /** The draft somebody has in a file, null when it is none, and how often it was kept. */
  draft(file: string, person: string): { readonly document: string | null; readonly version: number } {
    const where = and(eq(draft.file, file), eq(draft.account, person));
    const found = this.registry
      .select({ document: draft.document, version: draft.version })
      .from(draft)
      .where(where)
      .get();
    return { document: found?.document || null, version: found?.version ?? 0 };
  }

  /** How many changes somebody's draft in a file holds, and when it was kept; null where there is none. */
  openDraft(file: string, person: string): { readonly changes: number; readonly at: string } | null {
    const changes = sql<number>`json_array_length(${draft.document}, '$.changes')`;
    const found = this.registry
      .select({ changes, at: draft.changedAt })
      .from(draft)
      .where(and(eq(draft.file, file), eq(draft.account, person), ne(draft.document, '')))
      .get();
    return found ?? null;
  }

  /**
   * Keeps a draft, or that there is none any more, and gives its version. With the version it is `based` on it
   * is only kept where that is still the last; else the answer is null.
   */
  keepDraft(file: string, person: string, document: string | null, based?: number): number | null {
    return this.registry.transaction((tx) => {
      const where = and(eq(draft.file, file), eq(draft.account, person));
      const last = tx.select({ version: draft.version }).from(draft).where(where).get()?.version ?? 0;
      if (based !== undefined && based !== last) return null;
      const kept = { document: document ?? '', changedAt: this.clock.now(), version: last + 1 };
      tx.insert(draft)
        .values({ file, account: person, ...kept })
        .onConflictDoUpdate({ target: [draft.file, draft.account], set: kept })
        .run();
      return kept.version;
    });
  }
}

/** A hash that no password matches, so that an unknown name costs the same time as a wrong password. */
const NOBODY =
  '$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA';
