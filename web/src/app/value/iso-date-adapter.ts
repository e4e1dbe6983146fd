import { Injectable, type Provider } from '@angular/core';
import { DateAdapter, MAT_DATE_FORMATS, MAT_NATIVE_DATE_FORMATS } from '@angular/material/core';
import {
  addDays,
  addMonths,
  BRITISH,
  dateText,
  daysInMonth,
  isDate,
  parseDate,
  parseTime,
  readValue,
  showValue,
  timeText,
  weekday,
  type Civil,
} from '@heathridge/core/values';

/** The first day of a week: Monday (ISO 8601). */
const MONDAY = 1;

const two = (n: number): string => String(n).padStart(2, '0');

/** The day of `2026-11-04T14:30:00`, and its time. */
const dayOf = (date: string): string => date.slice(0, 10);
const timeOf = (date: string): string => date.slice(11);

/**
 * Days and times of day for Material's calendar and clock, as the texts that stand in a file: `2026-11-04`, with
 * `T14:30:00` behind it where it is about a time. No day is ever a point in time of some zone. What is no real day is
 * the empty text.
 */
@Injectable()
export class IsoDateAdapter extends DateAdapter<string, string> {
  /** Making one takes far longer than using it, and every date on a page asks. */
  private readonly formats = new Map<string, Intl.DateTimeFormat>();

  constructor() {
    super();
    super.setLocale('en-GB');
  }

  getYear(date: string): number {
    return this.civil(date).year;
  }

  /** From 0, as the calendar counts. */
  getMonth(date: string): number {
    return this.civil(date).month - 1;
  }

  getDate(date: string): number {
    return this.civil(date).day;
  }

  /** From 0, which is Sunday. */
  getDayOfWeek(date: string): number {
    return weekday(dayOf(date)) % 7;
  }

  getMonthNames(style: 'long' | 'short' | 'narrow'): string[] {
    return Array.from({ length: 12 }, (_, month) => this.word(`2001-${two(month + 1)}-01`, { month: style }));
  }

  getDateNames(): string[] {
    return Array.from({ length: 31 }, (_, day) => String(day + 1));
  }

  getDayOfWeekNames(style: 'long' | 'short' | 'narrow'): string[] {
    // 7 January 2001 was a Sunday.
    return Array.from({ length: 7 }, (_, day) => this.word(`2001-01-${two(7 + day)}`, { weekday: style }));
  }

  getYearName(date: string): string {
    return String(this.getYear(date));
  }

  getFirstDayOfWeek(): number {
    return MONDAY;
  }

  getNumDaysInMonth(date: string): number {
    const { year, month } = this.civil(date);
    return daysInMonth(year, month);
  }

  clone(date: string): string {
    return date;
  }

  createDate(year: number, month: number, day: number): string {
    return dateText({ year, month: month + 1, day });
  }

  today(): string {
    const now = new Date();
    return dateText({ year: now.getFullYear(), month: now.getMonth() + 1, day: now.getDate() });
  }

  /** Reads a day as it is typed. */
  parse(text: unknown): string | null {
    if (typeof text !== 'string' || text.trim() === '') return null;
    const read = readValue({ kind: 'date' }, text, { locale: BRITISH, today: this.today() });
    return read.ok && typeof read.value === 'string' ? read.value : this.invalid();
  }

  /** `options` as for the platform's own formats; without any a day is written as everywhere here. */
  format(date: string, options: unknown): string {
    return typeof options === 'object' && options !== null
      ? this.word(date, options)
      : showValue({ kind: 'date' }, dayOf(date), BRITISH);
  }

  addCalendarYears(date: string, years: number): string {
    return this.addCalendarMonths(date, 12 * years);
  }

  addCalendarMonths(date: string, months: number): string {
    return this.moved(date, addMonths(dayOf(date), months));
  }

  addCalendarDays(date: string, days: number): string {
    return this.moved(date, addDays(dayOf(date), days));
  }

  toIso8601(date: string): string {
    return date;
  }

  isDateInstance(value: unknown): boolean {
    return typeof value === 'string';
  }

  isValid(date: string): boolean {
    return isDate(dayOf(date)) && (date.length === 10 || parseTime(timeOf(date)) !== null);
  }

  invalid(): string {
    return '';
  }

  override deserialize(value: unknown): string | null {
    if (value === null || value === undefined || value === '') return null;
    return typeof value === 'string' && this.isValid(value) ? value : this.invalid();
  }

  override setTime(date: string, hours: number, minutes: number, seconds: number): string {
    return `${dayOf(date)}T${timeText(hours * 3600 + minutes * 60 + seconds)}`;
  }

  override getHours(date: string): number {
    return Math.floor(this.seconds(date) / 3600);
  }

  override getMinutes(date: string): number {
    return Math.floor(this.seconds(date) / 60) % 60;
  }

  override getSeconds(date: string): number {
    return this.seconds(date) % 60;
  }

  /** Reads a time of day as it is typed; it is one of today. */
  override parseTime(text: unknown): string | null {
    if (typeof text !== 'string' || text.trim() === '') return null;
    const read = readValue({ kind: 'time', seconds: true }, text, { locale: BRITISH, today: this.today() });
    if (!read.ok || typeof read.value !== 'string') return this.invalid();
    return this.setTime(this.today(), 0, 0, parseTime(read.value) ?? 0);
  }

  override addSeconds(date: string, seconds: number): string {
    const all = this.seconds(date) + seconds;
    const days = Math.floor(all / 86_400);
    return this.setTime(this.addCalendarDays(date, days), 0, 0, all - days * 86_400);
  }

  private civil(date: string): Civil {
    return parseDate(dayOf(date)) ?? { year: NaN, month: NaN, day: NaN };
  }

  private seconds(date: string): number {
    return parseTime(timeOf(date)) ?? 0;
  }

  /** The same time on another day; beyond the years 1 to 9999 the day that it was. */
  private moved(date: string, day: string | null): string {
    return day === null ? date : day + date.slice(10);
  }

  private word(date: string, options: Intl.DateTimeFormatOptions): string {
    const { year, month, day } = this.civil(date);
    const at = new Date(Date.UTC(2000, month - 1, day, 0, 0, this.seconds(date)));
    at.setUTCFullYear(year);
    const name = JSON.stringify([this.locale, options]);
    const format =
      this.formats.get(name) ?? new Intl.DateTimeFormat(this.locale, { ...options, timeZone: 'UTC' });
    this.formats.set(name, format);
    return format.format(at);
  }
}

/** Calendar and clock over the texts that stand in a file. */
export const provideIsoDates = (): Provider[] => [
  { provide: DateAdapter, useClass: IsoDateAdapter },
  { provide: MAT_DATE_FORMATS, useValue: MAT_NATIVE_DATE_FORMATS },
];
