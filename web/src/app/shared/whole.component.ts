import { booleanAttribute, Component, input, numberAttribute, output, signal } from '@angular/core';
import { newId } from './ids';
import { LineComponent } from './line.component';

/** A line for a whole number between two bounds, which are told when something else is typed. */
@Component({
  selector: 'hr-whole',
  imports: [LineComponent],
  template: `
    <hr-line
      end
      inputmode="numeric"
      [inputId]="inputId()"
      [label]="label()"
      [about]="about()"
      [value]="value()"
      [hint]="hint()"
      [placeholder]="placeholder()"
      [disabled]="disabled()"
      [problem]="problem()"
      (changed)="take($event)"
    />
  `,
})
export class WholeComponent {
  readonly inputId = input(newId('whole'));
  readonly label = input('');
  readonly about = input('');
  readonly value = input.required<number | null>();
  readonly least = input(0, { transform: numberAttribute });
  readonly greatest = input(Number.MAX_SAFE_INTEGER, { transform: numberAttribute });
  /** Whether nothing may stand here, which is told as null. */
  readonly mayBeEmpty = input(false, { transform: booleanAttribute });
  readonly hint = input('');
  readonly placeholder = input('');
  readonly disabled = input(false, { transform: booleanAttribute });
  readonly changed = output<number | null>();
  readonly problem = signal('');

  take(typed: string): void {
    const text = typed.trim();
    const [least, greatest] = [this.least(), this.greatest()];
    const number = /^[+-]?\d{1,16}$/.test(text) ? Number(text) : NaN;
    const isFit = text === '' ? this.mayBeEmpty() : number >= least && number <= greatest;
    this.problem.set(isFit ? '' : this.wanted(text));
    if (isFit) this.changed.emit(text === '' ? null : number);
  }

  private wanted(text: string): string {
    const [least, greatest] = [this.least(), this.greatest()];
    const bounds =
      greatest === Number.MAX_SAFE_INTEGER ? `of at least ${least}` : `from ${least} to ${greatest}`;
    return `${text === '' ? 'Here stands' : `“${text}” is not taken: here stands`} a whole number ${bounds}.`;
  }
}
