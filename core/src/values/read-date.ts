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
 * Reads a date that is written out, with day, month and year in one style: `2026-11-04`, `4/11/2026`,
 * `4.11.26`, `4 Nov 2026`, `Wed 4 November 2026`, `Nov 4, 2026`. Nothing is added from today.
 *
 * @returns `YYYY-MM-DD`, or null when the text is not a date
 */
export function readWrittenDate(text: string, locale: Locale): string | null {
  const trimmed = text.trim();
  const named = trimmed.replace(/^\p{L}+\.?,?[ ]+(?=\d|\p{L}+\.? \d)/u, (word) =>
    weekdayNumber(word.replace(/[.,\s]/g, '').toLowerCase()) > 0 ? '' : word,
  );
  const word = '\\p{L}{3,}\\.?';
  const forms = [
    /^\d{1,4}([./-])\d{1,2}\1\d{1,4}$/u,
    new RegExp(`^\\d{1,2}(?:st|nd|rd|th|\\.)?[ -]${word}[ -](?:\\d{4}|\\d{2})$`, 'u'),
    new RegExp(`^${word} \\d{1,2}(?:st|nd|rd|th)?,? \\d{4}$`, 'u'),
  ];
  if (!forms.some((form) => form.test(named))) return null;
  return readDate(named, '2000-01-01', locale);
}
