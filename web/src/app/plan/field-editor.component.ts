import { afterNextRender, Component, computed, inject, input, output, viewChild } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { type Change, type Convert } from '@heathridge/core/change';
import { plainType, readFieldLine } from '@heathridge/core/plan';
import {
  fieldOf,
  isGiven,
  KIND_LABELS,
  nameFromLabel,
  searchedBy,
  uniqueName,
  type Field,
  type FieldType,
  type KindName,
  type Rule,
  type Table,
} from '@heathridge/core/design';
import { FileStore } from '../file/file.store';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { ConversionComponent } from './conversion.component';
import { DraftStore } from './draft.store';
import { LookupSettingsComponent } from './lookup-settings.component';
import type { Reshaping } from './reshape.dialog';
import { RuleEditorComponent } from './rule-editor.component';
import { TypeSettingsComponent } from '../file/type-settings.component';
import { LineComponent } from '../shared/line.component';
import { options, SelectComponent, type Option } from '../shared/select.component';
import { LazyDialogs } from '../shared/lazy-dialogs.service';

/** Everything about one field, as short phrases with choices. Each edit goes straight into the draft. */
@Component({
  selector: 'hr-field-editor',
  imports: [
    MatButton,
    MatIconButton,
    MatCheckboxModule,
    MatIconModule,
    ConversionComponent,
    ExpressionEditorComponent,
    LookupSettingsComponent,
    RuleEditorComponent,
    TypeSettingsComponent,
    LineComponent,
    SelectComponent,
  ],
  template: `
    @let type = field().type;
    <div class="grid">
      <hr-line
        label="Label"
        inputId="f-label"
        most="60"
        needed="A name is needed: the one it has stays."
        #label
        [hint]="
          'in expressions: ' +
          field().name +
          (applied() ? '' : '. Enter: the next new field, Ctrl+Enter: the last')
        "
        [value]="field().label"
        (changed)="rename($event)"
        (keydown.enter)="enter($event)"
        (keydown.control.enter)="end($event)"
        (paste)="paste($event)"
      />
      <hr-select
        label="Kind"
        inputId="f-kind"
        [options]="kinds()"
        [value]="type.kind"
        (changed)="setKind($event)"
      />
    </div>
    @if (type.kind === 'lookup') {
      <hr-lookup-settings [type]="type" [table]="table()" (changed)="setType($event)" />
    } @else {
      <hr-type-settings
        [type]="type"
        [catalog]="draft.catalog()"
        [table]="table().id"
        [applied]="applied()"
        (changed)="setType($event)"
        (choiceRenamed)="renameChoice($event)"
      />
    }
    @if (applied()) {
      <hr-conversion
        [table]="table()"
        [field]="field()"
        (changed)="setConvert($event)"
        (choicesFound)="addChoices($event)"
      />
    }

    @if (!isKey() && !given()) {
      <div class="ticks">
        @if (type.kind !== 'tick') {
          <mat-checkbox [checked]="field().alwaysFilled" (change)="set({ alwaysFilled: $event.checked })"
            >Always filled</mat-checkbox
          >
          @if (type.kind !== 'picture' && type.kind !== 'file') {
            <mat-checkbox [checked]="field().noTwoAlike" (change)="set({ noTwoAlike: $event.checked })"
              >No two alike</mat-checkbox
            >
          }
        }
        @if (type.kind === 'lookup') {
          <span class="soft small">indexed, like every link</span>
        } @else if (type.kind !== 'picture' && type.kind !== 'file') {
          <mat-checkbox [checked]="field().indexed" (change)="set({ indexed: $event.checked })"
            >Often searched or sorted: keep an index</mat-checkbox
          >
        }
      </div>
      @if (advice(); as reasons) {
        <p class="advice small">
          <mat-icon svgIcon="lightbulb" aria-hidden="true" /><span
            >{{ reasons }}
            {{ field().indexed ? 'is quick because of the index.' : 'would be quicker with an index.' }}</span
          >
        </p>
      }
      @if (type.kind !== 'picture' && type.kind !== 'file') {
        <div class="field">
          <span class="label">Starts as</span>
          <hr-expression-editor
            label="Starting value"
            [value]="field().start ?? ''"
            [catalog]="draft.catalog()"
            [table]="null"
            (changed)="setStart($event)"
          />
        </div>
        <hr-rule-editor
          prefix="f-rule"
          [table]="table()"
          [field]="field()"
          [rule]="field().rule"
          (changed)="setRule($event)"
        />
      }
    }
    <div class="row">
      <button
        matIconButton
        type="button"
        aria-label="Move this field up"
        [disabled]="place() === 0"
        (click)="move(-1)"
      >
        <mat-icon svgIcon="arrow_upward" />
      </button>
      <button
        matIconButton
        type="button"
        aria-label="Move this field down"
        [disabled]="place() === table().fields.length - 1"
        (click)="move(1)"
      >
        <mat-icon svgIcon="arrow_downward" />
      </button>
      <span class="grow"></span>
      @if (splittable()) {
        <button matButton="outlined" class="compact" type="button" (click)="reshape()">
          <mat-icon svgIcon="call_split" />Split or merge
        </button>
      }
      @if (!isKey()) {
        <button matButton="outlined" class="compact danger" type="button" (click)="dropped.emit()">
          <mat-icon svgIcon="delete" />Drop this field
        </button>
      }
    </div>
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
      padding: 2px 18px 14px 58px;
    }
    .grid {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 10px;
    }
    .ticks {
      display: flex;
      flex-wrap: wrap;
      gap: 6px 18px;
    }
    .advice {
      display: flex;
      gap: 6px;
      align-items: center;
      margin: -4px 0 0;
      color: var(--hr-gorse-deep);
    }
    .advice mat-icon {
      flex: none;
      width: 16px;
      height: 16px;
      font-size: var(--hr-text-large);
    }
  `,
})
export class FieldEditorComponent {
  readonly store = inject(FileStore);
  readonly draft = inject(DraftStore);
  private readonly dialogs = inject(LazyDialogs);
  readonly table = input.required<Table>();
  readonly field = input.required<Field>();
  /** Whether it begins with its name, as a field does that has just been added. */
  readonly begins = input(false);
  readonly begun = output();
  readonly dropped = output();
  /** The name of a new field stands, and the next is to follow. */
  readonly entered = output();
  /** The name of a new field stands, and it was the last. */
  readonly closed = output();
  /** Several lines were to be put in for its name. */
  readonly pasted = output<string>();
  private readonly line = viewChild.required<LineComponent>('label');

  constructor() {
    afterNextRender(() => {
      if (!this.begins()) return;
      this.line().select();
      this.begun.emit();
    });
  }

  private readonly was = computed(() => {
    const table = this.store.design().tables.find(({ id }) => id === this.table().id);
    return table && fieldOf(table, this.field().id);
  });
  /** Whether the field is in the file already. */
  readonly applied = computed(() => this.was() !== undefined);
  readonly isKey = computed(() => this.table().key.includes(this.field().id));
  readonly given = computed(() => isGiven(this.field()));
  readonly place = computed(() => this.table().fields.findIndex(({ id }) => id === this.field().id));
  readonly kinds = computed((): Option<KindName>[] =>
    options(Object.entries(KIND_LABELS) as [KindName, string][]).filter(
      ({ id }) => (this.isKey() && this.table().key.length === 1) || id !== 'runningNumber',
    ),
  );
  /** Only texts are split and merged, and only as the file holds them. */
  readonly splittable = computed(() => {
    const was = this.was();
    const text = ['text', 'longText', 'choice'].includes(this.field().type.kind);
    return (
      text &&
      !this.isKey() &&
      was !== undefined &&
      JSON.stringify(was.type) === JSON.stringify(this.field().type)
    );
  });

  /** What is searched or sorted by this field; empty where it has an index anyway, or needs none. */
  readonly advice = computed(() => {
    const { id, noTwoAlike, type } = this.field();
    if (type.kind === 'lookup' || noTwoAlike || this.given() || this.table().key[0] === id) return '';
    const reasons = searchedBy(this.draft.design(), this.table(), this.field());
    const text = [reasons.slice(0, -1).join(', '), reasons.at(-1) ?? '']
      .filter((part) => part !== '')
      .join(' and ');
    return text.charAt(0).toUpperCase() + text.slice(1);
  });

  set(patch: Parameters<DraftStore['changeField']>[2], convert?: Convert): void {
    this.draft.changeField(this.table().id, this.field().id, patch, convert);
  }

  rename(label: string): void {
    // The first name of a new field may tell its kind: `joined: date`, or the words alone.
    const isFresh =
      !this.applied() && this.field().type.kind === 'text' && this.field().label.startsWith('New field');
    const read = isFresh ? readFieldLine(label, this.draft.design()) : null;
    if (read && read.type.kind !== 'runningNumber') {
      const { type, alwaysFilled, noTwoAlike } = read;
      this.named(read.label, { type, alwaysFilled, noTwoAlike });
    } else this.named(label.trim());
  }

  enter(event: Event): void {
    // What is in the file already is only renamed.
    if (!this.applied()) this.goOn(event, () => this.entered.emit());
  }

  end(event: Event): void {
    this.goOn(event, () => this.closed.emit());
  }

  private goOn(event: Event, then: () => void): void {
    event.preventDefault();
    const { text } = this.line();
    if (text === null) return;
    this.rename(text);
    then();
  }

  paste(event: ClipboardEvent): void {
    const text = event.clipboardData?.getData('text/plain').trim() ?? '';
    if (!/[\r\n]/.test(text)) return;
    event.preventDefault();
    this.pasted.emit(text);
  }

  private named(text: string, more: Partial<Pick<Field, 'type' | 'alwaysFilled' | 'noTwoAlike'>> = {}): void {
    const others = this.table().fields.filter(({ id }) => id !== this.field().id);
    this.set({
      ...more,
      label: text,
      name: uniqueName(
        nameFromLabel(text, 'field'),
        others.map(({ name }) => name),
      ),
    });
  }

  setKind(kind: KindName): void {
    const was = this.was();
    // Back to the kind it has in the file: as it is there.
    const type = was?.type.kind === kind ? was.type : plainType(kind, this.draft.design());
    const free = kind === 'workedOut' || kind === 'stamp' || kind === 'runningNumber';
    this.set({
      type,
      ...(kind === 'tick' || free ? { alwaysFilled: false, noTwoAlike: false } : {}),
      // What no longer fits the kind is said by the draft; it is not thrown away for that.
      ...(free ? { indexed: false, start: null, rule: null } : {}),
    });
  }

  setType(type: FieldType): void {
    this.set({ type });
  }

  setConvert(convert: Convert): void {
    this.set({}, convert);
  }

  /** Rows that hold a choice by its old name get it by its new one. */
  renameChoice({ from, to }: { from: string; to: string }): void {
    const was = this.was();
    if (was?.type.kind !== 'choice') return;
    const change = this.draft
      .changes()
      .find((item) => item.change === 'changeField' && item.field === this.field().id);
    const known = change?.change === 'changeField' ? (change.convert?.instead ?? {}) : {};
    // A choice may be renamed twice before the draft is applied: what the rows hold is its first name.
    const first = Object.keys(known).find((old) => known[old] === from) ?? from;
    if (was.type.choices.includes(first)) this.set({}, { instead: { ...known, [first]: to } });
  }

  /** Adds choices; the one that a new Choice field begins with gives way to them. */
  addChoices(found: readonly string[]): void {
    const { type } = this.field();
    if (type.kind !== 'choice') return;
    const fresh = plainType('choice', this.draft.design());
    const own =
      type.choices.join() === (fresh.kind === 'choice' ? fresh.choices.join() : '') ? [] : type.choices;
    this.setType({ ...type, choices: [...own, ...found.filter((text) => !own.includes(text))] });
  }

  setStart({ text }: { text: string }): void {
    if (text !== (this.field().start ?? '')) this.set({ start: text.trim() === '' ? null : text });
  }

  setRule(rule: Rule | null): void {
    this.set({ rule });
  }

  move(by: number): void {
    this.draft.moveField(this.table().id, this.field().id, this.place() + by);
  }

  reshape(): void {
    const data: Reshaping = { table: this.table(), field: this.field() };
    this.dialogs
      .open<unknown, Reshaping, Change>(() => import('./reshape.dialog').then((m) => m.ReshapeDialog), {
        data,
      })
      .subscribe((change) => change && this.draft.add(change));
  }
}
