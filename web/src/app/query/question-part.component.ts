import { Component, computed, input, output, signal } from '@angular/core';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { SqlName, type QueryQuestion } from '@heathridge/core/design';
import type { Catalog } from '@heathridge/core/expression';
import * as v from 'valibot';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { LineComponent } from '../shared/line.component';
import { SelectComponent, type Option } from '../shared/select.component';
import { PartFootComponent } from './part-foot.component';

type Kind = QueryQuestion['answer']['kind'];

const KINDS: readonly Option<Kind>[] = [
  { id: 'text', label: 'a text' },
  { id: 'wholeNumber', label: 'a whole number' },
  { id: 'decimal', label: 'a number with places' },
  { id: 'date', label: 'a date' },
  { id: 'tick', label: 'yes or no' },
];
const LOOKUP: Option<Kind> = { id: 'lookup', label: 'one of the choices of a field' };

/** What a query asks of whoever reads it: how, and what it starts with. */
@Component({
  selector: 'hr-question-part',
  imports: [ExpressionEditorComponent, LineComponent, MatCheckboxModule, PartFootComponent, SelectComponent],
  template: `
    <hr-line
      label="What is asked"
      most="60"
      needed="A question is needed: the one it has stays."
      [value]="question().label"
      (changed)="changed.emit({ label: $event.trim() })"
    />
    <hr-line
      label="Name in conditions and columns"
      most="60"
      needed="A name is needed: the one it has stays."
      [value]="question().name"
      [problem]="problem()"
      (changed)="rename($event)"
    />
    <hr-select
      label="The answer is"
      [options]="kinds()"
      [value]="question().answer.kind"
      (changed)="choose($event)"
    />
    @if (question().answer.kind === 'lookup') {
      <hr-select label="The choices of" [options]="lookups()" [value]="of()" (changed)="chooseOf($event)" />
    }
    <div class="field">
      <span class="label">It starts with (empty: with nothing)</span>
      <hr-expression-editor
        label="Starts with"
        [optional]="true"
        [value]="question().start ?? ''"
        [catalog]="catalog()"
        [table]="null"
        (changed)="start($event)"
      />
    </div>
    <mat-checkbox [checked]="!question().needed" (change)="changed.emit({ needed: !$event.checked })"
      >Without an answer, leave the conditions out that ask for it</mat-checkbox
    >
    <hr-part-foot (dropped)="dropped.emit()" (done)="done.emit()" />
  `,
  styles: `
    :host {
      display: grid;
      gap: 10px;
    }
  `,
})
export class QuestionPartComponent {
  readonly question = input.required<QueryQuestion>();
  readonly catalog = input.required<Catalog>();
  /** Names that mean something else already. */
  readonly taken = input.required<readonly string[]>();
  /** Fields whose choices may be the answers. */
  readonly lookups = input<readonly Option[]>([]);
  protected readonly kinds = computed(() => (this.lookups().length > 0 ? [...KINDS, LOOKUP] : KINDS));
  protected readonly of = computed(() => {
    const { answer } = this.question();
    return answer.kind === 'lookup' ? answer.field : '';
  });
  readonly changed = output<Partial<QueryQuestion>>();
  readonly dropped = output();
  readonly done = output();
  protected readonly problem = signal('');
  protected readonly others = computed(() => new Set(this.taken().map((name) => name.toLowerCase())));

  protected rename(text: string): void {
    const name = v.safeParse(SqlName, text);
    const isTaken = this.others().has(text.trim().toLowerCase());
    this.problem.set(
      isTaken
        ? `“${text.trim()}” means something else here already.`
        : name.success
          ? ''
          : name.issues[0].message,
    );
    if (name.success && !isTaken) this.changed.emit({ name: name.output });
  }

  protected choose(kind: Kind): void {
    if (kind === 'lookup') this.chooseOf(this.lookups()[0]!.id);
    else this.changed.emit({ answer: kind === 'decimal' ? { kind, places: 2 } : { kind }, start: null });
  }

  protected chooseOf(field: string): void {
    this.changed.emit({ answer: { kind: 'lookup', field }, start: null });
  }

  protected start({ text, ok }: { readonly text: string; readonly ok: boolean }): void {
    const start = text.trim() === '' ? null : text.trim();
    if (ok && start !== this.question().start) this.changed.emit({ start });
  }
}
