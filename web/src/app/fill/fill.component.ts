import { Component, computed, ElementRef, effect, inject, input, signal, untracked } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatDivider } from '@angular/material/divider';
import { MatMenuModule } from '@angular/material/menu';
import { MatTooltipModule } from '@angular/material/tooltip';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import { AgGridAngular } from 'ag-grid-angular';
import type {
  CellClickedEvent,
  CellKeyDownEvent,
  CellPosition,
  ColDef,
  GetRowIdParams,
  GridApi,
  GridReadyEvent,
  IsFullWidthRowParams,
  NavigateToNextCellParams,
  RowClassParams,
  TabToNextCellParams,
} from 'ag-grid-community';
import { debounceTime, Subject } from 'rxjs';
import { displayOf, fieldOf, pathsFrom, showKey, type Table } from '@heathridge/core/design';
import type { RowsAsked } from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';
import { DocumentsComponent, type Listed } from '../frame/documents.component';
import { FileNews } from '../file/news.service';
import { OutsideComponent, type FetchedRows } from '../file/outside.component';
import { Steps } from '../file/steps.service';
import { FileStore } from '../file/file.store';
import { Api, type SortBy } from '../shared/api.service';
import { ConditionsComponent } from '../ask/conditions.component';
import { PickedSheet } from '../bring/picked-sheet.service';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import type { Past } from './past.dialog';
import { download } from '../shared/download';
import { LineComponent } from '../shared/line.component';
import { Toast } from '../shared/toast.service';
import { BeneathComponent } from './beneath.component';
import { isTypedIn } from '../shared/typed-in';
import { CellClipboardDirective, isOverPage } from './cell-clipboard.directive';
import { FillCells } from './cells.service';
import { FillViews } from './views.service';
import { FillStore, rowId, shownId, type GridRow } from './fill.store';
import { gridOfRows, rowsSource } from './grid-of-rows';
import { LeadingRows, leadingTo, type Leading } from './leading.service';
import { Others } from './others.service';
import { RowStripsComponent } from './row-strips.component';
import { RowsEditor } from './rows-editor.service';
import { Unfolded, type Unfolding } from './unfolded.service';

/** Conditions that are asked at once at most. */
const MOST_CONDITIONS = 20;

/** What the grid says where there is nothing. */
const NONE = 'There is no row to show here. What is typed in the line below becomes one.';

/** Rows in a grid, read in windows, edited in place. */
@Component({
  selector: 'hr-fill',
  imports: [
    AgGridAngular,
    CellClipboardDirective,
    ConditionsComponent,
    DocumentsComponent,
    LineComponent,
    MatButton,
    MatIconButton,
    MatIconModule,
    MatDivider,
    MatMenuModule,
    MatTooltipModule,
    OutsideComponent,
    RouterLink,
    RowStripsComponent,
  ],
  providers: [FileNews, Steps, FillCells, FillStore, FillViews, RowsEditor, Others, LeadingRows, Unfolded],
  host: {
    '(document:keydown)': 'keys($event)',
  },
  templateUrl: './fill.component.html',
  styleUrl: './fill.component.scss',
})
export class FillComponent {
  readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  private readonly picked = inject(PickedSheet);
  private readonly dialogs = inject(LazyDialogs);
  private readonly toast = inject(Toast);
  readonly options = gridOfRows(NONE);
  readonly store = inject(FileStore);
  readonly fill = inject(FillStore);
  readonly cells = inject(FillCells);
  readonly views = inject(FillViews);
  readonly editor = inject(RowsEditor);
  readonly others = inject(Others);
  readonly unfolded = inject(Unfolded);
  private readonly leading = inject(LeadingRows);
  readonly steps = inject(Steps);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;

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
  private readonly asked = (): RowsAsked => ({ search: this.search(), conditions: [...this.conditions()] });
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
  /** What leads to the rows of the table, each way in a column of its own. */
  readonly ways = computed(() => {
    const table = this.table();
    return table ? leadingTo(this.store.design(), table) : [];
  });
  readonly columns = computed((): ColDef<GridRow>[] => {
    const table = this.table();
    if (!table) return [];
    const isOpen = (row: GridRow, way: Leading): boolean => this.unfolded.of(row.key)?.way.id === way.id;
    return [...this.editor.columns(table), ...this.ways().map((way) => this.leading.column(way, isOpen))];
  });
  grid: GridApi<GridRow> | null = null;
  private readonly searches = new Subject<void>();

  readonly rowId = ({ data }: GetRowIdParams<GridRow>): string => shownId(data);
  readonly beneath = BeneathComponent;
  readonly isBeneath = ({ rowNode }: IsFullWidthRowParams<GridRow>): boolean =>
    rowNode.data?.beneath !== undefined;
  readonly rowClass = ({ data }: RowClassParams<GridRow>): string =>
    data?.beneath ? (data.beneath.line === 0 ? 'beneath' : 'beneath-rest') : '';
  /** The cursor passes over what is unfolded: it has keys of its own that lead into it. */
  readonly nextCell = ({ nextCellPosition: next, key }: NavigateToNextCellParams): CellPosition | null =>
    this.past(next, key === 'ArrowUp');
  readonly nextByTab = ({ nextCellPosition: next, backwards }: TabToNextCellParams): CellPosition | boolean =>
    this.past(next, backwards) ?? false;

  constructor() {
    this.editor.show({
      table: this.table,
      element: this.element,
      alike: {},
      isAsking: this.isAsking,
      read: () => this.setSource(),
    });
    this.others.show(this.table);
    this.unfolded.left.pipe(takeUntilDestroyed()).subscribe((unfolding) => this.leave(unfolding));
    // What stands beneath rows moves those that follow.
    effect(() => {
      this.unfolded.lines();
      untracked(() => this.readAgain());
    });
    this.searches.pipe(debounceTime(200), takeUntilDestroyed()).subscribe(() => this.showOthers());
    effect(() => {
      const table = this.table();
      untracked(() => {
        if (!table) return;
        this.fill.clear();
        this.search.set('');
        this.conditions.set([]);
        this.editor.measured.set({});
        this.unfolded.clear();
        this.leading.show(table, this.ways());
        this.views.read(table);
        this.total.set(null);
        this.editor.resetNew();
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
      asked: () => ({ sort: this.sort(), ...this.asked() }),
      editable: (table, field) => this.editor.editable(table, field),
      refresh: () => this.readAgain(),
      total: () => this.total() ?? 0,
      lines: this.unfolded.lines,
    });
    this.editor.attach(api);
    this.others.attach(api);
    this.leading.attach(api);
    this.views.attach(api, {
      table: this.table,
      more: this.ways,
      conditions: this.conditions,
      ask: (conditions) => this.ask(conditions),
    });
    this.setSource();
  }

  open(table: string): void {
    void this.router.navigate([], { queryParams: { table } });
  }

  /** Shows what was fetched from outside, and lets it be undone. */
  fetched({ entry, words }: FetchedRows): void {
    if (entry === null) return;
    this.steps.did(entry, words);
    this.showOthers();
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
    if (at?.data && this.editor.putFile(at.data, cell?.getAttribute('col-id') ?? '', file)) return;
    this.picked.put(file);
    void this.router.navigate(['bring'], { relativeTo: this.route, queryParams: { into } });
  }

  /** Shows what happened to the row with the cursor, or to all rows. */
  lookBack(isRow: boolean): void {
    const table = this.table();
    const row = this.cells.current();
    if (!table || (isRow && !row?.key)) return;
    const changed = (): void => this.setSource();
    const of = (field: string): Value => this.cells.current()?.cells[field]?.value ?? null;
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
    const asked = { sort: this.sort(), ...this.asked() };
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
    this.editor.ticked.set([]);
    this.cells.clear();
    this.setSource();
  }

  /** Back to the table's own order. */
  unsort(): void {
    this.grid?.applyColumnState({ defaultState: { sort: null } });
  }

  keys(event: KeyboardEvent): void {
    if (isOverPage(event.target)) return;
    const letter = event.key.toLowerCase();
    if (event.ctrlKey && (letter === 'z' || letter === 'y') && !isTypedIn(event.target)) {
      event.preventDefault();
      if (letter === 'y' || event.shiftKey) this.cells.redo();
      else this.cells.undo();
    } else if (event.altKey && event.key.toLowerCase() === 'n') {
      event.preventDefault();
      this.editor.startNew();
    } else if (event.ctrlKey && (event.key === 'Enter' || letter === 's') && this.editor.finishNew()) {
      event.preventDefault();
    }
  }

  cellKey(event: CellKeyDownEvent<GridRow>): void {
    const key = event.event as KeyboardEvent;
    // A line of what is unfolded has no columns.
    const column = (event as { column?: CellKeyDownEvent['column'] }).column?.getColId();
    const way = this.ways().find(({ id }) => id === column);
    const isEditing = (this.grid?.getEditingCells().length ?? 0) > 0;
    if (key.altKey && key.key === 'ArrowDown' && !isEditing && event.data?.key) {
      key.preventDefault();
      this.goIn(event.data, event.rowIndex ?? 0, way);
    } else if (way && (key.key === 'Enter' || key.key === ' ')) {
      key.preventDefault();
      if (event.data) this.turn(event.data, event.rowIndex ?? 0, way);
    } else this.editor.cellKey(event);
  }

  clicked({ data, rowIndex, column, event }: CellClickedEvent<GridRow>): void {
    const way = this.ways().find(({ id }) => id === column.getColId());
    if (way && data && !(event as MouseEvent | null)?.shiftKey) this.turn(data, rowIndex ?? 0, way);
  }

  /** Unfolds what leads to a row by a way, or folds it; true when it is unfolded then. */
  private turn(row: GridRow, shown: number, way: Leading): boolean {
    const table = this.table();
    if (!table || !row.key) return false;
    const known = this.unfolded.of(row.key);
    if (known && !this.unfolded.fold(known)) {
      this.toast.say(`Something waits in ${known.title}: please put it right, or set it aside, first.`);
      return known.way.id === way.id;
    }
    if (known?.way.id === way.id) return false;
    const title = `${way.label} of ${table.label.toLowerCase()} ${this.nameOf(table, row)}`;
    const place = this.unfolded.lines().at(shown).row;
    this.unfolded.unfold(row, place, title, way, this.leading.count(row, way) ?? 0);
    return true;
  }

  /** What a row is called, where that is one of its fields; else its key. */
  private nameOf(table: Table, row: GridRow): string {
    const [, id] = /^"#(\w+)"$/.exec(displayOf(table)) ?? [];
    const field = id === undefined ? undefined : fieldOf(table, id);
    const text = field && row.cells[field.id] ? this.editor.textOf(field, row.cells[field.id]!) : '';
    return text || showKey(table, row.key!, this.store.locale());
  }

  /** Takes the cursor into what is unfolded beneath a row; unfolds it first where nothing is. */
  private goIn(row: GridRow, shown: number, way: Leading | undefined): void {
    const known = this.unfolded.of(row.key);
    const wanted = way ?? known?.way ?? this.ways()[0];
    if (!wanted || !row.key) return;
    if (known?.way.id === wanted.id || this.turn(row, shown, wanted))
      this.unfolded.entered.set(rowId(row.key));
  }

  private leave({ at, way }: Unfolding): void {
    if (at !== null) this.grid?.setFocusedCell(this.unfolded.lines().shownAt(at), way.id);
  }

  private past(next: CellPosition | null, isUp: boolean): CellPosition | null {
    if (!next || next.rowPinned) return next;
    const lines = this.unfolded.lines();
    const { row, beneath } = lines.at(next.rowIndex);
    if (!beneath) return next;
    if (isUp) return { ...next, rowIndex: lines.shownAt(row) };
    if (row + 1 < (this.total() ?? 0)) return { ...next, rowIndex: lines.shownAt(row + 1) };
    return { ...next, rowIndex: 0, rowPinned: 'bottom' };
  }

  /** Reads what is shown again, where it stands. */
  private readAgain(): void {
    const total = this.total();
    if (!this.grid || total === null) return;
    this.grid.setRowCount(this.unfolded.lines().total(total), true);
    this.grid.refreshInfiniteCache();
  }

  private setSource(): void {
    const table = this.table();
    if (!table || !this.grid) return;
    const source = rowsSource(this.api, this.store.file, {
      table,
      asked: this.asked,
      lines: this.unfolded.lines,
      ordered: (sort) => this.sort.set(sort),
      came: (rows, total, start) => {
        this.total.set(total);
        if (!this.isAsking()) this.store.counted(table.id, total);
        if (!this.views.current()) this.editor.measure(table, rows);
        this.leading.read(rows);
        this.unfolded.place(rows, start);
      },
      failed: (error) => this.toast.problem(error),
    });
    // Where the rows stand in another order is seen when they come.
    this.unfolded.lose();
    this.grid.setGridOption('datasource', source);
  }
}
