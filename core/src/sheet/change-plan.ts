import {
  fieldOf,
  nameFromLabel,
  uniqueName,
  type Design,
  type Field,
  type FieldType,
  type Table,
} from '../design';
import type { BringPlan, BroughtColumn } from './plan';
import { proposedType, type SheetColumn, type ToldStyle } from './propose';

/** The field that a column of a sheet goes into; undefined where it goes nowhere. */
export const takes = (plan: BringPlan, column: number): BroughtColumn | undefined =>
  plan.columns.find((one) => one.column === column);

const withMade = (plan: BringPlan, change: (made: Table) => Table): BringPlan =>
  plan.into.table === 'new' ? { ...plan, into: { table: 'new', made: change(plan.into.made) } } : plan;

const withField = (plan: BringPlan, id: string, change: (field: Field) => Field): BringPlan =>
  withMade(plan, (made) => ({
    ...made,
    fields: made.fields.map((field) => (field.id === id ? change(field) : field)),
  }));

/** Changes how a column is read, or what becomes of what cannot be. */
export const readColumn = (
  plan: BringPlan,
  column: number,
  set: Partial<Omit<BroughtColumn, 'column' | 'field'>>,
): BringPlan => ({
  ...plan,
  columns: plan.columns.map((one) => (one.column === column ? { ...one, ...set } : one)),
});

/** Sends a column into a field of a table that is there; null for nowhere. What went into that field goes nowhere. */
export function sendInto(
  plan: BringPlan,
  column: number,
  field: string | null,
  { decimalMark, dateOrder }: ToldStyle,
): BringPlan {
  const others = plan.columns.filter((one) => one.column !== column && one.field !== field);
  if (field === null) return { ...plan, columns: others };
  const before = takes(plan, column);
  const made: BroughtColumn = {
    column,
    decimalMark,
    dateOrder,
    missing: 'refuse',
    unread: 'refuse',
    ...before,
    field,
    // What was to be read in place of other texts was meant for another field.
    instead: before?.field === field ? before.instead : {},
  };
  return { ...plan, columns: [...others, made].sort((a, b) => a.column - b.column) };
}

/** Leaves a column of a new table out, with its field; the key of the table cannot be. */
export function leaveOut(plan: BringPlan, column: number): BringPlan {
  const known = takes(plan, column);
  if (!known || plan.into.table !== 'new') return plan;
  const { field } = known;
  if (plan.into.made.key.includes(field)) return plan;
  const left = withMade(plan, (made) => ({
    ...made,
    fields: made.fields.filter(({ id }) => id !== field),
    display: made.display?.includes(`#${field}"`) ? null : made.display,
  }));
  return { ...left, columns: left.columns.filter((one) => one.column !== column) };
}

/** Takes a column of a new table in again, as it was proposed at first. */
export function takeIn(plan: BringPlan, column: number, proposed: BringPlan): BringPlan {
  const before = takes(proposed, column);
  if (!before || takes(plan, column) || proposed.into.table !== 'new') return plan;
  const field = fieldOf(proposed.into.made, before.field);
  if (!field) return plan;
  const added = withMade(plan, (made) => ({
    ...made,
    fields: [
      ...made.fields,
      {
        ...field,
        name: uniqueName(
          field.name,
          made.fields.map(({ name }) => name),
        ),
      },
    ],
  }));
  return { ...added, columns: [...added.columns, before].sort((a, b) => a.column - b.column) };
}

/** Gives a field of a new table another label, and the name that goes with it. */
export const nameField = (plan: BringPlan, id: string, label: string): BringPlan =>
  withMade(plan, (made) => {
    const taken = made.fields.filter((field) => field.id !== id).map(({ name }) => name);
    return {
      ...made,
      fields: made.fields.map((field) =>
        field.id === id ? { ...field, label, name: uniqueName(nameFromLabel(label, 'field'), taken) } : field,
      ),
    };
  });

/** Gives a new table another name. */
export const nameTable = (plan: BringPlan, design: Design, label: string, plural: string): BringPlan =>
  withMade(plan, (made) => ({
    ...made,
    label,
    plural,
    name: uniqueName(
      nameFromLabel(label, 'table'),
      design.tables.map(({ name }) => name),
    ),
  }));

/** Gives a field of a new table another kind. */
export const giveType = (plan: BringPlan, id: string, type: FieldType): BringPlan =>
  withField(plan, id, (field) => ({ ...field, type }));

/** The kinds that a column of a new table can have. */
export const COLUMN_KINDS = [
  'text',
  'longText',
  'wholeNumber',
  'decimal',
  'money',
  'tick',
  'date',
  'time',
  'dateTime',
  'choice',
] as const;

export type ColumnKind = (typeof COLUMN_KINDS)[number];

/** Values that a choice of a column may have at most. */
const MOST_CHOICES = 500;

/** The type of a kind for a column: with the places, choices or currency that its values have. */
export function typeAs(kind: ColumnKind, column: SheetColumn, style: ToldStyle, design: Design): FieldType {
  const proposed = proposedType(column, style, design);
  if (proposed.kind === kind) return proposed;
  const { numbers, common } = column.facts;
  const places = Math.min(6, style.decimalMark === '.' ? numbers.pointPlaces : numbers.commaPlaces);
  switch (kind) {
    case 'text':
      return { kind, most: null };
    case 'decimal':
      return { kind, places: places || 2 };
    case 'money':
      return { kind, places: Math.max(places, 2), currency: null };
    case 'choice': {
      const texts = [...new Set(common.map(([text]) => text.trim().normalize('NFC')))];
      return { kind, choices: texts.filter((text) => text !== '' && text.length <= 100).sort() };
    }
    default:
      return { kind };
  }
}

/** Whether a column has few enough values, all of them known, to be a choice. */
export const canBeChoice = ({ facts }: SheetColumn): boolean =>
  !facts.more && facts.distinct > 0 && facts.distinct <= Math.min(MOST_CHOICES, facts.common.length);
