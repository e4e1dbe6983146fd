import type { ElementRef } from '@angular/core';
import {
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  input,
  output,
  signal,
  viewChild,
} from '@angular/core';
import {
  MatAutocomplete,
  MatAutocompleteModule,
  MatAutocompleteTrigger,
  type MatAutocompleteSelectedEvent,
} from '@angular/material/autocomplete';
import { MatDatepickerModule, type MatDatepickerInputEvent } from '@angular/material/datepicker';
import { MatIconModule } from '@angular/material/icon';
import {
  catchError,
  debounceTime,
  EMPTY,
  map,
  of,
  Subject,
  switchMap,
  type Observable,
  type Subscription,
} from 'rxjs';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButtonModule } from '@angular/material/button';
import { comesWithText, valueKind, type Field } from '@heathridge/core/design';
import { FAULT_WORDS, type Fault } from '@heathridge/core/expression';
import {
  editText,
  fitPattern,
  isNumeric,
  parsePattern,
  readValue,
  showValue,
  type Reading,
  type Value,
} from '@heathridge/core/values';
import type { Choice, ChoiceRequest } from './api.service';
import { AttachmentInputComponent } from './attachment-input.component';
import { problemOf } from './problem';
import { Toast } from './toast.service';

/** Where a lookup's choices come from. */
export type Fetch = (field: string, request: ChoiceRequest) => Observable<readonly Choice[]>;

/** Stands among the choices for adding a row. */
const ADD = 'add';

/** What an input holds: the value, the text a lookup shows, and what was typed while it cannot be read. */
export interface Held {
  readonly value: Value;
  /** What a lookup shows of the row it leads to. */
  readonly text?: string | null;
  /** As typed, while it is no value: nothing typed is lost. */
  readonly typed?: string;
  readonly problem?: string;
  /** Set where `typed` stands for a row of a lookup that is still to be searched. */
  readonly sought?: true;
  /** Why it cannot be worked out for this row. */
  readonly fault?: Fault;
}

/** What stands in a cell that cannot be worked out; {@link FAULT_WORDS} says why. */
export const UNWORKED = 'no result';

/** Why a value cannot be worked out; null when it can. */
export const why = (held: Held | undefined): string | null => (held?.fault ? FAULT_WORDS[held.fault] : null);

/** What a lookup holds once the choices that match its typed text are known. */
export function sought(text: string, choices: readonly Choice[], was: Held): Held {
  const exact = choices.filter(([, shown]) => shown.toLowerCase() === text.trim().toLowerCase());
  const only = exact.length > 0 ? exact : choices;
  if (only.length === 1) return { value: only[0]![0], text: only[0]![1] };
  return {
    value: was.value,
    text: was.text,
    typed: text,
    problem:
      only.length === 0
        ? `Nothing matches “${text.trim()}”.`
        : `Several match “${text.trim()}”: please choose one.`,
  };
}

/** The input for a field, after its kind: line, area, tick, choice, calendar or search in another table. */
@Component({
  selector: 'hr-value-input',
  imports: [
    MatButtonModule,
    AttachmentInputComponent,
    MatAutocompleteModule,
    MatDatepickerModule,
    MatIconModule,
  ],
  template: `
    @switch (field().type.kind) {
      @case ('tick') {
        <input
          #control
          class="tick"
          type="checkbox"
          [id]="inputId()"
          [checked]="held().value === true"
          [disabled]="readonly()"
          [attr.aria-label]="label()"
          [attr.aria-invalid]="wrong()"
          [attr.aria-describedby]="describedBy()"
          (change)="emit({ value: $any($event.target).checked })"
        />
      }
      @case ('choice') {
        @if (asRadio()) {
          <span class="radios" role="radiogroup" [attr.aria-label]="label() ?? field().label">
            @for (choice of choices(); track choice; let first = $first) {
              <label
                ><input
                  type="radio"
                  [name]="inputId() || field().id"
                  [id]="first ? inputId() : ''"
                  [checked]="held().value === choice"
                  [disabled]="readonly()"
                  [attr.aria-invalid]="wrong()"
                  (change)="emit({ value: choice })"
                />
                @if (colourOf(choice); as colour) {
                  <span class="dot" [class]="colour"></span>
                }
                {{ choice }}</label
              >
            }
            @if (held().value !== null && !readonly()) {
              <button class="link small" type="button" (click)="emit({ value: null })">none</button>
            }
          </span>
        } @else {
          <select
            #control
            class="input"
            [class.wrong]="wrong()"
            [id]="inputId()"
            [disabled]="readonly()"
            [attr.aria-label]="label()"
            [attr.aria-invalid]="wrong()"
            [attr.aria-describedby]="describedBy()"
            (change)="emit({ value: $any($event.target).value || null })"
          >
            <option value="" [selected]="held().value === null"></option>
            @for (choice of choices(); track choice) {
              <option [value]="choice" [selected]="held().value === choice">{{ choice }}</option>
            }
            @if (foreignChoice(); as other) {
              <option [value]="other" selected>{{ other }}</option>
            }
          </select>
        }
      }
      @case ('picture') {
        <hr-attachment-input
          [held]="held()"
          [picture]="true"
          [readonly]="readonly()"
          [inputId]="inputId()"
          [label]="label() ?? field().label"
          (changed)="emit($event)"
        />
      }
      @case ('file') {
        <hr-attachment-input
          [held]="held()"
          [picture]="false"
          [readonly]="readonly()"
          [inputId]="inputId()"
          [label]="label() ?? field().label"
          (changed)="emit($event)"
        />
      }
      @case ('longText') {
        <textarea
          #control
          class="input"
          rows="3"
          [class.wrong]="wrong()"
          [id]="inputId()"
          [readonly]="readonly()"
          [attr.aria-label]="label()"
          [attr.aria-invalid]="wrong()"
          [attr.aria-describedby]="describedBy()"
          [value]="shown()"
          (input)="type($any($event.target).value)"
          (blur)="leave()"
        ></textarea>
      }
      @case ('lookup') {
        @if (readonly()) {
          <input
            #control
            class="input"
            readonly
            [id]="inputId()"
            [attr.aria-label]="label()"
            [value]="held().text ?? ''"
          />
        } @else {
          <span class="with-button">
            <input
              #control
              class="input"
              autocomplete="off"
              [class.wrong]="wrong()"
              [id]="inputId()"
              [attr.aria-label]="label()"
              [attr.aria-invalid]="wrong()"
              [attr.aria-describedby]="describedBy()"
              [value]="shown()"
              [matAutocomplete]="list"
              (input)="search($any($event.target).value)"
              (focus)="open()"
              (blur)="leave()"
            />
            <mat-icon class="inside heather" svgIcon="arrow_drop_down" aria-hidden="true" />
          </span>
          <mat-autocomplete
            #list="matAutocomplete"
            autoActiveFirstOption
            [panelWidth]="panelWidth()"
            [displayWith]="asText"
            (opened)="holdFocus()"
            (optionSelected)="choose($event)"
          >
            @for (choice of offered(); track choice[0]) {
              <mat-option [value]="choice"
                ><span class="option"
                  ><span>{{ choice[1] }}</span>
                  @for (column of choice.slice(2); track $index) {
                    <span class="soft">{{ column }}</span>
                  }
                </span></mat-option
              >
            }
            @if (mayAdd(); as text) {
              <mat-option [value]="ADD"
                ><span class="moss">Add “{{ text }}” here …</span></mat-option
              >
            }
          </mat-autocomplete>
        }
      }
      @default {
        <span [class.with-button]="field().type.kind === 'date' && !readonly()">
          <input
            #control
            class="input"
            autocomplete="off"
            [class.wrong]="wrong()"
            [class.number]="numeric()"
            [id]="inputId()"
            [readonly]="readonly()"
            [attr.inputmode]="numeric() ? 'decimal' : null"
            [attr.aria-label]="label()"
            [attr.aria-invalid]="wrong()"
            [attr.aria-describedby]="describedBy()"
            [value]="shown()"
            (pointerdown)="pointed = true"
            (focus)="begin($any($event.target))"
            [attr.placeholder]="pattern()"
            (input)="typeInto($any($event.target), $any($event))"
            (blur)="leave()"
            (keydown.enter)="leave()"
          />
          @if (field().type.kind === 'date' && !readonly()) {
            <input
              class="hidden-date"
              tabindex="-1"
              aria-hidden="true"
              [matDatepicker]="picker"
              [value]="asDate()"
              (dateChange)="pick($event)"
            />
            <button
              type="button"
              matIconButton
              class="inside"
              tabindex="-1"
              [attr.aria-label]="'Calendar for ' + field().label"
              (mousedown)="$event.preventDefault()"
              (click)="picker.open()"
            >
              <mat-icon svgIcon="calendar_month" />
            </button>
            <mat-datepicker #picker />
          }
        </span>
      }
    }
  `,
  styles: `
    :host {
      display: block;
      min-width: 0;
    }
    .with-button {
      position: relative;
      display: block;
    }
    .with-button .input {
      padding-right: 30px;
    }
    .inside {
      position: absolute;
      right: 3px;
      top: 2px;
      pointer-events: auto;
    }
    mat-icon.inside {
      top: 7px;
      right: 7px;
      pointer-events: none;
    }
    .heather {
      color: var(--hr-heather);
    }
    .number {
      text-align: right;
    }
    .tick {
      width: 18px;
      height: 18px;
      margin: 7px 0;
      accent-color: var(--hr-moss);
    }
    .radios {
      display: flex;
      flex-wrap: wrap;
      gap: 4px 14px;
      padding: 6px 0;
    }
    .radios label {
      display: inline-flex;
      align-items: center;
      gap: 5px;
    }
    .radios input {
      accent-color: var(--hr-moss);
    }
    .option {
      display: grid;
      grid-auto-columns: minmax(0, 1fr);
      grid-auto-flow: column;
      gap: 16px;
    }
    .moss {
      color: var(--hr-moss);
    }
    .hidden-date {
      position: absolute;
      width: 0;
      height: 0;
      padding: 0;
      border: 0;
      opacity: 0;
      pointer-events: none;
    }
  `,
})
export class ValueInputComponent {
  readonly field = input.required<Field>();
  readonly held = input.required<Held>();
  readonly reading = input.required<Reading>();
  readonly readonly = input(false);
  readonly inputId = input('');
  /** For inputs without a visible label, such as cells. */
  readonly label = input<string | null>(null);
  readonly describedBy = input<string | null>(null);
  /** A message from outside, such as a rule that is broken: the input only marks itself. */
  readonly refused = input(false);
  /** Whether there is a way to add a row to the other table here. */
  readonly canAdd = input(false);
  /** Where a lookup's choices come from. */
  readonly fetch = input<Fetch>(() => of([]));
  /** The row it stands in, which may narrow a lookup's choices. */
  readonly row = input<Readonly<Record<string, Value>> | null>(null);
  readonly changed = output<Held>();
  /** Somebody wants to add a row to the other table, with this text to begin with. */
  readonly adding = output<string>();
  readonly ADD = ADD;
  /** Whether the way in was a click, which puts the cursor somewhere itself. */
  pointed = false;

  private readonly control = viewChild<ElementRef<HTMLInputElement>>('control');
  private readonly trigger = viewChild(MatAutocompleteTrigger);
  private readonly toast = inject(Toast);
  private readonly destroyRef = inject(DestroyRef);
  private readonly list = viewChild(MatAutocomplete);
  private panel: HTMLElement | null = null;
  private seeking: Subscription | null = null;
  private readonly searches = new Subject<string>();
  /** What stands in the line while it is being typed in; null while the value is shown. */
  private readonly draft = signal<string | null>(null);
  readonly found = signal<readonly Choice[]>([]);
  /** The search that `found` answers. */
  private readonly answered = signal<string | null>(null);
  /**
   * What is offered: while the answer to what is typed is still under way, only those of the last answer
   * that go with it, so that Enter never takes what was found for another text.
   */
  readonly offered = computed(() => {
    const text = this.draft()?.trim().toLowerCase() ?? '';
    if (text === '' || this.answered()?.trim().toLowerCase() === text) return this.found();
    return this.found().filter((choice) =>
      choice.slice(1).some((shown) => String(shown).toLowerCase().includes(text)),
    );
  });
  private readonly kind = computed(() => valueKind(this.field().type));
  readonly numeric = computed(() => isNumeric(this.kind()));
  readonly choices = computed(() => {
    const { type } = this.field();
    return type.kind === 'choice' ? type.choices : [];
  });
  readonly asRadio = computed(() => {
    const { type } = this.field();
    return type.kind === 'choice' && type.as === 'radio';
  });
  /** A value that is no choice any more still shows. */
  readonly foreignChoice = computed(() => {
    const { value } = this.held();
    return typeof value === 'string' && !this.choices().includes(value) ? value : null;
  });
  readonly pattern = computed(() => {
    const { type } = this.field();
    return type.kind === 'text' ? (type.pattern ?? null) : null;
  });
  /** What was typed and matches nothing, where a missing row may be added. */
  readonly mayAdd = computed(() => {
    const { type } = this.field();
    const text = this.draft()?.trim() ?? '';
    const known = this.found().some(([, shown]) => shown.toLowerCase() === text.toLowerCase());
    const may = type.kind === 'lookup' && type.addHere === true && this.canAdd();
    // Not before the answer is there: Enter would add what is only being looked for.
    return may && text !== '' && !known && this.answered()?.trim() === text ? text : '';
  });
  readonly wrong = computed(() => this.refused() || this.held().problem !== undefined);
  readonly asDate = computed(() => {
    const { value } = this.held();
    return typeof value === 'string' && this.field().type.kind === 'date'
      ? new Date(`${value}T00:00:00`)
      : null;
  });
  readonly shown = computed(() => {
    const draft = this.draft();
    if (draft !== null) return draft;
    const { typed, text, value } = this.held();
    if (typed !== undefined) return typed;
    if (comesWithText(this.field())) return text ?? '';
    return showValue(this.kind(), value, this.reading().locale);
  });

  constructor() {
    this.searches
      .pipe(
        debounceTime(120),
        switchMap((search) =>
          this.fetch()(this.field().id, { search, row: this.row() }).pipe(
            map((choices) => ({ search, choices })),
            catchError((error: unknown) => this.failed(error)),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe(({ search, choices }) => {
        this.found.set(choices);
        this.answered.set(search);
      });
    // A value that comes from outside ends what is being typed.
    effect(() => {
      this.held();
      this.draft.set(null);
    });
  }

  /** Puts the cursor here, with all of the text picked, or behind a first character typed elsewhere. */
  focus(start?: string): void {
    const element = this.control()?.nativeElement;
    element?.focus();
    if (start !== undefined && element && 'select' in element) {
      this.draft.set(start);
      element.value = start;
      if (this.field().type.kind === 'lookup') this.search(start);
    } else element?.select?.();
  }

  /**
   * Shows the value as it is typed, at once and picked whole: a new text moves the cursor to its end, and
   * what was picked by the way in (such as Tab) can't be told yet. Not after a click, which
   * puts the cursor somewhere itself.
   */
  begin(element: HTMLInputElement): void {
    if (this.readonly() || this.held().typed !== undefined) return;
    const { value } = this.held();
    const text = editText(this.kind(), value, this.reading().locale);
    if (element.value !== text) {
      element.value = text;
      if (!this.pointed) element.select();
    }
    this.draft.set(text);
  }

  type(text: string): void {
    this.draft.set(text);
  }

  /** Lets what is typed fall into its places, as long as it is typed at the end and fits. */
  typeInto(element: HTMLInputElement, event: InputEvent): void {
    const text = element.value;
    const pattern = this.pattern();
    const parsed = pattern === null ? null : parsePattern(pattern);
    const atEnd = element.selectionStart === text.length;
    if (parsed?.ok && atEnd && !event.inputType.startsWith('delete')) {
      const fitted = fitPattern(parsed.slots, text);
      // What does not fit stays as it was typed: it is told when the field is left.
      if (fitted.misfit === null && fitted.text !== '') element.value = fitted.text;
    }
    this.draft.set(element.value);
  }

  colourOf(choice: string): string {
    const { type } = this.field();
    return type.kind === 'choice' ? (type.colours?.[choice] ?? '') : '';
  }

  /** A list with several columns is wider than a narrow input. */
  panelWidth(): number | string {
    const type = this.field().type;
    const columns = type.kind === 'lookup' ? (type.columns?.length ?? 0) : 0;
    const own = this.control()?.nativeElement.offsetWidth ?? 0;
    return columns === 0 ? '' : Math.max(own, 180 + 130 * columns);
  }

  open(): void {
    this.searches.next(this.held().typed ?? '');
  }

  search(text: string): void {
    this.seeking?.unsubscribe();
    this.draft.set(text);
    this.searches.next(text);
  }

  readonly asText = (choice: Choice | string | null): string =>
    Array.isArray(choice) ? String(choice[1]) : typeof choice === 'string' ? choice : '';

  choose({ option }: MatAutocompleteSelectedEvent): void {
    if (option.value === ADD) {
      const text = this.mayAdd();
      this.draft.set(null);
      this.adding.emit(text);
      return;
    }
    const [value, text] = option.value as Choice;
    this.draft.set(null);
    this.emit({ value, text });
  }

  pick({ value }: MatDatepickerInputEvent<Date>): void {
    if (!value) return;
    const pad = (n: number): string => String(n).padStart(2, '0');
    this.draft.set(null);
    this.emit({ value: `${value.getFullYear()}-${pad(value.getMonth() + 1)}-${pad(value.getDate())}` });
  }

  /**
   * What the field would hold if it were left now; nothing changes by asking. What cannot be read stays as
   * it was typed, with the reason; a lookup's text that is to be searched is marked as `sought`.
   */
  current(): Held {
    const [draft, held] = [this.draft(), this.held()];
    if (draft === null || this.readonly()) return held;
    const settled = held.problem === undefined;
    if (this.field().type.kind === 'lookup') {
      const text = draft.trim();
      if (settled && text === (held.text ?? '')) return held;
      if (text === '') return { value: null, text: null };
      return { value: held.value, text: held.text, typed: draft, sought: true };
    }
    const read = readValue(this.kind(), draft, this.reading());
    if (!read.ok) return { value: held.value, typed: draft, problem: read.message };
    return settled && read.value === held.value ? held : { value: read.value };
  }

  /** Takes what was typed. */
  leave(): void {
    this.pointed = false;
    const draft = this.draft();
    if (draft === null || this.readonly()) return;
    if (this.field().type.kind === 'lookup') {
      this.leaveLookup(draft);
      return;
    }
    const now = this.current();
    this.draft.set(null);
    if (now !== this.held()) this.emit(now);
  }

  /** Whether something is typed that has not been read yet. */
  get typing(): boolean {
    return this.draft() !== null;
  }

  private failed(error: unknown): Observable<never> {
    this.toast.problem(error);
    return EMPTY;
  }

  /** A press on a choice must not take the cursor away: the input would be left before anything is chosen. */
  holdFocus(): void {
    const panel = this.list()?.panel?.nativeElement as HTMLElement | undefined;
    if (!panel || panel === this.panel) return;
    this.panel = panel;
    panel.addEventListener('mousedown', (event) => event.preventDefault());
  }

  /** Says at once that something is sought, and what it is when that is known, however long it takes. */
  private leaveLookup(draft: string): void {
    const [was, now] = [this.held(), this.current()];
    this.draft.set(null);
    this.trigger()?.closePanel();
    if (now !== was) this.emit(now);
    if (now.sought !== true) return;
    this.seeking?.unsubscribe();
    this.seeking = this.fetch()(this.field().id, { search: draft.trim(), row: this.row() })
      .pipe(takeUntilDestroyed(this.destroyRef))
      .subscribe({
        next: (choices) => this.emit(sought(draft, choices, was)),
        error: (error: unknown) =>
          this.emit({
            value: was.value,
            text: was.text ?? null,
            typed: draft,
            problem: problemOf(error).detail,
          }),
      });
  }

  emit(held: Held): void {
    this.changed.emit(held);
  }
}
