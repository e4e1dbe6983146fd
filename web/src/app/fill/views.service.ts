import { inject, Injectable, signal } from '@angular/core';
import type { ColumnState, GridApi } from 'ag-grid-community';
import type { Table } from '@heathridge/core/design';
import { viewFor, type GridView } from '@heathridge/core/rows';
import { FileStore } from '../file/file.store';
import { orderOf } from '../grid/grid-base';
import { Api, type KnownView } from '../shared/api.service';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { Toast } from '../shared/toast.service';
import type { Columns } from './columns.dialog';
import type { GridRow } from './fill.store';
import type { Keeping } from './view.dialog';

/** What the views need to know of the page they are on. */
export interface Viewed {
  readonly table: () => Table | null;
  /** Columns other than those of the table's fields. */
  readonly more: () => readonly { readonly id: string; readonly label: string }[];
  readonly conditions: () => readonly string[];
  readonly ask: (conditions: readonly string[]) => void;
}

/** The views of a table in Fill: shown, kept under a name, dropped. */
@Injectable()
export class FillViews {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly toast = inject(Toast);
  private readonly dialogs = inject(LazyDialogs);
  private grid: GridApi<GridRow> | null = null;
  private viewed: Viewed | null = null;
  readonly all = signal<readonly KnownView[]>([]);
  /** The one that is shown; null for the usual one. */
  readonly current = signal<KnownView | null>(null);

  attach(grid: GridApi<GridRow>, viewed: Viewed): void {
    this.grid = grid;
    this.viewed = viewed;
  }

  /** Reads the views of another table. */
  read(table: Table): void {
    this.all.set([]);
    this.current.set(null);
    this.api.views(this.store.file, table.id).subscribe({
      next: ({ views }) => {
        if (this.viewed?.table()?.id === table.id || !this.viewed) this.all.set(views);
      },
      error: (error: unknown) => this.toast.problem(error),
    });
  }

  show(view: KnownView): void {
    const table = this.viewed?.table();
    if (!table) return;
    this.apply(
      viewFor(
        view.view,
        this.columnsOf(table).map(({ id }) => id),
      ),
    );
    this.viewed?.ask(view.view.conditions);
    this.current.set(view);
  }

  /** The columns as the plan has them, all rows, in the table's own order. */
  usual(): void {
    this.grid?.resetColumnState();
    this.viewed?.ask([]);
    this.current.set(null);
  }

  private columnsOf(table: Table): readonly { readonly id: string; readonly label: string }[] {
    return [...table.fields, ...(this.viewed?.more() ?? [])];
  }

  private apply({ columns, sort }: GridView): void {
    const state = columns.map(({ field, width, hidden, frozen }): ColumnState => {
      const place = sort.findIndex((one) => one.field === field);
      return {
        colId: field,
        hide: hidden,
        pinned: frozen ? 'left' : null,
        // What has a width of its own takes no share of the room that is left.
        ...(width === undefined ? {} : { width, flex: null }),
        sort: place < 0 ? null : sort[place]!.descending ? 'desc' : 'asc',
        sortIndex: place < 0 ? null : place,
      };
    });
    const others = (this.grid?.getColumnState() ?? []).filter(
      ({ colId }) => !state.some((one) => one.colId === colId),
    );
    this.grid?.applyColumnState({ state: [...others, ...state], applyOrder: true });
  }

  /** How the rows are looked at now. */
  private now(table: Table): GridView {
    const known = new Set(this.columnsOf(table).map(({ id }) => id));
    const state = (this.grid?.getColumnState() ?? []).filter(({ colId }) => known.has(colId));
    return {
      columns: state.map(({ colId, width, hide, pinned, flex }) => ({
        field: colId,
        ...(width && !flex ? { width: Math.round(width) } : {}),
        hidden: hide === true,
        frozen: pinned === 'left',
      })),
      sort: orderOf(state),
      conditions: [...(this.viewed?.conditions() ?? [])],
    };
  }

  columns(): void {
    const table = this.viewed?.table();
    if (!table) return;
    const now = this.now(table);
    const data: Columns = {
      columns: now.columns,
      label: (id) => this.columnsOf(table).find((column) => column.id === id)?.label ?? '',
    };
    this.dialogs
      .open<unknown, Columns, GridView['columns']>(
        () => import('./columns.dialog').then((m) => m.ColumnsDialog),
        { data },
      )
      .subscribe((columns) => columns && this.apply({ ...now, columns }));
  }

  keep(): void {
    const table = this.viewed?.table();
    if (!table) return;
    this.dialogs
      .open<unknown, Keeping | null, Keeping>(() => import('./view.dialog').then((m) => m.ViewDialog), {
        data: this.current(),
      })
      .subscribe((keeping) => {
        if (keeping) this.save(table, keeping);
      });
  }

  private save(table: Table, keeping: Keeping): void {
    const view = this.now(table);
    this.api.keepView(this.store.file, table.id, { ...keeping, view }).subscribe({
      next: ({ id }) => {
        const kept: KnownView = { ...keeping, id, by: '', view };
        this.all.update((all) => [...all.filter((one) => one.id !== id), kept]);
        this.current.set(kept);
        this.toast.say(`${keeping.name} is kept${keeping.everyone ? ' for everyone' : ''}.`);
      },
      error: (error: unknown) => this.toast.problem(error),
    });
  }

  drop(view: KnownView): void {
    const table = this.viewed?.table();
    if (!table) return;
    this.api.dropView(this.store.file, table.id, view.id).subscribe({
      next: () => {
        this.all.update((all) => all.filter(({ id }) => id !== view.id));
        this.current.set(null);
        this.toast.say(`${view.name} is dropped. The rows are as they were.`);
      },
      error: (error: unknown) => this.toast.problem(error),
    });
  }
}
