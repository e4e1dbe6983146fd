import { sqlName, sqlText } from '../expression';
import {
  DOCUMENT_LISTS,
  fieldOf,
  linksFrom,
  storedFields,
  type Design,
  type DesignDocument,
  type Field,
  type Table,
} from '../design';
import {
  Carrier,
  keyColumn,
  keyName,
  looked,
  mergedSql,
  movesKey,
  partSql,
  type KeyPlan,
  type MapPlan,
  type Returning,
} from './carry';
import { evolve, type Carry, type Change } from './changes';
import { runningKey } from './ddl';

/** A draft that was applied, with the design before and after it. */
export interface Applied {
  readonly before: Design;
  readonly after: Design;
  readonly changes: readonly Change[];
}

/** The schema name under which the safe copy taken before the draft is attached while it is undone. */
export const COPY = 'hr_copy';

/**
 * The temporary table of values that whoever undoes a draft has given for rows that would not fit: `field`, the
 * `key` of the row as it is now (a JSON array), and the `value` as the file keeps it.
 */
export const GIVEN = 'hr_given';

/**
 * The temporary table of the rows of a table that somebody has touched since, or of all of them where the draft
 * moved their keys: `now` and `was`, the key as it is and as the copy has it (JSON arrays, or NULL for a row that
 * was added since), and `written`, the fields that were written since, as `,a,b,`.
 */
export const rowsTable = (table: string): string => `hr_rows_${table}`;

/** The temporary table of keys of the copy that rows have under another one once the draft is undone. */
const backName = (table: string): string => `hr_back_${table}`;

const ROW = { now: '"hr now"', was: '"hr was"', written: '"hr written"' };

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/**
 * The design that undoing an applied draft leads to: its tables are those before it; a query, form or
 * report that the draft mended is as it was, unless somebody has worked on it since.
 */
export function undoneDesign(current: Design, { before, after }: Applied): Design {
  const documents = <T extends { readonly id: string }>(
    now: readonly T[],
    was: readonly T[],
    then: readonly T[],
  ): T[] => {
    const find = (list: readonly T[], id: string): T | undefined => list.find((item) => item.id === id);
    const kept = now.flatMap((item) => {
      const [old, applied] = [find(was, item.id), find(then, item.id)];
      return old && same(item, applied) ? [old] : [item];
    });
    // What the draft dropped comes back; what somebody has dropped since does not.
    const back = was.filter(({ id }) => !find(now, id) && !find(then, id));
    const order = new Map(was.map(({ id }, i) => [id, i]));
    return [...kept, ...back].sort((a, b) => (order.get(a.id) ?? 1e9) - (order.get(b.id) ?? 1e9));
  };
  return {
    ...current,
    settings: same(current.settings, after.settings) ? before.settings : current.settings,
    tables: before.tables,
    kept: before.kept,
    ...Object.fromEntries(
      DOCUMENT_LISTS.map((name) => [
        name,
        documents<DesignDocument>(current[name], before[name], after[name]),
      ]),
    ),
  };
}

/** A draft that was applied, with the way in which it carried the rows. */
export class AppliedDraft implements Applied {
  readonly before: Design;
  readonly after: Design;
  readonly changes: readonly Change[];
  readonly forward: Carrier;

  constructor({ before, after, changes }: Applied) {
    this.before = before;
    this.after = after;
    this.changes = changes;
    this.forward = new Carrier(before, evolve(before, changes));
  }

  /** Whether a table's key is held by other fields, or by other values, after the draft than before it. */
  movedKey(id: string): boolean {
    const [was, is] = [this.before, this.after].map(({ tables }) => tables.find((table) => table.id === id));
    return was !== undefined && is !== undefined && movesKey(this.forward, was, is);
  }

  /**
   * The fields that the draft made of one by splitting it, or by joining it with another, and how its value is
   * made of theirs again; null where it did neither.
   */
  madeOf(
    table: string,
    field: string,
  ): { readonly fields: readonly string[]; readonly back: (row: Table) => string } | null {
    const { carry, design } = this.forward.evolved;
    const next = design.tables.find(({ id }) => id === table);
    const made = (next?.fields ?? []).flatMap(({ id }) => {
      const source = carry[id];
      return source ? [{ id, source }] : [];
    });
    const parts = made.flatMap(({ id, source }) =>
      source.from === 'part' && source.field === field ? [{ id, ...source }] : [],
    );
    const [first, second] = [parts.find(({ part }) => part === 0), parts.find(({ part }) => part === 1)];
    if (first && second) {
      const { separator } = first;
      const fields = [first.id, second.id] as const;
      return { fields, back: (row) => mergedSql(row, { fields, separator }) };
    }
    for (const { id, source } of made)
      if (source.from === 'parts' && source.fields.includes(field)) {
        const part = source.fields[0] === field ? 0 : 1;
        const { separator } = source;
        return { fields: [id], back: (row) => partSql(fieldOf(row, id)!, { separator, part }) };
      }
    return null;
  }
}

/**
 * Carries rows back to the design before a draft, field by field: values that the draft left alone are taken
 * as they are now; what it dropped or changed is taken from the safe copy, except where somebody has written
 * that field since. There the value of today is converted back: parts are joined again, what was joined is
 * parted. Rows that were added since have no other value than that. Each row is told by the key it had, whatever
 * the draft or anybody since has made of it; lookups lead to the row they lead to now.
 */
export class UndoCarrier extends Carrier {
  constructor(
    current: Design,
    target: Design,
    private readonly applied: AppliedDraft,
    /** The tables whose rows are followed, each in its {@link rowsTable}; to no other has anybody written since. */
    private readonly followed: ReadonlySet<string>,
    /** The fields for which values are given, see {@link GIVEN}. */
    private readonly given: ReadonlySet<string> = new Set(),
  ) {
    super(current, { design: target, carry: renamedBack(applied) });
  }

  protected override carried(old: Table, table: Table, field: Field): string {
    const value = this.broughtBack(old, table, field);
    return this.given.has(field.id) ? given(field, ownKey(old, 'o'), value) : value;
  }

  private broughtBack(old: Table, table: Table, field: Field): string {
    const followed = this.followed.has(table.id);
    if (this.leftAlone(table, field)) return this.carriedBack(old, table, field, followed);
    const before = this.copied(table, field, this.copiedKey(old, table));
    if (!followed) return before;
    const now = this.applied.madeOf(table.id, field.id);
    const today = now ? now.back(old) : super.carried(old, table, field);
    // A lookup that followed the keys of its table goes back with them.
    if (this.followedKeys(old, table, field)) return today;
    return `CASE WHEN ${this.since(old, table, now?.fields ?? [field.id])} THEN ${today} ELSE ${before} END`;
  }

  /**
   * A value that the draft has left as it was, in a field whose kind it may have changed: only what was written since
   * is read as what the field is again. Lookups follow the keys of their table.
   */
  private carriedBack(old: Table, table: Table, field: Field, followed: boolean): string {
    const own = sqlName(fieldOf(old, field.id)!.name);
    if (!followed) return own;
    const today = super.carried(old, table, field);
    if (today === own || field.type.kind === 'lookup') return today;
    return `CASE WHEN ${this.since(old, table, [field.id])} THEN ${today} ELSE ${own} END`;
  }

  /** SQL for what the row with this key holds in the copy. */
  private copied(table: Table, field: Field, key: readonly string[]): string {
    return `(SELECT ${this.ledBack(field)} ${this.copyOf(table, key)})`;
  }

  /** SQL for what a row `w` of the copy holds: a lookup leads to its row by the key which that has from now on. */
  private ledBack({ name, type }: Field): string {
    const own = `w.${sqlName(name)}`;
    if (type.kind !== 'lookup' || !this.rekeys(type.table)) return own;
    return `coalesce(${looked(backName(type.table), own)}, ${own})`;
  }

  /** Whether rows of the copy may have other keys from now on: each table is asked once. */
  private rekeys(id: string, asked: ReadonlySet<string> = new Set()): boolean {
    if (this.followed.has(id)) return true;
    const table = this.evolved.design.tables.find((candidate) => candidate.id === id)!;
    if (this.before.tables.some((now) => now.id === id) || asked.has(id)) return false;
    return table.key.some((part) => {
      const { type } = fieldOf(table, part)!;
      return (
        this.given.has(part) || (type.kind === 'lookup' && this.rekeys(type.table, new Set([...asked, id])))
      );
    });
  }

  private copyOf(table: Table, key: readonly string[]): string {
    const match = table.key.map((id, i) => `w.${sqlName(fieldOf(table, id)!.name)} = ${key[i]}`);
    return `FROM ${COPY}.${sqlName(table.name)} AS w WHERE ${match.join(' AND ')}`;
  }

  /** SQL for the key that a row has in the copy. */
  private copiedKey(old: Table, table: Table): string[] {
    return table.key.map((id, i) => {
      const was = `o.${ROW.was} ->> '$[${i}]'`;
      if (this.applied.movedKey(table.id)) return was;
      const own = `o.${sqlName(fieldOf(old, id)!.name)}`;
      return this.followed.has(table.id) ? `CASE WHEN o.${ROW.now} IS NULL THEN ${own} ELSE ${was} END` : own;
    });
  }

  /** The condition for rows in which somebody has written any of these fields since, or that were added since. */
  private since(old: Table, table: Table, fields: readonly string[]): string {
    const written = fields.map((id) => `coalesce(instr(o.${ROW.written}, ',${id},'), 0) > 0`);
    return [...written, `NOT EXISTS (SELECT 1 ${this.copyOf(table, this.copiedKey(old, table))})`].join(
      ' OR ',
    );
  }

  /** Whether a field leads to the rows of one table, before the draft, after it and now, whose keys it moved. */
  private followedKeys(old: Table, table: Table, field: Field): boolean {
    const { type } = field;
    if (type.kind !== 'lookup' || !this.applied.movedKey(type.table)) return false;
    const { after } = this.applied;
    const then = after.tables.find(({ id }) => id === table.id);
    return [old, then].every((at) => {
      const own = at && fieldOf(at, field.id)?.type;
      return own?.kind === 'lookup' && own.table === type.table;
    });
  }

  /** Only what was written since is converted back, so only that can fail to be. */
  override unread(table: Table, field: Field, was: string, now: string): string | null {
    if (!this.followed.has(table.id)) return null;
    const old = this.before.tables.find(({ id }) => id === table.id)!;
    const key = old.key.map((_, i) => `t.${keyColumn(i)}`).join(', ');
    const touched = `SELECT 1 FROM temp.${rowsTable(table.id)} AS x WHERE x.now = json_array(${key}) AND (x.was IS NULL OR instr(x.written, ',${field.id},') > 0)`;
    const unread = `${was} IS NOT NULL AND ${now} IS NULL AND EXISTS (${touched})`;
    // Somebody may have said that it is to be empty.
    return this.given.has(field.id) ? `${unread} AND NOT EXISTS (SELECT 1 ${givenTo(field, key)})` : unread;
  }

  /** What the draft dropped comes back from the copy. */
  override fills(table: Table, field: Field): boolean {
    const was = this.applied.before.tables.find(({ id }) => id === table.id);
    return was !== undefined && fieldOf(was, field.id) !== undefined;
  }

  /** Only rows that somebody has written since need their values converted back. */
  override maps(): MapPlan[] {
    const written = new Set(
      this.evolved.design.tables
        .filter(({ id }) => this.followed.has(id))
        .flatMap(({ fields }) => fields.map(({ id }) => id)),
    );
    return super.maps().filter(({ field }) => written.has(field));
  }

  /**
   * What keys become: of today, for the lookups that lead there now; and of the copy, for those that come back
   * from it. A table whose key is itself a lookup waits for the table that leads to.
   */
  override keys(): KeyPlan[] {
    const { before } = this;
    const { design } = this.evolved;
    const plans: KeyPlan[] = [];
    const done = new Set<string>();
    const visit = (table: Table): void => {
      if (done.has(table.id)) return;
      done.add(table.id);
      for (const { parent, on } of linksFrom(design, table))
        if (on.some(([own]) => table.key.includes(own.id))) visit(parent);
      const old = before.tables.find(({ id }) => id === table.id);
      // A lookup leads to a key of one field alone.
      if (table.key.length !== 1) return;
      const back = (key: string, value: string, from: string): KeyPlan => ({
        table: backName(table.id),
        sql: `INSERT OR IGNORE INTO temp.${sqlName(backName(table.id))} (old, new) SELECT key, value FROM (SELECT ${key} AS key, ${value} AS value FROM ${from}) WHERE key IS NOT NULL AND value IS NOT key`,
      });
      if (!old && this.rekeys(table.id)) {
        const { key, values, from } = this.returning(table)!;
        plans.push(back(key[0]!, values.get(table.key[0]!)!.sql, from));
      }
      if (!old || !this.followed.has(table.id)) return;
      const [was, is] = [fieldOf(old, old.key[0]!)!, fieldOf(table, table.key[0]!)!];
      const value = this.value(old, table, is);
      const from = this.from(old, table);
      if (old.key.length === 1 && this.applied.movedKey(table.id))
        plans.push({
          table: keyName(table.id),
          sql: `INSERT INTO temp.${sqlName(keyName(table.id))} (old, new) SELECT o.${sqlName(was.name)}, ${value} FROM ${from}`,
        });
      plans.push(back(this.copiedKey(old, table)[0]!, value, from));
    };
    design.tables.forEach(visit);
    return plans;
  }

  /** The key that the table a lookup leads to goes back to. */
  protected override movedKey(was: Field, field: Field, own: string): string | null {
    if (was.type.kind !== 'lookup' || field.type.kind !== 'lookup' || was.type.table !== field.type.table)
      return null;
    const { table } = field.type;
    return this.applied.movedKey(table) ? looked(keyName(table), own) : null;
  }

  /** The rows of a table, each with the key it had and what was written in it since. */
  override from(old: Table, table: Table): string {
    if (!this.followed.has(table.id)) return super.from(old, table);
    const rows = `SELECT o.*, x.now AS ${ROW.now}, x.was AS ${ROW.was}, x.written AS ${ROW.written}`;
    return `(${rows} FROM main.${sqlName(old.name)} AS o LEFT JOIN temp.${rowsTable(table.id)} AS x ON x.now = json_array(${ownKey(old, 'o')})) AS o`;
  }

  /** The rows of a table that the draft dropped come back as the copy has them. */
  override returning(table: Table): Returning | null {
    if (this.before.tables.some(({ id }) => id === table.id)) return null;
    const key = table.key.map((id) => `w.${sqlName(fieldOf(table, id)!.name)}`);
    const values = storedFields(table).map((field) => {
      const own = this.ledBack(field);
      const sql = this.given.has(field.id) ? given(field, key.join(', '), own) : own;
      return [field.id, { sql, same: sql === `w.${sqlName(field.name)}` }] as const;
    });
    return { from: `${COPY}.${sqlName(table.name)} AS w`, key, values: new Map(values) };
  }

  /** The running numbers that the copy has given are given to no other row. */
  override lastNumber(table: Table): string | null {
    const was = this.applied.before.tables.find(({ id }) => id === table.id);
    if (!was || !runningKey(was)) return null;
    return `coalesce((SELECT seq FROM ${COPY}.sqlite_sequence WHERE name = ${sqlText(was.name)}), 0)`;
  }

  private leftAlone(table: Table, field: Field): boolean {
    const { before, after, forward } = this.applied;
    const was = before.tables.find(({ id }) => id === table.id);
    const next = after.tables.find(({ id }) => id === table.id);
    const [from, to] = [was && fieldOf(was, field.id), next && fieldOf(next, field.id)];
    if (!was || !next || !from || !to) return false;
    return forward.value(was, next, to) === sqlName(from.name);
  }
}

const TEXTS: ReadonlySet<string> = new Set(['text', 'longText', 'choice']);

/** Texts that the draft put in the place of others go back to those, where there was one for each. */
function renamedBack({ before, after, forward }: AppliedDraft): Carry {
  const carry: Record<string, Carry[string]> = {};
  for (const [id, source] of Object.entries(forward.evolved.carry)) {
    const types = [before, after].map(({ tables }) =>
      tables.flatMap(({ fields }) => fields).find((field) => field.id === id),
    );
    if (source.from !== 'convert' || !types.every((field) => field && TEXTS.has(field.type.kind))) continue;
    const pairs = Object.entries(source.convert.instead ?? {});
    const back = pairs.filter(([, now]) => pairs.filter(([, other]) => other === now).length === 1);
    const instead = Object.fromEntries(back.map(([was, now]) => [now, was]));
    if (Object.keys(instead).length > 0) carry[id] = { from: 'convert', convert: { instead } };
  }
  return carry;
}

/** What is given for a field of the row with this key, as it is now. */
const givenTo = (field: Field, key: string): string =>
  `FROM temp.${GIVEN} AS g WHERE g.field = ${sqlText(field.id)} AND g.key = json_array(${key})`;

/** SQL for what is given for a field of the row with this key; where nothing is, its value otherwise. */
function given(field: Field, key: string, otherwise: string): string {
  const found = givenTo(field, key);
  return `CASE WHEN EXISTS (SELECT 1 ${found}) THEN (SELECT g.value ${found}) ELSE ${otherwise} END`;
}

/** The key of a row as columns of an alias. */
const ownKey = (table: Table, alias: string): string =>
  table.key.map((id) => `${alias}.${sqlName(fieldOf(table, id)!.name)}`).join(', ');
