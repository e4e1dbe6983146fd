import * as v from 'valibot';
import { Id, Table } from '../design';

/** Encodings in which a sheet can be read, by the names of the WHATWG's Encoding Standard, for people. */
export const SHEET_ENCODINGS = {
  'utf-8': 'UTF-8',
  'utf-16le': 'UTF-16 (little endian)',
  'utf-16be': 'UTF-16 (big endian)',
  'windows-1252': 'Western European (Windows-1252, Latin-1)',
  'iso-8859-15': 'Western European (ISO 8859-15, Latin-9)',
  'windows-1250': 'Central European (Windows-1250)',
  'windows-1251': 'Cyrillic (Windows-1251)',
  macintosh: 'Western European (Mac OS Roman)',
} as const;

export type SheetEncoding = keyof typeof SHEET_ENCODINGS;

export const DELIMITERS = { ',': 'comma', ';': 'semicolon', '\t': 'tab', '|': 'vertical bar' } as const;

export type Delimiter = keyof typeof DELIMITERS;

/** What a sheet is made of. */
export const SHEET_FORMS = ['delimited', 'xlsx', 'json'] as const;

export type SheetForm = (typeof SHEET_FORMS)[number];

/** Columns and rows of a sheet that are read. */
export const MOST_COLUMNS = 300;
export const MOST_HEADING_ROW = 100;

const names = <T extends object>(of: T): [keyof T & string, ...(keyof T & string)[]] =>
  Object.keys(of) as [keyof T & string, ...(keyof T & string)[]];

/** How a sheet is taken apart into cells. */
export const SheetStyle = v.object({
  encoding: v.picklist(names(SHEET_ENCODINGS)),
  delimiter: v.picklist(names(DELIMITERS)),
  /** The sheet of a workbook that has several, counted from 0. */
  worksheet: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(500)),
  /** The line of the headings, or row of a workbook, counted from 1; 0 for none. */
  heading: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(MOST_HEADING_ROW)),
});

export type SheetStyle = v.InferOutput<typeof SheetStyle>;

const Instead = v.pipe(
  v.record(v.pipe(v.string(), v.maxLength(500)), v.pipe(v.string(), v.maxLength(500))),
  v.maxEntries(2000, 'At most 2,000 texts are read in place of others.'),
);

export const BroughtColumn = v.object({
  /** The column of the sheet, from 0, and the field that takes it. */
  column: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(MOST_COLUMNS - 1)),
  field: Id,
  decimalMark: v.picklist(['.', ',']),
  /** Null where it cannot be told from the sheet: somebody has to say. */
  dateOrder: v.nullable(v.picklist(['dmy', 'mdy', 'ymd'])),
  /** What becomes of a row whose lookup names a row that is not there. */
  missing: v.optional(v.picklist(['refuse', 'empty', 'add']), 'refuse'),
  /** What becomes of a row whose value cannot be read. */
  unread: v.optional(v.picklist(['refuse', 'empty']), 'refuse'),
  /** Texts to read in place of others. */
  instead: v.optional(Instead, {}),
});

export type BroughtColumn = v.InferOutput<typeof BroughtColumn>;

/** How often what came from an address is fetched again. */
export const TURNS = ['asked', 'hour', 'day'] as const;

/** That a sheet is to be fetched again from where it came: its rows are then those of an outside source. */
export const Again = v.object({
  every: v.picklist(TURNS),
  /** What becomes of rows that the source does not name any more. */
  gone: v.picklist(['stay', 'go']),
});

export type Again = v.InferOutput<typeof Again>;

/** What is to become of a sheet. */
export const BringPlan = v.object({
  style: SheetStyle,
  into: v.variant('table', [
    v.object({ table: v.literal('known'), id: Id }),
    v.object({ table: v.literal('new'), made: Table }),
  ]),
  columns: v.pipe(v.array(BroughtColumn), v.maxLength(MOST_COLUMNS)),
  /** Whether rows are added, rows that are there already changed, or both. */
  mode: v.picklist(['add', 'update', 'both']),
  /** The fields by which a row that is there is told; not asked for where rows are only added. */
  match: v.pipe(v.array(Id), v.maxLength(16)),
  /** What an empty cell does to a row that is there. */
  blanks: v.picklist(['leave', 'empty']),
  again: v.optional(Again),
});

export type BringPlan = v.InferOutput<typeof BringPlan>;

/** A way of bringing in that is remembered for sheets with the same headings. */
export const Remembered = v.object({
  columns: BringPlan.entries.columns,
  mode: BringPlan.entries.mode,
  match: BringPlan.entries.match,
  blanks: BringPlan.entries.blanks,
});

export type Remembered = v.InferOutput<typeof Remembered>;
