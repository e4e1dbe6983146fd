import type { Bound, Collection, Hop, Val } from './bound';
import { FAULT_WORDS, MOST_PATTERN, type Fault } from './faults';
import { like, compareText, lower, upper } from './fold';
import type { ExprField, NumberType } from './types';
import {
  addDays,
  addMonths,
  dayNumber,
  divideRounded,
  instantText,
  isDate,
  parseInstant,
  parseTime,
  pow10,
  rescale,
  timeText,
  toText,
} from '../values';

/** What an expression is worked out from. `Row` is whatever the caller uses to stand for a row. */
export interface Evaluation<Row> {
  readonly row: Row;
  /** `YYYY-MM-DD`. */
  readonly today: string;
  /** `YYYY-MM-DDTHH:MM:SSZ`. */
  readonly now: string;
  read(row: Row, field: ExprField): Val;
  /** The row a lookup leads to, or null when it is empty. */
  follow(row: Row, hop: Extract<Hop, { hop: 'link' }>): Row | null;
  children(row: Row, hop: Extract<Hop, { hop: 'children' }>): readonly Row[];
  /** The rows of the group at hand, for totals without child rows. */
  readonly group?: readonly Row[];
}

export type Evaluated =
  | { readonly ok: true; readonly value: Val }
  | { readonly ok: false; readonly fault: Fault; readonly message: string };

class RunError extends Error {
  constructor(readonly fault: Fault) {
    super(FAULT_WORDS[fault]);
  }
}

/**
 * Works out an expression for one row, with SQL's three-valued logic. Numbers come back in units of
 * their type's scale. A number that does not fit 64 bits, a date outside the calendar or a text that
 * cannot be cast is an error, never a wrong value.
 */
export function evaluate<Row>(bound: Bound, evaluation: Evaluation<Row>): Evaluated {
  try {
    const rows = new Map<number, Row | null>([[0, evaluation.row]]);
    return { ok: true, value: run(bound, evaluation, rows) };
  } catch (error) {
    if (error instanceof RunError) return { ok: false, fault: error.fault, message: error.message };
    throw error;
  }
}

type Rows<Row> = ReadonlyMap<number, Row | null>;

const LEAST = -(2n ** 63n);
const MOST = 2n ** 63n - 1n;

function fits(value: bigint): bigint {
  if (value < LEAST || value > MOST) throw new RunError('large');
  return value;
}

function order(a: Val, b: Val): number {
  if (typeof a === 'string') return compareText(a, b as string);
  return a! < b! ? -1 : a! > b! ? 1 : 0;
}

const scaleOf = (bound: Bound): number => (bound.type as NumberType).scale ?? 0;

function run<Row>(bound: Bound, env: Evaluation<Row>, rows: Rows<Row>): Val {
  const of = (part: Bound): Val => run(part, env, rows);
  /** NULL when one operand is; all are worked out, since an error in one counts all the same. */
  const strict = (list: readonly Bound[], work: (values: Exclude<Val, null>[]) => Val): Val => {
    const values = list.map(of);
    return values.includes(null) ? null : work(values as Exclude<Val, null>[]);
  };
  switch (bound.op) {
    case 'const':
      return bound.value;
    case 'clock':
      return bound.what === 'date' ? env.today : env.now;
    case 'ref': {
      let row: Row | null = rows.get(bound.row) ?? null;
      for (const hop of bound.links) row = row === null || hop.hop !== 'link' ? null : env.follow(row, hop);
      return row === null ? null : env.read(row, bound.field);
    }
    case 'worked':
      return of(bound.a);
    case 'rescale':
      return strict([bound.a], ([a]) => fits(rescale(a as bigint, scaleOf(bound.a), scaleOf(bound))));
    case 'negate':
      return strict([bound.a], ([a]) => fits(-(a as bigint)));
    case 'abs':
      return strict([bound.a], ([a]) => fits((a as bigint) < 0n ? -(a as bigint) : (a as bigint)));
    case 'floor':
    case 'ceiling':
      return strict([bound.a], ([a]) => {
        const unit = pow10(scaleOf(bound.a));
        const rest = (a as bigint) % unit;
        const whole = (a as bigint) / unit;
        if (bound.op === 'floor') return rest < 0n ? whole - 1n : whole;
        return rest > 0n ? whole + 1n : whole;
      });
    case 'not': {
      const a = of(bound.a);
      return a === null ? null : !a;
    }
    case 'and': {
      const a = of(bound.a);
      if (a === false) return false;
      const b = of(bound.b);
      return b === false ? false : a === null || b === null ? null : true;
    }
    case 'or': {
      const a = of(bound.a);
      if (a === true) return true;
      const b = of(bound.b);
      return b === true ? true : a === null || b === null ? null : false;
    }
    case 'isNull':
      return of(bound.a) === null;
    case 'isTruth':
      return of(bound.a) === bound.value;
    case 'distinct': {
      const [a, b] = [of(bound.a), of(bound.b)];
      return a !== b;
    }
    case 'compare':
      return strict([bound.a, bound.b], ([a, b]) => {
        const sign = order(a!, b!);
        switch (bound.how) {
          case '=':
            return sign === 0;
          case '<>':
            return sign !== 0;
          case '<':
            return sign < 0;
          case '<=':
            return sign <= 0;
          case '>':
            return sign > 0;
          case '>=':
            return sign >= 0;
        }
      });
    case 'between': {
      const [a, low, high] = [of(bound.a), of(bound.low), of(bound.high)];
      const above = a === null || low === null ? null : order(a, low) >= 0;
      const below = a === null || high === null ? null : order(a, high) <= 0;
      if (above === false || below === false) return false;
      return above === null || below === null ? null : true;
    }
    case 'in': {
      const a = of(bound.a);
      const values = bound.list.map(of);
      if (a === null) return null;
      if (values.some((value) => value !== null && order(a, value) === 0)) return true;
      return values.includes(null) ? null : false;
    }
    case 'like':
      return strict([bound.a, bound.pattern], ([a, pattern]) => {
        if (Array.from(pattern as string).length > MOST_PATTERN) throw new RunError('pattern');
        const result = like(a as string, pattern as string, bound.escape);
        if (result === null) throw new RunError('pattern');
        return result;
      });
    case 'limit':
      return strict([bound.a], ([a]) => {
        const most = pow10(bound.most);
        if ((a as bigint) >= most || (a as bigint) <= -most) throw new RunError('large');
        return a!;
      });
    case 'limitText':
      return strict([bound.a], ([a]) => {
        if (Array.from(a as string).length > bound.most) throw new RunError('long');
        return a!;
      });
    case 'add':
      return strict([bound.a, bound.b], ([a, b]) => fits((a as bigint) + (b as bigint)));
    case 'sub':
      return strict([bound.a, bound.b], ([a, b]) => fits((a as bigint) - (b as bigint)));
    case 'mul':
      return strict([bound.a, bound.b], ([a, b]) => {
        const full = scaleOf(bound.a) + scaleOf(bound.b);
        return fits(rescale((a as bigint) * (b as bigint), full, scaleOf(bound)));
      });
    case 'div':
      return strict([bound.a, bound.b], ([a, b]) =>
        quotient(a as bigint, b as bigint, bound.a, bound.b, bound),
      );
    case 'mod':
      return strict([bound.a, bound.b], ([a, b]) => (b === 0n ? null : (a as bigint) % (b as bigint)));
    case 'addDays':
      return strict([bound.a, bound.b], ([a, b]) => {
        if (bound.type.type === 'instant') return instantAfter(a as string, (b as bigint) * 86400n);
        return someDate(addDays(a as string, Number(b)));
      });
    case 'addMonths':
      return strict([bound.a, bound.b], ([a, b]) => {
        const text = a as string;
        return someDate(addMonths(text.slice(0, 10), Number(b))) + text.slice(10);
      });
    case 'addSeconds':
      return strict([bound.a, bound.b], ([a, b]) =>
        bound.type.type === 'time'
          ? timeAfter(a as string, b as bigint)
          : instantAfter(a as string, b as bigint),
      );
    case 'daysBetween':
      return strict([bound.a, bound.b], ([a, b]) => BigInt(dayNumber(a as string) - dayNumber(b as string)));
    case 'secondsBetween':
      return strict([bound.a, bound.b], ([a, b]) => BigInt(secondsOf(a as string) - secondsOf(b as string)));
    case 'concat':
      return strict([bound.a, bound.b], ([a, b]) => (a as string) + (b as string));
    case 'upper':
      return strict([bound.a], ([a]) => upper(a as string));
    case 'lower':
      return strict([bound.a], ([a]) => lower(a as string));
    case 'length':
      return strict([bound.a], ([a]) => BigInt([...(a as string)].length));
    case 'position':
      return strict([bound.a, bound.b], ([part, whole]) => {
        const at = (whole as string).indexOf(part as string);
        return at < 0 ? 0n : BigInt([...(whole as string).slice(0, at)].length + 1);
      });
    case 'trim':
      return strict([bound.a], ([a]) => {
        let chars = [...(a as string)];
        if (bound.side !== 'TRAILING') chars = chars.slice(firstOther(chars, bound.char));
        if (bound.side !== 'LEADING')
          chars = chars.slice(0, chars.length - firstOther([...chars].reverse(), bound.char));
        return chars.join('');
      });
    case 'substring':
      return strict([bound.a, bound.from, ...(bound.length ? [bound.length] : [])], ([a, from, length]) => {
        const chars = Array.from(a as string);
        const start = clamped(from as bigint);
        const end = length === undefined ? BigInt(chars.length) + 1n : start + clamped(length as bigint);
        return chars.slice(Number(start > 1n ? start : 1n) - 1, Math.max(Number(end) - 1, 0)).join('');
      });
    case 'toText':
      return strict([bound.a], ([a]) => {
        if (typeof a === 'boolean') return a ? 'TRUE' : 'FALSE';
        return typeof a === 'bigint' ? toText({ units: a, scale: scaleOf(bound.a) }) : (a as string);
      });
    case 'toDate':
      return strict([bound.a], ([a]) => {
        const text = bound.a.type.type === 'instant' ? (a as string).slice(0, 10) : (a as string);
        if (!isDate(text)) throw new RunError('cast');
        return text;
      });
    case 'toNumber':
      return strict([bound.a], ([a]) => numberFrom(a as string, scaleOf(bound)));
    case 'extract':
      return strict([bound.a], ([a]) => extract(bound.unit, a as string));
    case 'coalesce': {
      for (const part of bound.list) {
        const value = of(part);
        if (value !== null) return value;
      }
      return null;
    }
    case 'nullif': {
      const [a, b] = [of(bound.a), of(bound.b)];
      return a !== null && b !== null && order(a, b) === 0 ? null : a;
    }
    case 'case': {
      const hit = bound.whens.find(({ when }) => of(when) === true);
      return hit ? of(hit.then) : bound.otherwise ? of(bound.otherwise) : null;
    }
    case 'aggregate':
      return aggregate(bound, env, rows);
  }
}

/** Half of what 64 bits hold, so that the sum of a position and a length fits. */
export const MOST_POSITION = 4n * 10n ** 18n;

const clamped = (position: bigint): bigint =>
  position > MOST_POSITION ? MOST_POSITION : position < -MOST_POSITION ? -MOST_POSITION : position;

const firstOther = (chars: readonly string[], char: string): number => {
  const at = chars.findIndex((candidate) => candidate !== char);
  return at < 0 ? chars.length : at;
};

function quotient(a: bigint, b: bigint, left: Bound, right: Bound, result: Bound): Val {
  if (b === 0n) return null;
  const shift = scaleOf(result) + scaleOf(right) - scaleOf(left);
  const divisor = shift < 0 ? b * pow10(-shift) : b;
  if ((divisor < 0n ? -divisor : divisor) >= pow10(15)) throw new RunError('large');
  return fits(divideRounded(a * pow10(Math.max(shift, 0)), divisor));
}

function someDate(date: string | null): string {
  if (date === null) throw new RunError('date');
  return date;
}

/** Seconds of a time since midnight, or of a date and time since 1970. */
const secondsOf = (text: string): number => parseTime(text) ?? parseInstant(text) ?? 0;

const DAY = 86_400n;

/** A time goes round the clock: 23:30 and an hour is 00:30 (ISO/IEC 9075-2, 6.35). */
const timeAfter = (text: string, seconds: bigint): string =>
  timeText(Number((((BigInt(secondsOf(text)) + seconds) % DAY) + DAY) % DAY));

function instantAfter(text: string, seconds: bigint): string {
  return someDate(instantText((parseInstant(text) ?? 0) + Number(seconds)));
}

function extract(unit: string, text: string): bigint {
  const time = text.includes('T') ? text.slice(11, 19) : text;
  const seconds = parseTime(time) ?? 0;
  switch (unit) {
    case 'YEAR':
      return BigInt(text.slice(0, 4));
    case 'MONTH':
      return BigInt(text.slice(5, 7));
    case 'DAY':
      return BigInt(text.slice(8, 10));
    case 'HOUR':
      return BigInt(Math.floor(seconds / 3600));
    case 'MINUTE':
      return BigInt(Math.floor(seconds / 60) % 60);
    default:
      return BigInt(seconds % 60);
  }
}

function numberFrom(text: string, scale: number): bigint {
  const match = /^ *([+-]?)([0-9]*)(?:\.([0-9]*))? *$/.exec(text);
  const [, sign, whole = '', fraction = ''] = match ?? [];
  if (!match || whole + fraction === '') throw new RunError('cast');
  if (whole.replace(/^0+/, '').length + scale > 15) throw new RunError('large');
  const units = rescale(BigInt(whole + fraction), fraction.length, scale);
  return sign === '-' ? -units : units;
}

function collected<Row>(over: Collection, env: Evaluation<Row>, rows: Rows<Row>): Row[] {
  const start = rows.get(over.from) ?? null;
  let found: Row[] = start === null ? [] : [start];
  for (const hop of over.hops)
    found = found.flatMap((row) => {
      if (hop.hop === 'children') return [...env.children(row, hop)];
      const next = env.follow(row, hop);
      return next === null ? [] : [next];
    });
  return found;
}

function aggregate<Row>(
  bound: Extract<Bound, { op: 'aggregate' }>,
  env: Evaluation<Row>,
  rows: Rows<Row>,
): Val {
  const found = bound.over ? collected(bound.over, env, rows) : [...(env.group ?? [])];
  const as = bound.over?.as ?? 0;
  const values: Exclude<Val, null>[] = [];
  for (const row of found) {
    const inner = new Map(rows).set(as, row);
    if (bound.filter && run(bound.filter, env, inner) !== true) continue;
    const value = bound.arg ? run(bound.arg, env, inner) : true;
    if (value !== null) values.push(value);
  }
  const used = bound.distinct ? [...new Set(values)] : values;
  if (bound.name === 'COUNT') return BigInt(used.length);
  if (used.length === 0) return null;
  if (bound.name === 'SUM') return fits((used as bigint[]).reduce((sum, value) => sum + value, 0n));
  const sign = bound.name === 'MIN' ? -1 : 1;
  return used.reduce((best, value) => (order(value, best) * sign > 0 ? value : best));
}
