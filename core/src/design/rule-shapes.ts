import { writtenName } from '../expression';
import { readValue, type Reading, type ValueKind } from '../values';
import { valueKind } from './catalog';
import type { Field, FieldType } from './schema';

/** Rules that are put together from parts instead of being written. */
export const SHAPES = {
  between: 'lies between two values',
  oneOf: 'is one of a few values',
  after: 'comes after another field',
  matches: 'looks like a text',
  yearsAgo: 'lies at least some years back',
  notFuture: 'is not later than today',
  requiredWhen: 'is filled when another field has a value',
  noOverlap: 'does not overlap in time with others of the same',
} as const;

export type Shape = keyof typeof SHAPES;

export interface ShapeParts {
  readonly field: Field;
  /** Another field of the same row: what it comes after, what it depends on, the end of the period. */
  readonly other?: Field | undefined;
  /** The lookup whose rows must not overlap, and the name of this table's rows as seen from there. */
  readonly same?: { readonly lookup: Field; readonly children: string; readonly key: Field } | undefined;
  /** Values as people typed them. */
  readonly values: readonly string[];
}

export type Shaped =
  | { readonly ok: true; readonly expression: string; readonly message: string }
  | { readonly ok: false; readonly message: string };

/** A typed value as a literal of the expression language, after the kind of a field. */
function literal(type: FieldType, typed: string, reading: Reading): { text: string } | { problem: string } {
  const kind: ValueKind = valueKind(type);
  const read = readValue(kind.kind === 'text' ? { kind: 'text' } : kind, typed, reading);
  if (!read.ok) return { problem: read.message };
  if (read.value === null) return { problem: 'A value is missing.' };
  const quoted = `'${String(read.value).replace(/'/g, "''")}'`;
  switch (kind.kind) {
    case 'date':
      return { text: `DATE ${quoted}` };
    case 'time':
      return { text: `TIME ${quoted}` };
    case 'dateTime':
      return { text: `TIMESTAMP ${quoted}` };
    case 'tick':
      return { text: read.value === true ? 'TRUE' : 'FALSE' };
    case 'text':
    case 'longText':
    case 'choice':
      return { text: quoted };
    default:
      return { text: String(read.value) };
  }
}

/** The expression and a first message of a rule of a shape, or what is missing. */
export function shapeRule(shape: Shape, parts: ShapeParts, reading: Reading): Shaped {
  const { field, other, same, values } = parts;
  const name = writtenName(field.name);
  const braces = `{${name}}`;
  const refuse = (message: string): Shaped => ({ ok: false, message });
  const literals = values.map((value) =>
    literal(other && shape === 'requiredWhen' ? other.type : field.type, value, reading),
  );
  const problem = literals.find((item): item is { problem: string } => 'problem' in item);
  const texts = literals.map((item) => ('text' in item ? item.text : ''));
  switch (shape) {
    case 'between':
      if (problem) return refuse(problem.problem);
      if (texts.length < 2) return refuse('Two values are needed.');
      return {
        ok: true,
        expression: `${name} BETWEEN ${texts[0]!} AND ${texts[1]!}`,
        message: `${field.label} is ${braces}: it must lie between ${values[0]!} and ${values[1]!}.`,
      };
    case 'oneOf':
      if (problem) return refuse(problem.problem);
      if (texts.length === 0) return refuse('At least one value is needed.');
      return {
        ok: true,
        expression: `${name} IN (${texts.join(', ')})`,
        message: `${field.label} is ${braces}: it must be one of ${values.join(', ')}.`,
      };
    case 'after': {
      if (!other) return refuse('The other field is missing.');
      const before = writtenName(other.name);
      return {
        ok: true,
        expression: `${name} > ${before}`,
        message: `${field.label} (${braces}) must come after ${other.label.toLowerCase()} ({${before}}).`,
      };
    }
    case 'matches': {
      const [pattern] = values;
      if (!pattern)
        return refuse('The text to look like is missing: % stands for any characters, _ for one.');
      return {
        ok: true,
        expression: `${name} LIKE '${pattern.replace(/'/g, "''")}'`,
        message: `${field.label} (${braces}) must look like ${pattern}.`,
      };
    }
    case 'yearsAgo': {
      const years = Number(values[0]);
      if (!Number.isInteger(years) || years < 1 || years > 200)
        return refuse('A number of years from 1 to 200 is needed.');
      return {
        ok: true,
        expression: `${name} <= CURRENT_DATE - INTERVAL '${years}' YEAR`,
        message: `${field.label} (${braces}) must lie at least ${years} ${years === 1 ? 'year' : 'years'} back.`,
      };
    }
    case 'notFuture':
      return {
        ok: true,
        expression: `${name} <= CURRENT_DATE`,
        message: `${field.label} (${braces}) lies in the future.`,
      };
    case 'requiredWhen': {
      if (!other) return refuse('The field it depends on is missing.');
      if (problem) return refuse(problem.problem);
      const on = writtenName(other.name);
      const when = texts.length === 0 ? `${on} IS NULL` : `${on} IS DISTINCT FROM ${texts[0]!}`;
      return {
        ok: true,
        expression: `${name} IS NOT NULL OR ${when}`,
        message: `${field.label} is needed when ${other.label.toLowerCase()} is ${values[0] ?? 'filled'}.`,
      };
    }
    case 'noOverlap': {
      if (!other || !same)
        return refuse('The end of the period and the field that must be the same are missing.');
      const [from, to] = [name, writtenName(other.name)];
      const rows = `${writtenName(same.lookup.name)}.${same.children}`;
      const key = writtenName(same.key.name);
      return {
        ok: true,
        expression:
          `COUNT(${rows}) FILTER (WHERE ${rows}.${key} IS DISTINCT FROM ${key} ` +
          `AND ${rows}.${from} < COALESCE(${to}, DATE '9999-12-31') AND COALESCE(${rows}.${to}, DATE '9999-12-31') > ${from}) = 0`,
        message: `{${writtenName(same.lookup.name)}} is taken already in this time ({${from}} to {${to}}).`,
      };
    }
  }
}
