import { evaluate, type Val } from '../expression';
import { boundIn, storedFields, typeOf, type Design, type Field, type Table } from '../design';
import { keptText, rescale, toText, type Value } from '../values';

/** The moment from which an expression reckons. */
export interface Moment {
  /** `YYYY-MM-DD`. */
  readonly today: string;
  /** `YYYY-MM-DDTHH:MM:SSZ`. */
  readonly now: string;
}

/** A value of the evaluator as it travels: numbers with places as text, whole ones as numbers. */
export function fromVal(value: Val, scale: number): Value {
  if (typeof value !== 'bigint') return value;
  return scale > 0 ? toText({ units: value, scale }) : Number(value);
}

/**
 * What a field of a new row starts with; null when it has no starting value (a tick: false), or when it
 * cannot be worked out, such as a date past the year 9999: the person then fills it in.
 */
export function startValue(design: Design, field: Field, { today, now }: Moment): Value {
  if (field.start === null || field.start.trim() === '') return field.type.kind === 'tick' ? false : null;
  const { bound } = boundIn(design, null, field.start);
  const result = evaluate(bound, {
    row: null,
    today,
    now,
    read: () => null,
    follow: () => null,
    children: () => [],
  });
  if (!result.ok) return null;
  const type = typeOf(design, field.type);
  if (type.type !== 'number' || bound.type.type !== 'number' || typeof result.value !== 'bigint')
    return typeof result.value === 'string' ? keptText(result.value) : fromVal(result.value, 0);
  const places = field.type.kind === 'decimal' || field.type.kind === 'money' ? field.type.places : 0;
  const value = rescale(result.value, bound.type.scale, places);
  return field.type.kind === 'decimal' || field.type.kind === 'money'
    ? toText({ units: value, scale: places })
    : Number(value);
}

/** A new row with its starting values, by field id. */
export const startRow = (design: Design, table: Table, checking: Moment): Record<string, Value> =>
  Object.fromEntries(storedFields(table).map((field) => [field.id, startValue(design, field, checking)]));
