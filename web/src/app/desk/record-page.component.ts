import type { ElementRef } from '@angular/core';
import {
  afterNextRender,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  Injector,
  input,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import { MatButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { MatListModule } from '@angular/material/list';
import { Router } from '@angular/router';
import {
  catchError,
  debounceTime,
  distinctUntilChanged,
  EMPTY,
  exhaustMap,
  filter,
  firstValueFrom,
  map,
  of,
  Subject,
  switchMap,
  takeWhile,
  tap,
  timer,
  type Observable,
} from 'rxjs';
import { comesWithText, fieldOf, showKey, valueKind, type Field, type Table } from '@heathridge/core/design';
import { allLevels, allParts, cellsOf, levelOf, type Beyond } from '@heathridge/core/form';
import type { RowChange, RowKey } from '@heathridge/core/rows';
import { showValue } from '@heathridge/core/values';
import { Api, type Cell, type ListEntry, type RecordData, type ScreenInfo } from '../shared/api.service';
import { addedRow, type AddRow } from '../value/add-row.dialog';
import { NothingComponent } from '../frame/nothing.component';
import { FIELD } from '../shared/field';
import { newId } from '../shared/ids';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { leaving, type MayHoldChanges } from '../shared/leave.guard';
import { problemOf, whatIsWrong } from '../shared/problem';
import { rowHeight } from '../shared/row-height';
import { StripComponent } from '../shared/strip.component';
import { Toast } from '../shared/toast.service';
import { Buttons } from './buttons.service';
import { ALL, DeskLine, type DeskNews } from './desk-news.service';
import { DeskStore } from './desk.store';
import { givenIn } from './given';
import type { Place, Press } from './sheet.service';
import { RecordSheetComponent } from './record-sheet.component';
import { UNWORKED, type Fetch, type Held } from '../value/held';
import { RecordDrafts, type KeptRecord } from './record-drafts.service';
import { RowRemoval } from './row-removal.service';
import {
  designOf,
  heldOf,
  RecordState,
  type ListState,
  type RowState,
  type Sought,
  type Told,
} from './record.state';

/** Milliseconds without a letter after which what was typed is kept. */
const KEPT_AFTER = 250;

/** Milliseconds after which it is said again that a record is open here. */
const HERE_EVERY = 20_000;

/** A save that can be taken back. */
interface Saved {
  readonly entry: number;
  /** The record it was made on. */
  readonly key: RowKey | null;
  readonly screen: string;
}

/** Milliseconds for which it is offered to take something back. */
const BACK_OFFERED = 6000;

/** A form on the Desk: the record list at the left, the record at the right. */
@Component({
  selector: 'hr-record-page',
  imports: [
    FIELD,
    MatButton,
    MatIconModule,
    MatListModule,
    NothingComponent,
    ScrollingModule,
    RecordSheetComponent,
    StripComponent,
  ],
  host: {
    '[class.reading]': 'reading() || isEntering()',
    '[class.entering]': 'isEntering()',
    '(document:keydown)': 'keys($event)',
    '(window:beforeunload)': 'warn($event)',
    '(document:visibilitychange)': 'keepAtOnce()',
  },
  providers: [Buttons, RowRemoval],
  templateUrl: './record-page.component.html',
  styleUrl: './record-page.component.scss',
})
export class RecordPageComponent implements MayHoldChanges {
  private readonly api = inject(Api);
  private readonly dialog = inject(MatDialog);
  private readonly removal = inject(RowRemoval);
  private readonly dialogs = inject(LazyDialogs);
  private readonly router = inject(Router);
  private readonly toast = inject(Toast);
  private readonly drafts = inject(RecordDrafts);
  private readonly line = inject(DeskLine);
  private readonly buttons = inject(Buttons);
  readonly desk = inject(DeskStore);
  readonly screen = input.required<string>();
  /** Set in the address to begin with a new record: what its fields hold by id, as JSON; or anything else. */
  readonly newParam = input<string | undefined>(undefined, { alias: 'new' });
  /** The key of the record to open, as JSON. */
  readonly keyParam = input<string | undefined>(undefined, { alias: 'key' });

  readonly info = signal<ScreenInfo | null>(null);
  readonly entries = signal<readonly ListEntry[]>([]);
  readonly total = signal(0);
  readonly all = signal(0);
  readonly search = signal('');
  readonly state = signal<RecordState | null>(null);
  readonly title = signal('');
  readonly busy = signal(false);
  /** Who else has the record open. */
  readonly others = signal<readonly string[]>([]);
  /** Tells this page from others of the same person. */
  private readonly page = newId('page');
  readonly listing = signal(true);
  readonly problem = signal('');
  /** When what stands here and is not saved was typed, where it was kept from before; in UTC. */
  readonly pickedUp = signal('');
  /** On a narrow page the record is shown, or the list: one at a time. */
  readonly reading = signal(false);
  /** The screen has just been opened: it shows its first record. */
  private isFresh = true;
  private readonly searches = new Subject<string>();
  /** The record to show: an answer that comes late, for one that was asked for before, is not taken. */
  private readonly opening = new Subject<RowKey | null>();
  private readonly injector = inject(Injector);
  private readonly view = viewChild(RecordSheetComponent);
  private readonly list = viewChild(CdkVirtualScrollViewport);
  private readonly row = rowHeight();
  /** Pixels of an entry, which has two lines. */
  readonly entryHeight = computed(() => this.row() + 18);
  readonly byKey = (_: number, { key }: ListEntry): string => key.join();
  private readonly searchBox = viewChild<ElementRef<HTMLInputElement>>('searchBox');
  private loadingMore = false;
  /** A button does what it says: it is not pressed again meanwhile. */
  private isPressing = false;
  /** What was saved last on this page, and can be taken back. */
  private last: Saved | null = null;

  readonly table = computed(
    (): Table | null => this.info()?.tables.find(({ id }) => id === this.info()?.form.table) ?? null,
  );
  readonly fetch: Fetch = (field, request) =>
    this.api.screenChoices(this.desk.file, this.screen(), field, request);
  /** Adds a row to the table of a lookup that allows it, and gives what the lookup then holds. */
  readonly addRow = (field: Field, text: string): Observable<Held | null> => {
    const info = this.info();
    const { type } = field;
    const table = type.kind === 'lookup' && info?.tables.find(({ id }) => id === type.table);
    if (!info || !table) return of(null);
    const data: AddRow = {
      design: designOf(info.tables, info.settings),
      table,
      text,
      reading: this.desk.reading(),
      fetch: this.fetch,
      save: (request) => this.api.saveRecord(this.desk.file, this.screen(), request),
    };
    return addedRow(this.dialog, data, field, this.fetch);
  };
  /** Reads further rows of a subform. */
  readonly more = (row: RowState, { level, rows }: ListState): void => {
    const [parent, state] = [row.key?.[0], this.state()];
    if (parent === undefined || !state) return;
    const path = state.pathTo(row.id, level);
    const start = rows.filter(({ key }) => key !== null).length;
    this.api.moreRows(this.desk.file, this.screen(), { path, parent, start }).subscribe({
      next: (read) => state.more(row, read),
      error: (error: unknown) => this.toast.problem(error),
    });
  };
  readonly beyond = (sought: Sought): Observable<Beyond | null> => {
    const { path, link, key } = sought;
    return this.api.beyond(this.desk.file, this.screen(), { path, link, key });
  };
  /** The first screen over each table, but for this one's own: there what a lookup leads to is opened. */
  readonly places = computed(() => {
    const screens = this.desk.info()?.screens ?? [];
    const own = this.info()?.form.table;
    const found = new Map<string, Place>();
    for (const { id, table, label, shows } of screens)
      if (shows === 'record' && table !== own && !found.has(table))
        found.set(table, { link: ['/desk', this.desk.file, 'screen', id], label });
    return found;
  });
  /** Whether anything at all can be changed on this screen. */
  readonly writes = computed(() => {
    const form = this.info()?.form;
    if (!form) return false;
    const any = (rights: object): boolean => Object.values(rights).includes(true);
    return (
      any(form.rights) || allParts(form.parts).some((part) => part.part === 'subform' && any(part.rights))
    );
  });
  /** Whether it is for entering alone: one record after another, beside no list. */
  readonly isEntering = computed(() => this.info()?.form.opens === 'entering');
  /** What is said where no record is shown. */
  readonly nothing = computed(() => {
    const one = this.table()?.label.toLowerCase() ?? 'record';
    const add = this.info()?.form.rights.add ?? true;
    if (this.all() === 0) return `There is no ${one} yet${add ? ': begin with the first.' : '.'}`;
    return `Choose a ${one} at the left${add ? ', or begin a new one.' : '.'}`;
  });
  readonly hasRunning = computed(() => {
    const table = this.table();
    return (
      table !== null && table.key.length === 1 && fieldOf(table, table.key[0]!)?.type.kind === 'runningNumber'
    );
  });

  constructor() {
    this.searches
      .pipe(
        debounceTime(150),
        tap(() => this.listing.set(true)),
        switchMap((search) => this.readList(search, null)),
        takeUntilDestroyed(),
      )
      .subscribe(({ total, all, entries }) => {
        this.total.set(total);
        this.all.set(all);
        this.entries.set(entries);
        this.listing.set(false);
        this.list()?.scrollToIndex(0);
        this.showFirst();
      });
    this.opening
      .pipe(
        switchMap((key) =>
          key === null
            ? EMPTY
            : this.api.record(this.desk.file, this.screen(), key).pipe(
                catchError((error: unknown) => {
                  this.problem.set(problemOf(error).detail);
                  return EMPTY;
                }),
                switchMap((data) =>
                  this.mayShow(key).pipe(
                    filter(Boolean),
                    map(() => data),
                  ),
                ),
              ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((data) => this.load(data));
    toObservable(computed(() => ({ state: this.state(), kept: this.keptNow() })))
      .pipe(debounceTime(KEPT_AFTER), takeUntilDestroyed())
      .subscribe(({ state }) => {
        if (state === this.state()) this.keep();
      });
    toObservable(this.screen)
      .pipe(
        tap(() => {
          this.opening.next(null);
          this.last = null;
          this.info.set(null);
          this.state.set(null);
          this.search.set('');
          this.entries.set([]);
          this.listing.set(true);
          // What was said of a record of another screen is not true of this one.
          this.problem.set('');
          this.reading.set(false);
          this.isFresh = true;
        }),
        switchMap((screen) =>
          this.api.screen(this.desk.file, screen).pipe(
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              this.listing.set(false);
              return EMPTY;
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((info) => {
        this.info.set(info);
        // What has been typed while the screen was loading counts.
        this.searches.next(this.search());
        if (this.newParam()) void this.beginGiven(this.newParam()!);
      });
    inject(DestroyRef).onDestroy(() => {
      // Whoever looks here next need not wait until it is forgotten.
      this.api
        .here(this.desk.file, this.screen(), this.page, null)
        .pipe(catchError(() => EMPTY))
        .subscribe();
    });
    this.line.all.pipe(takeUntilDestroyed()).subscribe((news) => this.heard(news));
    // Who else has the record open is asked when it is opened, and while it is.
    toObservable(
      computed(() => ({ screen: this.screen(), key: JSON.stringify(this.state()?.record().key ?? null) })),
    )
      .pipe(
        distinctUntilChanged((a, b) => a.key === b.key && a.screen === b.screen),
        tap(() => this.others.set([])),
        switchMap(({ screen, key }) =>
          timer(0, HERE_EVERY).pipe(
            exhaustMap(() =>
              // Without it all works as well: it is asked again at the next beat.
              this.api
                .here(this.desk.file, screen, this.page, JSON.parse(key) as RowKey | null)
                .pipe(catchError(() => EMPTY)),
            ),
            takeWhile(() => key !== 'null', true),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((others) => this.others.set(others));
    effect(() => {
      const [key, info] = [this.keyParam(), this.info()];
      untracked(() => {
        if (key === undefined || !info) return;
        const current = this.state()?.record().key;
        if (JSON.stringify(current ?? null) !== key) this.open(JSON.parse(key) as RowKey);
      });
    });
  }

  /** Somebody has changed what this page shows: it is shown as it now is; what was typed here stays. */
  private heard(news: DeskNews | typeof ALL): void {
    const info = this.info();
    if (!info) return;
    if (news === ALL || news.design) this.designMoved();
    const root = levelOf(designOf(info.tables, info.settings), info.form);
    const shown = new Set(root ? allLevels(root).map(({ table }) => table.id) : []);
    if (news !== ALL && !news.tables.some((table) => shown.has(table))) return;
    // Who has gone down the list is not led away from there.
    if ((this.list()?.measureScrollOffset() ?? 0) === 0) this.searches.next(this.search());
    const state = this.state();
    const key = state?.record().key;
    // Of a save of one's own the page reads the record itself.
    if (!state || !key || this.busy() || this.isPressing) return;
    this.api.record(this.desk.file, this.screen(), key).subscribe({
      next: ({ record }) => {
        if (this.state() !== state) return;
        const before = JSON.stringify(state.kept()) + state.shownText();
        state.merge(record);
        const by = news === ALL ? 'Somebody' : news.by;
        if (news !== ALL && !news.own && before !== JSON.stringify(state.kept()) + state.shownText())
          this.toast.say(
            `${by} has changed this ${state.table.label.toLowerCase()}: it is shown as it now is.`,
          );
      },
      error: (error: unknown) => {
        if (this.state() !== state) return;
        const { type, detail } = problemOf(error);
        const kept = state.dirty() ? ' What you typed is still here.' : '';
        this.problem.set(type === 'not-found' ? `${this.title()} was deleted meanwhile.${kept}` : detail);
      },
    });
  }

  /** The design is another: the screen is drawn as it now is, with what was typed. */
  private designMoved(): void {
    const before = this.info();
    this.api.screen(this.desk.file, this.screen()).subscribe({
      next: (info) => {
        if (this.info() !== before || JSON.stringify(info) === JSON.stringify(before)) return;
        const state = this.state();
        const key = state?.record().key;
        this.keep();
        this.info.set(info);
        if (!state) return;
        this.toast.say(
          `The builder has changed this screen.${state.dirty() ? ' What you typed is kept.' : ''}`,
        );
        if (key) this.open(key);
        else this.load(null);
      },
      error: (error: unknown) => {
        const kept = this.state()?.dirty() ? ' What you typed is still here, to be copied.' : '';
        this.problem.set(`${problemOf(error).detail}${kept}`);
      },
    });
  }

  /** Asked when the record is to be left: what is being typed right now counts too. */
  unsaved(): boolean {
    (document.activeElement as HTMLElement | null)?.blur();
    return this.state()?.dirty() ?? false;
  }

  /** What was typed here is given up. */
  left(): void {
    const state = this.state();
    if (!state) return;
    this.drafts.drop(this.desk.file, this.screen(), state.record().key);
    this.state.set(null);
  }

  /** The page may not come back: what is being typed right now counts too. Who does come back goes on there. */
  keepAtOnce(): void {
    if (document.visibilityState !== 'hidden') return;
    this.takeTyped();
    this.keep();
  }

  /** Takes what is being typed into the record right now. Whoever types it goes on there. */
  private takeTyped(): void {
    const at = document.activeElement;
    const isLine = at instanceof HTMLInputElement || at instanceof HTMLTextAreaElement;
    if (!isLine || !at.closest('hr-record-sheet')) return;
    const [from, to] = [at.selectionStart, at.selectionEnd];
    at.blur();
    at.focus({ preventScroll: true });
    if (from !== null) at.setSelectionRange(from, to);
  }

  private keep(): void {
    const state = this.state();
    if (!state) return;
    const [file, screen, key] = [this.desk.file, this.screen(), state.record().key];
    const kept = this.keptNow();
    const at = `${new Date().toISOString().slice(0, 19)}Z`;
    if (kept) this.drafts.keep(file, { screen, key: key && [...key], title: this.title(), at, kept });
    else this.drafts.drop(file, screen, key);
  }

  /** What is unsaved in the record, to be kept in this browser. */
  private keptNow(): KeptRecord | null {
    const state = this.state();
    return state?.dirty() ? state.kept() : null;
  }

  warn(event: BeforeUnloadEvent): void {
    const isUnsaved = this.unsaved();
    this.keep();
    if (isUnsaved) event.preventDefault();
  }

  keys(event: KeyboardEvent): void {
    if (this.dialog.openDialogs.length > 0) return;
    if (event.ctrlKey && event.key.toLowerCase() === 's') {
      event.preventDefault();
      void this.save();
    } else if (event.ctrlKey && event.key === 'Enter') {
      event.preventDefault();
      void this.save().then((saved) => saved && this.begin());
    } else if (event.altKey && event.key.toLowerCase() === 'n') {
      event.preventDefault();
      void this.startNew();
    } else if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) {
      event.preventDefault();
      void this.step(event.key === 'ArrowDown' ? 1 : -1);
    } else if (event.ctrlKey && event.key.toLowerCase() === 'z' && this.last && !this.state()?.dirty()) {
      // While something is typed this key is for what is typed.
      event.preventDefault();
      void this.takeBack(this.last);
    } else if (event.ctrlKey && event.key.toLowerCase() === 'k') {
      event.preventDefault();
      this.searchBox()?.nativeElement.focus();
    }
  }

  searched(text: string): void {
    this.search.set(text);
    this.searches.next(text);
  }

  /** Arrow keys lead from the search box into the list; Enter opens its first entry. */
  searchKey(event: KeyboardEvent): void {
    const [first] = this.entries();
    if (event.key === 'Enter' && first) void this.choose(first.key);
    else if (event.key === 'ArrowDown') {
      event.preventDefault();
      document.querySelector<HTMLElement>('.entry')?.focus();
    }
  }

  entryKey(event: KeyboardEvent): void {
    if (event.altKey || (event.key !== 'ArrowDown' && event.key !== 'ArrowUp')) return;
    event.preventDefault();
    const entry = event.currentTarget as HTMLElement;
    const next = event.key === 'ArrowDown' ? entry.nextElementSibling : entry.previousElementSibling;
    const target = next ?? (event.key === 'ArrowUp' ? this.searchBox()?.nativeElement : null);
    if (target instanceof HTMLElement) target.focus();
  }

  second(entry: ListEntry): string {
    const [info, table] = [this.info(), this.table()];
    if (!info || !table) return '';
    const text = (cell: Cell, id: string): string => {
      const field = fieldOf(table, id);
      if (!field || cell === null) return '';
      const held = heldOf(cell);
      if (held.fault) return `${field.label.toLowerCase()} ${UNWORKED}`;
      const shown = comesWithText(field)
        ? (held.text ?? '')
        : showValue(valueKind(field.type), held.value, this.desk.reading().locale);
      return field.type.kind === 'date' ? `${field.label.toLowerCase()} ${shown}` : shown;
    };
    return info.second
      .map((id, i) => text(entry.second[i] ?? null, id))
      .filter((part) => part !== '')
      .join(' · ');
  }

  moment(at: string): string {
    return this.desk.moment(at);
  }

  keyText(key: RowKey): string {
    const table = this.table();
    return table ? showKey(table, key, this.desk.reading().locale) : key.join(' · ');
  }

  isOpen(entry: ListEntry): boolean {
    const key = this.state()?.record().key;
    return key != null && key.join() === entry.key.join();
  }

  scrolled(event: Event): void {
    const list = event.target as HTMLElement;
    if (list.scrollTop + list.clientHeight < list.scrollHeight - 300) return;
    const last = this.entries().at(-1);
    if (!last || this.loadingMore || this.entries().length >= this.total()) return;
    this.loadingMore = true;
    this.readList(this.search(), last.key).subscribe({
      next: ({ entries }) => this.entries.update((known) => [...known, ...entries]),
      complete: () => (this.loadingMore = false),
    });
  }

  async choose(key: RowKey): Promise<void> {
    this.reading.set(true);
    if (await this.mayLeave()) await this.router.navigate([], { queryParams: { key: JSON.stringify(key) } });
  }

  async startNew(): Promise<void> {
    if (!this.info()?.form.rights.add) return;
    if (await this.mayLeave()) this.begin();
  }

  async undo(): Promise<void> {
    const key = this.state()?.record().key;
    this.left();
    if (key) this.open(key);
    else this.state.set(null);
  }

  /** Saves the record before it is left; false where it cannot be saved as it stands. */
  settle(): Promise<boolean> {
    return this.save(false);
  }

  /** Saves the record with its subform rows, all or nothing; true when it is in the file. It is shown then, or left. */
  async save(stays = true): Promise<boolean> {
    const state = this.state();
    if (!state || this.busy()) return false;
    this.busy.set(true);
    try {
      return await this.saved(state, stays);
    } finally {
      this.busy.set(false);
    }
  }

  private async saved(state: RecordState, stays: boolean): Promise<boolean> {
    // What is being typed right now counts too, and so does what a lookup is still searched for.
    (document.activeElement as HTMLElement | null)?.blur();
    await firstValueFrom(
      toObservable(state.seeking, { injector: this.injector }).pipe(filter((seeking) => !seeking)),
    );
    this.problem.set('');
    if (!state.check()) {
      this.problem.set('Not saved yet.');
      this.goToFirst();
      return false;
    }
    const { changes, rows } = state.changesToSave();
    if (changes.length === 0) return true;
    const request = { id: state.nameOf(changes), changes };
    try {
      const { saved, entry } = await firstValueFrom(
        this.api.saveRecord(this.desk.file, this.screen(), request),
      );
      const own = saved.find(
        ({ table, temp }) => table === state.table.id && (temp === state.record().id || !state.isNew),
      );
      const key = state.record().key ?? own?.key;
      this.offerBack(`${state.table.label} ${key ? this.keyText(key) : ''} is saved.`, entry, key ?? null);
      this.searches.next(this.search());
      this.left();
      if (stays && this.isEntering()) this.begin();
      else if (key && stays) {
        this.open(key);
        await this.router.navigate([], { queryParams: { key: JSON.stringify(key) }, replaceUrl: true });
      }
      return true;
    } catch (error) {
      const problem = problemOf(error);
      state.refuse(problem.errors ?? [], rows);
      this.problem.set(
        problem.errors?.length ? 'Not saved: nothing in the file has changed.' : problem.detail,
      );
      this.goToFirst();
      return false;
    }
  }

  /** Goes to where something is wrong. */
  goTo({ row, field }: Told): void {
    this.view()?.focusAt(row, field?.id ?? null);
  }

  /** Puts the cursor into the record once it is drawn. */
  private focusSoon(given: Readonly<Record<string, Held>> = {}): void {
    afterNextRender(() => this.view()?.focusFirst(given), { injector: this.injector });
  }

  /** Goes to the first of what is wrong. */
  private goToFirst(): void {
    const [first] = this.state()?.told() ?? [];
    if (first) this.goTo(first);
  }

  /** Prints the record as it stands on the page. */
  print(): void {
    window.print();
  }

  async remove(): Promise<void> {
    const state = this.state();
    const key = state?.record().key;
    if (!state || !key) return;
    const [screen, name] = [this.screen(), this.title()];
    try {
      const named = (changes: readonly RowChange[]): string => state.nameOf(changes);
      const entry = await this.removal.remove(screen, state.table, key, named);
      if (entry === null) return;
      this.offerBack(`${name} is deleted.`, entry, key, screen);
      if (screen !== this.screen()) return;
      this.left();
      this.searches.next(this.search());
      void this.router.navigate([]);
    } catch (error) {
      this.problem.set(whatIsWrong(error));
    }
  }

  /** Says what was done, and offers to take it back: so does Ctrl+Z, until something else is done. */
  private offerBack(text: string, entry: number, key: RowKey | null, screen = this.screen()): void {
    this.last = { entry, key, screen };
    this.toast.offer(text, 'Take it back', () => void this.takeBack({ entry, key, screen }), BACK_OFFERED);
  }

  /** Undoes a save or a deletion; the record is shown as it then is. */
  async takeBack({ entry, key, screen }: Saved): Promise<void> {
    this.last = null;
    if (!(await this.mayLeave())) return;
    try {
      await firstValueFrom(this.api.undoSave(this.desk.file, screen, entry));
    } catch (error) {
      this.problem.set(problemOf(error).detail);
      return;
    }
    this.toast.say('It is as it was before.');
    if (screen !== this.screen()) return;
    this.left();
    this.searches.next(this.search());
    if (!key) return;
    this.api.record(this.desk.file, this.screen(), key).subscribe({
      next: () => this.open(key),
      // It was new, and is no longer there: the list is shown beside nothing.
      error: () => this.router.navigate([], { queryParams: {}, replaceUrl: true }),
    });
  }

  begin(given: Readonly<Record<string, Held>> = {}): void {
    this.reading.set(true);
    this.opening.next(null);
    this.load(null, given);
    void this.router.navigate([], { queryParams: {}, replaceUrl: true });
    this.focusSoon(given);
  }

  /**
   * Never nothing: a screen that is opened shows the first of what it lists, or a blank record where it is for that,
   * unless somebody was quicker.
   */
  private showFirst(): void {
    const [first] = this.entries();
    const form = this.info()?.form;
    if (this.isFresh && !this.state() && !this.keyParam() && !this.newParam()) {
      if (form && form.opens !== 'first' && form.rights.add) this.begin();
      else if (first && !this.isEntering()) this.open(first.key);
    }
    this.isFresh = false;
  }

  /**
   * Whether a record that has come may be shown. What was typed meanwhile into the one that is shown still is saved, as
   * always when one is left; who stays with it finds it in the address too. Of one that is read again it is kept.
   */
  private mayShow(next: RowKey): Observable<boolean> {
    this.takeTyped();
    const state = this.state();
    if (!state?.dirty()) return of(true);
    const { key } = state.record();
    if (JSON.stringify(key) === JSON.stringify(next)) {
      this.keep();
      return of(true);
    }
    const queryParams = key ? { key: JSON.stringify(key) } : {};
    return leaving(this, this.dialogs).pipe(
      tap((leaves) => !leaves && void this.router.navigate([], { queryParams, replaceUrl: true })),
    );
  }

  private open(key: RowKey): void {
    this.problem.set('');
    this.opening.next(key);
  }

  /** Begins a record with what an address gives: the row on another screen to which it leads, or a value. */
  private async beginGiven(text: string): Promise<void> {
    const info = this.info();
    const table =
      info && designOf(info.tables, info.settings).tables.find(({ id }) => id === info.form.table);
    const typed = new Set(
      cellsOf(info?.form.parts ?? []).flatMap(({ field, people }) => (people === 'type' ? [field] : [])),
    );
    const given: Record<string, Held> = {};
    for (const [id, value] of Object.entries(givenIn(text))) {
      const field = table && typed.has(id) ? fieldOf(table, id) : undefined;
      // What nobody types here would be refused with the record.
      if (!field) continue;
      const { kind } = field.type;
      if (kind === (typeof value === 'boolean' ? 'tick' : 'choice')) given[id] = { value };
      if (kind !== 'lookup' || typeof value === 'boolean') continue;
      const found = await firstValueFrom(
        // Where it is not among the choices somebody chooses it herself.
        this.fetch(id, { search: '', only: value, row: null }).pipe(catchError(() => of([]))),
      );
      const [choice] = found;
      if (choice) given[id] = { value: choice[0], text: choice[1] };
    }
    // Somebody has gone on meanwhile.
    if (info !== this.info() || this.state()) return;
    this.begin(given);
  }

  /** What a button says is done once the record is in the file as it stands here. */
  async press(press: Press): Promise<void> {
    const { button, row, path } = press;
    const [info, state] = [this.info(), this.state()];
    if (!info || !state || this.busy() || this.isPressing) return;
    const isUnsaved = state.dirty() || state.isNew;
    if (isUnsaved && !(await this.save())) return;
    const own = state.record().key ?? this.last?.key;
    const key = path.length === 0 ? own : row.key;
    if (!own || !key) return;
    if (button.does.act === 'print' && button.does.report === null) return this.printSoon();
    this.problem.set('');
    this.isPressing = true;
    try {
      const changed = await this.buttons.press(info, { button, row, path, key });
      if (!changed) return;
      this.offerBack(changed.text, changed.entry, own, info.form.id);
      // Somebody has gone to another screen meanwhile.
      if (info.form.id !== this.screen()) return;
      this.searches.next(this.search());
      if (!this.isEntering()) this.open(own);
    } catch (error) {
      this.problem.set(whatIsWrong(error));
    } finally {
      this.isPressing = false;
    }
  }

  /** Prints the record as the page shows it: a moment after it was saved it is read anew. */
  private async printSoon(): Promise<void> {
    await firstValueFrom(
      toObservable(this.state, { injector: this.injector }).pipe(filter((now) => now !== null)),
    );
    afterNextRender(() => this.print(), { injector: this.injector });
  }

  private load(data: RecordData | null, given: Readonly<Record<string, Held>> = {}): void {
    const info = this.info();
    if (!info) return;
    this.problem.set('');
    const clock = { today: info.today, now: `${new Date().toISOString().slice(0, 19)}Z` };
    const state = new RecordState(designOf(info.tables, info.settings), info.form, data, clock, given);
    const key = state.record().key;
    const draft = this.drafts.find(this.desk.file, info.form.id, key);
    if (draft) state.restore(draft.kept);
    this.pickedUp.set(draft && state.dirty() ? draft.at : '');
    this.state.set(state);
    this.title.set(
      key ? `${state.table.label} ${this.keyText(key)}` : `New ${state.table.label.toLowerCase()}`,
    );
  }

  private async step(by: number): Promise<void> {
    const entries = this.entries();
    const at = entries.findIndex((entry) => this.isOpen(entry));
    const next = entries[Math.min(Math.max(at + by, 0), entries.length - 1)];
    if (!next) return;
    if (!this.isOpen(next)) await this.choose(next.key);
    this.show(entries.indexOf(next));
  }

  /** Moves the list just so far that an entry can be seen. */
  private show(index: number): void {
    const list = this.list();
    if (!list) return;
    const [top, height] = [index * this.entryHeight(), this.entryHeight()];
    const [from, room] = [list.measureScrollOffset(), list.getViewportSize()];
    if (top < from) list.scrollToOffset(top);
    else if (top + height > from + room) list.scrollToOffset(top + height - room);
  }

  private mayLeave(): Promise<boolean> {
    return firstValueFrom(leaving(this, this.dialogs));
  }

  /** Reads what the screen lists. What comes once another is shown, or before that has been read, is none of its rows. */
  private readList(search: string, after: RowKey | null) {
    const screen = this.screen();
    return this.api.list(this.desk.file, screen, search, after).pipe(
      filter(() => screen === this.screen() && this.info()?.form.id === screen),
      catchError((error: unknown) => {
        this.toast.problem(error);
        this.listing.set(false);
        this.loadingMore = false;
        return EMPTY;
      }),
    );
  }
}
