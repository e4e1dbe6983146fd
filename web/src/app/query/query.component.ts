import { Clipboard } from '@angular/cdk/clipboard';
import { CdkDrag, CdkDropList, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { NgTemplateOutlet } from '@angular/common';
import { Component, computed, inject, input, signal, ViewContainerRef } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatRadioModule } from '@angular/material/radio';
import {
  catchError,
  EMPTY,
  filter,
  finalize,
  map,
  Subject,
  switchMap,
  takeUntil,
  tap,
  throttleTime,
  type Observable,
} from 'rxjs';
import { attempt, bind, toStored, type Catalog } from '@heathridge/core/expression';
import {
  listOf,
  readableName,
  uniqueName,
  type FieldPath,
  rowsLeadingTo,
  type RowsLeading,
  type GroupColumn,
  type Measure,
  type Query,
  type QueryColumn,
  type QueryCondition,
  type QueryJoin,
  type QueryQuestion,
} from '@heathridge/core/design';
import { askedBy } from '@heathridge/core/form';
import {
  addedTo,
  changedAt,
  conditionAt,
  identifier,
  joinChoices,
  isShownNumber,
  keepScope,
  leavesOf,
  MEASURE_WORDS,
  MOVABLE,
  movedPart,
  MOST_CELLS,
  newQuery,
  orElse,
  outputColumns,
  partsOf,
  pivotFor,
  queryPaths,
  questionsOf,
  readerOf,
  readersOf,
  repeats,
  resultPaths,
  scopeOf,
  sentenceOf,
  so,
  sourceOf,
  sourceWords,
  tablesRead,
  valuesThere,
  withJoin,
  withOrder,
  withoutPart,
  type Answers,
  type CountingPart,
  type JoinChoice,
  type Movable,
  type PartName,
  type Place,
  type Reader,
  type Repeat,
  type SqlFault,
  type Stretch,
} from '@heathridge/core/query';
import { DocumentPage } from '../file/document-page';
import { ALL as EVERYTHING, FileNews, type News } from '../file/news.service';
import { OutsideComponent } from '../file/outside.component';
import { DOCUMENT_PARTS } from '../frame/document-parts';
import { Api, type QueryCounts, type QueryResult } from '../shared/api.service';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { newId } from '../shared/ids';
import { LineComponent } from '../shared/line.component';
import { PickComponent, type Pickable } from '../shared/pick.component';
import { options, SelectComponent, type Option } from '../shared/select.component';
import { StripComponent } from '../shared/strip.component';
import { Toast } from '../shared/toast.service';
import { WholeComponent } from '../shared/whole.component';
import { ResultComponent, type Asked, type Behind, type Look } from './result.component';
import { paused } from '../shared/paused';
import { problemOf } from '../shared/problem';
import { ChipComponent } from '../shared/chip.component';
import { AnswersComponent } from '../ask/answers.component';
import { ConditionBuilderComponent, type Made, type ValueThere } from '../ask/condition-builder.component';
import type { Fetch } from '../value/held';
import { AdviceDialog, type AdviceData } from './advice.dialog';
import { AsideComponent } from './aside.component';
import { ConditionPartComponent } from './condition-part.component';
import { PartFootComponent } from './part-foot.component';
import { QuestionPartComponent } from './question-part.component';
import { FunnelComponent } from './funnel.component';
import { SqlEditorComponent } from './sql-editor.component';

/** What the expressions of a query may name, for those who write them. */
export interface Editing {
  readonly catalog: Catalog;
  readonly table: string;
  readonly paths: readonly FieldPath[];
  /** Rows that lead to its rows, of which it may be asked whether there are any. */
  readonly rows: readonly RowsLeading[];
}

/** What stands in an editor, and whether it can be used. */
interface Typed {
  readonly text: string;
  readonly ok: boolean;
}

/** Totals that count rows more than once, and what is said of them. */
interface Repeated extends Pick<Repeat, 'row' | 'because' | 'canMend'> {
  readonly ids: readonly string[];
  readonly words: string;
}

const TOTALS = options(Object.entries(MEASURE_WORDS) as [Measure['total'], string][]);

/** What stands above a total by itself. */
const HEADINGS: Readonly<Record<Measure['total'], string>> = {
  count: 'Number of',
  distinct: 'Different',
  sum: 'Sum of',
  average: 'Average',
  median: 'Median',
  least: 'Least',
  most: 'Most',
  first: 'First',
  last: 'Last',
  joined: 'List of',
  share: 'Share of',
  running: 'Running sum of',
  change: 'Change of',
};

/** Totals of numbers, and those that are of the count of rows where nothing else is said. */
const NEEDS_NUMBER: ReadonlySet<Measure['total']> = new Set([
  'sum',
  'average',
  'median',
  'share',
  'running',
  'change',
]);
const MAY_COUNT: ReadonlySet<Measure['total']> = new Set(['count', 'share', 'running', 'change']);

/** What the panel of a part is about, for those who listen, and that in which one is added. */
const ABOUT: Readonly<Record<PartName, string>> = {
  from: 'Rows',
  stack: 'Rows beneath',
  join: 'Link',
  where: 'Condition',
  column: 'Column',
  group: 'Group',
  measure: 'Total',
  keep: 'Condition over the result',
  unlike: 'Unlike rows',
  sort: 'Order',
  first: 'Keep only the first',
  question: 'What is asked',
};
const ADDS: Readonly<Record<PartName, string>> = {
  from: 'Rows',
  stack: 'Add rows beneath',
  join: 'Add a link',
  where: 'Add a condition',
  column: 'Add a column',
  group: 'Group by a field',
  measure: 'Add a total',
  keep: 'Add a condition over the result',
  unlike: 'Unlike rows only',
  sort: 'Sort by',
  first: 'Keep only the first',
  question: 'Ask the reader',
};

const STEPS = options([
  ['day', 'day by day'],
  ['week', 'week (from Monday)'],
  ['month', 'month'],
  ['quarter', 'quarter'],
  ['year', 'year'],
]);

/** How the numbers of a column are shown; as what they are worked out of where nothing is said. */
const AS_IT_IS = 'asItIs';
const SHOWN = options([
  [AS_IT_IS, 'as what they are worked out of'],
  ['wholeNumber', 'as whole numbers'],
  ['decimal', 'with places behind the point'],
  ['money', 'as money'],
]);

/** Of all rows together, and not of each value of a column: no column has such an id. */
const ALL = ' all';

/** Milliseconds after an edit until a query runs. */
const PAUSE = 250;

/** Milliseconds between two runs of what others change. */
const FOLLOWED_EVERY = 2000;

/** A query that is written in SQL: no table has such an id. */
const IN_SQL = ' sql';

/** What may be picked beside the fields; no path is written so. */
const [WORKED_OUT, COUNT] = ['(worked out)', '(count)'];

/** A query that groups with a layout of its pivot: that which suits where nobody has said. */
const withPivot = (query: Query): Query =>
  query.group ? { ...query, pivot: query.pivot ?? pivotFor(query) } : query;

/** What closes a part of the sentence: a comma, a full stop. */
interface Closed {
  readonly after: string;
}

/** A part of the sentence that is being dragged. */
type Dragged = Extract<Stretch, { says: 'part' }>;

const isMovable = (what: PartName): what is Movable => (MOVABLE as readonly PartName[]).includes(what);

const VIEWS = [
  ['words', 'Words'],
  ['sql', 'SQL'],
] as const;

/** A query as a sentence, its funnel and its result. */
@Component({
  selector: 'hr-query',
  imports: [
    CdkDrag,
    CdkDropList,
    MatButton,
    MatIconModule,
    ChipComponent,
    AnswersComponent,
    AsideComponent,
    ConditionBuilderComponent,
    ConditionPartComponent,
    MatCheckboxModule,
    NgTemplateOutlet,
    PartFootComponent,
    QuestionPartComponent,
    ExpressionEditorComponent,
    FunnelComponent,
    DOCUMENT_PARTS,
    LineComponent,
    MatRadioModule,
    OutsideComponent,
    PickComponent,
    ResultComponent,
    SelectComponent,
    SqlEditorComponent,
    StripComponent,
    WholeComponent,
  ],
  providers: [FileNews],
  host: { '(document:keydown)': 'keys($event)' },
  templateUrl: './query.component.html',
  styleUrl: './query.component.scss',
})
export class QueryComponent extends DocumentPage<Query> {
  private readonly api = inject(Api);
  private readonly clipboard = inject(Clipboard);
  private readonly toast = inject(Toast);
  private readonly dialogs = inject(MatDialog);
  private readonly container = inject(ViewContainerRef);
  readonly views = VIEWS;
  protected override readonly speech = { one: 'query', dropped: 'the rows it reads stay as they are' };
  override readonly wanted = input<string | undefined>(undefined, { alias: 'query' });
  private readonly query = this.document;
  readonly result = signal<QueryResult | null>(null);
  readonly problem = signal('');
  /** What is wrong with its SQL, and where. */
  readonly fault = signal<SqlFault | null>(null);
  readonly busy = signal(false);
  readonly view = signal<'words' | 'sql'>('words');
  readonly look = signal<Look>('rows');
  /** The rows behind a part of the result, while they are looked at. */
  readonly behind = signal<Behind | null>(null);
  private readonly asked = new Subject<Asked | null>();
  /** How many rows its parts leave, as they were counted last. */
  readonly funnel = signal<QueryCounts['funnel'] | null>(null);
  readonly isCounting = signal(false);
  /** The parts while they are counted, as far as they are. */
  readonly coming = signal<readonly CountingPart[] | null>(null);
  private readonly counts = new Subject<{ readonly query: Query; readonly last: number | null } | null>();
  /** The place of the first row that is shown. */
  readonly start = signal(0);
  readonly isWindowing = signal(false);
  private readonly windows = new Subject<number>();
  /** Rows of the whole result, once they are counted. */
  readonly total = computed(() => (this.isCounting() ? null : (this.funnel()?.at(-1)?.count ?? null)));
  /** Milliseconds that its last run took, from asking to the answer. */
  readonly took = signal(0);
  /** Whether rows that it reads have changed since it ran, and whether it runs anew by itself then. */
  readonly isStale = signal(false);
  readonly follows = signal(false);
  private readonly reads = computed(() => {
    const query = this.query();
    const found = query && attempt(() => tablesRead(this.store.design(), query));
    return found?.ok ? found.value : null;
  });
  /** The tables that it reads whose rows come from outside. */
  readonly outside = computed((): string[] => {
    const reads = this.reads();
    return this.store.sources().flatMap(({ table }) => (reads?.has(table) ? [table] : []));
  });
  /** The column that has just been added and is to be written. */
  readonly added = signal('');
  private readonly runs = new Subject<Query>();
  readonly totals = TOTALS;
  readonly steps = STEPS;
  protected readonly ABOUT = ABOUT;
  protected readonly ADDS = ADDS;

  /** The fields that expressions may name: of what it starts from, of what is beside it, and of the answers. */
  readonly fieldPaths = computed((): FieldPath[] => {
    const query = this.query();
    const found = query && attempt(() => queryPaths(this.store.design(), query));
    return found?.ok ? found.value : [];
  });
  private readonly fieldsByText = computed(() => new Map(this.fieldPaths().map((path) => [path.text, path])));
  readonly pickFields = computed((): Pickable[] =>
    this.fieldPaths().map(({ text, of, field }) => ({ id: text, of, label: field.label })),
  );
  readonly pickColumns = computed((): Pickable[] => [
    { id: WORKED_OUT, label: 'Worked out…', icon: 'functions' },
    ...this.pickFields(),
  ]);
  readonly pickTotals = computed((): Pickable[] => [
    { id: COUNT, label: `count of ${this.rows().toLowerCase()}` },
    ...this.fieldPaths()
      .filter(({ field }) => ['money', 'decimal', 'wholeNumber'].includes(field.type.kind))
      .map(({ text, of, field }) => ({ id: text, of: `sum of ${of}`.trim(), label: field.label })),
  ]);
  /** What may be put beside the rows: along links, then by what stands in two rows. */
  private readonly joinsLeft = computed((): JoinChoice[] => {
    const query = this.query();
    const found = query && attempt(() => joinChoices(this.store.design(), query));
    return found?.ok ? found.value : [];
  });
  readonly pickJoins = computed((): Pickable[] => {
    const { tables, queries } = this.store.design();
    const own = this.query()?.id;
    const others = [...tables.map(({ id, plural }) => ({ id, label: plural })), ...queries].filter(
      ({ id }) => id !== own,
    );
    return [
      ...this.joinsLeft().map(({ of, label, many }, i) => ({
        id: String(i),
        of: of === '' ? '' : `${of}’s`,
        label: many ? `${label}, one by one` : label,
      })),
      ...others.map(({ id, label }) => ({ id, of: 'with an equal text:', label: label.toLowerCase() })),
    ];
  });
  /** What rows are called that it starts from. */
  readonly rows = computed(() => {
    const query = this.query();
    const source = query && sourceOf(this.store.design(), query.from);
    return source ? sourceWords(source).plural : 'rows';
  });
  readonly resultColumns = computed((): readonly { id: string; label: string }[] => {
    const query = this.query();
    const columns = query && attempt(() => outputColumns(this.store.design(), query));
    return columns?.ok ? columns.value : [];
  });
  /** The sentence; what closes a part (a comma, a full stop) goes with it, so that it never begins a line. */
  readonly stretches = computed((): (Stretch & Closed)[] => {
    const query = this.query();
    const all = query ? sentenceOf(this.store.design(), query) : [];
    const closing = (stretch: Stretch | undefined): string =>
      stretch?.says === 'words' ? /^[.,)]*/.exec(stretch.text)![0] : '';
    return all.map((stretch, i) => {
      if (stretch.says !== 'words') return { ...stretch, after: closing(all[i + 1]) };
      const isTaken = i > 0 && all[i - 1]!.says !== 'words';
      return {
        ...stretch,
        text: isTaken ? stretch.text.slice(closing(stretch).length) : stretch.text,
        after: '',
      };
    });
  });
  private readonly readers = computed(() => readersOf(this.store.design(), this.query()!));
  /** What expressions may name, over the rows of the query and over those of its result. */
  readonly own = computed((): Editing => {
    const query = this.query()!;
    const design = this.store.design();
    const scope = attempt(() => scopeOf(design, query));
    const rows = scope.ok ? rowsLeadingTo(design, scope.value.catalog, scope.value.table) : [];
    return {
      catalog: scope.ok ? scope.value.catalog : this.store.catalog(),
      table: scope.ok ? scope.value.table : query.from,
      paths: this.fieldPaths(),
      rows,
    };
  });
  readonly ofResult = computed((): Editing => {
    const query = this.query()!;
    const scope = attempt(() => keepScope(this.store.design(), query));
    const paths = attempt(() => resultPaths(this.store.design(), query));
    return {
      catalog: scope.ok ? scope.value.catalog : this.store.catalog(),
      table: scope.ok ? scope.value.table : query.from,
      paths: paths.ok ? paths.value : [],
      rows: [],
    };
  });
  /** Everything it asks for, with what those ask that it reads. */
  readonly questions = computed((): readonly QueryQuestion[] => {
    const query = this.query();
    return query ? questionsOf(this.store.design(), query) : [];
  });
  readonly questionsAsked = computed(() =>
    askedBy(this.store.design(), this.questions(), this.store.reading().today),
  );
  /** Fields whose choices may be the answer to a question. */
  readonly lookups = computed((): Option[] =>
    this.store
      .design()
      .tables.flatMap(({ label, fields }) =>
        fields
          .filter(({ type }) => type.kind === 'lookup')
          .map((field) => ({ id: field.id, label: `${label} · ${field.label}` })),
      ),
  );
  /** Totals that count rows more than once, those of the same rows for the same reason together. */
  readonly repeats = computed((): Repeated[] => {
    const query = this.query();
    const found = query && attempt(() => repeats(this.store.design(), query));
    const all = new Map<string, Repeat[]>();
    for (const repeat of found?.ok ? found.value : []) {
      const key = `${repeat.row} ${repeat.because} ${repeat.canMend}`;
      all.set(key, [...(all.get(key) ?? []), repeat]);
    }
    return [...all.values()].map((same) => {
      const { row, because, canMend } = same[0]!;
      const labels = listOf(same.map(({ measure }) => `“${measure.label}”`));
      const count = same.length === 1 ? 'counts' : 'count';
      return {
        row,
        because,
        canMend,
        ids: same.map(({ measure }) => measure.id),
        words: `${labels} ${count} a ${row} once for each of the ${because} beside it.`,
      };
    });
  });
  readonly eachOptions = computed((): Option[] => [
    { id: ALL, label: 'all rows together' },
    ...this.resultColumns().map(({ id, label }) => ({ id, label: `each ${label}` })),
  ]);
  protected readonly ALL = ALL;
  readonly answers = signal<Answers>({});
  /** Which texts stand in a field, in the rows before any condition. */
  readonly values = (path: FieldPath): Observable<readonly ValueThere[]> => {
    const asked = valuesThere(this.query()!, this.stored(path.text));
    return this.api.runQuery(this.store.file, asked, this.answers(), { counted: false }).pipe(
      map(({ rows }) => rows.map(([value, count]) => ({ value: String(value), rows: Number(count) }))),
      catchError((error: unknown) => {
        this.toast.problem(error);
        return EMPTY;
      }),
    );
  };
  readonly choices: Fetch = (field, request) => this.api.choices(this.store.file, field, request);

  constructor() {
    super();
    this.runs
      .pipe(
        paused(PAUSE, (query) => this.run(query)),
        takeUntilDestroyed(),
      )
      .subscribe((result) => {
        this.takeResult(result);
        this.busy.set(false);
        // The rows come first; how many each part leaves when it is counted.
        const query = this.query();
        const isCounted = query && !query.written && !result.fault;
        this.counts.next(isCounted ? { query, last: result.more ? null : result.rows.length } : null);
      });
    this.counts
      .pipe(
        switchMap((asked) => {
          this.isCounting.set(asked !== null);
          if (!asked) return EMPTY;
          const watch = newId('w');
          const coming = this.api
            .watching(this.store.file, watch)
            .subscribe(({ parts }) => parts && this.coming.set(parts));
          return this.api.queryCounts(this.store.file, asked.query, this.answers(), asked.last, watch).pipe(
            catchError((error: unknown) => {
              this.funnel.set(null);
              this.problem.set(problemOf(error).detail);
              return EMPTY;
            }),
            finalize(() => {
              coming.unsubscribe();
              this.coming.set(null);
              this.isCounting.set(false);
            }),
          );
        }),
        takeUntilDestroyed(),
      )
      .subscribe(({ funnel }) => this.funnel.set(funnel));
    this.windows
      .pipe(
        switchMap((start) => {
          const query = this.query()!;
          this.isWindowing.set(true);
          return this.api.runQuery(this.store.file, query, this.answers(), { start, counted: false }).pipe(
            // A window of rows that are gone from the page is not wanted any more.
            takeUntil(this.runs),
            map((found) => ({ found, start })),
            catchError((error: unknown) => {
              this.toast.problem(error);
              return EMPTY;
            }),
            finalize(() => this.isWindowing.set(false)),
          );
        }),
        takeUntilDestroyed(),
      )
      .subscribe(({ found, start }) => {
        this.start.set(start);
        this.result.set(found);
      });
    inject(FileNews)
      .all.pipe(
        filter((news) => this.tellsOf(news)),
        throttleTime(FOLLOWED_EVERY, undefined, { leading: true, trailing: true }),
        takeUntilDestroyed(),
      )
      .subscribe(() => (this.follows() ? this.runAgain() : this.isStale.set(true)));
    this.asked
      .pipe(
        switchMap((asked) => {
          this.behind.set(asked && { of: asked.of, rows: null });
          if (!asked) return EMPTY;
          return this.api.queryRows(this.store.file, this.query()!, this.answers(), asked.asked).pipe(
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              this.behind.set(null);
              return EMPTY;
            }),
          );
        }),
        takeUntilDestroyed(),
      )
      .subscribe((rows) => this.behind.update((now) => now && { ...now, rows }));
  }

  /** Other rows of the result, from one on. */
  window(start: number): void {
    this.windows.next(start);
  }

  private takeResult(result: QueryResult): void {
    const { fault = null, written } = result;
    this.start.set(0);
    this.fault.set(fault);
    this.problem.set(fault?.message ?? '');
    this.result.set(fault ? null : result);
    const query = this.query();
    // What the SQL gives is known now: other queries and reports name its columns.
    if (written && query?.written && JSON.stringify(written) !== JSON.stringify(query.written.columns))
      this.query.set({ ...query, written: { ...query.written, columns: written } });
  }

  setSql(sql: string): void {
    const { written } = this.query()!;
    if (written && sql !== written.sql && sql.trim() !== '') this.set({ written: { ...written, sql } });
  }

  /** What the sentence says as SQL, to be written further. */
  goOnInSql(sql: string): void {
    this.set({ written: { sql: `${sql.replace(/^(--[^\n]*\n)+/, '')}\n`, columns: [] } });
  }

  /** The sentence stands as it stood; the SQL goes. */
  dropSql(): void {
    this.ask(
      {
        title: 'Back to the sentence?',
        text: 'The SQL is taken out of this query, and its sentence counts again as it stands.',
        act: 'Take out the SQL',
        stay: 'Stay with the SQL',
      },
      () => {
        this.view.set('words');
        this.set({ written: undefined });
      },
    );
  }

  /** Whether what somebody did changes rows that the query reads. */
  private tellsOf(news: News | typeof EVERYTHING): boolean {
    if (!this.query() || !this.result()) return false;
    const reads = this.reads();
    return news === EVERYTHING || reads === null || news.tables.some(({ table }) => reads.has(table));
  }

  private run(query: Query): Observable<QueryResult> {
    this.busy.set(true);
    this.isStale.set(false);
    const began = performance.now();
    const how = this.look() === 'rows' ? {} : { rows: MOST_CELLS, totals: this.look() === 'pivot' };
    return this.api
      .runQuery(this.store.file, withPivot(query), this.answers(), { ...how, counted: false })
      .pipe(
        tap(() => this.took.set(performance.now() - began)),
        catchError((error: unknown) => {
          this.problem.set(problemOf(error).detail);
          this.result.set(null);
          this.busy.set(false);
          return EMPTY;
        }),
      );
  }

  runAgain(): void {
    const query = this.query();
    if (query) this.runs.next(query);
  }

  follow(follows: boolean): void {
    this.follows.set(follows);
    if (follows && this.isStale()) this.runAgain();
  }

  /** Rows, a chart or a pivot: those need all of the result. */
  lookAs(look: Look): void {
    this.look.set(look);
    const query = this.query();
    if (query) this.runs.next(query);
  }

  openBehind(asked: Asked): void {
    this.asked.next(asked);
  }

  /** The rows that are lost at a part of the funnel. */
  openLost(part: number): void {
    const { part: what, label } = this.funnel()![part]!;
    const of = what === 'with' ? `Without ${label.toLowerCase()}` : `Left out by “${label}”`;
    this.openBehind({ asked: { what: 'lost', part }, of });
  }

  /** Why it takes its time, and what would spare some of it. */
  openAdvice(): void {
    const data: AdviceData = { query: this.query()!, answers: this.answers() };
    this.dialogs.open<AdviceDialog, AdviceData>(AdviceDialog, { data, viewContainerRef: this.container });
  }

  closeBehind(): void {
    this.asked.next(null);
  }

  all(): readonly Query[] {
    return this.store.design().queries;
  }

  make(): void {
    const { tables, queries } = this.store.design();
    const fromOutside = new Set(this.store.sources().map(({ table }) => table));
    const options = [
      ...tables.flatMap(({ id, label }) => (fromOutside.has(id) ? [] : [{ id, label }])),
      ...tables.flatMap(({ id, label }) =>
        fromOutside.has(id) ? [{ id, label, group: 'from outside' }] : [],
      ),
      ...queries.map(({ id, label }) => ({ id, label, group: 'rows of another query' })),
      { id: IN_SQL, label: 'what SQL gives', group: 'written' },
    ];
    this.begin(
      {
        title: 'New query',
        label: 'What is it called?',
        act: 'Begin',
        from: { label: 'Take every', options },
      },
      ({ name, from }) => {
        const [first] = tables;
        if (from !== IN_SQL || !first) return newQuery(newId('q'), name, { id: from });
        const sql = `SELECT *\nFROM ${identifier(readableName(first))}\n`;
        return { ...newQuery(newId('q'), name, first), written: { sql, columns: [] } };
      },
    );
  }

  set(patch: Partial<Query>): void {
    const query = this.query();
    if (!query) return;
    const next = { ...query, ...patch };
    // What is sorted by must still be a column.
    const ordered = attempt(() => withOrder(this.store.design(), next));
    this.query.set(ordered.ok ? ordered.value : next);
    this.closeBehind();
    // How a result is drawn changes nothing of it; how a pivot is laid out its totals.
    if (Object.keys(patch).join() !== 'chart') this.runs.next(this.query()!);
  }

  answer(answers: Answers): void {
    this.answers.set(answers);
    this.closeBehind();
    this.runs.next(this.query()!);
  }

  /** An expression in stored form with today's names. */
  named(stored: string): string {
    return this.readers().own.text(stored);
  }

  private stored(text: string): string {
    return toStored(text, this.own().catalog, this.own().table);
  }

  fieldAt(text: string): FieldPath {
    return this.fieldsByText().get(text)!;
  }

  /** Puts rows beside those of the query: along a link, or those of another table with an equal text. */
  pickJoin(id: string, part: ChipComponent): void {
    part.close();
    const query = this.query()!;
    const choice = this.joinsLeft()[Number(id)];
    if (choice) {
      this.addJoin(choice);
      return;
    }
    const own = this.fieldPaths().find(({ field }) => field.type.kind === 'text');
    const source = sourceOf(this.store.design(), id);
    const other =
      source?.of === 'table' ? source.table.fields.find(({ type }) => type.kind === 'text') : undefined;
    const column = source?.of === 'query' ? outputColumns(this.store.design(), source.query)[0] : undefined;
    const theirs = other?.id ?? column?.id;
    const mine = own ?? this.fieldPaths()[0];
    if (!mine || theirs === undefined) {
      this.toast.say('There is nothing in these rows that could be compared.');
      return;
    }
    const by = {
      by: 'same' as const,
      from: id,
      own: toStored(mine.text, this.own().catalog, this.own().table),
      other: `"#${theirs}"`,
      trimmed: true,
      anyCase: true,
    };
    this.addJoin({ at: null, by, to: id, many: true });
    this.added.set(`join ${query.joins.length}`);
  }

  addJoin(choice: Pick<JoinChoice, 'at' | 'by' | 'to' | 'many'>): void {
    this.set(withJoin(this.store.design(), this.query()!, choice, newId('j')));
  }

  joinAt(index: number): QueryJoin {
    return this.query()!.joins[index]!;
  }

  setJoin(index: number, patch: Partial<QueryJoin>): void {
    this.set({ joins: this.query()!.joins.map((item, i) => (i === index ? { ...item, ...patch } : item)) });
  }

  /** The name of joined rows, where no other has it. */
  renameJoin(index: number, text: string): void {
    const name = text.trim();
    if (name !== '' && name !== this.joinAt(index).name) this.setJoin(index, { name });
  }

  /** What the other rows of a join are compared by. */
  theirs(join: QueryJoin): Editing {
    const from = 'from' in join.by ? join.by.from : '';
    return { catalog: this.own().catalog, table: from, paths: [], rows: [] };
  }

  sameText(index: number, which: 'own' | 'other', { text, ok }: Typed): void {
    const join = this.joinAt(index);
    if (!ok || text.trim() === '' || join.by.by !== 'same') return;
    const { catalog, table } = which === 'own' ? this.own() : this.theirs(join);
    const stored = toStored(text, catalog, table);
    if (stored !== join.by[which]) this.setJoin(index, { by: { ...join.by, [which]: stored } });
  }

  sameHow(index: number, patch: { readonly trimmed?: boolean; readonly anyCase?: boolean }): void {
    const { by } = this.joinAt(index);
    if (by.by === 'same') this.setJoin(index, { by: { ...by, ...patch } });
  }

  /** The other side of an equal text, with today's names. */
  theirText(join: QueryJoin): string {
    const { catalog, table } = this.theirs(join);
    return join.by.by === 'same' ? readerOf(catalog, table).text(join.by.other) : '';
  }

  byCondition(index: number): void {
    const join = this.joinAt(index);
    if (join.by.by !== 'same') return;
    const { from, own, other } = join.by;
    this.setJoin(index, { by: { by: 'condition', from, condition: `${own} = "#${join.id}".${other}` } });
  }

  joinCondition(index: number, { text, ok }: Typed): void {
    const { by } = this.joinAt(index);
    if (!ok || text.trim() === '' || by.by !== 'condition') return;
    const condition = this.stored(text);
    if (condition !== by.condition) this.setJoin(index, { by: { ...by, condition } });
  }

  /** A part goes with all that uses it: what that was is said. */
  removePart(id: string): void {
    const query = this.query()!;
    const next = withoutPart(query, id);
    const count = ({ where, keep, columns, group, joins }: Query): number =>
      leavesOf(where).length +
      leavesOf(keep).length +
      columns.length +
      joins.length +
      (group ? group.by.length + group.measures.length : 0);
    const others = count(query) - count(next) - (query.joins.some((join) => join.id === id) ? 1 : 0);
    this.set(next);
    if (others > 0)
      this.toast.say(`${others === 1 ? 'One part' : `${others} parts`} that used it went along.`);
  }

  removeAt(kind: 'columns' | 'sort', index: number): void {
    this.set({ [kind]: this.query()![kind].filter((_, i) => i !== index) });
  }

  conditionAt(what: 'where' | 'keep', place: Place): QueryCondition {
    return conditionAt(this.query()![what], place)!;
  }

  readerFor(what: 'where' | 'keep'): Reader {
    return what === 'where' ? this.readers().own : this.readers().result;
  }

  editingFor(what: 'where' | 'keep'): Editing {
    return what === 'where' ? this.own() : this.ofResult();
  }

  addCondition(what: 'where' | 'keep', place: Place, { text }: Pick<Made, 'text'>): void {
    const { catalog, table } = this.editingFor(what);
    this.set({ [what]: addedTo(this.query()![what], place, so(toStored(text, catalog, table))) });
  }

  setCondition(what: 'where' | 'keep', place: Place, condition: QueryCondition | null): void {
    this.set({ [what]: changedAt(this.query()![what], place, () => condition) });
  }

  orCondition(what: 'where' | 'keep', place: Place, condition: QueryCondition): void {
    this.set({ [what]: orElse(this.query()![what], place, condition) });
  }

  /** The panel stays for several columns; one that is to be written opens its own. */
  pickColumn(text: string, part: ChipComponent): void {
    if (text !== WORKED_OUT) {
      this.addColumn(this.fieldAt(text));
      return;
    }
    part.close();
    this.addWorkedOut();
  }

  pickTotal(text: string): void {
    if (text === COUNT) this.addMeasure('count', null);
    else this.addMeasure('sum', this.fieldAt(text));
  }

  addColumn(path: FieldPath): void {
    const query = this.query()!;
    this.set({
      columns: [...query.columns, { id: newId('c'), label: path.label, expression: this.stored(path.text) }],
    });
  }

  addWorkedOut(): void {
    const query = this.query()!;
    const first = this.fieldPaths()[0];
    if (!first) return;
    this.set({
      columns: [
        ...query.columns,
        { id: newId('c'), label: 'Worked out', expression: this.stored(first.text) },
      ],
    });
    this.added.set(`column ${query.columns.length}`);
  }

  columnAt(index: number): QueryColumn {
    return this.query()!.columns[index]!;
  }

  setColumn(index: number, patch: Partial<QueryColumn>): void {
    this.set({
      columns: this.query()!.columns.map((column, i) => (i === index ? { ...column, ...patch } : column)),
    });
  }

  protected readonly SHOWN = SHOWN;
  protected readonly AS_IT_IS = AS_IT_IS;

  /** Whether a column holds numbers, so that it can be said how they are shown. */
  isNumber({ expression }: QueryColumn): boolean {
    const { catalog, table } = this.own();
    const bound = attempt(() => bind(expression, { catalog, table }).bound);
    return bound.ok && isShownNumber(bound.value);
  }

  /** How many places are shown, where that can be said. */
  placesOf({ shown }: QueryColumn): { readonly count: number } | null {
    return shown && 'places' in shown ? { count: shown.places } : null;
  }

  showAs(index: number, as: (typeof SHOWN)[number]['id']): void {
    const { shown: before } = this.columnAt(index);
    const places = before && 'places' in before ? before.places : 2;
    const shown =
      as === AS_IT_IS ? undefined : as === 'wholeNumber' ? ({ kind: as } as const) : { kind: as, places };
    this.setColumn(index, { shown });
  }

  showPlaces(index: number, places: number): void {
    const { shown } = this.columnAt(index);
    if (shown && 'places' in shown) this.setColumn(index, { shown: { ...shown, places } });
  }

  showUnit(index: number, unit: string): void {
    const { shown } = this.columnAt(index);
    if (shown?.kind === 'decimal') this.setColumn(index, { shown: { ...shown, unit: unit || undefined } });
  }

  columnText(index: number, { text, ok }: Typed): void {
    const column = this.query()!.columns[index];
    if (ok && column && text.trim() !== '' && this.stored(text) !== column.expression)
      this.setColumn(index, { expression: this.stored(text) });
  }

  many(what: Movable): number {
    return partsOf(this.query()!, what);
  }

  move(what: Movable, from: number, to: number): void {
    this.set(movedPart(this.query()!, what, from, to));
  }

  /** Whether a part can be dragged to another place: conditions within others stay there. */
  isMovable(part: Stretch): boolean {
    return part.says === 'part' && part.at.length === 1 && isMovable(part.what) && this.many(part.what) > 1;
  }

  /** A part is put down among those of its sort only. */
  protected readonly fits = (
    index: number,
    { data: { what } }: CdkDrag<Dragged>,
    list: CdkDropList<unknown>,
  ): boolean => {
    const { data: there } = list.getSortedItems()[index] as CdkDrag<Dragged>;
    return there.what === what && there.at.length === 1;
  };

  dropped({ item, previousIndex, currentIndex }: CdkDragDrop<unknown, unknown, Dragged>): void {
    const { what, at } = item.data;
    if (!isMovable(what) || previousIndex === currentIndex) return;
    const parts = this.stretches().filter(
      (part): part is Dragged & Closed => part.says === 'part' && part.what !== 'from',
    );
    const next = [...parts];
    next.splice(currentIndex, 0, ...next.splice(previousIndex, 1));
    // Conditions that stand in others lie between those that they stand beside.
    const before = next.slice(0, currentIndex).filter((part) => part.what === what && part.at.length === 1);
    this.move(what, at[0]!, before.length);
  }

  groupBy(path: FieldPath): void {
    const group = this.query()!.group ?? {
      by: [],
      measures: [
        {
          id: newId('m'),
          label: `Number of ${this.rows().toLowerCase()}`.slice(0, 60),
          total: 'count' as const,
          expression: null,
        },
      ],
    };
    this.set({
      group: {
        ...group,
        by: [...group.by, { id: newId('g'), label: path.label, expression: this.stored(path.text) }],
      },
    });
  }

  groupAt(index: number): GroupColumn {
    return this.query()!.group!.by[index]!;
  }

  setGroup(index: number, patch: Partial<GroupColumn>): void {
    const group = this.query()!.group!;
    this.set({
      group: { ...group, by: group.by.map((other, i) => (i === index ? { ...other, ...patch } : other)) },
    });
  }

  groupText(index: number, { text, ok }: Typed): void {
    const item = this.query()!.group!.by[index];
    if (ok && item && text.trim() !== '' && this.stored(text) !== item.expression)
      this.setGroup(index, { expression: this.stored(text) });
  }

  /** Whether rows can be grouped by the month of it. */
  isDate({ expression }: GroupColumn): boolean {
    const { catalog, table } = this.own();
    const bound = attempt(() => bind(expression, { catalog, table }).bound);
    return bound.ok && (bound.value.type.type === 'date' || bound.value.type.type === 'instant');
  }

  setStep(index: number, step: (typeof STEPS)[number]['id']): void {
    const { step: _, ...rest } = this.groupAt(index);
    const group = this.query()!.group!;
    const next: GroupColumn = step === 'day' ? rest : { ...rest, step };
    this.set({ group: { ...group, by: group.by.map((other, i) => (i === index ? next : other)) } });
  }

  removeGroup(index: number): void {
    const group = this.query()!.group!;
    const by = group.by.filter((_, i) => i !== index);
    this.set({ group: by.length === 0 ? null : { ...group, by }, ...(by.length === 0 ? { keep: [] } : {}) });
  }

  addMeasure(total: Measure['total'], path: FieldPath | null): void {
    const group = this.query()!.group!;
    const measure: Measure = {
      id: newId('m'),
      label: this.heading(total, path?.label ?? null),
      total,
      expression: path ? this.stored(path.text) : null,
    };
    this.set({ group: { ...group, measures: [...group.measures, measure] } });
  }

  /** What stands above a total by itself: of a field, or of the rows. */
  private heading(total: Measure['total'], of: string | null): string {
    const what = of ?? (total === 'count' ? this.rows() : `the number of ${this.rows()}`);
    return `${HEADINGS[total]} ${what.toLowerCase()}`.slice(0, 60);
  }

  measureAt(index: number): Measure {
    return this.query()!.group!.measures[index]!;
  }

  setMeasure(index: number, patch: Partial<Measure>): void {
    const group = this.query()!.group!;
    this.set({
      group: {
        ...group,
        measures: group.measures.map((other, i) => (i === index ? { ...other, ...patch } : other)),
      },
    });
  }

  measureText(index: number, { text, ok }: Typed): void {
    const measure = this.query()!.group!.measures[index];
    if (!ok || !measure) return;
    const expression =
      text.trim() === '' ? (MAY_COUNT.has(measure.total) ? null : measure.expression) : this.stored(text);
    if (expression !== measure.expression) this.setMeasure(index, { expression });
  }

  /** What first and last go by; nothing for the order of the keys. */
  measureBy(index: number, { text, ok }: Typed): void {
    const measure = this.query()!.group!.measures[index];
    if (!ok || !measure) return;
    const by = text.trim() === '' ? undefined : this.stored(text);
    if (by !== measure.by) this.setMeasure(index, { by });
  }

  /** Whether rows themselves may be counted, where nothing else is said. */
  mayCount(total: Measure['total']): boolean {
    return MAY_COUNT.has(total);
  }

  setTotal(index: number, total: Measure['total']): void {
    const measure = this.query()!.group!.measures[index]!;
    const numbers = NEEDS_NUMBER.has(total);
    const fallback = this.fieldPaths().find(
      ({ field }) => !numbers || ['money', 'decimal', 'wholeNumber'].includes(field.type.kind),
    );
    const mayCount = MAY_COUNT.has(total);
    const expression = measure.expression ?? (mayCount || !fallback ? null : this.stored(fallback.text));
    if (expression === null && !mayCount) return;
    const of = this.fieldPaths().find(({ text }) => expression !== null && this.stored(text) === expression);
    const named = expression === null ? null : (of?.label ?? '');
    // A heading that nobody has written follows what stands below it.
    const isOwn = measure.label !== this.heading(measure.total, measure.expression === null ? null : named!);
    const label = isOwn || named === '' ? measure.label : this.heading(total, named);
    this.setMeasure(index, { total, expression, label });
  }

  countOnce(ids: readonly string[]): void {
    const group = this.query()!.group!;
    const measures = group.measures.map((item) => (ids.includes(item.id) ? { ...item, once: true } : item));
    this.set({ group: { ...group, measures } });
  }

  removeMeasure(index: number): void {
    const group = this.query()!.group!;
    this.set({ group: { ...group, measures: group.measures.filter((_, i) => i !== index) } });
  }

  addSort(column: string): void {
    this.set({ sort: [...this.query()!.sort, { column, descending: false }] });
  }

  setSort(index: number, patch: Partial<Query['sort'][number]>): void {
    this.set({ sort: this.query()!.sort.map((item, i) => (i === index ? { ...item, ...patch } : item)) });
  }

  setFirst(first: number | null): void {
    this.set({ first });
  }

  /** Of each value of a column so many rows are kept, or of all together. */
  setFirstOf(column: string): void {
    this.set({ firstOf: column === ALL ? undefined : [column] });
  }

  /** Queries whose rows may stand beneath its own. */
  pickStack(): Pickable[] {
    const { id: own, from, stack = [] } = this.query()!;
    return this.all().filter(({ id }) => id !== own && id !== from && !stack.includes(id));
  }

  addBeneath(id: string): void {
    this.set({ stack: [...(this.query()!.stack ?? []), id] });
  }

  removeBeneath(index: number): void {
    const stack = (this.query()!.stack ?? []).filter((_, i) => i !== index);
    this.set({ stack: stack.length > 0 ? stack : undefined });
  }

  addQuestion(): void {
    const query = this.query()!;
    const name = uniqueName('asked', this.takenNames(''));
    const question: QueryQuestion = {
      id: newId('a'),
      name,
      label: 'What is asked',
      answer: { kind: 'text' },
      start: null,
      needed: false,
    };
    this.set({ questions: [...query.questions, question] });
    this.added.set(`question ${query.questions.length}`);
  }

  questionAt(index: number): QueryQuestion {
    return this.query()!.questions[index]!;
  }

  setQuestion(index: number, patch: Partial<QueryQuestion>): void {
    const { id } = this.questionAt(index);
    // What was answered may be of another kind now.
    if (patch.answer) this.answers.update(({ [id]: _, ...rest }) => rest);
    this.set({
      questions: this.query()!.questions.map((item, i) => (i === index ? { ...item, ...patch } : item)),
    });
  }

  /** Names that mean something in expressions of the query, but for the question that has this id. */
  takenNames(id: string): string[] {
    const { catalog, table } = this.own();
    const rows = attempt(() => catalog.table(table));
    if (!rows.ok) return [];
    const { fields, links, children } = rows.value;
    return [...fields, ...links, ...children].flatMap((item) => (item.id === id ? [] : [item.name]));
  }

  protected override take(query: Query): void {
    super.take(query);
    this.added.set('');
    this.answers.set({});
    this.result.set(null);
    this.funnel.set(null);
    this.counts.next(null);
    this.problem.set('');
    this.fault.set(null);
    this.look.set(query.chart ? 'chart' : query.pivot ? 'pivot' : 'rows');
    this.closeBehind();
    this.runs.next(query);
  }

  copySql(sql: string): void {
    this.toast.say(
      this.clipboard.copy(sql)
        ? 'The SQL was copied.'
        : 'The browser did not let it be copied: mark it by hand.',
    );
  }
}
