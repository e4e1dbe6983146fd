import type { HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import type { HttpTestingController, TestRequest } from '@angular/common/http/testing';
import { MATERIAL_ANIMATIONS } from '@angular/material/core';
import { MatSelectHarness } from '@angular/material/select/testing';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { Census, type BringPlan, type Cell, type SheetStyle } from '@heathridge/core/sheet';
import type { CheckedSheet, SheetLook } from '../shared/api.service';
import { after, button, setUpFile } from '../testing/bench';
import { BringComponent } from './bring.component';
import { PickedSheet } from './picked-sheet.service';

const STYLE: SheetStyle = { encoding: 'utf-8', delimiter: ',', worksheet: 0, heading: 1 };

const column = (
  heading: string,
  values: readonly Cell[],
  lookups: SheetLook['look']['columns'][number]['lookups'] = [],
) => {
  const census = new Census();
  values.forEach((value) => census.add(value));
  return { heading, facts: census.facts(), lookups };
};

const sheet = (columns: SheetLook['look']['columns'], more: Partial<SheetLook['look']> = {}): SheetLook => ({
  sheet: { id: 's_a', name: 'guests.csv', form: 'delimited', bytes: 1234, address: null },
  look: {
    style: STYLE,
    worksheets: [],
    rows: 3,
    shorter: { rows: 0, line: 0 },
    longer: { rows: 0, line: 0 },
    columns,
    first: [],
    ...more,
  },
  remembered: [],
});

const checked = (more: Partial<CheckedSheet> = {}): CheckedSheet => ({
  rows: 3,
  added: 3,
  changed: 0,
  same: 0,
  bad: 0,
  gone: { deleted: 0, kept: 0, why: '' },
  problems: [],
  unread: [],
  parents: [],
  ...more,
});

describe('BringComponent', () => {
  let fixture: ComponentFixture<BringComponent>;
  let http: HttpTestingController;
  let loader: HarnessLoader;

  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;
  const text = (): string => page().textContent.replace(/\s+/g, ' ');
  /** The check that follows a change, once nobody has changed anything for a moment. */
  async function nextCheck(): Promise<TestRequest> {
    await after(450);
    return http.expectOne('/api/files/f_x/sheets/s_a/check');
  }
  const planOf = (request: TestRequest): BringPlan => (request.request.body as { plan: BringPlan }).plan;

  async function open(answer: SheetLook): Promise<void> {
    TestBed.configureTestingModule({
      providers: [{ provide: MATERIAL_ANIMATIONS, useValue: { animationsDisabled: true } }],
    });
    http = setUpFile();
    TestBed.inject(PickedSheet).put(new File(['x'], 'guests.csv'));
    fixture = TestBed.createComponent(BringComponent);
    loader = TestbedHarnessEnvironment.loader(fixture);
    await fixture.whenStable();
    http.expectOne(({ url }) => url === '/api/files/f_x/sheets').flush(answer);
    await fixture.whenStable();
  }

  async function choose(label: string, option: string): Promise<void> {
    const id = [...page().querySelectorAll('hr-select')]
      .find((one) => one.textContent.includes(label))!
      .querySelector('mat-select')!.id;
    const select = await loader.getHarness(MatSelectHarness.with({ selector: `#${id}` }));
    await select.open();
    await select.clickOptions({ text: option });
    await fixture.whenStable();
  }

  const PLAIN = [column('Guest', ['Ann', 'Bo', 'Cy']), column('Born', ['25/04/2014', '03/05/2014', ''])];

  it('proposes a table for a sheet, checks its rows by itself, and brings in what is good', async () => {
    await open(sheet(PLAIN));
    expect(text()).toContain('Bring in guests.csv');
    const request = await nextCheck();
    const plan = planOf(request);
    expect(
      plan.into.table === 'new' && plan.into.made.fields.map(({ label, type }) => [label, type.kind]),
    ).toEqual([
      ['Number', 'runningNumber'],
      ['Guest', 'text'],
      ['Born', 'date'],
    ]);
    request.flush(checked());
    await fixture.whenStable();
    button(page(), 'Bring in 3 rows').click();
    http.expectOne('/api/files/f_x/sheets/s_a/bring').flush({
      done: false,
      problems: [{ line: 4, column: null, field: null, value: '', reason: 'Somebody was quicker.' }],
    });
    await fixture.whenStable();
    expect(text()).toContain('Nothing was written: the file refused 1 row. Line 4: Somebody was quicker.');
  });

  it('fetches from an address, which stays where it is no address, and says how it is fetched again', async () => {
    http = setUpFile();
    fixture = TestBed.createComponent(BringComponent);
    loader = TestbedHarnessEnvironment.loader(fixture);
    await fixture.whenStable();
    button(page(), 'Fetch from an address').click();
    await fixture.whenStable();
    const line = page().querySelector<HTMLInputElement>('form input')!;
    const fetch = async (address: string): Promise<void> => {
      line.value = address;
      line.dispatchEvent(new Event('input'));
      page().querySelector('form')!.requestSubmit();
      await fixture.whenStable();
    };
    await fetch('guests.csv');
    expect(text()).toContain('This is no address');
    http.expectNone('/api/files/f_x/sheets/fetch');
    expect(line.value).toBe('guests.csv');

    await fetch(' https://example.org/guests.csv ');
    const asked = http.expectOne('/api/files/f_x/sheets/fetch');
    expect(asked.request.body.address).toBe('https://example.org/guests.csv');
    const guests = sheet([column('Code', ['a', 'b', 'c']), column('Guest', ['Ann', 'Bo', 'Cy'])]);
    asked.flush({ ...guests, sheet: { ...guests.sheet, address: 'https://example.org/guests.csv' } });
    await fixture.whenStable();
    expect(planOf(await nextCheck()).again).toBeUndefined();
    await choose('Is fetched', 'again every day');
    await choose('Rows that are gone there', 'are deleted here too');
    expect(text()).toContain('A row is told by Code.');
    const { bring } = fixture.componentInstance;
    // What was said holds in another table too, and is taken back as a whole.
    bring.propose(null);
    const request = await nextCheck();
    expect(planOf(request).again).toEqual({ every: 'day', gone: 'go' });
    request.flush(checked({ added: 0, gone: { deleted: 2, kept: 1, why: 'other rows lead to them' } }));
    await fixture.whenStable();
    expect(text()).toContain('2 gone there, to be deleted, 1 gone there, but kept (other rows lead to them)');
    expect(button(page(), 'Bring in 2 rows').disabled).toBeFalse();
    await choose('Is fetched', 'this once');
    expect(planOf(await nextCheck()).again).toBeUndefined();
    expect(text()).not.toContain('Rows that are gone there');
  });

  it('brings nothing in by a plan that is no more the one on the page', async () => {
    await open(sheet(PLAIN));
    const { bring } = fixture.componentInstance;
    // What was said of the plan before is not said of this one: the button waits for the next check.
    (await nextCheck()).flush(checked());
    expect(bring.good()).toBe(3);
    bring.change({ ...bring.plan()! });
    expect(bring.good()).toBe(0);
    // A check that is on its way for the plan before is ended at once.
    const late = await nextCheck();
    bring.change({ ...bring.plan()! });
    await fixture.whenStable();
    expect(late.cancelled).toBeTrue();
    expect(button(page(), 'Bring in').disabled).toBeTrue();
    (await nextCheck()).flush(checked());
    await fixture.whenStable();
    expect(button(page(), 'Bring in 3 rows').disabled).toBeFalse();
  });

  it('asks which date is meant where nothing tells, before anything is checked', async () => {
    await open(sheet([column('Guest', ['Ann']), column('Born', ['03/04/2014'])]));
    await after(450);
    http.expectNone('/api/files/f_x/sheets/s_a/check');
    expect(text()).toContain('nothing in this sheet tells what 03/04/2014 is');
    button(page(), '4 Mar 2014').click();
    expect(planOf(await nextCheck()).columns[1]!.dateOrder).toBe('mdy');
    await fixture.whenStable();
    expect(text()).not.toContain('nothing in this sheet tells');
  });

  it('tells why rows are not taken, and reads values as they are mended', async () => {
    await open(sheet(PLAIN));
    (await nextCheck()).flush(
      checked({
        added: 2,
        bad: 1,
        problems: [{ line: 3, column: 1, field: null, value: 'spring', reason: '“spring” is not a date.' }],
        unread: [{ column: 1, rows: 1, values: [['spring', 1, '“spring” is not a date.', null]] }],
      }),
    );
    await fixture.whenStable();
    button(page(), 'Show why').click();
    await fixture.whenStable();
    expect(text()).toContain('“spring” is not a date.');
    button(page(), 'Mend').click();
    await fixture.whenStable();
    const line = page().querySelector<HTMLInputElement>('[aria-label="Read spring as"]')!;
    line.value = '1 May 2011';
    line.dispatchEvent(new Event('input'));
    line.dispatchEvent(new Event('change'));
    expect(planOf(await nextCheck()).columns[1]!.instead).toEqual({ spring: '1 May 2011' });
    await fixture.whenStable();
    expect(text()).toContain('spring → 1 May 2011');
    button(page(), 'Read spring as it stands').click();
    expect(planOf(await nextCheck()).columns[1]!.instead).toEqual({});
  });

  it('takes what is most like the values that name no row, all at once', async () => {
    await open(sheet(PLAIN));
    (await nextCheck()).flush(
      checked({
        bad: 2,
        unread: [
          {
            column: 0,
            rows: 2,
            values: [
              ['Anm', 1, 'no', 'Ann'],
              ['Boo', 1, 'no', 'Bo'],
            ],
          },
        ],
      }),
    );
    await fixture.whenStable();
    button(page(), 'Mend').click();
    await fixture.whenStable();
    button(page(), 'Read 2 as what is most like them').click();
    expect(planOf(await nextCheck()).columns[0]!.instead).toEqual({ Anm: 'Ann', Boo: 'Bo' });
  });

  it('leaves a column out, takes it in again, and gives it another kind and name', async () => {
    await open(sheet(PLAIN));
    button(page(), 'Leave Born out').click();
    await fixture.whenStable();
    expect(planOf(await nextCheck()).columns.length).toBe(1);
    button(page(), 'Take it in').click();
    await fixture.whenStable();
    expect(planOf(await nextCheck()).columns.length).toBe(2);
    const kind = await loader.getHarness(MatSelectHarness.with({ selector: '[aria-label="Kind of Born"]' }));
    await kind.open();
    await kind.clickOptions({ text: 'Text' });
    const plan = planOf(await nextCheck());
    expect(plan.into.table === 'new' && plan.into.made.fields[2]!.type.kind).toBe('text');
  });

  it('looks again when the sheet is to be read otherwise', async () => {
    await open(sheet(PLAIN));
    const [, delimiter] = await loader.getAllHarnesses(MatSelectHarness);
    await delimiter!.open();
    await delimiter!.clickOptions({ text: 'a semicolon' });
    const { body } = http.expectOne('/api/files/f_x/sheets/s_a/look').request;
    // The headings may stand elsewhere then.
    expect((body as { style: object }).style).toEqual({ encoding: 'utf-8', delimiter: ';', worksheet: 0 });
  });

  it('goes into a table that is there, and says which fields would stay empty', async () => {
    await open(sheet(PLAIN));
    (await nextCheck()).flush(checked());
    const table = TestBed.inject(PickedSheet) && fixture.componentInstance.targets()[1]!;
    fixture.componentInstance.bring.propose(table.id);
    await fixture.whenStable();
    expect(fixture.componentInstance.target()).toBe(table.id);
    expect(text()).toContain('nowhere');
  });

  it('says what went wrong with a sheet, and takes another', async () => {
    TestBed.configureTestingModule({
      providers: [{ provide: MATERIAL_ANIMATIONS, useValue: { animationsDisabled: true } }],
    });
    http = setUpFile();
    fixture = TestBed.createComponent(BringComponent);
    await fixture.whenStable();
    const data = new DataTransfer();
    data.setData('text/plain', 'Name\tTown\nAnn\tUlm\n');
    document.body.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true }));
    const sent = http.expectOne(({ url }) => url === '/api/files/f_x/sheets');
    expect(sent.request.params.get('name')).toBe('Pasted rows.txt');
    sent.flush(
      { type: '/problems/sheet-refused', detail: 'Line 2: a quote is torn.' },
      { status: 422, statusText: 'No' },
    );
    await fixture.whenStable();
    expect(text()).toContain('Line 2: a quote is torn.');
    expect(button(page(), 'Choose a sheet').disabled).toBeFalse();
  });
});
