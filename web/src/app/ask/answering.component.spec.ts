import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MATERIAL_ANIMATIONS } from '@angular/material/core';
import { MatSelectHarness } from '@angular/material/select/testing';
import { of } from 'rxjs';
import type { Answering, Design, Query } from '@heathridge/core/design';
import { askedBy } from '@heathridge/core/form';
import { newQuery, so, type Answers } from '@heathridge/core/query';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { FileStore } from '../file/file.store';
import { setUpFile } from '../testing/bench';
import type { Fetch } from '../value/held';
import { AnsweringComponent } from './answering.component';
import { AnswersComponent } from './answers.component';

const QUERY: Query = {
  ...newQuery('q_x', 'Asking', { id: 't_loan' }),
  questions: [
    { id: 'a_since', name: 'since', label: 'Since?', answer: { kind: 'date' }, start: null, needed: true },
    {
      id: 'a_who',
      name: 'who',
      label: 'Whose?',
      answer: { kind: 'lookup', field: 'f_lBorrower' },
      start: '2',
      needed: false,
    },
  ],
  where: [so('"#f_lFrom" >= "#a_since"')],
};
const DESIGN: Design = { ...OFFICE, queries: [QUERY] };
const still = { provide: MATERIAL_ANIMATIONS, useValue: { animationsDisabled: true } };

describe('AnsweringComponent', () => {
  let fixture: ComponentFixture<AnsweringComponent>;
  let seen: Answering[];

  async function open(answering: Answering): Promise<void> {
    TestBed.configureTestingModule({ providers: [still] });
    setUpFile(DESIGN);
    fixture = TestBed.createComponent(AnsweringComponent);
    seen = [];
    const inputs = { design: DESIGN, query: QUERY, table: 't_fine', answering };
    for (const [name, given] of Object.entries(inputs)) fixture.componentRef.setInput(name, given);
    fixture.componentInstance.changed.subscribe((next) => {
      seen.push(next);
      fixture.componentRef.setInput('answering', next);
    });
    await fixture.whenStable();
  }
  const select = (question: string) =>
    TestbedHarnessEnvironment.loader(fixture).getHarness(
      MatSelectHarness.with({ selector: `[aria-label="What answers “${question}”"]` }),
    );

  it('answers each question with a field of the row, or one along its lookups, or as it starts', async () => {
    await open([]);
    expect(await (await select('Since?')).getValueText()).toBe('its starting value');
    await (await select('Since?')).clickOptions({ text: 'Lent on' });
    expect(seen).toEqual([[{ question: 'a_since', by: '"#f_fLoan"."#f_lFrom"' }]]);
    await (await select('Whose?')).clickOptions({ text: 'Borrower' });
    expect(seen.at(-1)!.map(({ question }) => question)).toEqual(['a_since', 'a_who']);
    expect(await (await select('Since?')).getValueText()).toBe('Lent on');
    await (await select('Since?')).clickOptions({ text: 'its starting value' });
    expect(seen.at(-1)).toEqual([{ question: 'a_who', by: '"#f_fLoan"."#f_lBorrower"' }]);
  });
});

describe('AnswersComponent', () => {
  let fixture: ComponentFixture<AnswersComponent>;
  let fetched: unknown[];

  async function open(answers: Answers): Promise<HTMLElement> {
    TestBed.configureTestingModule({ providers: [still] });
    setUpFile(DESIGN);
    fixture = TestBed.createComponent(AnswersComponent);
    fetched = [];
    const choices: Fetch = (field, { only }) => {
      fetched.push([field, only]);
      return of(only === 1 ? [[1, 'Ada Quist'] as const] : only === 2 ? [[2, 'Bo Lind'] as const] : []);
    };
    const inputs = {
      asked: askedBy(DESIGN, QUERY.questions, '2026-11-25'),
      answers,
      choices,
      reading: TestBed.inject(FileStore).reading(),
    };
    for (const [name, given] of Object.entries(inputs)) fixture.componentRef.setInput(name, given);
    await fixture.whenStable();
    return fixture.nativeElement as HTMLElement;
  }
  const value = (page: HTMLElement): string => page.querySelector<HTMLInputElement>('#answer-a_who')!.value;

  it('calls a row that is the answer by its text: the one it starts with, and one that the address names', async () => {
    let page = await open({});
    expect([value(page), fetched]).toEqual(['Bo Lind', [['f_lBorrower', 2]]]);
    TestBed.resetTestingModule();
    page = await open({ a_who: 1 });
    expect(value(page)).toBe('Ada Quist');
    fixture.componentRef.setInput('answers', { a_who: 2 });
    await fixture.whenStable();
    expect(value(page)).toBe('Bo Lind');
    // One that is gone is read as its key; none is nothing.
    fixture.componentRef.setInput('answers', { a_who: 7 });
    await fixture.whenStable();
    expect(value(page)).toBe('7');
    fixture.componentRef.setInput('answers', { a_who: null });
    await fixture.whenStable();
    expect(value(page)).toBe('');
    expect(page.textContent).toContain('Since?');
    expect(page.textContent).toContain('(may stay empty)');
  });
});
