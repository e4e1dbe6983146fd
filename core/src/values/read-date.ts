import { addDays, dateText, parseDate, weekday } from './dates';
import { monthNumber, weekdayNumber, type Locale } from './locale';

/**
 * Reads a date as people type it: `today`, `tomorrow`, `yesterday`, `+7`, `-3` (days from today),
 * `fri` (the next one, today included), `4 nov`, `nov 4`, `4 nov 2026`, `4/11/26`, `4.11.`, `4`,
 * or ISO `2026-11-04`. A date without a year takes this year; two digits mean 1930 to 2029.
 *
 * @param today the date to reckon from, `YYYY-MM-DD`
 * @returns `YYYY-MM-DD`, or null when the text is not a date
 */
export function readDate(text: string, today: string, locale: Locale): string | null {
  const typed = text.trim().toLowerCase().replace(/\s+/g, ' ');
  const now = parseDate(today);
  if (!now || typed === '') return null;
  if (typed === 'today') return today;
  if (typed === 'tomorrow') return addDays(today, 1);
  if (typed === 'yesterday') return addDays(today, -1);
  if (/^[+-]\d{1,6}$/.test(typed)) return addDays(today, Number(typed));
  if (parseDate(typed)) return typed;

  const day = weekdayNumber(typed);
  if (day > 0) return addDays(today, (day - weekday(today) + 7) % 7);

  const parts = typed.split(/[\s,./-]+/).filter((part) => part !== '');
  if (parts.length === 0 || parts.length > 3) return null;
  const named = parts.findIndex((part) => monthNumber(part) > 0);
  let year: string | undefined;
  let month: string | undefined;
  let date: string | undefined;
  if (named >= 0) {
    const rest = parts.filter((_, i) => i !== named);
    month = String(monthNumber(parts[named]!));
    [date, year] = rest[0]?.length === 4 ? [rest[1], rest[0]] : [rest[0], rest[1]];
    date = date?.replace(/(st|nd|rd|th)$/, '');
  } else if (parts[0]!.length === 4) {
    [year, month, date] = parts;
  } else if (parts.length === 1) {
    [date] = parts;
  } else if (locale.dateOrder === 'mdy') {
    [month, date, year] = parts;
  } else if (locale.dateOrder === 'ymd' && parts.length === 3) {
    [year, month, date] = parts;
  } else if (locale.dateOrder === 'ymd') {
    [month, date] = parts;
  } else {
    [date, month, year] = parts;
  }
  const digits = (part: string | undefined, most: number): number | null =>
    part !== undefined && /^\d+$/.test(part) && part.length <= most ? Number(part) : null;
  const d = digits(date, 2);
  const m = month === undefined ? now.month : digits(month, 2);
  let y = year === undefined ? now.year : digits(year, 4);
  if (d === null || m === null || y === null || year?.length === 3 || year?.length === 1) return null;
  if (year?.length === 2) y += y < 30 ? 2000 : 1900;
  const result = dateText({ year: y, month: m, day: d });
  return parseDate(result) ? result : null;
}

/**
 * Reads the other forms of a date of ISO 8601: the basic one, week dates and ordinal dates, each with hyphens or
 * without (`20261104`, `2026-W45-3`, `2026W453`, `2026-308`, `2026308`).
 *
 * @returns `YYYY-MM-DD`, or null for anything else, and for a week or day that the year does not have
 */
export function standardDate(text: string): string | null {
  const basic = /^(\d{4})(\d{2})(\d{2})$/.exec(text);
  if (basic) {
    const date = `${basic[1]}-${basic[2]}-${basic[3]}`;
    return parseDate(date) ? date : null;
  }
  const week = /^(\d{4})(-?)W(\d{2})\2([1-7])$/.exec(text);
  if (week) {
    const [year, number, day] = [week[1]!, Number(week[3]), Number(week[4])];
    // The fourth of January is always in the first week, which begins on a Monday.
    const first = -(weekday(`${year}-01-04`) - 1);
    const inWeek = (of: number): string | null => addDays(`${year}-01-04`, first + (number - 1) * 7 + of - 1);
    // A week belongs to the year of its Thursday.
    return number >= 1 && inWeek(4)?.startsWith(year) ? inWeek(day) : null;
  }
  const ordinal = /^(\d{4})-?(\d{3})$/.exec(text);
  if (!ordinal || ordinal[2] === '000') return null;
  const date = addDays(`${ordinal[1]}-01-01`, Number(ordinal[2]) - 1);
  return date?.startsWith(ordinal[1]!) ? date : null;
}

/** Characters of the longest way to write a date. */
const MOST_WRITTEN = 60;
const WORD = '\\p{L}{3,}\\.?';
/** How dates are written out: numbers with one sign between, or the month as a word. */
const WRITTEN = [
  /^\d{1,4}([./-])\d{1,2}\1\d{1,4}$/u,
  new RegExp(`^\\d{1,2}(?:st|nd|rd|th|\\.)?[ -]${WORD}[ -](?:\\d{4}|\\d{2})$`, 'u'),
  new RegExp(`^${WORD} \\d{1,2}(?:st|nd|rd|th)?,? \\d{4}$`, 'u'),
];

/**
 * Reads a date that is written out, with day, month and year in one style: `2026-11-04`, `4/11/2026`,
 * `4.11.26`, `4 Nov 2026`, `Wed 4 November 2026`, `Nov 4, 2026`, or in another form of ISO 8601. Nothing is added
 * from today.
 *
 * @returns `YYYY-MM-DD`, or null when the text is not a date
 */
export function readWrittenDate(text: string, locale: Locale): string | null {
  const trimmed = text.trim();
  if (trimmed.length > MOST_WRITTEN || !/\d/.test(trimmed)) return null;
  if (/^\d{4}-\d\d-\d\d$/.test(trimmed)) return parseDate(trimmed) ? trimmed : null;
  const standard = standardDate(trimmed);
  if (standard) return standard;
  const named = trimmed.replace(/^\p{L}+\.?,?[ ]+(?=\d|\p{L}+\.? \d)/u, (word) =>
    weekdayNumber(word.replace(/[.,\s]/g, '').toLowerCase()) > 0 ? '' : word,
  );
  if (!WRITTEN.some((form) => form.test(named))) return null;
  return readDate(named, '2000-01-01', locale);
}
