import { sqlText } from '../expression';
import type { Value, ValueKind } from '../values';
import { valueKind } from './catalog';
import type { FieldType } from './schema';

/** A ready form of a condition over one field. */
export interface ConditionShape {
  readonly id: string;
  /** As it stands behind the name of the field. */
  readonly label: string;
  /** How many values it compares with. */
  readonly values: 0 | 1 | 2 | 'many';
}

const EMPTY: readonly ConditionShape[] = [
  { id: 'filled', label: 'is filled', values: 0 },
  { id: 'empty', label: 'is empty', values: 0 },
];
const EQUAL: readonly ConditionShape[] = [
  { id: '=', label: 'is', values: 1 },
  { id: '<>', label: 'is not', values: 1 },
];
const ONE_OF: ConditionShape = { id: 'oneOf', label: 'is one of', values: 'many' };
const BETWEEN: ConditionShape = { id: 'between', label: 'lies between', values: 2 };
const ORDER: readonly ConditionShape[] = [
  { id: '<', label: 'is less than', values: 1 },
  { id: '<=', label: 'is at most', values: 1 },
  { id: '>', label: 'is more than', values: 1 },
  { id: '>=', label: 'is at least', values: 1 },
  BETWEEN,
];
const MOMENTS: readonly ConditionShape[] = [
  { id: '<', label: 'is before', values: 1 },
  { id: '>', label: 'is after', values: 1 },
  BETWEEN,
];
const DAYS: readonly ConditionShape[] = [
  { id: 'past', label: 'is before today', values: 0 },
  { id: 'coming', label: 'is after today', values: 0 },
  { id: 'today', label: 'is today', values: 0 },
  { id: 'thisMonth', label: 'lies in this month', values: 0 },
  { id: 'thisYear', label: 'lies in this year', values: 0 },
];
const TEXTS: readonly ConditionShape[] = [
  { id: 'holds', label: 'contains', values: 1 },
  { id: 'begins', label: 'begins with', values: 1 },
];
const TICKS: readonly ConditionShape[] = [
  { id: 'yes', label: 'is ticked', values: 0 },
  { id: 'no', label: 'is not ticked', values: 0 },
];

/** The shapes that fit a type of field, the likeliest first. */
export function conditionShapes(type: FieldType): readonly ConditionShape[] {
  switch (valueKind(type).kind) {
    case 'tick':
      return TICKS;
    case 'date':
      return [...DAYS, ...MOMENTS, ...EQUAL, ...EMPTY];
    case 'time':
    case 'dateTime':
      return [...MOMENTS, ...EMPTY];
    case 'text':
    case 'longText':
      return [...TEXTS, ...EQUAL, ...EMPTY];
    case 'choice':
      return [ONE_OF, ...EQUAL, ...EMPTY];
    case 'lookup':
      return [...EQUAL, ONE_OF, ...EMPTY];
    case 'picture':
    case 'file':
      return EMPTY;
    default:
      return [...EQUAL, ...ORDER, ...EMPTY];
  }
}

function literal(kind: ValueKind, value: Exclude<Value, null>): string {
  if (typeof value === 'boolean') return value ? 'TRUE' : 'FALSE';
  if (typeof value === 'number') return String(value);
  switch (kind.kind) {
    case 'date':
      return `DATE ${sqlText(value)}`;
    case 'time':
      return `TIME ${sqlText(value)}`;
    case 'dateTime':
      return `TIMESTAMP ${sqlText(value)}`;
    case 'money':
    case 'decimal':
    case 'wholeNumber':
      return value;
    default:
      return sqlText(value);
  }
}

const escaped = (value: Value): string => String(value ?? '').replace(/[!%_]/g, '!$&');

/**
 * A condition of a shape over what stands at `name` (a field's name, or a path to one), whose type it is. Empty while
 * a value is missing that it needs.
 */
export function shapedCondition(
  name: string,
  type: FieldType,
  { id, values: needed }: ConditionShape,
  values: readonly Value[],
): string {
  const same = (unit: string): string => `EXTRACT(${unit} FROM ${name}) = EXTRACT(${unit} FROM CURRENT_DATE)`;
  const given = values.flatMap((value) => (value === null ? [] : [literal(valueKind(type), value)]));
  if (given.length < (needed === 'many' ? 1 : needed)) return '';
  const [a, b] = given;
  switch (id) {
    case 'filled':
      return `${name} IS NOT NULL`;
    case 'empty':
      return `${name} IS NULL`;
    case 'yes':
      return name;
    case 'no':
      return `NOT ${name}`;
    case 'past':
      return `${name} < CURRENT_DATE`;
    case 'coming':
      return `${name} > CURRENT_DATE`;
    case 'today':
      return `${name} = CURRENT_DATE`;
    case 'thisMonth':
      return `${same('YEAR')} AND ${same('MONTH')}`;
    case 'thisYear':
      return same('YEAR');
    case 'between':
      return `${name} BETWEEN ${a!} AND ${b!}`;
    case 'holds':
      return `${name} LIKE ${sqlText(`%${escaped(values[0]!)}%`)} ESCAPE '!'`;
    case 'begins':
      return `${name} LIKE ${sqlText(`${escaped(values[0]!)}%`)} ESCAPE '!'`;
    case 'oneOf':
      return given.length === 1 ? `${name} = ${a!}` : `${name} IN (${given.join(', ')})`;
    default:
      return `${name} ${id} ${a!}`;
  }
}
