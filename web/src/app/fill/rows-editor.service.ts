import { afterNextRender, computed, inject, Injectable, Injector, signal } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import type {
  CellClassParams,
  CellKeyDownEvent,
  ColDef,
  GridApi,
  ITooltipParams,
  SelectionColumnDef,
  ValueFormatterParams,
  ValueSetterParams,
} from 'ag-grid-community';
import { catchError, EMPTY, firstValueFrom } from 'rxjs';
import {
  comesWithText,
  isGiven,
  showKey,
  storedFields,
  valueKind,
  type Field,
  type Table,
} from '@heathridge/core/design';
import type { RowKey } from '@heathridge/core/rows';
import { isNumeric, isSummed, showValue, sumShown, type Value } from '@heathridge/core/values';
import { heldOf } from '../desk/record.state';
import { FileStore } from '../file/file.store';
import { CellEditorComponent, type CellEditorParams } from '../grid/cell-editor.component';
import { edgeKey, isOwnKey, measuredWidths, roomOf } from '../grid/grid-base';
import { Api } from '../shared/api.service';
import { deletion } from '../shared/deleting';
import { ConfirmDialog, type Confirmation } from '../shared/confirm.dialog';
import { narrowedBy } from '../shared/narrowed';
import { problemOf } from '../shared/problem';
import { typeScale } from '../shared/row-height';
import { Toast } from '../shared/toast.service';
import { addedRow, type AddRow } from '../value/add-row.dialog';
import { isCut, sought, UNWORKED, why, type Fetch, type Held } from '../value/held';
import { FillCells } from './cells.service';
import { FillStore, type GridRow } from './fill.store';

/** The values of a row by field id, for lookups that it narrows. */
const valuesOf = (table: Table, row: GridRow): Record<string, Value> =>
  Object.fromEntries(storedFields(table).map(({ id }) => [id, row.cells[id]?.value ?? null]));

/** What ticks a row is always to be seen, however far the columns have been moved. */
export const TICKS: SelectionColumnDef = {
  pinned: 'left',
  suppressKeyboardEvent: ({ event }) => isOwnKey(event),
};

/** Which rows a grid shows, and what surrounds it. */
export interface Shown {
  readonly table: () => Table | null;
  readonly element: HTMLElement;
  /** What all rows here have alike: it is not shown, and new rows begin with it. */
  readonly alike: Readonly<Record<string, Held>>;
  /** Whether a row that is added may stay out of sight, by what is asked. */
  readonly isAsking: () => boolean;
  /** Reads the rows anew. */
  readonly read: () => void;
}

/** The rows of one grid as they are typed into: cell by cell, a new one at the foot, several that go. */
@Injectable()
export class RowsEditor {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly fill = inject(FillStore);
  private readonly cells = inject(FillCells);
  private readonly toast = inject(Toast);
  private readonly dialog = inject(MatDialog);
  private readonly injector = inject(Injector);
  private readonly scale = typeScale();
  private grid: GridApi<GridRow> | null = null;
  private shown: Shown | null = null;
  /** Pixels that the values of each field need, once the first rows are there. */
  readonly measured = signal<Readonly<Record<string, number>>>({});
  readonly ticked = signal<readonly GridRow[]>([]);
  readonly fresh = signal<GridRow | null>(null);
  readonly pinned = computed(() => {
    const row = this.fresh();
    return row ? [row] : [];
  });
  readonly newTouched = signal(false);
  /** While the new row is on its way nobody sends it again. */
  readonly adding = signal(false);
  readonly waiting = computed(() => [...this.fill.refused().values()].filter(({ row }) => row !== 'new'));
  readonly waitingNew = computed(() => [...this.fill.refused().values()].filter(({ row }) => row === 'new'));
  /** What the amounts in the ticked rows come to. */
  readonly sums = computed((): readonly { readonly label: string; readonly text: string }[] => {
    const rows = this.ticked();
    const fields = this.table()?.fields.filter(({ type }) => isSummed(valueKind(type))) ?? [];
    return fields.map(({ id, label, type }) => ({
      label,
      text: sumShown(
        valueKind(type),
        rows.map(({ cells }) => cells[id]?.value ?? null),
        this.store.locale(),
      ),
    }));
  });
  private readonly fetch: Fetch = (field, request) => this.api.choices(this.store.file, field, request);

  /** Says which rows are edited; the grid comes when it is drawn, and another may come in its place. */
  show(shown: Shown): void {
    this.shown = shown;
  }

  attach(grid: GridApi<GridRow>): void {
    this.grid = grid;
  }

  private table(): Table | null {
    return this.shown?.table() ?? null;
  }

  /** A column for each field, but for those that all rows here have alike. */
  columns(table: Table): ColDef<GridRow>[] {
    const alike = this.shown?.alike ?? {};
    return table.fields.filter(({ id }) => !(id in alike)).map((field) => this.column(table, field));
  }

  /** Puts a file into a cell for one; false where the cell is for something else. */
  putFile(row: GridRow, column: string, picked: File): boolean {
    const table = this.table();
    const field = table?.fields.find(({ id }) => id === column);
    if (!table || !field || (field.type.kind !== 'picture' && field.type.kind !== 'file')) return false;
    this.toast.say(`Sending ${picked.name} …`);
    this.api.upload(this.store.file, picked, field.type.kind === 'picture').subscribe({
      next: ({ id, name }) => this.set(table, row, field, { value: id, text: name }),
      error: (error: unknown) => this.toast.problem(error),
    });
    return true;
  }

  /** Puts a file into the cell that has the cursor; false where that is for something else. */
  pasteFile(picked: File): boolean {
    const focused = this.grid?.getFocusedCell();
    const row =
      focused && !focused.rowPinned ? this.grid?.getDisplayedRowAtIndex(focused.rowIndex)?.data : undefined;
    return focused && row ? this.putFile(row, focused.column.getColId(), picked) : false;
  }

  startNew(): void {
    const table = this.table();
    const alike = this.shown?.alike ?? {};
    const first = table?.fields.find((field) => !(field.id in alike) && this.editable(table, field));
    if (!first) return;
    // The cursor goes there too: by Tab it is moved on from where it stands.
    this.grid?.setFocusedCell(0, first.id, 'bottom');
    this.grid?.startEditingCell({ rowIndex: 0, rowPinned: 'bottom', colKey: first.id });
  }

  /** Takes what is typed in the row at the foot, and adds it; false where nothing was typed there. */
  finishNew(): boolean {
    const isTyped = (this.grid?.getEditingCells() ?? []).some(({ rowPinned }) => rowPinned === 'bottom');
    if (isTyped) this.grid?.stopEditing();
    if (!this.newTouched()) return isTyped;
    void this.addNew();
    return true;
  }

  async addNew(): Promise<void> {
    const [table, row] = [this.table(), this.fresh()];
    if (!table || !row || this.adding()) return;
    const missing = this.fill.missing(table, row);
    if (missing.length > 0) {
      this.fill.refuseNew(table, row, missing, '');
      this.grid?.refreshCells({ force: true });
      return;
    }
    this.adding.set(true);
    const key = await firstValueFrom(this.fill.insert(table, row)).finally(() => this.adding.set(false));
    if (!key) {
      this.grid?.refreshCells({ force: true });
      return;
    }
    const hidden = this.shown?.isAsking() ? ' It is shown here where it fits what is asked.' : '';
    this.toast.say(`${table.label} ${showKey(table, key, this.store.locale())} is added.${hidden}`);
    this.resetNew();
    this.shown?.read();
    afterNextRender(() => this.startNew(), { injector: this.injector });
  }

  dropNew(): void {
    const row = this.fresh();
    if (row) this.fill.clearRow(row);
    this.resetNew();
  }

  async remove(): Promise<void> {
    const [table, rows] = [this.table(), this.grid?.getSelectedRows() ?? []];
    if (!table || rows.length === 0) return;
    const name = rows.length === 1 ? table.label.toLowerCase() : table.plural.toLowerCase();
    const keys = rows.flatMap(({ key }) => (key ? [key] : []));
    const asked = this.api.along(this.store.file, table.id, keys).pipe(
      catchError((error: unknown) => {
        this.toast.problem(error);
        return EMPTY;
      }),
    );
    const found = await firstValueFrom(asked, { defaultValue: null });
    if (!found) return;
    const data = deletion(
      rows.length === 1 ? `this ${name}` : `${rows.length} ${name}`,
      rows.length === 1,
      found.along,
    );
    const sure = await firstValueFrom(
      this.dialog.open<ConfirmDialog, Confirmation, boolean>(ConfirmDialog, { data }).afterClosed(),
    );
    if (!sure) return;
    this.fill.remove(table, rows).subscribe({
      next: () => {
        this.toast.say(`${rows.length} ${name} deleted.`);
        this.grid?.deselectAll();
        this.shown?.read();
      },
      error: (error: unknown) => {
        const problem = problemOf(error);
        this.toast.say(`Nothing was deleted. ${problem.errors?.[0]?.message ?? problem.detail}`);
      },
    });
  }

  selectionChanged(): void {
    this.ticked.set(this.grid?.getSelectedRows() ?? []);
  }

  /** Ctrl+D takes the value from the row above; Delete empties the cell. */
  cellKey(event: CellKeyDownEvent<GridRow>): void {
    const key = event.event as KeyboardEvent;
    if (edgeKey(this.grid, event, key, this.cells.lastShown()) || this.blockKey(key)) return;
    const [table, { data, rowIndex, node }] = [this.table(), event];
    // A line of what is unfolded beneath a row has no columns.
    const column = (event as { column?: CellKeyDownEvent['column'] }).column?.getColId();
    const field = table?.fields.find(({ id }) => id === column);
    if (!table || !field || !data || this.grid?.getEditingCells().length) return;
    if (key.ctrlKey && key.key.toLowerCase() === 'd' && rowIndex !== null && !node.rowPinned) {
      key.preventDefault();
      const above = this.cells.above(rowIndex);
      const from = above && (above.cells[field.id] ?? { value: null });
      if (from && !isCut(from) && this.isOpen(table, data, field)) this.set(table, data, field, from);
    } else if (key.key === 'Delete' && this.isOpen(table, data, field) && field.type.kind !== 'tick') {
      this.set(table, data, field, { value: null, text: null });
    }
  }

  /** Keys for a block of cells; true when one was pressed. */
  private blockKey(key: KeyboardEvent): boolean {
    if (this.grid?.getEditingCells().length) return false;
    const letter = key.key.toLowerCase();
    const done =
      (key.ctrlKey && letter === 'd' && this.cells.fill()) || (key.key === 'Delete' && this.cells.empty());
    if (key.ctrlKey && letter === 'a') this.cells.all();
    else if (!done) return false;
    key.preventDefault();
    return true;
  }

  resetNew(): void {
    const table = this.table();
    const row = table ? this.fill.newRow(table) : null;
    this.fresh.set(row && { ...row, cells: { ...row.cells, ...this.shown?.alike } });
    this.newTouched.set(false);
  }

  editable(table: Table, field: Field): boolean {
    return (
      !isGiven(field) &&
      !(table.key.includes(field.id) && table.key.length === 1 && field.type.kind !== 'text')
    );
  }

  /** Whether something can be typed into a cell of a row that is there. */
  private isOpen(table: Table, { cells }: GridRow, field: Field): boolean {
    return this.editable(table, field) && !isCut(cells[field.id]);
  }

  private column(table: Table, field: Field): ColDef<GridRow> {
    const kind = valueKind(field.type);
    const numeric = isNumeric(kind);
    const room = roomOf(field.label, field.type.kind, this.measured()[field.id], this.scale());
    return {
      colId: field.id,
      headerName: field.label,
      headerTooltip: field.alwaysFilled ? `${field.label} (always filled)` : field.label,
      ...room,
      sortable: true,
      resizable: true,
      editable: ({ data }) =>
        data ? this.isOpen(table, data, field) || (data.key === null && !isGiven(field)) : false,
      valueGetter: ({ data }) => data?.cells[field.id],
      valueFormatter: ({ data }: ValueFormatterParams<GridRow>) => this.text(data, field),
      valueSetter: ({ data, newValue }: ValueSetterParams<GridRow, Held>) => {
        if (newValue?.sought) this.seek(table, data, field, newValue);
        else if (newValue && newValue !== this.held(data, field)) this.set(table, data, field, newValue);
        return false;
      },
      cellClass: ({ data, node }: CellClassParams<GridRow>) => [
        ...(numeric ? ['number'] : []),
        ...(field.type.kind === 'lookup' ? ['lookup'] : []),
        ...(isGiven(field) ? ['given'] : []),
        ...this.colour(data, field),
        ...(data && this.fill.refusedAt(data, field.id) ? ['refused'] : []),
        ...(data?.cells[field.id]?.fault ? ['faulty'] : []),
        ...(this.cells.holds(node.rowPinned ? null : node.rowIndex, field.id) ? ['picked'] : []),
      ],
      headerClass: numeric ? 'number-head' : '',
      tooltipValueGetter: ({ data }: ITooltipParams<GridRow>) =>
        data ? (this.fill.refusedAt(data, field.id)?.message ?? why(data.cells[field.id])) : null,
      cellEditor: CellEditorComponent,
      cellEditorPopup: field.type.kind === 'picture' || field.type.kind === 'file',
      cellEditorParams: ({ data }: { data: GridRow }): CellEditorParams => ({
        field,
        reading: this.store.reading(),
        held: this.held(data, field),
        fetch: this.fetch,
        row: valuesOf(table, data),
        add: (lookup, text) => this.addTo(table, data, lookup, text),
      }),
      // A line break is part of a long text.
      suppressKeyboardEvent: ({ event, editing }) =>
        editing ? event.key === 'Enter' && field.type.kind === 'longText' && event.shiftKey : isOwnKey(event),
    };
  }

  /** Adds a row to the table a lookup misses it in, and chooses it. */
  private addTo(table: Table, row: GridRow, field: Field, text: string): void {
    this.grid?.stopEditing(true);
    const { type } = field;
    const target = this.store.design().tables.find(({ id }) => type.kind === 'lookup' && id === type.table);
    if (!target) return;
    const data: AddRow = {
      design: this.store.design(),
      table: target,
      text,
      reading: this.store.reading(),
      fetch: this.fetch,
      save: (request) => this.api.saveRows(this.store.file, request),
    };
    addedRow(this.dialog, data, field, this.fetch).subscribe(
      (held) => held && this.set(table, row, field, held),
    );
  }

  /** The colour of a choice, as classes of its cell. */
  private colour(row: GridRow | undefined, { id, type }: Field): string[] {
    const value = row?.cells[id]?.value;
    const colour = type.kind === 'choice' && typeof value === 'string' ? type.colours?.[value] : undefined;
    return colour ? ['coloured', colour] : [];
  }

  held(row: GridRow, field: Field): Held {
    return this.fill.refusedAt(row, field.id)?.held ?? row.cells[field.id] ?? { value: null };
  }

  private text(row: GridRow | undefined, field: Field): string {
    if (!row) return '';
    const held = this.held(row, field);
    if (held.typed !== undefined) return held.typed;
    if (held.fault) return UNWORKED;
    if (isGiven(field) && row.key === null && !comesWithText(field))
      return field.type.kind === 'runningNumber' ? 'new' : '';
    return this.textOf(field, held);
  }

  textOf(field: Field, held: Held): string {
    if (comesWithText(field)) return held.text ?? (held.value === null ? '' : String(held.value));
    return showValue(valueKind(field.type), held.value, this.store.locale());
  }

  /** Finds the row that a lookup's typed text means, where the cell was left before it was chosen. */
  private seek(table: Table, row: GridRow, field: Field, held: Held): void {
    const { value, text, typed = '' } = held;
    this.fetch(field.id, { search: typed.trim(), row: valuesOf(table, row) }).subscribe({
      next: (choices) => this.set(table, row, field, sought(typed, choices, { value, text })),
      error: (error: unknown) =>
        this.set(table, row, field, { value, text, typed, problem: problemOf(error).detail }),
    });
  }

  set(table: Table, row: GridRow, field: Field, held: Held): void {
    if (row.key === null) {
      row.cells[field.id] = held;
      this.newTouched.set(true);
      this.fill.forget(row, field.id);
      if (held.problem !== undefined)
        this.fill.refuseNew(table, row, [{ field: field.id, message: held.problem }], '');
      this.refresh();
      return;
    }
    this.fill.edit(table, row, field, held).subscribe((taken) => {
      this.refresh();
      if (taken) this.saved(table, row, field);
    });
  }

  /** Reads again what follows from a saved value: worked-out fields, and lookups that it narrows. */
  private saved(table: Table, row: GridRow, field: Field): void {
    for (const other of narrowedBy(table, field.id)) {
      const { value, text } = this.held(row, other);
      if (typeof value !== 'string' && typeof value !== 'number') continue;
      this.fetch(other.id, { search: '', only: value, row: valuesOf(table, row) }).subscribe((choices) => {
        if (choices.length > 0) return;
        this.toast.say(
          `${other.label} is emptied: ${text ?? value} does not go with this ${field.label.toLowerCase()}.`,
        );
        this.set(table, row, other, { value: null, text: null });
      });
    }
    const follows = table.fields.filter(({ type }) => type.kind === 'workedOut' || type.kind === 'stamp');
    if (follows.length > 0 && row.key) this.readAgain(table, row, row.key, follows);
  }

  /** Only these cells are read again: the row may be being typed in elsewhere already. */
  readAgain(table: Table, row: GridRow, key: RowKey, fields: readonly Field[]): void {
    this.api.row(this.store.file, table.id, key).subscribe({
      next: ({ cells }) => {
        for (const { id } of fields)
          row.cells[id] = heldOf(cells[table.fields.findIndex((field) => field.id === id)] ?? null);
        this.grid?.refreshCells({ force: true, columns: fields.map(({ id }) => id) });
      },
      error: (error: unknown) => this.toast.problem(error),
    });
  }

  private refresh(): void {
    this.grid?.refreshCells({ force: true });
  }

  /** Makes columns as wide as their values are in the first rows. */
  measure(table: Table, rows: readonly GridRow[]): void {
    if (!this.shown || rows.length === 0 || Object.keys(this.measured()).length > 0) return;
    const texts = (field: Field): string[] => rows.map((row) => this.text(row, field));
    this.measured.set(measuredWidths(table.fields, texts, this.shown.element));
  }
}
