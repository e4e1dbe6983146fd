import { of } from 'rxjs';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { MatSelect } from '@angular/material/select';
import { By } from '@angular/platform-browser';
import { bindCondition } from '@heathridge/core/expression';
import { catalogOf, pathsFrom, rowsLeadingTo } from '@heathridge/core/design';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { button, setUpFile } from '../testing/bench';
import { FileStore } from '../file/file.store';
import { ConditionBuilderComponent, type Made } from './condition-builder.component';

describe('ConditionBuilderComponent', () => {
  let fixture: ComponentFixture<ConditionBuilderComponent>;
  const paths = pathsFrom(OFFICE, OFFICE.tables[1]!);

  beforeEach(async () => {
    setUpFile();
    fixture = TestBed.createComponent(ConditionBuilderComponent);
    fixture.componentRef.setInput('paths', paths);
    fixture.componentRef.setInput('reading', TestBed.inject(FileStore).reading());
    fixture.componentRef.setInput('choices', () => of([]));
    await fixture.whenStable();
  });

  function made(text: string, shape: string, first?: string | number, second?: string | number): string {
    const { componentInstance: builder } = fixture;
    builder.choose(paths.findIndex((path) => path.text === text));
    builder.shapeId.set(shape);
    if (first !== undefined) builder.first.set({ value: first });
    if (second !== undefined) builder.second.set({ value: second });
    return builder.expression();
  }

  it('offers the texts that stand in the rows, each with how many have it', async () => {
    const page = fixture.nativeElement as HTMLElement;
    made('borrower.name', '=');
    await fixture.whenStable();
    expect(page.textContent).not.toContain('Pick one');
    const asked: string[] = [];
    fixture.componentRef.setInput('values', ({ text }: { text: string }) => {
      asked.push(text);
      return of([
        { value: 'Ada', rows: 1200 },
        { value: "O'Hara", rows: 1 },
      ]);
    });
    await fixture.whenStable();
    expect(asked).toEqual([]);
    button(page, 'Pick one that is there…').click();
    await fixture.whenStable();
    expect(asked).toEqual(['borrower.name']);
    expect(page.textContent).toContain('1,200 rows');
    button(page, "O'Hara 1 row").click();
    await fixture.whenStable();
    expect(fixture.componentInstance.expression()).toBe("borrower.name = 'O''Hara'");
    // Of another field there are others; of a date none are offered.
    made('due_back', '<');
    await fixture.whenStable();
    expect(page.textContent).not.toContain('1,200 rows');
    expect(page.textContent).not.toContain('Pick one');
  });

  const cases: [string, string, (string | number | undefined)[], string][] = [
    ['due_back', 'empty', [], 'due_back IS NULL'],
    ['due_back', 'filled', [], 'due_back IS NOT NULL'],
    ['due_back', 'past', [], 'due_back < CURRENT_DATE'],
    ['due_back', 'coming', [], 'due_back > CURRENT_DATE'],
    ['due_back', 'today', [], 'due_back = CURRENT_DATE'],
    [
      'due_back',
      'thisMonth',
      [],
      'EXTRACT(YEAR FROM due_back) = EXTRACT(YEAR FROM CURRENT_DATE) AND EXTRACT(MONTH FROM due_back) = EXTRACT(MONTH FROM CURRENT_DATE)',
    ],
    ['due_back', '<', ['2026-11-04'], "due_back < DATE '2026-11-04'"],
    [
      'due_back',
      'between',
      ['2026-01-01', '2026-02-01'],
      "due_back BETWEEN DATE '2026-01-01' AND DATE '2026-02-01'",
    ],
    ['fee', '>=', ['12.50'], 'fee >= 12.50'],
    ['fee', 'between', ['1.00', '2.00'], 'fee BETWEEN 1.00 AND 2.00'],
    ['state', '=', ['Out'], "state = 'Out'"],
    ['state', '<>', ["O'Hara"], "state <> 'O''Hara'"],
    ['note', 'holds', ['50% of'], "note LIKE '%50!% of%' ESCAPE '!'"],
    ['note', 'begins', ['a_b!'], "note LIKE 'a!_b!!%' ESCAPE '!'"],
    ['borrower', '=', [12], 'borrower = 12'],
    ['borrower.active', 'yes', [], 'borrower.active'],
    ['borrower.active', 'no', [], 'NOT borrower.active'],
    ['borrower.name', '=', ['Ada'], "borrower.name = 'Ada'"],
  ];
  for (const [text, shape, [first, second], expected] of cases) {
    it(`makes ${expected}`, () => {
      expect(made(text, shape, first, second)).toBe(expected);
      expect(() => bindCondition(expected, { catalog: catalogOf(OFFICE), table: 't_loan' })).not.toThrow();
    });
  }

  it('gathers the values of a shape that compares with several, each once, and reads keys as their texts', async () => {
    const { componentInstance: builder } = fixture;
    builder.choose(paths.findIndex((path) => path.text === 'borrower'));
    builder.shapeId.set('oneOf');
    expect(builder.expression()).toBe('');
    for (const [value, text] of [
      [12, 'Ada Quist'],
      [7, 'Bo Reed'],
      [12, 'Ada Quist'],
    ] as const)
      builder.take({ value, text });
    // What is still looked up, or cannot be read, is no value yet.
    builder.take({ value: 12, typed: 'x', sought: true });
    builder.take({ value: 12, typed: 'x', problem: 'no' });
    expect(builder.expression()).toBe('borrower IN (12, 7)');
    expect(builder.words()).toBe('borrower is Ada Quist or Bo Reed');
    await fixture.whenStable();
    button(fixture.nativeElement as HTMLElement, 'Take Ada Quist out').click();
    expect(builder.expression()).toBe('borrower = 7');
    builder.choose(paths.findIndex((path) => path.text === 'state'));
    builder.shapeId.set('oneOf');
    builder.take({ value: 'Out' });
    builder.take({ value: "O'Hara" });
    expect(builder.expression()).toBe("state IN ('Out', 'O''Hara')");
    expect(builder.words()).toBe('');
  });

  it('makes nothing while a value is missing or cannot be read', () => {
    expect(made('fee', '>')).toBe('');
    expect(made('fee', 'between', '1.00')).toBe('');
    fixture.componentInstance.first.set({ value: null, typed: 'x', problem: 'no' });
    expect(fixture.componentInstance.expression()).toBe('');
  });

  it('offers shapes after the kind of field, and starts afresh with another field', async () => {
    const shapes = (): string[] =>
      fixture.debugElement
        .query(By.css('#c-shape'))
        .injector.get(MatSelect)
        .options.map(({ viewValue }) => viewValue);
    fixture.componentInstance.choose(paths.findIndex((path) => path.text === 'borrower.active'));
    await fixture.whenStable();
    expect(shapes()).toEqual(['is ticked', 'is not ticked']);
    made('due_back', '<', '2026-11-04');
    fixture.componentInstance.choose(paths.findIndex((path) => path.text === 'fee'));
    await fixture.whenStable();
    expect(fixture.componentInstance.first()).toEqual({ value: null });
    expect(shapes()).toContain('is at most');
  });

  it('hands over the condition when Add is pressed', async () => {
    const seen: object[] = [];
    fixture.componentInstance.made.subscribe((condition) => seen.push(condition));
    made('due_back', 'empty');
    await fixture.whenStable();
    button(fixture.nativeElement as HTMLElement, 'Add').click();
    expect(seen).toEqual([{ text: 'due_back IS NULL', words: '', said: 'due back is empty' }]);
  });

  it('asks whether there are any rows that lead to it, or any of some, or none', async () => {
    const page = fixture.nativeElement as HTMLElement;
    const rows = rowsLeadingTo(OFFICE, catalogOf(OFFICE), 't_loan');
    expect(rows.map(({ text, label }) => [text, label])).toEqual([['fines', 'fines']]);
    fixture.componentRef.setInput('rows', rows);
    const seen: Made[] = [];
    fixture.componentInstance.made.subscribe((condition) => seen.push(condition));
    await fixture.whenStable();
    const select = (at: number): MatSelect =>
      fixture.debugElement.queryAll(By.directive(MatSelect))[at]!.injector.get(MatSelect);
    const choose = async (at: number, value: string): Promise<void> => {
      select(at).open();
      await fixture.whenStable();
      select(at)
        .options.find((option) => option.value === value)!
        ._selectViaInteraction();
      await fixture.whenStable();
    };
    await choose(0, 'none 0');
    button(page, 'Add').click();
    expect(seen.at(-1)).toEqual({ text: 'COUNT(fines) = 0', words: '', said: 'has no fines' });

    await choose(0, 'any 0');
    for (const [i, [field, shape, value]] of [
      ['amount', '>', '1.00'],
      ['loan.due_back', 'empty', null],
    ].entries()) {
      button(page, i === 0 ? 'Only those where…' : 'and where…').click();
      await fixture.whenStable();
      const within = fixture.debugElement.queryAll(By.directive(ConditionBuilderComponent)).at(-1)!
        .componentInstance as ConditionBuilderComponent;
      within.choose(rows[0]!.paths.findIndex(({ text }) => text === `fines.${field}`));
      within.shapeId.set(shape!);
      within.first.set({ value: value! });
      await fixture.whenStable();
      button(page, 'Only those').click();
      await fixture.whenStable();
    }
    button(page, 'Add').click();
    const { text, said } = seen.at(-1)!;
    expect(said).toBe('has fines (where amount is more than £1.00 and loan due back is empty)');
    expect(text.replace(/\s+/g, ' ')).toBe(
      'COUNT(fines) FILTER (WHERE (fines.amount > 1.00 ) AND (fines.loan.due_back IS NULL )) > 0',
    );
    expect(() => bindCondition(text, { catalog: catalogOf(OFFICE), table: 't_loan' })).not.toThrow();
    // One is taken out again; a field is chosen instead.
    page.querySelector<HTMLElement>('[matChipRemove]')!.click();
    await fixture.whenStable();
    button(page, 'Add').click();
    expect(seen.at(-1)!.text).toBe('COUNT(fines) FILTER (WHERE fines.loan.due_back IS NULL) > 0');
    await choose(0, '1');
    expect(fixture.componentInstance.expression()).not.toContain('fines');
  });
});
