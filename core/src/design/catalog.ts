import {
  BOOLEAN,
  DATE,
  numberType,
  TEXT,
  WHOLE,
  type Catalog,
  type ExprChild,
  type ExprField,
  type ExprTable,
  type Type,
} from '../expression';
import { MOST_DIGITS, type Locale, type ValueKind } from '../values';
import { nameFromLabel, uniqueName } from './names';
import type { Design, Field, FieldType, Settings, Table } from './schema';

/** What the `values` room needs to know to read and show a field. */
export function valueKind(type: FieldType): ValueKind {
  switch (type.kind) {
    case 'text':
      return { kind: 'text', most: type.most ?? undefined };
    case 'lookup':
      return { kind: 'lookup' };
    case 'runningNumber':
      return { kind: 'runningNumber', prefix: type.prefix, width: type.width };
    default:
      return type;
  }
}

/** Decimal places with which a field's number is stored as a scaled whole number; 0 for others. */
export const placesOf = (type: FieldType): number =>
  type.kind === 'decimal' || type.kind === 'money' ? type.places : 0;

export const localeOf = ({ decimalMark, groupMark, currency, dateOrder }: Settings): Locale => ({
  decimalMark,
  groupMark,
  currency,
  dateOrder,
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

/** The type of a lookup is that of the key it leads to. */
export function typeOf(design: Design, type: FieldType): Type {
  switch (type.kind) {
    case 'text':
    case 'longText':
    case 'choice':
      return TEXT;
    case 'wholeNumber':
    case 'runningNumber':
      return WHOLE;
    case 'decimal':
    case 'money':
      return numberType(type.places, MOST_DIGITS);
    case 'tick':
      return BOOLEAN;
    case 'date':
      return DATE;
    case 'lookup': {
      const target = design.tables.find(({ id }) => id === type.table);
      const key = target?.key.length === 1 ? fieldOf(target, target.key[0]!) : undefined;
      return key && key.type.kind !== 'lookup' ? typeOf(design, key.type) : WHOLE;
    }
  }
}

/** The catalog of a design for expressions: every table, its fields and the rows that link to it. */
export function catalogOf(design: Design): Catalog {
  const built = new Map<string, ExprTable>();
  return {
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
    const link = field.type.kind === 'lookup' ? field.type.table : undefined;
    return {
      id: field.id,
      name: field.name,
      column: field.name,
      type: typeOf(design, field.type),
      kind: valueKind(field.type),
      link,
    };
  });
  const taken = fields.map(({ name }) => name);
  const links = linksTo(design, table.id);
  const children = links.map((link): ExprChild => {
    const plural = nameFromLabel(link.table.plural, `${link.table.name}_rows`);
    const several = links.filter((other) => other.table.id === link.table.id).length > 1;
    const name = uniqueName(several ? `${plural}_by_${link.field.name}` : plural, taken);
    taken.push(name);
    return { id: link.field.id, name, table: link.table.id, column: link.field.name };
  });
  const key = table.key.length === 1 ? fieldOf(table, table.key[0]!) : undefined;
  return { id: table.id, name: table.name, keyColumn: key?.name ?? null, fields, children };
}

/** How a row of a table is shown in one line, in stored form: its display, or its first fitting field. */
export function displayOf(table: Table): string {
  if (table.display) return table.display;
  const text = table.fields.find(({ type }) => type.kind === 'text');
  const keys = table.key.map((id) => `"#${id}"`);
  return text && !table.key.includes(text.id)
    ? `"#${text.id}"`
    : keys.length === 1
      ? `CAST(${keys[0]} AS TEXT)`
      : keys.join(" || ' · ' || ");
}

/** What a lookup field shows of the row it leads to, in stored form over that row's table. */
export function lookupDisplay(design: Design, type: Extract<FieldType, { kind: 'lookup' }>): string {
  return type.shows ?? displayOf(tableOf(design, type.table));
}
