import { CSP_NONCE, inject } from '@angular/core';
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
  type CellKeyDownEvent,
  type ColDef,
  type ColumnState,
  type GridApi,
  type GridOptions,
  type SortModelItem,
} from 'ag-grid-community';
import { type Field, type FieldType } from '@heathridge/core/design';
import type { SortBy } from '../shared/api.service';
import { GRID_THEME } from './grid-theme';
import { widthFor } from './measure';

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

/** Columns by which rows are sorted at most. */
const MOST_SORTS = 5;

/**
 * What each grid has that reads rows as they come into sight. `none` is what it says where there is no row. To be
 * called where Angular injects.
 */
export function gridBase<Row>(none: string): GridOptions<Row> {
  return {
    theme: GRID_THEME,
    localeText: { noRowsToShow: none },
    styleNonce: inject(CSP_NONCE, { optional: true }) ?? undefined,
    rowModelType: 'infinite',
    cacheBlockSize: 200,
    maxBlocksInCache: 20,
    // What is typed waits in its cell until it is taken or refused, wherever the focus goes.
    stopEditingWhenCellsLoseFocus: false,
    enterNavigatesVerticallyAfterEdit: false,
    tooltipShowDelay: 200,
  };
}

/** The order that the grid asks for. */
export const orderAsked = (asked: readonly SortModelItem[]): SortBy[] =>
  asked.slice(0, MOST_SORTS).map(({ colId, sort }) => ({ field: colId, descending: sort === 'desc' }));

/** By which columns a grid is sorted, the first of them first, before it has asked for rows in that order. */
export const orderOf = (columns: readonly ColumnState[]): SortBy[] =>
  columns
    .filter(({ sort }) => sort)
    .sort((a, b) => (a.sortIndex ?? 0) - (b.sortIndex ?? 0))
    .slice(0, MOST_SORTS)
    .map(({ colId, sort }) => ({ field: colId, descending: sort === 'desc' }));

/**
 * Whether a key on a cell is for these pages and not for the grid: with Alt it is a command, and types nothing; Home
 * and End stay in their row, as in the grid pattern of the WAI-ARIA Authoring Practices.
 */
export const isOwnKey = (event: KeyboardEvent): boolean =>
  (event.altKey && !event.ctrlKey) || event.key === 'Home' || event.key === 'End';

/**
 * Home and End lead to the ends of the row, with Ctrl to those of the grid, whose last row is `last`; true when one was
 * pressed. The cursor also moves from a row that is still being read.
 */
export function edgeKey(
  grid: GridApi | null | undefined,
  { rowIndex, node }: Pick<CellKeyDownEvent, 'node' | 'rowIndex'>,
  { key, ctrlKey }: KeyboardEvent,
  last: number,
): boolean {
  const isHome = key === 'Home';
  if ((!isHome && key !== 'End') || !grid || grid.getEditingCells().length > 0) return false;
  const column = grid.getAllDisplayedColumns().at(isHome ? 0 : -1);
  const row = ctrlKey && !node.rowPinned ? (isHome ? 0 : Math.max(0, last)) : (rowIndex ?? 0);
  if (!column) return true;
  if (!node.rowPinned) grid.ensureIndexVisible(row);
  grid.ensureColumnVisible(column);
  grid.setFocusedCell(row, column, node.rowPinned);
  return true;
}

/** Pixels in which the values of most kinds can be read, where nothing has been measured. */
const USUAL: Partial<Record<FieldType['kind'], number>> = {
  longText: 200,
  lookup: 180,
  text: 160,
  dateTime: 150,
  stamp: 150,
  picture: 140,
  file: 140,
};

/** What is written takes the room that numbers and dates leave. */
const SHARES: Partial<Record<FieldType['kind'], number>> = { longText: 2, lookup: 1, text: 1 };

/**
 * The room of a column: its heading has room for its words, and for the arrow that tells the order; so does what stands
 * below it, as far as `measured` tells, in pixels. `scale` is that of the type.
 */
export function roomOf(
  label: string,
  kind: FieldType['kind'],
  measured: number | undefined,
  scale: number,
): Pick<ColDef, 'flex' | 'minWidth' | 'width'> {
  const wanted = measured ?? (USUAL[kind] ?? 112) * scale;
  const width = Math.round(Math.max(wanted, (label.length * 7.5 + 40) * scale));
  const flex = SHARES[kind];
  return flex ? { flex, minWidth: width } : { width, minWidth: 70 };
}

/** How wide columns are for what the first rows show in them, by field id; not what has no width of its own. */
export function measuredWidths(
  fields: readonly Field[],
  texts: (field: Field) => readonly string[],
  element: HTMLElement,
): Record<string, number> {
  const { fontSize, fontFamily } = getComputedStyle(element);
  const widths = fields.flatMap((field): [string, number][] => {
    const kind = field.type.kind;
    if (kind === 'longText' || kind === 'picture' || kind === 'file') return [];
    const width = widthFor(texts(field), `${fontSize} ${fontFamily}`);
    return width > 0 ? [[field.id, width]] : [];
  });
  return Object.fromEntries(widths);
}
