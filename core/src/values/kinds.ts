import { BRITISH, monthShort, type Locale } from './locale';
import { parseDate } from './dates';
import { readDate } from './read-date';
import { fromText, rescale, toText, type Decimal } from './decimal';

/**
 * A value as it travels and is shown: text, dates and decimals are strings (`"12.50"`), whole
 * numbers, running numbers and keys are numbers, ticks are booleans, empty is null.
 */
export type Value = string | number | boolean | null;

/** What `values` needs to know of a field. */
export type ValueKind =
  | { readonly kind: 'text'; readonly most?: number | undefined }
  | { readonly kind: 'longText' }
  | { readonly kind: 'wholeNumber' }
  | { readonly kind: 'decimal'; readonly places: number }
  | { readonly kind: 'money'; readonly places: number }
  | { readonly kind: 'tick' }
  | { readonly kind: 'date' }
  | { readonly kind: 'choice'; readonly choices: readonly string[] }
  | { readonly kind: 'lookup' }
  | { readonly kind: 'runningNumber'; readonly prefix?: string; readonly width?: number }
  /** Only worked out, never kept in a field yet. */
  | { readonly kind: 'instant' };

export type Read =
  { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly message: string };

export interface Reading {
  readonly locale: Locale;
  /** `YYYY-MM-DD`, for dates typed in short form. */
  readonly today: string;
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

function readDecimal(text: string, places: number, locale: Locale): Decimal | string {
  const parsed = fromText(plainNumber(text, locale));
  if (!parsed) return `“${text}” is not a number.`;
  if (parsed.scale > places && parsed.units % 10n ** BigInt(parsed.scale - places) !== 0n)
    return places === 0
      ? `“${text}” is not a whole number.`
      : `“${text}” has more than ${places} decimal ${places === 1 ? 'place' : 'places'}.`;
  const units = rescale(parsed.units, parsed.scale, places);
  if ((units < 0n ? -units : units) >= 10n ** BigInt(MOST_DIGITS))
    return `“${text}” is too large: a number has at most ${MOST_DIGITS} digits.`;
  return { units, scale: places };
}

const TICKED = new Set(['yes', 'y', 'true', '1', 'x', '✓']);
const UNTICKED = new Set(['no', 'n', 'false', '0', '']);

/**
 * Reads what a person typed or pasted as a value of a kind. Blank text is null (an unticked tick is
 * false). The message of a refusal is for people and quotes what was typed.
 */
export function readValue(kind: ValueKind, text: string, { locale, today }: Reading): Read {
  if (text.includes('\0')) return bad('This text holds a character that cannot be kept (NUL).');
  if (kind.kind === 'tick') {
    const word = text.trim().toLowerCase();
    if (TICKED.has(word)) return ok(true);
    return UNTICKED.has(word) ? ok(false) : bad(`“${text}” is neither yes nor no.`);
  }
  if (text.trim() === '') return ok(null);
  switch (kind.kind) {
    case 'text': {
      const trimmed = text.trim();
      if (/[\r\n]/.test(trimmed)) return bad('This field holds one line of text.');
      const length = [...trimmed].length;
      return kind.most !== undefined && length > kind.most
        ? bad(`This text has ${length} characters; at most ${kind.most} fit here.`)
        : ok(trimmed);
    }
    case 'longText':
      return ok(text);
    case 'wholeNumber':
    case 'runningNumber':
    case 'lookup': {
      const number = readDecimal(unprefixed(kind, text), 0, locale);
      return typeof number === 'string' ? bad(number) : ok(Number(number.units));
    }
    case 'decimal':
    case 'money': {
      const number = readDecimal(text, kind.places, locale);
      return typeof number === 'string' ? bad(number) : ok(toText(number));
    }
    case 'date': {
      const date = readDate(text, today, locale);
      return date ? ok(date) : bad(`“${text}” is not a date. Try 4 nov, 4/11/2026, fri or +7.`);
    }
    case 'choice': {
      const wanted = text.trim().toLowerCase();
      const match =
        kind.choices.find((choice) => choice === text.trim()) ??
        kind.choices.find((choice) => choice.toLowerCase() === wanted);
      return match !== undefined ? ok(match) : bad(`“${text}” is not one of ${kind.choices.join(', ')}.`);
    }
    case 'instant':
      return bad('This value is worked out and cannot be typed.');
  }
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

/** `4 Nov 2026` for `2026-11-04`; the text itself when it is not a date. */
export function showDate(text: string): string {
  const date = parseDate(text);
  return date ? `${date.day} ${monthShort(date.month)} ${date.year}` : text;
}

/** A value as people read it everywhere: grid, form, query, report. Null is the empty text. */
export function showValue(kind: ValueKind, value: Value, locale: Locale = BRITISH): string {
  if (value === null) return '';
  switch (kind.kind) {
    case 'wholeNumber':
      return showNumber(String(value), locale);
    case 'decimal':
      return showNumber(String(value), locale);
    case 'money':
      return showMoney(String(value), locale);
    case 'tick':
      return value === true ? 'Yes' : 'No';
    case 'date':
      return showDate(String(value));
    case 'instant': {
      const text = String(value);
      return `${showDate(text.slice(0, 10))} ${text.slice(11, 16)} UTC`;
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
    case 'wholeNumber':
    case 'runningNumber':
    case 'lookup':
      return typeof value === 'number' && Number.isInteger(value) && Math.abs(value) < 10 ** MOST_DIGITS
        ? ok(value)
        : bad(`A whole number of at most ${MOST_DIGITS} digits is needed here.`);
    case 'decimal':
    case 'money': {
      const plain = { ...BRITISH, groupMark: '', currency: '' } as const;
      const number =
        typeof value === 'string'
          ? readDecimal(value, kind.places, plain)
          : 'A number written as text ("12.50") is needed here.';
      return typeof number === 'string' ? bad(number) : ok(toText(number));
    }
    case 'date':
      return typeof value === 'string' && parseDate(value)
        ? ok(value)
        : bad('A date as YYYY-MM-DD is needed here.');
    case 'instant':
      return bad('This value is worked out and cannot be set.');
  }
}
