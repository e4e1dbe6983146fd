import { Component, computed, inject, input, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { catchError, EMPTY, Subject } from 'rxjs';
import type { QueryQuestion, Report } from '@heathridge/core/design';
import { moved } from '@heathridge/core/form';
import { askedBy } from '@heathridge/core/form';
import { questionsOf, type Answers } from '@heathridge/core/query';
import { sourceColumns, type PageModel } from '@heathridge/core/report';
import { AnswersComponent } from '../ask/answers.component';
import { DetailsComponent } from '../frame/details.component';
import { DocumentPage } from '../file/document-page';
import { DOCUMENT_PARTS } from '../frame/document-parts';
import { Api } from '../shared/api.service';
import { newId } from '../shared/ids';
import { paused } from '../shared/paused';
import { problemOf } from '../shared/problem';
import { OutlineComponent, type OutlineNode } from './outline.component';
import { PageComponent } from './page.component';
import { LineComponent } from '../shared/line.component';
import { SelectComponent, type Option } from '../shared/select.component';
import { StripComponent } from '../shared/strip.component';
import type { Fetch } from '../value/held';

type Column = Report['columns'][number];

/** Columns a new report begins with. */
const FIRST_COLUMNS = 6;

const YES_NO = [
  [true, 'yes'],
  [false, 'no'],
] as const;
const PAPERS = [
  ['A4 tall', 'A4 tall'],
  ['A4 wide', 'A4 wide'],
] as const;

/** Something of the outline that cannot be picked. */
const still = (id: string, label: string): OutlineNode => ({ id, label, children: [] });

/** Reports: the outline at the left, the real pages in the middle, Details at the right. */
@Component({
  selector: 'hr-print',
  imports: [
    AnswersComponent,
    DetailsComponent,
    DOCUMENT_PARTS,
    LineComponent,
    MatButton,
    MatIconButton,
    MatCheckboxModule,
    MatIconModule,
    OutlineComponent,
    PageComponent,
    SelectComponent,
    StripComponent,
  ],
  host: { '(document:keydown)': 'keys($event)' },
  templateUrl: './print.component.html',
  styleUrl: './print.component.scss',
})
export class PrintComponent extends DocumentPage<Report> {
  private readonly api = inject(Api);
  readonly yesNo = YES_NO;
  readonly papers = PAPERS;
  protected override readonly speech = { one: 'report', dropped: 'the rows it prints stay as they are' };
  override readonly wanted = input<string | undefined>(undefined, { alias: 'report' });
  readonly report = this.document;
  readonly model = signal<PageModel | null>(null);
  readonly at = signal(0);
  readonly problem = signal('');
  readonly busy = signal(false);
  readonly picked = signal<string | null>(null);
  private readonly layouts = new Subject<Report>();
  /** What its query asks of whoever prints it, and what was answered. */
  readonly questions = computed((): readonly QueryQuestion[] => {
    const source = this.report()?.source;
    const design = this.store.design();
    const query = design.queries.find(({ id }) => id === source?.id && source.kind === 'query');
    return query ? questionsOf(design, query) : [];
  });
  readonly asked = computed(() => askedBy(this.store.design(), this.questions(), this.store.reading().today));
  readonly answers = signal<Answers>({});
  readonly answerChoices: Fetch = (field, request) => this.api.choices(this.store.file, field, request);

  readonly choices = computed(() => {
    const report = this.report();
    return report ? sourceColumns(this.store.design(), report.source) : [];
  });
  readonly groupOptions = computed((): Option[] => [{ id: '', label: 'no groups' }, ...this.choices()]);
  readonly sortOptions = computed((): Option[] => [{ id: '', label: 'the source' }, ...this.choices()]);
  readonly sourceLabel = computed(() => {
    const source = this.report()?.source;
    const { tables, queries } = this.store.design();
    if (!source) return '';
    return source.kind === 'table'
      ? (tables.find(({ id }) => id === source.id)?.plural ?? '')
      : (queries.find(({ id }) => id === source.id)?.label ?? '');
  });
  readonly unused = computed(() =>
    this.choices().filter(({ id }) => !this.report()!.columns.some(({ column }) => column === id)),
  );
  readonly pickedColumn = computed(
    (): Column | null => this.report()?.columns.find(({ column }) => column === this.picked()) ?? null,
  );
  /** The bands of the report from its first page to its last, with what stands in each. */
  readonly outline = computed((): OutlineNode[] => {
    const report = this.report();
    if (!report) return [];
    const { columns, group } = report;
    const row: OutlineNode = {
      id: 'row',
      label: 'Each row',
      children: columns.map(({ column, label, sum }) => ({
        id: `column ${column}`,
        label,
        column,
        tag: sum ? 'summed' : '',
        children: [],
      })),
    };
    const counted = (sums: string): string => `Rows counted${this.hasSums(report) ? sums : ''}`;
    const rows: OutlineNode[] = !group
      ? [row]
      : [
          {
            id: 'group',
            label: `For each ${this.labelOf(group.column).toLowerCase()}`,
            children: [
              still('group head', this.labelOf(group.column)),
              row,
              still('group end', counted(', sums')),
            ],
          },
        ];
    const end = this.hasSums(report) ? 'Sums of the whole' : counted('');
    return [
      { id: 'start', label: 'Once, at the start', children: [still('title', 'Title · where from · date')] },
      { id: 'top', label: 'Top of each page', children: [still('heads', 'Column heads · page number')] },
      ...rows,
      { id: 'end', label: 'Once, at the end', children: [still('last', end)] },
    ];
  });
  readonly pdf = computed(() =>
    this.report() ? this.api.reportPdf(this.store.file, this.report()!.id, this.answers()) : '',
  );

  constructor() {
    super();
    this.layouts
      .pipe(
        paused(200, (report) => {
          this.busy.set(true);
          return this.api.reportPages(this.store.file, report, this.answers()).pipe(
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              this.model.set(null);
              this.busy.set(false);
              return EMPTY;
            }),
          );
        }),
        takeUntilDestroyed(),
      )
      .subscribe((model) => {
        this.model.set(model);
        this.problem.set('');
        this.busy.set(false);
        this.at.update((at) => Math.min(at, model.pages.length - 1));
      });
  }

  all(): readonly Report[] {
    return this.store.design().reports;
  }

  make(): void {
    const { tables, queries } = this.store.design();
    const options = [
      ...queries.map(({ id, label }) => ({ id: `query ${id}`, label, group: 'query' })),
      ...tables.map(({ id, plural }) => ({ id: `table ${id}`, label: plural, group: 'table' })),
    ];
    this.begin(
      {
        title: 'New report',
        label: 'What is its title?',
        act: 'Lay it out',
        from: { label: 'Prints the rows of', options },
      },
      ({ name, from }) => {
        const [kind, id] = from.split(' ') as ['table' | 'query', string];
        return this.fresh(name, { kind, id });
      },
    );
  }

  set(patch: Partial<Report>): void {
    const report = this.report();
    if (!report) return;
    this.report.set({ ...report, ...patch });
    this.layouts.next(this.report()!);
  }

  answer(answers: Answers): void {
    this.answers.set(answers);
    this.layouts.next(this.report()!);
  }

  labelOf(id: string): string {
    return this.choices().find((choice) => choice.id === id)?.label ?? 'a column that is gone';
  }

  setColumn(patch: Partial<Column>): void {
    this.set({
      columns: this.report()!.columns.map((column) =>
        column.column === this.picked() ? { ...column, ...patch } : column,
      ),
    });
  }

  addColumn(id: string): void {
    this.set({ columns: [...this.report()!.columns, { column: id, label: this.labelOf(id), sum: false }] });
    this.picked.set(id);
  }

  moveColumn(by: number): void {
    const { columns } = this.report()!;
    const from = columns.findIndex(({ column }) => column === this.picked());
    this.set({ columns: moved(columns, from, from + by) });
  }

  removeColumn(): void {
    const columns = this.report()!.columns.filter(({ column }) => column !== this.picked());
    if (columns.length === 0) return;
    this.picked.set(null);
    this.set({ columns });
  }

  setGroup(id: string): void {
    this.set({ group: id === '' ? null : { column: id, newPage: this.report()!.group?.newPage ?? false } });
  }

  setSort(id: string): void {
    this.set({
      sort: id === '' ? null : { column: id, descending: this.report()!.sort?.descending ?? false },
    });
  }

  /** Whether a column can be summed: it holds numbers. */
  canSum(id: string): boolean {
    return this.choices().find((choice) => choice.id === id)?.numeric ?? false;
  }

  hasSums({ columns }: Report): boolean {
    return columns.some(({ sum }) => sum);
  }

  page(by: number): void {
    const count = this.model()?.pages.length ?? 1;
    this.at.update((at) => Math.min(Math.max(at + by, 0), count - 1));
  }

  /** Opens the PDF, after saving what has changed: the PDF is of the saved report. */
  print(): void {
    const report = this.report();
    if (!report) return;
    const show = (): void => {
      window.open(this.pdf(), '_blank', 'noopener');
    };
    if (this.dirty()) this.store.save(report).subscribe(show);
    else show();
  }

  private fresh(label: string, source: Report['source']): Report {
    const columns = sourceColumns(this.store.design(), source).slice(0, FIRST_COLUMNS);
    return {
      type: 'report',
      id: newId('p'),
      label,
      source,
      columns: columns.map((column) => ({ column: column.id, label: column.label, sum: false })),
      group: null,
      sort: null,
      paper: 'A4 tall',
    };
  }

  protected override take(report: Report): void {
    super.take(report);
    this.model.set(null);
    this.answers.set({});
    this.picked.set(null);
    this.at.set(0);
    this.problem.set('');
    this.layouts.next(report);
  }
}
