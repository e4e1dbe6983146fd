import { ApplicationRef } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { MatDialog } from '@angular/material/dialog';
import { MATERIAL_ANIMATIONS } from '@angular/material/core';
import type { GridApi } from 'ag-grid-community';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { Steps } from '../file/steps.service';
import { Toast } from '../shared/toast.service';
import { after, setUpFile } from '../testing/bench';
import { FillCells } from './cells.service';
import { Lines } from './lines';
import { toGridRow, type GridRow } from './fill.store';

const LOANS = OFFICE.tables[1]!;
const IDS = ['f_lBorrower', 'f_lFee', 'f_lState', 'f_lNote'];

/** A row of loans: its number, and some of its fields. */
const loan = (number: number, fee: string, note: string): GridRow =>
  toGridRow(
    LOANS,
    LOANS.fields.map(({ id }) =>
      id === 'f_lNo'
        ? number
        : id === 'f_lBorrower'
          ? [1, 'Ann']
          : id === 'f_lFee'
            ? fee
            : id === 'f_lState'
              ? 'Out'
              : id === 'f_lNote'
                ? note
                : null,
    ),
  );

describe('FillCells', () => {
  let http: HttpTestingController;
  let cells: FillCells;
  let rows: GridRow[];
  let refreshed: number;

  beforeEach(() => {
    TestBed.configureTestingModule({
      providers: [FillCells, { provide: MATERIAL_ANIMATIONS, useValue: { animationsDisabled: true } }],
    });
    http = setUpFile();
    cells = TestBed.inject(FillCells);
    rows = [loan(1, '1.50', 'a'), loan(2, '2.00', 'two\nlines'), loan(3, '0.25', '')];
    refreshed = 0;
    // As much of a grid as the cells ask: what it displays.
    const grid = {
      addEventListener: () => undefined,
      refreshCells: () => undefined,
      getEditingCells: () => [],
      getAllDisplayedColumns: () => ['ag-Grid-SelectionColumn', ...IDS].map((id) => ({ getColId: () => id })),
      getDisplayedRowAtIndex: (i: number) => ({ data: rows[i] }),
    } as unknown as GridApi<GridRow>;
    cells.attach(grid, {
      table: () => LOANS,
      asked: () => ({ sort: [], search: '', conditions: [] }),
      editable: (table, { id }) => !table.key.includes(id),
      refresh: () => refreshed++,
      total: () => rows.length,
      lines: () => new Lines([]),
    });
  });
  afterEach(() => http.verify());

  /** Draws a block from one cell to another, as keys with Shift do. */
  function draw(from: [number, string], to: [number, string]): void {
    const focus = ([rowIndex, id]: [number, string]): void =>
      cells.focused({ rowIndex, rowPinned: null, column: { getColId: () => id } } as never);
    cells.noteFor(new KeyboardEvent('keydown', { key: 'ArrowDown' }));
    focus(from);
    cells.noteFor(new KeyboardEvent('keydown', { key: 'ArrowDown', shiftKey: true }));
    focus(to);
  }

  it('draws a block by Shift and tells its size and sums', () => {
    draw([0, 'f_lBorrower'], [2, 'f_lFee']);
    expect(cells.picked()).toBe('6 cells in 3 rows');
    expect(cells.sums()).toEqual([{ label: 'Fee', text: '£3.75' }]);
    expect([cells.holds(1, 'f_lFee'), cells.holds(1, 'f_lState'), cells.holds(null, 'f_lFee')]).toEqual([
      true,
      false,
      false,
    ]);
    // Rows that are read again take the focus away for a moment.
    cells.focused({ rowIndex: null, rowPinned: null, column: null } as never);
    expect(cells.picked()).toBe('6 cells in 3 rows');
    cells.noteFor(new KeyboardEvent('keydown', { key: 'Tab', shiftKey: true }));
    cells.focused({ rowIndex: 1, rowPinned: null, column: { getColId: () => 'f_lFee' } } as never);
    expect(cells.picked()).toBe('');
  });

  it('copies a block as text, as it would be typed', () => {
    draw([0, 'f_lBorrower'], [1, 'f_lNote']);
    const data = new DataTransfer();
    expect(cells.copy(data)).toBeTrue();
    expect(data.getData('text/plain')).toBe('Ann\t1.50\tOut\ta\nAnn\t2.00\tOut\t"two\nlines"');
  });

  it('pastes a block over the rows below, and one text over a whole block', async () => {
    draw([1, 'f_lFee'], [1, 'f_lFee']);
    expect(cells.paste('7\tBack\n8\tOut\n9\tOut\n')).toBeTrue();
    // The row that is not loaded is asked for: there is none, so it is a new one.
    await after(0);
    http.expectOne('/api/files/f_x/tables/t_loan/window').flush({
      total: 3,
      rows: rows
        .slice(1)
        .map(({ cells: held }) =>
          LOANS.fields.map(({ id }) => (id === 'f_lBorrower' ? [1, 'Ann'] : (held[id]?.value ?? null))),
        ),
    });
    await after(0);
    const { request, ...call } = http.expectOne('/api/files/f_x/tables/t_loan/paste');
    expect(request.body).toEqual({
      keys: [[2], [3]],
      fields: ['f_lFee', 'f_lState'],
      cells: [
        ['7', 'Back'],
        ['8', 'Out'],
        ['9', 'Out'],
      ],
    });
    void call;
  });

  it('takes note of what was pasted to undo it, and shows it', async () => {
    draw([0, 'f_lFee'], [1, 'f_lFee']);
    cells.paste('5');
    await after(0);
    const sent = http.expectOne('/api/files/f_x/tables/t_loan/paste');
    expect((sent.request.body as { cells: unknown }).cells).toEqual([['5'], ['5']]);
    sent.flush({ entry: 40, saved: [{}, {}] });
    await after(0);
    let turned = 0;
    TestBed.inject(Steps).turned.subscribe(() => turned++);
    expect([TestBed.inject(Steps).undoes(), refreshed]).toEqual(['Pasted 2 rows', 1]);
    cells.undo();
    http.expectOne('/api/files/f_x/log/40/undo').flush({ entry: 41, rows: 2, tables: [] });
    expect([TestBed.inject(Steps).redoes(), turned]).toEqual(['Pasted 2 rows', 1]);
  });

  it('says of each value why nothing was pasted', async () => {
    draw([0, 'f_lFee'], [0, 'f_lFee']);
    cells.paste('abc\tOut');
    await after(0);
    http.expectOne('/api/files/f_x/tables/t_loan/paste').flush(
      {
        detail: '1',
        errors: [
          {
            change: 0,
            table: 't_loan',
            key: [1],
            field: 'f_lFee',
            rule: null,
            message: '“abc” is not a number.',
          },
        ],
      },
      { status: 422, statusText: 'No' },
    );
    await after(0);
    await TestBed.inject(ApplicationRef).whenStable();
    const [dialog] = TestBed.inject(MatDialog).openDialogs;
    expect(dialog).toBeDefined();
    expect(document.querySelector('mat-dialog-container')!.textContent).toContain(
      'Row 1, Fee: “abc” is not a number.',
    );
    dialog!.close();
    expect(refreshed).toBe(0);
  });

  it('refuses a block that is wider than what is left', () => {
    draw([0, 'f_lNote'], [0, 'f_lNote']);
    expect(cells.paste('a\tb')).toBeTrue();
    expect(cells.paste('')).toBeFalse();
  });

  it('fills a block from its first row, and empties it, changing only what differs', async () => {
    draw([0, 'f_lFee'], [2, 'f_lState']);
    expect(cells.fill()).toBeTrue();
    await after(0);
    const filled = http.expectOne('/api/files/f_x/rows');
    expect(filled.request.body).toEqual({
      changes: [
        { op: 'update', table: 't_loan', key: [2], values: { f_lFee: '1.50' }, was: { f_lFee: '2.00' } },
        { op: 'update', table: 't_loan', key: [3], values: { f_lFee: '1.50' }, was: { f_lFee: '0.25' } },
      ],
    });
    filled.flush({ entry: 50, saved: [] });
    expect(cells.empty()).toBeTrue();
    await after(0);
    const { changes } = http.expectOne('/api/files/f_x/rows').request.body as {
      changes: { values: object }[];
    };
    expect(changes.map(({ values }) => values)).toEqual(Array(3).fill({ f_lFee: null, f_lState: null }));
    draw([0, 'f_lFee'], [0, 'f_lFee']);
    expect([cells.fill(), cells.empty()]).toEqual([false, false]);
  });

  it('leaves texts alone of which only the beginning is here, and says so', async () => {
    const said = spyOn(TestBed.inject(Toast), 'say');
    const long = { value: 'Once upon…', cut: 4_194_304 };
    rows = rows.map((row, i) => (i === 0 ? { ...row, cells: { ...row.cells, f_lNote: long } } : row));
    draw([0, 'f_lNote'], [1, 'f_lNote']);
    const data = new DataTransfer();
    cells.copy(data);
    expect(data.getData('text/plain')).toContain('Once upon…');
    cells.fill();
    cells.paste('a\nb\n');
    await after(0);
    expect(said.calls.allArgs().map(([text]) => text.split(':')[0])).toEqual([
      'Not all is copied',
      'Nothing was filled',
      'Nothing was pasted',
    ]);
    cells.empty();
    await after(0);
    const { changes } = http.expectOne('/api/files/f_x/rows').request.body as { changes: { key: unknown }[] };
    expect(changes.map(({ key }) => key)).toEqual([[2]]);
  });
});
