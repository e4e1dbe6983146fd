import { computed, inject, Injectable, signal } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import type { CellFocusedEvent, CellMouseOverEvent, GridApi } from 'ag-grid-community';
import { firstValueFrom, type Observable } from 'rxjs';
import { comesWithText, fieldOf, isGiven, valueKind, type Field, type Table } from '@heathridge/core/design';
import type { RowChange, RowError } from '@heathridge/core/rows';
import { readBlock, writeBlock } from '@heathridge/core/sheet';
import { editText, isSummed, sumShown, type Value } from '@heathridge/core/values';
import { FileStore } from '../file/file.store';
import { Steps } from '../file/steps.service';
import { Api, type WindowRequest } from '../shared/api.service';
import { ConfirmDialog, type Confirmation } from '../shared/confirm.dialog';
import { problemOf } from '../shared/problem';
import { Toast } from '../shared/toast.service';
import { isCut } from '../value/held';
import { toGridRow, type GridRow } from './fill.store';
import type { Lines } from './lines';
import { holds, isBlock, sidesOf, sizeWords, spread, type Place, type Range } from './picked-cells';

/** Rows of a block that is copied, pasted or filled at once. */
const MOST_ROWS = 5000;
/** Rows that are read by one call. */
const WINDOW = 1000;
/** Refusals that are listed. */
const MOST_LISTED = 8;

/** What the cells need to know of the page they are on. */
export interface Surroundings {
  readonly table: () => Table | null;
  /** What is asked of the rows, by which those that are not loaded are read. */
  readonly asked: () => Pick<WindowRequest, 'sort' | 'search' | 'conditions'>;
  readonly editable: (table: Table, field: Field) => boolean;
  /** Shows the rows anew, where they are. */
  readonly refresh: () => void;
  /** How many rows there are; 0 while it is not known. */
  readonly total: () => number;
  /** What stands between the rows: places here are those of the rows alone. */
  readonly lines: () => Lines;
}

/** The first of these fields of which some row holds a text whose beginning alone is here. */
const cutIn = (rows: readonly GridRow[], fields: readonly Field[]): Field | undefined =>
  fields.find(({ id }) => rows.some(({ cells }) => isCut(cells[id])));

const onlyBeginning = ({ label }: Field): string =>
  `a text under ${label} is too long for a field, and only its beginning is here.`;

/** The block of cells that is picked in the grid: drawn by mouse or keys, copied, pasted over, filled, emptied. */
@Injectable()
export class FillCells {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly steps = inject(Steps);
  private readonly toast = inject(Toast);
  private readonly dialog = inject(MatDialog);
  private grid: GridApi<GridRow> | null = null;
  private around: Surroundings | null = null;
  /** Whether the key or button that moves the focus goes on drawing the block. */
  private drawing = false;

  readonly range = signal<Range | null>(null);
  /** Grows when other values are shown. */
  private readonly shown = signal(0);
  readonly picked = computed(() => {
    const range = this.range();
    return isBlock(range) ? sizeWords(range) : '';
  });
  /** What the amounts in the picked cells come to, column by column, where all of its rows are loaded. */
  readonly sums = computed((): readonly { readonly label: string; readonly text: string }[] => {
    this.shown();
    const range = this.range();
    const [grid, table] = [this.grid, this.around?.table()];
    if (!isBlock(range) || !grid || !table) return [];
    const { top, bottom } = sidesOf(range);
    if (bottom - top >= MOST_ROWS) return [];
    const rows = this.loaded(top, bottom);
    if (!rows) return [];
    return this.fieldsOf(range).flatMap(({ id, label, type }) =>
      isSummed(valueKind(type))
        ? [
            {
              label,
              text: sumShown(
                valueKind(type),
                rows.map(({ cells }) => cells[id]?.value ?? null),
                this.store.locale(),
              ),
            },
          ]
        : [],
    );
  });

  attach(grid: GridApi<GridRow>, around: Surroundings): void {
    this.grid = grid;
    grid.addEventListener('modelUpdated', () => this.shown.update((times) => times + 1));
    this.around = around;
  }

  clear(): void {
    this.range.set(null);
  }

  holds(row: number | null, column: string): boolean {
    const range = this.range();
    const place = row === null ? null : this.around?.lines().at(row);
    return (
      place?.beneath === null && isBlock(range) && holds(range, place.row, this.columns().indexOf(column))
    );
  }

  /** Takes note of a key or a button before the grid moves the focus by it. */
  noteFor(event: KeyboardEvent | MouseEvent): void {
    this.drawing =
      event.shiftKey && (event instanceof MouseEvent || /^(Arrow|Page|Home|End)/.test(event.key));
  }

  over(event: CellMouseOverEvent<GridRow>): void {
    const mouse = event.event as MouseEvent | null;
    if (mouse?.buttons !== 1 || event.node.rowPinned || event.rowIndex === null) return;
    const from = this.range()?.from;
    const column = this.columns().indexOf(event.column.getColId());
    if (!from || column < 0 || this.grid?.getEditingCells().length) return;
    this.draw({ from, to: { row: this.placeOf(event.rowIndex), column } });
    getSelection()?.removeAllRanges();
  }

  focused(event: CellFocusedEvent<GridRow>): void {
    const column =
      typeof event.column === 'object' ? this.columns().indexOf(event.column?.getColId() ?? '') : -1;
    // While rows are read again nothing has the focus for a moment: what is picked stays.
    if (event.rowIndex === null) return;
    if (event.rowPinned || column < 0) {
      this.draw(null);
      return;
    }
    const to: Place = { row: this.placeOf(event.rowIndex), column };
    // The grid tells of the focus more than once for one key.
    const from = this.drawing ? (this.range()?.from ?? to) : to;
    this.draw({ from, to });
  }

  private draw(range: Range | null): void {
    const before = this.range();
    this.range.set(range);
    if (isBlock(before) || isBlock(range)) this.grid?.refreshCells({ force: true });
  }

  private placeOf(shown: number): number {
    return this.around?.lines().at(shown).row ?? shown;
  }

  private rowAt(place: number): GridRow | undefined {
    return this.grid?.getDisplayedRowAtIndex(this.around?.lines().shownAt(place) ?? place)?.data;
  }

  /** The row above what is shown at a place, where it is loaded. */
  above(shown: number): GridRow | undefined {
    return this.rowAt(this.placeOf(shown) - 1);
  }

  /** The row in which the block ends, or that has the focus. */
  current(): GridRow | undefined {
    const range = this.range();
    return range ? this.rowAt(range.to.row) : undefined;
  }

  /** Where the last row is shown; below nothing where there is none. */
  lastShown(): number {
    const total = this.around?.total() ?? 0;
    return this.around?.lines().shownAt(total - 1) ?? -1;
  }

  /** All cells of the rows that are shown. */
  all(): void {
    const total = this.around?.total() ?? 0;
    if (total > 0)
      this.draw({ from: { row: 0, column: 0 }, to: { row: total - 1, column: this.columns().length - 1 } });
  }

  private columns(): string[] {
    const table = this.around?.table();
    return (this.grid?.getAllDisplayedColumns() ?? [])
      .map((column) => column.getColId())
      .filter((id) => table && fieldOf(table, id));
  }

  private fieldsOf(range: Range): Field[] {
    const table = this.around?.table();
    const { left, right } = sidesOf(range);
    return table
      ? this.columns()
          .slice(left, right + 1)
          .map((id) => fieldOf(table, id)!)
      : [];
  }

  /** The rows of a block as they are loaded; null where one is not. */
  private loaded(top: number, bottom: number): GridRow[] | null {
    const rows: GridRow[] = [];
    for (let i = top; i <= bottom; i++) {
      const row = this.rowAt(i);
      if (!row) return null;
      rows.push(row);
    }
    return rows;
  }

  /** The rows of a block: those that are not loaded are read. */
  private async rows(top: number, bottom: number): Promise<GridRow[]> {
    const known = this.loaded(top, bottom);
    const table = this.around?.table();
    if (known || !table || !this.around) return known ?? [];
    const rows: GridRow[] = [];
    for (let start = top; start <= bottom; start += WINDOW) {
      const limit = Math.min(WINDOW, bottom - start + 1);
      const request = { ...this.around.asked(), start, limit };
      const { rows: read } = await firstValueFrom(this.api.window(this.store.file, table.id, request));
      rows.push(...read.map((cells) => toGridRow(table, cells)));
      if (read.length < limit) break;
    }
    return rows;
  }

  /** The text with which a cell is copied: as it would be typed. */
  private text(row: GridRow, field: Field): string {
    const held = row.cells[field.id];
    if (!held || held.value === null) return '';
    if (comesWithText(field)) return held.text ?? String(held.value);
    return editText(valueKind(field.type), held.value, this.store.locale());
  }

  private isTooMany(top: number, bottom: number): boolean {
    if (bottom - top < MOST_ROWS) return false;
    this.toast.say(`At most ${MOST_ROWS.toLocaleString('en-GB')} rows are worked with at once here.`);
    return true;
  }

  /** Copies the block, or the cell that has the focus; true when there was one. */
  copy(data: DataTransfer | null): boolean {
    const range = this.range();
    if (!range) return false;
    const { top, bottom } = sidesOf(range);
    if (this.isTooMany(top, bottom)) return true;
    const fields = this.fieldsOf(range);
    const written = (rows: readonly GridRow[]): string =>
      writeBlock(rows.map((row) => fields.map((field) => this.text(row, field))));
    const said = (rows: readonly GridRow[]): string | null => {
      const cut = cutIn(rows, fields);
      return cut ? `Not all is copied: ${onlyBeginning(cut)}` : null;
    };
    const known = this.loaded(top, bottom);
    if (known && data) {
      data.setData('text/plain', written(known));
      const less = said(known);
      if (less !== null) this.toast.say(less);
    } else
      this.rows(top, bottom)
        .then(async (rows) => {
          await navigator.clipboard.writeText(written(rows));
          this.toast.say(said(rows) ?? `${bottom - top + 1} rows are copied.`);
        })
        .catch((error: unknown) => this.toast.problem(error));
    return true;
  }

  /** Puts a text that was copied elsewhere over the block; true when it was taken. */
  paste(text: string): boolean {
    const range = this.range();
    const table = this.around?.table();
    if (!range || !table || text === '') return false;
    const { top, left } = sidesOf(range);
    const cells = spread(readBlock(text), range);
    if (this.isTooMany(top, top + cells.length - 1)) return true;
    const width = Math.max(...cells.map((row) => row.length));
    const fields = this.columns()
      .slice(left, left + width)
      .map((id) => fieldOf(table, id)!);
    if (width > fields.length) {
      this.toast.say(
        `Nothing was pasted: the block has ${width} columns, and here only ${fields.length} ${fields.length === 1 ? 'is' : 'are'} left of this one.`,
      );
      return true;
    }
    void this.put(table, fields, cells, top);
    return true;
  }

  private async put(
    table: Table,
    fields: readonly Field[],
    cells: readonly (readonly string[])[],
    top: number,
  ): Promise<void> {
    try {
      const rows = await this.rows(top, top + cells.length - 1);
      const cut = cutIn(rows.slice(0, cells.length), fields);
      if (cut) {
        this.toast.say(`Nothing was pasted: ${onlyBeginning(cut)}`);
        return;
      }
      const keys = rows.slice(0, cells.length).flatMap(({ key }) => (key ? [key] : []));
      const request = { keys, fields: fields.map(({ id }) => id), cells };
      const { entry, saved } = await firstValueFrom(this.api.pasteRows(this.store.file, table.id, request));
      const added = saved.length - keys.length;
      this.done(
        entry,
        `Pasted ${keys.length} ${keys.length === 1 ? 'row' : 'rows'}${added > 0 ? `, ${added} new` : ''}`,
      );
    } catch (error) {
      this.refused('pasted', error, cells, fields);
    }
  }

  /** Gives every row of the block the values of its first; true when there was a block. */
  fill(): boolean {
    const range = this.range();
    if (!isBlock(range) || range.from.row === range.to.row) return false;
    const { top, bottom } = sidesOf(range);
    if (this.isTooMany(top, bottom)) return true;
    void this.rows(top, bottom).then(([first, ...others]) => {
      const cut = first && cutIn([first], this.fieldsOf(range));
      if (cut) this.toast.say(`Nothing was filled: ${onlyBeginning(cut)}`);
      else if (first) this.change('Filled', range, others, (field) => first.cells[field.id]?.value ?? null);
    }, this.toast.problem.bind(this.toast));
    return true;
  }

  /** Empties the block; true when there was one. */
  empty(): boolean {
    const range = this.range();
    if (!isBlock(range)) return false;
    const { top, bottom } = sidesOf(range);
    if (this.isTooMany(top, bottom)) return true;
    void this.rows(top, bottom).then((rows) => {
      this.change('Emptied', range, rows, ({ type }) => (type.kind === 'tick' ? false : null));
    }, this.toast.problem.bind(this.toast));
    return true;
  }

  /** Changes the cells of a block that can be, all of them or none. */
  private change(what: string, range: Range, rows: readonly GridRow[], value: (field: Field) => Value): void {
    const [table, around] = [this.around?.table(), this.around];
    if (!table || !around) return;
    const fields = this.fieldsOf(range).filter((field) => !isGiven(field) && around.editable(table, field));
    if (fields.length === 0) {
      this.toast.say('Nothing was changed: these cells are filled by themselves.');
      return;
    }
    const changes = rows.flatMap((row): RowChange[] => {
      const now = (field: Field): Value => row.cells[field.id]?.value ?? null;
      const others = fields.filter((field) => !isCut(row.cells[field.id]) && now(field) !== value(field));
      if (!row.key || others.length === 0) return [];
      return [
        {
          op: 'update',
          table: table.id,
          key: row.key,
          values: Object.fromEntries(others.map((field) => [field.id, value(field)])),
          was: Object.fromEntries(others.map((field) => [field.id, now(field)])),
        },
      ];
    });
    const cut = cutIn(rows, fields);
    if (changes.length === 0) {
      if (cut) this.toast.say(`Nothing was changed: ${onlyBeginning(cut)}`);
      return;
    }
    this.api.saveRows(this.store.file, { changes }).subscribe({
      next: ({ entry }) =>
        this.done(entry, `${what} ${changes.length} ${changes.length === 1 ? 'row' : 'rows'}`),
      error: (error: unknown) => this.refused(what.toLowerCase(), error, [], fields),
    });
  }

  private done(entry: number, what: string): void {
    this.steps.did(entry, what);
    this.toast.say(`${what}. Ctrl+Z undoes it.`);
    this.around?.refresh();
  }

  /** Says what of a block was refused, and that nothing of it was taken. */
  private refused(
    what: string,
    error: unknown,
    cells: readonly (readonly string[])[],
    fields: readonly Field[],
  ): void {
    const { errors = [] } = problemOf(error);
    if (errors.length === 0) {
      this.toast.problem(error);
      return;
    }
    const said = ({ change, field: id, message }: RowError): string => {
      const place = fields.findIndex((field) => field.id === id);
      const typed = cells[change]?.[place]?.slice(0, 40);
      const text = typed && !message.includes(typed) ? typed : '';
      return `Row ${change + 1}${place >= 0 ? `, ${fields[place]!.label}` : ''}${text ? ` “${text}”` : ''}: ${message}`;
    };
    const more = errors.length - MOST_LISTED;
    const data: Confirmation = {
      title: `Nothing was ${what}`,
      text: errors.length === 1 ? 'One value cannot be taken:' : `${errors.length} values cannot be taken:`,
      lines: [...errors.slice(0, MOST_LISTED).map(said), ...(more > 0 ? [`… and ${more} more`] : [])],
      stay: 'Close',
    };
    this.dialog.open<ConfirmDialog, Confirmation, boolean>(ConfirmDialog, { data });
  }

  undo(): void {
    this.turn(this.steps.undoes(), this.steps.undo(), 'Undone');
  }

  redo(): void {
    this.turn(this.steps.redoes(), this.steps.redo(), 'Done again');
  }

  private turn(what: string, turning: Observable<unknown> | null, word: string): void {
    if (!turning) {
      this.toast.say(word === 'Undone' ? 'There is nothing to undo.' : 'There is nothing to do again.');
      return;
    }
    turning.subscribe({
      next: () => this.toast.say(`${word}: ${what}.`),
      error: (error: unknown) => {
        this.toast.problem(error);
        this.around?.refresh();
      },
    });
  }
}
