import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { TestKey, type HarnessLoader } from '@angular/cdk/testing';
import { Component, provideZonelessChangeDetection, signal, type Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MATERIAL_ANIMATIONS } from '@angular/material/core';
import { MatButtonToggleGroupHarness } from '@angular/material/button-toggle/testing';
import { MatFormFieldHarness } from '@angular/material/form-field/testing';
import { MatInputHarness } from '@angular/material/input/testing';
import { MatActionListHarness } from '@angular/material/list/testing';
import { MatSelectHarness } from '@angular/material/select/testing';
import * as v from 'valibot';
import { bySchema, faultOf, refuse } from './by-schema';
import { LineComponent } from './line.component';
import { PickComponent } from './pick.component';
import { SegmentsComponent } from './segments.component';
import { SelectComponent, type Option } from './select.component';
import { WholeComponent } from './whole.component';

async function mount<T>(
  component: Type<T>,
): Promise<{ fixture: ComponentFixture<T>; host: T; loader: HarnessLoader }> {
  TestBed.configureTestingModule({
    providers: [
      provideZonelessChangeDetection(),
      { provide: MATERIAL_ANIMATIONS, useValue: { animationsDisabled: true } },
    ],
  });
  const fixture = TestBed.createComponent(component);
  await fixture.whenStable();
  return {
    fixture,
    host: fixture.componentInstance,
    loader: TestbedHarnessEnvironment.documentRootLoader(fixture),
  };
}

/** Types a text and goes on, which the harness alone does not tell. */
async function type(line: MatInputHarness, text: string): Promise<void> {
  await line.setValue(text);
  await (await line.host()).dispatchEvent('change');
}

@Component({
  selector: 'hr-line-host',
  imports: [LineComponent],
  template: `<hr-line
    label="Heading"
    most="5"
    needed="A heading is needed."
    hint="As it is printed."
    [problem]="problem()"
    [value]="value()"
    (changed)="take($event)"
    (typed)="typed.push($event)"
  />`,
})
class LineHostComponent {
  readonly value = signal('Fee');
  readonly problem = signal('');
  readonly taken: string[] = [];
  readonly typed: string[] = [];
  take(text: string): void {
    this.taken.push(text);
    this.value.set(text);
  }
}

describe('a line', () => {
  it('tells what is typed, once somebody has gone on, and what helps with it', async () => {
    const { host, loader } = await mount(LineHostComponent);
    const around = await loader.getHarness(MatFormFieldHarness);
    const line = (await around.getControl(MatInputHarness))!;
    expect(await (await line.host()).getAttribute('aria-describedby')).not.toBeNull();
    expect(await around.getTextHints()).toEqual(['As it is printed.']);
    await type(line, 'Cost');
    expect([host.taken, host.typed.at(-1)]).toEqual([['Cost'], 'Cost']);
    host.value.set('Sum');
    expect(await line.getValue()).toBe('Sum');
  });

  it('refuses in words what is too long, counted as people count, and keeps it', async () => {
    const { host, loader } = await mount(LineHostComponent);
    const around = await loader.getHarness(MatFormFieldHarness);
    const line = (await around.getControl(MatInputHarness))!;
    await type(line, '👨‍👩‍👧‍👦'.repeat(5));
    expect(await around.hasErrors()).toBeFalse();
    await type(line, 'Monthly');
    expect(await around.getTextErrors()).toEqual([
      'At most 5 characters fit here; this has 7, and is not taken yet.',
    ]);
    expect([await line.getValue(), host.taken.length]).toEqual(['Monthly', 1]);
    expect(host.typed).not.toContain('Monthly');
  });

  it('says that something is needed when it is left empty, not while it is emptied', async () => {
    const { fixture, host, loader } = await mount(LineHostComponent);
    const around = await loader.getHarness(MatFormFieldHarness);
    const input = (fixture.nativeElement as HTMLElement).querySelector('input')!;
    input.value = '';
    input.dispatchEvent(new Event('input'));
    expect(await around.hasErrors()).toBeFalse();
    input.dispatchEvent(new Event('change'));
    expect(await around.getTextErrors()).toEqual(['A heading is needed.']);
    expect(host.taken).toEqual([]);
    host.problem.set('');
    input.value = 'Fee';
    input.dispatchEvent(new Event('input'));
    expect(await around.hasErrors()).toBeFalse();
  });

  it('shows what others have found wrong', async () => {
    const { host, loader } = await mount(LineHostComponent);
    host.problem.set('There is one already.');
    const around = await loader.getHarness(MatFormFieldHarness);
    expect(await around.getTextErrors()).toEqual(['There is one already.']);
    expect(
      await (await (await around.getControl(MatInputHarness))!.host()).getAttribute('aria-invalid'),
    ).toBe('true');
  });
});

@Component({
  selector: 'hr-form-host',
  imports: [LineComponent, ReactiveFormsModule, SelectComponent],
  template: `<hr-line label="Login" [formControl]="login" />
    <hr-select label="Sort" [options]="options" [formControl]="sort" />`,
})
class FormHostComponent {
  readonly login = new FormControl('', {
    nonNullable: true,
    validators: bySchema(v.pipe(v.string(), v.minLength(3, 'Three at least.'))),
  });
  readonly sort = new FormControl('a', { nonNullable: true });
  readonly options: Option[] = [
    { id: 'a', label: 'One' },
    { id: 'b', label: 'Two' },
  ];
}

describe('a line and a list in a form', () => {
  it('speak for its schema once they are left, and for the server in the same place', async () => {
    const { host, loader } = await mount(FormHostComponent);
    const around = await loader.getHarness(MatFormFieldHarness);
    const line = (await around.getControl(MatInputHarness))!;
    expect([await around.hasErrors(), faultOf(host.login)]).toEqual([false, 'Three at least.']);
    await line.setValue('ab');
    await line.blur();
    expect(await around.getTextErrors()).toEqual(['Three at least.']);
    await line.setValue('abc');
    expect([await around.hasErrors(), host.login.value, host.login.valid]).toEqual([false, 'abc', true]);
    refuse(host.login, 'It is taken.');
    expect(await around.getTextErrors()).toEqual(['It is taken.']);
    await line.setValue('abcd');
    expect(await around.hasErrors()).toBeFalse();
    host.login.disable();
    expect(await line.isDisabled()).toBeTrue();
  });

  it('hold what the form holds', async () => {
    const { host, loader } = await mount(FormHostComponent);
    const list = await loader.getHarness(MatSelectHarness);
    expect(await list.getValueText()).toBe('One');
    await list.clickOptions({ text: 'Two' });
    expect(host.sort.value).toBe('b');
    host.sort.setValue('a');
    expect(await list.getValueText()).toBe('One');
    host.sort.disable();
    expect(await list.isDisabled()).toBeTrue();
  });
});

@Component({
  selector: 'hr-whole-host',
  imports: [WholeComponent],
  template: `<hr-whole
    label="Places"
    least="0"
    greatest="6"
    [mayBeEmpty]="mayBeEmpty()"
    [value]="2"
    (changed)="taken.push($event)"
  />`,
})
class WholeHostComponent {
  readonly mayBeEmpty = signal(false);
  readonly taken: (number | null)[] = [];
}

describe('a line for a whole number', () => {
  it('takes what lies within its bounds, and says them for all else, which stays as it was typed', async () => {
    const { host, loader } = await mount(WholeHostComponent);
    const around = await loader.getHarness(MatFormFieldHarness);
    const line = (await around.getControl(MatInputHarness))!;
    for (const text of ['0', '6', '+3']) await type(line, text);
    expect(host.taken).toEqual([0, 6, 3]);
    for (const text of ['7', '-1', '1.5', '1,5', 'x', '1e1', '']) {
      await type(line, text);
      expect((await around.getTextErrors()).join()).toContain('a whole number from 0 to 6.');
      expect(await line.getValue()).toBe(text);
    }
    expect(host.taken.length).toBe(3);
    host.mayBeEmpty.set(true);
    await type(line, '4');
    await type(line, '');
    expect([host.taken.at(-1), await around.hasErrors()]).toEqual([null, false]);
  });
});

const MONTHS = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
];

@Component({
  selector: 'hr-select-host',
  imports: [SelectComponent],
  template: `<hr-select label="Month" [options]="list()" [value]="value()" (changed)="take($event)" />`,
})
class SelectHostComponent {
  readonly list = signal<Option[]>([
    { id: '', label: 'any' },
    ...MONTHS.map((label) => ({ id: label, label, group: label < 'K' ? 'First letters' : 'Last letters' })),
  ]);
  readonly value = signal('');
  readonly taken: string[] = [];
  keep = true;
  take(id: string): void {
    this.taken.push(id);
    if (this.keep) this.value.set(id);
  }
}

describe('a list that drops down', () => {
  const find = (): HTMLInputElement => document.querySelector('input[type="search"]')!;
  const press = async (loader: HarnessLoader, key: TestKey): Promise<void> => {
    const line = await loader.getHarness(MatInputHarness.with({ selector: '[type="search"]' }));
    await (await line.host()).sendKeys(key);
  };
  it('of many is found in by typing: Enter takes the first that is left', async () => {
    const { fixture, host, loader } = await mount(SelectHostComponent);
    const list = await loader.getHarness(MatSelectHarness);
    await list.open();
    expect(document.activeElement).toBe(find());
    find().value = 'emb';
    find().dispatchEvent(new Event('input'));
    await fixture.whenStable();
    const left = [...document.querySelectorAll('mat-option')].filter((option) => option.clientHeight > 0);
    expect(left.map((option) => option.textContent.trim())).toEqual(['December', 'September', 'November']);
    const groups = [...document.querySelectorAll('mat-optgroup')].filter(
      (group) => getComputedStyle(group).display !== 'none',
    );
    expect(groups.length).toBe(2);
    // Up from the first is nowhere; down goes past those that are not shown.
    await press(loader, TestKey.UP_ARROW);
    await press(loader, TestKey.DOWN_ARROW);
    await press(loader, TestKey.ENTER);
    expect(host.taken).toEqual(['September']);
    expect(await list.getValueText()).toBe('September');
    expect(await list.isOpen()).toBeFalse();
    expect(document.activeElement?.tagName).toBe('MAT-SELECT');
  });

  it('takes what fits what stands in the line, however quickly Enter follows', async () => {
    const { host, loader } = await mount(SelectHostComponent);
    await (await loader.getHarness(MatSelectHarness)).open();
    find().value = 'octo';
    find().dispatchEvent(new Event('input'));
    find().dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }));
    expect(host.taken).toEqual(['October']);
  });

  it('says when nothing is left, and forgets what was sought when it closes', async () => {
    const { fixture, loader } = await mount(SelectHostComponent);
    const list = await loader.getHarness(MatSelectHarness);
    await list.open();
    find().value = 'zz';
    find().dispatchEvent(new Event('input'));
    await fixture.whenStable();
    expect(document.querySelector('[role="listbox"] [role="status"]')!.textContent).toContain(
      'Nothing here has “zz” in it.',
    );
    await press(loader, TestKey.TAB);
    expect([await list.isOpen(), document.activeElement?.tagName]).toEqual([false, 'MAT-SELECT']);
    await list.open();
    expect(find().value).toBe('');
    expect((await list.getOptions()).length).toBe(13);
  });

  it('goes back to what stands where a choice is not taken', async () => {
    const { host, loader } = await mount(SelectHostComponent);
    host.keep = false;
    const list = await loader.getHarness(MatSelectHarness);
    await list.clickOptions({ text: 'May' });
    expect([host.taken, await list.getValueText()]).toEqual([['May'], 'any']);
  });

  it('of a few has no line to find in', async () => {
    const { fixture, host, loader } = await mount(SelectHostComponent);
    host.list.set(host.list().slice(0, 12));
    await fixture.whenStable();
    await (await loader.getHarness(MatSelectHarness)).open();
    expect(find()).toBeNull();
  });
});

@Component({
  selector: 'hr-pick-host',
  imports: [PickComponent, SegmentsComponent],
  template: `<hr-pick about="Months" [list]="list" (picked)="picked.push($event)" />
    <hr-segments about="Paper" [choices]="papers" [value]="paper()" (changed)="paper.set($event)" />`,
})
class PickHostComponent {
  readonly list = [...MONTHS, 'Someday'].map((label) => ({
    id: label,
    label,
    of: `${label.length} letters`,
  }));
  readonly picked: string[] = [];
  readonly papers = [
    ['tall', 'Tall'],
    ['wide', 'Wide'],
  ] as const;
  readonly paper = signal<'tall' | 'wide' | null>(null);
}

describe('a list out of which something is picked', () => {
  it('is searched, also by what a thing belongs to, and Enter takes the first', async () => {
    const { host, loader } = await mount(PickHostComponent);
    const list = await loader.getHarness(MatActionListHarness);
    const line = await loader.getHarness(MatInputHarness);
    await line.setValue('8 letters');
    expect((await list.getItems()).length).toBe(3);
    await line.setValue('ju');
    const items = await list.getItems();
    expect(await Promise.all(items.map((item) => item.getTitle()))).toEqual([
      jasmine.stringMatching(/^4 letters\s+June$/),
      jasmine.stringMatching(/^4 letters\s+July$/),
    ]);
    await items[1]!.click();
    await (await line.host()).sendKeys(TestKey.ENTER);
    expect(host.picked).toEqual(['July', 'June']);
  });
});

describe('choices side by side', () => {
  it('show none while what is picked differs, and tell the one that is pressed', async () => {
    const { host, loader } = await mount(PickHostComponent);
    const group = await loader.getHarness(MatButtonToggleGroupHarness);
    expect((await group.getToggles({ checked: true })).length).toBe(0);
    await (await group.getToggles({ text: 'Wide' }))[0]!.check();
    expect(host.paper()).toBe('wide');
    expect(await (await group.host()).getAttribute('aria-label')).toBe('Paper');
  });
});
