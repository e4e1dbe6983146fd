import { computed, signal } from '@angular/core';
import {
  emptyDesign,
  fieldOf,
  isGiven,
  isStored,
  type Design,
  type Field,
  type Form,
  type Settings,
  type Table,
} from '@heathridge/core/design';
import {
  levelOf,
  limitId,
  pictureId,
  reckon,
  reckoningOf,
  type Beyond,
  type Level,
  type Reckoning,
  type Standing,
} from '@heathridge/core/form';
import { checkRow, startRow, type RowChange, type RowError, type RowKey } from '@heathridge/core/rows';
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
  /** What stands in its fields, and what is worked out beside them; by field or part id. */
  readonly held: Readonly<Record<string, Held>>;
  /** What is worked out on the form reads of it beyond that, and of the rows its links lead to. */
  readonly beyond: Beyond;
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
  /** What those come to, for each total of the subform; none while all are here. */
  readonly rest: RecordRows['rest'];
}

/** A row to which a lookup on the page has come to lead, and of which nothing is known yet. */
export interface Sought {
  readonly row: string;
  /** The links of the subforms that lead to the row with the lookup. */
  readonly path: readonly string[];
  readonly link: string;
  readonly key: string | number;
}

/** Something that is wrong, and where it stands. */
export interface Told {
  /** The row, and the field where it is about one. */
  readonly row: string;
  readonly field: Field | null;
  /** In words: `Row 2 of Fines: Amount is always filled.` */
  readonly words: string;
}

const NOTHING_BEYOND: Beyond = { cells: {}, links: {} };

/** Whether two things held in a cell are the same to who reads them. */
const isSame = (a: Held | undefined, b: Held): boolean =>
  a !== undefined && a.value === b.value && a.fault === b.fault && a.cut === b.cut;

export function heldOf(cell: Cell): Held {
  if (cell === null || typeof cell !== 'object') return { value: cell };
  if ('fault' in cell) return { value: null, fault: cell.fault };
  if ('beginning' in cell) return { value: `${cell.beginning}…`, cut: cell.length };
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

/** A row with something else in one of its fields: what was known of the row a link of it led to is forgotten. */
function withHeld(row: RowState, field: Field, held: Held): RowState {
  const was = row.held[field.id]?.value ?? null;
  const next = { ...row, held: { ...row.held, [field.id]: held } };
  if (held.value === was) return next;
  const multiple = row.table.links.filter(({ on }) => on.some(({ own }) => own === field.id));
  const gone = new Set([field.id, ...multiple.map(({ id }) => id)]);
  const links = Object.entries(row.beyond.links).filter(([id]) => !gone.has(id));
  const { [pictureId(field.id)]: _, ...fields } = next.held;
  return { ...next, held: fields, beyond: { ...row.beyond, links: Object.fromEntries(links) } };
}

const holds = (fields: RowState['held'], id: string): boolean => fields[id]?.value === true;

/** Whether the value of a field did not come along: a condition keeps it away. */
const isKept = (row: RowState, field: string): boolean => holds(row.was, limitId('hide', field));

/**
 * Whether a field is not there for a row: a condition keeps it away as the row now stands, or did when it was read, so
 * that nobody knows yet what it holds.
 */
export const isHidden = (row: RowState, field: string): boolean =>
  isKept(row, field) || holds(row.held, limitId('hide', field));

/** Whether a condition keeps a field from being typed into, as the row now stands. */
export const isShut = (row: RowState, field: string): boolean =>
  isHidden(row, field) || holds(row.held, limitId('read', field));

/** A row as what is worked out on the form sees it. */
function standingOf(row: RowState, around: Standing | null): Standing {
  const within = new Map<ListState, readonly Standing[]>();
  const standing: Standing = {
    level: row.level,
    around,
    value: (id) => {
      if (isKept(row, id)) return undefined;
      const held = row.held[id];
      if (held && !held.fault) return held.value;
      if (id in row.beyond.cells) return row.beyond.cells[id];
      // All of a new row is on the page.
      return row.key === null ? null : undefined;
    },
    beyond: ({ field: { id }, on }) => {
      const columns = new Set(on.map(([own]) => own));
      const owns = row.table.fields.filter(({ name }) => columns.has(name));
      if (owns.some((own) => id === own.id && (row.held[own.id]?.value ?? null) === null)) return null;
      return row.beyond.links[id];
    },
    rows: (level) => {
      const list = row.lists.find((other) => other.level === level);
      if (!list || list.unread > 0) return undefined;
      const known = within.get(list);
      if (known) return known;
      const rows = list.rows.filter(({ deleted }) => !deleted).map((inner) => standingOf(inner, standing));
      within.set(list, rows);
      return rows;
    },
  };
  return standing;
}

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
  private readonly reckoning: Reckoning;
  /** The rows that lookups lead to now and that what is worked out waits for. */
  readonly sought = computed(() => this.soughtIn(this.record(), []));
  private sent: { readonly changes: string; readonly id: string } | null = null;

  constructor(
    private readonly design: Design,
    readonly form: Form,
    data: RecordData | null,
    private readonly clock: { readonly today: string; readonly now: string },
    /** What a new record holds beside what its fields begin with, by field id. */
    given: Readonly<Record<string, Held>> = {},
  ) {
    this.level = levelOf(design, form)!;
    this.table = this.level.table;
    this.reckoning = reckoningOf(design, this.level);
    const record = data ? this.rowOf(this.level, data.record) : this.newRow(this.level, given);
    this.record = signal(this.reckoned(record, null));
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

  /** All that is said of the record and the rows within it, in the order in which they are filled in. */
  readonly told = computed((): Told[] => {
    const errors = this.errors();
    const of = (row: RowState, place: string): Told[] => {
      const at = (field: Field | null): Told[] => {
        const message = errors[field ? `${row.id} ${field.id}` : row.id];
        if (message === undefined) return [];
        const label = field && !message.includes(field.label) ? field.label : '';
        const where = [place, label].filter((part) => part !== '').join(', ');
        return [{ row: row.id, field, words: where ? `${where}: ${message}` : message }];
      };
      const shown = row.level.cells.map(({ field }) => field);
      const others = row.table.fields.filter((field) => !shown.includes(field));
      return [
        ...[...shown, ...others].flatMap(at),
        ...at(null),
        ...row.lists.flatMap(({ level, rows }) =>
          rows.flatMap((inner, i) =>
            of(inner, `Row ${i + 1} of ${level.subform!.label}${place ? ` in ${place.toLowerCase()}` : ''}`),
          ),
        ),
      ];
    };
    return of(this.record(), '');
  });

  /** Takes what an input holds now, and says at once when a rule over this row is broken. */
  change(row: RowState, field: Field, held: Held): void {
    // What is shown may be behind: rows within it may have changed since.
    const current = this.rowOfId(row.id) ?? row;
    const next = withHeld(current, field, held);
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
  more(parent: RowState, { link, rows, total, rest }: RecordRows): void {
    this.putList(parent, link, (known) => {
      const have = new Set(known.rows.map(({ key }) => key?.join()));
      const fresh = rows.filter(({ key }) => !have.has(key.join()));
      const next = [
        ...known.rows.filter(({ key }) => key),
        ...fresh.map((row) => this.rowOf(known.level, row)),
      ];
      const unread = fresh.length === 0 ? 0 : Math.max(0, total - next.length);
      return { ...known, rows: [...next, ...known.rows.filter(({ key }) => !key)], unread, rest };
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

  /**
   * Takes the record as others have left it meanwhile: what nobody has touched here is as it now is; what was typed
   * stays, and is asked about when it is saved, where they have changed the same.
   */
  merge(record: RecordRow): void {
    this.record.update((row) => this.reckoned(this.merged(row, record), null));
  }

  private merged(row: RowState, now: RecordRow): RowState {
    const { held, was, beyond } = this.rowOf(row.level, now);
    const mine = new Set([
      ...changedIn(row),
      ...Object.keys(row.held).filter((id) => row.held[id]!.typed !== undefined),
    ]);
    const kept = (of: Readonly<Record<string, Held>>): [string, Held][] =>
      Object.entries(of).filter(([id]) => mine.has(id));
    const lists = row.lists.map((list): ListState => {
      const found = now.subforms.find(({ link }) => link === list.level.link!.id);
      const { rows = [], total = 0, rest } = found ?? {};
      const known = new Map(list.rows.map((inner) => [inner.key?.join(), inner]));
      const have = new Set(rows.map(({ key }) => key.join()));
      // What has gone elsewhere goes here too, unless something was typed into it: its save tells.
      const left = list.rows.filter(
        (inner) =>
          inner.key === null || (!have.has(inner.key.join()) && (isTouched(inner) || rows.length < total)),
      );
      const next = rows.map((other) => {
        const own = known.get(other.key.join());
        return own ? this.merged(own, other) : this.rowOf(list.level, other);
      });
      const read = next.length + left.filter(({ key }) => key !== null).length;
      return { ...list, rows: [...next, ...left], unread: Math.max(0, total - read), rest };
    });
    return {
      ...row,
      was: { ...was, ...Object.fromEntries(kept(row.was)) },
      held: { ...held, ...Object.fromEntries(kept(row.held)) },
      beyond: mine.size === 0 ? beyond : { ...beyond, links: { ...beyond.links, ...row.beyond.links } },
      lists,
    };
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
    this.put(restored(row, kept));
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
    this.record.update((record) => this.reckoned(mapRows(record, make) ?? record, null));
  }

  /** Takes what is read of a row to which a lookup leads. */
  know({ row: id, link, key }: Sought, beyond: Beyond | null): void {
    this.update((row) =>
      row.id === id && row.held[link]?.value === key
        ? { ...row, beyond: { ...row.beyond, links: { ...row.beyond.links, [link]: beyond } } }
        : row,
    );
  }

  private soughtIn(row: RowState, path: readonly string[]): Sought[] {
    if (row.deleted) return [];
    const own = [...this.reckoning.need(row.level).links.keys()].flatMap((link): Sought[] => {
      const key = row.held[link]?.value;
      const isKnown = link in row.beyond.links || (typeof key !== 'string' && typeof key !== 'number');
      return isKnown ? [] : [{ row: row.id, path, link, key }];
    });
    const inner = row.lists.flatMap(({ level, rows }) =>
      rows.flatMap((other) => this.soughtIn(other, [...path, level.link!.id])),
    );
    return [...own, ...inner];
  }

  /** A row and all within it with what is worked out for them, as everything stands now. */
  private reckoned(row: RowState, around: Standing | null): RowState {
    const standing = standingOf(row, around);
    const lists = row.lists.map((list) => {
      const rows = list.rows.map((inner) => this.reckoned(inner, standing));
      return rows.every((inner, i) => inner === list.rows[i]) ? list : { ...list, rows };
    });
    const now = lists.every((list, i) => list === row.lists[i]) ? row : { ...row, lists };
    const changed = this.reckoning.of(row.level).flatMap(({ id, bound }) => {
      const found = reckon(bound, standing, this.clock);
      return found && !isSame(row.held[id], found) ? [[id, found] as const] : [];
    });
    if (changed.length === 0) return now;
    const held = { ...row.held, ...Object.fromEntries(changed) };
    return { ...now, held };
  }

  /** All that stands on the page, as a text to be compared. */
  shownText(): string {
    return JSON.stringify(allRows(this.record()).map(({ key, held }) => [key, held]));
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

  /** The fields people may type into on this form: not those whose values are given or worked out. */
  private typeable({ level }: RowState): Set<string> {
    const open = level.cells.filter(({ cell, field }) => cell.people === 'type' && !isGiven(field));
    return new Set(open.map(({ field }) => field.id));
  }

  /** The fields of a row whose values came with it. */
  private shownOf(row: RowState): ReadonlySet<string> {
    return new Set(Object.keys(row.was).filter((id) => !isKept(row, id)));
  }

  private rowOf(level: Level, { key, cells, beyond, subforms }: RecordRow): RowState {
    const held = Object.fromEntries(Object.entries(cells).map(([id, cell]) => [id, heldOf(cell)]));
    const lists = level.levels.map((inner): ListState => {
      const found = subforms.find(({ link }) => link === inner.link!.id);
      const { rows, total, rest } = found ?? { rows: [], total: 0, rest: undefined };
      return {
        level: inner,
        rows: rows.map((row) => this.rowOf(inner, row)),
        unread: Math.max(0, total - rows.length),
        rest,
      };
    });
    return {
      id: this.nextId(),
      level,
      table: level.table,
      key,
      was: held,
      held,
      beyond: beyond ?? NOTHING_BEYOND,
      deleted: false,
      lists,
    };
  }

  private newRow(level: Level, given: Readonly<Record<string, Held>> = {}): RowState {
    const { table } = level;
    const start = startRow(this.design, table, this.clock);
    const held = {
      ...Object.fromEntries(Object.entries(start).map(([id, value]) => [id, { value }])),
      ...given,
    };
    const lists = level.levels.map((inner): ListState => ({
      level: inner,
      rows: [],
      unread: 0,
      rest: undefined,
    }));
    return {
      id: this.nextId(),
      level,
      table,
      key: null,
      was: held,
      held,
      beyond: NOTHING_BEYOND,
      deleted: false,
      lists,
    };
  }

  private nextId(): string {
    return `n${this.count++}`;
  }
}
