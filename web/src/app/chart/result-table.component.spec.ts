import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { emptyDesign, localeOf } from '@heathridge/core/design';
import { drawn, setUp } from '../testing/bench';
import { ResultTableComponent } from './result-table.component';

const column = (id: string) => ({ id, label: id, kind: { kind: 'money' as const, places: 2 } });

describe('ResultTableComponent', () => {
  let fixture: ComponentFixture<ResultTableComponent>;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;

  async function show(columns: string[], rows: (string | null)[][]): Promise<string[]> {
    const result = { columns: columns.map(column), rows, more: false };
    fixture.componentRef.setInput('result', result);
    await fixture.whenStable();
    await drawn();
    await fixture.whenStable();
    return [...page().querySelectorAll('tr')].map((row) =>
      [...row.querySelectorAll('th, td')].map(({ textContent }) => textContent.trim()).join(' | '),
    );
  }

  beforeEach(() => {
    setUp([]);
    fixture = TestBed.createComponent(ResultTableComponent);
    fixture.componentRef.setInput('locale', localeOf(emptyDesign().settings));
    page().style.height = '400px';
    document.body.append(page());
  });
  afterEach(() => {
    page().remove();
    fixture.destroy();
  });

  it('shows another result in place of one that had more columns', async () => {
    expect(
      await show(
        ['a', 'b', 'c'],
        [
          ['1.00', '2.00', '3.00'],
          ['4.00', null, '6.00'],
        ],
      ),
    ).toEqual(['a | b | c', '£1.00 | £2.00 | £3.00', '£4.00 |  | £6.00']);
    expect(await show(['b'], [['7.00'], ['8.00'], ['9.00']])).toEqual(['b', '£7.00', '£8.00', '£9.00']);
    expect(await show(['b', 'a'], [['1.50', '2.50']])).toEqual(['b | a', '£1.50 | £2.50']);
  });

  it('shows rows in other columns, whatever of those before is kept to be used again', async () => {
    const rows = (columns: number, many = 7): string[][] =>
      Array.from({ length: many }, (_, i) => Array.from({ length: columns }, (_c, c) => `${i}.${c}0`));
    const shown = (columns: number): string[] =>
      rows(columns).map((row) => row.map((value) => `£${value}`).join(' | '));
    // Of many rows some are put aside once there are fewer.
    await show([...'abcdefghij'], rows(10, 200));
    for (const names of ['abcdefghij', 'klmn', 'abcdefghij', 'kl', 'k', 'abklmn'].map((text) => [...text]))
      expect((await show(names, rows(names.length))).slice(1)).toEqual(shown(names.length));
  });
});
