import { TestBed } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { firstValueFrom } from 'rxjs';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { setUpFile } from '../testing/bench';
import { FillStore, rowId, toGridRow, type GridRow } from './fill.store';

const LOAN = OFFICE.tables[1]!;
const FEE = LOAN.fields[4]!;

describe('FillStore', () => {
  let http: HttpTestingController;
  let fill: FillStore;
  let row: GridRow;

  beforeEach(() => {
    http = setUpFile();
    TestBed.runInInjectionContext(() => (fill = new FillStore()));
    row = toGridRow(LOAN, [1000, [1, 'Ada'], '2026-11-01', null, '3.50', 'Out', null]);
  });

  const refuse = (errors: object[]): void =>
    http
      .expectOne('/api/files/f_x/rows')
      .flush(
        { type: '/problems/rows-refused', status: 422, detail: 'No.', errors },
        { status: 422, statusText: 'x' },
      );

  it('reads a row of the window by its key', () => {
    expect(row.key).toEqual([1000]);
    expect(rowId(row.key)).toBe('[1000]');
    expect(row.cells['f_lBorrower']).toEqual({ value: 1, text: 'Ada' });
  });

  it('saves one cell with what it was', async () => {
    const taken = firstValueFrom(fill.edit(LOAN, row, FEE, { value: '4.00' }));
    const request = http.expectOne('/api/files/f_x/rows');
    expect(request.request.body.changes).toEqual([
      { op: 'update', table: 't_loan', key: [1000], values: { f_lFee: '4.00' }, was: { f_lFee: '3.50' } },
    ]);
    request.flush({ saved: [] });
    expect(await taken).toBeTrue();
    expect(row.cells['f_lFee']).toEqual({ value: '4.00' });
  });

  it('keeps a refused value waiting in its cell, and forgets it once it is put right', async () => {
    const first = firstValueFrom(fill.edit(LOAN, row, FEE, { value: '-1.00' }));
    refuse([{ field: 'f_lFee', message: 'A fee is 0 or more.' }]);
    expect(await first).toBeFalse();
    expect(row.cells['f_lFee']).toEqual({ value: '3.50' });
    expect(fill.refusedAt(row, 'f_lFee')).toEqual(
      jasmine.objectContaining({ message: 'A fee is 0 or more.', held: { value: '-1.00' } }),
    );
    const second = firstValueFrom(fill.edit(LOAN, row, FEE, { value: '1.00' }));
    http.expectOne('/api/files/f_x/rows').flush({ saved: [] });
    await second;
    expect(fill.refused().size).toBe(0);
  });

  it('keeps what cannot be read without asking the server', async () => {
    expect(
      await firstValueFrom(
        fill.edit(LOAN, row, FEE, { value: '3.50', typed: 'lots', problem: 'not a number' }),
      ),
    ).toBeFalse();
    http.expectNone('/api/files/f_x/rows');
    expect(fill.refusedAt(row, 'f_lFee')!.held.typed).toBe('lots');
  });

  it('keeps typing when the server cannot be reached', async () => {
    const taken = firstValueFrom(fill.edit(LOAN, row, FEE, { value: '9.00' }));
    http.expectOne('/api/files/f_x/rows').error(new ProgressEvent('error'));
    expect(await taken).toBeFalse();
    expect(fill.refusedAt(row, 'f_lFee')!.message).toContain('cannot be reached');
  });

  it('takes their value as the one to change next after a clash', async () => {
    const taken = firstValueFrom(fill.edit(LOAN, row, FEE, { value: '5.00' }));
    refuse([{ field: 'f_lFee', message: 'Somebody else has changed Fee meanwhile.', theirs: '4.00' }]);
    await taken;
    expect(row.cells['f_lFee']).toEqual({ value: '4.00' });
    void firstValueFrom(fill.edit(LOAN, row, FEE, { value: '5.00' }));
    const request = http.expectOne('/api/files/f_x/rows');
    expect(request.request.body.changes[0].was).toEqual({ f_lFee: '4.00' });
    request.flush({ saved: [] });
  });

  it('starts a new row with its starting values and knows what is missing', () => {
    const fresh = fill.newRow(LOAN);
    expect(fresh.cells['f_lFrom']).toEqual({ value: '2026-11-25' });
    expect(fill.missing(LOAN, fresh).map(({ message }) => message)).toEqual(['Borrower is always filled.']);
    fresh.cells['f_lBorrower'] = { value: 1, text: 'Ada' };
    expect(fill.missing(LOAN, fresh)).toEqual([]);
  });

  it('adds a new row without its running number, or says beside which cells it waits', async () => {
    const fresh = fill.newRow(LOAN);
    fresh.cells['f_lBorrower'] = { value: 99, text: 'Gone' };
    const first = firstValueFrom(fill.insert(LOAN, fresh));
    refuse([{ field: 'f_lBorrower', message: 'This borrower is no longer there.' }]);
    expect(await first).toBeNull();
    expect(fill.refusedAt(fresh, 'f_lBorrower')!.row).toBe('new');
    const second = firstValueFrom(fill.insert(LOAN, fresh));
    const request = http.expectOne('/api/files/f_x/rows');
    expect(Object.keys(request.request.body.changes[0].values)).not.toContain('f_lNo');
    request.flush({ saved: [{ key: [1001] }] });
    expect(await second).toEqual([1001]);
    expect(fill.refused().size).toBe(0);
  });

  it('deletes rows together', async () => {
    const gone = firstValueFrom(fill.remove(LOAN, [row, { key: null, cells: {} }]));
    const request = http.expectOne('/api/files/f_x/rows');
    expect(request.request.body.changes).toEqual([{ op: 'delete', table: 't_loan', key: [1000] }]);
    request.flush({ saved: [] });
    await gone;
  });
});
