import { copyFileSync, rmSync } from 'node:fs';
import { dirname } from 'node:path';
import * as v from 'valibot';
import { storedFields, type Design, type Table } from '@heathridge/core/design';
import { AdoptError, type Encoding, type UnreadTexts } from '@heathridge/core/exchange';
import { orderParts } from '@heathridge/core/change';
import { sqlName } from '@heathridge/core/expression';
import { Problem } from '../problem';
import { loadDesign } from '../store/definitions';
import { bringUpToDate } from '../store/format';
import { assertReadable } from '../store/readable';
import { remakeTriggers } from '../store/remake';
import { isOfMachine } from '../store/private';
import { guarded, only, prepared } from '../store/statements';
import { APPLICATION_ID, migrate, openForWriting, ormOver, type Connection } from '../store/driver';
import { adoptForeign, openForeign, type TakenTable } from './adopt-foreign';
import { composeTexts, copyAsUtf8, lookedAt, readTexts, unreadTexts, type LookedAt } from './foreign-text';
import { UNWATCHED, type Tell } from './run';
import { askSoundness } from './soundness';

export interface AdoptOrder {
  /** Where the file lies as it came. */
  readonly foreign: string;
  /** In which encoding texts are read that are no UTF-8; null to ask when there are some. */
  readonly encoding: Encoding | null;
  readonly by: string;
  readonly now: string;
  /** What {@link isOurs} and {@link textsOf} say of it. */
  readonly ours: boolean;
  readonly looked: LookedAt | null;
}

/**
 * How taking a file in ended: with what there is to say of it, or with texts of which nobody has said what
 * they are.
 */
export type AdoptResult =
  | { readonly notes: readonly string[]; readonly tables: readonly TakenTable[] }
  | { readonly unread: readonly UnreadTexts[] };

/** Whether a file says it is one of ours. Throws an AdoptError when it cannot be read, or is damaged. */
export function isOurs(path: string): boolean {
  return reading(path, (source) => {
    const [sound] = source.prepare('PRAGMA quick_check(1)').raw().get() as [string];
    if (sound !== 'ok') throw new AdoptError(`This file is damaged: ${sound}`);
    const [mark] = source.prepare('PRAGMA application_id').raw().get() as [number];
    const [encoding] = source.prepare('PRAGMA encoding').raw().get() as [string];
    return mark === APPLICATION_ID && encoding === 'UTF-8';
  });
}

/**
 * What the texts of a file are like, which is asked while somebody else asks whether it is whole: both go over all of
 * it. Null for one that is not in UTF-8: its texts are looked at in the copy that is.
 */
export function textsOf(path: string): LookedAt | null {
  return reading(path, (source) => {
    const [encoding] = source.prepare('PRAGMA encoding').raw().get() as [string];
    return encoding === 'UTF-8' ? lookedAt(path) : null;
  });
}

/** Does what may fail at what stands in a foreign file, and puts the engine's words into ours. */
function foreignErrors<T>(work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (error instanceof AdoptError || isOfMachine(error)) throw error;
    if ((error as { code?: string }).code === undefined) throw error;
    throw new AdoptError(`This file cannot be taken in: ${(error as Error).message}`);
  }
}

function reading<T>(path: string, work: (source: Connection) => T): T {
  let source: Connection | undefined;
  try {
    source = openForeign(path);
    return work(source);
  } catch (error) {
    if (error instanceof AdoptError) throw error;
    throw new AdoptError(`This file cannot be read: ${(error as Error).message}`);
  } finally {
    source?.close();
  }
}

/**
 * Makes a file of Heathridge's form at `path` from a foreign one, which stays as it is: tables, keys, links
 * and rules as far as they can be read, and every row. A file that says it is Heathridge's own is examined
 * and kept as it is. Gives what was read otherwise than as it stood, or the texts of which it must first be
 * said how they are read. Throws an AdoptError when the file cannot be read, or not be taken in whole.
 */
export function adoptFile(path: string, order: AdoptOrder, tell: Tell): AdoptResult {
  const { foreign, encoding } = order;
  if (order.ours) {
    copyFileSync(foreign, path);
    return { notes: examined(path, dirname(foreign), order.now), tables: [] };
  }
  // The file as it came is kept: what is to be changed before it can be read is changed in a copy.
  const copy = `${foreign}.read`;
  const notes: string[] = [];
  try {
    const isCopied = copyAsUtf8(foreign, copy);
    if (isCopied) notes.push('The file is in UTF-16 and was read as that; it is kept in UTF-8.');
    const { suspects, short } = order.looked ?? lookedAt(isCopied ? copy : foreign);
    if (!isCopied && suspects.length > 0) copyFileSync(foreign, copy);
    const work = isCopied || suspects.length > 0 ? copy : foreign;
    const unread = unreadTexts(work, suspects);
    if (unread.length > 0 && encoding === null) return { unread };
    if (encoding !== null && unread.length > 0) {
      readTexts(work, suspects, encoding);
      for (const { table, column, rows } of unread)
        notes.push(
          `${rows} ${rows === 1 ? 'text' : 'texts'} in ${column} of ${table} ${rows === 1 ? 'was' : 'were'} no UTF-8 and read as ${encoding}.`,
        );
    }
    notes.push(...composeTexts(work, suspects));
    const taken = foreignErrors(() => adoptForeign(path, work, short, order, tell));
    return { ...taken, notes: [...notes, ...taken.notes] };
  } finally {
    const beside = ['-wal', '-shm', '-journal'];
    for (const suffix of ['', ...beside]) rmSync(copy + suffix, { force: true });
    for (const suffix of beside) rmSync(foreign + suffix, { force: true });
  }
}

/**
 * Looks at a file that says it is ours as closely as at any other, and gives what there is to say of it. Only
 * its definitions are believed, once they are read through their schemas: triggers and views are made anew
 * from them, tables must be theirs, rows are asked. Throws an AdoptError for a file that is not what it says.
 */
function examined(path: string, copies: string, now: string): readonly string[] {
  const notes = ['This file was made by Heathridge.'];
  const db = openForWriting(path);
  try {
    const objects = guarded(db, 'SELECT type, name FROM sqlite_schema', 2).all() as [string, string][];
    const named = (sort: string): string[] =>
      objects.flatMap(([type, name]) => (type === sort ? [name] : []));
    // What is made from the definitions comes back; what is not must not act on what is done here.
    for (const name of named('trigger')) only(db, `DROP TRIGGER ${sqlName(name)}`);
    for (const name of named('view')) only(db, `DROP VIEW ${sqlName(name)}`);
    const orm = ormOver(db);
    migrate(orm, 'file');
    assertReadable(db, true);
    bringUpToDate(db, orm, copies, now);
    const design = loadDesign(orm);
    for (const table of design.tables) assertColumns(db, table);
    remakeTriggers(db, design);
    notes.push(...leftOver(db, design, named));
    // Somebody else's file must not make this server call anybody.
    const sql =
      "UPDATE hr_source SET plan = json_set(plan, '$.again.every', 'asked') " +
      "WHERE json_valid(plan) AND json_extract(plan, '$.again.every') <> 'asked'";
    if (prepared(db, sql).run([]).changes > 0)
      notes.push('Rows that come from outside are fetched here when somebody asks, and not by themselves.');
    const { damage, findings } = askSoundness(db, design, UNWATCHED);
    if (damage.length > 0) throw new AdoptError(`This file is damaged: ${damage[0]!}`);
    const rows = findings.reduce((sum, { count }) => sum + count, 0);
    if (rows > 0)
      notes.push(
        `${rows} ${rows === 1 ? 'row is' : 'rows are'} not as the file promises: “Is everything sound?” in Plan shows them.`,
      );
    return notes;
  } catch (error) {
    if (v.isValiError(error))
      throw new AdoptError(`The definitions in this file are none of ours: ${error.issues[0].message}`);
    if (error instanceof SyntaxError)
      throw new AdoptError(`The definitions in this file cannot be read: ${error.message}`);
    if (error instanceof Problem) throw new AdoptError(error.detail);
    throw error;
  } finally {
    db.close();
  }
}

/** Throws when a table of the file is not the one that its definition describes. */
function assertColumns(db: Connection, table: Table): void {
  const columns = guarded(db, 'SELECT name, type FROM pragma_table_info(?)', 2).all(table.name);
  const wanted = storedFields(table).map(({ name }) => name);
  const there = columns.map(([name]) => name);
  if (wanted.length !== there.length || wanted.some((name) => !there.includes(name)))
    throw new AdoptError(
      `The table ${table.name} of this file is not the one that its definitions describe: it has ${there.join(', ') || 'no columns'}.`,
    );
}

/** What the file holds that its definitions do not know, named. */
function leftOver(db: Connection, design: Design, named: (sort: string) => string[]): string[] {
  const now = guarded(db, 'SELECT type, name FROM sqlite_schema', 2).all() as [string, string][];
  const is = (sort: string, name: string): boolean =>
    now.some(([type, other]) => type === sort && other === name);
  const gone = ['trigger', 'view'].flatMap((sort) =>
    named(sort)
      .filter((name) => !is(sort, name))
      .map((name) => `The ${sort} ${name} is not among the definitions of this file and was taken out.`),
  );
  const known = new Set([...design.tables.map(({ name }) => name), ...ownTables(design)]);
  const unknown = named('table').filter((name) => !/^sqlite_/.test(name) && !known.has(name));
  return [
    ...gone,
    ...unknown.map(
      (name) => `The table ${name} is not among the definitions of this file: it stays, and nobody sees it.`,
    ),
  ];
}

/** The tables that Heathridge keeps for itself. */
function ownTables(design: Design): string[] {
  const scratch = openForWriting(':memory:');
  try {
    migrate(ormOver(scratch), 'file');
    const ours = guarded(scratch, "SELECT name FROM sqlite_schema WHERE type = 'table'", 1)
      .all()
      .map(([name]) => name as string);
    return [...ours, ...design.tables.flatMap((table) => orderParts(design, table).map(({ name }) => name))];
  } finally {
    scratch.close();
  }
}
