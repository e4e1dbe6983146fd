import { booleanAttribute, Component, computed, input, output } from '@angular/core';
import { AgGridAngular } from 'ag-grid-angular';
import {
  ClientSideRowModelModule,
  ModuleRegistry,
  type CellClickedEvent,
  type CellKeyDownEvent,
  type ColDef,
  type ColGroupDef,
  type FullWidthCellKeyDownEvent,
  type GridOptions,
} from 'ag-grid-community';
import type { PivotCell, PivotModel } from '@heathridge/core/query';
import { isNumeric } from '@heathridge/core/values';
import { gridBase, isOwnKey } from '../grid/grid-base';

ModuleRegistry.registerModules([ClientSideRowModelModule]);

type Row = PivotModel['rows'][number];

/** A cell of a pivot whose rows are asked for, and what it is of. */
export interface PivotPick {
  readonly keys: PivotCell['keys'];
  readonly of: string;
}

const ALL = 'All';

/** Groups laid out both ways, with subtotals; a cell leads to the rows behind it. */
@Component({
  selector: 'hr-pivot',
  imports: [AgGridAngular],
  template: `
    <ag-grid-angular
      class="grid"
      [gridOptions]="options"
      [rowData]="rows()"
      [columnDefs]="columns()"
      (cellClicked)="clicked($event)"
      (cellKeyDown)="key($event)"
    />
    @for (note of model().notes; track note) {
      <p class="soft small note">{{ note }}</p>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      height: 100%;
    }
    .grid {
      flex: 1;
      min-height: 140px;
    }
    .note {
      padding: 4px 14px 6px;
    }
  `,
})
export class PivotComponent {
  readonly model = input.required<PivotModel>();
  readonly heat = input.required<boolean>();
  /** Whether the rows behind a cell can be asked for. */
  readonly opens = input(false, { transform: booleanAttribute });
  readonly picked = output<PivotPick>();

  protected readonly rows = computed((): Row[] => [...this.model().rows]);
  protected readonly options: GridOptions<Row> = {
    ...gridBase<Row>('No group is left. The funnel shows which part empties it.'),
    rowModelType: 'clientSide',
    suppressMovableColumns: true,
    defaultColDef: { sortable: false, suppressKeyboardEvent: ({ event }) => isOwnKey(event) },
    getRowStyle: ({ data }) => (data?.isTotal ? { fontWeight: 'bold' } : undefined),
  };

  protected readonly columns = computed((): (ColDef<Row> | ColGroupDef<Row>)[] => {
    const { down, across, measures, columns } = this.model();
    const heat = this.heat();
    const several = measures.length > 1;
    const opens = this.opens();
    const names = down.map((label, i): ColDef<Row> => ({
      colId: `down ${i}`,
      headerName: label,
      pinned: 'left',
      width: 150,
      tooltipValueGetter: ({ data }) => data?.names[i],
      valueGetter: ({ data, node }) => {
        if (!data) return '';
        const own = data.names[i];
        if (own === undefined) return data.isTotal && data.names.length === i ? ALL : '';
        // What stands above it already is not said again.
        const above = this.rows()[(node?.rowIndex ?? 0) - 1];
        const isSame = above?.names.slice(0, i + 1).join('\n') === data.names.slice(0, i + 1).join('\n');
        return isSame && i < data.names.length - 1 ? '' : own;
      },
    }));
    const leaf = (c: number, m: number, headerName: string): ColDef<Row> => ({
      colId: `cell ${c} ${m}`,
      headerName,
      width: Math.max(104, headerName.length * 8 + 30),
      type: isNumeric(measures[m]!.kind) ? 'rightAligned' : undefined,
      valueGetter: ({ data }) => data?.cells[c]?.[m]?.text ?? '',
      cellStyle: ({ data }) => ({
        fontWeight: columns[c]!.isTotal || data?.isTotal ? 'bold' : 'normal',
        backgroundColor: shade(heat ? (data?.cells[c]?.[m]?.heat ?? null) : null),
        textAlign: isNumeric(measures[m]!.kind) ? 'right' : 'left',
        cursor: opens ? 'pointer' : 'default',
      }),
    });
    // Headings stand above one another, a level for each of what runs across.
    const grouped = (from: number, to: number, level: number): (ColDef<Row> | ColGroupDef<Row>)[] => {
      const all: (ColDef<Row> | ColGroupDef<Row>)[] = [];
      for (let c = from; c < to;) {
        const { names: own, isTotal } = columns[c]!;
        if (own.length <= level) {
          const title = isTotal ? ALL : '';
          const leaves = measures.map((measure, m) =>
            leaf(c, m, several || across.length === 0 ? measure.label : title),
          );
          if (several && across.length > 0)
            all.push({ headerName: title, groupId: `of ${c} ${level}`, children: leaves });
          else all.push(...leaves);
          c++;
          continue;
        }
        let end = c + 1;
        while (end < to && columns[end]!.names[level] === own[level] && columns[end]!.names.length > level)
          end++;
        const isLast = level === across.length - 1;
        if (isLast && !several) all.push(leaf(c, 0, own[level]!));
        else
          all.push({
            headerName: own[level]!,
            groupId: `of ${c} ${level}`,
            children: isLast
              ? measures.map((measure, m) => leaf(c, m, measure.label))
              : grouped(c, end, level + 1),
          });
        c = isLast ? c + 1 : end;
      }
      return all;
    };
    return [...names, ...grouped(0, columns.length, 0)];
  });

  protected clicked({ data, column }: CellClickedEvent<Row>): void {
    if (data) this.pick(data, column.getColId());
  }

  protected key(event: CellKeyDownEvent<Row> | FullWidthCellKeyDownEvent<Row>): void {
    if (
      'column' in event &&
      event.data &&
      event.event instanceof KeyboardEvent &&
      event.event.key === 'Enter'
    )
      this.pick(event.data, event.column.getColId());
  }

  private pick(row: Row, id: string): void {
    const [what, c, m] = id.split(' ');
    const cell = row.cells[Number(c)]?.[Number(m)];
    if (what !== 'cell' || !cell || !this.opens()) return;
    const of = [...row.names, ...this.model().columns[Number(c)]!.names].join(', ');
    this.picked.emit({ keys: cell.keys, of: of === '' ? 'all' : of });
  }
}

/** A shade of moss, deeper for more; the number stands there all the same. */
const shade = (heat: number | null): string =>
  heat === null
    ? 'transparent'
    : `color-mix(in srgb, var(--hr-moss) ${Math.round(4 + heat * 34)}%, transparent)`;
