import { provideZonelessChangeDetection } from '@angular/core';
import { provideHttpClient } from '@angular/common/http';
import { HttpTestingController, provideHttpClientTesting } from '@angular/common/http/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { TestBed } from '@angular/core/testing';
import { MatSelectHarness } from '@angular/material/select/testing';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { MatIconRegistry } from '@angular/material/icon';
import { DomSanitizer } from '@angular/platform-browser';
import { field, lookup, OFFICE } from '../../../../core/src/design/testing/office';
import { FileStore } from '../file/file.store';
import type { Finding, Given } from '../shared/api.service';
import { ICONS } from '../shared/icons';
import { NotUndoneDialog, type NotUndone } from './not-undone.dialog';

const SORT = field('lSort', 'sort', { kind: 'choice', choices: ['A', 'B'] });
const FEE = field('lPrice', 'price', { kind: 'money', places: 2 });
const OWNER = field('lOwner', 'owner', lookup('borrower'));

const finding = (id: string, ...keys: number[]): Finding => ({
  number: 0,
  table: 't_loan',
  field: id,
  fields: [id],
  sort: 'kind',
  message: `About ${id}.`,
  count: keys.length + (id === 'f_lPrice' ? 2 : 0),
  sample: keys.map((key) => ({ key: [key], value: null })),
});

describe('what rows are to hold that stand in the way of an undo', () => {
  const EACH = [finding('f_lPrice', 1000, 1001), finding('f_lSort', 1002), finding('f_lOwner', 1003, 1004)];

  async function open(findings: readonly Finding[] = EACH) {
    const closed: (readonly Given[])[] = [];
    const data: NotUndone = {
      version: 3,
      message: '',
      findings,
      fields: [FEE, SORT, OWNER],
    };
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        provideHttpClient(),
        provideHttpClientTesting(),
        FileStore,
        { provide: MAT_DIALOG_DATA, useValue: data },
        { provide: MatDialogRef, useValue: { close: (given: readonly Given[]) => closed.push(given) } },
      ],
    });
    const [registry, sanitizer] = [TestBed.inject(MatIconRegistry), TestBed.inject(DomSanitizer)];
    for (const [name, svg] of Object.entries(ICONS))
      registry.addSvgIconLiteral(name, sanitizer.bypassSecurityTrustHtml(svg));
    TestBed.inject(FileStore).open('f_x');
    const info = {
      name: 'X',
      design: OFFICE,
      versions: {},
      counts: {},
      places: [],
      draft: null,
      draftVersion: 0,
      today: '2026-11-25',
    };
    TestBed.inject(HttpTestingController).expectOne('/api/files/f_x/design').flush(info);
    const fixture = TestBed.createComponent(NotUndoneDialog);
    await fixture.whenStable();
    const root = fixture.nativeElement as HTMLElement;
    const set = async (label: string, value: string): Promise<void> => {
      const input = root.querySelector<HTMLInputElement>(`[aria-label="${label}"]`)!;
      input.value = value;
      input.dispatchEvent(new Event('input'));
      input.dispatchEvent(new Event('change'));
      input.dispatchEvent(new Event('blur'));
      await fixture.whenStable();
    };
    const choose = async (label: string, option: string): Promise<void> => {
      const loader = TestbedHarnessEnvironment.documentRootLoader(fixture);
      const list = await loader.getHarness(MatSelectHarness.with({ selector: `[aria-label="${label}"]` }));
      await list.clickOptions({ text: option });
    };
    const press = async (text: string): Promise<void> => {
      [...root.querySelectorAll('button')].find((button) => button.textContent.trim() === text)!.click();
      await fixture.whenStable();
    };
    return { root, set, choose, press, closed };
  }

  it('is asked row by row, in the field as it will be', async () => {
    const { root, set, choose, press, closed } = await open();
    expect(root.textContent).toContain('2 more rows come up after these.');
    await set('Price of Loan 1000', '12.5');
    await press('Put the first into all');
    await set('Price of Loan 1001', '3');
    await choose('Sort of Loan 1002', 'B');
    await set('Owner of Loan 1003', '7');
    await press('Undo with these');
    expect(closed).toEqual([
      [
        { field: 'f_lPrice', key: [1000], value: '12.50' },
        { field: 'f_lPrice', key: [1001], value: '3.00' },
        { field: 'f_lSort', key: [1002], value: 'B' },
        { field: 'f_lOwner', key: [1003], value: 7 },
        { field: 'f_lOwner', key: [1004], value: null },
      ],
    ]);
  });

  it('leaves what several fields hold together as it is, but for what is said', async () => {
    const { root, choose, press, closed } = await open([
      { ...finding('f_lPrice', 1000, 1001), field: null, fields: ['f_lPrice', 'f_lSort'], sort: 'alike' },
    ]);
    expect(root.textContent.split('About f_lPrice.').length - 1).toBe(1);
    expect(root.textContent).toContain('What you leave blank here stays as it is.');
    // All alike is what they must not be.
    expect(root.textContent).not.toContain('Put the first into all');
    await choose('Sort of Loan 1001', 'B');
    await press('Undo with these');
    expect(closed).toEqual([[{ field: 'f_lSort', key: [1001], value: 'B' }]]);
  });

  it('waits while something cannot be read, and keeps it', async () => {
    const { root, set, press, closed } = await open();
    await set('Price of Loan 1000', 'much');
    expect(root.textContent).toContain('“much” is not a number.');
    await press('Undo with these');
    expect(closed).toEqual([]);
    expect(root.querySelector<HTMLInputElement>('[aria-label="Price of Loan 1000"]')!.value).toBe('much');
  });
});
