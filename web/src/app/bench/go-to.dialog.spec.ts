import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { setUp } from '../testing/bench';
import { GoToDialog, type GoTo } from './go-to.dialog';

const ITEMS: GoTo[] = [
  { label: 'Plan', what: 'stage', link: ['plan'], query: {} },
  { label: 'Part', what: 'table, in Plan', link: ['plan'], query: { table: 't_part' } },
  { label: 'Parts', what: 'rows, in Fill', link: ['fill'], query: { table: 't_part' } },
  { label: 'Repair', what: 'table, in Plan', link: ['plan'], query: { table: 't_repair' } },
];

describe('GoToDialog', () => {
  let fixture: ComponentFixture<GoToDialog>;
  let page: HTMLElement;
  const closed = jasmine.createSpy('close');

  beforeEach(async () => {
    closed.calls.reset();
    setUp([
      { provide: MAT_DIALOG_DATA, useValue: ITEMS },
      { provide: MatDialogRef, useValue: { close: closed } },
    ]);
    fixture = TestBed.createComponent(GoToDialog);
    page = fixture.nativeElement as HTMLElement;
    document.body.append(page);
    await fixture.whenStable();
  });
  afterEach(() => page.remove());

  const input = (): HTMLInputElement => page.querySelector('input')!;
  const names = (): string[] =>
    [...page.querySelectorAll('[role="option"] > span:first-child')].map(({ textContent }) => textContent);

  async function type(text: string): Promise<void> {
    input().value = text;
    input().dispatchEvent(new Event('input'));
    await fixture.whenStable();
  }

  async function press(key: string): Promise<void> {
    input().dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
    await fixture.whenStable();
  }

  it('takes what is typed at once', () => expect(document.activeElement).toBe(input()));

  it('finds by all words, of the name or of what it is', async () => {
    await type('part');
    expect(names()).toEqual(['Part', 'Parts']);
    await type('FILL part');
    expect(names()).toEqual(['Parts']);
    await type('zebra');
    expect(page.textContent).toContain('Nothing here is called that.');
  });

  it('goes to the first with Enter, or to the one the arrows lead to', async () => {
    await type('part');
    await press('Enter');
    expect(closed).toHaveBeenCalledWith(ITEMS[1]);
    await press('ArrowDown');
    expect(page.querySelector('[aria-selected="true"]')!.textContent).toContain('Parts');
    expect(input().getAttribute('aria-activedescendant')).toBe('go-to-1');
    await press('Enter');
    expect(closed).toHaveBeenCalledWith(ITEMS[2]);
    await press('ArrowDown');
    expect(page.querySelector('[aria-selected="true"]')!.textContent).toContain('Part');
  });

  it('goes where it is clicked', () => {
    page.querySelectorAll<HTMLElement>('[role="option"]')[3]!.click();
    expect(closed).toHaveBeenCalledWith(ITEMS[3]);
  });
});
