import { createHash } from 'node:crypto';
import type { Cell } from '@heathridge/core/api';
import {
  catalogOf,
  displayOf,
  displaySql,
  fieldOf,
  lookupDisplay,
  tableOf,
  type Design,
  type Field,
} from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import type { ChangeAct } from '@heathridge/core/form';
import type { RowChange, RowKey } from '@heathridge/core/rows';
import type { Value } from '@heathridge/core/values';
import type { Connection } from '../store/driver';
import { guarded } from '../store/statements';
import { conditionSql } from './among';
import { cellJson, keyArray, keyColumns, titled, valueJson } from './json';
import { Unfit, workOut, type WorkedOutValue } from './work-out';

/** Rows that a prepared change takes at once: they are looked at one by one before. */
export const MOST_PREPARED = 500;

/** Rows that are looked at for it, those that stay as they are among them. */
const MOST_LOOKED_AT = 50_000;

/** Which rows a prepared change is about, and what becomes of them. */
export interface PreparedOrder {
  readonly table: string;
  /** What all of them meet, in stored form. */
  readonly conditions: readonly string[];
  readonly sets: ChangeAct['sets'];
}

/** A row with what its fields hold and what they would, in the order of the settings. */
export interface PreparedRow {
  readonly key: RowKey;
  readonly title: string;
  readonly cells: readonly { readonly was: Cell; readonly now: Cell }[];
}

export interface Prepared {
  /** Rows that would change; those that hold it already are left out. */
  readonly rows: readonly PreparedRow[];
  readonly changes: readonly RowChange[];
  /** Tells this change of these rows from any other. */
  readonly mark: string;
}

/** What a prepared change would do now; nothing is changed. Throws {@link Unfit} for what cannot be done. */
export function prepareChange(
  db: Connection,
  design: Design,
  { table: id, conditions, sets }: PreparedOrder,
): Prepared {
  const table = tableOf(design, id);
  const catalog = catalogOf(design);
  const fields = sets.map(({ field }) => fieldOf(table, field)!);
  const title = displaySql(table, displayOf(table), { catalog, row: 't' });
  const cells = fields.flatMap((field) => [
    cellJson(design, catalog, table, field, 't'),
    valueJson(field.type, `t.${sqlName(field.name)}`),
  ]);
  const where = conditions.map((source) => conditionSql(design, table, source));
  const sql =
    `SELECT json_array(${keyArray(table, 't')}, ${titled(title)}, ${cells.join(', ')}) || '' FROM ${sqlName(table.name)} AS t ` +
    `${where.length > 0 ? `WHERE ${where.join(' AND ')}` : ''} ORDER BY ${keyColumns(table, 't').join(', ')} LIMIT ${MOST_LOOKED_AT + 1}`;
  const found = guarded(db, sql, 1)
    .all()
    .map(([json]) => JSON.parse(json as string) as [RowKey, string | null, ...unknown[]]);
  if (found.length > MOST_LOOKED_AT)
    throw new Unfit(
      `More than ${MOST_LOOKED_AT.toLocaleString('en')} ${table.plural.toLowerCase()} would have to be looked at: that is too many for a button. A condition leaves fewer.`,
    );
  const keys = found.map(([key]) => key);
  const worked = sets.map(({ expression }, i) => workOut(db, design, table, fields[i]!, expression, keys));
  const texts = fields.map((field, i) => lookupTexts(db, design, field, worked[i]!));
  const rows: PreparedRow[] = [];
  const changes: RowChange[] = [];
  found.forEach(([key, name, ...held], at) => {
    const now = fields.map((field, i) => plainOf(worked[i]![at] ?? null, field, name ?? key.join(' · ')));
    const was = fields.map((_, i) => held[2 * i + 1] as Value);
    const changed = fields.flatMap((field, i) => (now[i] === was[i] ? [] : [{ field, i }]));
    if (changed.length === 0) return;
    if (changes.length === MOST_PREPARED)
      throw new Unfit(
        `More than ${MOST_PREPARED} ${table.plural.toLowerCase()} would change: that is too many at once for a button.`,
      );
    const of = (values: readonly Value[]): Record<string, Value> =>
      Object.fromEntries(changed.map(({ field, i }) => [field.id, values[i] ?? null]));
    changes.push({ op: 'update', table: table.id, key, values: of(now), was: of(was) });
    rows.push({
      key,
      title: name ?? key.join(' · '),
      cells: fields.map((_, i) => ({
        was: held[2 * i] as Cell,
        now: textOf(texts[i]!, now[i] ?? null),
      })),
    });
  });
  const mark = createHash('sha256').update(JSON.stringify(changes)).digest('hex').slice(0, 32);
  return { rows, changes, mark };
}

/** A value that a row can take. */
function plainOf(value: WorkedOutValue, { label }: Field, title: string): Value {
  if (typeof value === 'object' && value !== null)
    throw new Unfit(`What ${label} becomes cannot be worked out for ${title}.`);
  return value;
}

type Texts = ReadonlyMap<string | number, string> | null;

/** What stands for the rows to which a lookup would lead; null for other fields. */
function lookupTexts(
  db: Connection,
  design: Design,
  { type }: Field,
  keys: readonly WorkedOutValue[],
): Texts {
  if (type.kind !== 'lookup') return null;
  const target = tableOf(design, type.table);
  const [key] = keyColumns(target, 't');
  const shown = titled(
    displaySql(target, lookupDisplay(design, type), { catalog: catalogOf(design), row: 't' }),
  );
  const sql = `SELECT ${key}, ${shown} FROM ${sqlName(target.name)} AS t WHERE ${key} IN (SELECT value FROM json_each(?))`;
  const found = guarded(db, sql, 2).all(JSON.stringify([...new Set(keys)]));
  return new Map(found as [string | number, string][]);
}

const textOf = (texts: Texts, value: Value): Cell =>
  texts && (typeof value === 'string' || typeof value === 'number')
    ? [value, texts.get(value) ?? String(value)]
    : value;
