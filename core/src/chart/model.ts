import { bin } from 'd3-array';
import type { Chart } from '../design';
import {
  add,
  addDays,
  addMonths,
  dateText,
  civilFromDays,
  dayNumber,
  decimal,
  fromText,
  isNumeric,
  parseInstant,
  showValue,
  toText,
  type Decimal,
  type Locale,
  type Value,
  type ValueKind,
} from '../values';
import { unitOf, type ChartColumn } from './suggest';

/** One mark of a chart: a bar, a point of a line, a slice. */
export interface ChartMark {
  readonly series: number;
  /** Where it stands: the place of a name, the number itself, or days since 1970-01-01. */
  readonly x: number;
  /** Where it ends, of a bar of a histogram. */
  readonly x1?: number;
  /** Up to where it goes, and from where: 0 where nothing is beneath it. */
  readonly y: number;
  readonly y0: number;
  /** What it is of, and its exact value, as people read them. */
  readonly of: string;
  readonly said: string;
  /** The rows of the result that it stands for. */
  readonly rows: readonly number[];
}

/** One of several small charts, or the only one. */
export interface ChartPanel {
  readonly label: string;
  readonly marks: readonly ChartMark[];
  /** What its numbers are counted in. */
  readonly kind: ValueKind;
}

/** A chart with everything worked out but its size. */
export interface ChartModel {
  readonly as: Chart['as'];
  readonly pile: 'beside' | 'stacked' | 'shares';
  /** What is along it: names beside one another, a scale of numbers, or of days. */
  readonly axis: 'names' | 'numbers' | 'days';
  readonly along: ChartColumn;
  /** The names along it, in their order. */
  readonly places: readonly string[];
  readonly series: readonly string[];
  /** What goes up, in words. */
  readonly up: string;
  readonly panels: readonly ChartPanel[];
  /** What is left out or put together, in whole sentences. */
  readonly notes: readonly string[];
}

/** What is drawn at most: more cannot be told apart, and is left out with a note. */
export const MOST_PLACES = 200;
export const MOST_SERIES = 12;
export const MOST_PANELS = 12;
export const MOST_POINTS = 5000;
/** Slices of a pie; smaller ones are one together. */
export const MOST_SLICES = 8;

const EMPTY = '(empty)';
const SHARE: ValueKind = { kind: 'decimal', places: 1, unit: '%' };

const count = (n: number, one: string, several = `${one}s`): string =>
  `${n.toLocaleString('en-GB')} ${n === 1 ? one : several}`;

/** A number of a result for drawing; null where there is none. */
function drawn(value: Value): number | null {
  if (value === null || typeof value === 'boolean') return null;
  const number = Number(value);
  return Number.isFinite(number) ? number : null;
}

/** Days since 1970-01-01 of a date or a moment; null where there is none. */
function dayOf({ kind }: ValueKind, value: Value): number | null {
  if (typeof value !== 'string') return null;
  if (kind === 'date') return dayNumber(value);
  const seconds = parseInstant(value);
  return seconds === null ? null : seconds / 86_400;
}

/** Names in the order in which they come, with a place each. */
class Names {
  private readonly known = new Map<string, number>();
  readonly all: string[] = [];
  /** How often what comes behind the last place was asked for. */
  beyond = 0;

  constructor(private readonly most: number) {}

  place(name: string): number | null {
    const known = this.known.get(name);
    if (known !== undefined) return known;
    if (this.all.length >= this.most) {
      this.beyond++;
      return null;
    }
    this.known.set(name, this.all.length);
    return this.all.push(name) - 1;
  }
}

/** The days on which the steps between two begin, both among them; null where there are too many. */
function stepsBetween(step: string, first: string, last: string): string[] | null {
  const next = (day: string): string | null => {
    switch (step) {
      case 'year':
        return addMonths(day, 12);
      case 'quarter':
        return addMonths(day, 3);
      case 'month':
        return addMonths(day, 1);
      default:
        return addDays(day, step === 'week' ? 7 : 1);
    }
  };
  const all: string[] = [];
  for (let day: string | null = first; day !== null && day <= last; day = next(day))
    if (all.push(day) > MOST_PLACES) return null;
  return all;
}

interface Drawing {
  readonly columns: readonly ChartColumn[];
  readonly rows: readonly (readonly Value[])[];
  readonly locale: Locale;
  /** Columns of which nothing is as good as 0: counts and sums. */
  readonly zero?: ReadonlySet<string>;
}

/**
 * Works a chart out: what stands where, what it is of, and what is left out. Numbers are drawn as floating point; what
 * is read of them is exact.
 */
export function chartModel(chart: Chart, drawing: Drawing): ChartModel {
  switch (chart.as) {
    case 'points':
      return pointsOf(chart, drawing);
    case 'spread':
      return spreadOf(chart, drawing);
    case 'pie':
      return pieOf(chart, drawing);
    default:
      return alongOf(chart, drawing);
  }
}

/** How a row of the result is read by the id of a column. */
function reader({ columns, locale }: Drawing) {
  const index = (id: string): number => columns.findIndex((column) => column.id === id);
  const column = (id: string): ChartColumn => {
    const found = columns[index(id)];
    if (!found) throw new Error(`The result has no column ${id}.`);
    return found;
  };
  return {
    column,
    value: (row: readonly Value[], id: string): Value => row[index(id)] ?? null,
    name: (row: readonly Value[], id: string): string =>
      showValue(column(id).kind, row[index(id)] ?? null, locale) || EMPTY,
  };
}

/** Bars, lines and areas along names, days or numbers. */
function alongOf(chart: Extract<Chart, { pile: string }>, drawing: Drawing): ChartModel {
  const { rows, locale, zero } = drawing;
  const { column, value, name } = reader(drawing);
  const along = column(chart.along);
  const measures = chart.values.map(column);
  const notes: string[] = [];
  const isDay = along.kind.kind === 'date' || along.kind.kind === 'dateTime';
  const step = along.kind.kind === 'date' ? (along.kind.style ?? 'day') : null;
  const isBars = chart.as === 'bars';
  const axis = !isBars && isDay ? 'days' : !isBars && isNumeric(along.kind) ? 'numbers' : 'names';
  const places = new Names(axis === 'names' ? MOST_PLACES : Infinity);
  const isStep = step !== null && ['year', 'quarter', 'month', 'week'].includes(step);
  const days = rows.flatMap((row) => {
    const day = value(row, chart.along);
    return typeof day === 'string' ? [day] : [];
  });
  // A month in which nothing was has its place all the same.
  const steps =
    step !== null && days.length > 0 && (isStep || isBars)
      ? stepsBetween(
          step,
          days.reduce((a, b) => (a < b ? a : b)),
          days.reduce((a, b) => (a > b ? a : b)),
        )
      : null;
  if (axis === 'names') for (const day of steps ?? []) places.place(showValue(along.kind, day, locale));

  const units = [...new Set(measures.map(({ kind }) => unitOf(kind)))];
  if (units.length > 1) notes.push('What is not counted in the same unit has a chart of its own.');
  const series = new Names(MOST_SERIES);
  const panels = new Names(MOST_PANELS);
  interface Sum {
    readonly series: number;
    readonly panel: number;
    readonly x: number;
    readonly of: string;
    readonly kind: ValueKind;
    readonly measure: string;
    sum: Decimal;
    readonly rows: number[];
  }
  const sums = new Map<string, Sum>();
  let [without, together] = [0, 0];
  for (const [r, row] of rows.entries()) {
    const at = value(row, chart.along);
    const x =
      axis === 'names'
        ? places.place(name(row, chart.along))
        : axis === 'days'
          ? dayOf(along.kind, at)
          : drawn(at);
    if (x === null) {
      if (axis !== 'names') without++;
      continue;
    }
    for (const measure of measures) {
      const number = value(row, measure.id);
      const exact = number === null ? null : fromText(String(number));
      if (!exact) continue;
      const split = chart.split === undefined ? null : name(row, chart.split);
      const called =
        split === null ? measure.label : measures.length > 1 ? `${split}, ${measure.label}` : split;
      const own = series.place(called);
      const apart = [
        ...(chart.apart === undefined ? [] : [name(row, chart.apart)]),
        ...(units.length > 1 ? [measure.label] : []),
      ].join(', ');
      const panel = own === null ? null : panels.place(apart);
      if (own === null || panel === null) continue;
      const key = `${panel} ${own} ${x}`;
      const known = sums.get(key);
      if (known) {
        known.sum = add(known.sum, exact);
        known.rows.push(r);
        together++;
      } else {
        const of = [
          apart,
          name(row, chart.along),
          ...(series.all.length > 1 || split !== null ? [called] : []),
        ];
        sums.set(key, {
          series: own,
          panel,
          x,
          of: of.filter((word) => word !== '').join(', '),
          kind: measure.kind,
          measure: measure.id,
          sum: exact,
          rows: [r],
        });
      }
    }
  }
  if (places.beyond > 0)
    notes.push(
      `The first ${MOST_PLACES} of what stands along it are drawn; ${count(places.beyond, 'row')} more are left out.`,
    );
  if (without > 0)
    notes.push(
      `${count(without, 'row')} with nothing in “${along.label}” ${without === 1 ? 'is' : 'are'} not drawn.`,
    );
  if (series.beyond > 0) notes.push(`The first ${MOST_SERIES} series are drawn; there are more.`);
  if (panels.beyond > 0) notes.push(`The first ${MOST_PANELS} small charts are drawn; there are more.`);
  if (together > 0) notes.push('Where several rows stand at one place their sum is drawn.');

  // What counts or adds up is 0 where nothing was.
  const all = [...sums.values()];
  if (axis !== 'names' && steps !== null) {
    const filled = new Map<string, Sum[]>();
    for (const sum of all) {
      const key = `${sum.panel} ${sum.series}`;
      filled.set(key, [...(filled.get(key) ?? []), sum]);
    }
    for (const own of filled.values()) {
      const [like] = own;
      if (!like || !zero?.has(like.measure)) continue;
      const there = new Set(own.map(({ x }) => x));
      for (const day of steps)
        if (!there.has(dayNumber(day)))
          all.push({
            ...like,
            x: dayNumber(day),
            of: showValue(along.kind, day, locale),
            sum: decimal(0n, like.sum.scale),
            rows: [],
          });
    }
  }
  const isBelow = all.some(({ sum }) => sum.units < 0n);
  const pile = chart.pile === 'shares' && isBelow ? 'beside' : chart.as === 'lines' ? 'beside' : chart.pile;
  if (chart.pile === 'shares' && isBelow && chart.as !== 'lines')
    notes.push('Numbers below 0 are no parts of a hundred: they stand beside one another.');
  const marks = all
    .map((sum) => ({ ...sum, number: Number(toText(sum.sum)) }))
    .sort((a, b) => a.panel - b.panel || a.series - b.series || a.x - b.x);
  const heights = new Map<string, number>();
  const wholes = new Map<string, number>();
  for (const { panel, x, number } of marks)
    wholes.set(`${panel} ${x}`, (wholes.get(`${panel} ${x}`) ?? 0) + number);
  const drawnPanels = panels.all.map((label, p): ChartPanel => {
    const own = marks.filter(({ panel }) => panel === p);
    return {
      label,
      kind: pile === 'shares' ? SHARE : (own[0]?.kind ?? measures[0]!.kind),
      marks: own.map(({ series: s, x, of, kind, sum, rows: from, number }) => {
        const said = showValue(kind, toText(sum), locale);
        if (pile === 'beside') return { series: s, x, y: number, y0: 0, of, said, rows: from };
        const whole = wholes.get(`${p} ${x}`) ?? 0;
        const part = pile === 'shares' ? (whole === 0 ? 0 : (number / whole) * 100) : number;
        // What is below 0 goes down from there.
        const key = `${p} ${x} ${part < 0}`;
        const y0 = heights.get(key) ?? 0;
        heights.set(key, y0 + part);
        const words = pile === 'shares' ? `${said} (${showValue(SHARE, part.toFixed(1), locale)})` : said;
        return { series: s, x, y: y0 + part, y0, of, said: words, rows: from };
      }),
    };
  });
  return {
    as: chart.as,
    pile,
    axis,
    along,
    places: places.all,
    series: series.all,
    up:
      pile === 'shares'
        ? 'Share'
        : chart.split === undefined && measures.length > 1 && units.length === 1
          ? ''
          : (measures[0]?.label ?? ''),
    panels: drawnPanels,
    notes,
  };
}

/** Rows as points between two numbers. */
function pointsOf(chart: Extract<Chart, { as: 'points' }>, drawing: Drawing): ChartModel {
  const { rows, locale } = drawing;
  const { column, value, name } = reader(drawing);
  const [across, up] = [column(chart.across), column(chart.up)];
  const isDay = across.kind.kind === 'date' || across.kind.kind === 'dateTime';
  const series = new Names(MOST_SERIES);
  const panels = new Names(MOST_PANELS);
  const all: ChartMark[][] = [];
  let [without, drawnPoints, beyond] = [0, 0, 0];
  for (const [r, row] of rows.entries()) {
    const at = value(row, chart.across);
    const x = isDay ? dayOf(across.kind, at) : drawn(at);
    const y = drawn(value(row, chart.up));
    if (x === null || y === null) {
      without++;
      continue;
    }
    const split = chart.split === undefined ? up.label : name(row, chart.split);
    const own = series.place(split);
    const panel = own === null ? null : panels.place(chart.apart === undefined ? '' : name(row, chart.apart));
    if (own === null || panel === null) continue;
    if (drawnPoints >= MOST_POINTS) {
      beyond++;
      continue;
    }
    drawnPoints++;
    const of = [
      panels.all[panel]!,
      ...(chart.split === undefined ? [] : [split]),
      `${across.label} ${name(row, chart.across)}`,
    ];
    (all[panel] ??= []).push({
      series: own,
      x,
      y,
      y0: y,
      of: of.filter((word) => word !== '').join(', '),
      said: `${up.label} ${showValue(up.kind, value(row, chart.up), locale)}`,
      rows: [r],
    });
  }
  const notes = [
    ...(without > 0
      ? [`${count(without, 'row')} without both numbers ${without === 1 ? 'is' : 'are'} not drawn.`]
      : []),
    ...(beyond > 0
      ? [
          `The first ${MOST_POINTS.toLocaleString('en-GB')} points are drawn; ${count(beyond, 'row')} more are left out.`,
        ]
      : []),
    ...(series.beyond > 0 ? [`The first ${MOST_SERIES} series are drawn; there are more.`] : []),
    ...(panels.beyond > 0 ? [`The first ${MOST_PANELS} small charts are drawn; there are more.`] : []),
  ];
  return {
    as: 'points',
    pile: 'beside',
    axis: isDay ? 'days' : 'numbers',
    along: across,
    places: [],
    series: series.all,
    up: up.label,
    panels: panels.all.map((label, p) => ({ label, kind: up.kind, marks: all[p] ?? [] })),
    notes,
  };
}

/**
 * How often the values of a column lie between round numbers: a histogram. The number of bars is by Sturges' rule, as
 * d3-array has it.
 */
function spreadOf(chart: Extract<Chart, { as: 'spread' }>, drawing: Drawing): ChartModel {
  const { rows, locale } = drawing;
  const { column, value, name } = reader(drawing);
  const of = column(chart.of);
  const isDay = of.kind.kind === 'date' || of.kind.kind === 'dateTime';
  const panels = new Names(MOST_PANELS);
  const all: { readonly x: number; readonly row: number }[][] = [];
  let without = 0;
  for (const [r, row] of rows.entries()) {
    const at = value(row, chart.of);
    const x = isDay ? dayOf(of.kind, at) : drawn(at);
    if (x === null) {
      without++;
      continue;
    }
    const panel = panels.place(chart.apart === undefined ? '' : name(row, chart.apart));
    if (panel !== null) (all[panel] ??= []).push({ x, row: r });
  }
  const every = all.flat();
  const bins = bin<{ x: number; row: number }, number>().value(({ x }) => x);
  // Small charts beside one another have the same bars.
  const edges = bins(every).flatMap(({ x0, x1 }) => (x0 === undefined || x1 === undefined ? [] : [x0, x1]));
  const [least, most] = [edges[0] ?? 0, edges.at(-1) ?? 1];
  const cut = [...new Set(edges)].filter((edge) => edge > least && edge < most);
  const shownAs = (x: number): string =>
    isDay
      ? showValue({ kind: 'date' }, dateText(civilFromDays(Math.floor(x))), locale)
      : showValue(of.kind, String(x), locale);
  const kind: ValueKind = { kind: 'wholeNumber' };
  return {
    as: 'spread',
    pile: 'beside',
    axis: isDay ? 'days' : 'numbers',
    along: of,
    places: [],
    series: ['Rows'],
    up: 'Rows',
    panels: panels.all.map((label, p) => ({
      label,
      kind,
      marks: bins
        .domain([least, most])
        .thresholds(cut)(all[p] ?? [])
        .flatMap((found) => {
          const { x0 = 0, x1 = 0 } = found;
          const range = x0 === x1 ? shownAs(x0) : `${shownAs(x0)} to ${shownAs(x1)}`;
          return [
            {
              series: 0,
              x: x0,
              // All values may be the same.
              x1: x1 > x0 ? x1 : x0 + 1,
              y: found.length,
              y0: 0,
              of: label === '' ? range : `${label}, ${range}`,
              said: count(found.length, 'row'),
              rows: found.map(({ row }) => row),
            },
          ];
        }),
    })),
    notes:
      without > 0
        ? [
            `${count(without, 'row')} with nothing in “${of.label}” ${without === 1 ? 'is' : 'are'} not drawn.`,
          ]
        : [],
  };
}

/** Parts of a whole; the smallest are one together. */
function pieOf(chart: Extract<Chart, { as: 'pie' }>, drawing: Drawing): ChartModel {
  const { rows, locale } = drawing;
  const { column, value, name } = reader(drawing);
  const [along, of] = [column(chart.along), column(chart.value)];
  const panels = new Names(MOST_PANELS);
  const parts: Map<string, { sum: Decimal; readonly rows: number[] }>[] = [];
  const totals = new Map<string, number>();
  let below = 0;
  for (const [r, row] of rows.entries()) {
    const exact = fromText(String(value(row, chart.value) ?? ''));
    if (!exact || exact.units === 0n) continue;
    if (exact.units < 0n) {
      below++;
      continue;
    }
    const panel = panels.place(chart.apart === undefined ? '' : name(row, chart.apart));
    if (panel === null) continue;
    const called = name(row, chart.along);
    const own = (parts[panel] ??= new Map());
    const known = own.get(called);
    if (known) {
      known.sum = add(known.sum, exact);
      known.rows.push(r);
    } else own.set(called, { sum: exact, rows: [r] });
    totals.set(called, (totals.get(called) ?? 0) + Number(toText(exact)));
  }
  const ordered = [...totals].sort(([, a], [, b]) => b - a).map(([called]) => called);
  const shown = ordered.length <= MOST_SLICES ? ordered : ordered.slice(0, MOST_SLICES - 1);
  const others = 'all others';
  const places = shown.length < ordered.length ? [...shown, others] : shown;
  const drawnPanels = panels.all.map((label, p): ChartPanel => {
    const own = parts[p] ?? new Map<string, { sum: Decimal; rows: number[] }>();
    const whole = [...own.values()].reduce((sum, part) => sum + Number(toText(part.sum)), 0);
    let y0 = 0;
    const marks = places.flatMap((called, x): ChartMark[] => {
      const of =
        called === others
          ? [...own].filter(([each]) => !shown.includes(each)).map(([, part]) => part)
          : [own.get(called)];
      const there = of.filter((part) => part !== undefined);
      if (there.length === 0) return [];
      const sum = there.reduce((total, part) => add(total, part.sum), decimal(0n));
      const share = (Number(toText(sum)) / whole) * 100;
      const from = y0;
      y0 += share;
      return [
        {
          series: x,
          x,
          y: y0,
          y0: from,
          of: label === '' ? called : `${label}, ${called}`,
          said: `${showValue(column(chart.value).kind, toText(sum), locale)} (${showValue(SHARE, share.toFixed(1), locale)})`,
          rows: there.flatMap((part) => part.rows),
        },
      ];
    });
    return { label, kind: of.kind, marks };
  });
  return {
    as: 'pie',
    pile: 'beside',
    axis: 'names',
    along,
    places,
    series: places,
    up: of.label,
    panels: drawnPanels,
    notes: [
      ...(below > 0
        ? [`${count(below, 'row')} below 0 ${below === 1 ? 'is' : 'are'} no part of a whole and not drawn.`]
        : []),
      ...(places !== shown ? [`The ${ordered.length - shown.length} smallest parts are one together.`] : []),
    ],
  };
}
