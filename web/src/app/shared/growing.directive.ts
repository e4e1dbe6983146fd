import { CdkTextareaAutosize } from '@angular/cdk/text-field';
import { Directive, effect, inject, input } from '@angular/core';

/** Whether the browser makes a textarea as high as what stands in it by itself (CSS Basic User Interface 4). */
const BY_STYLE = CSS.supports('field-sizing', 'content');

/**
 * A textarea as high as what is written in it, between `hrGrowing` and `hrGrowingMost` lines. Where a style can say so
 * nothing is measured: that has the page laid out anew for each, several times, as often as it is looked at.
 */
@Directive({
  selector: 'textarea[hrGrowing]',
  hostDirectives: [CdkTextareaAutosize],
  host: {
    '[style.field-sizing]': 'byStyle ? "content" : null',
    '[style.min-height.lh]': 'byStyle ? hrGrowing() : null',
    '[style.max-height.lh]': 'byStyle ? hrGrowingMost() : null',
  },
})
export class GrowingDirective {
  readonly hrGrowing = input(1);
  readonly hrGrowingMost = input<number | null>(null);
  protected readonly byStyle = BY_STYLE;

  constructor() {
    const measured = inject(CdkTextareaAutosize);
    measured.enabled = !BY_STYLE;
    effect(() => {
      measured.minRows = this.hrGrowing();
      const most = this.hrGrowingMost();
      if (most !== null) measured.maxRows = most;
    });
  }
}
