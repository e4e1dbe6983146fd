import { TestBed } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import type { ColumnState, GridApi } from 'ag-grid-community';
import { of } from 'rxjs';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { button, setUpFile } from '../testing/bench';
import { ColumnsDialog, type Columns } from './columns.dialog';
import type { GridRow } from './fill.store';
import { ViewDialog } from './view.dialog';
import { FillViews } from './views.service';

const LOANS = OFFICE.tables[1]!;
const VIEWS = '/api/files/f_x/tables/t_loan/views';

describe('FillViews', () => {
  let http: HttpTestingController;
  let views: FillViews;
  let state: ColumnState[];
  let asked: readonly string[];
  let answer: unknown;

  beforeEach(() => {
    TestBed.configureTestingModule({
      providers: [FillViews, { provide: LazyDialogs, useValue: { open: () => of(answer) } }],
    });
    http = setUpFile();
    views = TestBed.inject(FillViews);
    state = [
      { colId: 'ag-Grid-SelectionColumn' },
      ...LOANS.fields.map(({ id }) => ({ colId: id, width: 100 })),
    ];
    asked = ['TRUE'];
    const grid = {
      getColumnState: () => state,
      applyColumnState: ({ state: next }: { state: ColumnState[] }) => (state = next),
      resetColumnState: () => (state = []),
    } as unknown as GridApi<GridRow>;
    views.attach(grid, {
      table: () => LOANS,
      more: () => [],
      conditions: () => asked,
      ask: (conditions) => (asked = conditions),
    });
    views.read(LOANS);
  });
  afterEach(() => http.verify());

  const known = {
    id: 'v_a',
    name: 'Short',
    everyone: true,
    by: 'Mara',
    view: {
      columns: [
        { field: 'f_lFee', width: 60, hidden: false, frozen: true },
        { field: 'f_lNote', hidden: true, frozen: false },
      ],
      sort: [{ field: 'f_lFee', descending: true }],
      conditions: ['"#f_lFee" > 1'],
    },
  };

  it('shows a view: order, widths, what is hidden and stays, how rows are sorted and which are shown', () => {
    http.expectOne(VIEWS).flush({ views: [known] });
    views.show(views.all()[0]!);
    expect(state.slice(0, 3)).toEqual([
      jasmine.objectContaining({ colId: 'ag-Grid-SelectionColumn' }),
      jasmine.objectContaining({ colId: 'f_lFee', width: 60, pinned: 'left', sort: 'desc', sortIndex: 0 }),
      jasmine.objectContaining({ colId: 'f_lNote', hide: true, pinned: null, sort: null }),
    ]);
    // Fields that the view does not know stand behind.
    expect(state.length).toBe(LOANS.fields.length + 1);
    expect(asked).toEqual(['"#f_lFee" > 1']);
    views.usual();
    expect([asked, views.current()]).toEqual([[], null]);
  });

  it('keeps what is shown under a name, and drops it', () => {
    http.expectOne(VIEWS).flush({ views: [] });
    state[1] = { ...state[1]!, hide: true };
    answer = { name: 'Mine', everyone: false };
    views.keep();
    const sent = http.expectOne(VIEWS);
    expect(sent.request.method).toBe('PUT');
    const { name, view } = sent.request.body as { name: string; view: typeof known.view };
    expect([name, view.columns[0]!.hidden, view.columns[1]!.hidden, view.conditions]).toEqual([
      'Mine',
      true,
      false,
      ['TRUE'],
    ]);
    sent.flush({ id: 'v_b' });
    expect(views.current()!.name).toBe('Mine');
    views.drop(views.current()!);
    http.expectOne(`${VIEWS}/v_b`).flush({ gone: true });
    expect([views.all(), views.current()]).toEqual([[], null]);
  });

  it('shows columns as they were chosen', () => {
    http.expectOne(VIEWS).flush({ views: [] });
    answer = [{ field: 'f_lNote', hidden: false, frozen: true }];
    views.columns();
    expect(state.find(({ colId }) => colId === 'f_lNote')!.pinned).toBe('left');
  });
});

describe('ColumnsDialog', () => {
  it('moves, hides and keeps columns in sight, and shows at least one', async () => {
    const data: Columns = {
      columns: ['f_a', 'f_b'].map((field) => ({ field, hidden: false, frozen: false })),
      label: (field) => field.slice(2).toUpperCase(),
    };
    TestBed.configureTestingModule({ providers: [{ provide: MAT_DIALOG_DATA, useValue: data }] });
    setUpFile();
    const fixture = TestBed.createComponent(ColumnsDialog);
    await fixture.whenStable();
    const page = fixture.nativeElement as HTMLElement;
    button(page, 'Move B up').click();
    await fixture.whenStable();
    expect(fixture.componentInstance.columns().map(({ field }) => field)).toEqual(['f_b', 'f_a']);
    fixture.componentInstance.set(0, { hidden: true });
    fixture.componentInstance.set(1, { hidden: true });
    await fixture.whenStable();
    expect(button(page, 'Show so').disabled).toBeTrue();
    expect(page.textContent).toContain('At least one column is shown.');
  });
});

describe('ViewDialog', () => {
  it('asks for a name, and is closed with it', async () => {
    const close = jasmine.createSpy('close');
    TestBed.configureTestingModule({
      providers: [
        { provide: MAT_DIALOG_DATA, useValue: null },
        { provide: MatDialogRef, useValue: { close } },
      ],
    });
    setUpFile();
    const fixture = TestBed.createComponent(ViewDialog);
    await fixture.whenStable();
    button(fixture.nativeElement as HTMLElement, 'Keep').click();
    await fixture.whenStable();
    expect((fixture.nativeElement as HTMLElement).textContent).toContain('A view needs a name.');
    fixture.componentInstance.name.set(' Short ');
    fixture.componentInstance.keep();
    expect(close).toHaveBeenCalledOnceWith({ name: 'Short', everyone: false });
  });
});
