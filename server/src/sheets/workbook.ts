import ExcelJS from 'exceljs';
import { open, type ZipFile } from 'yauzl';
import type { Cell } from '@heathridge/core/sheet';
import type { Batch } from './rows-file';
import { SheetError } from './sheet-error';

/** Bytes that a workbook may have unpacked, and how many times its size: what unpacks to more is meant to harm. */
const MOST_UNPACKED = 2 * 1024 ** 3;
const MOST_RATIO = 300;
const SMALL = 32 * 1024 ** 2;

const notRead = (error: Error): SheetError =>
  new SheetError(`This is no workbook that can be read: ${error.message}.`);

/** Throws a SheetError for what is no ZIP archive, no workbook, or would unpack to more than is sensible. */
export async function checkWorkbook(path: string): Promise<void> {
  const zip = await new Promise<ZipFile>((resolve, reject) =>
    open(path, { lazyEntries: true, autoClose: true }, (error, file) =>
      error ? reject(notRead(error)) : resolve(file),
    ),
  );
  let [unpacked, packed, isWorkbook] = [0, 0, false];
  await new Promise<void>((resolve, reject) => {
    zip.on('entry', ({ fileName, uncompressedSize, compressedSize }) => {
      unpacked += uncompressedSize;
      packed += compressedSize;
      isWorkbook ||= fileName === 'xl/workbook.xml';
      zip.readEntry();
    });
    zip.on('end', resolve);
    zip.on('error', (error: Error) => reject(notRead(error)));
    zip.readEntry();
  });
  if (!isWorkbook) throw new SheetError('This archive is no workbook: there is no sheet in it.');
  if (unpacked > MOST_UNPACKED || (unpacked > SMALL && unpacked > packed * MOST_RATIO))
    throw new SheetError(
      `This workbook would unpack to ${Math.round(unpacked / 1024 ** 2).toLocaleString('en-GB')} MB, far more than a sheet needs: it is not read.`,
    );
}

const two = (number: number): string => String(number).padStart(2, '0');

/** A date of a workbook, whose clock has no zone: as a date, a time, or both. */
function dateText(date: Date): string {
  if (Number.isNaN(date.getTime())) return '';
  const time = `${two(date.getUTCHours())}:${two(date.getUTCMinutes())}:${two(date.getUTCSeconds())}`;
  const year = date.getUTCFullYear();
  // A time alone counts from the day before all days (ECMA-376, 18.17.4: serial 0).
  if (year < 1900) return time;
  const day = `${String(year).padStart(4, '0')}-${two(date.getUTCMonth() + 1)}-${two(date.getUTCDate())}`;
  return time === '00:00:00' ? day : `${day} ${time}`;
}

/** What a cell of a workbook holds: a formula by the value that was worked out, a rich text by its letters. */
function cellOf(value: ExcelJS.CellValue | undefined): Cell {
  if (value === null || value === undefined) return null;
  if (typeof value !== 'object') return value;
  if (value instanceof Date) return dateText(value);
  if ('richText' in value) return value.richText.map(({ text }) => text).join('');
  if ('error' in value) return String(value.error);
  if ('formula' in value || 'sharedFormula' in value)
    return cellOf((value as ExcelJS.CellFormulaValue).result as ExcelJS.CellValue);
  if ('text' in value) return cellOf(value.text as ExcelJS.CellValue);
  return null;
}

const readerOf = (path: string): ExcelJS.stream.xlsx.WorkbookReader =>
  new ExcelJS.stream.xlsx.WorkbookReader(path, {
    worksheets: 'emit',
    sharedStrings: 'cache',
    styles: 'cache',
    hyperlinks: 'ignore',
    entries: 'ignore',
  });

const ROWS_AT_ONCE = 500;

/** The names of a workbook's sheets, and the rows of one of them, told by its place. */
export async function* workbookRows(
  path: string,
  worksheet: number,
  named: (name: string) => void,
): AsyncGenerator<Batch> {
  await checkWorkbook(path);
  try {
    let at = 0;
    for await (const sheet of readerOf(path)) {
      // The reader knows the name, its types do not.
      named(String((sheet as unknown as { name?: string }).name ?? `Sheet ${at + 1}`));
      const isWanted = at++ === worksheet;
      let rows: Batch['rows'][number][] = [];
      for await (const row of sheet) {
        if (!isWanted) continue;
        const cells: Cell[] = [];
        row.eachCell({ includeEmpty: true }, (cell, column) => (cells[column - 1] = cellOf(cell.value)));
        if (cells.some((cell) => cell !== null && cell !== '')) rows.push({ line: row.number, cells });
        if (rows.length < ROWS_AT_ONCE) continue;
        yield { rows };
        rows = [];
      }
      yield { rows };
    }
  } catch (error) {
    throw error instanceof SheetError ? error : notRead(error as Error);
  }
}
