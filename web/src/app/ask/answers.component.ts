import { Component, computed, input, output } from '@angular/core';
import type { Design, QueryQuestion } from '@heathridge/core/design';
import { attempt } from '@heathridge/core/expression';
import { questionField, type Answers } from '@heathridge/core/query';
import { startValue } from '@heathridge/core/rows';
import type { Reading, Value } from '@heathridge/core/values';
import type { Fetch, Held } from '../value/held';
import { ValueInputComponent } from '../value/value-input.component';

/** What a query asks of whoever reads it, each with a line for the answer. */
@Component({
  selector: 'hr-answers',
  imports: [ValueInputComponent],
  host: { role: 'group', 'aria-label': 'What this query asks' },
  template: `
    @for (item of items(); track item.question.id) {
      <div class="field">
        <label [for]="'answer-' + item.question.id"
          >{{ item.question.label }}
          @if (!item.question.needed) {
            <span class="soft">(may stay empty)</span>
          }
        </label>
        <hr-value-input
          [field]="item.field"
          [held]="item.held"
          [reading]="reading()"
          [fetch]="item.fetch"
          [inputId]="'answer-' + item.question.id"
          (changed)="take(item.question, $event)"
        />
      </div>
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(200px, 1fr));
      gap: 10px 16px;
      padding: 12px 16px;
    }
  `,
})
export class AnswersComponent {
  readonly questions = input.required<readonly QueryQuestion[]>();
  /** Where nothing is answered yet, the question starts as it says. */
  readonly answers = input.required<Answers>();
  readonly reading = input.required<Reading>();
  readonly design = input.required<Design>();
  /** Where the choices of lookups come from. */
  readonly choices = input.required<Fetch>();
  readonly changed = output<Answers>();
  /** What the rows are called that were chosen, by the id of the question: an answer is a key. */
  private readonly texts = new Map<string, { readonly value: Value; readonly text: string }>();

  private readonly starts = computed((): Answers => {
    const { today } = this.reading();
    const moment = { today, now: `${today}T00:00:00Z` };
    return Object.fromEntries(
      this.questions().flatMap((question) => {
        const field = { ...questionField(this.design(), question), start: question.start };
        const started = attempt(() => startValue(this.design(), field, moment));
        return started.ok ? [[question.id, started.value] as const] : [];
      }),
    );
  });
  protected readonly items = computed(() =>
    this.questions().map((question) => {
      const { id } = question;
      const value: Value = this.answers()[id] ?? (id in this.answers() ? null : (this.starts()[id] ?? null));
      const text = this.texts.get(id);
      const held: Held = text?.value === value ? { value, text: text.text } : { value };
      const { answer } = question;
      const fetch: Fetch = (field, request) =>
        this.choices()(answer.kind === 'lookup' ? answer.field : field, request);
      return { question, field: questionField(this.design(), question), held, fetch };
    }),
  );

  protected take({ id }: QueryQuestion, { value, text, problem, sought }: Held): void {
    if (text) this.texts.set(id, { value, text });
    if (problem === undefined && !sought) this.changed.emit({ ...this.answers(), [id]: value });
  }
}
