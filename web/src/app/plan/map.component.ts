import {
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  output,
  signal,
  untracked,
  viewChild,
  type AfterViewInit,
} from '@angular/core';
import { select } from 'd3';
import { drag, type D3DragEvent } from 'd3';
import { zoom, zoomIdentity, type D3ZoomEvent, type ZoomTransform } from 'd3';
import { MatIconModule } from '@angular/material/icon';
import type { Design, Field, Table } from '@heathridge/core/design';
import type { Place } from '../shared/api.service';
import { linkPath, type Box, type LinkShape } from './link-path';

const WIDTH = 186;
const HEAD = 34;
const LINE = 20;
const FOOT = 28;

interface Card extends Box {
  readonly table: Table;
  readonly lines: readonly { readonly text: string; readonly link: boolean }[];
  readonly more: number;
}

export interface PickedLink {
  readonly table: Table;
  readonly field: Field;
}

/** The map of tables and links: pan, zoom, drag cards, pick a table or a link. */
@Component({
  selector: 'hr-map',
  imports: [MatIconModule],
  template: `
    <div class="map" #map>
      <div class="layer" [style.transform]="transform()">
        <svg class="links" aria-hidden="true" width="1" height="1">
          @for (link of links(); track link.field.id) {
            <g
              class="link"
              [class.picked]="pickedLink()?.field?.id === link.field.id"
              (click)="pickLink(link)"
            >
              <path class="hit" [attr.d]="link.shape.path" />
              <path class="line" [attr.d]="link.shape.path" />
              <path class="line" [attr.d]="link.shape.one" />
              <path class="line" [attr.d]="link.shape.many" />
            </g>
          }
        </svg>
        @for (card of cards(); track card.table.id) {
          <button
            class="card-box"
            type="button"
            [class.picked]="card.table.id === picked()"
            [style.left.px]="card.x"
            [style.top.px]="card.y"
            [style.height.px]="card.height"
            [attr.data-table]="card.table.id"
            [attr.aria-pressed]="card.table.id === picked()"
            (click)="pickTable(card.table.id)"
            (keydown)="nudge($event, card)"
          >
            <strong class="cut">{{ card.table.label }}</strong>
            @for (line of card.lines; track $index) {
              <span class="cut" [class.link-line]="line.link"
                >{{ line.link ? '→' : '№' }} {{ line.text }}</span
              >
            }
            @if (card.more > 0) {
              <span class="soft">+ {{ card.more }} more links</span>
            }
            <span class="foot"
              >{{ (counts()[card.table.id] ?? 0).toLocaleString('en-GB') }}
              {{ counts()[card.table.id] === 1 ? 'row' : 'rows' }}</span
            >
          </button>
        }
      </div>
      <div class="tools">
        <button class="icon-btn" type="button" aria-label="Nearer" (click)="scale(1.25)">
          <mat-icon svgIcon="add" />
        </button>
        <button class="icon-btn minus" type="button" aria-label="Farther" (click)="scale(0.8)">
          <span aria-hidden="true">−</span>
        </button>
        <button class="btn small" type="button" (click)="fit()">Show all</button>
      </div>
    </div>
  `,
  styleUrl: './map.component.scss',
})
export class MapComponent implements AfterViewInit {
  readonly design = input.required<Design>();
  readonly counts = input.required<Readonly<Record<string, number>>>();
  readonly places = input.required<readonly Place[]>();
  readonly picked = input<string | null>(null);
  readonly pickedLink = input<PickedLink | null>(null);
  readonly tablePicked = output<string>();
  readonly linkPicked = output<PickedLink>();
  readonly moved = output<Place>();

  private readonly host = viewChild.required<ElementRef<HTMLElement>>('map');
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly view = signal<ZoomTransform>(zoomIdentity);
  private readonly local = signal<ReadonlyMap<string, { x: number; y: number }>>(new Map());
  private readonly zooming = zoom<HTMLElement, unknown>()
    .scaleExtent([0.2, 2])
    .filter(
      (event: Event) =>
        !(event.target as HTMLElement).closest('.card-box, .tools, .link') || event.type === 'wheel',
    )
    .on('zoom', ({ transform }: D3ZoomEvent<HTMLElement, unknown>) => this.view.set(transform));

  readonly transform = computed(() => {
    const { x, y, k } = this.view();
    return `translate(${x}px, ${y}px) scale(${k})`;
  });

  readonly cards = computed((): Card[] => {
    const given = new Map(this.places().map(({ table, x, y }) => [table, { x, y }]));
    const free = freePlaces([...given.values(), ...this.local().values()]);
    return this.design().tables.map((table) => {
      const { x, y } = this.local().get(table.id) ?? given.get(table.id) ?? free();
      const keys = table.fields
        .filter(({ id, type }) => table.key.includes(id) && type.kind !== 'lookup')
        .map(({ label }) => ({ text: label, link: false }));
      const all = table.fields
        .filter(({ type }) => type.kind === 'lookup')
        .map(({ label }) => ({ text: label, link: true }));
      const lines = [...keys, ...all.slice(0, 4)];
      const more = all.length - Math.min(all.length, 4);
      return {
        table,
        x,
        y,
        width: WIDTH,
        height: HEAD + (lines.length + (more > 0 ? 1 : 0)) * LINE + FOOT + 8,
        lines,
        more,
      };
    });
  });

  readonly links = computed(() => {
    const boxes = new Map(this.cards().map((card) => [card.table.id, card]));
    return this.cards().flatMap((card) =>
      card.table.fields.flatMap((field): (PickedLink & { shape: LinkShape })[] => {
        const target = field.type.kind === 'lookup' ? boxes.get(field.type.table) : undefined;
        if (!target) return [];
        const shape = linkPath(target, card, { optional: !field.alwaysFilled, single: field.noTwoAlike });
        return [{ table: card.table, field, shape }];
      }),
    );
  });

  constructor() {
    effect(() => {
      this.cards();
      // Cards come and go with the design: each must be given its drag.
      untracked(() => queueMicrotask(() => this.makeDraggable()));
    });
  }

  ngAfterViewInit(): void {
    select(this.host().nativeElement).call(this.zooming).on('dblclick.zoom', null);
    this.makeDraggable();
    setTimeout(() => this.fit());
  }

  pickTable(id: string): void {
    this.tablePicked.emit(id);
  }

  pickLink({ table, field }: PickedLink): void {
    this.linkPicked.emit({ table, field });
  }

  /** Alt and an arrow key move a card, for those who do not drag. */
  nudge(event: KeyboardEvent, card: Card): void {
    const step = { ArrowLeft: [-20, 0], ArrowRight: [20, 0], ArrowUp: [0, -20], ArrowDown: [0, 20] }[
      event.key
    ];
    if (!event.altKey || !step) return;
    event.preventDefault();
    this.place(card.table.id, card.x + step[0]!, card.y + step[1]!);
    this.moved.emit({ table: card.table.id, x: card.x + step[0]!, y: card.y + step[1]! });
  }

  scale(factor: number): void {
    select(this.host().nativeElement).call(this.zooming.scaleBy, factor);
  }

  /** Brings all cards into view, never larger than life. */
  fit(): void {
    const cards = this.cards();
    if (cards.length === 0) return;
    const { clientWidth, clientHeight } = this.host().nativeElement;
    const left = Math.min(...cards.map(({ x }) => x));
    const top = Math.min(...cards.map(({ y }) => y));
    const right = Math.max(...cards.map(({ x, width }) => x + width));
    const bottom = Math.max(...cards.map(({ y, height }) => y + height));
    const k = Math.min(1, (clientWidth - 48) / (right - left), (clientHeight - 130) / (bottom - top));
    const transform = zoomIdentity
      .translate(
        (clientWidth - (right - left) * k) / 2 - left * k,
        66 - top * k + Math.max(0, (clientHeight - 130 - (bottom - top) * k) / 2),
      )
      .scale(k);
    select(this.host().nativeElement).call(this.zooming.transform, transform);
  }

  private place(table: string, x: number, y: number): void {
    this.local.update((known) => new Map(known).set(table, { x, y }));
  }

  private makeDraggable(): void {
    const nodes = this.element.nativeElement.querySelectorAll<HTMLElement>('.card-box');
    nodes.forEach((node) => {
      const card = (): Card | undefined =>
        this.cards().find(({ table }) => table.id === node.dataset['table']);
      const dragging = drag<HTMLElement, unknown>()
        .container(() => this.host().nativeElement)
        .clickDistance(4)
        .on('drag', (event: D3DragEvent<HTMLElement, unknown, unknown>) => {
          const now = card();
          if (now)
            this.place(now.table.id, now.x + event.dx / this.view().k, now.y + event.dy / this.view().k);
        })
        .on('end', () => {
          const now = card();
          if (now && this.local().has(now.table.id))
            this.moved.emit({ table: now.table.id, x: now.x, y: now.y });
        });
      select(node).call(dragging);
    });
  }
}

/** Places for tables that nobody has put anywhere: on a grid, past what is taken. */
function freePlaces(taken: readonly { x: number; y: number }[]): () => { x: number; y: number } {
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
