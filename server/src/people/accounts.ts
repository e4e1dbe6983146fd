import { createHash, randomBytes } from 'node:crypto';
import { and, eq, lt, sql } from 'drizzle-orm';
import { hash, verify } from '@node-rs/argon2';
import type { Clock } from '../clock';
import { Problem } from '../http/problem';
import type { Orm } from '../store/driver';
import { account, draft, fact, session } from '../store/registry-schema';

export interface Person {
  readonly id: string;
  readonly login: string;
  readonly name: string;
  readonly maker: boolean;
}

export interface DemoSignIn {
  readonly login: string;
  readonly password: string;
  readonly name: string;
  readonly role: string;
}

const SESSION_DAYS = 14;
const LEAST_PASSWORD = 10;

/** Argon2id with the parameters of OWASP's Password Storage Cheat Sheet (19 MiB, 2 passes, 1 lane). */
const ARGON = { memoryCost: 19456, timeCost: 2, parallelism: 1 };

const digest = (token: string): string => createHash('sha256').update(token).digest('hex');

/** Accounts, their sessions and their kept drafts, in the registry. */
export class Accounts {
  constructor(
    private readonly registry: Orm,
    private readonly clock: Clock,
  ) {}

  count(): number {
    return (
      this.registry
        .select({ n: sql<number>`count(*)` })
        .from(account)
        .get()?.n ?? 0
    );
  }

  /** Throws a problem for a login that is taken or odd, or a password that is too short. */
  async create(login: string, name: string, password: string, maker: boolean): Promise<Person> {
    const key = login.trim().toLowerCase();
    if (!/^[\p{L}\p{N}._@+-]{2,60}$/u.test(key))
      throw new Problem('bad-request', 'A sign-in name has 2 to 60 letters, digits or . _ @ + -');
    if (name.trim() === '')
      throw new Problem('bad-request', 'Please give your name: colleagues see it beside your changes.');
    if (password.length < LEAST_PASSWORD)
      throw new Problem('bad-request', `A password has at least ${LEAST_PASSWORD} characters.`);
    if (password.length > 200) throw new Problem('bad-request', 'A password has at most 200 characters.');
    if (this.registry.select().from(account).where(eq(account.login, key)).get())
      throw new Problem('name-taken', `Somebody signs in as “${key}” already.`);
    const person = { id: this.clock.id('a'), login: key, name: name.trim().slice(0, 60), maker };
    const passwordHash = await hash(password, ARGON);
    this.registry
      .insert(account)
      .values({ ...person, passwordHash, createdAt: this.clock.now() })
      .run();
    return person;
  }

  /** A new session's token. Throws `wrong-sign-in`, and takes as long, whether or not the name is known. */
  async signIn(login: string, password: string): Promise<string> {
    const found = this.registry
      .select()
      .from(account)
      .where(eq(account.login, login.trim().toLowerCase()))
      .get();
    const matches = await verify(found?.passwordHash ?? NOBODY, password);
    if (!found || !matches) throw new Problem('wrong-sign-in', 'This name and password do not go together.');
    const token = randomBytes(32).toString('base64url');
    this.registry.delete(session).where(lt(session.expiresAt, this.clock.now())).run();
    const expiresAt = new Date(Date.parse(this.clock.now()) + SESSION_DAYS * 86_400_000).toISOString();
    this.registry
      .insert(session)
      .values({ id: digest(token), account: found.id, expiresAt })
      .run();
    return token;
  }

  person(token: string): Person | null {
    const found = this.registry
      .select({
        id: account.id,
        login: account.login,
        name: account.name,
        maker: account.maker,
        expiresAt: session.expiresAt,
      })
      .from(session)
      .innerJoin(account, eq(account.id, session.account))
      .where(eq(session.id, digest(token)))
      .get();
    if (!found || found.expiresAt < this.clock.now()) return null;
    const { expiresAt: _, ...person } = found;
    return person;
  }

  signOut(token: string): void {
    this.registry
      .delete(session)
      .where(eq(session.id, digest(token)))
      .run();
  }

  demoSignIns(): DemoSignIn[] {
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

  draft(file: string, person: string): string | null {
    const where = and(eq(draft.file, file), eq(draft.account, person));
    return (
      this.registry.select({ document: draft.document }).from(draft).where(where).get()?.document ?? null
    );
  }

  keepDraft(file: string, person: string, document: string | null): void {
    if (document === null) {
      this.registry
        .delete(draft)
        .where(and(eq(draft.file, file), eq(draft.account, person)))
        .run();
      return;
    }
    const values = { file, account: person, document, changedAt: this.clock.now() };
    this.registry
      .insert(draft)
      .values(values)
      .onConflictDoUpdate({ target: [draft.file, draft.account], set: values })
      .run();
  }
}

/** A hash that no password matches, so that an unknown name costs the same time as a wrong password. */
const NOBODY =
  '$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA';
