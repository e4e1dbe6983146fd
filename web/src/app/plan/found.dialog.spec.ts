import type { HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import type { ComponentFixture } from '@angular/core/testing';
import { TestBed } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MATERIAL_ANIMATIONS } from '@angular/material/core';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { MatInputHarness } from '@angular/material/input/testing';
import { MatSelectHarness } from '@angular/material/select/testing';
import { of, Subject, type Observable } from 'rxjs';
import type { Finding, RowToMend } from '../shared/api.service';
import { after, setUpFile } from '../testing/bench';
import { FoundDialog, type FoundData } from './found.dialog';

const SAVE = { method: 'POST', url: '/api/files/f_x/rows' };

const row = (number: number): RowToMend => ({
  key: [number],
  value: null,
  title: `Loan ${number}`,
  cells: { f_lFee: null, f_lNote: 'old' },
});

describe('rows to mend', () => {
  let http: HttpTestingController;
  let fixture: ComponentFixture<FoundDialog>;
  let loader: HarnessLoader;
  let closed: unknown[];
  let left: number[];
  let asked: [offset: number, limit: number | undefined][];
  /** How many rows come at once at most, and what they are. */
  let most: number;
  let made: (number: number) => RowToMend;
  beforeEach(() => ([most, made] = [Infinity, row]));

  async function open(numbers: number[], answer?: Observable<{ rows: RowToMend[] }>): Promise<HTMLElement> {
    [closed, asked, left] = [[], [], numbers];
    const data: FoundData = {
      finding: {
        number: 0,
        table: 't_loan',
        field: 'f_lFee',
        fields: ['f_lFee', 'f_lNote'],
        message: 'Fee is to be always filled, and is empty.',
        count: numbers.length,
        sample: [],
      } as unknown as Finding,
      rows: (offset, limit) => {
        asked.push([offset, limit]);
        if (limit !== undefined && answer) return answer;
        return of({ rows: left.slice(offset, offset + Math.min(limit ?? 50, most)).map(made) });
      },
    };
    TestBed.configureTestingModule({
      providers: [
        { provide: MAT_DIALOG_DATA, useValue: data },
        { provide: MATERIAL_ANIMATIONS, useValue: { animationsDisabled: true } },
        { provide: MatDialogRef, useValue: { close: (saved: unknown) => closed.push(saved) } },
      ],
    });
    http = setUpFile();
    fixture = TestBed.createComponent(FoundDialog);
    loader = TestbedHarnessEnvironment.documentRootLoader(fixture);
    await fixture.whenStable();
    return fixture.nativeElement as HTMLElement;
  }

  /** Waits for what follows an answer by itself. */
  const settle = async (): Promise<void> => {
    await after(0);
    await fixture.whenStable();
  };

  const press = async (text: string | RegExp): Promise<void> =>
    (await loader.getHarness(MatButtonHarness.with({ text }))).click();

  const fill = async (label: string, text: string): Promise<void> => {
    const line = await loader.getHarness(MatInputHarness.with({ selector: `[aria-label="${label}"]` }));
    await line.setValue(text);
    await line.blur();
  };

  describe('filled with an expression', () => {
    const WORK = { method: 'POST', url: '/api/files/f_x/tables/t_loan/work-out' };
    const write = async (page: HTMLElement, values: unknown[]): Promise<void> => {
      await press('with an expression');
      expect(page.querySelector('hr-expression-editor')).not.toBeNull();
      fixture.componentInstance.written.set({ text: 'fee + 1', ok: true });
      await press('Fill all 2');
      const work = http.expectOne(WORK);
      expect(work.request.body).toEqual({ field: 'f_lFee', expression: 'fee + 1', keys: [[1], [2]] });
      work.flush({ values });
      await settle();
    };

    it('get what it gives for each', async () => {
      const page = await open([1, 2]);
      await write(page, ['2.00', null]);
      const { changes } = http.expectOne(SAVE).request.body as { changes: { values: object }[] };
      expect(changes.map(({ values }) => values)).toEqual([{ f_lFee: '2.00' }, { f_lFee: null }]);
    });

    it('stay as they are where it cannot be worked out for one of them', async () => {
      const page = await open([1, 2]);
      await write(page, ['2.00', { fault: 'cast' }]);
      http.expectNone(SAVE);
      expect(page.textContent).toContain('For Loan 2 it cannot be worked out: A text here cannot be read');
      expect(page.textContent).toContain('Nothing has changed.');
    });

    it('wait for one that can be read', async () => {
      await open([1, 2]);
      await press('with an expression');
      const button = await loader.getHarness(MatButtonHarness.with({ text: 'Fill all 2' }));
      expect(await button.isDisabled()).toBeTrue();
      fixture.componentInstance.written.set({ text: 'fee +', ok: false });
      expect(await button.isDisabled()).toBeTrue();
    });
  });

  it('are filled all at once, in one save, and looked at again', async () => {
    const page = await open([1, 2, 3]);
    await fill('Fee of all rows', '7.5');
    await press('Fill all 3');
    const request = http.expectOne(SAVE);
    expect((request.request.body as { changes: unknown[] }).changes).toEqual(
      [1, 2, 3].map((number) => ({
        op: 'update',
        table: 't_loan',
        key: [number],
        values: { f_lFee: '7.50' },
        was: { f_lFee: null },
      })),
    );
    left = [];
    request.flush({ saved: [] });
    await settle();
    expect(page.textContent).toContain('None are left.');
    expect(asked).toEqual([
      [0, undefined],
      [0, 500],
      [0, undefined],
    ]);
    await press('Close and check again');
    expect(closed).toEqual([true]);
  });

  it('are filled in another field when that is chosen; what cannot be read is said and saves nothing', async () => {
    const page = await open([1, 2]);
    await fill('Fee of all rows', 'much');
    await press('Fill all 2');
    expect(page.textContent).toContain('“much” is not a number');
    http.expectNone(SAVE);
    const list = await loader.getHarness(
      MatSelectHarness.with({ selector: '[aria-label="The field to fill in all rows"]' }),
    );
    await list.clickOptions({ text: 'Note' });
    await fill('Note of all rows', 'seen');
    await press('Fill all 2');
    const { changes } = http.expectOne(SAVE).request.body as { changes: { values: object; was: object }[] };
    expect(changes.map(({ values, was }) => [values, was])).toEqual([
      [{ f_lNote: 'seen' }, { f_lNote: 'old' }],
      [{ f_lNote: 'seen' }, { f_lNote: 'old' }],
    ]);
  });

  it('say how many were changed where a later part is refused, and why', async () => {
    const page = await open(Array.from({ length: 501 }, (_, i) => i));
    await fill('Fee of all rows', '7');
    await press('Fill all 501');
    const first = http.expectOne(SAVE);
    expect((first.request.body as { changes: unknown[] }).changes.length).toBe(500);
    first.flush({ saved: [] });
    await settle();
    http
      .expectOne(SAVE)
      .flush({ detail: 'Not saved.', errors: [{ message: 'Too much.' }] }, { status: 422, statusText: 'x' });
    await settle();
    expect(page.querySelector('hr-strip')!.textContent).toContain(
      'Too much. 500 rows are filled, the rest is as it was.',
    );
  });

  it('are deleted all at once, when somebody is sure', async () => {
    await open([1, 2]);
    await press('Delete all 2');
    await press('Keep them');
    http.expectNone(SAVE);
    await press('Delete all 2');
    await press('Delete them');
    await fixture.whenStable();
    expect((http.expectOne(SAVE).request.body as { changes: unknown[] }).changes).toEqual([
      { op: 'delete', table: 't_loan', key: [1] },
      { op: 'delete', table: 't_loan', key: [2] },
    ]);
  });

  it('can be left when it takes too long', async () => {
    const late = new Subject<{ rows: RowToMend[] }>();
    const page = await open([1, 2], late);
    await fill('Fee of all rows', '7');
    await press('Fill all 2');
    await press('Stop');
    late.next({ rows: [row(1), row(2)] });
    late.complete();
    await settle();
    http.expectNone(SAVE);
    expect(page.querySelector('hr-strip')!.textContent).toContain('It was stopped: 0 rows are filled.');
    expect(await loader.hasHarness(MatButtonHarness.with({ text: 'Fill all 2' }))).toBeTrue();
  });

  it('are read on where fewer come at once, and saved in parts where their texts are long', async () => {
    most = 2;
    made = (number) => ({ ...row(number), cells: { ...row(number).cells, f_lNote: 'x'.repeat(600_000) } });
    await open([1, 2, 3, 4, 5]);
    const list = await loader.getHarness(
      MatSelectHarness.with({ selector: '[aria-label="The field to fill in all rows"]' }),
    );
    await list.clickOptions({ text: 'Note' });
    await fill('Note of all rows', 'short');
    await press('Fill all 5');
    await settle();
    expect(asked.slice(1)).toEqual([
      [0, 500],
      [2, 500],
      [4, 500],
    ]);
    const keys: unknown[] = [];
    for (let part = 0; part < 5; part++) {
      const save = http.expectOne(SAVE);
      const { changes } = save.request.body as { changes: { key: unknown }[] };
      keys.push(...changes.map(({ key }) => key));
      expect(changes.length).toBe(1);
      save.flush({ saved: [] });
      await settle();
    }
    expect(keys).toEqual([[1], [2], [3], [4], [5]]);
    http.expectNone(SAVE);
  });

  it('do not lose a text of which only the beginning is here: it is saved when another is typed, and not by itself', async () => {
    // Its letters are apart: those of a text that is here as a whole are put together by saving them.
    const cut = { beginning: 'Rene\u0301', length: 4_000_000 };
    made = (number) => ({ ...row(number), cells: { ...row(number).cells, f_lNote: cut } });
    await open([1]);
    await fill('Fee of Loan 1', '3');
    await press('Save');
    const first = http.expectOne(SAVE);
    expect((first.request.body as { changes: { values: object }[] }).changes[0]!.values).toEqual({
      f_lFee: '3.00',
    });
    first.flush({ saved: [] });
    await settle();
    await fill('Note of Loan 1', 'anew');
    await press('Save');
    const { changes } = http.expectOne(SAVE).request.body as { changes: { values: object; was: object }[] };
    expect([changes[0]!.values, changes[0]!.was]).toEqual([{ f_lNote: 'anew' }, {}]);
  });

  it('are mended one by one as before', async () => {
    const page = await open([1, 2]);
    await fill('Fee of Loan 2', '3');
    await (await loader.getAllHarnesses(MatButtonHarness.with({ text: 'Save' })))[1]!.click();
    const request = http.expectOne(SAVE);
    expect((request.request.body as { changes: { key: unknown }[] }).changes[0]!.key).toEqual([2]);
    request.flush({ saved: [] });
    await fixture.whenStable();
    expect(page.textContent).toContain('mended');
  });
});
