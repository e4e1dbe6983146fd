import type { HttpTestingController, TestRequest } from '@angular/common/http/testing';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { newQuery } from '@heathridge/core/query';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { DraftStore } from '../plan/draft.store';
import type { Advice } from '../shared/api.service';
import { after, button, setUpFile } from '../testing/bench';
import { AdviceDialog, type AdviceData } from './advice.dialog';

const LOANS = OFFICE.tables.find(({ id }) => id === 't_loan')!;
const ADVICE: Advice = {
  took: 2345,
  whole: [{ table: 't_loan', rows: 1_200_000, ordered: true }],
  help: [{ table: 't_loan', field: 'f_lDue', before: 2000, after: 12.4 }],
  tried: 2,
  idle: [{ table: 't_loan', field: 'f_lFee' }],
};

describe('what makes a query slow', () => {
  let fixture: ComponentFixture<AdviceDialog>;
  let http: HttpTestingController;
  let draft: DraftStore;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;
  const text = (): string => page().textContent.replace(/\s+/g, ' ');
  const asked = (): TestRequest => http.expectOne('/api/files/f_x/query/advice');

  beforeEach(async () => {
    const data: AdviceData = { query: newQuery('q_1', 'Late', LOANS), answers: {} };
    TestBed.overrideComponent(AdviceDialog, {
      add: {
        providers: [
          DraftStore,
          { provide: MAT_DIALOG_DATA, useValue: data },
          { provide: MatDialogRef, useValue: {} },
        ],
      },
    });
    http = setUpFile();
    fixture = TestBed.createComponent(AdviceDialog);
    draft = fixture.debugElement.injector.get(DraftStore);
    await fixture.whenStable();
  });

  it('says how far it is, and is stopped', async () => {
    await after(450);
    const { watch } = asked().request.body as { watch: string };
    http
      .expectOne(`/api/files/f_x/progress/${watch}`)
      .flush({ progress: { step: 1, of: 5, what: 'Copying the file' } });
    await fixture.whenStable();
    expect(text()).toContain('Copying the file …1 of 5');
    button(page(), 'Stop').click();
    await fixture.whenStable();
    expect(text()).toContain('Stopped: nothing was found out');
    button(page(), 'Try again').click();
    await fixture.whenStable();
    expect(asked().cancelled).toBeFalse();
  });

  it('tells what is read whole, and puts an index that helps into the draft', async () => {
    asked().flush(ADVICE);
    await fixture.whenStable();
    expect(text()).toContain('It takes 2.3 s at this moment');
    expect(text()).toContain('All 1,200,000 rows of Loans');
    expect(text()).toContain('put into an order for this one run');
    expect(text()).toContain('An index on Loan · Due back: 12 ms instead of 2 s, 161 times as quick.');
    button(page(), 'Put it into the draft').click();
    await fixture.whenStable();
    expect(draft.changes()).toEqual([
      { change: 'changeField', table: 't_loan', field: 'f_lDue', set: { indexed: true } },
    ]);
    expect(text()).toContain('In the draft');
    button(page(), 'Draft that it goes').click();
    await fixture.whenStable();
    expect(draft.changes().at(-1)).toEqual({
      change: 'changeField',
      table: 't_loan',
      field: 'f_lFee',
      set: { indexed: false },
    });
    expect(text()).toContain('Nothing is changed until the draft is applied');
  });

  it('says so where nothing would help, and what went wrong', async () => {
    asked().flush({ took: 40, whole: [], help: [], tried: 1, idle: [] } satisfies Advice);
    await fixture.whenStable();
    expect(text()).toContain('It takes 40 ms at this moment: that is quick.');
    expect(text()).toContain('Only the rows that it needs');
    expect(text()).toContain('One index was tried: it makes no difference that counts');
    expect(text()).not.toContain('Indexes that nothing uses');
    button(page(), 'Try again').click();
    asked().flush(
      { detail: 'This took longer than 600 seconds and was stopped.' },
      { status: 503, statusText: '' },
    );
    await fixture.whenStable();
    expect(page().querySelector('[role=alert]')!.textContent).toContain('longer than 600 seconds');
  });
});
