import { computed, signal } from '@angular/core';
import {
  emptyDesign,
  fieldOf,
  isStored,
  type Design,
  type Field,
  type Form,
  type Settings,
  type Subform,
  type Table,
} from '@heathridge/core/design';
import {
  checkRow,
  startRow,
  workedValues,
  type RowChange,
  type RowError,
  type RowKey,
} from '@heathridge/core/rows';
import type { Cell, RecordData, RecordRow } from '../shared/api.service';
import { newId } from '../shared/ids';
import type { Held } from '../value/held';
import type { KeptRecord, KeptRow } from './record-drafts.service';

/** One row while it is being edited: of the record itself or of a subform. */
export interface RowState {
  /** Tells rows apart on the page and names new ones in a save. */
  readonly id: string;
  readonly table: Table;
  /** Null while it is not in the file. */
  readonly key: RowKey | null;
  readonly was: Readonly<Record<string, Held>>;
  readonly held: Readonly<Record<string, Held>>;
  readonly deleted: boolean;
}

export interface ChildState {
  readonly subform: Subform;
  readonly table: Table;
  /** Never changed in place; what shows them as a table may not be told so. */
  readonly rows: RowState[];
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
  return { key: row.key ? [...row.key] : null, deleted: row.deleted, was: of(row.was), held: of(row.held) };
}

const restored = (row: RowState, { was, held, deleted }: KeptRow): RowState => ({
  ...row,
  deleted,
  was: { ...row.was, ...was },
  held: { ...row.held, ...held },
});

/** A record and the rows of its subforms, as they are being edited, and what a save of them sends. */
export class RecordState {
  private count = 0;
  readonly table: Table;
  readonly record;
  readonly children;
  /** Messages beside fields: row id and field id, or the row id alone. */
  readonly errors = signal<Readonly<Record<string, string>>>({});
  readonly dirty = computed(() =>
    this.rows().some(
      (row) =>
        row.deleted || hasUnread(row) || (row.key === null ? this.touched(row) : changedIn(row).length > 0),
    ),
  );

  /** True while a lookup's typed text is being searched: what it stands for is not known yet. */
  readonly seeking = computed(() => this.rows().some((row) => !row.deleted && isSeeking(row)));
  private sent: { readonly changes: string; readonly id: string } | null = null;

  constructor(
    private readonly design: Design,
    readonly form: Form,
    data: RecordData | null,
    private readonly clock: { readonly today: string; readonly now: string },
  ) {
    this.table = design.tables.find(({ id }) => id === form.table)!;
    this.record = signal(data ? this.rowOf(this.table, data.record) : this.newRow(this.table));
    this.children = signal<readonly ChildState[]>(
      form.subforms
        .filter(({ shown }) => shown)
        .flatMap((subform) => {
          const table = design.tables.find((other) => fieldOf(other, subform.link));
          if (!table) return [];
          const rows = data?.subforms.find(({ link }) => link === subform.link)?.rows ?? [];
          return [{ subform, table, rows: rows.map((row) => this.rowOf(table, row)) }];
        }),
    );
  }

  get isNew(): boolean {
    return this.record().key === null;
  }

  /** The row as it stands now, by the id that tells rows apart on the page. */
  rowOfId(id: string): RowState | undefined {
    return this.rows().find((row) => row.id === id);
  }

  errorAt(row: RowState, field?: string): string {
    return (
      this.errors()[field === undefined ? row.id : `${row.id} ${field}`] ??
      (field === undefined ? '' : (row.held[field]?.problem ?? ''))
    );
  }

  /** Takes what an input holds now, and says at once when a rule over this row is broken. */
  change(row: RowState, field: Field, held: Held): void {
    const next = this.worked({ ...row, held: { ...row.held, [field.id]: held } });
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

  addChild(link: string): RowState {
    const child = this.children().find(({ subform }) => subform.link === link)!;
    const row = this.newRow(child.table);
    this.children.update((all) =>
      all.map((other) => (other === child ? { ...child, rows: [...child.rows, row] } : other)),
    );
    return row;
  }

  removeChild(row: RowState): void {
    this.children.update((all) =>
      all.map((child) => ({
        ...child,
        rows: child.rows.flatMap((other) =>
          other.id !== row.id ? [other] : other.key === null ? [] : [{ ...other, deleted: !other.deleted }],
        ),
      })),
    );
  }

  /** What differs from the file, to be picked up again with {@link restore}. */
  kept(): KeptRecord {
    return {
      record: keptRow(this.record()),
      children: this.children().map(({ subform, rows }) => ({
        link: subform.link,
        rows: rows.filter((row) => row.deleted || this.touched(row)).map((row) => keptRow(row)),
      })),
    };
  }

  /**
   * Puts what was kept of this record back where it was typed. What the file held then stays known, so that what
   * others have changed since is told when it is saved.
   */
  restore({ record, children }: KeptRecord): void {
    this.put(this.worked(restored(this.record(), record)));
    for (const { link, rows } of children) {
      const child = this.children().find(({ subform }) => subform.link === link);
      for (const kept of child ? rows : []) {
        const row =
          kept.key === null
            ? this.addChild(link)
            : child!.rows.find(({ key }) => key !== null && key.join() === kept.key!.join());
        if (row) this.put(this.worked(restored(row, kept)));
      }
    }
  }

  /** What is wrong before anything is sent; the messages are put beside their fields. */
  check(): boolean {
    const found: Record<string, string> = {};
    for (const row of this.rows()) {
      if (row.deleted || (row !== this.record() && row.key === null && !this.touched(row))) continue;
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
    const record = this.record();
    const out: { change: RowChange; row: RowState }[] = [];
    const own = this.rowChange(record);
    if (own) out.push({ change: own, row: record });
    for (const { subform, rows } of this.children())
      for (const row of rows) {
        if (row.key === null && !this.touched(row)) continue;
        const change = this.rowChange(row);
        if (change?.op === 'insert')
          change.values[subform.link] = record.key === null ? { temp: record.id } : record.key[0]!;
        if (change) out.push({ change, row });
      }
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
      if (field !== null && theirs !== undefined)
        this.put({ ...row, was: { ...row.was, [field]: { value: theirs } } });
    }
    this.errors.set(found);
  }

  private rows(): RowState[] {
    return [this.record(), ...this.children().flatMap(({ rows }) => rows)];
  }

  private ruled(table: Table, at: string): boolean {
    return fieldOf(table, at.split(' ')[1] ?? '')?.rule !== null;
  }

  private put(next: RowState): void {
    if (this.record().id === next.id) this.record.set(next);
    else
      this.children.update((all) =>
        all.map((child) => ({ ...child, rows: child.rows.map((row) => (row.id === next.id ? next : row)) })),
      );
  }

  /** Whether something was typed into a new row, beyond what it started with. */
  touched(row: RowState): boolean {
    return hasUnread(row) || changedIn(row).length > 0;
  }

  private problems(row: RowState) {
    const values = Object.fromEntries(Object.entries(row.held).map(([id, { value }]) => [id, value]));
    const link = this.children().find(
      ({ table, rows }) => table === row.table && rows.some(({ id }) => id === row.id),
    )?.subform.link;
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
  private typeable(row: RowState): Set<string> {
    return new Set(
      this.fieldsOf(row)
        .filter(({ people }) => people === 'type')
        .map(({ field }) => field),
    );
  }

  private fieldsOf(row: RowState): Form['fields'] {
    const child = this.children().find(({ rows }) => rows.some(({ id }) => id === row.id));
    return child ? child.subform.fields : this.form.fields;
  }

  /** The fields of a row whose values came with it. */
  private shownOf(row: RowState): ReadonlySet<string> {
    return new Set(Object.keys(row.was));
  }

  private rowOf(table: Table, { key, cells }: RecordRow): RowState {
    const held = Object.fromEntries(Object.entries(cells).map(([id, cell]) => [id, heldOf(cell)]));
    return { id: `n${this.count++}`, table, key, was: held, held, deleted: false };
  }

  private newRow(table: Table): RowState {
    const start = startRow(this.design, table, this.clock);
    const held = Object.fromEntries(Object.entries(start).map(([id, value]) => [id, { value }]));
    const { held: full } = this.worked({
      id: '',
      table,
      key: null,
      was: held,
      held,
      deleted: false,
    });
    return { id: `n${this.count++}`, table, key: null, was: full, held: full, deleted: false };
  }
}
