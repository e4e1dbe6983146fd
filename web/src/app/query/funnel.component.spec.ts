import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { FunnelComponent } from './funnel.component';

describe('FunnelComponent', () => {
  async function show(
    funnel: { part: string; label: string; count: number | null; none?: number; why?: string[] }[],
    inputs: Readonly<Record<string, boolean>> = {},
  ): Promise<HTMLElement> {
    TestBed.resetTestingModule();
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection()] });
    const fixture = TestBed.createComponent(FunnelComponent);
    fixture.componentRef.setInput('funnel', funnel);
    for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
    await fixture.whenStable();
    return fixture.nativeElement as HTMLElement;
  }
  const widths = (element: HTMLElement): number[] =>
    [...element.querySelectorAll('rect')].map((bar) => Number(bar.getAttribute('width')));

  it('shows how many rows are left after each part, to scale', async () => {
    const element = await show([
      { part: 'from', label: 'Hires', count: 4000 },
      { part: 'where', label: 'due back is before today', count: 1000 },
    ]);
    expect(widths(element)).toEqual([100, 25]);
    expect(element.textContent).toContain('4,000');
  });

  it('shows counts as they come, and nothing of what is not counted yet', async () => {
    const element = await show(
      [
        { part: 'from', label: 'Hires', count: 4000 },
        // Beside each may be several: how many find none comes later.
        { part: 'with', label: 'Payments', count: 3000 },
        { part: 'where', label: 'a', count: null },
        { part: 'where', label: 'b', count: 12 },
        { part: 'group', label: 'School', count: null },
      ],
      { isCounting: true, isOld: false },
    );
    const texts = [...element.querySelectorAll('li')].map((part) =>
      part.textContent.replace(/\s+/g, ' ').trim(),
    );
    expect(texts).toEqual(['Hires4,000', '+ Payments3,000', 'a…', 'b12', 'grouped by School…']);
    expect(widths(element)[2]).toBe(0);
    expect(element.querySelectorAll('button').length).toBe(0);
    expect(element.querySelector('[role="status"]')!.textContent).toContain('counting …');
  });

  it('says which part empties the result', async () => {
    const element = await show([
      { part: 'from', label: 'Hires', count: 10 },
      { part: 'where', label: 'a', count: 4 },
      { part: 'where', label: 'b', count: 0, why: ['B runs from 1 to 5 there.'] },
      { part: 'where', label: 'c', count: 0 },
    ]);
    const emptied = [...element.querySelectorAll('li')].filter((part) =>
      part.textContent.includes('leaves nothing'),
    );
    expect(emptied.length).toBe(1);
    expect(emptied[0]!.textContent).toContain('b');
    expect(emptied[0]!.textContent).toContain('B runs from 1 to 5 there.');
    expect(widths(element)[2]).toBe(0);
  });

  it('offers the rows that a part leaves out, where any are', async () => {
    TestBed.resetTestingModule();
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection()] });
    const fixture = TestBed.createComponent(FunnelComponent);
    const asked: number[] = [];
    fixture.componentInstance.shown.subscribe((part) => asked.push(part));
    fixture.componentRef.setInput('funnel', [
      { part: 'from', label: 'Hires', count: 100 },
      { part: 'with', label: 'Payments', count: 240, none: 0 },
      { part: 'where', label: 'a', count: 40 },
      { part: 'where', label: 'b', count: 40 },
      { part: 'group', label: 'School', count: 9 },
      { part: 'first', label: 'the first 5', count: 5 },
    ]);
    await fixture.whenStable();
    const buttons = [...(fixture.nativeElement as HTMLElement).querySelectorAll('button')];
    expect(buttons.map((button) => button.textContent.trim())).toEqual(['leaves out 200', 'leaves out 4']);
    buttons.forEach((button) => button.click());
    expect(asked).toEqual([2, 5]);
  });

  it('says how many have no partner, and counts groups as groups', async () => {
    const element = await show([
      { part: 'from', label: 'Hires', count: 100 },
      { part: 'with', label: 'School', count: 95 },
      { part: 'group', label: 'School', count: 1 },
    ]);
    expect(element.textContent).toContain('5 have none');
    const many = await show([
      { part: 'from', label: 'Hires', count: 100 },
      { part: 'with', label: 'Payments', count: 240, none: 7 },
    ]);
    expect(many.textContent).toContain('7 have none');
    expect(element.textContent).toContain('1 group');
    expect(element.textContent).not.toContain('1 groups');
  });
});
