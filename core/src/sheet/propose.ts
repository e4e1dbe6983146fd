import {
  isGiven,
  localeOf,
  nameFromLabel,
  plainField,
  plainTable,
  uniqueName,
  valueKind,
  type Design,
  type Field,
  type FieldType,
  type Table,
} from '../design';
import type { Locale } from '../values';
import type { ColumnFacts } from './census';
import { matchHeadings } from './headings';
import type { BringPlan, BroughtColumn, Remembered, SheetStyle } from './plan';

/** One column of a sheet, as it was looked at. */
export interface SheetColumn {
  readonly heading: string;
  readonly facts: ColumnFacts;
  /** Tables whose rows its texts name, and in how many of its rows they do: the best first. */
  readonly lookups: readonly { readonly table: string; readonly found: number; readonly of: number }[];
}

/** How a column is read, as far as its own values and those of its neighbours tell. */
export interface ToldStyle {
  readonly decimalMark: '.' | ',';
  /** Null where nothing tells day from month. */
  readonly dateOrder: Locale['dateOrder'] | null;
  /** Whether numbers of the column can be read in two ways, and nothing tells which is meant. */
  readonly asksMark: boolean;
}

/** The order that the values of a column give away; `either` where they are dates in both, null where in none. */
function orderIn({ dates, instants }: ColumnFacts): Locale['dateOrder'] | 'either' | 'mixed' | null {
  if (dates.onlyDayFirst > 0 && dates.onlyMonthFirst > 0) return 'mixed';
  if (dates.onlyDayFirst > 0) return 'dmy';
  if (dates.onlyMonthFirst > 0) return 'mdy';
  if (dates.either > 0) return 'either';
  return instants.dmy > 0 || instants.mdy > 0 || instants.ymd > 0 ? 'dmy' : null;
}

function markIn({ numbers }: ColumnFacts): '.' | ',' | 'either' | null {
  if (numbers.onlyPoint > numbers.onlyComma) return '.';
  if (numbers.onlyComma > numbers.onlyPoint) return ',';
  return numbers.either > 0 ? 'either' : null;
}

/**
 * How every column is read. Where a column does not tell, its neighbours do, as long as they agree; a date that
 * can be read in two ways, with nothing that tells, is to be asked about.
 */
export function toldStyles(columns: readonly SheetColumn[], office: Locale): ToldStyle[] {
  const only = <T>(found: readonly T[]): T | null => (new Set(found).size === 1 ? found[0]! : null);
  const orders = columns.map(({ facts }) => orderIn(facts));
  const marks = columns.map(({ facts }) => markIn(facts));
  // An order that is told by dates alone that are in two ways tells nothing of others.
  const told = columns.flatMap(({ facts: { dates } }, i) =>
    dates.onlyDayFirst + dates.onlyMonthFirst > 0 ? [orders[i]] : [],
  ) as (Locale['dateOrder'] | 'mixed')[];
  const order = only(told);
  const mark = only(marks.filter((one): one is '.' | ',' => one === '.' || one === ','));
  return columns.map((_, i) => {
    const [own, ownMark] = [orders[i]!, marks[i]];
    const asked = own === 'mixed' || own === 'either';
    return {
      dateOrder:
        own === 'either' && order !== null && order !== 'mixed'
          ? order
          : asked
            ? null
            : (own ?? office.dateOrder),
      decimalMark: ownMark === '.' || ownMark === ',' ? ownMark : (mark ?? office.decimalMark),
      asksMark: ownMark === 'either' && mark === null,
    };
  });
}

/** How many of a column's values can be read as a kind. */
export function fitting(
  kind: FieldType['kind'],
  { facts }: SheetColumn,
  style: ToldStyle,
  places = 0,
): number {
  const { numbers, dates, instants } = facts;
  const order = style.dateOrder;
  const most = (of: Readonly<Record<Locale['dateOrder'], number>>): number =>
    order ? of[order] : Math.max(of.dmy, of.mdy);
  const isPoint = style.decimalMark === '.';
  const count = isPoint ? numbers.point : numbers.comma;
  const found = isPoint ? numbers.pointPlaces : numbers.commaPlaces;
  switch (kind) {
    case 'wholeNumber':
    case 'runningNumber':
      return found === 0 ? count : 0;
    case 'decimal':
    case 'money':
      return found <= places ? count : 0;
    case 'date':
      return most(dates);
    case 'dateTime':
      return most(instants);
    case 'time':
      return facts.times;
    case 'tick':
      return facts.ticks;
    case 'text':
    case 'longText':
    case 'choice':
      return facts.filled;
    default:
      return 0;
  }
}

/** The part of a column's values that must be readable as a kind for it to be proposed. */
const ENOUGH = 0.95;
/** The part of a column's rows that must name rows of a table. */
const NAMED = 0.8;
const MOST_CHOICES = 12;
const MOST_PLACES = 6;
const LONG = 500;
const CODE = /(^|\W)(id|no|nr|code|ref|reference|number)\.?$/i;
const YEAR = /year/i;

/** The kind that is proposed for a column of a new table. */
export function proposedType(column: SheetColumn, style: ToldStyle, design: Design): FieldType {
  const { facts, heading, lookups } = column;
  const { numbers, filled } = facts;
  const fits = (kind: FieldType['kind'], places = 0): boolean =>
    fitting(kind, column, style, places) >= filled * ENOUGH;
  if (filled === 0) return { kind: 'text', most: null };
  if (fits('tick') && facts.distinct <= 4) return { kind: 'tick' };
  const places = style.decimalMark === '.' ? numbers.pointPlaces : numbers.commaPlaces;
  const small = Math.max(Math.abs(numbers.least ?? 0), Math.abs(numbers.greatest ?? 0)) < 10 ** (15 - places);
  if (numbers.zeros === 0 && small && places <= MOST_PLACES && fits('decimal', places)) {
    if (numbers.currency !== '') {
      const own = numbers.currency === design.settings.currency;
      return { kind: 'money', places: Math.max(places, 2), currency: own ? null : numbers.currency };
    }
    if (places > 0) return { kind: 'decimal', places };
    const plain = CODE.test(heading) || (YEAR.test(heading) && (numbers.greatest ?? 0) < 10_000);
    return plain ? { kind: 'wholeNumber', plain } : { kind: 'wholeNumber' };
  }
  if (fits('date')) return { kind: 'date' };
  if (fits('time')) return { kind: 'time' };
  if (fits('dateTime')) return { kind: 'dateTime' };
  const [best] = lookups;
  if (best && best.found >= best.of * NAMED)
    return { kind: 'lookup', table: best.table, shows: null, onDelete: 'refuse' };
  if (facts.lines || facts.longest > LONG) return { kind: 'longText' };
  const isFew =
    !facts.more && facts.distinct <= MOST_CHOICES && facts.longest <= 40 && filled >= facts.distinct * 5;
  // Values that differ by case or blanks alone are no choices yet.
  const alike = new Set(facts.common.map(([text]) => text.trim().replace(/\s+/g, ' ').toLowerCase()));
  if (isFew && alike.size === facts.distinct && filled >= 20)
    return { kind: 'choice', choices: facts.common.map(([text]) => text.trim().normalize('NFC')).sort() };
  return { kind: 'text', most: null };
}

/** A column's place in a plan, before anybody has said anything. */
const brought = (column: number, field: string, { decimalMark, dateOrder }: ToldStyle): BroughtColumn => ({
  column,
  field,
  decimalMark,
  dateOrder,
  missing: 'refuse',
  unread: 'refuse',
  instead: {},
});

/** A name with the next number behind it: `Player`, `Player 2`, `Player 3`. */
function another(name: string): string {
  const [, base = name, number] = /^(.*?)(?: (\d+))?$/.exec(name) ?? [];
  return `${base} ${Number(number ?? 1) + 1}`;
}

/** A table for a sheet of its own, all of it as it is proposed, and the plan that brings the sheet into it. */
export function proposeNew(
  design: Design,
  label: string,
  plural: string,
  columns: readonly SheetColumn[],
  style: SheetStyle,
  makeId: (letter: 't' | 'f') => string,
): BringPlan {
  const told = toldStyles(columns, localeOf(design.settings));
  const known = new Set(
    design.tables.flatMap((table) => [table.label.toLowerCase(), table.plural.toLowerCase()]),
  );
  if (known.has(label.toLowerCase()) || known.has(plural.toLowerCase()))
    return proposeNew(design, another(label), another(plural), columns, style, makeId);
  const names: string[] = [];
  const fields = columns.map(({ heading, ...rest }, i) => {
    const name = uniqueName(nameFromLabel(heading, 'field'), names);
    names.push(name);
    return plainField(makeId('f'), name, heading, proposedType({ heading, ...rest }, told[i]!, design));
  });
  const place = columns.findIndex(({ heading, facts }, i) => {
    const { kind } = fields[i]!.type;
    return (
      facts.unique !== false &&
      facts.empty === 0 &&
      CODE.test(heading) &&
      (kind === 'wholeNumber' || kind === 'text')
    );
  });
  const found = fields[place];
  const least = columns[place]?.facts.numbers.least ?? 0;
  const counts = found?.type.kind === 'wholeNumber' && least >= 1;
  const key: Field = found
    ? {
        ...found,
        type: counts ? { kind: 'runningNumber', prefix: '', width: 0, first: 1 } : found.type,
        alwaysFilled: !counts,
      }
    : plainField(makeId('f'), uniqueName('number', names), 'Number', {
        kind: 'runningNumber',
        prefix: '',
        width: 4,
        first: 1,
      });
  const all = found ? fields.map((field) => (field === found ? key : field)) : [key, ...fields];
  const name = uniqueName(
    nameFromLabel(label, 'table'),
    design.tables.map((table) => table.name),
  );
  const title = all.find(({ id, type }) => type.kind === 'text' && id !== key.id);
  const made: Table = {
    ...plainTable(makeId('t'), name, label, plural, all, [key.id]),
    ...(title ? { display: `"#${title.id}"` } : {}),
  };
  return {
    style,
    into: { table: 'new', made },
    columns: fields.map((field, i) => brought(i, field.id, told[i]!)),
    mode: 'add',
    match: [],
    blanks: 'leave',
  };
}

/** Whether a field can be given from a sheet. */
export const isBringable = (field: Field): boolean =>
  !['picture', 'file', 'stamp', 'workedOut'].includes(field.type.kind);

/** The fields by which rows of a table can be told: its key, and what no two rows have alike. */
export function matchable(table: Table): string[][] {
  const alone = table.fields.filter(({ noTwoAlike }) => noTwoAlike).map(({ id }) => [id]);
  return [table.key, ...alone, ...table.noTwoAlike].filter(
    (ids, i, all) => all.findIndex((other) => other.join() === ids.join()) === i,
  );
}

/** The plan that brings a sheet into a table that is there: as the last time for the same headings, or by their names. */
export function proposeKnown(
  design: Design,
  table: Table,
  columns: readonly SheetColumn[],
  style: SheetStyle,
  remembered: Remembered | null,
): BringPlan {
  const told = toldStyles(columns, localeOf(design.settings));
  const known = new Set(table.fields.filter(isBringable).map(({ id }) => id));
  const into = { table: 'known', id: table.id } as const;
  if (remembered) {
    const kept = remembered.columns.filter(
      ({ field, column }) => known.has(field) && column < columns.length,
    );
    const isWhole = remembered.match.every((id) => kept.some(({ field }) => field === id));
    return {
      style,
      into,
      // What the values themselves tell stands before what was said of others.
      columns: kept.map((column) => ({
        ...column,
        dateOrder: told[column.column]!.dateOrder ?? column.dateOrder,
      })),
      mode: isWhole ? remembered.mode : 'add',
      match: isWhole ? remembered.match : [],
      blanks: remembered.blanks,
    };
  }
  const fields = matchHeadings(
    columns.map(({ heading }) => heading),
    table,
  );
  const matched = fields.flatMap((field, i) =>
    field && known.has(field.id) ? [brought(i, field.id, told[i]!)] : [],
  );
  const has = (ids: readonly string[]): boolean =>
    ids.every((id) => matched.some(({ field }) => field === id));
  // Only what every row has can tell them all.
  const isWhole = (id: string): boolean => {
    const { facts } = columns[matched.find(({ field }) => field === id)!.column]!;
    return facts.empty === 0 && facts.unique !== false;
  };
  const match = matchable(table).find((ids) => has(ids) && ids.every(isWhole)) ?? [];
  return { style, into, columns: matched, mode: match.length > 0 ? 'both' : 'add', match, blanks: 'leave' };
}

/** Fields of a table that are always filled and that a plan leaves without a value. */
export function missingFields(table: Table, plan: BringPlan): Field[] {
  const given = new Set(plan.columns.map(({ field }) => field));
  return table.fields.filter(
    (field) =>
      !given.has(field.id) &&
      !isGiven(field) &&
      (field.alwaysFilled || table.key.includes(field.id)) &&
      field.start === null &&
      valueKind(field.type).kind !== 'tick',
  );
}
