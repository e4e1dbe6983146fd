import { nameFromLabel, type Field, type Table } from '../design';
import { cellText, type Cell } from './cells';

/** The first heading of a sheet of rows that were not taken: below it stand the reasons. */
export const WHY_NOT = 'Not taken because';

/** Rows at the beginning of a sheet among which the headings are looked for. */
const MOST_LOOKED = 20;

/** The part of the headings that differ: a few may stand there twice, a row of data repeats itself more. */
const MOST_ALIKE = 0.6;

const isWord = (cell: Cell): boolean =>
  typeof cell === 'string' && /\p{L}/u.test(cell) && !/^\d/.test(cell.trim());

/**
 * The row that holds the headings, counted from 1; 0 when none does. It is the first that is filled across, with
 * different words, and above rows that are as wide: what stands before it is a title.
 */
export function headingRow(rows: readonly (readonly Cell[])[]): number {
  const looked = rows.slice(0, MOST_LOOKED);
  const filled = (row: readonly Cell[]): Cell[] => row.filter((cell) => cellText(cell).trim() !== '');
  const widths = looked.map((row) => filled(row).length).sort((a, b) => a - b);
  const usual = widths[Math.floor(widths.length / 2)] ?? 0;
  for (const [i, row] of looked.entries()) {
    const cells = filled(row);
    if (cells.length < Math.max(1, usual * 0.8)) continue;
    const names = new Set(cells.map((cell) => cellText(cell).trim().toLowerCase()));
    // The first row that is as wide as the others is that of the headings, or there is none.
    return cells.every(isWord) && names.size >= cells.length * MOST_ALIKE ? i + 1 : 0;
  }
  return 0;
}

/** Headings as they are shown: trimmed, on one line, those that are missing or stand twice told apart. */
export function headingsOf(row: readonly Cell[] | null, columns: number): string[] {
  const taken = new Set<string>();
  return Array.from({ length: columns }, (_, i) => {
    const written = cellText(row?.[i] ?? null)
      .normalize('NFC')
      .replace(/\s+/g, ' ')
      .trim();
    const base = [...(written === '' ? `Column ${i + 1}` : written)].slice(0, 60).join('');
    let name = base;
    for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${[...base].slice(0, 55).join('')} ${n}`;
    taken.add(name.toLowerCase());
    return name;
  });
}

/**
 * The field that each heading names, by label or name whatever its case and signs are; null where none does.
 * No field is named twice.
 */
export function matchHeadings(headings: readonly string[], table: Table): (Field | null)[] {
  const free = new Map<string, Field>();
  for (const field of [...table.fields].reverse())
    for (const name of [field.name, nameFromLabel(field.label, '')])
      if (name !== '') free.set(nameFromLabel(name, ''), field);
  const used = new Set<string>();
  return headings.map((heading) => {
    const field = free.get(nameFromLabel(heading, ''));
    if (!field || used.has(field.id)) return null;
    used.add(field.id);
    return field;
  });
}
