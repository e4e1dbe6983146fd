import * as v from 'valibot';
import {
  attempt,
  bind,
  bindCondition,
  making,
  some,
  sqlName,
  toSql,
  toStored,
  type Bound,
} from '../expression';
import {
  catalogOf,
  emptyDesign,
  fieldOf,
  fits,
  isChoiceText,
  Kept,
  nameFromLabel,
  Table as TableSchema,
  typeOf,
  uniqueName,
  type Design,
  type Field,
  type FieldType,
  type Table,
  type TableLink,
} from '../design';
import { validateDesign } from '../documents';
import { pluralOf, singularOf } from '../plan';
import { checksIn, clausesIn, indexWords, namesIn, selectsAll } from './create-table';
import type { ForeignColumn, ForeignSchema, ForeignTable } from './foreign';
import { canRead, howFor, kindOf, readingFor, type How, type Reading } from './readings';

/** An error of the file that is to be adopted, said for people. */
export class AdoptError extends Error {}

/** Something that is otherwise now than it stood in the file, with SQL for the rows of which it is so. */
export interface AdoptNote {
  readonly text: string;
  readonly rows?: {
    /** The name of the foreign table. */
    readonly table: string;
    /** SQL over its rows, as `o`. */
    readonly where: string;
  };
}

/** The column with the numbers of rows that have none of use. */
export const ROW = '~row';

/** Rows that can be numbered by the numbers they have. */
const MOST_ROWS = 1e14;

/** How the rows of a table are copied, and compared afterwards. */
export interface AdoptCopy {
  readonly table: string;
  readonly from: string;
  /**
   * Whether rows must be numbered first, in {@link ROW}: the foreign table has no numbers for them that can be
   * used.
   */
  readonly numbered: boolean;
  /** The column with the number of a row, as SQL; null where there is none. */
  readonly row: string | null;
  /** For each stored field, in order. */
  readonly values: readonly (Pick<Reading, 'sql' | 'same' | 'blob'> & {
    readonly field: string;
    /** The column it is read from; null for a number that is new. */
    readonly column: string | null;
  })[];
  /** SQL that is true for the old row `o` and the new row `n` that was made of it. */
  readonly sameRow: string;
}

export interface Adoption {
  readonly design: Design;
  /** What was read otherwise than as it stood, or is kept as SQL. */
  readonly notes: readonly AdoptNote[];
  readonly copies: readonly AdoptCopy[];
  /** For each rule and each check that is kept, by its id: the table, and the condition as the file has it. */
  readonly checks: ReadonlyMap<string, { readonly table: string; readonly check: string }>;
}

/**
 * What the rows have turned out not to keep, though the file asks it of them or its first rows look so: what
 * is asked here is then less, and that is said. Names are in lower case.
 */
export interface Relaxed {
  /** Tables whose keys cannot be keys here. */
  readonly unkeyed: Set<string>;
  /** `table\ncolumn, column`: what has doubles after all. */
  readonly doubled: Set<string>;
  /** `table\ncolumn`: what is empty somewhere. */
  readonly empty: Set<string>;
  /** `table\ncolumn, column`: links that lead nowhere in some rows. */
  readonly unlinked: Set<string>;
  /** Ids of rules and kept checks that rows break. */
  readonly broken: Set<string>;
  /** Tables none of whose kept checks can be made. */
  readonly unchecked: Set<string>;
}

export const nothingRelaxed = (): Relaxed => ({
  unkeyed: new Set(),
  doubled: new Set(),
  empty: new Set(),
  unlinked: new Set(),
  broken: new Set(),
  unchecked: new Set(),
});

/** The key by which {@link Relaxed} names columns of a table. */
export const columnsKey = (table: string, columns: readonly string[]): string =>
  `${table}\n${columns.join(', ')}`.toLowerCase();

/** A label for people from a name of SQL: `due_back` → `Due back`, `DueBack` → `Due back`. */
function labelFrom(name: string, taken: readonly string[] = []): string {
  const words = name
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .replace(/[_\s\p{Cc}]+/gu, ' ')
    .trim()
    .toLowerCase();
  const label = (words.charAt(0).toUpperCase() + words.slice(1)).slice(0, 54).trim() || 'Unnamed';
  const used = new Set(taken.map((other) => other.toLowerCase()));
  if (!used.has(label.toLowerCase())) return label;
  for (let n = 2; ; n++) if (!used.has(`${label} ${n}`.toLowerCase())) return `${label} ${n}`;
}

/** The id of a table or field: made from its name, so that a file adopted twice is the same. */
const idFrom = (prefix: string, name: string, taken: Set<string>): string => {
  const base = `${prefix}_${
    name
      .normalize('NFD')
      .replace(/[^A-Za-z0-9]/g, '')
      .slice(0, 18) || 'x'
  }`;
  let id = base;
  for (let n = 2; taken.has(id); n++) id = `${base}${n}`;
  taken.add(id);
  return id;
};

/** What a table may have at most, see its schema. */
const MOST_FIELDS = 300;
const MOST_RULES = 100;
const MOST_LINKS = 50;
const MOST_ALIKE = 100;

/**
 * Reads a foreign schema as a design: kinds by what the columns hold, keys, links, what is always filled
 * and has no two alike, CHECKs as choices and rules where they mean the same here. What has no definition is
 * kept as SQL, and whatever is taken otherwise than it stood is named. Throws an AdoptError for what cannot be
 * taken at all.
 */
export function adopt(schema: ForeignSchema, relaxed: Relaxed = nothingRelaxed()): Adoption {
  return new Adopter(schema, relaxed).adopt();
}

/** How a link of the foreign file is taken. */
interface Taken {
  readonly foreign: ForeignTable['foreignKeys'][number];
  readonly target: ForeignTable;
  readonly onDelete: 'refuse' | 'deleteAlong' | 'leaveEmpty';
}

class Adopter {
  private readonly notes: AdoptNote[] = [];
  private readonly kept: Design['kept'][number][] = [];
  private readonly ids = new Set<string>();
  private readonly tableIds = new Map<string, string>();
  private readonly fieldIds = new Map<string, string>();
  private readonly columnNames = new Map<string, string>();
  private readonly copies: AdoptCopy[] = [];
  private readonly checks = new Map<string, { table: string; check: string }>();
  private readonly hows = new Map<string, How>();
  private readonly links = new Map<string, readonly Taken[]>();
  /** Columns that stand as they stood, under their own names. */
  private readonly faithful = new Set<string>();
  /** Tables that have their name, and compare their texts as they did. */
  private readonly named = new Set<string>();
  /** Of these, the ones that a statement of others finds just as they were. */
  private readonly whole = new Set<string>();

  constructor(
    private readonly schema: ForeignSchema,
    private readonly relaxed: Relaxed,
  ) {}

  adopt(): Adoption {
    const { tables, views, triggers, others, application } = this.schema;
    const names: string[] = [];
    const readable = new Set(tables.map(({ name }) => `${name}_readable`.toLowerCase()));
    const tableNames = tables.map((table) => {
      // Each table has a view beside it that is called so.
      const free = readable.has(table.name.toLowerCase()) ? `${table.name}_table` : table.name;
      if (free !== table.name)
        this.note(
          `${table.name} is called ${free} now: its name is that of the readable view of another table.`,
        );
      const name = uniqueName(this.usable(free, 'table'), [...names, ...readable]);
      names.push(name);
      this.tableIds.set(table.name.toLowerCase(), idFrom('t', table.name, this.ids));
      this.nameColumns(table);
      return name;
    });
    for (const table of tables)
      for (const column of table.columns)
        this.hows.set(this.path(table.name, column.name), this.howOf(table, column));
    for (const table of tables) this.links.set(table.name.toLowerCase(), this.linksOf(table));
    this.breakCircles();
    const labels: string[] = [];
    let design: Design = {
      ...emptyDesign(),
      tables: tables.map((table, i) => {
        const made = this.table(table, tableNames[i]!, labels);
        labels.push(made.label);
        return made;
      }),
    };
    design = {
      ...design,
      tables: tables.map((table, i) => this.withStarts(design, table, design.tables[i]!)),
    };
    design = {
      ...design,
      tables: tables.map((table, i) => this.withChecks(design, table, design.tables[i]!)),
    };
    design = { ...design, tables: tables.map((table, i) => this.withIndexes(table, design.tables[i]!)) };
    this.objects(views, triggers);
    for (const other of others)
      this.note(`${other} is no plain table and stays behind in the file as it came.`);
    if (application !== 0)
      this.note(
        `The file said of itself what it is for (application_id ${application}); now it says that it is Heathridge’s.`,
      );
    design = { ...design, kept: this.kept };
    this.assertFit(design);
    return { design, notes: this.notes, copies: this.copies, checks: this.checks };
  }

  private note(text: string, table?: ForeignTable, where?: string): void {
    this.notes.push(table && where !== undefined ? { text, rows: { table: table.name, where } } : { text });
  }

  private path(table: string, column: string): string {
    return columnsKey(table, [column]);
  }

  private target(name: string): ForeignTable | undefined {
    return this.schema.tables.find((table) => table.name.toLowerCase() === name.toLowerCase());
  }

  /** The name itself where it may stand; one made from it otherwise, which is noted. */
  private usable(name: string, fallback: string): string {
    const short = name.trim();
    if (
      short === name &&
      short.length <= 60 &&
      short !== '' &&
      !/^(hr_|sqlite_|~)/i.test(short) &&
      !/\p{Cc}/u.test(short)
    )
      return name;
    const made = nameFromLabel(short, fallback);
    this.note(
      `“${name}” is called “${made}” now: names have at most 60 characters and no odd ones, and do not begin like our own.`,
    );
    return made;
  }

  private nameColumns(table: ForeignTable): void {
    const names: string[] = [];
    for (const column of table.columns) {
      const path = this.path(table.name, column.name);
      this.fieldIds.set(path, idFrom('f', `${table.name}${column.name}`, this.ids));
      const name = uniqueName(this.usable(column.name, 'field'), names);
      names.push(name);
      this.columnNames.set(path, name);
    }
  }

  private keyOf(table: ForeignTable): ForeignColumn[] {
    return table.columns.filter(({ pk }) => pk > 0).sort((a, b) => a.pk - b.pk);
  }

  /** Whether the primary key of a table can tell its rows apart here. */
  private hasKey(table: ForeignTable): boolean {
    const key = this.keyOf(table);
    return (
      key.length > 0 &&
      !this.relaxed.unkeyed.has(table.name.toLowerCase()) &&
      key.every(({ facts: { rows, nulls, emptyTexts, texts, integers, reals, blobs } }) => {
        const filled = rows - nulls;
        return nulls === 0 && emptyTexts === 0 && [texts, integers + reals, blobs].includes(filled);
      })
    );
  }

  private howOf(table: ForeignTable, column: ForeignColumn): How {
    return howFor(column, column.pk > 0 && this.hasKey(table));
  }

  private how(table: ForeignTable, column: ForeignColumn): How {
    return this.hows.get(this.path(table.name, column.name))!;
  }

  /** The foreign keys that are taken as links; what is not is noted. */
  private linksOf(table: ForeignTable): Taken[] {
    const taken: Taken[] = [];
    for (const foreign of table.foreignKeys) {
      const { to, pairs, onDelete } = foreign;
      const columns = pairs.map(([from]) => from);
      const refuse = (why: string, where?: string): void =>
        this.note(
          `The link of ${table.name} (${columns.join(', ')}) to ${to} ${why}: it is not taken over, its values are.`,
          table,
          where,
        );
      const target = this.target(to);
      const keys = target ? this.keyOf(target) : [];
      const others = pairs.map(([, other], i) => (other ?? keys[i]?.name ?? '').toLowerCase());
      const whole =
        keys.length === pairs.length && keys.every(({ name }) => others.includes(name.toLowerCase()));
      const owns = columns.map((name) =>
        table.columns.find((column) => column.name.toLowerCase() === name.toLowerCase()),
      );
      if (!target || !whole || !this.hasKey(target)) {
        refuse('does not lead to what tells its rows apart here');
        continue;
      }
      if (owns.includes(undefined)) {
        refuse('names a column that is not there');
        continue;
      }
      const inOrder = pairs.map((_, i) => keys.find(({ name }) => name.toLowerCase() === others[i])!);
      const unlike = owns.findIndex((own, i) => !canRead(this.how(target, inOrder[i]!), own!.facts));
      const self = target === table && columns.every((name, i) => name.toLowerCase() === others[i]);
      if (this.relaxed.unlinked.has(columnsKey(table.name, columns))) {
        const on = pairs
          .map(([from], i) => `p.${sqlName(inOrder[i]!.name)} IS o.${sqlName(from)}`)
          .join(' AND ');
        const filled = columns.map((name) => `o.${sqlName(name)} IS NOT NULL`).join(' AND ');
        refuse(
          'leads to rows that are not there',
          `${filled} AND NOT EXISTS (SELECT 1 FROM src.${sqlName(target.name)} AS p WHERE ${on})`,
        );
      } else if (self) refuse('leads from a row to itself');
      else if (unlike >= 0) refuse('holds values of another sort than the key there');
      else if (
        pairs.length === 1 &&
        taken.some(
          ({
            foreign: {
              pairs: [other, ...more],
            },
          }) => more.length === 0 && other![0].toLowerCase() === columns[0]!.toLowerCase(),
        )
      )
        refuse('stands at a field that is a link already');
      else {
        const action = ({ CASCADE: 'deleteAlong', 'SET NULL': 'leaveEmpty' } as const)[onDelete] ?? 'refuse';
        const must = owns.some((own) => own!.notNull || (own!.pk > 0 && this.hasKey(table)));
        if (onDelete === 'SET DEFAULT')
          this.note(`${table.name} (${columns.join(', ')}): “set default” on delete is “refuse” now.`);
        taken.push({ foreign, target, onDelete: must && action === 'leaveEmpty' ? 'refuse' : action });
      }
    }
    return taken;
  }

  /** A key that is a lookup takes its kind from another key: round in a circle none would have one. */
  private breakCircles(): void {
    const keyLink = (table: ForeignTable): Taken | undefined => {
      const [key, ...more] = this.keyOf(table);
      return more.length > 0 || !key
        ? undefined
        : this.links
            .get(table.name.toLowerCase())!
            .find(
              ({ foreign: { pairs } }) =>
                pairs.length === 1 && pairs[0]![0].toLowerCase() === key.name.toLowerCase(),
            );
    };
    for (const table of this.schema.tables) {
      const seen = new Set([table]);
      for (let link = keyLink(table); link; link = keyLink(link.target)) {
        if (link.target === table) {
          const own = keyLink(table)!;
          this.links.set(
            table.name.toLowerCase(),
            this.links.get(table.name.toLowerCase())!.filter((other) => other !== own),
          );
          this.note(
            `The link of ${table.name} (${own.foreign.pairs[0]![0]}) to ${own.foreign.to} leads back to itself: it is not taken over, its values are.`,
          );
          break;
        }
        if (seen.has(link.target)) break;
        seen.add(link.target);
      }
    }
  }

  private table(foreign: ForeignTable, name: string, labels: readonly string[]): Table {
    const id = this.tableIds.get(foreign.name.toLowerCase())!;
    const hasKey = this.hasKey(foreign);
    const pk = this.keyOf(foreign);
    if (foreign.columns.length > MOST_FIELDS - (hasKey ? 0 : 1))
      throw new AdoptError(
        `${foreign.name} has ${foreign.columns.length} columns: a table has at most ${MOST_FIELDS} fields. Divide it in the file first.`,
      );
    for (const { column, clause, what } of clausesIn(foreign.sql))
      this.note(clauseWords(foreign.name, column, clause, what));
    const taken = this.links.get(foreign.name.toLowerCase())!;
    const fieldLabels: string[] = [];
    const values: AdoptCopy['values'][number][] = [];
    const fields = foreign.columns.map((column): Field => {
      const path = this.path(foreign.name, column.name);
      const own = this.columnNames.get(path)!;
      const label = labelFrom(column.name, fieldLabels);
      fieldLabels.push(label);
      const link = taken.find(
        ({ foreign: { pairs } }) =>
          pairs.length === 1 && pairs[0]![0].toLowerCase() === column.name.toLowerCase(),
      );
      const how = link ? this.how(link.target, this.keyOf(link.target)[0]!) : this.how(foreign, column);
      const type = link
        ? ({
            kind: 'lookup',
            table: this.tableIds.get(link.target.name.toLowerCase())!,
            shows: null,
            onDelete: link.onDelete,
          } as const)
        : this.type(foreign, column, how, hasKey && column.pk > 0);
      const reading = readingFor(column, own, how, `${foreign.name}.${column.name}`);
      for (const { text, where } of reading.notes) this.note(text, foreign, where);
      values.push({ field: this.fieldIds.get(path)!, column: column.name, ...reading });
      if (reading.asItStood && own === column.name) this.faithful.add(path);
      return this.field(foreign, column, { id: this.fieldIds.get(path)!, name: own, label, type }, hasKey);
    });
    const collated = clausesIn(foreign.sql).some(({ what }) => what === 'collation');
    const lower = foreign.name.toLowerCase();
    if (name === foreign.name && !collated) this.named.add(lower);
    if (
      this.named.has(lower) &&
      hasKey &&
      foreign.columns.every((column) => this.faithful.has(this.path(foreign.name, column.name)))
    )
      this.whole.add(lower);
    const all = [...fields];
    let key = pk.map((column) => this.fieldIds.get(this.path(foreign.name, column.name))!);
    const [first] = foreign.numbers ?? [1];
    const usable =
      foreign.rowid !== null &&
      Number.isSafeInteger(first) &&
      Number.isSafeInteger(foreign.numbers?.[1] ?? 0) &&
      (hasKey || (foreign.numbers?.[1] ?? 0) - first < MOST_ROWS);
    const numbered = !usable && (!hasKey || values.some(({ blob }) => blob));
    const row = numbered ? sqlName(ROW) : foreign.rowid;
    if (!hasKey) {
      const number = this.number(foreign, fields);
      all.unshift(number);
      key = [number.id];
      // Rows are numbered from 1, in the order in which they stand.
      const counted = numbered ? `o.${row!}` : `o.${row!} - ${first - 1}`;
      values.unshift({ field: number.id, column: null, sql: counted, same: 'TRUE', blob: false });
    }
    const sameRow = all
      .filter((field) => key.includes(field.id))
      .map((field) => `n.${sqlName(field.name)} = ${values.find((value) => value.field === field.id)!.sql}`)
      .join(' AND ');
    this.copies.push({ table: id, from: foreign.name, numbered, row, values, sameRow });
    const label = singularOf(labelFrom(foreign.name, labels));
    return {
      type: 'table',
      id,
      name,
      label: labels.some((other) => other.toLowerCase() === label.toLowerCase())
        ? labelFrom(foreign.name, labels)
        : label,
      plural: pluralOf(label),
      fields: all,
      key,
      display: null,
      rules: [],
      links: this.tableLinks(foreign, taken),
      noTwoAlike: [],
      order: [],
    };
  }

  private type(foreign: ForeignTable, column: ForeignColumn, how: How, isKey: boolean): FieldType {
    const kind = kindOf(how, column.facts);
    if (!isKey) return kind;
    if (
      how === 'whole' &&
      this.keyOf(foreign).length === 1 &&
      /^INTEGER$/i.test(column.type.trim()) &&
      !foreign.withoutRowid
    )
      return { kind: 'runningNumber', prefix: '', width: 0, first: 1 };
    return kind.kind === 'longText' ? { kind: 'text', most: null } : kind;
  }

  private field(
    foreign: ForeignTable,
    column: ForeignColumn,
    made: Pick<Field, 'id' | 'name' | 'label' | 'type'>,
    hasKey: boolean,
  ): Field {
    const { type } = made;
    const path = this.path(foreign.name, column.name);
    const isText = type.kind === 'text' || type.kind === 'longText' || type.kind === 'lookup';
    const isKey = hasKey && column.pk > 0;
    const asked = (column.notNull || (column.pk > 0 && !hasKey)) && column.facts.nulls === 0;
    const lacks = this.relaxed.empty.has(path) || (isText && column.facts.emptyTexts > 0);
    if (asked && lacks && column.notNull)
      this.note(`${foreign.name}.${column.name} is no longer always filled: some rows are empty.`);
    if (column.generated)
      this.note(`${foreign.name}.${column.name} was worked out by the file: it keeps the values it has.`);
    const single = foreign.indexes.filter(
      ({ columns }) => columns.length === 1 && columns[0]?.toLowerCase() === column.name.toLowerCase(),
    );
    const unique =
      single.some(({ unique, partial, origin }) => unique && !partial && origin !== 'pk') &&
      !(isKey && this.keyOf(foreign).length === 1) &&
      type.kind !== 'file';
    const doubled = this.relaxed.doubled.has(columnsKey(foreign.name, [column.name]));
    if (unique && doubled) this.doubles(foreign, [column.name]);
    return {
      ...made,
      alwaysFilled: asked && column.notNull && !isKey && !lacks && type.kind !== 'tick',
      noTwoAlike: unique && !doubled,
      indexed:
        type.kind !== 'lookup' &&
        type.kind !== 'file' &&
        single.some(({ unique, partial, origin }) => !unique && !partial && origin === 'c'),
      start: null,
      rule: null,
    };
  }

  private doubles(foreign: ForeignTable, columns: readonly string[]): void {
    const list = (row: string): string =>
      columns.map((name) => `CAST(${row}${sqlName(name)} AS TEXT)`).join(', ');
    this.note(
      `${foreign.name} (${columns.join(', ')}): rows that the file told apart are alike here, so that no two alike is not asked of it.`,
      foreign,
      `(${list('o.')}) IN (SELECT ${list('')} FROM src.${sqlName(foreign.name)} GROUP BY ${list('')} HAVING count(*) > 1)`,
    );
  }

  private number(foreign: ForeignTable, fields: readonly Field[]): Field {
    const key = this.keyOf(foreign);
    if (key.length === 0) this.note(`${foreign.name} had no key: its rows are numbered now.`);
    else
      this.note(
        `The key of ${foreign.name} (${key.map(({ name }) => name).join(', ')}) is empty in some rows, or holds values of several sorts that cannot be told apart: its rows are numbered now, and the old key is kept beside the number.`,
        foreign,
        key.map(({ name }) => `coalesce(o.${sqlName(name)}, '') = ''`).join(' OR '),
      );
    return {
      id: idFrom('f', `${foreign.name}Number`, this.ids),
      name: uniqueName(
        'number',
        fields.map(({ name }) => name),
      ),
      label: labelFrom(
        'number',
        fields.map(({ label }) => label),
      ),
      type: { kind: 'runningNumber', prefix: '', width: 0, first: 1 },
      alwaysFilled: false,
      noTwoAlike: false,
      indexed: false,
      start: null,
      rule: null,
    };
  }

  private tableLinks(foreign: ForeignTable, taken: readonly Taken[]): TableLink[] {
    const links: TableLink[] = [];
    for (const {
      foreign: { to, pairs },
      target,
      onDelete,
    } of taken) {
      if (pairs.length === 1) continue;
      const keys = this.keyOf(target);
      if (links.length === MOST_LINKS) {
        this.note(
          `The link of ${foreign.name} (${pairs.map(([from]) => from).join(', ')}) to ${to} is one too many and is not taken over.`,
        );
        continue;
      }
      links.push({
        id: idFrom('l', `${foreign.name}${to}`, this.ids),
        name: uniqueName(nameFromLabel(to, 'link'), [
          ...foreign.columns.map((column) => this.columnNames.get(this.path(foreign.name, column.name))!),
          ...links.map((link) => link.name),
        ]),
        label: labelFrom(
          to,
          links.map(({ label }) => label),
        ),
        table: this.tableIds.get(target.name.toLowerCase())!,
        on: pairs.map(([from, other], i) => ({
          own: this.fieldIds.get(this.path(foreign.name, from))!,
          other: this.fieldIds.get(this.path(target.name, other ?? keys[i]!.name))!,
        })),
        onDelete,
      });
    }
    return links;
  }

  /** DEFAULTs as starting values. */
  private withStarts(design: Design, foreign: ForeignTable, table: Table): Table {
    const fields = table.fields.map((field): Field => {
      const column = foreign.columns.find(
        ({ name }) => this.fieldIds.get(this.path(foreign.name, name)) === field.id,
      );
      const given = column?.default;
      if (given === undefined || given === null || /^null$/i.test(given.trim())) return field;
      const written = given.replace(/^\((.*)\)$/s, '$1').trim();
      const source =
        field.type.kind === 'tick' ? ({ '0': 'FALSE', '1': 'TRUE' }[written] ?? written) : written;
      const bound = attempt(
        () => bind(source, { catalog: catalogOf(emptyDesign()), table: null }).bound.type,
      );
      if (
        field.type.kind !== 'runningNumber' &&
        field.type.kind !== 'file' &&
        source.length <= 4000 &&
        bound.ok &&
        fits(bound.value, typeOf(design, field.type))
      )
        return { ...field, start: source };
      this.note(
        `${foreign.name}.${column!.name}: the starting value ${given.slice(0, 200)} is not taken over.`,
      );
      return field;
    });
    return { ...table, fields };
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
        this.asRule(here, current, foreign, check, i) ??
        this.asKept(current, foreign, check, i)
      );
    }, table);
  }

  private asChoice(table: Table, foreign: ForeignTable, check: string): Table | null {
    const match = /^["`[]?([\w ]+?)["`\]]?\s+IN\s*\(\s*((?:'(?:[^']|'')*'\s*,?\s*)+)\)$/i.exec(check);
    if (!match) return null;
    const id = this.fieldIds.get(this.path(foreign.name, match[1]!));
    const field = id ? fieldOf(table, id) : undefined;
    const choices = [
      ...new Set([...match[2]!.matchAll(/'((?:[^']|'')*)'/g)].map(([, text]) => text!.replace(/''/g, "'"))),
    ];
    const fit =
      choices.length <= 500 &&
      choices.every(
        (choice) => choice.trim() === choice && isChoiceText(choice) && choice.normalize('NFC') === choice,
      );
    if (
      field?.type.kind !== 'text' ||
      !fit ||
      this.collated(foreign, check) ||
      this.relaxed.broken.has(`choice ${field.id}`)
    )
      return null;
    const type: FieldType = { kind: 'choice', choices };
    return {
      ...table,
      fields: table.fields.map((other) => (other.id === field.id ? { ...other, type } : other)),
    };
  }

  /** Whether a check compares texts otherwise than by their bytes. */
  private collated(foreign: ForeignTable, check: string): boolean {
    const names = namesIn(check);
    return (
      !names ||
      names.has('collate') ||
      clausesIn(foreign.sql).some(
        ({ what, column }) => what === 'collation' && column !== null && names.has(column.toLowerCase()),
      )
    );
  }

  private asRule(
    design: Design,
    table: Table,
    foreign: ForeignTable,
    check: string,
    number: number,
  ): Table | null {
    const catalog = catalogOf(design);
    const rule = attempt(() => {
      const { bound } = bindCondition(check, { catalog, table: table.id });
      toSql(bound, { catalog, row: null });
      return meansTheSame(bound) ? toStored(check, catalog, table.id) : null;
    });
    if (
      !rule.ok ||
      rule.value === null ||
      rule.value.length > 4000 ||
      table.rules.length === MOST_RULES ||
      this.collated(foreign, check)
    )
      return null;
    const id = idFrom('r', `${table.name}${number + 1}`, this.ids);
    const message = `${table.label}: ${check.replace(/[{}]/g, '$&$&').replace(/\s+/g, ' ').slice(0, 200)} must hold.`;
    this.checks.set(id, { table: foreign.name, check });
    const broken = this.relaxed.broken.has(id);
    if (broken)
      this.note(
        `Rows of ${foreign.name} break its check (${short(check)}): it is kept for new rows only.`,
        foreign,
        `NOT (${check})`,
      );
    return {
      ...table,
      rules: [
        ...table.rules,
        { id, expression: rule.value, message, ...(broken ? { newRowsOnly: true } : {}) },
      ],
    };
  }

  private asKept(table: Table, foreign: ForeignTable, check: string, number: number): Table {
    const id = idFrom('k', `${table.name}check${number + 1}`, this.ids);
    const names = namesIn(check);
    const there = foreign.columns.filter(({ name }) => names?.has(name.toLowerCase()));
    const unread = !names || this.collated(foreign, check) || check.length > 20_000;
    const lost = (why: string, where?: string): void =>
      this.note(
        `The check (${short(check)}) of ${foreign.name} ${why}: it is not taken over.`,
        foreign,
        where,
      );
    if (this.relaxed.broken.has(id)) lost('is broken by rows', `NOT (${check})`);
    else if (unread || this.relaxed.unchecked.has(foreign.name.toLowerCase())) lost('cannot be read');
    else if (there.some(({ name }) => !this.faithful.has(this.path(foreign.name, name))))
      lost('looks at values that are written otherwise now');
    else {
      this.kept.push({
        type: 'kept',
        id,
        table: table.id,
        what: 'check',
        name: `check of ${table.label}`,
        sql: check,
      });
      this.checks.set(id, { table: foreign.name, check });
      this.note(
        `The check (${short(check)}) of ${foreign.name} means something of its own to the engine: it is kept as it is.`,
      );
    }
    return table;
  }

  /** UNIQUE over several columns is said of the table; other indexes over several are made anew. */
  private withIndexes(foreign: ForeignTable, table: Table): Table {
    const noTwoAlike: string[][] = [];
    for (const { name, unique, columns, partial, origin, sql } of foreign.indexes) {
      const words = sql === null ? [] : indexWords(sql);
      if (words.length > 0)
        this.note(
          `The index ${name} of ${foreign.name} compares in a way of its own (${words.join(', ')}): it does not here.`,
        );
      if (origin === 'pk' || (columns.length === 1 && columns[0] !== null && !partial)) continue;
      const fields = columns.map((column) => {
        const fieldId = column === null ? undefined : this.fieldIds.get(this.path(foreign.name, column));
        return fieldId ? fieldOf(table, fieldId) : undefined;
      });
      if (partial || fields.includes(undefined)) {
        this.note(
          `The index ${name} of ${foreign.name} looks at expressions or at some rows only and is not taken over${sql ? `: ${sql.slice(0, 300)}` : ''}.`,
        );
        continue;
      }
      if (unique && fields.every((field) => field!.type.kind !== 'file')) {
        const ids = fields.map((field) => field!.id);
        const named = columns as string[];
        if (this.relaxed.doubled.has(columnsKey(foreign.name, named))) this.doubles(foreign, named);
        else if (noTwoAlike.length === MOST_ALIKE || ids.length > 32)
          this.note(
            `What no two rows of ${foreign.name} have alike (${named.join(', ')}) is one too many and is not taken over.`,
          );
        else if (!noTwoAlike.some((other) => [...other].sort().join() === [...ids].sort().join()))
          noTwoAlike.push(ids);
        continue;
      }
      const id = idFrom('k', name, this.ids);
      const list = fields.map((field) => sqlName(field!.name)).join(', ');
      const made = `CREATE INDEX ${sqlName(`kept ${id}`)} ON ${sqlName(table.name)} (${list})`;
      this.keep({ type: 'kept', id, table: table.id, what: 'index', name: name.slice(0, 200), sql: made });
      this.note(`The order of ${foreign.name} in ${columns.join(', ')}: kept as an index.`);
    }
    return { ...table, noTwoAlike };
  }

  private keep(kept: Design['kept'][number]): boolean {
    const fit = v.is(Kept, kept);
    if (fit) this.kept.push(kept);
    return fit;
  }

  /**
   * Views and triggers are kept where all that they look at stands as it stood; else they would speak of
   * amounts a hundred times too large, or find nothing.
   */
  private objects(views: ForeignSchema['views'], triggers: ForeignSchema['triggers']): void {
    const lost = new Map<string, string>();
    const others = new Set(this.schema.others.map((name) => name.toLowerCase()));
    const why = (name: string, sql: string): string | null => {
      const names = namesIn(sql);
      if (!names || making(sql) === null) return 'cannot be read';
      if (lost.has(name.toLowerCase())) return lost.get(name.toLowerCase())!;
      const changed = this.schema.tables.find(
        (table) => names.has(table.name.toLowerCase()) && !this.finds(table, names, sql),
      );
      if (changed) return `looks at ${changed.name}, which is written otherwise now`;
      if (
        ['rowid', '_rowid_', 'oid', 'sqlite_master', 'sqlite_schema', 'sqlite_sequence'].some((word) =>
          names.has(word),
        )
      )
        return 'looks at what only the file as it came has';
      const gone = [...names].find(
        (word) => word !== name.toLowerCase() && (lost.has(word) || others.has(word)),
      );
      return gone === undefined ? null : `looks at ${gone}, which is not taken over`;
    };
    // What looks at something that is lost is lost as well.
    for (let before = -1; before < lost.size;) {
      before = lost.size;
      for (const { name, sql } of views) {
        const reason = why(name, sql);
        if (reason !== null) lost.set(name.toLowerCase(), reason);
      }
    }
    const keep = (what: 'view' | 'trigger', name: string, sql: string, table: string | null): void => {
      const id = idFrom('k', name, this.ids);
      const kept = { type: 'kept', id, table, what, name: name.slice(0, 200) || 'x', sql } as const;
      const reason = why(name, sql) ?? (this.keep(kept) ? null : 'is too long, or cannot be read');
      this.note(
        reason === null
          ? `The ${what} ${name} is kept as it is.`
          : `The ${what} ${name} ${reason}: it is not taken over. It was: ${sql.replace(/\s+/g, ' ').slice(0, 500)}`,
      );
    };
    for (const { name, sql } of views) keep('view', name, sql, null);
    for (const { name, sql, table } of triggers)
      keep('trigger', name, sql, this.tableIds.get(table.toLowerCase()) ?? null);
  }

  /** Whether a statement finds in a table what it found there in the file as it came. */
  private finds(table: ForeignTable, names: ReadonlySet<string>, sql: string): boolean {
    if (this.whole.has(table.name.toLowerCase())) return true;
    // All columns at once, or those of a name that another table has too, or new rows without names.
    if (selectsAll(sql) || ['natural', 'insert', 'replace'].some((word) => names.has(word))) return false;
    return (
      this.named.has(table.name.toLowerCase()) &&
      table.columns.every(
        ({ name }) => !names.has(name.toLowerCase()) || this.faithful.has(this.path(table.name, name)),
      )
    );
  }

  /** What is adopted must open: it goes through the schemas and checks of every other design. */
  private assertFit(design: Design): void {
    for (const [i, table] of design.tables.entries()) {
      const read = v.safeParse(TableSchema, table);
      if (!read.success)
        throw new AdoptError(`${this.schema.tables[i]!.name} cannot be taken in: ${read.issues[0].message}`);
    }
    const [problem] = validateDesign(design);
    if (problem) throw new AdoptError(`The tables of this file do not go together here: ${problem.message}`);
  }
}

const short = (sql: string): string => (sql.length > 200 ? `${sql.slice(0, 200)} …` : sql);

function clauseWords(table: string, column: string | null, clause: string, what: string): string {
  const where = column === null ? table : `${table}.${column}`;
  switch (what) {
    case 'collation':
      return `${where} compared its texts by ${clause}: here they are compared letter by letter, and case counts.`;
    case 'on update':
      return `${where}: when the key changes, what leads to it changes along (the file said ON UPDATE ${clause}).`;
    case 'deferred':
      return `${where}: a link is asked about at once, not at the end (the file said ${clause}).`;
    case 'on conflict':
      return `${where}: what cannot be is refused (the file said ON CONFLICT ${clause}).`;
    default:
      return `${where}: ${clause} is not taken over.`;
  }
}

/**
 * Whether a condition has the same truth in SQL of the engine as it has here: whole numbers divided stay whole
 * there, texts are joined and folded otherwise, and so on.
 */
const meansTheSame = (bound: Bound): boolean =>
  !some(bound, (node) => {
    switch (node.op) {
      case 'const':
      case 'negate':
      case 'not':
      case 'isNull':
      case 'isTruth':
      case 'rescale':
      case 'limit':
      case 'add':
      case 'sub':
      case 'mul':
      case 'and':
      case 'or':
      case 'distinct':
      case 'between':
      case 'in':
      case 'coalesce':
      case 'case':
      case 'abs':
        return false;
      case 'length':
        return node.a.type.type !== 'text';
      case 'ref':
        return node.links.length > 0;
      case 'compare':
        return (
          node.a.type.type !== node.b.type.type && node.a.type.type !== 'null' && node.b.type.type !== 'null'
        );
      case 'like':
        // Letters are folded by one and not by the other, signs by neither.
        return (
          node.pattern.op !== 'const' ||
          typeof node.pattern.value !== 'string' ||
          /\p{L}/u.test(node.pattern.value)
        );
      default:
        return true;
    }
  });
