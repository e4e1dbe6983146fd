import type { FieldType } from '../design';
import { valueKind } from '../design';
import { fromText, readValue, toText, type Locale, type Read } from '../values';

/**
 * A cell of a sheet as it came: a text, or what its file says it is (a number, a tick). Dates of such files are
 * texts of ISO 8601. Empty is null.
 */
export type Cell = string | number | boolean | null;

/** How the texts of one column are read. */
export interface ColumnStyle {
  readonly decimalMark: '.' | ',';
  readonly dateOrder: Locale['dateOrder'];
}

/** Digits of a number in a spreadsheet that are meant: it keeps 15 of them (common practice of the trade). */
const DIGITS = 15;

/** A number of a sheet with the digits that are meant, without an exponent: `0.1 + 0.2` gives `0.3`. */
export function numberText(number: number): string {
  const text = String(Number(number.toPrecision(DIGITS)));
  const match = /^(-?)(\d+)(?:\.(\d+))?e([+-]\d+)$/.exec(text);
  if (!match) return text;
  const [, sign, whole, fraction = '', exponent] = match;
  const places = fraction.length - Number(exponent);
  const units = BigInt(`${sign}${whole}${fraction}`);
  return places >= 0 ? toText({ units, scale: places }) : String(units * 10n ** BigInt(-places));
}

/** The text of a cell as people see it. */
export const cellText = (cell: Cell): string =>
  cell === null ? '' : typeof cell === 'number' ? numberText(cell) : String(cell);

/** The locale by which the texts of a column are read: its marks and order, the office's currency and clock. */
export const localeFor = (style: ColumnStyle, office: Locale): Locale => ({
  ...office,
  decimalMark: style.decimalMark,
  groupMark: style.decimalMark === '.' ? ',' : '.',
  dateOrder: style.dateOrder,
});

/**
 * Reads cells of one column as values of a field. What came as a number is one whatever marks the office writes; a
 * text counts as what is written out: nothing is added from today.
 */
export function readingOf(type: FieldType, locale: Locale, today: string): (cell: Cell) => Read {
  const kind = valueKind(type);
  const reading = { locale, today, written: true };
  const plain = { ...reading, locale: { ...locale, decimalMark: '.', groupMark: '' } as const };
  return (cell) => {
    if (typeof cell !== 'number') return readValue(kind, cellText(cell), reading);
    const text = numberText(cell);
    // What works out to more places than the field has is rounded only where that loses nothing that was meant.
    const number = fromText(text);
    return readValue(kind, number ? toText(number) : text, plain);
  };
}

/** Reads one cell, see {@link readingOf}. */
export const readCell = (type: FieldType, cell: Cell, locale: Locale, today: string): Read =>
  readingOf(type, locale, today)(cell);
