import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { MATERIAL_ANIMATIONS } from '@angular/material/core';
import { NEVER } from 'rxjs';
import { boardSort } from '@heathridge/core/board';
import { emptyDesign, type Board, type Design } from '@heathridge/core/design';
import { asList, formFromTable } from '@heathridge/core/form';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { DeskLine } from '../desk/desk-news.service';
import { after, button, setUpFile } from '../testing/bench';
import { BoardsComponent } from './boards.component';
import { NewBoardDialog } from './new-board.dialog';

const LOANS = asList(formFromTable(OFFICE, OFFICE.tables[1]!, 'o_loans', 'Loans'));
const FINES = asList(formFromTable(OFFICE, OFFICE.tables[2]!, 'o_fines', 'Fines'));
const BOARD: Board = {
  type: 'board',
  id: 'h_x',
  label: 'The day',
  parts: [
    { part: 'number', id: 'k_n', width: 3, height: 2, screen: 'o_loans' },
    { part: 'list', id: 'k_l', width: 6, height: 8, screen: 'o_loans' },
    { part: 'list', id: 'k_f', width: 6, height: 8, screen: 'o_fines' },
  ],
  filters: [{ by: 'row', id: 'v_who', label: 'Borrower', table: 't_borrower', ways: [] }],
};
const DESIGN: Design = { ...OFFICE, forms: [LOANS, FINES], boards: [BOARD] };

describe('BoardsComponent', () => {
  let fixture: ComponentFixture<BoardsComponent>;
  let http: HttpTestingController;
  let part: BoardsComponent;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;
  const ids = (): string[] => part.board()!.parts.map(({ id }) => id);
  const pick = (id: string): HTMLElement => page().querySelector<HTMLElement>(`[data-part="${id}"]`)!;

  async function settle(): Promise<void> {
    for (let quiet = 0; quiet < 6; quiet++) {
      for (const one of http.match(({ url }) => url.startsWith('/api/files/f_x/desk'))) {
        quiet = 0;
        const { url } = one.request;
        const form = [LOANS, FINES].find(({ id }) => url.endsWith(`/screens/${id}`));
        const rest = { settings: emptyDesign().settings, today: '2026-11-25' };
        if (form) one.flush({ form, tables: OFFICE.tables, second: [], views: [], ...rest });
        else if (url.endsWith('/screens/o_gone'))
          one.flush({ detail: 'This screen is no longer there.' }, { status: 404, statusText: 'x' });
        else if (url.endsWith('/page')) one.flush({ rows: [], total: 3 });
        else
          one.flush({
            name: 'X',
            role: 'builder',
            duty: null,
            boards: [],
            screens: [LOANS, FINES].map(({ id, label, table }) => ({
              id,
              label,
              table,
              shows: 'list',
              adds: false,
              one: 'x',
              many: 'xs',
            })),
            ...rest,
          });
      }
      await after(5);
      fixture.detectChanges();
    }
  }

  beforeEach(async () => {
    TestBed.overrideProvider(MATERIAL_ANIMATIONS, { useValue: { animationsDisabled: true } });
    TestBed.overrideComponent(BoardsComponent, {
      add: { providers: [{ provide: DeskLine, useValue: { all: NEVER } }] },
    });
    http = setUpFile(DESIGN);
    fixture = TestBed.createComponent(BoardsComponent);
    part = fixture.componentInstance;
    await settle();
  });
  afterEach(() => fixture.destroy());

  it('shows the real rows while it is designed, out of reach of mouse and keys', () => {
    expect(page().querySelectorAll('hr-list-grid').length).toBe(2);
    for (const list of page().querySelectorAll('hr-list-grid'))
      expect(list.closest('[inert]')).not.toBeNull();
    expect(page().querySelector('hr-board-number')!.textContent).toContain('3');
    expect(page().textContent).toContain('It narrows every part.');
  });

  it('is arranged by keys: parts moved, made wider and higher, each step undone and done again', async () => {
    const press = (id: string, key: string, shiftKey = false): void => {
      pick(id).dispatchEvent(new KeyboardEvent('keydown', { key, altKey: true, shiftKey, bubbles: true }));
    };
    press('k_f', 'ArrowUp');
    expect(ids()).toEqual(['k_n', 'k_f', 'k_l']);
    await settle();
    expect(document.activeElement).toBe(pick('k_f'));
    press('k_n', 'ArrowLeft');
    expect(ids()).toEqual(['k_n', 'k_f', 'k_l']);
    press('k_n', 'ArrowRight', true);
    await settle();
    press('k_n', 'ArrowDown', true);
    expect(part.board()!.parts[0]).toEqual(jasmine.objectContaining({ width: 4, height: 3 }));
    part.undo();
    part.undo();
    part.undo();
    expect(part.board()).toEqual(BOARD);
    expect(part.dirty()).toBeFalse();
    part.redo();
    expect(ids()).toEqual(['k_n', 'k_f', 'k_l']);
  });

  it('is arranged by mouse: a part dropped beside another, and sized by its corner', async () => {
    part.arrange({ id: 'k_n', beside: 'k_f', side: 'behind' });
    expect(ids()).toEqual(['k_l', 'k_f', 'k_n']);
    await settle();
    const section = pick('k_l').closest('section')!;
    const edge = section.querySelector<HTMLElement>('[aria-hidden="true"]')!;
    const { left, top, width } = section.getBoundingClientRect();
    edge.dispatchEvent(new PointerEvent('pointerdown', { bubbles: true, cancelable: true }));
    document.dispatchEvent(new PointerEvent('pointermove', { clientX: left + width * 2, clientY: top + 60 }));
    document.dispatchEvent(new PointerEvent('pointerup'));
    expect(part.board()!.parts[0]).toEqual(jasmine.objectContaining({ id: 'k_l', width: 12, height: 1 }));
    expect(part.past().length).toBe(2);
  });

  it('gets parts, which are called and sized as somebody says, and taken off again', async () => {
    part.add('list', 'o_fines');
    expect(part.pickedPart()).toEqual(jasmine.objectContaining({ part: 'list', screen: 'o_fines' }));
    part.call('  Fines to be paid ');
    part.typeHeight('12');
    part.size({ width: 4 });
    const own = { label: 'Fines to be paid', height: 12, width: 4 };
    expect(part.pickedPart()).toEqual(jasmine.objectContaining(own));
    await settle();
    part.typeHeight('12,5');
    expect(part.wrongHeight()).toContain('whole number');
    part.call('');
    expect('label' in part.pickedPart()!).toBeFalse();
    await settle();
    button(page(), 'Take it off the board').click();
    expect(ids()).toEqual(['k_n', 'k_l', 'k_f']);
    expect(part.pickedPart()).toBeNull();
    await settle();
    expect(document.activeElement).toBe(pick('k_f'));
    part.addNote('heading');
    part.change({ text: 'What is out' });
    await settle();
    pick(part.picked()).dispatchEvent(new KeyboardEvent('keydown', { key: 'Delete', bubbles: true }));
    expect(ids()).toEqual(['k_n', 'k_l', 'k_f']);
  });

  it('is narrowed by what links lead to, otherwise for a part where somebody says so', async () => {
    const [filter] = part.board()!.filters;
    const [, , fines] = part.board()!.parts;
    expect(part.waysOf(filter!, fines as never)).toEqual([
      { id: 'f_fLoan/f_lBorrower', label: 'by loan borrower' },
      { id: '-', label: 'not at all' },
    ]);
    part.setWay(filter!, fines as never, '-');
    expect(part.reachOf(part.board()!.filters[0]!)).toBe('It narrows Loans, and leaves the others alone.');
    const days = part.offered().find(({ label }) => label.startsWith('days'))!;
    part.addFilter(days.id);
    part.setFilter(part.board()!.filters[1]!, { label: 'Lent', starts: 'week' });
    await settle();
    expect(boardSort.problems(DESIGN, part.board()!)).toEqual([]);
    button(page(), 'Take away the filter Borrower').click();
    expect(part.board()!.filters.map(({ label }) => label)).toEqual(['Lent']);
    // With the part goes what was said of it.
    part.picked.set('k_f');
    part.takeOff();
    expect(part.board()!.filters.flatMap(({ ways }) => ways)).toEqual([]);
  });

  it('is saved as it stands, and does without a screen that is gone', async () => {
    part.call('');
    part.set({ parts: [...BOARD.parts, { part: 'list', id: 'k_g', width: 6, height: 8, screen: 'o_gone' }] });
    await settle();
    expect(page().textContent).toContain('A screen on this board is no longer there.');
    button(page(), 'Take out what is gone').click();
    expect(ids()).toEqual(['k_n', 'k_l', 'k_f']);
    part.rename('Today');
    await settle();
    button(page(), 'Save board').click();
    const { request } = http.expectOne('/api/files/f_x/definitions/h_x');
    expect(request.body.document).toEqual({ ...BOARD, label: 'Today' });
  });
});

describe('NewBoardDialog', () => {
  it('makes a board of the screens that are ticked, under a name that nothing has', async () => {
    let made: Board | undefined;
    TestBed.overrideProvider(MAT_DIALOG_DATA, { useValue: { design: DESIGN } });
    TestBed.overrideProvider(MatDialogRef, { useValue: { close: (board: Board) => (made = board) } });
    setUpFile(DESIGN);
    const fixture = TestBed.createComponent(NewBoardDialog);
    const page = fixture.nativeElement as HTMLElement;
    await fixture.whenStable();
    const [loans] = [...page.querySelectorAll<HTMLInputElement>('mat-checkbox input')];
    loans!.click();
    const name = page.querySelector<HTMLInputElement>('hr-line input')!;
    expect(name.value).toBe('Board');
    name.value = ' ';
    name.dispatchEvent(new Event('input'));
    button(page, 'Make it').click();
    await fixture.whenStable();
    expect(made).toBeUndefined();
    name.value = 'Loans and more';
    name.dispatchEvent(new Event('input'));
    button(page, 'Make it').click();
    expect(made!.label).toBe('Loans and more');
    expect(made!.parts.map((at) => 'screen' in at && at.screen)).toEqual(['o_loans']);
  });
});
