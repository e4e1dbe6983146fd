import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { newQuery, pivotFor, pivotModel, type Grouped } from '@heathridge/core/query';
import type { Query } from '@heathridge/core/design';
import { BRITISH, type Value } from '@heathridge/core/values';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { drawn, setUp } from '../testing/bench';
import { PivotBarComponent } from '../query/pivot-bar.component';
import { PivotComponent, type PivotPick } from './pivot.component';

const QUERY: Query = {
  ...newQuery('q_a', 'A', OFFICE.tables[1]!),
  group: {
    by: [
      { id: 'place', label: 'Place', expression: '1' },
      { id: 'kind', label: 'Kind', expression: '2' },
    ],
    measures: [
      { id: 'sum', label: 'Fees', total: 'sum', expression: '3' },
      { id: 'count', label: 'Number', total: 'count', expression: null },
    ],
  },
};
const RESULT: Grouped = {
  columns: [
    { id: 'place', label: 'Place', kind: { kind: 'longText' } },
    { id: 'kind', label: 'Kind', kind: { kind: 'longText' } },
    { id: 'sum', label: 'Fees', kind: { kind: 'money', places: 2 } },
    { id: 'count', label: 'Number', kind: { kind: 'wholeNumber' } },
  ],
  rows: [
    ['Ash', 'new', '10.10', 1],
    ['Ash', 'old', '2.00', 2],
    ['Elm', null, '0.20', 4],
  ] as Value[][],
  keys: [
    ['7', 'n'],
    ['7', 'o'],
    ['9', null],
  ],
};

describe('PivotComponent', () => {
  let fixture: ComponentFixture<PivotComponent>;
  let element: HTMLElement;
  const picked: PivotPick[] = [];

  async function show(query: Query, result = RESULT): Promise<void> {
    setUp();
    fixture = TestBed.createComponent(PivotComponent);
    element = fixture.nativeElement as HTMLElement;
    document.body.append(element);
    Object.assign(element.style, { width: '1000px', height: '400px' });
    const pivot = query.pivot ?? pivotFor(query);
    fixture.componentRef.setInput('model', pivotModel({ ...query, pivot }, result, [], BRITISH));
    fixture.componentRef.setInput('heat', pivot.heat);
    fixture.componentRef.setInput('opens', true);
    picked.length = 0;
    fixture.componentInstance.picked.subscribe((pick) => picked.push(pick));
    await fixture.whenStable();
    await drawn();
    await fixture.whenStable();
  }
  afterEach(() => fixture.destroy());

  const texts = (role: string): string[] =>
    [...element.querySelectorAll(`[role=${role}]`)].map((cell) => cell.textContent.trim());
  const cell = (row: number, column: string): HTMLElement =>
    element.querySelector(`[role=row][row-index="${row}"] [col-id="${column}"]`)!;

  it('has groups both ways, with totals', async () => {
    await show(QUERY);
    const headings = texts('columnheader');
    for (const heading of ['Place', '(empty)', 'new', 'old', 'All', 'Fees', 'Number'])
      expect(headings).toContain(heading);
    expect(cell(0, 'down 0').textContent.trim()).toBe('Ash');
    // What is empty stands first; nothing was there of it.
    expect(
      ['cell 0 0', 'cell 1 0', 'cell 2 0', 'cell 3 0', 'cell 3 1'].map((id) =>
        cell(0, id).textContent.trim(),
      ),
    ).toEqual(['', '£10.10', '£2.00', '£12.10', '3']);
    expect(cell(2, 'down 0').textContent.trim()).toBe('All');
    expect(cell(2, 'cell 3 0').textContent.trim()).toBe('£12.30');
  });

  it('leads to the rows behind a cell, by mouse and by key', async () => {
    await show(QUERY);
    cell(0, 'cell 2 0').click();
    // The grid tells of it a moment later.
    await drawn();
    expect(picked).toEqual([{ keys: { place: '7', kind: 'o' }, of: 'Ash, old' }]);
    cell(2, 'cell 3 0').dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    cell(1, 'cell 0 1').click();
    cell(1, 'down 0').click();
    await drawn();
    expect(picked.slice(1)).toEqual([
      { keys: {}, of: 'all' },
      { keys: { place: '9', kind: null }, of: 'Elm, (empty)' },
    ]);
  });

  it('shades cells by their values where that is wanted, and never totals', async () => {
    await show(QUERY);
    const shade = (row: number, id: string): string => cell(row, id).style.backgroundColor;
    expect(shade(0, 'cell 1 0')).toContain('38%');
    expect(shade(1, 'cell 0 0')).toContain('4%');
    expect(shade(0, 'cell 3 0')).toBe('transparent');
    fixture.componentRef.setInput('heat', false);
    await fixture.whenStable();
    await drawn();
    expect(shade(0, 'cell 1 0')).toBe('transparent');
  });

  it('says that there is no group', async () => {
    await show(QUERY, { ...RESULT, rows: [], keys: [] });
    expect(element.textContent).toContain('No group is left');
  });
});

describe('PivotBarComponent', () => {
  it('says what runs across, and the order of the rows', async () => {
    setUp();
    const fixture = TestBed.createComponent(PivotBarComponent);
    fixture.componentRef.setInput('query', QUERY);
    fixture.componentRef.setInput('pivot', { across: ['kind'], heat: true });
    const changed: unknown[] = [];
    fixture.componentInstance.changed.subscribe((next) => changed.push(next));
    await fixture.whenStable();
    fixture.componentInstance['setOrder']('- sum');
    fixture.componentInstance['setOrder'](' own');
    (fixture.nativeElement as HTMLElement).querySelector<HTMLInputElement>('input[type=checkbox]')!.click();
    expect(changed).toEqual([
      { across: ['kind'], heat: true, order: { measure: 'sum', descending: true } },
      { across: ['kind'], heat: true },
      { across: ['kind'], heat: false, order: undefined },
    ]);
  });
});
