import { isWrittenTime, readNumber, readTime, readWrittenDate, BRITISH, type Locale } from '../values';
import { cellText, numberText, type Cell } from './cells';

/** What the values of one column of a sheet have told, all rows seen. */
export interface ColumnFacts {
  readonly filled: number;
  readonly empty: number;
  /** Different values, and whether there were more of them than are counted. */
  readonly distinct: number;
  readonly more: boolean;
  /** Whether no value was seen twice; null when there were too many to tell. */
  readonly unique: boolean | null;
  /** The commonest values, with how often each stands there. */
  readonly common: readonly (readonly [text: string, rows: number])[];
  /** Characters of the longest text; whether one has several lines; how many have blanks at their ends. */
  readonly longest: number;
  readonly lines: boolean;
  readonly padded: number;
  readonly numbers: {
    /** Texts that are a number with a point, or a comma, before decimals, and the most places that they have. */
    readonly point: number;
    readonly comma: number;
    readonly pointPlaces: number;
    readonly commaPlaces: number;
    /** Those that are only one of the two, and those that are both and another number each time. */
    readonly onlyPoint: number;
    readonly onlyComma: number;
    readonly either: number;
    /** Numbers with a nought before other digits, as codes have them. */
    readonly zeros: number;
    /** The sign or code of a currency that stands at numbers; empty when there is none, or several. */
    readonly currency: string;
    /** The least and greatest, roughly; null without a number. */
    readonly least: number | null;
    readonly greatest: number | null;
  };
  readonly dates: {
    readonly dmy: number;
    readonly mdy: number;
    readonly ymd: number;
    readonly onlyDayFirst: number;
    readonly onlyMonthFirst: number;
    /** Texts that are two dates, and one of them. */
    readonly either: number;
    readonly example: string | null;
  };
  readonly instants: { readonly dmy: number; readonly mdy: number; readonly ymd: number };
  readonly times: number;
  readonly ticks: number;
}

/** Different values of a column that are told apart, and values whose doubles are looked for. */
const MOST_SEEN = 5000;
const MOST_UNIQUE = 200_000;
/** Characters of a value that is looked at as more than a text. */
const MOST_LOOKED = 60;
const MOST_COMMON = 12;
/** Values of which none was a number, or a date, after which no more are asked whether they are. */
const ENOUGH_TO_TELL = 4000;

const POINT: Locale = { ...BRITISH, decimalMark: '.', groupMark: ',', currency: '' };
const COMMA: Locale = { ...BRITISH, decimalMark: ',', groupMark: '.', currency: '' };
const ORDERS = ['dmy', 'mdy', 'ymd'] as const;
const IN_ORDER = Object.fromEntries(
  ORDERS.map((dateOrder) => [dateOrder, { ...BRITISH, dateOrder }]),
) as Record<(typeof ORDERS)[number], Locale>;

const CURRENCY =
  /^([+\-\u2212]?)\s?(\p{Sc}|[A-Z]{3}(?=[ \d]))\s?(?=[\d.,+\-\u2212])|\s?(\p{Sc}|(?<=[ \d])[A-Z]{3})$/u;
const TICKS = new Set(['yes', 'no', 'y', 'n', 'true', 'false', 'x', '✓']);

type Dates = readonly [dmy: string | null, mdy: string | null, ymd: string | null];

/** What one text can be read as. */
interface Looks {
  readonly point: number;
  readonly comma: number;
  readonly eitherNumber: boolean;
  readonly zeros: boolean;
  readonly currency: string | null;
  readonly size: number | null;
  readonly dates: Dates;
  readonly instants: Dates;
  readonly time: boolean;
  readonly tick: boolean;
}

const NONE: Dates = [null, null, null];
const NOTHING: Looks = {
  point: -1,
  comma: -1,
  eitherNumber: false,
  zeros: false,
  currency: null,
  size: null,
  dates: NONE,
  instants: NONE,
  time: false,
  tick: false,
};

const datesIn = (text: string): Dates => {
  const [dmy, mdy, ymd] = ORDERS.map((order) => readWrittenDate(text, IN_ORDER[order]));
  return [dmy!, mdy!, ymd!];
};

/** A date and a time behind it; the time alone may have a zone. */
const INSTANT =
  /^(.+?)(?:T|,? )(\d{1,2}:\d{2}(?::\d{2}(?:\.\d+)?)?(?:\s?[ap]\.?m\.?)?)(?:Z| ?UTC|[+-]\d{2}:?\d{2})?$/i;

/** What of a value is still worth asking: what none of thousands was, no column is. */
interface Asked {
  numbers: boolean;
  dates: boolean;
}

function looksOf(text: string, asked: Asked): Looks {
  const trimmed = text.trim();
  if (trimmed.length > MOST_LOOKED) return NOTHING;
  const tick = TICKS.has(trimmed.toLowerCase());
  if (!/\d/.test(trimmed)) return tick ? { ...NOTHING, tick } : NOTHING;
  if (!asked.numbers && !asked.dates) return tick ? { ...NOTHING, tick } : NOTHING;
  if (WHOLE.test(trimmed)) return wholeLooks(trimmed, asked);
  const money = asked.numbers ? CURRENCY.exec(trimmed) : null;
  const bare = money ? trimmed.replace(money[0], money[1] ?? '').trim() : trimmed;
  const [point, comma] = asked.numbers
    ? [readNumber(bare, POINT, true), readNumber(bare, COMMA, true)]
    : ['', ''];
  const isPoint = typeof point !== 'string';
  const isComma = typeof comma !== 'string';
  const size = isPoint ? point : isComma ? comma : null;
  const instant = asked.dates ? INSTANT.exec(trimmed) : null;
  return {
    point: isPoint ? point.scale : -1,
    comma: isComma ? comma.scale : -1,
    eitherNumber: isPoint && isComma && (point.units !== comma.units || point.scale !== comma.scale),
    zeros: (isPoint || isComma) && /^[+\-\u2212]?0\d/.test(bare),
    currency: isPoint || isComma ? (money ? (money[2] ?? money[3] ?? '') : '') : null,
    size: size && Number(size.units) / 10 ** size.scale,
    dates: asked.dates ? datesIn(trimmed) : NONE,
    instants: instant ? datesIn(instant[1]!) : NONE,
    time: isWrittenTime(trimmed) && readTime(trimmed) !== null,
    tick,
  };
}

const WHOLE = /^\d{1,15}$/;

/** What digits alone can be. */
function wholeLooks(text: string, { dates }: Asked): Looks {
  return {
    ...NOTHING,
    point: 0,
    comma: 0,
    zeros: /^0\d/.test(text),
    currency: '',
    size: Number(text),
    dates: dates && (text.length === 7 || text.length === 8) ? datesIn(text) : NONE,
  };
}

/** A number of 53 bits for a text (after cyrb53, a public domain hash by bryc). */
export function hash(text: string): number {
  let [a, b] = [0xdeadbeef, 0x41c6ce57];
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i);
    a = Math.imul(a ^ code, 2654435761);
    b = Math.imul(b ^ code, 1597334677);
  }
  a = Math.imul(a ^ (a >>> 16), 2246822507) ^ Math.imul(b ^ (b >>> 13), 3266489909);
  b = Math.imul(b ^ (b >>> 16), 2246822507) ^ Math.imul(a ^ (a >>> 13), 3266489909);
  return 4294967296 * (2097151 & b) + (a >>> 0);
}

interface Seen {
  rows: number;
  readonly looks: Looks;
}

/** Looks at the values of one column as they come by; memory does not grow with the rows. */
export class Census {
  private readonly seen = new Map<string, Seen>();
  private readonly sums = new Tally();
  private hashes: Set<number> | null = new Set();
  private unique: boolean | null = true;
  private filled = 0;
  private empty = 0;
  private longest = 0;
  private lines = false;
  private padded = 0;
  private more = false;
  private asked: Asked = { numbers: true, dates: true };

  add(cell: Cell): void {
    const text = cellText(cell);
    if (text.trim() === '') {
      this.empty++;
      return;
    }
    this.filled++;
    const known = this.seen.get(text);
    if (known) {
      known.rows++;
      this.unique = false;
      this.hashes = null;
      return;
    }
    if (text.length > this.longest) this.longest = Math.max(this.longest, [...text].length);
    if (/[\r\n]/.test(text)) this.lines = true;
    this.notice(text);
    const looks = typeof cell === 'number' ? exactly(cell) : looksOf(text, this.asked);
    if (this.filled === ENOUGH_TO_TELL) this.ask();
    if (this.seen.size < MOST_SEEN && text.length <= 500) {
      this.seen.set(text, { rows: 1, looks });
      return;
    }
    this.more = true;
    this.sums.add(text, looks, 1);
    if (text.trim() !== text) this.padded++;
  }

  /** Asks no more of what follows than of some value that was met. */
  private ask(): void {
    const { numbers, dates, instants } = this.facts();
    this.asked = {
      numbers: numbers.point + numbers.comma > 0,
      dates: dates.dmy + dates.mdy + dates.ymd + instants.dmy + instants.mdy + instants.ymd > 0,
    };
  }

  /** Looks for doubles, as long as there are not too many values for that. */
  private notice(text: string): void {
    if (!this.hashes) return;
    const number = hash(text);
    if (this.hashes.has(number)) this.unique = false;
    else if (this.hashes.size >= MOST_UNIQUE) this.unique = null;
    else {
      this.hashes.add(number);
      return;
    }
    this.hashes = null;
  }

  facts(): ColumnFacts {
    const sums = this.sums.copy();
    let { padded } = this;
    for (const [text, { rows, looks }] of this.seen) {
      sums.add(text, looks, rows);
      if (text.trim() !== text) padded += rows;
    }
    const common = [...this.seen]
      .sort(([, a], [, b]) => b.rows - a.rows)
      .slice(0, MOST_COMMON)
      .map(([text, { rows }]) => [text, rows] as const);
    const { filled, empty, longest, lines, more, unique } = this;
    return {
      filled,
      empty,
      distinct: this.seen.size,
      more,
      unique: filled === 0 ? false : unique,
      common,
      longest,
      lines,
      padded,
      ...sums.facts(),
    };
  }

  /** The different values as far as they are told apart, with their rows. */
  values(): ReadonlyMap<string, number> {
    return new Map([...this.seen].map(([text, { rows }]) => [text, rows]));
  }
}

/** What a cell that came as a number can be. */
function exactly(number: number): Looks {
  const places = numberText(number).split('.')[1]?.length ?? 0;
  return { ...NOTHING, point: places, comma: places, currency: '', size: number };
}

type Sums = Pick<ColumnFacts, 'numbers' | 'dates' | 'instants' | 'times' | 'ticks'>;
type Mutable<T> = { -readonly [K in keyof T]: Mutable<T[K]> };

const zero = (): Mutable<Sums> => ({
  numbers: {
    point: 0,
    comma: 0,
    pointPlaces: 0,
    commaPlaces: 0,
    onlyPoint: 0,
    onlyComma: 0,
    either: 0,
    zeros: 0,
    currency: '',
    least: null,
    greatest: null,
  },
  dates: { dmy: 0, mdy: 0, ymd: 0, onlyDayFirst: 0, onlyMonthFirst: 0, either: 0, example: null },
  instants: { dmy: 0, mdy: 0, ymd: 0 },
  times: 0,
  ticks: 0,
});

class Tally {
  private readonly sums: Mutable<Sums>;
  private readonly currencies: Set<string>;

  constructor(sums = zero(), currencies = new Set<string>()) {
    this.sums = sums;
    this.currencies = currencies;
  }

  copy(): Tally {
    const { numbers, dates, instants, times, ticks } = this.sums;
    const sums = { numbers: { ...numbers }, dates: { ...dates }, instants: { ...instants }, times, ticks };
    return new Tally(sums, new Set(this.currencies));
  }

  add(text: string, looks: Looks, rows: number): void {
    const { numbers, dates, instants } = this.sums;
    if (looks.point >= 0) {
      numbers.point += rows;
      numbers.pointPlaces = Math.max(numbers.pointPlaces, looks.point);
      if (looks.comma < 0) numbers.onlyPoint += rows;
    }
    if (looks.comma >= 0) {
      numbers.comma += rows;
      numbers.commaPlaces = Math.max(numbers.commaPlaces, looks.comma);
      if (looks.point < 0) numbers.onlyComma += rows;
    }
    if (looks.eitherNumber) numbers.either += rows;
    if (looks.zeros) numbers.zeros += rows;
    if (looks.currency !== null) this.currencies.add(looks.currency);
    if (looks.size !== null) {
      numbers.least = Math.min(numbers.least ?? looks.size, looks.size);
      numbers.greatest = Math.max(numbers.greatest ?? looks.size, looks.size);
    }
    const [dmy, mdy] = looks.dates.map((date, i) => date ?? looks.instants[i]!);
    for (const [i, order] of ORDERS.entries()) {
      if (looks.dates[i] !== null) dates[order] += rows;
      if (looks.dates[i] !== null || looks.instants[i] !== null) instants[order] += rows;
    }
    if (dmy && !mdy) dates.onlyDayFirst += rows;
    if (mdy && !dmy) dates.onlyMonthFirst += rows;
    if (dmy && mdy && dmy !== mdy) {
      dates.either += rows;
      dates.example ??= text.trim();
    }
    if (looks.time) this.sums.times += rows;
    if (looks.tick) this.sums.ticks += rows;
  }

  facts(): Sums {
    // Some leave it out, or write it once at the top.
    const [currency, ...others] = [...this.currencies].filter((sign) => sign !== '');
    return {
      ...this.sums,
      numbers: { ...this.sums.numbers, currency: others.length === 0 ? (currency ?? '') : '' },
    };
  }
}
