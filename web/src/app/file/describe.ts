import type { Change } from '@heathridge/core/change';
import { attempt, bind, shownInWords, type Catalog } from '@heathridge/core/expression';
import { conditionWords, readable } from '../shared/readable';
import {
  documentsOf,
  fieldOf,
  KIND_LABELS,
  listOf,
  lookupDisplay,
  oneOf,
  type Design,
  type Field,
  type FieldType,
  type KindName,
  type Table,
} from '@heathridge/core/design';

/** The icon of each kind of field. */
export const KIND_ICONS: Readonly<Record<KindName, string>> = {
  text: 'abc',
  longText: 'notes',
  wholeNumber: 'numbers',
  decimal: 'pin',
  money: 'payments',
  tick: 'check_box',
  date: 'calendar_today',
  choice: 'list',
  lookup: 'arrow_outward',
  runningNumber: 'tag',
  time: 'schedule',
  dateTime: 'event',
  picture: 'image',
  file: 'attach_file',
  workedOut: 'functions',
  stamp: 'approval',
};

const STAMPS = {
  createdAt: 'when the row was added',
  createdBy: 'who added the row',
  changedAt: 'when the row was last changed',
  changedBy: 'who last changed the row',
} as const;

/** What a stamp says, in words. */
export const stampWords = (of: keyof typeof STAMPS): string => STAMPS[of];

/** Characters of an expression that still make a short phrase. */
const MOST_SHOWN = 40;

/** What a field is, in a short phrase: `looks up a player · shows surname`. */
export function describe(design: Design, catalog: Catalog, field: Field): string {
  const { type } = field;
  const parts: string[] = [];
  switch (type.kind) {
    case 'lookup': {
      const target = design.tables.find(({ id }) => id === type.table);
      parts.push(target ? `looks up ${oneOf(target.label)}` : 'looks up a table that is gone');
      if (target) {
        const shows = shownWords(lookupDisplay(design, type), catalog, target.id);
        if (shows.length <= MOST_SHOWN) parts.push(`shows ${shows}`);
      }
      if (type.narrowed) {
        const table = design.tables.find(({ fields }) => fields.includes(field));
        if (table) parts.push(`narrowed by ${shownWords(type.narrowed.own, catalog, table.id)}`);
      }
      parts.push(...offered(design, catalog, type));
      break;
    }
    case 'runningNumber':
      parts.push(`running number, from ${type.prefix}${String(type.first).padStart(type.width, '0')}`);
      break;
    case 'wholeNumber':
      parts.push(`whole number${bounds(type)}`);
      break;
    case 'decimal':
    case 'money':
      parts.push(
        `${KIND_LABELS[type.kind].toLowerCase()}, ${type.places} ${type.places === 1 ? 'place' : 'places'}${bounds(type)}`,
      );
      break;
    case 'choice':
      parts.push(`choice of ${type.choices.slice(0, 4).join(', ')}${type.choices.length > 4 ? ' …' : ''}`);
      break;
    case 'text':
      parts.push(
        type.pattern ? `text, ${type.pattern}` : type.most ? `text, up to ${type.most} characters` : 'text',
      );
      break;
    case 'stamp':
      parts.push(stampWords(type.of));
      break;
    case 'workedOut': {
      const table = design.tables.find(({ fields }) => fields.some(({ id }) => id === field.id));
      parts.push(table ? `worked out: ${readable(type.expression, catalog, table.id)}` : 'worked out');
      break;
    }
    default:
      parts.push(KIND_LABELS[type.kind].toLowerCase());
  }
  if (field.start !== null && field.start !== '')
    parts.push(`starts as ${shownWords(field.start, catalog, null)}`);
  if (field.noTwoAlike) parts.push('no two alike');
  return parts.join(' · ');
}

/** What a stored expression gives, in plain words; as it is kept where it cannot be read. */
function shownWords(stored: string, catalog: Catalog, table: string | null): string {
  const text = table === null ? stored : readable(stored, catalog, table);
  const words = attempt(() => shownInWords(bind(text, { catalog, table }).bound, text));
  return words.ok ? words.value : text;
}

/** What is asked of the rows of a table beyond its single fields, each in plain words. */
export const askedOf = (table: Table, catalog: Catalog): string[] => [
  ...table.rules.map(({ expression }) => conditionWords(expression, catalog, table.id)),
  ...table.noTwoAlike.map(
    (ids) =>
      `no two ${table.plural.toLowerCase()} have ${listOf(ids.map((id) => fieldOf(table, id)?.label ?? 'a field that is gone'))} alike`,
  ),
];

/** Which rows a lookup offers, in words where they are short. */
function offered(
  design: Design,
  catalog: Catalog,
  { filter, query, table }: Extract<FieldType, { kind: 'lookup' }>,
): string[] {
  const from = design.queries.find(({ id }) => id === query);
  const words = filter ? conditionWords(filter, catalog, table) : '';
  return [
    ...(from ? [`those of ${from.label}`] : []),
    ...(words === '' ? [] : [words.length <= MOST_SHOWN ? `only where ${words}` : 'only some']),
  ];
}

const bounds = ({ least, greatest }: { least?: string | null; greatest?: string | null }): string =>
  least && greatest
    ? `, ${least} to ${greatest}`
    : least
      ? `, at least ${least}`
      : greatest
        ? `, at most ${greatest}`
        : '';

/** What tables, fields and documents are called, by id. */
export const namesOf = (design: Design): Record<string, string> =>
  Object.fromEntries(
    [...design.tables, ...design.tables.flatMap(({ fields }) => fields), ...documentsOf(design)].map(
      ({ id, label }) => [id, label],
    ),
  );

/** One drafted change in words: `drop the field Note of Hire`. `names` are those before the change. */
export function changeWords(
  design: Design,
  change: Change,
  names: Readonly<Record<string, string>> = {},
): string {
  const id = 'table' in change ? (typeof change.table === 'string' ? change.table : change.table.id) : '';
  const table = design.tables.find((candidate) => candidate.id === id);
  const name = names[id] ?? table?.label ?? 'a table that is gone';
  const fieldName = (field: string): string =>
    names[field] ?? table?.fields.find((candidate) => candidate.id === field)?.label ?? 'a field';
  switch (change.change) {
    case 'addTable':
      return `New table ${change.table.label}`;
    case 'dropTable':
      return `Drop the table ${name}`;
    case 'changeTable':
      return `Change the table ${name}: ${Object.keys(change.set)
        .map((part) => TABLE_PARTS[part] ?? part)
        .join(', ')}`;
    case 'addField':
      return `New field ${change.field.label} in ${name}`;
    case 'changeField':
      return `Change ${fieldName(change.field)} of ${name}: ${Object.keys(change.set)
        .map((part) => FIELD_PARTS[part] ?? part)
        .join(', ')}`;
    case 'dropField':
      return `Drop ${fieldName(change.field)} of ${name}`;
    case 'moveField':
      return `Move ${fieldName(change.field)} of ${name} to place ${change.to + 1}`;
    case 'splitField':
      return `Split ${fieldName(change.field)} of ${name} into ${change.into.map(({ label }) => label).join(' and ')}`;
    case 'mergeFields':
      return `Merge ${change.fields.map(fieldName).join(' and ')} of ${name} into ${change.into.label}`;
    case 'putDocument':
      return `The ${change.document.type} ${change.document.label}`;
    case 'dropDocument':
      return `Drop ${names[change.document] ?? 'a query, form or report'}`;
    case 'dropKept':
      return `Let go of ${design.kept.find((item) => item.id === change.kept)?.name ?? 'something kept'}`;
    case 'putKept':
      return `Keep ${change.kept.name} as SQL`;
    case 'changeSettings':
      return 'Change how the office writes numbers and dates';
  }
}

const TABLE_PARTS: Readonly<Record<string, string>> = {
  name: 'name',
  label: 'label',
  plural: 'plural',
  display: 'how a row is shown',
  key: 'key',
  rules: 'rules',
  links: 'links',
  noTwoAlike: 'what no two rows have alike',
  order: 'order',
};

const FIELD_PARTS: Readonly<Record<string, string>> = {
  name: 'name',
  label: 'label',
  type: 'kind',
  alwaysFilled: 'always filled',
  noTwoAlike: 'no two alike',
  indexed: 'index',
  start: 'starting value',
  rule: 'rule',
};
