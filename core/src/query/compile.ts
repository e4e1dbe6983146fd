import {
  bind,
  bindCondition,
  decimalText,
  failed,
  faultName,
  fromStored,
  inWords,
  kindOfType,
  numberType,
  orderKeySql,
  sqlName,
  sqlText,
  toSql,
  type Bound,
  type SqlWriting,
  type Type,
} from '../expression';
import {
  catalogOf,
  asText,
  displayOf,
  displaySql,
  fieldOf,
  shownText,
  tableOf,
  type Design,
  type Field,
  type Measure,
  type Query,
  type QueryColumn,
  type Table,
} from '../design';
import type { ValueKind } from '../values';
import { columnsOf } from './columns';

/** A column of a result: what it is called and how its values are shown. */
export interface ResultColumn {
  readonly id: string;
  readonly label: string;
  readonly kind: ValueKind;
}

/** One part of the sentence and the question how many rows are left after it. */
export interface FunnelPart {
  readonly part: 'from' | 'with' | 'where' | 'group' | 'first';
  readonly label: string;
  readonly sql: string;
}

export interface CompiledQuery {
  readonly columns: readonly ResultColumn[];
  /** Gives one array a row, values ready to travel: decimals as text, ticks as 0 or 1, lookups as text. */
  readonly sql: string;
  readonly funnel: readonly FunnelPart[];
  /** Values for ?1, ?2, … in `sql` and in every part of the funnel. */
  readonly params: readonly string[];
}

export interface Compiling {
  /** `YYYY-MM-DD`: what CURRENT_DATE is. */
  readonly today: string;
}

/**
 * Turns a query definition into SQL. Throws an ExpressionError when an expression does not hold, and
 * an Error when it names a table that is gone (check `dependantsOf` before dropping one).
 */
export function compileQuery(design: Design, query: Query, compiling: Compiling): CompiledQuery {
  const params: string[] = [];
  const bindText = (value: string): string => {
    const known = params.indexOf(value);
    return `?${known >= 0 ? known + 1 : params.push(value)}`;
  };
  const run = new Compiler(design, query, compiling, bindText).compile();
  return { ...run, params };
}

/**
 * SQL for the keys of the rows a query leaves over, for a lookup that offers them. The query may not
 * group: its rows are then rows of the table it starts from.
 */
export const queryKeys = (
  design: Design,
  query: Query,
  compiling: Compiling,
  text: (value: string) => string,
): string => new Compiler(design, query, compiling, text).keys();

/** A question which row of a query is at fault: gives the text of that row and the name of the fault. */
export interface FaultProbe {
  /** The part of the query it is about, as the subject of a sentence. */
  readonly what: string;
  /** What its rows are called. */
  readonly rows: string;
  readonly sql: string;
}

/** The questions by which a query that was ended by a value it could not work out is explained, in its order. */
export const faultProbes = (design: Design, query: Query, compiling: Compiling): FaultProbe[] =>
  new Compiler(design, query, compiling, sqlText).probes();

interface Output {
  readonly column: ResultColumn;
  /** Columns of the inner SELECT that it is made from. */
  readonly inner: readonly { readonly name: string; readonly sql: string }[];
  /** A column worked out from the inner ones one level above them. */
  readonly middle?: { readonly name: string; readonly sql: string };
  readonly shown: string;
  readonly order: string;
}

class Compiler {
  private readonly catalog;
  private readonly table: Table;
  private readonly writing: SqlWriting;
  private readonly joins: { sql: string; alias: string; path: readonly string[]; label: string }[] = [];

  constructor(
    private readonly design: Design,
    private readonly query: Query,
    compiling: Compiling,
    text: (value: string) => string,
  ) {
    this.catalog = catalogOf(design);
    this.table = tableOf(design, query.from);
    for (const { path, keepWithout } of query.with) this.join(path, keepWithout);
    this.writing = {
      catalog: this.catalog,
      row: 't0',
      today: sqlText(compiling.today),
      text,
      joined: (path) => this.joins.find((join) => join.path.join() === path.join())?.alias ?? null,
    };
  }

  private get from(): string {
    const base = `FROM ${sqlName(this.table.name)} AS t0`;
    return [base, ...this.joins.map(({ sql }) => sql)].join('\n  ');
  }

  private conditions(
    faults: SqlWriting['faults'] = 'raise',
  ): { readonly sql: string; readonly label: string }[] {
    return this.query.where.map((source) => {
      // Bound with names, so that what is quoted in words is readable.
      const named = fromStored(source, this.catalog, this.table.id);
      const { bound } = bindCondition(named, { catalog: this.catalog, table: this.table.id });
      return { sql: toSql(bound, { ...this.writing, faults }).sql, label: inWords(bound, named) };
    });
  }

  probes(): FaultProbe[] {
    const { query, catalog, table } = this;
    const marked = this.conditions('mark');
    const asked = this.conditions('empty');
    const shown = displaySql(table, asText(displayOf(table)), { catalog, row: 't0' });
    const probe = (what: string, sql: string, before: number): FaultProbe => {
      const where = asked.slice(0, before).map((condition) => condition.sql);
      return {
        what,
        rows: table.label,
        sql: `SELECT d, ${faultName('v')} FROM (SELECT ${shown} AS d, ${sql} AS v ${this.from}${where.length > 0 ? ` WHERE ${where.join(' AND ')}` : ''}) WHERE typeof(v) = 'blob' LIMIT 1`,
      };
    };
    const columns = query.group
      ? [
          ...query.group.by,
          ...query.group.measures.map((measure) => ({
            ...measure,
            expression: measure.expression ?? 'NULL',
          })),
        ]
      : columnsOf(this.query, this.table);
    return [
      ...marked.map(({ sql, label }, i) => probe(`The condition “${label}”`, sql, i)),
      ...columns.map(({ label, expression }) => {
        const { bound } = bind(expression, { catalog, table: table.id });
        return probe(
          `The column ${label}`,
          toSql(bound, { ...this.writing, faults: 'mark' }).sql,
          asked.length,
        );
      }),
    ];
  }

  keys(): string {
    const where = this.conditions('empty').map(({ sql }) => sql);
    const key = this.table.key.map((id) => `t0.${sqlName(fieldOf(this.table, id)!.name)}`).join(', ');
    return `SELECT ${key} ${this.from}${where.length > 0 ? ` WHERE ${where.join(' AND ')}` : ''}`;
  }

  compile(): Omit<CompiledQuery, 'params' | 'text'> {
    const { query } = this;
    const base = `FROM ${sqlName(this.table.name)} AS t0`;
    const joined = this.from;
    const conditions = this.conditions();
    const where = (count: number): string =>
      count === 0
        ? ''
        : `\nWHERE ${conditions
            .slice(0, count)
            .map(({ sql }) => sql)
            .join('\n  AND ')}`;
    const groupBy = query.group?.by.map((column, i) => this.plain(column, `g${i}`)) ?? [];
    const outputs = query.group
      ? [...groupBy, ...query.group.measures.map((measure, i) => this.measure(measure, `m${i}`))]
      : columnsOf(this.query, this.table).map((column, i) => this.plain(column, `c${i}`));
    const names = groupBy.flatMap(({ inner }) => inner.map(({ name }) => sqlName(name)));
    const grouping = query.group && names.length > 0 ? `\nGROUP BY ${names.join(', ')}` : '';
    const inner = outputs.flatMap((output) =>
      output.inner.map(({ name, sql }) => `${sql} AS ${sqlName(name)}`),
    );
    const plain = `SELECT ${inner.join(',\n  ')}\n${joined}${where(conditions.length)}${grouping}`;
    const middle = outputs.flatMap((output) =>
      output.middle ? [`${output.middle.sql} AS ${sqlName(output.middle.name)}`] : [],
    );
    const rows = middle.length > 0 ? `SELECT *, ${middle.join(', ')} FROM (${plain}) AS r` : plain;
    const order = query.sort.flatMap(({ column, descending }) => {
      const output = outputs.find((candidate) => candidate.column.id === column);
      return output ? [`${output.order}${descending ? ' DESC' : ''}`] : [];
    });
    const sql =
      `SELECT ${outputs.map(({ shown, column }) => `${shown} AS ${sqlName(column.label)}`).join(',\n  ')}\nFROM (${rows}) AS q` +
      (order.length > 0 ? `\nORDER BY ${order.join(', ')}` : '') +
      (query.first === null ? '' : `\nLIMIT ${query.first}`);

    const funnel: FunnelPart[] = [{ part: 'from', label: this.table.plural, sql: `SELECT count(*) ${base}` }];
    this.joins.forEach(({ label }, i) => {
      const from = [base, ...this.joins.slice(0, i + 1).map((join) => join.sql)].join('\n  ');
      funnel.push({ part: 'with', label, sql: `SELECT count(*) ${from}` });
    });
    conditions.forEach(({ label }, i) =>
      funnel.push({ part: 'where', label, sql: `SELECT count(*) ${joined}${where(i + 1)}` }),
    );
    if (query.group)
      funnel.push({
        part: 'group',
        label: query.group.by.map(({ label }) => label).join(', ') || 'all in one',
        sql: `SELECT count(*) FROM (${rows})`,
      });
    if (query.first !== null)
      funnel.push({
        part: 'first',
        label: `the first ${query.first}`,
        sql: `SELECT min(${query.first}, count(*)) FROM (${rows})`,
      });
    return { columns: outputs.map(({ column }) => column), sql, funnel };
  }

  private join(path: readonly string[], keepWithout: boolean): void {
    let at = this.table;
    let from = 't0';
    let label = '';
    for (const [i, id] of path.entries()) {
      const field = fieldOf(at, id);
      if (field?.type.kind !== 'lookup')
        failed('A link this query follows is no longer there.', { start: 0, end: 0 });
      const step = path.slice(0, i + 1);
      const known = this.joins.find((join) => join.path.join() === step.join());
      const target = tableOf(this.design, field.type.table);
      const key = fieldOf(target, target.key[0]!)!;
      label = field.label;
      if (!known) {
        const alias = `t${this.joins.length + 1}`;
        const sql = `${keepWithout ? 'LEFT JOIN' : 'JOIN'} ${sqlName(target.name)} AS ${alias} ON ${alias}.${sqlName(key.name)} = ${from}.${sqlName(field.name)}`;
        this.joins.push({ sql, alias, path: step, label });
      }
      from = known?.alias ?? `t${this.joins.length}`;
      at = target;
    }
  }

  private plain(column: QueryColumn, name: string): Output {
    const { bound } = bind(column.expression, { catalog: this.catalog, table: this.table.id });
    const field = bound.op === 'ref' ? this.fieldById(bound.field.id) : undefined;
    const kind = bound.op === 'ref' || bound.op === 'worked' ? bound.field.kind : kindOfType(bound.type);
    const inner = [{ name, sql: toSql(bound, this.writing).sql }];
    return {
      inner,
      ...this.shown({ id: column.id, label: column.label, kind }, bound.type, `q.${sqlName(name)}`, field),
    };
  }

  private measure(measure: Measure, name: string): Output {
    const named = { id: measure.id, label: measure.label };
    const own = `q.${sqlName(name)}`;
    if (measure.total === 'count' && measure.expression === null)
      return {
        inner: [{ name, sql: 'count(*)' }],
        column: { ...named, kind: { kind: 'wholeNumber' } },
        shown: own,
        order: own,
      };
    const call = { count: 'COUNT', sum: 'SUM', average: 'AVG', least: 'MIN', most: 'MAX' }[measure.total];
    const scope = { catalog: this.catalog, table: this.table.id, grouped: true };
    const { bound } = bind(`${call}(${measure.expression ?? '*'})`, scope);
    const money = this.moneyKind(measure);
    if (bound.op === 'div') return this.average(named, bound, name, money);
    const inner = [{ name, sql: toSql(bound, this.writing).sql }];
    const kind = money ?? kindOfType(bound.type);
    return { inner, ...this.shown({ ...named, kind }, bound.type, own, undefined) };
  }

  /** The engine totals sum and count; the exact quotient is worked out from them one level above. */
  private average(
    named: { id: string; label: string },
    bound: Extract<Bound, { readonly op: 'add' | 'sub' | 'mul' | 'div' | 'mod' }>,
    name: string,
    money: ValueKind | null,
  ): Output {
    const inner = [
      { name: `${name}s`, sql: toSql(bound.a, this.writing).sql },
      { name: `${name}n`, sql: toSql(bound.b, this.writing).sql },
    ];
    const reference = (part: Bound, column: string): Bound => ({
      op: 'ref',
      row: 0,
      links: [],
      field: { id: column, name: column, column, type: part.type, kind: { kind: 'wholeNumber' } },
      type: part.type,
      start: part.start,
      end: part.end,
    });
    const type: Type =
      money?.kind === 'money' ? { ...numberType(money.places), places: money.places } : bound.type;
    const quotient: Bound = {
      ...bound,
      op: 'div',
      type,
      a: reference(bound.a, `${name}s`),
      b: reference(bound.b, `${name}n`),
    };
    const scale = type.type === 'number' ? type.scale : 0;
    const own = `q.${sqlName(name)}`;
    return {
      inner,
      middle: { name, sql: toSql(quotient, { ...this.writing, row: 'r', joined: undefined }).sql },
      column: { ...named, kind: money ?? { kind: 'decimal', places: scale } },
      shown: `CASE WHEN ${own} IS NOT NULL THEN ${decimalText(own, scale)} END`,
      order: own,
    };
  }

  /** Totals of a plain money field are money; a count is not. */
  private moneyKind(measure: Measure): ValueKind | null {
    if (measure.expression === null || measure.total === 'count') return null;
    const { bound } = bind(measure.expression, { catalog: this.catalog, table: this.table.id });
    return (bound.op === 'ref' || bound.op === 'worked') &&
      (bound.field.kind.kind === 'money' || measure.total === 'least' || measure.total === 'most')
      ? bound.field.kind
      : null;
  }

  private shown(
    column: ResultColumn,
    type: Type,
    own: string,
    field: Field | undefined,
  ): Omit<Output, 'inner' | 'middle'> {
    const text = field && shownText(this.design, this.catalog, field, own);
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

  private fieldById(id: string): Field | undefined {
    for (const table of this.design.tables) {
      const field = fieldOf(table, id);
      if (field) return field;
    }
    return undefined;
  }
}

/** A query over one table with chosen fields as columns, such as a report runs. */
export function queryOfTable(
  table: Table,
  fields: readonly { readonly id: string; readonly label: string }[],
): Query {
  return {
    type: 'query',
    id: table.id,
    label: table.label,
    from: table.id,
    with: [],
    where: [],
    columns: fields.map(({ id, label }) => ({ id, label, expression: `"#${id}"` })),
    group: null,
    sort: [],
    first: null,
  };
}

/** A new query over a table: nothing left out, sorted by nothing. */
export const newQuery = (id: string, label: string, table: Table): Query => ({
  ...queryOfTable(table, []),
  id,
  label,
});

/** How a row is shown, as an expression with current names: for editors. */
export const displayText = (design: Design, table: Table): string =>
  fromStored(displayOf(table), catalogOf(design), table.id);
