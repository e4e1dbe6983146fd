import * as v from 'valibot';
import { isEnclosed, making } from '../expression';
import { characters, DATE_STEPS, isTimeZone, parsePattern, type Total } from '../values';
import { issueWords } from './issue-words';

// Where a schema has no words of its own.
v.setGlobalMessage(issueWords);

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
/** Characters as people count them that a name may have, and units of UTF-16 that those may take. */
export const MOST_OF_NAME = 60;
export const MOST_UNITS_OF_NAME = 600;

export const Label = v.pipe(
  v.string(),
  v.trim(),
  v.minLength(1, 'A name is needed.'),
  v.maxLength(MOST_UNITS_OF_NAME, 'A name has at most 60 characters.'),
  v.check((name) => characters(name) <= MOST_OF_NAME, 'A name has at most 60 characters.'),
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
const maybe = <S extends v.GenericSchema>(schema: S) => v.optional(v.nullable(schema));
const DecimalText = v.pipe(
  v.string(),
  v.regex(/^-?\d{1,15}(\.\d{1,6})?$/, 'A bound is a number such as 12 or 0.50.'),
);
const Unit = maybe(v.pipe(v.string(), v.trim(), v.maxLength(12), clean));
const NUMBER = {
  /** The least and the greatest number allowed. */
  least: maybe(DecimalText),
  greatest: maybe(DecimalText),
  /** Written after the number: `cm`, `%`. */
  unit: Unit,
  /** Without marks between thousands. */
  plain: v.optional(v.boolean()),
};
const Style = v.optional(v.picklist(['short', 'long', 'numbers', 'iso']));
const Currency = v.pipe(
  v.string(),
  v.trim(),
  v.maxLength(5, 'A currency is a sign or a code of at most 5 characters.'),
  clean,
);

const TextKind = v.object({
  kind: v.literal('text'),
  most: maybe(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(10000))),
  /** Its shape in picture symbols. */
  pattern: maybe(
    v.pipe(
      v.string(),
      v.trim(),
      v.minLength(1),
      v.maxLength(80),
      v.check<string, string>((source) => parsePattern(source).ok, 'This pattern cannot be read.'),
    ),
  ),
});
const LongText = v.object({ kind: v.literal('longText') });
const WholeNumber = v.object({ kind: v.literal('wholeNumber'), ...NUMBER });
const Decimal = v.object({ kind: v.literal('decimal'), places: Places, ...NUMBER });
const Money = v.object({ kind: v.literal('money'), places: Places, ...NUMBER, currency: maybe(Currency) });
const Tick = v.object({ kind: v.literal('tick') });
const DateOnly = v.object({ kind: v.literal('date'), style: Style });
const TimeOfDay = v.object({ kind: v.literal('time'), seconds: v.optional(v.boolean()) });
const DateTime = v.object({ kind: v.literal('dateTime'), style: Style, seconds: v.optional(v.boolean()) });

/** The colours a choice can have: names of the palette, never values of the screen. */
export const COLOURS = ['slate', 'moss', 'heather', 'gorse', 'rust', 'sky', 'sand'] as const;

const ChoiceText = v.pipe(
  v.string(),
  v.trim(),
  v.minLength(1, 'A choice cannot be empty.'),
  v.maxLength(100),
  clean,
);

/** Whether a text can be a choice: it is not empty, of one line and not too long. */
export const isChoiceText = (text: string): boolean => v.is(ChoiceText, text);

/** What an expression gives, and how it is shown. */
export const Result = v.variant('kind', [
  TextKind,
  WholeNumber,
  Decimal,
  Money,
  Tick,
  DateOnly,
  TimeOfDay,
  DateTime,
]);

/** What answers questions of a query, each as an expression over a row. */
export const Answering = v.pipe(
  v.array(
    v.object({ question: Id, by: v.pipe(ExpressionText, v.minLength(1, 'An answer needs an expression.')) }),
  ),
  v.maxLength(20, 'At most 20 questions are answered.'),
);

export const FieldType = v.variant('kind', [
  TextKind,
  LongText,
  WholeNumber,
  Decimal,
  Money,
  Tick,
  DateOnly,
  TimeOfDay,
  DateTime,
  v.object({
    kind: v.literal('choice'),
    choices: v.pipe(
      v.array(ChoiceText),
      v.minLength(1, 'A Choice field needs at least one choice.'),
      v.maxLength(500, 'A Choice field has at most 500 choices; a table with a lookup suits more.'),
      v.check((list) => new Set(list).size === list.length, 'The same choice stands there twice.'),
    ),
    colours: v.optional(v.pipe(v.record(ChoiceText, v.picklist(COLOURS)), v.maxEntries(500))),
    as: v.optional(v.picklist(['dropdown', 'radio'])),
  }),
  v.object({
    kind: v.literal('lookup'),
    table: Id,
    /** What people see of the other row, in stored form; null for the other table's own display. */
    shows: v.nullable(ExpressionText),
    onDelete: v.picklist(['refuse', 'deleteAlong', 'leaveEmpty']),
    /** The choices are the rows of the other table that this query tells; null for all of its rows. */
    query: maybe(Id),
    /** What answers the questions of that query, over this row; the others have their starting values. */
    answers: v.optional(Answering),
    /** A condition over the other table that a row must meet to be offered. */
    filter: maybe(ExpressionText),
    /** Only rows whose `other` (over the other table) is the value of `own` (over this row) are offered. */
    narrowed: maybe(v.object({ own: ExpressionText, other: ExpressionText })),
    /** The order of the choices, over the other table; null for that of what is shown. */
    order: maybe(v.object({ by: ExpressionText, descending: v.boolean() })),
    /** More columns beside what is shown, while choosing. */
    columns: v.optional(v.pipe(v.array(ExpressionText), v.maxLength(6))),
    /** Whether a row that is missing may be added while choosing. */
    addHere: v.optional(v.boolean()),
  }),
  v.object({
    kind: v.literal('runningNumber'),
    prefix: v.pipe(v.string(), v.maxLength(10), clean),
    width: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(12)),
    first: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(1e12)),
  }),
  v.object({ kind: v.literal('picture') }),
  v.object({ kind: v.literal('file') }),
  v.object({
    kind: v.literal('stamp'),
    of: v.picklist(['createdAt', 'createdBy', 'changedAt', 'changedBy']),
    style: Style,
  }),
  v.object({
    kind: v.literal('workedOut'),
    expression: v.pipe(ExpressionText, v.minLength(1, 'A field that is worked out needs an expression.')),
    result: Result,
  }),
]);

export const Rule = v.object({
  id: Id,
  expression: v.pipe(ExpressionText, v.minLength(1, 'A rule needs an expression.')),
  /** Read by people when the rule is broken; `{expression}` gives way to the row's own value. */
  message: Message,
  /** Only new rows must keep it, and rows that keep it already: rows that break it may stay. */
  newRowsOnly: v.optional(v.boolean()),
});

/** A foreign key of several fields. One of a single field is a lookup. */
export const TableLink = v.object({
  id: Id,
  name: SqlName,
  label: Label,
  table: Id,
  /** Fields of this table, each beside the key field of the other table that it holds. */
  on: v.pipe(
    v.array(v.object({ own: Id, other: Id })),
    v.minLength(2, 'A link of several fields needs at least two; a lookup is a link of one.'),
    v.maxLength(16),
  ),
  onDelete: v.picklist(['refuse', 'deleteAlong', 'leaveEmpty']),
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
  key: v.pipe(
    v.array(Id),
    v.minLength(1, 'A table needs a key.'),
    v.maxLength(16, 'A key has at most 16 fields.'),
  ),
  /** How a row is shown in one line, in stored form; null for its key. */
  display: v.nullable(ExpressionText),
  /** Rules over several fields, or over other rows. */
  rules: v.optional(v.pipe(v.array(Rule), v.maxLength(100)), []),
  links: v.optional(v.pipe(v.array(TableLink), v.maxLength(50)), []),
  /** Fields whose values no two rows have all alike; a row where one of them is empty is like no other. */
  noTwoAlike: v.optional(
    v.pipe(v.array(v.pipe(v.array(Id), v.minLength(2), v.maxLength(32))), v.maxLength(100)),
    [],
  ),
  /** The order in which rows are listed; empty for that of the key. */
  order: v.optional(v.pipe(v.array(v.object({ field: Id, descending: v.boolean() })), v.maxLength(5)), []),
});

const ColumnId = v.pipe(v.string(), v.minLength(1), v.maxLength(40));

const ColumnOf = {
  id: ColumnId,
  label: Label,
  expression: v.pipe(ExpressionText, v.minLength(1, 'A column needs an expression.')),
};

export const QueryColumn = v.object({
  ...ColumnOf,
  /** How its numbers are shown, rounded to so many places; as what they are worked out of where nothing is said. */
  shown: v.optional(
    v.variant('kind', [
      v.object({ kind: v.literal('wholeNumber') }),
      v.object({ kind: v.literal('decimal'), places: Places, unit: Unit }),
      v.object({ kind: v.literal('money'), places: Places }),
    ]),
  ),
});

export const GroupColumn = v.object({
  ...ColumnOf,
  /** By the year, quarter, month or week of a date, which is its first day; a week begins on a Monday. */
  step: v.optional(v.picklist(DATE_STEPS)),
});

export const Measure = v.object({
  id: ColumnId,
  label: Label,
  /**
   * `distinct` counts values that differ, `joined` puts them behind one another, in their order; `first` and `last` are
   * those of the rows in the order of `by`. Of the sums of all groups: `share` is the part of the whole, `running` adds up
   * from group to group, `change` is the difference to the group before.
   */
  total: v.picklist([
    'count',
    'distinct',
    'sum',
    'average',
    'median',
    'least',
    'most',
    'first',
    'last',
    'joined',
    'share',
    'running',
    'change',
  ]),
  /** Null only where rows are counted: for count, and for what is made of the counts of groups. */
  expression: v.nullable(ExpressionText),
  /** For first and last; without it they are in the order of their keys. */
  by: v.optional(ExpressionText),
  /** Each row that it is about counts once, however many rows stand beside it. */
  once: v.optional(v.boolean()),
});

/** A part of a sentence that says nothing for now, and what somebody has noted beside it. */
const Aside = {
  off: v.optional(v.boolean()),
  note: v.optional(
    v.pipe(v.string(), v.trim(), v.maxLength(300, 'A note has at most 300 characters.'), clean),
  ),
};

/**
 * Rows that a query puts beside those which it has: the row that a lookup or a link of several fields leads to
 * (`link`), the rows that lead here (`children`), those with an equal text (`same`), or those that meet a condition.
 */
export const QueryJoin = v.object({
  id: Id,
  /** The join beside whose rows it stands; null for the rows that the query starts from. */
  at: v.nullable(Id),
  by: v.variant('by', [
    v.object({ by: v.literal('link'), link: Id }),
    v.object({ by: v.literal('children'), link: Id }),
    v.object({
      by: v.literal('same'),
      /** A table or a query. */
      from: Id,
      /** Over the rows of the query, and over those of `from`. */
      own: v.pipe(ExpressionText, v.minLength(1, 'What is compared needs an expression.')),
      other: v.pipe(ExpressionText, v.minLength(1, 'What is compared needs an expression.')),
      trimmed: v.boolean(),
      anyCase: v.boolean(),
    }),
    v.object({
      by: v.literal('condition'),
      from: Id,
      /** Over the rows of the query, with those of `from` under the name of the join. */
      condition: v.pipe(ExpressionText, v.minLength(1, 'A condition needs an expression.')),
    }),
  ]),
  /** What its rows are called in expressions; what a link leads to is reached by the name of that. */
  name: v.optional(SqlName),
  keepWithout: v.boolean(),
  ...Aside,
});

/** The most conditions beside one another, and how deep they stand in one another. */
const [MOST_CONDITIONS, MOST_CONDITION_DEPTH] = [100, 6];

export interface ConditionGroup {
  readonly is: 'all' | 'any';
  readonly of: readonly QueryCondition[];
  readonly off?: boolean | undefined;
  readonly note?: string | undefined;
}
export type QueryCondition = v.InferOutput<typeof PlainCondition> | ConditionGroup;

const PlainCondition = v.object({
  is: v.literal('so'),
  expression: v.pipe(ExpressionText, v.minLength(1, 'A condition needs an expression.')),
  ...Aside,
});
const Conditions: v.GenericSchema<unknown, QueryCondition[]> = v.pipe(
  v.array(v.lazy(() => QueryCondition)),
  v.maxLength(MOST_CONDITIONS, `At most ${MOST_CONDITIONS} conditions stand beside one another.`),
);
/** A condition, or several of which all hold, or any. */
export const QueryCondition: v.GenericSchema<unknown, QueryCondition> = v.variant('is', [
  PlainCondition,
  v.object({ is: v.picklist(['all', 'any']), of: Conditions, ...Aside }),
]);

const conditionDepth = (conditions: readonly QueryCondition[]): number =>
  1 + Math.max(0, ...conditions.map((item) => (item.is === 'so' ? 0 : conditionDepth(item.of))));

const conditionCount = (conditions: readonly QueryCondition[]): number =>
  conditions.reduce((sum, item) => sum + (item.is === 'so' ? 1 : 1 + conditionCount(item.of)), 0);

/** Conditions in one another multiply: 20,000 of them kept a server busy for 39 s. */
const MOST_CONDITIONS_IN_ALL = 500;

/** Conditions that all hold. */
export const QueryConditions = v.pipe(
  Conditions,
  v.check(
    (conditions) => conditionDepth(conditions) <= MOST_CONDITION_DEPTH,
    `Conditions stand in one another at most ${MOST_CONDITION_DEPTH} deep.`,
  ),
  v.check(
    (conditions) => conditionCount(conditions) <= MOST_CONDITIONS_IN_ALL,
    `A query has at most ${MOST_CONDITIONS_IN_ALL} conditions in all.`,
  ),
);

/** Something that is asked of whoever reads a query. */
export const QueryQuestion = v.object({
  id: Id,
  /** What the answer is called in expressions. */
  name: SqlName,
  label: Label,
  answer: v.variant('kind', [
    v.object({ kind: v.picklist(['text', 'wholeNumber', 'date', 'tick']) }),
    v.object({ kind: v.literal('decimal'), places: Places }),
    /** One of the choices of a lookup field. */
    v.object({ kind: v.literal('lookup'), field: Id }),
  ]),
  /** The answer it starts with, as an expression without fields; null for none. */
  start: v.nullable(ExpressionText),
  /** Without an answer there is no result; otherwise the conditions that ask for it are left out then. */
  needed: v.boolean(),
});

const Values = v.pipe(
  v.array(ColumnId),
  v.minLength(1, 'A chart draws at least one column.'),
  v.maxLength(12, 'A chart draws at most 12 columns.'),
);

/**
 * How a result is drawn; columns are those of the result. `split`: each of its values is a series of its own; `apart`:
 * each is a small chart of its own.
 */
export const Chart = v.variant('as', [
  v.object({
    as: v.picklist(['bars', 'lines', 'areas']),
    along: ColumnId,
    values: Values,
    split: v.optional(ColumnId),
    apart: v.optional(ColumnId),
    /** How the series stand to one another; `shares`: as parts of a hundred. */
    pile: v.picklist(['beside', 'stacked', 'shares']),
  }),
  v.object({
    as: v.literal('points'),
    across: ColumnId,
    up: ColumnId,
    split: v.optional(ColumnId),
    apart: v.optional(ColumnId),
  }),
  /** How the values of one column spread: a histogram. */
  v.object({ as: v.literal('spread'), of: ColumnId, apart: v.optional(ColumnId) }),
  v.object({ as: v.literal('pie'), along: ColumnId, value: ColumnId, apart: v.optional(ColumnId) }),
]);

/** How groups are laid out as a pivot: some run across, the others down. */
export const Pivot = v.object({
  across: v.pipe(v.array(ColumnId), v.maxLength(30)),
  /** Whether cells are shaded by their values. */
  heat: v.boolean(),
  /** The rows in the order of their totals of one measure; in that of the query where nothing is said. */
  order: v.optional(v.object({ measure: ColumnId, descending: v.boolean() })),
});

/**
 * A result that is written in SQL, with the columns that it gave when it last ran. `scaled`: a column holds decimals as
 * whole numbers of their last place, as tables keep them.
 */
export const Written = v.object({
  sql: v.pipe(
    v.string(),
    v.minLength(1, 'A query needs SQL.'),
    v.maxLength(20_000, 'SQL of a query has at most 20,000 characters.'),
  ),
  columns: v.pipe(
    v.array(
      v.object({
        id: ColumnId,
        name: v.pipe(v.string(), v.maxLength(200)),
        label: Label,
        result: Result,
        scaled: v.boolean(),
      }),
    ),
    v.maxLength(100, 'A query in SQL gives at most 100 columns.'),
  ),
});

export const Query = v.object({
  type: v.literal('query'),
  id: Id,
  label: Label,
  /** A table or a query. */
  from: Id,
  questions: v.optional(
    v.pipe(v.array(QueryQuestion), v.maxLength(20, 'A query asks at most 20 things.')),
    [],
  ),
  joins: v.pipe(
    v.array(QueryJoin),
    v.maxLength(30, 'A query puts the rows of at most 30 tables beside its own.'),
  ),
  where: QueryConditions,
  columns: v.pipe(v.array(QueryColumn), v.maxLength(300, 'A query shows at most 300 columns.')),
  /** With a group, the columns give way to the group's columns and totals. */
  group: v.nullable(
    v.object({
      by: v.pipe(v.array(GroupColumn), v.maxLength(30, 'Rows are grouped by at most 30 things.')),
      measures: v.pipe(v.array(Measure), v.maxLength(100, 'A group works out at most 100 things.')),
    }),
  ),
  /** Over the columns of the result. */
  keep: v.optional(QueryConditions, []),
  /** Of rows that are alike in all columns only one is kept. */
  unlike: v.optional(v.boolean(), false),
  sort: v.pipe(
    v.array(v.object({ column: ColumnId, descending: v.boolean() })),
    v.maxLength(30, 'Rows are sorted by at most 30 columns.'),
  ),
  first: v.nullable(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(1000000))),
  /** Columns of the result: so many rows are kept of each of their values, not of all rows together. */
  firstOf: v.optional(
    v.pipe(v.array(ColumnId), v.maxLength(30, 'Rows are told apart by at most 30 columns.')),
  ),
  /** Queries whose rows stand beneath those of the query it starts from, column by column. */
  stack: v.optional(v.pipe(v.array(Id), v.maxLength(10, 'At most 10 results stand beneath another.'))),
  chart: v.optional(Chart),
  pivot: v.optional(Pivot),
  /** Set where it is written in SQL: of its sentence nothing counts then but what it asks for. */
  written: v.optional(Written),
});

export const Width = v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(12));

/** What people may do to the rows a screen shows. */
const RowRights = v.object({ add: v.boolean(), change: v.boolean(), delete: v.boolean() });
/** `relink`: they may move a row to another record. */
const SubformRights = v.object({ ...RowRights.entries, relink: v.boolean() });

/** Where the label of a control stands: above it, left of it, there at its right end beside the control, or nowhere; above without a word. */
const LabelAt = v.optional(v.picklist(['above', 'left', 'end', 'none']));

const CellCondition = v.pipe(ExpressionText, v.minLength(1, 'A condition needs an expression.'));

/** A field with its control. */
export const FormCell = v.object({
  part: v.literal('cell'),
  field: Id,
  width: Width,
  people: v.picklist(['type', 'read']),
  labelAt: LabelAt,
  /** How a choice is chosen; as its field says where it is not said. */
  as: v.optional(v.picklist(['list', 'radio'])),
  /** Over the row around it: where it holds, nothing is typed into it. */
  readIf: v.optional(CellCondition),
  /** Where this holds it is not there, and nobody is told what it holds. */
  hideIf: v.optional(CellCondition),
  /** For a lookup: the picture field of the row it leads to, which is shown small beside its text. */
  picture: v.optional(Id),
});

/** Something worked out on a form: a total over the rows of a subform, a text of several fields. */
export const FormWorked = v.object({
  part: v.literal('worked'),
  id: Id,
  label: Label,
  width: Width,
  labelAt: LabelAt,
  /** Over the row around it, in stored form. */
  expression: v.pipe(ExpressionText, v.minLength(1, 'What is worked out needs an expression.')),
  result: Result,
});

/** Which rows are shown, in what order, and how many at first. */
const RowsShown = {
  /** Only those that this query tells: rows of their table, or their keys in one of its columns; none for all. */
  query: v.optional(Id),
  /** What all of them meet, over a row of their table; none for all rows. */
  conditions: v.optional(
    v.pipe(
      v.array(v.pipe(ExpressionText, v.minLength(1, 'A condition needs an expression.'))),
      v.maxLength(20, 'At most 20 conditions stand beside one another.'),
    ),
  ),
  /** Empty, or none, for the order of their table. */
  order: v.optional(v.pipe(v.array(v.object({ field: Id, descending: v.boolean() })), v.maxLength(5))),
};

/** The fields of a level in the order of the Tab key, where it is not that of reading: others follow in that. */
const TabOrder = v.optional(v.pipe(v.array(Id), v.maxLength(300)));

/** Totals of a column beneath the rows of a subform. */
const TOTALS = ['sum', 'average', 'least', 'most', 'count'] as const satisfies readonly Total[];
const SumLine = v.object({ field: Id, total: v.picklist(TOTALS) });

/** Words on a form: a heading, or a note. */
const FormNote = v.object({
  part: v.literal('note'),
  id: Id,
  width: Width,
  look: v.picklist(['heading', 'note']),
  text: v.pipe(v.string(), v.trim(), v.minLength(1, 'A note needs words.'), v.maxLength(2000)),
});

/** Characters of a picture on a form, as it is kept in its definition: about 110 kB. */
export const MOST_PICTURE_TEXT = 150_000;

/** A picture that belongs to the form, not to a record: a logo, a plan of the building. */
const FormPicture = v.object({
  part: v.literal('picture'),
  id: Id,
  width: Width,
  /** What it shows, for who does not see it. */
  about: Label,
  /** The bytes, as a data URL (RFC 2397). */
  source: v.pipe(
    v.string(),
    v.maxLength(MOST_PICTURE_TEXT, 'This picture is too large for a form.'),
    v.regex(
      /^data:image\/(png|jpeg|webp);base64,[A-Za-z0-9+/]+={0,2}$/,
      'This is no PNG, JPEG or WebP picture.',
    ),
  ),
});

/** What a field becomes by a prepared change, as an expression over its row. */
const Setting = v.object({
  field: Id,
  expression: v.pipe(ExpressionText, v.minLength(1, 'What a field becomes needs an expression.')),
});

/** What a button on a form does, for the row around it. */
export const ButtonAct = v.variant('act', [
  /** Prints the record as it stands on the page, or those rows of a report that belong to it. */
  v.object({
    act: v.literal('print'),
    report: v.nullable(Id),
    /** What answers the questions of the report's query, over the row around the button. */
    answers: v.optional(Answering),
  }),
  /**
   * Opens another screen: on this row itself (`link` null), on the row to which a lookup leads, or, by a lookup of the
   * screen's own table that leads here, on the rows that belong to this one.
   */
  v.object({ act: v.literal('open'), screen: Id, link: v.nullable(Id) }),
  /** Changes rows as the builder has prepared it: this one, those that lead to it by a link, or those of a table. */
  v.object({
    act: v.literal('change'),
    rows: v.picklist(['this', 'belonging', 'all']),
    /** The link by which rows belong to this one, or the table of which all are meant; null for this row. */
    of: v.nullable(Id),
    conditions: v.pipe(
      v.array(CellCondition),
      v.maxLength(20, 'At most 20 conditions stand beside one another.'),
    ),
    sets: v.pipe(v.array(Setting), v.maxLength(20, 'A button sets at most 20 fields.')),
  }),
]);

const FormButton = v.object({
  part: v.literal('button'),
  id: Id,
  label: Label,
  width: Width,
  does: ButtonAct,
});

interface Nest {
  readonly parts: AnyPart[];
}

/** The parts of a form as a type: what a schema that holds itself cannot tell of itself. */
type AnyPart =
  | v.InferOutput<typeof FormCell>
  | v.InferOutput<typeof FormNote>
  | v.InferOutput<typeof FormWorked>
  | v.InferOutput<typeof FormPicture>
  | v.InferOutput<typeof FormButton>
  | (Nest & v.InferOutput<typeof SubformOwn>)
  | (Nest & v.InferOutput<typeof SectionOwn>)
  | (v.InferOutput<typeof TabsOwn> & { readonly tabs: (Nest & v.InferOutput<typeof TabOwn>)[] });

/** Parts that stand beside one another, at most. */
const MOST_PARTS = 300;
/** How deep parts stand within parts, at most: what goes deeper is hardly found by anybody. */
const MOST_DEPTH = 12;

const Parts = v.pipe(
  v.array(v.lazy((): v.GenericSchema<unknown, AnyPart> => FormPart)),
  v.maxLength(MOST_PARTS, `At most ${MOST_PARTS} parts stand beside one another.`),
);

const SubformOwn = v.object({
  part: v.literal('subform'),
  /** The lookup field in the child table that leads to the row around it. */
  link: Id,
  label: Label,
  /**
   * Rows beneath one another with a heading each column, or each row as a card. On a list screen: a few words of each
   * row within a cell, or a list of their own that follows for the row that is picked (`next`).
   */
  look: v.picklist(['grid', 'cards', 'next']),
  rights: SubformRights,
  ...RowsShown,
  /** Rows that are shown at first; the others when they are asked for. Null for as many as are read at once. */
  most: maybe(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(500))),
  /** The totals beneath its rows; null for the sums of its money. */
  sums: maybe(v.pipe(v.array(SumLine), v.maxLength(20))),
  tabOrder: TabOrder,
});
const SectionOwn = v.object({ part: v.literal('section'), id: Id, label: Label });
const TabsOwn = v.object({ part: v.literal('tabs'), id: Id });
const TabOwn = v.object({ id: Id, label: Label });

/** The rows of another table that lead to the row around them; what is in it is laid out for each of them. */
export const Subform = v.object({ ...SubformOwn.entries, parts: Parts });
/** Parts that belong together, beneath a heading. */
const FormSection = v.object({ ...SectionOwn.entries, parts: Parts });
/** A long form in sheets, of which one is seen at a time. */
const FormTabs = v.object({
  ...TabsOwn.entries,
  tabs: v.pipe(
    v.array(v.object({ ...TabOwn.entries, parts: Parts })),
    v.minLength(1, 'There is no tab.'),
    v.maxLength(20, 'At most 20 tabs stand beside one another.'),
  ),
});

/** A part of the layout of a form: a tree, as deep as the links go. */
export const FormPart = v.variant('part', [
  FormCell,
  FormNote,
  FormWorked,
  FormPicture,
  FormButton,
  Subform,
  FormSection,
  FormTabs,
]);

/** Whether what came nests no deeper than parts do: asked before anything walks through it. */
const isShallow = (value: unknown, left = 2 * MOST_DEPTH): boolean =>
  typeof value !== 'object' ||
  value === null ||
  (left > 0 && Object.values(value).every((inner) => isShallow(inner, left - 1)));

export const Form = v.object({
  type: v.literal('form'),
  id: Id,
  label: Label,
  table: Id,
  parts: v.pipe(
    v.custom<unknown>((value) => isShallow(value), 'The parts of this form are nested too deeply.'),
    Parts,
  ),
  rights: RowRights,
  ...RowsShown,
  /**
   * Whether it begins with the first of its records, or with a blank one; or is for entering alone: one blank record
   * after another, beside no list.
   */
  opens: v.optional(v.picklist(['first', 'blank', 'entering']), 'first'),
  /** Set where it shows its records beneath one another: its parts are columns then, and lists that follow. */
  list: v.optional(
    v.object({
      /** It begins with its rows; or with a line in which one of them is found, whose rows then follow. */
      starts: v.picklist(['rows', 'line']),
      /** Whether each row is saved when it is left, or all that were changed when somebody says so. */
      saves: v.picklist(['row', 'together']),
      /** Whether how many rows it lists stands on Today. */
      watch: v.optional(v.boolean()),
      /** The field whose values are the columns in which its rows stand as cards; none for rows beneath one another. */
      cards: v.optional(Id),
    }),
  ),
  /** How it looks; as plain as can be where it is not said. */
  look: v.optional(
    v.object({
      shape: v.picklist(['quiet', 'bands', 'rules', 'tints']),
      colour: v.pipe(v.string(), v.regex(/^#[0-9a-f]{6}$/, 'A colour is written like #2c6a4f.')),
    }),
  ),
  /** Fields of the record in which its list finds what is searched for, beside what a row is shown as. */
  finds: v.optional(v.pipe(v.array(Id), v.maxLength(20, 'At most 20 fields are searched.'))),
  tabOrder: TabOrder,
});

export const Report = v.object({
  type: v.literal('report'),
  id: Id,
  label: Label,
  source: v.object({ kind: v.picklist(['table', 'query']), id: Id }),
  columns: v.pipe(
    v.array(
      v.object({
        /** A field's id of a table, a column's id of a query. */
        column: ColumnId,
        label: Label,
        sum: v.boolean(),
        share: v.optional(v.pipe(v.number(), v.minValue(0.2), v.maxValue(10))),
      }),
    ),
    v.maxLength(300, 'A report has at most 300 columns.'),
  ),
  group: v.nullable(v.object({ column: ColumnId, newPage: v.boolean() })),
  sort: v.nullable(v.object({ column: ColumnId, descending: v.boolean() })),
  paper: v.picklist(['A4 tall', 'A4 wide']),
});

/** How high a part of a board is, in steps of its grid. */
const Height = v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(30));

/** Where a part of a board stands: how wide, of 12, and how high. */
const OnBoard = { id: Id, width: Width, height: Height };

/** Several screens side by side on one. */
const BoardPart = v.variant('part', [
  v.object({ part: v.literal('note'), ...OnBoard, look: FormNote.entries.look, text: FormNote.entries.text }),
  /** The rows of a screen; without a name of its own it is called what the screen is called. */
  v.object({ part: v.literal('list'), ...OnBoard, label: v.optional(Label), screen: Id }),
  /** How many rows a screen has. */
  v.object({ part: v.literal('number'), ...OnBoard, label: v.optional(Label), screen: Id }),
  /** What a query gives: drawn as it says, or its groups laid out both ways. */
  v.object({ part: v.picklist(['chart', 'pivot']), ...OnBoard, label: v.optional(Label), query: Id }),
]);

/** Parts of a board, at most: each asks for rows of its own. */
export const MOST_ON_BOARD = 24;

/**
 * The lookups from the rows of a part to what a filter asks for, the last field included, where it is not the shortest
 * way that links make; null where the filter leaves that part alone.
 */
const FilterWays = v.pipe(
  v.array(v.object({ part: Id, way: v.nullable(v.pipe(v.array(Id), v.minLength(1), v.maxLength(4))) })),
  v.maxLength(MOST_ON_BOARD),
);

/** What narrows all parts of a board at once that have to do with it. */
const BoardFilter = v.variant('by', [
  /** One row of a table, which somebody finds. */
  v.object({ by: v.literal('row'), id: Id, label: Label, table: Id, ways: FilterWays }),
  /** Days, from one to another. */
  v.object({
    by: v.literal('days'),
    id: Id,
    label: Label,
    starts: v.picklist(['all', 'today', 'week', 'month', 'quarter', 'year']),
    ways: FilterWays,
  }),
]);

export const Board = v.object({
  type: v.literal('board'),
  id: Id,
  label: Label,
  parts: v.pipe(
    v.array(BoardPart),
    v.maxLength(MOST_ON_BOARD, `At most ${MOST_ON_BOARD} parts stand on a board.`),
  ),
  filters: v.pipe(v.array(BoardFilter), v.maxLength(4, 'A board has at most 4 filters.')),
});

/** What people with a role may do to the rows of a table, and which of them they have to do with. */
const TableRights = v.object({
  table: Id,
  read: v.boolean(),
  ...RowRights.entries,
  /** A field that holds somebody's name: only rows that hold one's own are there for her. Null for all rows. */
  own: maybe(Id),
  /** What all rows meet that are there for her, over a row of the table. */
  conditions: v.optional(RowsShown.conditions.wrapped, []),
});

/** What those who have it find on the Desk. Within it a screen decides, and a screen gives nobody more. */
export const RoleDefinition = v.object({
  type: v.literal('role'),
  id: Id,
  label: Label,
  /** The screens and boards that are there, in the order of all screens. */
  screens: v.pipe(v.array(Id), v.maxLength(500)),
  /** Tables on which there are limits; on others there are none. */
  tables: v.pipe(v.array(TableRights), v.maxLength(500)),
  /** Fields that nobody with this role types into, or that are not there for her. */
  fields: v.pipe(v.array(v.object({ field: Id, people: v.picklist(['read', 'hidden']) })), v.maxLength(5000)),
});

/** Something of an adopted file that has no definition of its own and is kept as SQL. */
export const Kept = v.pipe(
  v.object({
    type: v.literal('kept'),
    id: Id,
    /** The table it belongs to; null for a view. */
    table: v.nullable(Id),
    what: v.picklist(['check', 'index', 'trigger', 'view']),
    name: v.pipe(v.string(), v.minLength(1), v.maxLength(200)),
    /** The statement that makes it; for a check the condition alone. */
    sql: v.pipe(v.string(), v.minLength(1), v.maxLength(20_000)),
  }),
  v.check(
    ({ what, sql }) => (what === 'check' ? isEnclosed(sql) : making(sql) === what),
    'What is kept as SQL must be one statement of its kind, or one condition.',
  ),
);

/** The format of definitions that this version writes. */
export const FORMAT = 16;

export const Settings = v.object({
  type: v.literal('settings'),
  id: Id,
  /** The format of all definitions of the file. */
  format: v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(1_000_000)), FORMAT),
  decimalMark: v.picklist(['.', ',']),
  groupMark: v.picklist([',', '.', ' ', '’', '']),
  currency: Currency,
  dateOrder: v.picklist(['dmy', 'mdy', 'ymd']),
  timeZone: v.optional(
    v.pipe(
      v.string(),
      v.maxLength(60),
      v.check<string, string>(isTimeZone, 'This is not a time zone, such as Europe/London.'),
    ),
    'UTC',
  ),
});

/**
 * The lists of a design, and of what each consists: the one place that says which types of definition there
 * are. What a new type of document does is asked for by `core/documents`; everything that keeps, sends,
 * compares, changes or names definitions goes through these lists.
 */
export const LISTS = {
  tables: Table,
  queries: Query,
  forms: Form,
  boards: Board,
  reports: Report,
  roles: RoleDefinition,
  kept: Kept,
} as const;

export type ListName = keyof typeof LISTS;
type Listed = (typeof LISTS)[ListName];
/** Documents: what is saved by itself, outside any draft. */
export type DocumentList = Exclude<ListName, 'tables' | 'kept'>;

export const LIST_NAMES = Object.keys(LISTS) as readonly ListName[];
export const DOCUMENT_LISTS = LIST_NAMES.filter(
  (name): name is DocumentList => name !== 'tables' && name !== 'kept',
);

export const Definition = v.variant('type', [Settings, ...Object.values(LISTS)] as [
  typeof Settings,
  ...Listed[],
]);
export const DesignDocument = v.variant(
  'type',
  DOCUMENT_LISTS.map((name) => LISTS[name]) as [
    (typeof LISTS)[DocumentList],
    ...(typeof LISTS)[DocumentList][],
  ],
);

export type FieldType = v.InferOutput<typeof FieldType>;
export type Rule = v.InferOutput<typeof Rule>;
export type TableLink = v.InferOutput<typeof TableLink>;
export type Field = v.InferOutput<typeof Field>;
export type Table = v.InferOutput<typeof Table>;
export type Query = v.InferOutput<typeof Query>;
export type QueryColumn = v.InferOutput<typeof QueryColumn>;
export type GroupColumn = v.InferOutput<typeof GroupColumn>;
export type QueryJoin = v.InferOutput<typeof QueryJoin>;
export type Written = v.InferOutput<typeof Written>;
export type Chart = v.InferOutput<typeof Chart>;
export type Pivot = v.InferOutput<typeof Pivot>;
export type QueryQuestion = v.InferOutput<typeof QueryQuestion>;
export type Answering = v.InferOutput<typeof Answering>;
export type Measure = v.InferOutput<typeof Measure>;
export type Form = v.InferOutput<typeof Form>;
export type FormCell = v.InferOutput<typeof FormCell>;
export type FormWorked = v.InferOutput<typeof FormWorked>;
export type FormPart = v.InferOutput<typeof FormPart>;
export type FormPicture = v.InferOutput<typeof FormPicture>;
export type FormButton = v.InferOutput<typeof FormButton>;
export type ButtonAct = v.InferOutput<typeof ButtonAct>;
export type Subform = v.InferOutput<typeof Subform>;
export type Board = v.InferOutput<typeof Board>;
export type BoardPart = v.InferOutput<typeof BoardPart>;
export type BoardFilter = v.InferOutput<typeof BoardFilter>;
export type Report = v.InferOutput<typeof Report>;
export type RoleDefinition = v.InferOutput<typeof RoleDefinition>;
export type Settings = v.InferOutput<typeof Settings>;
export type Kept = v.InferOutput<typeof Kept>;
export type Definition = v.InferOutput<typeof Definition>;
export type DesignDocument = v.InferOutput<typeof DesignDocument>;
export type DocumentType = DesignDocument['type'];

type DesignLists = { readonly [L in ListName]: readonly v.InferOutput<(typeof LISTS)[L]>[] };

/** All definitions of a file. */
export interface Design extends DesignLists {
  /** Grows with every change of any definition; a draft names the one it starts from. */
  readonly version: number;
  readonly settings: Settings;
}

/** A design's lists, each made anew by `make`. */
export const listsOf = (make: <L extends ListName>(list: L) => DesignLists[L]): DesignLists =>
  Object.fromEntries(LIST_NAMES.map((name) => [name, make(name)])) as unknown as DesignLists;

/** A design whose lists of documents are made anew: `make` is given each list. */
export const withDocuments = <D extends Omit<Design, 'version'>>(
  design: D,
  make: <T extends DesignDocument>(list: readonly T[]) => readonly T[],
): D => ({
  ...design,
  ...Object.fromEntries(
    DOCUMENT_LISTS.map((name) => [name, make(design[name] as readonly DesignDocument[])]),
  ),
});

export const documentsOf = (design: Omit<Design, 'version'>): readonly DesignDocument[] =>
  DOCUMENT_LISTS.flatMap((name): readonly DesignDocument[] => design[name]);

export const findDocument = (design: Omit<Design, 'version'>, id: string): DesignDocument | undefined =>
  documentsOf(design).find((document) => document.id === id);

/** Every definition of a design, those of a list in its order. */
export const definitionsOf = (design: Omit<Design, 'version'>): Definition[] => [
  design.settings,
  ...LIST_NAMES.flatMap((name): readonly Definition[] => design[name]),
];

/** The list to which definitions of a type belong. */
export const listOfType = (type: Exclude<Definition['type'], 'settings'>): ListName =>
  LIST_NAMES.find((name) => LISTS[name].entries.type.literal === type)!;

export const SETTINGS_ID = 's_file';

export const emptyDesign = (): Design => ({
  version: 0,
  settings: {
    type: 'settings',
    id: SETTINGS_ID,
    format: FORMAT,
    decimalMark: '.',
    groupMark: ',',
    currency: '£',
    dateOrder: 'dmy',
    timeZone: 'UTC',
  },
  ...listsOf(() => []),
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
  time: 'Time',
  dateTime: 'Date and time',
  choice: 'Choice',
  lookup: 'Lookup',
  runningNumber: 'Running number',
  picture: 'Picture',
  file: 'File',
  workedOut: 'Worked out',
  stamp: 'Stamp',
};
