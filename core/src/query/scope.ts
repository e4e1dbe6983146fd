import {
  bind,
  failed,
  kindOfType,
  numberType,
  sqlText,
  TEXT,
  typeName,
  type Bound,
  type Catalog,
  type ExprField,
  type ExprLink,
  type ExprTable,
  type Type,
} from '../expression';
import {
  catalogOf,
  fieldOf,
  findField,
  nameFromLabel,
  typeOf,
  uniqueName,
  type Design,
  type Field,
  type GroupColumn,
  type Measure,
  type Query,
  type QueryColumn,
  type QueryCondition,
  type QueryJoin,
  type QueryQuestion,
  type Table,
} from '../design';
import type { Value, ValueKind } from '../values';
import { fieldsOfWritten } from './written';

/** Answers to what queries ask, by the id of the question. What nobody has answered has its starting value. */
export type Answers = Readonly<Record<string, Value>>;

/** Rows that a query starts from or puts beside them: those of a table, or of another query. */
export type Source =
  { readonly of: 'table'; readonly table: Table } | { readonly of: 'query'; readonly query: Query };

/** What an id names that a query reads; null when it is gone. */
export function sourceOf(design: Design, id: string): Source | null {
  const table = design.tables.find((candidate) => candidate.id === id);
  if (table) return { of: 'table', table };
  const query = design.queries.find((candidate) => candidate.id === id);
  return query ? { of: 'query', query } : null;
}

/** What the rows of a source are called, one and more. */
export const sourceWords = (source: Source): { readonly label: string; readonly plural: string } =>
  source.of === 'table' ? source.table : { label: source.query.label, plural: source.query.label };

/** The table whose rows a query starts from; null for one that starts from another query, or from nothing. */
export const tableOfQuery = (
  design: Design,
  { from, written }: Pick<Query, 'from' | 'written'>,
): Table | null => (written ? undefined : design.tables.find(({ id }) => id === from)) ?? null;

/** A result as rows that expressions look at: its columns are fields. */
export interface ResultRows {
  readonly table: ExprTable;
  /** The fields whose values some of its columns hold, by the id of the column: those are shown as they are. */
  readonly shows: ReadonlyMap<string, Field>;
}

/** The name of a column within a statement: `g0`, `m0`, `c0`. */
export const columnName = (letter: 'g' | 'm' | 'c', index: number): string => `${letter}${index}`;

/** Conditions that count, as expressions: several that stand in one another are one. */
export function conditionTexts(conditions: readonly QueryCondition[]): string[] {
  return conditions.flatMap((condition) => {
    const text = conditionText(condition);
    return text === null ? [] : [text];
  });
}

/** A condition as one expression; null for one that says nothing. */
export function conditionText(condition: QueryCondition): string | null {
  if (condition.off) return null;
  if (condition.is === 'so') return condition.expression;
  const inner = conditionTexts(condition.of);
  // On lines of their own: the last line of an expression may be a comment.
  return inner.length === 0
    ? null
    : inner.map((text) => `(${text}\n)`).join(condition.is === 'all' ? ' AND ' : ' OR ');
}

/** A condition of one expression. */
export const so = (expression: string): QueryCondition & { is: 'so' } => ({ is: 'so', expression });

/** Every expression that stands in a tree of conditions. */
export const leavesOf = (conditions: readonly QueryCondition[]): (QueryCondition & { is: 'so' })[] =>
  conditions.flatMap((condition) => (condition.is === 'so' ? [condition] : leavesOf(condition.of)));

/** The tree with what `change` makes of each expression; null takes it out, and groups that are left empty. */
export function mapConditions(
  conditions: readonly QueryCondition[],
  change: (condition: QueryCondition & { is: 'so' }) => QueryCondition | null,
): QueryCondition[] {
  return conditions.flatMap((condition): QueryCondition[] => {
    if (condition.is === 'so') {
      const next = change(condition);
      return next ? [next] : [];
    }
    const of = mapConditions(condition.of, change);
    return of.length > 0 ? [{ ...condition, of }] : [];
  });
}

/** Joins along lookups, each way written out from the rows that a query starts from; what they share is joined once. */
export function joinsAlong(
  ways: readonly { readonly path: readonly string[]; readonly keepWithout: boolean }[],
): QueryJoin[] {
  const joins: QueryJoin[] = [];
  const ids = new Map<string, string>();
  for (const { path, keepWithout } of ways) {
    let at: string | null = null;
    for (const [i, link] of path.entries()) {
      const way = path.slice(0, i + 1).join();
      const known = ids.get(way);
      const id: string = known ?? `j_${joins.length + 1}`;
      if (known === undefined) joins.push({ id, at, by: { by: 'link', link }, keepWithout });
      ids.set(way, id);
      at = id;
    }
  }
  return joins;
}

/** The joins that count: neither switched off nor beside rows that are. */
export function activeJoins({ joins }: Query): QueryJoin[] {
  const active: QueryJoin[] = [];
  for (const join of joins)
    if (!join.off && (join.at === null || active.some(({ id }) => id === join.at))) active.push(join);
  return active;
}

/** The queries that a query reads itself. */
const readBy = (design: Design, query: Query): Query[] => {
  // What SQL reads is known to the engine alone.
  if (query.written) return [];
  const joined = activeJoins(query).flatMap(({ by }) => ('from' in by ? [by.from] : []));
  const ids = [query.from, ...joined, ...(query.stack ?? [])];
  return design.queries.filter(({ id }) => ids.includes(id));
};

/** A query and all that it reads, however many stand between; each once, what is read behind what reads it. */
export function allRead(design: Design, query: Query): Query[] {
  const all = new Map([[query.id, query]]);
  // A map is gone through with what is added meanwhile.
  for (const [, reads] of all)
    for (const read of readBy(design, reads)) if (!all.has(read.id)) all.set(read.id, read);
  return [...all.values()];
}

/** Everything that a query asks for, with what those ask that it reads; each once. */
export function questionsOf(design: Design, query: Query): QueryQuestion[] {
  const all = allRead(design, query).flatMap(({ questions }) => questions);
  return all.filter(({ id }, i) => all.findIndex((other) => other.id === id) === i);
}

/** How an answer is typed and shown. */
function answerKind(design: Design, { answer }: QueryQuestion): ValueKind {
  if (answer.kind !== 'lookup') return answer;
  return kindOfType(answerType(design, { answer }));
}

/** The lookup whose choices are the answers to a question; undefined where it has gone. */
export function answeredBy(design: Design, { answer }: Pick<QueryQuestion, 'answer'>): Field | undefined {
  const field = answer.kind === 'lookup' ? findField(design, answer.field)?.field : undefined;
  return field?.type.kind === 'lookup' ? field : undefined;
}

/** Of what type the answer to a question is in expressions. Throws an ExpressionError where its lookup is gone. */
export function answerType(design: Design, { answer }: Pick<QueryQuestion, 'answer'>): Type {
  switch (answer.kind) {
    case 'lookup': {
      const field = answeredBy(design, { answer });
      if (!field) failed('The lookup whose choices are asked for is no longer there.', nowhere);
      return typeOf(design, field.type);
    }
    case 'text':
      return TEXT;
    case 'wholeNumber':
      return numberType(0);
    case 'decimal':
      return numberType(answer.places);
    case 'date':
      return { type: 'date' };
    case 'tick':
      return { type: 'boolean' };
  }
}

/** An answer as an expression. */
function written(type: Type, value: Value): string {
  if (value === null || value === '') return 'NULL';
  if (type.type === 'number') {
    if (!/^-?\d{1,15}(\.\d{1,6})?$/.test(String(value)))
      failed(`“${value}” is not a number.`, { start: 0, end: 0 });
    return String(value);
  }
  if (type.type === 'boolean') return value === true ? 'TRUE' : 'FALSE';
  if (type.type === 'date') return `DATE ${sqlText(String(value))}`;
  return sqlText(String(value));
}

/** What a query knows of the rows that its expressions look at. */
export interface QueryScope {
  readonly catalog: Catalog;
  /** The id by which the catalog has them: that of the query. */
  readonly table: string;
  /** The rows it starts from. */
  readonly base: ExprTable;
  /** The fields whose values the columns of queries hold that it reads, by the id of the column. */
  readonly shows: ReadonlyMap<string, Field>;
}

/** What a query is told while it is read: the answers, and the queries around, which may not be read again. */
export interface Telling {
  readonly answers: Answers;
  readonly within: readonly string[];
}

export const NOTHING_TOLD: Telling = { answers: {}, within: [] };

/** How many queries may read one another in a row: each is worked out for the next. */
const MOST_IN_A_ROW = 8;

const nowhere = { start: 0, end: 0 };

/**
 * What the expressions of a query may name: the fields of the rows it starts from, what it asks for, and the rows it
 * puts beside them. Throws an ExpressionError when what it reads is gone or leads back to itself.
 */
export function scopeOf(design: Design, query: Query, telling: Telling = NOTHING_TOLD): QueryScope {
  if (telling.within.includes(query.id)) failed(`The query ${query.label} reads itself.`, nowhere);
  if (telling.within.length >= MOST_IN_A_ROW)
    failed(`Queries read one another, at most ${MOST_IN_A_ROW} in a row.`, nowhere);
  const plain = catalogOf(design);
  const inner = { ...telling, within: [...telling.within, query.id] };
  const results = new Map<string, ExprTable>();
  const shows = new Map<string, Field>();
  const rowsOf = (id: string): ExprTable => {
    const source = sourceOf(design, id);
    if (!source) failed('The table or query that this query reads is no longer there.', nowhere);
    if (source.of === 'table') return plain.table(id);
    const rows = resultOf(design, source.query, inner);
    for (const [column, field] of rows.shows) shows.set(column, field);
    results.set(id, rows.table);
    return rows.table;
  };
  const base = rowsOf(query.from);
  stackOf(design, query, telling);
  const links: ExprLink[] = [];
  const tables = new Map<string | null, string>([[null, query.from]]);
  for (const join of activeJoins(query)) {
    const to = joinedTo(design, join, tables.get(join.at)!, inner);
    if ('from' in join.by) rowsOf(to);
    tables.set(join.id, to);
    if (join.name !== undefined && join.by.by !== 'link')
      links.push({ id: join.id, name: join.name, table: to, on: [] });
  }
  const questions = query.questions.map((question): ExprField => {
    const type = answerType(design, question);
    const { id, name } = question;
    const answer = Object.hasOwn(telling.answers, id) ? telling.answers[id]! : undefined;
    return {
      id,
      name,
      column: name,
      type,
      kind: answerKind(design, question),
      worked: answer === undefined ? (question.start ?? 'NULL') : written(type, answer),
    };
  });
  const own: ExprTable = {
    ...base,
    id: query.id,
    fields: [...base.fields, ...questions],
    links: [...base.links, ...links],
  };
  const catalog: Catalog = {
    get today() {
      return plain.today!;
    },
    table: (id) => (id === query.id ? own : (results.get(id) ?? plain.table(id))),
  };
  return { catalog, table: query.id, base, shows };
}

/**
 * The queries whose rows stand beneath those that a query starts from, with their columns in the order of its own.
 * Throws an ExpressionError when they do not fit beneath one another.
 */
export function stackOf(
  design: Design,
  query: Query,
  telling: Telling = NOTHING_TOLD,
): { readonly id: string; readonly columns: readonly string[]; readonly shows: ResultRows['shows'] }[] {
  const { from, stack = [] } = query;
  if (stack.length === 0) return [];
  const inner = { ...telling, within: [...telling.within, query.id] };
  const rowsOf = (id: string): { readonly rows: ResultRows; readonly label: string } => {
    const source = sourceOf(design, id);
    if (source?.of !== 'query')
      failed('Only results of queries stand beneath one another, column by column.', nowhere);
    return { rows: resultOf(design, source.query, inner), label: source.query.label };
  };
  const own = rowsOf(from);
  return stack.map((id) => {
    const { rows, label } = rowsOf(id);
    const [above, beneath] = [own.rows.table.fields, rows.table.fields];
    if (above.length !== beneath.length)
      failed(
        `${own.label} has ${above.length} columns and ${label} has ${beneath.length}: they do not fit beneath one another.`,
        nowhere,
      );
    above.forEach((column, i) => {
      const other = beneath[i]!;
      const isSame =
        column.type.type === other.type.type &&
        (column.type.type !== 'number' ||
          (other.type.type === 'number' && column.type.scale === other.type.scale)) &&
        column.link === other.link;
      if (!isSame)
        failed(
          `The column ${column.name} of ${own.label} is ${typeName(column.type)}, and ${other.name} of ${label} beneath it is not of that kind.`,
          nowhere,
        );
    });
    return { id, columns: beneath.map(({ column }) => column), shows: rows.shows };
  });
}

/** The id of the table or query whose rows a join puts beside those of `at`. */
export function joinedTo(
  design: Design,
  { by }: QueryJoin,
  at: string,
  telling: Telling = NOTHING_TOLD,
): string {
  if ('from' in by) return by.from;
  const gone = 'A link this query follows is no longer there.';
  const linked = (child: Table | undefined): string | undefined => {
    const field = child && fieldOf(child, by.link);
    if (field?.type.kind === 'lookup') return field.type.table;
    return child?.links.find(({ id }) => id === by.link)?.table;
  };
  const table = design.tables.find(({ id }) => id === at);
  if (by.by === 'link') {
    const source = sourceOf(design, at);
    const to = table
      ? linked(table)
      : source?.of === 'query'
        ? resultOf(design, source.query, telling).table.fields.find(({ id }) => id === by.link)?.link
        : undefined;
    return to ?? failed(gone, nowhere);
  }
  const child = design.tables.find((candidate) => linked(candidate) === at && table !== undefined);
  return child?.id ?? failed(gone, nowhere);
}

/**
 * The columns of a query, bound over its rows: of a group, what it is grouped by and what is worked out, else its
 * columns, else every field of what it starts from.
 */
export function typedColumns(
  design: Design,
  query: Query,
  { catalog, table, base, shows }: QueryScope,
): { readonly plain: TypedColumn[]; readonly measures: TypedMeasure[] } {
  const worked = ({ expression }: QueryColumn | GroupColumn): Bound =>
    bind(expression, { catalog, table }).bound;
  const shown = (column: QueryColumn): Pick<TypedColumn, 'bound' | 'kind'> => {
    const of = worked(column);
    const { shown: as } = column;
    if (!as || !isShownNumber(of)) return { bound: of, kind: kindOfBound(of) };
    const type = numberType('places' in as ? as.places : 0);
    return { bound: { op: 'rescale', a: of, type, start: of.start, end: of.end }, kind: as };
  };
  if (!query.group)
    return {
      plain: columnsOfRows(design, query, { base, shows }).map((column, i) => ({
        column,
        name: columnName('c', i),
        ...shown(column),
      })),
      measures: [],
    };
  return {
    plain: query.group.by.map((column, i) => {
      const of = worked(column);
      if (column.step && of.type.type !== 'date' && of.type.type !== 'instant')
        failed(`${column.label} is no date, so it has no ${column.step}.`, of);
      const { step } = column;
      const kind = step ? ({ kind: 'date', style: step } as const) : kindOfBound(of);
      return { column, name: columnName('g', i), bound: of, kind, ...(step ? { step } : {}) };
    }),
    measures: query.group.measures.map((measure, i) => ({
      measure,
      name: columnName('m', i),
      ...typedMeasure(measure, { catalog, table }),
    })),
  };
}

export interface TypedColumn {
  readonly column: QueryColumn;
  readonly name: string;
  readonly bound: Bound;
  /** How its values are shown. */
  readonly kind: ValueKind;
  readonly step?: GroupColumn['step'];
}

export interface TypedMeasure {
  readonly measure: Measure;
  readonly name: string;
  /** What is worked out over the rows of a group. */
  readonly bound: Bound;
  /** What it is worked out of; null where rows are counted. */
  readonly of: Bound | null;
  /** What its rows are put in order by; null for their keys. */
  readonly by: Bound | null;
}

/** A total of values that stand in columns already, of the rows in which another column is 1. */
export function overColumns(bound: Bound, value: string, number: string): Bound {
  const column = (name: string, type: Type): Bound => ({
    op: 'ref',
    row: 0,
    links: [],
    field: { id: name, name, column: name, type, kind: { kind: 'wholeNumber' } },
    type,
    start: bound.start,
    end: bound.end,
  });
  if (bound.op === 'div')
    return { ...bound, a: overColumns(bound.a, value, number), b: overColumns(bound.b, value, number) };
  if (bound.op === 'rescale') return { ...bound, a: overColumns(bound.a, value, number) };
  if (bound.op !== 'aggregate') return bound;
  const [one, whole] = [numberType(0, 1), numberType(0, 15)];
  const filter: Bound = {
    op: 'compare',
    how: '=',
    a: column(number, whole),
    b: { op: 'const', value: 1n, type: one, start: bound.start, end: bound.end },
    type: { type: 'boolean' },
    start: bound.start,
    end: bound.end,
  };
  return { ...bound, arg: bound.arg && column(value, bound.arg.type), filter };
}

const CALLS = {
  count: 'COUNT',
  distinct: 'COUNT',
  sum: 'SUM',
  average: 'AVG',
  least: 'MIN',
  most: 'MAX',
  joined: 'COUNT',
  median: 'SUM',
  first: 'COUNT',
  last: 'COUNT',
  share: 'SUM',
  running: 'SUM',
  change: 'SUM',
} as const;

/** Totals that are made of the totals of several groups. */
const OVER_GROUPS: ReadonlySet<Measure['total']> = new Set(['share', 'running', 'change']);
export const isOverGroups = ({ total }: Measure): boolean => OVER_GROUPS.has(total);

/** Whether the rows of a group must be told apart, or its groups: what is worked out then stands above them. */
export const isApart = ({ total, once }: Measure): boolean =>
  once === true || total === 'median' || total === 'first' || total === 'last' || OVER_GROUPS.has(total);

function typedMeasure(
  measure: Measure,
  scope: { readonly catalog: Catalog; readonly table: string },
): { readonly bound: Bound; readonly of: Bound | null; readonly by: Bound | null } {
  const { total, expression } = measure;
  if (expression === null && total !== 'count' && !isOverGroups(measure))
    failed('What is worked out needs a field or an expression.', nowhere);
  const name = expression === null ? 'COUNT' : CALLS[total];
  const call = `${name}(${total === 'distinct' ? 'DISTINCT ' : ''}${expression ?? '*'}\n)`;
  const { bound } = bind(call, { ...scope, grouped: true });
  const of = expression === null ? null : bind(expression, scope).bound;
  const isOrdered = measure.by !== undefined && (total === 'first' || total === 'last');
  return { bound, of, by: isOrdered ? bind(measure.by!, scope).bound : null };
}

/** The columns a query shows without a group: those that have been chosen, or every field of its rows. */
export function columnsOfRows(
  design: Design,
  query: Query,
  scope: Pick<QueryScope, 'base' | 'shows'>,
): readonly QueryColumn[] {
  if (query.columns.length > 0) return query.columns;
  const source = sourceOf(design, query.from);
  const labels =
    source?.of === 'query'
      ? new Map(outputColumns(design, source.query).map(({ id, label }) => [id, label]))
      : null;
  return scope.base.fields.map(({ id, name }) => ({
    id,
    label: labels?.get(id) ?? fieldShown(design, scope, id)?.label ?? name,
    expression: `"#${id}"`,
  }));
}

/** The columns of a result: id and heading. Throws as {@link scopeOf} does. */
export function outputColumns(
  design: Design,
  query: Query,
): { readonly id: string; readonly label: string }[] {
  if (query.written) return query.written.columns;
  if (query.group) return [...query.group.by, ...query.group.measures];
  if (query.columns.length > 0) return query.columns;
  return [...columnsOfRows(design, query, scopeOf(design, query))];
}

/** Whether values are numbers of which it may be said how they are shown: not keys, which stand for rows. */
export const isShownNumber = (bound: Bound): boolean =>
  bound.type.type === 'number' && !(bound.op === 'ref' && bound.field.link !== undefined);

/** How a column of a result is shown where nothing else is said of it. */
export const kindOfBound = (bound: Bound): ValueKind =>
  bound.op === 'ref' || bound.op === 'worked' ? bound.field.kind : kindOfType(bound.type);

/**
 * The result of a query as rows for other expressions: for its own conditions over groups, and for queries that read
 * it. Throws an ExpressionError when one of its columns does not hold.
 */
export function resultOf(design: Design, query: Query, telling: Telling = NOTHING_TOLD): ResultRows {
  if (telling.within.includes(query.id)) failed(`The query ${query.label} reads itself.`, nowhere);
  let known = results.get(design);
  if (!known) results.set(design, (known = new WeakMap()));
  const kept = known.get(query);
  if (kept) return kept;
  const made = makeResult(design, query, telling);
  known.set(query, made);
  return made;
}

/** Whatever is answered, the columns are the same. Neither designs nor queries are changed in place. */
const results = new WeakMap<Design, WeakMap<Query, ResultRows>>();

function makeResult(design: Design, query: Query, telling: Telling): ResultRows {
  if (query.written) {
    const fields = fieldsOfWritten(query.written);
    const name = nameFromLabel(query.label, 'query');
    return {
      table: { id: query.id, name, keyColumn: null, fields, links: [], children: [] },
      shows: new Map(),
    };
  }
  const scope = scopeOf(design, query, telling);
  const { plain, measures } = typedColumns(design, query, scope);
  const names: string[] = [];
  const named = (label: string): string => {
    const name = uniqueName(nameFromLabel(label, 'column'), names);
    names.push(name);
    return name;
  };
  const shows = new Map<string, Field>();
  const fields = plain.map(({ column, name, bound, kind, step }): ExprField => {
    const shown = bound.op === 'ref' ? fieldShown(design, scope, bound.field.id) : undefined;
    if (shown && !step) shows.set(column.id, { ...shown, label: column.label });
    const link = bound.op === 'ref' && !step ? bound.field.link : undefined;
    return {
      id: column.id,
      name: named(column.label),
      column: name,
      type: step ? { type: 'date' } : bound.type,
      kind,
      ...(link === undefined ? {} : { link }),
    };
  });
  const totals = measures.map((measure): ExprField => ({
    id: measure.measure.id,
    name: named(measure.measure.label),
    column: measure.name,
    type: measureType(measure),
    kind: measureKind(measure),
  }));
  const name = nameFromLabel(query.label, 'query');
  return {
    table: {
      id: query.id,
      name,
      keyColumn: null,
      fields: [...fields, ...totals],
      links: [],
      children: [],
    },
    shows,
  };
}

/** The field whose values a reference holds: of a table, or of a column of a query that holds one. */
export function fieldShown(
  design: Design,
  { shows }: Pick<QueryScope, 'shows'>,
  id: string,
): Field | undefined {
  const shown = shows.get(id);
  if (shown) return shown;
  for (const table of design.tables) {
    const field = fieldOf(table, id);
    if (field) return field;
  }
  return undefined;
}

/** Totals of a plain money field are money, its least and most are what it is; a count is a number. */
export function measureKind({ measure: { total }, bound, of }: TypedMeasure): ValueKind {
  const kind = of ? kindOfBound(of) : null;
  const isKept = total === 'least' || total === 'most';
  if (total === 'joined') return { kind: 'longText' };
  if (total === 'share') return { kind: 'decimal', places: SHARE_PLACES, unit: '%' };
  if (total === 'first' || total === 'last') return kind!;
  if (kind?.kind === 'money' && total !== 'count' && total !== 'distinct') return kind;
  if (total === 'median') return { kind: 'decimal', places: scaleOf(of!) + 1 };
  if (kind && isKept && (of!.op === 'ref' || of!.op === 'worked')) return kind;
  return kindOfType(bound.type);
}

/** Places of a share in per cent. */
export const SHARE_PLACES = 1;

const scaleOf = ({ type }: Bound): number => (type.type === 'number' ? type.scale : 0);

export function measureType(measure: TypedMeasure): Type {
  const {
    bound,
    measure: { total },
  } = measure;
  if (total === 'joined') return TEXT;
  if (total === 'first' || total === 'last') return measure.of!.type;
  const kind = measureKind(measure);
  if (total === 'share') return numberType(SHARE_PLACES);
  const isRounded = total === 'average' || total === 'median';
  if (isRounded && kind.kind === 'money') return { ...numberType(kind.places), places: kind.places };
  return total === 'median' ? numberType(scaleOf(measure.of!) + 1) : bound.type;
}
