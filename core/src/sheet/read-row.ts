import { fieldOf, localeOf, lookupDisplay, tableOf, type Design, type Field, type Table } from '../design';
import { keptText, type Read, type Value } from '../values';
import { cellText, localeFor, readingOf, type Cell } from './cells';
import type { BringPlan, BroughtColumn } from './plan';
import { againMatch } from './source';

/** A lookup's text that names no row: one is to be added for it. */
export class Missing {
  constructor(
    readonly field: string,
    readonly text: string,
  ) {}
}

/** Why a row of a sheet is not taken: one value of it, or the row as a whole (`column` null). */
export interface SheetProblem {
  readonly column: number | null;
  readonly field: string | null;
  readonly value: string;
  readonly reason: string;
}

/** Finds the row that a text of a lookup names: its key, none, or several that are shown alike. */
export type FindRow = (field: Field, text: string) => string | number | null | 'several';

export interface ReadSheetRow {
  readonly values: Readonly<Record<string, Value | Missing>>;
  /** Fields whose cell is empty. */
  readonly blank: ReadonlySet<string>;
  readonly problems: readonly SheetProblem[];
}

type Outcome =
  { readonly ok: true; readonly value: Value | Missing } | { readonly ok: false; readonly reason: string };

/** Readings of one column that are kept; where few of so many come again, none are. */
const MOST_KEPT = 5000;
const FEW = MOST_KEPT / 10;

/** What was read of one column, while its values come again and again. */
class Kept {
  private readonly outcomes = new Map<Cell, Outcome>();
  private again = 0;
  private isWorthIt = true;

  constructor(private readonly read: (cell: Cell) => Outcome) {}

  of(cell: Cell): Outcome {
    if (!this.isWorthIt) return this.read(cell);
    const known = this.outcomes.get(cell);
    if (known) {
      this.again++;
      return known;
    }
    const outcome = this.read(cell);
    if (this.outcomes.size < MOST_KEPT) this.outcomes.set(cell, outcome);
    else if (this.again < FEW) {
      this.isWorthIt = false;
      this.outcomes.clear();
    }
    return outcome;
  }
}

const NONE_BLANK: ReadonlySet<string> = new Set();
const NO_PROBLEMS: readonly SheetProblem[] = [];

/** The text by which rows are looked for: composed, blanks at its ends and doubled ones taken away, small letters. */
export const soughtText = (text: string): string => keptText(text).trim().replace(/\s+/g, ' ').toLowerCase();

/** The one text field by which the rows of a lookup are shown, and a missing one can be added; null for none. */
export function addableField(design: Design, field: Field): Field | null {
  if (field.type.kind !== 'lookup') return null;
  const id = /^"#(f_\w+)"$/.exec(lookupDisplay(design, field.type).trim())?.[1];
  const target = tableOf(design, field.type.table);
  const shown = id === undefined ? undefined : fieldOf(target, id);
  return shown && (shown.type.kind === 'text' || shown.type.kind === 'longText') ? shown : null;
}

/** The problem of a plan that somebody has to settle before any row is read; null when there is none. */
export function undecided(
  design: Design,
  table: Table,
  plan: BringPlan,
  headings: readonly string[],
): string | null {
  const used = new Set<string>();
  for (const { column, field: id, dateOrder } of plan.columns) {
    const field = fieldOf(table, id);
    const heading = headings[column];
    if (!field || heading === undefined) return 'A field or column of this plan is no longer there.';
    if (used.has(id)) return `Two columns go into ${field.label}. Leave one of them out.`;
    used.add(id);
    if (dateOrder === null && (field.type.kind === 'date' || field.type.kind === 'dateTime'))
      return `Say of ${heading} which stands first, the day or the month: its dates can be read in two ways.`;
  }
  if (plan.columns.length === 0) return 'No column goes into a field yet.';
  if (plan.again && againMatch(table, plan).length === 0)
    return plan.into.table === 'new'
      ? 'No column tells the rows apart, such as an id or a code: they cannot be fetched again.'
      : 'Say by which field a row that is there already is told: it is to be fetched again.';
  if (plan.again && plan.into.table === 'known' && plan.mode === 'add')
    return 'What is fetched again changes rows that are there: they would be added once more each time.';
  if (plan.mode === 'add') return null;
  if (plan.match.length === 0) return 'Say by which field a row that is there already is told.';
  const missing = plan.match.find((id) => !used.has(id));
  const label = missing === undefined ? undefined : (fieldOf(table, missing)?.label ?? 'A field');
  return label === undefined ? null : `${label} tells the rows, but no column goes into it.`;
}

/**
 * Reads rows of a sheet as a plan says. Texts of lookups are looked up by `find`; nothing is checked here but each
 * value by itself.
 */
export function sheetReader(
  design: Design,
  table: Table,
  plan: BringPlan,
  today: string,
  find: FindRow,
): (cells: readonly Cell[]) => ReadSheetRow {
  const columns = plan.columns.map((column) => {
    const field = fieldOf(table, column.field)!;
    const read = cellReader(design, field, column, today, find);
    return { column, field, kept: new Kept(read) };
  });
  return (cells) => {
    const values: Record<string, Value | Missing> = {};
    let blank: Set<string> | null = null;
    let problems: SheetProblem[] | null = null;
    for (const { column, field, kept } of columns) {
      const cell = cells[column.column] ?? null;
      if (cell === null || (typeof cell === 'string' && cell.trim() === ''))
        (blank ??= new Set()).add(field.id);
      const outcome = kept.of(cell);
      if (outcome.ok) values[field.id] = outcome.value;
      else if (column.unread === 'empty') values[field.id] = field.type.kind === 'tick' ? false : null;
      else
        (problems ??= []).push({
          column: column.column,
          field: field.id,
          value: cellText(cell),
          reason: outcome.reason,
        });
    }
    return { values, blank: blank ?? NONE_BLANK, problems: problems ?? NO_PROBLEMS };
  };
}

function cellReader(
  design: Design,
  field: Field,
  column: BroughtColumn,
  today: string,
  find: FindRow,
): (cell: Cell) => Outcome {
  const locale = localeFor(
    { decimalMark: column.decimalMark, dateOrder: column.dateOrder ?? 'dmy' },
    localeOf(design.settings),
  );
  const taken = (read: Read): Outcome => (read.ok ? read : { ok: false, reason: read.message });
  const isMended = Object.keys(column.instead).length > 0;
  const instead = (cell: Cell): Cell => {
    if (!isMended) return cell;
    const text = cellText(cell).trim();
    return Object.hasOwn(column.instead, text) ? column.instead[text]! : cell;
  };
  if (field.type.kind === 'lookup') return (cell) => lookedUp(design, field, column, instead(cell), find);
  const reading = readingOf(field.type, locale, today);
  return (cell) => taken(reading(instead(cell)));
}

function lookedUp(
  design: Design,
  field: Field,
  { missing }: BroughtColumn,
  cell: Cell,
  find: FindRow,
): Outcome {
  const text = cellText(cell).trim();
  if (text === '') return { ok: true, value: null };
  const key = find(field, text);
  if (key === 'several')
    return { ok: false, reason: `Several rows are shown as “${text}”: which is meant cannot be told.` };
  if (key !== null) return { ok: true, value: key };
  if (missing === 'empty') return { ok: true, value: null };
  if (missing === 'add' && addableField(design, field))
    return { ok: true, value: new Missing(field.id, keptText(text)) };
  const target = field.type.kind === 'lookup' ? tableOf(design, field.type.table).label.toLowerCase() : 'row';
  return { ok: false, reason: `There is no ${target} “${text}”.` };
}
