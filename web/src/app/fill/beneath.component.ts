import { Component, computed, effect, ElementRef, inject, signal } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { AgGridAngular, type ICellRendererAngularComp } from 'ag-grid-angular';
import type { ColDef, GetRowIdParams, GridApi, GridReadyEvent, ICellRendererParams } from 'ag-grid-community';
import { conditionShapes, shapedCondition } from '@heathridge/core/design';
import type { RowsAsked } from '@heathridge/core/rows';
import type { Held } from '../value/held';
import { FileStore } from '../file/file.store';
import { Api, type SortBy } from '../shared/api.service';
import { Toast } from '../shared/toast.service';
import { isTypedIn } from '../shared/typed-in';
import { CellClipboardDirective } from './cell-clipboard.directive';
import { rowId, type GridRow } from './fill.store';
import { gridOfRows, rowsSource } from './grid-of-rows';
import { Lines } from './lines';
import { RowStripsComponent } from './row-strips.component';
import { Unfolded, type Unfolding } from './unfolded.service';

/** Keys by which the grid around this one would move its own cursor. */
const MOVES = /^(Arrow|Page|Home$|End$|Tab$|Enter$| $)/;
const NONE = 'None yet. What is typed in the line below becomes the first.';
/** Nothing more is unfolded beneath what is. */
const NO_LINES = new Lines<never>([]);

/** Rows of another table beneath the row to which they lead: typed into as the rows around them are. */
@Component({
  selector: 'hr-beneath',
  // The grid around it shows it as a row: what stands in a row is a cell.
  host: { role: 'gridcell' },
  imports: [
    AgGridAngular,
    CellClipboardDirective,
    MatButton,
    MatIconButton,
    MatIconModule,
    RowStripsComponent,
  ],
  template: `
    @if (shown(); as now) {
      <section [attr.aria-label]="now.title" [style.height]="'calc(' + now.lines + ' * var(--hr-row))'">
        <div class="row bar">
          <strong class="cut">{{ now.title }}</strong>
          @if (total() !== null) {
            <span class="tag" role="status">{{ total() }} {{ total() === 1 ? 'row' : 'rows' }}</span>
          }
          <span class="grow"></span>
          @if (now.editor.ticked().length > 0) {
            <button matButton="outlined" class="danger compact" type="button" (click)="now.editor.remove()">
              <mat-icon svgIcon="delete" />Delete {{ now.editor.ticked().length }}
            </button>
          }
          <button matButton="outlined" class="compact" type="button" (click)="now.editor.startNew()">
            <mat-icon svgIcon="add" />Row
          </button>
          <button
            matIconButton
            class="compact"
            type="button"
            [attr.aria-label]="'Fold ' + now.title"
            (click)="fold(now)"
          >
            <mat-icon svgIcon="keyboard_arrow_up" />
          </button>
        </div>
        <ag-grid-angular
          class="grid"
          [gridOptions]="options"
          [hrCellClipboard]="now.cells"
          [editor]="now.editor"
          [columnDefs]="now.columns"
          [getRowId]="rowId"
          [pinnedBottomRowData]="now.editor.pinned()"
          (gridReady)="ready($event, now)"
          (cellKeyDown)="now.editor.cellKey($any($event))"
          (cellMouseOver)="now.cells.over($event)"
          (cellFocused)="now.cells.focused($event)"
          (selectionChanged)="now.editor.selectionChanged()"
        />
        <hr-row-strips [editor]="now.editor" [others]="now.others" />
      </section>
    }
  `,
  styles: `
    :host {
      display: block;
    }
    section {
      display: flex;
      flex-direction: column;
      margin-inline: 34px 18px;
      padding-bottom: 8px;
      background: var(--hr-ground);
      border-inline-start: 4px solid var(--hr-heather);
    }
    .bar {
      flex: none;
      height: var(--hr-row);
      padding: 0 4px 0 12px;
    }
    .grid {
      flex: 1;
      min-height: 0;
      border: 1px solid var(--hr-line);
    }
  `,
})
export class BeneathComponent implements ICellRendererAngularComp {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly toast = inject(Toast);
  private readonly unfolded = inject(Unfolded);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  readonly options = gridOfRows(NONE);
  readonly rowId = ({ data }: GetRowIdParams<GridRow>): string => rowId(data.key);
  private readonly unfolding = signal<Unfolding | null>(null);
  readonly total = signal<number | null>(null);
  private grid: GridApi<GridRow> | null = null;
  private sort: readonly SortBy[] = [];

  readonly shown = computed(() => {
    const unfolding = this.unfolding();
    if (!unfolding) return null;
    const { parts, way, title, lines } = unfolding;
    const { editor, cells, others } = parts;
    const columns: ColDef<GridRow>[] = editor.columns(way.child);
    return {
      unfolding,
      title,
      lines,
      way,
      editor,
      columns,
      cells,
      others,
    };
  });

  constructor() {
    // Before the grid around this one hears of them.
    this.element.addEventListener('keydown', (event) => this.key(event));
    effect(() => {
      if (this.unfolded.entered() === this.name() && this.total() !== null) this.enter();
    });
  }

  private name(): string {
    return rowId(this.unfolding()?.parent ?? null);
  }

  agInit({ data }: ICellRendererParams<GridRow>): void {
    const unfolding = data?.beneath?.line === 0 ? data.beneath.unfolding : null;
    if (!unfolding) return;
    const { parts, way, parent } = unfolding;
    const { editor } = parts;
    const alike: Readonly<Record<string, Held>> = { [way.link.id]: { value: parent[0]! } };
    editor.show({
      table: () => way.child,
      element: this.element,
      alike,
      isAsking: () => false,
      read: () => this.read(),
    });
    parts.others.show(() => way.child);
    if (!editor.fresh()) editor.resetNew();
    this.unfolding.set(unfolding);
  }

  /** Called when the rows around were read again: what stands here stays as it is. */
  refresh({ data }: ICellRendererParams<GridRow>): boolean {
    return data?.beneath?.unfolding.parts === this.unfolding()?.parts;
  }

  ready({ api }: GridReadyEvent<GridRow>, now: NonNullable<ReturnType<typeof this.shown>>): void {
    this.grid = api;
    const asked = (): RowsAsked => ({ search: '', conditions: [this.condition(now.unfolding)] });
    for (const event of ['keydown', 'mousedown'] as const)
      this.element.addEventListener(event, (happened) => now.cells.noteFor(happened), { capture: true });
    now.cells.attach(api, {
      table: () => now.way.child,
      asked: () => ({ sort: this.sort, ...asked() }),
      editable: (table, field) => now.editor.editable(table, field),
      refresh: () => this.read(),
      total: () => this.total() ?? 0,
      lines: () => NO_LINES,
    });
    now.editor.attach(api);
    now.others.attach(api);
    const source = rowsSource(this.api, this.store.file, {
      table: now.way.child,
      asked,
      lines: () => NO_LINES,
      ordered: (sort) => (this.sort = sort),
      came: (rows, total) => {
        now.editor.measure(now.way.child, rows);
        this.total.set(total);
      },
      failed: (error) => this.toast.problem(error),
    });
    api.setGridOption('datasource', source);
  }

  /** That a row leads here. */
  private condition({ way: { link }, parent }: Unfolding): string {
    const is = conditionShapes(link.type).find(({ id }) => id === '=')!;
    return shapedCondition(`"#${link.id}"`, link.type, is, [parent[0]!])!;
  }

  private read(): void {
    this.grid?.refreshInfiniteCache();
  }

  private enter(): void {
    this.unfolded.entered.set(null);
    const [first] = (this.grid?.getAllDisplayedColumns() ?? []).filter(
      (column) => !column.getColId().startsWith('ag-Grid'),
    );
    if (!first) return;
    if (this.total()) this.grid?.setFocusedCell(0, first);
    else this.grid?.setFocusedCell(0, first, 'bottom');
  }

  fold({ unfolding }: { readonly unfolding: Unfolding }): void {
    if (this.unfolded.fold(unfolding)) this.unfolded.left.next(unfolding);
    else this.toast.say('Something waits here: please put it right, or set it aside, first.');
  }

  private key(event: KeyboardEvent): void {
    const now = this.shown();
    if (!now) return;
    const isEditing = (this.grid?.getEditingCells().length ?? 0) > 0;
    const letter = event.key.toLowerCase();
    const isUp = event.altKey && event.key === 'ArrowUp';
    if (
      !event.defaultPrevented &&
      !isEditing &&
      !isTypedIn(event.target) &&
      (event.key === 'Escape' || isUp)
    ) {
      event.preventDefault();
      this.unfolded.left.next(now.unfolding);
    } else if (event.altKey && letter === 'n') {
      event.preventDefault();
      event.stopPropagation();
      now.editor.startNew();
    } else if (event.ctrlKey && (event.key === 'Enter' || letter === 's') && now.editor.finishNew()) {
      event.preventDefault();
      event.stopPropagation();
    } else if (MOVES.test(event.key)) {
      event.stopPropagation();
    }
  }
}
