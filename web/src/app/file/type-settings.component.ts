import { Component, computed, forwardRef, inject, input, output, signal } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { attempt, bind, toStored, type Catalog } from '@heathridge/core/expression';
import { COLOURS, KIND_LABELS, type FieldType } from '@heathridge/core/design';
import { parsePattern, readNumber, showNumber, toText } from '@heathridge/core/values';
import { FileStore } from './file.store';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { stampWords } from './describe';
import { readable } from '../shared/readable';
import { LineComponent } from '../shared/line.component';
import { options, SelectComponent } from '../shared/select.component';
import { WholeComponent } from '../shared/whole.component';
import { RoomComponent } from './room.component';

type Worked = Extract<FieldType, { kind: 'workedOut' }>;
type Colour = (typeof COLOURS)[number];

/** Choices from which on they are searched, and that are shown at once. */
const [FEW, MORE] = [12, 30];

const WAYS = options([
  ['dropdown', 'a list that drops down'],
  ['radio', 'buttons beside one another'],
] as const);
const DATES = options([
  ['short', '4 Nov 2026'],
  ['long', 'Wed 4 November 2026'],
  ['numbers', '04/11/2026, in the office’s order'],
  ['iso', '2026-11-04'],
] as const);
const MOMENTS = options([
  ['short', '4 Nov 2026 14:30'],
  ['long', 'Wed 4 November 2026 14:30'],
  ['numbers', '04/11/2026 14:30'],
  ['iso', '2026-11-04 14:30'],
] as const);
const RESULTS = ['text', 'wholeNumber', 'decimal', 'money', 'tick', 'date', 'time', 'dateTime'] as const;

/** What is asked of the values of a kind and how they are shown, as short phrases with inputs. */
@Component({
  selector: 'hr-type-settings',
  imports: [
    SelectComponent,
    MatButton,
    MatIconButton,
    MatCheckboxModule,
    MatIconModule,
    ExpressionEditorComponent,
    forwardRef(() => TypeSettingsComponent),
    LineComponent,
    RoomComponent,
    WholeComponent,
  ],
  template: `
    @let type = this.type();
    @switch (type.kind) {
      @case ('text') {
        <hr-whole
          label="At most, characters"
          [inputId]="id('most')"
          placeholder="no limit"
          mayBeEmpty
          least="1"
          greatest="10000"
          [value]="type.most ?? null"
          (changed)="patch({ most: $event })"
        />
        <hr-line
          label="Pattern"
          code
          placeholder="none, such as A-9999"
          hint="9 a digit, A a letter, X any character"
          [inputId]="id('pattern')"
          [problem]="patternProblem()"
          [value]="type.pattern ?? ''"
          (changed)="setPattern($event)"
        />
      }
      @case ('choice') {
        <div class="field wide" role="group" [attr.aria-label]="'Choices'">
          <span class="label">Choices, in their order</span>
          @if (type.choices.length > FEW) {
            <div class="row">
              <hr-line
                class="grow"
                type="search"
                placeholder="Find a choice"
                about="Find a choice"
                [value]="sought()"
                (typed)="seek($event)"
              />
              <span class="soft small" role="status"
                >{{ matching().length }} of {{ type.choices.length }}</span
              >
            </div>
          }
          @for (at of matching().slice(0, shown()); track at.i) {
            @let choice = at.choice;
            @let i = at.i;
            @let first = i === 0;
            @let last = i === type.choices.length - 1;
            <div class="row choice">
              <hr-select
                class="colour"
                compact
                [about]="'Colour of ' + choice"
                [options]="colours"
                [value]="type.colours?.[choice] ?? ''"
                (changed)="setColour(choice, $event)"
              />
              <span class="dot" [class]="type.colours?.[choice] ?? ''" aria-hidden="true"></span>
              <hr-line
                class="grow"
                most="100"
                [needed]="'A choice cannot be empty: ' + choice + ' stays, or is taken out by its cross.'"
                [about]="'Choice ' + (i + 1)"
                [value]="choice"
                (changed)="renameChoice(i, $event)"
              />
              <button
                matIconButton
                type="button"
                [attr.aria-label]="'Move ' + choice + ' up'"
                [disabled]="first"
                (click)="moveChoice(i, -1)"
              >
                <mat-icon svgIcon="arrow_upward" />
              </button>
              <button
                matIconButton
                type="button"
                [attr.aria-label]="'Move ' + choice + ' down'"
                [disabled]="last"
                (click)="moveChoice(i, 1)"
              >
                <mat-icon svgIcon="arrow_downward" />
              </button>
              <button
                matIconButton
                type="button"
                [attr.aria-label]="'Take ' + choice + ' out'"
                [disabled]="type.choices.length === 1"
                (click)="dropChoice(i)"
              >
                <mat-icon svgIcon="close" />
              </button>
            </div>
          }
          @if (matching().length > shown()) {
            <button matButton="text" class="words" type="button" (click)="shown.set(shown() + MORE)">
              Show {{ more() }} more
            </button>
          }
          <div class="row">
            <hr-line
              #fresh
              class="grow"
              most="100"
              placeholder="Another choice"
              about="Another choice"
              (keydown.enter)="addChoice(fresh)"
            />
            <button matButton="outlined" class="compact" type="button" (click)="addChoice(fresh)">
              <mat-icon svgIcon="add" />Choice
            </button>
          </div>
          @if (choiceProblem()) {
            <p class="message" role="alert">{{ choiceProblem() }}</p>
          }
        </div>
        <hr-select
          label="People choose from"
          [inputId]="id('as')"
          [options]="ways"
          [value]="type.as ?? 'dropdown'"
          (changed)="patch({ as: $event })"
        />
      }
      @case ('date') {
        <hr-select
          label="Shown as"
          [inputId]="id('style')"
          [options]="dates"
          [value]="type.style ?? 'short'"
          (changed)="patch({ style: $event })"
        />
      }
      @case ('dateTime') {
        <hr-select
          label="Date shown as"
          [inputId]="id('style')"
          [options]="moments"
          [value]="type.style ?? 'short'"
          (changed)="patch({ style: $event })"
        />
        <mat-checkbox [checked]="type.seconds" (change)="patch({ seconds: $event.checked })"
          >With seconds</mat-checkbox
        >
      }
      @case ('time') {
        <mat-checkbox [checked]="type.seconds" (change)="patch({ seconds: $event.checked })"
          >With seconds</mat-checkbox
        >
      }
      @case ('runningNumber') {
        <hr-line
          label="Prefix"
          [inputId]="id('prefix')"
          most="10"
          [value]="type.prefix"
          (changed)="patch({ prefix: $event })"
        />
        <hr-whole
          label="Digits, at least"
          [inputId]="id('width')"
          least="0"
          greatest="12"
          [value]="type.width"
          (changed)="patch({ width: $event! })"
        />
        <hr-whole
          label="First number"
          [inputId]="id('first')"
          [disabled]="applied()"
          least="1"
          greatest="1000000000000"
          [value]="type.first"
          (changed)="patch({ first: $event! })"
        />
      }
      @case ('picture') {
        <hr-room class="wide" />
      }
      @case ('file') {
        <hr-room class="wide" />
      }
      @case ('stamp') {
        <hr-select
          class="wide"
          label="Says"
          [inputId]="id('of')"
          [options]="stamps"
          hint="Filled by Heathridge at every save; nobody types it."
          [value]="type.of"
          (changed)="patch({ of: $event })"
        />
      }
      @case ('workedOut') {
        <div class="field wide">
          <span class="label">Worked out from</span>
          <hr-expression-editor
            label="Expression of this field"
            [value]="expression()"
            [catalog]="catalog()"
            [table]="table()"
            [optional]="false"
            (changed)="setExpression($event)"
          />
          <span class="soft small"
            >Fields of this row, of linked rows (order.customer.name), or totals over child rows
            (SUM(lines.amount)).</span
          >
        </div>
        <hr-select
          label="Shown as"
          [inputId]="id('result')"
          [options]="results"
          [value]="type.result.kind"
          (changed)="setResult($event)"
        />
        <hr-type-settings
          class="wide nested"
          [type]="type.result"
          [catalog]="catalog()"
          [table]="table()"
          [prefix]="prefix() + 'r'"
          [shownOnly]="true"
          (changed)="patch({ result: $any($event) })"
        />
      }
    }
    @if (type.kind === 'wholeNumber' || type.kind === 'decimal' || type.kind === 'money') {
      @if (type.kind !== 'wholeNumber') {
        <hr-whole
          label="Decimal places"
          [inputId]="id('places')"
          least="0"
          greatest="6"
          [value]="type.places"
          (changed)="patch({ places: $event! })"
        />
      }
      @if (type.kind === 'money') {
        <hr-line
          label="Currency"
          [inputId]="id('currency')"
          most="5"
          placeholder="the office’s"
          [value]="type.currency ?? ''"
          (changed)="patch({ currency: $event.trim() || null })"
        />
      } @else {
        <hr-line
          label="Unit, written after it"
          [inputId]="id('unit')"
          most="12"
          placeholder="none"
          [value]="type.unit ?? ''"
          (changed)="patch({ unit: $event.trim() || null })"
        />
      }
      @if (!shownOnly()) {
        <hr-line
          label="At least"
          [inputId]="id('least')"
          [problem]="problems().least"
          placeholder="no limit"
          end
          inputmode="decimal"
          [value]="bound(type.least)"
          (changed)="setBound('least', $event)"
        />
        <hr-line
          label="At most"
          [inputId]="id('greatest')"
          [problem]="problems().greatest"
          placeholder="no limit"
          end
          inputmode="decimal"
          [value]="bound(type.greatest)"
          (changed)="setBound('greatest', $event)"
        />
      }
      @if (type.kind !== 'money') {
        <mat-checkbox class="wide" [checked]="type.plain" (change)="patch({ plain: $event.checked })"
          >No marks between thousands, as in a year or a house number</mat-checkbox
        >
      }
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 10px;
    }
    :host:empty {
      display: none;
    }
    .wide {
      grid-column: 1 / -1;
    }
    .choice {
      gap: 4px;
    }
    .choice + .choice {
      margin-top: 4px;
    }
    .colour {
      width: 96px;
    }
  `,
})
export class TypeSettingsComponent {
  readonly type = input.required<FieldType>();
  readonly catalog = input.required<Catalog>();
  readonly table = input.required<string>();
  readonly prefix = input('f');
  /** Whether the field is in the file already. */
  readonly applied = input(false);
  /** Only how values are shown, as for what is worked out. */
  readonly shownOnly = input(false);
  readonly changed = output<FieldType>();
  /** A choice got another name: rows that hold the old one are to hold the new. */
  readonly choiceRenamed = output<{ readonly from: string; readonly to: string }>();

  readonly colours = options([['', 'no colour'], ...COLOURS.map((colour) => [colour, colour] as const)]);
  readonly results = RESULTS.map((id) => ({ id, label: KIND_LABELS[id] }));
  readonly ways = WAYS;
  readonly dates = DATES;
  readonly moments = MOMENTS;
  readonly stamps = (['createdAt', 'createdBy', 'changedAt', 'changedBy'] as const).map((id) => ({
    id,
    label: stampWords(id),
  }));
  private readonly locale = inject(FileStore).locale;
  readonly patternProblem = signal('');
  readonly choiceProblem = signal('');
  /** What is wrong with each of the bounds. */
  readonly problems = signal({ least: '', greatest: '' });
  readonly FEW = FEW;
  readonly MORE = MORE;
  /** What the choices are searched for, and how many of those found are shown. */
  readonly sought = signal('');
  readonly shown = signal(MORE);
  readonly matching = computed(() => {
    const type = this.type();
    const text = this.sought().trim().toLowerCase();
    const all = type.kind === 'choice' ? type.choices.map((choice, i) => ({ choice, i })) : [];
    return text === '' ? all : all.filter(({ choice }) => choice.toLowerCase().includes(text));
  });
  readonly more = computed(() => Math.min(MORE, this.matching().length - this.shown()));
  readonly expression = computed(() => {
    const type = this.type();
    return type.kind === 'workedOut' ? readable(type.expression, this.catalog(), this.table()) : '';
  });

  id(name: string): string {
    return `${this.prefix()}-${name}`;
  }

  patch(set: Readonly<Record<string, unknown>>): void {
    this.changed.emit({ ...this.type(), ...set } as FieldType);
  }

  setPattern(text: string): void {
    const pattern = text.trim();
    const parsed = pattern === '' ? null : parsePattern(pattern);
    this.patternProblem.set(parsed && !parsed.ok ? parsed.message : '');
    if (!parsed || parsed.ok) this.patch({ pattern: pattern || null });
  }

  /** A bound as the office writes numbers. */
  bound(text: string | null | undefined): string {
    return text == null ? '' : showNumber(text, this.locale());
  }

  setBound(which: 'least' | 'greatest', text: string): void {
    const number = text.trim() === '' ? null : readNumber(text, this.locale());
    this.problems.update((all) => ({ ...all, [which]: typeof number === 'string' ? number : '' }));
    if (typeof number !== 'string') this.patch({ [which]: number && toText(number) });
  }

  setColour(choice: string, colour: string): void {
    const type = this.type();
    if (type.kind !== 'choice') return;
    const { [choice]: _, ...others } = type.colours ?? {};
    this.patch({ colours: colour === '' ? others : { ...others, [choice]: colour as Colour } });
  }

  addChoice(line: LineComponent): void {
    const type = this.type();
    // It says already that it is too long.
    const text = line.text?.trim() ?? '';
    if (type.kind !== 'choice' || text === '' || !this.isNew(type.choices, text)) return;
    line.clear();
    this.patch({ choices: [...type.choices, text] });
  }

  renameChoice(index: number, text: string): void {
    const type = this.type();
    const name = text.trim();
    if (type.kind !== 'choice') return;
    const from = type.choices[index]!;
    if (name === from || !this.isNew(type.choices, name)) return;
    const { [from]: colour, ...others } = type.colours ?? {};
    this.patch({
      choices: type.choices.map((choice, i) => (i === index ? name : choice)),
      colours: colour ? { ...others, [name]: colour } : others,
    });
    this.choiceRenamed.emit({ from, to: name });
  }

  seek(text: string): void {
    this.sought.set(text);
    this.shown.set(MORE);
  }

  private isNew(choices: readonly string[], text: string): boolean {
    this.choiceProblem.set(choices.includes(text) ? `There is a choice “${text}” already.` : '');
    return this.choiceProblem() === '';
  }

  moveChoice(index: number, by: number): void {
    const type = this.type();
    if (type.kind !== 'choice') return;
    const choices = [...type.choices];
    const [item] = choices.splice(index, 1);
    choices.splice(index + by, 0, item!);
    this.patch({ choices });
  }

  dropChoice(index: number): void {
    const type = this.type();
    if (type.kind === 'choice') this.patch({ choices: type.choices.filter((_, i) => i !== index) });
  }

  /** Takes an expression, and with it the way its result is shown when that no longer goes with it. */
  setExpression({ text, ok }: { text: string; ok: boolean }): void {
    const type = this.type();
    if (!ok || type.kind !== 'workedOut' || text === this.expression() || text.trim() === '') return;
    const expression = toStored(text, this.catalog(), this.table());
    const bound = attempt(() => bind(expression, { catalog: this.catalog(), table: this.table() }).bound);
    this.changed.emit({
      ...type,
      expression,
      result: bound.ok ? resultFor(bound.value.type, type.result) : type.result,
    });
  }

  setResult(kind: (typeof RESULTS)[number]): void {
    this.patch({ result: kind === 'decimal' || kind === 'money' ? { kind, places: 2 } : { kind } });
  }
}

/** The way a result of this type is shown: as it was, when that still goes. */
function resultFor(
  type: { readonly type: string; readonly places?: number },
  was: Worked['result'],
): Worked['result'] {
  const numbers = ['wholeNumber', 'decimal', 'money'];
  switch (type.type) {
    case 'number': {
      if (numbers.includes(was.kind)) return was;
      const places = Math.min(type.places ?? 0, 6);
      return places === 0 ? { kind: 'wholeNumber' } : { kind: 'decimal', places };
    }
    case 'boolean':
      return { kind: 'tick' };
    case 'date':
      return was.kind === 'date' ? was : { kind: 'date' };
    case 'time':
      return was.kind === 'time' ? was : { kind: 'time' };
    case 'instant':
      return was.kind === 'dateTime' ? was : { kind: 'dateTime' };
    default:
      return was.kind === 'text' ? was : { kind: 'text', most: null };
  }
}
