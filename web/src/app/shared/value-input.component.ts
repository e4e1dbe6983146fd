import type { ElementRef } from '@angular/core';
import { Component, computed, effect, inject, input, output, signal, viewChild } from '@angular/core';
import {
  MatAutocompleteModule,
  MatAutocompleteTrigger,
  type MatAutocompleteSelectedEvent,
} from '@angular/material/autocomplete';
import { MatDatepickerModule, type MatDatepickerInputEvent } from '@angular/material/datepicker';
import { MatIconModule } from '@angular/material/icon';
import { catchError, debounceTime, of, Subject, switchMap, type Observable } from 'rxjs';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { valueKind, type Field } from '@heathridge/core/design';
import { editText, isNumeric, readValue, showValue, type Reading, type Value } from '@heathridge/core/values';
import type { Choice } from './api.service';
import { Toast } from './toast.service';

/** What an input holds: the value, the text a lookup shows, and what was typed while it cannot be read. */
export interface Held {
  readonly value: Value;
  /** What a lookup shows of the row it leads to. */
  readonly text?: string | null;
  /** As typed, while it is no value: nothing typed is lost. */
  readonly typed?: string;
  readonly problem?: string;
}

/** The input for a field, after its kind: line, area, tick, choice, calendar or search in another table. */
@Component({
  selector: 'hr-value-input',
  imports: [MatAutocompleteModule, MatDatepickerModule, MatIconModule],
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
        </select>
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
            [displayWith]="asText"
            (optionSelected)="choose($event)"
          >
            @for (choice of found(); track choice[0]) {
              <mat-option [value]="choice">{{ choice[1] }}</mat-option>
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
            (focus)="begin()"
            (input)="type($any($event.target).value)"
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
              class="icon-btn inside"
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
      color: var(--heather);
    }
    .number {
      text-align: right;
    }
    .tick {
      width: 18px;
      height: 18px;
      margin: 7px 0;
      accent-color: var(--moss);
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
  /** Where a lookup's choices come from. */
  readonly fetch = input<(field: string, search: string) => Observable<readonly Choice[]>>(() => of([]));
  readonly changed = output<Held>();

  private readonly control = viewChild<ElementRef<HTMLInputElement>>('control');
  private readonly trigger = viewChild(MatAutocompleteTrigger);
  private readonly toast = inject(Toast);
  private readonly searches = new Subject<string>();
  /** What stands in the line while it is being typed in; null while the value is shown. */
  private readonly draft = signal<string | null>(null);
  readonly found = signal<readonly Choice[]>([]);
  private readonly kind = computed(() => valueKind(this.field().type));
  readonly numeric = computed(() => isNumeric(this.kind()));
  readonly choices = computed(() => {
    const { type } = this.field();
    return type.kind === 'choice' ? type.choices : [];
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
    if (this.field().type.kind === 'lookup') return text ?? '';
    return showValue(this.kind(), value, this.reading().locale);
  });

  constructor() {
    this.searches
      .pipe(
        debounceTime(120),
        switchMap((search) =>
          this.fetch()(this.field().id, search).pipe(catchError((error: unknown) => this.failed(error))),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((choices) => this.found.set(choices));
    // A value that comes from outside ends what is being typed.
    effect(() => {
      this.held();
      this.draft.set(null);
    });
  }

  /** Puts the cursor here, with all of the text picked. */
  focus(start?: string): void {
    const element = this.control()?.nativeElement;
    element?.focus();
    if (start !== undefined && element && 'select' in element) {
      this.draft.set(start);
      element.value = start;
      if (this.field().type.kind === 'lookup') this.search(start);
    } else element?.select?.();
  }

  begin(): void {
    if (this.readonly() || this.held().typed !== undefined) return;
    const { value } = this.held();
    this.draft.set(editText(this.kind(), value, this.reading().locale));
  }

  type(text: string): void {
    this.draft.set(text);
  }

  open(): void {
    this.searches.next(this.held().typed ?? '');
  }

  search(text: string): void {
    this.draft.set(text);
    this.searches.next(text);
  }

  readonly asText = (choice: Choice | string | null): string =>
    Array.isArray(choice) ? String(choice[1]) : typeof choice === 'string' ? choice : '';

  choose({ option }: MatAutocompleteSelectedEvent): void {
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

  /** Reads what was typed; what cannot be read stays as it was typed, with the reason. */
  leave(): void {
    const draft = this.draft();
    if (draft === null || this.readonly()) return;
    if (this.field().type.kind === 'lookup') {
      this.leaveLookup(draft);
      return;
    }
    const read = readValue(this.kind(), draft, this.reading());
    this.draft.set(null);
    if (!read.ok) this.emit({ value: this.held().value, typed: draft, problem: read.message });
    else if (read.value !== this.held().value || this.held().problem !== undefined)
      this.emit({ value: read.value });
  }

  /** Whether something is typed that has not been read yet. */
  get typing(): boolean {
    return this.draft() !== null;
  }

  private failed(error: unknown): Observable<Choice[]> {
    this.toast.problem(error);
    return of([]);
  }

  private leaveLookup(draft: string): void {
    // A click on a choice comes after the blur: the panel stays open until then.
    setTimeout(() => {
      if (this.draft() !== draft) return;
      const text = draft.trim();
      if (text === (this.held().text ?? '') && this.held().problem === undefined) {
        this.draft.set(null);
        return;
      }
      if (text === '') {
        this.draft.set(null);
        this.emit({ value: null, text: null });
        return;
      }
      this.fetch()(this.field().id, text).subscribe((choices) => {
        const exact = choices.filter(([, shown]) => shown.toLowerCase() === text.toLowerCase());
        const only = exact.length > 0 ? exact : choices;
        this.draft.set(null);
        this.trigger()?.closePanel();
        if (only.length === 1) this.emit({ value: only[0]![0], text: only[0]![1] });
        else
          this.emit({
            value: this.held().value,
            text: this.held().text,
            typed: draft,
            problem:
              only.length === 0
                ? `Nothing matches “${text}”.`
                : `Several match “${text}”: please choose one.`,
          });
      });
    }, 180);
  }

  emit(held: Held): void {
    this.changed.emit(held);
  }
}
