import { Component, computed, DestroyRef, inject, input, output, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatChipsModule } from '@angular/material/chips';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';
import { finalize, of, type Observable } from 'rxjs';
import {
  conditionShapes,
  shapedCondition,
  valueKind,
  type Field,
  type FieldPath,
} from '@heathridge/core/design';
import { showValue, type Reading, type Value } from '@heathridge/core/values';
import type { Fetch, Held } from '../value/held';
import { ValueInputComponent } from '../value/value-input.component';
import { PickComponent, type Pickable } from '../shared/pick.component';
import { SelectComponent, type Option } from '../shared/select.component';

/** A value that stands in rows, and in how many of them. */
export interface ValueThere {
  readonly value: string;
  readonly rows: number;
}

/** A condition that was put together. */
export interface Made {
  readonly text: string;
  /** Empty where the condition is read as it stands. */
  readonly words: string;
}

/** Puts a condition together from a field, a shape and values; the result is an expression. */
@Component({
  selector: 'hr-condition-builder',
  imports: [
    MatButton,
    MatChipsModule,
    MatIconModule,
    MatTooltipModule,
    PickComponent,
    SelectComponent,
    ValueInputComponent,
  ],
  template: `
    <hr-select
      first
      [label]="asks()"
      inputId="c-field"
      [options]="fieldOptions()"
      [value]="'' + at()"
      (changed)="choose(+$event)"
    />
    <hr-select
      label="how"
      inputId="c-shape"
      [options]="shapes()"
      [value]="shape().id"
      (changed)="shapeId.set($event)"
    />
    @if (shape().values !== 0) {
      @if (shape().values === 'many' && several().length > 0) {
        <mat-chip-set aria-label="Values">
          @for (held of several(); track held.value) {
            <mat-chip (removed)="drop(held)">
              {{ shown(held) }}
              <button matChipRemove type="button" [attr.aria-label]="'Take ' + shown(held) + ' out'">
                <mat-icon svgIcon="close" />
              </button>
            </mat-chip>
          }
        </mat-chip-set>
      }
      <div class="field">
        <span class="label">{{ WHAT[shape().values] }}</span>
        <hr-value-input
          label="Value"
          [field]="inputField()"
          [held]="first()"
          [reading]="reading()"
          [fetch]="fetch"
          (changed)="take($event)"
        />
      </div>
    }
    @if (offers()) {
      @if (there(); as list) {
        @if (list.length > 0) {
          <hr-pick about="Values that are there" [list]="offered()" (picked)="takeThere($event)" />
        } @else {
          <p class="soft small" role="status">Nothing stands there in any row.</p>
        }
      } @else {
        <button matButton="outlined" class="compact" type="button" [disabled]="looking()" (click)="look()">
          {{ looking() ? 'Looking …' : 'Pick one that is there…' }}
        </button>
      }
    }
    @if (shape().values === 2) {
      <div class="field">
        <span class="label">to</span>
        <hr-value-input
          label="Value to"
          [field]="inputField()"
          [held]="second()"
          [reading]="reading()"
          [fetch]="fetch"
          (changed)="second.set($event)"
        />
      </div>
    }
    <div class="row">
      <span class="grow code cut soft" dir="auto" [matTooltip]="isWritten() ? expression() : ''">{{
        isWritten() ? expression() : ''
      }}</span>
      <button
        matButton="filled"
        class="compact"
        type="button"
        [disabled]="expression() === ''"
        (click)="made.emit({ text: expression(), words: words() })"
      >
        Add
      </button>
    </div>
  `,
  styles: `
    :host {
      display: grid;
      gap: 10px;
    }
    hr-pick {
      max-height: 220px;
      overflow: auto;
    }
  `,
})
export class ConditionBuilderComponent {
  /** What the first value is called, after how many there are. */
  protected readonly WHAT = { 0: '', 1: 'what', 2: 'from', many: 'which' } as const;
  readonly reading = input.required<Reading>();
  /** Where the choices of lookups come from. */
  readonly choices = input.required<Fetch>();
  /** Whether the condition is shown as it is written, for those who read expressions. */
  readonly isWritten = input(true);
  /** What is written before the field. */
  readonly asks = input('Keep rows where');
  readonly paths = input.required<readonly FieldPath[]>();
  /** Tells which texts stand in a field; without it none are offered. */
  readonly values = input<((path: FieldPath) => Observable<readonly ValueThere[]>) | null>(null);
  /** The condition, and how it is read where it names rows of another table by their keys. */
  readonly made = output<Made>();
  readonly at = signal(0);
  readonly shapeId = signal('');
  readonly first = signal<Held>({ value: null });
  readonly second = signal<Held>({ value: null });
  /** The values of a shape that compares with several. */
  readonly several = signal<readonly Held[]>([]);
  readonly fieldOptions = computed(() =>
    this.paths().map(({ of: owner, field }, i): Option => ({
      id: String(i),
      label: owner ? `${owner} › ${field.label}` : field.label,
    })),
  );
  readonly path = computed(() => this.paths()[this.at()]!);
  readonly shapes = computed(() => conditionShapes(this.path().field.type));
  readonly shape = computed(() => this.shapes().find(({ id }) => id === this.shapeId()) ?? this.shapes()[0]!);
  /** A field of its own for the value's input: it may be empty and has no rule. */
  readonly inputField = computed((): Field => {
    const { field } = this.path();
    return field.type.kind === 'longText' ? { ...field, type: { kind: 'text', most: null } } : field;
  });
  readonly fetch: Fetch = (field, request) =>
    this.path().field.type.kind === 'lookup' ? this.choices()(field, request) : of([]);

  readonly expression = computed(() => {
    const { text, field } = this.path();
    return shapedCondition(text, field.type, this.shape(), this.valuesGiven());
  });
  private readonly destroyed = inject(DestroyRef);
  /** The texts that stand in the field, once they are asked for. */
  protected readonly there = signal<readonly ValueThere[] | null>(null);
  protected readonly looking = signal(false);
  protected readonly offers = computed(
    () => this.values() !== null && this.path().field.type.kind === 'text' && this.shape().values !== 0,
  );
  protected readonly offered = computed((): Pickable[] =>
    (this.there() ?? []).map(({ value, rows }) => ({
      id: value,
      label: value,
      note: `${rows.toLocaleString('en-GB')} ${rows === 1 ? 'row' : 'rows'}`,
    })),
  );
  private readonly valuesGiven = computed((): readonly Value[] => {
    const entered = [this.first(), this.second()].map(({ value, problem }) =>
      problem === undefined ? value : null,
    );
    const needed = this.shape().values;
    if (needed === 'many') return this.several().map(({ value }) => value);
    return entered.slice(0, needed);
  });

  /** In words where the values are keys, which tell nobody anything. */
  readonly words = computed(() => {
    const { of: owner, field } = this.path();
    const given = this.shape().values === 'many' ? this.several() : [this.first()];
    const texts = given.flatMap(({ text }) => text ?? []);
    if (field.type.kind !== 'lookup' || texts.length === 0) return '';
    const name = (owner ? `${owner}’s ${field.label}` : field.label).toLowerCase();
    const some = [texts.slice(0, -1).join(', '), texts.at(-1)].filter(Boolean).join(' or ');
    return `${name} ${this.shape().id === '<>' ? 'is not' : 'is'} ${some}`;
  });

  protected look(): void {
    const [asks, path] = [this.values(), this.path()];
    if (!asks) return;
    this.looking.set(true);
    asks(path)
      .pipe(
        finalize(() => this.looking.set(false)),
        takeUntilDestroyed(this.destroyed),
      )
      .subscribe((values) => {
        // Another field may be asked for by now.
        if (this.path() === path) this.there.set(values);
      });
  }

  choose(index: number): void {
    this.at.set(index);
    this.there.set(null);
    this.shapeId.set('');
    this.first.set({ value: null });
    this.second.set({ value: null });
    this.several.set([]);
  }

  /** One more value of several; the line is free for the next. */
  take(held: Held): void {
    const isMore = held.value !== null && held.problem === undefined && held.sought !== true;
    if (this.shape().values !== 'many' || !isMore) {
      this.first.set(held);
      return;
    }
    if (!this.several().some(({ value }) => value === held.value))
      this.several.update((all) => [...all, held]);
    this.first.set({ value: null });
  }

  /** One of the texts that are there: whoever picks it means it as it is, unless something else was chosen. */
  protected takeThere(value: string): void {
    if (this.shapeId() === '') this.shapeId.set('=');
    this.take({ value });
  }

  drop(held: Held): void {
    this.several.update((all) => all.filter((other) => other !== held));
  }

  shown({ value, text }: Held): string {
    return text ?? showValue(valueKind(this.path().field.type), value, this.reading().locale);
  }
}
