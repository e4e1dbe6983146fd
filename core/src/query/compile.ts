import {
  bind,
  bindCondition,
  decimalText,
  faultName,
  failed,
  fromStored,
  inWords,
  numberType,
  orderKeySql,
  sqlName,
  sqlText,
  toSql,
  type Bound,
  type Catalog,
  type Span,
  type SqlWriting,
  type Type,
} from '../expression';
import {
  asText,
  catalogOf,
  displayOf,
  displaySql,
  fieldOf,
  listOf,
  shownText,
  type Design,
  type Field,
  type Query,
  type QueryColumn,
  type QueryJoin,
  type Table,
} from '../design';
import type { DateStep, ValueKind } from '../values';
import {
  activeJoins,
  allRead,
  typedColumns,
  conditionTexts,
  fieldShown,
  isApart,
  joinedTo,
  kindOfBound,
  mapConditions,
  measureKind,
  measureType,
  outputColumns,
  overColumns,
  questionsOf,
  resultOf,
  scopeOf,
  SHARE_PLACES,
  sourceOf,
  sourceWords,
  stackOf,
  tableOfQuery,
  type Answers,
  type TypedColumn,
  type TypedMeasure,
  type QueryScope,
} from './scope';
import { newQuery } from './new';
import { keyedBy, withKeys } from './keyed';
import { joinsOf } from './repeats';
import { literalsOf, readingOf, rowsOfWritten, sqlWith } from './written';
import { comparisonsOf, MOST_VALUES, type Comparison } from './why';

/** A column of a result: what it is called and how its values are shown. */
export interface ResultColumn {
  readonly id: string;
  readonly label: string;
  readonly kind: ValueKind;
}

/** One part of the sentence and the question how many rows are left after it. */
export interface FunnelPart {
  readonly part: 'from' | 'with' | 'where' | 'group' | 'unlike' | 'keep' | 'first';
  readonly label: string;
  readonly sql: string;
  /**
   * Of a join that may find several: how many of the rows before it find none. Of others it is what is left to count
   * from one part to the next.
   */
  readonly none?: string;
}

/** A part with how many rows are left after it. */
/** A part of a query while its rows are counted: null as long as they are not. */
export interface CountingPart extends Pick<CountedPart, 'part' | 'label' | 'none'> {
  readonly count: number | null;
}

export interface CountedPart extends Pick<FunnelPart, 'part' | 'label'> {
  readonly count: number;
  /** How many of the rows before a join find none. */
  readonly none?: number;
  /** Why a part leaves nothing: how what it compares stands in the rows before it. */
  readonly why?: readonly string[];
}

export interface CompiledQuery {
  readonly columns: readonly ResultColumn[];
  /**
   * Gives one array a row, values ready to travel: decimals as text, ticks as 0 or 1, lookups as text. Behind the
   * columns stand, as text, the values as they are kept that rows are grouped by.
   */
  readonly sql: string;
  /** How many values rows are grouped by: they stand behind the columns. */
  readonly keys: number;
  readonly funnel: readonly FunnelPart[];
  /**
   * One statement for how many rows the first parts of the funnel leave, so many as it gives values: they are read once
   * for all of them. Null where each part is better asked by itself.
   */
  readonly together: string | null;
  /** Values for ?1, ?2, … in `sql` and in every part of the funnel. */
  readonly params: readonly string[];
}

export interface Compiling {
  /** `YYYY-MM-DD`: what CURRENT_DATE is; what the file itself takes for it where it is not said. */
  readonly today?: string;
  /** Answers to what is asked; what is not answered starts as its question says. */
  readonly answers?: Answers;
}

/**
 * Turns a query definition into SQL. Throws an ExpressionError when an expression does not hold, and when something
 * that it reads is gone (check `dependantsOf` before dropping one).
 */
export function compileQuery(design: Design, query: Query, compiling: Compiling): CompiledQuery {
  const params: string[] = [];
  const bindText = (value: string): string => {
    const known = params.indexOf(value);
    return `?${known >= 0 ? known + 1 : params.push(value)}`;
  };
  if (query.written) {
    const reading = readingOf(design, query);
    return compileQuery(reading.design, reading.query, compiling);
  }
  const run = new Compiler(design, query, compiling, bindText).compile();
  return { ...run, params };
}

/** Rows that stand behind what is shown: those of one group, or those that are lost at a part. */
export type RowsAsked =
  /** What the rows are grouped by, as text, by the id of the column; what is not named may be anything. */
  | { readonly what: 'cell'; readonly keys: Readonly<Record<string, string | null>> }
  /** A part of the funnel, by its place there. */
  | { readonly what: 'lost'; readonly part: number };

/** Parts of a funnel at which rows are lost one by one, so that they can be shown. */
export const LOSES: ReadonlySet<FunnelPart['part']> = new Set(['with', 'where', 'keep', 'first']);

/**
 * The rows behind one group of a result, or those that one part of the query leaves out. Throws like
 * {@link compileQuery}.
 */
export function compileRows(
  design: Design,
  query: Query,
  compiling: Compiling,
  asked: RowsAsked,
): Pick<CompiledQuery, 'columns' | 'sql'> {
  if (query.written) failed('Of SQL nothing is known row by row.', { start: 0, end: 0 });
  const told = withoutUnasked(design, query, compiling.answers ?? {});
  const asksOfResult = asked.what === 'lost' && placeOf(told, asked.part).part !== 'rows';
  const shown = asksOfResult ? told : inDetail(design, told, asked);
  return new Compiler(design, shown, compiling, sqlText).narrowed(told, asked);
}

/** To which of the joins, of the conditions or of the conditions over the result a part of the funnel belongs. */
function placeOf(
  query: Query,
  index: number,
): {
  readonly part: 'rows' | 'keep' | 'first' | 'none';
  readonly join?: number;
  readonly where?: number;
  readonly keep?: number;
} {
  const joins = activeJoins(query).length;
  const wheres = conditionTexts(query.where).length;
  const keeps = conditionTexts(query.keep).length;
  const grouped = query.group || query.unlike ? 1 : 0;
  const at = index - 1;
  if (at >= 0 && at < joins) return { part: 'rows', join: at };
  const where = at - joins;
  if (where >= 0 && where < wheres) return { part: 'rows', where };
  const keep = where - wheres - grouped;
  if (keep >= 0 && keep < keeps) return { part: 'keep', keep };
  return { part: keep === keeps && query.first !== null ? 'first' : 'none' };
}

/** Fields that are shown of rows where nothing says which. */
const MOST_SHOWN = 8;

/** What is shown of the rows of a query that says nothing of it: of those it starts from, and what it groups by. */
export function detailColumns(
  design: Design,
  query: Query,
): { readonly own: QueryColumn[]; readonly grouped: QueryColumn[] } {
  const source = sourceOf(design, query.from);
  const own =
    source?.of === 'table'
      ? source.table.fields
          .filter(({ type }) => !['longText', 'picture', 'file', 'stamp'].includes(type.kind))
          .slice(0, MOST_SHOWN)
          .map(({ id, label }) => ({ id: `~${id}`, label, expression: `"#${id}"` }))
      : source
        ? outputColumns(design, source.query).map(({ id, label }) => ({
            id: `~${id}`,
            label,
            expression: `"#${id}"`,
          }))
        : [];
  const known = new Set(own.map(({ expression }) => expression));
  const grouped = query.group
    ? [...query.group.by, ...query.group.measures].flatMap(({ id, label, expression }) =>
        expression === null || known.has(expression) ? [] : [{ id: `~${id}`, label, expression }],
      )
    : [];
  return { own, grouped };
}

/** A query for the rows that another groups: with its columns, or with what is told of its rows otherwise. */
function inDetail(design: Design, query: Query, asked: RowsAsked): Query {
  const { own, grouped } = detailColumns(design, query);
  // Rows without anything beside them have nothing to show of it.
  const isBefore = asked.what === 'lost' && placeOf(query, asked.part).join !== undefined;
  const columns = isBefore ? own : query.columns.length > 0 ? query.columns : [...own, ...grouped];
  return {
    ...query,
    columns: columns.map((column, i) => ({
      ...column,
      label:
        columns.findIndex(({ label }) => label === column.label) < i
          ? `${column.label} (${i + 1})`
          : column.label,
    })),
    group: null,
    keep: [],
    unlike: false,
    sort: [],
    first: null,
  };
}

/**
 * SQL for a condition that rows of a table meet which a query tells, see {@link keyedBy}; `keys` are the columns of the
 * key of such a row. Throws an ExpressionError where it tells none.
 */
export function toldSql(
  design: Design,
  query: Query,
  { table, keys }: { readonly table: Table; readonly keys: readonly string[] },
  compiling: Compiling,
  text: (value: string) => string,
): string {
  const how = keyedBy(design, query, table);
  if (!how) failed(`The query ${query.label} tells no rows of ${table.label}.`, { start: 0, end: 0 });
  const compile = (of: Query): Compiler => new Compiler(design, of, compiling, text, 'empty');
  // Row by row where its rows are the table's own, so that one alone is quickly asked about; else all at once.
  if (how.by === 'row' && query.keep.length === 0 && query.first === null)
    return `EXISTS (${compile(query).ownRow(table, keys)})`;
  const keyed = how.by === 'row' ? withKeys(design, query, table) : { query, columns: [how.column] };
  return `(${keys.join(', ')}) IN (${compile(keyed.query).keys(keyed.columns)})`;
}

/** A question which row of a query is at fault: gives the text of that row and the name of the fault. */
export interface FaultProbe {
  /** The part of the query it is about, as the subject of a sentence. */
  readonly what: string;
  /** What its rows are called. */
  readonly rows: string;
  readonly sql: string;
}

/**
 * The questions by which a query that was ended by a value it could not work out is explained, in its order: those of
 * the queries that it reads come first.
 */
export const faultProbes = (design: Design, query: Query, compiling: Compiling): FaultProbe[] =>
  allRead(design, query)
    .filter(({ written }) => !written)
    .reverse()
    .flatMap((read) => new Compiler(design, read, compiling, sqlText, 'empty').probes());

/** A comparison that leaves no row, and the questions by which it is explained. */
export interface Why extends Pick<Comparison, 'by' | 'wanted'> {
  /** What is compared, in words. */
  readonly subject: string;
  readonly kind: ValueKind;
  /** Gives one row: how many rows there are, in how many something stands, its least and its greatest value. */
  readonly range: string;
  /** Gives values with how many rows have each, most first; null where they are not looked through. */
  readonly values: string | null;
}

/**
 * The comparisons of one of the conditions that count, by its place among them, over the rows that those before it
 * leave: why it leaves none.
 */
export const whysOf = (design: Design, query: Query, compiling: Compiling, place: number): Why[] =>
  new Compiler(design, query, compiling, sqlText, 'empty').whys(place);

/**
 * The conditions over the result of a query as those of a query that reads that result: what is asked of the ones is asked
 * of the others then.
 */
export function overResult(design: Design, query: Query): { readonly design: Design; readonly query: Query } {
  const id = `${query.id}_kept`;
  const inner: Query = { ...query, id, keep: [], sort: [], first: null, firstOf: undefined };
  const plain: Query = {
    ...newQuery(query.id, query.label, { id }),
    questions: query.questions,
    where: query.keep,
  };
  return {
    design: { ...design, queries: [...design.queries.filter((other) => other.id !== query.id), inner] },
    query: plain,
  };
}

/** What a result is made from, as far as it stands in the innermost statement. */
interface Output {
  readonly column: ResultColumn;
  /** Columns of the inner SELECT that it is made from. */
  readonly inner: readonly { readonly name: string; readonly sql: string }[];
  /** A column worked out from the inner ones one level above them. */
  readonly middle?: { readonly name: string; readonly sql: string };
  readonly shown: string;
  readonly order: string;
}

/** Rows that are joined: their alias, and the way to them in expressions. */
interface Joined {
  readonly join: QueryJoin;
  readonly alias: string;
  readonly path: readonly string[];
  /** The table or query they are of. */
  readonly of: string;
  readonly sql: string;
  /** SQL for the rows before it that find none, once each; null for a join that finds one at most. */
  readonly none: string | null;
  /** The same, also for one that finds one at most. */
  readonly alone: string;
  /** The join with the rows that find none, and what is empty of those. */
  readonly left: string;
  readonly mark: string;
  readonly label: string;
}

/** A condition as SQL, and in words. */
interface Condition {
  readonly sql: string;
  readonly label: string;
}

/** Statements that others of the same query read, each under a name of its own. */
type Named = Map<string, { readonly name: string; readonly sql: string }>;

/** Something in a query that asks for what nobody has answered is left out, see {@link QueryQuestion}. */
export function withoutUnasked(design: Design, query: Query, answers: Answers): Query {
  const open = new Set(
    questionsOf(design, query)
      .filter(({ id, needed, start }) => {
        const answer = Object.hasOwn(answers, id) ? answers[id] : start;
        return !needed && (answer === null || answer === '');
      })
      .map(({ id }) => `"#${id}"`),
  );
  if (open.size === 0) return query;
  const asks = (text: string): boolean => [...open].some((id) => text.includes(id));
  const kept = (conditions: Query['where']): Query['where'] =>
    mapConditions(conditions, (condition) => (asks(condition.expression) ? null : condition));
  return { ...query, where: kept(query.where), keep: kept(query.keep) };
}

class Compiler {
  private readonly scope: QueryScope;
  private readonly catalog: Catalog;
  private readonly writing: SqlWriting;
  private readonly joins: Joined[] = [];
  private readonly base: string;
  private readonly query: Query;
  /** What is read, and met, where only a part of the rows is asked for. */
  private only: { readonly from?: string; readonly met?: readonly Condition[] } = {};

  constructor(
    private readonly design: Design,
    asked: Query,
    private readonly compiling: Compiling,
    private readonly text: (value: string) => string,
    /** What becomes of a value that cannot be worked out in a query that this one reads. */
    private readonly within: 'raise' | 'empty' = 'raise',
    private readonly named: Named = new Map(),
    private readonly around: readonly string[] = [],
  ) {
    const answers = compiling.answers ?? {};
    this.query = withoutUnasked(design, asked, answers);
    this.scope = scopeOf(design, this.query, { answers, within: around });
    this.catalog = this.scope.catalog;
    this.writing = {
      catalog: this.catalog,
      row: 't0',
      ...(compiling.today === undefined ? {} : { today: sqlText(compiling.today) }),
      text,
      joined: (path) => this.joins.find((join) => join.path.join() === path.join())?.alias ?? null,
    };
    this.base = `FROM ${this.stacked()} AS t0`;
    for (const join of activeJoins(this.query)) this.join(join);
  }

  /** What is read under the name of a table: the table, or a statement that stands before all others. */
  private source(id: string): string {
    const source = sourceOf(this.design, id);
    if (!source) failed('The table or query that this query reads is no longer there.', { start: 0, end: 0 });
    if (source.of === 'table') return sqlName(source.table.name);
    const known = this.named.get(id);
    if (known) return known.name;
    const { design, compiling, text, within, named } = this;
    if (source.query.written) {
      const { written } = source.query;
      const literals = literalsOf(design, source.query, compiling.answers ?? {}, compiling.today);
      const name = `"~q${named.size + 1}"`;
      named.set(id, { name, sql: rowsOfWritten(written, sqlWith(written.sql, literals)) });
      return name;
    }
    const inner = new Compiler(design, source.query, compiling, text, within, named, [
      ...this.around,
      this.query.id,
    ]);
    const sql = inner.rows();
    const name = `"~q${named.size + 1}"`;
    named.set(id, { name, sql });
    return name;
  }

  /** The rows it starts from, with those of other queries beneath them. */
  private stacked(): string {
    const own = this.source(this.query.from);
    const beneath = stackOf(this.design, this.query, {
      answers: this.compiling.answers ?? {},
      within: this.around,
    });
    if (beneath.length === 0) return own;
    const names = this.scope.base.fields.map(({ column }) => sqlName(column));
    const others = beneath.map(({ id, columns }) => {
      const list = columns.map((column, i) => `${sqlName(column)} AS ${names[i]!}`).join(', ');
      return `SELECT ${list} FROM ${this.source(id)}`;
    });
    return `(${[`SELECT ${names.join(', ')} FROM ${own}`, ...others].join(' UNION ALL ')})`;
  }

  /** A statement with those before it that it reads. */
  private whole(sql: string): string {
    const all = [...this.named.values()].map(({ name, sql: inner }) => `${name} AS ${inner}`);
    return all.length === 0 ? sql : `WITH ${all.join(',\n')}\n${sql}`;
  }

  private get from(): string {
    if (this.only.from !== undefined) return this.only.from;
    return [this.base, ...this.joins.map(({ sql }) => sql)].join('\n  ');
  }

  private conditions(faults: SqlWriting['faults'] = 'raise'): Condition[] {
    return conditionTexts(this.query.where).map((source) =>
      this.condition(source, this.catalog, { ...this.writing, faults }),
    );
  }

  private condition(source: string, catalog: Catalog, writing: SqlWriting): Condition {
    // Bound with names, so that what is quoted in words is readable.
    const named = fromStored(source, catalog, this.query.id);
    const { bound } = bindCondition(named, { catalog, table: this.query.id });
    return { sql: toSql(bound, writing).sql, label: inWords(bound, named) };
  }

  /** Conditions over the result. */
  private kept(faults: SqlWriting['faults'] = 'raise'): Condition[] {
    const texts = conditionTexts(this.query.keep);
    if (texts.length === 0) return [];
    const { catalog } = keepScope(this.design, this.query);
    const { joined: _, ...writing } = this.writing;
    return texts.map((text) => this.condition(text, catalog, { ...writing, catalog, row: 'q', faults }));
  }

  probes(): FaultProbe[] {
    const { catalog } = this;
    const table = tableOfQuery(this.design, this.query);
    const marked = this.conditions('mark');
    const asked = this.conditions('empty');
    const shown = table ? displaySql(table, asText(displayOf(table)), { catalog, row: 't0' }) : 'NULL';
    const rows = sourceWords(sourceOf(this.design, this.query.from)!).label;
    const probe = (what: string, sql: string, before: number): FaultProbe => {
      const where = asked.slice(0, before).map((condition) => condition.sql);
      const inner = `SELECT ${shown} AS d, ${sql} AS v ${this.from}${where.length > 0 ? ` WHERE ${where.join(' AND ')}` : ''}`;
      return {
        what,
        rows,
        sql: this.whole(`SELECT d, ${faultName('v')} FROM (${inner}) WHERE typeof(v) = 'blob' LIMIT 1`),
      };
    };
    const { plain, measures } = typedColumns(this.design, this.query, this.scope);
    const columns = [
      ...plain.map(({ column: { label }, bound }) => ({ label, bound })),
      ...measures.flatMap(({ measure: { label }, of }) => (of ? [{ label, bound: of }] : [])),
    ];
    return [
      ...marked.map(({ sql, label }, i) => probe(`The condition “${label}”`, sql, i)),
      ...columns.map(({ label, bound }) =>
        probe(`The column ${label}`, toSql(bound, { ...this.writing, faults: 'mark' }).sql, asked.length),
      ),
    ];
  }

  whys(place: number): Why[] {
    const source = conditionTexts(this.query.where)[place];
    if (source === undefined) return [];
    const { catalog } = this;
    const named = fromStored(source, catalog, this.query.id);
    const { bound } = bindCondition(named, { catalog, table: this.query.id });
    const writing = { ...this.writing, faults: 'empty' as const };
    const before = this.conditions('empty').slice(0, place);
    return comparisonsOf(bound).map(({ by, of, wanted }) => {
      const written = toSql(of, writing).sql;
      const field = of.op === 'ref' ? fieldShown(this.design, this.scope, of.field.id) : undefined;
      const text = field && shownText(this.design, catalogOf(this.design), field, written);
      const rows = `(SELECT ${text ?? written} AS v ${this.from}${whereOf(before)})`;
      const scale = of.type.type === 'number' && !text ? of.type.scale : 0;
      const shown = (value: string): string =>
        scale > 0 ? `CASE WHEN ${value} IS NOT NULL THEN ${decimalText(value, scale)} END` : value;
      const isText = text !== undefined && text !== null ? true : of.type.type === 'text';
      return {
        by: by === 'range' && isText ? 'values' : by,
        wanted,
        subject: inWords(of, named),
        kind: isText ? { kind: 'longText' } : kindOfBound(of),
        range: this.whole(
          `SELECT a, f, ${shown('l')}, ${shown('h')} FROM (SELECT count(*) AS a, count(v) AS f, min(v) AS l, max(v) AS h FROM ${rows})`,
        ),
        values:
          isText && by !== 'filled'
            ? this.whole(
                `SELECT v, count(*) FROM ${rows} WHERE v IS NOT NULL GROUP BY v ORDER BY 2 DESC, v LIMIT ${MOST_VALUES}`,
              )
            : null,
      };
    });
  }

  /** One row that it starts from, by its key, where that meets the conditions. */
  ownRow(table: Table, keys: readonly string[]): string {
    const where = [
      ...table.key.map((id, i) => `t0.${sqlName(fieldOf(table, id)!.name)} = ${keys[i]!}`),
      ...this.conditions('empty').map(({ sql }) => sql),
    ];
    return this.whole(`SELECT 1 ${this.from} WHERE ${where.join(' AND ')}`);
  }

  /** What stands in columns of its result, wherever something does. */
  keys(columns: readonly string[]): string {
    const { outputs, from, end } = this.made('empty');
    const names = columns.map((id, i) => {
      const output = outputs.find(({ column }) => column.id === id)!;
      return { inner: `${this.ownColumn(output)} AS k${i}`, outer: `k${i}` };
    });
    const rows = `SELECT ${names.map(({ inner }) => inner).join(', ')} FROM ${from}${this.query.first === null ? '' : end}`;
    const there = names.map(({ outer }) => `${outer} IS NOT NULL`).join(' AND ');
    return this.whole(`SELECT ${names.map(({ outer }) => outer).join(', ')} FROM (${rows}) WHERE ${there}`);
  }

  /** The parts of the statement for what the query gives, values as they are kept. */
  private made(faults: SqlWriting['faults'] = this.around.length > 0 ? this.within : 'raise'): {
    readonly outputs: readonly Output[];
    /** Everything but what is kept of the result, its order and its end. */
    readonly rows: string;
    readonly kept: readonly Condition[];
    /** What all that is read from, with what is kept of it. */
    readonly from: string;
    readonly end: string;
    /** What is left out behind the end. */
    readonly beyond: { readonly from: string; readonly end: string };
    readonly conditions: readonly Condition[];
  } {
    const { query } = this;
    const conditions = this.only.met ?? this.conditions(faults);
    const { plain, measures } = typedColumns(this.design, query, this.scope);
    const writing = { ...this.writing, faults };
    const grouped = plain.map((column) => this.plain(column, writing));
    const names = grouped.flatMap(({ inner }) => inner.map(({ name }) => sqlName(name)));
    const grouping = query.group && names.length > 0 ? `\nGROUP BY ${names.join(', ')}` : '';
    const isOnce = measures.some(({ measure }) => isApart(measure));
    const outputs = [
      ...grouped,
      ...measures.map((measure) => this.measure(measure, writing, isOnce, windowOf(grouped))),
    ];
    const list = (all: readonly Output[]): string =>
      all.flatMap(({ inner }) => inner.map(({ name, sql }) => `${sql} AS ${sqlName(name)}`)).join(',\n  ');
    const from = `${this.from}${whereOf(conditions)}`;
    let one = `SELECT ${query.unlike ? 'DISTINCT ' : ''}${list(outputs)}\n${from}${grouping}`;
    if (isOnce) {
      const all = [
        ...(grouped.length > 0 ? [list(grouped)] : []),
        ...measures.flatMap((measure) => this.counted(measure, grouped, writing)),
      ];
      const above = [...names, ...(measures.length > 0 ? [list(outputs.slice(grouped.length))] : [])];
      one = `SELECT ${above.join(', ')}\nFROM (SELECT ${all.join(',\n  ')}\n${from}) AS n${grouping}`;
    }
    const middle = outputs.flatMap((output) =>
      output.middle ? [`${output.middle.sql} AS ${sqlName(output.middle.name)}`] : [],
    );
    const rows = middle.length > 0 ? `SELECT *, ${middle.join(', ')} FROM (${one}) AS r` : one;
    const order = query.sort.flatMap(({ column, descending }) => {
      const output = outputs.find((candidate) => candidate.column.id === column);
      return output ? [`${output.order}${descending ? ' DESC' : ''}`] : [];
    });
    const kept = this.kept(faults);
    const sorted = order.length > 0 ? `\nORDER BY ${order.join(', ')}` : '';
    const { first, firstOf = [] } = query;
    const each = first === null ? [] : outputs.filter(({ column: { id } }) => firstOf.includes(id));
    const conditioned = `(${rows}) AS q${whereOf(kept)}`;
    if (each.length === 0)
      return {
        outputs,
        rows,
        kept,
        conditions,
        from: conditioned,
        end: sorted + (first === null ? '' : `\nLIMIT ${first}`),
        beyond: { from: conditioned, end: `${sorted}\nLIMIT -1 OFFSET ${first ?? 0}` },
      };
    const of = each.map((output) => this.ownColumn(output)).join(', ');
    const numbered = `SELECT *, row_number() OVER (PARTITION BY ${of}${sorted.replace('\n', ' ')}) AS "~n" FROM ${conditioned}`;
    return {
      outputs,
      rows,
      kept,
      conditions,
      from: `(${numbered}) AS q\nWHERE q."~n" <= ${first}`,
      end: sorted,
      beyond: { from: `(${numbered}) AS q\nWHERE q."~n" > ${first}`, end: sorted },
    };
  }

  /** The column of the result as it is kept, before it is shown. */
  private ownColumn({ inner, middle }: Output): string {
    return `q.${sqlName(middle?.name ?? inner[0]!.name)}`;
  }

  /** The result as rows that another query reads: every column under its name, in no order. */
  private rows(): string {
    const { rows, kept, from, end } = this.made();
    const last = this.query.first === null ? '' : end;
    return kept.length === 0 && last === '' ? `(${rows})` : `(SELECT * FROM ${from}${last})`;
  }

  /** The result, with what it is grouped by behind its columns. */
  private select(outputs: readonly Output[], from: string, keyed: number): string {
    const keys = outputs.slice(0, keyed).map(({ inner: [own] }, i) => {
      return `CAST(q.${sqlName(own!.name)} AS TEXT) AS "~k${i}"`;
    });
    const shown = outputs.map(({ shown, column }) => `${shown} AS ${sqlName(column.label)}`);
    return this.whole(`SELECT ${[...shown, ...keys].join(',\n  ')}\nFROM ${from}`);
  }

  /** Of the rows of `query`, which this one shows one by one, those that are asked for. */
  narrowed(query: Query, asked: RowsAsked): Pick<CompiledQuery, 'columns' | 'sql'> {
    const given = ({
      outputs,
      from,
      end,
    }: ReturnType<Compiler['made']>): Pick<CompiledQuery, 'columns' | 'sql'> => ({
      columns: outputs.map(({ column }) => column),
      sql: this.select(outputs, from + end, 0),
    });
    const not = ({ sql, label }: Condition): Condition => ({ sql: `(${sql}) IS NOT TRUE`, label });
    if (asked.what === 'cell') {
      const { plain } = typedColumns(this.design, query, this.scope);
      const cell = plain.flatMap(({ column: { id, label }, bound, step }) => {
        if (!Object.hasOwn(asked.keys, id)) return [];
        const written = toSql(bound, this.writing).sql;
        const key = asked.keys[id] ?? null;
        const own = step ? stepSql(step, written) : written;
        return [{ sql: `CAST(${own} AS TEXT) IS ${key === null ? 'NULL' : this.text(key)}`, label }];
      });
      this.only = { met: [...this.conditions(), ...cell] };
      return given(this.made());
    }
    const place = placeOf(query, asked.part);
    if (place.join !== undefined) {
      const { alone } = this.joins[place.join]!;
      const before = [this.base, ...this.joins.slice(0, place.join).map(({ sql }) => sql)].join('\n  ');
      this.only = { from: `${before}\n  ${alone}`, met: [] };
      return given(this.made());
    }
    if (place.where !== undefined) {
      const all = this.conditions();
      this.only = { met: [...all.slice(0, place.where), not(all[place.where]!)] };
      return given(this.made());
    }
    const made = this.made();
    if (place.keep !== undefined) {
      const met = [...made.kept.slice(0, place.keep), not(made.kept[place.keep]!)];
      return given({ ...made, from: `(${made.rows}) AS q${whereOf(met)}`, end: '' });
    }
    if (place.part === 'none') failed('Nothing is lost at this part row by row.', { start: 0, end: 0 });
    return given({ ...made, ...made.beyond });
  }

  compile(): Omit<CompiledQuery, 'params'> {
    const { query, base, from } = this;
    const { outputs, rows, kept, from: result, end, conditions } = this.made();
    const keyed = query.group?.by.length ?? 0;
    const sql = this.select(outputs, result + end, keyed);
    const funnel: FunnelPart[] = [];
    const count = (
      part: FunnelPart['part'],
      label: string,
      of: string,
      what = 'count(*)',
      none = '',
    ): void => {
      const asks = none === '' ? {} : { none: this.whole(`SELECT count(*) ${none}`) };
      funnel.push({ part, label, sql: this.whole(`SELECT ${what} ${of}`), ...asks });
    };
    count('from', sourceWords(sourceOf(this.design, query.from)!).plural, base);
    this.joins.forEach(({ label, sql: joined, none }, i) => {
      const before = [base, ...this.joins.slice(0, i).map((join) => join.sql)].join('\n  ');
      count('with', label, `${before}\n  ${joined}`, 'count(*)', none === null ? '' : `${before}\n  ${none}`);
    });
    conditions.forEach(({ label }, i) =>
      count('where', label, `${from}${whereOf(conditions.slice(0, i + 1))}`),
    );
    if (query.group)
      count('group', query.group.by.map(({ label }) => label).join(', ') || 'all in one', `FROM (${rows})`);
    else if (query.unlike) count('unlike', 'unlike rows only', `FROM (${rows})`);
    kept.forEach(({ label }, i) =>
      count('keep', label, `FROM (${rows}) AS q${whereOf(kept.slice(0, i + 1))}`),
    );
    if (query.first !== null) {
      const each = outputs.filter(({ column: { id } }) => query.firstOf?.includes(id));
      const words = `the first ${query.first}${each.length > 0 ? ` of each ${listOf(each.map(({ column }) => column.label))}` : ''}`;
      count('first', words, `FROM ${result}`, each.length > 0 ? 'count(*)' : `min(${query.first}, count(*))`);
    }
    const together = this.together(conditions);
    return { columns: outputs.map(({ column }) => column), sql, funnel, together, keys: keyed };
  }

  /**
   * How many rows each of the joins and conditions leaves, in one pass: every row is told the first part that leaves it
   * out. Only where joins find one row at most, and some rows may find none: they are all gone through then anyway.
   */
  private together(conditions: readonly Condition[]): string | null {
    const { joins, base } = this;
    if (joins.some(({ join }) => join.by.by !== 'link') || joins.every(({ join }) => join.keepWithout))
      return null;
    const lost = [
      ...joins.map(({ join, mark }) => (join.keepWithout ? null : `${mark} IS NULL`)),
      ...conditions.map(({ sql }) => `(${sql}) IS NOT TRUE`),
    ];
    const tests = lost.flatMap((test, i) => (test === null ? [] : [`WHEN ${test} THEN ${i + 1}`]));
    const counts = lost.map((_, i) => `count(*) FILTER (WHERE l > ${i + 1})`);
    const from = [base, ...joins.map(({ left }) => left)].join('\n  ');
    return this.whole(
      `SELECT ${['count(*)', ...counts].join(', ')} FROM (SELECT CASE ${tests.join(' ')} ELSE ${lost.length + 1} END AS l ${from})`,
    );
  }

  private join(join: QueryJoin): void {
    const { by, at, keepWithout } = join;
    const beside = at === null ? null : this.joins.find((other) => other.join.id === at)!;
    const before = beside?.alias ?? 't0';
    const { answers = {} } = this.compiling;
    const of = joinedTo(this.design, join, beside?.of ?? this.query.from, { answers, within: this.around });
    const rows = this.catalog.table(beside?.of ?? this.query.id);
    const alias = `t${this.joins.length + 1}`;
    const word = keepWithout ? 'LEFT JOIN' : 'JOIN';
    const meets = (on: readonly (readonly [string, string])[]): string =>
      on.map(([own, other]) => `${alias}.${sqlName(other)} = ${before}.${sqlName(own)}`).join(' AND ');
    // What is there wherever one was found: a key, or a column of our own where a result has none.
    const key = sourceOf(this.design, of);
    const mark =
      by.by === 'same' ? '~k' : key?.of === 'table' ? fieldOf(key.table, key.table.key[0]!)!.name : '~m';
    const add = (path: readonly string[], source: string, on: () => string): void => {
      // A condition may name the rows that are being joined.
      const label = this.joinLabel(join, of);
      const index =
        this.joins.push({
          join,
          alias,
          path,
          of,
          sql: '',
          none: null,
          alone: '',
          left: '',
          mark: '',
          label,
        }) - 1;
      const meeting = `ON ${on()}`;
      const marked = mark === '~m' ? `(SELECT 1 AS "~m", * FROM ${source})` : source;
      const none = `LEFT JOIN ${marked} AS ${alias} ${meeting}\nWHERE ${alias}.${sqlName(mark)} IS NULL`;
      this.joins[index] = {
        ...this.joins[index]!,
        sql: `${word} ${source} AS ${alias} ${meeting}`,
        none: by.by === 'link' ? null : none,
        alone: none,
        left: `LEFT JOIN ${marked} AS ${alias} ${meeting}`,
        mark: `${alias}.${sqlName(mark)}`,
      };
    };
    if (by.by === 'link') {
      const field = rows.fields.find(({ id }) => id === by.link);
      const link = rows.links.find(({ id }) => id === by.link);
      const on = field ? [[field.column, this.catalog.table(of).keyColumn!] as const] : link!.on;
      add([...(beside?.path ?? []), by.link], this.source(of), () => meets(on));
    } else if (by.by === 'children') {
      const child = rows.children.find(({ id, table }) => id === by.link && table === of)!;
      add([join.id], this.source(of), () => meets(child.on));
    } else if (by.by === 'condition') {
      add([join.id], this.source(of), () => {
        const { bound } = bindCondition(by.condition, { catalog: this.catalog, table: this.query.id });
        return toSql(bound, this.writing).sql;
      });
    } else {
      const key = bind(sameText(by, by.other), { catalog: this.catalog, table: of }).bound;
      const own = bind(sameText(by, by.own), { catalog: this.catalog, table: this.query.id }).bound;
      const { joined: _, ...writing } = this.writing;
      const other = toSql(key, { ...writing, row: 's' }).sql;
      // Worked out once for each row: the engine then finds equal ones by an index of its own making.
      const name = `"~j${this.named.size + 1}"`;
      const source = this.source(of);
      this.named.set(`${this.query.id} ${join.id}`, {
        name,
        sql: `MATERIALIZED (SELECT s.*, ${other} AS "~k" FROM ${source} AS s)`,
      });
      add([join.id], name, () => `${alias}."~k" = ${toSql(own, this.writing).sql}`);
    }
  }

  private joinLabel({ by, name }: QueryJoin, of: string): string {
    const source = sourceOf(this.design, of)!;
    if (by.by === 'children') return sourceWords(source).plural;
    if (by.by !== 'link') return name ?? sourceWords(source).label;
    const field = fieldShown(this.design, this.scope, by.link);
    if (field) return field.label;
    const link = this.design.tables.flatMap(({ links }) => links).find(({ id }) => id === by.link);
    return link?.label ?? sourceWords(source).label;
  }

  private plain({ column, name, bound, kind, step }: TypedColumn, writing: SqlWriting): Output {
    const written = toSql(bound, writing).sql;
    if (step) {
      const own = `q.${sqlName(name)}`;
      return {
        inner: [{ name, sql: stepSql(step, written) }],
        column: { id: column.id, label: column.label, kind },
        shown: own,
        order: own,
      };
    }
    const field = bound.op === 'ref' ? fieldShown(this.design, this.scope, bound.field.id) : undefined;
    return {
      inner: [{ name, sql: written }],
      ...this.shown({ id: column.id, label: column.label, kind }, bound.type, `q.${sqlName(name)}`, field),
    };
  }

  /**
   * What a total is worked out of as a column, and beside it which of the rows it is: each is the first once for each
   * group, told by the keys of the rows that the total is about.
   */
  private counted(measured: TypedMeasure, grouped: readonly Output[], writing: SqlWriting): string[] {
    const { name, of, by, measure } = measured;
    const value = of ? toSql(of, writing).sql : 'NULL';
    const groups = grouped.flatMap(({ inner }) => inner.map(({ sql }) => sql));
    const within = groups.length > 0 ? `PARTITION BY ${groups.join(', ')} ` : '';
    const column = (sql: string, letter: 'v' | 'k' | 'n'): string => `${sql} AS ${sqlName(name + letter)}`;
    const nth = (order: string): string => column(`row_number() OVER (${within}ORDER BY ${order})`, 'k');
    const { total, once } = measure;
    if (total === 'median')
      return [
        column(value, 'v'),
        nth(`${value} IS NULL, ${value}`),
        column(`count(${value}) OVER (${within.trim()})`, 'n'),
      ];
    if (total === 'first' || total === 'last') {
      const order = by ? this.orderOf(by, toSql(by, writing).sql) : null;
      const how = total === 'last' ? ' DESC' : '';
      const keys = this.keysOf(measured).map((key) => `${key}${how}`);
      return [
        column(value, 'v'),
        nth([...(order ? [`(${order}) IS NULL`, `${order}${how}`] : []), ...keys].join(', ')),
      ];
    }
    if (!once) return [column(value, 'v'), column('1', 'k')];
    const rows = [...groups, ...this.keysOf(measured)].join(', ');
    return [column(value, 'v'), column(`row_number() OVER (PARTITION BY ${rows})`, 'k')];
  }

  /** The keys of the rows that a total is about. */
  private keysOf(measured: TypedMeasure): string[] {
    const rows = [
      { alias: 't0', of: this.query.from },
      ...joinsOf(this.query, measured).map(({ id }) => this.joins.find(({ join }) => join.id === id)!),
    ];
    return rows.flatMap(({ alias, of }) => {
      const table = this.design.tables.find(({ id }) => id === of);
      if (!table)
        failed(
          `${measured.measure.label} needs rows with keys to tell them apart: those of a query have none.`,
          {
            start: 0,
            end: 0,
          },
        );
      return table.key.map((field) => `${alias}.${sqlName(fieldOf(table, field)!.name)}`);
    });
  }

  /** What rows are in order by, where they are by this. */
  private orderOf(bound: Bound, sql: string): string {
    const field = bound.op === 'ref' ? fieldShown(this.design, this.scope, bound.field.id) : undefined;
    return this.shown({ id: '', label: '', kind: kindOfBound(bound) }, bound.type, sql, field).order;
  }

  /** `window`: from group to group, along the last thing that is grouped by, anew for each of the others. */
  private measure(measured: TypedMeasure, above: SqlWriting, isOnce: boolean, window: string): Output {
    const { measure, name, of } = measured;
    const { total } = measure;
    const named = { id: measure.id, label: measure.label };
    const own = `q.${sqlName(name)}`;
    // Its values stand in columns already, where rows are told apart.
    const bound = isOnce ? overColumns(measured.bound, `${name}v`, `${name}k`) : measured.bound;
    const { joined: _, ...bare } = above;
    const writing = isOnce ? { ...bare, row: 'n' } : above;
    const [v, k, n] = ['v', 'k', 'n'].map((letter) => `n.${sqlName(name + letter)}`) as [
      string,
      string,
      string,
    ];
    if (total === 'joined') {
      const text = this.textOf(of!, isOnce ? v : toSql(of!, writing).sql);
      const only = isOnce ? ` FILTER (WHERE ${k} = 1)` : '';
      const sql = `group_concat(${text}, ', ' ORDER BY ${orderKeySql(text)})${only}`;
      return {
        inner: [{ name, sql }],
        column: { ...named, kind: { kind: 'longText' } },
        shown: own,
        order: orderKeySql(own),
      };
    }
    const column = { ...named, kind: measureKind(measured) };
    if (total === 'first' || total === 'last') {
      const field = of!.op === 'ref' ? fieldShown(this.design, this.scope, of!.field.id) : undefined;
      const sql = `max(${v}) FILTER (WHERE ${k} = 1)`;
      return { inner: [{ name, sql }], ...this.shown(column, of!.type, own, field) };
    }
    if (total === 'median') {
      // Of an odd number of values the one in the middle is both halves.
      const half = (at: string): string => `sum(${v}) FILTER (WHERE ${k} = (${n} + ${at}) / 2) * 5`;
      const exact = numberType(of!.type.type === 'number' ? of!.type.scale + 1 : 1);
      const type = measureType(measured);
      const middle: Bound = { op: 'rescale', a: reference(exact, `${name}h`, bound), type, start: 0, end: 0 };
      const sql = `${half('1')} + ${half('2')}`;
      return {
        inner: [{ name: `${name}h`, sql }],
        middle: { name, sql: toSql(middle, { ...bare, row: 'r' }).sql },
        ...this.shown(column, type, own, undefined),
      };
    }
    if (bound.op === 'div') return this.average(named, bound, measured, writing);
    const sum = toSql(bound, writing).sql;
    if (total === 'share') {
      // As a fraction it has two places more than in per cent.
      const fraction = numberType(SHARE_PLACES + 2);
      const part = reference(bound.type, `${name}s`, bound);
      const whole = reference(bound.type, `${name}n`, bound);
      const quotient: Bound = { op: 'div', a: part, b: whole, type: fraction, start: 0, end: 0 };
      return {
        inner: [
          { name: `${name}s`, sql: sum },
          { name: `${name}n`, sql: `sum(${sum}) OVER ()` },
        ],
        middle: { name, sql: toSql(quotient, { ...bare, row: 'r' }).sql },
        ...this.shown(column, measureType(measured), own, undefined),
      };
    }
    const sql =
      total === 'running'
        ? `sum(${sum}) OVER (${window} ROWS UNBOUNDED PRECEDING)`
        : total === 'change'
          ? `${sum} - lag(${sum}) OVER (${window})`
          : sum;
    return { inner: [{ name, sql }], ...this.shown(column, bound.type, own, undefined) };
  }

  /** A value as the text that is shown of it. */
  private textOf(bound: Bound, sql: string): string {
    const field = bound.op === 'ref' ? fieldShown(this.design, this.scope, bound.field.id) : undefined;
    const text = field && shownText(this.design, catalogOf(this.design), field, sql);
    if (text) return text;
    if (bound.type.type === 'number') return decimalText(`(${sql})`, bound.type.scale);
    return sql;
  }

  /** The engine totals sum and count; the exact quotient is worked out from them one level above. */
  private average(
    named: { id: string; label: string },
    bound: Extract<Bound, { readonly op: 'add' | 'sub' | 'mul' | 'div' | 'mod' }>,
    measured: TypedMeasure,
    writing: SqlWriting,
  ): Output {
    const { name } = measured;
    const inner = [
      { name: `${name}s`, sql: toSql(bound.a, writing).sql },
      { name: `${name}n`, sql: toSql(bound.b, writing).sql },
    ];
    const type = measureType(measured);
    const quotient: Bound = {
      ...bound,
      op: 'div',
      type,
      a: reference(bound.a.type, `${name}s`, bound),
      b: reference(bound.b.type, `${name}n`, bound),
    };
    const scale = type.type === 'number' ? type.scale : 0;
    const own = `q.${sqlName(name)}`;
    const kind = measureKind(measured);
    const { joined: _, ...above } = writing;
    return {
      inner,
      middle: { name, sql: toSql(quotient, { ...above, row: 'r' }).sql },
      column: { ...named, kind: kind.kind === 'money' ? kind : { kind: 'decimal', places: scale } },
      shown: `CASE WHEN ${own} IS NOT NULL THEN ${decimalText(own, scale)} END`,
      order: own,
    };
  }

  private shown(
    column: ResultColumn,
    type: Type,
    own: string,
    field: Field | undefined,
  ): Omit<Output, 'inner' | 'middle'> {
    const text = field && shownText(this.design, catalogOf(this.design), field, own);
    if (text) {
      return {
        column: { ...column, kind: { kind: 'longText' } },
        shown: text,
        order: orderKeySql(text),
      };
    }
    if (type.type === 'number' && type.scale > 0)
      return {
        column,
        shown: `CASE WHEN ${own} IS NOT NULL THEN ${decimalText(own, type.scale)} END`,
        order: own,
      };
    const order = type.type === 'text' ? orderKeySql(own) : own;
    return { column, shown: type.type === 'number' ? `CAST(${own} AS TEXT)` : own, order };
  }
}

/** A column of the statement below. */
const reference = (type: Type, column: string, { start, end }: Span): Bound => ({
  op: 'ref',
  row: 0,
  links: [],
  field: { id: column, name: column, column, type, kind: { kind: 'wholeNumber' } },
  type,
  start,
  end,
});

/** From group to group, along the last thing that is grouped by, and anew for each of the others. */
function windowOf(grouped: readonly Output[]): string {
  const own = ({ inner: [column] }: Output): string => `n.${sqlName(column!.name)}`;
  const last = grouped.at(-1);
  const before = grouped.slice(0, -1).map(own);
  const order = last ? `ORDER BY ${last.order.replaceAll('q.', 'n.')}` : '';
  return `${before.length > 0 ? `PARTITION BY ${before.join(', ')} ` : ''}${order}`.trim();
}

/** What is compared of two texts that are joined by. */
export function sameText(
  { trimmed, anyCase }: Pick<Extract<QueryJoin['by'], { by: 'same' }>, 'trimmed' | 'anyCase'>,
  text: string,
): string {
  const whole = `((${text}\n) || '')`;
  const bare = trimmed ? `TRIM(${whole})` : whole;
  return anyCase ? `LOWER(${bare})` : bare;
}

const whereOf = (conditions: readonly { readonly sql: string }[]): string =>
  conditions.length === 0 ? '' : `\nWHERE ${conditions.map(({ sql }) => sql).join('\n  AND ')}`;

/** SQL for the first day of the year, quarter, month or week (ISO 8601: it begins on a Monday) of a date. */
export function stepSql(step: DateStep, date: string): string {
  switch (step) {
    case 'year':
      return `date(${date}, 'start of year')`;
    case 'month':
      return `date(${date}, 'start of month')`;
    case 'week':
      return `date(${date}, '-6 days', 'weekday 1')`;
    case 'quarter':
      return `date(${date}, 'start of month', '-' || ((strftime('%m', ${date}) - 1) % 3) || ' months')`;
  }
}

/** What conditions over the result of a query may name: its columns. */
export function keepScope(
  design: Design,
  query: Query,
): { readonly catalog: Catalog; readonly table: string } {
  // What is kept says nothing of the columns.
  const { table } = resultOf(design, query);
  const plain = catalogOf(design);
  return {
    catalog: {
      get today() {
        return plain.today!;
      },
      table: (id) => (id === query.id ? table : plain.table(id)),
    },
    table: query.id,
  };
}

/** How a row is shown, as an expression with current names: for editors. */
export const displayText = (design: Design, table: Table): string =>
  fromStored(displayOf(table), catalogOf(design), table.id);
