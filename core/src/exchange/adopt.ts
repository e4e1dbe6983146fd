import { attempt, bind, bindCondition, sqlName, sqlText, toSql, toStored } from '../expression';
import {
  catalogOf,
  emptyDesign,
  fieldOf,
  fits,
  nameFromLabel,
  pluralOf,
  singularOf,
  typeOf,
  uniqueName,
  type Design,
  type Field,
  type FieldType,
  type Kept,
  type Table,
  type TableLink,
} from '../design';

/** How many values of each sort a column of a foreign file holds, and what can be said of all of them. */
export interface ColumnFacts {
  readonly rows: number;
  readonly nulls: number;
  readonly integers: number;
  readonly reals: number;
  readonly texts: number;
  readonly blobs: number;
  /** Texts that are empty, that have more than one line, and the longest text's characters. */
  readonly emptyTexts: number;
  readonly lines: number;
  readonly longest: number;
  /** Texts that are real dates, dates with a time, times of day. */
  readonly dates: number;
  readonly instants: number;
  readonly times: number;
  /** Numbers that are 0 or 1; the most decimal places of a number (7 when more than 6); its largest size. */
  readonly zeroOrOne: number;
  readonly places: number;
  readonly largest: number;
}

export interface ForeignColumn {
  readonly name: string;
  /** As declared, such as `VARCHAR(40)`. */
  readonly type: string;
  readonly notNull: boolean;
  readonly default: string | null;
  /** The place in the primary key, from 1; 0 outside it. */
  readonly pk: number;
  readonly generated: boolean;
  readonly facts: ColumnFacts;
}

export interface ForeignTable {
  readonly name: string;
  readonly sql: string;
  readonly columns: readonly ForeignColumn[];
  readonly indexes: readonly {
    readonly name: string;
    readonly unique: boolean;
    /** `c` by CREATE INDEX, `u` by UNIQUE, `pk` by PRIMARY KEY. */
    readonly origin: string;
    readonly partial: boolean;
    /** Null for an expression. */
    readonly columns: readonly (string | null)[];
    readonly sql: string | null;
  }[];
  readonly foreignKeys: readonly {
    readonly to: string;
    readonly onDelete: string;
    readonly pairs: readonly (readonly [from: string, to: string | null])[];
  }[];
}

/** The schema of an SQLite file that Heathridge did not make. */
export interface ForeignSchema {
  readonly tables: readonly ForeignTable[];
  readonly views: readonly { readonly name: string; readonly sql: string }[];
  readonly triggers: readonly { readonly name: string; readonly table: string; readonly sql: string }[];
  /** Virtual tables and whatever else cannot be read as a table. */
  readonly others: readonly string[];
}

export interface Adoption {
  readonly design: Design;
  /** What was read otherwise than as it stood, or is kept as SQL, said for people. */
  readonly notes: readonly string[];
  /** For each table: the old table, and SQL over it (alias `o`) for each stored field, in order. */
  readonly copies: readonly {
    readonly table: string;
    readonly from: string;
    readonly values: readonly { readonly field: string; readonly sql: string; readonly blob: boolean }[];
  }[];
}

/** The conditions of all CHECKs in a CREATE TABLE statement, as they are written. */
export function checksIn(sql: string): string[] {
  const found: string[] = [];
  const skip = (i: number): number => {
    const char = sql[i]!;
    const close = char === '[' ? ']' : char;
    if ('\'"`['.includes(char)) {
      let end = i + 1;
      while (end < sql.length && !(sql[end] === close && sql[end + 1] !== close))
        end += sql[end] === close ? 2 : 1;
      return end + 1;
    }
    if (sql.startsWith('--', i)) return Math.max(sql.indexOf('\n', i), i) + 1 || sql.length;
    if (sql.startsWith('/*', i)) return sql.indexOf('*/', i) + 2;
    return i;
  };
  for (let i = 0; i < sql.length;) {
    const past = skip(i);
    if (past > i) {
      i = past;
      continue;
    }
    const start = /^check\s*\(/i.exec(sql.slice(i));
    if (!start || /[\w$]/.test(sql[i - 1] ?? '')) {
      i++;
      continue;
    }
    let [depth, end] = [1, i + start[0].length];
    const from = end;
    while (end < sql.length && depth > 0) {
      const beyond = skip(end);
      if (beyond > end) end = beyond;
      else {
        if (sql[end] === '(') depth++;
        if (sql[end] === ')') depth--;
        end++;
      }
    }
    found.push(sql.slice(from, end - 1).trim());
    i = end;
  }
  return found;
}

/** A label for people from a name of SQL: `due_back` → `Due back`, `DueBack` → `Due back`. */
function labelFrom(name: string): string {
  const words = name
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .replace(/[_\s]+/g, ' ')
    .trim()
    .toLowerCase();
  return (words.charAt(0).toUpperCase() + words.slice(1)).slice(0, 60) || name.slice(0, 60);
}

const declaredPlaces = (type: string): number | null => {
  const match = /(?:DECIMAL|NUMERIC)\s*\(\s*\d+\s*,\s*(\d+)\s*\)/i.exec(type);
  return match ? Math.min(Number(match[1]), 6) : null;
};

const MOST = 999_999_999_999_999;

/** The kind that holds all values of a column without loss. */
export function kindFor({ type, facts }: Pick<ForeignColumn, 'type' | 'facts'>): FieldType {
  const { rows, nulls, integers, reals, texts, blobs } = facts;
  const filled = rows - nulls;
  const text = (): FieldType =>
    facts.lines > 0 || facts.longest > 500 ? { kind: 'longText' } : { kind: 'text', most: null };
  if (blobs > 0 || (filled === 0 && /BLOB/i.test(type)))
    return blobs === filled || filled === 0 ? { kind: 'file' } : text();
  if (filled === 0) {
    if (/BOOL/i.test(type)) return { kind: 'tick' };
    if (/DATETIME|TIMESTAMP/i.test(type)) return { kind: 'dateTime' };
    if (/DATE/i.test(type)) return { kind: 'date' };
    if (/TIME/i.test(type)) return { kind: 'time' };
    if (/INT/i.test(type)) return { kind: 'wholeNumber' };
    const places = declaredPlaces(type);
    if (places !== null) return { kind: 'decimal', places };
    return /REAL|FLOA|DOUB|NUM|DEC/i.test(type) ? { kind: 'decimal', places: 2 } : text();
  }
  if (texts === filled) {
    const whole = facts.emptyTexts === 0;
    if (whole && facts.dates === filled) return { kind: 'date' };
    if (whole && facts.instants === filled) return { kind: 'dateTime' };
    if (whole && facts.times === filled) return { kind: 'time' };
    return text();
  }
  if (integers + reals === filled && facts.largest <= MOST) {
    if (/BOOL/i.test(type) && facts.zeroOrOne === filled && nulls === 0) return { kind: 'tick' };
    const places = Math.max(facts.places, declaredPlaces(type) ?? 0);
    if (reals === 0 && places === 0) return { kind: 'wholeNumber' };
    if (facts.places <= 6 && facts.largest * 10 ** places <= MOST)
      return places === 0 ? { kind: 'wholeNumber' } : { kind: 'decimal', places };
  }
  return text();
}

/** SQL that reads a value of the old column as the field keeps it. */
function valueSql(column: string, type: FieldType, texts: boolean): string {
  const own = `o.${sqlName(column)}`;
  switch (type.kind) {
    case 'decimal':
      return `CAST(round(${own} * 1${'0'.repeat(type.places)}) AS INTEGER)`;
    case 'wholeNumber':
    case 'runningNumber':
    case 'tick':
      return `CAST(${own} AS INTEGER)`;
    case 'dateTime':
      return `strftime('%Y-%m-%dT%H:%M:%SZ', ${own})`;
    case 'time':
      return `time(${own})`;
    case 'text':
    case 'longText':
    case 'choice':
      return texts ? `nullif(${own}, '')` : `nullif(CAST(${own} AS TEXT), '')`;
    default:
      return own;
  }
}

/** The id of a table or field: made from its name, so that a file adopted twice is the same. */
const idFrom = (prefix: string, name: string, taken: Set<string>): string => {
  const base = `${prefix}_${
    name
      .normalize('NFD')
      .replace(/[^A-Za-z0-9]/g, '')
      .slice(0, 20) || 'x'
  }`;
  let id = base;
  for (let n = 2; taken.has(id); n++) id = `${base}${n}`;
  taken.add(id);
  return id;
};

/**
 * Reads a foreign schema as a design: kinds by what the columns hold, keys, links, what is always filled
 * and has no two alike, CHECKs as choices and rules where they can be read. What has no definition is kept
 * as SQL, and whatever is taken otherwise than it stood is named.
 */
export function adopt(schema: ForeignSchema): Adoption {
  return new Adopter(schema).adopt();
}

class Adopter {
  private readonly notes: string[] = [];
  private readonly kept: Kept[] = [];
  private readonly ids = new Set<string>();
  private readonly tableIds = new Map<string, string>();
  private readonly fieldIds = new Map<string, string>();
  private readonly copies: Adoption['copies'][number][] = [];

  constructor(private readonly schema: ForeignSchema) {}

  adopt(): Adoption {
    const { tables, views, triggers, others } = this.schema;
    const names: string[] = [];
    for (const table of tables) {
      this.tableIds.set(table.name.toLowerCase(), idFrom('t', table.name, this.ids));
      for (const column of table.columns)
        this.fieldIds.set(
          this.path(table.name, column.name),
          idFrom('f', `${table.name}${column.name}`, this.ids),
        );
    }
    const made = tables.map((table) => {
      const name = uniqueName(this.usable(table.name, 'table'), names);
      names.push(name);
      return this.table(table, name);
    });
    let design: Design = { ...emptyDesign(), tables: made };
    design = {
      ...design,
      tables: tables.map((table, i) => this.withChecks(design, table, design.tables[i]!)),
    };
    design = { ...design, tables: tables.map((table, i) => this.withIndexes(table, design.tables[i]!)) };
    this.objects(design, views, triggers);
    for (const other of others)
      this.notes.push(`${other} is no plain table and stays behind in the safe copy of the file as it was.`);
    return { design: { ...design, kept: this.kept }, notes: this.notes, copies: this.copies };
  }

  private path(table: string, column: string): string {
    return `${table.toLowerCase()}\n${column.toLowerCase()}`;
  }

  /** The name itself where it may stand; one made from it otherwise, which is noted. */
  private usable(name: string, fallback: string): string {
    const short = name.trim();
    if (
      short === name &&
      short.length <= 60 &&
      short !== '' &&
      !/^(hr_|sqlite_)/i.test(short) &&
      !/\p{Cc}/u.test(short)
    )
      return name;
    const made = nameFromLabel(short, fallback);
    this.notes.push(`“${name}” is called “${made}” now: names have at most 60 characters and no odd ones.`);
    return made;
  }

  private table(foreign: ForeignTable, name: string): Table {
    const id = this.tableIds.get(foreign.name.toLowerCase())!;
    const pk = foreign.columns.filter((column) => column.pk > 0).sort((a, b) => a.pk - b.pk);
    const links: TableLink[] = [];
    const lookups = this.lookups(foreign, links);
    const fieldNames: string[] = [];
    const values: Adoption['copies'][number]['values'][number][] = [];
    const fields = foreign.columns.map((column): Field => {
      const fieldId = this.fieldIds.get(this.path(foreign.name, column.name))!;
      const own = uniqueName(this.usable(column.name, 'field'), fieldNames);
      fieldNames.push(own);
      const type = this.type(foreign, column, pk, lookups.get(column.name.toLowerCase()));
      const { facts } = column;
      const texts = facts.texts === facts.rows - facts.nulls;
      values.push({
        field: fieldId,
        sql: type.kind === 'lookup' ? this.keySql(foreign, column) : valueSql(column.name, type, texts),
        blob: type.kind === 'file',
      });
      const isText = type.kind === 'text' || type.kind === 'longText';
      const empties = isText && facts.emptyTexts > 0;
      if (empties)
        this.notes.push(
          `${foreign.name}.${column.name}: ${facts.emptyTexts} texts without any letter are empty now${column.notNull ? ', so it is no longer always filled' : ''}.`,
        );
      if (isText && facts.integers + facts.reals + facts.blobs > 0 && facts.texts > 0)
        this.notes.push(`${foreign.name}.${column.name} holds texts and numbers: all are texts now.`);
      if (isText && facts.texts === 0 && facts.reals > 0)
        this.notes.push(
          `${foreign.name}.${column.name} holds numbers of more than 6 decimal places: they are kept as texts.`,
        );
      if (column.generated)
        this.notes.push(
          `${foreign.name}.${column.name} was worked out by the file: it keeps the values it has.`,
        );
      const single = foreign.indexes.filter(
        ({ columns }) => columns.length === 1 && columns[0]?.toLowerCase() === column.name.toLowerCase(),
      );
      return {
        id: fieldId,
        name: own,
        label: labelFrom(column.name),
        type,
        alwaysFilled: column.notNull && column.pk === 0 && !empties && type.kind !== 'tick',
        noTwoAlike:
          single.some(({ unique, partial, origin }) => unique && !partial && origin !== 'pk') &&
          !(pk.length === 1 && column.pk === 1) &&
          type.kind !== 'file',
        indexed:
          type.kind !== 'lookup' &&
          single.some(({ unique, partial, origin }) => !unique && !partial && origin === 'c'),
        start: this.start(foreign, column, type),
        rule: null,
      };
    });
    const key = pk.map((column) => this.fieldIds.get(this.path(foreign.name, column.name))!);
    const all = [...fields];
    if (key.length === 0) {
      const number: Field = {
        id: idFrom('f', `${foreign.name}Number`, this.ids),
        name: uniqueName('number', fieldNames),
        label: 'Number',
        type: { kind: 'runningNumber', prefix: '', width: 0, first: 1 },
        alwaysFilled: false,
        noTwoAlike: false,
        indexed: false,
        start: null,
        rule: null,
      };
      all.unshift(number);
      key.push(number.id);
      values.unshift({ field: number.id, sql: 'row_number() OVER ()', blob: false });
      this.notes.push(`${foreign.name} had no key: its rows are numbered now.`);
    }
    this.copies.push({ table: id, from: foreign.name, values });
    const label = singularOf(labelFrom(foreign.name));
    const plural = pluralOf(label);
    return {
      type: 'table',
      id,
      name,
      label,
      plural,
      fields: all,
      key,
      display: null,
      rules: [],
      links,
      noTwoAlike: [],
      order: [],
    };
  }

  private type(
    foreign: ForeignTable,
    column: ForeignColumn,
    pk: readonly ForeignColumn[],
    lookup: FieldType | undefined,
  ): FieldType {
    if (lookup) return lookup;
    const kind = kindFor(column);
    if (
      pk.length === 1 &&
      column.pk === 1 &&
      kind.kind === 'wholeNumber' &&
      /^INTEGER$/i.test(column.type.trim())
    )
      return { kind: 'runningNumber', prefix: '', width: 0, first: 1 };
    // A key is compared and pointed to: a text is what can be anything.
    if (column.pk > 0 && ['tick', 'file', 'longText'].includes(kind.kind))
      return kind.kind === 'tick' ? { kind: 'wholeNumber' } : { kind: 'text', most: null };
    if (kind.kind === 'tick' && !column.notNull && column.facts.nulls > 0) return { kind: 'wholeNumber' };
    return kind;
  }

  /** The key a lookup holds, read the way the other table's key is read. */
  private keySql(foreign: ForeignTable, column: ForeignColumn): string {
    const key = foreign.foreignKeys.find(
      ({ pairs }) => pairs.length === 1 && pairs[0]![0].toLowerCase() === column.name.toLowerCase(),
    )!;
    const target = this.schema.tables.find(({ name }) => name.toLowerCase() === key.to.toLowerCase())!;
    const other = target.columns.find(({ pk }) => pk === 1)!;
    const type = kindFor(other);
    return valueSql(
      column.name,
      type.kind === 'tick' ? { kind: 'wholeNumber' } : type,
      other.facts.texts > 0,
    );
  }

  private lookups(foreign: ForeignTable, links: TableLink[]): Map<string, FieldType> {
    const found = new Map<string, FieldType>();
    for (const { to, onDelete, pairs } of foreign.foreignKeys) {
      const target = this.schema.tables.find(({ name }) => name.toLowerCase() === to.toLowerCase());
      const keys = target?.columns.filter(({ pk }) => pk > 0).sort((a, b) => a.pk - b.pk) ?? [];
      const action = ({ CASCADE: 'deleteAlong', 'SET NULL': 'leaveEmpty' } as const)[onDelete] ?? 'refuse';
      const others = pairs.map(([, other], i) => (other ?? keys[i]?.name ?? '').toLowerCase());
      const whole =
        target &&
        keys.length === pairs.length &&
        keys.every(({ name }) => others.includes(name.toLowerCase()));
      const name = pairs.map(([from]) => from).join(', ');
      if (!target || !whole) {
        this.notes.push(
          `The link of ${foreign.name} (${name}) to ${to} does not lead to the key there and is not taken over.`,
        );
        continue;
      }
      const owns = pairs.map(([from]) =>
        foreign.columns.find((column) => column.name.toLowerCase() === from.toLowerCase()),
      );
      const must = owns.some((column) => column === undefined || column.notNull || column.pk > 0);
      const kept = must && action === 'leaveEmpty' ? 'refuse' : action;
      if (onDelete === 'SET DEFAULT')
        this.notes.push(`${foreign.name} (${name}): “set default” on delete is “refuse” now.`);
      const tableId = this.tableIds.get(target.name.toLowerCase())!;
      if (pairs.length === 1)
        found.set(pairs[0]![0].toLowerCase(), {
          kind: 'lookup',
          table: tableId,
          shows: null,
          onDelete: kept,
        });
      else
        links.push({
          id: idFrom('l', `${foreign.name}${to}`, this.ids),
          name: uniqueName(nameFromLabel(to, 'link'), [
            ...foreign.columns.map((column) => column.name),
            ...links.map((link) => link.name),
          ]),
          label: labelFrom(to),
          table: tableId,
          on: pairs.map(([from], i) => ({
            own: this.fieldIds.get(this.path(foreign.name, from))!,
            other: this.fieldIds.get(this.path(target.name, others[i]!))!,
          })),
          onDelete: kept,
        });
    }
    return found;
  }

  private start(foreign: ForeignTable, column: ForeignColumn, type: FieldType): string | null {
    if (column.default === null || column.pk > 0 || /^null$/i.test(column.default)) return null;
    if (type.kind === 'file' || type.kind === 'lookup') return null;
    const written = column.default.replace(/^\((.*)\)$/s, '$1').trim();
    const source = type.kind === 'tick' ? ({ '0': 'FALSE', '1': 'TRUE' }[written] ?? written) : written;
    const design = emptyDesign();
    const bound = attempt(() => bind(source, { catalog: catalogOf(design), table: null }).bound.type);
    if (bound.ok && fits(bound.value, typeOf(design, type))) return source;
    this.notes.push(
      `${foreign.name}.${column.name}: the starting value ${column.default} is not taken over.`,
    );
    return null;
  }

  /** CHECKs as choices, as rules, or kept as they are. */
  private withChecks(design: Design, foreign: ForeignTable, table: Table): Table {
    return checksIn(foreign.sql).reduce((current, check, i) => {
      const here = {
        ...design,
        tables: design.tables.map((other) => (other.id === current.id ? current : other)),
      };
      return (
        this.asChoice(current, foreign, check) ??
        this.asRule(here, current, check, i) ??
        this.asKept(current, check, i)
      );
    }, table);
  }

  private asChoice(table: Table, foreign: ForeignTable, check: string): Table | null {
    const match = /^["`[]?([\w ]+?)["`\]]?\s+IN\s*\(\s*((?:'(?:[^']|'')*'\s*,?\s*)+)\)$/i.exec(check);
    if (!match) return null;
    const id = this.fieldIds.get(this.path(foreign.name, match[1]!));
    const field = id ? fieldOf(table, id) : undefined;
    const choices = [...match[2]!.matchAll(/'((?:[^']|'')*)'/g)].map(([, text]) => text!.replace(/''/g, "'"));
    if (field?.type.kind !== 'text' || choices.some((choice) => choice.trim() !== choice || choice === ''))
      return null;
    const type: FieldType = { kind: 'choice', choices: [...new Set(choices)] };
    return {
      ...table,
      fields: table.fields.map((other) => (other.id === field.id ? { ...other, type } : other)),
    };
  }

  private asRule(design: Design, table: Table, check: string, number: number): Table | null {
    const catalog = catalogOf(design);
    const rule = attempt(() => {
      const { bound } = bindCondition(check, { catalog, table: table.id });
      toSql(bound, { catalog, row: null });
      return toStored(check, catalog, table.id);
    });
    if (!rule.ok) return null;
    const id = idFrom('r', `${table.name}${number + 1}`, this.ids);
    const message = `${table.label}: ${check.replace(/[{}]/g, '$&$&').replace(/\s+/g, ' ').slice(0, 200)} must hold.`;
    return { ...table, rules: [...table.rules, { id, expression: rule.value, message }] };
  }

  private asKept(table: Table, check: string, number: number): Table {
    if (this.touchesScaled(check, [table])) {
      this.notes.push(`The check (${check}) of ${table.label} cannot be read and is not taken over.`);
      return table;
    }
    const id = idFrom('k', `${table.name}check${number + 1}`, this.ids);
    this.kept.push({
      type: 'kept',
      id,
      table: table.id,
      what: 'check',
      name: `check of ${table.label}`,
      sql: check,
    });
    this.notes.push(`The check (${check}) of ${table.label} cannot be read as a rule: it is kept as it is.`);
    return table;
  }

  /** Decimals are kept as whole units, which SQL of others knows nothing of. */
  private touchesScaled(sql: string, tables: readonly Table[]): boolean {
    return tables.some(({ fields }) =>
      fields.some(
        ({ name, type }) =>
          type.kind === 'decimal' && new RegExp(`\\b${name.replace(/[^\w]/g, '.')}\\b`, 'i').test(sql),
      ),
    );
  }

  /** UNIQUE over several columns is said of the table; other indexes over several are made anew. */
  private withIndexes(foreign: ForeignTable, table: Table): Table {
    const noTwoAlike: string[][] = [];
    for (const { name, unique, columns, partial, origin, sql } of foreign.indexes) {
      if (origin === 'pk' || (columns.length === 1 && columns[0] !== null && !partial)) continue;
      const fields = columns.map((column) => {
        const fieldId = column === null ? undefined : this.fieldIds.get(this.path(foreign.name, column));
        return fieldId ? fieldOf(table, fieldId) : undefined;
      });
      if (partial || fields.includes(undefined)) {
        this.notes.push(
          `The index ${name} of ${foreign.name} looks at expressions or at some rows only and is not taken over${sql ? `: ${sql}` : ''}.`,
        );
        continue;
      }
      if (unique && fields.every((field) => field!.type.kind !== 'file')) {
        const ids = fields.map((field) => field!.id);
        if (!noTwoAlike.some((other) => [...other].sort().join() === [...ids].sort().join()))
          noTwoAlike.push(ids);
        continue;
      }
      const id = idFrom('k', name, this.ids);
      const list = fields.map((field) => sqlName(field!.name)).join(', ');
      this.kept.push({
        type: 'kept',
        id,
        table: table.id,
        what: 'index',
        name,
        sql: `CREATE ${unique ? 'UNIQUE ' : ''}INDEX ${sqlName(`kept ${id}`)} ON ${sqlName(table.name)} (${list})`,
      });
      this.notes.push(
        `${unique ? 'No two rows of' : 'The order of'} ${foreign.name} ${unique ? 'alike' : ''} in ${columns.join(', ')}: kept as an index.`.replace(
          '  ',
          ' ',
        ),
      );
    }
    return { ...table, noTwoAlike };
  }

  private objects(design: Design, views: ForeignSchema['views'], triggers: ForeignSchema['triggers']): void {
    const mentioned = (sql: string): Table[] =>
      design.tables.filter((_, i) =>
        new RegExp(`\\b${this.schema.tables[i]!.name.replace(/[^\w]/g, '.')}\\b`, 'i').test(sql),
      );
    const keep = (what: 'view' | 'trigger', name: string, sql: string, table: string | null): void => {
      if (this.touchesScaled(sql, mentioned(sql))) {
        this.notes.push(
          `The ${what} ${name} works with decimals, which are kept as whole units now: it is not taken over.`,
        );
        return;
      }
      this.kept.push({ type: 'kept', id: idFrom('k', name, this.ids), table, what, name, sql });
      this.notes.push(`The ${what} ${name} is kept as it is.`);
    };
    for (const { name, sql } of views) keep('view', name, sql, null);
    for (const { name, sql, table } of triggers)
      keep('trigger', name, sql, this.tableIds.get(table.toLowerCase()) ?? null);
  }
}

/** SQL for {@link ColumnFacts} of a column of the table `o`, one value after another in their order. */
export function factsSql(column: string): string {
  const c = `o.${sqlName(column)}`;
  const count = (condition: string): string => `coalesce(sum(${condition}), 0)`;
  const number = `typeof(${c}) IN ('integer', 'real')`;
  const isText = `typeof(${c}) = 'text'`;
  // The shortest decimal that reads back as the same number has at most 15 digits where it is exact.
  const places = [0, 1, 2, 3, 4, 5, 6].map(
    (n) => `WHEN CAST(printf('%.${n}f', ${c}) AS REAL) = CAST(${c} AS REAL) THEN ${n}`,
  );
  return [
    'count(*)',
    count(`${c} IS NULL`),
    count(`typeof(${c}) = 'integer'`),
    count(`typeof(${c}) = 'real'`),
    count(isText),
    count(`typeof(${c}) = 'blob'`),
    count(`${isText} AND ${c} = ''`),
    count(`${isText} AND instr(${c}, char(10)) > 0`),
    `coalesce(max(CASE WHEN ${isText} THEN length(${c}) END), 0)`,
    count(`${isText} AND length(${c}) = 10 AND date(${c}, '+0 days') = ${c}`),
    count(
      `${isText} AND length(${c}) >= 16 AND substr(${c}, 5, 1) = '-' AND datetime(${c}) IS NOT NULL AND ${c} NOT GLOB ${sqlText('*.*')}`,
    ),
    count(`${isText} AND length(${c}) IN (5, 8) AND substr(${c}, 3, 1) = ':' AND time(${c}) IS NOT NULL`),
    count(`${number} AND ${c} IN (0, 1)`),
    `coalesce(max(CASE WHEN typeof(${c}) = 'real' THEN CASE ${places.join(' ')} ELSE 7 END END), 0)`,
    `coalesce(max(CASE WHEN ${number} THEN abs(CAST(${c} AS REAL)) END), 0)`,
  ].join(', ');
}

/** The answers to {@link factsSql}, in their order. */
export function factsFrom(values: readonly number[]): ColumnFacts {
  const names = [
    'rows',
    'nulls',
    'integers',
    'reals',
    'texts',
    'blobs',
    'emptyTexts',
    'lines',
    'longest',
    'dates',
    'instants',
    'times',
    'zeroOrOne',
    'places',
    'largest',
  ] as const;
  return Object.fromEntries(names.map((name, i) => [name, values[i] ?? 0])) as unknown as ColumnFacts;
}
