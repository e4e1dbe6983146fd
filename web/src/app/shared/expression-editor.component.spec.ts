import { EditorView } from '@codemirror/view';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { catalogOf } from '@heathridge/core/design';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { button, setUp } from '../testing/bench';
import { ExpressionEditorComponent } from './expression-editor.component';

describe('ExpressionEditorComponent', () => {
  let fixture: ComponentFixture<ExpressionEditorComponent>;
  let seen: { text: string; ok: boolean }[];

  async function show(value: string, rest: Record<string, unknown> = {}): Promise<HTMLElement> {
    setUp();
    fixture = TestBed.createComponent(ExpressionEditorComponent);
    const inputs = {
      value,
      catalog: catalogOf(OFFICE),
      table: 't_loan',
      label: 'Rule',
      condition: true,
      ...rest,
    };
    for (const [name, given] of Object.entries(inputs)) fixture.componentRef.setInput(name, given);
    seen = [];
    fixture.componentInstance.changed.subscribe((change) => seen.push(change));
    await fixture.whenStable();
    return fixture.nativeElement as HTMLElement;
  }

  const message = (): string =>
    (fixture.nativeElement as HTMLElement).querySelector('[role="status"]')?.textContent.trim() ?? '';

  it('takes what holds together, and is named for those who listen', async () => {
    const element = await show('due_back > lent_on');
    expect(message()).toBe('');
    expect(element.querySelector('[role="textbox"]')!.getAttribute('aria-label')).toBe('Rule');
    expect(element.querySelector('[role="textbox"]')!.textContent).toBe('due_back > lent_on');
  });

  const wrong: [string, RegExp][] = [
    ['due_back >', /ends too early/],
    ['due_bakc > lent_on', /no field “due_bakc”.*due_back/],
    ['fee + 1', /Expected a condition/],
    ["due_back > '2026-01-01'", /DATE '2026-01-01'/],
  ];
  for (const [text, words] of wrong) {
    it(`says what is wrong with ${text}`, async () => {
      await show(text);
      expect(message()).toMatch(words);
    });
  }

  it('offers the standard’s own way as one press', async () => {
    const element = await show('due_back > 2026-01-01');
    expect(message()).toContain('in quotes');
    button(element, "Write DATE '2026-01-01'").click();
    await fixture.whenStable();
    expect(seen.at(-1)).toEqual({ text: "due_back > DATE '2026-01-01'", ok: true });
    fixture.componentRef.setInput('value', 'due_back = NULL');
    await fixture.whenStable();
    button(element, 'Write due_back IS NULL').click();
    expect(seen.at(-1)).toEqual({ text: 'due_back IS NULL', ok: true });
  });

  it('warns of a division by zero', async () => {
    await show('fee / 0', { condition: false });
    expect(message()).toBe('Division by zero: this is always empty.');
  });

  it('lets an empty line be, where it may be', async () => {
    await show('');
    expect(message()).toBe('');
    fixture.componentRef.setInput('optional', false);
    fixture.componentRef.setInput('value', ' ');
    await fixture.whenStable();
    expect(message()).toContain('nothing here yet');
  });

  it('follows its value from outside and allows no field where there is no row', async () => {
    const element = await show('CURRENT_DATE', { condition: false, table: null });
    expect(message()).toBe('');
    fixture.componentRef.setInput('value', 'fee');
    await fixture.whenStable();
    expect(element.querySelector('[role="textbox"]')!.textContent).toBe('fee');
    expect(message()).toContain('No field can be used here');
  });

  it('keeps what is typed while an answer to what was typed before comes late, or in other words', async () => {
    const element = await show('', { condition: false });
    const line = element.querySelector<HTMLElement>('[role="textbox"]')!;
    const view = EditorView.findFromDOM(line)!;
    const type = (insert: string): void => {
      view.dispatch({ changes: { from: view.state.doc.length, insert }, userEvent: 'input.type' });
    };
    type('Fee');
    type(' *');
    expect(seen.map(({ text, ok }) => [text, ok])).toEqual([
      ['Fee', true],
      ['Fee *', false],
    ]);
    // The page writes a name as its field has it, and has only now come round to it.
    fixture.componentRef.setInput('value', 'fee');
    await fixture.whenStable();
    expect(line.textContent).toBe('Fee *');
    expect(message()).toContain('ends too early');
    type(' 2');
    expect(seen.at(-1)).toEqual({ text: 'Fee * 2', ok: true });
    fixture.componentRef.setInput('value', 'fee * 2');
    await fixture.whenStable();
    expect(line.textContent).toBe('Fee * 2');
    // What comes without anything having been typed is from somewhere else.
    const before = seen.length;
    fixture.componentRef.setInput('value', 'fee');
    await fixture.whenStable();
    expect(line.textContent).toBe('fee');
    expect(seen.length).toBe(before);
  });
});
