import { NgTemplateOutlet } from '@angular/common';
import {
  afterNextRender,
  ChangeDetectorRef,
  Component,
  computed,
  effect,
  ElementRef,
  forwardRef,
  inject,
  Injector,
  input,
  linkedSignal,
  signal,
  untracked,
  viewChildren,
} from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatTableModule } from '@angular/material/table';
import { MatTabsModule } from '@angular/material/tabs';
import { MatTooltipModule } from '@angular/material/tooltip';
import { RouterLink } from '@angular/router';
import {
  isGiven,
  valueKind,
  type Field,
  type FormButton,
  type FormCell,
  type FormPart,
  type FormWorked,
  type KindName,
  type Subform,
} from '@heathridge/core/design';
import { allParts, cellsOf, partId, sumLines } from '@heathridge/core/form';
import { totalShown, type Total } from '@heathridge/core/values';
import { FIELD } from '../shared/field';
import { StripComponent } from '../shared/strip.component';
import { ValueInputComponent } from '../value/value-input.component';
import { PartDirective } from './part.directive';
import type { ListState, RecordState, RowState } from './record.state';
import { Sheet } from './sheet.service';
import { stopAt } from './tab-order';

/** What one can type or choose in. */
export const INPUTS =
  'input:not([readonly]):not([disabled]):not([tabindex="-1"]), textarea:not([readonly]), mat-select:not([aria-disabled="true"])';

/** Columns of a subform that are no fields: none has such an id. */
const [OPENING, REMOVING, BENEATH] = [' opening', ' removing', ' beneath'];

/** Cards that are drawn in one go: with the inputs of many the page would not hear anybody for a second. */
const CARDS_AT_ONCE = 3;

/** Characters that always fit a cell, however wide they are. */
const FIT = 15;

/** Pixels that a column needs for what its kind usually holds. */
const LEAST: Partial<Record<KindName, number>> = {
  date: 138,
  dateTime: 170,
  lookup: 186,
  text: 130,
  longText: 200,
  choice: 120,
};

/** What a total is called beneath its column. */
const TOTAL_WORDS: Readonly<Record<Total, (label: string) => string>> = {
  sum: (label) => `Sum of ${label}`,
  average: (label) => `Average ${label}`,
  least: (label) => `Least ${label}`,
  most: (label) => `Most ${label}`,
  count: (label) => `Filled: ${label}`,
};

type Group =
  | { readonly group: 'grid'; readonly id: string; readonly parts: readonly FormPart[] }
  | { readonly group: 'block'; readonly id: string; readonly part: FormPart };

/** Parts of a form for one row: cells and notes on the 12-column grid, between them sections, tabs and subforms. */
@Component({
  selector: 'hr-parts',
  imports: [
    FIELD,
    forwardRef(() => SubformComponent),
    MatButton,
    MatIconButton,
    MatIconModule,
    MatTabsModule,
    MatTooltipModule,
    PartDirective,
    RouterLink,
    ValueInputComponent,
  ],
  templateUrl: './parts.component.html',
  styleUrl: './parts.component.scss',
})
export class PartsComponent {
  readonly sheet = inject(Sheet);
  readonly parts = input.required<readonly FormPart[]>();
  readonly row = input.required<RowState>();
  /** The links of the subforms around. */
  readonly around = input<readonly string[]>([]);
  /** Parts that stand within others of the row, whose group has a name already. */
  readonly isInner = input(false);

  readonly groups = computed(() => {
    const groups: Group[] = [];
    for (const part of this.parts()) {
      const last = groups.at(-1);
      if (part.part === 'section' || part.part === 'tabs' || part.part === 'subform')
        groups.push({ group: 'block', id: partId(part), part });
      else if (last?.group === 'grid') groups[groups.length - 1] = { ...last, parts: [...last.parts, part] };
      else groups.push({ group: 'grid', id: partId(part), parts: [part] });
    }
    return groups;
  });
  readonly fields = computed(
    () => new Map(this.row().level.cells.map(({ field, cell }) => [cell.field, field])),
  );
  /** The place of each cell in the order of the Tab key. */
  private readonly tabs = computed(() => {
    const live = this.row().level.cells.filter(
      ({ cell, field }) => cell.people === 'type' && !isGiven(field),
    );
    return new Map(live.map(({ cell }, i) => [cell.field, String(i + 1)]));
  });

  /** The field of a cell, where it is there for the row. */
  fieldOf({ field: id }: FormCell): Field | null {
    const field = this.fields().get(id);
    return field && !this.sheet.isHidden(this.row(), field) ? field : null;
  }

  /** Whether the row is one of a subform that is not saved yet: only by its key is it known what to press for. */
  isTooNew(): boolean {
    return this.row().key === null && this.row().level.subform !== null;
  }

  press(button: FormButton): void {
    if (!this.isTooNew()) this.sheet.presses.next({ button, row: this.row(), path: this.around() });
  }

  /** What names a part for the Tab key, where its order was made by hand; null where the page has it anyway. */
  stopOf(part: FormPart): string | null {
    const row = this.row();
    return row.level.isByHand && !this.sheet.designing() ? stopAt(row, partId(part)) : null;
  }

  tab({ field }: FormCell): string {
    return this.tabs().get(field) ?? '–';
  }

  pathOf(part: FormPart): string {
    return [...this.around(), partId(part)].join('/');
  }

  listOf({ link }: Subform): ListState | null {
    return this.row().lists.find(({ level }) => level.link!.id === link) ?? null;
  }

  /** The tab to be shown: the first, until the cursor is to go to a field on another. */
  tabOf(part: FormPart): number {
    const wanted = this.sheet.wanted();
    if (part.part !== 'tabs' || !wanted) return 0;
    const at = part.tabs.findIndex(({ parts }) =>
      wanted.row === this.row().id
        ? cellsOf(parts).some(({ field }) => field === wanted.field)
        : allParts(parts).some((inner) => inner.part === 'subform' && this.holds(inner, wanted.row)),
    );
    return Math.max(at, 0);
  }

  private holds({ link }: Subform, id: string): boolean {
    const within = ({ lists }: RowState): boolean =>
      lists.some(({ rows }) => rows.some((row) => row.id === id || within(row)));
    return this.row().lists.some(
      ({ level, rows }) => level.link!.id === link && rows.some((row) => row.id === id || within(row)),
    );
  }

  /** Where the label of a control stands; at the end of its line beside it, or not to be seen. */
  labelAt({ labelAt }: FormCell | FormWorked): string {
    return `at-${labelAt ?? 'above'}`;
  }

  protected readonly idOf = partId;
}

/** The rows of a subform that lead to a row: in a grid, where what is within each unfolds beneath it, or as cards. */
@Component({
  selector: 'hr-subform',
  host: { '(window:beforeprint)': 'drawAll()' },
  imports: [
    forwardRef(() => PartsComponent),
    MatButton,
    MatIconButton,
    MatIconModule,
    MatTableModule,
    MatTooltipModule,
    NgTemplateOutlet,
    PartDirective,
    StripComponent,
    ValueInputComponent,
  ],
  templateUrl: './subform.component.html',
  styleUrl: './subform.component.scss',
})
export class SubformComponent {
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly injector = inject(Injector);
  private readonly changes = inject(ChangeDetectorRef);
  private readonly inputs = viewChildren(ValueInputComponent);
  readonly sheet = inject(Sheet);
  /** The row to which its rows lead. */
  readonly parent = input.required<RowState>();
  readonly list = input.required<ListState>();
  readonly around = input<readonly string[]>([]);

  /** How many of its rows are drawn; all that come later are, once those that it began with are there: cards by and by. */
  private readonly drawn = linkedSignal<RecordState, number>({
    source: () => this.sheet.state(),
    computation: () => {
      const rows = untracked(() => this.list().rows.length);
      const most = this.sheet.drawnAtOnce(rows);
      return rows > most ? most : Infinity;
    },
  });
  readonly rows = computed((): readonly RowState[] => {
    const [{ rows }, most] = [this.list(), this.drawn()];
    return rows.length > most ? rows.slice(0, most) : rows;
  });
  /**
   * The same for the grid, which looks anew for what stands beneath its rows when it is given another list. Rows beneath
   * that nobody sees would be two thirds of all that a record of many rows puts on the page.
   */
  readonly gridRows = computed((): readonly RowState[] => {
    const rows = this.rows();
    for (const row of rows) this.hasBeneath(0, row);
    return [...rows];
  });
  readonly subform = computed(() => this.list().level.subform!);
  readonly path = computed(() => [...this.around(), this.subform().link]);
  readonly id = computed(() => this.path().join('/'));
  readonly hasMore = computed(() => this.list().level.levels.length > 0);
  readonly columns = computed(() => {
    const { cells, worked } = this.list().level;
    const ids = [...cells.map(({ field }) => field.id), ...worked.map(({ id }) => id)];
    return [...(this.hasMore() ? [OPENING] : []), ...ids, ...(this.sheet.designing() ? [] : [REMOVING])];
  });
  /** What stands within the rows of a grid beside their cells: it is unfolded beneath them. */
  readonly within = computed(() =>
    this.subform().parts.filter(({ part }) => part !== 'cell' && part !== 'worked'),
  );
  /** Cells that somebody has gone to: they keep their inputs, which may still be looking something up. */
  private readonly visited = linkedSignal<RecordState, ReadonlySet<string>>({
    source: () => this.sheet.state(),
    computation: () => new Set(),
  });
  /** The cell that a pointer is over: what is pressed then is its input, with all that belongs to it. */
  readonly over = signal<string | null>(null);
  private readonly unfolded = signal<ReadonlySet<string>>(new Set());
  readonly opening = OPENING;
  readonly removing = REMOVING;
  readonly beneath = BENEATH;
  readonly beneaths = [BENEATH];
  /** One row at most: more of them under one name could be taken for each other as they come and go. */
  readonly hasBeneath = (_: number, row: RowState): boolean =>
    this.isOpen(row) || this.sheet.state().errorAt(row) !== '';
  readonly byId = (_: number, { id }: RowState): string => id;
  /** How many rows there are, those that were not read too. */
  readonly count = computed(() => {
    const { rows, unread } = this.list();
    return rows.filter(({ deleted }) => !deleted).length + unread;
  });

  constructor() {
    effect(() => {
      if (this.rows().length < this.list().rows.length)
        afterNextRender(() => setTimeout(() => this.drawn.update((drawn) => this.next(drawn))), {
          injector: this.injector,
        });
    });
  }

  private next(drawn: number): number {
    const next = this.subform().look === 'cards' ? drawn + CARDS_AT_ONCE : Infinity;
    return next < this.list().rows.length ? next : Infinity;
  }

  /** A page is printed with all that it has. */
  drawAll(): void {
    this.drawn.set(Infinity);
    this.changes.detectChanges();
  }

  /** Whether what is within a row is shown: by itself where something is wrong in it, never where the row goes. */
  isOpen(row: RowState): boolean {
    if (row.deleted) return false;
    if (this.unfolded().has(row.id)) return true;
    return row.lists.some(({ rows }) => rows.some((inner) => this.saysIn(inner)));
  }

  private saysIn(row: RowState): boolean {
    return (
      this.sheet.told().has(row.id) || row.lists.some(({ rows }) => rows.some((inner) => this.saysIn(inner)))
    );
  }

  /** What a row shows as a card: one that goes has nothing more to be typed within it. */
  partsOf(row: RowState): readonly FormPart[] {
    const { parts } = this.subform();
    return row.deleted ? parts.filter(({ part }) => part !== 'subform') : parts;
  }

  turn(row: RowState): void {
    this.unfolded.update((ids) => {
      const next = new Set(ids);
      if (!next.delete(row.id)) next.add(row.id);
      return next;
    });
  }

  /** How much is within a row, for who has not unfolded it: `2 lines, 1 part`. */
  held(row: RowState): string {
    return row.lists
      .map(({ level, rows, unread }) => {
        const count = rows.filter(({ deleted }) => !deleted).length + unread;
        return `${count} ${(count === 1 ? level.table.label : level.subform!.label).toLowerCase()}`;
      })
      .join(', ');
  }

  /**
   * Whether a cell has its input: where somebody has been, or must go. An input with all that belongs to it takes some
   * milliseconds, and a record has hundreds of cells that are only read.
   */
  isLive(row: RowState, field: Field): boolean {
    return (
      row.key === null ||
      this.visited().has(row.id + field.id) ||
      this.over() === row.id + field.id ||
      this.sheet.told().has(row.id) ||
      row.held[field.id]?.typed !== undefined
    );
  }

  /** A cell keeps its input from now on. */
  ready(row: RowState, field: Field): void {
    const id = row.id + field.id;
    if (!this.visited().has(id)) this.visited.update((ids) => new Set(ids).add(id));
  }

  /** Goes into the input of a cell within this key press or click: the next key is typed into it already. */
  enter(row: RowState, field: Field): void {
    this.ready(row, field);
    this.changes.detectChanges();
    this.inputs()
      .find((input) => input.inputId() === row.id + field.id)
      ?.focus();
  }

  /** Whether people may take a row away: a new one always, it is only on the page. */
  mayRemove(row: RowState): boolean {
    return row.key === null || this.list().level.rights.delete;
  }

  /** Whether a text may be wider than its cell. */
  isLong(text: string): boolean {
    return text.length > FIT;
  }

  /** Pixels a column needs for what its kind usually holds. */
  least(field: Field): number {
    return LEAST[field.type.kind] ?? 90;
  }

  /** Exact totals of its rows, for its foot; what was not read counts too, and where that is not known there is none. */
  readonly sums = computed((): { label: string; text: string }[] => {
    const { level, rows, unread, rest } = this.list();
    if (unread > 0 && !rest) return [];
    const live = rows.filter(({ deleted }) => !deleted);
    return sumLines(level).map(({ field, total }, i) => ({
      label: TOTAL_WORDS[total](field.label.toLowerCase()),
      text: totalShown(
        valueKind(field.type),
        total,
        live.map((row) => this.sheet.held(row, field).value),
        this.sheet.reading().locale,
        rest?.[i],
      ),
    }));
  });

  addRow(): void {
    const row = this.sheet.state().addChild(this.parent(), this.subform().link);
    if (this.hasMore()) this.unfolded.update((ids) => new Set(ids).add(row.id));
    this.drawn.set(Infinity);
    afterNextRender(() => this.focusRow(row), { injector: this.injector });
  }

  readMore(): void {
    this.sheet.more()?.(this.parent(), this.list());
  }

  /** Whether something stands in a row, what is being typed into it right now too. */
  private isFilled({ id }: RowState, event: KeyboardEvent): boolean {
    const { target } = event;
    // A key that chooses from a list has done its work.
    if (target instanceof HTMLElement && !event.defaultPrevented) {
      // What is typed is taken when it is left.
      target.blur();
      target.focus();
    }
    const now = this.sheet.state().rowOfId(id);
    return now !== undefined && this.sheet.state().touched(now);
  }

  /** Enter in the last row begins another; Ctrl+D takes the value from the row above. */
  rowKey(event: KeyboardEvent, row: RowState, field: Field): void {
    const { rows, level } = this.list();
    if (
      event.key === 'Enter' &&
      !event.ctrlKey &&
      !event.shiftKey &&
      rows.at(-1)?.id === row.id &&
      level.rights.add &&
      this.isFilled(row, event)
    ) {
      event.preventDefault();
      this.addRow();
    } else if (event.ctrlKey && event.key.toLowerCase() === 'd') {
      event.preventDefault();
      const above = rows[rows.findIndex(({ id }) => id === row.id) - 1];
      if (above) this.sheet.take(row, field, this.sheet.held(above, field));
    }
  }

  private focusRow(row: RowState): void {
    this.element.querySelector<HTMLElement>(`[data-row="${row.id}"] :is(${INPUTS})`)?.focus();
  }
}
