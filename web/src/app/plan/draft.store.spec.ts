import { provideZonelessChangeDetection } from '@angular/core';
import { provideHttpClient } from '@angular/common/http';
import {
  HttpTestingController,
  provideHttpClientTesting,
  type TestRequest,
} from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { field, OFFICE, table, number } from '../../../../core/src/design/testing/office';
import { FileStore } from '../file/file.store';
import { DraftStore } from './draft.store';

const LOAN_FEE = OFFICE.tables[1]!.fields[4]!;

describe('DraftStore', () => {
  let http: HttpTestingController;
  let draft: DraftStore;
  let store: FileStore;

  beforeEach(() => {
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        provideHttpClient(),
        provideHttpClientTesting(),
        FileStore,
        DraftStore,
      ],
    });
    http = TestBed.inject(HttpTestingController);
    store = TestBed.inject(FileStore);
    store.open('f_x');
    http.expectOne('/api/files/f_x/design').flush({
      name: 'X',
      design: OFFICE,
      counts: { t_loan: 7 },
      places: [],
      draft: null,
      today: '2026-11-25',
    });
    draft = TestBed.inject(DraftStore);
  });

  it('shows the design as it will be, and leaves the file’s alone', () => {
    draft.changeField('t_loan', 'f_lFee', { label: 'Price' });
    expect(draft.design().tables[1]!.fields[4]!.label).toBe('Price');
    expect(store.design().tables[1]!.fields[4]!.label).toBe('Fee');
  });

  it('gathers edits of one field into one change', () => {
    draft.changeField('t_loan', 'f_lFee', { label: 'Price' });
    draft.changeField('t_loan', 'f_lFee', { alwaysFilled: true });
    expect(draft.changes()).toEqual([
      {
        change: 'changeField',
        table: 't_loan',
        field: 'f_lFee',
        set: { label: 'Price', alwaysFilled: true },
      },
    ]);
  });

  it('edits what the draft itself adds in place', () => {
    const made = table('new', [field('n1', 'number', number)]);
    draft.add({ change: 'addTable', table: made });
    draft.add({ change: 'addField', table: 't_new', field: field('n2', 'name', { kind: 'text' }) });
    draft.changeField('t_new', 'f_n2', { label: 'Full name' });
    draft.changeField('t_new', 'f_n1', { label: 'No.' });
    draft.changeTable('t_new', { plural: 'News' });
    expect(draft.changes().length).toBe(2);
    const [added] = draft.design().tables.slice(-1);
    expect(added!.plural).toBe('News');
    expect(added!.fields.map(({ label }) => label)).toEqual(['No.', 'Full name']);
  });

  it('forgets a field or table that it added itself, and drops others', () => {
    draft.add({ change: 'addField', table: 't_loan', field: field('n2', 'name', { kind: 'text' }) });
    draft.changeField('t_loan', 'f_n2', { label: 'Y' });
    draft.dropField('t_loan', 'f_n2');
    expect(draft.changes()).toEqual([]);
    draft.dropField('t_loan', 'f_lNote');
    expect(draft.changes()).toEqual([{ change: 'dropField', table: 't_loan', field: 'f_lNote' }]);
    draft.undo();
    expect(draft.changes()).toEqual([]);
  });

  it('knows what cannot be without asking the rows', () => {
    draft.dropField('t_loan', 'f_lFrom');
    expect(draft.notices().some(({ level }) => level === 'stop')).toBeTrue();
  });

  it('says so when the design has moved under it, and keeps the changes', () => {
    draft.changeField('t_loan', 'f_lFee', { label: 'Price' });
    draft.apply();
    http
      .expectOne('/api/files/f_x/draft/apply')
      .flush(
        { type: '/problems/design-moved', status: 409, title: '', detail: 'Somebody else was first.' },
        { status: 409, statusText: 'Conflict' },
      );
    expect(draft.problem()).toBe('Somebody else was first.');
    expect(draft.changes().length).toBe(1);
    http.expectOne('/api/files/f_x/draft').flush({ kept: 1, version: 1 });
    http.expectOne('/api/files/f_x/design').flush({
      name: 'X',
      design: { ...OFFICE, version: 2, tables: [OFFICE.tables[0]] },
      counts: {},
      places: [],
      draft: null,
      today: '2026-11-25',
    });
    expect(draft.misfit()).toContain('no longer there');
    expect(draft.changes().length).toBe(1);
  });

  it('is kept when it is set aside, and when Plan is left, without waiting for a pause', async () => {
    draft.changeField('t_loan', 'f_lFee', { label: 'Price' });
    draft.setAside();
    await new Promise((resolve) => setTimeout(resolve, 50));
    const aside = http.expectOne('/api/files/f_x/draft');
    expect(aside.request.body).toEqual({ base: 1, changes: [], version: 0 });
    aside.flush({ kept: 0, version: 1 });
    draft.changeField('t_loan', 'f_lFee', { label: 'Cost' });
    http.expectNone('/api/files/f_x/draft');
    draft.leave();
    const left = http.expectOne('/api/files/f_x/draft');
    expect((left.request.body as { changes: unknown[] }).changes.length).toBe(1);
    expect((left.request.body as { version: number }).version).toBe(1);
  });

  it('is kept when the page is hidden, to the end though it be closed, as far as a browser does that', () => {
    const hidden = spyOnProperty(document, 'hidden').and.returnValue(false);
    const turn = (): boolean => document.dispatchEvent(new Event('visibilitychange'));
    draft.changeField('t_loan', 'f_lFee', { label: 'Price' });
    turn();
    http.expectNone('/api/files/f_x/draft');
    hidden.and.returnValue(true);
    turn();
    const short = http.expectOne('/api/files/f_x/draft');
    expect(short.request.keepalive).toBeTrue();
    short.flush({ kept: 1, version: 1 });
    // Nothing waits: nothing is sent twice.
    turn();
    http.expectNone('/api/files/f_x/draft');
    expect(draft.isHeldUp()).toBeFalse();

    const long = 'x'.repeat(30_000);
    draft.changeTable('t_loan', { display: `'${long}'` });
    expect(draft.isHeldUp()).toBeTrue();
    turn();
    const sent = http.expectOne('/api/files/f_x/draft');
    expect(sent.request.keepalive).toBeFalse();
    expect(draft.isHeldUp()).toBeTrue();
    sent.flush({ kept: 2, version: 2 });
    expect(draft.isHeldUp()).toBeFalse();
  });

  it('says why a change was not undone, and which rows stand in the way', () => {
    draft.undoApplied(1);
    const finding = {
      number: 0,
      table: 't_loan',
      count: 1,
      message: 'It is empty.',
      sample: [{ key: [7], value: null }],
    };
    http.expectOne('/api/files/f_x/changes/1/undo').flush(
      {
        type: '/problems/draft-stopped',
        status: 422,
        title: '',
        detail: '1 rows written since do not fit.',
        findings: { notices: [], findings: [finding], unread: [], clear: false, fields: [LOAN_FEE] },
      },
      { status: 422, statusText: 'No' },
    );
    expect(draft.notUndone()).toEqual({
      version: 1,
      fields: [LOAN_FEE],
      message: '1 rows written since do not fit.',
      findings: [finding as never],
    });
    expect(draft.busy()).toBe('');
    // What was said of rows goes along, and stays for the next try.
    draft.undoApplied(1, [{ field: 'f_lFee', key: [7], value: '1.00' }]);
    expect(draft.notUndone()).toBeNull();
    const first = http.expectOne('/api/files/f_x/changes/1/undo');
    expect(first.request.body.given).toEqual([{ field: 'f_lFee', key: [7], value: '1.00' }]);
    first.flush(
      { type: '/problems/draft-stopped', status: 422, title: '', detail: 'Still.' },
      { status: 422, statusText: 'No' },
    );
    draft.undoApplied(1, [
      { field: 'f_lFee', key: [8], value: null },
      { field: 'f_lFee', key: [7], value: '2.00' },
    ]);
    const second = http.expectOne('/api/files/f_x/changes/1/undo');
    expect(second.request.body.given).toEqual([
      { field: 'f_lFee', key: [8], value: null },
      { field: 'f_lFee', key: [7], value: '2.00' },
    ]);
    second.flush({ design: OFFICE, counts: {} });
  });

  describe('that another window has changed', () => {
    const other = { change: 'changeTable', table: 't_loan', set: { label: 'Theirs' } } as const;
    const comesBack = (version: number, changes: readonly object[]): void => {
      window.dispatchEvent(new Event('focus'));
      http
        .expectOne('/api/files/f_x/draft')
        .flush({ draft: changes.length > 0 ? { base: 1, changes } : null, version });
    };

    it('is taken where nothing here would be lost', () => {
      comesBack(0, []);
      expect(draft.changes()).toEqual([]);
      comesBack(3, [other]);
      expect(draft.changes()).toEqual([other]);
      expect(draft.theirs()).toBeNull();
      // What it held before can still be had.
      draft.undo();
      expect(draft.changes()).toEqual([]);
    });

    it('is shown beside what is here, and one of the two is chosen', () => {
      for (const mine of [false, true]) {
        draft.changeField('t_loan', 'f_lFee', { label: mine ? 'Mine' : 'Other' });
        const here = draft.changes();
        draft.leave();
        http.expectOne('/api/files/f_x/draft').flush(
          {
            type: '/problems/document-moved',
            status: 409,
            title: '',
            detail: 'Changed in another window.',
          },
          { status: 409, statusText: 'Conflict' },
        );
        const version = mine ? 9 : 5;
        http.expectOne('/api/files/f_x/draft').flush({ draft: { base: 1, changes: [other] }, version });
        expect(draft.changes()).toEqual(here);
        expect(draft.theirs()).toEqual({ changes: [other], version });
        // Nothing is kept over the other until that is settled.
        draft.leave();
        http.expectNone('/api/files/f_x/draft');
        if (mine) draft.keepMine();
        else draft.takeTheirs();
        expect(draft.changes()).toEqual(mine ? here : [other]);
        expect(draft.theirs()).toBeNull();
        draft.changeTable('t_loan', { plural: mine ? 'A' : 'B' });
        draft.leave();
        const kept = http.expectOne('/api/files/f_x/draft');
        expect((kept.request.body as { version: number }).version).toBe(version);
        kept.flush({ kept: 2, version: version + 1 });
      }
    });
  });

  describe('on a slow line', () => {
    const PAUSE = 450;
    const pause = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, PAUSE));
    const label = (text: string): void => draft.changeField('t_loan', 'f_lFee', { label: text });
    const based = ({ request }: TestRequest): number => (request.body as { version: number }).version;

    it('is kept edit after edit, each based on the one before', async () => {
      label('A');
      await pause();
      const first = http.expectOne('/api/files/f_x/draft');
      label('B');
      await pause();
      http.expectNone('/api/files/f_x/draft');
      first.flush({ kept: 1, version: 1 });
      const second = http.expectOne('/api/files/f_x/draft');
      expect(based(second)).toBe(1);
      second.flush({ kept: 1, version: 2 });
      // Who goes while one is on its way does not wait for it.
      label('C');
      await pause();
      const third = http.expectOne('/api/files/f_x/draft');
      label('D');
      draft.leave();
      const last = http.expectOne('/api/files/f_x/draft');
      expect([based(third), based(last)]).toEqual([2, 3]);
      last.flush({ kept: 1, version: 4 });
      third.flush({ kept: 1, version: 3 });
      label('E');
      draft.leave();
      expect(based(http.expectOne('/api/files/f_x/draft'))).toBe(4);
    });

    it('is applied once it is kept, and nothing of it comes behind that', async () => {
      label('A');
      await pause();
      const keeping = http.expectOne('/api/files/f_x/draft');
      label('B');
      draft.apply();
      http.expectNone('/api/files/f_x/draft/apply');
      keeping.flush({ kept: 1, version: 1 });
      const applying = http.expectOne('/api/files/f_x/draft/apply');
      expect(JSON.stringify(applying.request.body)).toContain('"B"');
      await pause();
      http.expectNone('/api/files/f_x/draft');
      applying.flush({ design: { ...OFFICE, version: 2 }, counts: {}, draftVersion: 2 });
      await pause();
      http.expectNone('/api/files/f_x/draft');
      expect([draft.changes(), draft.theirs()]).toEqual([[], null]);
      label('C');
      draft.leave();
      expect(based(http.expectOne('/api/files/f_x/draft'))).toBe(2);
    });

    it('is kept when it could not be applied, or that was stopped', async () => {
      label('A');
      draft.apply();
      http
        .expectOne('/api/files/f_x/draft/apply')
        .flush(
          { type: '/problems/draft-stopped', status: 422, title: '', detail: 'No.' },
          { status: 422, statusText: 'No' },
        );
      await pause();
      http.expectOne('/api/files/f_x/draft').flush({ kept: 1, version: 1 });
      label('B');
      draft.apply();
      http.expectOne('/api/files/f_x/draft/apply');
      draft.stop();
      await pause();
      expect(based(http.expectOne('/api/files/f_x/draft'))).toBe(1);
    });

    it('is not taken for another window’s when that is asked meanwhile', async () => {
      label('A');
      await pause();
      const keeping = http.expectOne('/api/files/f_x/draft');
      label('B');
      window.dispatchEvent(new Event('focus'));
      const asked = http.expectOne(({ url, method }) => url === '/api/files/f_x/draft' && method === 'GET');
      asked.flush({ draft: { base: 1, changes: [] }, version: 1 });
      keeping.flush({ kept: 1, version: 1 });
      expect([draft.theirs(), draft.changes().length]).toEqual([null, 1]);
    });
  });

  it('takes the new design when it is applied', () => {
    draft.changeField('t_loan', 'f_lFee', { label: 'Price' });
    draft.apply();
    const request = http.expectOne('/api/files/f_x/draft/apply');
    expect(request.request.body.base).toBe(1);
    request.flush({ design: { ...OFFICE, version: 2 }, counts: { t_loan: 8 }, draftVersion: 4 });
    expect(draft.changes()).toEqual([]);
    expect(store.design().version).toBe(2);
    expect(store.counts()['t_loan']).toBe(8);
  });
});
