import { Component, computed, input, output } from '@angular/core';
import { catalogOf, type Answering, type Design, type Query } from '@heathridge/core/design';
import { toStored } from '@heathridge/core/expression';
import { questionsOf } from '@heathridge/core/query';
import { readable } from '../shared/readable';
import { FieldChoiceComponent } from './field-choice.component';

/** What answers the questions of a query, where no reader is asked: fields of a row, or what is worked out over it. */
@Component({
  selector: 'hr-answering',
  imports: [FieldChoiceComponent],
  template: `
    @for (question of questions(); track question.id) {
      <hr-field-choice
        [label]="'“' + question.label + '” is answered by'"
        [about]="'What answers “' + question.label + '”'"
        empty="its starting value"
        [design]="design()"
        [table]="table()"
        [value]="by(question.id)"
        (changed)="set(question.id, $event)"
      />
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 10px;
    }
  `,
})
export class AnsweringComponent {
  readonly design = input.required<Design>();
  readonly query = input.required<Query>();
  /** The id of the table over whose rows they are answered. */
  readonly table = input.required<string>();
  readonly answering = input.required<Answering>();
  readonly changed = output<Answering>();
  protected readonly questions = computed(() => questionsOf(this.design(), this.query()));
  private readonly catalog = computed(() => catalogOf(this.design()));

  protected by(question: string): string {
    const answer = this.answering().find((other) => other.question === question);
    return answer ? readable(answer.by, this.catalog(), this.table()) : '';
  }

  protected set(question: string, { text, ok }: { readonly text: string; readonly ok: boolean }): void {
    if (!ok || text.trim() === this.by(question)) return;
    const others = this.answering().filter((other) => other.question !== question);
    const answer =
      text.trim() === '' ? [] : [{ question, by: toStored(text.trim(), this.catalog(), this.table()) }];
    this.changed.emit([...others, ...answer]);
  }
}
