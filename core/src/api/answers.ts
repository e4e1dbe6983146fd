import * as v from 'valibot';
import { Change, type Notice } from '../change';
import { FAULTS } from '../expression';
import {
  Board,
  Form,
  Id,
  LISTS,
  Query,
  Settings,
  Table,
  type Design as DesignType,
  type ListName,
  type Written,
} from '../design';
import type { Asked, Beyond } from '../form';
import type { LinkOffer } from '../plan';
import type { CountedPart, CountingPart, Grouped, ResultColumn } from '../query';
import type { PageModel } from '../report';
import { GridView, Key, type RowKey } from '../rows';
import { Again, Remembered, SHEET_FORMS, SheetStyle, type ColumnFacts } from '../sheet';

/*
 * What the API answers. The server's routes name these, so that the description of the API and the types of
 * whoever calls it come from one place. Objects are strict: the tests take every answer apart by them.
 */

/** An answer as whoever reads it has it. */
export type Answer<S extends v.GenericSchema> = v.InferOutput<S>;

/** A shape that the core computes and has no schema of its own for. */
const computed = <T>() => v.custom<T>(() => true);

/** A list that nobody changes in place. */
const listOf = <S extends v.GenericSchema>(item: S) => v.pipe(v.array(item), v.readonly());

const Plain = v.union([v.null(), v.string(), v.number(), v.boolean()]);
const Stored = v.union([v.null(), v.string(), v.number()]);

/** What is worked out and cannot be for this row, and why. */
export const FaultCell = v.strictObject({ fault: v.picklist(FAULTS) });

/**
 * The beginning of a text that is longer than a field takes by now, with how many characters it has: another tool may
 * have written it, or it stood there before.
 */
export const BeginningCell = v.strictObject({ beginning: v.string(), length: v.number() });

/** A cell as it travels: a plain value, or `[key, text]` for a lookup, a picture or a file. */
export const Cell = v.union([
  Plain,
  FaultCell,
  BeginningCell,
  v.pipe(v.tuple([v.union([v.string(), v.number()]), v.nullable(v.string())]), v.readonly()),
]);

export type Cell = v.InferOutput<typeof Cell>;

/** What an expression gives for rows, in their order; null too where a row has gone. */
export const WorkedOut = v.strictObject({ values: v.array(v.union([Plain, FaultCell])) });

/** What becomes of other rows when some are deleted, by the link through which it comes to them. */
export const Along = v.strictObject({
  along: v.array(
    v.strictObject({
      table: Id,
      /** What one of its rows is called, and several. */
      one: v.string(),
      many: v.string(),
      link: v.string(),
      becomes: v.picklist(['deleted', 'emptied', 'in the way']),
      count: v.number(),
      /** There are more, which were not counted. */
      more: v.boolean(),
    }),
  ),
});

/** For each lookup asked for, and each row: how many rows lead there by it, and what the first are called. */
export const Children = v.strictObject({
  children: v.array(v.array(v.strictTuple([v.number(), v.array(v.string())]))),
});

/** How somebody has the pages look: their colours, and the size of their type and rows. */
export const Look = v.strictObject({
  colours: v.picklist(['system', 'light', 'dark']),
  size: v.picklist(['usual', 'large']),
});
export const Person = v.strictObject({
  id: Id,
  login: v.string(),
  name: v.string(),
  maker: v.boolean(),
  look: Look,
});
export const DemoSignIn = v.strictObject({
  login: v.string(),
  password: v.string(),
  name: v.string(),
  role: v.string(),
});
export const SessionInfo = v.strictObject({
  person: v.nullable(Person),
  firstVisit: v.boolean(),
  demo: v.array(DemoSignIn),
});
export const SignedIn = v.strictObject({ person: Person });
export const NewPassword = v.strictObject({ changed: v.literal(true) });
export const SignedOut = v.strictObject({ person: v.null() });

const Role = v.picklist(['builder', 'colleague']);

export const FileEntry = v.strictObject({
  id: Id,
  name: v.string(),
  role: Role,
  createdAt: v.string(),
  /** When its newest write reached the disk, ISO 8601. */
  changedAt: v.string(),
  /** Bytes. */
  size: v.number(),
});
export const FileList = v.strictObject({ files: v.array(FileEntry) });
export const MadeFile = v.strictObject({ id: Id });
/** A table of a file that was taken in: rows there and here, and how many values were compared one by one. */
const TakenTable = v.strictObject({
  table: v.string(),
  from: v.string(),
  there: v.number(),
  here: v.number(),
  compared: v.number(),
});
export const AdoptedFile = v.strictObject({
  id: Id,
  /** What was read otherwise than as it stood. */
  notes: v.array(v.string()),
  tables: v.array(TakenTable),
});

export const Draft = v.strictObject({ base: v.number(), changes: v.array(Change) });
export const Place = v.strictObject({ table: Id, x: v.number(), y: v.number() });

/** The version of each definition by its id, and who changed it last. */
export const Versions = v.record(
  v.string(),
  v.strictObject({ version: v.number(), at: v.nullable(v.string()), by: v.nullable(v.string()) }),
);

const DefinitionLists = Object.fromEntries(
  Object.entries(LISTS).map(([name, schema]) => [name, listOf(schema as v.GenericSchema)]),
) as unknown as {
  readonly [L in ListName]: v.GenericSchema<unknown, readonly v.InferOutput<(typeof LISTS)[L]>[]>;
};

/** All definitions of a file. */
export const Definitions = v.strictObject({
  version: v.number(),
  settings: Settings,
  ...DefinitionLists,
}) satisfies v.GenericSchema<unknown, DesignType>;

const Counts = v.record(v.string(), v.number());

/** What stands on the cards of the map below the names of their tables. */
export const Cards = v.picklist(['names', 'keys', 'fields']);
export type Cards = v.InferOutput<typeof Cards>;

/** What came of fetching an outside source once. */
export const SourceRun = v.strictObject({
  added: v.number(),
  changed: v.number(),
  deleted: v.number(),
  /** Rows that are not named there any more, and stay. */
  kept: v.number(),
  /** Rows of it that could not be taken, and why the first could not. */
  bad: v.number(),
  why: v.string(),
  /** Why nothing came; null where it did. */
  problem: v.nullable(v.string()),
});

export const OutsideSource = v.strictObject({
  table: Id,
  address: v.string(),
  again: Again,
  by: v.string(),
  /** When it was fetched last, or tried. */
  at: v.string(),
  told: SourceRun,
});

export const FileInfo = v.strictObject({
  name: v.string(),
  design: Definitions,
  versions: Versions,
  /** Rows of each table, by its id. */
  counts: Counts,
  places: v.array(Place),
  /** The tables whose rows come from outside. */
  sources: listOf(OutsideSource),
  /** What the cards of the map show; null while nobody has chosen. */
  cards: v.nullable(Cards),
  draft: v.nullable(Draft),
  /** How often your draft was kept: which one it is. */
  draftVersion: v.number(),
  /** `YYYY-MM-DD`, where the office is. */
  today: v.string(),
});
export const SavedCards = v.strictObject({ cards: Cards });
export const ChangedDesign = v.strictObject({ design: Definitions, counts: Counts });
export const AppliedDraft = v.strictObject({ ...ChangedDesign.entries, draftVersion: v.number() });
export const SavedDocument = v.strictObject({ design: Definitions, versions: Versions });

const FoundRow = v.strictObject({ key: Key, value: Stored });

export const Finding = v.strictObject({
  table: Id,
  /** Null when it concerns several fields. */
  field: v.nullable(Id),
  fields: v.array(Id),
  sort: v.picklist(['empty', 'alike', 'rule', 'choice', 'length', 'kind', 'convert', 'orphan', 'text']),
  rule: v.optional(Id),
  message: v.string(),
  /** Its place among the questions, for asking for more of the rows. */
  number: v.number(),
  count: v.number(),
  sample: v.array(FoundRow),
});

export const Converted = v.strictObject({
  old: Stored,
  new: Stored,
  rows: v.number(),
  was: v.string(),
  becomes: v.string(),
  message: v.nullable(v.string()),
  ambiguous: v.boolean(),
});

export const CheckResult = v.strictObject({
  notices: v.array(computed<Notice>()),
  findings: v.array(Finding),
  unread: v.array(v.strictObject({ field: Id, values: v.array(Converted) })),
  clear: v.boolean(),
  version: v.number(),
});

/** What a file answers when it is asked whether it is sound. */
export const Soundness = v.strictObject({
  findings: v.array(Finding),
  missing: v.array(v.string()),
  damage: v.array(v.string()),
});
export const KnownSoundness = v.strictObject({
  asking: v.boolean(),
  result: v.nullable(Soundness),
  version: v.nullable(v.number()),
});

/** A row that a check finds, with its cells by field id; null when it has gone. */
export const RowToMend = v.strictObject({
  key: Key,
  value: Stored,
  title: v.nullable(v.string()),
  cells: v.nullable(v.record(v.string(), Cell)),
});
export const RowsToMend = v.strictObject({ rows: v.array(RowToMend) });

/** What the values of a field become as another kind. */
export const Preview = v.strictObject({
  values: v.number(),
  rows: v.number(),
  failing: v.number(),
  ambiguous: v.number(),
  list: v.array(Converted),
});

export const LinkOffers = v.strictObject({ offers: v.array(computed<LinkOffer>()) });

/** How far long work is. */
export const Progress = v.strictObject({
  step: v.number(),
  of: v.number(),
  what: v.string(),
  /** Of a query whose parts are counted: how many rows they leave, as far as that is known. */
  parts: v.optional(listOf(computed<CountingPart>())),
});
export const ProgressAnswer = v.strictObject({ progress: v.nullable(Progress) });

export const AppliedChange = v.strictObject({
  version: v.number(),
  at: v.string(),
  by: v.string(),
  what: v.picklist(['draft applied', 'draft undone', 'file adopted']),
  changes: v.array(Change),
  names: v.record(v.string(), v.string()),
  undoneAt: v.nullable(v.string()),
  undoneBy: v.nullable(v.string()),
  canUndo: v.boolean(),
});
export const AppliedChanges = v.strictObject({
  changes: v.array(AppliedChange),
  /** The safe copies there are, and how long they are kept: so many of the newest always, others for days. */
  copies: v.strictObject({ count: v.number(), bytes: v.number(), always: v.number(), days: v.number() }),
});

export const Window = v.strictObject({ total: v.number(), rows: v.array(v.array(Cell)) });
export const Row = v.strictObject({ cells: v.array(Cell) });

export const SavedRows = v.strictObject({
  /** The entry of the log that the save is: what undoing it names. */
  entry: v.number(),
  saved: v.array(v.strictObject({ change: v.number(), table: Id, key: Key, temp: v.optional(v.string()) })),
});

/** What a prepared change would do: the rows that come first, each with what its fields hold and would hold. */
export const PreparedChange = v.strictObject({
  table: Id,
  fields: v.array(Id),
  total: v.number(),
  rows: v.array(
    v.strictObject({
      key: Key,
      title: v.string(),
      cells: v.array(v.strictObject({ was: Cell, now: Cell })),
    }),
  ),
  /** Tells this change of these rows from any other: making it names it. */
  mark: v.string(),
});
export type PreparedChange = v.InferOutput<typeof PreparedChange>;

/** A choice of a lookup: the key, what is shown of its row, and the further columns. */
export const Choice = v.tupleWithRest([v.union([v.string(), v.number()]), v.string()], v.string());
export const Choices = v.strictObject({ choices: v.array(Choice) });

/** A row of a form, and the rows of each subform within it. */
export interface RecordRow {
  readonly key: RowKey;
  /** Of fields, and of what is worked out on the form. */
  readonly cells: Readonly<Record<string, v.InferOutput<typeof Cell>>>;
  /** What that reads beyond the form's cells. */
  readonly beyond?: Beyond | undefined;
  readonly subforms: readonly RecordRows[];
}
/** The first rows of a subform that lead to one row, and how many there are. */
export interface RecordRows {
  readonly link: string;
  readonly rows: readonly RecordRow[];
  readonly total: number;
  /** What the rows behind these come to, for each of the subform's totals; missing where nothing is totalled. */
  readonly rest?: readonly Tally[] | undefined;
}
const Tally = v.strictObject({ count: v.number(), sum: Plain, least: Plain, most: Plain });
type Tally = v.InferOutput<typeof Tally>;
const BeyondRow: v.GenericSchema<unknown, Beyond> = v.strictObject({
  cells: v.record(Id, Plain),
  links: v.record(Id, v.nullable(v.lazy(() => BeyondRow))),
});
export const BeyondLink = v.strictObject({ row: v.nullable(BeyondRow) });
export const RecordRow: v.GenericSchema<unknown, RecordRow> = v.strictObject({
  key: Key,
  cells: v.record(v.string(), Cell),
  beyond: v.optional(v.lazy(() => BeyondRow)),
  subforms: v.array(v.lazy(() => RecordRows)),
});
export const RecordRows: v.GenericSchema<unknown, RecordRows> = v.strictObject({
  link: Id,
  rows: v.array(v.lazy(() => RecordRow)),
  total: v.number(),
  rest: v.optional(v.array(Tally)),
});
export const RecordData = v.strictObject({ record: RecordRow });
/** A record as a form that is being designed shows it; of a list its first rows, the record the first of them. */
export const FormPreview = v.strictObject({ record: RecordRow, rows: v.optional(v.array(RecordRow)) });
/** Rows of a list, and how many there are. */
export const Page = v.strictObject({ total: v.number(), rows: v.array(RecordRow) });

export const QueryResult = v.strictObject({
  columns: v.array(computed<ResultColumn>()),
  rows: v.array(v.array(Plain)),
  /** What each row is grouped by, as it is kept; nothing where rows are not grouped. */
  keys: v.array(v.array(v.nullable(v.string()))),
  /** True when there are more rows than were asked for. */
  more: v.boolean(),
  sql: v.string(),
  funnel: v.array(computed<CountedPart>()),
  /** Totals of a pivot that its cells do not tell. */
  totals: v.array(computed<Grouped>()),
  /** Of a query in SQL: the columns that it gives, or what is wrong with it and where. */
  written: v.optional(computed<Written['columns']>()),
  fault: v.optional(v.strictObject({ message: v.string(), from: v.number(), to: v.number() })),
});

export const QueryCounts = v.strictObject({ funnel: v.array(computed<CountedPart>()) });

export const QueryRows = v.strictObject({
  columns: v.array(computed<ResultColumn>()),
  rows: v.array(v.array(Plain)),
  /** True when there are more rows than these. */
  more: v.boolean(),
});

/** A field by its table. */
const FieldPlace = { table: Id, field: Id };

/** What makes a query slow, and which indexes would help; times in milliseconds. */
export const Advice = v.strictObject({
  took: v.number(),
  /** Tables that are read from end to end; `ordered` where the engine puts rows in order for this one run. */
  whole: v.array(v.strictObject({ table: Id, rows: v.number(), ordered: v.boolean() })),
  /** Indexes with which it takes less time, the best first. */
  help: v.array(v.strictObject({ ...FieldPlace, before: v.number(), after: v.number() })),
  tried: v.number(),
  /** Indexes that nothing uses. */
  idle: v.array(v.strictObject(FieldPlace)),
});

export const Pages = computed<PageModel>();

/** Who may open a file, and as what: `duty` is the id of a role of the file, null for everything. */
export const People = v.strictObject({
  people: v.array(
    v.strictObject({
      id: v.string(),
      login: v.string(),
      name: v.string(),
      role: Role,
      duty: v.nullable(Id),
    }),
  ),
});

export const DeskInfo = v.strictObject({
  name: v.string(),
  role: Role,
  /** The name of what the builder lets whoever looks do; null where that is everything. */
  duty: v.nullable(v.string()),
  settings: Settings,
  today: v.string(),
  boards: v.array(v.strictObject({ id: Id, label: v.string() })),
  screens: v.array(
    v.strictObject({
      id: Id,
      label: v.string(),
      shows: v.picklist(['record', 'list', 'cards']),
      /** Whether records are begun there. */
      adds: v.boolean(),
      table: Id,
      one: v.string(),
      many: v.string(),
    }),
  ),
});

/**
 * A board as it is there for whoever looks: each filter says by which way it narrows each part. With what the queries of
 * its parts ask.
 */
export const BoardInfo = v.strictObject({
  board: Board,
  asked: v.array(v.strictObject({ parts: v.array(Id), asked: computed<Asked>() })),
});

/** What the query of a part of a board gives. */
export const BoardDrawing = v.strictObject({
  query: Query,
  columns: v.array(computed<ResultColumn>()),
  rows: v.array(v.array(Plain)),
  keys: v.array(v.array(v.nullable(v.string()))),
  more: v.boolean(),
  totals: v.array(computed<Grouped>()),
});

/** How many rows the lists have that are watched. */
export const Watches = v.strictObject({
  watches: v.array(v.strictObject({ screen: Id, count: v.number() })),
});

/** What somebody has worked on last, and what of hers is unfinished. */
export const Worked = v.strictObject({
  records: v.array(
    v.strictObject({
      screen: Id,
      key: Key,
      title: v.nullable(v.string()),
      /** In UTC. */
      at: v.string(),
      added: v.boolean(),
    }),
  ),
  /** A draft of design changes; null where there is none. */
  draft: v.nullable(v.strictObject({ changes: v.number(), at: v.string() })),
});

export const ScreenInfo = v.strictObject({
  form: Form,
  tables: v.array(Table),
  settings: Settings,
  /** The fields that fill the second line of an entry. */
  second: v.array(Id),
  /** How each of its lists is looked at, by the links that lead to its rows: one's own, and everyone's. */
  views: v.array(v.strictObject({ path: v.array(Id), own: v.boolean(), view: GridView })),
  today: v.string(),
});

/** Who else has a record open, by name. */
export const Others = v.strictObject({ others: v.array(v.string()) });

export const ListEntry = v.strictObject({
  key: Key,
  title: v.nullable(v.string()),
  second: v.array(Cell),
});
export const RecordList = v.strictObject({
  total: v.number(),
  all: v.number(),
  entries: v.array(ListEntry),
});

export const Attachment = v.strictObject({
  id: v.number(),
  name: v.string(),
  /** Media type. */
  type: v.string(),
  /** Bytes. */
  size: v.number(),
  preview: v.boolean(),
});

/** Room for the pictures and files of a database, in bytes. */
export const Attached = v.strictObject({ bytes: v.number(), most: v.number() });

export const KeptDraft = v.strictObject({ kept: v.number(), version: v.number() });
export const DraftNow = v.strictObject({ draft: v.nullable(Draft), version: v.number() });
export const SavedPlaces = v.strictObject({ saved: v.number() });

const SheetInfo = v.strictObject({
  id: Id,
  name: v.string(),
  form: v.picklist(SHEET_FORMS),
  /** Bytes. */
  bytes: v.number(),
  /** Where it was fetched; null for what somebody sent. */
  address: v.nullable(v.string()),
});
const SheetCell = v.union([v.null(), v.string(), v.number(), v.boolean()]);
const RaggedRows = v.strictObject({
  rows: v.number(),
  /** That of the first. */
  line: v.number(),
});

/** A sheet as it was looked at: how it is read, and what its columns hold. */
export const SheetLook = v.strictObject({
  sheet: SheetInfo,
  look: v.strictObject({
    style: SheetStyle,
    worksheets: listOf(v.string()),
    rows: v.number(),
    shorter: RaggedRows,
    longer: RaggedRows,
    columns: listOf(
      v.strictObject({
        heading: v.string(),
        facts: computed<ColumnFacts>(),
        lookups: listOf(v.strictObject({ table: Id, found: v.number(), of: v.number() })),
      }),
    ),
    first: listOf(v.strictObject({ line: v.number(), cells: listOf(SheetCell) })),
  }),
  /** How sheets with these headings were brought in before, the last first. */
  remembered: v.array(v.strictObject({ table: Id, plan: Remembered })),
});

const NotTaken = v.strictObject({
  line: v.number(),
  column: v.nullable(v.number()),
  field: v.nullable(Id),
  value: v.string(),
  reason: v.string(),
});

/** What becomes of the rows of a sheet. */
export const CheckedSheet = v.strictObject({
  rows: v.number(),
  added: v.number(),
  changed: v.number(),
  same: v.number(),
  bad: v.number(),
  /** Rows that a source does not name any more: those that go, and those that stay, with why. */
  gone: v.strictObject({ deleted: v.number(), kept: v.number(), why: v.string() }),
  problems: listOf(NotTaken),
  unread: listOf(
    v.strictObject({
      column: v.number(),
      rows: v.number(),
      values: listOf(
        v.pipe(v.tuple([v.string(), v.number(), v.string(), v.nullable(v.string())]), v.readonly()),
      ),
    }),
  ),
  parents: listOf(v.strictObject({ field: Id, table: Id, rows: v.number() })),
});

export const BroughtSheet = v.variant('done', [
  v.strictObject({
    done: v.literal(true),
    table: Id,
    entry: v.number(),
    added: v.number(),
    changed: v.number(),
    deleted: v.number(),
    /** The version of the design that made the table, which undoing takes away again; null where it was there. */
    made: v.nullable(v.number()),
    design: Definitions,
    counts: Counts,
  }),
  v.strictObject({ done: v.literal(false), problems: listOf(NotTaken) }),
]);

/** The tables whose rows come from outside. */
export const OutsideSources = v.strictObject({ sources: listOf(OutsideSource) });
export const FetchedSource = v.strictObject({
  source: OutsideSource,
  /** The entry of the log by which it is undone; null where nothing was written. */
  entry: v.nullable(v.number()),
  counts: Counts,
});

/** Something was thrown away. */
export const Gone = v.strictObject({ gone: v.literal(true) });

const Op = v.picklist(['insert', 'update', 'delete']);
/** A value as it was: a lookup beside the text by which its row is shown now. */
const PastValue = v.strictObject({
  value: Plain,
  text: v.optional(v.string()),
  cut: v.optional(v.number()),
});

/** What happened to a row, the newest first. */
export const PastOfRow = v.strictObject({
  past: listOf(
    v.strictObject({
      entry: v.number(),
      at: v.string(),
      by: v.string(),
      op: Op,
      changes: listOf(v.strictObject({ field: Id, before: PastValue, after: PastValue })),
    }),
  ),
});

/** What was done to rows, save by save, the newest first. */
export const PastOfFile = v.strictObject({
  past: listOf(
    v.strictObject({
      entry: v.number(),
      at: v.string(),
      by: v.string(),
      what: v.picklist(['rows', 'brought in', 'undone']),
      rows: listOf(v.strictObject({ table: Id, op: Op, count: v.number() })),
      /** There are more rows, which were not counted. */
      more: v.boolean(),
      /** The name of the sheet that was brought in. */
      sheet: v.nullable(v.string()),
      undone: v.boolean(),
    }),
  ),
  /** There are earlier ones. */
  more: v.boolean(),
});

/** A file that was made of a data package, and its rows. */
export const TakenPackage = v.strictObject({ id: Id, rows: v.number() });

/** Views of a table: your own, and everyone's. */
export const Views = v.strictObject({
  views: listOf(
    v.strictObject({ id: Id, name: v.string(), everyone: v.boolean(), by: v.string(), view: GridView }),
  ),
});
/** A view that was kept. */
export const KeptView = v.strictObject({ id: Id });

/** What was undone: the entry of the log that undoing is itself, and how many rows it put back. */
export const Undone = v.strictObject({ entry: v.number(), rows: v.number(), tables: listOf(Id) });
