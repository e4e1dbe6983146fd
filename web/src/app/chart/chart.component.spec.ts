import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { chartModel, type ChartColumn, type ChartMark } from '@heathridge/core/chart';
import type { Chart } from '@heathridge/core/design';
import { BRITISH, type Value } from '@heathridge/core/values';
import { button, drawn, setUp } from '../testing/bench';
import { ChartBarComponent } from './chart-bar.component';
import { ChartComponent } from './chart.component';
import { pngOf, standalone } from './picture';

const COLUMNS: ChartColumn[] = [
  { id: 'name', label: 'Name', kind: { kind: 'longText' } },
  { id: 'method', label: 'Method', kind: { kind: 'longText' } },
  { id: 'sum', label: 'Sum', kind: { kind: 'money', places: 2 } },
  { id: 'count', label: 'Count', kind: { kind: 'wholeNumber' } },
];
const ROWS: Value[][] = [
  ['a', 'Card', '3.00', 1],
  ['a', 'Cash', '4.00', 2],
  ['b', 'Card', '5.00', 3],
];
const BARS: Chart = { as: 'bars', along: 'name', values: ['sum'], split: 'method', pile: 'beside' };

describe('ChartComponent', () => {
  let fixture: ComponentFixture<ChartComponent>;
  let element: HTMLElement;
  let picked: ChartMark[];

  beforeEach(async () => {
    setUp();
    fixture = TestBed.createComponent(ChartComponent);
    fixture.componentRef.setInput(
      'model',
      chartModel(BARS, { columns: COLUMNS, rows: ROWS, locale: BRITISH }),
    );
    fixture.componentRef.setInput('locale', BRITISH);
    fixture.componentRef.setInput('label', 'Takings');
    fixture.componentRef.setInput('opens', true);
    picked = [];
    fixture.componentInstance.picked.subscribe((mark) => picked.push(mark));
    element = fixture.nativeElement as HTMLElement;
    document.body.append(element);
    element.style.height = '320px';
    await fixture.whenStable();
    // It is measured, and drawn to that.
    await drawn();
    await fixture.whenStable();
  });
  afterEach(() => fixture.destroy());

  const room = (): HTMLElement => element.querySelector('[role=application]')!;
  const said = (): string => element.querySelector('[role=status]')!.textContent.trim();
  async function press(...keys: string[]): Promise<void> {
    for (const key of keys)
      room().dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
    await fixture.whenStable();
  }
  const drawing = (): SVGSVGElement => room().querySelector('svg')!;

  it('is gone through by keys, each mark in words; Enter asks for its rows', async () => {
    await press('ArrowRight');
    expect(said()).toBe('a, Card: £3.00');
    await press('ArrowRight');
    expect(said()).toBe('b, Card: £5.00');
    await press('ArrowDown');
    expect(said()).toBe('a, Cash: £4.00');
    await press('Enter');
    expect(picked.map(({ rows }) => rows)).toEqual([[1]]);
    await press('Home');
    expect(said()).toBe('a, Card: £3.00');
    await press('End');
    expect(said()).toBe('a, Cash: £4.00');
    await press('Escape');
    expect(said()).toBe('');
  });

  it('forgets what was pointed at when it is drawn of something else', async () => {
    await press('End');
    fixture.componentRef.setInput(
      'model',
      chartModel({ ...BARS, split: undefined } as Chart, { columns: COLUMNS, rows: ROWS, locale: BRITISH }),
    );
    await fixture.whenStable();
    expect(said()).toBe('');
  });

  it('says what the mouse is over', async () => {
    const box = drawing().getBoundingClientRect();
    const bar = [...drawing().querySelectorAll('path[d^="M"]')].find(
      (path) => path.getAttribute('class') === 'mark',
    )!;
    const own = bar.getBoundingClientRect();
    expect(own.width).toBeGreaterThan(10);
    expect(box.width).toBeGreaterThan(300);
    room().dispatchEvent(
      new PointerEvent('pointermove', {
        clientX: own.left + own.width / 2,
        clientY: own.top + own.height / 2,
        bubbles: true,
      }),
    );
    await fixture.whenStable();
    expect(said()).toMatch(/: £\d\.00$/);
    room().click();
    expect(picked.length).toBe(1);
  });

  it('is a list of numbers too', async () => {
    button(element, 'Its numbers').click();
    await fixture.whenStable();
    const rows = [...element.querySelectorAll('tbody tr')].map((row) =>
      row.textContent.replace(/\s+/g, ' ').trim(),
    );
    expect(rows).toEqual(['a, Card£3.00', 'b, Card£5.00', 'a, Cash£4.00']);
    button(element, 'Its drawing').click();
    await fixture.whenStable();
    expect(room()).toBeTruthy();
  });

  it('is a picture of its own, without the page around it', async () => {
    const { text } = standalone(drawing(), 'Takings <2026> & more');
    const read = new DOMParser().parseFromString(text, 'image/svg+xml');
    expect(read.querySelector('parsererror')).toBeNull();
    expect(read.querySelector('title')!.textContent).toBe('Takings <2026> & more');
    expect(text).not.toMatch(/var\(|_ng|class=/);
    expect(read.querySelectorAll('path').length).toBe(drawing().querySelectorAll('path').length);
    const png = await pngOf(drawing(), 'Takings');
    const head = new Uint8Array(await png!.slice(0, 8).arrayBuffer());
    // The signature of PNG (ISO/IEC 15948).
    expect([...head]).toEqual([137, 80, 78, 71, 13, 10, 26, 10]);
  });

  it('has colours that stand out from paper by 3 to 1 at least', () => {
    const light = (colour: string): number => {
      const parts = [...colour.matchAll(/[\d.]+/g)].slice(0, 3).map(([part]) => Number(part) / 255);
      const [r, g, b] = parts.map((c) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4)) as [
        number,
        number,
        number,
      ];
      return 0.2126 * r + 0.7152 * g + 0.0722 * b;
    };
    const probe = document.createElement('div');
    document.body.append(probe);
    const resolved = (value: string): string => {
      probe.style.color = value;
      return getComputedStyle(probe).color;
    };
    for (const look of ['light', 'dark']) {
      probe.style.colorScheme = look;
      const paper = light(resolved('var(--hr-paper)'));
      for (let i = 0; i < 12; i++) {
        const own = light(resolved(`var(--hr-series-${i})`));
        const contrast = (Math.max(own, paper) + 0.05) / (Math.min(own, paper) + 0.05);
        expect(contrast).withContext(`series ${i}, ${look}`).toBeGreaterThanOrEqual(3);
      }
    }
    probe.remove();
  });
});

describe('ChartBarComponent', () => {
  async function bar(chart: Chart): Promise<{ changed: Chart[]; page: ChartBarComponent }> {
    TestBed.resetTestingModule();
    setUp();
    const fixture = TestBed.createComponent(ChartBarComponent);
    fixture.componentRef.setInput('chart', chart);
    fixture.componentRef.setInput('columns', COLUMNS);
    const changed: Chart[] = [];
    fixture.componentInstance.changed.subscribe((next) => changed.push(next));
    await fixture.whenStable();
    return { changed, page: fixture.componentInstance };
  }

  it('offers what a shape draws, and changes it', async () => {
    const { changed, page } = await bar(BARS);
    page['set']('split', ' none');
    page['set']('apart', 'method');
    page['setValues'](['sum', 'count']);
    // Something is drawn always.
    page['setValues']([]);
    page['setPile']('shares');
    page['shape']('pie');
    expect(changed).toEqual([
      { as: 'bars', along: 'name', values: ['sum'], pile: 'beside' },
      { ...BARS, apart: 'method' } as Chart,
      { ...BARS, values: ['sum', 'count'] } as Chart,
      { ...BARS, pile: 'shares' } as Chart,
      { as: 'pie', along: 'name', value: 'sum' },
    ]);
  });
});
