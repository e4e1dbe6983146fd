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
} from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { Router } from '@angular/router';
import {
  boardSort,
  drawnPart,
  filtersFor,
  hasRows,
  isDrawn,
  isOnScreen,
  notePart,
  partLabel,
  putBeside,
  resized,
  screenPart,
  SPAN_LABELS,
  tableOn,
  waysFrom,
  wayTo,
  type RowsPart,
  type Span,
} from '@heathridge/core/board';
import {
  idOwners,
  idsUsed,
  listOf,
  MOST_ON_BOARD,
  type Board,
  type BoardFilter,
  type BoardPart,
} from '@heathridge/core/design';
import { formProblems } from '@heathridge/core/form';
import { DeskLine } from '../desk/desk-news.service';
import { DeskStore } from '../desk/desk.store';
import { SteppedPage } from '../file/stepped-page';
import { DetailsComponent } from '../frame/details.component';
import { DOCUMENT_PARTS } from '../frame/document-parts';
import type { Listed } from '../frame/documents.component';
import { TakingBack } from '../lists/taking-back.service';
import { newId } from '../shared/ids';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { LineComponent } from '../shared/line.component';
import { SelectComponent, type Option } from '../shared/select.component';
import { StripComponent } from '../shared/strip.component';
import { isTypedIn } from '../shared/typed-in';
import { BoardComponent, type Arranged } from './board.component';
import type { NewBoardDialog } from './new-board.dialog';

const WIDTHS = ([2, 3, 4, 6, 8, 12] as const).map((width) => [width as number, String(width)] as const);
/** A part is left alone by a filter; no field is called so. */
const ALONE = '-';
const newPart = (): string => newId('k');
const newFilter = (): string => newId('v');

/** Boards, designed on the real rows of the screens that stand on them. */
@Component({
  selector: 'hr-boards',
  imports: [
    BoardComponent,
    DetailsComponent,
    DOCUMENT_PARTS,
    LineComponent,
    MatButton,
    MatIconButton,
    MatIconModule,
    SelectComponent,
    StripComponent,
  ],
  providers: [DeskStore, DeskLine, TakingBack],
  host: { '(document:keydown)': 'keys($event)' },
  templateUrl: './boards.component.html',
  styleUrl: './boards.component.scss',
})
export class BoardsComponent extends SteppedPage<Board> {
  private readonly dialogs = inject(LazyDialogs);
  private readonly injector = inject(Injector);
  private readonly pages = inject(Router);
  private readonly canvas = viewChild(BoardComponent);
  readonly desk = inject(DeskStore);
  protected override readonly speech = { one: 'board', dropped: 'the screens on it stay as they are' };
  override readonly wanted = input<string | undefined>(undefined, { alias: 'board' });
  /** Set where the address asks for a new one. */
  readonly begins = input<string | undefined>(undefined, { alias: 'new' });
  readonly board = this.document;
  readonly isOnScreen = isOnScreen;
  readonly isDrawn = isDrawn;
  readonly hasRows = hasRows;
  readonly widths = WIDTHS;
  readonly most = MOST_ON_BOARD;
  readonly spans: Option<Span>[] = (Object.entries(SPAN_LABELS) as [Span, string][]).map(([id, label]) => ({
    id,
    label,
  }));
  /** The id of the part that is picked; empty for none. */
  readonly picked = signal('');
  readonly wrongHeight = signal('');
  readonly pickedPart = computed(() => this.board()?.parts.find(({ id }) => id === this.picked()) ?? null);
  readonly isFull = computed(() => (this.board()?.parts.length ?? 0) >= MOST_ON_BOARD);
  readonly problems = computed(() => {
    const board = this.board();
    return board ? boardSort.problems(this.store.design(), board) : [];
  });
  readonly screens = computed((): Option[] =>
    this.store.design().forms.map(({ id, label }) => ({ id, label })),
  );
  readonly queries = computed((): Option[] =>
    this.store.design().queries.map(({ id, label }) => ({ id, label })),
  );
  /** Queries whose groups can be laid out both ways. */
  readonly grouped = computed((): Option[] =>
    this.store
      .design()
      .queries.filter(({ group, written }) => group && !written)
      .map(({ id, label }) => ({ id, label })),
  );
  readonly forms = computed((): Listed[] =>
    this.store.design().forms.map((form) => ({
      id: form.id,
      label: form.label,
      warns: formProblems(this.store.design(), form).length > 0,
    })),
  );
  readonly listed = computed((): Listed[] =>
    this.all().map((board) => ({
      id: board.id,
      label: board.label,
      warns: boardSort.problems(this.store.design(), board).length > 0,
    })),
  );
  private readonly could = computed((): BoardFilter[] => {
    const board = this.board();
    return board && board.filters.length < 4 ? filtersFor(this.store.design(), board, newFilter) : [];
  });
  readonly offered = computed((): Option[] =>
    this.could().map(({ id, by, label }) => ({
      id,
      label: by === 'days' ? 'days, from … to …' : `one ${label.toLowerCase()}`,
    })),
  );

  constructor() {
    super();
    effect(() => {
      // Screens that were made or changed meanwhile are on the Desk at once.
      this.store.design();
      untracked(() => this.desk.open(this.store.file));
    });
    effect(() => {
      if (this.begins() !== undefined) untracked(() => this.make());
    });
    effect(() => {
      this.picked();
      untracked(() => this.wrongHeight.set(''));
    });
  }

  all(): readonly Board[] {
    return this.store.design().boards;
  }

  protected override shown(next: Board): void {
    if (!next.parts.some(({ id }) => id === this.picked())) this.picked.set('');
  }

  protected override take(board: Board): void {
    super.take(board);
    this.picked.set('');
  }

  override keys(event: KeyboardEvent): void {
    if (event.key === 'Delete' && (event.target as Element).matches('[data-part]') && this.pickedPart())
      this.takeOff();
    else if (event.key === 'Escape' && !isTypedIn(event.target) && !event.defaultPrevented)
      // Nothing is picked any more: the board as a whole is meant.
      this.picked.set('');
    else super.keys(event);
  }

  make(): void {
    const data = { design: this.store.design() };
    this.beginBy(() =>
      this.dialogs.open<NewBoardDialog, typeof data, Board>(
        () => import('./new-board.dialog').then((m) => m.NewBoardDialog),
        { data },
      ),
    );
  }

  openForm(screen: string): void {
    void this.pages.navigate(['/file', this.store.file, 'screens'], { queryParams: { screen } });
  }

  makeForm(): void {
    void this.pages.navigate(['/file', this.store.file, 'screens'], { queryParams: { new: 1 } });
  }

  labelOf(part: BoardPart): string {
    return partLabel(this.store.design(), part);
  }

  private setParts(parts: readonly BoardPart[]): void {
    this.set({ parts: [...parts] });
  }

  private put(part: BoardPart): void {
    this.setParts([...this.board()!.parts, part]);
    this.picked.set(part.id);
  }

  add(what: 'list' | 'number', screen: string): void {
    const form = this.store.design().forms.find(({ id }) => id === screen);
    if (form) this.put(screenPart(what, form, newPart()));
  }

  draw(what: 'chart' | 'pivot', id: string): void {
    const query = this.store.design().queries.find((other) => other.id === id);
    if (query) this.put(drawnPart(what, query, newPart()));
  }

  addNote(look: 'heading' | 'note'): void {
    this.put(notePart(look, newPart()));
  }

  /** Changes the part that is picked. */
  change(patch: object): void {
    this.setParts(
      this.board()!.parts.map((part) =>
        part.id === this.picked() ? ({ ...part, ...patch } as BoardPart) : part,
      ),
    );
  }

  /** Gives the part that is picked a name of its own, or, with an empty one, that of its screen. */
  call(text: string): void {
    const part = this.pickedPart();
    if (!part || !hasRows(part)) return;
    const { label: _, ...rest } = part;
    const label = text.trim();
    const named = label === '' ? rest : { ...rest, label };
    this.setParts(this.board()!.parts.map((other) => (other === part ? named : other)));
  }

  size(to: { readonly width?: number; readonly height?: number }): void {
    const part = this.pickedPart();
    if (part) this.change(resized(part, to));
  }

  typeHeight(text: string): void {
    const height = Number(text);
    const fits = Number.isInteger(height) && height >= 1 && height <= 30;
    this.wrongHeight.set(fits ? '' : 'A height is a whole number from 1 to 30.');
    if (fits) this.size({ height });
  }

  arrange(to: Arranged): void {
    const { parts } = this.board()!;
    this.setParts(
      'beside' in to
        ? putBeside(parts, to.id, to.beside, to.side)
        : parts.map((part) => (part.id === to.id ? resized(part, to) : part)),
    );
  }

  takeOff(): void {
    const { parts, filters } = this.board()!;
    const id = this.picked();
    const at = parts.findIndex((part) => part.id === id);
    const next = parts[at + 1] ?? parts[at - 1];
    this.set({
      parts: parts.filter((part) => part.id !== id),
      filters: filters.map((filter) => ({ ...filter, ways: filter.ways.filter(({ part }) => part !== id) })),
    });
    // The cursor goes on to what stands beside it.
    if (next) afterNextRender(() => this.canvas()?.enter(next.id), { injector: this.injector });
  }

  addFilter(id: string): void {
    const filter = this.could().find((other) => other.id === id);
    if (filter) this.set({ filters: [...this.board()!.filters, filter] });
  }

  setFilter({ id }: BoardFilter, patch: object): void {
    this.set({
      filters: this.board()!.filters.map((filter) =>
        filter.id === id ? ({ ...filter, ...patch } as BoardFilter) : filter,
      ),
    });
  }

  dropFilter({ id }: BoardFilter): void {
    this.set({ filters: this.board()!.filters.filter((filter) => filter.id !== id) });
  }

  /** `Late back by player; the others it leaves alone.` */
  reachOf(filter: BoardFilter): string {
    const parts = this.board()!.parts.filter(hasRows);
    const reached = parts.filter((part) => wayTo(this.store.design(), filter, part) !== null);
    if (reached.length === 0) return 'It narrows nothing here: no link leads there.';
    if (reached.length === parts.length) return 'It narrows every part.';
    const labels = [...new Set(reached.map((part) => this.labelOf(part)))];
    return `It narrows ${listOf(labels)}, and leaves the others alone.`;
  }

  /** By what a filter could narrow a part. */
  waysOf(filter: BoardFilter, part: RowsPart): Option[] {
    const design = this.store.design();
    const table = tableOn(design, part);
    const ways = table ? waysFrom(design, filter, table) : [];
    return [
      ...ways.map(({ ids, label }) => ({ id: ids.join('/'), label: `by ${label.toLowerCase()}` })),
      { id: ALONE, label: 'not at all' },
    ];
  }

  wayOf(filter: BoardFilter, part: RowsPart): string {
    return wayTo(this.store.design(), filter, part)?.join('/') ?? ALONE;
  }

  setWay(filter: BoardFilter, { id }: RowsPart, choice: string): void {
    const way = choice === ALONE ? null : choice.split('/');
    this.setFilter(filter, { ways: [...filter.ways.filter(({ part }) => part !== id), { part: id, way }] });
  }

  /** Takes out what names something that is no longer there. */
  mend(): void {
    const board = this.board();
    if (!board) return;
    const known = new Set(idOwners(this.store.design()).map(({ id }) => id));
    const own = new Set([board, ...board.parts, ...board.filters].map(({ id }) => id));
    const gone = [...idsUsed(board)].filter(
      (id) => /^[a-z]{1,3}_\w+$/.test(id) && !known.has(id) && !own.has(id),
    );
    const mended = boardSort.without(board, new Set(gone));
    if (mended) this.replace(mended);
  }
}
