import { attempt, bind, sqlName, sqlText, toSql } from '../expression';
import {
  catalogOf,
  displayOf,
  fieldOf,
  displaySql,
  fieldSql,
  isStored,
  KIND_LABELS,
  lookupDisplay,
  placesOf,
  storedFields,
  tableOf,
  typeOf,
  asText,
  type Design,
  type Field,
  type FieldType,
  type Settings,
  type Table,
} from '../design';
import type { Convert, Evolved } from './changes';

/**
 * Values that must be read one by one to become values of another kind: each different one is read once,
 * and the rows then take theirs from the table in which the results stand.
 */
export interface MapPlan {
  readonly field: string;
  /** The temporary table: `old`, `new`, and `message` where the value cannot be read. */
  readonly table: string;
  /** SQL for every different value as it is kept, the text that stands for it (or null), and its rows. */
  readonly source: string;
  /** SQL for the keys a lookup may take, each with the text it is found by; null for other kinds. */
  readonly targets: string | null;
  readonly from: FieldType;
  readonly to: FieldType;
  readonly convert: Convert;
  readonly settings: Settings;
  /** What the rows of the other table are called, for messages. */
  readonly targetLabel: string;
}

/** Rows that come back with a table which is not there now. */
export interface Returning {
  /** Where they are read from. */
  readonly from: string;
  /** SQL for the key by which each of them is told: the one it had. */
  readonly key: readonly string[];
  /** By field, SQL for what each is to hold, and whether that may be another value than it had. */
  readonly values: ReadonlyMap<string, { readonly sql: string; readonly same: boolean }>;
}

/** A temporary table that says which new key stands for which old one. */
export interface KeyPlan {
  readonly table: string;
  readonly sql: string;
}

const SCALED = new Set<FieldType['kind']>(['wholeNumber', 'decimal', 'money']);
const TEXTS = new Set<FieldType['kind']>(['text', 'longText', 'choice']);

export type Conversion = 'same' | 'scale' | 'map' | 'none' | 'given' | 'frozen';

/**
 * How the values of a field get from one type to another: as they are, scaled, read one by one, not at all
 * (into a field that is worked out), given by the file (a running number), or worked out for the last time.
 */
export function conversion(
  before: Design,
  source: Field,
  after: Design,
  field: Field,
  convert?: Convert,
): Conversion {
  const [from, to] = [source.type, field.type];
  if (!isStored(field)) return 'none';
  if (!isStored(source)) return 'frozen';
  if (convert?.instead && Object.keys(convert.instead).length > 0) return 'map';
  if (SCALED.has(from.kind) && SCALED.has(to.kind)) return placesOf(from) === placesOf(to) ? 'same' : 'scale';
  if (TEXTS.has(from.kind) && TEXTS.has(to.kind)) {
    if (to.kind === 'text' && to.pattern && !(from.kind === 'text' && from.pattern === to.pattern))
      return 'map';
    // One line of text is not made of several without looking at them.
    return from.kind === 'longText' && to.kind !== 'longText'
      ? 'map'
      : from.kind !== 'choice' && to.kind === 'choice'
        ? 'map'
        : 'same';
  }
  if (to.kind === 'runningNumber' && (from.kind === 'runningNumber' || from.kind === 'wholeNumber'))
    return 'same';
  if (from.kind === 'runningNumber' && to.kind === 'wholeNumber') return 'same';
  if (to.kind === 'runningNumber') return 'given';
  if (from.kind === 'stamp' && to.kind === 'stamp')
    return typeOf(before, from).type === typeOf(after, to).type ? 'same' : 'map';
  if (from.kind === 'lookup' && to.kind === 'lookup') return from.table === to.table ? 'same' : 'map';
  if (from.kind === to.kind) return 'same';
  const bytes = (kind: string): boolean => kind === 'picture' || kind === 'file';
  return bytes(from.kind) && bytes(to.kind) ? 'same' : 'map';
}

/** Why a field cannot become what the draft says at all; null when it can, whatever its values. */
export function kindProblem(source: Field, field: Field): string | null {
  const [from, to] = [source.type.kind, field.type.kind];
  if (from === to) return null;
  if ((to === 'picture' || to === 'file') && from !== 'picture' && from !== 'file')
    return `${field.label} holds ${KIND_LABELS[from].toLowerCase()}: no ${KIND_LABELS[to].toLowerCase()} can be made of that.`;
  return null;
}

const mapName = (field: string): string => `hr_map_${field}`;
/** The temporary table that says which new key stands for which old one. */
export const keyName = (table: string): string => `hr_key_${table}`;

/** A number of units at one scale as SQL at another; what falls off is rounded half away from zero. */
function scaledSql(own: string, from: number, to: number): string {
  if (to === from) return own;
  if (to > from) return `${own} * 1${'0'.repeat(to - from)}`;
  const unit = `1${'0'.repeat(from - to)}`;
  return `(${own} / ${unit} + (${own} % ${unit}) * 2 / ${unit})`;
}

export const looked = (map: string, own: string): string =>
  `(SELECT m.new FROM temp.${sqlName(map)} AS m WHERE m.old = ${own})`;

/** Says in SQL how the rows of a file of one design become rows of another. */
export class Carrier {
  constructor(
    readonly before: Design,
    readonly evolved: Evolved,
  ) {}

  private get after(): Design {
    return this.evolved.design;
  }

  private old(table: Table): Table | undefined {
    return this.before.tables.find(({ id }) => id === table.id);
  }

  private convertOf(field: Field): Convert | undefined {
    const source = this.evolved.carry[field.id];
    return source?.from === 'convert' ? source.convert : undefined;
  }

  /** The SQL for a field's old value turned into its new one; `own` is the old value. */
  private converted(source: Field, field: Field, own: string): string {
    const sql = this.convertedAs(source, field, own);
    if (field.type.kind !== 'tick' || sql === own) return sql;
    // A tick is never empty: where there was nothing it is off.
    return this.convertOf(field)?.otherwise === 'empty'
      ? `coalesce(${sql}, 0)`
      : `CASE WHEN ${own} IS NULL THEN 0 ELSE ${sql} END`;
  }

  private convertedAs(source: Field, field: Field, own: string): string {
    switch (conversion(this.before, source, this.after, field, this.convertOf(field))) {
      case 'same':
        return own;
      case 'scale':
        return scaledSql(own, placesOf(source.type), placesOf(field.type));
      case 'map':
        return looked(mapName(field.id), own);
      default:
        return 'NULL';
    }
  }

  /**
   * SQL for what a row of the old table (whose columns stand bare) holds in a field of the new one: its
   * value, converted; in a new field that is always filled the starting value; otherwise nothing. A row that
   * would have no running number gets the next one.
   */
  value(old: Table, table: Table, field: Field): string {
    const value = this.carried(old, table, field);
    const was = fieldOf(old, field.id);
    const numbered = was?.type.kind === 'runningNumber' || old.key.includes(field.id);
    if (field.type.kind !== 'runningNumber' || (numbered && value === sqlName(was!.name))) return value;
    const order = old.key.map((id) => `o.${sqlName(fieldOf(old, id)!.name)}`).join(', ');
    const highest = `max(${field.type.first - 1}, ${this.lastNumber(table) ?? '0'}, coalesce(max(${value}) OVER (), 0))`;
    return `coalesce(${value}, ${highest} + row_number() OVER (PARTITION BY ${value} IS NULL ORDER BY ${order}))`;
  }

  /** The value of a field as it is carried, which is none where there is no running number yet. */
  protected carried(old: Table, table: Table, field: Field): string {
    const source = this.evolved.carry[field.id];
    if (source?.from === 'part') return partSql(fieldOf(old, source.field)!, source);
    if (source?.from === 'parts') return mergedSql(old, source);
    const was = fieldOf(old, field.id);
    if (!was || conversion(this.before, was, this.after, field) === 'given')
      return this.fresh(old, table, field);
    if (!isStored(was)) return this.frozen(old, was, field);
    const own = sqlName(was.name);
    const moved = this.movedKey(was, field, own);
    return moved ?? this.converted(was, field, own);
  }

  /** A lookup follows when the key of the table it leads to changes. */
  protected movedKey(was: Field, field: Field, own: string): string | null {
    if (was.type.kind !== 'lookup' || field.type.kind !== 'lookup' || was.type.table !== field.type.table)
      return null;
    const target = tableOf(this.after, field.type.table);
    const old = this.old(target);
    if (!old || old.key.length !== 1 || target.key.length !== 1) return null;
    const [from, to] = [fieldOf(old, old.key[0]!)!, fieldOf(target, target.key[0]!)!];
    if (from.id !== to.id || conversion(this.before, from, this.after, to) === 'given')
      return looked(keyName(target.id), own);
    if (from.type.kind === 'lookup') return this.movedKey(from, to, own) ?? this.converted(from, to, own);
    return this.converted(from, to, own);
  }

  /**
   * The condition for rows `t` whose value was there and could not be read, given SQL for the old value and
   * the new one; null when no row can be such.
   */
  unread(_table: Table, _field: Field, was: string, now: string): string | null {
    return `${was} IS NOT NULL AND ${now} IS NULL`;
  }

  /** Whether rows that are there get values of their own in a field that they did not have. */
  fills(_table: Table, _field: Field): boolean {
    return false;
  }

  /** Where the rows of a table are read from. */
  from(old: Table, _table: Table): string {
    return `main.${sqlName(old.name)} AS o`;
  }

  /** The rows of a table which was not there before; null where it begins with none. */
  returning(_table: Table): Returning | null {
    return null;
  }

  /** SQL for the last number that a table's key has given as far as is known elsewhere; null for nowhere. */
  lastNumber(_table: Table): string | null {
    return null;
  }

  private fresh(old: Table, table: Table, field: Field): string {
    if (field.type.kind === 'runningNumber') return 'NULL';
    if (field.type.kind === 'tick' && field.start === null) return '0';
    const needed = field.alwaysFilled || field.type.kind === 'tick' || table.key.includes(field.id);
    if (field.start === null || field.start.trim() === '' || !needed) return 'NULL';
    const catalog = catalogOf(this.after);
    const { bound } = bind(field.start, { catalog, table: null });
    const type = typeOf(this.after, field.type);
    const { sql } = toSql(bound, { catalog, row: null });
    if (type.type !== 'number' || bound.type.type !== 'number') return sql;
    return `${sql} * 1${'0'.repeat(type.scale - bound.type.scale)}`;
  }

  /** What was worked out becomes a value of its own. */
  private frozen(old: Table, was: Field, field: Field): string {
    const catalog = catalogOf(this.before);
    const { bound } = bind(`"#${was.id}"`, { catalog, table: old.id });
    const own = toSql(bound, { catalog, row: 'o', schema: 'main', faults: 'empty' }).sql;
    const result = was.type.kind === 'workedOut' ? { ...was, type: was.type.result as FieldType } : was;
    return this.converted(result, field, own);
  }

  /** The plans for values of kept fields that must be read one by one. */
  maps(): MapPlan[] {
    return this.after.tables.flatMap((table) => {
      const old = this.old(table);
      return old ? storedFields(table).flatMap((field) => this.mapOf(old, field)) : [];
    });
  }

  private mapOf(old: Table, field: Field): MapPlan[] {
    const was = fieldOf(old, field.id);
    if (!was) return [];
    const result: Field = was.type.kind === 'workedOut' ? { ...was, type: was.type.result } : was;
    if (conversion(this.before, result, this.after, field, this.convertOf(field)) !== 'map') return [];
    return [this.plan(old, was, field)];
  }

  /** How the values of one field are read as another type, whether or not SQL alone could do it. */
  plan(old: Table, was: Field, field: Field): MapPlan {
    const catalog = catalogOf(this.before);
    const own = fieldSql(this.before, catalog, old, was, 'o');
    const text = this.textOf(was, 'v.old');
    return {
      field: field.id,
      table: mapName(field.id),
      source:
        `SELECT v.old, ${text ?? 'NULL'}, v.rows FROM (SELECT ${own} AS old, count(*) AS rows FROM main.${sqlName(old.name)} AS o ` +
        `WHERE ${own} IS NOT NULL GROUP BY 1) AS v`,
      ...this.targetsOf(field),
      from: was.type.kind === 'workedOut' ? was.type.result : was.type,
      to: field.type,
      convert: this.convertOf(field) ?? {},
      settings: this.before.settings,
    };
  }

  private textOf(was: Field, own: string): string | null {
    if (was.type.kind === 'picture' || was.type.kind === 'file')
      return `(SELECT a.name FROM hr_attachment AS a WHERE a.id = ${own})`;
    if (was.type.kind !== 'lookup') return null;
    const target = tableOf(this.before, was.type.table);
    const catalog = catalogOf(this.before);
    const key = fieldOf(target, target.key[0]!)!;
    const shown = displaySql(target, asText(lookupDisplay(this.before, was.type)), { catalog, row: 'd' });
    return `(SELECT ${shown} FROM main.${sqlName(target.name)} AS d WHERE d.${sqlName(key.name)} = ${own})`;
  }

  /** The rows a new lookup may lead to, with the text they are found by, as the file holds them now. */
  private targetsOf(field: Field): Pick<MapPlan, 'targets' | 'targetLabel'> {
    if (field.type.kind !== 'lookup') return { targets: null, targetLabel: '' };
    const target = this.before.tables.find(
      ({ id }) => field.type.kind === 'lookup' && id === field.type.table,
    );
    const label = tableOf(this.after, field.type.table).label.toLowerCase();
    const key = target?.key.length === 1 ? fieldOf(target, target.key[0]!) : undefined;
    if (!target || !key) return { targets: null, targetLabel: label };
    const catalog = catalogOf(this.before);
    const own = fieldOf(target, key.id)!;
    const over = { catalog, table: target.id };
    // What the draft lets it show may be new itself.
    const shows = attempt(() =>
      bind(
        asText(field.type.kind === 'lookup' && field.type.shows ? field.type.shows : displayOf(target)),
        over,
      ),
    );
    const { bound } = shows.ok ? shows.value : bind(asText(displayOf(target)), over);
    const shown = toSql(bound, { catalog, row: 't' }).sql;
    return {
      targets: `SELECT t.${sqlName(own.name)}, ${shown} FROM main.${sqlName(target.name)} AS t`,
      targetLabel: label,
    };
  }

  /** The tables whose key becomes another field, with lookups that must follow. */
  keys(): KeyPlan[] {
    return this.after.tables.flatMap((table) => {
      const old = this.old(table);
      if (!old || old.key.length !== 1 || table.key.length !== 1) return [];
      const [from, to] = [fieldOf(old, old.key[0]!)!, fieldOf(table, table.key[0]!)!];
      const was = fieldOf(old, to.id);
      const given = was !== undefined && conversion(this.before, was, this.after, to) === 'given';
      if (from.id === to.id && !given) return [];
      const followed = this.before.tables.some(({ fields }) =>
        fields.some(({ type }) => type.kind === 'lookup' && type.table === table.id),
      );
      if (!followed) return [];
      const name = keyName(table.id);
      return [
        {
          table: name,
          sql: `INSERT INTO temp.${sqlName(name)} (old, new) SELECT ${sqlName(from.name)}, ${this.value(old, table, to)} FROM main.${sqlName(old.name)} AS o`,
        },
      ];
    });
  }
}

/** The column, in rows as they will be, of one of the fields of the key that they have now. */
export const keyColumn = (i: number): string => `"hr key ${i}"`;

/** Whether the rows of a table get other keys: by other fields, or by other values in them. */
export const movesKey = (carrier: Carrier, old: Table, table: Table): boolean =>
  old.key.join() !== table.key.join() ||
  table.key.some((id) => carrier.value(old, table, fieldOf(table, id)!) !== sqlName(fieldOf(old, id)!.name));

/** The text before or behind the first separator, without blanks around it; empty becomes NULL. */
export function partSql(field: Field, source: { readonly separator: string; readonly part: 0 | 1 }): string {
  const own = sqlName(field.name);
  const separator = sqlText(source.separator);
  const at = `instr(${own}, ${separator})`;
  const part =
    source.part === 0
      ? `CASE WHEN ${at} > 0 THEN substr(${own}, 1, ${at} - 1) ELSE ${own} END`
      : `CASE WHEN ${at} > 0 THEN substr(${own}, ${at} + ${[...source.separator].length}) END`;
  return `nullif(trim(${part}), '')`;
}

/** Two texts with a separator between them, where both are there. */
export function mergedSql(
  old: Table,
  { fields, separator }: { readonly fields: readonly [string, string]; readonly separator: string },
): string {
  const [a, b] = fields.map((id) => sqlName(fieldOf(old, id)!.name)) as [string, string];
  return `CASE WHEN ${a} IS NULL THEN ${b} WHEN ${b} IS NULL THEN ${a} ELSE ${a} || ${sqlText(separator)} || ${b} END`;
}
