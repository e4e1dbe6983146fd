import { Component, input } from '@angular/core';
import type { Page } from '@heathridge/core/report';

const COLOURS = { ink: '#1f2a26', soft: '#5b6762', line: '#d8d4c8', moss: '#2c6a4f' } as const;

/** A page of a report, painted from the page model: the same items as in the PDF. */
@Component({
  selector: 'hr-page',
  template: `
    <svg [attr.viewBox]="'0 0 ' + width() + ' ' + height()" role="img" [attr.aria-label]="'Page ' + number()">
      @for (item of page().items; track $index) {
        @if (item.item === 'line') {
          <line
            [attr.x1]="item.x1"
            [attr.x2]="item.x2"
            [attr.y1]="item.y"
            [attr.y2]="item.y"
            [attr.stroke-width]="item.weight"
            [attr.stroke]="colours[item.colour]"
          />
        } @else {
          <text
            [attr.x]="item.x"
            [attr.y]="item.y"
            [attr.font-size]="item.size"
            [attr.font-weight]="item.font === 'bold' ? 700 : 400"
            [attr.text-anchor]="item.align === 'right' ? 'end' : 'start'"
            [attr.fill]="colours[item.colour]"
          >
            {{ item.text }}
          </text>
        }
      }
    </svg>
  `,
  styles: `
    svg {
      display: block;
      width: 100%;
      background: #fff;
      border: 1px solid var(--hr-line);
      box-shadow: 0 2px 8px rgb(31 42 38 / 10%);
      font-family: 'Atkinson Hyperlegible', sans-serif;
    }
  `,
})
export class PageComponent {
  readonly page = input.required<Page>();
  readonly width = input.required<number>();
  readonly height = input.required<number>();
  readonly number = input.required<number>();
  readonly colours = COLOURS;
}
