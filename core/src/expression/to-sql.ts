import type { Bound, Hop } from './bound';
import { failed } from './errors';
import { MOST_POSITION } from './evaluate';
import { faultMark, MOST_PATTERN, type Fault } from './faults';
import { fold, foldedFrom, likeItems } from './fold';
import { FOLD_LETTERS, LOWER_LETTERS, UPPER_LETTERS } from './letters';
import { sqlName, sqlText } from './sql-text';
import { SAFE_DIGITS, type Catalog, type NumberType } from './types';

export interface SqlWriting {
  readonly catalog: Catalog;
  /** The alias of the row the expression looks at (`t0`, `NEW`), or null for bare column names. */
  readonly row: string | null;
  /** An alias already joined for a path of lookups from that row; null when there is none. */
  readonly joined?: (path: readonly string[]) => string | null;
  /** The schema in which other tables are looked for, such as `main`; by default whichever the engine finds. */
  readonly schema?: string;
  /** SQL for CURRENT_DATE and CURRENT_TIMESTAMP; by default the catalog's, and the engine's own clock. */
  readonly today?: string;
  readonly now?: string;
  /**
   * What becomes of a value that cannot be worked out: by default an error of the engine, which ends the
   * statement. Marked, it is a BLOB that tells the fault, see {@link faultName}; empty, it is NULL.
   */
  readonly faults?: 'raise' | 'mark' | 'empty';
  /** Where texts go: by default written into the SQL as literals; a query binds them. */
  readonly text?: (value: string) => string;
}

export interface Sql {
  readonly sql: string;
  /** True when it reads other rows or needs a name for an intermediate result: no CHECK may do so. */
  readonly subquery: boolean;
  /** True when it reads the clock. */
  readonly clock: boolean;
  /** True when its value may be the mark of a fault. */
  readonly marked: boolean;
}

/**
 * Writes a typed expression as SQL for SQLite. It gives the same result as `evaluate` on every row:
 * numbers are whole units, quotients are divided digit by digit, and what would leave 64 bits is an
 * error of the engine (it would turn into a float by itself).
 *
 * Intermediate results that are needed more than once get a name in a chain of common table
 * expressions. The chain is MATERIALIZED, since the engine would otherwise copy each expression into
 * every place that uses it, and flat, since its parser allows few levels of nesting. Only what may be
 * left out (branches of CASE and COALESCE) opens a chain of its own.
 */
export function toSql(bound: Bound, writing: SqlWriting): Sql {
  const writer = new Writer(writing);
  const framed = writer.framed(() => writer.write(bound), writing.faults === 'empty');
  const sql = writer.withLetters(framed.sql);
  const marked = framed.marked && writing.faults === 'mark';
  return { sql, marked, subquery: writer.subquery, clock: writer.clock };
}

/** The engine has no function that only raises an error: reading a text as JSON that is none is one. */
const raise = (fault: Fault, value: string): string => `json_extract('${RAISED[fault]} ' || ${value}, '$')`;

/** The words stand in CHECKs of files as they are: they stay. */
const RAISED: Readonly<Record<Fault, string>> = {
  large: 'overflow',
  date: 'date',
  cast: 'cast',
  long: 'cast',
  pattern: 'pattern',
};

/** SQL for the mark of a fault where a value is one, else NULL. */
const markOf = (value: string): string => `CASE typeof(${value}) WHEN 'blob' THEN ${value} END`;

/** The first of several that is not NULL. The engine takes at most 127 arguments a call. */
function firstOf(list: readonly string[]): string {
  const chunks = Array.from({ length: Math.ceil(list.length / 100) }, (_, i) =>
    list.slice(i * 100, (i + 1) * 100),
  ).map((chunk) => (chunk.length === 1 ? chunk[0]! : `coalesce(${chunk.join(', ')})`));
  return chunks.length === 1 ? chunks[0]! : firstOf(chunks);
}

/** Half of the digits that a sum of whole numbers is made up of where the whole may not fit. */
const HALF = 1_000_000_000;

const digits = (bound: Bound): number => (bound.type as NumberType).digits ?? 19;
const scale = (bound: Bound): number => (bound.type as NumberType).scale ?? 0;
const power = (n: number): string => `1${'0'.repeat(n)}`;

/** How deeply SQL is nested before an intermediate result gets a name: the parser allows about 30. */
const MOST_NESTING = 12;

/** Intermediate results in one expression: the engine's tables have at most 2,000 columns. */
const MOST_KEPT = 1500;

/** With their faults there are more: what holds one way is to hold the other. */
const MOST_KEPT_MARKED = 1950;

/** SQL with a chain of its own; marked when its value may be the mark of a fault. */
interface Framed {
  readonly sql: string;
  readonly marked: boolean;
}

/** What may be left out, and SQL for the mark of its fault. */
interface Branch {
  readonly value: string;
  readonly fault: string | null;
}

interface Stage {
  readonly name: string;
  readonly columns: { readonly sql: string; readonly as: string }[];
}

/** The engine's substr takes positions of 32 bits. */
const MOST_SUBSTR = 2_147_483_647;

/** Characters beyond ASCII in a text, as a pattern for GLOB. */
const BEYOND_ASCII = `'*[^' || char(1) || '-' || char(127) || ']*'`;

const LETTERS = { upper: UPPER_LETTERS, lower: LOWER_LETTERS, fold: FOLD_LETTERS };

/** A private character, for an escape character that must not be folded with the pattern around it. */
const NEUTRAL_ESCAPE = 'char(1114109)';

type Aggregate = Extract<Bound, { op: 'aggregate' }>;

type Joined = Extract<Bound, { op: 'and' | 'or' | 'concat' | 'distinct' | 'nullif' }>;

type Numbers = Extract<Bound, { readonly op: 'add' | 'sub' | 'mul' | 'div' | 'mod' }>;

class Writer {
  subquery = false;
  clock = false;
  private names = 0;
  private depth = 0;
  private kept = 0;
  private frame: Stage[] = [];
  /** The names of what has been kept in this frame, by its SQL: the same is worked out once. */
  private known = new Map<string, string>();
  private readonly maps = new Set<keyof typeof LETTERS>();
  private readonly stageOf = new Map<string, number>();
  private readonly aliases = new Map<number, string | null>();
  /** True when faults are marked and not raised. */
  private readonly marks: boolean;
  /** In this frame, what holds the mark of a fault, or NULL. */
  private faults: string[] = [];

  constructor(private readonly writing: SqlWriting) {
    this.aliases.set(0, writing.row);
    this.marks = (writing.faults ?? 'raise') !== 'raise';
  }

  /**
   * Writes with a chain of its own for intermediate results, so that nothing moves out of `work`. Where one of
   * them is at fault, the whole is its mark, or NULL where it is to be `empty`.
   */
  framed(work: () => string, empty = false): Framed {
    const outer = { frame: this.frame, depth: this.depth, known: this.known, faults: this.faults };
    Object.assign(this, { frame: [], depth: 0, known: new Map(), faults: [] });
    const value = work();
    const { frame: stages, faults } = this;
    Object.assign(this, outer);
    const marked = faults.length > 0;
    const body = !marked
      ? value
      : empty
        ? `CASE WHEN ${firstOf(faults)} IS NULL THEN ${value} END`
        : firstOf([...faults, value]);
    if (stages.length === 0) return { sql: body, marked };
    this.subquery = true;
    const chain = stages.map(({ name, columns }, i) => {
      const list = columns.map(({ sql, as }) => `${sql} AS ${as}`).join(', ');
      return `${name} AS MATERIALIZED (SELECT ${i === 0 ? list : `*, ${list} FROM ${stages[i - 1]!.name}`})`;
    });
    const last = stages[stages.length - 1]!.name;
    return { sql: `(WITH ${chain.join(', ')} SELECT ${body} FROM ${last})`, marked };
  }

  /** What stands for `value`, which cannot be had `when` something is at fault. */
  private unless(fault: Fault, when: string, shown: string, value: string): string {
    if (!this.marks) return `CASE WHEN ${when} THEN ${raise(fault, shown)} ELSE ${value} END`;
    this.faults.push(`CASE WHEN ${when} THEN ${faultMark(fault)} END`);
    return value;
  }

  /** Puts the maps of letters that are used before everything else, each once. */
  withLetters(sql: string): string {
    if (this.maps.size === 0) return sql;
    const maps = [...this.maps].map((how) => {
      const map = LETTERS[how];
      return `"~${how}"("~f", "~t") AS (SELECT '${[...map.keys()].join('')}', '${[...map.values()].join('')}')`;
    });
    return `(WITH ${maps.join(', ')} SELECT ${sql})`;
  }

  /** A name that no table and no field can have: those of people do not begin with a tilde. */
  private name(letter: string): string {
    return `"~${letter}${++this.names}"`;
  }

  /** The name of an intermediate result, worked out once: in the first stage behind all that it needs. */
  private keep(sql: string): string {
    const known = this.known.get(sql);
    if (known !== undefined) return known;
    if (++this.kept > (this.marks ? MOST_KEPT_MARKED : MOST_KEPT))
      failed('This expression has too many parts to be worked out in the file.', { start: 0, end: 0 });
    const as = this.name('v');
    this.known.set(sql, as);
    let stage = 0;
    for (const [name] of sql.matchAll(/"~v\d+"/g))
      stage = Math.max(stage, (this.stageOf.get(name) ?? -1) + 1);
    if (stage >= this.frame.length) {
      stage = this.frame.length;
      this.frame.push({ name: this.name('s'), columns: [] });
    }
    this.frame[stage]!.columns.push({ sql, as });
    this.stageOf.set(as, stage);
    return as;
  }

  write(bound: Bound): string {
    if (bound.op === 'const' || (bound.op === 'ref' && bound.links.length === 0))
      return this.writeNode(bound);
    if (++this.depth > MOST_NESTING) {
      this.depth = 0;
      const kept = this.keep(this.writeNode(bound));
      this.depth = MOST_NESTING;
      return kept;
    }
    const sql = this.writeNode(bound);
    this.depth--;
    return sql;
  }

  private lazy(bound: Bound): Framed {
    return this.framed(() => this.write(bound));
  }

  private writeNode(bound: Bound): string {
    const w = (part: Bound): string => this.write(part);
    switch (bound.op) {
      case 'const':
        return this.constant(bound);
      case 'clock':
        this.clock = true;
        return bound.what === 'date'
          ? (this.writing.today ?? this.writing.catalog.today ?? "date('now')")
          : (this.writing.now ?? "strftime('%Y-%m-%dT%H:%M:%SZ', 'now')");
      case 'ref':
        return this.ref(bound);
      case 'worked':
        return w(bound.a);
      case 'rescale':
        return this.rescale(bound);
      case 'negate':
        return this.checked(`(-${w(bound.a)})`, digits(bound));
      case 'abs':
        return this.absolute(bound.a);
      case 'floor':
      case 'ceiling': {
        if (scale(bound.a) === 0) return w(bound.a);
        const unit = power(scale(bound.a));
        return this.let([bound.a], ([a]) =>
          bound.op === 'floor'
            ? `${a} / ${unit} - (${a} % ${unit} < 0)`
            : `${a} / ${unit} + (${a} % ${unit} > 0)`,
        );
      }
      case 'not':
        return `(NOT ${w(bound.a)})`;
      case 'and':
      case 'or':
        return this.both(bound);
      case 'isNull':
        return `(${w(bound.a)} IS NULL)`;
      case 'isTruth':
        return `(${w(bound.a)} IS ${bound.value ? 1 : 0})`;
      case 'distinct':
        return `(${w(bound.a)} IS NOT ${w(bound.b)})`;
      case 'compare':
        return `(${w(bound.a)} ${bound.how} ${w(bound.b)})`;
      case 'between':
        return `(${w(bound.a)} BETWEEN ${w(bound.low)} AND ${w(bound.high)})`;
      case 'in':
        // The engine would read a single item that is a query as the list itself.
        return bound.list.length === 1
          ? `(${w(bound.a)} = ${w(bound.list[0]!)})`
          : `(${w(bound.a)} IN (${bound.list.map(w).join(', ')}))`;
      case 'like':
        return this.like(bound);
      case 'add':
        return this.checked(`(${w(bound.a)} + ${w(bound.b)})`, digits(bound));
      case 'sub':
        return this.checked(`(${w(bound.a)} - ${w(bound.b)})`, digits(bound));
      case 'mul':
        return this.multiply(bound);
      case 'div':
        return this.divide(bound);
      case 'mod':
        return `(${w(bound.a)} % ${w(bound.b)})`;
      case 'addDays':
      case 'addSeconds':
        if (bound.type.type === 'time')
          return this.let([bound.a, bound.b], ([a, b]) => `time(${a}, (${b} % 86400) || ' seconds')`);
        return this.let([bound.a, bound.b], ([a, b]) => {
          const unit = bound.op === 'addDays' ? 'days' : 'seconds';
          const moved =
            bound.type.type === 'date'
              ? `date(${a}, ${b} || ' ${unit}')`
              : `strftime('%Y-%m-%dT%H:%M:%SZ', ${a}, ${b} || ' ${unit}')`;
          return this.someDate(moved, `${a} || ${b}`);
        });
      case 'addMonths':
        return this.let([bound.a, bound.b], ([a, b]) =>
          this.addMonths(a!, b!, bound.type.type === 'instant'),
        );
      case 'daysBetween':
        return `CAST(julianday(${w(bound.a)}) - julianday(${w(bound.b)}) AS INTEGER)`;
      case 'secondsBetween':
        return `(unixepoch(${w(bound.a)}) - unixepoch(${w(bound.b)}))`;
      case 'concat':
        return `(${w(bound.a)} || ${w(bound.b)})`;
      case 'upper':
        return this.letters('upper', w(bound.a));
      case 'lower':
        return this.letters('lower', w(bound.a));
      case 'limit':
        return this.let([bound.a], ([a]) => {
          const most = power(bound.most);
          return this.unless('large', `${a} >= ${most} OR ${a} <= -${most}`, a!, a!);
        });
      case 'limitText':
        return this.let([bound.a], ([a]) => this.unless('long', `length(${a}) > ${bound.most}`, a!, a!));
      case 'length':
        return `length(${w(bound.a)})`;
      case 'position':
        return this.position(bound);
      case 'trim': {
        const name = { LEADING: 'ltrim', TRAILING: 'rtrim', BOTH: 'trim' }[bound.side];
        return `${name}(${w(bound.a)}, ${this.text(bound.char)})`;
      }
      case 'substring':
        return this.substring(bound);
      case 'toText':
        return this.toText(bound.a);
      case 'toDate':
        return this.toDate(bound.a);
      case 'toNumber':
        return this.toNumber(bound);
      case 'extract':
        return this.extract(bound);
      case 'coalesce':
        return this.coalesced(bound);
      case 'nullif':
        return `nullif(${w(bound.a)}, ${w(bound.b)})`;
      case 'case':
        return this.cases(bound);
      case 'aggregate':
        return this.aggregate(bound);
    }
  }

  /**
   * What may be left out, where faults are marked: nothing raises an error there, so it is worked out in the
   * same chain (the engine's parser allows few levels), and its fault counts only where it is not left out.
   */
  private branch(bound: Bound): Branch {
    const outer = this.faults;
    this.faults = [];
    const value = this.write(bound);
    const fault = this.faults.length === 0 ? null : this.simple(firstOf(this.faults));
    this.faults = outer;
    return { value, fault };
  }

  /** AND and OR: what the left side decides alone does not ask the right one. */
  private both(bound: Joined): string {
    const a = this.write(bound.a);
    const written = (left: string, right: string): string => `(${left} ${bound.op.toUpperCase()} ${right})`;
    if (!this.marks) return written(a, this.write(bound.b));
    const b = this.branch(bound.b);
    if (b.fault === null) return written(a, b.value);
    const left = this.simple(a);
    this.faults.push(this.keep(`CASE WHEN ${left} IS NOT ${bound.op === 'and' ? 0 : 1} THEN ${b.fault} END`));
    return written(left, b.value);
  }

  private coalesced({ list: [first, ...rest] }: Extract<Bound, { op: 'coalesce' }>): string {
    const begun = this.write(first!);
    if (!this.marks) return `coalesce(${[begun, ...rest.map((part) => this.lazy(part).sql)].join(', ')})`;
    const others = rest.map((part) => this.branch(part));
    if (!others.some(({ fault }) => fault !== null))
      return `coalesce(${[begun, ...others.map(({ value }) => value)].join(', ')})`;
    const values = [begun, ...others.map(({ value }) => value)].map((value) => this.simple(value));
    const asked = others.flatMap(({ fault }, i) => [
      ` WHEN ${values[i]!} IS NOT NULL THEN NULL`,
      ...(fault === null ? [] : [` WHEN ${fault} IS NOT NULL THEN ${fault}`]),
    ]);
    this.faults.push(this.keep(`CASE${asked.join('')} END`));
    return `coalesce(${values.join(', ')})`;
  }

  private cases(bound: Extract<Bound, { op: 'case' }>): string {
    const written = (whens: readonly (readonly [when: string, then: string])[], otherwise?: string): string =>
      `(CASE ${whens.map(([when, then]) => `WHEN ${when} THEN ${then}`).join(' ')}${otherwise === undefined ? '' : ` ELSE ${otherwise}`} END)`;
    if (!this.marks)
      return written(
        bound.whens.map(({ when, then }, i) => [
          i === 0 ? this.write(when) : this.lazy(when).sql,
          this.lazy(then).sql,
        ]),
        bound.otherwise ? this.lazy(bound.otherwise).sql : undefined,
      );
    const plain = bound.whens.map(({ when, then }, i) => ({
      when: i === 0 ? { value: this.write(when), fault: null } : this.branch(when),
      then: this.branch(then),
    }));
    const otherwise: Branch = bound.otherwise ? this.branch(bound.otherwise) : { value: 'NULL', fault: null };
    const faulty =
      otherwise.fault !== null || plain.some(({ when, then }) => (when.fault ?? then.fault) !== null);
    const whens = plain.map(({ when, then }) => ({
      when: faulty ? { ...when, value: this.simple(when.value) } : when,
      then,
    }));
    if (faulty) {
      // A condition at fault is no answer: nothing behind it is asked.
      const faults = whens.flatMap(({ when, then }) => [
        ...(when.fault === null ? [] : [[`${when.fault} IS NOT NULL`, when.fault] as const]),
        [when.value, then.fault ?? 'NULL'] as const,
      ]);
      this.faults.push(this.keep(written(faults, otherwise.fault ?? 'NULL')));
    }
    return written(
      whens.map(({ when, then }) => [when.value, then.value]),
      bound.otherwise ? otherwise.value : undefined,
    );
  }

  private absolute(bound: Bound): string {
    if (!this.marks || digits(bound) <= SAFE_DIGITS) return `abs(${this.write(bound)})`;
    return this.let([bound], ([a]) => {
      const least = `${a} = -9223372036854775807 - 1`;
      return this.unless('large', least, a!, `abs(CASE WHEN ${least} THEN 0 ELSE ${a} END)`);
    });
  }

  private text(value: string): string {
    return (this.writing.text ?? sqlText)(value);
  }

  private constant(bound: Extract<Bound, { op: 'const' }>): string {
    const { value } = bound;
    if (value === null) return 'NULL';
    if (typeof value === 'bigint') return value < 0n ? `(${value})` : `${value}`;
    if (typeof value === 'boolean') return value ? '1' : '0';
    return this.text(value);
  }

  /** Hands `body` operands that can be written several times: as they are when simple, else by name. */
  private let(list: readonly Bound[], body: (names: string[]) => string): string {
    return `(${body(list.map((part) => this.simple(this.write(part))))})`;
  }

  private simple(sql: string): string {
    return /^(?:(?:"?\w+"?\.)?"(?:[^"]|"")*"|\w+|\(-\d+\)|\?\d+|'[^']*')$/.test(sql) ? sql : this.keep(sql);
  }

  /** Raises an error when a whole-number result has become a float, as SQLite makes it on overflow. */
  private checked(sql: string, most: number): string {
    if (most <= SAFE_DIGITS) return sql;
    const v = this.keep(sql);
    return `(${this.unless('large', `typeof(${v}) = 'real'`, v, v)})`;
  }

  private ref(bound: Extract<Bound, { op: 'ref' }>): string {
    const alias = this.aliases.get(bound.row) ?? null;
    const column = sqlName(bound.field.column);
    if (bound.links.length === 0) return alias === null ? column : `${alias}.${column}`;
    const { start, rest } = this.begin(bound.row, bound.links);
    if (rest.length === 0) return `${start}.${column}`;
    this.subquery = true;
    const { from, where, last } = this.walk(rest, start);
    return `(SELECT ${last}.${column} FROM ${from} WHERE ${where})`;
  }

  /** Where a path begins: as far along it as rows are joined already. */
  private begin(row: number, hops: readonly Hop[]): { start: string | null; rest: readonly Hop[] } {
    const start = this.aliases.get(row) ?? null;
    const { joined } = this.writing;
    if (row !== 0 || !joined) return { start, rest: hops };
    // The rows that look a row up bear the id of the lookup, too, and are others than the row that leads to.
    const ids = hops.map((hop) => (hop.hop === 'link' ? hop.field.id : `~${hop.child.id}`));
    for (let length = ids.length; length > 0; length--) {
      const alias = joined(ids.slice(0, length));
      if (alias !== null) return { start: alias, rest: hops.slice(length) };
    }
    return { start, rest: hops };
  }

  /** FROM and WHERE that lead from a row along lookups and child rows. */
  private walk(hops: readonly Hop[], start: string | null): { from: string; where: string; last: string } {
    let from = '';
    let where = '';
    let last = start;
    for (const hop of hops) {
      const table = this.writing.catalog.table(hop.table);
      const alias = this.name('r');
      const prefix = last === null ? '' : `${last}.`;
      const on = hop.hop === 'link' ? hop.on : hop.child.on;
      const condition = on
        .map(([own, other]) => `${alias}.${sqlName(other)} = ${prefix}${sqlName(own)}`)
        .join(' AND ');
      const schema = this.writing.schema ? `${this.writing.schema}.` : '';
      const source = `${schema}${sqlName(table.name)} AS ${alias}`;
      if (from === '') [from, where] = [source, condition];
      else from += ` JOIN ${source} ON ${condition}`;
      last = alias;
    }
    return { from, where, last: last! };
  }

  private aggregate(bound: Aggregate): string {
    if (!bound.over) return this.total(bound, null);
    this.subquery = true;
    const { start, rest } = this.begin(bound.over.from, bound.over.hops);
    const { from, where, last } = this.walk(rest, start);
    this.aliases.set(bound.over.as, last);
    const source = `FROM ${from} WHERE ${where}`;
    const sql = `(SELECT ${this.total(bound, source)} ${source})`;
    if (!this.marks) return sql;
    const value = this.keep(sql);
    this.faults.push(markOf(value));
    return value;
  }

  private total(bound: Aggregate, source: string | null): string {
    const arg = bound.arg && this.lazy(bound.arg);
    const condition = bound.filter && this.lazy(bound.filter);
    const filter = condition ? ` FILTER (WHERE ${condition.sql})` : '';
    const name = bound.name.toLowerCase();
    const of = arg ? `${bound.distinct ? 'DISTINCT ' : ''}${arg.sql}` : '*';
    if (!this.marks) return `${name}(${of})${filter}`;
    const faults = [
      ...(condition?.marked ? [`max(${markOf(condition.sql)})`] : []),
      ...(arg?.marked ? [`max(${markOf(arg.sql)})${filter}`] : []),
    ];
    const total =
      arg && bound.name === 'SUM'
        ? this.sum(arg.sql, filter, bound.distinct ? source : null)
        : `${name}(${of})${filter}`;
    return firstOf([...faults, total]);
  }

  /**
   * A sum that is marked where it does not fit: the engine's own would end the statement. It is made up in two
   * halves. Of numbers that are each counted once, `source` gives the rows to find them in.
   */
  private sum(of: string, filter: string, source: string | null): string {
    if (source !== null) {
      const n = this.name('n');
      const rows = `SELECT DISTINCT ${of} AS ${n} ${source}${filter.replace(/^ FILTER \(WHERE/, ' AND (')}`;
      return `(SELECT ${this.sum(n, '', null)} FROM (${rows}))`;
    }
    const [high, low] = [`sum(${of} / ${HALF})${filter}`, `sum(${of} % ${HALF})${filter}`];
    const [h, l] = [`(${high} + ${low} / ${HALF})`, `(${low} % ${HALF})`];
    const whole = `(${h} * ${HALF} + ${l})`;
    return `CASE typeof${whole} WHEN 'real' THEN ${faultMark('large')} ELSE ${whole} END`;
  }

  private rescale(bound: Extract<Bound, { op: 'rescale' }>): string {
    const by = scale(bound) - scale(bound.a);
    if (by > 0) return this.checked(`(${this.write(bound.a)} * ${power(by)})`, digits(bound));
    const unit = power(-by);
    return this.let([bound.a], ([a]) => `${a} / ${unit} + (${a} % ${unit}) * 2 / ${unit}`);
  }

  private multiply(bound: Numbers): string {
    const drop = scale(bound.a) + scale(bound.b) - scale(bound);
    const most = bound.type.type === 'interval' ? 19 : digits(bound);
    if (drop <= 0) return this.checked(`(${this.write(bound.a)} * ${this.write(bound.b)})`, most);
    // The whole product may not fit although its rounded part does: multiply in pieces.
    const unit = power(drop);
    const product = this.let([bound.a, bound.b], ([a, b]) => {
      const rest = `(${a} % ${unit}) * (${b} % ${unit})`;
      return `${a} * (${b} / ${unit}) + (${a} / ${unit}) * (${b} % ${unit}) + ${rest} / ${unit} + (${rest} % ${unit}) * 2 / ${unit}`;
    });
    return this.checked(product, most);
  }

  /** Long division, so many digits at a time that remainder times power stays within 64 bits. */
  private divide(bound: Numbers): string {
    const shift = scale(bound) + scale(bound.b) - scale(bound.a);
    const divisorDigits = digits(bound.b) + Math.max(-shift, 0);
    const known = Math.min(divisorDigits, 15);
    const a = this.simple(this.write(bound.a));
    const plain = this.simple(this.write(bound.b));
    const b = shift < 0 ? this.keep(`${plain} * ${power(-shift)}`) : plain;
    let result = `${a} / ${b}`;
    let rest = `(${a} % ${b})`;
    for (let left = shift; left > 0;) {
      const step = Math.min(left, SAFE_DIGITS - known);
      result = `(${result}) * ${power(step)} + ${rest} * ${power(step)} / ${b}`;
      rest = `(${rest} * ${power(step)} % ${b})`;
      left -= step;
    }
    const whole = `${result} + ${rest} * 2 / ${b}`;
    const quotient =
      divisorDigits <= 15
        ? `(${whole})`
        : `(${this.unless('large', `${a} IS NOT NULL AND abs(${b}) >= ${power(15)}`, b, whole)})`;
    return this.checked(quotient, digits(bound.a) + Math.max(shift, 0) + 1);
  }

  private someDate(sql: string, shown: string): string {
    const v = this.keep(sql);
    const fits = `${v} BETWEEN '0001-01-01' AND '9999-12-31T23:59:59Z'`;
    return `(${this.unless('date', `${shown} IS NOT NULL AND (${fits}) IS NOT 1`, `(${shown})`, v)})`;
  }

  private addMonths(a: string, b: string, instant: boolean): string {
    const first = this.keep(`date(${a}, 'start of month', ${b} || ' months')`);
    const part = (of: string, format: string): string => `CAST(strftime('${format}', ${of}) AS INTEGER)`;
    const [month, year] = [this.keep(part(first, '%m')), this.keep(part(first, '%Y'))];
    const leap = `(${year} % 4 = 0 AND (${year} % 100 <> 0 OR ${year} % 400 = 0))`;
    const last = `CASE WHEN ${month} IN (4, 6, 9, 11) THEN 30 WHEN ${month} <> 2 THEN 31 WHEN ${leap} THEN 29 ELSE 28 END`;
    const moved = `date(${first}, (min(${part(a, '%d')}, ${last}) - 1) || ' days')`;
    return this.someDate(instant ? `${moved} || substr(${a}, 11)` : moved, `${a} || ${b}`);
  }

  /** The engine's own takes them the other way round: which fault comes first does not. */
  private position({ a, b }: { readonly a: Bound; readonly b: Bound }): string {
    const part = this.write(a);
    return `instr(${this.write(b)}, ${part})`;
  }

  private substring(bound: Extract<Bound, { op: 'substring' }>): string {
    const a = this.simple(this.write(bound.a));
    const position = (part: Bound): string => {
      const sql = this.write(part);
      if (digits(part) <= SAFE_DIGITS || part.op === 'const') return this.simple(sql);
      return this.keep(`max(min(${sql}, ${MOST_POSITION}), -${MOST_POSITION})`);
    };
    const from = position(bound.from);
    const first = `min(max(${from}, 1), ${MOST_SUBSTR})`;
    if (!bound.length) return `substr(${a}, ${first})`;
    const count = `${from} + ${position(bound.length)} - max(${from}, 1)`;
    return `substr(${a}, ${first}, min(max(${count}, 0), ${MOST_SUBSTR}))`;
  }

  /**
   * Maps every letter. The engine's own function knows A to Z: a text with others is walked through
   * character by character.
   */
  private letters(how: keyof typeof LETTERS, sql: string): string {
    this.subquery = true;
    const t = this.keep(`${how === 'upper' ? 'upper' : 'lower'}(${sql})`);
    this.maps.add(how);
    const char = `substr(${t}, "~i", 1)`;
    const at = `instr((SELECT "~f" FROM "~${how}"), ${char})`;
    const mapped = `CASE ${at} WHEN 0 THEN ${char} ELSE substr((SELECT "~t" FROM "~${how}"), ${at}, 1) END`;
    return (
      `(CASE WHEN ${t} GLOB ${BEYOND_ASCII} THEN (WITH RECURSIVE "~c"("~i", "~o") AS (SELECT 1, '' UNION ALL ` +
      `SELECT "~i" + 1, "~o" || ${mapped} FROM "~c" WHERE "~i" <= length(${t})) ` +
      `SELECT "~o" FROM "~c" WHERE "~i" > length(${t})) ELSE ${t} END)`
    );
  }

  private like(bound: Extract<Bound, { op: 'like' }>): string {
    const { pattern, escape } = bound;
    if (pattern.op !== 'const' || typeof pattern.value !== 'string') return this.likeComputed(bound);
    const items = likeItems(pattern.value, escape)!.map((item) => ({ ...item, char: fold(item.char) }));
    const escaped = items.some(({ char, wild }) => !wild && /[%_]/.test(char));
    const written = items
      .map(({ char, wild }) => (!wild && escaped && /[%_\\]/.test(char) ? `\\${char}` : char))
      .join('');
    // The engine folds A to Z itself, so only the other forms of the pattern's own letters need help.
    const letters = [...new Set(items.map(({ char }) => char))].flatMap((char) =>
      foldedFrom(char).map((from) => [from, char] as const),
    );
    const text = letters.reduce((inner, [from, to], i) => {
      const named = i > 0 && i % 6 === 0 ? this.keep(inner) : inner;
      return `replace(${named}, ${sqlText(from)}, ${sqlText(to)})`;
    }, this.write(bound.a));
    return `(${text} LIKE ${this.text(written)}${escaped ? ` ESCAPE '\\'` : ''})`;
  }

  /** LIKE with a pattern that only the row tells. */
  private likeComputed(bound: Extract<Bound, { op: 'like' }>): string {
    const folded = (sql: string): string => this.letters('fold', sql);
    const text = this.simple(this.write(bound.a));
    const a = folded(text);
    const p = this.simple(this.write(bound.pattern));
    const tooLong = `${text} IS NOT NULL AND length(${p}) > ${MOST_PATTERN}`;
    if (bound.escape === null)
      return `(${a} LIKE ${folded(this.keep(this.unless('pattern', tooLong, p, `substr(${p}, 1, ${MOST_PATTERN})`)))})`;
    const e = sqlText(bound.escape);
    const pairs = [`${e} || ${e}`, `${e} || '%'`, `${e} || '_'`];
    const rest = pairs.reduce((inner, pair) => `replace(${inner}, ${pair}, '')`, p);
    const checked = this.keep(
      this.unless(
        'pattern',
        `${tooLong} OR ${text} IS NOT NULL AND instr(${rest}, ${e}) > 0`,
        p,
        // Where it is at fault, it is none that the engine would refuse.
        this.marks
          ? `CASE WHEN length(${p}) > ${MOST_PATTERN} OR instr(${rest}, ${e}) > 0 THEN '' ELSE ${p} END`
          : p,
      ),
    );
    const neutral = this.keep(`replace(${checked}, ${e}, ${NEUTRAL_ESCAPE})`);
    // An escape character that stands for itself is a letter like any other once it is escaped.
    const unescaped = `replace(${neutral}, ${NEUTRAL_ESCAPE} || ${NEUTRAL_ESCAPE}, ${e})`;
    return `(${a} LIKE ${folded(unescaped)} ESCAPE ${NEUTRAL_ESCAPE})`;
  }

  private toText(a: Bound): string {
    if (a.type.type === 'boolean') return `CASE ${this.write(a)} WHEN 1 THEN 'TRUE' WHEN 0 THEN 'FALSE' END`;
    if (a.type.type !== 'number') return this.write(a);
    if (a.type.scale === 0) return `CAST(${this.write(a)} AS TEXT)`;
    return this.let([a], ([v]) => decimalText(v!, scale(a)));
  }

  private toDate(a: Bound): string {
    if (a.type.type === 'instant') return `substr(${this.write(a)}, 1, 10)`;
    return this.let([a], ([v]) => {
      const date = `${v} GLOB '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]' AND ${v} >= '0001' AND date(${v}, '+0 days')`;
      if (this.marks) return this.unless('cast', `NOT (${date} IS ${v})`, v!, v!);
      // As it stands in CHECKs of files.
      return `CASE WHEN ${v} IS NULL THEN NULL WHEN ${date} = ${v} THEN ${v} ELSE ${raise('cast', v!)} END`;
    });
  }

  private toNumber(bound: Extract<Bound, { readonly a: Bound }>): string {
    const places = scale(bound);
    const t = this.keep(`trim(${this.write(bound.a)})`);
    const u = this.keep(`CASE WHEN substr(${t}, 1, 1) IN ('-', '+') THEN substr(${t}, 2) ELSE ${t} END`);
    const point = this.keep(`instr(${u} || '.', '.')`);
    const [w, f] = [this.keep(`substr(${u}, 1, ${point} - 1)`), this.keep(`substr(${u}, ${point} + 1)`)];
    const kept = `'0' || ${w}${places === 0 ? '' : ` || substr(${f} || '000000', 1, ${places})`}`;
    const units = `(CAST(${kept} AS INTEGER) + (substr(${f}, ${places + 1}, 1) >= '5'))`;
    const value = `CASE WHEN substr(${t}, 1, 1) = '-' THEN -${units} ELSE ${units} END`;
    const digitsOnly = `${w} || ${f} <> '' AND ${w} || ${f} NOT GLOB '*[^0-9]*'`;
    const tooLarge = `${digitsOnly} AND length(ltrim(${w}, '0')) + ${places} > 15`;
    const fitting = this.unless('large', tooLarge, t, value);
    return `(CASE WHEN ${t} IS NOT NULL THEN ${this.unless('cast', `NOT (${digitsOnly})`, t, fitting)} END)`;
  }

  private extract(bound: Extract<Bound, { op: 'extract' }>): string {
    const format = { YEAR: '%Y', MONTH: '%m', DAY: '%d', HOUR: '%H', MINUTE: '%M', SECOND: '%S' }[bound.unit];
    return `CAST(strftime('${format}', ${this.write(bound.a)}) AS INTEGER)`;
  }
}

/** A scaled whole number as decimal text, exact: `-1250` at 2 places is `-12.50`. `v` is written thrice. */
export function decimalText(v: string, places: number): string {
  if (places === 0) return `CAST(${v} AS TEXT)`;
  const unit = power(places);
  return `(CASE WHEN ${v} < 0 THEN '-' ELSE '' END || (abs(${v}) / ${unit}) || '.' || substr('${'0'.repeat(places)}' || (abs(${v}) % ${unit}), -${places}))`;
}
