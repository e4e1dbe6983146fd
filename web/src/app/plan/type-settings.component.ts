import { Component, computed, forwardRef, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { attempt, bind, toStored, type Catalog } from '@heathridge/core/expression';
import { COLOURS, KIND_LABELS, type FieldType } from '@heathridge/core/design';
import { characters, parsePattern, readNumber, showNumber, toText } from '@heathridge/core/values';
import { FileStore } from '../file/file.store';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { readable, stampWords } from './describe';
import { MostDirective } from '../shared/most.directive';
import { SELECT } from '../shared/select';

type Worked = Extract<FieldType, { kind: 'workedOut' }>;
type Colour = (typeof COLOURS)[number];

/** Choices from which on they are searched, and that are shown at once. */
const [FEW, MORE] = [12, 30];

const RESULTS = ['text', 'wholeNumber', 'decimal', 'money', 'tick', 'date', 'time', 'dateTime'] as const;

/** What is asked of the values of a kind and how they are shown, as short phrases with inputs. */
@Component({
  selector: 'hr-type-settings',
  imports: [
    MatButtonModule,
    MostDirective,
    FormsModule,
    MatIconModule,
    ExpressionEditorComponent,
    forwardRef(() => TypeSettingsComponent),
    SELECT,
  ],
  template: `
    @let type = this.type();
    @switch (type.kind) {
      @case ('text') {
        <div class="field">
          <label [for]="id('most')">At most, characters</label>
          <input
            class="input"
            type="number"
            min="1"
            max="10000"
            placeholder="no limit"
            [id]="id('most')"
            [ngModel]="type.most"
            (change)="patch({ most: +$any($event.target).value || null })"
          />
        </div>
        <div class="field">
          <label [for]="id('pattern')">Pattern</label>
          <input
            class="input code"
            placeholder="none, such as A-9999"
            [id]="id('pattern')"
            [class.wrong]="patternProblem !== ''"
            [ngModel]="type.pattern ?? ''"
            (change)="setPattern($any($event.target).value)"
          />
          @if (patternProblem) {
            <p class="message" role="alert">{{ patternProblem }}</p>
          } @else {
            <span class="soft small">9 a digit, A a letter, X any character</span>
          }
        </div>
      }
      @case ('choice') {
        <div class="field wide" role="group" [attr.aria-label]="'Choices'">
          <span class="label">Choices, in their order</span>
          @if (type.choices.length > FEW) {
            <div class="row">
              <input
                class="input grow"
                type="search"
                placeholder="Find a choice"
                aria-label="Find a choice"
                [value]="sought()"
                (input)="seek($any($event.target).value)"
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
              <mat-select
                class="input colour"
                [aria-label]="'Colour of ' + choice"
                [class]="type.colours?.[choice] ?? ''"
                [ngModel]="type.colours?.[choice] ?? ''"
                (ngModelChange)="setColour(choice, $event)"
              >
                <mat-option value="">no colour</mat-option>
                @for (colour of colours; track colour) {
                  <mat-option [value]="colour">{{ colour }}</mat-option>
                }
              </mat-select>
              <span class="dot" [class]="type.colours?.[choice] ?? ''" aria-hidden="true"></span>
              <input
                class="input grow"
                hrMost="100"
                [attr.aria-label]="'Choice ' + (i + 1)"
                [ngModel]="choice"
                (change)="renameChoice(i, $any($event.target).value)"
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
            <button class="link small" type="button" (click)="shown.set(shown() + MORE)">
              Show {{ more() }} more
            </button>
          }
          <div class="row">
            <input
              #fresh
              class="input grow"
              hrMost="100"
              placeholder="Another choice"
              aria-label="Another choice"
              (keydown.enter)="addChoice(fresh)"
            />
            <button matButton="outlined" class="compact" type="button" (click)="addChoice(fresh)">
              <mat-icon svgIcon="add" />Choice
            </button>
          </div>
          @if (choiceProblem) {
            <p class="message" role="alert">{{ choiceProblem }}</p>
          }
        </div>
        <div class="field">
          <label [for]="id('as')">People choose from</label>
          <mat-select
            class="input"
            [id]="id('as')"
            [ngModel]="type.as ?? 'dropdown'"
            (ngModelChange)="patch({ as: $event })"
          >
            <mat-option value="dropdown">a list that drops down</mat-option>
            <mat-option value="radio">buttons beside one another</mat-option>
          </mat-select>
        </div>
      }
      @case ('date') {
        <div class="field">
          <label [for]="id('style')">Shown as</label>
          <mat-select
            class="input"
            [id]="id('style')"
            [ngModel]="type.style ?? 'short'"
            (ngModelChange)="patch({ style: $event })"
          >
            <mat-option value="short">4 Nov 2026</mat-option>
            <mat-option value="long">Wed 4 November 2026</mat-option>
            <mat-option value="numbers">04/11/2026, in the office’s order</mat-option>
            <mat-option value="iso">2026-11-04</mat-option>
          </mat-select>
        </div>
      }
      @case ('dateTime') {
        <div class="field">
          <label [for]="id('style')">Date shown as</label>
          <mat-select
            class="input"
            [id]="id('style')"
            [ngModel]="type.style ?? 'short'"
            (ngModelChange)="patch({ style: $event })"
          >
            <mat-option value="short">4 Nov 2026 14:30</mat-option>
            <mat-option value="long">Wed 4 November 2026 14:30</mat-option>
            <mat-option value="numbers">04/11/2026 14:30</mat-option>
            <mat-option value="iso">2026-11-04 14:30</mat-option>
          </mat-select>
        </div>
        <label class="tick"
          ><input
            type="checkbox"
            [checked]="type.seconds"
            (change)="patch({ seconds: $any($event.target).checked })"
          />
          With seconds</label
        >
      }
      @case ('time') {
        <label class="tick"
          ><input
            type="checkbox"
            [checked]="type.seconds"
            (change)="patch({ seconds: $any($event.target).checked })"
          />
          With seconds</label
        >
      }
      @case ('runningNumber') {
        <div class="field">
          <label [for]="id('prefix')">Prefix</label>
          <input
            class="input"
            hrMost="10"
            [id]="id('prefix')"
            [ngModel]="type.prefix"
            (change)="patch({ prefix: $any($event.target).value })"
          />
        </div>
        <div class="field">
          <label [for]="id('width')">Digits, at least</label>
          <input
            class="input"
            type="number"
            min="0"
            max="12"
            [id]="id('width')"
            [ngModel]="type.width"
            (change)="patch({ width: whole($any($event.target).value, 0, 12) })"
          />
        </div>
        <div class="field">
          <label [for]="id('first')">First number</label>
          <input
            class="input"
            type="number"
            min="1"
            [id]="id('first')"
            [disabled]="applied()"
            [ngModel]="type.first"
            (change)="patch({ first: whole($any($event.target).value, 1, 1e12) })"
          />
        </div>
      }
      @case ('stamp') {
        <div class="field wide">
          <label [for]="id('of')">Says</label>
          <mat-select
            class="input"
            [id]="id('of')"
            [ngModel]="type.of"
            (ngModelChange)="patch({ of: $event })"
          >
            @for (of of stamps; track of) {
              <mat-option [value]="of">{{ words(of) }}</mat-option>
            }
          </mat-select>
          <span class="soft small">Filled by Heathridge at every save; nobody types it.</span>
        </div>
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
        <div class="field">
          <label [for]="id('result')">Shown as</label>
          <mat-select
            class="input"
            [id]="id('result')"
            [ngModel]="type.result.kind"
            (ngModelChange)="setResult($event)"
          >
            @for (kind of results; track kind) {
              <mat-option [value]="kind">{{ labels[kind] }}</mat-option>
            }
          </mat-select>
        </div>
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
        <div class="field">
          <label [for]="id('places')">Decimal places</label>
          <input
            class="input"
            type="number"
            min="0"
            max="6"
            [id]="id('places')"
            [ngModel]="type.places"
            (change)="patch({ places: whole($any($event.target).value, 0, 6) })"
          />
        </div>
      }
      @if (type.kind === 'money') {
        <div class="field">
          <label [for]="id('currency')">Currency</label>
          <input
            class="input"
            hrMost="5"
            placeholder="the office’s"
            [id]="id('currency')"
            [ngModel]="type.currency ?? ''"
            (change)="patch({ currency: $any($event.target).value.trim() || null })"
          />
        </div>
      } @else {
        <div class="field">
          <label [for]="id('unit')">Unit, written after it</label>
          <input
            class="input"
            hrMost="12"
            placeholder="none"
            [id]="id('unit')"
            [ngModel]="type.unit ?? ''"
            (change)="patch({ unit: $any($event.target).value.trim() || null })"
          />
        </div>
      }
      @if (!shownOnly()) {
        <div class="field">
          <label [for]="id('least')">At least</label>
          <input
            class="input number"
            inputmode="decimal"
            placeholder="no limit"
            [id]="id('least')"
            [class.wrong]="boundProblem !== ''"
            [ngModel]="bound(type.least)"
            (change)="setBound('least', $any($event.target).value)"
          />
        </div>
        <div class="field">
          <label [for]="id('greatest')">At most</label>
          <input
            class="input number"
            inputmode="decimal"
            placeholder="no limit"
            [id]="id('greatest')"
            [ngModel]="bound(type.greatest)"
            (change)="setBound('greatest', $any($event.target).value)"
          />
        </div>
        @if (boundProblem) {
          <p class="message wide" role="alert">{{ boundProblem }}</p>
        }
      }
      @if (type.kind !== 'money') {
        <label class="tick wide"
          ><input
            type="checkbox"
            [checked]="type.plain"
            (change)="patch({ plain: $any($event.target).checked })"
          />
          No marks between thousands, as in a year or a house number</label
        >
      }
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: 1fr 1fr;
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
    .tick {
      align-self: end;
      padding-bottom: 6px;
    }
    .tick input {
      accent-color: var(--hr-moss);
    }
    .number {
      text-align: right;
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

  readonly colours = COLOURS;
  readonly labels = KIND_LABELS;
  readonly results = RESULTS;
  readonly stamps = ['createdAt', 'createdBy', 'changedAt', 'changedBy'] as const;
  readonly words = stampWords;
  private readonly locale = inject(FileStore).locale;
  patternProblem = '';
  choiceProblem = '';
  boundProblem = '';
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
    this.patternProblem = parsed && !parsed.ok ? parsed.message : '';
    if (!parsed || parsed.ok) this.patch({ pattern: pattern || null });
  }

  /** A bound as the office writes numbers. */
  bound(text: string | null | undefined): string {
    return text == null ? '' : showNumber(text, this.locale());
  }

  setBound(which: 'least' | 'greatest', text: string): void {
    const number = text.trim() === '' ? null : readNumber(text, this.locale());
    this.boundProblem = typeof number === 'string' ? number : '';
    if (typeof number !== 'string') this.patch({ [which]: number && toText(number) });
  }

  setColour(choice: string, colour: string): void {
    const type = this.type();
    if (type.kind !== 'choice') return;
    const { [choice]: _, ...others } = type.colours ?? {};
    this.patch({ colours: colour === '' ? others : { ...others, [choice]: colour as Colour } });
  }

  addChoice(input: HTMLInputElement): void {
    const type = this.type();
    const text = input.value.trim();
    // It says already that it is too long.
    if (characters(text) > 100) return;
    if (type.kind !== 'choice' || text === '' || !this.isNew(type.choices, text)) return;
    input.value = '';
    this.patch({ choices: [...type.choices, text] });
  }

  renameChoice(index: number, text: string): void {
    const type = this.type();
    const name = text.trim();
    if (type.kind !== 'choice') return;
    const from = type.choices[index]!;
    if (name === from) return;
    if (name === '')
      this.choiceProblem = `A choice cannot be empty: ${from} stays, or is taken out by its cross.`;
    if (name === '' || !this.isNew(type.choices, name)) return;
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
    this.choiceProblem = choices.includes(text) ? `There is a choice “${text}” already.` : '';
    return this.choiceProblem === '';
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

  whole(text: string, least: number, most: number): number {
    return Math.min(Math.max(Math.round(Number(text)) || least, least), most);
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
