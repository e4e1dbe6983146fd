import { BRITISH, monthName, monthShort, weekdayShort, type Locale } from './locale';
import { instantText, isoWeek, parseDate, parseInstant, parseTime, weekday } from './dates';
import { readDate, readWrittenDate } from './read-date';
import { isWrittenTime, readTime } from './read-time';
import { compare, fromText, rescale, toText, type Decimal } from './decimal';
import { readPattern } from './pattern';
import { inZone, instantAt } from './zone';

/**
 * A value as it travels and is shown: text, dates and decimals are strings (`"12.50"`), whole
 * numbers, running numbers and keys are numbers, ticks are booleans, empty is null.
 */
export type Value = string | number | boolean | null;

/** How a date is written: `4 Nov 2026`, `Wed 4 November 2026`, `04/11/2026` in the office's order, `2026-11-04`. */
export type DateStyle = 'short' | 'long' | 'numbers' | 'iso';

/** A stretch of days that is named by its first: `2026`, `Q4 2026`, `Nov 2026`, `week 45 of 2026`. */
export const DATE_STEPS = ['year', 'quarter', 'month', 'week'] as const;
export type DateStep = (typeof DATE_STEPS)[number];

interface NumberKind {
  /** The least and the greatest number allowed, as decimal texts. */
  readonly least?: string | null | undefined;
  readonly greatest?: string | null | undefined;
  /** Written after the number: `cm`, `%`. */
  readonly unit?: string | null | undefined;
  /** Without marks between thousands: a year, a house number. */
  readonly plain?: boolean | undefined;
}

/** What `values` needs to know of a field. */
export type ValueKind =
  | {
      readonly kind: 'text';
      readonly most?: number | undefined;
      /** Its shape in picture symbols. */
      readonly pattern?: string | undefined;
    }
  | { readonly kind: 'longText' }
  | ({ readonly kind: 'wholeNumber' } & NumberKind)
  | ({ readonly kind: 'decimal'; readonly places: number } & NumberKind)
  | ({
      readonly kind: 'money';
      readonly places: number;
      /** Null for the office's own. */
      readonly currency?: string | null | undefined;
    } & NumberKind)
  | { readonly kind: 'tick' }
  | { readonly kind: 'date'; readonly style?: DateStyle | DateStep | undefined }
  | { readonly kind: 'time'; readonly seconds?: boolean | undefined }
  | {
      readonly kind: 'dateTime';
      readonly style?: DateStyle | undefined;
      readonly seconds?: boolean | undefined;
    }
  | { readonly kind: 'choice'; readonly choices: readonly string[] }
  /** The key of a row: a number or a text. */
  | { readonly kind: 'lookup' }
  | { readonly kind: 'runningNumber'; readonly prefix?: string; readonly width?: number }
  /** The number of a row of `hr_attachment`. */
  | { readonly kind: 'picture' | 'file' };

export type Read =
  { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly message: string };

export interface Reading {
  readonly locale: Locale;
  /** `YYYY-MM-DD`, for dates typed in short form. */
  readonly today: string;
  /**
   * True for values that stand somewhere already and were not typed just now: only what is written out counts,
   * a date with its year, a time with its minutes, a number whose marks stand where they belong.
   */
  readonly written?: boolean;
}

/** No number of more than 15 digits is kept, so every one is exact in SQL, JSON and here. */
export const MOST_DIGITS = 15;

const ok = (value: Value): Read => ({ ok: true, value });
const bad = (message: string): Read => ({ ok: false, message });

/** Takes grouping marks, spaces and the currency away and makes the decimal mark a point. */
function plainNumber(text: string, locale: Locale): string {
  let plain = text.replace(/[\s\u00a0\u202f]/g, '').replace(/\u2212/g, '-');
  if (locale.currency !== '') plain = plain.replace(locale.currency, '');
  if (locale.groupMark !== '') plain = plain.split(locale.groupMark).join('');
  return locale.decimalMark === ',' ? plain.replace(',', '.') : plain;
}

const writtenNumbers = new WeakMap<Locale, RegExp>();

/** A number as people of a locale write it: thousands in threes, the currency once, before or behind it. */
function writtenNumber(locale: Locale): RegExp {
  const known = writtenNumbers.get(locale);
  if (known) return known;
  const { decimalMark, groupMark, currency } = locale;
  const quoted = (mark: string): string => mark.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
  const blank = '[ \\u00a0\\u202f]';
  const sign = '[+\\-\\u2212]?';
  const groups = [groupMark, ' ', '\u00a0', '\u202f'].filter((mark) => mark !== '').map(quoted);
  const thousands = groups.map((mark) => `\\d{1,3}(?:${mark}\\d{3})+`).join('|');
  const mark = quoted(decimalMark);
  const number = `(?:(?:\\d+|${thousands})(?:${mark}\\d*)?|${mark}\\d+)`;
  const money = currency === '' ? null : quoted(currency);
  const ways = [
    `${sign}${number}`,
    ...(money === null
      ? []
      : [`${sign}${money}${blank}?${sign}${number}`, `${sign}${number}${blank}?${money}`]),
  ];
  const made = new RegExp(`^(?:${ways.join('|')})$`, 'u');
  writtenNumbers.set(locale, made);
  return made;
}

const PLAIN_NUMBER = /^-?\d+(?:\.\d+)?$/;

const isWrittenNumber = (text: string, locale: Locale): boolean =>
  writtenNumber(locale).test(text.replace(/^[ \u00a0\u202f\t]+|[ \u00a0\u202f\t]+$/g, ''));

const BLANK = '[ \\u00a0\\u202f]';
const SIGN_APART = new RegExp(`^(${BLANK}*[+\\-\\u2212])${BLANK}+`, 'u');
const DIGITS_WITH_MARKS = /^\d+(?:[.,'’ \u00a0\u202f]\d+)+$/;

/**
 * Reads a number as people of a locale write it, with as many decimal places as it has. Marks between thousands
 * stand where thousands end: of any others it is asked what is meant, in the message that is given instead.
 */
export function readNumber(text: string, locale: Locale, written = false): Decimal | string {
  // Most numbers of a sheet have no mark that could mean anything else.
  if (PLAIN_NUMBER.test(text) && (locale.decimalMark === '.' || !text.includes('.'))) return fromText(text)!;
  const typed = written ? text : text.replace(SIGN_APART, '$1');
  const number = isWrittenNumber(typed, locale) ? fromText(plainNumber(typed, locale)) : null;
  if (number) return number;
  const [one, other] = written ? [] : readingsOf(typed, locale);
  if (one === undefined) return `“${text}” is not a number.`;
  return other === undefined
    ? `“${text}” has its marks in other places than numbers have: is ${one} meant?`
    : `“${text}” can be read in two ways: ${one} or ${other}? Write the one that is meant.`;
}

/** What somebody may have meant by digits with marks between them, as the locale writes it. */
function readingsOf(text: string, locale: Locale): string[] {
  const bare = locale.currency === '' ? text : text.replace(locale.currency, '');
  const [, sign = '', body = ''] = /^\s*([+\-\u2212]?)\s*(.*?)\s*$/u.exec(bare) ?? [];
  if (!DIGITS_WITH_MARKS.test(body)) return [];
  const marks = [...body.replace(/\d/g, '')];
  const last = marks.at(-1)!;
  const all = body.replace(/\D/g, '').replace(/^0+(?=\d)/, '');
  const decimals = body.slice(body.lastIndexOf(last) + 1);
  // A mark that stands once, and is no blank, may be the one before decimals.
  const isDecimal = marks.indexOf(last) === marks.length - 1 && /[.,]/.test(last);
  const shown = (number: string): string =>
    showNumber(`${sign === '' || sign === '+' ? '' : '-'}${number}`, locale);
  const whole = body.slice(0, body.lastIndexOf(last)).replace(/\D/g, '');
  const asDecimal = isDecimal ? [shown(`${whole}.${decimals}`)] : [];
  return isDecimal && marks.length > 1 ? asDecimal : [...asDecimal, shown(all)];
}

function readDecimal(text: string, places: number, locale: Locale, written = false): Decimal | string {
  const parsed = readNumber(text, locale, written);
  if (typeof parsed === 'string') return parsed;
  if (parsed.scale > places && parsed.units % 10n ** BigInt(parsed.scale - places) !== 0n)
    return places === 0
      ? `“${text}” is not a whole number.`
      : `“${text}” has more than ${places} decimal ${places === 1 ? 'place' : 'places'}.`;
  const units = rescale(parsed.units, parsed.scale, places);
  if ((units < 0n ? -units : units) >= 10n ** BigInt(MOST_DIGITS))
    return `“${text}” is too large: a number has at most ${MOST_DIGITS} digits.`;
  return { units, scale: places };
}

/** Why a number lies outside its bounds; null when it does not. */
function outOfBounds(number: Decimal, kind: NumberKind, locale: Locale): string | null {
  const least = kind.least ? fromText(kind.least) : null;
  if (least && compare(number, least) < 0)
    return `At least ${showNumber(kind.least!, locale)} is needed here.`;
  const greatest = kind.greatest ? fromText(kind.greatest) : null;
  return greatest && compare(number, greatest) > 0
    ? `At most ${showNumber(kind.greatest!, locale)} is allowed here.`
    : null;
}

const unitless = (text: string, unit: string | null | undefined): string => {
  const trimmed = text.trim();
  return unit && trimmed.toLowerCase().endsWith(unit.toLowerCase())
    ? trimmed.slice(0, -unit.length).trim()
    : text;
};

/** Characters (units of UTF-16) of one value: a book has fewer, and lists of such rows must still be sent. */
export const MOST_TEXT = 2 ** 20;

/** Characters that are sent of a text which is too long to be sent whole: several lines, by which it is known. */
export const BEGINNING_OF_TEXT = 1000;

/** Only characters of which nothing need be asked. */
// eslint-disable-next-line no-control-regex
const ASCII = /^[\x01-\x7f]*$/;

/** The form in which texts are kept: composed, so that two that look alike are alike (Unicode, UAX 15, NFC). */
export const keptText = (text: string): string => (ASCII.test(text) ? text : text.normalize('NFC'));

const TICKED = new Set(['yes', 'y', 'true', '1', 'x', '✓']);
const UNTICKED = new Set(['no', 'n', 'false', '0', '']);

/**
 * Reads what a person typed or pasted as a value of a kind. Blank text is null (an unticked tick is
 * false). The message of a refusal is for people and quotes what was typed.
 */
export function readValue(kind: ValueKind, text: string, { locale, today, written }: Reading): Read {
  if (text.length > MOST_TEXT)
    return bad(
      `This text has ${text.length.toLocaleString('en-GB')} characters; at most ${MOST_TEXT.toLocaleString('en-GB')} fit into one field. Keep it as an attached file.`,
    );
  if (!ASCII.test(text) && /[\0\ufffe\uffff]|\p{Surrogate}/u.test(text))
    return bad('This text holds a character that cannot be kept (NUL, or a broken one).');
  if (kind.kind === 'tick') {
    const word = text.trim().toLowerCase();
    if (TICKED.has(word)) return ok(true);
    return UNTICKED.has(word) ? ok(false) : bad(`“${text}” is neither yes nor no.`);
  }
  if (text.trim() === '') return ok(null);
  switch (kind.kind) {
    case 'text': {
      const trimmed = keptText(text).trim();
      if (/[\r\n]/.test(trimmed)) return bad('This field holds one line of text.');
      if (kind.most !== undefined && trimmed.length > kind.most) {
        const length = [...trimmed].length;
        if (length > kind.most)
          return bad(`This text has ${length} characters; at most ${kind.most} fit here.`);
      }
      return kind.pattern ? readPattern(kind.pattern, trimmed) : ok(trimmed);
    }
    case 'longText':
      return ok(keptText(text));
    case 'lookup':
    case 'runningNumber': {
      const number = readDecimal(unprefixed(kind, text), 0, locale, written);
      return typeof number === 'string' ? bad(number) : ok(Number(number.units));
    }
    case 'wholeNumber':
    case 'decimal':
    case 'money': {
      const places = kind.kind === 'wholeNumber' ? 0 : kind.places;
      const own = kind.kind === 'money' && kind.currency ? { ...locale, currency: kind.currency } : locale;
      const number = readDecimal(unitless(text, kind.unit), places, own, written);
      if (typeof number === 'string') return bad(number);
      const outside = outOfBounds(number, kind, locale);
      if (outside !== null) return bad(outside);
      return ok(kind.kind === 'wholeNumber' ? Number(number.units) : toText(number));
    }
    case 'date': {
      const date = written ? readWrittenDate(text, locale) : readDate(text, today, locale);
      if (date) return ok(date);
      return bad(
        written
          ? `“${text}” is not a date with day, month and year.`
          : `“${text}” is not a date. Try 4 nov, 4/11/2026, fri or +7.`,
      );
    }
    case 'choice': {
      const wanted = text.trim().toLowerCase();
      const match =
        kind.choices.find((choice) => choice === text.trim()) ??
        kind.choices.find((choice) => choice.toLowerCase() === wanted);
      return match !== undefined ? ok(match) : bad(`“${text}” is not one of ${kind.choices.join(', ')}.`);
    }
    case 'time': {
      const time = written && !isWrittenTime(text) ? null : readTime(text);
      if (!time && written) return bad(`“${text}” is not a time with hours and minutes.`);
      return time ? ok(time) : bad(`“${text}” is not a time. Try 14:30, 930 or 2pm.`);
    }
    case 'dateTime': {
      const instant = readInstant(text, today, locale, written);
      if (!instant && written) return bad(`“${text}” is not a date and time that is written out.`);
      return instant ? ok(instant) : bad(`“${text}” is not a date and time. Try 4 nov 14:30 or today 9:15.`);
    }
    case 'picture':
    case 'file':
      return bad('A file is put here by choosing it, not by typing.');
  }
}

/** Reads a date and a time behind it, by the office's clock; midnight without a time. */
function readInstant(text: string, today: string, locale: Locale, written = false): string | null {
  const known = parseInstant(text.trim());
  if (known !== null) return instantText(known);
  const zone = locale.timeZone ?? 'UTC';
  const typed = text.trim().replace(/\s+UTC$/i, '');
  const match = /^(.+?)[\sT,]+(\d{1,2}(?:[:.]\d{2}){0,2}\s*(?:[ap]\.?m\.?)?)$/i.exec(typed);
  const dateIn = (part: string): string | null =>
    written ? readWrittenDate(part, locale) : readDate(part, today, locale);
  const date = match && dateIn(match[1]!);
  const time = match && (written && !isWrittenTime(match[2]!) ? null : readTime(match[2]!));
  // A year or day of the month at the end is no time.
  if (date && time && (/[:.apm]/i.test(match[2]!) || !dateIn(typed)))
    return instantAt(date, time, /UTC$/i.test(text.trim()) ? 'UTC' : zone);
  const whole = dateIn(typed);
  return whole && instantAt(whole, '00:00:00', zone);
}

function unprefixed(kind: ValueKind, text: string): string {
  const typed = text.trim();
  return kind.kind === 'runningNumber' && kind.prefix && typed.startsWith(kind.prefix)
    ? typed.slice(kind.prefix.length)
    : typed;
}

const grouped = (digits: string, mark: string): string => digits.replace(/\B(?=(\d{3})+(?!\d))/g, mark);

/** A decimal text (`-1234.50`) as people of a locale read it (`-1,234.50`). */
export function showNumber(text: string, locale: Locale): string {
  const [whole = '', fraction] = text.replace('-', '').split('.');
  const sign = text.startsWith('-') ? '-' : '';
  const shown = sign + grouped(whole, locale.groupMark);
  return fraction === undefined ? shown : `${shown}${locale.decimalMark}${fraction}`;
}

/** `£1,234.50` or `1,234.50 CHF`. */
export function showMoney(text: string, locale: Locale): string {
  const number = showNumber(text, locale);
  if (locale.currency === '') return number;
  if (/^[A-Z]+$/.test(locale.currency)) return `${number} ${locale.currency}`;
  return number.startsWith('-') ? `-${locale.currency}${number.slice(1)}` : `${locale.currency}${number}`;
}

const two = (n: number): string => String(n).padStart(2, '0');

/** `4 Nov 2026` for `2026-11-04`, or another style; the text itself when it is not a date. */
export function showDate(
  text: string,
  style: DateStyle | DateStep = 'short',
  order: Locale['dateOrder'] = 'dmy',
): string {
  const date = parseDate(text);
  if (!date || style === 'iso') return text;
  const { year, month, day } = date;
  // With four digits also before the year 1000: fewer would be read as another year, or as none.
  const y = String(year).padStart(4, '0');
  if (style === 'long') return `${weekdayShort(weekday(text))} ${day} ${monthName(month)} ${y}`;
  if (style === 'short') return `${day} ${monthShort(month)} ${y}`;
  if (style === 'year') return y;
  if (style === 'quarter') return `Q${Math.ceil(month / 3)} ${y}`;
  if (style === 'month') return `${monthShort(month)} ${y}`;
  if (style === 'week') {
    const week = isoWeek(text);
    return `week ${week.week} of ${String(week.year).padStart(4, '0')}`;
  }
  const parts = { d: two(day), m: two(month), y };
  return [...order].map((part) => parts[part as 'd' | 'm' | 'y']).join('/');
}

/** `14:30`, with seconds where they are wanted or not 0. */
const showTime = (text: string, seconds = false): string =>
  parseTime(text) === null || seconds || text.slice(6, 8) > '00' ? text : text.slice(0, 5);

/** A value as people read it everywhere: grid, form, query, report. Null is the empty text. */
export function showValue(kind: ValueKind, value: Value, locale: Locale = BRITISH): string {
  if (value === null) return '';
  switch (kind.kind) {
    case 'wholeNumber':
    case 'decimal': {
      const marks = kind.plain ? { ...locale, groupMark: '' as const } : locale;
      const number = showNumber(String(value), marks);
      if (!kind.unit) return number;
      return kind.unit === '%' ? `${number}%` : `${number}\u00a0${kind.unit}`;
    }
    case 'money':
      return showMoney(String(value), kind.currency ? { ...locale, currency: kind.currency } : locale);
    case 'tick':
      return value === true ? 'Yes' : 'No';
    case 'date':
      return showDate(String(value), kind.style, locale.dateOrder);
    case 'time':
      return showTime(String(value), kind.seconds);
    case 'dateTime': {
      const zone = locale.timeZone ?? 'UTC';
      const { date, time } = inZone(String(value), zone);
      return `${showDate(date, kind.style, locale.dateOrder)} ${showTime(time, kind.seconds)}${zone === 'UTC' ? ' UTC' : ''}`;
    }
    case 'runningNumber':
      return (kind.prefix ?? '') + String(value).padStart(kind.width ?? 0, '0');
    default:
      return String(value);
  }
}

/** The text with which editing starts: what {@link readValue} reads back as the same value. */
export function editText(kind: ValueKind, value: Value, locale: Locale = BRITISH): string {
  if (value === null) return '';
  if (kind.kind === 'decimal' || kind.kind === 'money') {
    return locale.decimalMark === ',' ? String(value).replace('.', ',') : String(value);
  }
  if (kind.kind === 'wholeNumber') return String(value);
  if (kind.kind === 'date' || kind.kind === 'dateTime')
    return showValue({ ...kind, style: 'short' }, value, locale);
  return showValue(kind, value, locale);
}

/** True for kinds that line up at the right. */
export const isNumeric = (kind: ValueKind): boolean =>
  kind.kind === 'wholeNumber' || kind.kind === 'decimal' || kind.kind === 'money';

/**
 * Checks a value that came as JSON (from the network or a file) against its kind, the way
 * {@link readValue} checks typed text.
 */
export function checkValue(kind: ValueKind, value: unknown): Read {
  if (value === null) return ok(null);
  switch (kind.kind) {
    case 'text':
    case 'longText':
    case 'choice':
      if (typeof value !== 'string') return bad('A text is needed here.');
      return readValue(kind, value, { locale: BRITISH, today: '2000-01-01' });
    case 'tick':
      return typeof value === 'boolean' ? ok(value) : bad('Yes or no is needed here.');
    case 'lookup':
      return typeof value === 'string' && value !== '' ? ok(value) : checkWhole(kind, value);
    case 'wholeNumber':
    case 'runningNumber':
    case 'picture':
    case 'file':
      return checkWhole(kind, value);
    case 'decimal':
    case 'money': {
      const plain = { ...BRITISH, groupMark: '', currency: '' } as const;
      const number =
        typeof value === 'string'
          ? readDecimal(value, kind.places, plain)
          : 'A number written as text ("12.50") is needed here.';
      if (typeof number === 'string') return bad(number);
      const outside = outOfBounds(number, kind, BRITISH);
      return outside === null ? ok(toText(number)) : bad(outside);
    }
    case 'date':
      return typeof value === 'string' && parseDate(value)
        ? ok(value)
        : bad('A date as YYYY-MM-DD is needed here.');
    case 'time':
      return typeof value === 'string' && parseTime(value) !== null && value.length === 8
        ? ok(value)
        : bad('A time as HH:MM:SS is needed here.');
    case 'dateTime': {
      const seconds = typeof value === 'string' ? parseInstant(value) : null;
      const text = seconds === null ? null : instantText(seconds);
      return text ? ok(text) : bad('A date and time as YYYY-MM-DDTHH:MM:SSZ is needed here.');
    }
  }
}

function checkWhole(kind: ValueKind, value: unknown): Read {
  if (typeof value !== 'number' || !Number.isInteger(value) || Math.abs(value) >= 10 ** MOST_DIGITS)
    return bad(`A whole number of at most ${MOST_DIGITS} digits is needed here.`);
  const outside =
    kind.kind === 'wholeNumber' ? outOfBounds({ units: BigInt(value), scale: 0 }, kind, BRITISH) : null;
  return outside === null ? ok(value) : bad(outside);
}
