import type { ValueKind } from '../values';

/**
 * The type of an expression. Numbers are exact: `scale` places after the point, `places` those of
 * the fields and literals they come from (a quotient has `places + 6`), `digits` the most digits the
 * units can have, 19 when only the run can tell.
 */
export type Type =
  | { readonly type: 'text' | 'boolean' | 'date' | 'time' | 'instant' | 'null' }
  | { readonly type: 'number'; readonly scale: number; readonly places: number; readonly digits: number }
  | { readonly type: 'interval'; readonly unit: 'month' | 'day' | 'second' };

export type NumberType = Extract<Type, { type: 'number' }>;

export const TEXT: Type = { type: 'text' };
export const BOOLEAN: Type = { type: 'boolean' };
export const DATE: Type = { type: 'date' };
export const TIME: Type = { type: 'time' };
export const INSTANT: Type = { type: 'instant' };
export const NULL: Type = { type: 'null' };

/** Digits that a signed 64-bit whole number always holds. */
export const SAFE_DIGITS = 18;

export const numberType = (scale: number, digits = 19, places = scale): NumberType => ({
  type: 'number',
  scale,
  places,
  digits: Math.min(digits, 19),
});

export const WHOLE = numberType(0, 15);

/** A type as people read it in messages. */
export function typeName(type: Type): string {
  switch (type.type) {
    case 'number':
      return type.scale === 0 ? 'a whole number' : 'a number';
    case 'text':
      return 'a text';
    case 'boolean':
      return 'a condition (true or false)';
    case 'date':
      return 'a date';
    case 'time':
      return 'a time';
    case 'instant':
      return 'a date and time';
    case 'interval':
      return 'an interval';
    case 'null':
      return 'NULL';
  }
}

/** How a result of this type is shown where no field says otherwise. */
export function kindOfType(type: Type): ValueKind {
  switch (type.type) {
    case 'number':
      return type.scale === 0 ? { kind: 'wholeNumber' } : { kind: 'decimal', places: type.scale };
    case 'boolean':
      return { kind: 'tick' };
    case 'date':
      return { kind: 'date' };
    case 'instant':
      return { kind: 'dateTime' };
    case 'time':
      return { kind: 'time' };
    case 'interval':
      return { kind: 'wholeNumber' };
    default:
      return { kind: 'longText' };
  }
}

/** A field as expressions see it. */
export interface ExprField {
  readonly id: string;
  readonly name: string;
  /** The column of the SQL table. */
  readonly column: string;
  readonly type: Type;
  /** The table a lookup leads to. */
  readonly link?: string | undefined;
  /** For a field that is worked out: its expression in stored form, over the row of its table. */
  readonly worked?: string | undefined;
  readonly kind: ValueKind;
}

/** Columns of one row and the columns of the other that they equal. */
export type JoinColumns = readonly (readonly [own: string, other: string])[];

/** A foreign key of several fields: a path may follow it, but it is no value by itself. */
export interface ExprLink {
  readonly id: string;
  readonly name: string;
  readonly table: string;
  readonly on: JoinColumns;
}

/** The rows of another table that link to a row of this one. */
export interface ExprChild {
  /** The lookup field, or the link of several fields, in the other table. */
  readonly id: string;
  readonly name: string;
  readonly table: string;
  /** The key columns of this table, each beside the column of the other that holds it. */
  readonly on: JoinColumns;
}

export interface ExprTable {
  readonly id: string;
  readonly name: string;
  /** The single key column, or null when the key has several: no lookup leads there. */
  readonly keyColumn: string | null;
  readonly fields: readonly ExprField[];
  readonly links: readonly ExprLink[];
  readonly children: readonly ExprChild[];
}

/** All that an expression may refer to. */
export interface Catalog {
  /** Throws when there is no such table. */
  table(id: string): ExprTable;
  /** SQL for today's date where the office is; by default that of the engine's own clock, which is UTC. */
  readonly today?: string;
}
