import { parseDate } from './dates';
import { fromText, round, toText } from './decimal';
import { editText, readValue, type Read, type Reading, type Value, type ValueKind } from './kinds';
import { inZone, instantAt } from './zone';

const ok = (value: Value): Read => ({ ok: true, value });

const isNumber = (kind: ValueKind): boolean =>
  kind.kind === 'wholeNumber' || kind.kind === 'decimal' || kind.kind === 'money';

/** A time without its seconds, unless they are wanted or there are some. */
const toTheMinute = (time: string, seconds = false): string =>
  seconds || !time.endsWith(':00') ? time : time.slice(0, 5);

/** The text with which a value stands when it is turned into another kind. */
export function plainText(kind: ValueKind, value: Value, reading: Reading): string {
  if (value === null) return '';
  if (kind.kind === 'date') return String(value);
  if (kind.kind === 'time') return toTheMinute(String(value), kind.seconds);
  if (kind.kind === 'tick') return value === true ? 'Yes' : 'No';
  if (kind.kind === 'dateTime') {
    const zone = reading.locale.timeZone ?? 'UTC';
    const { date, time } = inZone(String(value), zone);
    // In the hour that an autumn night has twice, the clock does not tell which is meant.
    if (instantAt(date, time, zone) !== value) return String(value);
    return `${date} ${toTheMinute(time, kind.seconds)}`;
  }
  return editText(kind, value, reading.locale);
}

/**
 * Turns a value of one kind into another: numbers are rounded half away from zero to the places they
 * have from then on; a date gets midnight, a date and time gives up its time, by the office's clock;
 * everything else goes by way of its text, which is read as if somebody had typed it.
 */
export function convertValue(from: ValueKind, to: ValueKind, value: Value, reading: Reading): Read {
  if (value === null) return ok(null);
  const zone = reading.locale.timeZone ?? 'UTC';
  const text = String(value);
  if (from.kind === 'dateTime' && to.kind === 'dateTime') return ok(text);
  if (from.kind === 'date' && to.kind === 'dateTime') return ok(instantAt(text, '00:00:00', zone));
  if (from.kind === 'dateTime' && to.kind === 'date') return ok(inZone(text, zone).date);
  if (from.kind === 'dateTime' && to.kind === 'time') return ok(inZone(text, zone).time);
  if (from.kind === 'tick' && isNumber(to)) return readValue(to, value === true ? '1' : '0', reading);
  const number = isNumber(from) ? fromText(text) : null;
  if (number && isNumber(to)) {
    const places = to.kind === 'decimal' || to.kind === 'money' ? to.places : 0;
    const rounded = toText(round(number, places));
    return readValue(to, reading.locale.decimalMark === ',' ? rounded.replace('.', ',') : rounded, reading);
  }
  if (to.kind === 'date' && parseDate(text.trim())) return ok(text.trim());
  return readValue(to, plainText(from, value, reading), reading);
}

/** True for a text that is one date with the day first and another with the month first. */
export function isAmbiguousDate(text: string, reading: Reading): boolean {
  const read = (dateOrder: 'dmy' | 'mdy'): Read =>
    readValue({ kind: 'date' }, text, { ...reading, locale: { ...reading.locale, dateOrder } });
  const [a, b] = [read('dmy'), read('mdy')];
  return a.ok && b.ok && a.value !== b.value;
}
