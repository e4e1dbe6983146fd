import { Component, computed, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatTooltipModule } from '@angular/material/tooltip';
import { scaleLinear } from 'd3';
import { LOSES, type CountedPart, type CountingPart } from '@heathridge/core/query';

/** Where the rows go: how many are left after each part of the sentence. */
@Component({
  selector: 'hr-funnel',
  imports: [MatButton, MatTooltipModule],
  template: `
    <h2>Where the rows go</h2>
    <p class="soft small" role="status">
      {{ isCounting() ? 'rows left after each part: counting …' : 'rows left after each part' }}
    </p>
    <ol class="plain-list" [class.before]="isCounting() && isOld()">
      @for (bar of bars(); track $index) {
        <li>
          <span class="row"
            ><span class="grow label" [matTooltip]="bar.label">{{ bar.label }}</span
            ><span>{{ bar.text }}</span></span
          >
          <svg width="100%" height="16" aria-hidden="true" preserveAspectRatio="none" viewBox="0 0 100 16">
            <rect
              x="0"
              y="0"
              [attr.width]="bar.width"
              height="16"
              [style.fill]="bar.part === 'group' ? 'var(--hr-heather)' : 'var(--hr-moss)'"
            />
          </svg>
          @if (bar.said; as said) {
            <span class="small" [class.bad]="bar.emptied">{{ said }}</span>
          }
          @if (bar.lost > 0) {
            <button matButton="text" class="compact words" type="button" (click)="shown.emit($index)">
              {{ bar.shows }}
            </button>
          }
          @for (why of bar.why; track why) {
            <span class="small">{{ why }}</span>
          }
        </li>
      }
    </ol>
  `,
  styles: `
    :host {
      display: block;
      padding: 14px 16px;
      overflow: auto;
    }
    ol {
      display: grid;
      gap: 10px;
      margin-top: 12px;
    }
    li {
      display: grid;
      gap: 2px;
      font-size: var(--hr-text-note);
    }
    /* What was counted before the newest edit is not taken for its count. */
    .before {
      opacity: 0.55;
    }
    .label {
      overflow-wrap: anywhere;
    }
    .row {
      align-items: baseline;
    }
    svg {
      border-radius: 3px;
      background: var(--hr-shade);
    }
  `,
})
export class FunnelComponent {
  /** Its parts, some of which may still be counted. */
  readonly funnel = input.required<readonly (CountedPart | CountingPart)[]>();
  /** Whether it is being counted anew. */
  readonly isCounting = input(false);
  /** Whether what is shown meanwhile is what was counted before. */
  readonly isOld = input(true);

  /** A part, by its place, whose lost rows are to be shown. */
  readonly shown = output<number>();

  readonly bars = computed(() => {
    const parts = this.funnel();
    const width = scaleLinear(
      [0, Math.max(1, ...parts.filter(({ part }) => part !== 'group').map(({ count }) => count ?? 0))],
      [0, 100],
    );
    const isComing = this.isCounting() && !this.isOld();
    return parts.map((counted, i) => {
      const { part, label, count, none } = counted;
      const why = 'why' in counted ? (counted.why ?? []) : [];
      const before = i === 0 ? count : parts[i - 1]!.count;
      const shown = {
        part,
        label: part === 'with' ? `+ ${label}` : part === 'group' ? `grouped by ${label}` : label,
        why,
        ...NOTHING_LOST,
      };
      if (count === null) return { ...shown, text: '…', width: 0 };
      const bar = {
        ...shown,
        text: part === 'group' ? `${number(count)} ${count === 1 ? 'group' : 'groups'}` : number(count),
        width: count === 0 ? 0 : Math.max(width(Math.min(count, width.domain()[1]!)), 0.8),
      };
      // How many find none beside them may be counted later than how many rows there are then.
      if (before === null || (isComing && part === 'with' && none === undefined)) return bar;
      // Beside rows that may be several others, how many find none is counted apart.
      const gone = !LOSES.has(part) ? 0 : part === 'with' ? (none ?? before - count) : before - count;
      const emptied = count === 0 && before > 0;
      return {
        ...bar,
        emptied,
        said: emptied ? 'this part leaves nothing' : '',
        lost: gone,
        shows:
          part === 'with'
            ? `${number(gone)} have none: ${share(before - gone, before)} find one`
            : `leaves out ${number(gone)}`,
      };
    });
  });
}

/** What is shown of a part that loses no row, or of which that is not known yet. */
const NOTHING_LOST = { emptied: false, said: '', lost: 0, shows: '' };

const number = (count: number): string => count.toLocaleString('en-GB');

/** A share in hundredths, which is neither all nor nothing where it is not quite. */
function share(part: number, whole: number): string {
  if (part <= 0 || part >= whole) return part <= 0 ? '0 %' : '100 %';
  const percent = Math.min(99.9, Math.max(0.1, (part / whole) * 100));
  return `${percent.toLocaleString('en-GB', { maximumFractionDigits: percent < 1 || percent > 99 ? 1 : 0 })} %`;
}
