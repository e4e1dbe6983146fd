import { computed, inject, Injectable } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { GridApi } from 'ag-grid-community';
import { delay } from 'rxjs';
import { showKey, type Field, type Table } from '@heathridge/core/design';
import type { RowKey } from '@heathridge/core/rows';
import { FileStore } from '../file/file.store';
import { ALL, FileNews, type News } from '../file/news.service';
import { Steps } from '../file/steps.service';
import type { Held } from '../value/held';
import { FillStore, rowId, type GridRow } from './fill.store';
import { RowsEditor } from './rows-editor.service';

/** A cell in which two people have put different things. */
export interface Clash {
  readonly field: Field;
  readonly key: RowKey;
  readonly held: Held;
  readonly label: string;
  readonly row: string;
  readonly mine: string;
  readonly theirs: string;
}

/** Milliseconds within which a save that was told of is answered as well. */
const ANSWERED = 200;

/** What is done to the rows of one grid elsewhere: by others, or by undoing. */
@Injectable()
export class Others {
  private readonly store = inject(FileStore);
  private readonly steps = inject(Steps);
  private readonly fill = inject(FillStore);
  private readonly editor = inject(RowsEditor);
  private grid: GridApi<GridRow> | null = null;
  private table: () => Table | null = () => null;

  constructor() {
    inject(FileNews)
      // Of our own saves the answer says first what is known of them.
      .all.pipe(delay(ANSWERED), takeUntilDestroyed())
      .subscribe((news) => this.heard(news));
    this.steps.turned.pipe(takeUntilDestroyed()).subscribe(() => this.grid?.refreshInfiniteCache());
  }

  show(table: () => Table | null): void {
    this.table = table;
  }

  attach(grid: GridApi<GridRow>): void {
    this.grid = grid;
  }

  /** What others have changed is shown where it stands; the cursor, and what is being typed, stay. */
  private heard(news: News | typeof ALL): void {
    const table = this.table();
    if (!table || !this.grid) return;
    const of = news === ALL ? null : news.tables.find((one) => one.table === table.id);
    if (of === undefined || (news !== ALL && this.steps.knows(news.entry))) return;
    const changed = of?.changed ?? null;
    if (changed === null) {
      this.grid.refreshInfiniteCache();
      return;
    }
    for (const key of changed) {
      const row = this.grid.getRowNode(rowId(key))?.data;
      if (row)
        this.editor.readAgain(
          table,
          row,
          key,
          table.fields.filter(({ id }) => !this.isHeld(row, id)),
        );
    }
  }

  /** Whether a cell waits, or is typed into: what others put there must not take its place. */
  private isHeld(row: GridRow, field: string): boolean {
    if (this.fill.refusedAt(row, field)) return true;
    return (this.grid?.getEditingCells() ?? []).some(
      ({ rowIndex, colId }) =>
        colId === field && this.grid?.getDisplayedRowAtIndex(rowIndex)?.data?.key === row.key,
    );
  }

  /** The first cell in which two people have put different things. */
  readonly clash = computed((): Clash | null => {
    const table = this.table();
    const refused = [...this.fill.refused().values()].find(({ theirs }) => theirs !== undefined);
    const field = refused && table?.fields.find(({ id }) => id === refused.field);
    if (!table || !field || !refused?.theirs) return null;
    const key = JSON.parse(refused.row) as RowKey;
    const text = (held: Held): string => held.typed ?? this.editor.textOf(field, held);
    return {
      field,
      key,
      held: refused.held,
      label: field.label,
      row: `${table.label} ${showKey(table, key, this.store.locale())}`,
      mine: text(refused.held) || 'nothing',
      theirs: text(refused.theirs) || 'nothing',
    };
  });

  keepMine({ field, key, held }: Clash): void {
    const [table, row] = [this.table(), this.grid?.getRowNode(rowId(key))?.data];
    if (table && row) this.editor.set(table, row, field, held);
  }

  takeTheirs({ field, key }: Clash): void {
    const [table, row] = [this.table(), this.grid?.getRowNode(rowId(key))?.data];
    this.fill.forget({ key, cells: {} }, field.id);
    if (table && row) this.editor.readAgain(table, row, key, [field]);
  }
}
