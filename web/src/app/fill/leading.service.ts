import { inject, Injectable } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { ColDef, GridApi, ICellRendererParams } from 'ag-grid-community';
import { debounceTime, filter, Subject } from 'rxjs';
import { linksTo, type Field, type Table } from '@heathridge/core/design';
import { FileStore } from '../file/file.store';
import { ALL, FileNews } from '../file/news.service';
import { Api } from '../shared/api.service';
import { Toast } from '../shared/toast.service';
import { rowId, type GridRow } from './fill.store';
import { isOwnKey } from '../grid/grid-base';

/** Rows of another table that lead to the rows of this one, by a lookup. */
export interface Leading {
  /** The id of their column here. */
  readonly id: string;
  readonly label: string;
  readonly child: Table;
  readonly link: Field;
}

/** How many rows lead to a row, and what the first of them are called. */
type Led = readonly [count: number, names: readonly string[]];

/** Rows that are asked for at once. */
const MOST = 500;
/** Rows of which it is kept what leads to them: far more than a grid holds at a time. */
const MOST_KNOWN = 20_000;

/** The ways by which rows of other tables lead to a table. One that leads from several fields is told by each of them. */
export function leadingTo(design: Parameters<typeof linksTo>[0], table: Table): Leading[] {
  return linksTo(design, table.id).map(({ table: child, field: link }, _, all) => ({
    id: link.id.replace(/^[a-z]+_/, 'led_'),
    label:
      all.filter((other) => other.table.id === child.id).length > 1
        ? `${child.plural} (${link.label})`
        : child.plural,
    child,
    link,
  }));
}

/** As it stands in a cell: how many there are, and the first by name. */
export function ledText(led: Led | undefined): string {
  if (!led) return '';
  const [count, names] = led;
  if (count === 0) return 'none';
  const more = count > names.length ? ', …' : '';
  return `${count.toLocaleString('en-GB')}: ${names.join(', ')}${more}`;
}

/** What the rows of other tables lead to in a grid, as a short list in a cell for each way. */
@Injectable()
export class LeadingRows {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly toast = inject(Toast);
  private grid: GridApi<GridRow> | null = null;
  private table: Table | null = null;
  private known = new Map<string, readonly Led[]>();
  private ways: readonly Leading[] = [];
  private readonly stale = new Subject<void>();

  constructor() {
    inject(FileNews)
      .all.pipe(
        filter((news) => news === ALL || news.tables.some(({ table }) => this.comesFrom(table))),
        takeUntilDestroyed(),
      )
      .subscribe(() => this.stale.next());
    // Several saves may come at once.
    this.stale.pipe(debounceTime(150), takeUntilDestroyed()).subscribe(() => this.readAgain());
  }

  private comesFrom(table: string): boolean {
    return this.ways.some(({ child }) => child.id === table);
  }

  attach(grid: GridApi<GridRow>): void {
    this.grid = grid;
  }

  /** Says to which table rows are led from now on, and by which ways. */
  show(table: Table, ways: readonly Leading[]): void {
    this.table = table;
    this.ways = ways;
    this.known = new Map();
  }

  column(way: Leading, isOpen: (row: GridRow, way: Leading) => boolean): ColDef<GridRow> {
    return {
      colId: way.id,
      headerName: way.label,
      headerTooltip: `${way.label}: how many there are, and the first by name`,
      width: 220,
      minWidth: 90,
      sortable: false,
      resizable: true,
      editable: false,
      // These keys unfold: nothing is ticked by them here.
      suppressKeyboardEvent: ({ event }) => event.key === ' ' || event.key === 'Enter' || isOwnKey(event),
      valueGetter: ({ data }) => this.textOf(data, way),
      cellClass: ({ data }) => [
        'led',
        ...(data?.key ? ['unfolds'] : []),
        ...(data && isOpen(data, way) ? ['unfolded'] : []),
      ],
      tooltipValueGetter: ({ data }) => this.textOf(data, way),
      cellRenderer: ({ data, value, eGridCell }: ICellRendererParams<GridRow, string>) => {
        if (data?.key) eGridCell.setAttribute('aria-expanded', String(isOpen(data, way)));
        const text = document.createElement('span');
        text.textContent = value ?? '';
        return text;
      },
    };
  }

  private at(way: Leading): number {
    return this.ways.findIndex(({ id }) => id === way.id);
  }

  private textOf(row: GridRow | undefined, way: Leading): string {
    const known = row?.key ? this.known.get(rowId(row.key)) : undefined;
    return ledText(known?.[this.at(way)]);
  }

  /** How many rows lead to a row; null while that is not known. */
  count(row: GridRow, way: Leading): number | null {
    return this.known.get(rowId(row.key))?.[this.at(way)]?.[0] ?? null;
  }

  /** Asks what leads to these rows, once they are there. */
  read(rows: readonly GridRow[]): void {
    const [table, ways] = [this.table, this.ways];
    const keys = rows.flatMap(({ key }) => (key ? [key] : []));
    if (!table || ways.length === 0) return;
    for (let start = 0; start < keys.length; start += MOST) {
      const some = keys.slice(start, start + MOST);
      const links = ways.map(({ link }) => link.id);
      this.api.children(this.store.file, table.id, some, links).subscribe({
        next: ({ children }) => {
          if (this.ways !== ways) return;
          if (this.known.size > MOST_KNOWN) this.forgetUnseen();
          some.forEach((key, i) =>
            this.known.set(
              rowId(key),
              children.map((led) => led[i]!),
            ),
          );
          this.grid?.refreshCells({ columns: ways.map(({ id }) => id) });
        },
        error: (error: unknown) => this.toast.problem(error),
      });
    }
  }

  /** Keeps what is known of the rows that the grid holds alone. */
  private forgetUnseen(): void {
    const held = new Set<string>();
    this.grid?.forEachNode(({ data }) => data?.key && held.add(rowId(data.key)));
    this.known = new Map([...this.known].filter(([id]) => held.has(id)));
  }

  /** Asks again for the rows that are shown; what is out of sight is asked for when it comes. */
  private readAgain(): void {
    const rows: GridRow[] = [];
    this.grid?.forEachNode(({ data }) => data?.key && rows.push(data));
    this.read(rows);
  }
}
