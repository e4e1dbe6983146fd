import { autocompletion, completionKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { sql, SQLite } from '@codemirror/lang-sql';
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { setDiagnostics } from '@codemirror/lint';
import { Compartment, EditorState } from '@codemirror/state';
import { EditorView, keymap, lineNumbers } from '@codemirror/view';
import {
  Component,
  CSP_NONCE,
  effect,
  inject,
  input,
  output,
  viewChild,
  type ElementRef,
  type OnDestroy,
} from '@angular/core';
import { tags } from '@lezer/highlight';
import { readableName, type Table } from '@heathridge/core/design';
import type { SqlFault } from '@heathridge/core/query';

const COLOURS = HighlightStyle.define([
  { tag: tags.keyword, color: 'var(--hr-moss)', fontWeight: 'bold' },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--hr-rust)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--hr-gorse)' },
  { tag: tags.comment, color: 'var(--hr-soft)', fontStyle: 'italic' },
  { tag: tags.typeName, color: 'var(--hr-heather)' },
]);

/** What may be named: tables with their columns, and the views in which they can be read. */
const schemaOf = (tables: readonly Table[]): Record<string, string[]> =>
  Object.fromEntries(
    tables.flatMap((table) => {
      const names = table.fields.map(({ name }) => name);
      return [
        [readableName(table), names],
        [table.name, names],
      ];
    }),
  );

/** Lines in which SQL is written: keywords, tables and columns are completed, and a fault is shown at its place. */
@Component({
  selector: 'hr-sql-editor',
  template: `<div #host class="host"></div>`,
  styles: `
    :host {
      display: block;
      min-height: 0;
      overflow: auto;
    }
    .host {
      min-height: 100%;
    }
  `,
})
export class SqlEditorComponent implements OnDestroy {
  readonly value = input.required<string>();
  readonly tables = input.required<readonly Table[]>();
  readonly fault = input<SqlFault | null>(null);
  readonly changed = output<string>();
  private readonly host = viewChild.required<ElementRef<HTMLElement>>('host');
  private readonly nonce = inject(CSP_NONCE, { optional: true });
  private readonly language = new Compartment();
  private view: EditorView | null = null;
  private isSet = false;

  constructor() {
    effect(() => {
      const text = this.value();
      this.view ??= this.create(text);
      if (this.view.state.doc.toString() === text) return;
      this.isSet = true;
      this.view.dispatch({ changes: { from: 0, to: this.view.state.doc.length, insert: text } });
      this.isSet = false;
    });
    effect(() => {
      const schema = schemaOf(this.tables());
      this.view?.dispatch({
        effects: this.language.reconfigure(sql({ dialect: SQLite, schema, upperCaseKeywords: true })),
      });
    });
    effect(() => {
      const fault = this.fault();
      const { view } = this;
      if (!view) return;
      const end = view.state.doc.length;
      const place = fault && {
        from: Math.min(fault.from, end),
        to: Math.min(Math.max(fault.to, fault.from + 1), end),
      };
      const found = fault && place ? [{ ...place, severity: 'error' as const, message: fault.message }] : [];
      view.dispatch(setDiagnostics(view.state, found));
    });
  }

  ngOnDestroy(): void {
    this.view?.destroy();
  }

  private create(text: string): EditorView {
    return new EditorView({
      parent: this.host().nativeElement,
      state: EditorState.create({
        doc: text,
        extensions: [
          ...(this.nonce ? [EditorView.cspNonce.of(this.nonce)] : []),
          history(),
          lineNumbers(),
          // Tab goes on through the page: it types nothing.
          keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap]),
          this.language.of(
            sql({ dialect: SQLite, schema: schemaOf(this.tables()), upperCaseKeywords: true }),
          ),
          syntaxHighlighting(COLOURS),
          autocompletion({ icons: false }),
          EditorView.contentAttributes.of({ 'aria-label': 'SQL of this query' }),
          EditorView.theme({
            '&': { fontSize: '13px', minHeight: '120px' },
            '&.cm-focused': { outline: '2px solid var(--hr-moss)', outlineOffset: '-2px' },
            '.cm-content': { fontFamily: 'var(--hr-mono)', padding: '10px 6px' },
            '.cm-gutters': {
              background: 'transparent',
              border: '0',
              color: 'var(--hr-soft)',
              paddingLeft: '8px',
            },
          }),
          EditorView.updateListener.of(({ docChanged, state }) => {
            if (docChanged && !this.isSet) this.changed.emit(state.doc.toString());
          }),
        ],
      }),
    });
  }
}
