import {
  BOOLEAN,
  DATE,
  INSTANT,
  numberType,
  TEXT,
  TIME,
  WHOLE,
  type Catalog,
  type ExprChild,
  type ExprField,
  type ExprLink,
  type ExprTable,
  type JoinColumns,
  type Type,
} from '../expression';
import { MOST_DIGITS, todaySql, type Locale, type ValueKind } from '../values';
import { nameFromLabel, uniqueName } from './names';
import type { Design, Field, FieldType, Rule, Settings, Table } from './schema';

/** What the `values` room needs to know to read and show a field. */
export function valueKind(type: FieldType): ValueKind {
  switch (type.kind) {
    case 'text':
      return { kind: 'text', most: type.most ?? undefined, pattern: type.pattern ?? undefined };
    case 'lookup':
      return { kind: 'lookup' };
    case 'runningNumber':
      return { kind: 'runningNumber', prefix: type.prefix, width: type.width };
    case 'stamp':
      return stampsTime(type.of) ? { kind: 'dateTime', style: type.style } : { kind: 'text' };
    case 'workedOut':
      return valueKind(type.result);
    default:
      return type;
  }
}

/** True for the stamps that say when, not who. */
export const stampsTime = (of: Extract<FieldType, { kind: 'stamp' }>['of']): boolean =>
  of === 'createdAt' || of === 'changedAt';

/** Decimal places with which a field's number is stored as a scaled whole number; 0 for others. */
export const placesOf = (type: FieldType): number =>
  type.kind === 'decimal' || type.kind === 'money'
    ? type.places
    : type.kind === 'workedOut'
      ? placesOf(type.result)
      : 0;

/** True for fields that are columns of their table; a worked-out one is an expression. */
export const isStored = ({ type }: Field): boolean => type.kind !== 'workedOut';

/** The fields of a table that are columns. */
export const storedFields = (table: Table): Field[] => table.fields.filter(isStored);

/** Every rule of a table: those of its fields, then its own. */
export const rulesOf = (table: Table): { rule: Rule; field: Field | null }[] => [
  ...table.fields.flatMap((field) => (field.rule ? [{ rule: field.rule, field }] : [])),
  ...table.rules.map((rule) => ({ rule, field: null })),
];

/** True for fields that nobody types into: the file, the server or an expression gives their value. */
export const isGiven = ({ type }: Field): boolean =>
  type.kind === 'runningNumber' || type.kind === 'stamp' || type.kind === 'workedOut';

/** True for fields whose value is a key, shown by the text that comes with it. */
export const comesWithText = ({ type }: Field): boolean =>
  type.kind === 'lookup' || type.kind === 'picture' || type.kind === 'file';

export const localeOf = ({ decimalMark, groupMark, currency, dateOrder, timeZone }: Settings): Locale => ({
  decimalMark,
  groupMark,
  currency,
  dateOrder,
  timeZone,
});

/** The table with this id. Throws an Error when there is none: ids are checked on the way in. */
export function tableOf(design: Design, id: string): Table {
  const table = design.tables.find((candidate) => candidate.id === id);
  if (!table) throw new Error(`There is no table ${id}.`);
  return table;
}

export const fieldOf = (table: Table, id: string): Field | undefined =>
  table.fields.find((field) => field.id === id);

export const findField = (design: Design, id: string): { table: Table; field: Field } | undefined => {
  for (const table of design.tables) {
    const field = fieldOf(table, id);
    if (field) return { table, field };
  }
  return undefined;
};

/** The fields of other tables (or of this one) that look up a row of this table, in order. */
export const linksTo = (design: Design, table: string): { table: Table; field: Field }[] =>
  design.tables.flatMap((other) =>
    other.fields
      .filter(({ type }) => type.kind === 'lookup' && type.table === table)
      .map((field) => ({ table: other, field })),
  );

/** A foreign key from one table to another, whether of one field (a lookup) or of several. */
export interface Link {
  /** The lookup field's id, or that of the link. */
  readonly id: string;
  readonly label: string;
  readonly name: string;
  readonly child: Table;
  readonly parent: Table;
  /** Fields of the child, each beside the key field of the parent that it holds. */
  readonly on: readonly (readonly [own: Field, other: Field])[];
  readonly onDelete: 'refuse' | 'deleteAlong' | 'leaveEmpty';
  /** Every child has its parent. */
  readonly required: boolean;
  /** No parent has two children. */
  readonly single: boolean;
}

/** The links that lead out of a table, in the order of its fields. Links to tables that are gone are left out. */
export function linksFrom(design: Design, child: Table): Link[] {
  const find = (id: string): Table | undefined => design.tables.find((table) => table.id === id);
  const lookups = child.fields.flatMap((field): Link[] => {
    if (field.type.kind !== 'lookup') return [];
    const parent = find(field.type.table);
    const key = parent?.key.length === 1 ? fieldOf(parent, parent.key[0]!) : undefined;
    if (!parent || !key) return [];
    const { id, label, name } = field;
    return [
      {
        id,
        label,
        name,
        child,
        parent,
        on: [[field, key]],
        onDelete: field.type.onDelete,
        required: field.alwaysFilled || child.key.includes(id),
        single: field.noTwoAlike || (child.key.length === 1 && child.key[0] === id),
      },
    ];
  });
  const several = child.links.flatMap((link): Link[] => {
    const parent = find(link.table);
    const on = link.on.map(({ own, other }) => [fieldOf(child, own), parent && fieldOf(parent, other)]);
    if (!parent || on.some((pair) => pair.includes(undefined))) return [];
    const pairs = on as [Field, Field][];
    const owns = pairs.map(([own]) => own);
    return [
      {
        ...link,
        child,
        parent,
        on: pairs,
        required: owns.every(({ id, alwaysFilled }) => alwaysFilled || child.key.includes(id)),
        single: [child.key, ...child.noTwoAlike].some((ids) =>
          ids.every((id) => owns.some((own) => own.id === id)),
        ),
      },
    ];
  });
  return [...lookups, ...several];
}

export const allLinks = (design: Design): Link[] =>
  design.tables.flatMap((table) => linksFrom(design, table));

/** The type of a lookup is that of the key it leads to, through keys that are lookups themselves. */
export function typeOf(design: Design, type: FieldType, depth = 0): Type {
  switch (type.kind) {
    case 'text':
    case 'longText':
    case 'choice':
      return TEXT;
    case 'wholeNumber':
    case 'runningNumber':
    case 'picture':
    case 'file':
      return WHOLE;
    case 'decimal':
    case 'money':
      return numberType(type.places, MOST_DIGITS);
    case 'tick':
      return BOOLEAN;
    case 'date':
      return DATE;
    case 'time':
      return TIME;
    case 'dateTime':
      return INSTANT;
    case 'stamp':
      return stampsTime(type.of) ? INSTANT : TEXT;
    case 'workedOut':
      return typeOf(design, type.result);
    case 'lookup': {
      const target = design.tables.find(({ id }) => id === type.table);
      const key = target?.key.length === 1 ? fieldOf(target, target.key[0]!) : undefined;
      return key && depth < 16 ? typeOf(design, key.type, depth + 1) : WHOLE;
    }
  }
}

const catalogs = new WeakMap<Design, Catalog>();

/**
 * The catalog of a design for expressions: every table, its fields and the rows that link to it. A design is
 * never changed in place, so that each has one.
 */
export function catalogOf(design: Design): Catalog {
  const known = catalogs.get(design);
  if (known) return known;
  const made = makeCatalog(design);
  catalogs.set(design, made);
  return made;
}

function makeCatalog(design: Design): Catalog {
  const built = new Map<string, ExprTable>();
  let today: string | undefined;
  return {
    get today() {
      return (today ??= todaySql(design.settings.timeZone));
    },
    table(id) {
      const known = built.get(id);
      if (known) return known;
      const table = exprTable(design, tableOf(design, id));
      built.set(id, table);
      return table;
    },
  };
}

function exprTable(design: Design, table: Table): ExprTable {
  const fields = table.fields.map((field): ExprField => {
    const { type } = field;
    return {
      id: field.id,
      name: field.name,
      column: field.name,
      type: typeOf(design, type),
      kind: valueKind(type),
      link: type.kind === 'lookup' ? type.table : undefined,
      worked: type.kind === 'workedOut' ? type.expression : undefined,
    };
  });
  const columns = (link: Link): JoinColumns => link.on.map(([own, other]) => [own.name, other.name]);
  const links = linksFrom(design, table)
    .filter(({ on }) => on.length > 1)
    .map((link): ExprLink => ({ id: link.id, name: link.name, table: link.parent.id, on: columns(link) }));
  const taken = [...fields, ...links].map(({ name }) => name);
  const into = allLinks(design).filter(({ parent }) => parent.id === table.id);
  const children = into.map((link): ExprChild => {
    const plural = nameFromLabel(link.child.plural, `${link.child.name}_rows`);
    const several = into.filter((other) => other.child.id === link.child.id).length > 1;
    const name = uniqueName(several ? `${plural}_by_${link.name}` : plural, taken);
    taken.push(name);
    return {
      id: link.id,
      name,
      table: link.child.id,
      on: columns(link).map(([own, other]) => [other, own] as const),
    };
  });
  const key = table.key.length === 1 ? fieldOf(table, table.key[0]!) : undefined;
  return { id: table.id, name: table.name, keyColumn: key?.name ?? null, fields, links, children };
}

/**
 * How a row of a table is shown in one line, in stored form: its display, else a text that tells rows apart (always
 * filled with no two alike, or the key), else its first text, else its key.
 */
export function displayOf(table: Table): string {
  if (table.display) return table.display;
  const texts = table.fields.filter(({ id, type }) => type.kind === 'text' && !table.key.includes(id));
  const telling = texts.find(
    ({ id, alwaysFilled, noTwoAlike }) =>
      alwaysFilled && (noTwoAlike || table.noTwoAlike.some((ids) => ids.length === 1 && ids[0] === id)),
  );
  const [first, ...others] = table.key.map((id) => `"#${id}"`);
  const isTextKey = others.length === 0 && fieldOf(table, table.key[0]!)?.type.kind === 'text';
  if (telling) return `"#${telling.id}"`;
  if (isTextKey) return first!;
  if (texts.length > 0) return `"#${texts[0]!.id}"`;
  return others.length > 0 ? [first, ...others].join(" || ' · ' || ") : `CAST(${first} AS TEXT)`;
}

/** What a lookup field shows of the row it leads to, in stored form over that row's table. */
export function lookupDisplay(design: Design, type: Extract<FieldType, { kind: 'lookup' }>): string {
  return type.shows ?? displayOf(tableOf(design, type.table));
}
