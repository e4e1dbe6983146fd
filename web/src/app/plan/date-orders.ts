import { options } from '../shared/select.component';

/** The orders in which a date of three numbers may be written. */
export const DATE_ORDERS = options([
  ['dmy', 'day, month, year'],
  ['mdy', 'month, day, year'],
  ['ymd', 'year, month, day'],
] as const);
