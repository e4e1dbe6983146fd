import { Carrier, checkPlan, evolve, steps, type Change, type Notice } from '@heathridge/core/change';
import {
  catalogOf,
  fieldOf,
  findField,
  localeOf,
  lookupText,
  tableOf,
  validateTables,
  valueKind,
  type Design,
  type Form,
  type MapDrawing,
  type Query,
  type Report,
  type Written,
} from '@heathridge/core/design';
import type { LinkCandidate, LinkOffer } from '@heathridge/core/plan';
import { attempt, FAULT_WORDS, sqlText, type Fault } from '@heathridge/core/expression';
import {
  answeredBy,
  compileQuery,
  compileRows,
  faultProbes,
  MOST_CELLS,
  pivotTotals,
  plainQuery,
  questionField,
  questionsOf,
  so,
  overResult,
  whyOfFilled,
  whyOfRange,
  whyOfValues,
  whysOf,
  writtenLike,
  type Answers,
  type CompiledQuery,
  type Compiling,
  type CountedPart,
  type CountingPart,
  type Grouped,
  type ResultColumn,
  type RowsAsked,
  type SqlFault,
} from '@heathridge/core/query';
import { layoutReport, reportQuery } from '@heathridge/core/report';
import type { Viewer } from '@heathridge/core/people';
import { startValue, type RowKey } from '@heathridge/core/rows';
import { showNumber, showValue, type Value } from '@heathridge/core/values';
import { guarded, type Held } from '../store/statements';
import type { ApplyOrder, ApplyResult } from '../change/apply';
import { linkOffers } from '../change/offers';
import {
  foundRows,
  previewConversion,
  runChecks,
  UNWATCHED,
  type CheckResult,
  type Preview,
  type Tell,
} from '../change/run';
import { rehearsal } from '../change/rehearsal';
import type { UndoOrder } from '../change/undo';
import type { Undone, UndoEntryOrder } from '../rows/undo-entry';
import {
  readChoices,
  readList,
  readMore,
  readPage,
  readRecord,
  type Choice,
  type ChoiceRequest,
  type ListRequest,
  type MoreRequest,
  type PageRequest,
} from '../rows/read';
import { goesAlong, type Along } from '../rows/along';
import { rowsToMend, type RowToMend } from '../rows/to-mend';
import { pastOfFile, pastOfRow, type PastEntry, type PastOfRow } from '../rows/past';
import { countRows, readWindow, type Asked, type WindowRequest } from '../rows/window';
import { titled, tooLarge } from '../rows/json';
import { readSearchTexts, writeTexts, type WrittenTexts } from '../rows/search-texts';
import { writeOut, type AttachmentKept, type AttachOrder } from '../rows/attachments';
import { readDefinitions, type DefinitionsRead } from '../change/read-definitions';
import type { SavedApart, SaveOrder } from '../rows/save';
import { prepareChange, type Prepared, type PreparedOrder } from '../rows/prepared-change';
import { Unfit, workOut, type WorkedOutValue } from '../rows/work-out';
import { measureText } from '../report/fonts';
import { paintMap, paintPdf } from '../report/pdf';
import { lookAtSheet, type Look, type LookOrder } from '../sheets/look';
import { SheetError } from '../sheets/sheet-error';
import { stageSheet, type Staged, type StageOrder } from '../sheets/stage';
import { packFile, type LoadOrder, type OpenedPackage, type PackOrder } from '../sheets/package';
import { takeOut, type TakeOutOrder } from '../sheets/take-out';
import type { Brought, BringOrder } from '../sheets/write';
import type { AdoptOrder, AdoptResult } from '../change/adopt';
import type { LookedAt } from '../change/foreign-text';
import { askSoundness, unsoundRows, type Soundness } from '../change/soundness';
import { advise, type Advice, type AdviceOrder } from './advise';
import { describeWritten } from './written';
import type { Connection } from '../store/driver';
import { DesignMoved, storedVersion } from '../store/versions';

/** Work that may take long: it is done in a child process, which can be stopped. */
export type Task =
  | {
      readonly task: 'check';
      readonly design: Design;
      /** The draft. */
      readonly changes: readonly Change[];
      readonly today: string;
    }
  | {
      readonly task: 'preview';
      readonly design: Design;
      readonly changes: readonly Change[];
      readonly table: string;
      readonly field: string;
      readonly today: string;
    }
  | {
      readonly task: 'found';
      readonly design: Design;
      readonly changes: readonly Change[];
      readonly today: string;
      readonly number: number;
      readonly limit: number;
      readonly offset: number;
    }
  | {
      readonly task: 'offers';
      readonly design: Design;
      readonly candidates: readonly LinkCandidate[];
      /** Count them all, whatever a few values say. */
      readonly every: boolean;
    }
  | { readonly task: 'save'; readonly design: Design; readonly order: SaveOrder }
  | { readonly task: 'keep attachment'; readonly design: Design; readonly order: AttachOrder }
  | {
      readonly task: 'read attachment';
      readonly version: number;
      readonly id: number;
      /** Where its bytes are to lie. */
      readonly to: string;
    }
  | {
      readonly task: 'read definitions';
      readonly design: Design;
      /** Where the archive lies. */
      readonly archive: string;
    }
  | { readonly task: 'apply'; readonly order: ApplyOrder }
  | { readonly task: 'undo'; readonly order: UndoOrder }
  | { readonly task: 'whole' }
  | { readonly task: 'texts' }
  | { readonly task: 'adopt'; readonly order: AdoptOrder }
  | {
      readonly task: 'query';
      readonly design: Design;
      readonly query: Query;
      /** To what the query asks. */
      readonly answers: Answers;
      readonly today: string;
      readonly limit: number;
      /** Rows of the result that are passed over. */
      readonly start?: number;
      /** Whether the totals of a pivot are asked for. */
      readonly totals: boolean;
      /** Whether it is counted how many rows its parts leave. */
      readonly counted: boolean;
    }
  | {
      /** How many rows the parts of a query leave. */
      readonly task: 'query counts';
      readonly design: Design;
      readonly query: Query;
      readonly answers: Answers;
      readonly today: string;
      /** How many the last part leaves, where that is known. */
      readonly last: number | null;
    }
  | {
      readonly task: 'query rows';
      readonly design: Design;
      readonly query: Query;
      readonly answers: Answers;
      readonly today: string;
      readonly limit: number;
      readonly asked: RowsAsked;
    }
  | { readonly task: 'advise'; readonly design: Design; readonly order: AdviceOrder }
  | {
      readonly task: 'report';
      readonly design: Design;
      readonly report: Report;
      /** What its rows meet beside what it asks for itself, in stored form. */
      readonly only?: readonly string[];
      /** To what its query asks. */
      readonly answers?: Answers;
      readonly today: string;
      readonly pdf: boolean;
    }
  | { readonly task: 'map'; readonly version: number; readonly map: MapDrawing }
  | { readonly task: 'look'; readonly design: Design; readonly order: LookOrder }
  | { readonly task: 'stage'; readonly design: Design; readonly order: StageOrder }
  | { readonly task: 'pack'; readonly design: Design; readonly order: PackOrder }
  | { readonly task: 'open package'; readonly folder: string }
  | { readonly task: 'load package'; readonly design: Design; readonly order: LoadOrder }
  | { readonly task: 'take out'; readonly design: Design; readonly order: TakeOutOrder }
  | { readonly task: 'bring'; readonly order: BringOrder }
  | { readonly task: 'undo entry'; readonly order: UndoEntryOrder & { readonly base: number } }
  | { readonly task: 'sound'; readonly design: Design }
  | {
      readonly task: 'unsound';
      readonly design: Design;
      readonly number: number;
      readonly offset: number;
      readonly limit: number;
    }
  | {
      readonly task: 'anchors';
      readonly version: number;
      readonly sql: string;
      readonly columns: number;
    }
  | {
      readonly task: 'window';
      readonly design: Design;
      readonly viewer: Viewer;
      readonly table: string;
      readonly request: WindowRequest;
    }
  | { readonly task: 'count'; readonly design: Design; readonly table: string; readonly asked: Asked }
  | {
      readonly task: 'list';
      readonly design: Design;
      readonly viewer: Viewer;
      readonly table: string;
      readonly request: ListRequest;
    }
  | {
      readonly task: 'page';
      readonly design: Design;
      readonly viewer: Viewer;
      readonly form: Form;
      readonly request: PageRequest;
    }
  | {
      readonly task: 'record';
      readonly design: Design;
      readonly viewer: Viewer;
      readonly form: Form;
      readonly key: RowKey;
    }
  | {
      readonly task: 'more';
      readonly design: Design;
      readonly viewer: Viewer;
      readonly form: Form;
      readonly at: MoreRequest;
    }
  | {
      readonly task: 'along';
      readonly design: Design;
      readonly table: string;
      readonly keys: readonly RowKey[];
    }
  | { readonly task: 'past'; readonly design: Design; readonly table: string; readonly key: RowKey }
  | {
      readonly task: 'past of all';
      readonly version: number;
      readonly before: number | null;
      readonly limit: number;
    }
  | {
      readonly task: 'choices';
      readonly design: Design;
      readonly field: string;
      readonly request: ChoiceRequest;
    }
  | {
      readonly task: 'work out';
      readonly design: Design;
      readonly field: string;
      readonly expression: string;
      readonly keys: readonly RowKey[];
    }
  | {
      readonly task: 'search texts';
      readonly design: Design;
      readonly table: string;
      readonly shows: string;
      /** Where they are to be written. */
      readonly to: string;
    }
  | { readonly task: 'prepared change'; readonly design: Design; readonly order: PreparedOrder };

export interface QueryResult {
  readonly columns: readonly ResultColumn[];
  readonly rows: readonly (readonly Value[])[];
  /** What each row is grouped by, as it is kept; nothing where rows are not grouped. */
  readonly keys: readonly (readonly (string | null)[])[];
  /** True when there are more rows than were asked for. */
  readonly more: boolean;
  /** The SQL, for reading. */
  readonly sql: string;
  readonly funnel: readonly CountedPart[];
  /** Totals of a pivot that its cells do not tell. */
  readonly totals: readonly Grouped[];
  /** Of a query in SQL: the columns that it gives, or what is wrong with it and where. */
  readonly written?: Written['columns'];
  readonly fault?: SqlFault;
}

/** What the values of a field become, or why that cannot be shown. */
export type Previewed =
  Preview | { readonly refused: 'not-found' | 'design-invalid'; readonly message: string };

/** Rows behind a part of a result. */
export type RowsBehind = Pick<QueryResult, 'columns' | 'rows' | 'more'>;

export interface Results {
  check: CheckResult;
  preview: Previewed;
  found: readonly RowToMend[];
  offers: readonly LinkOffer[];
  save: SavedApart;
  'keep attachment': AttachmentKept;
  'read attachment': boolean;
  'read definitions': DefinitionsRead;
  apply: ApplyResult;
  undo: ApplyResult;
  whole: boolean;
  texts: LookedAt | null;
  adopt: AdoptResult;
  query: QueryResult;
  'query counts': readonly CountedPart[];
  'query rows': RowsBehind;
  advise: Advice;
  /** Its pages as JSON text, see `PageModel`, or as PDF. */
  report: { readonly pages: string | null; readonly pdf: Uint8Array | null };
  map: Uint8Array;
  sound: Soundness;
  unsound: readonly RowToMend[];
  anchors: readonly (readonly (string | number | null)[])[];
  look: Look;
  stage: Staged;
  pack: number;
  'open package': OpenedPackage;
  'load package': number;
  'take out': number;
  bring: Brought;
  'undo entry': Undone;
  window: string;
  count: number;
  list: string;
  page: string;
  record: string | null;
  more: string;
  along: readonly Along[];
  past: readonly PastOfRow[];
  'past of all': readonly PastEntry[];
  choices: readonly Choice[];
  'work out': readonly WorkedOutValue[];
  'prepared change': Prepared;
  'search texts': WrittenTexts | null;
}

/** Rows a report may have: about a thousand pages. */
export const MOST_REPORT_ROWS = 40_000;

/** Bytes of a report as PDF. */
const MOST_PDF = 32 * 1024 * 1024;

/** An error of the person's making, such as a number that leaves its range while a query runs. */
export class TaskError extends Error {}

/** Tasks that only read; the others open the file for writing themselves. */
export type Reading = Exclude<
  Task,
  {
    task:
      | 'save'
      | 'keep attachment'
      | 'apply'
      | 'undo'
      | 'adopt'
      | 'whole'
      | 'texts'
      | 'bring'
      | 'undo entry'
      | 'open package'
      | 'load package';
  }
>;

/**
 * Does a task that only reads, all of it on the file as it is at one moment. Throws DesignMoved when the file
 * has another design by then than the task was made from.
 */
export async function runTask<T extends Reading>(
  db: Connection,
  task: T,
  tell: Tell = UNWATCHED,
): Promise<Results[T['task']]> {
  db.exec('BEGIN');
  try {
    const version = 'design' in task ? task.design.version : task.version;
    if (storedVersion(db) !== version) throw new DesignMoved();
    const result = await dispatch(db, task, tell);
    if (typeof result === 'string') assertSendable(result);
    return result as Results[T['task']];
  } finally {
    // What was read needs no end of its own; the engine has ended it already when it could not go on.
    if (db.inTransaction) db.exec('COMMIT');
  }
}

/** Refuses what is too much to be sent, whatever it is made of. Throws a TaskError. */
function assertSendable(json: string): void {
  const refusal = tooLarge(json);
  if (refusal !== null) throw new TaskError(refusal);
}

async function dispatch(db: Connection, task: Reading, tell: Tell): Promise<Results[Reading['task']]> {
  switch (task.task) {
    case 'check':
      return checkDraft(db, task, tell);
    case 'preview':
      return previewDraft(db, task);
    case 'found': {
      const plan = checkPlan(task.design, evolve(task.design, task.changes), task.changes);
      const table = plan.rows[task.number]?.table ?? '';
      return rowsToMend(db, task.design, { table, rows: foundRows(db, { ...task, plan }) });
    }
    case 'offers':
      return linkOffers(db, task.design, task.candidates, task.every, tell);
    case 'look':
      return bySheet(() => lookAtSheet(db, task.design, task.order, tell));
    case 'pack':
      return packFile(db, task.design, task.order, tell);
    case 'take out':
      return takeOut(db, task.design, task.order, tell);
    case 'stage':
      return bySheet(() => stageSheet(db, task.design, task.order, tell));
    case 'sound':
      return askSoundness(db, task.design, tell);
    case 'unsound':
      return rowsToMend(db, task.design, unsoundRows(db, task.design, task.number, task.offset, task.limit));
    case 'anchors':
      return guarded(db, task.sql, task.columns).all();
    case 'query':
      return task.query.written ? runWritten(db, task) : runQuery(db, task);
    case 'query counts':
      return countsOf(db, task, tell);
    case 'query rows':
      return rowsBehind(db, task);
    case 'advise': {
      const { query, today, answers } = task.order;
      const explain = (): string => faultOf(db, task.design, query, { today, answers });
      return inWords(() => inPlace(() => advise(db, task.design, task.order, tell)), explain);
    }
    case 'report':
      return runReport(db, task);
    case 'map':
      return paintMap(task.map);
    case 'window':
      return readWindow(db, task.design, task.viewer, tableOf(task.design, task.table), task.request, null);
    case 'count':
      return countRows(db, task.design, tableOf(task.design, task.table), task.asked);
    case 'list':
      return readList(db, task.design, task.viewer, tableOf(task.design, task.table), task.request);
    case 'page':
      return readPage(db, task.design, task.viewer, task.form, task.request);
    case 'read attachment':
      return writeOut(db, task.id, task.to);
    case 'read definitions':
      return readDefinitions(task.design, task.archive);
    case 'record':
      return readRecord(db, task.design, task.viewer, task.form, task.key);
    case 'more':
      return readMore(db, task.design, task.viewer, task.form, task.at);
    case 'along':
      return goesAlong(db, task.design, tableOf(task.design, task.table), task.keys);
    case 'past':
      return pastOfRow(db, task.design, tableOf(task.design, task.table), task.key);
    case 'past of all':
      return pastOfFile(db, task.before, task.limit);
    case 'choices': {
      const field = findField(task.design, task.field)?.field;
      return field ? readChoices(db, task.design, field, task.request) : [];
    }
    case 'work out': {
      const { table, field } = findField(task.design, task.field)!;
      return ifFit(() => workOut(db, task.design, table, field, task.expression, task.keys));
    }
    case 'search texts': {
      const texts = readSearchTexts(db, task.design, tableOf(task.design, task.table), task.shows);
      return texts && writeTexts(texts, task.to);
    }
    case 'prepared change':
      return ifFit(() => prepareChange(db, task.design, task.order));
  }
}

/** What an expression cannot give is an error of the person's making. */
function ifFit<T>(work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (error instanceof Unfit) throw new TaskError(error.message);
    throw error;
  }
}

/** What is wrong with a sheet is an error of the person's making. */
async function bySheet<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof SheetError) throw new TaskError(error.message);
    throw error;
  }
}

function checkDraft(
  db: Connection,
  { design, changes, today }: Extract<Task, { task: 'check' }>,
  tell: Tell,
): CheckResult {
  const evolved = evolve(design, changes);
  const plan = checkPlan(design, evolved, changes);
  const result = runChecks(db, plan, today, tell);
  const isStopped = ({ notices }: { readonly notices: readonly Notice[] }): boolean =>
    notices.some(({ level }) => level === 'stop');
  if (isStopped(plan) || isStopped(result)) return result;
  const message = rehearsal(db, plan, steps(design, evolved), evolved.design, today);
  if (message === null) return result;
  const notices: Notice[] = [{ level: 'stop', table: '', message, dependants: [] }, ...result.notices];
  return { ...result, notices, clear: false };
}

function previewDraft(
  db: Connection,
  { design, changes, table: tableId, field: fieldId, today }: Extract<Task, { task: 'preview' }>,
): Previewed {
  const evolved = evolve(design, changes);
  const [old, table] = [design, evolved.design].map(({ tables }) => tables.find(({ id }) => id === tableId));
  const [was, field] = [old && fieldOf(old, fieldId), table && fieldOf(table, fieldId)];
  if (!old || !was || !field) return { refused: 'not-found', message: 'This field holds no values yet.' };
  const invented = validateTables(evolved.design).find((problem) => problem.field === field.id);
  if (invented) return { refused: 'design-invalid', message: invented.message };
  return previewConversion(db, new Carrier(design, evolved).plan(old, was, field), today);
}

/** A query in SQL: what it gives is found out first. */
function runWritten(db: Connection, task: Extract<Task, { task: 'query' }>): QueryResult {
  const { design, query, answers, today } = task;
  const described = describeWritten(db, design, query, answers, today);
  if ('fault' in described)
    return {
      columns: [],
      rows: [],
      keys: [],
      more: false,
      sql: '',
      funnel: [],
      totals: [],
      fault: described.fault,
    };
  const written = { sql: query.written!.sql, columns: described.columns };
  const found = runQuery(db, { ...task, query: { ...query, written }, totals: false, counted: false });
  return { ...found, written: described.columns };
}

function runQuery(
  db: Connection,
  {
    design,
    query,
    answers,
    today,
    limit,
    start = 0,
    totals,
    counted: isCounted,
  }: Extract<Task, { task: 'query' }>,
): QueryResult {
  const compiled = inPlace(() => compileQuery(design, query, { today, answers }));
  const explain = (): string => faultOf(db, design, query, { today, answers });
  const most = Math.min(limit, Math.ceil(MOST_VALUES / Math.max(1, compiled.columns.length)));
  // What is drawn needs the names of things, not all that is written of them; nobody reads a book in a cell.
  const letters = limit > READ_ROWS ? MOST_LETTERS : MOST_READ;
  const { rows, keys, more } = readRows(db, compiled, most, explain, { start, letters });
  // All rows that the last part leaves are at hand, unless they are more than were asked for.
  const last = more ? null : start + rows.length;
  return {
    columns: compiled.columns,
    rows,
    keys,
    more,
    sql: plainQuery(design, query, today, answers),
    totals: !totals
      ? []
      : pivotTotals(
          query,
          compiled.columns.map(({ kind }) => kind),
        ).map((level) => {
          const asked = inPlace(() => compileQuery(design, level, { today, answers }));
          const read = readRows(db, asked, MOST_CELLS, explain);
          return { columns: asked.columns, rows: read.rows, keys: read.keys };
        }),
    funnel: isCounted ? countsOf(db, { design, query, answers, today, last }) : [],
  };
}

/** How many rows each part leaves, and why one leaves none, or few where more were meant. */
function countsOf(
  db: Connection,
  { design, query, answers, today, last }: Omit<Extract<Task, { task: 'query counts' }>, 'task'>,
  tell: Tell = UNWATCHED,
): CountedPart[] {
  const compiling = { today, answers };
  const compiled = inPlace(() => compileQuery(design, query, compiling));
  const explain = (): string => faultOf(db, design, query, compiling);
  const countsIn = (sql: string): number[] => {
    const ask = (): unknown => db.prepare(sql).raw().get(used(sql, compiled.params));
    return inWords(ask, explain) as number[];
  };
  const counted = (sql: string): number => countsIn(sql)[0]!;
  const parts: CountingPart[] = compiled.funnel.map(({ part, label }, i, all) => ({
    part,
    label,
    count: i === all.length - 1 ? last : null,
  }));
  const say = (): void =>
    tell({
      step: parts.filter(({ count }) => count !== null).length,
      of: parts.length,
      what: 'Counting',
      parts: [...parts],
    });
  say();
  if (compiled.together !== null) {
    // What comes out of one reading comes at once, but how many rows a table has is known before.
    if (design.tables.some(({ id }) => id === query.from)) {
      parts[0] = { ...parts[0]!, count: parts[0]!.count ?? counted(compiled.funnel[0]!.sql) };
      say();
    }
    countsIn(compiled.together).forEach((count, i) => {
      const part = parts[i]!;
      parts[i] = { ...part, count: part.count ?? count };
    });
    say();
  }
  const funnel = compiled.funnel.map(({ sql, none, part, label }, i): CountedPart => {
    const done = {
      part,
      label,
      count: parts[i]!.count ?? counted(sql),
      ...(none === undefined ? {} : { none: counted(none) }),
    };
    parts[i] = done;
    say();
    return done;
  });
  const found = funnel.findIndex(({ count }, i) => i > 0 && isSmall(count, funnel[i - 1]!.count));
  const { part, count } = funnel[found] ?? { part: 'from', count: 0 };
  if (part !== 'where' && part !== 'keep') return funnel;
  const place = funnel.slice(0, found).filter((other) => other.part === part).length;
  const asked = part === 'where' ? { design, query } : overResult(design, query);
  const why = whyFew(db, asked.design, asked.query, compiling, place, count === 0);
  return funnel.map((other, i) => (i === found && why.length > 0 ? { ...other, why } : other));
}

/** Whether a part leaves nothing, or so little of what was there that something else may have been meant. */
const isSmall = (count: number, before: number): boolean =>
  before > 0 && (count === 0 || (before >= 20 && count <= before * 0.03));

/** Comparisons of one condition that are explained. */
const MOST_WHYS = 3;

/**
 * Why a condition leaves no row, or few: how what it compares stands in the rows that the parts before it leave. Of few it
 * is only said what else is written like what was asked for.
 */
function whyFew(
  db: Connection,
  design: Design,
  query: Query,
  compiling: Compiling,
  place: number,
  isNone: boolean,
): string[] {
  const locale = localeOf(design.settings);
  const whys = whysOf(design, query, compiling, place).slice(0, MOST_WHYS);
  const told = whys.flatMap(({ by, subject, kind, wanted, range, values }): string[] => {
    if (!isNone) {
      const like =
        values === null || wanted === null
          ? null
          : writtenLike(subject, wanted, guarded(db, values, 2).all() as [string, number][]);
      return like === null ? [] : [like];
    }
    const [rows, filled, least, most] = guarded(db, range, 4).get() as [number, number, Held, Held];
    const standing = { subject, kind, locale, rows, empty: rows - filled };
    if (by === 'filled') return [whyOfFilled(standing)];
    if (values === null)
      return [
        whyOfRange(
          standing,
          travelling(least, { id: '', label: '', kind }),
          travelling(most, { id: '', label: '', kind }),
        ),
      ];
    return [whyOfValues(standing, wanted, guarded(db, values, 2).all() as [string, number][])];
  });
  return [...new Set(told)];
}

const TOO_LARGE =
  'This asks for more than one query may hold in memory. Keep fewer rows, or take long texts out of what it shows.';

/** What an expression does not allow is an error of the person's making. */
function inPlace<T>(work: () => T): T {
  const made = attempt(work);
  if (!made.ok) throw new TaskError(made.error.message);
  return made.value;
}

/** The parameters a statement can take: the engine refuses values behind its last place. */
function used(sql: string, params: readonly string[]): string[] {
  const last = Math.max(0, ...[...sql.matchAll(/\?(\d+)/g)].map((match) => Number(match[1])));
  return params.slice(0, last);
}

/** Whether a column of a result may hold long texts. */
const isLettered = (column: ResultColumn | undefined): boolean =>
  column?.kind.kind === 'text' || column?.kind.kind === 'longText';

/** Letters of a whole result that are sent at most. */
const MOST_ANSWERED = 8 * 1024 * 1024;

/** The first rows of a result, as many as are sent at once, but one at least. */
function withinAnswer(rows: Held[][]): Held[][] {
  let letters = 0;
  const at = rows.findIndex((row) => {
    for (const value of row) if (typeof value === 'string') letters += value.length;
    return letters > MOST_ANSWERED;
  });
  return at < 0 ? rows : rows.slice(0, Math.max(1, at));
}

/** Values of a result that are sent at most, and letters of one of them where they are drawn. */
const MOST_VALUES = 300_000;
const MOST_LETTERS = 400;
/** Rows up to which they are read, with so many letters of each text. */
const READ_ROWS = 1000;
const MOST_READ = 10_000;

/**
 * The first rows of a result, with what they are grouped by apart from them. With `letters` no more of each text, and of
 * all of them together no more than an answer holds.
 */
function readRows(
  db: Connection,
  { columns, sql: whole, params, keys }: Omit<CompiledQuery, 'funnel' | 'together'>,
  limit: number,
  explain: () => string,
  { start = 0, letters = null }: { readonly start?: number; readonly letters?: number | null } = {},
): Pick<QueryResult, 'rows' | 'keys' | 'more'> {
  const names = Array.from({ length: columns.length + keys }, (_, i) => `c${i}`);
  const cells = names.map((name, i) =>
    letters !== null && isLettered(columns[i])
      ? `CASE WHEN octet_length(${name}) > ${letters} AND length(${name}) > ${letters} THEN substr(${name}, 1, ${letters}) || '…' ELSE ${name} END`
      : name,
  );
  const sql = `WITH "~r"(${names.join(', ')}) AS (${whole}) SELECT ${cells.join(', ')} FROM "~r" LIMIT ${limit + 1}${start > 0 ? ` OFFSET ${start}` : ''}`;
  const ask = (): Held[][] => guarded(db, sql, columns.length + keys).all(...used(sql, params));
  const all = inWords(ask, explain);
  const asked = all.slice(0, limit);
  const shown = letters === null ? asked : withinAnswer(asked);
  return {
    rows: shown.map((row) => columns.map((column, i) => travelling(row[i] ?? null, column))),
    keys:
      keys === 0
        ? []
        : shown.map((row) =>
            row.slice(columns.length).map((value) => (value === null ? null : String(value))),
          ),
    more: all.length > shown.length,
  };
}

function rowsBehind(
  db: Connection,
  { design, query, answers, today, limit, asked }: Extract<Task, { task: 'query rows' }>,
): RowsBehind {
  const compiling = { today, answers };
  const { columns, sql } = inPlace(() => compileRows(design, query, compiling, asked));
  const explain = (): string => faultOf(db, design, query, compiling);
  const { rows, more } = readRows(db, { columns, sql, params: [], keys: 0 }, limit, explain, {
    letters: MOST_READ,
  });
  return { columns, rows, more };
}

function travelling(value: string | number | null, { kind }: ResultColumn): Value {
  if (value === null) return null;
  if (kind.kind === 'tick') return value === 1 || value === '1';
  if (kind.kind === 'wholeNumber' || kind.kind === 'runningNumber') {
    const number = Number(value);
    return Number.isSafeInteger(number) ? number : String(value);
  }
  return value;
}

/** Which part of a query could not be worked out, for which row and why. */
function faultOf(db: Connection, design: Design, query: Query, compiling: Compiling): string {
  for (const { what, rows, sql } of faultProbes(design, query, compiling)) {
    const [title, fault] = (guarded(db, sql, 2).get() ?? []) as (string | null | undefined)[];
    if (fault !== undefined && fault !== null)
      return `${what} cannot be worked out for the ${rows.toLowerCase()} “${title ?? 'without a name'}”: ${FAULT_WORDS[fault as Fault]}`;
  }
  return 'A total in this query is too large: at most 18 digits can be worked with, decimal places included.';
}

/** Puts what the engine says of a query into words for people; `explain` says what could not be worked out. */
function inWords<T>(work: () => T, explain: () => string): T {
  try {
    return work();
  } catch (error) {
    const { message } = error as Error;
    if (/overflow|malformed JSON/.test(message)) throw new TaskError(explain());
    if (/out of memory|too big/.test(message)) throw new TaskError(TOO_LARGE);
    if (/parser stack overflow|too deep|too large|too many/i.test(message))
      throw new TaskError(
        'This query is nested too deeply to be run. Split its expressions into columns of a simpler query.',
      );
    throw error;
  }
}

/** What was answered to what a query asks, or what it began with, for whoever reads what comes of it. */
function answersTold(
  db: Connection,
  design: Design,
  query: Query,
  answers: Answers,
  today: string,
): string[] {
  const moment = { today, now: `${today}T00:00:00Z` };
  return questionsOf(design, query).flatMap((question) => {
    const field = { ...questionField(design, question), start: question.start };
    const started = attempt(() => startValue(design, field, moment));
    const value = Object.hasOwn(answers, question.id)
      ? answers[question.id]!
      : started.ok
        ? started.value
        : null;
    if (value === null || value === '') return [];
    const by = answeredBy(design, question);
    if (!by)
      return [`${question.label}: ${showValue(valueKind(field.type), value, localeOf(design.settings))}`];
    const key = typeof value === 'number' ? String(value) : sqlText(String(value));
    const [text] =
      guarded(db, `SELECT ${titled(lookupText(design, catalogOf(design), by, key))}`, 1).get() ?? [];
    return [`${question.label}: ${text ?? String(value)}`];
  });
}

async function runReport(
  db: Connection,
  { design, report, only = [], answers = {}, today, pdf }: Extract<Task, { task: 'report' }>,
): Promise<Results['report']> {
  const whole = reportQuery(design, report);
  if (!whole) throw new TaskError('The table or query this report prints is no longer there.');
  const query = { ...whole, where: [...whole.where, ...only.map(so)] };
  const compiled = inPlace(() => compileQuery(design, query, { today, answers }));
  const explain = (): string => faultOf(db, design, query, { today, answers });
  const { rows: all, more } = readRows(db, compiled, MOST_REPORT_ROWS, explain);
  if (more)
    throw new TaskError(
      `This report would have more than ${MOST_REPORT_ROWS.toLocaleString('en')} rows. Print a query that keeps fewer.`,
    );
  const index = (id: string): number => compiled.columns.findIndex((column) => column.id === id);
  const columns = report.columns.map(({ column, label, sum, share }) => ({
    id: column,
    label,
    sum,
    share,
    kind: compiled.columns[index(column)]!.kind,
  }));
  const places = [
    ...report.columns.map(({ column }) => index(column)),
    ...(report.group ? [index(report.group.column)] : []),
  ];
  const rows = all.map((row) => places.map((place) => row[place] ?? null));
  const grouped = report.group ? compiled.columns[index(report.group.column)]! : null;
  const source =
    report.source.kind === 'query'
      ? design.queries.find(({ id }) => id === report.source.id)?.label
      : query.label;
  const locale = localeOf(design.settings);
  const told = answersTold(db, design, whole, answers, today).map((words) => `${words} · `);
  const model = layoutReport({
    title: report.label,
    subtitle: `${told.join('')}From ${source ?? ''}, ${showNumber(String(rows.length), locale)} ${rows.length === 1 ? 'row' : 'rows'}, ${showValue({ kind: 'date' }, today, locale)}`,
    columns,
    rows,
    group: grouped && { label: grouped.label, kind: grouped.kind, newPage: report.group!.newPage },
    paper: report.paper,
    locale,
    measure: measureText,
  });
  if (!pdf) {
    const pages = JSON.stringify(model);
    assertSendable(pages);
    return { pages, pdf: null };
  }
  const bytes = await paintPdf(model);
  if (bytes.byteLength > MOST_PDF)
    throw new TaskError(
      `This report has ${Math.round(bytes.byteLength / 1024 ** 2)} MB as PDF; at most ${MOST_PDF / 1024 ** 2} MB are sent. Print a query that keeps fewer rows.`,
    );
  return { pages: null, pdf: bytes };
}
