import { Component, computed, inject, input, output, signal, linkedSignal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import {
  attempt,
  bind,
  checkMessage,
  fromStoredMessage,
  inWords,
  toStored,
  toStoredMessage,
} from '@heathridge/core/expression';
import { shapeRule, SHAPES, type Field, type Rule, type Shape, type Table } from '@heathridge/core/design';
import { FileStore } from '../file/file.store';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { newId } from '../shared/ids';
import { readable } from '../shared/readable';
import { DraftStore } from './draft.store';
import { LineComponent } from '../shared/line.component';
import { SelectComponent } from '../shared/select.component';

const TIMED = ['date', 'dateTime'];

/** A rule: written, or put together from a ready shape, with its reading in plain words and its message. */
@Component({
  selector: 'hr-rule-editor',
  imports: [
    SelectComponent,
    MatButton,
    MatCheckboxModule,
    MatIconModule,
    ExpressionEditorComponent,
    LineComponent,
  ],
  template: `
    <div class="field">
      <span class="row"
        ><span class="label grow">{{ field() ? 'Rule' : 'Rule of the whole row' }}</span>
        <button
          matButton="text"
          class="words"
          type="button"
          [attr.aria-expanded]="shaping()"
          (click)="shaping.set(!shaping())"
        >
          put it together
        </button></span
      >
      @if (shaping()) {
        <div class="shape">
          <hr-select
            about="Field of the rule"
            [options]="table().fields"
            [value]="subject()?.id ?? null"
            [disabled]="field() !== null"
            (changed)="subjectId.set($event)"
          />
          <hr-select
            about="Shape of the rule"
            [options]="shapeOptions()"
            [value]="shape()"
            (changed)="shape.set($event)"
          />
          @if (wants().other) {
            <hr-select
              [about]="wants().other"
              [placeholder]="wants().other"
              [options]="others()"
              [value]="otherId() || null"
              (changed)="otherId.set($event)"
            />
          }
          @if (wants().same) {
            <hr-select
              about="What must be the same"
              placeholder="of the same …"
              [options]="lookups()"
              [value]="sameId() || null"
              (changed)="sameId.set($event)"
            />
          }
          @for (hint of wants().values; track $index; let i = $index) {
            <hr-line
              [about]="hint"
              [placeholder]="hint"
              [value]="values()[i] ?? ''"
              (typed)="setValue(i, $event)"
            />
          }
          <button matButton="outlined" class="compact" type="button" (click)="use()">Use it</button>
          @if (problem()) {
            <p class="message" role="alert">{{ problem() }}</p>
          }
        </div>
      }
      <hr-expression-editor
        label="Rule"
        [condition]="true"
        [value]="text()"
        [catalog]="draft.catalog()"
        [table]="table().id"
        (changed)="setText($event)"
      />
      @if (isReadable() && reading()) {
        <span class="soft small reading"
          >reads: <em>{{ reading() }}</em></span
        >
      }
    </div>
    @if (rule()) {
      <hr-line
        label="What people read when it fails"
        lines="2"
        most="300"
        hint="Braces give the row’s own value: due back {{ '{' }}due_back{{ '}' }}"
        [inputId]="prefix() + '-message'"
        [problem]="messageProblem()"
        [value]="message()"
        (changed)="setMessage($event)"
      />
      <mat-checkbox [checked]="rule()!.newRowsOnly" (change)="setNewOnly($event.checked)"
        >Only for new rows: rows that break it now may stay</mat-checkbox
      >
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 8px;
    }
    .shape {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 6px;
      padding: 8px;
      margin: 4px 0;
      background: var(--hr-ground);
      border: 1px solid var(--hr-line);
      border-radius: 6px;
    }
    .shape [matButton] {
      justify-self: start;
    }
    .shape .message {
      grid-column: 1 / -1;
    }
    .tick input {
      accent-color: var(--hr-moss);
    }
    .reading {
      overflow-wrap: anywhere;
    }
  `,
})
export class RuleEditorComponent {
  readonly draft = inject(DraftStore);
  private readonly store = inject(FileStore);
  readonly table = input.required<Table>();
  /** The field whose rule it is; null for a rule of the table. */
  readonly field = input<Field | null>(null);
  readonly rule = input.required<Rule | null>();
  readonly prefix = input('rule');
  readonly changed = output<Rule | null>();

  readonly shaping = signal(false);
  readonly shape = signal<Shape>('between');
  readonly subjectId = signal('');
  readonly otherId = signal('');
  readonly sameId = signal('');
  readonly values = signal<readonly string[]>([]);
  readonly problem = signal('');
  readonly messageProblem = signal('');

  readonly text = computed(() => {
    const rule = this.rule();
    return rule ? readable(rule.expression, this.draft.catalog(), this.table().id) : '';
  });
  readonly message = computed(() => {
    const rule = this.rule();
    return rule ? fromStoredMessage(rule.message, this.draft.catalog(), this.table().id) : '';
  });
  /** Whether what stands in the editor can be read: the reading is that of the last rule that could. */
  readonly isReadable = linkedSignal({ source: this.text, computation: () => true });
  readonly reading = computed(() => {
    const text = this.text();
    if (text === '') return '';
    const catalog = this.draft.catalog();
    const result = attempt(() => inWords(bind(text, { catalog, table: this.table().id }).bound, text));
    return result.ok ? result.value : '';
  });
  readonly subject = computed(
    () =>
      this.field() ??
      this.table().fields.find(({ id }) => id === this.subjectId()) ??
      this.table().fields[0] ??
      null,
  );
  readonly shapeOptions = computed(() => this.shapes().map((id) => ({ id, label: SHAPES[id] })));
  readonly shapes = computed((): Shape[] => {
    const kind = this.subject()?.type.kind ?? '';
    return (Object.keys(SHAPES) as Shape[]).filter((shape) => {
      if (shape === 'yearsAgo' || shape === 'notFuture') return kind === 'date';
      if (shape === 'matches') return kind === 'text' || kind === 'longText';
      if (shape === 'noOverlap') return kind === 'date' && this.lookups().length > 0;
      return true;
    });
  });
  readonly lookups = computed(() => this.table().fields.filter(({ type }) => type.kind === 'lookup'));
  readonly others = computed(() => {
    const subject = this.subject();
    const rest = this.table().fields.filter(({ id }) => id !== subject?.id);
    return this.shape() === 'after' || this.shape() === 'noOverlap'
      ? rest.filter(({ type }) =>
          TIMED.includes(subject?.type.kind ?? '')
            ? type.kind === subject?.type.kind
            : !TIMED.includes(type.kind),
        )
      : rest;
  });
  readonly wants = computed((): { other: string; same: boolean; values: readonly string[] } => {
    switch (this.shape()) {
      case 'between':
        return { other: '', same: false, values: ['from', 'to'] };
      case 'oneOf':
        return { other: '', same: false, values: ['values, with commas between'] };
      case 'after':
        return { other: 'after which field', same: false, values: [] };
      case 'matches':
        return { other: '', same: false, values: ['% any characters, _ one'] };
      case 'yearsAgo':
        return { other: '', same: false, values: ['years'] };
      case 'notFuture':
        return { other: '', same: false, values: [] };
      case 'requiredWhen':
        return { other: 'when which field', same: false, values: ['has this value (empty: any)'] };
      case 'noOverlap':
        return { other: 'until', same: true, values: [] };
    }
  });

  setValue(index: number, text: string): void {
    const values = [...this.values()];
    values[index] = text;
    this.values.set(values);
  }

  /** Puts the rule of the chosen shape in place of what stands there. */
  use(): void {
    const field = this.subject();
    if (!field) return;
    const shape = this.shapes().includes(this.shape()) ? this.shape() : 'between';
    const table = this.table();
    const find = (id: string): Field | undefined => table.fields.find((item) => item.id === id);
    const typed = this.values().filter((value) => value?.trim());
    const values = shape === 'oneOf' ? (typed[0] ?? '').split(',').filter((value) => value.trim()) : typed;
    const lookup = find(this.sameId());
    const children =
      lookup?.type.kind === 'lookup'
        ? this.draft
            .catalog()
            .table(lookup.type.table)
            .children.find(({ id }) => id === lookup.id)
        : undefined;
    const key = find(table.key[0]!);
    const shaped = shapeRule(
      shape,
      {
        field,
        other: find(this.otherId()),
        same: lookup && children && key ? { lookup, children: children.name, key } : undefined,
        values: values.map((value) => value.trim()),
      },
      this.store.reading(),
    );
    this.problem.set(shaped.ok ? '' : shaped.message);
    if (!shaped.ok) return;
    this.emit(shaped.expression, shaped.message);
    this.shaping.set(false);
  }

  setText({ text, ok }: { text: string; ok: boolean }): void {
    this.isReadable.set(ok);
    if (text === this.text()) return;
    if (text.trim() === '') this.changed.emit(null);
    else if (ok)
      this.emit(text, this.message() || `${this.field()?.label ?? this.table().label} does not fit.`);
  }

  setMessage(message: string): void {
    const rule = this.rule();
    if (!rule || message.trim() === '') return;
    const checked = attempt(() => checkMessage(message, this.draft.catalog(), this.table().id));
    this.messageProblem.set(checked.ok ? '' : checked.error.message);
    if (checked.ok)
      this.changed.emit({
        ...rule,
        message: toStoredMessage(message.trim(), this.draft.catalog(), this.table().id),
      });
  }

  setNewOnly(newRowsOnly: boolean): void {
    const rule = this.rule();
    if (rule) this.changed.emit({ ...rule, newRowsOnly });
  }

  private emit(expression: string, message: string): void {
    const catalog = this.draft.catalog();
    const rule = this.rule();
    this.changed.emit({
      ...rule,
      id: rule?.id ?? newId('r'),
      expression: toStored(expression, catalog, this.table().id),
      message: toStoredMessage(message, catalog, this.table().id),
    });
  }
}
