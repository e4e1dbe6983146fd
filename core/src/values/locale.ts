/** How an office writes numbers and dates. One per file; everything people see follows it. */
export interface Locale {
  readonly decimalMark: '.' | ',';
  readonly groupMark: ',' | '.' | ' ' | '’' | '';
  /** Written before the amount when it is a sign (`£`), after it with a space when it is a code. */
  readonly currency: string;
  /** The order in which a date of three numbers is read. */
  readonly dateOrder: 'dmy' | 'mdy' | 'ymd';
  /** The IANA time zone by whose clocks dates with a time are read and shown; UTC without one. */
  readonly timeZone?: string | undefined;
}

export const BRITISH: Locale = {
  decimalMark: '.',
  groupMark: ',',
  currency: '£',
  dateOrder: 'dmy',
};

const MONTHS = [
  'january',
  'february',
  'march',
  'april',
  'may',
  'june',
  'july',
  'august',
  'september',
  'october',
  'november',
  'december',
] as const;

const WEEKDAYS = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'] as const;

const begins = (names: readonly string[], text: string): number =>
  text.length < 3 ? -1 : names.findIndex((name) => name.startsWith(text.toLowerCase()));

/** 1 to 12 for a month's name or its first three or more letters, 0 when it is none. */
export const monthNumber = (text: string): number => begins(MONTHS, text) + 1;

/** 1 (Monday) to 7 for a weekday's name or its first three or more letters, 0 when it is none. */
export const weekdayNumber = (text: string): number => begins(WEEKDAYS, text) + 1;

const capital = (name: string): string => name.charAt(0).toUpperCase() + name.slice(1);

/** `November` for 11. */
export const monthName = (month: number): string => capital(MONTHS[month - 1] ?? '');

/** `Nov` for 11. */
export const monthShort = (month: number): string => monthName(month).slice(0, 3);

/** `Mon` for 1. */
export const weekdayShort = (day: number): string => capital(WEEKDAYS[day - 1] ?? '').slice(0, 3);
