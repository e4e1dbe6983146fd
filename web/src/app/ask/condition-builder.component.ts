import { Component, computed, DestroyRef, inject, input, output, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatChipsModule } from '@angular/material/chips';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';
import { finalize, of, type Observable } from 'rxjs';
import {
  anyLeading,
  conditionShapes,
  shapedCondition,
  valueKind,
  type Field,
  type FieldPath,
  type RowsLeading,
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
  /** How it was put together, in words. */
  readonly said: string;
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
      [inputId]="name() + '-field'"
      [options]="fieldOptions()"
      [value]="leading() ? leadingId() : '' + at()"
      (changed)="pick($event)"
    />
    @if (leading(); as rows) {
      @if (met().length > 0) {
        <mat-chip-set [attr.aria-label]="'Only ' + rows.label + ' that meet all of these'">
          @for (one of met(); track $index; let i = $index) {
            <mat-chip (removed)="unmeet(i)">
              {{ one.said }}
              <button matChipRemove type="button" [attr.aria-label]="'Take ' + one.said + ' out'">
                <mat-icon svgIcon="close" />
              </button>
            </mat-chip>
          }
        </mat-chip-set>
      }
      @if (isMeeting()) {
        <div class="within" role="group" [attr.aria-label]="'Only those ' + rows.label">
          <hr-condition-builder
            name="c-within"
            [asks]="'of ' + rows.label + ' only those where'"
            act="Only those"
            [isWritten]="false"
            [paths]="rows.paths"
            [reading]="reading()"
            [choices]="choices()"
            (made)="meet($event)"
          />
          <button matButton="text" class="compact" type="button" (click)="isMeeting.set(false)">
            Leave that
          </button>
        </div>
      } @else {
        <button matButton="outlined" class="compact" type="button" (click)="isMeeting.set(true)">
          {{ met().length === 0 ? 'Only those where…' : 'and where…' }}
        </button>
      }
    } @else {
      <hr-select
        label="how"
        [inputId]="name() + '-shape'"
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
    }
    @if (!isMeeting()) {
      <div class="row">
        <span class="grow code cut soft" dir="auto" [matTooltip]="isWritten() ? expression() : ''">{{
          isWritten() ? expression() : ''
        }}</span>
        <button
          matButton="filled"
          class="compact"
          type="button"
          [disabled]="expression() === ''"
          (click)="made.emit({ text: expression(), words: words(), said: said() })"
        >
          {{ act() }}
        </button>
      </div>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 10px;
    }
    .within {
      padding-inline-start: 12px;
      border-inline-start: 2px solid var(--hr-line);
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
  /** Rows that lead to the row, of which it may be asked whether there are any. */
  readonly rows = input<readonly RowsLeading[]>([]);
  /** What the lines are called, where one builder stands within another. */
  readonly name = input('c');
  /** What the button says. */
  readonly act = input('Add');
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
  readonly fieldOptions = computed((): Option[] => [
    ...this.paths().map(({ of: owner, field }, i): Option => ({
      id: String(i),
      label: owner ? `${owner} › ${field.label}` : field.label,
    })),
    ...this.rows().flatMap(({ label }, i): Option[] =>
      (['any', 'none'] as const).map((are) => ({
        id: `${are} ${i}`,
        label: are === 'any' ? `has ${label}` : `has no ${label}`,
        group: 'Rows that lead to it',
      })),
    ),
  ]);
  /** Of which rows it is asked whether there are any; none for a condition on a field. */
  protected readonly leadingId = signal('');
  protected readonly leading = computed(
    (): RowsLeading | undefined => this.rows()[+this.leadingId().split(' ')[1]!],
  );
  /** What those rows meet of which it is asked. */
  protected readonly met = signal<readonly Made[]>([]);
  protected readonly isMeeting = signal(false);
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
    const rows = this.leading();
    if (rows)
      return anyLeading(
        rows,
        this.are(),
        this.met().map(({ text }) => text),
      );
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
    if (this.leading()) return this.met().some(({ words }) => words !== '') ? this.said() : '';
    const { of: owner, field } = this.path();
    const given = this.shape().values === 'many' ? this.several() : [this.first()];
    const texts = given.flatMap(({ text }) => text ?? []);
    if (field.type.kind !== 'lookup' || texts.length === 0) return '';
    const name = (owner ? `${owner}’s ${field.label}` : field.label).toLowerCase();
    const some = [texts.slice(0, -1).join(', '), texts.at(-1)].filter(Boolean).join(' or ');
    return `${name} ${this.shape().id === '<>' ? 'is not' : 'is'} ${some}`;
  });

  /** How it was put together: `returned on is empty`. */
  protected readonly said = computed((): string => {
    const rows = this.leading();
    if (rows) {
      const met = this.met().map(({ said }) => said);
      const where = met.length === 0 ? '' : ` (where ${met.join(' and ')})`;
      return `has ${this.are() === 'any' ? '' : 'no '}${rows.label}${where}`;
    }
    if (this.words() !== '') return this.words();
    const { label, of: owner, field } = this.path();
    const shape = this.shape();
    const given =
      shape.values === 'many' ? this.several() : [this.first(), this.second()].slice(0, shape.values);
    const values = given.map((held) => this.shown(held)).join(shape.values === 2 ? ' to ' : ', ');
    return [(owner ? label : field.label).toLowerCase(), shape.label, values].filter(Boolean).join(' ');
  });

  private are(): 'any' | 'none' {
    return this.leadingId().startsWith('any') ? 'any' : 'none';
  }

  protected pick(id: string): void {
    this.choose(/^\d+$/.test(id) ? +id : 0);
    this.leadingId.set(/^\d+$/.test(id) ? '' : id);
    this.met.set([]);
    this.isMeeting.set(false);
  }

  protected meet(made: Made): void {
    this.met.update((all) => [...all, made]);
    this.isMeeting.set(false);
  }

  protected unmeet(index: number): void {
    this.met.update((all) => all.filter((_, i) => i !== index));
  }

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
