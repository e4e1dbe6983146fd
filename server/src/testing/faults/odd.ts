/** A schema of an OpenAPI document, as far as requests are made from it. */
export interface Schema {
  readonly type?: string;
  readonly $ref?: string;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
  readonly allOf?: readonly Schema[];
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
  readonly items?: Schema | readonly Schema[];
  readonly prefixItems?: readonly Schema[];
  readonly additionalProperties?: Schema | boolean;
  readonly minItems?: number;
  readonly minimum?: number;
  readonly nullable?: boolean;
}

interface Operation {
  readonly parameters?: readonly { readonly name: string; readonly in: string }[];
  readonly requestBody?: { readonly content: Readonly<Record<string, { readonly schema?: Schema }>> };
}

export interface Document {
  readonly paths: Readonly<Record<string, Readonly<Record<string, Operation>>>>;
  readonly components?: { readonly schemas?: Readonly<Record<string, Schema>> };
}

export interface OddRequest {
  readonly method: string;
  readonly path: string;
  readonly body?: string | Buffer;
  readonly headers?: Readonly<Record<string, string>>;
}

/** What no field means to meet. */
const NASTY: readonly unknown[] = [
  null,
  true,
  0,
  -1,
  1e308,
  -0,
  9_007_199_254_740_991,
  0.1,
  '',
  ' ',
  '\u0000',
  '\ud800',
  '\u202e',
  'e\u0301'.repeat(50),
  '🦉'.repeat(200),
  "'; DROP TABLE hire; --",
  '"#f_hireNote"',
  '"#f_gone"',
  '%',
  '../../etc/passwd',
  '__proto__',
  'constructor',
  'x'.repeat(5000),
  '('.repeat(3000),
  'NOT '.repeat(2000),
  '2026-02-30',
  '9999-99-99',
  'NaN',
  [],
  {},
  [[[[[[]]]]]],
  { __proto__: null, constructor: { prototype: 1 } },
];

/** Names that stand in the file, and some that do not: what is odd is to come far. */
const NAMES = [
  't_hire',
  't_player',
  't_school',
  't_payment',
  'f_hireNote',
  'f_hirePlayer',
  'f_hireDueBack',
  'f_hireMonthlyFee',
  'f_playerSurname',
  'o_hireDesk',
  'o_stock',
  'q_new',
  'h_overview',
  'p_overdue',
  'f_gone',
];

/** Makes requests out of a document of an API, and out of what is known to make sense, and spoils them. */
export class Odd {
  constructor(
    private readonly document: Document,
    private readonly random: () => number,
    /** Bodies that make sense, by `METHOD /path/:param`. */
    private readonly sound: Readonly<Record<string, { readonly body?: unknown; readonly query?: string }>>,
    /** Parts of an address that are there. */
    private readonly params: Readonly<Record<string, string>>,
  ) {}

  /** The next request for an operation. */
  make(path: string, method: string): OddRequest {
    const operation = this.document.paths[path]![method]!;
    const known = this.sound[`${method.toUpperCase()} ${path.replace(/\{(\w+)\}/g, ':$1')}`];
    const schema = operation.requestBody?.content['application/json']?.schema;
    const address = path.replace(/\{(\w+)\}/g, (_, name: string) =>
      encodeURIComponent(this.maybe(0.1) ? this.text() : (this.params[name] ?? this.pick(NAMES))),
    );
    const query = this.query(operation, known?.query);
    const whole = { method: method.toUpperCase(), path: `${address}${query}` };
    if (!operation.requestBody) return whole;
    if (!schema || this.maybe(0.03)) return { ...whole, ...this.bytes() };
    const based =
      known?.body !== undefined && this.maybe(0.5) ? structuredClone(known.body) : this.from(schema, 0);
    let body: unknown = based;
    for (let times = this.below(3); times > 0; times--) body = this.spoiled(body);
    const text = JSON.stringify(body) ?? 'null';
    // Now and then what comes is no JSON any more.
    return { ...whole, body: this.maybe(0.05) ? this.torn(text) : text };
  }

  private query({ parameters = [] }: Operation, known: string | undefined): string {
    if (known !== undefined && this.maybe(0.5)) return `?${known}`;
    const asked = parameters.filter((one) => one.in === 'query' && this.maybe(0.8));
    if (asked.length === 0) return '';
    const values = asked.map(({ name }) => {
      const value =
        name === 'key' ? this.pick(['[1417]', '[1]', '["x"]', '[', '[1e999]', '[1,2]']) : this.text();
      return `${encodeURIComponent(name)}=${encodeURIComponent(value)}`;
    });
    return `?${values.join('&')}`;
  }

  /** A value that a schema allows, more or less. */
  private from(schema: Schema | undefined, depth: number): unknown {
    if (!schema || depth > 8) return null;
    if (schema.$ref !== undefined)
      return this.from(this.document.components?.schemas?.[schema.$ref.split('/').at(-1)!], depth + 1);
    if ('const' in schema) return schema.const;
    if (schema.enum) return this.pick(schema.enum);
    const ways = schema.anyOf ?? schema.oneOf;
    if (ways) return this.from(this.pick(ways), depth + 1);
    if (schema.allOf)
      return Object.assign({}, ...schema.allOf.map((part) => this.from(part, depth + 1))) as unknown;
    if (schema.prefixItems) return schema.prefixItems.map((item) => this.from(item, depth + 1));
    switch (schema.type) {
      case 'object':
        return Object.fromEntries(
          Object.entries(schema.properties ?? {})
            .filter(([name]) => schema.required?.includes(name) || this.maybe(0.5))
            .map(([name, inner]) => [name, this.from(inner, depth + 1)]),
        );
      case 'array':
        return Array.from({ length: Math.max(schema.minItems ?? 0, this.below(3)) }, () =>
          this.from(
            Array.isArray(schema.items) ? this.pick(schema.items as Schema[]) : (schema.items as Schema),
            depth + 1,
          ),
        );
      case 'boolean':
        return this.maybe(0.5);
      case 'integer':
      case 'number':
        return Math.max(schema.minimum ?? 0, this.below(20));
      case 'null':
        return null;
      default:
        return this.maybe(0.7) ? this.pick(NAMES) : this.text();
    }
  }

  /** The same with one place of it spoiled. */
  private spoiled(value: unknown): unknown {
    if (this.maybe(0.25) || typeof value !== 'object' || value === null) return this.pick(NASTY);
    if (Array.isArray(value)) {
      if (value.length === 0) return [this.pick(NASTY)];
      const at = this.below(value.length);
      if (this.maybe(0.15)) return Array.from({ length: 300 }, () => value[at] as unknown);
      return value.map((item: unknown, i) => (i === at ? this.spoiled(item) : item));
    }
    const names = Object.keys(value);
    if (names.length === 0 || this.maybe(0.1))
      return { ...value, [this.text().slice(0, 40)]: this.pick(NASTY) };
    const name = this.pick(names);
    const { [name]: inner, ...rest } = value as Record<string, unknown>;
    return this.maybe(0.15) ? rest : { ...rest, [name]: this.spoiled(inner) };
  }

  private torn(text: string): string {
    const at = this.below(Math.max(1, text.length));
    return this.maybe(0.5)
      ? text.slice(0, at)
      : `${text.slice(0, at)}${this.pick(['"', '\\', '}', '[', '1e999', '\u0000'])}${text.slice(at)}`;
  }

  private bytes(): Pick<OddRequest, 'body' | 'headers'> {
    const body = Buffer.from(Array.from({ length: this.below(3000) }, () => this.below(256)));
    const types = [
      'application/json',
      'application/octet-stream',
      'application/x-sheet',
      'application/vnd.sqlite3',
      'text/plain',
    ];
    return { body, headers: { 'content-type': this.pick(types) } };
  }

  private text(): string {
    const texts = NASTY.filter((one): one is string => typeof one === 'string' && one.length < 2000);
    // Half of a pair of letters cannot stand in an address.
    return (this.maybe(0.5) ? this.pick(NAMES) : this.pick(texts)).replace(/[\ud800-\udfff]/g, '');
  }

  private maybe(share: number): boolean {
    return this.random() < share;
  }

  private below(most: number): number {
    return Math.floor(this.random() * most);
  }

  private pick<T>(list: readonly T[]): T {
    return list[this.below(list.length)]!;
  }
}
