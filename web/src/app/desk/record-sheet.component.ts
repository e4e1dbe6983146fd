import {
  afterNextRender,
  ChangeDetectorRef,
  Component,
  computed,
  ElementRef,
  inject,
  Injector,
  input,
  linkedSignal,
  output,
  viewChildren,
} from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';
import { MatTableModule } from '@angular/material/table';
import { of, type Observable } from 'rxjs';
import {
  comesWithText,
  fieldOf,
  isGiven,
  valueKind,
  type Field,
  type KindName,
} from '@heathridge/core/design';
import { isNumeric, showValue, sumShown, type Reading, type Value } from '@heathridge/core/values';
import { UNWORKED, why, type Fetch, type Held } from '../value/held';
import { ValueInputComponent } from '../value/value-input.component';
import { FIELD } from '../shared/field';
import { StripComponent } from '../shared/strip.component';
import { Toast } from '../shared/toast.service';
import { narrowedBy } from '../shared/narrowed';
import type { ChildState, RecordState, RowState } from './record.state';

/** What one can type or choose in. */
const INPUTS =
  'input:not([readonly]):not([disabled]):not([tabindex="-1"]), textarea:not([readonly]), mat-select:not([aria-disabled="true"])';

/** Columns of a subform that are no fields: none has such an id. */
const [REMOVING, MESSAGE] = [' removing', ' message'];

/** Rows of a subform that have inputs from the beginning: more of them would keep the page from opening. */
const LIVE_AT_ONCE = 40;

/** Pixels that a column needs for what its kind usually holds. */
const LEAST: Partial<Record<KindName, number>> = {
  date: 138,
  dateTime: 170,
  lookup: 186,
  text: 130,
  longText: 200,
  choice: 120,
};

/** A form with its subforms: on the Desk to work with, in Screens to be designed. */
@Component({
  selector: 'hr-record-sheet',
  imports: [
    MatTableModule,
    FIELD,
    MatButton,
    MatIconButton,
    MatIconModule,
    MatTooltipModule,
    StripComponent,
    ValueInputComponent,
  ],
  templateUrl: './record-sheet.component.html',
  styleUrl: './record-sheet.component.scss',
})
export class RecordSheetComponent {
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly toast = inject(Toast);
  private readonly injector = inject(Injector);
  private readonly changes = inject(ChangeDetectorRef);
  private readonly inputs = viewChildren(ValueInputComponent);
  private readonly values = new WeakMap<RowState, Readonly<Record<string, Value>>>();
  readonly state = input.required<RecordState>();
  readonly reading = input.required<Reading>();
  readonly fetch = input<Fetch>(() => of([]));
  /** Adds a row that a lookup misses, beginning with this text; gives what the lookup then holds. */
  readonly add = input<((field: Field, text: string) => Observable<Held | null>) | null>(null);
  /** While a form is designed its cells are picked, not typed into. */
  readonly designing = input(false);
  readonly picked = input<readonly string[]>([]);
  readonly cellPicked = output<{ readonly id: string; readonly more: boolean }>();
  readonly cellMoved = output<{ readonly id: string; readonly by: number }>();

  readonly cells = computed(() => {
    const state = this.state();
    const { rights } = state.form;
    const open = this.designing() || (state.record().key === null ? rights.add : rights.change);
    let tab = 0;
    return state.form.fields.flatMap(({ field: id, width, people }) => {
      const field = fieldOf(state.table, id);
      return field
        ? [
            {
              field,
              width,
              readonly: people === 'read' || isGiven(field) || !open,
              tab: people === 'read' || isGiven(field) ? '–' : String(++tab),
            },
          ]
        : [];
    });
  });

  /** Each subform with its cells and columns. */
  readonly subforms = computed(() =>
    this.state()
      .children()
      .map((child) => {
        const cells = this.fieldsOf(child);
        const ids = cells.map(({ field }) => field.id);
        return { child, cells, columns: this.designing() ? ids : [...ids, REMOVING] };
      }),
  );
  /** Rows that somebody has gone to: they keep their inputs, which may still be looking something up. */
  private readonly visited = linkedSignal<RecordState, ReadonlySet<string>>({
    source: this.state,
    computation: () => new Set(),
  });
  /** Rows that something is said about. */
  private readonly told = computed(
    () => new Set(Object.keys(this.state().errors()).map((at) => at.split(' ')[0]!)),
  );
  readonly removing = REMOVING;
  readonly message = MESSAGE;
  readonly messages = [MESSAGE];
  readonly byId = (_: number, { id }: RowState): string => id;

  /** Whether people may type into a row of a subform. */
  mayType({ subform: { rights } }: ChildState, row: RowState): boolean {
    return row.key === null ? rights.add : rights.change;
  }

  /** Whether a row has its inputs; in a long subform only where somebody has been, or must go. */
  isLive({ rows }: ChildState, row: RowState): boolean {
    return (
      rows.length <= LIVE_AT_ONCE ||
      row.key === null ||
      this.visited().has(row.id) ||
      this.told().has(row.id) ||
      Object.values(row.held).some(({ typed }) => typed !== undefined)
    );
  }

  /** Gives a row its inputs, within this key press or click: the next key is typed into one already. */
  enter(row: RowState, field: Field): void {
    this.visited.update((ids) => new Set(ids).add(row.id));
    this.changes.detectChanges();
    this.inputs()
      .find((input) => input.inputId() === row.id + field.id)
      ?.focus();
  }

  /** Whether people may take a row of a subform away: a new one always, it is only on the page. */
  mayRemove({ subform: { rights } }: ChildState, row: RowState): boolean {
    return row.key === null || rights.delete;
  }

  fieldsOf(child: ChildState): { field: Field; readonly: boolean }[] {
    return child.subform.fields.flatMap(({ field: id, people }) => {
      const field = fieldOf(child.table, id);
      return field ? [{ field, readonly: people === 'read' || isGiven(field) }] : [];
    });
  }

  held(row: RowState, field: Field): Held {
    return row.held[field.id] ?? { value: null };
  }

  /** The values of a row by field id, for lookups that it narrows. */
  valuesOf(row: RowState): Readonly<Record<string, Value>> {
    const known = this.values.get(row);
    if (known) return known;
    const stored = row.table.fields.filter((field) => !isGiven(field) || field.type.kind === 'runningNumber');
    const made = Object.fromEntries(stored.map(({ id }) => [id, row.held[id]?.value ?? null]));
    this.values.set(row, made);
    return made;
  }

  /** Takes a value; a lookup that it narrows is emptied when its choice no longer fits, and that is said. */
  take(row: RowState, field: Field, held: Held): void {
    this.state().change(row, field, held);
    if (held.problem !== undefined) return;
    const now = this.state().rowOfId(row.id);
    if (now) narrowedBy(now.table, field.id).forEach((other) => this.fit(now, field, other));
  }

  addFrom(row: RowState, field: Field, text: string): void {
    this.add()?.(field, text).subscribe((held) => held && this.take(row, field, held));
  }

  private fit(row: RowState, by: Field, field: Field): void {
    const { value, text } = this.held(row, field);
    if (typeof value !== 'string' && typeof value !== 'number') return;
    this.fetch()(field.id, { search: '', only: value, row: this.valuesOf(row) }).subscribe({
      next: (choices) => {
        const now = this.state().rowOfId(row.id);
        if (choices.length > 0 || !now || this.held(now, field).value !== value) return;
        this.state().change(now, field, { value: null, text: null });
        this.toast.say(
          `${field.label} was emptied: ${text ?? value} does not go with this ${by.label.toLowerCase()}.`,
        );
      },
      error: (error: unknown) => this.toast.problem(error),
    });
  }

  shown(row: RowState, field: Field): string {
    const { value, text, fault } = this.held(row, field);
    if (fault) return UNWORKED;
    if (comesWithText(field)) return text ?? '';
    if (value === null && (field.type.kind === 'runningNumber' || field.type.kind === 'stamp'))
      return 'given when saved';
    return showValue(valueKind(field.type), value, this.reading().locale);
  }

  /** The id of what the label of a field is for. */
  labelled(row: RowState, { id, type }: Field): string {
    return type.kind === 'tick' ? `${row.id}${id}-box-input` : row.id + id;
  }

  /** Why a value cannot be worked out; empty when it can. */
  why(row: RowState, field: Field): string {
    return why(this.held(row, field)) ?? '';
  }

  numeric(field: Field): boolean {
    return isNumeric(valueKind(field.type));
  }

  /** Pixels a column of a subform needs for what its kind usually holds. */
  least(field: Field): number {
    return LEAST[field.type.kind] ?? 90;
  }

  live(child: ChildState): number {
    return child.rows.filter(({ deleted }) => !deleted).length;
  }

  /** Exact sums of the money in a subform, for its foot. */
  sums(child: ChildState): { label: string; text: string }[] {
    return this.fieldsOf(child)
      .filter(({ field }) => field.type.kind === 'money')
      .map(({ field }) => {
        const live = child.rows.filter(({ deleted }) => !deleted);
        const values = live.map((row) => this.held(row, field).value);
        return {
          label: `Sum of ${field.label.toLowerCase()}`,
          text: sumShown(valueKind(field.type), values, this.reading().locale),
        };
      });
  }

  addRow(child: ChildState): void {
    const row = this.state().addChild(child.subform.link);
    afterNextRender(() => this.focusRow(row), { injector: this.injector });
  }

  /** Enter in the last row begins another; Ctrl+D takes the value from the row above. */
  rowKey(event: KeyboardEvent, child: ChildState, row: RowState, field: Field): void {
    if (
      event.key === 'Enter' &&
      !event.ctrlKey &&
      !event.shiftKey &&
      child.rows.at(-1)?.id === row.id &&
      child.subform.rights.add &&
      this.state().touched(row)
    ) {
      event.preventDefault();
      this.addRow(child);
    } else if (event.ctrlKey && event.key.toLowerCase() === 'd') {
      event.preventDefault();
      const above = child.rows[child.rows.findIndex(({ id }) => id === row.id) - 1];
      if (above) this.take(row, field, this.held(above, field));
    }
  }

  pick(event: MouseEvent | KeyboardEvent, id: string): void {
    if (!this.designing()) return;
    event.preventDefault();
    this.cellPicked.emit({ id, more: event.shiftKey || event.ctrlKey });
  }

  cellKey(event: KeyboardEvent, id: string): void {
    if (!this.designing()) return;
    if (event.key === 'Enter' || event.key === ' ') this.pick(event, id);
    const by =
      event.key === 'ArrowLeft' || event.key === 'ArrowUp'
        ? -1
        : event.key === 'ArrowRight' || event.key === 'ArrowDown'
          ? 1
          : 0;
    if (event.altKey && by !== 0) {
      event.preventDefault();
      this.cellMoved.emit({ id, by });
    }
  }

  /** Puts the cursor into the first field one can type into, or the first with a message. */
  focusFirst(wrong = false): void {
    const inputs = this.element.nativeElement.querySelectorAll<HTMLElement>(INPUTS);
    const target = wrong
      ? [...inputs].find((item) => item.getAttribute('aria-invalid') === 'true')
      : inputs[0];
    target?.focus();
  }

  private focusRow(row: RowState): void {
    this.element.nativeElement.querySelector<HTMLElement>(`[data-row="${row.id}"] :is(${INPUTS})`)?.focus();
  }
}
