import { Component, provideZonelessChangeDetection, signal, type Type } from '@angular/core';
import { provideHttpClient } from '@angular/common/http';
import { HttpTestingController, provideHttpClientTesting } from '@angular/common/http/testing';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatIconRegistry } from '@angular/material/icon';
import { MatSelect } from '@angular/material/select';
import { MatSelectHarness } from '@angular/material/select/testing';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { By, DomSanitizer } from '@angular/platform-browser';
import {
  catalogOf,
  linksFrom,
  linkWords,
  type Design,
  type Field,
  type FieldType,
  type Rule,
} from '@heathridge/core/design';
import { plainType } from '@heathridge/core/plan';
import { newQuery } from '@heathridge/core/query';
import { applyChanges, type Change } from '@heathridge/core/change';
import { field, lookup, number, OFFICE, table } from '../../../../core/src/design/testing/office';
import { until } from '../testing/bench';
import { FileStore } from '../file/file.store';
import { ICONS } from '../shared/icons';
import { ConversionComponent } from './conversion.component';
import { DraftStore } from './draft.store';
import { DraftStripComponent } from './draft-strip.component';
import { askedOf } from '../file/describe';
import { FieldEditorComponent } from './field-editor.component';
import { LinkDialog } from './link.dialog';
import { LookupSettingsComponent } from './lookup-settings.component';
import { MapComponent } from './map.component';
import { OffersDialog } from './offers.dialog';
import { ReshapeDialog } from './reshape.dialog';
import { RuleEditorComponent } from './rule-editor.component';
import { TableEditorComponent } from './table-editor.component';
import { OrderComponent } from '../shared/order.component';
import { TypeSettingsComponent } from '../file/type-settings.component';

const LOAN = OFFICE.tables[1]!;
const at = (id: string): Field => LOAN.fields.find((item) => item.id === `f_${id}`)!;

function icons(): void {
  const [registry, sanitizer] = [TestBed.inject(MatIconRegistry), TestBed.inject(DomSanitizer)];
  for (const [name, svg] of Object.entries(ICONS))
    registry.addSvgIconLiteral(name, sanitizer.bypassSecurityTrustHtml(svg));
}

/** What the builder works on: an open file with a draft. */
function open(design: Design = OFFICE): { http: HttpTestingController; draft: DraftStore } {
  TestBed.configureTestingModule({
    providers: [
      provideZonelessChangeDetection(),
      provideHttpClient(),
      provideHttpClientTesting(),
      FileStore,
      DraftStore,
    ],
  });
  icons();
  const http = TestBed.inject(HttpTestingController);
  TestBed.inject(FileStore).open('f_x');
  http.expectOne('/api/files/f_x/design').flush({
    name: 'X',
    design,
    versions: {},
    counts: { t_loan: 7 },
    places: [
      { table: 't_loan', x: 300, y: 100 },
      { table: 't_borrower', x: 0, y: 100 },
    ],
    draft: null,
    today: '2026-11-25',
  });
  return { http, draft: TestBed.inject(DraftStore) };
}

async function mount<T>(component: Type<T>, inputs: Record<string, unknown>): Promise<ComponentFixture<T>> {
  const fixture = TestBed.createComponent(component);
  for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
  await fixture.whenStable();
  return fixture;
}

/** A dialog with what it is given; `closed` holds what it was closed with. */
async function openDialog<T>(dialog: Type<T>, data: object) {
  const closed: Change[][] = [];
  TestBed.configureTestingModule({
    providers: [
      provideZonelessChangeDetection(),
      provideHttpClient(),
      provideHttpClientTesting(),
      { provide: MAT_DIALOG_DATA, useValue: data },
      { provide: MatDialogRef, useValue: { close: (changes: Change[]) => closed.push(changes) } },
    ],
  });
  icons();
  const fixture = await mount(dialog, {});
  return { fixture, closed, http: TestBed.inject(HttpTestingController) };
}

const set = async (fixture: ComponentFixture<unknown>, selector: string, value: string): Promise<void> => {
  const input = (fixture.nativeElement as HTMLElement).querySelector<HTMLInputElement>(selector)!;
  if (input.matches('mat-select')) {
    await choose(fixture, selector, value);
    return;
  }
  input.value = value;
  input.dispatchEvent(new Event('input'));
  input.dispatchEvent(new Event('change'));
  await fixture.whenStable();
};

/** Chooses the option that stands for a value, as somebody who sees its words. */
const choose = async (fixture: ComponentFixture<unknown>, selector: string, value: string): Promise<void> => {
  const select = fixture.debugElement.query(By.css(selector)).injector.get(MatSelect);
  const { viewValue } = select.options.find((option) => option.value === value)!;
  const harness = await TestbedHarnessEnvironment.loader(fixture).getHarness(
    MatSelectHarness.with({ selector }),
  );
  await harness.clickOptions({ text: viewValue });
};

const click = async (fixture: ComponentFixture<unknown>, text: string): Promise<void> => {
  const buttons = [...(fixture.nativeElement as HTMLElement).querySelectorAll<HTMLButtonElement>('button')];
  const wanted = buttons.find(
    (button) => button.textContent.trim() === text || button.getAttribute('aria-label') === text,
  );
  if (!wanted)
    throw new Error(
      `There is no button “${text}” among ${buttons.map((button) => button.textContent.trim()).join(', ')}`,
    );
  wanted.click();
  await fixture.whenStable();
};

const textOf = (fixture: ComponentFixture<unknown>): string =>
  (fixture.nativeElement as HTMLElement).textContent.replace(/\s+/g, ' ');

describe('the settings of a kind', () => {
  async function settings(type: FieldType, rest: Record<string, unknown> = {}) {
    open();
    const fixture = await mount(TypeSettingsComponent, {
      type,
      catalog: catalogOf(OFFICE),
      table: 't_loan',
      ...rest,
    });
    const seen: FieldType[] = [];
    fixture.componentInstance.changed.subscribe((next) => {
      seen.push(next);
      fixture.componentRef.setInput('type', next);
    });
    return { fixture, seen };
  }

  it('take a pattern that can be read, and say why another cannot', async () => {
    const { fixture, seen } = await settings({ kind: 'text', most: null });
    await set(fixture, '#f-pattern', 'A-9(3)');
    expect(seen).toEqual([{ kind: 'text', most: null, pattern: 'A-9(3)' }]);
    await set(fixture, '#f-pattern', 'A-!');
    expect(seen.length).toBe(1);
    expect(fixture.componentInstance.patternProblem()).toContain('is no picture symbol');
  });

  it('say how much room pictures and files take, and nothing where that cannot be had', async () => {
    for (const kind of ['picture', 'file'] as const) {
      const { fixture } = await settings({ kind });
      const http = TestBed.inject(HttpTestingController);
      http
        .expectOne(({ url }) => url.endsWith('/attachments'))
        .flush({ bytes: 12_300_000, most: 2_000_000_000 });
      await fixture.whenStable();
      expect((fixture.nativeElement as HTMLElement).textContent).toContain(
        'The pictures and files of this database take 12 MB of 2.0 GB.',
      );
      TestBed.resetTestingModule();
    }
    const { fixture } = await settings({ kind: 'file' });
    TestBed.inject(HttpTestingController)
      .expectOne(({ url }) => url.endsWith('/attachments'))
      .flush('', { status: 500, statusText: 'None' });
    await fixture.whenStable();
    expect((fixture.nativeElement as HTMLElement).textContent.trim()).toBe('');
  });

  it('say why a choice is not taken, and keep what was typed', async () => {
    const { fixture, seen } = await settings({ kind: 'choice', choices: ['New', 'Old'] });
    const fresh = (fixture.nativeElement as HTMLElement).querySelector<HTMLInputElement>(
      '[aria-label="Another choice"]',
    )!;
    fresh.value = 'New';
    await click(fixture, 'Choice');
    expect(textOf(fixture)).toContain('There is a choice “New” already.');
    expect(fresh.value).toBe('New');
    await set(fixture, '[aria-label="Choice 2"]', 'New');
    expect(textOf(fixture)).toContain('There is a choice “New” already.');
    await set(fixture, '[aria-label="Choice 2"]', '');
    expect(textOf(fixture)).toContain('A choice cannot be empty');
    expect(seen).toEqual([]);
    fresh.value = 'Torn';
    await click(fixture, 'Choice');
    expect(seen).toEqual([{ kind: 'choice', choices: ['New', 'Old', 'Torn'] }]);
    expect(textOf(fixture)).not.toContain('already');
  });

  it('search many choices, show them a few at a time, and change the one that is meant', async () => {
    const choices = Array.from({ length: 500 }, (_, i) => `Choice of ${i}`);
    const { fixture, seen } = await settings({ kind: 'choice', choices });
    const rows = (): number =>
      (fixture.nativeElement as HTMLElement).querySelectorAll('input[aria-label^="Choice "]').length;
    expect(rows()).toBe(30);
    await click(fixture, 'Show 30 more');
    expect(rows()).toBe(60);
    await set(fixture, '[aria-label="Find a choice"]', 'OF 49');
    // 49 and 490 to 499.
    expect(rows()).toBe(11);
    expect(textOf(fixture)).toContain('11 of 500');
    await set(fixture, '[aria-label="Choice 492"]', 'Another');
    const now = (seen.at(-1) as { choices: string[] }).choices;
    expect([now[491], now.length]).toEqual(['Another', 500]);
    expect(rows()).toBe(10);
  });

  it('take no text that is too long, and cut none', async () => {
    const { fixture, seen } = await settings({ kind: 'choice', choices: ['New', 'Old'] });
    const input = (fixture.nativeElement as HTMLElement).querySelector<HTMLInputElement>(
      '[aria-label="Choice 1"]',
    )!;
    // A family is one character of eleven units.
    const family = '👨‍👩‍👧‍👦'.repeat(100);
    await set(fixture, '[aria-label="Choice 1"]', `${family}x`);
    expect(seen).toEqual([]);
    expect(input.value).toBe(`${family}x`);
    expect(textOf(fixture)).toContain('At most 100 characters fit here; this has 101, and is not taken yet.');
    expect(input.getAttribute('aria-invalid')).toBe('true');
    await set(fixture, '[aria-label="Choice 1"]', 'x'.repeat(100));
    expect((seen.at(-1) as { choices: string[] }).choices[0]).toBe('x'.repeat(100));
    expect(textOf(fixture)).not.toContain('At most');
  });

  it('take bounds, a unit and places of a number', async () => {
    const { fixture, seen } = await settings({ kind: 'decimal', places: 2 });
    const typed = (): string =>
      (fixture.nativeElement as HTMLElement).querySelector<HTMLInputElement>('#f-least')!.value;
    await set(fixture, '#f-least', '0,5');
    expect(fixture.componentInstance.problems().least).toContain('two ways: 0.5 or 5?');
    expect(seen).toEqual([]);
    expect(typed()).toBe('0,5');
    await set(fixture, '#f-least', '1,000');
    expect(seen.at(-1)).toEqual({ kind: 'decimal', places: 2, least: '1000' });
    expect(typed()).toBe('1,000');
    await set(fixture, '#f-least', '0.5');
    await set(fixture, '#f-unit', 'cm');
    expect(seen.at(-1)).toEqual({ kind: 'decimal', places: 2, least: '0.5', unit: 'cm' });
    await set(fixture, '#f-greatest', 'many');
    expect(fixture.componentInstance.problems().greatest).toContain('is not a number');
  });

  it('keep choices in order, coloured, and tell of a new name', async () => {
    const { fixture, seen } = await settings({ kind: 'choice', choices: ['Out', 'Back'] });
    const renamed: object[] = [];
    fixture.componentInstance.choiceRenamed.subscribe((change) => renamed.push(change));
    await click(fixture, 'Move Back up');
    await set(fixture, '[aria-label="Colour of Back"]', 'moss');
    await set(fixture, '[aria-label="Choice 1"]', 'Returned');
    expect(seen.at(-1)).toEqual({
      kind: 'choice',
      choices: ['Returned', 'Out'],
      colours: { Returned: 'moss' },
    });
    expect(renamed).toEqual([{ from: 'Back', to: 'Returned' }]);
    await click(fixture, 'Take Out out');
    expect((seen.at(-1) as { choices: string[] }).choices).toEqual(['Returned']);
  });

  it('show the result of an expression by its type', async () => {
    const { fixture, seen } = await settings({
      kind: 'workedOut',
      expression: "''",
      result: { kind: 'text' },
    });
    fixture.componentInstance.setExpression({ text: 'due_back - lent_on', ok: true });
    expect(seen.at(-1)).toEqual({
      kind: 'workedOut',
      expression: '"#f_lDue" - "#f_lFrom"',
      result: { kind: 'wholeNumber' },
    });
    fixture.componentInstance.setExpression({ text: 'SUM(fines.amount)', ok: true });
    expect((seen.at(-1) as { result: object }).result).toEqual({ kind: 'wholeNumber' });
    fixture.componentInstance.setExpression({ text: 'due_back', ok: true });
    expect((seen.at(-1) as { result: object }).result).toEqual({ kind: 'date' });
    fixture.componentInstance.setExpression({ text: 'fee >', ok: false });
    expect(seen.length).toBe(3);
  });
});

describe('the settings of a lookup', () => {
  it('need both sides before anything narrows', async () => {
    open();
    const type = lookup('borrower') as FieldType & { kind: 'lookup' };
    const fixture = await mount(LookupSettingsComponent, { type, table: LOAN });
    const seen: FieldType[] = [];
    fixture.componentInstance.changed.subscribe((next) => seen.push(next));
    fixture.componentInstance.setNarrowed('own', { text: 'state', ok: true });
    expect(seen).toEqual([]);
    expect(fixture.componentInstance.narrowOwn()).toBe('state');
    fixture.componentInstance.setNarrowed('other', { text: 'name', ok: true });
    expect(seen).toEqual([{ ...type, narrowed: { own: '"#f_lState"', other: '"#f_bName"' } }]);
  });

  it('take a query that tells rows of the other table, and what answers its questions', async () => {
    const asking = {
      ...newQuery('q_active', 'Active', { id: 't_borrower' }),
      questions: [
        {
          id: 'a_x',
          name: 'x',
          label: 'Which?',
          answer: { kind: 'text' as const },
          start: null,
          needed: false,
        },
      ],
    };
    const none = newQuery('q_fines', 'Fines', { id: 't_fine' });
    const totals = {
      ...newQuery('q_totals', 'Totals', { id: 't_fine' }),
      group: { by: [], measures: [] },
    };
    open({ ...OFFICE, queries: [asking, none, totals] });
    const type = lookup('borrower') as FieldType & { kind: 'lookup' };
    const fixture = await mount(LookupSettingsComponent, { type, table: LOAN });
    const seen: FieldType[] = [];
    fixture.componentInstance.changed.subscribe((next) => {
      seen.push(next);
      fixture.componentRef.setInput('type', next);
    });
    expect(fixture.componentInstance.queries().map(({ id }) => id)).toEqual(['', 'q_active']);
    await set(fixture, '#f-query', 'q_active');
    expect(seen.at(-1)).toEqual({ ...type, query: 'q_active', answers: [] });
    await set(fixture, 'mat-select[aria-label="What answers “Which?”"]', 'state');
    expect(seen.at(-1)).toEqual({
      ...type,
      query: 'q_active',
      answers: [{ question: 'a_x', by: '"#f_lState"' }],
    });
    // Another query asks something else.
    await set(fixture, '#f-query', '');
    expect(seen.at(-1)).toEqual({ ...type, query: null, answers: [] });
  });

  it('take a filter, columns and an order over the other table', async () => {
    open();
    const type = lookup('borrower') as FieldType & { kind: 'lookup' };
    const fixture = await mount(LookupSettingsComponent, { type, table: LOAN });
    const seen: FieldType[] = [];
    fixture.componentInstance.changed.subscribe((next) => {
      seen.push(next);
      fixture.componentRef.setInput('type', next);
    });
    fixture.componentInstance.setOver('filter', { text: 'active', ok: true });
    fixture.componentInstance.addColumn();
    fixture.componentInstance.setOrder({ text: 'email', ok: true });
    expect(seen.at(-1)).toEqual({
      ...type,
      filter: '"#f_bActive"',
      columns: ['"#f_bNo"'],
      order: { by: '"#f_bEmail"', descending: false },
    });
    fixture.componentInstance.retarget('t_fine');
    expect(seen.at(-1)).toEqual({ kind: 'lookup', table: 't_fine', shows: null, onDelete: 'refuse' });
  });
});

describe('the rule editor', () => {
  async function editor(rule: Rule | null, of: Field | null = at('lDue')) {
    open();
    const fixture = await mount(RuleEditorComponent, { table: LOAN, field: of, rule });
    const seen: (Rule | null)[] = [];
    fixture.componentInstance.changed.subscribe((next) => {
      seen.push(next);
      fixture.componentRef.setInput('rule', next);
    });
    return { fixture, seen };
  }

  it('puts a rule together from a shape, with its reading and its message', async () => {
    const { fixture, seen } = await editor(null);
    await click(fixture, 'put it together');
    await set(fixture, '[aria-label="Shape of the rule"]', 'after');
    fixture.componentInstance.otherId.set('f_lFrom');
    await click(fixture, 'Use it');
    expect(seen[0]).toEqual(
      jasmine.objectContaining({
        expression: '"#f_lDue" > "#f_lFrom"',
        message: 'Due back ({"#f_lDue"}) must come after lent on ({"#f_lFrom"}).',
      }),
    );
    await fixture.whenStable();
    expect(textOf(fixture)).toContain('reads: due back is after lent on');
    expect(fixture.componentInstance.message()).toBe(
      'Due back ({due_back}) must come after lent on ({lent_on}).',
    );
    // What cannot be read is not read out as the rule before it.
    fixture.componentInstance.setText({ text: 'due_back >', ok: false });
    await fixture.whenStable();
    expect(textOf(fixture)).not.toContain('reads:');
    fixture.componentInstance.setText({ text: 'due_back > lent_on', ok: true });
    await fixture.whenStable();
    expect(textOf(fixture)).toContain('reads: due back is after lent on');
  });

  it('says what a shape still misses', async () => {
    const { fixture, seen } = await editor(null);
    await click(fixture, 'put it together');
    await click(fixture, 'Use it');
    expect(fixture.componentInstance.problem()).not.toBe('');
    expect(seen).toEqual([]);
  });

  it('keeps a message whose braces cannot be read out of the draft', async () => {
    const { fixture, seen } = await editor({ id: 'r_x', expression: '"#f_lDue" > "#f_lFrom"', message: 'x' });
    fixture.componentInstance.setMessage('Due {nothing}.');
    expect(seen).toEqual([]);
    expect(fixture.componentInstance.messageProblem()).toContain('nothing');
    fixture.componentInstance.setMessage('Due {due_back}.');
    fixture.componentInstance.setNewOnly(true);
    expect(seen.at(-1)).toEqual({
      id: 'r_x',
      expression: '"#f_lDue" > "#f_lFrom"',
      message: 'Due {"#f_lDue"}.',
      newRowsOnly: true,
    });
    fixture.componentInstance.setText({ text: '', ok: true });
    expect(seen.at(-1)).toBeNull();
  });
});

describe('the table editor', () => {
  it('changes key, order and rules in the draft', async () => {
    const { draft } = open();
    const fixture = await mount(TableEditorComponent, { table: LOAN });
    const now = () => draft.design().tables[1]!;
    const next = async (): Promise<void> => {
      fixture.componentRef.setInput('table', now());
      await fixture.whenStable();
    };
    const order = fixture.debugElement.query(By.directive(OrderComponent))
      .componentInstance as OrderComponent;
    order.add('f_lDue');
    await next();
    order.turn(0);
    await next();
    expect(now().order).toEqual([{ field: 'f_lDue', descending: true }]);
    const alike = () => (fixture.nativeElement as HTMLElement).querySelector('[aria-label="No two alike"]')!;
    const press = async (start: string): Promise<void> => {
      [...alike().querySelectorAll<HTMLElement>('button, label')]
        .find((item) =>
          `${item.getAttribute('aria-label') ?? ''}${item.textContent.trim()}`.startsWith(start),
        )!
        .click();
      await next();
    };
    await press('Fields together');
    for (const label of ['State', 'Fee', 'Lent on', 'Fee']) await press(label);
    await press('Ask it');
    expect(now().noTwoAlike).toEqual([['f_lFrom', 'f_lState']]);
    expect(askedOf(now(), draft.catalog())).toEqual(['no two loans have Lent on and State alike']);
    expect(document.activeElement?.textContent).toContain('Fields together');
    await press('Ask no more that Lent on and State differ');
    expect(now().noTwoAlike).toEqual([]);
    await press('Fields together');
    await press('Fee');
    const asking = TestbedHarnessEnvironment.loader(fixture);
    const ask = await asking.getHarness(MatButtonHarness.with({ text: 'Ask it' }));
    expect(await ask.isDisabled()).toBeTrue();
    await press('Cancel');
    expect(fixture.componentInstance.choosing()).toBeNull();
    fixture.componentInstance.addRule();
    await next();
    expect(now().rules.length).toBe(1);
    fixture.componentInstance.setRule(0, null);
    fixture.componentInstance.changeKey('one f_lDue');
    await next();
    fixture.componentInstance.changeKey('too f_lFrom');
    expect(now().key).toEqual(['f_lDue', 'f_lFrom']);
    fixture.componentInstance.rename('Lending');
    expect([now().label, now().name]).toEqual(['Lending', 'lending']);
  });
});

describe('the link dialog', () => {
  async function dialog(design: Design, from: string, to: string) {
    const { fixture, closed, http } = await openDialog(LinkDialog, { file: 'f_x', design, from, to });
    return { fixture, closed, http, it: fixture.componentInstance };
  }

  it('says of each field how many of its rows have a partner, and takes it for the link', async () => {
    const held = table('visit', [
      field('vNo', 'number', number),
      field('vWho', 'who', { kind: 'text' }),
      field('vBorrower', 'borrower_no', { kind: 'wholeNumber' }),
      field('vAge', 'age', { kind: 'wholeNumber' }),
    ]);
    const design: Design = { ...OFFICE, tables: [...OFFICE.tables, held] };
    const { fixture, http, it: link, closed } = await dialog(design, 't_visit', 't_borrower');
    const between = { child: 't_visit', parent: 't_borrower' };
    const offer = (own: string, by: string, rows: number, matching: number) => ({
      ...between,
      on: [{ own, other: 'f_bNo' }],
      by,
      named: false,
      rows,
      matching,
    });
    const request = http.expectOne('/api/files/f_x/links/offers');
    expect(request.request.body).toEqual({ between });
    request.flush({
      offers: [
        offer('f_vBorrower', 'key', 2000, 1999),
        offer('f_vAge', 'key', 2000, 0),
        offer('f_vWho', 'key', 2000, 0),
        offer('f_vWho', 'text', 2000, 1000),
      ],
    });
    await fixture.whenStable();
    expect(link.fitting().map(({ field: { id } }) => id)).toEqual(['f_vBorrower', 'f_vWho', 'f_vAge']);
    const fields = fixture.debugElement.query(By.css('#lk-field')).injector.get(MatSelect);
    expect(fields.options.map(({ viewValue }) => viewValue)).toEqual([
      'a new field of Visit',
      'Borrower no, 99.9 % of whose rows hold its keys',
      'Who, 50 % of whose rows hold its names',
      'Age, which could hold its keys',
    ]);
    link.form.controls.field.setValue('f_vWho');
    link.done();
    expect(closed[0]).toEqual([
      {
        change: 'changeField',
        table: 't_visit',
        field: 'f_vWho',
        set: {
          type: { kind: 'lookup', table: 't_borrower', shows: null, onDelete: 'refuse' },
          alwaysFilled: false,
          noTwoAlike: false,
        },
      },
    ]);
  });

  it('waits until the other table is chosen', async () => {
    const { fixture, http, it: link } = await dialog(OFFICE, 't_loan', '');
    http.expectNone('/api/files/f_x/links/offers');
    const add = [...(fixture.nativeElement as HTMLElement).querySelectorAll('button')].at(-1)!;
    add.click();
    await fixture.whenStable();
    expect((fixture.nativeElement as HTMLElement).textContent).toContain(
      'Choose the table that it leads to.',
    );
    link.form.controls.to.setValue('t_borrower');
    await fixture.whenStable();
    expect((fixture.nativeElement as HTMLElement).textContent).not.toContain('Choose the table that it');
    http.expectOne('/api/files/f_x/links/offers');
  });

  it('makes a lookup, a field of keys a lookup, and one to one', async () => {
    const { it: link, closed } = await dialog(OFFICE, 't_borrower', 't_loan');
    link.form.controls.must.setValue(true);
    link.form.controls.sort.setValue('one');
    link.done();
    expect(closed[0]).toEqual([
      jasmine.objectContaining({
        change: 'addField',
        table: 't_borrower',
        field: jasmine.objectContaining({ name: 'loan', alwaysFilled: true, noTwoAlike: true }),
      }),
    ]);
    link.form.controls.sort.setValue('many');
    link.form.controls.from.setValue('t_loan');
    link.form.controls.to.setValue('t_loan');
    link.done();
    expect(closed[1]![0]).toEqual(jasmine.objectContaining({ change: 'addField', table: 't_loan' }));
  });

  it('makes many to many by a table told by both', async () => {
    const { it: link, closed } = await dialog(OFFICE, 't_borrower', 't_loan');
    link.form.controls.sort.setValue('both');
    link.done();
    const [change] = closed[0]!;
    if (change?.change !== 'addTable') throw new Error('no table was made');
    expect(change.table.key).toEqual(change.table.fields.map(({ id }) => id));
    expect(
      change.table.fields.map(({ name, type }) => [name, type.kind === 'lookup' ? type.table : '']),
    ).toEqual([
      ['borrower', 't_borrower'],
      ['loan', 't_loan'],
    ]);
    expect(change.table.label).toBe('Borrower loan');
  });

  const SEATS: Design = {
    ...OFFICE,
    tables: [
      table(
        'seat',
        [field('sRow', 'row', { kind: 'wholeNumber' }), field('sNo', 'no', { kind: 'text', most: 3 })],
        { key: ['f_sRow', 'f_sNo'] },
      ),
      table('ticket', [field('tNo', 'number', number), field('tRow', 'in_row', { kind: 'wholeNumber' })]),
    ],
  };

  it('links by several fields where the key has several', async () => {
    const { it: link, closed } = await dialog(SEATS, 't_ticket', 't_seat');
    link.setOwn(0, 'f_tRow');
    link.done();
    const [added, changed] = closed[0]!;
    if (added?.change !== 'addField' || changed?.change !== 'changeTable')
      throw new Error('no link was made');
    expect(added.field.type).toEqual({ kind: 'text', most: 3 });
    expect(changed.set.links![0]!.on).toEqual([
      { own: 'f_tRow', other: 'f_sRow' },
      { own: added.field.id, other: 'f_sNo' },
    ]);
    expect(changed.set.noTwoAlike).toBeUndefined();
  });

  it('asks one to one, and that each has its row, of fields that were there too', async () => {
    const { it: link, closed } = await dialog(SEATS, 't_ticket', 't_seat');
    link.form.controls.sort.setValue('one');
    link.form.controls.must.setValue(true);
    link.setOwn(0, 'f_tRow');
    link.done();
    const design = applyChanges(SEATS, closed[0]!);
    const [made] = linksFrom(design, design.tables[1]!);
    expect([made!.single, made!.required]).toEqual([true, true]);
    expect(linkWords(made!)).toContain('a seat can have one ticket');
  });
});

describe('the offers of links', () => {
  const shelf = table(
    'shelf',
    [field('sRoom', 'room', { kind: 'text' }), field('sRow', 'row', { kind: 'text' })],
    {
      key: ['f_sRoom', 'f_sRow'],
    },
  );
  const copy = table('copy', [
    field('cNo', 'number', number),
    field('cRoom', 'room', { kind: 'text' }),
    field('cRow', 'row', { kind: 'text' }),
    field('cBorrower', 'borrower_no', { kind: 'wholeNumber' }),
  ]);
  const design: Design = { ...OFFICE, tables: [...OFFICE.tables, shelf, copy] };
  const byKey = {
    child: 't_copy',
    parent: 't_borrower',
    on: [{ own: 'f_cBorrower', other: 'f_bNo' }],
    by: 'key',
    named: true,
    rows: 1000,
    matching: 999,
  };
  const several = {
    ...byKey,
    parent: 't_shelf',
    on: [
      { own: 'f_cRoom', other: 'f_sRoom' },
      { own: 'f_cRow', other: 'f_sRow' },
    ],
    rows: 40,
    matching: 40,
  };
  const weak = { ...byKey, on: [{ own: 'f_cRoom', other: 'f_bNo' }], by: 'text', named: false };

  it('are listed with the share of rows that match, and made good in the draft', async () => {
    const { fixture, closed, http } = await openDialog(OffersDialog, { file: 'f_x', design });
    expect(textOf(fixture)).toContain('Comparing the fields of all tables …');
    http.expectOne('/api/files/f_x/links/offers').flush({ offers: [byKey, several, weak] });
    await fixture.whenStable();
    expect(textOf(fixture)).toContain('Copy › Borrower no leads to Borrower');
    expect(textOf(fixture)).toContain('999 of 1,000 rows');
    expect(textOf(fixture)).toContain('Copy › Room + Row leads to Shelf');
    // Those whose names speak for them are ticked; the third waits to be asked for.
    await click(fixture, 'Add 2 links to the draft');
    const [field, link] = closed[0]!;
    expect(field).toEqual(jasmine.objectContaining({ change: 'changeField', field: 'f_cBorrower' }));
    expect(link).toEqual(
      jasmine.objectContaining({
        change: 'changeTable',
        table: 't_copy',
        set: { links: [jasmine.objectContaining({ table: 't_shelf', name: 'shelf', on: several.on })] },
      }),
    );
  });

  it('are stopped by closing', async () => {
    const { fixture, http } = await openDialog(OffersDialog, { file: 'f_x', design });
    const request = http.expectOne('/api/files/f_x/links/offers');
    fixture.destroy();
    expect(request.cancelled).toBeTrue();
  });
});

describe('splitting and merging', () => {
  it('make a change of the draft, with names that are free', async () => {
    const closed: Change[] = [];
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        {
          provide: MAT_DIALOG_DATA,
          useValue: {
            table: { ...LOAN, fields: [...LOAN.fields, field('lMore', 'more', { kind: 'text' })] },
            field: at('lNote'),
          },
        },
        { provide: MatDialogRef, useValue: { close: (change: Change) => closed.push(change) } },
      ],
    });
    icons();
    const fixture = await mount(ReshapeDialog, {});
    const { form } = fixture.componentInstance;
    form.controls.one.setValue('');
    fixture.componentInstance.done();
    expect(closed).toEqual([]);
    await fixture.whenStable();
    expect(textOf(fixture)).toContain('A name is needed.');
    form.controls.one.setValue('Fee');
    fixture.componentInstance.done();
    expect(closed[0]).toEqual(
      jasmine.objectContaining({ change: 'splitField', field: 'f_lNote', separator: ', ' }),
    );
    expect((closed[0] as { into: Field[] }).into.map(({ name }) => name)).toEqual(['fee_2', 'note_2']);
    form.controls.way.setValue('merge');
    form.controls.other.setValue('f_lMore');
    fixture.componentInstance.done();
    expect(closed[1]).toEqual(
      jasmine.objectContaining({ change: 'mergeFields', fields: ['f_lNote', 'f_lMore'], separator: ' ' }),
    );
  });
});

describe('the preview of a conversion', () => {
  it('lists what cannot be read, and takes what to read instead', async () => {
    const { http, draft } = open();
    draft.changeField('t_loan', 'f_lNote', { type: { kind: 'date' } });
    const fixture = await mount(ConversionComponent, {
      table: LOAN,
      field: draft.design().tables[1]!.fields.find(({ id }) => id === 'f_lNote')!,
    });
    await new Promise((resolve) => setTimeout(resolve, 300));
    http.expectOne('/api/files/f_x/draft/preview').flush({
      values: 2,
      rows: 5,
      failing: 3,
      ambiguous: 1,
      list: [
        {
          old: 'soon',
          new: null,
          rows: 3,
          was: 'soon',
          becomes: '',
          message: '“soon” is not a date.',
          ambiguous: false,
        },
        {
          old: '4/11/26',
          new: '2026-11-04',
          rows: 2,
          was: '4/11/26',
          becomes: '4 Nov 2026',
          message: null,
          ambiguous: true,
        },
      ],
    });
    await fixture.whenStable();
    expect(textOf(fixture)).toContain('2 different values in 5 rows: 3 rows cannot be read.');
    expect(textOf(fixture)).toContain('1 value is a date either way');
    const seen: object[] = [];
    fixture.componentInstance.changed.subscribe((convert) => seen.push(convert));
    await set(fixture, '[aria-label="Read soon as"]', '1 jan 27');
    expect(seen).toEqual([{ instead: { soon: '1 jan 27' } }]);
  });

  it('offers the values of a text as the choices it becomes', async () => {
    const { http, draft } = open();
    draft.changeField('t_loan', 'f_lNote', { type: plainType('choice', OFFICE) });
    const now = (): Field => draft.design().tables[1]!.fields.find(({ id }) => id === 'f_lNote')!;
    const fixture = await mount(FieldEditorComponent, { table: LOAN, field: now() });
    await new Promise((resolve) => setTimeout(resolve, 300));
    const value = (was: string, rows: number) => ({
      old: was,
      new: null,
      rows,
      was,
      becomes: '',
      message: `“${was}” is not one of First choice.`,
      ambiguous: false,
    });
    const list = [value('torn', 4), value('Lost', 2), value('torn ', 1)];
    http
      .expectOne('/api/files/f_x/draft/preview')
      .flush({ values: 3, rows: 7, failing: 7, ambiguous: 0, list });
    await fixture.whenStable();
    await click(fixture, 'Make the 2 values found its choices');
    expect(now().type).toEqual({ kind: 'choice', choices: ['Lost', 'torn'] });
  });

  it('keeps the rule and the starting value of a field that becomes another kind', async () => {
    const { draft } = open();
    const due = at('lDue');
    const fixture = await mount(FieldEditorComponent, { table: LOAN, field: due });
    fixture.componentInstance.setKind('dateTime');
    const [change] = draft.changes();
    expect(due.rule).not.toBeNull();
    expect(change).toEqual(jasmine.objectContaining({ change: 'changeField', field: 'f_lDue' }));
    expect(draft.design().tables[1]!.fields.find(({ id }) => id === 'f_lDue')!.rule).toEqual(due.rule);
  });

  it('is not there when the values stay as they are', async () => {
    open();
    const fixture = await mount(ConversionComponent, { table: LOAN, field: at('lNote') });
    expect(textOf(fixture).trim()).toBe('');
  });
});

describe('the draft strip', () => {
  it('asks what becomes of each place that uses what is dropped', async () => {
    const { draft } = open();
    draft.dropField('t_loan', 'f_lFrom');
    const fixture = await mount(DraftStripComponent, {});
    expect(textOf(fixture)).toContain('Loan › Due back · its rule');
    await set(fixture, '[aria-label="What becomes of Loan › Due back: its rule"]', 'out');
    await fixture.whenStable();
    expect(draft.changes()).toEqual([
      { change: 'dropField', table: 't_loan', field: 'f_lFrom', mends: [{ dependant: 'f_lDue', put: null }] },
    ]);
    draft.undo();
    expect(draft.changes()).toEqual([{ change: 'dropField', table: 't_loan', field: 'f_lFrom' }]);
  });

  it('shows how far a check is, and stops it', async () => {
    const { http, draft } = open();
    draft.changeField('t_loan', 'f_lFee', { alwaysFilled: true });
    const fixture = await mount(DraftStripComponent, {});
    draft.check();
    const check = http.expectOne('/api/files/f_x/draft/check');
    const { watch } = check.request.body as { watch: string };
    await new Promise((resolve) => setTimeout(resolve, 500));
    http
      .expectOne(`/api/files/f_x/progress/${watch}`)
      .flush({ progress: { step: 2, of: 5, what: 'Copy the rows of Loan' } });
    await fixture.whenStable();
    expect(textOf(fixture)).toContain('Copy the rows of Loan …');
    expect(textOf(fixture)).toContain('step 3 of 5');
    await click(fixture, 'Stop');
    expect(check.cancelled).toBeTrue();
    expect(draft.busy()).toBe('');
  });

  it('keeps a rule for new rows only when that is chosen', async () => {
    const { draft } = open();
    draft.changeTable('t_loan', { rules: [{ id: 'r_new', expression: '"#f_lFee" > 1', message: 'x' }] });
    const fixture = await mount(DraftStripComponent, {});
    fixture.componentInstance.keepForNewRows({ table: 't_loan', rule: 'r_new' } as never);
    expect(draft.design().tables[1]!.rules[0]!.newRowsOnly).toBeTrue();
  });
});

@Component({
  selector: 'hr-map-host',
  imports: [MapComponent],
  template: `<div style="width: 900px; height: 600px">
    <hr-map
      title="X"
      file="f_x"
      [design]="design()"
      [counts]="{ t_loan: 1 }"
      [places]="places"
      [chosen]="chosen()"
      (chosenChange)="chosen.set($event)"
      (tablePicked)="picked.push($event)"
      (linkAsked)="asked.push($event)"
      (moved)="moved.push($event)"
    />
  </div>`,
})
class MapHostComponent {
  readonly design = signal<Design>(OFFICE);
  readonly chosen = signal<'names' | 'keys' | 'fields' | null>(null);
  readonly places = [
    { table: 't_loan', x: 300, y: 100 },
    { table: 't_borrower', x: 0, y: 100 },
    { table: 't_fine', x: 600, y: 100 },
  ];
  readonly picked: string[] = [];
  readonly asked: object[] = [];
  readonly moved: object[] = [];
}

describe('the map', () => {
  async function map(): Promise<{
    fixture: ComponentFixture<MapHostComponent>;
    host: MapHostComponent;
    root: HTMLElement;
  }> {
    open();
    const fixture = await mount(MapHostComponent, {});
    return { fixture, host: fixture.componentInstance, root: fixture.nativeElement as HTMLElement };
  }

  it('draws a card for each table and reads each link out', async () => {
    const { root } = await map();
    expect(root.querySelectorAll('[data-table]').length).toBe(3);
    expect(
      [...root.querySelectorAll('[aria-label="Links"] [role="button"]')].map(
        (link) => link.getAttribute('aria-label')!.split(';')[0],
      ),
    ).toEqual([
      'Each loan belongs to exactly one borrower (Borrower)',
      'Each fine belongs to exactly one loan (Loan)',
    ]);
  });

  it('fades what a search does not find, and goes to what it does', async () => {
    const { fixture, host, root } = await map();
    const find = root.querySelector<HTMLInputElement>('input[type="search"]')!;
    find.value = 'due back';
    find.dispatchEvent(new Event('input'));
    await fixture.whenStable();
    const faded = [...root.querySelectorAll('[data-table]')].filter(
      (card) => Number(getComputedStyle(card).opacity) < 1,
    );
    expect(faded.length).toBe(2);
    find.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    expect(host.picked).toEqual(['t_loan']);
  });

  it('shows all fields on the cards of up to twelve tables, or what somebody has chosen', async () => {
    const { fixture, host, root } = await map();
    const lines = (id: string): string[] =>
      [...root.querySelectorAll(`[data-table="${id}"] button[aria-pressed] > span:not(:last-child)`)].map(
        (line) => line.textContent,
      );
    expect(lines('t_loan')).toEqual([
      '№ Number',
      '→ Borrower',
      'Lent on',
      'Due back',
      'Fee',
      'State',
      'Note',
    ]);
    const own = fixture.debugElement.children[0]!.children[0]!.componentInstance as MapComponent;
    own.choose('keys');
    await fixture.whenStable();
    expect(lines('t_loan')).toEqual(['№ Number', '→ Borrower']);
    own.choose('names');
    await fixture.whenStable();
    expect(lines('t_loan')).toEqual([]);
    expect(host.chosen()).toBe('names');
    host.chosen.set(null);
    const many = Array.from({ length: 13 }, (_, i) => ({ ...OFFICE.tables[0]!, id: `t_c${i}` }));
    host.design.set({ ...OFFICE, tables: many });
    await fixture.whenStable();
    expect(lines('t_c0')).toEqual(['№ Number']);
  });

  it('counts what has no room on a card', async () => {
    const { fixture, host, root } = await map();
    const wide = table('wide', [
      field('w0', 'number', number),
      ...Array.from({ length: 40 }, (_, i) => field(`w${i + 1}`, `f${i}`, { kind: 'text', most: null })),
    ]);
    host.design.set({ ...OFFICE, tables: [wide] });
    await fixture.whenStable();
    const lines = [...root.querySelectorAll('[data-table] button[aria-pressed] > span:not(:last-child)')].map(
      (line) => line.textContent,
    );
    expect([lines.length, lines.at(-1)]).toEqual([24, '+ 18 more']);
  });

  it('makes room for a card that grows', async () => {
    const { fixture, host, root } = await map();
    host.places.push({ table: 't_below', x: 300, y: 180 });
    const below = { ...OFFICE.tables[0]!, id: 't_below' };
    host.design.set({ ...OFFICE, tables: [...OFFICE.tables, below] });
    await fixture.whenStable();
    await fixture.whenStable();
    const top = (id: string): number =>
      parseFloat(root.querySelector<HTMLElement>(`[data-table="${id}"]`)!.style.top);
    expect(top('t_loan')).toBe(100);
    expect(top('t_below')).toBeGreaterThan(300);
  });

  it('is moved and linked by keyboard too', async () => {
    const { fixture, host, root } = await map();
    const face = root.querySelector<HTMLElement>('[data-table="t_loan"] button[aria-pressed]')!;
    face.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', altKey: true, bubbles: true }));
    expect(host.moved).toEqual([[{ table: 't_loan', x: 320, y: 100 }]]);
    root.querySelector<HTMLElement>('[aria-label="Link Loan to another table"]')!.click();
    await fixture.whenStable();
    expect(host.asked).toEqual([{ from: 't_loan', to: null }]);
  });

  it('is drawn for print from its corner', async () => {
    const { fixture } = await map();
    const drawing = fixture.debugElement.children[0]!.children[0]!.componentInstance.drawing();
    expect(drawing.cards.map(({ title, x }: { title: string; x: number }) => [title, x])).toEqual([
      ['Borrower', 24],
      ['Loan', 324],
      ['Fine', 624],
    ]);
    expect(drawing.links.length).toBe(6);
    expect(drawing.cards[1].foot).toBe('1 row');
  });

  it('is laid out along its links in a worker', async () => {
    const { fixture, host } = await map();
    fixture.debugElement.children[0]!.children[0]!.componentInstance.arrange();
    await until(() => host.moved.length > 0);
    const places = host.moved[0] as { table: string; x: number; y: number }[];
    const [first, second, third] = ['t_borrower', 't_loan', 't_fine'].map((id) =>
      places.find(({ table: own }) => own === id)!,
    );
    // From left to right, or from top to bottom where the window is tall.
    const along = (way: 'x' | 'y'): boolean => first![way] < second![way] && second![way] < third![way];
    expect(along('x') || along('y')).toBeTrue();
  });

  it('stays fluid with 100 tables: a drag touches positions alone', async () => {
    const { fixture, host, root } = await map();
    const many = Array.from({ length: 100 }, (_, i) =>
      table(`m${i}`, [
        field(`m${i}n`, 'number', number),
        ...(i > 0 ? [field(`m${i}l`, 'link', lookup(`m${Math.floor((i - 1) / 3)}`))] : []),
      ]),
    );
    host.design.set({ ...OFFICE, tables: many });
    await fixture.whenStable();
    expect(root.querySelectorAll('[data-table]').length).toBe(100);
    expect(root.querySelectorAll('[aria-label="Links"] [role="button"]').length).toBe(99);
    const first = root.querySelector('[data-table="t_m50"]');
    root
      .querySelector<HTMLElement>('[data-table="t_m0"] button[aria-pressed]')!
      .dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', altKey: true, bubbles: true }));
    await fixture.whenStable();
    // The other cards are the same elements: nothing was made anew.
    expect(root.querySelector('[data-table="t_m50"]')).toBe(first);
  });
});
