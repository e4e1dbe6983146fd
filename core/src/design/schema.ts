import * as v from 'valibot';

/**
 * The shapes of everything a builder makes. Each object is one JSON document in the file; the types
 * are inferred from these schemas, and the API validates with them.
 */

// Control characters other than tab and newline have no place in names and messages.
// eslint-disable-next-line no-control-regex
const CONTROL = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f]/;

const clean = v.check<string, string>(
  (text) => !CONTROL.test(text),
  'It holds a character that cannot be shown.',
);

export const Id = v.pipe(v.string(), v.regex(/^[a-z]{1,3}_[A-Za-z0-9]{1,24}$/, 'This is not an id.'));
export const Label = v.pipe(
  v.string(),
  v.trim(),
  v.minLength(1, 'A name is needed.'),
  v.maxLength(60, 'A name has at most 60 characters.'),
  clean,
);
export const SqlName = v.pipe(
  Label,
  v.check((name) => !/^(hr_|sqlite_)/i.test(name), 'This name is kept for Heathridge itself.'),
);
const ExpressionText = v.pipe(
  v.string(),
  v.trim(),
  v.maxLength(4000, 'An expression has at most 4,000 characters.'),
  clean,
);
const Message = v.pipe(
  v.string(),
  v.trim(),
  v.minLength(1, 'A rule needs a message for the people who meet it.'),
  v.maxLength(300, 'A message has at most 300 characters.'),
  clean,
);
const Places = v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(6));

export const FieldType = v.variant('kind', [
  v.object({
    kind: v.literal('text'),
    most: v.optional(v.nullable(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(10000)))),
  }),
  v.object({ kind: v.literal('longText') }),
  v.object({ kind: v.literal('wholeNumber') }),
  v.object({ kind: v.literal('decimal'), places: Places }),
  v.object({ kind: v.literal('money'), places: Places }),
  v.object({ kind: v.literal('tick') }),
  v.object({ kind: v.literal('date') }),
  v.object({
    kind: v.literal('choice'),
    choices: v.pipe(
      v.array(
        v.pipe(v.string(), v.trim(), v.minLength(1, 'A choice cannot be empty.'), v.maxLength(100), clean),
      ),
      v.minLength(1, 'A Choice field needs at least one choice.'),
      v.maxLength(500, 'A Choice field has at most 500 choices; a table with a lookup suits more.'),
      v.check((list) => new Set(list).size === list.length, 'The same choice stands there twice.'),
    ),
  }),
  v.object({
    kind: v.literal('lookup'),
    table: Id,
    /** What people see of the other row, in stored form; null for the other table's own display. */
    shows: v.nullable(ExpressionText),
    onDelete: v.picklist(['refuse', 'deleteAlong', 'leaveEmpty']),
  }),
  v.object({
    kind: v.literal('runningNumber'),
    prefix: v.pipe(v.string(), v.maxLength(10), clean),
    width: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(12)),
    first: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(1e12)),
  }),
]);

export const Rule = v.object({
  id: Id,
  expression: v.pipe(ExpressionText, v.minLength(1, 'A rule needs an expression.')),
  message: Message,
});

export const Field = v.object({
  id: Id,
  name: SqlName,
  label: Label,
  type: FieldType,
  alwaysFilled: v.boolean(),
  noTwoAlike: v.boolean(),
  /** Kept in order for quick sorting and finding; lookups and fields without doubles always are. */
  indexed: v.optional(v.boolean(), false),
  start: v.nullable(ExpressionText),
  rule: v.nullable(Rule),
});

export const Table = v.object({
  type: v.literal('table'),
  id: Id,
  name: SqlName,
  label: Label,
  plural: Label,
  fields: v.pipe(
    v.array(Field),
    v.minLength(1, 'A table needs a field.'),
    v.maxLength(300, 'A table has at most 300 fields.'),
  ),
  key: v.pipe(v.array(Id), v.minLength(1, 'A table needs a key.')),
  /** How a row is shown in one line, in stored form; null for its key. */
  display: v.nullable(ExpressionText),
});

const ColumnId = v.pipe(v.string(), v.minLength(1), v.maxLength(40));

export const QueryColumn = v.object({
  id: ColumnId,
  label: Label,
  expression: v.pipe(ExpressionText, v.minLength(1, 'A column needs an expression.')),
});

export const Measure = v.object({
  id: ColumnId,
  label: Label,
  total: v.picklist(['count', 'sum', 'average', 'least', 'most']),
  /** Null only for count. */
  expression: v.nullable(ExpressionText),
});

export const Query = v.object({
  type: v.literal('query'),
  id: Id,
  label: Label,
  from: Id,
  with: v.array(
    v.object({ path: v.pipe(v.array(Id), v.minLength(1), v.maxLength(8)), keepWithout: v.boolean() }),
  ),
  where: v.array(v.pipe(ExpressionText, v.minLength(1, 'A condition needs an expression.'))),
  columns: v.array(QueryColumn),
  /** With a group, the columns give way to the group's columns and totals. */
  group: v.nullable(v.object({ by: v.array(QueryColumn), measures: v.array(Measure) })),
  sort: v.array(v.object({ column: ColumnId, descending: v.boolean() })),
  first: v.nullable(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(1000000))),
});

export const Width = v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(12));

const FormField = v.object({
  field: Id,
  width: Width,
  people: v.picklist(['type', 'read']),
});

export const Subform = v.object({
  /** The lookup field in the child table that leads to this form's table. */
  link: Id,
  label: Label,
  fields: v.array(FormField),
  shown: v.boolean(),
});

export const Form = v.object({
  type: v.literal('form'),
  id: Id,
  label: Label,
  table: Id,
  fields: v.array(FormField),
  /** Fields that are not on the form: the shelf. */
  hidden: v.array(Id),
  subforms: v.array(Subform),
});

export const Report = v.object({
  type: v.literal('report'),
  id: Id,
  label: Label,
  source: v.object({ kind: v.picklist(['table', 'query']), id: Id }),
  columns: v.array(
    v.object({
      /** A field's id of a table, a column's id of a query. */
      column: ColumnId,
      label: Label,
      sum: v.boolean(),
      share: v.optional(v.pipe(v.number(), v.minValue(0.2), v.maxValue(10))),
    }),
  ),
  group: v.nullable(v.object({ column: ColumnId, newPage: v.boolean() })),
  sort: v.nullable(v.object({ column: ColumnId, descending: v.boolean() })),
  paper: v.picklist(['A4 tall', 'A4 wide']),
});

export const Settings = v.object({
  type: v.literal('settings'),
  id: Id,
  decimalMark: v.picklist(['.', ',']),
  groupMark: v.picklist([',', '.', ' ', '’', '']),
  currency: v.pipe(v.string(), v.maxLength(5), clean),
  dateOrder: v.picklist(['dmy', 'mdy', 'ymd']),
});

export const Definition = v.variant('type', [Table, Query, Form, Report, Settings]);

export type FieldType = v.InferOutput<typeof FieldType>;
export type Rule = v.InferOutput<typeof Rule>;
export type Field = v.InferOutput<typeof Field>;
export type Table = v.InferOutput<typeof Table>;
export type Query = v.InferOutput<typeof Query>;
export type QueryColumn = v.InferOutput<typeof QueryColumn>;
export type Measure = v.InferOutput<typeof Measure>;
export type Form = v.InferOutput<typeof Form>;
export type Subform = v.InferOutput<typeof Subform>;
export type Report = v.InferOutput<typeof Report>;
export type Settings = v.InferOutput<typeof Settings>;
export type Definition = v.InferOutput<typeof Definition>;

/** All definitions of a file. */
export interface Design {
  /** Grows with every change of any definition; a draft names the one it starts from. */
  readonly version: number;
  readonly settings: Settings;
  readonly tables: readonly Table[];
  readonly queries: readonly Query[];
  readonly forms: readonly Form[];
  readonly reports: readonly Report[];
}

export const SETTINGS_ID = 's_file';

export const emptyDesign = (): Design => ({
  version: 0,
  settings: {
    type: 'settings',
    id: SETTINGS_ID,
    decimalMark: '.',
    groupMark: ',',
    currency: '£',
    dateOrder: 'dmy',
  },
  tables: [],
  queries: [],
  forms: [],
  reports: [],
});

export type KindName = FieldType['kind'];

/** The kinds of field, in the order in which they are offered, with their names for people. */
export const KIND_LABELS: Readonly<Record<KindName, string>> = {
  text: 'Text',
  longText: 'Long text',
  wholeNumber: 'Whole number',
  decimal: 'Decimal',
  money: 'Money',
  tick: 'Tick',
  date: 'Date',
  choice: 'Choice',
  lookup: 'Lookup',
  runningNumber: 'Running number',
};
