import type { AggregateName, Arithmetic, CastTarget, Node } from './ast';
import { parts, type Bound, type Collection, type Hop } from './bound';
import { ExpressionError, failed, type Fix, type Span } from './errors';
import { parse, writtenName } from './parse';
import { likeItems } from './fold';
import { findCollection, resolve } from './resolve';
import {
  BOOLEAN,
  DATE,
  INSTANT,
  NULL,
  numberType,
  TEXT,
  typeName,
  WHOLE,
  type Catalog,
  type ExprField,
  type NumberType,
  type Type,
} from './types';
import {
  fromText,
  parseDate,
  parseInstant,
  parseTime,
  instantText,
  pow10,
  rescale,
  timeText,
} from '../values';

export interface Warning extends Span {
  readonly message: string;
  readonly fix?: Fix;
}

export interface Binding {
  readonly bound: Bound;
  readonly warnings: readonly Warning[];
}

export interface Scope {
  readonly catalog: Catalog;
  /** The table whose row the expression looks at; null when it may not use any field. */
  readonly table: string | null;
  /** Whether SUM(x) without child rows runs over the rows of a group (queries, reports). */
  readonly grouped?: boolean;
}

/**
 * Parses an expression and gives every part its type. Throws an ExpressionError for syntax, unknown
 * names and types that do not go together.
 */
export function bind(source: string, scope: Scope): Binding {
  const binder = new Binder(scope, source);
  const bound = binder.bind(parse(source));
  if (branching(bound) > MOST_BRANCHING) failed('CASE and COALESCE are nested too deeply here.', bound);
  return { bound, warnings: binder.warnings };
}

/** Like {@link bind}, for something that must be true or false: a rule, a filter. */
export function bindCondition(source: string, scope: Scope): Binding {
  const binding = bind(source, scope);
  const { type } = binding.bound;
  if (type.type !== 'boolean' && type.type !== 'null')
    failed(`This is ${typeName(type)}.`, binding.bound, 'a condition, such as due_back > hired_on');
  return binding;
}

/** Levels of CASE, COALESCE and totals inside one another: each is a query of its own in SQL. */
const MOST_BRANCHING = 4;

const branching = (bound: Bound): number =>
  parts(bound).reduce((most, part) => Math.max(most, branching(part)), 0) +
  (bound.op === 'case' || bound.op === 'coalesce' || bound.op === 'aggregate' ? 1 : 0);

/** Parts of an expression, with those of the worked-out fields it uses. */
const MOST_PARTS = 20_000;

/** The scale of a quotient has at most this many places, so that 18 digits leave room before it. */
const MOST_QUOTIENT_SCALE = 12;

const isNumber = (type: Type): type is NumberType => type.type === 'number';

/** The tree of a worked-out field over its own row, moved to the row that `links` lead to from `row`. */
function moved(bound: Bound, row: number, links: readonly Hop[], shift: number, span: Span): Bound {
  const part = (value: unknown): unknown => {
    if (Array.isArray(value)) return value.map(part);
    if (value === null || typeof value !== 'object') return value;
    if ('op' in value) return moved(value as Bound, row, links, shift, span);
    if ('when' in value)
      return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, part(inner)]));
    return value;
  };
  const at = (old: number, hops: readonly Hop[]): { row: number; hops: readonly Hop[] } =>
    old === 0 ? { row, hops: [...links, ...hops] } : { row: old + shift, hops };
  const placed = { ...bound, start: span.start, end: span.end };
  if (placed.op === 'ref') {
    const { row: to, hops } = at(placed.row, placed.links);
    return { ...placed, row: to, links: hops };
  }
  const inner = Object.fromEntries(
    Object.entries(placed).map(([key, value]) => [key, part(value)]),
  ) as unknown as Bound;
  if (inner.op === 'worked') return { ...inner, links: [...links, ...inner.links] };
  if (inner.op !== 'aggregate' || !inner.over) return inner;
  const { row: from, hops } = at(inner.over.from, inner.over.hops);
  return { ...inner, over: { from, hops, as: inner.over.as + shift } };
}

class Binder {
  readonly warnings: Warning[] = [];
  private collection: Collection | null = null;
  private inAggregate = false;
  private rowCount = 1;

  constructor(
    private readonly scope: Scope,
    private readonly source: string,
    /** The worked-out fields whose expressions are being bound, outermost first. */
    private readonly within: readonly string[] = [],
    private readonly budget = { parts: MOST_PARTS },
  ) {}

  bind(node: Node): Bound {
    const span = { start: node.start, end: node.end };
    if (--this.budget.parts < 0)
      failed('This expression has too many parts, with those of the worked-out fields it uses.', span);
    switch (node.node) {
      case 'null':
        return { op: 'const', value: null, type: NULL, ...span };
      case 'text':
        // Texts of a file are composed: what is compared with them is too.
        return { op: 'const', value: node.text.normalize('NFC'), type: TEXT, ...span };
      case 'truth':
        return { op: 'const', value: node.value, type: BOOLEAN, ...span };
      case 'number':
        return this.number(node.text, span);
      case 'date':
        if (!parseDate(node.text)) failed(`“${node.text}” is not a date.`, span, "DATE '2026-11-04'");
        return { op: 'const', value: node.text, type: DATE, ...span };
      case 'time': {
        const seconds = parseTime(node.text);
        if (seconds === null) failed(`“${node.text}” is not a time.`, span, "TIME '14:30'");
        return { op: 'const', value: timeText(seconds), type: { type: 'time' }, ...span };
      }
      case 'timestamp': {
        const spaced = node.text.replace(' ', 'T');
        const seconds = parseInstant(spaced) ?? parseInstant(`${spaced}Z`) ?? parseInstant(`${spaced}:00Z`);
        const text = seconds === null ? null : instantText(seconds);
        if (text === null)
          failed(`“${node.text}” is not a date and time.`, span, "TIMESTAMP '2026-11-04 14:30:00'");
        return { op: 'const', value: text, type: INSTANT, ...span };
      }
      case 'interval':
        return this.interval(node.amount, node.unit, span);
      case 'clock':
        return { op: 'clock', what: node.what, type: node.what === 'date' ? DATE : INSTANT, ...span };
      case 'path':
        return this.path(node, span);
      case 'negate': {
        const a = this.bind(node.operand);
        if (a.type.type === 'null') return a;
        if (!isNumber(a.type) && a.type.type !== 'interval') this.wrongType(a, 'a number');
        if (a.op === 'const' && typeof a.value === 'bigint') return { ...a, value: -a.value, ...span };
        return { op: 'negate', a, type: a.type, ...span };
      }
      case 'not':
        return { op: 'not', a: this.condition(node.operand), type: BOOLEAN, ...span };
      case 'and':
      case 'or': {
        const [a, b] = [this.condition(node.left), this.condition(node.right)];
        return { op: node.node, a, b, type: BOOLEAN, ...span };
      }
      case 'arithmetic':
        return this.arithmetic(node.op, this.bind(node.left), this.bind(node.right), span);
      case 'concat': {
        const [a, b] = [this.asText(this.bind(node.left)), this.asText(this.bind(node.right))];
        return { op: 'concat', a, b, type: TEXT, ...span };
      }
      case 'compare': {
        this.warnOfNull(node);
        const [a, b] = this.alike([this.bind(node.left), this.bind(node.right)]) as [Bound, Bound];
        if (a.type.type === 'boolean' && node.op !== '=' && node.op !== '<>')
          failed('Conditions have no order.', span, '= or <>');
        return { op: 'compare', how: node.op, a, b, type: BOOLEAN, ...span };
      }
      case 'distinct': {
        const [a, b] = this.alike([this.bind(node.left), this.bind(node.right)]) as [Bound, Bound];
        return { op: 'distinct', a, b, type: BOOLEAN, ...span };
      }
      case 'isNull':
        return { op: 'isNull', a: this.bind(node.operand), type: BOOLEAN, ...span };
      case 'isTruth': {
        const a = this.condition(node.operand);
        return node.value === null
          ? { op: 'isNull', a, type: BOOLEAN, ...span }
          : { op: 'isTruth', a, value: node.value, type: BOOLEAN, ...span };
      }
      case 'between': {
        const [a, low, high] = this.alike([
          this.bind(node.operand),
          this.bind(node.low),
          this.bind(node.high),
        ]) as [Bound, Bound, Bound];
        return { op: 'between', a, low, high, type: BOOLEAN, ...span };
      }
      case 'in': {
        if (node.list.some((item) => item.node === 'null'))
          this.warnings.push({
            message: 'NULL in a list equals nothing, and makes NOT IN never true.',
            ...span,
          });
        const [a, ...list] = this.alike([node.operand, ...node.list].map((n) => this.bind(n)));
        return { op: 'in', a: a!, list, type: BOOLEAN, ...span };
      }
      case 'like': {
        const a = this.text(node.operand);
        const pattern = this.text(node.pattern);
        let escape: string | null = null;
        if (node.escape) {
          const bound = this.bind(node.escape);
          if (bound.op !== 'const' || typeof bound.value !== 'string' || [...bound.value].length !== 1)
            failed('The escape character must be one character in quotes.', node.escape);
          escape = bound.value;
          if (escape === '%' || escape === '_')
            failed('The escape character may not be % or _.', node.escape);
        }
        if (pattern.op === 'const' && typeof pattern.value === 'string' && !likeItems(pattern.value, escape))
          failed(
            `In this pattern ${escape!} stands before a character that it does not escape.`,
            node.pattern,
            `${escape!}%, ${escape!}_ or ${escape!}${escape!}`,
          );
        return { op: 'like', a, pattern, escape, type: BOOLEAN, ...span };
      }
      case 'case':
        return this.caseOf(node, span);
      case 'cast':
        return this.cast(this.bind(node.operand), node.target, span);
      case 'extract': {
        const a = this.bind(node.operand);
        const dateUnit = node.unit === 'YEAR' || node.unit === 'MONTH' || node.unit === 'DAY';
        const allowed = dateUnit ? ['date', 'instant'] : ['time', 'instant'];
        if (a.type.type === 'null') return { ...a, type: WHOLE };
        if (!allowed.includes(a.type.type))
          this.wrongType(a, dateUnit ? 'a date' : 'a time or a date and time');
        return { op: 'extract', unit: node.unit, a, type: numberType(0, 4), ...span };
      }
      case 'trim': {
        let char = ' ';
        if (node.chars) {
          const bound = this.bind(node.chars);
          if (bound.op !== 'const' || typeof bound.value !== 'string' || [...bound.value].length !== 1)
            failed('What TRIM takes away must be one character in quotes.', node.chars);
          char = bound.value;
        }
        return { op: 'trim', side: node.side, char, a: this.text(node.operand), type: TEXT, ...span };
      }
      case 'substring': {
        const a = this.text(node.operand);
        const from = this.whole(node.from);
        const length = node.length ? this.whole(node.length) : null;
        return { op: 'substring', a, from, length, type: TEXT, ...span };
      }
      case 'position': {
        const [a, b] = [this.text(node.part), this.text(node.whole)];
        return { op: 'position', a, b, type: WHOLE, ...span };
      }
      case 'call':
        return this.call(node.name, node.args, span);
      case 'aggregate':
        return this.aggregate(node, span);
    }
  }

  private number(text: string, span: Span): Bound {
    const value = fromText(text);
    if (!value || value.units >= pow10(18))
      failed(`${text} has too many digits.`, span, 'a number of at most 18 digits');
    if (value.scale > 6) failed(`${text} has too many places.`, span, 'at most 6 decimal places');
    const digits = value.units.toString().length;
    return { op: 'const', value: value.units, type: numberType(value.scale, digits), ...span };
  }

  private interval(amount: number, unit: string, span: Span): Bound {
    const months = unit === 'YEAR' ? 12 : 1;
    const seconds = unit === 'HOUR' ? 3600 : unit === 'MINUTE' ? 60 : 1;
    const [kind, factor] =
      unit === 'YEAR' || unit === 'MONTH'
        ? (['month', months] as const)
        : unit === 'DAY'
          ? (['day', 1] as const)
          : (['second', seconds] as const);
    return { op: 'const', value: BigInt(amount * factor), type: { type: 'interval', unit: kind }, ...span };
  }

  private path(node: Extract<Node, { node: 'path' }>, span: Span): Bound {
    const { catalog, table } = this.scope;
    if (table === null) failed('No field can be used here.', span, 'a value');
    const found = resolve(catalog, table, node.steps);
    let row = 0;
    let links: readonly Hop[] = found.hops;
    const { collection } = this;
    if (collection && startsWith(found.hops, collection.hops)) {
      row = collection.as;
      links = found.hops.slice(collection.hops.length);
    }
    const many = links.find((hop) => hop.hop === 'children');
    if (many && many.hop === 'children')
      failed(
        this.inAggregate
          ? `“${many.child.name}” is another set of rows than the one being worked out.`
          : `“${many.child.name}” is many rows.`,
        span,
        this.inAggregate ? 'fields of one set' : `a total over them, such as COUNT(${many.child.name})`,
      );
    if (!found.field) failed('This path ends in a table.', span, 'a field after it');
    if (found.field.worked !== undefined) {
      const owner = found.hops[found.hops.length - 1]?.table ?? table;
      return this.worked(found.field, owner, row, links, span);
    }
    return { op: 'ref', row, links, field: found.field, type: found.field.type, ...span };
  }

  private worked(field: ExprField, owner: string, row: number, links: readonly Hop[], span: Span): Bound {
    if (this.within.includes(field.id)) failed(`${field.name} is worked out from itself.`, span);
    const inner = new Binder(
      { catalog: this.scope.catalog, table: owner },
      field.worked!,
      [...this.within, field.id],
      this.budget,
    );
    let bound: Bound;
    try {
      bound = inner.bind(parse(field.worked!));
    } catch (error) {
      // Positions inside the other expression mean nothing here.
      if (error instanceof ExpressionError)
        failed(`${field.name} cannot be worked out: ${error.message}`, span);
      throw error;
    }
    const a = moved(bound, row, links, this.rowCount - 1, span);
    this.rowCount += inner.rowCount - 1;
    return { op: 'worked', links, field, a: this.resultOf(a, field), type: field.type, ...span };
  }

  /** The value of a worked-out field as the type it is shown in: numbers are rounded to its places. */
  private resultOf(a: Bound, field: ExprField): Bound {
    const wanted = field.type;
    if (a.type.type === 'null') return { ...a, type: wanted };
    if (isNumber(a.type) && isNumber(wanted)) return this.toScale(a, wanted.scale);
    if (a.type.type !== wanted.type)
      failed(
        `${field.name} is shown as ${typeName(wanted)}, but its expression gives ${typeName(a.type)}.`,
        a,
      );
    return a;
  }

  private aggregate(node: Extract<Node, { node: 'aggregate' }>, span: Span): Bound {
    if (this.inAggregate) failed(`${node.name} cannot stand inside another total.`, span);
    const { catalog, table } = this.scope;
    const sources = [node.arg, node.filter].filter((n): n is Node => n !== null);
    const hops = table === null ? null : findCollection(catalog, table, sources);
    if (!hops && !this.scope.grouped)
      failed(
        `${node.name} needs the rows it runs over.`,
        span,
        `the name of rows that link here, such as ${node.name}(payments.amount)`,
      );
    const over: Collection | null = hops ? { from: 0, hops, as: this.rowCount++ } : null;
    this.collection = over;
    this.inAggregate = true;
    // COUNT(payments) counts the rows themselves.
    const countsRows =
      node.arg?.node === 'path' &&
      over !== null &&
      table !== null &&
      !resolve(catalog, table, node.arg.steps).field;
    if (countsRows && node.name !== 'COUNT')
      failed(`${node.name} needs a field of these rows.`, span, 'a field after a point');
    let arg = node.arg && !countsRows ? this.bind(node.arg) : null;
    if (countsRows && node.distinct) arg = this.keyOf(over, span);
    const filter = node.filter ? this.condition(node.filter) : null;
    this.inAggregate = false;
    this.collection = null;

    const make = (name: AggregateName, type: Type, of: Bound | null): Bound => ({
      op: 'aggregate',
      name,
      distinct: node.distinct,
      arg: of,
      filter,
      over,
      type,
      ...span,
    });
    if (node.name === 'COUNT') return make('COUNT', WHOLE, arg);
    const { type } = arg!;
    if (node.name === 'MIN' || node.name === 'MAX') {
      if (type.type === 'boolean' || type.type === 'interval') this.wrongType(arg!, 'a value with an order');
      return make(node.name, type, arg);
    }
    if (type.type === 'null') return make('SUM', numberType(0), { ...arg!, type: WHOLE });
    if (!isNumber(type)) return this.wrongType(arg!, 'a number');
    const sum = make('SUM', numberType(type.scale, 19, type.places), arg);
    return node.name === 'SUM' ? sum : this.divide(sum, make('COUNT', WHOLE, arg), span);
  }

  /** The key of the rows of a collection: rows that differ have another. */
  private keyOf(over: Collection, span: Span): Bound {
    const table = this.scope.catalog.table(over.hops[over.hops.length - 1]!.table);
    const field = table.fields.find(({ column }) => column === table.keyColumn);
    if (!field)
      failed(
        `${table.name} has a key of several fields, so its rows cannot be told apart here.`,
        span,
        'a field',
      );
    return { op: 'ref', row: over.as, links: [], field, type: field.type, ...span };
  }

  /** `= NULL` is allowed and never true: nobody means that. */
  private warnOfNull(node: Extract<Node, { node: 'compare' }>): void {
    const other = node.right.node === 'null' ? node.left : node.left.node === 'null' ? node.right : null;
    if (!other || (node.op !== '=' && node.op !== '<>')) return;
    const span = { start: node.start, end: node.end };
    const text = `${this.written(other)} IS ${node.op === '=' ? '' : 'NOT '}NULL`;
    this.warnings.push({
      message: `Nothing equals NULL, so this is never true. Write ${text}.`,
      ...span,
      fix: { ...span, text },
    });
  }

  private written({ start, end }: Span): string {
    return this.source.slice(start, end);
  }

  private arithmetic(op: Arithmetic, a: Bound, b: Bound, span: Span): Bound {
    const [left, right] = [a.type, b.type];
    if (left.type === 'null' || right.type === 'null')
      return { op: 'const', value: null, type: left.type === 'null' ? right : left, ...span };
    if (isNumber(left) && isNumber(right)) return this.numbers(op, a, b, span);
    if (op === '+' && left.type === 'interval' && hasMoment(right)) return this.arithmetic(op, b, a, span);
    if (op === '+' || op === '-') {
      if (hasMoment(left) && right.type === 'interval')
        return this.shift(a, op === '+' ? b : negated(b), span);
      if (left.type === 'date' && right.type === 'date' && op === '-')
        return { op: 'daysBetween', a, b, type: numberType(0, 7), ...span };
      if (left.type === right.type && (left.type === 'instant' || left.type === 'time') && op === '-')
        return { op: 'secondsBetween', a, b, type: { type: 'interval', unit: 'second' }, ...span };
      if (left.type === 'interval' && right.type === 'interval') {
        const [x, y] = this.alike([a, b]) as [Bound, Bound];
        return { op: op === '+' ? 'add' : 'sub', a: x, b: y, type: x.type, ...span };
      }
    }
    if (op === '*' && isNumber(left) && right.type === 'interval') return this.arithmetic(op, b, a, span);
    if (op === '*' && left.type === 'interval' && isNumber(right) && right.scale === 0)
      return { op: 'mul', a, b, type: left, ...span };
    if ((left.type === 'date' && isNumber(right)) || (isNumber(left) && right.type === 'date'))
      failed('A number cannot be added to a date.', span, "an interval, such as INTERVAL '14' DAY");
    if (op === '+' && (left.type === 'text' || right.type === 'text'))
      failed('Texts are not added.', span, '|| to join them');
    failed(`${op} does not go with ${typeName(left)} and ${typeName(right)}.`, span, 'two numbers');
  }

  private numbers(op: Arithmetic, a: Bound, b: Bound, span: Span): Bound {
    if (op === '/') return this.divide(a, b, span);
    const [left, right] = [a.type as NumberType, b.type as NumberType];
    if (op === '*') {
      const full = left.scale + right.scale;
      const scale = Math.max(Math.min(full, MOST_QUOTIENT_SCALE), full - 9);
      const digits = left.digits + right.digits - (full - scale);
      const places = Math.min(left.places + right.places, scale);
      return { op: 'mul', a, b, type: numberType(scale, digits, places), ...span };
    }
    const [x, y] = this.alike([a, b]) as [Bound, Bound];
    const [p, q] = [x.type as NumberType, y.type as NumberType];
    const type = numberType(p.scale, Math.max(p.digits, q.digits) + 1, Math.max(p.places, q.places));
    return { op: op === '+' ? 'add' : 'sub', a: x, b: y, type, ...span };
  }

  private divide(a: Bound, b: Bound, span: Span): Bound {
    const [left, right] = [a.type as NumberType, b.type as NumberType];
    if (b.op === 'const' && b.value === 0n)
      this.warnings.push({ message: 'Division by zero: this is always empty.', ...span });
    else if (b.op !== 'const' && b.op !== 'aggregate')
      this.warnings.push({ message: 'Empty wherever the divisor is 0.', start: b.start, end: b.end });
    const places = Math.min(Math.max(left.places, right.places), MOST_QUOTIENT_SCALE - 6);
    const scale = Math.max(places + 6, left.scale - right.scale);
    return { op: 'div', a, b, type: numberType(scale, 19, places), ...span };
  }

  private shift(a: Bound, interval: Bound, span: Span): Bound {
    const unit = (interval.type as Extract<Type, { type: 'interval' }>).unit;
    if (a.type.type === 'date' && unit === 'second')
      failed('A date has no hours.', span, 'an interval of days, months or years');
    if (a.type.type === 'time' && unit !== 'second')
      failed('A time has no days.', span, 'an interval of hours, minutes or seconds');
    const op = unit === 'month' ? 'addMonths' : unit === 'day' ? 'addDays' : 'addSeconds';
    return { op, a, b: interval, type: a.type, ...span };
  }

  private caseOf(node: Extract<Node, { node: 'case' }>, span: Span): Bound {
    const conditions = node.whens.map(({ when }) =>
      node.subject
        ? this.bind({
            node: 'compare',
            op: '=',
            left: node.subject,
            right: when,
            start: when.start,
            end: when.end,
          })
        : this.condition(when),
    );
    const results = node.whens.map(({ then }) => this.bind(then));
    if (node.otherwise) results.push(this.bind(node.otherwise));
    const alike = this.alike(results);
    const whens = conditions.map((when, i) => ({ when, then: alike[i]! }));
    const otherwise = node.otherwise ? alike[alike.length - 1]! : null;
    return { op: 'case', whens, otherwise, type: alike[0]!.type, ...span };
  }

  private cast(a: Bound, target: CastTarget, span: Span): Bound {
    if (target.to === 'text') return this.castText(a, target.most, span);
    if (target.to === 'date') {
      if (a.type.type === 'null') return { ...a, type: DATE };
      if (a.type.type === 'date') return a;
      if (a.type.type !== 'text' && a.type.type !== 'instant') this.wrongType(a, 'a text or a date and time');
      return { op: 'toDate', a, type: DATE, ...span };
    }
    const { digits, scale } = target;
    const type = numberType(scale, digits);
    if (a.type.type === 'null') return { ...a, type };
    if (a.type.type !== 'text' && !isNumber(a.type)) this.wrongType(a, 'a text or a number');
    const number: Bound =
      a.type.type === 'text'
        ? { op: 'toNumber', a, type: numberType(scale, 16), ...span }
        : this.toScale(a, scale);
    if ((number.type as NumberType).digits <= digits) return { ...number, ...span };
    return {
      op: 'limit',
      a: number,
      most: digits,
      type: numberType(scale, digits, (number.type as NumberType).places),
      ...span,
    };
  }

  /** A text is cut to `most` characters; what is no text must have no more (ISO/IEC 9075-2, 6.13). */
  private castText(a: Bound, most: number | null, span: Span): Bound {
    const text = { ...this.asText(a), ...span };
    if (most === null || (text.op === 'const' && text.value === null)) return text;
    if (a.type.type !== 'text') return { op: 'limitText', most, a: text, type: TEXT, ...span };
    const whole = (value: number): Bound => ({ op: 'const', value: BigInt(value), type: WHOLE, ...span });
    return { op: 'substring', a: text, from: whole(1), length: whole(most), type: TEXT, ...span };
  }

  private call(name: string, args: readonly Node[], span: Span): Bound {
    switch (name) {
      case 'COALESCE': {
        const list = this.alike(args.map((arg) => this.bind(arg)));
        return { op: 'coalesce', list, type: list[0]!.type, ...span };
      }
      case 'NULLIF': {
        const [a, b] = this.alike(args.map((arg) => this.bind(arg))) as [Bound, Bound];
        return { op: 'nullif', a, b, type: a.type, ...span };
      }
      case 'UPPER':
      case 'LOWER':
        return { op: name === 'UPPER' ? 'upper' : 'lower', a: this.text(args[0]!), type: TEXT, ...span };
      case 'CHAR_LENGTH':
        return { op: 'length', a: this.text(args[0]!), type: WHOLE, ...span };
      case 'MOD': {
        const [a, b] = this.alike([this.numeric(args[0]!), this.numeric(args[1]!)]) as [Bound, Bound];
        return { op: 'mod', a, b, type: a.type, ...span };
      }
      case 'ABS': {
        const a = this.numeric(args[0]!);
        return { op: 'abs', a, type: a.type, ...span };
      }
      case 'FLOOR':
      case 'CEILING': {
        const a = this.numeric(args[0]!);
        const { digits, scale } = a.type as NumberType;
        const op = name === 'FLOOR' ? 'floor' : 'ceiling';
        return { op, a, type: numberType(0, Math.max(digits - scale + 1, 1)), ...span };
      }
      default: {
        const a = this.numeric(args[0]!);
        const places = args[1] ? this.bind(args[1]) : null;
        const count = places === null ? 0n : places.op === 'const' ? places.value : null;
        if (typeof count !== 'bigint' || (places && (!isNumber(places.type) || places.type.scale !== 0)))
          failed('The number of places must be written out.', args[1]!, 'a whole number from 0 to 6');
        const scale = Number(count);
        if (scale < 0 || scale > 6)
          failed('ROUND keeps 0 to 6 places.', args[1]!, 'a whole number from 0 to 6');
        return { ...this.toScale(a, scale), ...span };
      }
    }
  }

  /** All of one type, numbers of one scale; a bare NULL takes the others' type. */
  private alike(list: readonly Bound[]): Bound[] {
    const typed = list.find(({ type }) => type.type !== 'null');
    if (!typed) return [...list];
    const mixed = list.find(({ type }) => type.type !== 'null' && type.type !== typed.type.type);
    if (mixed) this.mismatch(typed, mixed);
    if (isNumber(typed.type)) {
      const numbers = list.map(({ type }) => type).filter(isNumber);
      const scale = Math.max(...numbers.map((type) => type.scale));
      const moved = list.map((item) => (item.type.type === 'null' ? item : this.toScale(item, scale)));
      const digits = Math.max(...moved.map(({ type }) => (isNumber(type) ? type.digits : 0)));
      const type = numberType(scale, digits, Math.max(...numbers.map(({ places }) => places)));
      return moved.map((item) => ({ ...item, type }));
    }
    if (typed.type.type === 'interval') {
      const units = list.map(({ type }) => (type.type === 'interval' ? type.unit : null));
      const unit = units.includes('month') ? 'month' : units.includes('second') ? 'second' : 'day';
      if (units.includes('month') && units.some((u) => u !== null && u !== 'month'))
        failed(
          'Months and days do not compare: a month has no fixed length.',
          list[0]!,
          'intervals of one sort',
        );
      return list.map((item) => {
        const days = item.type.type === 'interval' && item.type.unit === 'day';
        const type: Type = { type: 'interval', unit };
        if (!days || unit !== 'second') return { ...item, type };
        const factor: Bound = {
          op: 'const',
          value: 86400n,
          type: numberType(0, 5),
          start: item.start,
          end: item.end,
        };
        return { op: 'mul', a: item, b: factor, type, start: item.start, end: item.end };
      });
    }
    return list.map((item) => ({ ...item, type: typed.type }));
  }

  private mismatch(a: Bound, b: Bound): never {
    const types = [a.type.type, b.type.type];
    const fix = this.fixed(a, b) ?? this.fixed(b, a);
    const hint =
      types.includes('number') &&
      types.includes('text') &&
      fix?.text !== undefined &&
      /^[\d.+-]/.test(fix.text)
        ? `a number without quotes, ${fix.text}`
        : (fix?.text ??
          (types.includes('date') && types.includes('text')
            ? "a date written as DATE '2026-11-04'"
            : types.includes('number') && types.includes('text')
              ? 'a number without quotes'
              : `${typeName(a.type)} on both sides`));
    failed(`This is ${typeName(b.type)}, beside ${typeName(a.type)}.`, b, hint, fix);
  }

  /** What was most likely meant where `a` stands beside `b`, which is of another type; null when nobody can say. */
  private fixed(a: Bound, b: Bound): Fix | null {
    const put = ({ start, end }: Span, text: string): Fix => ({ start, end, text });
    if (a.op === 'ref' && a.field.link !== undefined && b.type.type === 'text') {
      const shown = this.scope.catalog.table(a.field.link).fields.find(({ type }) => type.type === 'text');
      return shown ? put(a, `${this.written(a)}.${writtenName(shown.name)}`) : null;
    }
    if (b.op !== 'const') return null;
    const text = String(b.value);
    if (a.type.type === 'boolean') {
      if (/^(yes|y|true|on|1)$/i.test(text)) return put(b, 'TRUE');
      return /^(no|n|false|off|0)$/i.test(text) ? put(b, 'FALSE') : null;
    }
    if (b.type.type !== 'text') return null;
    if (a.type.type === 'date' && parseDate(text)) return put(b, `DATE '${text}'`);
    if (a.type.type === 'time' && parseTime(text) !== null) return put(b, `TIME '${text}'`);
    return a.type.type === 'number' && fromText(text) ? put(b, text) : null;
  }

  private toScale(a: Bound, scale: number): Bound {
    const type = a.type as NumberType;
    if (type.scale === scale) return a;
    const digits = type.digits + scale - type.scale + (scale < type.scale ? 1 : 0);
    const next = numberType(scale, Math.max(digits, 1), Math.min(type.places, scale));
    if (a.op === 'const' && typeof a.value === 'bigint') {
      const units = rescale(a.value, type.scale, scale);
      if ((units < 0n ? -units : units) < pow10(18)) return { ...a, value: units, type: next };
    }
    // A quotient is rounded once, at the places asked for, not first at its own.
    if (a.op === 'div' && scale < type.scale) return { ...a, type: { ...next, digits: 19 } };
    return { op: 'rescale', a, type: next, start: a.start, end: a.end };
  }

  private asText(a: Bound): Bound {
    if (a.type.type === 'text') return a;
    if (a.type.type === 'null') return { ...a, type: TEXT };
    if (a.type.type === 'interval') return this.wrongType(a, 'a text, number or date');
    return { op: 'toText', a, type: TEXT, start: a.start, end: a.end };
  }

  private condition(node: Node): Bound {
    const bound = this.bind(node);
    if (bound.type.type === 'null') return { ...bound, type: BOOLEAN };
    return bound.type.type === 'boolean' ? bound : this.wrongType(bound, 'a condition');
  }

  private text(node: Node): Bound {
    const bound = this.bind(node);
    if (bound.type.type === 'null') return { ...bound, type: TEXT };
    return bound.type.type === 'text' ? bound : this.wrongType(bound, 'a text');
  }

  private numeric(node: Node): Bound {
    const bound = this.bind(node);
    if (bound.type.type === 'null') return { ...bound, type: WHOLE };
    return isNumber(bound.type) ? bound : this.wrongType(bound, 'a number');
  }

  private whole(node: Node): Bound {
    const bound = this.numeric(node);
    return (bound.type as NumberType).scale === 0 ? bound : this.wrongType(bound, 'a whole number');
  }

  private wrongType(bound: Bound, expected: string): never {
    failed(`This is ${typeName(bound.type)}.`, bound, expected);
  }
}

const hasMoment = ({ type }: Type): boolean => type === 'date' || type === 'time' || type === 'instant';

function negated(b: Bound): Bound {
  return b.op === 'const' && typeof b.value === 'bigint'
    ? { ...b, value: -b.value }
    : { op: 'negate', a: b, type: b.type, start: b.start, end: b.end };
}

function startsWith(hops: readonly Hop[], prefix: readonly Hop[]): boolean {
  return prefix.every((hop, i) => {
    const own = hops[i];
    if (!own || own.hop !== hop.hop) return false;
    return hopId(own) === hopId(hop);
  });
}

const hopId = (hop: Hop): string => (hop.hop === 'link' ? hop.field.id : hop.child.id);
