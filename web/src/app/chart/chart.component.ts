import {
  booleanAttribute,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  linkedSignal,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatMenuModule } from '@angular/material/menu';
import { MatTableModule } from '@angular/material/table';
import type { ChartMark, ChartModel } from '@heathridge/core/chart';
import type { Locale } from '@heathridge/core/values';
import { textWidth } from '../grid/measure';
import { Toast } from '../shared/toast.service';
import { drawChart, type DrawnChart, type DrawnMark } from './layout';
import { savePng, saveSvg } from './picture';

/** Marks of which the nearest is looked for no farther away than this, in pixels. */
const NEAR = 48;
/** Marks that are read as a list at most: who wants more reads the rows. */
const MOST_READ = 1000;

/** A mark, with the panel and the place it has in it. */
interface Pointed {
  readonly panel: number;
  readonly drawn: DrawnMark;
}

/**
 * A chart: drawn as SVG, gone through by mouse and by arrow keys, each mark said in words; the same as a list of
 * numbers; saved as a picture.
 */
@Component({
  selector: 'hr-chart',
  imports: [MatButton, MatIconModule, MatMenuModule, MatTableModule],
  template: `
    <div class="row bar">
      <span class="grow said" role="status">{{ said() }}</span>
      <ng-content />
      <button
        matButton="text"
        class="compact"
        type="button"
        [attr.aria-pressed]="isList()"
        (click)="isList.set(!isList())"
      >
        {{ isList() ? 'Its drawing' : 'Its numbers' }}
      </button>
      <button matButton="text" class="compact" type="button" [matMenuTriggerFor]="pictures">
        <mat-icon svgIcon="download" />Picture
      </button>
      <mat-menu #pictures="matMenu">
        <button mat-menu-item type="button" (click)="save('svg')">As SVG, sharp at any size</button>
        <button mat-menu-item type="button" (click)="save('png')">As PNG, for a letter</button>
      </mat-menu>
    </div>
    @if (isList()) {
      <div class="numbers" tabindex="0" role="region" [attr.aria-label]="'Numbers of ' + label()">
        <table mat-table [dataSource]="listed()">
          <ng-container matColumnDef="of">
            <th *matHeaderCellDef mat-header-cell scope="col">{{ model().along.label }}</th>
            <td *matCellDef="let mark" mat-cell dir="auto">{{ mark.of }}</td>
          </ng-container>
          <ng-container matColumnDef="said">
            <th *matHeaderCellDef mat-header-cell scope="col" class="number">{{ model().up || 'Value' }}</th>
            <td *matCellDef="let mark" mat-cell class="number">{{ mark.said }}</td>
          </ng-container>
          <tr *matHeaderRowDef="['of', 'said']; sticky: true" mat-header-row></tr>
          <tr *matRowDef="let mark; columns: ['of', 'said']" mat-row></tr>
        </table>
      </div>
    } @else {
      <div
        #room
        class="room"
        tabindex="0"
        role="application"
        aria-roledescription="chart"
        [attr.aria-label]="
          label() +
          '. Arrow keys go from mark to mark' +
          (opens() ? ', Enter shows the rows behind one.' : '.')
        "
        (keydown)="keys($event)"
        (pointermove)="point($event)"
        (pointerleave)="isKept() || pointed.set(null)"
        (click)="choose()"
      >
        <svg
          #svg
          xmlns="http://www.w3.org/2000/svg"
          role="img"
          [attr.aria-label]="label()"
          [attr.width]="drawn().width"
          [attr.height]="drawn().height"
          [attr.viewBox]="'0 0 ' + drawn().width + ' ' + drawn().height"
        >
          @for (entry of drawn().legend; track entry.series) {
            <g [attr.transform]="'translate(' + entry.x + ',' + entry.y + ')'">
              <path [attr.d]="entry.symbol" transform="translate(8,-4)" [style.fill]="colour(entry.series)" />
              <text class="word" x="18">{{ entry.text }}</text>
            </g>
          }
          @for (panel of drawn().panels; track $index; let p = $index) {
            <g [attr.transform]="'translate(' + panel.x + ',' + panel.y + ')'">
              @if (panel.title) {
                <text class="title" y="12" [attr.x]="panel.width / 2" text-anchor="middle">
                  {{ panel.title }}
                </text>
              }
              @for (line of panel.lines; track $index) {
                <line
                  [class]="line.isBase ? 'base' : 'line'"
                  [attr.x1]="line.x1"
                  [attr.x2]="line.x2"
                  [attr.y1]="line.y1"
                  [attr.y2]="line.y2"
                />
              }
              @for (stroke of panel.strokes; track $index) {
                <path
                  [class]="stroke.isFilled ? 'fill' : 'stroke'"
                  [attr.d]="stroke.path"
                  [style.fill]="stroke.isFilled ? colour(stroke.series) : 'none'"
                  [style.stroke]="stroke.isFilled ? 'none' : colour(stroke.series)"
                />
              }
              @for (mark of panel.marks; track $index) {
                @if (mark.isShown) {
                  <path
                    [class]="model().as === 'pie' ? 'slice' : 'mark'"
                    [attr.d]="mark.path"
                    [attr.transform]="mark.move"
                    [style.fill]="colour(mark.mark.series)"
                    [style.fillOpacity]="model().as === 'points' ? 0.75 : 1"
                  />
                }
              }
              @for (word of panel.words; track $index) {
                <text
                  [class]="model().as === 'pie' ? 'share' : 'word'"
                  [attr.x]="word.x"
                  [attr.y]="word.y"
                  [attr.text-anchor]="word.anchor"
                >
                  {{ word.text }}
                </text>
              }
              @if (pointed(); as now) {
                @if (now.panel === p) {
                  <path
                    class="pointed"
                    [attr.d]="now.drawn.path"
                    [attr.transform]="now.drawn.move"
                    [style.fill]="colour(now.drawn.mark.series)"
                  />
                }
              }
            </g>
          }
        </svg>
      </div>
    }
    @for (note of model().notes; track note) {
      <p class="soft small note">{{ note }}</p>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      height: 100%;
    }
    .bar {
      flex: none;
      min-height: 34px;
      padding: 2px 8px 2px 14px;
    }
    .said {
      min-width: 0;
      overflow: hidden;
      font-size: var(--hr-text-note);
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .room,
    .numbers {
      flex: 1;
      min-height: 120px;
      overflow: auto;
      margin: 0 14px 8px;
    }
    .room:focus-visible {
      outline-offset: -2px;
    }
    svg {
      display: block;
    }
    .note {
      padding: 0 14px 6px;
    }
    .word,
    .title {
      fill: var(--hr-soft);
      font: 12px var(--hr-sans);
    }
    .title {
      fill: var(--hr-ink);
      font-weight: bold;
    }
    .share {
      fill: var(--hr-on-colour);
      font: bold 12px var(--hr-sans);
      pointer-events: none;
    }
    .line {
      stroke: var(--hr-faint);
    }
    .base {
      stroke: var(--hr-edge);
    }
    .stroke {
      stroke-width: 2;
      stroke-linejoin: round;
    }
    .fill {
      fill-opacity: 0.32;
    }
    .slice {
      stroke: var(--hr-paper);
      stroke-width: 1.5;
    }
    .pointed {
      stroke: var(--hr-ink);
      stroke-width: 2;
    }
    .number {
      text-align: right;
      font-variant-numeric: tabular-nums;
    }
    table {
      width: 100%;
    }
  `,
})
export class ChartComponent {
  private readonly toast = inject(Toast);
  readonly model = input.required<ChartModel>();
  readonly locale = input.required<Locale>();
  /** What it is called, for those who listen and for the file of its picture. */
  readonly label = input.required<string>();
  /** Whether the rows behind a mark can be asked for. */
  readonly opens = input(false, { transform: booleanAttribute });
  /** A mark whose rows are asked for. */
  readonly picked = output<ChartMark>();
  protected readonly isList = signal(false);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly size = signal({ width: 640, height: 300 });
  private readonly svg = viewChild<ElementRef<SVGSVGElement>>('svg');
  private readonly room = viewChild<ElementRef<HTMLElement>>('room');

  protected readonly drawn = computed(() => {
    const { fontFamily } = getComputedStyle(this.host);
    const font = `12px ${fontFamily}`;
    return drawChart(this.model(), this.size(), (text) => textWidth(text, font), this.locale());
  });
  /** The mark that is pointed at, until it is drawn anew, and whether by keys: those stay where the mouse is not. */
  protected readonly pointed = linkedSignal<DrawnChart, Pointed | null>({
    source: () => this.drawn(),
    computation: () => null,
  });
  protected readonly isKept = signal(false);
  protected readonly listed = computed(() =>
    this.model()
      .panels.flatMap(({ marks }) => marks)
      .slice(0, MOST_READ),
  );
  protected readonly said = computed(() => {
    const now = this.pointed();
    return now ? `${now.drawn.mark.of}: ${now.drawn.mark.said}` : '';
  });

  constructor() {
    const seen = new ResizeObserver(([entry]) => {
      const { width, height } = entry!.contentRect;
      // It is gone while the list of its numbers is shown.
      if (width > 0) this.size.set({ width, height: height - 2 });
    });
    effect((onCleanup) => {
      const room = this.room()?.nativeElement;
      if (!room) return;
      seen.observe(room);
      onCleanup(() => seen.unobserve(room));
    });
    inject(DestroyRef).onDestroy(() => seen.disconnect());
  }

  protected colour(series: number): string {
    return `var(--hr-series-${series % 12})`;
  }

  /** The mark that is nearest to the mouse. */
  protected point(event: PointerEvent): void {
    const box = this.svg()?.nativeElement.getBoundingClientRect();
    if (!box) return;
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    let [found, near]: [Pointed | null, number] = [null, NEAR];
    for (const [p, panel] of this.drawn().panels.entries())
      for (const drawn of panel.marks) {
        const far = Math.hypot(panel.x + drawn.x - x, panel.y + drawn.y - y);
        if (far < near) [found, near] = [{ panel: p, drawn }, far];
      }
    // A bar is pointed at anywhere within it.
    const over = document.elementFromPoint(event.clientX, event.clientY)?.getAttribute('d');
    for (const [p, panel] of this.drawn().panels.entries())
      for (const drawn of panel.marks)
        if (drawn.move === null && over === drawn.path) found = { panel: p, drawn };
    this.isKept.set(false);
    this.pointed.set(found);
  }

  protected choose(): void {
    const now = this.pointed();
    if (now && this.opens()) this.picked.emit(now.drawn.mark);
  }

  protected keys(event: KeyboardEvent): void {
    if (event.altKey || event.ctrlKey || event.metaKey) return;
    if (event.key === 'Enter') {
      this.choose();
      return;
    }
    const next = this.stepped(event.key);
    if (next === undefined) return;
    event.preventDefault();
    this.isKept.set(true);
    this.pointed.set(next);
  }

  /** Where a key leads: along a series, to another one, to another small chart. Undefined for other keys. */
  private stepped(key: string): Pointed | null | undefined {
    const { panels } = this.drawn();
    const ordered = (panel: number): DrawnMark[] =>
      [...(panels[panel]?.marks ?? [])].sort((a, b) => a.mark.series - b.mark.series || a.mark.x - b.mark.x);
    const now = this.pointed();
    const panel = now?.panel ?? 0;
    const all = ordered(panel);
    const found = (drawn: DrawnMark | undefined, at = panel): Pointed | null =>
      drawn ? { panel: at, drawn } : now;
    const place = now ? all.findIndex(({ mark }) => mark === now.drawn.mark) : -1;
    switch (key) {
      case 'ArrowRight':
        return found(all[place + 1] ?? all[all.length - 1]);
      case 'ArrowLeft':
        return found(all[Math.max(place - 1, 0)]);
      case 'ArrowUp':
      case 'ArrowDown': {
        if (!now) return found(all[0]);
        const wanted = now.drawn.mark.series + (key === 'ArrowDown' ? 1 : -1);
        const others = all.filter(({ mark }) => mark.series === wanted);
        const far = ({ mark }: DrawnMark): number => Math.abs(mark.x - now.drawn.mark.x);
        return found(others.sort((a, b) => far(a) - far(b))[0]);
      }
      case 'Home':
        return found(all[0]);
      case 'End':
        return found(all.at(-1));
      case 'PageDown':
      case 'PageUp': {
        const next = panel + (key === 'PageDown' ? 1 : -1);
        return found(ordered(next)[0], next);
      }
      case 'Escape':
        return now ? null : undefined;
      default:
        return undefined;
    }
  }

  protected async save(as: 'svg' | 'png'): Promise<void> {
    const svg = this.svg()?.nativeElement;
    if (!svg) {
      this.toast.say('Go back to its drawing first: that is what the picture is of.');
      return;
    }
    if (as === 'svg') saveSvg(svg, this.label());
    else if (!(await savePng(svg, this.label())))
      this.toast.say('The browser could not make a picture of it: SVG may do.');
  }
}
