import { sqlText } from '../expression';
import { fieldOf, isGiven, valueKind, type Field, type Form, type Table } from '../design';
import { showValue, type Locale, type Value } from '../values';
import { valueIs } from './buttons';
import { cellFor } from './generate';
import { cellsOf, columnsOf, mapParts, partId, type Column } from './tree';

/** Columns of cards, beside those for what none of them holds. */
export const MOST_LANES = 24;

/** Fields that a card begins with, unless somebody has chosen them. */
const MOST_ON_CARD = 5;

/** Kinds that are too long for a card, or say little on it, to begin with. */
const ASIDE: ReadonlySet<string> = new Set(['longText', 'stamp', 'file']);

/** A column of cards: the rows that hold one value. */
export interface Lane {
  /** What tells it from the others of its list. */
  readonly id: string;
  readonly label: string;
  /** What a card holds that is put there; undefined where none can be. */
  readonly value: Value | undefined;
  /** What its rows meet, over a row of the table. */
  readonly condition: string;
}

/** A value that has a column of its own, and how it is called. */
export type LaneValue = readonly [value: string | number | boolean, label: string];

/** Whether rows can be laid out by what they hold in a field: it has few values, and they are given by people. */
export const laysOut = (field: Field): boolean =>
  !isGiven(field) &&
  (field.type.kind === 'choice' || field.type.kind === 'lookup' || field.type.kind === 'tick');

/**
 * The field whose values are the columns of cards; null where rows are none, where it is not there any more, or not for
 * everyone who looks: the rows stand beneath one another then.
 */
export function lanesBy({ list, parts }: Form, table: Table): Field | null {
  const by = list?.cards;
  const field = by === undefined ? undefined : fieldOf(table, by);
  const cell = cellsOf(parts).find((other) => other.field === field?.id);
  // What is not there for some of the rows would be told by the column in which they stand.
  return field && cell && cell.hideIf === undefined && laysOut(field) ? field : null;
}

/** What stands on a card: the column in which it stands need not be said again. */
export const cardColumns = ({ parts }: Form, { id }: Field): Column[] =>
  columnsOf(parts).filter((column) => column.part !== 'cell' || column.field !== id);

/** The colour that a choice was given; empty for none. */
export const choiceColour = ({ type }: Field, value: Value | undefined): string =>
  (type.kind === 'choice' && typeof value === 'string' && type.colours?.[value]) || '';

/** The values of a field that the field itself names; null for a lookup, whose values are rows. */
export function namedValues({ label, type }: Field, locale: Locale): LaneValue[] | null {
  if (type.kind === 'choice') return type.choices.map((choice) => [choice, choice]);
  if (type.kind !== 'tick') return null;
  return [true, false].map((value) => [value, `${label}: ${showValue(valueKind(type), value, locale)}`]);
}

/**
 * The columns of cards: what is empty, each of these values, and what holds none of them. Each row of the table is in
 * one of them, whatever it holds.
 */
export function lanesOf(field: Field, values: readonly LaneValue[]): Lane[] {
  const { id, label, type, alwaysFilled } = field;
  const [name, called] = [`"#${id}"`, label.toLowerCase()];
  const shown = values.slice(0, MOST_LANES);
  const literals = shown.map(([value]) => (typeof value === 'string' ? sqlText(value) : String(value)));
  const empty = `${name} IS NULL`;
  const others = [
    // Of ticks there are no others.
    ...(type.kind === 'tick'
      ? []
      : [literals.length === 0 ? `${name} IS NOT NULL` : `${name} NOT IN (${literals.join(', ')})`]),
    // Of what is to be filled always, a file that others write to may hold rows that are not.
    ...(alwaysFilled ? [empty] : []),
  ];
  return [
    ...(alwaysFilled ? [] : [{ id: 'empty', label: `No ${called}`, value: null, condition: empty }]),
    ...shown.map(([value, text]) => ({
      id: `${typeof value} ${value}`,
      label: text,
      value,
      condition: valueIs(field, value),
    })),
    ...(others.length === 0
      ? []
      : [{ id: 'rest', label: `Any other ${called}`, value: undefined, condition: others.join(' OR ') }]),
  ];
}

/** A list whose rows are cards, which people put into the columns of a field and change nothing else of. */
export function inLanes(form: Form, table: Table, by: string): Form {
  const field = fieldOf(table, by);
  if (!field || !form.list) return form;
  const known = cellsOf(form.parts).some((cell) => cell.field === by);
  const parts = known ? form.parts : [...form.parts, cellFor(field)];
  return {
    ...form,
    list: { ...form.list, starts: 'rows', cards: by },
    rights: { ...form.rights, change: true },
    parts: mapParts(parts, (part) =>
      part.part !== 'cell' || part.field !== by ? part : { ...part, people: 'type' },
    ),
  };
}

/**
 * Cards made in one step of a list: what each shows are the first few of its fields, to be read.
 */
export function cardsFrom(list: Form, table: Table, by: string, keepsFields: boolean): Form {
  const cells = cellsOf(list.parts).filter(({ field }) => field !== by);
  const short = cells.filter(({ field }) => !ASIDE.has(fieldOf(table, field)?.type.kind ?? 'longText'));
  const kept = new Set((keepsFields ? cells : short.slice(0, MOST_ON_CARD)).map(partId));
  const parts = mapParts(list.parts, (part) => {
    if (part.part !== 'cell' || part.field === by) return part;
    // Cells of what follows stand at another level, whose fields are not those of the cards.
    if (!fieldOf(table, part.field)) return part;
    return kept.has(part.field) ? { ...part, people: 'read' as const } : null;
  });
  // What is begun is begun on the screen of its record, where that may be.
  return inLanes({ ...list, rights: { ...list.rights, add: true }, parts }, table, by);
}
