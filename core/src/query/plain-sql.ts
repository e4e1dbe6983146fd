import {
  bind,
  bindCondition,
  fold,
  foldedFrom,
  likeItems,
  parts,
  sqlText,
  type Bound,
  type Hop,
  type Scope,
} from '../expression';
import {
  catalogOf,
  fieldOf,
  readableKeys,
  readableName,
  tableOf,
  uniqueName,
  type Design,
  type Measure,
  type Query,
  type Table,
} from '../design';
import { columnsOf } from './columns';

/** Rows of one table in a statement: what they are called there, and the FROM that joins are added to. */
interface Rows {
  readonly alias: string;
  readonly table: Table;
  readonly from: From;
  /** Rows that have been joined to these, by the id of the link. */
  readonly joined: Map<string, Rows>;
}

interface From {
  readonly parts: string[];
}

/** How strongly an operator holds its operands together in the engine's SQL, from OR to a single name. */
const [OR, AND, NOT, EQUAL, ORDER, SUM, PRODUCT, JOINED, TERM] = [1, 2, 3, 4, 5, 6, 7, 8, 9];

interface Written {
  readonly sql: string;
  readonly holds: number;
}

const term = (sql: string): Written => ({ sql, holds: TERM });

const scaleOf = ({ type }: Bound): number => (type.type === 'number' ? type.scale : 0);

/** Why a result may differ in letters from what Heathridge shows. */
const OTHER_CASES = 'The engine’s own UPPER, LOWER and LIKE know the cases of A to Z only.';
const OTHER_ORDER =
  'The engine’s own order of texts knows no accents: with those they may come in another one.';

/**
 * Writes typed expressions as SQL that a person would write and can read, over the views that a file has for other
 * tools. It is for reading and for other programs: what runs here is `toSql`, which is exact. Numbers
 * with places are floats in it, rounded where a result is one, so that they agree in their first 15 digits.
 */
export class PlainSql {
  private readonly names = new Set<string>();
  private readonly rows = new Map<number, Rows>();
  private readonly said = new Set<string>();

  /** `today`: `YYYY-MM-DD`, what CURRENT_DATE is. */
  constructor(
    private readonly design: Design,
    private readonly today: string,
  ) {}

  /** What is to be said of the statement, see above. */
  get notes(): readonly string[] {
    return [...this.said];
  }

  /** Starts a FROM with the rows of a table as those which an expression looks at. */
  start(table: Table): Rows {
    const from: From = { parts: [] };
    const rows = this.open(table, table.name, from);
    from.parts.push(`FROM ${identifier(readableName(table))} AS ${rows.alias}`);
    this.rows.set(0, rows);
    return rows;
  }

  /** Joins the row that a link leads to, once; with `keepWithout`, or none. */
  follow(rows: Rows, hop: Hop, keepWithout: boolean): Rows {
    const id = hop.hop === 'link' ? hop.field.id : `~${hop.child.id}`;
    const known = rows.joined.get(id);
    if (known) return known;
    const table = tableOf(this.design, hop.table);
    const joined = this.open(table, hop.hop === 'link' ? hop.field.name : hop.child.name, rows.from);
    const on = hop.hop === 'link' ? hop.on : hop.child.on;
    rows.from.parts.push(
      `${keepWithout ? 'LEFT JOIN' : 'JOIN'} ${identifier(readableName(table))} AS ${joined.alias} ON ${this.meets(on, rows, joined)}`,
    );
    rows.joined.set(id, joined);
    return joined;
  }

  private open(table: Table, called: string, from: From): Rows {
    const name = uniqueName(called, this.names);
    this.names.add(name);
    return { alias: identifier(name), table, from, joined: new Map() };
  }

  private meets(on: readonly (readonly [string, string])[], rows: Rows, other: Rows): string {
    return on.map(([own, key]) => `${this.key(other, key)} = ${this.key(rows, own)}`).join(' AND ');
  }

  /** A column as it is kept: of a field that is shown by a text, that which holds its key. */
  private key({ alias, table }: Rows, column: string): string {
    const field = table.fields.find(({ name }) => name === column);
    return `${alias}.${identifier((field && readableKeys(table).get(field.id)) ?? column)}`;
  }

  /** An expression as a condition among others. */
  condition(bound: Bound): string {
    return this.in(bound, NOT);
  }

  /** An expression as a column of a result: fields as they are shown. */
  shown(bound: Bound): string {
    const rows = this.rowsOf(bound);
    return rows ? `${rows.alias}.${identifier((bound as Named).field.column)}` : this.value(bound);
  }

  /** What rows are grouped by. */
  grouped(bound: Bound): string {
    return this.rowsOf(bound) ? this.raw(bound).sql : this.value(bound);
  }

  /** What rows are put in order by. */
  ordered(bound: Bound): string {
    const isShown = bound.op === 'ref' && this.isShownByText(bound);
    if (bound.type.type !== 'text' && !isShown) return this.value(bound);
    this.said.add(OTHER_ORDER);
    return `${isShown ? this.shown(bound) : this.in(bound, TERM)} COLLATE NOCASE`;
  }

  /** The average of what an expression gives for the rows at hand, to so many places. */
  average(bound: Bound, places: number): string {
    return `ROUND(AVG(${this.number(bound, OR)}), ${places})`;
  }

  /** SQL for a value that can be shown, compared and put in order. */
  value(bound: Bound): string {
    return this.in(bound, OR);
  }

  private isShownByText(bound: Extract<Bound, { op: 'ref' }>): boolean {
    return readableKeys(this.rowsOf(bound)!.table).has(bound.field.id);
  }

  /** The rows of whose view an expression is a column; null for any other expression. */
  private rowsOf(bound: Bound): Rows | null {
    if (bound.op !== 'ref' && bound.op !== 'worked') return null;
    const row = bound.op === 'ref' ? bound.row : rowOf(bound.a);
    if (row === null) return null;
    return bound.links.reduce((rows, hop) => this.follow(rows, hop, true), this.rows.get(row)!);
  }

  /** A value, in parentheses where its operator holds less than `least`. */
  private in(bound: Bound, least: number): string {
    const { sql, holds } = this.whole(bound);
    return holds < least ? `(${sql})` : sql;
  }

  /** A number within arithmetic: texts turn into numbers there by themselves, and nothing is rounded yet. */
  private number(bound: Bound, least: number): string {
    const { sql, holds } = this.raw(bound);
    return holds < least ? `(${sql})` : sql;
  }

  /** A value of its own: numbers with places are numbers, and rounded to what they are. */
  private whole(bound: Bound): Written {
    const written = this.raw(bound);
    const scale = scaleOf(bound);
    if (scale === 0) return written;
    switch (innermost(bound).op) {
      case 'ref':
      case 'worked':
        return term(`CAST(${written.sql} AS REAL)`);
      case 'add':
      case 'sub':
      case 'mul':
      case 'negate':
      case 'abs':
        return term(`ROUND(${written.sql}, ${scale})`);
      case 'aggregate':
        return (innermost(bound) as Extract<Bound, { op: 'aggregate' }>).name === 'SUM'
          ? term(`ROUND(${written.sql}, ${scale})`)
          : written;
      default:
        return written;
    }
  }

  private raw(bound: Bound): Written {
    const v = (part: Bound, least = OR): string => this.in(part, least);
    const n = (part: Bound, least = OR): string => this.number(part, least);
    const call = (name: string, ...args: string[]): Written => term(`${name}(${args.join(', ')})`);
    switch (bound.op) {
      case 'const':
        return constant(bound);
      case 'clock':
        return term(bound.what === 'date' ? sqlText(this.today) : "strftime('%Y-%m-%dT%H:%M:%SZ', 'now')");
      case 'ref':
      case 'worked': {
        const rows = this.rowsOf(bound);
        // What looks at no row at all needs no view.
        return rows ? term(this.key(rows, bound.field.column)) : this.raw((bound as Worked).a);
      }
      case 'rescale': {
        if (scaleOf(bound) >= scaleOf(bound.a)) return this.raw(bound.a);
        const rounded = `ROUND(${n(bound.a)}${scaleOf(bound) === 0 ? '' : `, ${scaleOf(bound)}`})`;
        return term(scaleOf(bound) === 0 ? `CAST(${rounded} AS INTEGER)` : rounded);
      }
      case 'limit':
      case 'limitText':
        return this.raw(bound.a);
      case 'negate':
        return { sql: `-${n(bound.a, TERM)}`, holds: JOINED };
      case 'abs':
        return call('ABS', n(bound.a));
      case 'floor':
      case 'ceiling':
        return scaleOf(bound.a) === 0
          ? this.raw(bound.a)
          : term(`CAST(${bound.op.toUpperCase()}(${v(bound.a)}) AS INTEGER)`);
      case 'not':
        return this.denied(bound.a);
      case 'and':
        return { sql: `${v(bound.a, AND)} AND ${v(bound.b, NOT)}`, holds: AND };
      case 'or':
        return { sql: `${v(bound.a)} OR ${v(bound.b, AND)}`, holds: OR };
      case 'isNull':
      case 'in':
      case 'between':
      case 'like':
        return this.predicate(bound, '');
      case 'isTruth':
        return { sql: `${v(bound.a, ORDER)} IS ${bound.value ? 'TRUE' : 'FALSE'}`, holds: EQUAL };
      case 'distinct':
        return { sql: `${v(bound.a, ORDER)} IS NOT ${v(bound.b, ORDER)}`, holds: EQUAL };
      case 'compare': {
        const holds = bound.how === '=' || bound.how === '<>' ? EQUAL : ORDER;
        return { sql: `${v(bound.a, holds + 1)} ${bound.how} ${v(bound.b, holds + 1)}`, holds };
      }
      case 'add':
        return { sql: `${n(bound.a, SUM)} + ${n(bound.b, SUM)}`, holds: SUM };
      case 'sub':
        return { sql: `${n(bound.a, SUM)} - ${n(bound.b, PRODUCT)}`, holds: SUM };
      case 'mul':
        return { sql: `${n(bound.a, PRODUCT)} * ${n(bound.b, JOINED)}`, holds: PRODUCT };
      case 'div':
        return this.quotient(bound);
      case 'mod': {
        const scale = scaleOf(bound);
        if (scale === 0) return { sql: `${n(bound.a, PRODUCT)} % ${n(bound.b, JOINED)}`, holds: PRODUCT };
        const units = (part: Bound): string =>
          `CAST(ROUND(${n(part, PRODUCT)} * 1${'0'.repeat(scale)}) AS INTEGER)`;
        return { sql: `${units(bound.a)} % ${units(bound.b)} / 1${'0'.repeat(scale)}.0`, holds: PRODUCT };
      }
      case 'addDays':
      case 'addSeconds':
      case 'addMonths':
        return term(this.moved(bound));
      case 'daysBetween':
        return term(`CAST(JULIANDAY(${v(bound.a)}) - JULIANDAY(${v(bound.b)}) AS INTEGER)`);
      case 'secondsBetween':
        return { sql: `UNIXEPOCH(${v(bound.a)}) - UNIXEPOCH(${v(bound.b)})`, holds: SUM };
      case 'concat':
        return { sql: `${this.joinable(bound.a)} || ${this.joinable(bound.b)}`, holds: JOINED };
      case 'upper':
      case 'lower':
        this.said.add(OTHER_CASES);
        return call(bound.op.toUpperCase(), v(bound.a));
      case 'length':
        return call('LENGTH', v(bound.a));
      case 'position':
        return call('INSTR', v(bound.b), v(bound.a));
      case 'nullif':
        return call('NULLIF', v(bound.a), v(bound.b));
      case 'coalesce':
        return call('COALESCE', ...bound.list.map((part) => v(part)));
      case 'case': {
        const whens = bound.whens.map(({ when, then }) => ` WHEN ${v(when)} THEN ${v(then)}`).join('');
        return term(`CASE${whens}${bound.otherwise ? ` ELSE ${v(bound.otherwise)}` : ''} END`);
      }
      case 'trim': {
        const name = { LEADING: 'LTRIM', TRAILING: 'RTRIM', BOTH: 'TRIM' }[bound.side];
        return call(name, v(bound.a), ...(bound.char === ' ' ? [] : [sqlText(bound.char)]));
      }
      case 'substring':
        return this.substring(bound);
      case 'toText':
        return this.text(bound.a);
      case 'toDate':
        return bound.a.type.type === 'instant' ? call('DATE', v(bound.a)) : this.raw(bound.a);
      case 'toNumber': {
        const number = `ROUND(CAST(${v(bound.a)} AS REAL), ${scaleOf(bound)})`;
        return term(scaleOf(bound) === 0 ? `CAST(${number} AS INTEGER)` : number);
      }
      case 'extract': {
        const part = { YEAR: '%Y', MONTH: '%m', DAY: '%d', HOUR: '%H', MINUTE: '%M', SECOND: '%S' };
        return term(`CAST(STRFTIME('${part[bound.unit]}', ${v(bound.a)}) AS INTEGER)`);
      }
      case 'aggregate':
        return this.aggregate(bound);
    }
  }

  /** NOT stands within a predicate that has a place for it. */
  private denied(bound: Bound): Written {
    if (bound.op === 'isNull' || bound.op === 'in' || bound.op === 'between' || bound.op === 'like')
      return this.predicate(bound, 'NOT ');
    return { sql: `NOT ${this.in(bound, NOT)}`, holds: NOT };
  }

  private predicate(bound: Bound, not: 'NOT ' | ''): Written {
    const v = (part: Bound): string => this.in(part, ORDER);
    switch (bound.op) {
      case 'isNull':
        return { sql: `${this.number(bound.a, ORDER)} IS ${not}NULL`, holds: EQUAL };
      case 'in': {
        const list = bound.list.map((part) => this.value(part)).join(', ');
        return { sql: `${v(bound.a)} ${not}IN (${list})`, holds: EQUAL };
      }
      case 'between':
        return { sql: `${v(bound.a)} ${not}BETWEEN ${v(bound.low)} AND ${v(bound.high)}`, holds: EQUAL };
      case 'like':
        return this.like(bound, not);
      default:
        throw new Error(`${bound.op} is no predicate.`);
    }
  }

  private like(bound: Extract<Bound, { op: 'like' }>, not: 'NOT ' | ''): Written {
    const escape = bound.escape === null ? '' : ` ESCAPE ${sqlText(bound.escape)}`;
    const pattern = bound.pattern.op === 'const' ? String(bound.pattern.value) : null;
    const items = pattern === null ? null : likeItems(pattern, bound.escape);
    if (!items) this.said.add(OTHER_CASES);
    // The engine folds A to Z itself. Of other letters both cases are brought to that of the pattern.
    const others = [...new Set(items?.map(({ char }) => char).filter((char) => char > '\u007f'))];
    const text = others
      .flatMap((char) => otherCases(char).map((other) => [other, char] as const))
      .reduce(
        (inner, [other, char]) => `REPLACE(${inner}, ${sqlText(other)}, ${sqlText(char)})`,
        this.in(bound.a, others.length > 0 ? OR : ORDER),
      );
    return { sql: `${text} ${not}LIKE ${this.in(bound.pattern, JOINED)}${escape}`, holds: EQUAL };
  }

  /** A quotient is one of fractions; that of a total and its count is an average. */
  private quotient(bound: Numbers): Written {
    const [total, count] = [innermost(bound.a), innermost(bound.b)];
    if (
      total.op === 'aggregate' &&
      count.op === 'aggregate' &&
      total.name === 'SUM' &&
      count.name === 'COUNT' &&
      total.start === count.start &&
      total.end === count.end
    )
      return term(`ROUND(${this.aggregate({ ...total, name: 'AVG' }).sql}, ${scaleOf(bound)})`);
    const quotient = `1.0 * ${this.number(bound.a, JOINED)} / ${this.number(bound.b, JOINED)}`;
    return term(`ROUND(${quotient}, ${scaleOf(bound)})`);
  }

  private moved(bound: Extract<Bound, { op: 'addDays' | 'addSeconds' | 'addMonths' }>): string {
    const { type } = bound.type;
    const unit = { addDays: 'days', addSeconds: 'seconds', addMonths: 'months' }[bound.op];
    const by =
      bound.b.op === 'const'
        ? sqlText(`${(bound.b.value as bigint) < 0n ? '' : '+'}${bound.b.value} ${unit}`)
        : `${this.number(bound.b, JOINED)} || ' ${unit}'`;
    const a = this.value(bound.a);
    if (bound.op === 'addMonths') {
      if (this.isEarlyInMonth(bound.a)) return `DATE(${a}, ${by})`;
      // A day that the month has not is its last one: the engine goes on into the next month.
      const last = `DATE(${a}, 'start of month', ${by}, '+1 month', '-1 day')`;
      const date = `MIN(DATE(${a}, ${by}), ${last})`;
      return type === 'instant' ? `${date} || SUBSTR(${a}, 11)` : date;
    }
    if (type === 'time') return `TIME(${a}, ${by})`;
    return type === 'date' ? `DATE(${a}, ${by})` : `STRFTIME('%Y-%m-%dT%H:%M:%SZ', ${a}, ${by})`;
  }

  /** Whether it is a date that stands there, of a day that every month has. */
  private isEarlyInMonth(bound: Bound): boolean {
    const date =
      bound.op === 'clock' && bound.what === 'date' ? this.today : bound.op === 'const' ? bound.value : null;
    return bound.type.type === 'date' && typeof date === 'string' && date.slice(8) <= '28';
  }

  private substring({ a, from, length }: Extract<Bound, { op: 'substring' }>): Written {
    const whole = this.value(a);
    const begins = this.value(from);
    const isPlain = from.op === 'const' && (from.value as bigint) >= 1n;
    const first = isPlain ? begins : `MAX(${begins}, 1)`;
    if (!length) return term(`SUBSTR(${whole}, ${first})`);
    const count = isPlain
      ? this.value(length)
      : `MAX(${this.number(from, SUM)} + ${this.number(length, SUM)} - ${first}, 0)`;
    return term(`SUBSTR(${whole}, ${first}, ${count})`);
  }

  /** A part of a text that is put together: whole numbers turn into texts by themselves there. */
  private joinable(bound: Bound): string {
    const part =
      bound.op === 'toText' && bound.a.type.type === 'number' && scaleOf(bound.a) === 0 ? bound.a : bound;
    return this.in(part, JOINED);
  }

  private text(a: Bound): Written {
    if (a.type.type === 'boolean')
      return term(`CASE ${this.value(a)} WHEN 1 THEN 'TRUE' WHEN 0 THEN 'FALSE' END`);
    if (a.type.type !== 'number') return this.raw(a);
    if (a.type.scale === 0) return term(`CAST(${this.value(a)} AS TEXT)`);
    // Fields with places are texts in the view.
    if (this.rowsOf(a)) return this.raw(a);
    return term(
      `CASE WHEN ${this.value(a)} IS NOT NULL THEN PRINTF('%.${a.type.scale}f', ${this.value(a)}) END`,
    );
  }

  private aggregate(bound: Extract<Bound, { op: 'aggregate' }> | Averaged): Written {
    const { over } = bound;
    if (!over) return term(this.total(bound));
    const outer = this.rows.get(over.from)!;
    const from: From = { parts: [] };
    let rows = outer;
    let where = '';
    for (const hop of over.hops) {
      if (where !== '') {
        rows = this.follow(rows, hop, false);
        continue;
      }
      const table = tableOf(this.design, hop.table);
      const first = this.open(table, table.name, from);
      where = this.meets(hop.hop === 'link' ? hop.on : hop.child.on, outer, first);
      from.parts.push(`FROM ${identifier(readableName(table))} AS ${first.alias}`);
      rows = first;
    }
    this.rows.set(over.as, rows);
    const total = this.total(bound);
    return term(`(SELECT ${total} ${from.parts.join(' ')} WHERE ${where})`);
  }

  private total({ name, distinct, arg, filter }: Extract<Bound, { op: 'aggregate' }> | Averaged): string {
    // What is compared must be a number; what is only added or counted turns into one by itself.
    const isCompared = distinct || name === 'MIN' || name === 'MAX';
    const value = arg && (isCompared ? this.value(arg) : this.number(arg, OR));
    const of = value === null ? '*' : `${distinct ? 'DISTINCT ' : ''}${value}`;
    return `${name}(${of})${filter ? ` FILTER (WHERE ${this.value(filter)})` : ''}`;
  }
}

/**
 * A query as SQL to read and to run elsewhere, see {@link PlainSql}. Throws what `compileQuery` throws.
 */
export function plainQuery(design: Design, query: Query, today: string): string {
  const catalog = catalogOf(design);
  const table = tableOf(design, query.from);
  const plain = new PlainSql(design, today);
  const scope = { catalog, table: table.id };
  const from = plain.start(table);
  for (const { path, keepWithout } of query.with)
    path.reduce((rows, id) => plain.follow(rows, hopAlong(design, rows.table, id), keepWithout), from);
  const where = query.where.map((source) => plain.condition(bindCondition(source, scope).bound));
  const columns = (query.group?.by ?? columnsOf(query, table)).map(({ id, label, expression }) => {
    const { bound } = bind(expression, scope);
    return {
      id,
      label,
      sql: plain.shown(bound),
      groups: plain.grouped(bound),
      order: () => plain.ordered(bound),
    };
  });
  const measures = (query.group?.measures ?? []).map((measure) => {
    const sql = measured(plain, measure, scope);
    return { id: measure.id, label: measure.label, sql, order: () => sql };
  });
  const list = [...columns, ...measures];
  const order = query.sort.flatMap(({ column, descending }) => {
    const found = list.find(({ id }) => id === column);
    return found ? [`${found.order()}${descending ? ' DESC' : ''}`] : [];
  });
  const groups = query.group ? columns.map((column) => column.groups) : [];
  const lines = [
    `SELECT\n  ${list.map(({ sql, label }) => `${sql} AS ${identifier(label)}`).join(',\n  ')}`,
    ...from.from.parts,
    ...(where.length > 0 ? [`WHERE ${where.join('\n  AND ')}`] : []),
    ...(groups.length > 0 ? [`GROUP BY ${groups.join(', ')}`] : []),
    ...(order.length > 0 ? [`ORDER BY ${order.join(', ')}`] : []),
    ...(query.first === null ? [] : [`LIMIT ${query.first}`]),
  ];
  return [...plain.notes.map((note) => `-- ${note}`), ...lines].join('\n');
}

/** The step along a lookup of a table. */
function hopAlong(design: Design, table: Table, id: string): Hop {
  const field = fieldOf(table, id);
  if (field?.type.kind !== 'lookup') throw new Error(`There is no link ${id}.`);
  const target = tableOf(design, field.type.table);
  const key = fieldOf(target, target.key[0]!)!;
  return { hop: 'link', field, table: target.id, on: [[field.name, key.name]] };
}

const CALLS = { count: 'COUNT', sum: 'SUM', average: 'AVG', least: 'MIN', most: 'MAX' } as const;

function measured(plain: PlainSql, { total, expression }: Measure, scope: Scope): string {
  const call = `${CALLS[total]}(${expression ?? '*'})`;
  const { bound } = bind(call, { ...scope, grouped: true });
  if (total !== 'average' || expression === null) return plain.value(bound);
  const of = bind(expression, scope).bound;
  const kind = of.op === 'ref' || of.op === 'worked' ? of.field.kind : null;
  return plain.average(of, kind?.kind === 'money' ? kind.places : scaleOf(bound));
}

type Numbers = Extract<Bound, { readonly op: 'add' | 'sub' | 'mul' | 'div' | 'mod' }>;
type Named = Extract<Bound, { op: 'ref' | 'worked' }>;
type Worked = Extract<Bound, { op: 'worked' }>;
type Averaged = Omit<Extract<Bound, { op: 'aggregate' }>, 'name'> & { readonly name: 'AVG' };

/** What stands below changes of scale that change no value. */
function innermost(bound: Bound): Bound {
  if (bound.op === 'limit') return innermost(bound.a);
  return bound.op === 'rescale' && scaleOf(bound) >= scaleOf(bound.a) ? innermost(bound.a) : bound;
}

function constant({ type, value }: Extract<Bound, { op: 'const' }>): Written {
  if (value === null) return term('NULL');
  if (typeof value === 'boolean') return term(value ? 'TRUE' : 'FALSE');
  if (typeof value !== 'bigint') return term(sqlText(value));
  const scale = type.type === 'number' ? type.scale : 0;
  const digits = String(value < 0n ? -value : value).padStart(scale + 1, '0');
  const whole = digits.slice(0, digits.length - scale);
  const places = digits.slice(digits.length - scale).replace(/0+$/, '');
  const sql = `${value < 0n ? '-' : ''}${whole}${places === '' ? '' : `.${places}`}`;
  return { sql, holds: value < 0n ? JOINED : TERM };
}

/** The other letters that LIKE takes for the same. */
const otherCases = (char: string): readonly string[] =>
  [fold(char), ...foldedFrom(fold(char))].filter((other) => other !== char);

/** The row variable that an expression looks at; null when it looks at none. */
function rowOf(bound: Bound): number | null {
  if (bound.op === 'ref') return bound.row;
  if (bound.op === 'aggregate' && bound.over) return bound.over.from;
  for (const part of parts(bound)) {
    const row = rowOf(part);
    if (row !== null) return row;
  }
  return null;
}

/** A name as an SQL identifier: in quotes only where it must be. */
export const identifier = (name: string): string =>
  /^[a-z_][a-z0-9_]*$/i.test(name) && !KEYWORDS.has(name.toUpperCase())
    ? name
    : `"${name.replace(/"/g, '""')}"`;

/** The words of the engine's SQL, see https://www.sqlite.org/lang_keywords.html. */
const KEYWORDS = new Set(
  (
    'ABORT ACTION ADD AFTER ALL ALTER ALWAYS ANALYZE AND AS ASC ATTACH AUTOINCREMENT BEFORE BEGIN BETWEEN BY ' +
    'CASCADE CASE CAST CHECK COLLATE COLUMN COMMIT CONFLICT CONSTRAINT CREATE CROSS CURRENT CURRENT_DATE ' +
    'CURRENT_TIME CURRENT_TIMESTAMP DATABASE DEFAULT DEFERRABLE DEFERRED DELETE DESC DETACH DISTINCT DO DROP EACH ' +
    'ELSE END ESCAPE EXCEPT EXCLUDE EXCLUSIVE EXISTS EXPLAIN FAIL FILTER FIRST FOLLOWING FOR FOREIGN FROM FULL ' +
    'GENERATED GLOB GROUP GROUPS HAVING IF IGNORE IMMEDIATE IN INDEX INDEXED INITIALLY INNER INSERT INSTEAD ' +
    'INTERSECT INTO IS ISNULL JOIN KEY LAST LEFT LIKE LIMIT MATCH MATERIALIZED NATURAL NO NOT NOTHING NOTNULL NULL ' +
    'NULLS OF OFFSET ON OR ORDER OTHERS OUTER OVER PARTITION PLAN PRAGMA PRECEDING PRIMARY QUERY RAISE RANGE ' +
    'RECURSIVE REFERENCES REGEXP REINDEX RELEASE RENAME REPLACE RESTRICT RETURNING RIGHT ROLLBACK ROW ROWS ' +
    'SAVEPOINT SELECT SET TABLE TEMP TEMPORARY THEN TIES TO TRANSACTION TRIGGER TRUE FALSE UNBOUNDED UNION UNIQUE ' +
    'UPDATE USING VACUUM VALUES VIEW VIRTUAL WHEN WHERE WINDOW WITH WITHOUT'
  ).split(' '),
);
