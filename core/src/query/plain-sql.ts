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
} from '../expression';
import {
  comesWithText,
  readableKeys,
  readableName,
  tableOf,
  uniqueName,
  type Design,
  type Measure,
  type Query,
  type Table,
} from '../design';
import type { DateStep } from '../values';
import { keepScope, sameText, withoutUnasked } from './compile';
import {
  activeJoins,
  typedColumns,
  conditionTexts,
  isApart,
  isOverGroups,
  joinedTo,
  overColumns,
  resultOf,
  scopeOf,
  SHARE_PLACES,
  sourceOf,
  stackOf,
  type Answers,
  type TypedMeasure,
} from './scope';
import { identifier } from './identifier';
import { literalsOf, plainOfWritten, sqlWith } from './written';
import { joinsOf } from './repeats';

/** What rows are read from: a view of the file, or a statement that stands before all others. */
interface View {
  readonly name: string;
  /** What stands behind FROM. */
  readonly sql: string;
  /** A column as it is shown, and as it is kept where it is shown by a text. */
  readonly text: (column: string) => string;
  readonly key: (column: string) => string;
  /** Whether a field is shown by a text, and kept as a key. */
  readonly isText: (field: string) => boolean;
}

function viewOf(table: Table): View {
  const keys = readableKeys(table);
  return {
    name: table.name,
    sql: identifier(readableName(table)),
    text: identifier,
    key: (column) => {
      const field = table.fields.find(({ name }) => name === column);
      return identifier((field && keys.get(field.id)) ?? column);
    },
    isText: (field) => keys.has(field),
  };
}

/** Rows in a statement: what they are called there, null for those of the result itself, and the FROM that joins are added to. */
interface Rows {
  readonly alias: string | null;
  readonly view: View;
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

const NEEDS_ORDER = 'GROUP_CONCAT with an order of its own needs version 3.44 of the engine, or a later one.';

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
  start(view: View): Rows {
    const from: From = { parts: [] };
    const rows = this.open(view, view.name, from);
    from.parts.push(`FROM ${view.sql} AS ${rows.alias}`);
    this.rows.set(0, rows);
    return rows;
  }

  /** What `work` writes, with other rows as those which an expression looks at. */
  over(rows: Rows, work: () => string): string {
    const own = this.rows.get(0)!;
    this.rows.set(0, rows);
    const sql = work();
    this.rows.set(0, own);
    return sql;
  }

  /** Joins the row that a link leads to, once; with `keepWithout`, or none. */
  follow(rows: Rows, hop: Hop, keepWithout: boolean): Rows {
    const id = hop.hop === 'link' ? hop.field.id : `~${hop.child.id}`;
    const known = rows.joined.get(id);
    if (known) return known;
    const view = viewOf(tableOf(this.design, hop.table));
    const joined = this.open(view, hop.hop === 'link' ? hop.field.name : hop.child.name, rows.from);
    const on = hop.hop === 'link' ? hop.on : hop.child.on;
    rows.from.parts.push(
      `${keepWithout ? 'LEFT JOIN' : 'JOIN'} ${view.sql} AS ${joined.alias} ON ${this.meets(on, rows, joined)}`,
    );
    rows.joined.set(id, joined);
    return joined;
  }

  open(view: View, called: string, from: From): Rows {
    const name = uniqueName(called, this.names);
    this.names.add(name);
    return { alias: identifier(name), view, from, joined: new Map() };
  }

  meets(on: readonly (readonly [string, string])[], rows: Rows, other: Rows): string {
    return on.map(([own, key]) => `${this.key(other, key)} = ${this.key(rows, own)}`).join(' AND ');
  }

  /** A column as it is kept: of a field that is shown by a text, that which holds its key. */
  key({ alias, view }: Rows, column: string): string {
    return alias === null ? view.key(column) : `${alias}.${view.key(column)}`;
  }

  private textOf({ alias, view }: Rows, column: string): string {
    return alias === null ? view.text(column) : `${alias}.${view.text(column)}`;
  }

  /** An expression as a condition among others. */
  condition(bound: Bound): string {
    return this.in(bound, NOT);
  }

  /** An expression as a column of a result: fields as they are shown. */
  shown(bound: Bound): string {
    const rows = this.rowsOf(bound);
    return rows ? this.textOf(rows, (bound as Named).field.column) : this.value(bound);
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
  average(bound: Bound, places: number, only = ''): string {
    const filter = only === '' ? '' : ` FILTER (WHERE ${only})`;
    return `ROUND(AVG(${this.number(bound, OR)})${filter}, ${places})`;
  }

  /** The texts of what an expression gives for the rows at hand, behind one another in their order. */
  joinedText(bound: Bound, only = ''): string {
    this.said.add(NEEDS_ORDER);
    this.said.add(OTHER_ORDER);
    const text = this.rowsOf(bound) ? this.shown(bound) : this.text(bound).sql;
    const filter = only === '' ? '' : ` FILTER (WHERE ${only})`;
    return `GROUP_CONCAT(${text}, ', ' ORDER BY ${text} COLLATE NOCASE)${filter}`;
  }

  /** SQL for a value that can be shown, compared and put in order. */
  value(bound: Bound): string {
    return this.in(bound, OR);
  }

  /** Whether an expression is a field, of whatever row. */
  isNamed(bound: Bound): boolean {
    return this.rowsOf(bound) !== null;
  }

  private isShownByText(bound: Extract<Bound, { op: 'ref' }>): boolean {
    return this.rowsOf(bound)!.view.isText(bound.field.id);
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
    let outer = this.rows.get(over.from)!;
    const from: From = { parts: [] };
    let rows = outer;
    let where = '';
    for (const hop of over.hops) {
      const known = where === '' && hop.hop === 'link' ? outer.joined.get(hop.field.id) : undefined;
      if (known) {
        outer = known;
        continue;
      }
      if (where !== '') {
        rows = this.follow(rows, hop, false);
        continue;
      }
      const view = viewOf(tableOf(this.design, hop.table));
      const first = this.open(view, view.name, from);
      where = this.meets(hop.hop === 'link' ? hop.on : hop.child.on, outer, first);
      from.parts.push(`FROM ${view.sql} AS ${first.alias}`);
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
export function plainQuery(design: Design, query: Query, today: string, answers: Answers = {}): string {
  if (query.written) return sqlWith(query.written.sql, literalsOf(design, query, answers, today));
  const statement = new PlainQuery(design, { today, answers });
  const { lines } = statement.write(query, 'label');
  const notes = [...statement.notes].map((note) => `-- ${note}`);
  return [...notes, ...statement.before(), ...lines].join('\n');
}

/** A statement with those before it that it reads. */
class PlainQuery {
  readonly notes = new Set<string>();
  private readonly read = new Map<string, { readonly name: string; readonly sql: string }>();
  private readonly taken: string[];

  constructor(
    private readonly design: Design,
    private readonly told: { readonly today: string; readonly answers: Answers },
  ) {
    this.taken = design.tables.flatMap((table) => [table.name, readableName(table)]);
  }

  before(): string[] {
    const all = [...this.read.values()].map(
      ({ name, sql }) => `${identifier(name)} AS (\n${sql.replace(/^/gm, '  ')}\n)`,
    );
    return all.length === 0 ? [] : [`WITH ${all.join(', ')}`];
  }

  /** What stands behind FROM, and what its columns are called there. */
  private view(id: string, within: readonly string[]): View {
    const source = sourceOf(this.design, id);
    if (!source) throw new Error(`There is nothing called ${id}.`);
    if (source.of === 'table') return viewOf(source.table);
    const { query } = source;
    const { table, shows } = resultOf(this.design, query, { answers: this.told.answers, within });
    if (!this.read.has(id)) {
      const name = uniqueName(table.name, this.taken);
      this.taken.push(name);
      const { written } = query;
      const sql = written
        ? plainOfWritten(
            written,
            sqlWith(written.sql, literalsOf(this.design, query, this.told.answers, this.told.today)),
          )
        : this.write(query, 'name', within).lines.join('\n');
      this.read.set(id, { name, sql });
    }
    const fields = table.fields.map((field) => {
      const shown = shows.get(field.id);
      return { ...field, shown: shown && comesWithText(shown) ? shown : undefined };
    });
    const keys = keysOfResult(fields);
    const nameOf = (column: string): string => fields.find((field) => field.column === column)!.name;
    return {
      name: table.name,
      sql: identifier(this.read.get(id)!.name),
      text: (column) => identifier(nameOf(column)),
      key: (column) => identifier(keys.get(column) ?? nameOf(column)),
      isText: (field) => fields.some(({ id: own, column }) => own === field && keys.has(column)),
    };
  }

  /** The rows that a query starts from, with those of others beneath them. */
  private stacked(query: Query, around: readonly string[]): View {
    const own = this.view(query.from, around);
    const beneath = stackOf(this.design, query, { answers: this.told.answers, within: around.slice(0, -1) });
    const source = sourceOf(this.design, query.from);
    if (beneath.length === 0 || source?.of !== 'query') return own;
    const fields = resultOf(this.design, source.query).table.fields;
    const select = (view: View, columns: readonly string[]): string => {
      const list = columns.flatMap((column, i) => {
        const { column: as, id } = fields[i]!;
        const key = own.isText(id) ? [`${view.key(column)} AS ${own.key(as)}`] : [];
        return [`${view.text(column)} AS ${own.text(as)}`, ...key];
      });
      return `SELECT ${list.join(', ')} FROM ${view.sql}`;
    };
    const all = [
      select(
        own,
        fields.map(({ column }) => column),
      ),
      ...beneath.map(({ id, columns }) => select(this.view(id, around), columns)),
    ];
    return { ...own, sql: `(\n  ${all.join('\n  UNION ALL\n  ')}\n)` };
  }

  /** The lines of a statement: its columns under their headings, or under the names by which others know them. */
  write(asked: Query, by: 'label' | 'name', within: readonly string[] = []): { readonly lines: string[] } {
    const { design } = this;
    const { today, answers } = this.told;
    const query = withoutUnasked(design, asked, answers);
    const scope = scopeOf(design, query, { answers, within });
    const around = [...within, query.id];
    const plain = new PlainSql(design, today);
    const from = plain.start(this.stacked(query, around));
    const rows = new Map<string | null, { readonly rows: Rows; readonly of: string }>([
      [null, { rows: from, of: query.from }],
    ]);
    for (const join of activeJoins(query)) {
      const at = rows.get(join.at)!;
      const of = joinedTo(design, join, at.of, { answers, within });
      const word = join.keepWithout ? 'LEFT JOIN' : 'JOIN';
      const table = scope.catalog.table(join.at === null ? query.id : at.of);
      const view = this.view(of, around);
      const { by: how } = join;
      if (how.by === 'link') {
        const field = table.fields.find(({ id }) => id === how.link);
        const link = table.links.find(({ id }) => id === how.link);
        const on = field ? [[field.column, scope.catalog.table(of).keyColumn!] as const] : link!.on;
        const hop: Hop = { hop: 'link', field: field ?? link!, table: of, on };
        rows.set(join.id, { rows: plain.follow(at.rows, hop, join.keepWithout), of });
        continue;
      }
      const joined = plain.open(view, join.name ?? view.name, from.from);
      from.joined.set(join.id, joined);
      let on: string;
      if (how.by === 'children') {
        const child = table.children.find(({ id, table: to }) => id === how.link && to === of)!;
        on = plain.meets(child.on, at.rows, joined);
      } else if (how.by === 'condition')
        on = plain.condition(bindCondition(how.condition, { catalog: scope.catalog, table: query.id }).bound);
      else {
        const own = bind(sameText(how, how.own), { catalog: scope.catalog, table: query.id }).bound;
        const other = bind(sameText(how, how.other), { catalog: scope.catalog, table: of }).bound;
        on = `${plain.over(joined, () => plain.value(other))} = ${plain.value(own)}`;
      }
      from.from.parts.push(`${word} ${view.sql} AS ${joined.alias} ON ${on}`);
      rows.set(join.id, { rows: joined, of });
    }
    const where = conditionTexts(query.where).map((source) =>
      plain.condition(bindCondition(source, { catalog: scope.catalog, table: query.id }).bound),
    );
    const bound = typedColumns(design, query, scope);
    const columns = bound.plain.map(({ column: { id, label }, name, bound: of, step }) => {
      if (step) {
        const sql = plainStep(step, plain.value(of));
        return { id, label, name, sql, groups: sql, isText: false, order: () => sql };
      }
      return {
        id,
        label,
        name,
        isText: of.type.type === 'text' || plain.shown(of) !== plain.grouped(of),
        sql: plain.shown(of),
        groups: plain.grouped(of),
        order: () => plain.ordered(of),
      };
    });
    const isOnce = bound.measures.some(({ measure }) => isApart(measure));
    const inner = isOnce ? this.counted(plain, query, bound.measures, columns, rows) : null;
    const window = plainWindow(columns);
    const measures = bound.measures.map((measure) => {
      const sql = inner
        ? plain.over(inner.rows, () =>
            measured(
              plain,
              {
                ...measure,
                bound: overColumns(measure.bound, `${measure.name}v`, `${measure.name}k`),
                of: measure.of && columnOf(measure.of, `${measure.name}v`),
              },
              `r.${measure.name}k = 1`,
              window,
            ),
          )
        : measured(plain, measure);
      const { id, label } = measure.measure;
      return { id, label, name: measure.name, sql, groups: sql, order: () => sql };
    });
    const list = [
      ...columns.map((column) =>
        inner
          ? {
              ...column,
              sql: `r.${column.name}`,
              groups: `r.${column.name}k`,
              order: () => (column.isText ? `r.${column.name} COLLATE NOCASE` : `r.${column.name}`),
            }
          : column,
      ),
      ...measures,
    ];
    // What is made of all groups is worked out before some of them are left out: they stand in a statement of their own.
    const isApartKept = query.keep.length > 0 && bound.measures.some(({ measure }) => isOverGroups(measure));
    const each = query.first === null ? [] : list.filter(({ id }) => query.firstOf?.includes(id));
    const isOuter = isApartKept || each.length > 0;
    const kept = this.kept(plain, query, from, isApartKept ? list.map(above) : list);
    const order = query.sort.flatMap(({ column, descending }) => {
      const found = list.find(({ id }) => id === column);
      if (!found) return [];
      const by = found.order();
      const isText = by.endsWith(' COLLATE NOCASE');
      const written = isOuter ? `o.${found.name}${isText ? ' COLLATE NOCASE' : ''}` : by;
      return [`${written}${descending ? ' DESC' : ''}`];
    });
    const groups = query.group ? list.slice(0, columns.length).map((column) => column.groups) : [];
    const all = query.group ? where : [...where, ...kept];
    for (const note of plain.notes) this.notes.add(note);
    const { table: result } = resultOf(design, query, { answers, within });
    const keys = keysOfResult(
      result.fields
        .map((field) => ({ ...field, shown: list.find(({ id }) => id === field.id)! }))
        .filter(({ shown }) => shown.sql !== shown.groups),
      result.fields.map(({ name }) => name),
    );
    const selected = (isOuter ? list.map(above) : list).flatMap(({ id, label, name, sql, groups: raw }) => {
      if (by === 'label') return [`${sql} AS ${identifier(label)}`];
      const called = result.fields.find((field) => field.id === id)!.name;
      const key = keys.get(name);
      return [
        `${sql} AS ${identifier(called)}`,
        ...(key === undefined ? [] : [`${raw} AS ${identifier(key)}`]),
      ];
    });
    const isEnd = by === 'label' || query.first !== null;
    const rowLines = [
      ...(inner
        ? ['FROM (', ...inner.lines([...from.from.parts, ...whereLines(all)]), ') AS r']
        : [...from.from.parts, ...whereLines(all)]),
      ...(groups.length > 0 ? [`GROUP BY ${groups.join(', ')}`] : []),
    ];
    const outer = list.flatMap(({ name, sql, groups: raw }) => [
      `${sql} AS ${name}`,
      ...(sql === raw ? [] : [`${raw} AS ${name}k`]),
    ]);
    const having =
      isApartKept || !query.group || kept.length === 0 ? [] : [`HAVING ${kept.join('\n  AND ')}`];
    const distinct = query.unlike ? ' DISTINCT' : '';
    const wrapped = (lines: readonly string[]): string[] => [
      'FROM (',
      ...lines.map((line) => `  ${line}`),
      ') AS o',
    ];
    const head = `SELECT${isOuter ? '' : distinct}\n  ${selected.join(',\n  ')}`;
    const end = [
      ...(isEnd && order.length > 0 ? [`ORDER BY ${order.join(', ')}`] : []),
      ...(query.first === null || each.length > 0 ? [] : [`LIMIT ${query.first}`]),
    ];
    if (!isOuter) return { lines: [head, ...rowLines, ...having, ...end] };
    const inside = [`SELECT${distinct} ${outer.join(',\n    ')}`, ...rowLines, ...having];
    const left = isApartKept ? whereLines(kept) : [];
    if (each.length === 0) return { lines: [head, ...wrapped(inside), ...left, ...end] };
    const parts = each.map((column) => above(column).groups).join(', ');
    const sorted = order.length > 0 ? ` ORDER BY ${order.join(', ')}` : '';
    const numbered = [
      `SELECT o.*, ROW_NUMBER() OVER (PARTITION BY ${parts}${sorted}) AS place`,
      ...wrapped(inside),
      ...left,
    ];
    return { lines: [head, ...wrapped(numbered), `WHERE o.place <= ${query.first}`, ...end] };
  }

  /** The rows of groups with what is worked out of each, and whether it counts: those of some totals only once. */
  private counted(
    plain: PlainSql,
    query: Query,
    measures: readonly TypedMeasure[],
    columns: readonly { readonly name: string; readonly sql: string; readonly groups: string }[],
    rows: ReadonlyMap<string | null, { readonly rows: Rows; readonly of: string }>,
  ): { readonly rows: Rows; readonly lines: (from: readonly string[]) => string[] } {
    const selected = columns.flatMap(({ name, sql, groups }) => [
      `${sql} AS ${name}`,
      `${groups} AS ${name}k`,
    ]);
    for (const measured of measures) {
      const { name, of, measure } = measured;
      selected.push(
        `${of ? (plain.isNamed(of) && SHOWN.has(measure.total) ? plain.shown(of) : plain.value(of)) : 'NULL'} AS ${name}v`,
      );
      const keys = (how: string): string[] =>
        [null, ...joinsOf(query, measured).map(({ id }) => id)].flatMap((id) => {
          const at = rows.get(id)!;
          const table = tableOf(this.design, at.of);
          return table.key.map(
            (key) => `${plain.key(at.rows, table.fields.find((field) => field.id === key)!.name)}${how}`,
          );
        });
      const groups = columns.map((column) => column.groups);
      const within = groups.length > 0 ? `PARTITION BY ${groups.join(', ')} ` : '';
      const value = of && plain.value(of);
      const how = measure.total === 'last' ? ' DESC' : '';
      if (measure.total === 'median')
        selected.push(
          `ROW_NUMBER() OVER (${within}ORDER BY ${value} IS NULL, ${value}) AS ${name}k`,
          `COUNT(${value}) OVER (${within.trim()}) AS ${name}n`,
        );
      else if (measure.total === 'first' || measure.total === 'last') {
        const order = measured.by
          ? [`${plain.value(measured.by)} IS NULL`, `${plain.ordered(measured.by)}${how}`]
          : [];
        selected.push(
          `ROW_NUMBER() OVER (${within}ORDER BY ${[...order, ...keys(how)].join(', ')}) AS ${name}k`,
        );
      } else if (measure.once)
        selected.push(`ROW_NUMBER() OVER (PARTITION BY ${[...groups, ...keys('')].join(', ')}) AS ${name}k`);
      else selected.push(`1 AS ${name}k`);
    }
    const view: View = {
      name: 'r',
      sql: 'r',
      text: (name) => name,
      key: (name) => name,
      isText: () => false,
    };
    return {
      rows: { alias: 'r', view, from: { parts: [] }, joined: new Map() },
      lines: (from) => [`  SELECT ${selected.join(',\n    ')}`, ...from.map((line) => `  ${line}`)],
    };
  }

  /** Conditions over the result, each column written out. */
  private kept(
    plain: PlainSql,
    query: Query,
    { from }: Rows,
    list: readonly { readonly name: string; readonly sql: string; readonly groups: string }[],
  ): string[] {
    const texts = conditionTexts(query.keep);
    if (texts.length === 0) return [];
    const scope = keepScope(this.design, query);
    const column = (name: string): (typeof list)[number] => list.find((item) => item.name === name)!;
    const view: View = {
      name: '',
      sql: '',
      text: (name) => column(name).sql,
      key: (name) => column(name).groups,
      isText: () => false,
    };
    const rows: Rows = { alias: null, view, from, joined: new Map() };
    return texts.map((text) => plain.over(rows, () => plain.condition(bindCondition(text, scope).bound)));
  }
}

/** Columns of a result that hold a key beside those that hold the text it is shown by, by the name of the column. */
function keysOfResult(
  fields: readonly { readonly column: string; readonly name: string; readonly shown?: unknown }[],
  names = fields.map(({ name }) => name),
): ReadonlyMap<string, string> {
  const taken = [...names];
  const keys = new Map<string, string>();
  for (const { column, name, shown } of fields) {
    if (shown === undefined) continue;
    const key = uniqueName(`${name}_key`, taken);
    taken.push(key);
    keys.set(column, key);
  }
  return keys;
}

function plainStep(step: DateStep, date: string): string {
  if (step === 'week') return `DATE(${date}, '-6 days', 'weekday 1')`;
  if (step !== 'quarter') return `DATE(${date}, 'start of ${step}')`;
  return `DATE(${date}, 'start of month', '-' || ((STRFTIME('%m', ${date}) - 1) % 3) || ' months')`;
}

/** A column of a statement from the one around it. */
const above = <C extends { readonly name: string; readonly sql: string; readonly groups: string }>(
  column: C,
): C => ({
  ...column,
  sql: `o.${column.name}`,
  groups: `o.${column.name}${column.sql === column.groups ? '' : 'k'}`,
});

const whereLines = (conditions: readonly string[]): string[] =>
  conditions.length > 0 ? [`WHERE ${conditions.join('\n  AND ')}`] : [];

/** A value that stands in a column already. */
const columnOf = (bound: Bound, column: string): Bound => ({
  op: 'ref',
  row: 0,
  links: [],
  field: {
    id: column,
    name: column,
    column,
    type: bound.type,
    kind: bound.op === 'ref' || bound.op === 'worked' ? bound.field.kind : { kind: 'wholeNumber' },
  },
  type: bound.type,
  start: bound.start,
  end: bound.end,
});

/** Totals whose values are shown as they are, texts of lookups too. */
const SHOWN: ReadonlySet<Measure['total']> = new Set(['joined', 'first', 'last']);

/** From group to group, as in what runs here. */
function plainWindow(columns: readonly { readonly name: string; readonly isText: boolean }[]): string {
  const before = columns.slice(0, -1).map(({ name }) => `r.${name}k`);
  const last = columns.at(-1);
  const order = last ? `ORDER BY r.${last.name}${last.isText ? ' COLLATE NOCASE' : ''}` : '';
  return `${before.length > 0 ? `PARTITION BY ${before.join(', ')} ` : ''}${order}`.trim();
}

function measured(plain: PlainSql, measure: TypedMeasure, only = '', window = ''): string {
  const {
    measure: { total },
    bound,
    of,
    name,
  } = measure;
  if (total === 'joined') return plain.joinedText(of!, only);
  if (total === 'first' || total === 'last') return `MAX(r.${name}v) FILTER (WHERE ${only})`;
  const places =
    of && (of.op === 'ref' || of.op === 'worked') && of.field.kind.kind === 'money'
      ? of.field.kind.places
      : null;
  if (total === 'median') {
    const half = (at: number): string =>
      `MAX(r.${name}v) FILTER (WHERE r.${name}k = (r.${name}n + ${at}) / 2)`;
    return `ROUND((${half(1)} + ${half(2)}) / 2.0, ${places ?? scaleOf(of!) + 1})`;
  }
  if (total === 'average' && of) return plain.average(of, places ?? scaleOf(bound), only);
  const sum = plain.value(bound);
  const scale = scaleOf(bound);
  const rounded = (sql: string): string => (scale > 0 ? `ROUND(${sql}, ${scale})` : sql);
  if (total === 'share') return `ROUND(100.0 * ${sum} / SUM(${sum}) OVER (), ${SHARE_PLACES})`;
  if (total === 'running') return rounded(`SUM(${sum}) OVER (${window} ROWS UNBOUNDED PRECEDING)`);
  return total === 'change' ? rounded(`${sum} - LAG(${sum}) OVER (${window})`) : sum;
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
