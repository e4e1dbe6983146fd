import {
  booleanAttribute,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  output,
  signal,
  untracked,
} from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { AgGridAngular } from 'ag-grid-angular';
import type {
  CellClassParams,
  CellDoubleClickedEvent,
  CellFocusedEvent,
  CellKeyDownEvent,
  ColDef,
  GetRowIdParams,
  GridApi,
  GridOptions,
  GridReadyEvent,
  ICellRendererParams,
  ITooltipParams,
  ValueFormatterParams,
  ValueSetterParams,
} from 'ag-grid-community';
import { firstValueFrom } from 'rxjs';
import {
  fieldOf,
  isGiven,
  showKey,
  storedFields,
  valueKind,
  type Field,
  type FormCell,
  type FormWorked,
  type Subform,
} from '@heathridge/core/design';
import type { Narrowing } from '@heathridge/core/board';
import { columnsOf, partId, pictureId, type Column, type Pane } from '@heathridge/core/form';
import { viewFor, type GridView, type RowChange, type RowKey } from '@heathridge/core/rows';
import { isNumeric, type Value } from '@heathridge/core/values';
import { DeskStore } from '../desk/desk.store';
import { RecordDrafts } from '../desk/record-drafts.service';
import { isHidden, isShut, type Told } from '../desk/record.state';
import { namedRows } from '../desk/named-rows';
import { fieldShown, workedShown } from '../desk/shown';
import { CellEditorComponent, type CellEditorParams } from '../grid/cell-editor.component';
import { edgeKey, gridBase, isOwnKey, measuredWidths, orderAsked, orderOf, roomOf } from '../grid/grid-base';
import { Api } from '../shared/api.service';
import { problemOf, whatIsWrong } from '../shared/problem';
import { typeScale } from '../shared/row-height';
import { StripComponent } from '../shared/strip.component';
import { Toast } from '../shared/toast.service';
import { addedRow, type AddRow } from '../value/add-row.dialog';
import { isCut, sought, why, type Held } from '../value/held';
import { ActCellComponent, type ActParams } from './act-cell.component';
import { RowRemoval } from '../desk/row-removal.service';
import { ListRows, type Link, type ListRow } from './list-rows';
import type { ListView, Place } from './list-view';

/** Columns that are no fields: none has such an id. */
const [OPENS, DROPS] = [' opens', ' drops'];
/** Pixels that are not worth a wider column. */
const NEARLY = 8;

/** What is wrong with a row of a list, to be gone to. */
interface Wrong extends Told {
  readonly of: ListRow;
}

/** The rows of one list, in a grid: read in windows, typed into where the builder lets people. */
@Component({
  selector: 'hr-list-grid',
  imports: [AgGridAngular, MatButton, MatIconModule, StripComponent],
  host: { '(focusout)': 'wentOut()' },
  template: `
    <ag-grid-angular
      class="grid"
      [gridOptions]="options"
      [columnDefs]="columns()"
      [getRowId]="byId"
      [pinnedBottomRowData]="pinned()"
      (gridReady)="ready($event)"
      (cellFocused)="focused($event)"
      (cellKeyDown)="cellKey($any($event))"
      (cellDoubleClicked)="doubleClicked($event)"
      (selectionChanged)="choose()"
      (columnResized)="$event.finished && isByHand($event.source) && arranged()"
      (columnMoved)="$event.finished && isByHand($event.source) && arranged()"
      (sortChanged)="isByHand($event.source) && arranged()"
    />
    @if (problem()) {
      <hr-strip [text]="problem()" />
    }
    @if (wrong().length > 0) {
      <ol class="told" aria-label="What is wrong">
        @for (one of wrong(); track one.of.id + one.field?.id) {
          <li class="row">
            <button matButton="text" class="words grow" type="button" (click)="goTo(one)">
              {{ nameOf(one.of) }}: {{ one.words }}
            </button>
            <button matButton="outlined" class="compact" type="button" (click)="setAside(one.of)">
              Set aside
            </button>
          </li>
        }
      </ol>
    }
    @if (changed().length > 0 && (together() || isWaiting())) {
      <div class="row waiting" role="status">
        <span class="grow"
          >{{ changed().length }} {{ changed().length === 1 ? 'row is' : 'rows are' }} changed and not saved
          yet.</span
        >
        <button matButton="outlined" type="button" (click)="setAllAside()">Set aside</button>
        <button matButton="filled" type="button" [disabled]="busy()" (click)="saveAll()">
          Save {{ changed().length === 1 ? 'it' : 'them' }} <span class="key">Ctrl S</span>
        </button>
      </div>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
    }
    .grid {
      flex: 1;
      min-height: 120px;
      border: 1px solid var(--hr-line);
      border-radius: 8px;
      overflow: hidden;
    }
    .told {
      max-height: 120px;
      margin: 0;
      padding: 4px 8px;
      overflow: auto;
      list-style: none;
      background: var(--hr-rust-tint);
    }
    .words {
      justify-content: flex-start;
      text-align: start;
    }
    .waiting {
      padding: 6px 12px;
      background: var(--hr-gorse-tint);
      border: 1px solid var(--hr-gorse-line);
      border-radius: 6px;
      margin-top: 6px;
    }
    .key {
      font-weight: 400;
      font-size: var(--hr-text-small);
    }
  `,
})
export class ListGridComponent implements ListView {
  private readonly api = inject(Api);
  private readonly desk = inject(DeskStore);
  private readonly dialog = inject(MatDialog);
  private readonly removal = inject(RowRemoval);
  private readonly drafts = inject(RecordDrafts);
  private readonly toast = inject(Toast);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly scale = typeScale();
  readonly pane = input.required<Pane>();
  readonly place = input.required<Place>();
  /** The key of the row to which its rows lead; null for the first list. */
  readonly parent = input<string | number | null>(null);
  readonly search = input('');
  /** Whether what is asked now is kept with how the list is looked at. */
  readonly keepsConditions = input(true);
  readonly conditions = input<readonly string[]>([]);
  /** On which board it stands, and what is chosen in the filters there. */
  readonly on = input<Narrowing | null>(null);
  /** How it is looked at, where somebody has kept that. */
  readonly view = input<GridView | null>(null);
  /** Whether its rows are opened on a screen of their own. */
  readonly opens = input(false, { transform: booleanAttribute });
  readonly chosen = output<RowKey | null>();
  readonly opened = output<RowKey>();
  readonly counted = output<number>();
  /** It is looked at otherwise now, which is kept. */
  readonly viewed = output();
  /** Something can be taken back. */
  readonly saved = output<{ readonly text: string; readonly entry: number }>();
  /** Alt with an arrow leads to the list before or behind. */
  readonly left = output<1 | -1>();

  readonly options: GridOptions<ListRow> = {
    ...gridBase<ListRow>('There is no row to show here.'),
    rowSelection: { mode: 'singleRow', checkboxes: false, enableClickSelection: true },
    rowClassRules: { changed: ({ data }) => data !== undefined && data.state.dirty() },
  };
  readonly byId = ({ data }: GetRowIdParams<ListRow>): string => data.id;
  readonly form = computed(() => this.pane().form);
  readonly table = computed(() => this.place().design.tables.find(({ id }) => id === this.form().table)!);
  readonly together = computed(() => this.form().list?.saves === 'together');
  readonly problem = signal('');
  readonly busy = signal(false);
  private readonly fresh = signal<ListRow | null>(null);
  readonly pinned = computed((): ListRow[] =>
    this.fresh() && this.form().rights.add ? [this.fresh()!] : [],
  );
  /** The rows of the list, anew for another one. */
  private readonly rows = computed(() => new ListRows(this.place().design, this.form(), () => this.clock()));
  readonly changed = computed(() => this.rows().changed());
  readonly wrong = computed((): Wrong[] =>
    this.changed().flatMap((of) => of.state.told().map((told) => ({ ...told, of }))),
  );
  /** Whether there are rows which are neither being typed into nor said to be wrong: typed before the page was closed. */
  readonly isWaiting = computed(() => {
    const wrong = new Set(this.wrong().map(({ of }) => of));
    return this.changed().some((row) => !wrong.has(row) && (row.id !== this.at() || row.state.isNew));
  });
  /** The id of the row with the cursor. */
  private readonly at = signal('');
  private readonly measured = signal<Readonly<Record<string, number>>>({});
  private grid: GridApi<ListRow> | null = null;
  private isFirst = true;
  /** How often other rows were asked for. */
  private sources = 0;
  /** Whether its first rows are being read; and whether somebody goes there meanwhile. */
  private isReading = false;
  /** Whether what is told is why its rows could not be read. */
  private isUnread = false;
  private isEntered = false;

  readonly columns = computed((): ColDef<ListRow>[] => {
    const own = columnsOf(this.form().parts);
    const view = this.view();
    const order = view
      ? viewFor(
          view,
          own.map((column) => partId(column)),
        ).columns
      : own.map((column) => ({ field: partId(column), width: undefined }));
    const shown = order.flatMap(({ field, width }) => {
      const column = own.find((other) => partId(other) === field);
      const made = column && this.column(column);
      if (!made) return [];
      const sorted = (view?.sort ?? []).findIndex((by) => by.field === field);
      return [
        {
          ...made,
          ...(width ? { width, minWidth: 40, flex: undefined } : {}),
          ...(sorted >= 0
            ? {
                sort: view!.sort[sorted]!.descending ? ('desc' as const) : ('asc' as const),
                sortIndex: sorted,
              }
            : {}),
        },
      ];
    });
    return [
      ...(this.opens() ? [this.act(OPENS, 'Open', 'arrow_outward', (row) => this.open(row))] : []),
      ...shown,
      ...(this.form().rights.delete
        ? [this.act(DROPS, 'Delete', 'delete', (row) => void this.remove(row))]
        : []),
    ];
  });

  constructor() {
    effect(() => {
      this.rows();
      this.parent();
      untracked(() => {
        this.fresh.set(this.form().rights.add ? this.begun() : null);
      });
    });
    effect(() => {
      this.search();
      this.conditions();
      this.on();
      this.parent();
      this.rows();
      untracked(() => {
        // Among other rows the first is picked again.
        this.isFirst = true;
        this.setSource();
      });
    });
  }

  ready({ api }: GridReadyEvent<ListRow>): void {
    this.grid = api;
    this.setSource();
  }

  /** Reads the rows again, where they are. */
  refresh(): void {
    this.grid?.refreshInfiniteCache();
  }

  private setSource(): void {
    const [grid, rows] = [this.grid, this.rows()];
    if (!grid) return;
    const asked = {
      search: this.search(),
      conditions: [...this.conditions()],
      parent: this.parent(),
      path: this.pane().path,
      on: this.on(),
    };
    // The grid asks for them a little later; an answer that comes for other rows is none to these, and yet the grid must
    // hear of it: it counts how many it waits for, over all that it is ever given to read from, and asks for no more.
    this.isReading = true;
    const source = ++this.sources;
    grid.setGridOption('datasource', {
      getRows: ({ startRow, endRow, sortModel, successCallback, failCallback }) => {
        const sort = orderAsked(sortModel);
        const request = { ...asked, start: startRow, limit: endRow - startRow, sort };
        this.isReading = startRow === 0;
        this.api.page(this.desk.file, this.place().screen, request).subscribe({
          next: ({ rows: read, total }) => {
            if (source !== this.sources) {
              failCallback();
              return;
            }
            this.isReading = false;
            // Why rows could not be read is told no longer than they could not.
            if (this.isUnread) this.problem.set('');
            this.isUnread = false;
            const made = read.map((row) => rows.row(row, (fresh) => this.restore(fresh)));
            this.measure(made);
            successCallback(made, total);
            this.counted.emit(total);
            this.pickFirst();
            if (this.isEntered) setTimeout(() => this.enter());
          },
          error: (error: unknown) => {
            failCallback();
            if (source !== this.sources) return;
            this.isReading = false;
            this.isUnread = true;
            this.problem.set(problemOf(error).detail);
          },
        });
      },
    });
  }

  /** What follows shows what belongs to the first row, until somebody picks another. */
  private pickFirst(): void {
    if (!this.isFirst) return;
    this.isFirst = false;
    setTimeout(() => {
      const first = this.grid?.getDisplayedRowAtIndex(0);
      if (first?.data) first.setSelected(true, true);
      else this.chosen.emit(null);
    });
  }

  choose(): void {
    const [row] = this.grid?.getSelectedRows() ?? [];
    const key = row?.state.record().key;
    if (key) this.chosen.emit(key);
  }

  /** Puts the cursor into the list, once its rows are there. */
  enter(): void {
    // A cell of a row that is still read is drawn anew when it has come: the cursor would be lost.
    this.isEntered = this.isReading;
    if (this.isReading) return;
    const column = this.grid?.getAllDisplayedColumns().find((other) => other.getColId() !== OPENS);
    const index = this.grid?.getSelectedNodes()[0]?.rowIndex ?? 0;
    if (!column) return;
    this.grid?.ensureIndexVisible(index);
    this.grid?.setFocusedCell(index, column);
  }

  focused({ rowIndex, rowPinned }: CellFocusedEvent<ListRow>): void {
    if (rowIndex === null || !this.grid) return;
    const node = rowPinned
      ? this.grid.getPinnedBottomRow(rowIndex)
      : this.grid.getDisplayedRowAtIndex(rowIndex);
    if (!rowPinned && node && !node.isSelected()) node.setSelected(true, true);
    const id = node?.data?.id ?? '';
    const before = this.at();
    this.at.set(id);
    if (before !== '' && before !== id) this.leaveRow(before);
  }

  /** Once the cursor is somewhere else on the page, the last row is left. */
  wentOut(): void {
    // A cell whose editor closes has the focus again at once.
    setTimeout(() => {
      if (!this.grid || this.grid.isDestroyed()) return;
      const at = document.activeElement;
      // Lists of choices and calendars lie over the page; in a window that is left the cell stays the active one.
      const isHere = this.element.contains(at) || at?.closest('.cdk-overlay-container') != null;
      const isEditing = this.grid.getEditingCells().length > 0;
      if (isHere || (isEditing && at === document.body)) return;
      if (isEditing) this.grid.stopEditing();
      const before = this.at();
      this.at.set('');
      if (before !== '') this.leaveRow(before);
    });
  }

  private leaveRow(id: string): void {
    if (this.together()) return;
    const row = this.changed().find((other) => other.id === id);
    // What a lookup is still searched for comes first.
    if (row && !row.state.seeking()) void this.save([row]);
  }

  startNew(): boolean {
    const first = columnsOf(this.form().parts).find(
      (column) => column.part === 'cell' && this.isTyped(column, true),
    );
    if (!first || this.pinned().length === 0) return false;
    this.grid?.setFocusedCell(0, partId(first), 'bottom');
    this.grid?.startEditingCell({ rowIndex: 0, rowPinned: 'bottom', colKey: partId(first) });
    return true;
  }

  unsaved(): boolean {
    this.grid?.stopEditing();
    return this.changed().length > 0;
  }

  /** Saves all that was changed; false where something cannot be saved as it stands. */
  saveAll(): Promise<boolean> {
    this.grid?.stopEditing();
    return this.save(this.changed());
  }

  private async save(rows: readonly ListRow[]): Promise<boolean> {
    if (rows.length === 0) return true;
    if (this.busy()) return false;
    this.problem.set('');
    const sound = rows.filter((row) => row.state.check());
    // All together is all or nothing; a row by itself says what is wrong with it.
    if (sound.length < rows.length) {
      this.redraw();
      this.goTo(this.wrong()[0], false);
      return false;
    }
    const saving = this.rows().saving(rows, this.pane().path.at(-1));
    if (saving.changes.length === 0) {
      rows.forEach((row) => this.setAside(row));
      return true;
    }
    const id = rows[0]!.state.nameOf(saving.changes);
    this.busy.set(true);
    try {
      const { entry, saved } = await firstValueFrom(
        this.api.saveRecord(this.desk.file, this.place().screen, { id, changes: saving.changes }),
      );
      const added = saved.find(({ temp, table }) => temp !== undefined && table === this.table().id)?.key;
      const name =
        rows.length > 1
          ? `${rows.length} ${this.table().plural.toLowerCase()} are saved.`
          : `${this.nameOf(rows[0]!, added)} is saved.`;
      rows.forEach((row) => this.done(row));
      this.saved.emit({ text: name, entry });
      this.refresh();
      return true;
    } catch (error) {
      const problem = problemOf(error);
      this.rows().refuse(saving, problem.errors ?? []);
      this.problem.set(
        problem.errors?.length ? 'Not saved: nothing in the file has changed.' : problem.detail,
      );
      this.redraw();
      return false;
    } finally {
      this.busy.set(false);
    }
  }

  private link(): Link {
    const [id, parent] = [this.pane().path.at(-1), this.parent()];
    return id === undefined || parent === null ? {} : { [id]: parent };
  }

  private done(row: ListRow): void {
    this.rows().forget(row);
    this.drafts.drop(this.desk.file, this.draftName(row), row.state.record().key);
    if (row.state.isNew) this.fresh.set(this.begun());
  }

  /** What was typed into a row is given up. */
  setAside(row: ListRow): void {
    this.done(row);
    this.problem.set('');
    this.refresh();
  }

  setAllAside(): void {
    this.changed().forEach((row) => this.setAside(row));
  }

  goTo(wrong: Wrong | undefined, focuses = true): void {
    if (!wrong) return;
    const isNew = wrong.of.state.isNew;
    const node = isNew ? this.grid?.getPinnedBottomRow(0) : this.grid?.getRowNode(wrong.of.id);
    if (!node || node.rowIndex === null || !focuses) return;
    const column = wrong.field?.id ?? partId(columnsOf(this.form().parts)[0]!);
    if (!isNew) this.grid?.ensureNodeVisible(node);
    this.grid?.ensureColumnVisible(column);
    this.grid?.setFocusedCell(node.rowIndex, column, isNew ? 'bottom' : null);
  }

  nameOf(row: ListRow, key: RowKey | null = row.state.record().key): string {
    const { label } = this.table();
    return key ? `${label} ${showKey(this.table(), key, this.locale())}` : `New ${label.toLowerCase()}`;
  }

  cellKey(event: CellKeyDownEvent<ListRow>): void {
    const key = event.event as KeyboardEvent;
    const [row, id] = [event.data, event.column.getColId()];
    if (!this.grid || this.grid.getEditingCells().length > 0) return;
    // One leaves a list whose rows are still read, too.
    if (key.altKey && (key.key === 'ArrowDown' || key.key === 'ArrowUp')) {
      key.preventDefault();
      this.left.emit(key.key === 'ArrowDown' ? 1 : -1);
      return;
    }
    if (edgeKey(this.grid, event, key, this.grid.getDisplayedRowCount() - 1) || !row) return;
    const field = fieldOf(this.table(), id);
    if (key.key === 'Enter' && id === DROPS) void this.remove(row);
    else if (key.key === 'Enter' && (id === OPENS || !this.isOpen(row, id))) this.open(row);
    else if (key.key === 'Delete' && field && this.isOpen(row, id) && field.type.kind !== 'tick')
      this.take(row, field, { value: null, text: null });
    else if (key.ctrlKey && key.key.toLowerCase() === 'd' && field && this.isOpen(row, id)) {
      key.preventDefault();
      const above = event.node.rowPinned
        ? this.grid.getDisplayedRowAtIndex(this.grid.getDisplayedRowCount() - 1)
        : this.grid.getDisplayedRowAtIndex((event.rowIndex ?? 0) - 1);
      const from = above?.data && this.held(above.data, field);
      if (from && !isCut(from)) this.take(row, field, from);
    }
  }

  doubleClicked({ data, column }: CellDoubleClickedEvent<ListRow>): void {
    if (data && !this.isOpen(data, column.getColId())) this.open(data);
  }

  private open({ state }: ListRow): void {
    const { key } = state.record();
    if (key && this.opens()) this.opened.emit(key);
  }

  private async remove(row: ListRow): Promise<void> {
    const { key } = row.state.record();
    const table = this.table();
    if (!key) return this.setAside(row);
    try {
      const named = (changes: readonly RowChange[]): string => row.state.nameOf(changes);
      const entry = await this.removal.remove(this.place().screen, table, key, named);
      if (entry === null) return;
      this.done(row);
      this.saved.emit({ text: `${this.nameOf(row)} is deleted.`, entry });
      this.refresh();
    } catch (error) {
      this.problem.set(whatIsWrong(error));
    }
  }

  /** Whether people type into a column: of rows that are there, or of a new one. */
  private isTyped(column: Column, isNew: boolean): boolean {
    const field = column.part === 'cell' ? fieldOf(this.table(), column.field) : undefined;
    if (column.part !== 'cell' || !field || column.people === 'read' || isGiven(field)) return false;
    const { rights } = this.form();
    return isNew ? rights.add : rights.change;
  }

  /** Whether something can be typed into a cell. */
  private isOpen({ state }: ListRow, id: string): boolean {
    const column = columnsOf(this.form().parts).find((other) => partId(other) === id);
    const record = state.record();
    return (
      column !== undefined &&
      this.isTyped(column, state.isNew) &&
      !isShut(record, id) &&
      !isCut(record.held[id])
    );
  }

  private held({ state }: ListRow, { id }: Field): Held {
    return state.record().held[id] ?? { value: null };
  }

  private valuesOf({ state }: ListRow): Record<string, Value> {
    const { held } = state.record();
    return Object.fromEntries(storedFields(this.table()).map(({ id }) => [id, held[id]?.value ?? null]));
  }

  private take(row: ListRow, field: Field, held: Held): void {
    if (held.sought) {
      this.seek(row, field, held);
      return;
    }
    const { state } = row;
    state.change(state.record(), field, held);
    this.rows().touched(row);
    this.know(row);
    this.keep(row);
    this.redraw();
  }

  /** Finds the row that a lookup's typed text means, where the cell was left before it was chosen. */
  private seek(row: ListRow, field: Field, { value, text, typed = '' }: Held): void {
    this.place()
      .fetch(field.id, { search: typed.trim(), row: this.valuesOf(row) })
      .subscribe({
        next: (choices) => this.take(row, field, sought(typed, choices, { value, text })),
        error: (error: unknown) =>
          this.take(row, field, { value, text, typed, problem: problemOf(error).detail }),
      });
  }

  /** Asks for what is worked out waits for of rows that lookups have come to lead to. */
  private know(row: ListRow): void {
    for (const wanted of row.state.sought()) {
      const path = [...this.pane().path, ...wanted.path];
      this.api.beyond(this.desk.file, this.place().screen, { ...wanted, path }).subscribe({
        next: (beyond) => {
          row.state.know(wanted, beyond);
          this.redraw();
        },
        error: (error: unknown) => this.toast.problem(error),
      });
    }
  }

  /** What is typed stays in this browser until it is saved. */
  private keep(row: ListRow): void {
    const { key } = row.state.record();
    const screen = this.draftName(row);
    if (!row.state.dirty()) {
      this.drafts.drop(this.desk.file, screen, key);
      return;
    }
    const at = `${new Date().toISOString().slice(0, 19)}Z`;
    const draft = { screen, key: key && [...key], title: this.nameOf(row), at, kept: row.state.kept() };
    this.drafts.keep(this.desk.file, draft);
  }

  private restore(row: ListRow): void {
    const draft = this.drafts.find(this.desk.file, this.draftName(row), row.state.record().key);
    if (draft) row.state.restore(draft.kept);
  }

  /** Under which name a row is kept: a new one of a list that follows for the row to which it belongs. */
  private draftName({ state }: ListRow): string {
    const { path } = this.pane();
    const by = path.at(-1);
    const parent = state.isNew && by !== undefined ? [String(state.record().held[by]?.value)] : [];
    return [this.place().screen, ...path, ...parent].join('/');
  }

  /** A row at the foot, with what was typed there and not saved: the one that waits, where there is one. */
  private begun(): ListRow {
    const row = this.rows().fresh(this.link());
    const waiting = this.changed().find(
      (other) => other.state.isNew && this.draftName(other) === this.draftName(row),
    );
    if (waiting) return waiting;
    this.restore(row);
    this.rows().touched(row);
    return row;
  }

  isByHand(source: string): boolean {
    return source === 'uiColumnResized' || source === 'uiColumnMoved' || source === 'uiColumnSorted';
  }

  arranged(): void {
    this.viewed.emit();
    const { path } = this.pane();
    // At once: whoever goes elsewhere in the next moment finds it so again, too.
    const request = { path, everyone: false, view: this.viewNow() };
    this.api.keepListView(this.desk.file, this.place().screen, request).subscribe({
      error: (error: unknown) => this.toast.problem(error),
    });
  }

  /** How the list is looked at now. */
  viewNow(): GridView {
    const view = this.view();
    const conditions = this.keepsConditions() ? [...this.conditions()] : [...(view?.conditions ?? [])];
    // Before there is a grid it is as it was kept.
    if (!this.grid) return { columns: view?.columns ?? [], sort: view?.sort ?? [], conditions };
    const own = new Set(columnsOf(this.form().parts).map((column) => partId(column)));
    const state = this.grid.getColumnState().filter(({ colId }) => own.has(colId));
    return {
      columns: state.map(({ colId, width, flex }) => ({
        field: colId,
        ...(flex || !width ? {} : { width: Math.min(2000, Math.max(30, Math.round(width))) }),
        hidden: false,
        frozen: false,
      })),
      sort: orderOf(state),
      conditions,
    };
  }

  private redraw(): void {
    this.grid?.refreshCells({ force: true });
    this.grid?.redrawRows();
  }

  private measure(rows: readonly ListRow[]): void {
    if (rows.length === 0) return;
    const texts = (field: Field): string[] =>
      rows.map((row) => fieldShown(field, this.held(row, field), this.locale()));
    const widths = measuredWidths(this.table().fields, texts, this.element);
    const known = this.measured();
    // Other rows may need more room than the first did; no column gets narrower while one reads on.
    const wider = Object.entries(widths).filter(([id, width]) => width > (known[id] ?? 0) + NEARLY);
    if (wider.length > 0) this.measured.set({ ...known, ...Object.fromEntries(wider) });
  }

  private locale() {
    return this.desk.reading().locale;
  }

  private clock() {
    return { today: this.desk.reading().today, now: `${new Date().toISOString().slice(0, 19)}Z` };
  }

  private column(column: Column): ColDef<ListRow> | null {
    switch (column.part) {
      case 'cell':
        return this.fieldColumn(column);
      case 'worked':
        return this.workedColumn(column);
      case 'subform':
        return this.rowsColumn(column);
    }
  }

  private fieldColumn(cell: FormCell): ColDef<ListRow> | null {
    const field = fieldOf(this.table(), cell.field);
    if (!field) return null;
    const numeric = isNumeric(valueKind(field.type));
    const isPicture = field.type.kind === 'picture';
    return {
      colId: field.id,
      headerName: field.label,
      headerTooltip: field.alwaysFilled ? `${field.label} (always filled)` : field.label,
      ...roomOf(field.label, field.type.kind, this.measured()[field.id], this.scale()),
      sortable: !isPicture && field.type.kind !== 'file',
      resizable: true,
      editable: ({ data }) => data !== undefined && this.isOpen(data, field.id),
      valueGetter: ({ data }) => data && this.held(data, field),
      valueFormatter: ({ data }: ValueFormatterParams<ListRow>) => {
        if (!data) return '';
        const held = this.held(data, field);
        if (held.typed !== undefined) return held.typed;
        if ((data.state.isNew && isGiven(field)) || isHidden(data.state.record(), field.id)) return '';
        return fieldShown(field, held, this.locale());
      },
      valueSetter: ({ data, newValue }: ValueSetterParams<ListRow, Held>) => {
        if (newValue && newValue !== this.held(data, field)) this.take(data, field, newValue);
        return false;
      },
      cellClass: ({ data }: CellClassParams<ListRow>) => [
        ...(numeric ? ['number'] : []),
        ...(field.type.kind === 'lookup' ? ['lookup'] : []),
        ...(data && !this.isOpen(data, field.id) && this.form().rights.change ? ['given'] : []),
        ...this.colour(data, field),
        ...(data && this.says(data, field) ? ['refused'] : []),
        ...(data && this.held(data, field).fault ? ['faulty'] : []),
      ],
      headerClass: numeric ? 'number-head' : '',
      tooltipValueGetter: ({ data }: ITooltipParams<ListRow>) =>
        data ? this.says(data, field) || why(this.held(data, field)) : null,
      cellEditor: CellEditorComponent,
      cellEditorPopup: isPicture || field.type.kind === 'file',
      cellEditorParams: ({ data }: { data: ListRow }): CellEditorParams => ({
        field,
        reading: this.desk.reading(),
        held: this.held(data, field),
        fetch: this.place().fetch,
        row: this.valuesOf(data),
        add: (lookup, text) => this.addTo(data, lookup, text),
      }),
      suppressKeyboardEvent: ({ event, editing }) =>
        editing ? event.key === 'Enter' && field.type.kind === 'longText' && event.shiftKey : isOwnKey(event),
      ...(isPicture || cell.picture !== undefined
        ? { cellRenderer: (params: ICellRendererParams<ListRow>) => this.picture(params, field) }
        : {}),
    };
  }

  private workedColumn(part: FormWorked): ColDef<ListRow> {
    const numeric = isNumeric(valueKind(part.result));
    const held = (row: ListRow | undefined): Held | undefined => row?.state.record().held[part.id];
    return {
      colId: part.id,
      headerName: part.label,
      ...roomOf(part.label, part.result.kind, undefined, this.scale()),
      sortable: false,
      resizable: true,
      valueGetter: ({ data }) => workedShown(part, held(data), this.locale()),
      cellClass: ({ data }: CellClassParams<ListRow>) => [
        'given',
        ...(numeric ? ['number'] : []),
        ...(held(data)?.fault ? ['faulty'] : []),
      ],
      headerClass: numeric ? 'number-head' : '',
      tooltipValueGetter: ({ data }: ITooltipParams<ListRow>) => why(held(data)),
      suppressKeyboardEvent: ({ event }) => isOwnKey(event),
    };
  }

  /** Rows that belong to a row, named in a cell: nothing where there are none. */
  private rowsColumn(part: Subform): ColDef<ListRow> {
    const text = (row: ListRow | undefined): string => {
      const list = row?.state.record().lists.find(({ level }) => level.link!.id === part.link);
      return list ? namedRows(list, this.locale()) : '';
    };
    return {
      colId: part.link,
      headerName: part.label,
      flex: 2,
      minWidth: Math.round(180 * this.scale()),
      sortable: false,
      resizable: true,
      valueGetter: ({ data }) => text(data),
      cellClass: 'led',
      tooltipValueGetter: ({ data }: ITooltipParams<ListRow>) => text(data) || null,
      suppressKeyboardEvent: ({ event }) => isOwnKey(event),
    };
  }

  /** A column that does something with a row. */
  private act(id: string, does: string, icon: string, act: (row: ListRow) => void): ColDef<ListRow> {
    return {
      colId: id,
      headerName: does,
      headerClass: 'only-heard',
      width: Math.round(46 * this.scale()),
      pinned: id === OPENS ? 'left' : 'right',
      resizable: false,
      sortable: false,
      suppressMovable: true,
      suppressKeyboardEvent: ({ event }) => isOwnKey(event),
      cellRenderer: ActCellComponent,
      cellRendererParams: {
        icon,
        act,
        says: (row) => (row.state.isNew ? '' : `${does} ${this.nameOf(row)}`),
      } satisfies ActParams,
    };
  }

  /** A picture of the row, or of the one to which its lookup leads beside what that shows. */
  private picture(
    { data, valueFormatted }: ICellRendererParams<ListRow>,
    field: Field,
  ): HTMLElement | string {
    if (!data) return '';
    const own = field.type.kind === 'picture';
    const { value, text }: Held = own
      ? this.held(data, field)
      : (data.state.record().held[pictureId(field.id)] ?? { value: null });
    const words = own ? '' : (valueFormatted ?? '');
    if (typeof value !== 'number' || isHidden(data.state.record(), field.id)) return words;
    const image = document.createElement('img');
    image.className = 'small-picture';
    // Beside its text it says nothing more to who does not see it.
    image.alt = own ? (text ?? 'Picture') : '';
    image.src = this.api.attachment(this.desk.file, value, 'preview');
    if (own) return image;
    const both = document.createElement('span');
    both.className = 'pictured';
    both.append(image, words);
    return both;
  }

  private says({ state }: ListRow, field: Field): string {
    return state.errorAt(state.record(), field.id);
  }

  /** The colour of a choice, as classes of its cell. */
  private colour(row: ListRow | undefined, field: Field): string[] {
    const value = row && this.held(row, field).value;
    const { type } = field;
    const colour = type.kind === 'choice' && typeof value === 'string' ? type.colours?.[value] : undefined;
    return colour ? ['coloured', colour] : [];
  }

  /** Adds a row to the table a lookup misses it in, and chooses it. */
  private addTo(row: ListRow, field: Field, text: string): void {
    this.grid?.stopEditing(true);
    const { design, screen, fetch } = this.place();
    const { type } = field;
    const target = design.tables.find(({ id }) => type.kind === 'lookup' && id === type.table);
    if (!target) return;
    const data: AddRow = {
      design,
      table: target,
      text,
      reading: this.desk.reading(),
      fetch,
      save: (request) => this.api.saveRecord(this.desk.file, screen, request),
    };
    addedRow(this.dialog, data, field, fetch).subscribe((held) => held && this.take(row, field, held));
  }
}
