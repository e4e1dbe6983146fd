import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { MAT_DIALOG_DATA } from '@angular/material/dialog';
import type { Value } from '@heathridge/core/values';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { FileStore } from '../file/file.store';
import { Steps } from '../file/steps.service';
import { button, setUpFile } from '../testing/bench';
import { PastDialog, type Past } from './past.dialog';

const LOANS = OFFICE.tables[1]!;

describe('PastDialog', () => {
  let fixture: ComponentFixture<PastDialog>;
  let http: HttpTestingController;
  let changed: jasmine.Spy<() => void>;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;
  const text = (): string => page().textContent.replace(/\s+/g, ' ');

  async function open(now: Record<string, Value> | null): Promise<void> {
    changed = jasmine.createSpy('changed');
    TestBed.configureTestingModule({
      providers: [
        {
          provide: MAT_DIALOG_DATA,
          useFactory: (): Past => ({
            store: TestBed.inject(FileStore),
            steps: TestBed.inject(Steps),
            row: now && { table: LOANS, key: [1000], title: 'Loan 1000', now: (field) => now[field] ?? null },
            changed,
          }),
        },
      ],
    });
    http = setUpFile();
    fixture = TestBed.createComponent(PastDialog);
    await fixture.whenStable();
  }

  const FEE = { field: 'f_lFee', before: { value: '9.50' }, after: { value: '12.00' } };
  const BORROWER = {
    field: 'f_lBorrower',
    before: { value: 1, text: 'Ann' },
    after: { value: 2, text: 'Bo' },
  };
  const rowUrl = ({ url }: { url: string }): boolean => url === '/api/files/f_x/tables/t_loan/past';

  it('shows long texts by their beginning, and puts none back that is not here as a whole', async () => {
    await open({ f_lNote: 'now' });
    const note = (value: string, cut?: number) => ({
      field: 'f_lNote',
      before: { value, ...(cut !== undefined && { cut }) },
      after: { value: 'now' },
    });
    const entry = (id: number, change: object) => ({
      entry: id,
      at: '2026-11-25T10:00:00Z',
      by: 'Mara',
      op: 'update',
      changes: [change],
    });
    http.expectOne(rowUrl).flush({
      past: [entry(6, note('a'.repeat(900_000))), entry(5, note(`${'b'.repeat(1000)}…`, 900_000))],
    });
    await fixture.whenStable();
    expect(text().length).toBeLessThan(3000);
    const buttons = [...page().querySelectorAll('li button')].map(({ textContent }) => textContent.trim());
    expect(buttons).toEqual([`Put back ${'a'.repeat(300)}…`]);
    (page().querySelector('li button') as HTMLElement).click();
    const { changes } = http.expectOne('/api/files/f_x/rows').request.body as {
      changes: { values: object }[];
    };
    expect(changes[0]!.values).toEqual({ f_lNote: 'a'.repeat(900_000) });
  });

  it('tells what happened to a row, and puts a field back', async () => {
    await open({ f_lFee: '12.00', f_lBorrower: 1 });
    http.expectOne(rowUrl).flush({
      past: [{ entry: 5, at: '2026-11-25T10:00:00Z', by: 'Mara', op: 'update', changes: [FEE, BORROWER] }],
    });
    await fixture.whenStable();
    expect(text()).toContain('Fee £9.50 → £12.00');
    expect(text()).toContain('Borrower Ann → Bo');
    // Ann is there already.
    expect(page().querySelectorAll('li button').length).toBe(1);
    button(page(), 'Put back £9.50').click();
    const save = http.expectOne('/api/files/f_x/rows');
    expect(save.request.body).toEqual({
      changes: [
        { op: 'update', table: 't_loan', key: [1000], values: { f_lFee: '9.50' }, was: { f_lFee: '12.00' } },
      ],
    });
    save.flush({ entry: 6, saved: [] });
    expect(changed).toHaveBeenCalled();
    expect(TestBed.inject(Steps).undoes()).toBe('Fee put back');
    http.expectOne(rowUrl).flush({ past: [] });
    await fixture.whenStable();
    expect(text()).toContain('Nothing is known of this row');
  });

  it('tells what was done to all rows, undoes a step, and shows earlier ones', async () => {
    await open(null);
    const entry = {
      entry: 9,
      at: '2026-11-25T10:00:00Z',
      by: 'Mara',
      what: 'brought in',
      more: false,
      sheet: 'a.csv',
      undone: false,
    };
    http
      .expectOne('/api/files/f_x/log')
      .flush({ past: [{ ...entry, rows: [{ table: 't_loan', op: 'insert', count: 3 }] }], more: true });
    await fixture.whenStable();
    expect(text()).toContain('Brought in a.csv: 3 loans added');
    button(page(), 'Show earlier ones').click();
    http.expectOne('/api/files/f_x/log?before=9').flush({
      past: [{ ...entry, entry: 4, what: 'rows', sheet: null, undone: true, rows: [] }],
      more: false,
    });
    await fixture.whenStable();
    expect(text()).toContain('undone');
    button(page(), 'Undo').click();
    http
      .expectOne('/api/files/f_x/log/9/undo')
      .flush(
        { type: '/problems/not-undone', detail: 'Nothing was undone.' },
        { status: 409, statusText: 'No' },
      );
    await fixture.whenStable();
    expect(text()).toContain('Nothing was undone.');
    expect(changed).not.toHaveBeenCalled();
  });

  it('says when it could not be read', async () => {
    await open(null);
    http
      .expectOne('/api/files/f_x/log')
      .flush({ detail: 'The line is gone.' }, { status: 500, statusText: 'No' });
    await fixture.whenStable();
    expect(text()).toContain('The line is gone.');
  });
});
