import { sqlName } from '../expression';
import {
  DOCUMENT_LISTS,
  fieldOf,
  storedFields,
  type Design,
  type DesignDocument,
  type Field,
  type Table,
} from '../design';
import { Carrier, mergedSql, partSql, type KeyPlan, type MapPlan } from './carry';
import { evolve, type Change } from './changes';

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

/** Whether a table's key is held by other fields, or by other values, after the draft than before it. */
function keyMoved(applied: Applied, forward: Carrier, table: Table): boolean {
  const next = applied.after.tables.find(({ id }) => id === table.id);
  if (!next || next.key.join() !== table.key.join()) return next !== undefined;
  return table.key.some((id) => {
    const [was, is] = [fieldOf(table, id)!, fieldOf(next, id)!];
    return forward.value(table, next, is) !== sqlName(was.name);
  });
}

/** Tables whose rows cannot be matched to those of the copy any more if anybody has written to them since. */
export function tablesRekeyed(applied: Applied): Table[] {
  const forward = new Carrier(applied.before, evolve(applied.before, applied.changes));
  return applied.before.tables.filter((table) => keyMoved(applied, forward, table));
}

/**
 * Carries rows back to the design before a draft, field by field: values that the draft left alone are taken
 * as they are now; what it dropped or changed is taken from the safe copy, except where somebody has written
 * that field since. There the value of today is converted back: parts are joined again, what was joined is
 * parted. Rows that were added since have no other value than that.
 */
export class UndoCarrier extends Carrier {
  private readonly forward: Carrier;

  constructor(
    current: Design,
    target: Design,
    private readonly applied: Applied,
    /** The tables to which somebody has written since the draft was applied, and the mark in history. */
    private readonly written: { readonly tables: ReadonlySet<string>; readonly mark: number },
    /** The fields for which values are given, see {@link GIVEN}. */
    private readonly given: ReadonlySet<string> = new Set(),
  ) {
    super(current, { design: target, carry: {} });
    this.forward = new Carrier(applied.before, evolve(applied.before, applied.changes));
  }

  override value(old: Table, table: Table, field: Field): string {
    if (keyMoved(this.applied, this.forward, table)) return `w.${sqlName(field.name)}`;
    const value = this.broughtBack(old, table, field);
    if (!this.given.has(field.id)) return value;
    const key = old.key.map((id) => `o.${sqlName(fieldOf(old, id)!.name)}`).join(', ');
    const given = `FROM temp.${GIVEN} AS g WHERE g.field = '${field.id}' AND g.key = json_array(${key})`;
    return `CASE WHEN EXISTS (SELECT 1 ${given}) THEN (SELECT g.value ${given}) ELSE ${value} END`;
  }

  private broughtBack(old: Table, table: Table, field: Field): string {
    const written = this.written.tables.has(table.id);
    if (this.leftAlone(table, field))
      return written ? super.value(old, table, field) : sqlName(fieldOf(old, field.id)!.name);
    const own = (id: string): string => `o.${sqlName(fieldOf(old, id)!.name)}`;
    const match = table.key.map((id) => `w.${sqlName(fieldOf(table, id)!.name)} = ${own(id)}`).join(' AND ');
    const copied = `${COPY}.${sqlName(this.copied(table).name)}`;
    const before = `(SELECT w.${sqlName(field.name)} FROM ${copied} AS w WHERE ${match})`;
    if (!written) return before;
    const now = this.cameOf(table, field);
    const today = now ? now.value(old) : super.value(old, table, field);
    const since = this.since(table, table.key.map(own), now?.fields ?? [field.id]);
    return `CASE WHEN ${since} THEN ${today} ELSE ${before} END`;
  }

  /**
   * The fields that the draft made of one by splitting it, or by joining it with another; null where it did
   * neither.
   */
  private cameOf(
    table: Table,
    field: Field,
  ): { readonly fields: readonly string[]; readonly value: (old: Table) => string } | null {
    const { carry, design } = this.forward.evolved;
    const next = design.tables.find(({ id }) => id === table.id);
    const made = (next?.fields ?? []).flatMap(({ id }) => {
      const source = carry[id];
      return source ? [{ id, source }] : [];
    });
    const parts = made.flatMap(({ id, source }) =>
      source.from === 'part' && source.field === field.id ? [{ id, ...source }] : [],
    );
    const [first, second] = [parts.find(({ part }) => part === 0), parts.find(({ part }) => part === 1)];
    if (first && second) {
      const { separator } = first;
      const fields = [first.id, second.id] as const;
      return { fields, value: (old) => mergedSql(old, { fields, separator }) };
    }
    for (const { id, source } of made)
      if (source.from === 'parts' && source.fields.includes(field.id)) {
        const part = source.fields[0] === field.id ? 0 : 1;
        const { separator } = source;
        return { fields: [id], value: (old) => partSql(fieldOf(old, id)!, { separator, part }) };
      }
    return null;
  }

  /**
   * The condition for rows in which somebody has written any of these fields since, or that were added since,
   * given SQL for their key.
   */
  private since(table: Table, key: readonly string[], fields: readonly string[]): string {
    const changed = fields
      .map((id) => `h.before ->> '$."${id}"' IS NOT h.after ->> '$."${id}"'`)
      .join(' OR ');
    return `EXISTS (SELECT 1 FROM hr_history AS h WHERE h.id > ${this.written.mark} AND h.table_id = '${table.id}' AND h.key = json_array(${key.join(', ')}) AND (h.op <> 'update' OR ${changed}))`;
  }

  /** Only what was written since is converted back, so only that can fail to be. */
  override unread(table: Table, field: Field, was: string, now: string): string | null {
    if (!this.written.tables.has(table.id)) return null;
    const key = table.key.map((id) => `t.${sqlName(fieldOf(table, id)!.name)}`);
    return `${was} IS NOT NULL AND ${now} IS NULL AND ${this.since(table, key, [field.id])}`;
  }

  /** What the draft dropped comes back from the copy. */
  override fills(table: Table, field: Field): boolean {
    return fieldOf(this.copied(table), field.id) !== undefined;
  }

  /** Only rows that somebody has written since need their values converted back. */
  override maps(): MapPlan[] {
    const written = new Set(
      this.evolved.design.tables
        .filter(({ id }) => this.written.tables.has(id))
        .flatMap(({ fields }) => fields.map(({ id }) => id)),
    );
    return super.maps().filter(({ field }) => written.has(field));
  }

  /** Keys that moved are taken from the copy together with the rows that look them up. */
  override keys(): KeyPlan[] {
    return [];
  }

  /** Where the rows of a table are read from: the table itself, or the copy when its keys have moved. */
  override from(old: Table, table: Table): string {
    return keyMoved(this.applied, this.forward, table)
      ? `${COPY}.${sqlName(this.copied(table).name)} AS w`
      : super.from(old, table);
  }

  /** Statements that bring back the rows of a table that the draft dropped. */
  override fill(table: Table): string[] {
    const columns = storedFields(table)
      .map(({ name }) => sqlName(name))
      .join(', ');
    return [
      `INSERT INTO main.${sqlName(table.name)} (${columns}) SELECT ${columns} FROM ${COPY}.${sqlName(table.name)}`,
    ];
  }

  private copied(table: Table): Table {
    return this.applied.before.tables.find(({ id }) => id === table.id) ?? table;
  }

  private leftAlone(table: Table, field: Field): boolean {
    const { before, after } = this.applied;
    const was = before.tables.find(({ id }) => id === table.id);
    const next = after.tables.find(({ id }) => id === table.id);
    const [from, to] = [was && fieldOf(was, field.id), next && fieldOf(next, field.id)];
    if (!was || !next || !from || !to) return false;
    return this.forward.value(was, next, to) === sqlName(from.name);
  }
}
