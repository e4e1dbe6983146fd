/** Calendar dates as ISO 8601 `YYYY-MM-DD` texts, years 0001 to 9999, proleptic Gregorian. */

/** Days since 1970-01-01. Source: Howard Hinnant, "chrono-Compatible Low-Level Date Algorithms". */
export function daysFromCivil(year: number, month: number, day: number): number {
  const y = month <= 2 ? year - 1 : year;
  const era = Math.floor(y / 400);
  const yearOfEra = y - era * 400;
  const dayOfYear = Math.floor((153 * (month + (month > 2 ? -3 : 9)) + 2) / 5) + day - 1;
  const dayOfEra = yearOfEra * 365 + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100) + dayOfYear;
  return era * 146097 + dayOfEra - 719468;
}

export interface Civil {
  readonly year: number;
  readonly month: number;
  readonly day: number;
}

/** The inverse of {@link daysFromCivil}; same source. */
export function civilFromDays(days: number): Civil {
  const z = days + 719468;
  const era = Math.floor(z / 146097);
  const dayOfEra = z - era * 146097;
  const yearOfEra = Math.floor(
    (dayOfEra - Math.floor(dayOfEra / 1460) + Math.floor(dayOfEra / 36524) - Math.floor(dayOfEra / 146096)) /
      365,
  );
  const dayOfYear = dayOfEra - (365 * yearOfEra + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100));
  const shifted = Math.floor((5 * dayOfYear + 2) / 153);
  const month = shifted + (shifted < 10 ? 3 : -9);
  const day = dayOfYear - Math.floor((153 * shifted + 2) / 5) + 1;
  return { year: yearOfEra + era * 400 + (month <= 2 ? 1 : 0), month, day };
}

export const isLeapYear = (year: number): boolean => year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);

export function daysInMonth(year: number, month: number): number {
  return month === 2 ? (isLeapYear(year) ? 29 : 28) : [4, 6, 9, 11].includes(month) ? 30 : 31;
}

const pad = (n: number, width: number): string => String(n).padStart(width, '0');

export const dateText = ({ year, month, day }: Civil): string =>
  `${pad(year, 4)}-${pad(month, 2)}-${pad(day, 2)}`;

/** The parts of a real `YYYY-MM-DD` date, or null when the text is not one. */
export function parseDate(text: string): Civil | null {
  const match = /^(\d{4})-(\d{2})-(\d{2})$/.exec(text);
  if (!match) return null;
  const [year, month, day] = match.slice(1).map(Number) as [number, number, number];
  if (year < 1 || month < 1 || month > 12 || day < 1 || day > daysInMonth(year, month)) return null;
  return { year, month, day };
}

export const isDate = (text: string): boolean => parseDate(text) !== null;

const FIRST_DAY = daysFromCivil(1, 1, 1);
const LAST_DAY = daysFromCivil(9999, 12, 31);

/** Days since 1970-01-01 of a date text known to be real; NaN when it is not. */
export function dayNumber(date: string): number {
  const civil = parseDate(date);
  return civil ? daysFromCivil(civil.year, civil.month, civil.day) : NaN;
}

/** The date `days` later; null when it falls outside the years 0001 to 9999. */
export function addDays(date: string, days: number): string | null {
  const day = dayNumber(date) + days;
  return day >= FIRST_DAY && day <= LAST_DAY ? dateText(civilFromDays(day)) : null;
}

/**
 * The date `months` later; a day the month does not have becomes its last day (31 Jan + 1 month is
 * 28 or 29 Feb). Null outside the years 0001 to 9999.
 */
export function addMonths(date: string, months: number): string | null {
  const civil = parseDate(date);
  if (!civil) return null;
  const index = civil.year * 12 + civil.month - 1 + months;
  const year = Math.floor(index / 12);
  const month = index - year * 12 + 1;
  if (year < 1 || year > 9999) return null;
  return dateText({ year, month, day: Math.min(civil.day, daysInMonth(year, month)) });
}

/** Whole days from `from` to `to`, negative when `to` is earlier. */
export const daysBetween = (from: string, to: string): number => dayNumber(to) - dayNumber(from);

/** 1 Monday to 7 Sunday, as ISO 8601 numbers them. */
export const weekday = (date: string): number => ((((dayNumber(date) + 3) % 7) + 7) % 7) + 1;

/** The week of ISO 8601 in which a date lies: its number, and the year it belongs to. */
export function isoWeek(date: string): { readonly year: number; readonly week: number } {
  // The year of a week is that of its Thursday.
  const thursday = dayNumber(date) + 4 - weekday(date);
  const { year } = civilFromDays(thursday);
  return { year, week: Math.floor((thursday - daysFromCivil(year, 1, 1)) / 7) + 1 };
}

const TIME = /^([01]\d|2[0-3]):([0-5]\d)(?::([0-5]\d))?$/;

/** Seconds since midnight of `HH:MM[:SS]`, or null when the text is not a time. */
export function parseTime(text: string): number | null {
  const match = TIME.exec(text);
  if (!match) return null;
  return Number(match[1]) * 3600 + Number(match[2]) * 60 + Number(match[3] ?? 0);
}

export const timeText = (seconds: number): string =>
  [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60].map((n) => pad(n, 2)).join(':');

/**
 * Seconds since 1970-01-01T00:00:00Z of an RFC 3339 date and time (any offset, fractions of a second
 * dropped), or null when the text is not one. A leap second reads as the second that follows it.
 */
export function parseInstant(text: string): number | null {
  const match =
    /^(\d{4}-\d{2}-\d{2})[Tt ](\d{2}):(\d{2}):(\d{2})(?:\.\d+)?(?:([Zz])|([+-])(\d{2}):(\d{2}))$/.exec(text);
  if (!match || !isDate(match[1]!)) return null;
  const [hour, minute, second] = match.slice(2, 5).map(Number) as [number, number, number];
  if (hour > 23 || minute > 59 || second > 60) return null;
  if (Number(match[7] ?? 0) > 23 || Number(match[8] ?? 0) > 59) return null;
  const offset = match[5]
    ? 0
    : (match[6] === '-' ? -1 : 1) * (Number(match[7]) * 3600 + Number(match[8]) * 60);
  return dayNumber(match[1]!) * 86400 + hour * 3600 + minute * 60 + second - offset;
}

/** `YYYY-MM-DDTHH:MM:SSZ`, the form in which instants are kept; null outside years 0001 to 9999. */
export function instantText(seconds: number): string | null {
  const day = Math.floor(seconds / 86400);
  if (day < FIRST_DAY || day > LAST_DAY) return null;
  return `${dateText(civilFromDays(day))}T${timeText(seconds - day * 86400)}Z`;
}
