import { Component, computed, input, output } from '@angular/core';
import { chartAs, namesOf, numbersOf, type ChartColumn } from '@heathridge/core/chart';
import type { Chart } from '@heathridge/core/design';
import { ManyComponent } from '../shared/many.component';
import { options, SelectComponent, type Option } from '../shared/select.component';

const SHAPES = options<Chart['as']>([
  ['bars', 'Bars'],
  ['lines', 'Lines'],
  ['areas', 'Areas'],
  ['points', 'Points'],
  ['spread', 'Spread of values'],
  ['pie', 'Parts of a whole'],
]);
type Pile = Extract<Chart, { pile: string }>['pile'];
const PILES = options<Pile>([
  ['beside', 'beside one another'],
  ['stacked', 'stacked'],
  ['shares', 'as parts of 100 %'],
]);
/** No column has such an id. */
const NONE = ' none';

type Key = 'along' | 'value' | 'across' | 'up' | 'of' | 'split' | 'apart';

/** How a result is drawn: its shape, and which columns it draws. */
@Component({
  selector: 'hr-chart-bar',
  imports: [ManyComponent, SelectComponent],
  host: { role: 'group', 'aria-label': 'How it is drawn' },
  template: `
    @let now = chart();
    <hr-select label="Draw" [options]="shapes" [value]="now.as" (changed)="shape($event)" />
    @for (line of lines(); track line.key) {
      @if (line.key === 'values') {
        <hr-many label="How much" [options]="numbers()" [value]="values()" (changed)="setValues($event)" />
      } @else {
        <hr-select
          [label]="line.label"
          [options]="line.options"
          [value]="line.value"
          (changed)="set(line.key, $event)"
        />
      }
    }
    @if (pile(); as how) {
      <hr-select label="Series stand" [options]="piles" [value]="how" (changed)="setPile($event)" />
    }
  `,
  styles: `
    :host {
      display: flex;
      flex: none;
      flex-wrap: wrap;
      gap: 6px 8px;
      padding: 8px 14px 6px;
    }
    hr-select,
    hr-many {
      flex: 1 1 108px;
      max-width: 190px;
      min-width: 0;
    }
  `,
})
export class ChartBarComponent {
  readonly chart = input.required<Chart>();
  readonly columns = input.required<readonly ChartColumn[]>();
  readonly changed = output<Chart>();
  protected readonly shapes = SHAPES;
  protected readonly piles = PILES;

  protected readonly numbers = computed((): Option[] => numbersOf(this.columns()).map(asOption));
  protected readonly values = computed((): readonly string[] => {
    const chart = this.chart();
    return 'values' in chart ? chart.values : [];
  });
  /** Lines have nothing to be stacked on. */
  protected readonly pile = computed(() => {
    const chart = this.chart();
    const isSeveral = 'values' in chart && (chart.values.length > 1 || chart.split !== undefined);
    return 'pile' in chart && chart.as !== 'lines' && isSeveral ? chart.pile : null;
  });

  protected readonly lines = computed(() => {
    const chart = this.chart();
    const names = namesOf(this.columns()).map(asOption);
    const numbers = this.numbers();
    const all = [...names, ...numbers];
    const maybe = [{ id: NONE, label: 'none' }, ...names];
    const line = (
      key: Key | 'values',
      label: string,
      options: readonly Option[],
      value: string | undefined,
    ) => ({
      key,
      label,
      options,
      value: value ?? NONE,
    });
    const apart = line('apart', 'A chart for each', maybe, chart.apart);
    switch (chart.as) {
      case 'points':
        return [
          line('across', 'Along', all, chart.across),
          line('up', 'How much', numbers, chart.up),
          line('split', 'A colour for each', maybe, chart.split),
          apart,
        ];
      case 'spread':
        return [line('of', 'Values of', all, chart.of), apart];
      case 'pie':
        return [
          line('along', 'A part for each', all, chart.along),
          line('value', 'How much', numbers, chart.value),
          apart,
        ];
      default:
        return [
          line('along', 'Along', all, chart.along),
          line('values', 'How much', [], undefined),
          line('split', 'A series for each', maybe, chart.split),
          apart,
        ];
    }
  });

  protected shape(as: Chart['as']): void {
    const next = chartAs(as, this.chart(), this.columns());
    if (next) this.changed.emit(next);
  }

  protected set(key: string, id: string): void {
    const { [key as 'apart']: _, ...rest } = this.chart();
    this.changed.emit((id === NONE ? rest : { ...rest, [key]: id }) as Chart);
  }

  /** At least one column is drawn. */
  protected setValues(values: readonly string[]): void {
    const chart = this.chart();
    if ('values' in chart && values.length > 0) this.changed.emit({ ...chart, values: [...values] });
  }

  protected setPile(pile: Pile): void {
    const chart = this.chart();
    if ('pile' in chart) this.changed.emit({ ...chart, pile });
  }
}

const asOption = ({ id, label }: ChartColumn): Option => ({ id, label });
