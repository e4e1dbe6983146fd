import { LiveAnnouncer } from '@angular/cdk/a11y';
import { CdkDrag, CdkDropList, CdkDropListGroup, type CdkDragDrop } from '@angular/cdk/drag-drop';
import {
  afterNextRender,
  booleanAttribute,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  Injector,
  input,
  output,
  signal,
  untracked,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import {
  catchError,
  concatMap,
  EMPTY,
  firstValueFrom,
  forkJoin,
  from,
  map,
  Subject,
  switchMap,
  tap,
  type Observable,
} from 'rxjs';
import type { Narrowing } from '@heathridge/core/board';
import { fieldOf, isStored, showKey, type Field, type Table } from '@heathridge/core/design';
import {
  cardColumns,
  lanesBy,
  cellsOf,
  choiceColour,
  lanesOf,
  namedValues,
  type Column,
  type Lane,
  type LaneValue,
  type Pane,
} from '@heathridge/core/form';
import type { GridView, RowChange, RowKey } from '@heathridge/core/rows';
import { DeskStore } from '../desk/desk.store';
import { isShut, RecordState } from '../desk/record.state';
import { RowRemoval } from '../desk/row-removal.service';
import { Api, type Cell, type RecordRow, type SortBy } from '../shared/api.service';
import { problemOf, whatIsWrong } from '../shared/problem';
import { SelectComponent, type Option } from '../shared/select.component';
import { StripComponent } from '../shared/strip.component';
import { Toast } from '../shared/toast.service';
import { CardComponent } from '../desk/card.component';
import { rowId } from './list-rows';
import type { ListView, Place } from './list-view';

/** Cards of a column that are read at once; more when they are asked for. */
const PAGE = 50;
/** Rows that the server gives at once. */
const MOST_READ = 200;
/** No field and no direction is called so: the order that the builder gave. */
const AS_BUILT = '';

/** A row of the table, as a card in a column. */
interface Card {
  /** What tells it from all others: its key. */
  readonly id: string;
  readonly read: RecordRow;
  readonly state: RecordState;
  readonly name: string;
}

/** A column with what has been read of it. */
interface Stack {
  readonly lane: Lane;
  readonly cards: readonly Card[];
  /** How many rows stand in it; null until that is known. */
  readonly total: number | null;
}

/** Where a card stands. */
interface At {
  readonly stack: number;
  readonly card: number;
}

/**
 * The rows of a list as cards in a column for each value of a field: what is dragged into another column,
 * or put there by keys or from a menu, holds its value then.
 */
@Component({
  selector: 'hr-lanes',
  imports: [
    CardComponent,
    CdkDrag,
    CdkDropList,
    CdkDropListGroup,
    MatButton,
    MatIconButton,
    MatIconModule,
    MatMenuModule,
    SelectComponent,
    StripComponent,
  ],
  templateUrl: './lanes.component.html',
  styleUrl: './lanes.component.scss',
})
export class LanesComponent implements ListView {
  private readonly announcer = inject(LiveAnnouncer);
  private readonly api = inject(Api);
  readonly desk = inject(DeskStore);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly injector = inject(Injector);
  private readonly removal = inject(RowRemoval);
  private readonly toast = inject(Toast);
  readonly pane = input.required<Pane>();
  readonly place = input.required<Place>();
  readonly search = input('');
  readonly conditions = input<readonly string[]>([]);
  /** On which board it stands, and what is chosen in the filters there. */
  readonly on = input<Narrowing | null>(null);
  /** How it is looked at, where somebody has kept that. */
  readonly view = input<GridView | null>(null);
  /** Whether what is asked now is kept with how it is looked at. */
  readonly keepsConditions = input(true);
  /** Whether a card is opened on a screen of its own, and a record begun there. */
  readonly opens = input(false, { transform: booleanAttribute });
  readonly begins = input(false, { transform: booleanAttribute });
  readonly chosen = output<RowKey | null>();
  readonly opened = output<RowKey>();
  readonly counted = output<number>();
  readonly viewed = output();
  readonly saved = output<{ readonly text: string; readonly entry: number }>();
  /** Alt with an arrow leads to the list behind. */
  readonly left = output<1 | -1>();
  /** A record is to be begun that holds this, by field id. */
  readonly begun = output<Readonly<Record<string, string | number | boolean>>>();

  readonly table = computed((): Table =>
    this.place().design.tables.find(({ id }) => id === this.pane().form.table)!,
  );
  /** The field whose values are the columns. */
  readonly field = computed((): Field => lanesBy(this.pane().form, this.table())!);
  readonly columns = computed((): Column[] => cardColumns(this.pane().form, this.field()));
  /** Whether cards can be put elsewhere at all. */
  readonly moves = computed(() => {
    const { parts, rights } = this.pane().form;
    return (
      rights.change &&
      cellsOf(parts).some(({ field, people }) => field === this.field().id && people === 'type')
    );
  });
  readonly stacks = signal<readonly Stack[]>([]);
  /** Columns that are shown: one for what holds none of the values only where there is some. */
  readonly shown = computed(() =>
    this.stacks().filter(({ lane, total }) => lane.value !== undefined || (total ?? 0) > 0),
  );
  /** Why a card was not moved, or not deleted; and why what is shown could not be read. */
  readonly problem = signal('');
  readonly unread = signal('');
  /** Whether its columns are not known yet. */
  readonly isReading = signal(true);
  /** The ids of cards whose move is being saved. */
  readonly moving = signal<ReadonlySet<string>>(new Set());
  /** The id of the card with the cursor. */
  readonly at = signal('');
  /** The ids of the cards to which the Tab key goes, one of each column: that with the cursor, or the first. */
  readonly entries = computed(
    () =>
      new Set(
        this.shown().flatMap(({ cards }) =>
          cards.some(({ id }) => id === this.at()) ? this.at() : (cards[0]?.id ?? []),
        ),
      ),
  );
  private readonly sort = signal<readonly SortBy[]>([]);
  readonly orders = computed((): Option[] => [
    { id: AS_BUILT, label: 'that of the screen' },
    ...this.sortable().flatMap(({ id, label }) => [
      { id: `${id} up`, label },
      { id: `${id} down`, label: `${label}, last first` },
    ]),
  ]);
  readonly order = computed(() => {
    const [by] = this.sort();
    return by ? `${by.field} ${by.descending ? 'down' : 'up'}` : AS_BUILT;
  });
  private readonly sortable = computed((): Field[] =>
    this.columns().flatMap((column) => {
      const field = column.part === 'cell' ? fieldOf(this.table(), column.field) : undefined;
      const isPlain = field && isStored(field) && field.type.kind !== 'picture' && field.type.kind !== 'file';
      return isPlain && column.part === 'cell' && column.hideIf === undefined ? [field] : [];
    }),
  );
  /** Moves that are being saved. */
  private readonly saves = new Set<Promise<boolean>>();
  private readonly readings = new Subject<void>();
  private isFirst = true;
  private isEntered = false;
  /** The ids of the cards beside one that is moved. */
  private beside: readonly string[] = [];
  /** Whether it is being read, and whether something has happened since that began. */
  private isBusy = false;
  private isBehind = false;

  constructor() {
    effect(() => {
      const view = this.view();
      untracked(() => {
        const known = new Set(this.sortable().map(({ id }) => id));
        this.sort.set((view?.sort ?? []).filter(({ field }) => known.has(field)).slice(0, 1));
      });
    });
    effect(() => {
      this.search();
      this.conditions();
      this.on();
      this.sort();
      this.field();
      untracked(() => {
        // Among other cards the first is picked again.
        this.isFirst = true;
        this.stacks.set([]);
        this.isReading.set(true);
        this.readings.next();
      });
    });
    this.readings
      .pipe(
        tap(() => (this.isBusy = true)),
        switchMap(() =>
          this.values().pipe(
            switchMap((values) => this.readAll(lanesOf(this.field(), values))),
            catchError((error: unknown) => {
              this.isReading.set(false);
              this.unread.set(problemOf(error).detail);
              return EMPTY;
            }),
            tap({ complete: () => this.readOn() }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe();
  }

  /** The values that have a column of their own. */
  private values(): Observable<readonly LaneValue[]> {
    const named = namedValues(this.field(), this.locale());
    if (named) return from([named]);
    return this.place()
      .fetch(this.field().id, { search: '', row: null })
      .pipe(map((choices) => choices.map(([key, text]) => [key, text] as const)));
  }

  /** Reads all columns, as much of each as was read before. */
  private readAll(lanes: readonly Lane[]): Observable<unknown> {
    const known = new Map(this.stacks().map((stack) => [stack.lane.id, stack]));
    const empty = { cards: [], total: null };
    this.stacks.set(lanes.map((lane) => ({ ...(known.get(lane.id) ?? empty), lane })));
    this.isReading.set(false);
    // One after another: the server has a process at hand for one, and starts others for more at once.
    return from(lanes).pipe(
      concatMap((lane) => {
        const cards = known.get(lane.id)?.cards.length ?? 0;
        return this.read(lane, Math.max(PAGE, Math.ceil(cards / PAGE) * PAGE));
      }),
      tap({ complete: () => this.allRead() }),
    );
  }

  /** Reads the first rows of a column, in place of what was read before. */
  private read(lane: Lane, most: number): Observable<unknown> {
    const starts = Array.from({ length: Math.ceil(most / MOST_READ) }, (_, i) => i * MOST_READ);
    const pages = starts.map((start) =>
      this.api.page(this.desk.file, this.place().screen, {
        path: [],
        parent: null,
        start,
        limit: Math.min(MOST_READ, most - start),
        search: this.search(),
        conditions: [...this.conditions(), lane.condition],
        on: this.on(),
        sort: this.sort(),
      }),
    );
    return forkJoin(pages).pipe(
      map((read) => {
        const cards = read.flatMap(({ rows }) => rows.map((row) => this.card(row)));
        this.put(lane, { cards, total: read[0]!.total });
      }),
    );
  }

  private put({ id }: Lane, read: Omit<Stack, 'lane'>): void {
    this.stacks.update((all) => all.map((stack) => (stack.lane.id === id ? { ...stack, ...read } : stack)));
  }

  private allRead(): void {
    this.unread.set('');
    this.counted.emit(this.stacks().reduce((sum, { total }) => sum + (total ?? 0), 0));
    if (this.isEntered) this.enter();
    // A card that was moved may not be among those any more that are listed at all.
    const [beside] = this.beside.filter((id) => this.find(id));
    if (beside !== undefined && !this.find(this.at())) this.focus(beside);
    this.beside = [];
    if (!this.isFirst) return;
    this.isFirst = false;
    const first = this.shown().find(({ cards }) => cards.length > 0)?.cards[0];
    this.at.set(first?.id ?? '');
    this.chosen.emit(first?.read.key ?? null);
  }

  private card(read: RecordRow): Card {
    const { label } = this.table();
    const name = `${label} ${showKey(this.table(), read.key, this.locale())}`;
    return { id: rowId(read.key), read, state: this.stateOf(read), name };
  }

  private stateOf(record: RecordRow): RecordState {
    const { today } = this.desk.reading();
    const now = `${new Date().toISOString().slice(0, 19)}Z`;
    return new RecordState(this.place().design, this.pane().form, { record }, { today, now });
  }

  private locale() {
    return this.desk.reading().locale;
  }

  more({ lane, cards }: Stack): void {
    this.read(lane, cards.length + PAGE).subscribe({
      next: () => this.unread.set(''),
      error: (error: unknown) => this.unread.set(problemOf(error).detail),
    });
  }

  /** How many more can be read of a column. */
  restOf({ cards, total }: Stack): number {
    return Math.max(0, (total ?? 0) - cards.length);
  }

  colourOf({ value }: Lane): string {
    return choiceColour(this.field(), value);
  }

  /** Whether a card can be put elsewhere. */
  isMoved(card: Card): boolean {
    return this.moves() && !this.moving().has(card.id) && !isShut(card.state.record(), this.field().id);
  }

  /** The columns into which a card can be put. */
  targets(stack: Stack): Lane[] {
    return this.stacks().flatMap(({ lane }) =>
      lane.value !== undefined && lane.id !== stack.lane.id ? [lane] : [],
    );
  }

  readonly takes = (_: CdkDrag<Card>, { data }: CdkDropList<Stack>): boolean => data.lane.value !== undefined;

  dropped({ item, previousContainer, container }: CdkDragDrop<Stack, Stack, Card>): void {
    if (previousContainer !== container) void this.move(item.data, container.data.lane);
  }

  pick(card: Card): void {
    if (this.at() === card.id) return;
    this.at.set(card.id);
    this.chosen.emit(card.read.key);
  }

  open(card: Card): void {
    if (this.opens()) this.opened.emit(card.read.key);
  }

  begin({ value }: Lane): void {
    this.begun.emit(value === null || value === undefined ? {} : { [this.field().id]: value as string });
  }

  /** Puts a card into a column, and saves that: it goes back to where it was where it cannot be saved. */
  async move({ id }: Pick<Card, 'id'>, lane: Lane): Promise<boolean> {
    // As it has been read last: a menu may have been open for a while.
    const stack = this.stacks().find(({ cards }) => cards.some((card) => card.id === id));
    const card = stack?.cards.find((other) => other.id === id);
    if (!card || lane.value === undefined || !this.isMoved(card) || stack!.lane.id === lane.id) return false;
    const saving = this.save(card, stack!, lane, lane.value);
    this.saves.add(saving);
    try {
      return await saving;
    } finally {
      this.saves.delete(saving);
    }
  }

  private async save(
    card: Card,
    { lane: before, cards }: Stack,
    lane: Lane,
    value: NonNullable<Lane['value']> | null,
  ): Promise<boolean> {
    const state = this.stateOf(card.read);
    state.change(state.record(), this.field(), { value, text: value === null ? null : lane.label });
    this.problem.set('');
    this.moving.update((known) => new Set(known).add(card.id));
    const place = cards.findIndex(({ id }) => id === card.id);
    this.beside = [cards[place + 1], cards[place - 1]].flatMap((other) => other?.id ?? []);
    this.carry(card, before, lane);
    this.focus(card.id);
    try {
      if (!state.check()) return this.stays(card, before, lane, state.told()[0]?.words ?? '');
      const { changes } = state.changesToSave();
      // Somebody else has put it there meanwhile.
      if (changes.length === 0) return true;
      const request = { id: state.nameOf(changes), changes };
      const { entry } = await firstValueFrom(
        this.api.saveRecord(this.desk.file, this.place().screen, request),
      );
      this.renew(card, value, lane);
      this.saved.emit({ text: `${card.name} is in “${lane.label}” now.`, entry });
      return true;
    } catch (error) {
      return this.stays(card, before, lane, whatIsWrong(error));
    } finally {
      this.moving.update((known) => new Set([...known].filter((id) => id !== card.id)));
      this.refresh();
    }
  }

  /** The card holds what was saved, before it is read again: it may be moved on at once. */
  private renew(card: Card, value: NonNullable<Lane['value']> | null, { label }: Lane): void {
    const { id, type } = this.field();
    const cell =
      type.kind === 'lookup' && value !== null ? ([value as string | number, label] as const) : value;
    const read: RecordRow = { ...card.read, cells: { ...card.read.cells, [id]: cell as Cell } };
    this.stacks.update((all) =>
      all.map((stack) => ({
        ...stack,
        cards: stack.cards.map((other) => (other.id === card.id ? this.card(read) : other)),
      })),
    );
  }

  /** The card goes back, and it is said why. */
  private stays(card: Card, before: Lane, lane: Lane, why: string): false {
    this.carry(card, lane, before);
    this.focus(card.id);
    this.problem.set(`${card.name} stays in “${before.label}”. ${why}`);
    return false;
  }

  /** Shows a card in another column, at its head: where it belongs there is known once it has been read. */
  private carry(card: Card, from: Lane, to: Lane): void {
    this.stacks.update((all) =>
      all.map((stack) => {
        const total = stack.total ?? 0;
        const others = stack.cards.filter(({ id }) => id !== card.id);
        // What was read meanwhile may have it where it was, or is to be, already.
        const isThere = others.length < stack.cards.length;
        if (stack.lane.id === from.id) return { ...stack, cards: others, total: isThere ? total - 1 : total };
        return stack.lane.id === to.id
          ? { ...stack, cards: [card, ...others], total: isThere ? total : total + 1 }
          : stack;
      }),
    );
  }

  async remove(card: Card): Promise<void> {
    try {
      const { screen } = this.place();
      const named = (changes: readonly RowChange[]): string => card.state.nameOf(changes);
      const entry = await this.removal.remove(screen, this.table(), card.read.key, named);
      if (entry === null) return;
      this.saved.emit({ text: `${card.name} is deleted.`, entry });
      this.refresh();
    } catch (error) {
      this.problem.set(whatIsWrong(error));
    }
  }

  private find(id: string): At | null {
    for (const [stack, { cards }] of this.shown().entries()) {
      const card = cards.findIndex((other) => other.id === id);
      if (card >= 0) return { stack, card };
    }
    return null;
  }

  /** Puts the cursor on a card, once it is drawn. */
  private focus(id: string): void {
    this.at.set(id);
    afterNextRender(
      () => {
        const card = [...this.element.querySelectorAll<HTMLElement>('[data-card]')].find(
          (other) => other.dataset['card'] === id,
        );
        card?.focus();
        card?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
      },
      { injector: this.injector },
    );
  }

  key(event: KeyboardEvent, card: Card): void {
    const at = this.find(card.id);
    const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!at) return;
    if (event.altKey) {
      if (event.key !== 'ArrowDown' && event.key !== 'ArrowUp') return;
      event.preventDefault();
      this.left.emit(event.key === 'ArrowDown' ? 1 : -1);
      return;
    }
    const { cards } = this.shown()[at.stack]!;
    const to = (index: number): void => {
      event.preventDefault();
      const next = cards[Math.min(Math.max(0, index), cards.length - 1)];
      if (next) this.focus(next.id);
    };
    if (event.key === 'Enter') {
      event.preventDefault();
      this.open(card);
    } else if (event.key === 'ArrowDown') to(at.card + 1);
    else if (event.key === 'ArrowUp') to(at.card - 1);
    else if (event.key === 'Home') to(0);
    else if (event.key === 'End') to(cards.length - 1);
    else if (step !== undefined && event.ctrlKey) {
      event.preventDefault();
      this.step(card, at, step);
    } else if (step !== undefined) {
      event.preventDefault();
      const stacks = this.shown();
      for (let i = at.stack + step; i >= 0 && i < stacks.length; i += step) {
        const next = stacks[i]!.cards[Math.min(at.card, stacks[i]!.cards.length - 1)];
        if (next) return this.focus(next.id);
      }
    }
  }

  /** Puts a card into the next column that takes it. */
  private step(card: Card, { stack }: At, by: number): void {
    const lane = this.shown()
      .slice(...(by > 0 ? [stack + 1] : [0, stack]))
      .map((other) => other.lane)
      .filter(({ value }) => value !== undefined)
      .at(by > 0 ? 0 : -1);
    if (!this.isMoved(card)) void this.announcer.announce(`${card.name} cannot be moved.`);
    else if (lane) void this.move(card, lane);
    else void this.announcer.announce('There is no column on that side.');
  }

  reorder(id: string): void {
    const [field, way] = id.split(' ');
    this.sort.set(id === AS_BUILT ? [] : [{ field: field!, descending: way === 'down' }]);
    this.arranged();
  }

  refresh(): void {
    // What is begun is read to its end: where much happens, the last columns would else never be read.
    if (this.isBusy) this.isBehind = true;
    else this.readings.next();
  }

  private readOn(): void {
    this.isBusy = false;
    if (!this.isBehind) return;
    this.isBehind = false;
    this.readings.next();
  }

  enter(): void {
    // A card that is still read is no place for the cursor.
    this.isEntered = this.isReading() || this.stacks().some(({ total }) => total === null);
    const cards = this.shown().flatMap((stack) => stack.cards);
    const card = cards.find(({ id }) => id === this.at()) ?? cards[0];
    if (!this.isEntered && card) this.focus(card.id);
  }

  startNew(): boolean {
    if (!this.begins()) return false;
    this.begun.emit({});
    return true;
  }

  unsaved(): boolean {
    return this.saves.size > 0;
  }

  async saveAll(): Promise<boolean> {
    return (await Promise.all(this.saves)).every((isSaved) => isSaved);
  }

  /** Nothing is typed into cards: there is nothing to be set aside. */
  setAllAside(): void {
    this.problem.set('');
  }

  arranged(): void {
    this.viewed.emit();
    const { path } = this.pane();
    const request = { path, everyone: false, view: this.viewNow() };
    this.api.keepListView(this.desk.file, this.place().screen, request).subscribe({
      error: (error: unknown) => this.toast.problem(error),
    });
  }

  viewNow(): GridView {
    const view = this.view();
    return {
      columns: view?.columns ?? [],
      sort: [...this.sort()],
      conditions: this.keepsConditions() ? [...this.conditions()] : [...(view?.conditions ?? [])],
    };
  }
}
