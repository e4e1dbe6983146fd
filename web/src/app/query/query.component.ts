import { Clipboard } from '@angular/cdk/clipboard';
import { Component, computed, inject, input, signal } from '@angular/core';
import { MatIconModule } from '@angular/material/icon';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatRadioModule } from '@angular/material/radio';
import { catchError, debounceTime, EMPTY, Subject, switchMap } from 'rxjs';
import { attempt, bind, fromStored, inWords, toStored } from '@heathridge/core/expression';
import {
  fieldOf,
  tableOf,
  type Measure,
  type Query,
  type QueryColumn,
  type Table,
  pathsFrom,
  type FieldPath,
} from '@heathridge/core/design';
import { newQuery } from '@heathridge/core/query';
import { DocumentPage } from '../file/document-page';
import { DOCUMENT_PARTS } from '../frame/document-parts';
import { Api, type QueryResult } from '../shared/api.service';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { newId } from '../shared/ids';
import { LineComponent } from '../shared/line.component';
import { PickComponent, type Pickable } from '../shared/pick.component';
import { SelectComponent } from '../shared/select.component';
import { StripComponent } from '../shared/strip.component';
import { Toast } from '../shared/toast.service';
import { WholeComponent } from '../shared/whole.component';
import { ResultTableComponent } from './result-table.component';
import { problemOf } from '../shared/problem';
import { ChipComponent } from '../shared/chip.component';
import { ConditionsComponent } from '../ask/conditions.component';
import { FunnelComponent } from './funnel.component';

export const TOTALS: readonly { readonly id: Measure['total']; readonly label: string }[] = [
  { id: 'count', label: 'count' },
  { id: 'sum', label: 'sum' },
  { id: 'average', label: 'average' },
  { id: 'least', label: 'least' },
  { id: 'most', label: 'most' },
];

/** What may be picked beside the fields; no path is written so. */
const [WORKED_OUT, COUNT] = ['(worked out)', '(count)'];

const VIEWS = [
  ['words', 'Words'],
  ['sql', 'SQL'],
] as const;

/** A query as a sentence, its funnel and its result. */
@Component({
  selector: 'hr-query',
  imports: [
    MatButton,
    MatIconButton,
    MatIconModule,
    ChipComponent,
    ConditionsComponent,
    ExpressionEditorComponent,
    FunnelComponent,
    DOCUMENT_PARTS,
    LineComponent,
    MatRadioModule,
    PickComponent,
    ResultTableComponent,
    SelectComponent,
    StripComponent,
    WholeComponent,
  ],
  host: { '(document:keydown)': 'keys($event)' },
  templateUrl: './query.component.html',
  styleUrl: './query.component.scss',
})
export class QueryComponent extends DocumentPage<Query> {
  private readonly api = inject(Api);
  private readonly clipboard = inject(Clipboard);
  private readonly toast = inject(Toast);
  readonly totals = TOTALS;
  readonly views = VIEWS;
  protected override readonly speech = { one: 'query', dropped: 'the rows it reads stay as they are' };
  override readonly wanted = input<string | undefined>(undefined, { alias: 'query' });
  private readonly query = this.document;
  readonly result = signal<QueryResult | null>(null);
  readonly problem = signal('');
  readonly busy = signal(false);
  readonly view = signal<'words' | 'sql'>('words');
  /** The column that has just been added and is to be written. */
  readonly added = signal('');
  private readonly runs = new Subject<Query>();

  readonly table = computed(
    (): Table | null => this.store.design().tables.find(({ id }) => id === this.query()?.from) ?? null,
  );
  /** Fields that a column, group or total may use: of the table and along its lookups. */
  readonly fieldPaths = computed((): FieldPath[] => {
    const table = this.table();
    return table ? pathsFrom(this.store.design(), table) : [];
  });
  private readonly fieldsByText = computed(() => new Map(this.fieldPaths().map((path) => [path.text, path])));
  readonly pickFields = computed((): Pickable[] =>
    this.fieldPaths().map(({ text, of, field }) => ({ id: text, of, label: field.label })),
  );
  readonly pickColumns = computed((): Pickable[] => [
    { id: WORKED_OUT, label: 'Worked out…', icon: 'functions' },
    ...this.pickFields(),
  ]);
  readonly pickLinks = computed((): Pickable[] =>
    this.linkPaths().map(({ text, ids }) => ({ id: text, label: this.linkLabel(ids) })),
  );
  readonly pickTotals = computed((): Pickable[] => [
    { id: COUNT, label: `count of ${this.table()?.plural.toLowerCase()}` },
    ...this.fieldPaths()
      .filter(({ field }) => ['money', 'decimal', 'wholeNumber'].includes(field.type.kind))
      .map(({ text, of, field }) => ({ id: text, of: `sum of ${of}`.trim(), label: field.label })),
  ]);
  readonly linkPaths = computed(() => this.fieldPaths().filter(({ field }) => field.type.kind === 'lookup'));
  readonly resultColumns = computed((): readonly { id: string; label: string }[] => {
    const query = this.query();
    const table = this.table();
    if (!query || !table) return [];
    if (query.group) return [...query.group.by, ...query.group.measures];
    return query.columns.length > 0 ? query.columns : table.fields;
  });

  constructor() {
    super();
    this.runs
      .pipe(
        debounceTime(250),
        switchMap((query) => {
          this.busy.set(true);
          return this.api.runQuery(this.store.file, query).pipe(
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              this.result.set(null);
              this.busy.set(false);
              return EMPTY;
            }),
          );
        }),
        takeUntilDestroyed(),
      )
      .subscribe((result) => {
        this.result.set(result);
        this.problem.set('');
        this.busy.set(false);
      });
  }

  all(): readonly Query[] {
    return this.store.design().queries;
  }

  make(): void {
    const options = this.store.design().tables.map(({ id, label }) => ({ id, label }));
    this.begin(
      {
        title: 'New query',
        label: 'What is it called?',
        act: 'Begin',
        from: { label: 'Take every', options },
      },
      ({ name, from }) => newQuery(newId('q'), name, tableOf(this.store.design(), from)),
    );
  }

  set(patch: Partial<Query>): void {
    const query = this.query();
    if (!query) return;
    const next = { ...query, ...patch };
    // What is sorted by must still be a column.
    const ids = new Set(
      (next.group
        ? [...next.group.by, ...next.group.measures]
        : next.columns.length > 0
          ? next.columns
          : (this.table()?.fields ?? [])
      ).map(({ id }) => id),
    );
    this.query.set({ ...next, sort: next.sort.filter(({ column }) => ids.has(column)) });
    this.runs.next(this.query()!);
  }

  /** An expression in stored form with today's names. */
  named(stored: string): string {
    const table = this.table();
    if (!table) return stored;
    const result = attempt(() => fromStored(stored, this.store.catalog(), table.id));
    return result.ok ? result.value : stored;
  }

  /** The same in plain words, for the sentence. */
  words(stored: string): string {
    const table = this.table();
    if (!table) return stored;
    const text = this.named(stored);
    const result = attempt(() =>
      inWords(bind(text, { catalog: this.store.catalog(), table: table.id }).bound, text),
    );
    return result.ok ? result.value : text;
  }

  private stored(text: string): string {
    return toStored(text, this.store.catalog(), this.query()!.from);
  }

  linkLabel(path: readonly string[]): string {
    const table = this.table();
    if (!table) return '';
    const labels: string[] = [];
    let at: Table = table;
    for (const id of path) {
      const field = fieldOf(at, id);
      if (field?.type.kind !== 'lookup') return 'a link that is gone';
      labels.push(field.label.toLowerCase());
      at = tableOf(this.store.design(), field.type.table);
    }
    return labels.join('’s ');
  }

  fieldAt(text: string): FieldPath {
    return this.fieldsByText().get(text)!;
  }

  pickLink(text: string): void {
    this.addLink(this.fieldAt(text).ids);
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

  addLink(path: readonly string[]): void {
    const query = this.query()!;
    this.set({ with: [...query.with, { path: [...path], keepWithout: true }] });
  }

  setKeep(index: number, keepWithout: boolean): void {
    this.set({ with: this.query()!.with.map((item, i) => (i === index ? { ...item, keepWithout } : item)) });
  }

  removeAt(kind: 'with' | 'columns' | 'sort', index: number): void {
    this.set({ [kind]: this.query()![kind].filter((_, i) => i !== index) });
  }

  keep(conditions: readonly string[]): void {
    this.set({ where: [...conditions] });
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
    const id = newId('c');
    this.set({
      columns: [...query.columns, { id, label: 'Worked out', expression: this.stored(first.text) }],
    });
    this.added.set(id);
  }

  setColumn(index: number, patch: Partial<QueryColumn>): void {
    this.set({
      columns: this.query()!.columns.map((column, i) => (i === index ? { ...column, ...patch } : column)),
    });
  }

  columnText(index: number, { text, ok }: { text: string; ok: boolean }): void {
    const column = this.query()!.columns[index];
    if (ok && column && text.trim() !== '' && this.stored(text) !== column.expression)
      this.setColumn(index, { expression: this.stored(text) });
  }

  moveColumn(index: number, by: number): void {
    const columns = [...this.query()!.columns];
    const [item] = columns.splice(index, 1);
    if (!item) return;
    columns.splice(index + by, 0, item);
    this.set({ columns });
  }

  groupBy(path: FieldPath): void {
    const group = this.query()!.group ?? {
      by: [],
      measures: [
        {
          id: newId('m'),
          label: `Number of ${this.table()!.plural.toLowerCase()}`,
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

  groupText(index: number, { text, ok }: { text: string; ok: boolean }): void {
    const group = this.query()!.group!;
    const item = group.by[index];
    if (ok && item && text.trim() !== '' && this.stored(text) !== item.expression)
      this.set({
        group: {
          ...group,
          by: group.by.map((other, i) => (i === index ? { ...other, expression: this.stored(text) } : other)),
        },
      });
  }

  setGroupLabel(index: number, label: string): void {
    const group = this.query()!.group!;
    if (label.trim() !== '')
      this.set({
        group: {
          ...group,
          by: group.by.map((other, i) => (i === index ? { ...other, label: label.trim() } : other)),
        },
      });
  }

  removeGroup(index: number): void {
    const group = this.query()!.group!;
    const by = group.by.filter((_, i) => i !== index);
    this.set({ group: by.length === 0 ? null : { ...group, by } });
  }

  addMeasure(total: Measure['total'], path: FieldPath | null): void {
    const group = this.query()!.group!;
    const word = { count: 'Number of', sum: 'Sum of', average: 'Average', least: 'Least', most: 'Most' }[
      total
    ];
    const label = path
      ? `${word} ${path.label.toLowerCase()}`
      : `Number of ${this.table()!.plural.toLowerCase()}`;
    const measure: Measure = {
      id: newId('m'),
      label: label.slice(0, 60),
      total,
      expression: path ? this.stored(path.text) : null,
    };
    this.set({ group: { ...group, measures: [...group.measures, measure] } });
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

  measureText(index: number, { text, ok }: { text: string; ok: boolean }): void {
    const measure = this.query()!.group!.measures[index];
    if (!ok || !measure) return;
    const expression =
      text.trim() === '' ? (measure.total === 'count' ? null : measure.expression) : this.stored(text);
    if (expression !== measure.expression) this.setMeasure(index, { expression });
  }

  setTotal(index: number, total: Measure['total']): void {
    const measure = this.query()!.group!.measures[index]!;
    const fallback = this.fieldPaths().find(
      ({ field }) =>
        field.type.kind === 'money' || field.type.kind === 'decimal' || field.type.kind === 'wholeNumber',
    );
    const expression =
      measure.expression ?? (total === 'count' || !fallback ? null : this.stored(fallback.text));
    if (expression !== null || total === 'count') this.setMeasure(index, { total, expression });
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

  columnLabel(id: string): string {
    return this.resultColumns().find((column) => column.id === id)?.label ?? '';
  }

  measureLabel(measure: Measure): string {
    const word = TOTALS.find(({ id }) => id === measure.total)!.label;
    return measure.expression === null
      ? `count of ${this.table()?.plural.toLowerCase()}`
      : `${word} of ${this.words(measure.expression)}`;
  }

  setFirst(first: number | null): void {
    this.set({ first });
  }

  protected override take(query: Query): void {
    super.take(query);
    this.added.set('');
    this.result.set(null);
    this.problem.set('');
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
