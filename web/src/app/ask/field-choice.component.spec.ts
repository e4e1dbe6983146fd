import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MatChipSetHarness } from '@angular/material/chips/testing';
import { MATERIAL_ANIMATIONS } from '@angular/material/core';
import { MatSelectHarness } from '@angular/material/select/testing';
import { FileStore } from '../file/file.store';
import { button, setUpFile } from '../testing/bench';
import { FieldChoiceComponent } from './field-choice.component';

describe('FieldChoiceComponent', () => {
  let fixture: ComponentFixture<FieldChoiceComponent>;
  let seen: string[];

  async function open(value: string, rest: Record<string, unknown> = {}): Promise<HTMLElement> {
    TestBed.configureTestingModule({
      providers: [{ provide: MATERIAL_ANIMATIONS, useValue: { animationsDisabled: true } }],
    });
    setUpFile();
    fixture = TestBed.createComponent(FieldChoiceComponent);
    seen = [];
    const design = TestBed.inject(FileStore).design();
    const inputs = { design, label: 'Shows', about: 'What it shows', table: 't_loan', value, ...rest };
    for (const [name, given] of Object.entries(inputs)) fixture.componentRef.setInput(name, given);
    fixture.componentInstance.changed.subscribe(({ text }) => {
      seen.push(text);
      fixture.componentRef.setInput('value', text);
    });
    await fixture.whenStable();
    return fixture.nativeElement as HTMLElement;
  }
  const select = (selector = '') =>
    TestbedHarnessEnvironment.loader(fixture).getHarness(
      MatSelectHarness.with(selector ? { selector: `[aria-label="${selector}"]` } : {}),
    );

  it('picks a field of the table or along its lookups', async () => {
    await open('state');
    expect(await (await select()).getValueText()).toBe('State');
    await (await select()).clickOptions({ text: 'Name' });
    expect(seen).toEqual(['borrower.name']);
  });

  it('means something of its own while nothing is picked, where it may', async () => {
    await open('', { empty: 'what is shown' });
    expect(await (await select()).getValueText()).toBe('what is shown');
    await (await select()).clickOptions({ text: 'Fee' });
    await (await select()).clickOptions({ text: 'what is shown' });
    expect(seen).toEqual(['fee', '']);
  });

  it('joins several fields, with what is chosen between them', async () => {
    await open(`borrower.name || ', ' || state`, { several: true });
    const chips = async (): Promise<string[]> => {
      const set = await TestbedHarnessEnvironment.loader(fixture).getHarness(MatChipSetHarness);
      return Promise.all((await set.getChips()).map((chip) => chip.getText()));
    };
    expect(await chips()).toEqual(['Borrower name', 'State']);
    await (await select('What stands between them')).clickOptions({ text: 'a blank between' });
    expect(seen.at(-1)).toBe(`borrower.name || ' ' || state`);
    await (await select('Add a field: What it shows')).clickOptions({ text: 'Fee' });
    expect(seen.at(-1)).toBe(`borrower.name || ' ' || state || ' ' || fee`);
    button(fixture.nativeElement as HTMLElement, 'Take State out').click();
    await fixture.whenStable();
    expect(seen.at(-1)).toBe(`borrower.name || ' ' || fee`);
  });

  it('shows what no pick gives as the expression that it is, and one that is wished', async () => {
    const page = await open('UPPER(state)');
    expect(page.querySelector('hr-expression-editor')).not.toBeNull();
    expect(page.querySelector('mat-select')).toBeNull();
    expect(() => button(page, 'Pick fields instead')).toThrowError();
    TestBed.resetTestingModule();
    const other = await open('state');
    await (await select()).clickOptions({ text: 'an expression …' });
    expect(other.querySelector('hr-expression-editor')).not.toBeNull();
    button(other, 'Pick fields instead').click();
    await fixture.whenStable();
    expect(await (await select()).getValueText()).toBe('State');
    expect(seen).toEqual([]);
  });
});
