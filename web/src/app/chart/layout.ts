import { arc, area, line, max, min, scaleBand, scaleLinear, scaleUtc, symbol, symbolsFill } from 'd3';
import type { ChartMark, ChartModel, ChartPanel } from '@heathridge/core/chart';
import { isNumeric, showValue, type Locale, type ValueKind } from '@heathridge/core/values';

/** Pixels of a text in the type of the chart. */
export type Measure = (text: string) => number;

/** A few words with where they stand. */
interface Word {
  readonly x: number;
  readonly y: number;
  readonly text: string;
  readonly anchor: 'start' | 'middle' | 'end';
}

/** A mark as it is drawn, and the place where one points at it. */
export interface DrawnMark {
  readonly mark: ChartMark;
  readonly path: string;
  /** How the path is moved before it is drawn, as SVG has it. */
  readonly move: string | null;
  /** Whether it is drawn by itself; the points of lines and areas show only when they are pointed at. */
  readonly isShown: boolean;
  readonly x: number;
  readonly y: number;
}

/** A line or an area through the marks of a series. */
interface Stroke {
  readonly series: number;
  readonly path: string;
  readonly isFilled: boolean;
}

export interface DrawnPanel {
  readonly x: number;
  readonly y: number;
  readonly title: string;
  readonly width: number;
  readonly height: number;
  readonly lines: readonly {
    readonly x1: number;
    readonly y1: number;
    readonly x2: number;
    readonly y2: number;
    readonly isBase: boolean;
  }[];
  readonly words: readonly Word[];
  readonly strokes: readonly Stroke[];
  readonly marks: readonly DrawnMark[];
}

export interface DrawnChart {
  readonly width: number;
  readonly height: number;
  readonly legend: readonly {
    readonly series: number;
    readonly x: number;
    readonly y: number;
    readonly text: string;
    readonly symbol: string;
  }[];
  readonly panels: readonly DrawnPanel[];
}

const DAY = 86_400_000;
/** Pixels of a line of text, and between things. */
const [LINE, GAP] = [17, 8];
/** Pixels a lying bar needs, with the room about it. */
const BAR = 24;
/** A panel is never smaller. */
const [LEAST_WIDTH, LEAST_HEIGHT] = [180, 150];
/** Characters of a name that are shown beside its bar. */
const MOST_NAME = 28;

const clipped = (words: string, most = MOST_NAME): string =>
  words.length <= most ? words : `${words.slice(0, most - 1)}…`;

/** A number of an axis as people read its kind, with as many places as the steps between them need. */
export function tickText(kind: ValueKind, value: number, step: number, locale: Locale): string {
  const places = Math.max(0, -Math.floor(Math.log10(Math.abs(step) || 1) + 1e-9));
  const text = value.toFixed(Math.min(places, 6));
  const plain = text === '-0' ? '0' : text;
  return showValue(isNumeric(kind) ? kind : { kind: 'decimal', places }, plain, locale);
}

/** The signs of the series, so that they are told apart without colour. */
export const signOf = (series: number, size = 46): string =>
  symbol(symbolsFill[series % symbolsFill.length], size)() ?? '';

/** The scale of what goes up: from 0 for all that has a length, and for lines that begin near it. */
function upScale(model: ChartModel, panels: readonly ChartPanel[]): readonly [number, number] {
  const marks = panels.flatMap((panel) => panel.marks);
  const [low, high] = [
    min(marks, ({ y, y0 }) => Math.min(y, y0)) ?? 0,
    max(marks, ({ y, y0 }) => Math.max(y, y0)) ?? 1,
  ];
  if (model.pile === 'shares') return [0, 100];
  const isLoose = model.as === 'points' || (model.as === 'lines' && low > 0 && low > high * 0.6);
  const from = isLoose ? low : Math.min(0, low);
  const to = isLoose ? high : Math.max(0, high);
  return from === to ? [from, from + 1] : [from, to];
}

/** Draws a chart into a width and a height; it may become higher where its names need it. */
export function drawChart(
  model: ChartModel,
  size: { readonly width: number; readonly height: number },
  measure: Measure,
  locale: Locale,
): DrawnChart {
  const width = Math.max(size.width, LEAST_WIDTH);
  const legend = legendOf(model, width, measure);
  const top = legend.length > 0 ? legend.at(-1)!.y + LINE : GAP;
  const count = Math.max(model.panels.length, 1);
  const across =
    count === 1 ? 1 : Math.max(1, Math.min(count <= 4 ? 2 : 3, Math.floor(width / (LEAST_WIDTH + GAP))));
  const down = Math.ceil(count / across);
  const own = (width - GAP * (across - 1)) / across;
  const isLying = lies(model, own, measure);
  const tallest = Math.max(0, ...model.panels.map((panel) => namesIn(model, panel).length));
  const least = isLying ? tallest * BAR + 3 * LINE + GAP : LEAST_HEIGHT;
  const high = Math.max((size.height - top - GAP * (down - 1)) / down, least);
  // Panels that are counted in the same unit share a scale.
  const scales = new Map<string, readonly [number, number]>();
  const unit = ({ kind }: ChartPanel): string => JSON.stringify(kind);
  for (const panel of model.panels)
    if (!scales.has(unit(panel)))
      scales.set(
        unit(panel),
        upScale(
          model,
          model.panels.filter((other) => unit(other) === unit(panel)),
        ),
      );
  const panels = model.panels.map((panel, i): DrawnPanel => {
    const at = {
      x: (i % across) * (own + GAP),
      y: top + Math.floor(i / across) * (high + GAP),
      width: own,
      height: high,
    };
    if (model.as === 'pie') return pie(panel, at);
    const context = { model, panel, at, measure, locale, domain: scales.get(unit(panel))! };
    return isLying ? lying(context) : upright(context);
  });
  return { width, height: top + down * high + GAP * (down - 1), legend, panels };
}

/** The names that have a mark in a panel. */
const namesIn = (model: ChartModel, { marks }: ChartPanel): number[] =>
  model.panels.length === 1
    ? model.places.map((_, place) => place)
    : [...new Set(marks.map(({ x }) => x))].sort((a, b) => a - b);

/** Whether bars lie: their names would not have room beside one another. */
function lies({ as, axis, along, places }: ChartModel, width: number, measure: Measure): boolean {
  if (as !== 'bars' || axis !== 'names' || along.kind.kind === 'date') return false;
  const room = (width - 60) / Math.max(places.length, 1);
  return places.some((name) => measure(clipped(name)) + 6 > room);
}

function legendOf({ series }: ChartModel, width: number, measure: Measure): DrawnChart['legend'] {
  if (series.length < 2) return [];
  let [x, y] = [0, LINE - 3];
  return series.map((name, i) => {
    const text = clipped(name);
    const room = measure(text) + 34;
    if (x > 0 && x + room > width) [x, y] = [0, y + LINE];
    const at = { series: i, x, y, text, symbol: signOf(i, 60) };
    x += room;
    return at;
  });
}

interface At {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

interface Context {
  readonly model: ChartModel;
  readonly panel: ChartPanel;
  readonly at: At;
  readonly measure: Measure;
  readonly locale: Locale;
  readonly domain: readonly [number, number];
}

const rect = (x: number, y: number, width: number, height: number): string =>
  `M${x},${y}h${width}v${height}h${-width}z`;

const moved = (x: number, y: number): string => `translate(${x},${y})`;

/** Bars that lie, a name beside each. */
function lying({ model, panel, at: place, measure, locale, domain }: Context): DrawnPanel {
  const names = namesIn(model, panel);
  const title = panel.label === '' ? 0 : LINE;
  const left = Math.min(
    Math.max(0, ...names.map((name) => measure(clipped(model.places[name]!)))) + GAP,
    place.width * 0.45,
  );
  const bottom = place.height - 2 * LINE;
  const up = scaleLinear(domain, [left, place.width - 3 * GAP]).nice(5);
  const band = scaleBand(names, [title + 4, bottom]).padding(0.18);
  const inner = scaleBand(
    model.series.map((_, i) => i),
    [0, band.bandwidth()],
  );
  const ticks = up.ticks(Math.max(2, Math.floor((place.width - left) / 90)));
  const step = (ticks[1] ?? 1) - (ticks[0] ?? 0);
  const isBeside = model.pile === 'beside';
  return {
    x: place.x,
    y: place.y,
    width: place.width,
    height: place.height,
    title: panel.label,
    lines: ticks.map((tick) => ({
      x1: up(tick),
      x2: up(tick),
      y1: title + 2,
      y2: bottom,
      isBase: tick === 0,
    })),
    words: [
      ...ticks.map((tick): Word => ({
        x: up(tick),
        y: bottom + LINE - 3,
        text: tickText(panel.kind, tick, step, locale),
        anchor: 'middle',
      })),
      ...names.map((name): Word => ({
        x: left - 6,
        y: band(name)! + band.bandwidth() / 2 + 4,
        text: fitting(clipped(model.places[name]!), left - GAP, measure),
        anchor: 'end',
      })),
      { x: place.width - GAP, y: place.height - 3, text: model.up, anchor: 'end' },
    ],
    strokes: [],
    marks: panel.marks.map((mark): DrawnMark => {
      const y = band(mark.x)! + (isBeside ? inner(mark.series)! : 0);
      const height = isBeside ? inner.bandwidth() : band.bandwidth();
      const [from, to] = [up(Math.min(mark.y0, mark.y)), up(Math.max(mark.y0, mark.y))];
      return {
        mark,
        path: rect(from, y, Math.max(to - from, 1), Math.max(height - 1, 1)),
        move: null,
        isShown: true,
        x: up(mark.y),
        y: y + height / 2,
      };
    }),
  };
}

/** A text cut to a width. */
function fitting(text: string, room: number, measure: Measure): string {
  let shown = text;
  while (shown.length > 2 && measure(shown) > room) shown = `${shown.slice(0, -2)}…`;
  return shown;
}

/** Bars, lines, areas and points that stand on a line. */
function upright({ model, panel, at: place, measure, locale, domain }: Context): DrawnPanel {
  const title = panel.label === '' ? 0 : LINE;
  const top = title + LINE + 8;
  const bottom = place.height - 2 * LINE;
  const up = scaleLinear(domain, [bottom, top]).nice(5);
  const ticks = up.ticks(Math.max(2, Math.floor((bottom - top) / 42)));
  const step = (ticks[1] ?? 1) - (ticks[0] ?? 0);
  const upWords = ticks.map((tick) => tickText(panel.kind, tick, step, locale));
  const left = Math.max(24, ...upWords.map(measure)) + GAP;
  const right = place.width - 2 * GAP;
  const { marks } = panel;
  const ends = marks.flatMap(({ x, x1 = x }) => [x, x1]);
  const [least, most] = [Math.min(...ends), Math.max(...ends)];
  const band = scaleBand(
    model.places.map((_, i) => i),
    [left, right],
  ).padding(0.16);
  const isBand = model.axis === 'names';
  const loose = isBand || least < most ? ([least, most] as const) : ([least - 1, most + 1] as const);
  const inset = model.as === 'spread' ? 0 : 6;
  const days = scaleUtc([loose[0] * DAY, loose[1] * DAY], [left + inset, right - inset]);
  const numbers = scaleLinear(loose, [left + inset, right - inset]);
  const x = (value: number): number =>
    isBand ? band(value)! + band.bandwidth() / 2 : model.axis === 'days' ? days(value * DAY) : numbers(value);
  const inner = scaleBand(
    model.series.map((_, i) => i),
    [-band.bandwidth() / 2, band.bandwidth() / 2],
  );

  const wanted = Math.max(2, Math.floor((right - left) / 90));
  const alongWords = (): Word[] => {
    const y = bottom + LINE - 2;
    if (isBand) {
      // As many names as have room.
      const widest = Math.max(1, ...model.places.map((name) => measure(clipped(name, 16)))) + 10;
      const each = Math.max(1, Math.ceil(widest / band.step()));
      return model.places.flatMap((name, i): Word[] =>
        i % each === 0 ? [{ x: x(i), y, text: clipped(name, 16), anchor: 'middle' }] : [],
      );
    }
    if (model.axis === 'days') {
      const style = model.along.kind.kind === 'date' ? model.along.kind.style : undefined;
      if (style === 'year' || style === 'quarter' || style === 'month' || style === 'week') {
        const known = new Map(marks.map((mark) => [mark.x, dayText(mark.x)] as const));
        const all = [...known].sort(([a], [b]) => a - b);
        const each = Math.max(1, Math.ceil(all.length / wanted));
        return all.flatMap(([day, text], i): Word[] =>
          i % each === 0
            ? [{ x: x(day), y, text: showValue(model.along.kind, text, locale), anchor: 'middle' }]
            : [],
        );
      }
      const format = days.tickFormat();
      return days.ticks(wanted).map((tick) => ({ x: days(tick), y, text: format(tick), anchor: 'middle' }));
    }
    const all = numbers.ticks(wanted);
    const between = (all[1] ?? 1) - (all[0] ?? 0);
    return all.map((tick) => ({
      x: numbers(tick),
      y,
      text: tickText(model.along.kind, tick, between, locale),
      anchor: 'middle',
    }));
  };

  const drawn = marks.map((mark): DrawnMark => {
    const [from, to] = [up(Math.max(mark.y0, mark.y)), up(Math.min(mark.y0, mark.y))];
    if (model.as === 'spread') {
      const [start, end] = [x(mark.x), x(mark.x1 ?? mark.x)];
      return {
        mark,
        path: rect(start, from, Math.max(end - start - 1, 1), Math.max(to - from, mark.y === 0 ? 0 : 1)),
        move: null,
        isShown: mark.y > 0,
        x: (start + end) / 2,
        y: from,
      };
    }
    if (model.as === 'bars') {
      const isBeside = model.pile === 'beside';
      const start = x(mark.x) + (isBeside ? inner(mark.series)! : -band.bandwidth() / 2);
      const wide = isBeside ? inner.bandwidth() : band.bandwidth();
      return {
        mark,
        path: rect(start, from, Math.max(wide - 1, 1), Math.max(to - from, 1)),
        move: null,
        isShown: true,
        x: start + wide / 2,
        y: up(mark.y),
      };
    }
    const [cx, cy] = [x(mark.x), up(mark.y)];
    return {
      mark,
      path: signOf(mark.series, model.as === 'points' ? 34 : 46),
      move: moved(cx, cy),
      isShown: model.as === 'points' || marks.length <= 60,
      x: cx,
      y: cy,
    };
  });
  return {
    x: place.x,
    y: place.y,
    width: place.width,
    height: place.height,
    title: panel.label,
    lines: ticks.map((tick) => ({ x1: left, x2: right, y1: up(tick), y2: up(tick), isBase: tick === 0 })),
    words: [
      ...ticks.map((tick, i): Word => ({ x: left - 6, y: up(tick) + 4, text: upWords[i]!, anchor: 'end' })),
      ...alongWords(),
      { x: 0, y: title + 9, text: model.up, anchor: 'start' },
      { x: right, y: place.height - 3, text: model.along.label, anchor: 'end' },
    ],
    strokes: model.as === 'lines' || model.as === 'areas' ? strokes(model, drawn, up) : [],
    marks: drawn,
  };
}

function strokes(model: ChartModel, drawn: readonly DrawnMark[], up: (value: number) => number): Stroke[] {
  return model.series.flatMap((_, series): Stroke[] => {
    const own = drawn.filter(({ mark }) => mark.series === series).sort((a, b) => a.x - b.x);
    if (own.length === 0) return [];
    const edge = line<DrawnMark>(
      ({ x }) => x,
      ({ y }) => y,
    )(own)!;
    if (model.as === 'lines') return [{ series, path: edge, isFilled: false }];
    const filled = area<DrawnMark>()
      .x(({ x }) => x)
      .y0(({ mark }) => up(mark.y0))
      .y1(({ y }) => y)(own)!;
    return [
      { series, path: filled, isFilled: true },
      { series, path: edge, isFilled: false },
    ];
  });
}

/** A day, counted from 1970-01-01, as it is written (ISO 8601). */
const dayText = (day: number): string => new Date(day * DAY).toISOString().slice(0, 10);

/** Parts of a whole as slices; those that are large enough say how much of it they are. */
function pie(panel: ChartPanel, place: At): DrawnPanel {
  const title = panel.label === '' ? 0 : LINE;
  const radius = Math.max(20, Math.min(place.width, place.height - title) / 2 - GAP);
  const [cx, cy] = [place.width / 2, title + (place.height - title) / 2];
  const turn = (share: number): number => (share / 100) * 2 * Math.PI;
  const shape = arc<ChartMark>()
    .innerRadius(radius * 0.45)
    .outerRadius(radius)
    .startAngle(({ y0 }) => turn(y0))
    .endAngle(({ y }) => turn(y));
  const drawn = panel.marks.map((mark) => {
    const [x, y] = shape.centroid(mark);
    return { mark, path: shape(mark) ?? '', move: moved(cx, cy), isShown: true, x: cx + x, y: cy + y };
  });
  return {
    x: place.x,
    y: place.y,
    width: place.width,
    height: place.height,
    title: panel.label,
    lines: [],
    words: drawn.flatMap(({ mark, x, y }): Word[] =>
      mark.y - mark.y0 >= 6
        ? [{ x, y: y + 4, text: `${Math.round(mark.y - mark.y0)}%`, anchor: 'middle' }]
        : [],
    ),
    strokes: [],
    marks: drawn,
  };
}
