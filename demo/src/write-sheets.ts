import { writeFileSync } from 'node:fs';
import ExcelJS from 'exceljs';
import Papa from 'papaparse';
import { playersSheet } from './spreadsheet';

// Writes the spreadsheet of players that comes with the demo, as CSV and as a workbook.
const folder = new URL('../sheets/', import.meta.url);
const rows = playersSheet();
const asText = rows.map((row) => row.map((cell) => (typeof cell === 'object' ? cell.date : cell)));
writeFileSync(new URL('players.csv', folder), `${Papa.unparse(asText, { newline: '\r\n' })}\r\n`);

const book = new ExcelJS.Workbook();
book.created = book.modified = new Date('2026-11-20T12:00:00Z');
const sheet = book.addWorksheet('Players');
sheet.columns = [16, 14, 26, 14, 16, 32, 10, 8, 12].map((width) => ({ width }));
for (const row of rows)
  sheet.addRow(
    row.map((cell) =>
      cell === '' ? null : typeof cell === 'object' ? new Date(`${cell.date}T00:00:00Z`) : cell,
    ),
  );
sheet.getColumn(4).numFmt = 'dd/mm/yyyy';
await book.xlsx.writeFile(new URL('players.xlsx', folder).pathname);
