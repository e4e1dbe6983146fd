import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import type { HttpTestingController } from '@angular/common/http/testing';
import { MATERIAL_ANIMATIONS } from '@angular/material/core';
import { MatDialogHarness } from '@angular/material/dialog/testing';
import { MatInputHarness } from '@angular/material/input/testing';
import type { Field } from '@heathridge/core/design';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { button, setUpFile, shown } from '../testing/bench';
import { DraftStore } from './draft.store';
import { TableFieldsComponent } from './table-fields.component';
import { PlanComponent } from './plan.component';

describe('planning many fields', () => {
  let http: HttpTestingController;
  let fixture: ComponentFixture<PlanComponent>;
  let page: HTMLElement;
  let draft: DraftStore;

  beforeEach(async () => {
    // Parts of the page are read when they are wanted: what they are made of is known after this.
    await TestBed.configureTestingModule({
      imports: [PlanComponent],
      providers: [DraftStore, { provide: MATERIAL_ANIMATIONS, useValue: { animationsDisabled: true } }],
    }).compileComponents();
    http = setUpFile();
    fixture = TestBed.createComponent(PlanComponent);
    page = fixture.nativeElement as HTMLElement;
    document.body.append(page);
    draft = TestBed.inject(DraftStore);
    await fixture.whenStable();
  });
  afterEach(() => {
    TestBed.resetTestingModule();
    page.remove();
    http.match(() => true);
  });

  const fields = (): readonly Field[] => draft.design().tables[0]!.fields;
  const kinds = (): string[] => fields().map(({ label, type }) => `${label}: ${type.kind}`);
  const line = (label: string): HTMLButtonElement =>
    [...page.querySelectorAll<HTMLButtonElement>('[data-field]')].find(
      (item) => item.querySelector('strong')!.textContent.trim() === label,
    )!;
  const name = (): HTMLInputElement => page.querySelector<HTMLInputElement>('#f-label')!;
  /** Adds a field, and waits until its name can be written. */
  const begin = async (): Promise<void> => {
    button(page, 'Field').click();
    await shown('#f-label', page);
    await settled();
  };
  const key = (target: HTMLElement, init: KeyboardEventInit): boolean =>
    target.dispatchEvent(new KeyboardEvent('keydown', { bubbles: true, cancelable: true, ...init }));
  const settled = async (): Promise<void> => {
    await fixture.whenStable();
    await new Promise((resolve) => setTimeout(resolve));
    await fixture.whenStable();
  };
  const write = async (text: string): Promise<void> => {
    name().value = text;
    name().dispatchEvent(new Event('input', { bubbles: true }));
    await fixture.whenStable();
  };
  /** The dialog that opens, once its code has been read. */
  const dialog = async (): Promise<MatDialogHarness> => {
    await shown('mat-dialog-container');
    await settled();
    return TestbedHarnessEnvironment.documentRootLoader(fixture).getHarness(MatDialogHarness);
  };

  it('goes from the name of a new field to the next by Enter, and ends by Ctrl+Enter', async () => {
    await begin();
    expect(document.activeElement).toBe(name());
    await write('joined: date');
    key(name(), { key: 'Enter' });
    await settled();
    expect(name().value).toBe('New field');
    expect(document.activeElement).toBe(name());
    await write('phone');
    key(name(), { key: 'Enter', ctrlKey: true });
    await settled();
    expect(kinds().slice(4)).toEqual(['Joined: date', 'Phone: text']);
    expect(name()).toBeNull();
    expect(document.activeElement).toBe(line('Phone'));
  });

  it('stays in the name while it is refused, and keeps what was typed', async () => {
    await begin();
    await write('x'.repeat(61));
    key(name(), { key: 'Enter' });
    await settled();
    expect(fields().length).toBe(5);
    expect(name().value).toBe('x'.repeat(61));
  });

  it('drafts all lines that are put in for one name, once they have been shown', async () => {
    await begin();
    const clipboardData = new DataTransfer();
    clipboardData.setData('text/plain', 'phone\nfee: money\nloan -> Loan\n');
    name().dispatchEvent(new ClipboardEvent('paste', { clipboardData, bubbles: true, cancelable: true }));
    await settled();
    const box = await dialog();
    expect(await box.getTitleText()).toBe('Fields for Borrower');
    expect(await box.getText()).toContain('Lookup of Loan');
    button(document.querySelector('mat-dialog-container')!, 'Add to the draft').click();
    await settled();
    // The field without a name gave way to them.
    expect(kinds().slice(4)).toEqual(['Phone: text', 'Fee: money', 'Loan: lookup']);
  });

  it('says which lines it cannot take, and takes nothing until they are mended', async () => {
    button(page, 'Write several fields').click();
    await settled();
    const box = await dialog();
    const area = await TestbedHarnessEnvironment.documentRootLoader(fixture).getHarness(
      MatInputHarness.with({ ancestor: 'mat-dialog-container' }),
    );
    await area.setValue('phone\nplot -> Plot');
    expect(await box.getText()).toContain('Line 2: There is no table Plot.');
    expect(await box.getText()).toContain('1 field; 1 line cannot be taken yet.');
    const add = button(document.querySelector('mat-dialog-container')!, 'Add to the draft');
    expect(add.disabled).toBeTrue();
    await area.setValue('phone\nplot');
    expect(add.disabled).toBeFalse();
  });

  it('writes whole tables, and picks the first of them', async () => {
    fixture.componentInstance.writeTables();
    await dialog();
    const area = await TestbedHarnessEnvironment.documentRootLoader(fixture).getHarness(
      MatInputHarness.with({ ancestor: 'mat-dialog-container' }),
    );
    await area.setValue('Plots\ngardener\n\nGardener\nname');
    button(document.querySelector('mat-dialog-container')!, 'Add to the draft').click();
    await settled();
    expect(draft.design().tables.map(({ label }) => label)).toEqual([
      ...OFFICE.tables.map(({ label }) => label),
      'Plot',
      'Gardener',
    ]);
    expect(fixture.componentInstance.picked()!.label).toBe('Plot');
  });

  it('moves a field by Alt and the arrow keys, in one change, and stays on it', async () => {
    const labels = (): string[] => fields().map(({ label }) => label);
    expect(labels()).toEqual(['Number', 'Name', 'Email', 'Active']);
    line('Name').focus();
    key(line('Name'), { key: 'ArrowDown', altKey: true });
    await settled();
    key(line('Name'), { key: 'ArrowDown', altKey: true });
    await settled();
    expect(labels()).toEqual(['Number', 'Email', 'Active', 'Name']);
    expect(document.activeElement).toBe(line('Name'));
    expect(draft.changes().length).toBe(1);
    // The last goes no further.
    key(line('Name'), { key: 'ArrowDown', altKey: true });
    expect(draft.changes().length).toBe(1);
  });

  it('moves a field to where it is dropped', () => {
    const list = fixture.debugElement.query(
      ({ componentInstance }) => componentInstance instanceof TableFieldsComponent,
    ).componentInstance as TableFieldsComponent;
    const element = { nativeElement: line('Active').closest('li')! };
    list.dropAt({ item: { element }, previousIndex: 3, currentIndex: 0 } as never);
    expect(fields().map(({ label }) => label)).toEqual(['Active', 'Number', 'Name', 'Email']);
  });

  it('opens one field at a time', async () => {
    line('Name').click();
    await shown('hr-field-editor', page);
    line('Email').click();
    await settled();
    expect(page.querySelectorAll('hr-field-editor').length).toBe(1);
    expect(line('Email').getAttribute('aria-expanded')).toBe('true');
    expect(line('Name').getAttribute('aria-expanded')).toBe('false');
  });
});
