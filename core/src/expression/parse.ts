import type { AggregateName, CastTarget, Comparison, IntervalUnit, ItemId, Node, Step } from './ast';
import { failed, type Span } from './errors';
import { standardForm } from './foreign';
import { isDate } from '../values';
import { distance } from './distance';
import { tokens, type Token } from './tokens';

/** Words that stand for no field unless they are quoted. */
const RESERVED = new Set(
  (
    'AND OR NOT CASE WHEN THEN ELSE END BETWEEN IN LIKE ESCAPE IS NULL TRUE FALSE UNKNOWN DISTINCT ' +
    'FROM FOR AS FILTER WHERE'
  ).split(' '),
);

/** Words that stand for a field where nothing else is meant: {@link writtenName} quotes them all the same. */
const SPECIAL = new Set(
  (
    'CURRENT_DATE CURRENT_TIMESTAMP DATE TIME TIMESTAMP INTERVAL LEADING TRAILING BOTH ' +
    'YEAR MONTH DAY HOUR MINUTE SECOND TO TODAY NOW YESTERDAY TOMORROW'
  ).split(' '),
);

/** A name as it is typed in an expression: quoted only where it must be. */
export function writtenName(name: string): string {
  if (/^[\p{L}_#][\p{L}\p{N}_#]*$/u.test(name)) {
    const word = name.toUpperCase();
    if (!RESERVED.has(word) && !SPECIAL.has(word)) return name;
  }
  // In quotes a number sign leads to an id, and two of them to a name that begins with one.
  return `"${name.replace(/^#/, '##').replace(/"/g, '""')}"`;
}

/** In stored expressions a name is a number sign and the id of what it stands for, `~` before it for its rows. */
const ID = /^#(~?)([\w-]+)$/;

export const idName = ({ id, rows }: ItemId): string => `#${rows ? '~' : ''}${id}`;
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

const FUNCTIONS = [...Object.keys(CALLS), 'TRIM', 'SUBSTRING', 'POSITION', 'EXTRACT', 'CAST', ...AGGREGATES];

/** What is no function here, and how else it is done. */
const DIFFERENTLY: Readonly<Record<string, string>> = {
  DATEDIFF: 'a subtraction, such as due_back - hired_on',
  DATEADD: "an addition, such as hired_on + INTERVAL '14' DAY",
  REPLACE: 'POSITION, SUBSTRING and ||',
  POWER: 'a product, such as a * a',
};

/** Levels of nesting an expression may have, so that any engine's parser takes the SQL. */
const MOST_DEPTH = 24;

/** Operands of one chain up to which it is read strictly from the left; longer ones become a balanced tree. */
const SHORT_CHAIN = 16;

/** Factors and divisors in one chain: rounding makes their order count, so that they cannot be balanced. */
const MOST_FACTORS = 64;

/** Names, values and operators in one expression. */
const MOST_TOKENS = 20_000;

/**
 * Reads an expression of the language (the value expressions of ISO/IEC 9075-2, with paths).
 * Throws an ExpressionError that points at the first thing that does not fit and says what would.
 */
export function parse(source: string): Node {
  const list = tokens(source);
  if (list.length > MOST_TOKENS)
    failed('This expression is too long.', list[MOST_TOKENS]!, `at most ${MOST_TOKENS} names and values`);
  return new Parser(list, source).whole();
}

/**
 * A chain of one associative operator as a balanced tree, so that no later step has to go as deep as the
 * chain is long.
 */
function balanced(list: readonly Node[], join: (left: Node, right: Node) => Node): Node {
  if (list.length <= SHORT_CHAIN) return list.reduce(join);
  const middle = list.length >> 1;
  return join(balanced(list.slice(0, middle), join), balanced(list.slice(middle), join));
}

interface Term {
  readonly op: '+' | '-';
  readonly node: Node;
}

const sumOf = (op: '+' | '-', left: Node, right: Node): Node => ({
  node: 'arithmetic',
  op,
  left,
  right,
  start: left.start,
  end: right.end,
});

const turned = ({ op, node }: Term): Term => ({ op: op === '+' ? '-' : '+', node });

/** The same for + and -: the terms behind a minus are gathered with their signs turned. */
function balancedSum(first: Node, terms: readonly Term[]): Node {
  if (terms.length < SHORT_CHAIN)
    return terms.reduce<Node>((left, { op, node }) => sumOf(op, left, node), first);
  const middle = terms.length >> 1;
  const { op, node } = terms[middle]!;
  const rest = terms.slice(middle + 1);
  const right = balancedSum(node, op === '+' ? rest : rest.map(turned));
  return sumOf(op, balancedSum(first, terms.slice(0, middle)), right);
}

class Parser {
  private at = 0;
  private depth = 0;

  constructor(
    private readonly list: readonly Token[],
    private readonly source: string,
  ) {}

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

  private span(start: number): Span {
    return { start, end: this.previous.end };
  }

  private expression(): Node {
    return this.deeper(() => this.or());
  }

  private deeper<T>(work: () => T): T {
    if (++this.depth > MOST_DEPTH) failed('This expression is nested too deeply.', this.token);
    const result = work();
    this.depth--;
    return result;
  }

  private or(): Node {
    return this.chain('OR', 'or', () => this.and());
  }

  private and(): Node {
    return this.chain('AND', 'and', () => this.not());
  }

  private chain(symbol: string, node: 'or' | 'and' | 'concat', operand: () => Node): Node {
    const list = [operand()];
    while (this.take(symbol)) list.push(operand());
    return balanced(list, (left, right) => ({ node, left, right, start: left.start, end: right.end }));
  }

  private not(): Node {
    const { start } = this.token;
    if (!this.take('NOT')) return this.predicate();
    const operand = this.deeper(() => this.not());
    return { node: 'not', operand, ...this.span(start) };
  }

  private predicate(): Node {
    let left = this.concat();
    for (let count = 0; ; count++) {
      if (count > MOST_DEPTH)
        failed('Too many comparisons stand in one row.', this.token, 'AND or OR between them');
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
    return this.chain('||', 'concat', () => this.sum());
  }

  private sum(): Node {
    const first = this.product();
    const terms: Term[] = [];
    for (let op = this.oneOf(['+', '-'] as const); op; op = this.oneOf(['+', '-'] as const))
      terms.push({ op, node: this.product() });
    return balancedSum(first, terms);
  }

  private product(): Node {
    let left = this.sign();
    let count = 1;
    for (let op = this.oneOf(['*', '/'] as const); op; op = this.oneOf(['*', '/'] as const)) {
      if (++count > MOST_FACTORS)
        failed(`More than ${MOST_FACTORS} numbers are multiplied or divided in a row.`, this.token);
      const right = this.sign();
      left = { node: 'arithmetic', op, left, right, ...this.span(left.start) };
    }
    return left;
  }

  private sign(): Node {
    const { start } = this.token;
    while (this.take('+'));
    if (!this.take('-')) return this.primary();
    const operand = this.deeper(() => this.sign());
    return { node: 'negate', operand, ...this.span(start) };
  }

  private primary(): Node {
    const token = this.token;
    const { start, type, text } = token;
    if (type === 'number') this.bareDate();
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

  /** `2024-01-01` would be a subtraction, which nobody means. */
  private bareDate(): void {
    const [year] = /^\d{4}-\d\d-\d\d(?![\w.])/.exec(this.source.slice(this.token.start)) ?? [];
    if (year === undefined || !isDate(year)) return;
    const span = { start: this.token.start, end: this.token.start + year.length };
    failed('A date is written in quotes, with DATE before it.', span, `DATE '${year}'`, {
      ...span,
      text: `DATE '${year}'`,
    });
  }

  private path(): Node {
    const { start } = this.token;
    const steps: Step[] = [];
    do {
      const { type, text, start: from, end } = this.token;
      if (type !== 'name' && type !== 'word') this.unexpected('a field name');
      this.at++;
      const quoted = type === 'name';
      const [, rows, id] = (quoted && ID.exec(text)) || [];
      if (id !== undefined)
        steps.push({ name: text, id: { id, rows: rows === '~' }, quoted, start: from, end });
      else steps.push({ name: quoted ? text.replace(/^##/, '#') : text, quoted, start: from, end });
    } while (this.take('.'));
    if (this.is('(')) this.unknownCall(steps[0]!.name, start);
    return { node: 'path', steps, ...this.span(start) };
  }

  /** A call of a function that there is not, the token at hand being its opening parenthesis. */
  private unknownCall(name: string, start: number): never {
    const { args, end } = this.argumentsFrom(this.at);
    const form = standardForm(name, args);
    if (form !== null)
      failed(`${name.toUpperCase()} is written differently here.`, { start, end }, form, {
        start,
        end,
        text: form,
      });
    const word = name.toUpperCase();
    const [near] = FUNCTIONS.map((known) => ({ known, far: distance(known, word) }))
      .filter(({ known, far }) => far <= 2 || known.startsWith(word))
      .sort((a, b) => a.far - b.far);
    failed(
      `There is no function ${name}.`,
      this.span(start),
      near?.known ?? DIFFERENTLY[word] ?? 'a field name or an operator',
      near ? { ...this.span(start), text: near.known } : null,
    );
  }

  /** The source of each argument of the call whose opening parenthesis is the token at `open`. */
  private argumentsFrom(open: number): { readonly args: readonly string[]; readonly end: number } {
    const args: string[] = [];
    let depth = 0;
    let from = this.list[open]!.end;
    for (let i = open; ; i++) {
      const { type, text, start, end } = this.list[i]!;
      const symbol = type === 'symbol' ? text : '';
      if (symbol === '(') depth++;
      if (symbol === ')') depth--;
      const closes = depth === 0 || type === 'end';
      if (closes || (symbol === ',' && depth === 1)) {
        const arg = this.source.slice(from, start).trim();
        if (arg !== '' || !closes || args.length > 0) args.push(arg);
        from = end;
      }
      if (closes) return { args, end };
    }
  }

  private special(word: string, start: number): Node | null {
    const next = this.list[this.at + 1]!;
    if (next.type === 'text' && ['DATE', 'TIME', 'TIMESTAMP'].includes(word)) {
      this.at += 2;
      const node = word.toLowerCase() as 'date' | 'time' | 'timestamp';
      return { node, text: next.text, ...this.span(start) };
    }
    if (word === 'INTERVAL' && next.type === 'number') this.bareInterval(next, start);
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

  private bareInterval(amount: Token, start: number): void {
    const unit = this.list[this.at + 2]!;
    const name = UNITS.find((word) => [word, `${word}S`].includes(unit.text.toUpperCase()));
    if (unit.type !== 'word' || !name) return;
    const text = `INTERVAL '${amount.text}' ${name}`;
    const span = { start, end: unit.end };
    failed('The amount of an interval stands in quotes.', span, text, { ...span, text });
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
        const opening = this.at - 1;
        const operand = this.expression();
        if (this.is(',')) {
          const { args, end } = this.argumentsFrom(opening);
          const text = standardForm(word, args)!;
          failed('The parts of SUBSTRING are parted by words.', this.token, text, { start, end, text });
        }
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
    if (this.take('INTEGER')) return { to: 'number', digits: 15, scale: 0 };
    if (this.take('DECIMAL') || this.take('NUMERIC')) {
      const { start } = this.previous;
      let [digits, scale] = [15, 0];
      if (this.take('(')) {
        digits = this.wholeLiteral(1, 15);
        if (this.take(',')) scale = this.wholeLiteral(0, 6);
        this.expect(')');
      }
      if (scale > digits)
        failed(`${digits} digits cannot have ${scale} places.`, this.span(start), 'DECIMAL(digits, places)');
      return { to: 'number', digits, scale };
    }
    if (this.take('TEXT')) return { to: 'text', most: null };
    if (this.is('VARCHAR') || this.is('CHARACTER') || this.is('CHAR')) {
      const { start } = this.token;
      const fixed = !this.take('VARCHAR');
      if (fixed) {
        this.at++;
        if (!this.take('VARYING'))
          failed('A text of a fixed length is filled up with blanks.', this.span(start), 'VARCHAR(n)', {
            ...this.span(start),
            text: 'VARCHAR',
          });
      }
      let most: number | null = null;
      if (this.take('(')) {
        most = this.wholeLiteral(1, 100000);
        this.expect(')');
      }
      return { to: 'text', most };
    }
    return this.unexpected('TEXT, INTEGER, DECIMAL(p, s) or DATE');
  }

  private wholeLiteral(least: number, most: number): number {
    const { type, text } = this.token;
    if (type !== 'number' || !/^\d+$/.test(text) || Number(text) < least || Number(text) > most)
      this.unexpected(`a whole number from ${least} to ${most}`);
    this.at++;
    return Number(text);
  }
}
