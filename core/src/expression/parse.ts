import type { AggregateName, CastTarget, Comparison, IntervalUnit, Node, Step } from './ast';
import { failed } from './errors';
import { tokens, type Token } from './tokens';

const RESERVED = new Set(
  (
    'AND OR NOT CASE WHEN THEN ELSE END BETWEEN IN LIKE ESCAPE IS NULL TRUE FALSE UNKNOWN DISTINCT ' +
    'FROM FOR AS FILTER WHERE'
  ).split(' '),
);
const UNITS = ['YEAR', 'MONTH', 'DAY', 'HOUR', 'MINUTE', 'SECOND'] as const;
const AGGREGATES = ['COUNT', 'SUM', 'AVG', 'MIN', 'MAX'] as const;
const COMPARISONS = ['=', '<>', '<', '<=', '>', '>='] as const;

/** Calls of the form NAME(a, b, …): name → least and most number of arguments. */
export const CALLS: Readonly<Record<string, readonly [number, number]>> = {
  COALESCE: [2, 50],
  NULLIF: [2, 2],
  UPPER: [1, 1],
  LOWER: [1, 1],
  CHAR_LENGTH: [1, 1],
  ABS: [1, 1],
  MOD: [2, 2],
  ROUND: [1, 2],
  FLOOR: [1, 1],
  CEILING: [1, 1],
};

/** Levels of nesting an expression may have, so that any engine's parser takes the SQL. */
const MOST_DEPTH = 24;

/**
 * Reads an expression of the language (the value expressions of ISO/IEC 9075-2, with paths).
 * Throws an ExpressionError that points at the first thing that does not fit and says what would.
 */
export function parse(source: string): Node {
  return new Parser(tokens(source)).whole();
}

class Parser {
  private at = 0;
  private depth = 0;

  constructor(private readonly list: readonly Token[]) {}

  whole(): Node {
    if (this.list.length === 1) failed('There is nothing here yet.', this.token, 'an expression');
    const node = this.expression();
    if (this.token.type !== 'end') this.unexpected('an operator or the end');
    return node;
  }

  private get token(): Token {
    return this.list[this.at]!;
  }

  private get previous(): Token {
    return this.list[Math.max(this.at - 1, 0)]!;
  }

  private is(text: string, offset = 0): boolean {
    const token = this.list[this.at + offset];
    return (
      token !== undefined &&
      (token.type === 'symbol' || token.type === 'word') &&
      token.text.toUpperCase() === text
    );
  }

  private take(text: string): boolean {
    if (!this.is(text)) return false;
    this.at++;
    return true;
  }

  private oneOf<T extends string>(words: readonly T[]): T | null {
    const found = words.find((word) => this.is(word));
    if (found) this.at++;
    return found ?? null;
  }

  private expect(text: string): void {
    if (!this.take(text)) this.unexpected(text);
  }

  private unexpected(expected: string): never {
    const { type, text } = this.token;
    failed(
      type === 'end' ? 'The expression ends too early.' : `“${text}” does not fit here.`,
      this.token,
      expected,
    );
  }

  private span(start: number): { start: number; end: number } {
    return { start, end: this.previous.end };
  }

  private expression(): Node {
    if (++this.depth > MOST_DEPTH) failed('This expression is nested too deeply.', this.token);
    const node = this.or();
    this.depth--;
    return node;
  }

  private or(): Node {
    let left = this.and();
    while (this.take('OR')) {
      const right = this.and();
      left = { node: 'or', left, right, ...this.span(left.start) };
    }
    return left;
  }

  private and(): Node {
    let left = this.not();
    while (this.take('AND')) {
      const right = this.not();
      left = { node: 'and', left, right, ...this.span(left.start) };
    }
    return left;
  }

  private not(): Node {
    const { start } = this.token;
    if (!this.take('NOT')) return this.predicate();
    if (++this.depth > MOST_DEPTH) failed('This expression is nested too deeply.', this.token);
    const operand = this.not();
    this.depth--;
    return { node: 'not', operand, ...this.span(start) };
  }

  private predicate(): Node {
    let left = this.concat();
    for (;;) {
      const { start } = left;
      const op = this.oneOf<Comparison>(COMPARISONS);
      if (op) {
        const right = this.concat();
        left = { node: 'compare', op, left, right, ...this.span(start) };
      } else if (this.is('IS')) {
        left = this.isPredicate(left);
      } else {
        const negated = this.is('NOT') && ['BETWEEN', 'IN', 'LIKE'].some((word) => this.is(word, 1));
        if (negated) this.at++;
        const positive = this.otherPredicate(left);
        if (!positive) return left;
        left = negated ? { node: 'not', operand: positive, ...this.span(start) } : positive;
      }
    }
  }

  private isPredicate(operand: Node): Node {
    this.expect('IS');
    const negated = this.take('NOT');
    const { start } = operand;
    let result: Node;
    if (this.take('NULL')) result = { node: 'isNull', operand, ...this.span(start) };
    else if (this.take('DISTINCT')) {
      this.expect('FROM');
      const right = this.concat();
      result = { node: 'distinct', left: operand, right, ...this.span(start) };
    } else {
      const word = this.oneOf(['TRUE', 'FALSE', 'UNKNOWN']);
      if (!word) this.unexpected('NULL, TRUE, FALSE, UNKNOWN or DISTINCT FROM after IS');
      const value = word === 'UNKNOWN' ? null : word === 'TRUE';
      result = { node: 'isTruth', operand, value, ...this.span(start) };
    }
    return negated ? { node: 'not', operand: result, ...this.span(start) } : result;
  }

  private otherPredicate(operand: Node): Node | null {
    const { start } = operand;
    if (this.take('BETWEEN')) {
      const low = this.concat();
      this.expect('AND');
      const high = this.concat();
      return { node: 'between', operand, low, high, ...this.span(start) };
    }
    if (this.take('IN')) {
      this.expect('(');
      const list = this.list1();
      return { node: 'in', operand, list, ...this.span(start) };
    }
    if (this.take('LIKE')) {
      const pattern = this.concat();
      const escape = this.take('ESCAPE') ? this.concat() : null;
      return { node: 'like', operand, pattern, escape, ...this.span(start) };
    }
    return null;
  }

  /** One or more expressions and the closing parenthesis. */
  private list1(): Node[] {
    const list = [this.expression()];
    while (this.take(',')) list.push(this.expression());
    this.expect(')');
    return list;
  }

  private concat(): Node {
    let left = this.sum();
    while (this.take('||')) {
      const right = this.sum();
      left = { node: 'concat', left, right, ...this.span(left.start) };
    }
    return left;
  }

  private sum(): Node {
    let left = this.product();
    for (let op = this.oneOf(['+', '-'] as const); op; op = this.oneOf(['+', '-'] as const)) {
      const right = this.product();
      left = { node: 'arithmetic', op, left, right, ...this.span(left.start) };
    }
    return left;
  }

  private product(): Node {
    let left = this.sign();
    for (let op = this.oneOf(['*', '/'] as const); op; op = this.oneOf(['*', '/'] as const)) {
      const right = this.sign();
      left = { node: 'arithmetic', op, left, right, ...this.span(left.start) };
    }
    return left;
  }

  private sign(): Node {
    const { start } = this.token;
    if (this.take('+')) return this.sign();
    if (!this.take('-')) return this.primary();
    if (++this.depth > MOST_DEPTH) failed('This expression is nested too deeply.', this.token);
    const operand = this.sign();
    this.depth--;
    return { node: 'negate', operand, ...this.span(start) };
  }

  private primary(): Node {
    const token = this.token;
    const { start, type, text } = token;
    if (type === 'number' || type === 'text') {
      this.at++;
      return { node: type, text, ...this.span(start) };
    }
    if (this.take('(')) {
      const inner = this.expression();
      this.expect(')');
      return { ...inner, ...this.span(start) };
    }
    if (type === 'word') {
      const special = this.special(text.toUpperCase(), start);
      if (special) return special;
    }
    if (type === 'name' || (type === 'word' && !RESERVED.has(text.toUpperCase()))) return this.path();
    return this.unexpected('a field name or a value');
  }

  private path(): Node {
    const { start } = this.token;
    const steps: Step[] = [];
    do {
      const { type, text, start: from, end } = this.token;
      if (type !== 'name' && type !== 'word') this.unexpected('a field name');
      this.at++;
      steps.push({ name: text, start: from, end });
    } while (this.take('.'));
    if (this.is('('))
      failed(
        `There is no function ${steps[0]!.name}.`,
        this.span(start),
        [...Object.keys(CALLS), 'TRIM', 'SUBSTRING', 'POSITION', 'EXTRACT', 'CAST', ...AGGREGATES].join(', '),
      );
    return { node: 'path', steps, ...this.span(start) };
  }

  private special(word: string, start: number): Node | null {
    const next = this.list[this.at + 1]!;
    if (next.type === 'text' && ['DATE', 'TIME', 'TIMESTAMP'].includes(word)) {
      this.at += 2;
      const node = word.toLowerCase() as 'date' | 'time' | 'timestamp';
      return { node, text: next.text, ...this.span(start) };
    }
    if (word === 'INTERVAL' && (next.type === 'text' || next.text === '-' || next.text === '+')) {
      this.at++;
      return this.interval(start);
    }
    switch (word) {
      case 'NULL':
        this.at++;
        return { node: 'null', ...this.span(start) };
      case 'TRUE':
      case 'FALSE':
      case 'UNKNOWN':
        this.at++;
        return { node: 'truth', value: word === 'UNKNOWN' ? null : word === 'TRUE', ...this.span(start) };
      case 'CURRENT_DATE':
      case 'CURRENT_TIMESTAMP':
        this.at++;
        return { node: 'clock', what: word === 'CURRENT_DATE' ? 'date' : 'instant', ...this.span(start) };
      case 'CASE':
        this.at++;
        return this.caseOf(start);
    }
    if (!(next.type === 'symbol' && next.text === '(')) return null;
    const aggregate = AGGREGATES.find((name) => name === word);
    if (aggregate) {
      this.at += 2;
      return this.aggregate(aggregate, start);
    }
    return this.call(word, start);
  }

  private interval(start: number): Node {
    const minus = this.oneOf(['-', '+'] as const) === '-';
    const { type, text } = this.token;
    if (type !== 'text') this.unexpected("a number in quotes, as in INTERVAL '14' DAY");
    const amountSpan = this.token;
    this.at++;
    const unit = this.oneOf<IntervalUnit>(UNITS);
    if (!unit) this.unexpected(UNITS.join(', '));
    if (unit === 'YEAR' && this.take('TO')) {
      this.expect('MONTH');
      const match = /^\s*([+-]?)(\d{1,4})-(\d{1,2})\s*$/.exec(text);
      if (!match) failed(`“${text}” is not years and months.`, amountSpan, "a text like '1-6'");
      const months = Number(match[2]) * 12 + Number(match[3]);
      const amount = (match[1] === '-') !== minus ? -months : months;
      return { node: 'interval', amount, unit: 'MONTH', ...this.span(start) };
    }
    if (!/^\s*[+-]?\d{1,9}\s*$/.test(text))
      failed(`“${text}” is not a whole number.`, amountSpan, "a text like '14'");
    return { node: 'interval', amount: minus ? -Number(text) : Number(text), unit, ...this.span(start) };
  }

  private caseOf(start: number): Node {
    const subject = this.is('WHEN') ? null : this.expression();
    const whens: { when: Node; then: Node }[] = [];
    while (this.take('WHEN')) {
      const when = this.expression();
      this.expect('THEN');
      whens.push({ when, then: this.expression() });
    }
    if (whens.length === 0) this.unexpected('WHEN');
    const otherwise = this.take('ELSE') ? this.expression() : null;
    this.expect('END');
    return { node: 'case', subject, whens, otherwise, ...this.span(start) };
  }

  private aggregate(name: AggregateName, start: number): Node {
    let arg: Node | null = null;
    const distinct = this.take('DISTINCT');
    if (name === 'COUNT' && !distinct && this.take('*')) arg = null;
    else arg = this.expression();
    this.expect(')');
    let filter: Node | null = null;
    if (this.take('FILTER')) {
      this.expect('(');
      this.expect('WHERE');
      filter = this.expression();
      this.expect(')');
    }
    return { node: 'aggregate', name, distinct, arg, filter, ...this.span(start) };
  }

  private call(word: string, start: number): Node | null {
    const open = (): void => {
      this.at += 2;
    };
    switch (word) {
      case 'CAST': {
        open();
        const operand = this.expression();
        this.expect('AS');
        const target = this.castTarget();
        this.expect(')');
        return { node: 'cast', operand, target, ...this.span(start) };
      }
      case 'EXTRACT': {
        open();
        const unit = this.oneOf<IntervalUnit>(UNITS);
        if (!unit) this.unexpected(UNITS.join(', '));
        this.expect('FROM');
        const operand = this.expression();
        this.expect(')');
        return { node: 'extract', unit, operand, ...this.span(start) };
      }
      case 'TRIM':
        open();
        return this.trim(start);
      case 'SUBSTRING': {
        open();
        const operand = this.expression();
        this.expect('FROM');
        const from = this.expression();
        const length = this.take('FOR') ? this.expression() : null;
        this.expect(')');
        return { node: 'substring', operand, from, length, ...this.span(start) };
      }
      case 'POSITION': {
        open();
        const part = this.concat();
        this.expect('IN');
        const whole = this.expression();
        this.expect(')');
        return { node: 'position', part, whole, ...this.span(start) };
      }
    }
    const name = word === 'CHARACTER_LENGTH' ? 'CHAR_LENGTH' : word === 'CEIL' ? 'CEILING' : word;
    const arity = CALLS[name];
    if (!arity) return null;
    open();
    const args = this.list1();
    if (args.length < arity[0] || args.length > arity[1]) {
      const wanted = arity[0] === arity[1] ? `${arity[0]}` : `${arity[0]} to ${arity[1]}`;
      failed(
        `${name} takes ${wanted} ${arity[1] === 1 ? 'value' : 'values'}, not ${args.length}.`,
        this.span(start),
      );
    }
    return { node: 'call', name, args, ...this.span(start) };
  }

  private trim(start: number): Node {
    const side = this.oneOf(['LEADING', 'TRAILING', 'BOTH'] as const);
    if (side && this.take('FROM')) {
      const operand = this.expression();
      this.expect(')');
      return { node: 'trim', side, chars: null, operand, ...this.span(start) };
    }
    const first = this.expression();
    if (this.take('FROM')) {
      const operand = this.expression();
      this.expect(')');
      return { node: 'trim', side: side ?? 'BOTH', chars: first, operand, ...this.span(start) };
    }
    this.expect(side ? 'FROM' : ')');
    return { node: 'trim', side: 'BOTH', chars: null, operand: first, ...this.span(start) };
  }

  private castTarget(): CastTarget {
    if (this.take('DATE')) return { to: 'date' };
    if (this.take('INTEGER')) return { to: 'number', scale: 0 };
    if (this.take('DECIMAL') || this.take('NUMERIC')) {
      let scale = 0;
      if (this.take('(')) {
        this.wholeLiteral(15);
        if (this.take(',')) scale = this.wholeLiteral(6);
        this.expect(')');
      }
      return { to: 'number', scale };
    }
    if (this.take('TEXT')) return { to: 'text' };
    if (this.take('VARCHAR') || this.take('CHARACTER') || this.take('CHAR')) {
      this.take('VARYING');
      if (this.take('(')) {
        this.wholeLiteral(100000);
        this.expect(')');
      }
      return { to: 'text' };
    }
    return this.unexpected('TEXT, INTEGER, DECIMAL(p, s) or DATE');
  }

  private wholeLiteral(most: number): number {
    const { type, text } = this.token;
    if (type !== 'number' || !/^\d+$/.test(text) || Number(text) > most)
      this.unexpected(`a whole number up to ${most}`);
    this.at++;
    return Number(text);
  }
}
