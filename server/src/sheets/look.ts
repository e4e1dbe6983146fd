import { existsSync, openSync, readFileSync, readSync, closeSync, writeFileSync } from 'node:fs';
import {
  Census,
  cellText,
  headingRow,
  headingsOf,
  MOST_COLUMNS,
  soughtText,
  WHY_NOT,
  type Cell,
  type SheetColumn,
  type SheetForm,
  type SheetStyle,
} from '@heathridge/core/sheet';
import type { Design } from '@heathridge/core/design';
import type { Tell } from '../change/run';
import type { Connection } from '../store/driver';
import { beginning, delimiterOf, delimitedRows } from './delimited';
import { encodingOf } from './encoding';
import { partsOf } from './folder';
import { jsonRows } from './json-rows';
import { countOf, shownKeys } from '../rows/named-rows';
import { keptRows, linesFile, type Batch } from './rows-file';
import { SheetError } from './sheet-error';
import { workbookRows } from './workbook';

export interface LookOrder {
  readonly folder: string;
  readonly name: string;
  readonly form: SheetForm;
  readonly bytes: number;
  /** What somebody has chosen; the rest is guessed. */
  readonly style: Partial<SheetStyle>;
}

/** What a sheet is, and what its columns hold. */
export interface Look {
  readonly style: SheetStyle;
  /** The names of a workbook's sheets. */
  readonly worksheets: readonly string[];
  /** Rows below the headings. */
  readonly rows: number;
  /** Rows with fewer or more cells than there are columns, and the line of the first. */
  readonly shorter: { readonly rows: number; readonly line: number };
  readonly longer: { readonly rows: number; readonly line: number };
  readonly columns: readonly SheetColumn[];
  /** The first rows, long texts cut. */
  readonly first: readonly { readonly line: number; readonly cells: readonly Cell[] }[];
}

const FIRST_ROWS = 30;
const HEAD_ROWS = 200;
const MOST_SHOWN = 200;

/** The form of a sheet by its first bytes, and the ending of its name. Throws a SheetError for what is none. */
export function formOf(path: string, name: string): SheetForm {
  const head = Buffer.alloc(512);
  const file = openSync(path, 'r');
  const length = readSync(file, head, 0, head.length, 0);
  closeSync(file);
  if (length === 0) throw new SheetError('This sheet is empty: there is not one byte in it.');
  if (head.readUInt32BE(0) === 0x504b0304) return 'xlsx';
  if (head.readUInt32BE(0) === 0xd0cf11e0)
    throw new SheetError(
      'This is a workbook of the old format (.xls). Open it, save it as .xlsx or CSV, and bring in that.',
    );
  const text = head
    .subarray(0, length)
    .toString('latin1')
    .replace(/^\u00ef\u00bb\u00bf/, '')
    .trimStart();
  const isJson =
    /\.(json|jsonl|ndjson|geojson)$/i.test(name) || /^\[\s*[[{]/.test(text) || /^\{\s*"/.test(text);
  return isJson && /^[[{]/.test(text) ? 'json' : 'delimited';
}

/** Takes a sheet apart into rows, looks at every value of it, and keeps the rows for what follows. */
export async function lookAtSheet(
  db: Connection,
  design: Design,
  order: LookOrder,
  tell: Tell,
): Promise<Look> {
  const parts = partsOf(order.folder);
  const { form } = order;
  const encoding = order.style.encoding ?? (form === 'xlsx' ? 'utf-8' : await encodingOf(parts.came));
  const delimiter =
    order.style.delimiter ??
    (form === 'delimited' ? delimiterOf(await beginning(parts.came, encoding)) : ',');
  const style: SheetStyle = {
    encoding,
    delimiter,
    worksheet: order.style.worksheet ?? 0,
    heading: order.style.heading ?? 0,
  };
  const worksheets: string[] = [];
  let names: readonly string[] | null = null;
  let read = 0;
  const reading = (bytes: number): void => void (read += bytes);
  const source: AsyncGenerator<Batch> =
    form === 'xlsx'
      ? workbookRows(parts.came, style.worksheet, (name) => worksheets.push(name))
      : form === 'json'
        ? jsonRows(parts.came, encoding, reading, (all) => (names = all))
        : delimitedRows(parts.came, style, reading);
  const kept = linesFile(parts.rows);
  let rows = 0;
  for await (const batch of source) {
    for (const { line, cells } of batch.rows) {
      rows++;
      if (cells.length > MOST_COLUMNS)
        throw new SheetError(
          `Line ${line} has ${cells.length.toLocaleString('en-GB')} columns; a table has at most ${MOST_COLUMNS}. Leave out those that are not wanted, or choose another delimiter.`,
        );
      const waits = kept.add(JSON.stringify([line, ...cells]));
      if (waits) await waits;
    }
    tell({ step: rows, of: 0, what: `Reading: ${rows.toLocaleString('en-GB')} rows so far` });
  }
  await kept.end();
  if (rows === 0) throw new SheetError('This sheet has no row in it.');
  const look = await census(
    db,
    design,
    parts.rows,
    { ...style, heading: order.style.heading ?? -1 },
    names,
    rows,
    tell,
  );
  const result: Look = { ...look, worksheets };
  writeFileSync(parts.look, JSON.stringify(result));
  return result;
}

async function census(
  db: Connection,
  design: Design,
  path: string,
  style: SheetStyle,
  names: readonly string[] | null,
  all: number,
  tell: Tell,
): Promise<Omit<Look, 'worksheets'>> {
  const head: { line: number; cells: readonly Cell[] }[] = [];
  let width = 0;
  let heading = names ? 0 : style.heading;
  let headings: string[] = [];
  let columns: Census[] = [];
  const first: Look['first'][number][] = [];
  const shorter = { rows: 0, line: 0 };
  const longer = { rows: 0, line: 0 };
  let rows = 0;
  const begin = (): void => {
    if (heading < 0) {
      const found = headingRow(head.map(({ cells }) => cells));
      heading = found > 0 ? head[found - 1]!.line : 0;
    }
    const named = names ?? (heading > 0 ? (head.find(({ line }) => line === heading)?.cells ?? []) : null);
    const below = head.filter(({ line }) => line > heading);
    const filled = (cells: readonly Cell[]): number => {
      let length = cells.length;
      while (length > 0 && cellText(cells[length - 1] ?? null).trim() === '') length--;
      return length;
    };
    // As wide as the headings, or as most rows are where those go on beyond them.
    const widths = below.map(({ cells }) => filled(cells)).sort((a, b) => a - b);
    const usual = widths[Math.floor(widths.length / 2)] ?? 0;
    width = named ? Math.max(filled(named), usual) : Math.max(1, ...widths);
    headings = headingsOf(named, width);
    columns = headings.map(() => new Census());
    below.forEach(count);
  };
  const count = ({ line, cells }: { line: number; cells: readonly Cell[] }): void => {
    rows++;
    if (cells.length < width && !names) note(shorter, line);
    else if (cells.slice(width).some((cell) => cellText(cell).trim() !== '')) note(longer, line);
    for (let i = 0; i < width; i++) columns[i]!.add(cells[i] ?? null);
    if (first.length < FIRST_ROWS)
      first.push({
        line,
        cells: Array.from({ length: width }, (_, i) => {
          const cell = cells[i] ?? null;
          return typeof cell === 'string' && cell.length > MOST_SHOWN
            ? `${cell.slice(0, MOST_SHOWN)}…`
            : cell;
        }),
      });
  };
  let begun = false;
  for await (const batch of keptRows(path)) {
    for (const row of batch.rows) {
      if (begun) count(row);
      else if (head.push(row) >= HEAD_ROWS && row.line > heading) {
        begin();
        begun = true;
      }
    }
    tell({ step: rows, of: all, what: 'Looking at the values' });
  }
  if (!begun) begin();
  if (rows === 0) throw new SheetError('There is no row below the headings of this sheet.');
  tell({ step: rows, of: all, what: 'Looking for tables that are named in it' });
  const found = namedTables(db, design, columns);
  return {
    style: { ...style, heading: Math.max(0, heading) },
    rows,
    shorter,
    longer,
    first,
    columns: columns.map((column, i) => ({
      heading: headings[i]!,
      facts: column.facts(),
      lookups: found[i]!,
    })),
  };
}

const note = (of: { rows: number; line: number }, line: number): void => {
  if (of.rows++ === 0) of.line = line;
};

/** Rows of a table that are read to find which are named. */
const MOST_ROWS = 200_000;
/** The part of a column's rows that must name rows of a table for it to be told. */
const SOME = 0.3;

/** For each column the tables whose rows its texts name. */
function namedTables(db: Connection, design: Design, columns: readonly Census[]): SheetColumn['lookups'][] {
  const texts = columns.map((column) => {
    const { dates, numbers, filled, more } = column.facts();
    if (filled === 0 || more || dates.dmy + dates.mdy > filled / 2 || numbers.point > filled / 2) return null;
    return [...column.values()].map(([text, many]) => [soughtText(text), many] as const);
  });
  const found = columns.map((): SheetColumn['lookups'][number][] => []);
  if (texts.every((list) => list === null)) return found;
  for (const table of design.tables) {
    if (table.key.length !== 1 || countOf(db, table) > MOST_ROWS) continue;
    const keys = shownKeys(db, design, { kind: 'lookup', table: table.id, shows: null, onDelete: 'refuse' });
    texts.forEach((list, i) => {
      if (!list) return;
      const sum = (of: typeof list): number => of.reduce((all, [, many]) => all + many, 0);
      const [named, all] = [sum(list.filter(([text]) => keys.alike.has(text))), sum(list)];
      if (named > 0 && named >= all * SOME) found[i]!.push({ table: table.id, found: named, of: all });
    });
  }
  return found.map((list) => list.sort((a, b) => b.found - a.found));
}

/** The rows of a sheet that stand below its headings, as they were kept; an apostrophe that made a text harmless goes. */
export const lookOf = (folder: string): Look | null => {
  const { look } = partsOf(folder);
  return existsSync(look) ? (JSON.parse(readFileSync(look, 'utf8')) as Look) : null;
};

/** Whether a sheet is one of rows that were not taken, as we write it. */
export const isReturned = ({ columns }: Look): boolean => columns[0]?.heading === WHY_NOT;
