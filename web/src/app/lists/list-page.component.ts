import {
  afterNextRender,
  Component,
  computed,
  effect,
  inject,
  Injector,
  input,
  signal,
  untracked,
  viewChild,
  viewChildren,
  type ElementRef,
} from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import { MatTooltipModule } from '@angular/material/tooltip';
import { Router } from '@angular/router';
import {
  catchError,
  debounceTime,
  distinctUntilChanged,
  EMPTY,
  filter,
  firstValueFrom,
  map,
  Subject,
  switchMap,
  tap,
} from 'rxjs';
import { catalogOf, fieldOf, showKey, type FieldPath, type Table } from '@heathridge/core/design';
import { lanesBy, cellsOf, panesOf, valueIs, type Pane } from '@heathridge/core/form';
import type { RowKey } from '@heathridge/core/rows';
import { ConditionBuilderComponent, type Made } from '../ask/condition-builder.component';
import { DeskLine } from '../desk/desk-news.service';
import { DeskStore } from '../desk/desk.store';
import { givenIn } from '../desk/given';
import { designOf } from '../desk/record.state';
import { RowRemoval } from '../desk/row-removal.service';
import { Api, type ListEntry, type ScreenInfo } from '../shared/api.service';
import { ChipComponent } from '../shared/chip.component';
import { CHOICES_LIST } from '../shared/choices-list';
import { FIELD } from '../shared/field';
import type { MayHoldChanges } from '../shared/leave.guard';
import { problemOf } from '../shared/problem';
import { conditionWords } from '../shared/readable';
import { StripComponent } from '../shared/strip.component';
import { isTypedIn } from '../shared/typed-in';
import { Toast } from '../shared/toast.service';
import type { Fetch } from '../value/held';
import { LanesComponent } from './lanes.component';
import { ListGridComponent } from './list-grid.component';
import type { ListView, Place } from './list-view';
import { TakingBack } from './taking-back.service';

/** Conditions that are asked at once at most. */
const MOST_CONDITIONS = 20;
/** Milliseconds without a letter after which a search begins. */
const SEARCH_AFTER = 200;

/** A list of the screen with what is picked in the list before it. */
interface Shown {
  readonly pane: Pane;
  readonly table: Table;
  readonly name: string;
  /** The place of the list that it follows; null for the first. */
  readonly follows: number | null;
}

/** Lists on the Desk: the rows of a table beneath one another, and beneath them what belongs to the one that is picked. */
@Component({
  selector: 'hr-list-page',
  imports: [
    CHOICES_LIST,
    ChipComponent,
    ConditionBuilderComponent,
    FIELD,
    LanesComponent,
    ListGridComponent,
    MatButton,
    MatIconModule,
    MatMenuModule,
    MatTooltipModule,
    StripComponent,
  ],
  providers: [RowRemoval, TakingBack],
  host: {
    '(document:keydown)': 'keys($event)',
    '(window:beforeunload)': 'warn($event)',
  },
  templateUrl: './list-page.component.html',
  styleUrl: './list-page.component.scss',
})
export class ListPageComponent implements MayHoldChanges {
  private readonly api = inject(Api);
  private readonly dialog = inject(MatDialog);
  private readonly injector = inject(Injector);
  private readonly router = inject(Router);
  private readonly toast = inject(Toast);
  private readonly back = inject(TakingBack);
  readonly desk = inject(DeskStore);
  readonly screen = input.required<string>();
  /** What the rows of the first list are to hold, by field id, as JSON; set by what leads here. */
  readonly of = input<string | undefined>(undefined);
  readonly info = signal<ScreenInfo | null>(null);
  readonly problem = signal('');
  readonly search = signal('');
  /** What is searched for, once nobody types any more. */
  readonly sought = signal('');
  readonly conditions = signal<readonly { readonly text: string; readonly words: string }[]>([]);
  readonly asked = computed(() => this.conditions().map(({ text }) => text));
  /** The key of the row that is picked in each list. */
  readonly picks = signal<readonly (RowKey | null)[]>([]);
  readonly totals = signal<readonly (number | null)[]>([]);
  /** Whether somebody has arranged a list for herself. */
  readonly isArranged = signal(false);
  /** What is offered in the line in which the first row is found. */
  readonly offers = signal<readonly ListEntry[]>([]);
  readonly found = signal('');
  private readonly searches = new Subject<string>();
  private readonly finds = new Subject<string>();
  private readonly lanes = viewChild(LanesComponent);
  private readonly grids = viewChildren(ListGridComponent);
  /** The lists that are shown, the first of them as cards where its rows are. */
  readonly lists = computed((): readonly ListView[] => {
    const lanes = this.lanes();
    return lanes ? [lanes, ...this.grids()] : this.grids();
  });
  private readonly searchBox = viewChild<ElementRef<HTMLInputElement>>('searchBox');

  readonly design = computed(() => {
    const info = this.info();
    return info && designOf(info.tables, info.settings);
  });
  readonly fetch: Fetch = (field, request) =>
    this.api.screenChoices(this.desk.file, this.screen(), field, request);
  readonly place = computed((): Place | null => {
    const design = this.design();
    return design && { design, screen: this.screen(), fetch: this.fetch };
  });
  readonly shown = computed((): Shown[] => {
    const [design, info] = [this.design(), this.info()];
    if (!design || !info) return [];
    const panes = panesOf(design, info.form);
    return panes.map((pane) => {
      const before = panes.findIndex(({ path }) => path.join() === pane.path.slice(0, -1).join());
      return {
        pane,
        table: design.tables.find(({ id }) => id === pane.form.table)!,
        name: [this.screen(), ...pane.path].join('/'),
        follows: pane.path.length === 0 ? null : before,
      };
    });
  });
  /** Whether the first list is a line in which one of its rows is found. */
  readonly isLine = computed(() => this.info()?.form.list?.starts === 'line');
  /** Whether the rows of the first list stand as cards in columns. */
  readonly isInLanes = computed(() => {
    const [first] = this.shown();
    return first !== undefined && !this.isLine() && lanesBy(first.pane.form, first.table) !== null;
  });
  readonly paths = computed((): FieldPath[] => {
    const [first] = this.shown();
    if (!first) return [];
    return cellsOf(first.pane.form.parts).flatMap(({ field: id }) => {
      const field = fieldOf(first.table, id);
      return field ? [{ field, ids: [id], text: `"#${id}"`, label: field.label, of: '' }] : [];
    });
  });
  /** Of cards each column asks for one more. */
  readonly mostConditions = computed(() => (this.isInLanes() ? MOST_CONDITIONS - 1 : MOST_CONDITIONS));
  readonly none: readonly string[] = [];
  readonly canKeepForAll = computed(() => this.desk.info()?.role === 'builder' && !this.desk.info()?.duty);

  constructor() {
    this.searches
      .pipe(debounceTime(SEARCH_AFTER), takeUntilDestroyed())
      .subscribe((text) => this.sought.set(text));
    this.finds
      .pipe(
        debounceTime(SEARCH_AFTER),
        map((text) => ({ text, screen: this.screen() })),
        switchMap(({ text, screen }) =>
          this.api.list(this.desk.file, screen, text, null).pipe(
            // What comes once another screen is shown is none of its rows.
            filter(() => screen === this.screen()),
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              return EMPTY;
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe(({ entries }) => this.offers.set(entries.slice(0, 30)));
    toObservable(computed(() => ({ screen: this.screen(), of: this.of() })))
      .pipe(
        distinctUntilChanged((a, b) => a.screen === b.screen && a.of === b.of),
        tap(() => {
          this.info.set(null);
          this.problem.set('');
          this.search.set('');
          this.sought.set('');
          this.found.set('');
          this.offers.set([]);
          this.picks.set([]);
          this.totals.set([]);
          this.back.forget();
        }),
        switchMap(({ screen }) =>
          this.api.screen(this.desk.file, screen).pipe(
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              return EMPTY;
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((info) => {
        this.start(info);
        this.isArranged.set(info.views.some(({ own }) => own));
        this.info.set(info);
      });
    // Rows that somebody else has changed are shown as they now are; what was typed here stays.
    inject(DeskLine)
      .all.pipe(debounceTime(SEARCH_AFTER), takeUntilDestroyed())
      .subscribe(() => this.lists().forEach((grid) => grid.refresh()));
    this.back.done.pipe(takeUntilDestroyed()).subscribe(() => this.lists().forEach((grid) => grid.refresh()));
    this.back.failed.pipe(takeUntilDestroyed()).subscribe((words) => this.problem.set(words));
    effect(() => {
      if (this.isLine()) untracked(() => this.finds.next(''));
    });
  }

  /** Asks for the rows of the first list as the address says, or else as it was kept. */
  private start(info: ScreenInfo): void {
    const design = designOf(info.tables, info.settings);
    const view = viewOf(info, []);
    const table = design.tables.find(({ id }) => id === info.form.table)!;
    // Who comes for what belongs to one row sees all of that.
    const asked = this.of() === undefined ? (view?.conditions ?? []) : conditionsOf(table, this.of()!);
    this.conditions.set(
      asked.map((text) => ({ text, words: conditionWords(text, catalogOf(design), table.id) })),
    );
    asked.forEach((text) => this.name(table, text));
  }

  /** Says by its text, not its key, to which row a condition asks a lookup to lead. */
  private name(table: Table, text: string): void {
    const [, id, key] = /^"#(\w+)" = ('(?:[^']|'')*'|\d+)$/.exec(text) ?? [];
    const field = id === undefined ? undefined : fieldOf(table, id);
    if (field?.type.kind !== 'lookup' || key === undefined) return;
    const only = key.startsWith("'") ? key.slice(1, -1).replaceAll("''", "'") : Number(key);
    this.fetch(field.id, { search: '', only, row: null })
      // Without it the condition is read with the key.
      .pipe(catchError(() => EMPTY))
      .subscribe(([choice]) => {
        if (!choice) return;
        const words = `${field.label.toLowerCase()} is ${choice[1]}`;
        this.conditions.update((known) =>
          known.map((condition) => (condition.text === text ? { ...condition, words } : condition)),
        );
      });
  }

  viewAt(path: readonly string[]) {
    const info = this.info();
    return info ? viewOf(info, path) : null;
  }

  /** The key by which rows of a list that follows lead to what is picked before it. */
  parentOf({ follows }: Shown): string | number | null {
    return follows === null ? null : (this.picks()[follows]?.[0] ?? null);
  }

  /** `Repairs of instrument A-0012`. */
  headOf({ pane, follows }: Shown): string {
    if (follows === null) return pane.form.label;
    const before = this.shown()[follows]!;
    const key = this.picks()[follows];
    if (!key) return pane.form.label;
    const text = follows === 0 && this.isLine() ? this.found() : '';
    const name = text || showKey(before.table, key, this.desk.reading().locale);
    return `${pane.form.label} of ${before.table.label.toLowerCase()} ${name}`;
  }

  countOf(at: number): string {
    const total = this.totals()[at];
    const shown = this.shown()[at];
    if (total == null || !shown) return '';
    const { label, plural } = shown.table;
    return `${total.toLocaleString('en-GB')} ${(total === 1 ? label : plural).toLowerCase()}`;
  }

  counted(at: number, total: number): void {
    this.totals.update((known) => this.shown().map((_, i) => (i === at ? total : (known[i] ?? null))));
  }

  /** Shows what belongs to a row; what was picked in the lists that follow belonged to another. */
  pick(at: number, key: RowKey | null): void {
    const same = this.picks()[at]?.join() === key?.join();
    if (same && (key !== null || this.picks()[at] === null)) return;
    const isBehind = (i: number): boolean => {
      const follows = this.shown()[i]?.follows ?? null;
      return follows !== null && (follows === at || isBehind(follows));
    };
    const places = this.shown().map((_, i) => i);
    this.picks.update((known) =>
      places.map((i) => (i === at ? key : isBehind(i) ? null : (known[i] ?? null))),
    );
    this.totals.update((known) => places.map((i) => (isBehind(i) ? null : (known[i] ?? null))));
  }

  /** The screen of records on which the rows of a list are opened; null where there is none for her. */
  placeOf({ table }: Shown): string | null {
    return this.desk.recordScreenOf(table.id)?.id ?? null;
  }

  async open(shown: Shown, key: RowKey): Promise<void> {
    const screen = this.placeOf(shown);
    if (screen)
      await this.router.navigate(['/desk', this.desk.file, 'screen', screen], {
        queryParams: { key: JSON.stringify(key) },
      });
  }

  /** Whether a record is begun on the screen on which the rows of a list are opened. */
  begins(shown: Shown): boolean {
    return shown.pane.form.rights.add && this.desk.recordScreenOf(shown.table.id)?.adds === true;
  }

  async begin(shown: Shown, given: Readonly<Record<string, string | number | boolean>>): Promise<void> {
    const queryParams = { new: Object.keys(given).length > 0 ? JSON.stringify(given) : 1 };
    await this.router.navigate(['/desk', this.desk.file, 'screen', this.placeOf(shown)], { queryParams });
  }

  searched(text: string): void {
    this.search.set(text);
    this.searches.next(text);
  }

  finding(text: string): void {
    this.found.set(text);
    this.finds.next(text);
  }

  take(entry: ListEntry): void {
    this.found.set(entry.title ?? '');
    this.pick(0, entry.key);
  }

  ask({ text, words }: Pick<Made, 'text' | 'words'>): void {
    const design = this.design();
    const [first] = this.shown();
    if (!design || !first) return;
    const read = words || conditionWords(text, catalogOf(design), first.table.id);
    this.conditions.update((known) => [...known, { text, words: read }]);
    this.arranged();
  }

  drop(index: number): void {
    this.conditions.update((known) => known.filter((_, i) => i !== index));
    this.arranged();
  }

  private arranged(): void {
    // What is asked is kept with how the list is looked at.
    afterNextRender(() => this.lists()[0]?.arranged(), { injector: this.injector });
  }

  /** How the lists are looked at now is how everyone finds them who has not arranged them for herself. */
  async keepForAll(): Promise<void> {
    try {
      for (const [i, grid] of this.lists().entries()) {
        const { path } = grid.pane();
        const view = grid.viewNow();
        await firstValueFrom(this.keep(path, true, i === 0 ? view : { ...view, conditions: [] }));
      }
      this.toast.say('Everyone finds it like this now.');
    } catch (error) {
      this.toast.problem(error);
    }
  }

  /** One's own arrangement is forgotten: the list is as the builder has it. */
  async asItWas(): Promise<void> {
    const screen = this.screen();
    try {
      for (const { pane } of this.shown()) await firstValueFrom(this.keep(pane.path, false, null));
      const info = await firstValueFrom(this.api.screen(this.desk.file, screen));
      if (screen !== this.screen()) return;
      this.start(info);
      this.isArranged.set(false);
      this.info.set(null);
      setTimeout(() => this.info.set(info));
    } catch (error) {
      this.toast.problem(error);
    }
  }

  private keep(path: readonly string[], everyone: boolean, view: ReturnType<ListView['viewNow']> | null) {
    return this.api.keepListView(this.desk.file, this.screen(), { path, everyone, view });
  }

  /** Says what was saved, and offers to take it back. */
  saved({ text, entry }: { readonly text: string; readonly entry: number }): void {
    this.back.offer({ text, entry, screen: this.screen() });
  }

  unsaved(): boolean {
    return this.lists().some((grid) => grid.unsaved());
  }

  async settle(): Promise<boolean> {
    for (const grid of this.lists()) if (!(await grid.saveAll())) return false;
    return true;
  }

  left(): void {
    this.lists().forEach((grid) => grid.setAllAside());
  }

  warn(event: BeforeUnloadEvent): void {
    if (this.unsaved()) event.preventDefault();
  }

  /** Goes to the list before or behind one. */
  goOn(from: number, by: 1 | -1): void {
    const other = this.shown()[from + by];
    if (other) this.listOf(other)?.enter();
  }

  listOf({ pane }: Shown): ListView | undefined {
    return this.lists().find((list) => list.pane() === pane);
  }

  keys(event: KeyboardEvent): void {
    if (this.dialog.openDialogs.length > 0) return;
    const letter = event.key.toLowerCase();
    const isTyping = isTypedIn(event.target);
    if (event.ctrlKey && letter === 's') {
      event.preventDefault();
      void this.settle();
    } else if (event.altKey && letter === 'n') {
      event.preventDefault();
      this.lists().some((list) => list.startNew());
    } else if (event.ctrlKey && letter === 'k') {
      event.preventDefault();
      this.searchBox()?.nativeElement.focus();
    } else if (event.ctrlKey && letter === 'z' && this.back.isOffered() && !isTyping) {
      event.preventDefault();
      void this.back.take();
    }
  }
}

/** What the address asks of the rows of a list, as conditions; nothing where it asks for no field of theirs. */
function conditionsOf(table: Table, text: string): string[] {
  return Object.entries(givenIn(text)).flatMap(([id, value]) => {
    const field = fieldOf(table, id);
    return field ? [valueIs(field, value)] : [];
  });
}

/** How a list is looked at: as she keeps it for herself, else as everyone finds it. */
function viewOf({ views }: ScreenInfo, path: readonly string[]) {
  const own = views.filter((view) => view.path.join() === path.join());
  return (own.find((view) => view.own) ?? own[0])?.view ?? null;
}
