import {
  afterNextRender,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  Injector,
  input,
  untracked,
} from '@angular/core';
import { outputFromObservable } from '@angular/core/rxjs-interop';
import { of, type Observable } from 'rxjs';
import type { Field } from '@heathridge/core/design';
import type { Beyond } from '@heathridge/core/form';
import type { Reading } from '@heathridge/core/values';
import { StripComponent } from '../shared/strip.component';
import type { Fetch, Held } from '../value/held';
import { INPUTS, PartsComponent } from './parts.component';
import type { ListState, RecordState, RowState, Sought } from './record.state';
import { lookOf } from './look';
import { Sheet, type Place } from './sheet.service';

/** A form with its subforms, as deep as they go: on the Desk to work with, in Screens to be designed. */
@Component({
  selector: 'hr-record-sheet',
  imports: [PartsComponent, StripComponent],
  providers: [Sheet],
  host: {
    '[attr.data-shape]': 'state().form.look?.shape ?? null',
    '[style.--hr-look-ink]': 'look()?.ink',
    '[style.--hr-look-tint]': 'look()?.tint',
  },
  template: `
    <hr-parts [parts]="state().form.parts" [row]="state().record()" />
    @if (state().errorAt(state().record()); as message) {
      <hr-strip [text]="message" />
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: minmax(0, 1fr);
      gap: 18px;
    }
  `,
})
export class RecordSheetComponent {
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly injector = inject(Injector);
  private readonly sheet = inject(Sheet);
  readonly state = input.required<RecordState>();
  readonly reading = input.required<Reading>();
  readonly fetch = input<Fetch>(() => of([]));
  readonly add = input<((field: Field, text: string) => Observable<Held | null>) | null>(null);
  readonly more = input<((row: RowState, list: ListState) => void) | null>(null);
  readonly beyond = input<((sought: Sought) => Observable<Beyond | null>) | null>(null);
  readonly places = input<ReadonlyMap<string, Place>>(new Map());
  readonly designing = input(false);
  readonly picked = input<readonly string[]>([]);
  /** The colours of its look, in the light and in the dark. */
  readonly look = computed(() => lookOf(this.state().form));
  readonly partPicked = outputFromObservable(this.sheet.picks);
  readonly partMoved = outputFromObservable(this.sheet.moves);
  readonly pressed = outputFromObservable(this.sheet.presses);

  constructor() {
    this.sheet.connect(this);
    effect(() => {
      this.state().sought();
      untracked(() => this.sheet.seek());
    });
  }

  /** Puts the cursor into a field of a row, or into the row; a tab it stands on is opened. */
  focusAt(row: string, field: string | null): void {
    this.sheet.wanted.set({ row, field });
    afterNextRender(() => void this.focusWhenThere(row, field), { injector: this.injector });
  }

  /** A tab is drawn some frames after it was chosen. */
  private async focusWhenThere(row: string, field: string | null): Promise<void> {
    const find = (selector: string): HTMLElement | null => this.element.querySelector(selector);
    for (let frame = 0; frame < 20; frame++) {
      const input = field === null ? null : find(`[id="${row}${field}"]`);
      const target = input ?? find(`[data-row="${row}"] :is(${INPUTS})`);
      if (target && target.offsetParent !== null) {
        target.focus();
        target.scrollIntoView({ block: 'nearest' });
        return;
      }
      await new Promise((resolve) => requestAnimationFrame(resolve));
    }
    // It is about nothing that can be typed into here.
    this.focusFirst();
  }

  /** Puts the cursor into the first field one can type into. */
  focusFirst(): void {
    this.element.querySelector<HTMLElement>(INPUTS)?.focus();
  }
}
