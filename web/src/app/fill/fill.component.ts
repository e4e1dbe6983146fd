import {
  afterNextRender,
  CSP_NONCE,
  Component,
  computed,
  ElementRef,
  effect,
  inject,
  Injector,
  input,
  signal,
  untracked,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { MatDivider } from '@angular/material/divider';
import { MatMenuModule } from '@angular/material/menu';
import { MatTooltipModule } from '@angular/material/tooltip';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import { AgGridAngular } from 'ag-grid-angular';
import {
  CellStyleModule,
  ColumnApiModule,
  CustomEditorModule,
  EventApiModule,
  InfiniteRowModelModule,
  LocaleModule,
  ModuleRegistry,
  PinnedRowModule,
  RenderApiModule,
  RowApiModule,
  RowSelectionModule,
  RowStyleModule,
  ScrollApiModule,
  TooltipModule,
  type CellClassParams,
  type CellKeyDownEvent,
  type ColDef,
  type GetRowIdParams,
  type GridApi,
  type GridReadyEvent,
  type IDatasource,
  type SelectionColumnDef,
  type ITooltipParams,
  type ValueFormatterParams,
  type ValueSetterParams,
} from 'ag-grid-community';
import { catchError, debounceTime, delay, EMPTY, firstValueFrom, Subject } from 'rxjs';
import {
  comesWithText,
  fieldOf,
  isGiven,
  pathsFrom,
  storedFields,
  showKey,
  valueKind,
  type Field,
  type Table,
} from '@heathridge/core/design';
import type { RowKey } from '@heathridge/core/rows';
import { isNumeric, isSummed, showValue, sumShown, type Value } from '@heathridge/core/values';
import { DocumentsComponent, type Listed } from '../frame/documents.component';
import { ALL, FileNews, type News } from '../file/news.service';
import { Steps } from '../file/steps.service';
import { FileStore } from '../file/file.store';
import { heldOf } from '../desk/record.state';
import { Api, type SortBy } from '../shared/api.service';
import { ConditionsComponent } from '../ask/conditions.component';
import { addedRow, type AddRow } from '../value/add-row.dialog';
import { ConfirmDialog, type Confirmation } from '../shared/confirm.dialog';
import { PickedSheet } from '../bring/picked-sheet.service';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import type { Past } from './past.dialog';
import { download } from '../shared/download';
import { problemOf } from '../shared/problem';
import { LineComponent } from '../shared/line.component';
import { Toast } from '../shared/toast.service';
import { narrowedBy } from '../shared/narrowed';
import { sought, UNWORKED, why, type Fetch, type Held } from '../value/held';
import { alongWords } from './along-words';
import { CellEditorComponent, type CellEditorParams } from './cell-editor.component';
import { FillCells } from './cells.service';
import { FillViews } from './views.service';
import { widthFor } from './measure';
import { FillStore, rowId, toGridRow, type GridRow } from './fill.store';
import { GRID_THEME } from './grid-theme';
import { typeScale } from '../shared/row-height';

ModuleRegistry.registerModules([
  CellStyleModule,
  ColumnApiModule,
  CustomEditorModule,
  EventApiModule,
  InfiniteRowModelModule,
  LocaleModule,
  PinnedRowModule,
  RenderApiModule,
  RowApiModule,
  RowSelectionModule,
  RowStyleModule,
  ScrollApiModule,
  TooltipModule,
]);

/** The values of a row by field id, for lookups that it narrows. */
const valuesOf = (table: Table, row: GridRow): Record<string, Value> =>
  Object.fromEntries(storedFields(table).map(({ id }) => [id, row.cells[id]?.value ?? null]));

/** Whether letters go into something that is typed into. */
const isTypedIn = (target: EventTarget | null): boolean =>
  target instanceof Element && target.closest('input, textarea, [contenteditable="true"]') !== null;

/** A cell in which two people have put different things. */
interface Clash {
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

/** Conditions and columns of an order that are asked at once at most. */
const [MOST_CONDITIONS, MOST_SORTS] = [20, 5];

/** What the grid says where there is nothing. */
const WORDS = { noRowsToShow: 'There is no row to show here. What is typed in the line below becomes one.' };

/** Rows in a grid, read in windows, edited in place. */
@Component({
  selector: 'hr-fill',
  imports: [
    AgGridAngular,
    ConditionsComponent,
    DocumentsComponent,
    LineComponent,
    MatButton,
    MatIconButton,
    MatIconModule,
    MatDivider,
    MatMenuModule,
    MatTooltipModule,
    RouterLink,
  ],
  providers: [FillCells, FillStore, FillViews],
  host: {
    '(document:keydown)': 'keys($event)',
    '(document:copy)': 'copied($event)',
    '(document:cut)': 'cut($event)',
    '(document:paste)': 'pasted($event)',
  },
  templateUrl: './fill.component.html',
  styleUrl: './fill.component.scss',
})
export class FillComponent {
  readonly api = inject(Api);
  private readonly dialog = inject(MatDialog);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  private readonly picked = inject(PickedSheet);
  private readonly dialogs = inject(LazyDialogs);
  private readonly toast = inject(Toast);
  private readonly injector = inject(Injector);
  readonly words = WORDS;
  /** What ticks a row is always to be seen, however far the columns have been moved. */
  readonly ticks: SelectionColumnDef = { pinned: 'left' };
  readonly nonce = inject(CSP_NONCE, { optional: true }) ?? undefined;
  readonly store = inject(FileStore);
  readonly fill = inject(FillStore);
  readonly cells = inject(FillCells);
  readonly views = inject(FillViews);
  readonly steps = inject(Steps);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  readonly theme = GRID_THEME;
  private readonly scale = typeScale();

  readonly tableParam = input<string | undefined>(undefined, { alias: 'table' });
  readonly listed = computed((): Listed[] =>
    this.store
      .design()
      .tables.map(({ id, plural }) => ({ id, label: plural, count: this.store.counts()[id] ?? 0 })),
  );
  readonly table = computed((): Table | null => {
    const { tables } = this.store.design();
    return tables.find(({ id }) => id === this.tableParam()) ?? tables[0] ?? null;
  });
  readonly total = signal<number | null>(null);
  readonly search = signal('');
  /** What the rows must fit to be shown, as expressions with ids. */
  readonly conditions = signal<readonly string[]>([]);
  readonly paths = computed(() => {
    const table = this.table();
    return table ? pathsFrom(this.store.design(), table) : [];
  });
  /** The order in which they are asked for, once somebody has chosen one. */
  readonly sort = signal<readonly SortBy[]>([]);
  readonly order = computed(() =>
    this.sort().map(({ field, descending }) => {
      const label = this.table()?.fields.find(({ id }) => id === field)?.label ?? '';
      return `${label}, ${descending ? 'falling' : 'rising'}`;
    }),
  );
  readonly isAsking = computed(() => this.conditions().length > 0 || this.search().trim() !== '');
  /** How many rows are shown, and of how many where not all of them are asked for. */
  readonly counted = computed(() => {
    const [table, total] = [this.table(), this.total()];
    if (!table || total === null) return '';
    const all = this.isAsking() ? (this.store.counts()[table.id] ?? total) : total;
    const number = (count: number): string => count.toLocaleString('en-GB');
    const some = all === total ? '' : `${number(total)} of `;
    return `${some}${number(all)} ${all === 1 ? 'row' : 'rows'}`;
  });
  readonly mostConditions = MOST_CONDITIONS;
  readonly ticked = signal<readonly GridRow[]>([]);
  /** How many rows are ticked, and what their amounts come to. */
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
  readonly fresh = signal<GridRow | null>(null);
  readonly pinned = computed(() => {
    const row = this.fresh();
    return row ? [row] : [];
  });
  /** Pixels that the values of each field need, once the first rows are there. */
  private readonly measured = signal<Readonly<Record<string, number>>>({});
  readonly columns = computed((): ColDef<GridRow>[] => {
    const table = this.table();
    return table ? table.fields.map((field) => this.column(table, field)) : [];
  });
  readonly waiting = computed(() => [...this.fill.refused().values()].filter(({ row }) => row !== 'new'));
  readonly waitingNew = computed(() => [...this.fill.refused().values()].filter(({ row }) => row === 'new'));
  readonly newTouched = signal(false);
  private grid: GridApi<GridRow> | null = null;
  private readonly searches = new Subject<void>();
  /** While the new row is on its way nobody sends it again. */
  readonly adding = signal(false);
  private readonly fetch: Fetch = (field, request) => this.api.choices(this.store.file, field, request);

  readonly rowId = ({ data }: GetRowIdParams<GridRow>): string => rowId(data.key);

  constructor() {
    inject(FileNews)
      // Of our own saves the answer says first what is known of them.
      .all.pipe(delay(ANSWERED), takeUntilDestroyed())
      .subscribe((news) => this.heard(news));
    this.searches.pipe(debounceTime(200), takeUntilDestroyed()).subscribe(() => this.showOthers());
    effect(() => {
      const table = this.table();
      untracked(() => {
        if (!table) return;
        this.fill.clear();
        this.search.set('');
        this.conditions.set([]);
        this.measured.set({});
        this.views.read(table);
        this.total.set(null);
        this.resetNew();
        this.showOthers();
      });
    });
  }

  ready({ api }: GridReadyEvent<GridRow>): void {
    this.grid = api;
    // Before the grid's own listeners, which move the focus at once.
    for (const event of ['keydown', 'mousedown'] as const)
      this.element.addEventListener(event, (happened) => this.cells.noteFor(happened), { capture: true });
    this.cells.attach(api, {
      table: this.table,
      asked: () => ({ sort: this.sort(), search: this.search(), conditions: [...this.conditions()] }),
      editable: (table, field) => this.editable(table, field),
      refresh: () => this.setSource(),
    });
    this.views.attach(api, {
      table: this.table,
      conditions: this.conditions,
      ask: (conditions) => this.ask(conditions),
    });
    this.setSource();
  }

  open(table: string): void {
    void this.router.navigate([], { queryParams: { table } });
  }

  /** A sheet that is held over the rows may be let go here. */
  dragged(event: DragEvent): void {
    if (event.dataTransfer?.types.includes('Files')) event.preventDefault();
  }

  /** A file that is let go on a cell for pictures or files goes there; on anything else it is a sheet. */
  dropped(event: DragEvent, into: string | null): void {
    const file = event.dataTransfer?.files[0];
    if (!file) return;
    event.preventDefault();
    const cell = event.target instanceof Element ? event.target.closest('[role="gridcell"]') : null;
    const place = cell?.closest('[row-index]')?.getAttribute('row-index');
    const at =
      place === null || place === undefined ? null : this.grid?.getDisplayedRowAtIndex(Number(place));
    if (at?.data && this.attach(at.data, cell?.getAttribute('col-id') ?? '', file)) return;
    this.picked.put(file);
    void this.router.navigate(['bring'], { relativeTo: this.route, queryParams: { into } });
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
        this.readAgain(
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
    const text = (held: Held): string => held.typed ?? this.textOf(field, held);
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
    if (table && row) this.set(table, row, field, held);
  }

  takeTheirs({ field, key }: Clash): void {
    const [table, row] = [this.table(), this.grid?.getRowNode(rowId(key))?.data];
    this.fill.forget({ key, cells: {} }, field.id);
    if (table && row) this.readAgain(table, row, key, [field]);
  }

  /** Shows what happened to the row with the cursor, or to all rows. */
  lookBack(isRow: boolean): void {
    const table = this.table();
    const place = this.cells.range()?.to.row;
    const row = place === undefined ? undefined : this.grid?.getDisplayedRowAtIndex(place)?.data;
    if (!table || (isRow && !row?.key)) return;
    const changed = (): void => this.setSource();
    const of = (field: string): Value =>
      (place === undefined ? undefined : this.grid?.getDisplayedRowAtIndex(place)?.data)?.cells[field]
        ?.value ?? null;
    const title = row?.key ? `${table.label} ${showKey(table, row.key, this.store.locale())}` : '';
    this.dialogs
      .open<unknown, Past, unknown>(() => import('./past.dialog').then((m) => m.PastDialog), {
        data: {
          store: this.store,
          steps: this.steps,
          row: isRow ? { table, key: row!.key!, title, now: of } : null,
          changed,
        },
      })
      .subscribe();
  }

  /** Downloads the rows that are shown, in their order, with the columns that are. */
  takeOut(form: 'csv' | 'xlsx' | 'json'): void {
    const table = this.table();
    if (!table) return;
    const fields = (this.grid?.getAllDisplayedColumns() ?? [])
      .map((column) => column.getColId())
      .filter((id) => fieldOf(table, id));
    const asked = { sort: this.sort(), search: this.search(), conditions: [...this.conditions()] };
    this.toast.say(`Writing ${this.counted()} …`);
    this.api.takeOut(this.store.file, table.id, { ...asked, form, fields }).subscribe({
      next: (sheet) => download(sheet, `${table.plural}.${form}`),
      error: (error: unknown) => this.toast.problem(error),
    });
  }

  searched(text: string): void {
    this.search.set(text);
    this.searches.next();
  }

  ask(conditions: readonly string[]): void {
    this.conditions.set(conditions);
    this.showOthers();
  }

  /** Other rows are shown from now on: none of those that go may stay ticked unseen. */
  private showOthers(): void {
    this.grid?.deselectAll();
    this.ticked.set([]);
    this.cells.clear();
    this.setSource();
  }

  /** Back to the table's own order. */
  unsort(): void {
    this.grid?.applyColumnState({ defaultState: { sort: null } });
  }

  keys(event: KeyboardEvent): void {
    if (this.dialog.openDialogs.length > 0) return;
    const letter = event.key.toLowerCase();
    if (event.ctrlKey && (letter === 'z' || letter === 'y') && !isTypedIn(event.target)) {
      event.preventDefault();
      if (letter === 'y' || event.shiftKey) this.cells.redo();
      else this.cells.undo();
    } else if (event.altKey && event.key.toLowerCase() === 'n') {
      event.preventDefault();
      this.startNew();
    } else if (
      event.ctrlKey &&
      (event.key === 'Enter' || event.key.toLowerCase() === 's') &&
      this.newTouched()
    ) {
      event.preventDefault();
      this.grid?.stopEditing();
      void this.addNew();
    }
  }

  /** Ctrl+D takes the value from the row above; Delete empties the cell. */
  cellKey(event: CellKeyDownEvent<GridRow>): void {
    const key = event.event as KeyboardEvent;
    if (this.blockKey(key)) return;
    const table = this.table();
    const field = table?.fields.find(({ id }) => id === event.column.getColId());
    if (!table || !field || !event.data || this.grid?.getEditingCells().length) return;
    if (
      key.ctrlKey &&
      key.key.toLowerCase() === 'd' &&
      event.rowIndex !== null &&
      event.rowIndex > 0 &&
      !event.node.rowPinned
    ) {
      key.preventDefault();
      const above = this.grid?.getDisplayedRowAtIndex(event.rowIndex - 1)?.data;
      if (above && this.editable(table, field))
        this.set(table, event.data, field, above.cells[field.id] ?? { value: null });
    } else if (key.key === 'Delete' && this.editable(table, field) && field.type.kind !== 'tick') {
      this.set(table, event.data, field, { value: null, text: null });
    }
  }

  /** Keys for a block of cells; true when one was pressed. */
  private blockKey(key: KeyboardEvent): boolean {
    if (this.grid?.getEditingCells().length) return false;
    const letter = key.key.toLowerCase();
    const done =
      (key.ctrlKey && letter === 'd' && this.cells.fill()) || (key.key === 'Delete' && this.cells.empty());
    if (key.ctrlKey && letter === 'a') this.cells.all(this.total() ?? 0);
    else if (!done) return false;
    key.preventDefault();
    return true;
  }

  /** Whether what is copied or pasted is meant for cells: the grid has the focus, and nothing is typed into. */
  private isForCells(event: ClipboardEvent): boolean {
    const target = event.target instanceof Element ? event.target : null;
    return (
      !isTypedIn(target) &&
      this.dialog.openDialogs.length === 0 &&
      this.element.querySelector('ag-grid-angular')?.contains(document.activeElement) === true
    );
  }

  copied(event: ClipboardEvent): void {
    if (this.isForCells(event) && this.cells.copy(event.clipboardData)) event.preventDefault();
  }

  cut(event: ClipboardEvent): void {
    if (!this.isForCells(event) || !this.cells.copy(event.clipboardData)) return;
    event.preventDefault();
    this.cells.empty();
  }

  /** Puts a file into a cell for one; false where the cell is for something else. */
  private attach(row: GridRow, column: string, picked: File): boolean {
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

  pasted(event: ClipboardEvent): void {
    const picked = event.clipboardData?.files[0];
    const focused = this.grid?.getFocusedCell();
    const row =
      focused && !focused.rowPinned ? this.grid?.getDisplayedRowAtIndex(focused.rowIndex)?.data : null;
    if (
      picked &&
      focused &&
      row &&
      this.isForCells(event) &&
      this.attach(row, focused.column.getColId(), picked)
    ) {
      event.preventDefault();
      return;
    }
    if (this.isForCells(event) && this.cells.paste(event.clipboardData?.getData('text/plain') ?? ''))
      event.preventDefault();
  }

  startNew(): void {
    const table = this.table();
    const first = table?.fields.find((field) => this.editable(table, field));
    if (first) this.grid?.startEditingCell({ rowIndex: 0, rowPinned: 'bottom', colKey: first.id });
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
    const hidden = this.isAsking() ? ' It is shown here where it fits what is asked.' : '';
    this.toast.say(`${table.label} ${showKey(table, key, this.store.locale())} is added.${hidden}`);
    this.resetNew();
    this.setSource();
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
    const isHeld = found.along.some(({ becomes }) => becomes === 'in the way');
    const lines = found.along
      .filter(({ becomes }) => !isHeld || becomes === 'in the way')
      .map((item) => alongWords(this.store.design(), item));
    const stopped: Confirmation = {
      title: `${rows.length === 1 ? 'This' : 'These'} ${name} cannot be deleted`,
      text: 'Nothing was changed. Other rows still lead there:',
      lines,
      stay: 'Close',
    };
    const data: Confirmation = {
      title: `Delete ${rows.length} ${name}?`,
      text: `${rows.length === 1 ? 'It is' : 'They are'} taken out of the file. The history keeps what ${rows.length === 1 ? 'it' : 'they'} held.`,
      lines,
      act: 'Delete',
      stay: rows.length === 1 ? 'Keep it' : 'Keep them',
      danger: true,
    };
    const sure = await firstValueFrom(
      this.dialog
        .open<ConfirmDialog, Confirmation, boolean>(ConfirmDialog, { data: isHeld ? stopped : data })
        .afterClosed(),
    );
    if (!sure) return;
    this.fill.remove(table, rows).subscribe({
      next: () => {
        this.toast.say(`${rows.length} ${name} deleted.`);
        this.grid?.deselectAll();
        this.setSource();
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

  private resetNew(): void {
    const table = this.table();
    this.fresh.set(table ? this.fill.newRow(table) : null);
    this.newTouched.set(false);
  }

  private editable(table: Table, field: Field): boolean {
    return (
      !isGiven(field) &&
      !(table.key.includes(field.id) && table.key.length === 1 && field.type.kind !== 'text')
    );
  }

  private column(table: Table, field: Field): ColDef<GridRow> {
    const kind = valueKind(field.type);
    const numeric = isNumeric(kind);
    const usual =
      { longText: 200, lookup: 180, text: 160, dateTime: 150, stamp: 150, picture: 140, file: 140 }[
        field.type.kind as string
      ] ?? 112;
    // A heading has room for its words, and for the arrow that tells the order.
    // So does what stands below it, as far as the first rows tell.
    const measured = this.measured()[field.id] ?? usual * this.scale();
    const width = Math.round(Math.max(measured, (field.label.length * 7.5 + 40) * this.scale()));
    const flex = { longText: 2, lookup: 1, text: 1 }[field.type.kind as string];
    return {
      colId: field.id,
      headerName: field.label,
      headerTooltip: field.alwaysFilled ? `${field.label} (always filled)` : field.label,
      // What is written takes the room that numbers and dates leave.
      ...(flex ? { flex, minWidth: width } : { width, minWidth: 70 }),
      sortable: true,
      resizable: true,
      editable: ({ data }) =>
        data ? this.editable(table, field) || (data.key === null && !isGiven(field)) : false,
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
      suppressKeyboardEvent: ({ event, editing }) =>
        editing && event.key === 'Enter' && field.type.kind === 'longText' && event.shiftKey,
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

  private held(row: GridRow, field: Field): Held {
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

  private textOf(field: Field, held: Held): string {
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

  private set(table: Table, row: GridRow, field: Field, held: Held): void {
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
  private readAgain(table: Table, row: GridRow, key: RowKey, fields: readonly Field[]): void {
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
  private measure(table: Table, rows: readonly GridRow[]): void {
    if (rows.length === 0 || this.views.current()) return;
    const { fontSize, fontFamily } = getComputedStyle(this.element);
    const widths = table.fields.flatMap((field): [string, number][] => {
      const kind = field.type.kind;
      if (kind === 'longText' || kind === 'picture' || kind === 'file') return [];
      const width = widthFor(
        rows.map((row) => this.text(row, field)),
        `${fontSize} ${fontFamily}`,
      );
      return width > 0 ? [[field.id, width]] : [];
    });
    this.measured.set(Object.fromEntries(widths));
  }

  private setSource(): void {
    const table = this.table();
    if (!table || !this.grid) return;
    const source: IDatasource = {
      getRows: ({ startRow, endRow, sortModel, successCallback, failCallback }) => {
        const sort = sortModel
          .slice(0, MOST_SORTS)
          .map(({ colId, sort: way }) => ({ field: colId, descending: way === 'desc' }));
        this.sort.set(sort);
        const request = {
          start: startRow,
          limit: endRow - startRow,
          sort,
          search: this.search(),
          conditions: [...this.conditions()],
        };
        this.api.window(this.store.file, table.id, request).subscribe({
          next: ({ rows, total }) => {
            this.total.set(total);
            if (this.search() === '' && request.conditions.length === 0) this.store.counted(table.id, total);
            const shown = rows.map((cells) => toGridRow(table, cells));
            successCallback(shown, total);
            if (Object.keys(this.measured()).length === 0) this.measure(table, shown);
          },
          error: (error: unknown) => {
            this.toast.problem(error);
            failCallback();
          },
        });
      },
    };
    this.grid.setGridOption('datasource', source);
  }
}
