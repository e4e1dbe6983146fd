import { existsSync, mkdirSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { and, asc, eq } from 'drizzle-orm';
import { emptyDesign, MOST_OF_NAME, MOST_UNITS_OF_NAME, type Design } from '@heathridge/core/design';
import type { Role } from '@heathridge/core/people';
import { characters } from '@heathridge/core/values';
import type { Clock } from '../clock';
import { Problem } from '../problem';
import { loadDesign, saveDesign } from './definitions';
import { bringUpToDate } from './format';
import { clearLeftovers } from './leftovers';
import { assertReadable } from './readable';
import {
  APPLICATION_ID,
  BY_SERVER,
  migrate,
  openForReading,
  openForWriting,
  ormOver,
  writeLog,
  type Connection,
  type Orm,
} from './driver';
import { placeOf } from './place';
import { isDamaged } from './private';
import { Stand } from './stand';
import { assertOurs, damaged } from './whose';
import { dataVersion, DesignMoved, storedVersion } from './versions';
import { access, account, file } from './registry-schema';

/** An open database file: one connection that writes, one that only reads. */
export interface OpenFile {
  readonly id: string;
  readonly path: string;
  readonly writer: Connection;
  readonly orm: Orm;
  readonly reader: Connection;
  /** The definitions as they stand; read again whenever a change is applied. */
  readonly design: Design;
  /** Where safe copies of it are kept. */
  readonly copies: string;
  /** True while a child changes its design: nobody else may write. */
  readonly changing: boolean;
}

export interface FileEntry {
  readonly id: string;
  readonly name: string;
  readonly role: Role;
  readonly createdAt: string;
  /** When its newest write reached the disk, ISO 8601. */
  readonly changedAt: string;
  /** Bytes, with what still waits in the write-ahead log. */
  readonly size: number;
}

/** What somebody is in a file. */
export interface Standing {
  readonly role: Role;
  /** The id of what the builder lets a colleague do on the Desk; null for everything. */
  readonly duty: string | null;
}

/** Somebody to whom a file is open. */
export interface Member extends Standing {
  readonly id: string;
  readonly login: string;
  readonly name: string;
}

interface Opened extends Omit<OpenFile, 'design' | 'changing'> {
  design: Design;
  changing: boolean;
  /** The engine's number for what the reader saw last: another one says that somebody has written. */
  seen: number;
  readonly stand: Stand;
}

const TAKEN_AWAY =
  'The database file of this name is not in its place any more: somebody has moved, renamed or deleted it on the server.';

const ELSEWHERE =
  'In the place of this database file stands one that the server has open under another name: it can be opened here when the server has been started anew.';

const LOG_GONE =
  'What belongs to this database file on the server has been moved, renamed or deleted: the log beside it (its name ends in -wal), or what is beside that (-shm). What was saved is in the file. It can be opened again when the server has been started anew.';

const WRITTEN_OVER =
  'Somebody has written over this database file on the server while it was open. Nothing was saved. Whoever looks after the server can put a copy in its place by renaming it (mv), or start the server anew with what is there.';

/** Milliseconds after which it is tried again to open a file that could not be opened. */
const NEXT_TRY = 100;

/** Throws a `changing` problem while the design of a file is being changed. */
export function assertWritable({ changing }: OpenFile): void {
  if (changing)
    throw new Problem(
      'changing',
      'The design of this file is being changed at this moment. What you typed is kept: try again in a moment.',
    );
}

/** The database files of an office: makes, lists and opens them. */
export class Files {
  private readonly open = new Map<string, Opened>();
  private readonly folder: string;
  private readonly standings = new Map<string, Standing | null>();
  /**
   * Files that have others in their places now, by which file on the disk they are. Their connections are never closed:
   * the engine would take the log of the new one for theirs then, and delete it. And where such a file comes back they are
   * gone on with: another connection of this process would not find its log.
   */
  private readonly strays = new Map<string, Opened>();
  /** Files that have others in their places now, which are not open yet. */
  private readonly replaced = new Set<string>();
  /** Files that could not be opened, which they were on the disk, and when that is tried again. */
  private readonly refused = new Map<
    string,
    { readonly error: unknown; readonly place: string; readonly until: number }
  >();
  /** Hears of files that were replaced by others. */
  onReplaced: (id: string) => void = () => undefined;

  constructor(
    private readonly registry: Orm,
    private readonly data: string,
    private readonly clock: Clock,
  ) {
    this.folder = join(data, 'files');
    mkdirSync(this.folder, { recursive: true });
    const known = registry.select({ id: file.id }).from(file).all();
    clearLeftovers(data, new Set(known.map(({ id }) => id)));
  }

  /**
   * Makes a new, empty file. Throws a problem for a name that is empty, too long, taken, or looks like a
   * path.
   */
  create(name: string, owner: string, timeZone = 'UTC'): string {
    const label = this.freeName(name);
    const id = this.clock.id('f');
    const db = openForWriting(this.path(id));
    try {
      db.exec(`PRAGMA application_id = ${APPLICATION_ID}`);
      const orm = ormOver(db);
      migrate(orm, 'file');
      const design = emptyDesign();
      saveDesign(
        orm,
        { ...design, settings: { ...design.settings, timeZone } },
        { at: this.clock.now(), by: '' },
      );
      // Whole without its log, also for whoever looks at nothing but the file.
      db.exec('PRAGMA wal_checkpoint(TRUNCATE)');
      db.close();
      this.register(id, label, owner);
    } catch (error) {
      // A file that could not be made whole is none: nobody would ever find it again.
      db.close();
      for (const suffix of ['', '-wal', '-shm']) rmSync(this.path(id) + suffix, { force: true });
      throw error;
    }
    return id;
  }

  /** The name as it will stand in the list. Throws like {@link create}. */
  freeName(name: string): string {
    const label = name.trim();
    if (label === '') throw new Problem('bad-request', 'A file needs a name.');
    if (characters(label) > MOST_OF_NAME || label.length > MOST_UNITS_OF_NAME)
      throw new Problem('bad-request', 'A file’s name has at most 60 characters.');
    // eslint-disable-next-line no-control-regex
    if (/[/\\\u0000-\u001f]|^\.+$/.test(label))
      throw new Problem('bad-request', 'A file’s name cannot hold / or \\ or be only dots.');
    if (this.registry.select().from(file).where(eq(file.name, label)).get())
      throw new Problem('name-taken', `There is a file called “${label}” already.`);
    return label;
  }

  /** Where a file that is being taken in from elsewhere is put, and where it is kept as it came. */
  placeFor(): { readonly id: string; readonly path: string; readonly original: string } {
    const id = this.clock.id('f');
    const copies = join(this.data, 'copies', id);
    mkdirSync(copies, { recursive: true });
    return { id, path: this.path(id), original: join(copies, 'as-it-came.db') };
  }

  /** Puts a file that stands in its place into the list. */
  register(id: string, name: string, owner: string): void {
    this.standings.clear();
    this.registry.transaction((tx) => {
      tx.insert(file).values({ id, name, createdAt: this.clock.now() }).run();
      tx.insert(access).values({ file: id, account: owner, role: 'builder' }).run();
    });
  }

  /** Opens a file to somebody, or says anew as what. */
  share(id: string, account: string, role: Role, duty: string | null = null): void {
    this.standings.clear();
    this.registry
      .insert(access)
      .values({ file: id, account, role, duty })
      .onConflictDoUpdate({ target: [access.file, access.account], set: { role, duty } })
      .run();
  }

  list(account: string): FileEntry[] {
    const rows = this.registry
      .select({ id: file.id, name: file.name, createdAt: file.createdAt, role: access.role })
      .from(file)
      .innerJoin(access, eq(access.file, file.id))
      .where(eq(access.account, account))
      .orderBy(asc(file.name))
      .all();
    return rows.map((row) => {
      const parts = [this.path(row.id), `${this.path(row.id)}-wal`]
        .filter((path) => existsSync(path))
        .map((path) => statSync(path));
      const newest = Math.max(0, ...parts.filter(({ size }) => size > 0).map(({ mtimeMs }) => mtimeMs));
      return {
        ...row,
        changedAt: new Date(newest).toISOString(),
        size: parts.reduce((sum, { size }) => sum + size, 0),
      };
    });
  }

  /** The role somebody has in a file; null for none. */
  role(id: string, account: string): Role | null {
    return this.standing(id, account)?.role ?? null;
  }

  /** What the builder of a file lets somebody do on its Desk: the id of a role of the file; null for everything. */
  duty(id: string, account: string): string | null {
    return this.standing(id, account)?.duty ?? null;
  }

  /** Remembered until it is changed here. */
  private standing(id: string, account: string): Standing | null {
    const name = `${id} ${account}`;
    const known = this.standings.get(name);
    if (known !== undefined) return known;
    const standing = this.readStanding(id, account);
    if (this.standings.size >= 10_000) this.standings.clear();
    this.standings.set(name, standing);
    return standing;
  }

  private readStanding(id: string, account: string): Standing | null {
    const found = this.registry
      .select({ role: access.role, duty: access.duty })
      .from(access)
      .where(and(eq(access.file, id), eq(access.account, account)))
      .get();
    return found ?? null;
  }

  /** Everybody to whom a file is open, by name. */
  people(id: string): Member[] {
    const { login, name } = account;
    return this.registry
      .select({ id: account.id, login, name, role: access.role, duty: access.duty })
      .from(access)
      .innerJoin(account, eq(account.id, access.account))
      .where(eq(access.file, id))
      .orderBy(asc(account.name))
      .all();
  }

  /** Closes a file to somebody. */
  unshare(id: string, account: string): void {
    this.standings.clear();
    this.registry
      .delete(access)
      .where(and(eq(access.file, id), eq(access.account, account)))
      .run();
  }

  name(id: string): string {
    return this.registry.select({ name: file.name }).from(file).where(eq(file.id, id)).get()?.name ?? '';
  }

  /**
   * Opens a file, or gives it as it is open already. Throws `not-found` where there is none, `misplaced` where it is not in
   * its place, or something else is, and `damaged` where it cannot be read.
   */
  get(id: string): OpenFile {
    const known = this.open.get(id);
    const path = this.path(id);
    const found = known?.stand.look();
    if (known && found === 'in place') return this.upToDate(known);
    if (known && found !== 'another') throw lost(known);
    if (known) this.setAside(known);
    const place = placeOf(path);
    if (!/^f_\w+$/.test(id) || place === '')
      throw new Problem('not-found', 'This file is not there (any more).');
    const last = this.refused.get(id);
    if (last?.place === place && performance.now() < last.until) throw last.error;
    try {
      return this.keep(this.atHand(id, place) ?? this.openAt(id, path));
    } catch (reason) {
      const error = isDamaged(reason) ? damaged() : reason;
      // Many may ask for it: one try is enough for all of them.
      this.refused.set(id, { error, place, until: performance.now() + NEXT_TRY });
      throw error;
    }
  }

  private keep(file: Opened): OpenFile {
    this.open.set(file.id, file);
    this.refused.delete(file.id);
    if (this.replaced.delete(file.id)) this.onReplaced(file.id);
    return file;
  }

  /** The file that has come back into its place, with its log; undefined where it is not one that this server knows. */
  private atHand(id: string, place: string): Opened | undefined {
    const stray = this.strays.get(place);
    const isElsewhere = stray
      ? stray.id !== id
      : [...this.open.values()].some(({ stand }) => stand.inode === place);
    // Two connections of one process to one file under two names would write two logs.
    if (isElsewhere) throw new Problem('misplaced', ELSEWHERE);
    if (!stray) return undefined;
    stray.stand.takeBack();
    if (stray.stand.look() !== 'in place') throw lost(stray);
    for (const db of [stray.writer, stray.reader]) db.exec(`PRAGMA cache_size = -${BY_SERVER.kept}`);
    stray.design = loadDesign(stray.orm);
    this.strays.delete(place);
    return stray;
  }

  private openAt(id: string, path: string): Opened {
    const place = placeOf(path);
    assertOurs(path);
    const writer = openForWriting(path, BY_SERVER);
    const orm = ormOver(writer);
    const copies = join(this.data, 'copies', id);
    let design: Design;
    try {
      migrate(orm, 'file');
      assertReadable(writer);
      bringUpToDate(writer, orm, copies, this.clock.now());
      // What a server that was killed has left in it.
      writeLog(writer);
      design = loadDesign(orm);
    } catch (error) {
      writer.close();
      throw error;
    }
    const reader = openForReading(path, BY_SERVER);
    const stand = new Stand(path);
    if (stand.inode !== place) {
      // Another has come into its place meanwhile: that is opened when it is tried again.
      reader.close();
      writer.close();
      throw new DesignMoved();
    }
    return {
      id,
      writer,
      orm,
      reader,
      design,
      copies,
      changing: false,
      seen: dataVersion(writer),
      path,
      stand,
    };
  }

  /** Lets go of a file that has another in its place, with the log that was its own and would be played into that. */
  private setAside(file: Opened): void {
    const { id, writer, reader, stand } = file;
    emptyLog(file);
    for (const db of [writer, reader])
      // What it has read, above all the schema, is of no use for now: of some 4 MB next to nothing is to stay.
      db.exec('PRAGMA cache_size = 1; PRAGMA writable_schema = RESET; PRAGMA shrink_memory');
    this.open.delete(id);
    this.strays.set(stand.inode, file);
    this.replaced.add(id);
    stand.moveAside();
  }

  /**
   * Looks whether the file that was just written still stands in its place. Throws `misplaced` where it does not: what
   * was written is in a file that nobody will find.
   */
  assertThere(file: OpenFile): void {
    const opened = this.open.get(file.id);
    // Somebody else may have found another there meanwhile, and have opened that.
    const found = opened === file ? opened.stand.look() : 'another';
    if (found === 'in place') return;
    // Without its log it is kept in the file as soon as that is written into it.
    if (opened && found === 'without log' && emptyLog(opened)) return;
    throw opened && found !== 'another' && found !== 'gone'
      ? lost(opened)
      : new Problem('misplaced', `${TAKEN_AWAY} What you saved just now is not kept in it.`);
  }

  /** Which file on the disk is the one at a path to this server; undefined where it has none open there. */
  placeAt(path: string): string | undefined {
    return [...this.open.values()].find((opened) => opened.path === path)?.stand.inode;
  }

  /**
   * Looks whether the design is still the one that was read: a child of a server that was killed may have
   * changed it since. What this server has written itself does not count, so the writer is asked.
   */
  private upToDate(opened: Opened): OpenFile {
    const now = dataVersion(opened.writer);
    if (now === opened.seen) return opened;
    opened.seen = now;
    if (storedVersion(opened.reader) !== opened.design.version) opened.design = loadDesign(opened.orm);
    return opened;
  }

  /** The ids of the files that are open, because somebody works in them. */
  opened(): string[] {
    return [...this.open.keys()];
  }

  /** Reads the definitions again, after they were written. */
  reload(id: string): Design {
    const opened = this.open.get(id);
    if (!opened) return this.get(id).design;
    opened.design = loadDesign(opened.orm);
    return opened.design;
  }

  /**
   * Lets work in a child write to a file while nobody else may. Throws `changing` when another does already.
   */
  async whileChanging<T>(id: string, work: () => Promise<T>): Promise<T> {
    this.get(id);
    const opened = this.open.get(id)!;
    assertWritable(opened);
    opened.changing = true;
    try {
      return await work();
    } finally {
      opened.changing = false;
    }
  }

  close(): void {
    for (const file of [...this.strays.values(), ...this.open.values()]) {
      const isInPlace = file.stand.look() === 'in place';
      emptyLog(file);
      // Of a file that has another in its place the engine would delete the log of that one: this process ends as it is.
      if (!isInPlace) continue;
      file.reader.close();
      file.writer.close();
    }
    this.open.clear();
  }

  /** Takes a file off the disk and out of the registry: only for a file that could not be made whole. */
  discard(id: string): void {
    this.standings.clear();
    const opened = this.open.get(id);
    opened?.reader.close();
    opened?.writer.close();
    this.open.delete(id);
    this.registry.delete(file).where(eq(file.id, id)).run();
    for (const suffix of ['', '-wal', '-shm']) rmSync(this.path(id) + suffix, { force: true });
  }

  /** Where a file lies, whether it is open or not. */
  path(id: string): string {
    return join(this.folder, `${id}.db`);
  }
}

/** Why a file cannot be worked with that is open, and is not in its place. What it had before is kept, wherever it is. */
function lost(file: Opened): Problem {
  const found = file.stand.look();
  emptyLog(file);
  if (found === 'without log') return new Problem('misplaced', LOG_GONE);
  if (found !== 'written over') return new Problem('misplaced', TAKEN_AWAY);
  // It is of what was there before, and would be played into what is there now.
  file.stand.moveAside();
  return new Problem('misplaced', WRITTEN_OVER);
}

/**
 * Writes what is in the log of a file into it, wherever it is: it is whole then without. False where that has not been
 * done: the log stays, and is read by whoever opens the file next.
 */
const emptyLog = ({ writer, stand }: Opened): boolean => stand.mayBeWritten() && writeLog(writer);
