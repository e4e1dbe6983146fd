import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { Subject } from 'rxjs';
import type { DrawnPart } from '@heathridge/core/board';
import type { Query } from '@heathridge/core/design';
import { newQuery } from '@heathridge/core/query';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { after } from '../testing/bench';
import { setUpDesk } from '../testing/desk';
import { BoardDrawnComponent } from './board-drawn.component';

const QUERY: Query = {
  ...newQuery('q_x', 'Fees by kind', OFFICE.tables[1]!),
  group: {
    by: [{ id: 'kind', label: 'Kind', expression: '1' }],
    measures: [{ id: 'fees', label: 'Fees', total: 'sum', expression: '2' }],
  },
  pivot: { across: [], heat: true },
};
const RESULT = {
  columns: [
    { id: 'kind', label: 'Kind', kind: { kind: 'longText' } },
    { id: 'fees', label: 'Fees', kind: { kind: 'money', places: 2 } },
  ],
  rows: [
    ['Ash', '2.00'],
    ['Elm', '3.50'],
  ],
  keys: [['1'], ['2']],
  more: false,
  totals: [],
};
const AT = '/api/files/f_x/desk/boards/h_x/drawn';
const BEHIND = '/api/files/f_x/desk/boards/h_x/behind';

describe('BoardDrawnComponent', () => {
  let fixture: ComponentFixture<BoardDrawnComponent>;
  let http: HttpTestingController;
  let heard: Subject<unknown>;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;

  async function show(what: DrawnPart['part'], query: Query | null = null): Promise<void> {
    heard = new Subject();
    http = setUpDesk(heard, []);
    fixture = TestBed.createComponent(BoardDrawnComponent);
    const part: DrawnPart = { part: what, id: 'k_x', width: 6, height: 8, query: 'q_x' };
    fixture.componentRef.setInput('part', part);
    fixture.componentRef.setInput('label', 'Fees');
    fixture.componentRef.setInput('on', { board: 'h_x', part: 'k_x', chosen: [], answers: {}, query });
    await settled();
  }
  async function settled(): Promise<void> {
    fixture.detectChanges();
    await after(20);
    fixture.detectChanges();
  }
  afterEach(() => fixture.destroy());

  it('draws the chart of its query, or one that suits; and anew when rows change', async () => {
    await show('chart');
    expect(page().textContent).toContain('Working it out');
    const asked = http.expectOne(AT);
    expect(asked.request.body).toEqual({ part: 'k_x', chosen: [], answers: {} });
    asked.flush({ ...RESULT, query: QUERY });
    await settled();
    const chart = page().querySelector('[role=application]')!;
    expect(chart.getAttribute('aria-label')).toBe(
      'Fees. Arrow keys go from mark to mark, Enter shows the rows behind one.',
    );
    heard.next(null);
    await settled();
    http.expectOne(AT).flush({ ...RESULT, rows: [], keys: [], query: QUERY });
    await settled();
    expect(page().querySelector('[role=application]')).not.toBeNull();
  });

  it('leads to the rows behind a mark by keys, and back to where one was', async () => {
    await show('chart');
    http.expectOne(AT).flush({ ...RESULT, query: QUERY });
    await settled();
    const press = (key: string): void => {
      chart().dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
    };
    const chart = (): HTMLElement => page().querySelector<HTMLElement>('[role=application]')!;
    chart().focus();
    press('ArrowRight');
    press('ArrowRight');
    press('Enter');
    await settled();
    const asked = http.expectOne(BEHIND);
    expect(asked.request.body).toEqual({ part: 'k_x', chosen: [], answers: {}, keys: { kind: '2' } });
    expect(page().textContent).toContain('Rows behind Elm');
    expect(page().textContent).toContain('Looking for them');
    asked.flush({ columns: RESULT.columns, rows: [['Elm', '3.50']], more: false });
    await settled();
    expect(page().textContent).toContain('1 row');
    const back = document.activeElement as HTMLElement;
    expect(back.getAttribute('aria-label')).toBe('Back to Fees');
    back.click();
    await settled();
    expect(document.activeElement).toBe(chart());

    // What is refused stands where the rows would, and another choice in the filters closes it.
    press('End');
    press('Enter');
    await settled();
    http
      .expectOne(BEHIND)
      .flush({ detail: 'Nothing of these rows is open to you.' }, { status: 403, statusText: 'x' });
    await settled();
    expect(page().querySelector('[role=alert]')!.textContent).toContain(
      'Nothing of these rows is open to you.',
    );
    fixture.componentRef.setInput('on', {
      board: 'h_x',
      part: 'k_x',
      chosen: [{ filter: 'v_x', key: 1 }],
      answers: {},
      query: null,
    });
    await settled();
    http.expectOne(AT).flush({ ...RESULT, query: QUERY });
    await settled();
    expect(page().querySelector('[role=alert]')).toBeNull();
    expect(page().querySelector('[role=application]')).not.toBeNull();
  });

  it('says where there is nothing to draw, and what went wrong', async () => {
    await show('chart');
    http
      .expectOne(AT)
      .flush({ ...RESULT, columns: [RESULT.columns[0]], rows: [['Ash']], query: { ...QUERY, group: null } });
    await settled();
    expect(page().textContent).toContain('There is nothing to draw');
    heard.next(null);
    await settled();
    http
      .expectOne(AT)
      .flush({ detail: 'This part is no longer on the board.' }, { status: 404, statusText: 'x' });
    await settled();
    expect(page().querySelector('[role=alert]')!.textContent).toContain('no longer on the board');
  });

  it('lays a pivot out; while it is designed by the query itself', async () => {
    await show('pivot', QUERY);
    const asked = http.expectOne('/api/files/f_x/query/run');
    expect([asked.request.body.totals, asked.request.body.query.id]).toEqual([true, 'q_x']);
    asked.flush({ ...RESULT, sql: '', funnel: [] });
    await settled();
    expect(page().querySelector('hr-pivot')).not.toBeNull();
  });
});
