import { addDays, showDate } from '@heathridge/core/values';
import { dice, type Dice } from './random';
import { FIRST, SCHOOLS, SURNAMES } from './rows';

/** A cell of the spreadsheet; in the workbook a date may be a real one, and a number a number. */
export type SheetCell = string | number | { readonly date: string };

const ROWS = 420;

/** The spreadsheet of players as an office would really hand it over: two lines of title, then what people typed. */
export function playersSheet(): SheetCell[][] {
  const die = dice(4711);
  const rows: SheetCell[][] = [
    ['Players, as of 20 November 2026', '', '', '', '', '', '', '', ''],
    ['', '', '', '', '', '', '', '', ''],
    ['Surname', 'First name', 'School', 'Born', 'Phone', 'E-mail', 'Card', 'Active', 'Deposit'],
  ];
  for (let i = 0; i < ROWS; i++) {
    const [surname, first] = [die.pick(SURNAMES), die.pick(FIRST)];
    const card = die.chance(0.25) ? `${die.pick(['K', 'L', 'M'])}-${String(7000 + i)}` : '';
    rows.push([
      spaced(die, surname),
      spaced(die, first),
      die.chance(0.06) ? '' : school(die),
      born(die),
      die.chance(0.4) ? '' : `07700 900${String(die.whole(0, 999)).padStart(3, '0')}`,
      die.chance(0.5) ? '' : `${first}.${surname}@mail.example`.toLowerCase(),
      // Some were copied without their sign, or with small letters.
      card !== '' && die.chance(0.08) ? card.replace('-', '') : card,
      die.pick(['yes', 'yes', 'Yes', 'x', 'no', '']),
      die.chance(0.7) ? '' : die.pick(['£30', '£45.00', '30', '25.50', '£1,050.00']),
    ]);
  }
  // Somebody copied a few lines twice, and one person has not been born yet.
  rows.push(...rows.slice(40, 44).map((row) => [...row]));
  rows[12]![3] = '3 Apr 2041';
  rows[99]![3] = 'spring 2011';
  return rows;
}

const spaced = (die: Dice, text: string): string =>
  die.chance(0.05)
    ? ` ${text}`
    : die.chance(0.06)
      ? `${text} `
      : die.chance(0.02)
        ? text.toUpperCase()
        : text;

/** A school as it is written by different hands. */
function school(die: Dice): string {
  const name = die.pick(SCHOOLS);
  if (die.chance(0.72)) return name;
  const way = die.whole(0, 5);
  const at = die.whole(2, name.length - 3);
  if (way === 0) return name.slice(0, at) + name.slice(at + 1);
  if (way === 1) return name.slice(0, at) + name[at + 1] + name[at] + name.slice(at + 2);
  if (way === 2) return name.toUpperCase();
  if (way === 3) return `${name} `;
  if (way === 4) return name.replace(' ', '  ');
  return name
    .replace(/’/g, '')
    .replace('Saint', 'St')
    .replace('Academy', 'Acad.')
    .replace('Primary', 'Prim.');
}

const two = (number: string): string => number.padStart(2, '0');

/** A date of birth in the style of whoever typed it; most with the day first, as one can tell. */
function born(die: Dice): SheetCell {
  if (die.chance(0.08)) return '';
  const date = addDays('2005-01-01', die.whole(0, 4500))!;
  const [year, month, day] = date.split('-') as [string, string, string];
  const way = die.whole(0, 9);
  if (way < 4) return `${two(day)}/${two(month)}/${year}`;
  if (way < 6) return { date };
  if (way < 8) return showDate(date);
  return way === 8 ? `${Number(day)}.${Number(month)}.${year}` : date;
}
