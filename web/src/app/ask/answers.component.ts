import { Component, computed, effect, input, output, signal, untracked } from '@angular/core';
import type { Asked } from '@heathridge/core/form';
import type { Answers } from '@heathridge/core/query';
import type { Reading, Value } from '@heathridge/core/values';
import { catchError, EMPTY } from 'rxjs';
import type { Fetch, Held } from '../value/held';
import { ValueInputComponent } from '../value/value-input.component';

/** What is asked of whoever reads a query, each with a line for the answer. */
@Component({
  selector: 'hr-answers',
  imports: [ValueInputComponent],
  host: { role: 'group', '[attr.aria-label]': 'label()' },
  template: `
    @for (item of items(); track item.asked.id) {
      <div class="field">
        <label [for]="'answer-' + item.asked.id"
          >{{ item.asked.label }}
          @if (!item.asked.needed) {
            <span class="soft">(may stay empty)</span>
          }
        </label>
        <hr-value-input
          [field]="item.asked.field"
          [held]="item.held"
          [reading]="reading()"
          [fetch]="item.fetch"
          [inputId]="'answer-' + item.asked.id"
          (changed)="take(item.asked, $event)"
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
  readonly label = input('What this query asks');
  readonly asked = input.required<readonly Asked[]>();
  /** Where nothing is answered yet, the question starts as it says. */
  readonly answers = input.required<Answers>();
  readonly reading = input.required<Reading>();
  /** Where the choices of lookups come from. */
  readonly choices = input.required<Fetch>();
  readonly changed = output<Answers>();
  /** What the rows are called that are chosen, by the id of the question: an answer is a key. */
  private readonly texts = signal<ReadonlyMap<string, Named>>(new Map());

  protected readonly items = computed(() =>
    this.asked().map((asked) => {
      const value = this.valueOf(asked);
      const text = this.texts().get(asked.id);
      const held: Held = text?.value === value ? { value, text: text.text } : { value };
      const fetch: Fetch = (field, request) => this.choices()(asked.lookup ?? field, request);
      return { asked, held, fetch };
    }),
  );

  constructor() {
    // A row that the address or the question itself names by its key is called by its text.
    effect(() => {
      for (const asked of this.asked()) {
        const value = this.valueOf(asked);
        if (asked.lookup === null || value === null || typeof value === 'boolean') continue;
        if (untracked(this.texts).get(asked.id)?.value === value) continue;
        this.name(asked.id, value, null);
        untracked(() => this.choices()(asked.lookup!, { search: '', only: value, row: null }))
          // Without it the answer is read as the key.
          .pipe(catchError(() => EMPTY))
          .subscribe(([choice]) => choice && this.name(asked.id, value, choice[1]));
      }
    });
  }

  private valueOf({ id, start }: Asked): Value {
    const answers = this.answers();
    return id in answers ? (answers[id] ?? null) : start;
  }

  private name(id: string, value: Value, text: string | null): void {
    this.texts.update((known) => new Map([...known, [id, { value, text: text ?? String(value) }]]));
  }

  protected take({ id }: Asked, { value, text, problem, sought }: Held): void {
    if (text) this.name(id, value, text);
    if (problem === undefined && !sought) this.changed.emit({ ...this.answers(), [id]: value });
  }
}

/** What a row is called that is chosen. */
interface Named {
  readonly value: Value;
  readonly text: string;
}
