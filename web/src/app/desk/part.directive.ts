import { booleanAttribute, computed, Directive, inject, input } from '@angular/core';
import { Sheet } from './sheet.service';

/**
 * A part of a form, which is picked while the form is designed: pressed, or by Enter; Alt and an arrow move it. What
 * has others in it is a region: its head is what is gone to by keys.
 */
@Directive({
  selector: '[hrPart]',
  host: {
    '[class.designing]': 'sheet.designing()',
    '[class.picked]': 'isPicked()',
    '[attr.tabindex]': 'sheet.designing() ? (region() ? -1 : 0) : null',
    '[attr.data-part]': 'sheet.designing() && !region() ? hrPart() : null',
    '[attr.role]': 'isButton() ? "button" : null',
    '[attr.aria-pressed]': 'isButton() ? isPicked() : null',
    '[attr.aria-label]': 'region() || isButton() ? name() : null',
    '(click)': 'sheet.pick($event, hrPart())',
    '(keydown)': 'sheet.partKey($event, hrPart())',
  },
})
export class PartDirective {
  readonly sheet = inject(Sheet);
  /** The links of the subforms around it, and its own id. */
  readonly hrPart = input.required<string>();
  /** What it is called; null for what its own words tell. */
  readonly name = input<string | null>(null);
  readonly region = input(false, { transform: booleanAttribute });
  readonly isButton = computed(() => this.sheet.designing() && !this.region());
  readonly isPicked = computed(() => this.sheet.isPicked(this.hrPart()));
}
