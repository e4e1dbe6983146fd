import {
  fieldOf,
  isStored,
  linksFrom,
  storedFields,
  tableOf,
  typeOf,
  valueKind,
  type Design,
  type Field,
  type Table,
} from '../design';
import { checkValue, type Read, type Value } from '../values';
import { harmless, unharmed } from '../sheet';

/*
 * A file as a data package: a descriptor and a CSV file for each table, by the Data Package and Table Schema
 * standards (Frictionless Data, version 1; as remembered). Values stand there as they are kept: lookups as keys,
 * which the descriptor declares as foreign keys, numbers with a point, dates as ISO 8601, ticks as true and false.
 */

interface Reference {
  readonly fields: string | readonly string[];
  readonly reference: { readonly resource: string; readonly fields: string | readonly string[] };
}

/** A field of a table, as Table Schema has it. */
export interface SchemaField {
  readonly name: string;
  readonly title: string;
  readonly type: 'string' | 'integer' | 'number' | 'boolean' | 'date' | 'time' | 'datetime';
  readonly constraints?: Readonly<Record<string, unknown>>;
}

export interface PackageResource {
  readonly profile: 'tabular-data-resource';
  readonly name: string;
  readonly title: string;
  readonly path: string;
  readonly format: 'csv';
  readonly mediatype: 'text/csv';
  readonly encoding: 'utf-8';
  readonly schema: {
    readonly fields: readonly SchemaField[];
    readonly missingValues: readonly string[];
    readonly primaryKey: readonly string[];
    readonly foreignKeys?: readonly Reference[];
  };
}

export interface PackageDescriptor {
  readonly profile: 'tabular-data-package';
  readonly name: string;
  readonly title: string;
  readonly created: string;
  readonly resources: readonly PackageResource[];
}

/** The resource that lists pictures and files; their bytes stand beside it. */
export const ATTACHMENTS = 'attachments';

/** The name of a resource: small letters, digits, points, hyphens and underscores alone. */
export const resourceName = ({ name, id }: Table): string => {
  const plain = name
    .normalize('NFD')
    .toLowerCase()
    .replace(/[^a-z0-9._-]+/g, '-')
    .replace(/^-+|-+$/g, '');
  // Two names may be the same without their accents.
  return `${plain === '' ? 'table' : plain}.${id.toLowerCase()}`;
};

const TYPES: Readonly<Record<string, SchemaField['type']>> = {
  wholeNumber: 'integer',
  runningNumber: 'integer',
  decimal: 'number',
  money: 'number',
  tick: 'boolean',
  date: 'date',
  time: 'time',
  dateTime: 'datetime',
  picture: 'integer',
  file: 'integer',
};

function schemaField(design: Design, table: Table, field: Field): SchemaField {
  const kind = valueKind(field.type);
  const type =
    kind.kind === 'lookup' && typeOf(design, field.type).type === 'number'
      ? 'integer'
      : (TYPES[kind.kind] ?? 'string');
  const constraints: Record<string, unknown> = {};
  if (field.alwaysFilled || table.key.includes(field.id)) constraints['required'] = true;
  if (field.noTwoAlike || (table.key.length === 1 && table.key[0] === field.id)) constraints['unique'] = true;
  if (kind.kind === 'text' && kind.most !== undefined) constraints['maxLength'] = kind.most;
  if (kind.kind === 'choice') constraints['enum'] = [...kind.choices];
  const { name, label: title } = field;
  return { name, title, type, ...(Object.keys(constraints).length > 0 ? { constraints } : {}) };
}

/** The descriptor of a whole file: `data/….csv` for each table. `created` is a moment of ISO 8601. */
export function packageOf(design: Design, title: string, created: string): PackageDescriptor {
  const one = (names: readonly string[]): string | readonly string[] =>
    names.length === 1 ? names[0]! : names;
  const resources = design.tables.map((table): PackageResource => {
    const name = resourceName(table);
    const links = linksFrom(design, table).map(({ parent, on }): Reference => ({
      fields: one(on.map(([own]) => own.name)),
      reference: {
        // A table that leads to itself names itself by nothing.
        resource: parent.id === table.id ? '' : resourceName(parent),
        fields: one(on.map(([, other]) => other.name)),
      },
    }));
    return {
      profile: 'tabular-data-resource',
      name,
      title: table.plural,
      path: `data/${name}.csv`,
      format: 'csv',
      mediatype: 'text/csv',
      encoding: 'utf-8',
      schema: {
        fields: storedFields(table).map((field) => schemaField(design, table, field)),
        missingValues: [''],
        primaryKey: table.key.map((id) => fieldOf(table, id)!.name),
        ...(links.length > 0 ? { foreignKeys: links } : {}),
      },
    };
  });
  const name = title
    .normalize('NFD')
    .toLowerCase()
    .replace(/[^a-z0-9._-]+/g, '-')
    .replace(/^-+|-+$/g, '');
  return { profile: 'tabular-data-package', name: name === '' ? 'file' : name, title, created, resources };
}

const isText = (field: Field): boolean =>
  ['text', 'longText', 'choice', 'lookup'].includes(valueKind(field.type).kind);

/** A value as it stands in a package; no text of it is run as a formula where it is opened. */
export function packed(field: Field, value: Value): string {
  if (value === null) return '';
  if (typeof value === 'boolean') return value ? 'true' : 'false';
  return isText(field) && typeof value === 'string' ? harmless(value) : String(value);
}

/** The inverse: the value of a field that a text of a package stands for. */
export function unpacked(design: Design, field: Field, text: string): Read {
  const kind = valueKind(field.type);
  if (text === '') return { ok: true, value: null };
  const bad: Read = { ok: false, message: `“${text.slice(0, 60)}” is no value of ${field.label}.` };
  switch (kind.kind) {
    case 'tick':
      return text === 'true' || text === 'false' ? { ok: true, value: text === 'true' } : bad;
    case 'wholeNumber':
    case 'runningNumber':
    case 'picture':
    case 'file':
      return /^-?\d{1,15}$/.test(text) ? { ok: true, value: Number(text) } : bad;
    case 'lookup': {
      if (typeOf(design, field.type).type !== 'number') return { ok: true, value: unharmed(text) };
      return /^-?\d{1,15}$/.test(text) ? { ok: true, value: Number(text) } : bad;
    }
    default: {
      const read = checkValue(kind, isText(field) ? unharmed(text) : text);
      return read.ok ? read : bad;
    }
  }
}

/** The stored fields of a table by the names of its columns in a package. */
export const packedFields = (design: Design, id: string): readonly Field[] =>
  tableOf(design, id).fields.filter(isStored);
