import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController, TestRequest } from '@angular/common/http/testing';
import { MATERIAL_ANIMATIONS } from '@angular/material/core';
import type { Value } from '@heathridge/core/values';
import { FileStore } from '../file/file.store';
import { FileNews } from '../file/news.service';
import { after, button, setUpFile, shown } from '../testing/bench';
import { FillComponent } from './fill.component';

/** Borrowers as the server tells of them: number, name, e-mail, active. */
const PEOPLE = [
  [1, 'Ann', null, true],
  [2, 'Bo', null, true],
  [3, 'Cy', null, false],
];
const FILE = '/api/files/f_x';

describe('FillComponent', () => {
  let fixture: ComponentFixture<FillComponent>;
  let http: HttpTestingController;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;

  /** The call that comes to an address, once it has come. */
  async function call(url: string): Promise<TestRequest> {
    for (;;) {
      const [found] = http.match((request) => request.url === `${FILE}/${url}`);
      if (found) return found;
      await after(5);
    }
  }

  /** Answers every call for the borrowers, and for what leads to them, until nothing more is asked. */
  async function settle(people: readonly unknown[] = PEOPLE): Promise<void> {
    let quiet = 0;
    while (quiet < 15) {
      const asked = http.match(({ url }) => /t_borrower\/(window|children|views)$/.test(url));
      quiet = asked.length > 0 ? 0 : quiet + 1;
      for (const one of asked) {
        const { url, body } = one.request;
        if (url.endsWith('views')) one.flush({ views: [] });
        else if (url.endsWith('window'))
          one.flush({ rows: people.slice((body as { start: number }).start), total: people.length });
        else {
          const { keys } = body as { keys: number[][] };
          one.flush({ children: [keys.map(([key]) => (key === 1 ? [2, ['Ann', 'Ann']] : [0, []]))] });
        }
      }
      await after(10);
      fixture.detectChanges();
    }
  }

  const cell = (row: number, column: string): HTMLElement =>
    page().querySelector(`[row-index="${row}"] [col-id="${column}"]`)!;

  beforeEach(async () => {
    TestBed.configureTestingModule({
      providers: [{ provide: MATERIAL_ANIMATIONS, useValue: { animationsDisabled: true } }],
    });
    // That of the set-up is silent.
    TestBed.overrideComponent(FillComponent, { remove: { providers: [FileNews] } });
    http = setUpFile();
    fixture = TestBed.createComponent(FillComponent);
    const host = page();
    Object.assign(host.style, { display: 'grid', width: '1200px', height: '800px' });
    document.body.append(host);
    fixture.detectChanges();
    await settle();
  });
  afterEach(async () => {
    page().remove();
    fixture.destroy();
    // What the grid had in mind is not done any more.
    await after(100);
  });

  it('shows the rows, and beside each what leads to it', () => {
    expect([0, 1, 2].map((row) => cell(row, 'f_bName').textContent)).toEqual(['Ann', 'Bo', 'Cy']);
    expect(cell(0, 'led_lBorrower').textContent).toBe('2: Ann, Ann');
    expect(cell(1, 'led_lBorrower').textContent).toBe('none');
    expect(cell(0, 'led_lBorrower').getAttribute('aria-expanded')).toBe('false');
  });

  it('unfolds what leads to a row beneath it, asks for just that, and adds to it', async () => {
    cell(0, 'led_lBorrower').click();
    await settle();
    const loans = await call('tables/t_loan/window');
    const { conditions } = loans.request.body as { conditions: string[] };
    expect(conditions).toEqual(['"#f_lBorrower" = 1']);
    loans.flush({
      rows: [[1000, [1, 'Ann'], '2026-01-05', null, '3.00', 'Out', null]],
      total: 1,
    });
    await settle();
    const block = await shown('[aria-label="Loans of borrower Ann"]', page());
    expect(block.querySelector('[role="gridcell"][col-id="f_lFee"]')!.textContent).toContain('3.00');
    // It goes without saying whose loans these are.
    expect(block.querySelector('[col-id="f_lBorrower"]')).toBeNull();
    expect(cell(0, 'led_lBorrower').getAttribute('aria-expanded')).toBe('true');
    // The rows that follow stand below it.
    expect(cell(1, 'f_bName')).toBeNull();
    expect(
      [...page().querySelectorAll('[role="gridcell"][col-id="f_bName"]')].map((c) => c.textContent),
    ).toEqual(['Ann', 'Bo', 'Cy', '']);

    const { editor } = fixture.componentInstance.unfolded.of([1])!.parts;
    const added = editor.addNew();
    const save = await call('rows');
    const { changes } = save.request.body as { changes: { table: string; values: Record<string, Value> }[] };
    expect(changes.map(({ table, values }) => [table, values['f_lBorrower'], values['f_lState']])).toEqual([
      ['t_loan', 1, 'Out'],
    ]);
    save.flush({ entry: 5, saved: [{ table: 't_loan', key: [1001] }] });
    await added;
    // It can be undone like anything that was done to the rows around it.
    expect(TestBed.inject(FileStore).file).toBe('f_x');
    expect(fixture.componentInstance.steps.undoes()).toBe('Loan added');
  });

  it('keeps what waits in what is unfolded, and folds it once nothing does', async () => {
    cell(0, 'led_lBorrower').click();
    await settle();
    (await call('tables/t_loan/window')).flush({ rows: [], total: 0 });
    await settle();
    const { unfolded } = fixture.componentInstance;
    const { editor } = unfolded.of([1])!.parts;
    editor.newTouched.set(true);
    cell(0, 'led_lBorrower').click();
    await settle();
    expect(unfolded.of([1])).toBeDefined();
    expect(document.body.textContent).toContain('Something waits in Loans of borrower Ann');
    // Sorted otherwise, it goes with its row; asked away, it is said that something waits there.
    fixture.componentInstance.searched('Bo');
    await after(250);
    await settle(PEOPLE.slice(1, 2));
    expect(page().textContent).toContain('Something waits in Loans of borrower Ann, which is not shown now.');
    fixture.componentInstance.searched('');
    await after(250);
    await settle([PEOPLE[2]!, PEOPLE[0]!, PEOPLE[1]!]);
    expect(unfolded.of([1])!.at).toBe(1);
    expect(page().textContent).not.toContain('which is not shown now');
    editor.dropNew();
    button(page(), 'Fold Loans of borrower Ann').click();
    await settle([PEOPLE[2]!, PEOPLE[0]!, PEOPLE[1]!]);
    expect(unfolded.of([1])).toBeUndefined();
    expect([0, 1, 2].map((row) => cell(row, 'f_bName').textContent)).toEqual(['Cy', 'Ann', 'Bo']);
  });

  it('lets what waits in a row that is not shown be set aside', async () => {
    cell(0, 'led_lBorrower').click();
    await settle();
    (await call('tables/t_loan/window')).flush({ rows: [], total: 0 });
    await settle();
    const { unfolded } = fixture.componentInstance;
    unfolded.of([1])!.parts.editor.newTouched.set(true);
    fixture.componentInstance.searched('Bo');
    await after(250);
    await settle(PEOPLE.slice(1, 2));
    button(page(), 'Set aside').click();
    await settle(PEOPLE.slice(1, 2));
    expect(unfolded.all()).toEqual([]);
    expect(page().textContent).not.toContain('Something waits');
  });

  it('leads the cursor past what is unfolded, and into it by its own key', async () => {
    cell(0, 'led_lBorrower').click();
    await settle();
    (await call('tables/t_loan/window')).flush({
      rows: [[1000, [1, 'Ann'], '2026-01-05', null, '3.00', 'Out', null]],
      total: 1,
    });
    await settle();
    const { grid, unfolded } = fixture.componentInstance;
    const press = (key: string, rest: KeyboardEventInit = {}): void => {
      document.activeElement!.dispatchEvent(
        new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...rest }),
      );
    };
    const at = (): string =>
      `${document.activeElement?.closest('[row-index]')?.getAttribute('row-index')} ${document.activeElement?.getAttribute('col-id')}`;
    grid!.setFocusedCell(0, 'f_bName');
    await after(20);
    press('ArrowDown');
    await after(20);
    const below = unfolded.lines().shownAt(1);
    expect(at()).toBe(`${below} f_bName`);
    press('ArrowUp');
    await after(20);
    expect(at()).toBe('0 f_bName');
    press('ArrowDown', { altKey: true });
    await settle();
    expect(document.activeElement?.closest('hr-beneath')).not.toBeNull();
    expect(at()).toBe('0 f_lNo');
    press('Escape');
    await after(20);
    expect(document.activeElement?.closest('hr-beneath')).toBeNull();
    expect(at()).toBe('0 led_lBorrower');
    // What unfolds a row ticks none.
    press(' ');
    await settle();
    expect(unfolded.of([1])).toBeUndefined();
    expect(grid!.getSelectedRows()).toEqual([]);
  });
});
