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
import { InteractivityChecker } from '@angular/cdk/a11y';
import { outputFromObservable } from '@angular/core/rxjs-interop';
import { of, type Observable } from 'rxjs';
import { fieldOf, type Field } from '@heathridge/core/design';
import type { Beyond } from '@heathridge/core/form';
import type { Reading } from '@heathridge/core/values';
import { StripComponent } from '../shared/strip.component';
import type { Fetch, Held } from '../value/held';
import { INPUTS, PartsComponent } from './parts.component';
import type { ListState, RecordState, RowState, Sought } from './record.state';
import { lookOf } from './look';
import { Sheet, type Place } from './sheet.service';
import { beyondStops, leavesBy, stopAt, tabStops } from './tab-order';

/** A form with its subforms, as deep as they go: on the Desk to work with, in Screens to be designed. */
@Component({
  selector: 'hr-record-sheet',
  imports: [PartsComponent, StripComponent],
  providers: [Sheet],
  host: {
    '(keydown.tab)': 'tabbed($event, 1)',
    '(keydown.shift.tab)': 'tabbed($event, -1)',
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
  private readonly checker = inject(InteractivityChecker);
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
      // What has no control of that name, as a tick or choices side by side, has one in its cell.
      const inCell = field === null ? null : find(`[data-stop="${row} ${field}"] :is(${INPUTS})`);
      const target =
        (input?.matches(INPUTS) ? input : null) ??
        inCell ??
        input ??
        find(`[data-row="${row}"] :is(${INPUTS})`);
      if (target && target.offsetParent !== null) {
        target.focus();
        target.scrollIntoView({ block: 'nearest' });
        return;
      }
      await new Promise((resolve) => requestAnimationFrame(resolve));
    }
    // It is about nothing that can be typed into here.
    this.focusAny();
  }

  /** Goes on to the next field, or the one before, where the order of the Tab key was made by hand. */
  tabbed(event: Event, by: 1 | -1): void {
    const { target } = event;
    if (event.defaultPrevented || !(target instanceof HTMLElement)) return;
    const stop = target.closest<HTMLElement>('[data-stop]');
    const [id, at] = stop?.dataset['stop']?.split(' ') ?? [];
    const row = id === undefined ? undefined : this.state().rowOfId(id);
    if (!stop || !row || !leavesBy(by, stop, target, this.checker)) return;
    const stops = tabStops(this.sheet, row);
    const next = stops[stops.indexOf(at!) + by];
    const beyond = next === undefined ? beyondStops(by, row, document, this.checker) : null;
    // From the last thing on the page the browser itself goes on.
    if (next === undefined && !beyond) return;
    event.preventDefault();
    if (beyond) beyond.focus();
    else this.focusStop(row, next!);
  }

  private focusStop(row: RowState, id: string): void {
    const button = this.element.querySelector<HTMLElement>(`[data-stop="${stopAt(row, id)}"] button`);
    if (fieldOf(row.table, id)) this.focusAt(row.id, id);
    else button?.focus();
  }

  /** Puts the cursor into the first field one can type into, but for those that hold already what they are to hold. */
  focusFirst(given: Readonly<Record<string, unknown>> = {}): void {
    const record = this.state().record();
    const first = tabStops(this.sheet, record).find((id) => !(id in given));
    const isPlain = !record.level.isByHand && Object.keys(given).length === 0;
    if (first === undefined || isPlain) this.focusAny();
    else this.focusStop(record, first);
  }

  private focusAny(): void {
    this.element.querySelector<HTMLElement>(INPUTS)?.focus();
  }
}
