import { Component, computed, inject, input, signal } from '@angular/core';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { MatTooltipModule } from '@angular/material/tooltip';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import { EMPTY, type Observable } from 'rxjs';
import { fieldOf, listOf } from '@heathridge/core/design';
import { pluralOf } from '@heathridge/core/plan';
import {
  Address,
  againMatch,
  DELIMITERS,
  matchable,
  nameTable,
  readColumn,
  SHEET_ENCODINGS,
  type Again,
  type SheetStyle,
} from '@heathridge/core/sheet';
import { readWrittenDate, showDate, type Locale } from '@heathridge/core/values';
import { FileStore } from '../file/file.store';
import { Steps } from '../file/steps.service';
import { Api, type BroughtSheet } from '../shared/api.service';
import { bySchema } from '../shared/by-schema';
import { newId } from '../shared/ids';
import { LineComponent } from '../shared/line.component';
import { options, SelectComponent, type Option } from '../shared/select.component';
import { sizeText } from '../shared/size';
import { StripComponent } from '../shared/strip.component';
import { Toast } from '../shared/toast.service';
import { isTypedIn } from '../shared/typed-in';
import { BringStore } from './bring.store';
import { BroughtColumnComponent } from './brought-column.component';
import { PickedSheet } from './picked-sheet.service';

/** Rows in which headings are looked for by hand. */
const HEADING_ROWS = 10;

/** Brings a sheet into a table: what is read, what becomes of it, and what cannot be taken, on one page. */
@Component({
  selector: 'hr-bring',
  imports: [
    BroughtColumnComponent,
    LineComponent,
    MatButton,
    MatIconButton,
    MatIconModule,
    MatProgressBarModule,
    MatTooltipModule,
    ReactiveFormsModule,
    RouterLink,
    SelectComponent,
    StripComponent,
  ],
  providers: [BringStore, Steps],
  host: { '(document:paste)': 'pasted($event)' },
  templateUrl: './bring.component.html',
  styleUrl: './bring.component.scss',
})
export class BringComponent {
  readonly bring = inject(BringStore);
  private readonly store = inject(FileStore);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  private readonly toast = inject(Toast);
  private readonly api = inject(Api);
  private readonly steps = inject(Steps);
  /** The table that the sheet is meant for, where it was begun from its rows. */
  readonly into = input<string | undefined>(undefined);

  readonly size = sizeText;
  readonly over = signal(false);
  readonly shown = signal(false);
  readonly typing = signal(false);
  readonly addressing = signal(false);
  readonly form = new FormGroup({
    address: new FormControl('', { nonNullable: true, validators: bySchema(Address) }),
  });
  readonly turns: readonly Option[] = options([
    ['once', 'this once'],
    ['asked', 'again when somebody asks'],
    ['hour', 'again every hour'],
    ['day', 'again every day'],
  ]);
  readonly gone: readonly Option[] = options([
    ['stay', 'stay here'],
    ['go', 'are deleted here too'],
  ]);
  readonly encodings = options(Object.entries(SHEET_ENCODINGS));
  readonly delimiters = options(Object.entries(DELIMITERS).map(([id, name]) => [id, `a ${name}`]));
  readonly modes: readonly Option[] = options([
    ['add', 'are added'],
    ['update', 'change rows that are there'],
    ['both', 'change rows, or are added'],
  ]);
  readonly blanks: readonly Option[] = options([
    ['leave', 'leaves what is there'],
    ['empty', 'empties the field'],
  ]);
  readonly worksheets = computed(() =>
    options((this.bring.look()?.worksheets ?? []).map((name, i) => [String(i), name])),
  );
  readonly headingRows = computed((): Option[] => {
    const last = Math.max(HEADING_ROWS, this.bring.look()?.style.heading ?? 0);
    return options([
      ['0', 'no row'],
      ...Array.from({ length: last }, (_, i) => [String(i + 1), `row ${i + 1}`] as const),
    ]);
  });
  readonly targets = computed((): Option[] => [
    { id: 'new', label: 'a new table' },
    ...this.store
      .design()
      .tables.map(({ id, plural }) => ({ id, label: plural, group: 'Tables in this file' })),
  ]);
  readonly target = computed(() => {
    const into = this.bring.plan()?.into;
    return into?.table === 'known' ? into.id : 'new';
  });
  readonly made = computed(() => {
    const into = this.bring.plan()?.into;
    return into?.table === 'new' ? into.made : null;
  });
  readonly matches = computed((): Option[] => {
    const table = this.bring.table();
    if (!table) return [];
    return matchable(table).map((ids) => ({
      id: ids.join(),
      label: listOf(ids.map((id) => fieldOf(table, id)?.label ?? '')),
    }));
  });
  /** Columns of which somebody has to say which date is meant. */
  readonly questions = computed(() => {
    const [plan, look, table] = [this.bring.plan(), this.bring.look(), this.bring.table()];
    if (!plan || !look || !table) return [];
    return plan.columns.flatMap(({ column, field, dateOrder }) => {
      const kind = fieldOf(table, field)?.type.kind;
      const of = look.columns[column];
      if (dateOrder !== null || (kind !== 'date' && kind !== 'dateTime') || !of) return [];
      const example = of.facts.dates.example ?? '';
      const as = (order: Locale['dateOrder']): string =>
        showDate(
          readWrittenDate(example.split(/[T ]/)[0] ?? '', { ...this.store.locale(), dateOrder: order }) ?? '',
        );
      return [
        {
          column,
          heading: of.heading,
          example,
          dmy: as('dmy') || 'day first',
          mdy: as('mdy') || 'month first',
        },
      ];
    });
  });
  /** By what its rows are told each time it is fetched. */
  readonly telling = computed(() => {
    const [plan, table] = [this.bring.plan(), this.bring.table()];
    const match = plan && table ? againMatch(table, plan) : [];
    const labels = match.map((id) => fieldOf(table!, id)?.label ?? '');
    return labels.length === 0 ? '' : `A row is told by ${listOf(labels)}.`;
  });
  readonly missingNames = computed(() => listOf(this.bring.missing().map(({ label }) => label)));
  readonly share = computed(() => {
    const at = this.bring.progress();
    return at && at.of > 0 ? (100 * at.step) / at.of : 0;
  });
  readonly waiting = computed(() => {
    const busy = this.bring.busy();
    if (busy === 'checking') return 'Checking the rows';
    return busy === 'bringing' ? 'Bringing the rows in' : 'Reading the sheet';
  });
  readonly act = computed(() => {
    const good = this.bring.good();
    return good === 0 ? 'Bring in' : `Bring in ${this.number(good)} ${good === 1 ? 'row' : 'rows'}`;
  });
  /** What becomes of the rows, in words. */
  readonly outcome = computed(() => {
    const checked = this.bring.checked();
    if (!checked) return '';
    const { added, changed, same, parents, gone } = checked;
    const parts = [
      ...(added > 0 ? [`${this.number(added)} to be added`] : []),
      ...(changed > 0 ? [`${this.number(changed)} to be changed`] : []),
      ...(gone.deleted > 0 ? [`${this.number(gone.deleted)} gone there, to be deleted`] : []),
      ...(gone.kept > 0 ? [`${this.number(gone.kept)} gone there, but kept (${gone.why})`] : []),
      ...(same > 0 ? [`${this.number(same)} the same already`] : []),
      ...parents.map(({ table, rows }) => {
        const of = this.store.design().tables.find(({ id }) => id === table);
        return `${this.number(rows)} new ${(rows === 1 ? of?.label : of?.plural)?.toLowerCase() ?? 'rows'}`;
      }),
    ];
    return parts.join(', ');
  });

  constructor() {
    const picked = inject(PickedSheet).take();
    // The inputs are there once the page is.
    if (picked) queueMicrotask(() => this.send(picked));
  }

  number(count: number): string {
    return count.toLocaleString('en-GB');
  }

  private send(file: File): void {
    this.shown.set(false);
    this.typing.set(false);
    this.bring.send(file, file.name, this.into() ?? null);
  }

  chosen(chooser: HTMLInputElement): void {
    const file = chooser.files?.[0];
    // The same file may be chosen again once it has been mended.
    chooser.value = '';
    if (file) this.send(file);
  }

  dragged(event: DragEvent): void {
    event.preventDefault();
    this.over.set(true);
  }

  dropped(event: DragEvent): void {
    event.preventDefault();
    this.over.set(false);
    const file = event.dataTransfer?.files[0];
    if (file) this.send(file);
  }

  /** Rows that were copied elsewhere; what is pasted into a line of the page stays there. */
  pasted(event: ClipboardEvent): void {
    if (this.bring.look() || this.bring.busy() || isTypedIn(event.target)) return;
    const file = event.clipboardData?.files[0];
    if (file) this.send(file);
    else this.pasteText(event.clipboardData?.getData('text/plain') ?? '');
  }

  pasteText(text: string): void {
    if (text.trim() === '') return;
    this.send(new File([text], 'Pasted rows.txt', { type: 'text/plain' }));
  }

  /** Asks the browser for what was copied; where it does not give it, there is a line to paste into. */
  async readClipboard(): Promise<void> {
    try {
      const text = await navigator.clipboard.readText();
      if (text.trim() === '') this.typing.set(true);
      else this.pasteText(text);
    } catch {
      // The browser, or whoever sits before it, did not allow it.
      this.typing.set(true);
    }
  }

  relook(style: { readonly [K in keyof SheetStyle]?: SheetStyle[K] | undefined }): void {
    const now = this.bring.look()?.style;
    if (!now) return;
    const wanted = { ...now, ...style };
    // What is read otherwise may have its headings elsewhere.
    const reread = 'encoding' in style || 'delimiter' in style || 'worksheet' in style;
    const { heading, ...rest } = wanted;
    this.bring.relook(
      reread || heading === undefined ? (rest as Partial<SheetStyle>) : (wanted as SheetStyle),
    );
  }

  /** Fetches what stands at the address that was typed; what is wrong with it stands below it. */
  fetch(): void {
    this.form.markAllAsTouched();
    if (this.form.invalid) return;
    this.shown.set(false);
    this.typing.set(false);
    this.bring.fetch(this.form.value.address!.trim(), this.into() ?? null);
  }

  every(turn: Again['every'] | 'once'): void {
    this.bring.fetchAgain(turn === 'once' ? null : { gone: 'stay', ...this.bring.again(), every: turn });
  }

  order(column: number, dateOrder: Locale['dateOrder']): void {
    const plan = this.bring.plan();
    if (plan) this.bring.change(readColumn(plan, column, { dateOrder }));
  }

  rename(label: string, plural: string | null): void {
    const plan = this.bring.plan();
    if (plan) this.bring.change(nameTable(plan, this.store.design(), label, plural ?? pluralOf(label)));
  }

  bringIn(): void {
    this.bring.bring((brought) => {
      void this.router.navigate(['..'], { relativeTo: this.route, queryParams: { table: brought.table } });
      this.told(brought);
    });
  }

  /** Says what came in, and offers to take it out again. */
  private told({
    table: id,
    added,
    changed,
    deleted,
    entry,
    made,
    design,
  }: Extract<BroughtSheet, { done: true }>): void {
    const table = design.tables.find((candidate) => candidate.id === id);
    const named = (count: number): string =>
      `${this.number(count)} ${(count === 1 ? table?.label : table?.plural)?.toLowerCase() ?? 'rows'}`;
    const parts = [
      ...(added > 0 ? [`${named(added)} added`] : []),
      ...(changed > 0 ? [`${named(changed)} changed`] : []),
      ...(deleted > 0 ? [`${named(deleted)} deleted`] : []),
    ];
    if (made === null) this.steps.did(entry, `${parts.join(', ')}`);
    const undo = (): Observable<unknown> =>
      made === null
        ? (this.steps.undo(entry) ?? EMPTY)
        : this.api.undoChange(this.store.file, made, newId('w'), []);
    this.toast.offer(`${parts.join(', ')}.`, 'Undo', () =>
      undo().subscribe({
        next: () => {
          this.toast.say(
            made === null
              ? 'All rows are as they were.'
              : `${table?.plural ?? 'The table'}: taken out again.`,
          );
          this.store.reload();
        },
        error: (error: unknown) => this.toast.problem(error),
      }),
    );
  }
}
