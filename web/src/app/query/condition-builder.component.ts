import { Component, computed, inject, input, output, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatTooltipModule } from '@angular/material/tooltip';
import { of } from 'rxjs';
import { sqlText } from '@heathridge/core/expression';
import { type Field, type FieldPath } from '@heathridge/core/design';
import { FileStore } from '../file/file.store';
import { Api } from '../shared/api.service';
import type { Fetch, Held } from '../value/held';
import { ValueInputComponent } from '../value/value-input.component';
import { SelectComponent, type Option } from '../shared/select.component';

interface Shape {
  readonly id: string;
  readonly label: string;
  /** How many values it compares with. */
  readonly values: 0 | 1 | 2;
}

const EMPTY: readonly Shape[] = [
  { id: 'filled', label: 'is filled', values: 0 },
  { id: 'empty', label: 'is empty', values: 0 },
];
const EQUAL: readonly Shape[] = [
  { id: '=', label: 'is', values: 1 },
  { id: '<>', label: 'is not', values: 1 },
];
const ORDER: readonly Shape[] = [
  { id: '<', label: 'is less than', values: 1 },
  { id: '<=', label: 'is at most', values: 1 },
  { id: '>', label: 'is more than', values: 1 },
  { id: '>=', label: 'is at least', values: 1 },
  { id: 'between', label: 'lies between', values: 2 },
];
const DATES: readonly Shape[] = [
  { id: 'past', label: 'is before today', values: 0 },
  { id: 'coming', label: 'is after today', values: 0 },
  { id: '<', label: 'is before', values: 1 },
  { id: '>', label: 'is after', values: 1 },
  { id: 'between', label: 'lies between', values: 2 },
];
const TEXTS: readonly Shape[] = [
  { id: 'holds', label: 'contains', values: 1 },
  { id: 'begins', label: 'begins with', values: 1 },
];

function shapesFor(field: Field): readonly Shape[] {
  switch (field.type.kind) {
    case 'tick':
      return [
        { id: 'yes', label: 'is ticked', values: 0 },
        { id: 'no', label: 'is not ticked', values: 0 },
      ];
    case 'date':
      return [...DATES, ...EQUAL, ...EMPTY];
    case 'text':
    case 'longText':
      return [...TEXTS, ...EQUAL, ...EMPTY];
    case 'choice':
    case 'lookup':
      return [...EQUAL, ...EMPTY];
    default:
      return [...EQUAL, ...ORDER, ...EMPTY];
  }
}

/** Puts a condition together from a field, a shape and values; the result is an expression. */
@Component({
  selector: 'hr-condition-builder',
  imports: [SelectComponent, MatButton, ValueInputComponent, MatTooltipModule],
  template: `
    <hr-select
      first
      label="Keep rows where"
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
    @if (shape().values > 0) {
      <div class="field">
        <span class="label">{{ shape().values === 2 ? 'from' : 'what' }}</span>
        <hr-value-input
          label="Value"
          [field]="inputField()"
          [held]="first()"
          [reading]="store.reading()"
          [fetch]="fetch"
          (changed)="first.set($event)"
        />
      </div>
    }
    @if (shape().values === 2) {
      <div class="field">
        <span class="label">to</span>
        <hr-value-input
          label="Value to"
          [field]="inputField()"
          [held]="second()"
          [reading]="store.reading()"
          [fetch]="fetch"
          (changed)="second.set($event)"
        />
      </div>
    }
    <div class="row">
      <span class="grow code cut soft" dir="auto" [matTooltip]="expression()">{{ expression() }}</span>
      <button
        matButton="filled"
        class="compact"
        type="button"
        [disabled]="expression() === ''"
        (click)="made.emit(expression())"
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
  `,
})
export class ConditionBuilderComponent {
  private readonly api = inject(Api);
  readonly store = inject(FileStore);
  readonly paths = input.required<readonly FieldPath[]>();
  readonly made = output<string>();
  readonly at = signal(0);
  readonly shapeId = signal('');
  readonly first = signal<Held>({ value: null });
  readonly second = signal<Held>({ value: null });
  readonly fieldOptions = computed(() =>
    this.paths().map(({ of: owner, field }, i): Option => ({
      id: String(i),
      label: owner ? `${owner} › ${field.label}` : field.label,
    })),
  );
  readonly path = computed(() => this.paths()[this.at()]!);
  readonly shapes = computed(() => shapesFor(this.path().field));
  readonly shape = computed(() => this.shapes().find(({ id }) => id === this.shapeId()) ?? this.shapes()[0]!);
  /** A field of its own for the value's input: it may be empty and has no rule. */
  readonly inputField = computed((): Field => {
    const { field } = this.path();
    return field.type.kind === 'longText' ? { ...field, type: { kind: 'text', most: null } } : field;
  });
  readonly fetch: Fetch = (field, request) =>
    this.path().field.type.kind === 'lookup' ? this.api.choices(this.store.file, field, request) : of([]);

  readonly expression = computed(() => {
    const { text } = this.path();
    const shape = this.shape();
    switch (shape.id) {
      case 'filled':
        return `${text} IS NOT NULL`;
      case 'empty':
        return `${text} IS NULL`;
      case 'yes':
        return text;
      case 'no':
        return `NOT ${text}`;
      case 'past':
        return `${text} < CURRENT_DATE`;
      case 'coming':
        return `${text} > CURRENT_DATE`;
    }
    const [a, b] = [this.literal(this.first()), this.literal(this.second())];
    if (a === '' || (shape.values === 2 && b === '')) return '';
    switch (shape.id) {
      case 'between':
        return `${text} BETWEEN ${a} AND ${b}`;
      case 'holds':
        return `${text} LIKE ${sqlText(`%${this.escaped(this.first())}%`)} ESCAPE '!'`;
      case 'begins':
        return `${text} LIKE ${sqlText(`${this.escaped(this.first())}%`)} ESCAPE '!'`;
      default:
        return `${text} ${shape.id} ${a}`;
    }
  });

  choose(index: number): void {
    this.at.set(index);
    this.shapeId.set('');
    this.first.set({ value: null });
    this.second.set({ value: null });
  }

  private escaped({ value }: Held): string {
    return String(value ?? '').replace(/[!%_]/g, '!$&');
  }

  private literal({ value, problem }: Held): string {
    if (value === null || problem !== undefined) return '';
    const kind = this.path().field.type.kind;
    if (kind === 'date') return `DATE ${sqlText(String(value))}`;
    if (typeof value === 'number') return String(value);
    return kind === 'money' || kind === 'decimal' ? String(value) : sqlText(String(value));
  }
}
