import {
  autocompletion,
  completionKeymap,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { linter, type Diagnostic } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap } from '@codemirror/view';
import type { ElementRef } from '@angular/core';
import {
  CSP_NONCE,
  Component,
  effect,
  inject,
  input,
  output,
  signal,
  viewChild,
  type OnDestroy,
} from '@angular/core';
import { MatButton } from '@angular/material/button';
import {
  attempt,
  bind,
  bindCondition,
  CALLS,
  reached,
  toStored,
  type Catalog,
  type Fix,
} from '@heathridge/core/expression';

const WORDS = [
  'AND',
  'OR',
  'NOT',
  'IS NULL',
  'IS NOT NULL',
  'BETWEEN',
  'IN',
  'LIKE',
  'CASE WHEN',
  'CURRENT_DATE',
  "INTERVAL '1' MONTH",
  'TRUE',
  'FALSE',
  ...Object.keys(CALLS).map((name) => `${name}(`),
];

/** A line in which an expression is written: names are completed, errors shown where they stand. */
@Component({
  selector: 'hr-expression-editor',
  imports: [MatButton],
  template: `
    <div #host class="host" [class.wrong]="problem() !== ''"></div>
    @if (problem()) {
      <p class="message" role="status">{{ problem() }}</p>
    } @else if (warning()) {
      <p class="small gorse" role="status">{{ warning() }}</p>
    }
    @if (fix(); as fix) {
      <button type="button" matButton="outlined" class="fix" (click)="mend(fix)">
        Write <code>{{ fix.text }}</code>
      </button>
    }
  `,
  styles: `
    .host {
      border: 1px solid var(--hr-edge);
      border-radius: 6px;
      background: var(--hr-field);
    }
    .host.wrong {
      border-color: var(--hr-rust);
    }
    .gorse {
      color: var(--hr-gorse);
    }
    .fix {
      max-width: 100%;
      height: auto;
      min-height: 28px;
      white-space: normal;
      text-align: left;
    }
    code {
      font-family: var(--hr-mono);
      overflow-wrap: anywhere;
    }
  `,
})
export class ExpressionEditorComponent implements OnDestroy {
  readonly value = input.required<string>();
  readonly catalog = input.required<Catalog>();
  /** The table whose fields may be used; null for none. */
  readonly table = input.required<string | null>();
  readonly label = input.required<string>();
  readonly condition = input(false);
  readonly grouped = input(false);
  /** An empty line is no mistake. */
  readonly optional = input(true);
  /** Every change, with whether it can be used as it stands. */
  readonly changed = output<{ readonly text: string; readonly ok: boolean }>();

  private readonly host = viewChild.required<ElementRef<HTMLElement>>('host');
  private readonly nonce = inject(CSP_NONCE, { optional: true });
  private view: EditorView | null = null;
  readonly problem = signal('');
  readonly warning = signal('');
  /** What would put the first problem or warning right. */
  readonly fix = signal<Fix | null>(null);
  /** What was typed since the value came last and can be used, as it is stored. */
  private told: string[] = [];
  private isSet = false;

  constructor() {
    effect(() => {
      const text = this.value();
      if (!this.view) this.view = this.create(text);
      // What was typed since is not lost to an answer that is late, or that writes the same in another way.
      else if (!this.told.includes(this.stored(text))) this.put(text);
      this.told = [];
      this.check(this.view.state.doc.toString());
    });
  }

  /** What is meant, however it is written; as it is written where that cannot be told. */
  private stored(text: string): string {
    const table = this.table();
    const read = attempt(() => (table === null ? text : toStored(text, this.catalog(), table)));
    return (read.ok ? read.value : text).trim();
  }

  private put(text: string): void {
    const { view } = this;
    if (!view || view.state.doc.toString() === text) return;
    this.isSet = true;
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
    this.isSet = false;
  }

  ngOnDestroy(): void {
    this.view?.destroy();
  }

  focus(): void {
    this.view?.focus();
  }

  private create(text: string): EditorView {
    return new EditorView({
      parent: this.host().nativeElement,
      state: EditorState.create({
        doc: text,
        extensions: [
          ...(this.nonce ? [EditorView.cspNonce.of(this.nonce)] : []),
          history(),
          keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap]),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': this.label() }),
          EditorView.theme({
            '&': { fontSize: '13px' },
            '&.cm-focused': { outline: '2px solid var(--hr-moss)', borderRadius: '6px' },
            '.cm-content': { fontFamily: 'var(--hr-mono)', padding: '6px 4px' },
          }),
          autocompletion({ override: [(context) => this.complete(context)], icons: false }),
          linter((view) => this.diagnostics(view.state.doc.toString()), { delay: 200 }),
          EditorView.updateListener.of((update) => {
            // What comes from outside is known there.
            if (!update.docChanged || this.isSet) return;
            const next = update.state.doc.toString();
            const ok = this.check(next);
            if (ok) this.told.push(this.stored(next));
            this.changed.emit({ text: next, ok });
          }),
        ],
      }),
    });
  }

  /** Writes what was most likely meant, as one step that can be undone. */
  mend({ start, end, text }: Fix): void {
    this.view?.dispatch({
      changes: { from: start, to: end, insert: text },
      selection: { anchor: start + text.length },
      userEvent: 'input.complete',
    });
    this.view?.focus();
  }

  private scope() {
    return { catalog: this.catalog(), table: this.table(), grouped: this.grouped() };
  }

  private bound(text: string) {
    return attempt(() => (this.condition() ? bindCondition : bind)(text, this.scope()));
  }

  private check(text: string): boolean {
    if (text.trim() === '' && this.optional()) {
      this.problem.set('');
      this.warning.set('');
      this.fix.set(null);
      return true;
    }
    const result = this.bound(text);
    this.problem.set(result.ok ? '' : result.error.message);
    const warning = result.ok ? result.value.warnings[0] : undefined;
    this.warning.set(warning?.message ?? '');
    this.fix.set(result.ok ? (warning?.fix ?? null) : result.error.fix);
    return result.ok;
  }

  private diagnostics(text: string): Diagnostic[] {
    if (text.trim() === '') return [];
    const result = this.bound(text);
    const clip = (at: number): number => Math.min(at, text.length);
    if (!result.ok) {
      const { span, message, fix } = result.error;
      return [
        {
          from: clip(Math.min(span.start, text.length - 1)),
          to: clip(Math.max(span.end, span.start + 1)),
          severity: 'error',
          message,
          actions: this.actions(fix),
        },
      ];
    }
    return result.value.warnings.map(({ start, end, message, fix }) => ({
      from: clip(start),
      to: clip(end),
      severity: 'warning',
      message,
      actions: this.actions(fix ?? null),
    }));
  }

  private actions(fix: Fix | null): NonNullable<Diagnostic['actions']> {
    return fix ? [{ name: `Write ${fix.text}`, apply: () => this.mend(fix) }] : [];
  }

  private complete(context: CompletionContext): CompletionResult | null {
    const word = context.matchBefore(/[\p{L}\p{N}_."]*/u);
    if (!word || (word.from === word.to && !context.explicit)) return null;
    const steps = word.text.split('.');
    const last = steps.pop() ?? '';
    const table = this.table();
    const found = table === null ? null : attempt(() => reached(this.catalog(), table, steps));
    const names = found?.ok ? found.value : null;
    if (!names && steps.length > 0) return null;
    const options = [
      ...(names?.map(({ text, what }) => ({
        label: text,
        detail: what,
        type: 'variable',
        // What is near is offered before what is far.
        boost: -10 * (text.split('.').length - 1),
      })) ?? []),
      ...(steps.length === 0 ? WORDS.map((label) => ({ label, type: 'keyword' })) : []),
    ];
    return { from: word.to - last.length, options };
  }
}
