import type { GridOptions, IDatasource } from 'ag-grid-community';
import type { Table } from '@heathridge/core/design';
import type { RowsAsked } from '@heathridge/core/rows';
import { gridBase, orderAsked } from '../grid/grid-base';
import type { Api, SortBy } from '../shared/api.service';
import { lineBeneath, toGridRow, type GridRow } from './fill.store';
import type { Lines } from './lines';
import { TICKS } from './rows-editor.service';
import type { Placed } from './unfolded.service';

/**
 * What each grid has that shows rows of a table to be typed into. `none` is what it says where there is no row.
 * To be called where Angular injects.
 */
export function gridOfRows(none: string): GridOptions<GridRow> {
  return {
    ...gridBase<GridRow>(none),
    rowSelection: { mode: 'multiRow', headerCheckbox: false, enableClickSelection: false },
    selectionColumnDef: TICKS,
  };
}

/** Which rows a grid shows, and who hears of them. */
export interface Shown {
  readonly table: Table;
  readonly asked: () => RowsAsked;
  /** What stands between the rows. */
  readonly lines: () => Lines<Placed>;
  readonly ordered: (sort: readonly SortBy[]) => void;
  /** Rows have come, the first of them from this place among all, and are about to be drawn. */
  readonly came: (rows: readonly GridRow[], total: number, start: number) => void;
  readonly failed: (error: unknown) => void;
}

/** Reads the rows of a file as a grid asks for them: those in sight and around, whatever stands between them. */
export function rowsSource(api: Api, file: string, shown: Shown): IDatasource {
  const { table } = shown;
  return {
    getRows: ({ startRow, endRow, sortModel, successCallback, failCallback }) => {
      const sort = orderAsked(sortModel);
      shown.ordered(sort);
      const lines = shown.lines();
      const first = lines.at(startRow);
      const start = first.beneath ? first.row + 1 : first.row;
      const limit = Math.max(1, lines.at(endRow - 1).row + 1 - start);
      api.window(file, table.id, { start, limit, sort, ...shown.asked() }).subscribe({
        next: ({ rows, total }) => {
          const read = rows.map((cells) => toGridRow(table, cells));
          shown.came(read, total, start);
          const drawn = Array.from({ length: endRow - startRow }, (_, i) => lines.at(startRow + i)).flatMap(
            ({ row, beneath }) =>
              beneath ? [lineBeneath(beneath.block, beneath.line)] : (read[row - start] ?? []),
          );
          successCallback(drawn, lines.total(total));
        },
        error: (error: unknown) => {
          failCallback();
          shown.failed(error);
        },
      });
    },
  };
}
