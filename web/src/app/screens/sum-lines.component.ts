import { Component, computed, input, output } from '@angular/core';
import { MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { valueKind, type Subform, type Table } from '@heathridge/core/design';
import { sumLines, type Level } from '@heathridge/core/form';
import { totalsOf, type Total } from '@heathridge/core/values';
import { SelectComponent, type Option } from '../shared/select.component';

type Sums = NonNullable<Subform['sums']>;

/** What each total is called where one is chosen. */
const WORDS: Readonly<Record<Total, string>> = {
  sum: 'sum of',
  average: 'average of',
  least: 'least',
  most: 'most',
  count: 'number filled of',
};

/** The totals beneath the rows of a subform. */
@Component({
  selector: 'hr-sum-lines',
  imports: [MatIconButton, MatIconModule, SelectComponent],
  host: { class: 'field', role: 'group', 'aria-label': 'Totals' },
  template: `
    <span class="label">Totals beneath</span>
    @for (line of lines(); track $index) {
      <div class="row">
        <span class="grow cut">{{ line.words }}</span>
        <button
          matIconButton
          type="button"
          [attr.aria-label]="'Take away: ' + line.words"
          (click)="drop($index)"
        >
          <mat-icon svgIcon="close" />
        </button>
      </div>
    }
    @if (could().length > 0 && lines().length < 20) {
      <hr-select
        about="Add a total"
        placeholder="+ a total…"
        [options]="could()"
        [value]="null"
        (changed)="add($event)"
      />
    }
  `,
})
export class SumLinesComponent {
  readonly level = input.required<Level>();
  readonly changed = output<Sums>();
  readonly table = computed((): Table => this.level().table);
  private readonly sums = computed((): Sums =>
    sumLines(this.level()).map(({ field: { id }, total }) => ({ field: id, total })),
  );
  readonly lines = computed(() =>
    sumLines(this.level()).map(({ field, total }) => ({ words: `${WORDS[total]} ${field.label}` })),
  );
  /** What could stand there and does not, field by field. */
  readonly could = computed((): Option[] =>
    this.level().cells.flatMap(({ field }) =>
      totalsOf(valueKind(field.type))
        .filter((total) => !this.sums().some((sum) => sum.field === field.id && sum.total === total))
        .map((total) => ({ id: `${total} ${field.id}`, label: WORDS[total], group: field.label })),
    ),
  );

  add(choice: string): void {
    const [total, field] = choice.split(' ') as [Total, string];
    if (field) this.changed.emit([...this.sums(), { field, total }]);
  }

  drop(index: number): void {
    this.changed.emit(this.sums().filter((_, i) => i !== index));
  }
}
