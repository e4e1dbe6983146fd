import type { Chart } from '../design';
import { isNumeric, type ValueKind } from '../values';

/** A column of a result. */
export interface ChartColumn {
  readonly id: string;
  readonly label: string;
  readonly kind: ValueKind;
}

const isDay = ({ kind }: ChartColumn): boolean => kind.kind === 'date' || kind.kind === 'dateTime';

/** Columns whose values are lengths on a scale. */
export const numbersOf = (columns: readonly ChartColumn[]): ChartColumn[] =>
  columns.filter(({ kind }) => isNumeric(kind));

/** Columns whose values are places beside one another: names, days. */
export const namesOf = (columns: readonly ChartColumn[]): ChartColumn[] =>
  columns.filter(({ kind }) => !isNumeric(kind) && kind.kind !== 'picture' && kind.kind !== 'file');

/** What a number is counted in: numbers of one unit share a scale. */
export function unitOf(kind: ValueKind): string {
  if (kind.kind === 'money') return `money ${kind.currency ?? ''}`;
  return kind.kind === 'wholeNumber' || kind.kind === 'decimal' ? `number ${kind.unit ?? ''}` : kind.kind;
}

/** A chart that tells something of such a result by itself; null where there is no number to draw. */
export function chartFor(columns: readonly ChartColumn[]): Chart | null {
  const numbers = numbersOf(columns);
  const [number] = numbers;
  if (!number) return null;
  const names = namesOf(columns);
  const day = names.find(isDay);
  const along = day ?? names[0];
  if (along) {
    const other = names.find(({ id }) => id !== along.id);
    return {
      as: day ? 'lines' : 'bars',
      along: along.id,
      values: [number.id],
      ...(other ? { split: other.id } : {}),
      pile: 'beside',
    };
  }
  const [, second] = numbers;
  return second ? { as: 'points', across: number.id, up: second.id } : { as: 'spread', of: number.id };
}

/** The columns that a chart draws. */
export function columnsOf(chart: Chart): string[] {
  const apart = chart.apart === undefined ? [] : [chart.apart];
  switch (chart.as) {
    case 'points':
      return [chart.across, chart.up, ...(chart.split === undefined ? [] : [chart.split]), ...apart];
    case 'spread':
      return [chart.of, ...apart];
    case 'pie':
      return [chart.along, chart.value, ...apart];
    default:
      return [chart.along, ...chart.values, ...(chart.split === undefined ? [] : [chart.split]), ...apart];
  }
}

/** A chart without columns that are not there; null where nothing of it is left. */
export function chartOf(chart: Chart, isThere: (id: string) => boolean): Chart | null {
  const without = <T extends Chart>(own: T): T => {
    const next = { ...own };
    if (next.apart !== undefined && !isThere(next.apart)) delete next.apart;
    if ('split' in next && next.split !== undefined && !isThere(next.split)) delete next.split;
    return next;
  };
  switch (chart.as) {
    case 'points':
      return isThere(chart.across) && isThere(chart.up) ? without(chart) : null;
    case 'spread':
      return isThere(chart.of) ? without(chart) : null;
    case 'pie':
      return isThere(chart.along) && isThere(chart.value) ? without(chart) : null;
    default: {
      const values = chart.values.filter(isThere);
      return isThere(chart.along) && values.length > 0 ? without({ ...chart, values }) : null;
    }
  }
}

/** A chart of another shape of the same columns, as far as they fit; the one that suits best otherwise. */
export function chartAs(as: Chart['as'], chart: Chart | null, columns: readonly ChartColumn[]): Chart | null {
  const numbers = numbersOf(columns);
  const names = namesOf(columns);
  const was = chart ? columnsOf(chart) : [];
  const [number] = [...numbers.filter(({ id }) => was.includes(id)), ...numbers];
  if (!number) return null;
  const apart = chart?.apart === undefined ? {} : { apart: chart.apart };
  const split = chart && 'split' in chart && chart.split !== undefined ? { split: chart.split } : {};
  const other = numbers.find(({ id }) => id !== number.id);
  // Without a name or a day numbers stand along a number.
  const along =
    (chart && 'along' in chart ? columns.find(({ id }) => id === chart.along) : undefined) ??
    (as === 'lines' || as === 'areas' ? names.find(isDay) : undefined) ??
    names.find(({ id }) => id !== chart?.apart) ??
    other ??
    number;
  switch (as) {
    case 'points': {
      const across = columns.find(
        ({ id, kind }) => id !== number.id && (isNumeric(kind) || kind.kind === 'date'),
      );
      return across ? { as, across: across.id, up: number.id, ...split, ...apart } : null;
    }
    case 'spread':
      return { as, of: number.id, ...apart };
    case 'pie':
      return { as, along: along.id, value: number.id, ...apart };
    default: {
      const values = chart && 'values' in chart ? chart.values : [number.id];
      const pile = chart && 'pile' in chart ? chart.pile : as === 'areas' ? 'stacked' : 'beside';
      return { as, along: along.id, values, ...split, ...apart, pile };
    }
  }
}
