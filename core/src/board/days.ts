import { addDays, addMonths, dateText, daysBetween, daysInMonth, parseDate, weekday } from '../values';
import type { BoardFilter } from '../design';

/** The days from one to another, both included, as `YYYY-MM-DD`; null where there is no first or last. */
export interface Days {
  readonly from: string | null;
  readonly to: string | null;
}

/** A span of days by its name. */
export type Span = Extract<BoardFilter, { readonly by: 'days' }>['starts'];

/** Spans in the order in which they are offered, with their names for people. */
export const SPAN_LABELS: Readonly<Record<Span, string>> = {
  all: 'all days',
  today: 'today',
  week: 'this week',
  month: 'this month',
  quarter: 'this quarter',
  year: 'this year',
};

/** The days of a span in which a day lies. A week begins on Monday (ISO 8601). */
export function daysOf(span: Span, today: string): Days {
  const day = parseDate(today);
  if (span === 'all' || !day) return { from: null, to: null };
  if (span === 'today') return { from: today, to: today };
  if (span === 'week') {
    const from = addDays(today, 1 - weekday(today));
    return { from, to: from && addDays(from, 6) };
  }
  const months = { month: 1, quarter: 3, year: 12 }[span];
  const month = day.month - ((day.month - 1) % months);
  const from = dateText({ ...day, month, day: 1 });
  const last = month + months - 1;
  return { from, to: dateText({ ...day, month: last, day: daysInMonth(day.year, last) }) };
}

/** Those days as much later or earlier as there are of them: whole months go by months. */
export function shiftedDays({ from, to }: Days, by: 1 | -1): Days {
  const [first, last] = [from && parseDate(from), to && parseDate(to)];
  if (!first || !last || from! > to!) return { from, to };
  if (first.day === 1 && last.day === daysInMonth(last.year, last.month)) {
    const months = (last.year - first.year) * 12 + last.month - first.month + 1;
    const begin = addMonths(from!, by * months);
    const end = begin && addMonths(begin, months);
    return begin && end ? { from: begin, to: addDays(end, -1) } : { from, to };
  }
  const length = daysBetween(from!, to!) + 1;
  const [begin, end] = [addDays(from!, by * length), addDays(to!, by * length)];
  return begin && end ? { from: begin, to: end } : { from, to };
}
