import ExcelJS from 'exceljs';
import Papa from 'papaparse';
import { fieldOf, tableOf, valueKind, type Design, type Field, type Table } from '@heathridge/core/design';
import { harmless } from '@heathridge/core/sheet';
import { parseInstant, type Value } from '@heathridge/core/values';
import type { Tell } from '../change/run';
import { countRows, eachRow, type Asked, type SortBy } from '../rows/window';
import type { Connection } from '../store/driver';
import { linesFile } from './rows-file';

export const OUT_FORMS = ['csv', 'xlsx', 'json'] as const;

export type OutForm = (typeof OUT_FORMS)[number];

/** The rows of one table that are taken out. */
export interface TakenOut {
  readonly table: string;
  /** The fields, in the order of the columns. */
  readonly fields: readonly string[];
  readonly asked: Asked;
  readonly sort: readonly SortBy[];
}

export interface TakeOutOrder {
  readonly form: OutForm;
  readonly tables: readonly TakenOut[];
  /** Whether it is the whole file: its tables are then told apart by their names, even where there is one. */
  readonly whole: boolean;
  /** Where the sheet is written. */
  readonly path: string;
}

/** A cell as it travels: see `rowArray`. */
type Travelling = Value | readonly [key: string | number, text: string | null] | { readonly fault: string };

/** A value that is written: a lookup or a file by its text, nothing where it cannot be worked out. */
function plain(cell: Travelling): Value {
  if (cell === null || typeof cell !== 'object') return cell;
  return 'fault' in cell ? null : (cell[1] ?? String(cell[0]));
}

/** Writes the rows that are asked for as a sheet, one after the other: memory does not grow with them. */
export async function takeOut(
  db: Connection,
  design: Design,
  order: TakeOutOrder,
  tell: Tell,
): Promise<number> {
  const book = BOOKS[order.form](order.path, order.whole);
  let rows = 0;
  for (const { table: id, fields: ids, asked, sort } of order.tables) {
    const table = tableOf(design, id);
    const fields = ids.map((field) => fieldOf(table, field)!);
    const all = countRows(db, design, table, asked);
    const writer = book.table(table, fields);
    for (const cells of eachRow(db, design, table, fields, asked, sort)) {
      const waits = writer.row((cells as Travelling[]).map(plain));
      if (waits) await waits;
      if (++rows % TELL_EVERY === 0)
        tell({ step: rows, of: all, what: `Writing ${table.plural.toLowerCase()}` });
    }
    writer.end();
  }
  await book.end();
  return rows;
}

const TELL_EVERY = 1000;

interface TableWriter {
  row(values: readonly Value[]): Promise<void> | undefined;
  end(): void;
}

interface Book {
  table(table: Table, fields: readonly Field[]): TableWriter;
  end(): Promise<void>;
}

const BOOKS: Readonly<Record<OutForm, (path: string, whole: boolean) => Book>> = {
  csv: csvBook,
  json: jsonBook,
  xlsx: workbook,
};

const isText = ({ type }: Field): boolean => {
  const { kind } = valueKind(type);
  return (
    kind === 'text' ||
    kind === 'longText' ||
    kind === 'choice' ||
    kind === 'lookup' ||
    kind === 'file' ||
    kind === 'picture'
  );
};

/** RFC 4180, in UTF-8 with its mark, by which spreadsheets know it; no text of it is run as a formula. */
function csvBook(path: string): Book {
  const file = linesFile(path);
  const line = (cells: string[]): string => `${Papa.unparse([cells])}\r`;
  return {
    table(_, fields) {
      const texts = fields.map(isText);
      void file.add(`\ufeff${line(fields.map(({ label }) => harmless(label)))}`);
      return {
        row: (values) =>
          file.add(
            line(
              values.map((value, i) => {
                if (value === null) return '';
                if (typeof value === 'boolean') return value ? 'yes' : 'no';
                return texts[i] ? harmless(String(value)) : String(value);
              }),
            ),
          ),
        end: () => undefined,
      };
    },
    end: () => file.end(),
  };
}

/**
 * An array of objects (RFC 8259), a line each: numbers with all their digits, dates as ISO 8601. Of a whole file it
 * is an object with such an array for each table, by its name.
 */
function jsonBook(path: string, whole: boolean): Book {
  const file = linesFile(path);
  let between = '{';
  return {
    table({ name }, fields) {
      const names = fields.map((field) => JSON.stringify(field.name));
      const numbers = fields.map(({ type }) => ['decimal', 'money'].includes(valueKind(type).kind));
      if (whole) void file.add(`${between}${JSON.stringify(name)}:`);
      between = ',';
      let before = '[';
      return {
        row(values) {
          const members = values.map(
            (value, i) =>
              `${names[i]}: ${numbers[i] && value !== null ? String(value) : JSON.stringify(value)}`,
          );
          const text = `${before}{${members.join(', ')}}`;
          before = ',';
          return file.add(text);
        },
        end: () => void file.add(before === '[' ? '[]' : ']'),
      };
    },
    end() {
      if (whole) void file.add(between === '{' ? '{}' : '}');
      return file.end();
    },
  };
}

/** The first day of a workbook's calendar that all programs agree about (ECMA-376, 18.17.4.1), and its last. */
const [FIRST_DAY, LAST_DAY] = ['1900-03-01', '9999-12-31'];

/** What a workbook holds for a value: numbers and dates as such, so that they can be worked with. */
function workbookCell({ type }: Field, value: Value): ExcelJS.CellValue {
  if (value === null) return null;
  switch (valueKind(type).kind) {
    case 'decimal':
    case 'money':
    case 'wholeNumber':
    case 'runningNumber':
      return Number(value);
    case 'date':
      return String(value) >= FIRST_DAY && String(value) <= LAST_DAY
        ? new Date(`${String(value)}T00:00:00Z`)
        : value;
    case 'dateTime': {
      const seconds = parseInstant(String(value));
      return seconds === null ? value : new Date(seconds * 1000);
    }
    case 'time': {
      const [hour = 0, minute = 0, second = 0] = String(value).split(':').map(Number);
      return (hour * 3600 + minute * 60 + second) / 86_400;
    }
    default:
      return value;
  }
}

function formatOf({ type }: Field): string | undefined {
  const kind = valueKind(type);
  switch (kind.kind) {
    case 'date':
      return 'yyyy-mm-dd';
    case 'dateTime':
      return 'yyyy-mm-dd hh:mm:ss';
    case 'time':
      return 'hh:mm:ss';
    case 'decimal':
    case 'money':
      return kind.places === 0 ? '#,##0' : `#,##0.${'0'.repeat(kind.places)}`;
    default:
      return undefined;
  }
}

/** A name that a sheet of a workbook can have (ECMA-376, 18.2.19: 31 characters, none of seven signs), told apart. */
function sheetName(name: string, taken: Set<string>): string {
  const plain = [...name.replace(/[\\/*?:[\]]/g, ' ')].slice(0, 31).join('').trim() || 'Rows';
  let free = plain;
  for (let n = 2; taken.has(free.toLowerCase()); n++) free = `${[...plain].slice(0, 26).join('')} ${n}`;
  taken.add(free.toLowerCase());
  return free;
}

function workbook(path: string): Book {
  const book = new ExcelJS.stream.xlsx.WorkbookWriter({
    filename: path,
    useStyles: true,
    useSharedStrings: false,
  });
  const taken = new Set<string>();
  return {
    table({ plural }, fields) {
      const sheet = book.addWorksheet(sheetName(plural, taken), { views: [{ state: 'frozen', ySplit: 1 }] });
      sheet.columns = fields.map((field) => {
        const numFmt = formatOf(field);
        return {
          header: field.label,
          width: Math.max(10, Math.min(40, field.label.length + 4)),
          ...(numFmt ? { style: { numFmt } } : {}),
        };
      });
      sheet.getRow(1).font = { bold: true };
      return {
        row(values) {
          sheet.addRow(values.map((value, i) => workbookCell(fields[i]!, value))).commit();
          return undefined;
        },
        end: () => sheet.commit(),
      };
    },
    end: () => book.commit(),
  };
}
