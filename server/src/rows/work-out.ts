import {
  catalogOf,
  fieldOf,
  fits,
  isGiven,
  plainField,
  tableOf,
  typeOf,
  uniqueName,
  type Design,
  type Field,
  type FieldType,
  type Table,
} from '@heathridge/core/design';
import { attempt, bind, sqlName, toStored } from '@heathridge/core/expression';
import type { Cell } from '@heathridge/core/api';
import type { RowKey } from '@heathridge/core/rows';
import type { Connection } from '../store/driver';
import { guarded } from '../store/statements';
import { cellJson, keyColumns } from './json';

/** A value that a field may hold, or why it cannot be worked out. */
export type WorkedOutValue = Exclude<Cell, readonly unknown[]> | null;

/** An expression that gives nothing a field could hold, in words. */
export class Unfit extends Error {}

/**
 * What an expression gives for rows of a table, as values that a field may hold; null too where a row has gone.
 * Throws {@link Unfit}.
 */
export function workOut(
  db: Connection,
  design: Design,
  table: Table,
  field: Field,
  expression: string,
  keys: readonly RowKey[],
): readonly WorkedOutValue[] {
  const refuse = (why: string): never => {
    throw new Unfit(why);
  };
  const { type } = field;
  if (isGiven(field) || type.kind === 'picture' || type.kind === 'file')
    refuse(`${field.label} cannot be filled with an expression.`);
  const written = attempt(() => {
    const stored = toStored(expression, catalogOf(design), table.id);
    return { stored, bound: bind(stored, { catalog: catalogOf(design), table: table.id }).bound };
  });
  if (!written.ok) return refuse(written.error.message);
  const { stored, bound } = written.value;
  const wanted = typeOf(design, type);
  if (bound.type.type === 'number' && wanted.type === 'number' && bound.type.scale > wanted.scale)
    refuse(
      `This gives ${bound.type.scale} decimal places, and ${field.label} has ${wanted.scale}: write ROUND(…, ${wanted.scale}) around it.`,
    );
  if (!fits(bound.type, wanted)) refuse(`What this expression gives is of another kind than ${field.label}.`);
  // As a field that is worked out beside the others: it then travels like any of their values.
  const beside = plainField(
    uniqueName(
      'f_beside',
      table.fields.map(({ id }) => id),
    ),
    uniqueName(
      'beside',
      table.fields.map(({ name }) => name),
    ),
    'Beside',
    { kind: 'workedOut', expression: stored, result: resultOf(design, type) },
  );
  const widened = { ...table, fields: [...table.fields, beside] };
  const wide: Design = {
    ...design,
    tables: design.tables.map((other) => (other === table ? widened : other)),
  };
  const cell = cellJson(wide, catalogOf(wide), widened, beside, 't');
  const where = keyColumns(table, 't').map((column) => `${column} = ?`);
  const sql = `SELECT json_array(${cell}) || '' FROM ${sqlName(table.name)} AS t WHERE ${where.join(' AND ')}`;
  const read = guarded(db, sql, 1);
  return keys.map((key) => {
    const row = read.get(...key) as [string] | undefined;
    return row ? (JSON.parse(row[0]) as [WorkedOutValue])[0] : null;
  });
}

type Result = Extract<FieldType, { kind: 'workedOut' }>['result'];

/** The kind of a value that a field takes: of a lookup, that of the key it leads to. */
function resultOf(design: Design, type: FieldType, depth = 0): Result {
  switch (type.kind) {
    case 'lookup': {
      const target = tableOf(design, type.table);
      const key = fieldOf(target, target.key[0]!);
      return key && depth < 16 ? resultOf(design, key.type, depth + 1) : { kind: 'wholeNumber' };
    }
    case 'runningNumber':
      return { kind: 'wholeNumber' };
    case 'decimal':
    case 'money':
      return { kind: type.kind, places: type.places };
    case 'wholeNumber':
    case 'tick':
    case 'date':
    case 'time':
    case 'dateTime':
      return { kind: type.kind };
    default:
      return { kind: 'text', most: null };
  }
}
