import { inject, Injectable, signal } from '@angular/core';
import { catchError, map, of, tap, type Observable } from 'rxjs';
import { fieldOf, isGiven, type Field, type Table } from '@heathridge/core/design';
import { checkRow, startRow, type RowChange, type RowError, type RowKey } from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';
import { FileStore } from '../file/file.store';
import { Steps } from '../file/steps.service';
import { Api, type Cell } from '../shared/api.service';
import { newId } from '../shared/ids';
import { problemOf } from '../shared/problem';
import type { Held } from '../value/held';
import { heldOf } from '../desk/record.state';
import type { Unfolding } from './unfolded.service';

/** A row of the grid. */
export interface GridRow {
  /** Null for the row at the foot, which is not in the file yet. */
  readonly key: RowKey | null;
  readonly cells: Record<string, Held>;
  /** Set where it is no row, but a line of what is unfolded beneath one. */
  readonly beneath?: { readonly unfolding: Unfolding; readonly line: number };
}

/** A value that was refused and waits in its cell. */
export interface Refused {
  readonly row: string;
  readonly field: string;
  readonly held: Held;
  readonly message: string;
  /** What somebody else has put there meanwhile. */
  readonly theirs?: Held;
}

/** A line of what is unfolded beneath a row. */
export const lineBeneath = (unfolding: Unfolding, line: number): GridRow => ({
  key: null,
  cells: {},
  beneath: { unfolding, line },
});

/** What tells what is shown in a grid apart. */
export const shownId = ({ key, beneath }: GridRow): string =>
  beneath
    ? `beneath ${rowId(beneath.unfolding.parent)} ${beneath.unfolding.way.id} ${beneath.line}`
    : rowId(key);

export const rowId = (key: RowKey | null): string => (key === null ? 'new' : JSON.stringify(key));

export const toGridRow = (table: Table, cells: readonly Cell[]): GridRow => {
  const held = Object.fromEntries(table.fields.map(({ id }, i) => [id, heldOf(cells[i] ?? null)]));
  return { key: table.key.map((id) => held[id]!.value as string | number), cells: held };
};

/** Edits of the grid: one cell, one save. What is refused waits in its cell until it is put right. */
@Injectable()
export class FillStore {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly steps = inject(Steps);
  private sent: { readonly changes: string; readonly id: string } | null = null;
  /** By row and field, so that it outlives scrolling and sorting. */
  readonly refused = signal<ReadonlyMap<string, Refused>>(new Map());

  refusedAt(row: GridRow, field: string): Refused | undefined {
    return this.refused().get(`${rowId(row.key)} ${field}`);
  }

  clear(): void {
    this.refused.set(new Map());
  }

  forget(row: GridRow, field: string): void {
    this.put(row, field, null);
  }

  newRow(table: Table): GridRow {
    const start = startRow(this.store.design(), table, this.clock());
    return {
      key: null,
      cells: Object.fromEntries(Object.entries(start).map(([id, value]) => [id, { value }])),
    };
  }

  /** Saves one cell of a row that is in the file. True when it was taken. */
  edit(table: Table, row: GridRow, field: Field, held: Held): Observable<boolean> {
    if (held.problem !== undefined) {
      this.put(row, field.id, { row: rowId(row.key), field: field.id, held, message: held.problem });
      return of(false);
    }
    const was = row.cells[field.id]?.value ?? null;
    const changes = [
      {
        op: 'update' as const,
        table: table.id,
        key: row.key!,
        values: { [field.id]: held.value },
        was: { [field.id]: was },
      },
    ];
    return this.api.saveRows(this.store.file, { changes }).pipe(
      map(({ entry }) => {
        this.steps.did(entry, `${field.label} changed`);
        row.cells[field.id] = held;
        this.put(row, field.id, null);
        return true;
      }),
      catchError((error: unknown) => {
        const { errors, detail } = problemOf(error);
        const theirs = errors?.find((found) => found.theirs !== undefined);
        const other: Held | undefined = theirs && { value: theirs.theirs ?? null };
        if (other) row.cells[field.id] = other;
        this.put(row, field.id, {
          row: rowId(row.key),
          field: field.id,
          held,
          message: errors?.[0]?.message ?? detail,
          ...(other ? { theirs: other } : {}),
        });
        return of(false);
      }),
    );
  }

  /** What still keeps the new row from being saved, as field ids with messages. */
  missing(table: Table, row: GridRow): { field: string | null; message: string }[] {
    const values = Object.fromEntries(Object.entries(row.cells).map(([id, { value }]) => [id, value]));
    const unread = Object.entries(row.cells).flatMap(([field, { problem }]) =>
      problem === undefined ? [] : [{ field, message: problem }],
    );
    return [...unread, ...checkRow(this.store.design(), table, values, { ...this.clock(), isNew: true })];
  }

  /** Adds the new row; its key when it was taken. */
  insert(table: Table, row: GridRow): Observable<RowKey | null> {
    const values: Record<string, Value> = Object.fromEntries(
      Object.entries(row.cells)
        .filter(([id]) => !isGiven(fieldOf(table, id)!))
        .map(([id, { value }]) => [id, value]),
    );
    const changes = [{ op: 'insert' as const, table: table.id, values }];
    return this.api.saveRows(this.store.file, { id: this.nameOf(changes), changes }).pipe(
      map(({ saved, entry }) => {
        this.steps.did(entry, `${table.label} added`);
        this.clearRow(row);
        this.sent = null;
        return saved[0]?.key ?? null;
      }),
      catchError((error: unknown) => {
        const problem = problemOf(error);
        this.refuseNew(table, row, problem.errors ?? [], problem.detail);
        return of(null);
      }),
    );
  }

  /** The name under which the new row is sent: sent again as it is, it is added once. */
  private nameOf(changes: readonly RowChange[]): string {
    const text = JSON.stringify(changes);
    if (this.sent?.changes !== text) this.sent = { changes: text, id: newId('save') };
    return this.sent.id;
  }

  remove(table: Table, rows: readonly GridRow[]): Observable<unknown> {
    const changes = rows.flatMap(({ key }) => (key ? [{ op: 'delete' as const, table: table.id, key }] : []));
    const name = rows.length === 1 ? table.label.toLowerCase() : table.plural.toLowerCase();
    return this.api
      .saveRows(this.store.file, { changes })
      .pipe(tap(({ entry }) => this.steps.did(entry, `${rows.length} ${name} deleted`)));
  }

  /** Marks the cells of the new row that hold it back. */
  refuseNew(
    table: Table,
    row: GridRow,
    errors: readonly Pick<RowError, 'field' | 'message'>[],
    detail: string,
  ): void {
    this.clearRow(row);
    const list = errors.length > 0 ? errors : [{ field: null, message: detail }];
    for (const { field, message } of list) {
      const id = field ?? table.fields[0]!.id;
      this.put(row, id, { row: 'new', field: id, held: row.cells[id] ?? { value: null }, message });
    }
  }

  clearRow(row: GridRow): void {
    const prefix = `${rowId(row.key)} `;
    this.refused.update((all) => new Map([...all].filter(([at]) => !at.startsWith(prefix))));
  }

  private put(row: GridRow, field: string, refused: Refused | null): void {
    this.refused.update((all) => {
      const next = new Map(all);
      if (refused) next.set(`${rowId(row.key)} ${field}`, refused);
      else next.delete(`${rowId(row.key)} ${field}`);
      return next;
    });
  }

  private clock() {
    return { today: this.store.today(), now: `${new Date().toISOString().slice(0, 19)}Z` };
  }
}
