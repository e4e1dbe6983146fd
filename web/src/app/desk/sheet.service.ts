import { computed, inject, Injectable, signal } from '@angular/core';
import { Subject, type Observable } from 'rxjs';
import {
  isGiven,
  valueKind,
  type Field,
  type FormButton,
  type FormCell,
  type FormWorked,
} from '@heathridge/core/design';
import type { Beyond } from '@heathridge/core/form';
import { isNumeric, type Reading, type Value } from '@heathridge/core/values';
import { narrowedBy } from '../shared/narrowed';
import { Toast } from '../shared/toast.service';
import { isCut, why, type Fetch, type Held } from '../value/held';
import {
  isHidden,
  isShut,
  type ListState,
  type RecordState,
  type RowState,
  type Sought,
} from './record.state';
import { fieldShown, workedShown } from './shown';

/** Which part of a form somebody picks while it is designed; with `more`, beside those that are picked. */
export interface Pick {
  /** The path of the part: the links of the subforms around it, and its own id. */
  readonly id: string;
  readonly more: boolean;
}

/** A button that is pressed for a row; the links of the subforms around it. */
export interface Press {
  readonly button: FormButton;
  readonly row: RowState;
  readonly path: readonly string[];
}

/** A screen of the Desk on which the rows of a table are opened. */
export interface Place {
  /** What stands before the query of its address. */
  readonly link: readonly string[];
  readonly label: string;
}

/** What a record on the page is given. */
export interface SheetInputs {
  readonly state: () => RecordState;
  readonly reading: () => Reading;
  /** Looks up the choices of a lookup. */
  readonly fetch: () => Fetch;
  /** Adds a row that a lookup misses, beginning with this text; gives what the lookup then holds. */
  readonly add: () => ((field: Field, text: string) => Observable<Held | null>) | null;
  /** Reads the rows of a list that were not read yet. */
  readonly more: () => ((row: RowState, list: ListState) => void) | null;
  /** Reads what is worked out waits for of a row that a lookup has come to lead to. */
  readonly beyond: () => ((sought: Sought) => Observable<Beyond | null>) | null;
  /** Where the rows of tables are opened, by the id of the table. */
  readonly places: () => ReadonlyMap<string, Place>;
  /** While a form is designed its cells are picked, not typed into. */
  readonly designing: () => boolean;
  readonly picked: () => readonly string[];
}

/** Rows of subforms that are drawn with their record, of all together and of each in any case. */
const [DRAWN_AT_ONCE, DRAWN_ANYWAY] = [14, 3];

/** What all parts of a record on the page share: its state, and what becomes of what is typed. */
@Injectable()
export class Sheet {
  private readonly toast = inject(Toast);
  private readonly values = new WeakMap<RowState, Readonly<Record<string, Value>>>();
  private inputs!: SheetInputs;
  /** Where the cursor is to go: what hides it makes way. */
  readonly wanted = signal<{ readonly row: string; readonly field: string | null } | null>(null);
  readonly picks = new Subject<Pick>();
  readonly moves = new Subject<{ readonly id: string; readonly by: number }>();
  readonly presses = new Subject<Press>();
  readonly state = (): RecordState => this.inputs.state();
  readonly reading = (): Reading => this.inputs.reading();
  readonly fetch = (): Fetch => this.inputs.fetch();
  readonly add = (): ReturnType<SheetInputs['add']> => this.inputs.add();
  readonly more = (): ReturnType<SheetInputs['more']> => this.inputs.more();
  readonly designing = (): boolean => this.inputs.designing();
  /** Rows that something is said about. */
  readonly told = computed(() => new Set(Object.keys(this.state().errors()).map((at) => at.split(' ')[0]!)));

  private readonly asked = new WeakMap<RecordState, Set<string>>();
  /** How many rows of subforms may still be drawn together with the rest of a record. */
  private readonly room = new WeakMap<RecordState, number>();

  /**
   * How many of so many rows of a subform are drawn together with the rest of its record: as many as a screen holds, of
   * all its subforms together from above. The others follow as soon as those can be seen.
   */
  drawnAtOnce(rows: number): number {
    const state = this.state();
    const room = this.room.get(state) ?? DRAWN_AT_ONCE;
    const drawn = Math.min(rows, Math.max(room, DRAWN_ANYWAY));
    this.room.set(state, room - drawn);
    return drawn;
  }

  /** Asks for the rows that lookups have come to lead to, each once. */
  seek(): void {
    const [state, beyond] = [this.state(), this.inputs.beyond()];
    if (!beyond) return;
    const asked = this.asked.get(state) ?? new Set();
    this.asked.set(state, asked);
    for (const sought of state.sought()) {
      const name = `${sought.row} ${sought.link} ${sought.key}`;
      if (asked.has(name)) continue;
      asked.add(name);
      beyond(sought).subscribe({
        next: (row) => {
          asked.delete(name);
          state.know(sought, row);
        },
        error: (error: unknown) => this.toast.problem(error),
      });
    }
  }

  /** To be called once, before anything is drawn. */
  connect(inputs: SheetInputs): void {
    this.inputs = inputs;
  }

  /** Where the row is opened to which a lookup leads; null where that is nowhere. */
  placeOf(row: RowState, { id, type }: Field): (Place & { readonly key: string }) | null {
    if (type.kind !== 'lookup' || this.designing()) return null;
    const value = row.held[id]?.value;
    const place = this.inputs.places().get(type.table);
    if (!place || (typeof value !== 'string' && typeof value !== 'number')) return null;
    return { ...place, key: JSON.stringify([value]) };
  }

  held(row: RowState, field: Field): Held {
    return row.held[field.id] ?? { value: null };
  }

  /** Whether people may type into a row. */
  mayType({ key, level: { rights } }: RowState): boolean {
    return this.designing() || (key === null ? rights.add : rights.change);
  }

  private isShut(row: RowState, { id }: Field): boolean {
    return !this.designing() && isShut(row, id);
  }

  /** Whether a cell of a row is not there; while a form is designed all are. */
  isHidden(row: RowState, { id }: Field): boolean {
    return !this.designing() && isHidden(row, id);
  }

  /** Whether a cell of a row is only to be read. */
  isRead(row: RowState, field: Field, { people }: FormCell): boolean {
    return (
      people === 'read' ||
      isGiven(field) ||
      !this.mayType(row) ||
      this.isShut(row, field) ||
      isCut(row.held[field.id])
    );
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
    if (this.isHidden(row, field)) return '';
    return fieldShown(field, this.held(row, field), this.reading().locale);
  }

  workedShown(row: RowState, part: FormWorked): string {
    return workedShown(part, row.held[part.id], this.reading().locale);
  }

  /** The id of what the label of a field is for. */
  labelled(row: RowState, { id, type }: Field): string {
    return type.kind === 'tick' ? `${row.id}${id}-box-input` : row.id + id;
  }

  /** Why a value cannot be worked out; empty when it can. */
  why(row: RowState, field: Field): string {
    return this.whyOf(row, field.id);
  }

  /** The same of a field or a part. */
  whyOf(row: RowState, id: string): string {
    return why(row.held[id]) ?? '';
  }

  numeric(field: Field): boolean {
    return isNumeric(valueKind(field.type));
  }

  numericWorked({ result }: FormWorked): boolean {
    return isNumeric(valueKind(result));
  }

  isPicked(id: string): boolean {
    return this.inputs.picked().includes(id);
  }

  pick(event: MouseEvent | KeyboardEvent, id: string): void {
    if (!this.designing()) return;
    event.preventDefault();
    // The innermost part is meant: what is around it may be picked too.
    event.stopPropagation();
    this.picks.next({ id, more: event.shiftKey || event.ctrlKey });
  }

  partKey(event: KeyboardEvent, id: string): void {
    // What unfolds a row does so while it is designed too.
    if (!this.designing() || (event.target instanceof Element && event.target.closest('button'))) return;
    if (event.key === 'Enter' || event.key === ' ') this.pick(event, id);
    const by =
      event.key === 'ArrowLeft' || event.key === 'ArrowUp'
        ? -1
        : event.key === 'ArrowRight' || event.key === 'ArrowDown'
          ? 1
          : 0;
    if (event.altKey && by !== 0) {
      event.preventDefault();
      event.stopPropagation();
      this.moves.next({ id, by });
    }
  }
}
