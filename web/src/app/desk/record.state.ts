import { computed, signal } from '@angular/core';
import {
  emptyDesign,
  fieldOf,
  isStored,
  type Design,
  type Field,
  type Form,
  type Settings,
  type Table,
} from '@heathridge/core/design';
import { levelOf, type Level } from '@heathridge/core/form';
import {
  checkRow,
  startRow,
  workedValues,
  type RowChange,
  type RowError,
  type RowKey,
} from '@heathridge/core/rows';
import type { Cell, RecordData, RecordRow, RecordRows } from '../shared/api.service';
import { newId } from '../shared/ids';
import type { Held } from '../value/held';
import type { KeptList, KeptRecord, KeptRow } from './record-drafts.service';

/** One row while it is being edited, the record itself or one of a subform, and the rows within it. */
export interface RowState {
  /** Tells rows apart on the page and names new ones in a save. */
  readonly id: string;
  readonly level: Level;
  readonly table: Table;
  /** Null while it is not in the file. */
  readonly key: RowKey | null;
  readonly was: Readonly<Record<string, Held>>;
  readonly held: Readonly<Record<string, Held>>;
  readonly deleted: boolean;
  /** The rows of each subform within it. */
  readonly lists: readonly ListState[];
}

/** The rows of a subform that lead to one row. */
export interface ListState {
  readonly level: Level;
  /** Never changed in place; what shows them as a table may not be told so. */
  readonly rows: RowState[];
  /** How many of those that the file holds were not read yet. */
  readonly unread: number;
}

export function heldOf(cell: Cell): Held {
  if (cell === null || typeof cell !== 'object') return { value: cell };
  if ('fault' in cell) return { value: null, fault: cell.fault };
  return { value: cell[0], text: cell[1] };
}

/** A design of just these tables: enough to check rows by. */
export const designOf = (tables: readonly Table[], settings: Settings): Design => ({
  ...emptyDesign(),
  tables,
  settings,
});

const changedIn = (row: RowState): string[] =>
  row.table.fields
    .filter((field) => isStored(field))
    .map(({ id }) => id)
    .filter((id) => row.held[id] && row.held[id].value !== (row.was[id]?.value ?? null));

const hasUnread = (row: RowState): boolean =>
  Object.values(row.held).some(({ typed }) => typed !== undefined);

const isSeeking = (row: RowState): boolean => Object.values(row.held).some(({ sought }) => sought === true);

function keptRow(row: RowState): KeptRow {
  const changed = new Set(changedIn(row));
  const ids = Object.keys(row.held).filter((id) => changed.has(id) || row.held[id]!.typed !== undefined);
  const of = (fields: Readonly<Record<string, Held>>): KeptRow['held'] =>
    Object.fromEntries(
      ids.map((id) => {
        const { value, text, typed, problem, sought } = fields[id] ?? { value: null };
        // Nobody searches for it any more when it is picked up.
        return [id, { value, text, typed, problem: sought ? 'Please choose it again.' : problem }];
      }),
    );
  return {
    key: row.key ? [...row.key] : null,
    deleted: row.deleted,
    was: of(row.was),
    held: of(row.held),
    children: keptLists(row),
  };
}

/** The rows within a row that differ from the file, or hold one that does. */
const keptLists = (row: RowState): KeptList[] =>
  row.lists.flatMap(({ level, rows }) => {
    const kept = rows.filter((inner) => inner.deleted || isTouched(inner)).map(keptRow);
    return kept.length > 0 ? [{ link: level.link!.id, rows: kept }] : [];
  });

/** Whether something was typed into a row or one within it, beyond what it started with. */
const isTouched = (row: RowState): boolean =>
  hasUnread(row) ||
  changedIn(row).length > 0 ||
  row.lists.some(({ rows }) => rows.some((inner) => inner.deleted || isTouched(inner)));

/** A row and all within it, outer ones first. */
const allRows = (row: RowState): RowState[] => [
  row,
  ...row.lists.flatMap(({ rows }) => rows.flatMap(allRows)),
];

/** The same, without what goes with a row that is taken away. */
const livingRows = (row: RowState): RowState[] =>
  row.deleted ? [] : [row, ...row.lists.flatMap(({ rows }) => rows.flatMap(livingRows))];

/** A tree of rows in which each row that `make` gives another for stands in its place; the rest is as it was. */
function mapRows(row: RowState, make: (row: RowState) => RowState | null): RowState | null {
  const made = make(row);
  if (!made) return null;
  const lists = made.lists.map((list) => {
    const rows = list.rows.flatMap((inner) => mapRows(inner, make) ?? []);
    return rows.length === list.rows.length && rows.every((inner, i) => inner === list.rows[i])
      ? list
      : { ...list, rows };
  });
  return lists.every((list, i) => list === made.lists[i]) ? made : { ...made, lists };
}

const restored = (row: RowState, { was, held, deleted }: KeptRow): RowState => ({
  ...row,
  deleted,
  was: { ...row.was, ...was },
  held: { ...row.held, ...held },
});

/** A record and the rows within it, as deep as its form goes, while they are edited; and what a save of them sends. */
export class RecordState {
  private count = 0;
  readonly level: Level;
  readonly table: Table;
  readonly record;
  /** Messages beside fields: row id and field id, or the row id alone. */
  readonly errors = signal<Readonly<Record<string, string>>>({});
  readonly dirty = computed(() =>
    allRows(this.record()).some((row) => row.deleted || hasUnread(row) || changedIn(row).length > 0),
  );

  /** True while a lookup's typed text is being searched: what it stands for is not known yet. */
  readonly seeking = computed(() => livingRows(this.record()).some((row) => isSeeking(row)));
  private sent: { readonly changes: string; readonly id: string } | null = null;

  constructor(
    private readonly design: Design,
    readonly form: Form,
    data: RecordData | null,
    private readonly clock: { readonly today: string; readonly now: string },
  ) {
    this.level = levelOf(design, form)!;
    this.table = this.level.table;
    this.record = signal(data ? this.rowOf(this.level, data.record) : this.newRow(this.level));
  }

  get isNew(): boolean {
    return this.record().key === null;
  }

  /** The row as it stands now, by the id that tells rows apart on the page. */
  rowOfId(id: string): RowState | undefined {
    return allRows(this.record()).find((row) => row.id === id);
  }

  errorAt(row: RowState, field?: string): string {
    return (
      this.errors()[field === undefined ? row.id : `${row.id} ${field}`] ??
      (field === undefined ? '' : (row.held[field]?.problem ?? ''))
    );
  }

  /** Takes what an input holds now, and says at once when a rule over this row is broken. */
  change(row: RowState, field: Field, held: Held): void {
    // What is shown may be behind: rows within it may have changed since.
    const current = this.rowOfId(row.id) ?? row;
    const next = this.worked({ ...current, held: { ...current.held, [field.id]: held } });
    this.put(next);
    const broken = this.problems(next).filter((problem) => problem.rule !== null);
    this.errors.update((errors) => {
      const kept = Object.entries(errors).filter(
        ([at]) =>
          at !== row.id &&
          at !== `${row.id} ${field.id}` &&
          !(at.startsWith(`${row.id} `) && this.ruled(row.table, at)),
      );
      // A rule speaks up once its own field or this one has been filled in.
      const said = broken.map(
        (problem) =>
          [problem.field === null ? row.id : `${row.id} ${problem.field}`, problem.message] as const,
      );
      return Object.fromEntries([...kept, ...said]);
    });
  }

  /** Begins a row of a subform within a row. */
  addChild(parent: RowState, link: string): RowState {
    const list = parent.lists.find(({ level }) => level.link!.id === link)!;
    const row = this.newRow(list.level);
    this.putList(parent, link, (known) => ({ ...known, rows: [...known.rows, row] }));
    return row;
  }

  /** Takes a row of a subform away, or keeps it after all; what is only on the page goes at once. */
  removeChild(row: RowState): void {
    this.update((other) =>
      other.id !== row.id ? other : other.key === null ? null : { ...other, deleted: !other.deleted },
    );
  }

  /** Takes further rows of a subform that were read. */
  more(parent: RowState, { link, rows, total }: RecordRows): void {
    this.putList(parent, link, (known) => {
      const have = new Set(known.rows.map(({ key }) => key?.join()));
      const fresh = rows.filter(({ key }) => !have.has(key.join()));
      const next = [
        ...known.rows.filter(({ key }) => key),
        ...fresh.map((row) => this.rowOf(known.level, row)),
      ];
      const unread = fresh.length === 0 ? 0 : Math.max(0, total - next.length);
      return { ...known, rows: [...next, ...known.rows.filter(({ key }) => !key)], unread };
    });
  }

  /** The links that lead from the record to the rows of a level within a row. */
  pathTo(id: string, level: Level): string[] {
    const links = (row: RowState): string[] | null => {
      if (row.id === id) return [];
      for (const { level: inner, rows } of row.lists)
        for (const other of rows) {
          const found = links(other);
          if (found) return [inner.link!.id, ...found];
        }
      return null;
    };
    return [...(links(this.record()) ?? []), level.link!.id];
  }

  private putList(parent: RowState, link: string, make: (list: ListState) => ListState): void {
    this.update((row) =>
      row.id === parent.id
        ? { ...row, lists: row.lists.map((list) => (list.level.link!.id === link ? make(list) : list)) }
        : row,
    );
  }

  /** What differs from the file, to be picked up again with {@link restore}. */
  kept(): KeptRecord {
    const { children, ...record } = keptRow(this.record());
    return { record, children: children ?? [] };
  }

  /**
   * Puts what was kept of this record back where it was typed. What the file held then stays known, so that what
   * others have changed since is told when it is saved.
   */
  restore({ record, children }: KeptRecord): void {
    this.restoreRow(this.record(), { ...record, children });
  }

  private restoreRow(row: RowState, kept: KeptRow): void {
    this.put(this.worked(restored(row, kept)));
    for (const { link, rows } of kept.children ?? []) {
      for (const inner of rows) {
        const parent = this.rowOfId(row.id)!;
        const list = parent.lists.find(({ level }) => level.link!.id === link);
        if (!list) continue;
        const found =
          inner.key === null
            ? this.addChild(parent, link)
            : list.rows.find(({ key }) => key !== null && key.join() === inner.key!.join());
        if (found) this.restoreRow(found, inner);
      }
    }
  }

  /** What is wrong before anything is sent; the messages are put beside their fields. */
  check(): boolean {
    const found: Record<string, string> = {};
    for (const row of livingRows(this.record())) {
      if (row !== this.record() && row.key === null && !isTouched(row)) continue;
      for (const [field, { problem }] of Object.entries(row.held))
        if (problem !== undefined) found[`${row.id} ${field}`] = problem;
      for (const { field, message } of this.problems(row))
        found[field === null ? row.id : `${row.id} ${field}`] ??= message;
    }
    this.errors.set(found);
    return Object.keys(found).length === 0;
  }

  /** The changes to send, in order: parents before children; and which row each belongs to. */
  changesToSave(): { readonly changes: RowChange[]; readonly rows: readonly RowState[] } {
    const out: { change: RowChange; row: RowState }[] = [];
    const add = (row: RowState, parent: RowState | null): void => {
      if (parent && row.key === null && !isTouched(row)) return;
      const change = this.rowChange(row);
      if (parent && change?.op === 'insert')
        change.values[row.level.link!.id] = parent.key === null ? { temp: parent.id } : parent.key[0]!;
      if (change) out.push({ change, row });
      // What is within a row that goes goes with it, or keeps it from going: the file decides.
      if (!row.deleted) for (const { rows } of row.lists) for (const inner of rows) add(inner, row);
    };
    add(this.record(), null);
    return { changes: out.map(({ change }) => change), rows: out.map(({ row }) => row) };
  }

  /** The name under which changes are sent: the same changes sent again have the same, and are saved once. */
  nameOf(changes: readonly RowChange[]): string {
    const text = JSON.stringify(changes);
    if (this.sent?.changes !== text) this.sent = { changes: text, id: newId('save') };
    return this.sent.id;
  }

  /** Puts the errors of a refused save beside their fields. */
  refuse(errors: readonly RowError[], rows: readonly RowState[]): void {
    const found: Record<string, string> = {};
    for (const { change, field, message, theirs } of errors) {
      const row = rows[change];
      if (!row) continue;
      const other =
        theirs === undefined ? '' : ` They put “${String(theirs ?? 'nothing')}”. Save again to keep yours.`;
      found[field === null ? row.id : `${row.id} ${field}`] = message + other;
      // The next save starts from what they put, so that keeping one's own is a choice made knowingly.
      const now = this.rowOfId(row.id);
      if (now && field !== null && theirs !== undefined)
        this.put({ ...now, was: { ...now.was, [field]: { value: theirs } } });
    }
    this.errors.set(found);
  }

  private ruled(table: Table, at: string): boolean {
    return fieldOf(table, at.split(' ')[1] ?? '')?.rule !== null;
  }

  private put(next: RowState): void {
    this.update((row) => (row.id === next.id ? next : row));
  }

  private update(make: (row: RowState) => RowState | null): void {
    this.record.update((record) => mapRows(record, make) ?? record);
  }

  /** Whether something was typed into a new row or one within it, beyond what it started with. */
  touched(row: RowState): boolean {
    return isTouched(row);
  }

  private problems(row: RowState) {
    const values = Object.fromEntries(Object.entries(row.held).map(([id, { value }]) => [id, value]));
    const link = row.level.link?.id;
    // The link of a new child is only known when its parent is saved.
    const checking = {
      ...this.clock,
      isNew: row.key === null,
      was: Object.fromEntries(Object.entries(row.was).map(([id, { value }]) => [id, value])),
      // What the screen does not show is not at hand: the server asks about it.
      known: row.key === null ? undefined : this.shownOf(row),
      // The text a lookup shows is at hand; what else other rows have to tell is not.
      elsewhere: (expression: string) => {
        const id = /^"#(\w+)"$/.exec(expression.trim())?.[1];
        return (id !== undefined && row.held[id]?.text) || null;
      },
    };
    return checkRow(this.design, row.table, values, checking).filter(({ field }) => field !== link);
  }

  /** The row with what follows from it alone worked out anew. */
  private worked(row: RowState): RowState {
    const values = new Map(Object.entries(row.held).map(([id, { value }]) => [id, value]));
    const known = row.key === null ? undefined : this.shownOf(row);
    return {
      ...row,
      held: { ...row.held, ...workedValues(this.design, row.table, values, this.clock, known) },
    };
  }

  private rowChange(row: RowState): RowChange | null {
    if (row.deleted) return row.key ? { op: 'delete', table: row.table.id, key: row.key } : null;
    const allowed = this.typeable(row);
    if (row.key === null) {
      const values = Object.fromEntries(
        Object.entries(row.held).flatMap(([id, { value }]) => (allowed.has(id) ? [[id, value]] : [])),
      );
      return { op: 'insert', table: row.table.id, temp: row.id, values };
    }
    const ids = changedIn(row).filter((id) => allowed.has(id));
    if (ids.length === 0) return null;
    return {
      op: 'update',
      table: row.table.id,
      key: row.key,
      values: Object.fromEntries(ids.map((id) => [id, row.held[id]!.value])),
      was: Object.fromEntries(ids.map((id) => [id, row.was[id]?.value ?? null])),
    };
  }

  /** The fields people may type into on this form. */
  private typeable({ level }: RowState): Set<string> {
    return new Set(level.cells.filter(({ cell }) => cell.people === 'type').map(({ field }) => field.id));
  }

  /** The fields of a row whose values came with it. */
  private shownOf(row: RowState): ReadonlySet<string> {
    return new Set(Object.keys(row.was));
  }

  private rowOf(level: Level, { key, cells, subforms }: RecordRow): RowState {
    const held = Object.fromEntries(Object.entries(cells).map(([id, cell]) => [id, heldOf(cell)]));
    const lists = level.levels.map((inner): ListState => {
      const { rows, total } = subforms.find(({ link }) => link === inner.link!.id) ?? { rows: [], total: 0 };
      return {
        level: inner,
        rows: rows.map((row) => this.rowOf(inner, row)),
        unread: Math.max(0, total - rows.length),
      };
    });
    return { id: this.nextId(), level, table: level.table, key, was: held, held, deleted: false, lists };
  }

  private newRow(level: Level): RowState {
    const { table } = level;
    const start = startRow(this.design, table, this.clock);
    const held = Object.fromEntries(Object.entries(start).map(([id, value]) => [id, { value }]));
    const lists = level.levels.map((inner): ListState => ({ level: inner, rows: [], unread: 0 }));
    const row = { id: this.nextId(), level, table, key: null, was: held, held, deleted: false, lists };
    const { held: full } = this.worked(row);
    return { ...row, was: full, held: full };
  }

  private nextId(): string {
    return `n${this.count++}`;
  }
}
