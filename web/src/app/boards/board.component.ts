import { LiveAnnouncer } from '@angular/cdk/a11y';
import { CdkDrag, CdkDragHandle, CdkDropList, type CdkDragDrop } from '@angular/cdk/drag-drop';
import {
  afterNextRender,
  booleanAttribute,
  Component,
  computed,
  ElementRef,
  inject,
  Injector,
  input,
  output,
  viewChildren,
} from '@angular/core';
import {
  isDrawn,
  isOnScreen,
  resized,
  type Chosen,
  type DrawnPart,
  type Narrowing,
  type ScreenPart,
} from '@heathridge/core/board';
import type { Board, BoardPart, Query } from '@heathridge/core/design';
import type { Answers } from '@heathridge/core/query';
import { DeskStore } from '../desk/desk.store';
import type { ListView } from '../lists/list-view';
import type { BoardInfo } from '../shared/api.service';
import { BoardDrawnComponent, type Drawing } from './board-drawn.component';
import { BoardListComponent } from './board-list.component';
import { BoardNumberComponent } from './board-number.component';

/** Columns of the grid on which parts lie. */
const COLUMNS = 12;

/** A part is to stand elsewhere, or to have another size. */
export type Arranged =
  | { readonly id: string; readonly beside: string; readonly side: 'before' | 'behind' }
  | { readonly id: string; readonly width: number; readonly height: number };

/** The parts of a board on its grid: to be used; or, while it is designed, to be picked, moved and sized. */
@Component({
  selector: 'hr-board',
  imports: [
    BoardDrawnComponent,
    BoardListComponent,
    BoardNumberComponent,
    CdkDrag,
    CdkDragHandle,
    CdkDropList,
  ],
  template: `
    <div
      class="grid"
      cdkDropList
      cdkDropListOrientation="mixed"
      [cdkDropListDisabled]="!designing()"
      (cdkDropListDropped)="dropped($event)"
    >
      @for (part of board().parts; track part.id) {
        <section
          cdkDrag
          class="part {{ part.part }}"
          [cdkDragDisabled]="!designing()"
          [class.picked]="part.id === picked()"
          [class.plain]="part.part === 'note'"
          [style.--span]="part.width"
          [style.--high]="part.height"
          [attr.aria-label]="labelOf(part)"
        >
          @if (designing()) {
            <div
              cdkDragHandle
              class="pick"
              role="button"
              tabindex="0"
              [attr.data-part]="part.id"
              [attr.aria-pressed]="part.id === picked()"
              [attr.aria-label]="labelOf(part)"
              (click)="partPicked.emit(part.id)"
              (keydown)="key($event, part)"
            ></div>
            <span class="edge" aria-hidden="true" (pointerdown)="sized($event, part)"></span>
          }
          <div class="inside" [attr.inert]="designing() ? '' : null">
            @switch (part.part) {
              @case ('note') {
                @if (part.look === 'heading') {
                  <h2 dir="auto">{{ part.text }}</h2>
                } @else {
                  <p dir="auto">{{ part.text }}</p>
                }
              }
              @case ('number') {
                <hr-board-number
                  [part]="asScreen(part)"
                  [label]="labelOf(part)"
                  [on]="narrowing().get(part.id)!"
                />
              }
              @case ('chart') {
                <hr-board-drawn
                  [part]="asDrawn(part)"
                  [label]="labelOf(part)"
                  [on]="drawings().get(part.id)!"
                />
              }
              @case ('pivot') {
                <hr-board-drawn
                  [part]="asDrawn(part)"
                  [label]="labelOf(part)"
                  [on]="drawings().get(part.id)!"
                />
              }
              @case ('list') {
                <hr-board-list
                  [part]="asScreen(part)"
                  [label]="labelOf(part)"
                  [on]="narrowing().get(part.id)!"
                  [given]="given().get(part.id)!"
                />
              }
            }
          </div>
        </section>
      }
    </div>
  `,
  styleUrl: './board.component.scss',
})
export class BoardComponent {
  private readonly announcer = inject(LiveAnnouncer);
  private readonly desk = inject(DeskStore);
  private readonly injector = inject(Injector);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  readonly board = input.required<Board>();
  readonly chosen = input<readonly Chosen[]>([]);
  /** What the queries of its parts ask, and the answers. */
  readonly questions = input<BoardInfo['asked']>([]);
  readonly answers = input<Answers>({});
  readonly designing = input(false, { transform: booleanAttribute });
  /** The id of the part that is picked. */
  readonly picked = input('');
  /** The queries of the file, while it is designed: nobody else need know them. */
  readonly queries = input<readonly Query[]>([]);
  readonly partPicked = output<string>();
  readonly arranged = output<Arranged>();
  private readonly parts = viewChildren(BoardListComponent);

  /** What each part is asked with: only what narrows it, so that nothing else is read anew. */
  readonly narrowing = computed((): ReadonlyMap<string, Narrowing | null> => {
    const [{ id: board, parts, filters }, chosen] = [this.board(), this.chosen()];
    return new Map(
      parts.map((part) => {
        const own = chosen.filter(({ filter: id, key, from, to }) => {
          const way = filters
            .find((filter) => filter.id === id)
            ?.ways.find((other) => other.part === part.id)?.way;
          return way && (key !== null || from !== null || to !== null);
        });
        return [
          part.id,
          own.length > 0 && !this.designing() ? this.same({ board, part: part.id, chosen: own }) : null,
        ];
      }),
    );
  });
  /** What a row begun in a part holds by the filters: the row that is chosen, where it leads there itself. */
  readonly given = computed((): ReadonlyMap<string, Readonly<Record<string, string | number>>> => {
    const [{ parts, filters }, chosen] = [this.board(), this.chosen()];
    const held = (part: string): [string, string | number][] =>
      filters.flatMap(({ id, ways }) => {
        const key = chosen.find(({ filter }) => filter === id)?.key ?? null;
        const way = ways.find((other) => other.part === part)?.way;
        return key !== null && way?.length === 1 ? [[way[0]!, key] as [string, string | number]] : [];
      });
    return new Map(parts.map(({ id }) => [id, Object.fromEntries(held(id))]));
  });
  /** What each chart and pivot is asked with: the same object for the same question. */
  readonly drawings = computed((): ReadonlyMap<string, Drawing> => {
    const { id: board, parts } = this.board();
    return new Map(
      parts.filter(isDrawn).map((part) => {
        const narrowed = this.narrowing().get(part.id);
        const query = this.queries().find(({ id }) => id === part.query) ?? null;
        const answers = Object.fromEntries(
          Object.entries(this.answers()).filter(([id]) => this.isAskedBy(part.id, id)),
        );
        const chosen = narrowed?.chosen ?? [];
        const asked = { board, part: part.id, of: part.query, query, chosen, answers };
        const known = this.drawn.get(part.id);
        if (known && JSON.stringify(known) === JSON.stringify(asked)) return [part.id, known];
        this.drawn.set(part.id, asked);
        return [part.id, asked];
      }),
    );
  });
  private readonly drawn = new Map<string, Drawing & { readonly of: string }>();
  private readonly asked = new Map<string, Narrowing>();

  private isAskedBy(part: string, question: string): boolean {
    return this.questions().some(({ parts, asked }) => asked.id === question && parts.includes(part));
  }

  /** The same object for the same question: what hangs on it is then not asked again. */
  private same(asked: Narrowing): Narrowing {
    const known = this.asked.get(asked.part);
    if (known && JSON.stringify(known) === JSON.stringify(asked)) return known;
    this.asked.set(asked.part, asked);
    return asked;
  }

  labelOf(part: BoardPart): string {
    if (isDrawn(part))
      return (
        part.label ?? this.queries().find(({ id }) => id === part.query)?.label ?? 'A query that is gone'
      );
    if (!isOnScreen(part)) return part.text;
    const screen = this.desk.info()?.screens.find(({ id }) => id === part.screen);
    return part.label ?? screen?.label ?? 'A screen that is gone';
  }

  asDrawn(part: BoardPart): DrawnPart {
    return part as DrawnPart;
  }

  asScreen(part: BoardPart): ScreenPart {
    return part as ScreenPart;
  }

  /** The lists on it, as what may hold changes. */
  lists(): readonly ListView[] {
    return this.parts().flatMap((part) => part.list() ?? []);
  }

  dropped({ previousIndex, currentIndex }: CdkDragDrop<unknown>): void {
    const { parts } = this.board();
    const [part, other] = [parts[previousIndex], parts[currentIndex]];
    if (!part || !other || part === other) return;
    this.arranged.emit({
      id: part.id,
      beside: other.id,
      side: currentIndex > previousIndex ? 'behind' : 'before',
    });
  }

  /** Enter picks a part, Alt with an arrow moves it; with Shift too it makes it wider or narrower, higher or lower. */
  key(event: KeyboardEvent, part: BoardPart): void {
    if (event.key === 'Enter' || event.key === ' ') {
      event.preventDefault();
      this.partPicked.emit(part.id);
      return;
    }
    const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!event.altKey || !step) return;
    event.preventDefault();
    const [across, down] = step as [number, number];
    const { width, height } = resized(part, { width: part.width + across, height: part.height + down });
    if (event.shiftKey) {
      this.arranged.emit({ id: part.id, width, height });
      this.tell(`${this.labelOf(part)} is ${width} of ${COLUMNS} wide and ${height} high.`);
      return;
    }
    const { parts } = this.board();
    const by = across + down;
    const to = parts.indexOf(part) + by;
    const other = parts[to];
    if (!other) return;
    this.arranged.emit({ id: part.id, beside: other.id, side: by > 0 ? 'behind' : 'before' });
    this.tell(`${this.labelOf(part)} is number ${to + 1} of ${parts.length}.`);
    // What is put elsewhere in the page loses the cursor.
    afterNextRender(() => this.enter(part.id), { injector: this.injector });
  }

  private tell(words: string): void {
    void this.announcer.announce(words);
  }

  /** Puts the cursor onto a part that is designed. */
  enter(id: string): void {
    this.element.querySelector<HTMLElement>(`[data-part="${id}"]`)?.focus();
  }

  /** Makes a part wider or narrower, higher or lower, by its corner. */
  sized(event: PointerEvent, part: BoardPart): void {
    if (event.button !== 0) return;
    // It is not dragged then.
    event.preventDefault();
    event.stopPropagation();
    const grid = this.element.querySelector<HTMLElement>('.grid')!;
    const section = (event.target as Element).closest('section')!;
    const style = getComputedStyle(grid);
    const [gap, step] = [parseFloat(style.rowGap), parseFloat(style.gridAutoRows)];
    const column = (grid.getBoundingClientRect().width + gap) / COLUMNS;
    const { left, top } = section.getBoundingClientRect();
    let now = resized(part, {});
    const abort = new AbortController();
    const { signal } = abort;
    document.addEventListener(
      'pointermove',
      ({ clientX, clientY }) => {
        now = resized(part, { width: (clientX - left) / column, height: (clientY - top) / (step + gap) });
        section.style.setProperty('--span', String(now.width));
        section.style.setProperty('--high', String(now.height));
      },
      { signal },
    );
    const end = (): void => {
      abort.abort();
      const { id, width, height } = now;
      if (width !== part.width || height !== part.height) this.arranged.emit({ id, width, height });
    };
    document.addEventListener('pointerup', end, { signal });
    document.addEventListener('pointercancel', end, { signal });
  }
}
