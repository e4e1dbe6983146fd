import type { ElementRef } from '@angular/core';
import {
  Component,
  computed,
  effect,
  inject,
  input,
  output,
  signal,
  untracked,
  viewChild,
  type AfterViewInit,
} from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { drag, select, zoom, zoomIdentity, type D3DragEvent, type D3ZoomEvent, type ZoomTransform } from 'd3';
import { MatDivider } from '@angular/material/divider';
import { MatIconModule } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import { MatTooltipModule } from '@angular/material/tooltip';
import {
  allLinks,
  linksFrom,
  linkWords,
  mapSvg,
  type Design,
  type Link,
  type MapDrawing,
  type Table,
} from '@heathridge/core/design';
import { Api, type Cards, type Place } from '../shared/api.service';
import { download } from '../shared/download';
import { Toast } from '../shared/toast.service';
import { LayoutService } from './layout.service';
import { linkPaths, type Box, type LinkShape } from './link-path';
import { apart } from './apart';
import { nextCard } from './map-keys';
import { LineComponent } from '../shared/line.component';

const WIDTH = 186;
const HEAD = 34;
const LINE = 20;
const FOOT = 28;
/** Lines on a card before the rest is only counted. */
const MOST_LINES = { names: 0, keys: 6, fields: 24 } as const;
/** Tables up to which their cards show all fields unless somebody chooses otherwise. */
const MOST_WITH_FIELDS = 12;
const SHOWING: readonly (readonly [Cards, string])[] = [
  ['names', 'Cards: names only'],
  ['keys', 'Cards: keys and links'],
  ['fields', 'Cards: all fields'],
];
/** The scale below which only names can be read. */
const FAR = 0.55;
/** Pixels around the cards when all are shown: at both sides, and above and below for the tools. */
const [BESIDE, ABOVE] = [48, 130];

interface Line {
  readonly text: string;
  readonly link: boolean;
}

interface Card extends Box {
  readonly table: Table;
  readonly lines: readonly Line[];
}

interface Point {
  readonly x: number;
  readonly y: number;
}

interface DrawnLink {
  readonly link: Link;
  readonly shape: LinkShape;
  readonly words: string;
}

/** The map of tables and links: pan, zoom, drag cards, link by dragging, search, print. */
@Component({
  selector: 'hr-map',
  imports: [
    MatButton,
    MatIconButton,
    MatDivider,
    MatIconModule,
    MatMenuModule,
    MatTooltipModule,
    LineComponent,
  ],
  template: `
    <div
      class="map"
      #map
      role="group"
      [attr.aria-label]="'Map of ' + faces().length + ' tables'"
      (focusin)="keyed.set(byKeys($any($event.target)))"
      (focusout)="keyed.set(false)"
    >
      <div class="layer" [class.far]="far()" [style.--near]="near()" [style.transform]="transform()">
        <svg class="links" width="1" height="1" role="group" aria-label="Links">
          @for (drawn of links(); track drawn.link.id) {
            <g
              class="link"
              role="button"
              tabindex="-1"
              [attr.data-link]="drawn.link.id"
              [attr.aria-label]="drawn.words"
              [class.picked]="pickedLink() === drawn.link.id"
              (click)="linkPicked.emit(drawn.link)"
              (keydown)="linkKey($event, drawn.link)"
            >
              <path class="hit" [attr.d]="drawn.shape.path" />
              <path class="line" [attr.d]="drawn.shape.path" />
              <path class="line" [attr.d]="drawn.shape.one" />
              <path class="line" [attr.d]="drawn.shape.many" />
            </g>
          }
        </svg>
        @for (card of cards(); track card.table.id) {
          <div
            class="card-box"
            [class.picked]="card.table.id === picked()"
            [class.faded]="found() !== null && !found()!.has(card.table.id)"
            [class.target]="card.table.id === over()"
            [style.left.px]="card.x"
            [style.top.px]="card.y"
            [style.height.px]="card.height"
            [attr.data-table]="card.table.id"
          >
            <button
              class="face"
              type="button"
              [attr.tabindex]="card.table.id === stop() ? 0 : -1"
              [attr.aria-pressed]="card.table.id === picked()"
              aria-describedby="map-keys"
              (click)="tablePicked.emit(card.table.id)"
              (focus)="at.set(card.table.id)"
              (keydown)="cardKey($event, card)"
            >
              <strong class="cut" dir="auto">{{ card.table.label }}</strong>
              @for (line of card.lines; track $index) {
                <span class="cut" dir="auto" [class.link-line]="line.link">{{ line.text }}</span>
              }
              <span class="foot">{{ foot(card.table) }}</span>
            </button>
            <button
              matIconButton
              class="handle"
              type="button"
              tabindex="-1"
              matTooltip="Drag to another table to link them"
              [attr.aria-label]="'Link ' + card.table.label + ' to another table'"
              (click)="linkAsked.emit({ from: card.table.id, to: null })"
            >
              <mat-icon svgIcon="link" />
            </button>
          </div>
        }
        @if (rubber(); as line) {
          <svg class="links above" width="1" height="1" aria-hidden="true">
            <path class="rubber" [attr.d]="line" />
          </svg>
        }
      </div>
      <p class="keys" id="map-keys" [class.shown]="keyed()">
        Arrows go from card to card, <kbd>Page Down</kbd> to its links. <kbd>L</kbd> links it,
        <kbd>Alt</kbd> and an arrow move it.
      </p>
      <div class="tools">
        <hr-line
          class="find"
          type="search"
          placeholder="Find a table or field"
          about="Find a table or field on the map"
          [value]="search()"
          (typed)="search.set($event)"
          (keydown.enter)="goTo()"
        />
        <button matIconButton type="button" aria-label="Nearer" (click)="scale(1.25)">
          <mat-icon svgIcon="zoom_in" />
        </button>
        <button matIconButton type="button" aria-label="Farther" (click)="scale(0.8)">
          <mat-icon svgIcon="zoom_out" />
        </button>
        <button matButton="outlined" class="compact" type="button" (click)="fit()">Show all</button>
        <button matIconButton type="button" aria-label="More for the map" [matMenuTriggerFor]="menu">
          <mat-icon svgIcon="more_vert" />
        </button>
        <mat-menu #menu="matMenu">
          <button mat-menu-item type="button" (click)="arrange()">
            <mat-icon svgIcon="account_tree" />Lay it out along the links
          </button>
          <mat-divider />
          @for (choice of showing; track choice[0]) {
            <button
              mat-menu-item
              type="button"
              role="menuitemradio"
              [attr.aria-checked]="shows() === choice[0]"
              (click)="choose(choice[0])"
            >
              <mat-icon
                [svgIcon]="shows() === choice[0] ? 'radio_button_checked' : 'radio_button_unchecked'"
                aria-hidden="true"
              />{{ choice[1] }}
            </button>
          }
          <mat-divider />
          <button mat-menu-item type="button" (click)="printPdf()">
            <mat-icon svgIcon="picture_as_pdf" />Save as PDF
          </button>
          <button mat-menu-item type="button" (click)="printSvg()">
            <mat-icon svgIcon="image" />Save as SVG
          </button>
        </mat-menu>
      </div>
    </div>
  `,
  styleUrl: './map.component.scss',
})
export class MapComponent implements AfterViewInit {
  private readonly api = inject(Api);
  private readonly layout = inject(LayoutService);
  private readonly toast = inject(Toast);
  readonly design = input.required<Design>();
  readonly counts = input.required<Readonly<Record<string, number>>>();
  readonly places = input.required<readonly Place[]>();
  readonly title = input('');
  readonly file = input('');
  readonly picked = input<string | null>(null);
  readonly pickedLink = input<string | null>(null);
  readonly tablePicked = output<string>();
  readonly linkPicked = output<Link>();
  /** What the cards show; null while nobody has chosen. */
  readonly chosen = input<Cards | null>(null);
  readonly chosenChange = output<Cards>();
  /** Somebody wants to link two tables; `to` is null until it is chosen. */
  readonly linkAsked = output<{ readonly from: string; readonly to: string | null }>();
  readonly moved = output<readonly Place[]>();
  readonly showing = SHOWING;

  /** Somebody walks over the map by keys. */
  readonly keyed = signal(false);
  /** The card that holds the one Tab stop of the map, once one was reached. */
  readonly at = signal<string | null>(null);
  readonly stop = computed(() => {
    const faces = this.faces();
    const wanted = [this.at(), this.picked()].find((id) => faces.some(({ table }) => table.id === id));
    return wanted ?? faces[0]?.table.id ?? null;
  });

  private readonly host = viewChild.required<ElementRef<HTMLElement>>('map');
  private readonly view = signal<ZoomTransform>(zoomIdentity);
  private readonly local = signal<ReadonlyMap<string, Point>>(new Map());
  readonly search = signal('');
  readonly over = signal<string | null>(null);
  readonly rubber = signal<string | null>(null);
  private arranged = false;
  private readonly zooming = zoom<HTMLElement, unknown>()
    .scaleExtent([0.1, 2])
    .filter(
      (event: Event) =>
        !(event.target as HTMLElement).closest('.card-box, .tools, .link') || event.type === 'wheel',
    )
    .on('zoom', ({ transform }: D3ZoomEvent<HTMLElement, unknown>) => this.view.set(transform));

  readonly transform = computed(() => {
    const { x, y, k } = this.view();
    return `translate(${x}px, ${y}px) scale(${k})`;
  });

  readonly near = computed(() => Math.max(this.view().k, 0.1).toFixed(2));
  /** Too far away for what stands on the cards to be read. */
  readonly far = computed(() => this.view().k < FAR);

  /** What the cards show: while nobody has chosen, all fields where there is room for them. */
  readonly shows = computed(
    (): Cards => this.chosen() ?? (this.design().tables.length <= MOST_WITH_FIELDS ? 'fields' : 'keys'),
  );

  /** What stands on each card, and how large it is: changes with the design alone. */
  readonly faces = computed(() =>
    this.design().tables.map((table) => {
      const lines = linesOf(this.design(), table, this.shows());
      return { table, lines, width: WIDTH, height: HEAD + lines.length * LINE + FOOT + 8 };
    }),
  );

  readonly cards = computed((): Card[] => {
    const given = new Map(this.places().map(({ table, x, y }) => [table, { x, y }]));
    const free = freePlaces([...given.values(), ...this.local().values()]);
    return this.faces().map((face) => ({
      ...face,
      ...(this.local().get(face.table.id) ?? given.get(face.table.id) ?? free()),
    }));
  });

  private readonly allLinks = computed(() =>
    allLinks(this.design()).map((link) => ({ link, words: linkWords(link) })),
  );

  readonly links = computed((): DrawnLink[] => {
    const boxes = new Map(this.cards().map((card) => [card.table.id, card]));
    return drawn(this.allLinks(), boxes);
  });

  /** The tables that answer the search; null while nothing is searched. */
  readonly found = computed((): ReadonlySet<string> | null => {
    const text = this.search().trim().toLowerCase();
    if (text === '') return null;
    const has = (label: string): boolean => label.toLowerCase().includes(text);
    return new Set(
      this.design()
        .tables.filter(
          ({ label, name, fields }) => has(label) || has(name) || fields.some((field) => has(field.label)),
        )
        .map(({ id }) => id),
    );
  });

  constructor() {
    effect(() => {
      const { tables } = this.design();
      const places = this.places();
      // A design nobody has laid out yet, such as an adopted one, is laid out by itself.
      untracked(() => {
        if (tables.length > 6 && places.length === 0 && !this.arranged) this.arrange();
      });
    });
    // Cards that have grown, by a choice or by a field, cover no others.
    effect(() => {
      this.faces();
      this.places();
      untracked(() => {
        for (const { table, x, y } of apart(this.cards())) this.place(table.id, x, y);
      });
    });
  }

  ngAfterViewInit(): void {
    const node = this.host().nativeElement;
    select(node).call(this.zooming).on('dblclick.zoom', null);
    select(node).call(this.dragging(node));
    setTimeout(() => this.fit());
  }

  choose(cards: Cards): void {
    this.chosenChange.emit(cards);
    setTimeout(() => this.fit());
  }

  foot(table: Table): string {
    const count = this.counts()[table.id] ?? 0;
    return `${count.toLocaleString('en-GB')} ${count === 1 ? 'row' : 'rows'}`;
  }

  byKeys(target: HTMLElement): boolean {
    return target.closest('.layer') !== null && target.matches(':focus-visible');
  }

  cardKey(event: KeyboardEvent, card: Card): void {
    if (event.altKey) return this.nudge(event, card);
    if (event.ctrlKey || event.metaKey) return;
    const { key } = event;
    const next = nextCard(this.cards(), card, key);
    if (next) this.goToCard(next);
    else if (key === 'PageDown' || key === 'PageUp') this.goToLink(card.table.id, null, key === 'PageDown');
    else if (key.toLowerCase() === 'l') this.linkAsked.emit({ from: card.table.id, to: null });
    else if (!key.startsWith('Arrow')) return;
    event.preventDefault();
  }

  linkKey(event: KeyboardEvent, link: Link): void {
    const { key } = event;
    const card = this.stop();
    if (key === 'Enter' || key === ' ') this.linkPicked.emit(link);
    else if (card && (key === 'PageDown' || key === 'PageUp' || key.startsWith('Arrow')))
      this.goToLink(card, link.id, key === 'PageDown' || key === 'ArrowDown' || key === 'ArrowRight');
    else if (card && key === 'Escape') this.goToCard(this.cards().find(({ table }) => table.id === card)!);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** Goes to a link of a card: to the one behind (or before) another, round and round. */
  private goToLink(table: string, from: string | null, onwards: boolean): void {
    const own = this.links().filter(({ link }) => link.parent.id === table || link.child.id === table);
    if (own.length === 0) return;
    const here = own.findIndex(({ link }) => link.id === from);
    const next = onwards ? here + 1 : here <= 0 ? own.length - 1 : here - 1;
    const { id } = own[next % own.length]!.link;
    this.element(`[data-link="${CSS.escape(id)}"]`)?.focus({ preventScroll: true });
  }

  private goToCard(card: Card): void {
    this.show(card);
    this.element(`[data-table="${CSS.escape(card.table.id)}"] .face`)?.focus({ preventScroll: true });
  }

  private element(selector: string): HTMLElement | null {
    return this.host().nativeElement.querySelector<HTMLElement>(selector);
  }

  /** Moves the map just so far that a card can be seen. */
  private show(card: Card): void {
    const { x, y, k } = this.view();
    const { clientWidth, clientHeight } = this.host().nativeElement;
    const by = (from: number, to: number, room: number): number =>
      from < 24 ? 24 - from : to > room - 24 ? room - 24 - to : 0;
    const dx = by(card.x * k + x, (card.x + card.width) * k + x, clientWidth);
    const dy = by(card.y * k + y - 44, (card.y + card.height) * k + y, clientHeight);
    if (dx !== 0 || dy !== 0)
      select(this.host().nativeElement).call(this.zooming.translateBy, dx / k, dy / k);
  }

  /** Alt and an arrow key move a card, for those who do not drag. */
  private nudge(event: KeyboardEvent, card: Card): void {
    const step = { ArrowLeft: [-20, 0], ArrowRight: [20, 0], ArrowUp: [0, -20], ArrowDown: [0, 20] }[
      event.key
    ];
    if (!step) return;
    event.preventDefault();
    const place = { table: card.table.id, x: card.x + step[0]!, y: card.y + step[1]! };
    this.place(place.table, place.x, place.y);
    this.moved.emit([place]);
  }

  scale(factor: number): void {
    select(this.host().nativeElement).call(this.zooming.scaleBy, factor);
  }

  /** Brings all cards into view, never larger than life. */
  fit(): void {
    const cards = this.cards();
    if (cards.length === 0) return;
    const { clientWidth, clientHeight } = this.host().nativeElement;
    const { left, top, right, bottom } = extent(cards);
    const k = Math.min(1, (clientWidth - BESIDE) / (right - left), (clientHeight - ABOVE) / (bottom - top));
    const transform = zoomIdentity
      .translate(
        (clientWidth - (right - left) * k) / 2 - left * k,
        66 - top * k + Math.max(0, (clientHeight - ABOVE - (bottom - top) * k) / 2),
      )
      .scale(k);
    select(this.host().nativeElement).call(this.zooming.transform, transform);
  }

  /** Goes to the first table that answers the search. */
  goTo(): void {
    const found = this.found();
    const card = found && this.cards().find(({ table }) => found.has(table.id));
    if (!card) return;
    const { clientWidth, clientHeight } = this.host().nativeElement;
    const k = Math.max(this.view().k, 0.8);
    const transform = zoomIdentity
      .translate(
        clientWidth / 2 - (card.x + card.width / 2) * k,
        clientHeight / 2 - (card.y + card.height / 2) * k,
      )
      .scale(k);
    select(this.host().nativeElement).call(this.zooming.transform, transform);
    this.tablePicked.emit(card.table.id);
  }

  /** Lays all cards out anew along the links, and remembers where they lie. */
  arrange(): void {
    this.arranged = true;
    const { clientWidth = 0, clientHeight = 0 } = this.host?.()?.nativeElement ?? {};
    // A map that is hidden has no size yet.
    const [width, height] = [Math.max(clientWidth, 480) - BESIDE, Math.max(clientHeight, 400) - ABOVE];
    const request = {
      cards: this.faces().map((face) => ({ id: face.table.id, width: face.width, height: face.height })),
      links: this.allLinks().map(({ link }) => ({ from: link.parent.id, to: link.child.id })),
      height,
      aspect: width / height,
    };
    this.layout.layOut(request).subscribe({
      next: (places) => {
        this.local.set(new Map(places.map(({ table, x, y }) => [table, { x, y }])));
        this.moved.emit(places);
        setTimeout(() => this.fit());
      },
      error: () => this.toast.say('The map could not be laid out. The cards stay where they are.'),
    });
  }

  printSvg(): void {
    download(new Blob([mapSvg(this.drawing())], { type: 'image/svg+xml' }), `${this.title() || 'map'}.svg`);
  }

  printPdf(): void {
    this.api.mapPdf(this.file(), this.drawing()).subscribe({
      next: (blob) => download(blob, `${this.title() || 'map'}.pdf`),
      error: (error: unknown) => this.toast.problem(error),
    });
  }

  /** The map as it is drawn, moved to the corner of its sheet. */
  drawing(): MapDrawing {
    const margin = 24;
    const { left, top, right, bottom } = extent(this.cards());
    const [dx, dy] = [margin - left, margin - top];
    const moved = (box: Card): Card => ({ ...box, x: box.x + dx, y: box.y + dy });
    const boxes = new Map(this.cards().map((card) => [card.table.id, moved(card)]));
    const links = drawn(this.allLinks(), boxes).flatMap(({ shape }) => [shape.path, shape.one, shape.many]);
    return {
      title: this.title() || 'Map of tables',
      width: right - left + 2 * margin,
      height: bottom - top + 2 * margin,
      cards: [...boxes.values()].map(({ x, y, width, height, table, lines }) => ({
        x,
        y,
        width,
        height,
        title: table.label,
        lines: lines.map((line) => ({ ...line })),
        foot: this.foot(table),
      })),
      links,
    };
  }

  private place(table: string, x: number, y: number): void {
    this.local.update((known) => new Map(known).set(table, { x, y }));
  }

  private cardAt(event: { clientX: number; clientY: number }): string | null {
    const element = document.elementFromPoint(event.clientX, event.clientY);
    return element?.closest<HTMLElement>('.card-box')?.dataset['table'] ?? null;
  }

  /** One drag for all cards: a card by its face moves, by its handle it draws a link. */
  private dragging(host: HTMLElement) {
    interface Subject extends Point {
      readonly id: string;
      readonly linking: boolean;
    }
    type Event = D3DragEvent<HTMLElement, unknown, Subject>;
    return drag<HTMLElement, unknown, Subject>()
      .container(() => host)
      .clickDistance(4)
      .filter(
        (event: MouseEvent) => event.button === 0 && (event.target as Element).closest('.card-box') !== null,
      )
      .subject((event: Event) => {
        const source = event.sourceEvent as MouseEvent;
        const target = source.target as Element;
        return {
          id: target.closest<HTMLElement>('.card-box')!.dataset['table']!,
          linking: target.closest('.handle') !== null,
          x: event.x,
          y: event.y,
        };
      })
      .on('drag', (event: Event) => {
        const card = this.cards().find(({ table }) => table.id === event.subject.id);
        if (!card) return;
        const { k } = this.view();
        if (event.subject.linking) {
          const [x, y] = this.view().invert([event.x, event.y]);
          this.rubber.set(`M${card.x + card.width - 18} ${card.y + 18}L${x} ${y}`);
          this.over.set(this.cardAt(event.sourceEvent as MouseEvent));
        } else this.place(card.table.id, card.x + event.dx / k, card.y + event.dy / k);
      })
      .on('end', (event: Event) => {
        const { id, linking } = event.subject;
        if (linking) {
          const to = this.rubber() === null ? null : this.over();
          this.rubber.set(null);
          this.over.set(null);
          if (to) this.linkAsked.emit({ from: id, to });
          return;
        }
        const point = this.local().get(id);
        if (point) this.moved.emit([{ table: id, ...point }]);
      });
  }
}

/** What stands on the card of a table below its name. */
function linesOf(design: Design, table: Table, shows: Cards): readonly Line[] {
  const isKey = (id: string): boolean => table.key.includes(id);
  const keys = table.fields
    .filter(({ id, type }) => isKey(id) && type.kind !== 'lookup')
    .map(({ label }) => ({ text: `№ ${label}`, link: false }));
  const links = linksFrom(design, table).map(({ label }) => ({ text: `→ ${label}`, link: true }));
  const others = table.fields
    .filter(({ id, type }) => !isKey(id) && type.kind !== 'lookup')
    .map(({ label }) => ({ text: label, link: false }));
  const all = { names: [], keys: [...keys, ...links], fields: [...keys, ...links, ...others] }[shows];
  const most = MOST_LINES[shows];
  if (all.length <= most) return all;
  const rest = all.length - most + 1;
  return [...all.slice(0, most - 1), { text: `+ ${rest} more`, link: false }];
}

/** The links between cards that are there, each with its shape. */
function drawn(
  links: readonly { readonly link: Link; readonly words: string }[],
  boxes: ReadonlyMap<string, Box>,
): DrawnLink[] {
  const known = links.flatMap(({ link, words }) => {
    const [one, many] = [boxes.get(link.parent.id), boxes.get(link.child.id)];
    return one && many
      ? [{ link, words, ends: { one, many, optional: !link.required, single: link.single } }]
      : [];
  });
  const shapes = linkPaths(known.map(({ ends }) => ends));
  return known.map(({ link, words }, i) => ({ link, words, shape: shapes[i]! }));
}

function extent(cards: readonly Box[]): { left: number; top: number; right: number; bottom: number } {
  if (cards.length === 0) return { left: 0, top: 0, right: 1, bottom: 1 };
  return {
    left: Math.min(...cards.map(({ x }) => x)),
    top: Math.min(...cards.map(({ y }) => y)) - 16,
    right: Math.max(...cards.map(({ x, width }) => x + width)) + 16,
    bottom: Math.max(...cards.map(({ y, height }) => y + height)),
  };
}

/** Places for tables that nobody has put anywhere: on a grid, past what is taken. */
function freePlaces(taken: readonly Point[]): () => Point {
  let n = 0;
  return () => {
    for (; ; n++) {
      const place = { x: 40 + (n % 3) * 240, y: 90 + Math.floor(n / 3) * 190 };
      if (!taken.some(({ x, y }) => Math.abs(x - place.x) < WIDTH + 20 && Math.abs(y - place.y) < 140)) {
        n++;
        return place;
      }
    }
  };
}
