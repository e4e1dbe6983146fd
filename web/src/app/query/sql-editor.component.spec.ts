import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { forEachDiagnostic } from '@codemirror/lint';
import { EditorView } from '@codemirror/view';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { after, setUp } from '../testing/bench';
import { SqlEditorComponent } from './sql-editor.component';

describe('SqlEditorComponent', () => {
  let fixture: ComponentFixture<SqlEditorComponent>;
  let view: EditorView;
  const typed: string[] = [];

  beforeEach(async () => {
    setUp();
    fixture = TestBed.createComponent(SqlEditorComponent);
    fixture.componentRef.setInput('value', 'SELECT 1');
    fixture.componentRef.setInput('tables', OFFICE.tables);
    typed.length = 0;
    fixture.componentInstance.changed.subscribe((text) => typed.push(text));
    const element = fixture.nativeElement as HTMLElement;
    document.body.append(element);
    await fixture.whenStable();
    view = EditorView.findFromDOM(element.querySelector('[role=textbox]')!)!;
  });
  afterEach(() => fixture.destroy());

  const faults = (): string[] => {
    const all: string[] = [];
    forEachDiagnostic(view.state, ({ message }, from, to) => all.push(`${from} ${to} ${message}`));
    return all;
  };

  it('tells what is typed, and not what comes from outside', async () => {
    view.dispatch({ changes: { from: 8, insert: ', 2' } });
    expect(typed).toEqual(['SELECT 1, 2']);
    fixture.componentRef.setInput('value', 'SELECT 3');
    await fixture.whenStable();
    expect(view.state.doc.toString()).toBe('SELECT 3');
    expect(typed.length).toBe(1);
  });

  it('shows a fault at its place, also behind the end, and takes it away again', async () => {
    fixture.componentRef.setInput('fault', { message: 'No.', from: 7, to: 8 });
    await fixture.whenStable();
    expect(faults()).toEqual(['7 8 No.']);
    fixture.componentRef.setInput('fault', { message: 'More.', from: 8, to: 8 });
    await fixture.whenStable();
    expect(faults()).toEqual(['8 8 More.']);
    fixture.componentRef.setInput('fault', null);
    await fixture.whenStable();
    expect(faults()).toEqual([]);
  });

  it('offers the tables of the file, and the columns of each', async () => {
    view.dispatch({
      changes: { from: 0, to: 8, insert: 'SELECT * FROM bor' },
      selection: { anchor: 17 },
      userEvent: 'input.type',
    });
    view.focus();
    await after(400);
    const offered = [...document.querySelectorAll('[role=option]')].map((option) => option.textContent);
    expect(offered).toContain('borrower');
    expect(offered).toContain('borrower_readable');
  });
});
