import { Component, computed, input, output } from '@angular/core';
import type { QueryQuestion } from '@heathridge/core/design';
import { questionField, type Answers } from '@heathridge/core/query';
import type { Reading, Value } from '@heathridge/core/values';
import type { Held } from '../value/held';
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
  readonly starts = input.required<Answers>();
  readonly reading = input.required<Reading>();
  readonly changed = output<Answers>();

  protected readonly items = computed(() =>
    this.questions().map((question) => {
      const { id } = question;
      const value: Value = this.answers()[id] ?? (id in this.answers() ? null : (this.starts()[id] ?? null));
      return { question, field: questionField(question), held: { value } satisfies Held };
    }),
  );

  protected take({ id }: QueryQuestion, { value, problem }: Held): void {
    if (problem === undefined) this.changed.emit({ ...this.answers(), [id]: value });
  }
}
