import { Component, computed, input } from '@angular/core';
import { MatTooltipModule } from '@angular/material/tooltip';
import { scaleLinear } from 'd3';
import type { QueryResult } from '../shared/api.service';

/** Where the rows go: how many are left after each part of the sentence. */
@Component({
  selector: 'hr-funnel',
  imports: [MatTooltipModule],
  template: `
    <h2>Where the rows go</h2>
    <p class="soft small">rows left after each part</p>
    <ol class="plain-list">
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
          @if (bar.lost; as lost) {
            <span class="small" [class.bad]="bar.emptied">{{ lost }}</span>
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
  readonly funnel = input.required<QueryResult['funnel']>();

  readonly bars = computed(() => {
    const parts = this.funnel();
    const width = scaleLinear(
      [0, Math.max(1, ...parts.filter(({ part }) => part !== 'group').map(({ count }) => count))],
      [0, 100],
    );
    return parts.map(({ part, label, count, none, why = [] }, i) => {
      const before = i === 0 ? count : parts[i - 1]!.count;
      const lost = before - count;
      const emptied = count === 0 && before > 0;
      const number = (n: number): string => n.toLocaleString('en-GB');
      return {
        part,
        label: part === 'with' ? `+ ${label}` : part === 'group' ? `grouped by ${label}` : label,
        text: part === 'group' ? `${number(count)} ${count === 1 ? 'group' : 'groups'}` : number(count),
        width: count === 0 ? 0 : Math.max(width(Math.min(count, width.domain()[1]!)), 0.8),
        emptied,
        why,
        lost: emptied
          ? 'this part leaves nothing'
          : part === 'with' && (none ?? lost) > 0
            ? `${number(none ?? lost)} have none`
            : '',
      };
    });
  });
}
