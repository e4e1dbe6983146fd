import {
  Component,
  computed,
  DestroyRef,
  forwardRef,
  inject,
  signal,
  viewChild,
  type ElementRef,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import {
  MatAutocomplete,
  MatAutocompleteTrigger,
  type MatAutocompleteSelectedEvent,
} from '@angular/material/autocomplete';
import { MatIconModule } from '@angular/material/icon';
import { catchError, debounceTime, EMPTY, map, Subject, switchMap, type Subscription } from 'rxjs';
import type { Choice } from '../shared/api.service';
import { CHOICES_LIST } from '../shared/choices-list';
import { FIELD } from '../shared/field';
import { problemOf } from '../shared/problem';
import { Toast } from '../shared/toast.service';
import { sought, type Held } from './held';
import { TypedPart, ValuePart } from './value-part';

/** Stands among the choices for adding a row. */
const ADD = 'add';

/** A row of another table, found by typing what is shown of it. */
@Component({
  selector: 'hr-lookup-value',
  imports: [CHOICES_LIST, FIELD, MatIconModule],
  providers: [{ provide: ValuePart, useExisting: forwardRef(() => LookupValueComponent) }],
  template: `
    <mat-form-field [class.read]="at.readonly()">
      <input
        #line
        matInput
        autocomplete="off"
        dir="auto"
        [hrWrong]="at.wrong()"
        [id]="at.inputId()"
        [readonly]="at.readonly()"
        [attr.aria-label]="at.label()"
        [value]="shown()"
        [matAutocomplete]="list"
        [matAutocompleteDisabled]="at.readonly()"
        (input)="search(line.value)"
        (focus)="open()"
        (blur)="leave()"
      />
      @if (!at.readonly()) {
        <mat-icon matIconSuffix class="heather" svgIcon="arrow_drop_down" aria-hidden="true" />
      }
      @if (at.says()) {
        <mat-error>{{ at.says() }}</mat-error>
      }
    </mat-form-field>
    <mat-autocomplete
      #list="matAutocomplete"
      autoActiveFirstOption
      [displayWith]="asText"
      (opened)="opened()"
      (optionSelected)="choose($event)"
    >
      @for (choice of offered(); track choice[0]) {
        <mat-option [value]="choice"
          ><span class="option" [style.width.px]="optionWidth()"
            ><span dir="auto">{{ choice[1] }}</span>
            @for (column of choice.slice(2); track $index) {
              <span class="soft" dir="auto">{{ column }}</span>
            }
          </span></mat-option
        >
      }
      @if (mayAdd(); as text) {
        <mat-option [value]="ADD"
          ><span class="moss">Add “{{ text }}” here …</span></mat-option
        >
      }
    </mat-autocomplete>
  `,
  styles: `
    .heather {
      color: var(--hr-heather);
    }
    .moss {
      color: var(--hr-moss);
    }
    .option {
      display: grid;
      grid-auto-columns: minmax(0, 1fr);
      grid-auto-flow: column;
      gap: 16px;
    }
  `,
})
export class LookupValueComponent extends TypedPart {
  readonly ADD = ADD;
  private readonly toast = inject(Toast);
  private readonly destroyRef = inject(DestroyRef);
  private readonly line = viewChild.required<ElementRef<HTMLInputElement>>('line');
  private readonly trigger = viewChild.required(MatAutocompleteTrigger);
  private readonly list = viewChild.required(MatAutocomplete);
  private panel: HTMLElement | null = null;
  protected readonly optionWidth = signal<number | null>(null);
  private seeking: Subscription | null = null;
  private readonly searches = new Subject<string>();
  private readonly found = signal<readonly Choice[]>([]);
  /** The search that `found` answers. */
  private readonly answered = signal<string | null>(null);
  /**
   * What is offered: while the answer to what is typed is still under way, only those of the last answer that go with
   * it, so that Enter never takes what was found for another text.
   */
  readonly offered = computed(() => {
    const text = this.draft()?.trim().toLowerCase() ?? '';
    if (this.draft() === null) return this.withChosen();
    if (text === '' || this.answered()?.trim().toLowerCase() === text) return this.found();
    return this.found().filter((choice) =>
      choice.slice(1).some((shown) => String(shown).toLowerCase().includes(text)),
    );
  });
  /** What was typed and matches nothing, where a missing row may be added. */
  protected readonly mayAdd = computed(() => {
    const { type } = this.at.field();
    const text = this.draft()?.trim() ?? '';
    const known = this.found().some(([, shown]) => shown.toLowerCase() === text.toLowerCase());
    const may = type.kind === 'lookup' && type.addHere === true && this.at.canAdd();
    // Not before the answer is there: Enter would add what is only being looked for.
    return may && text !== '' && !known && this.answered()?.trim() === text ? text : '';
  });

  constructor() {
    super();
    this.searches
      .pipe(
        debounceTime(120),
        switchMap((search) =>
          this.at
            .fetch()(this.at.field().id, { search, row: this.at.row() })
            .pipe(
              map((choices) => ({ search, choices })),
              catchError((error: unknown) => {
                this.toast.problem(error);
                return EMPTY;
              }),
            ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe(({ search, choices }) => {
        this.found.set(choices);
        this.answered.set(search);
      });
  }

  protected override element(): HTMLInputElement {
    return this.line().nativeElement;
  }

  protected override type(text: string): void {
    this.search(text);
  }

  protected open(): void {
    this.measure();
    if (!this.at.readonly()) this.searches.next(this.at.held().typed ?? '');
  }

  protected search(text: string): void {
    this.seeking?.unsubscribe();
    this.draft.set(text);
    this.searches.next(text);
  }

  /**
   * Measures for the list of choices, which is wider than a narrow input where it has several columns. Only when somebody
   * comes here: a page with many lookups would else be laid out once for each, whenever anything on it changes.
   */
  private measure(): void {
    const columns = this.columns();
    const own = this.line().nativeElement.closest('mat-form-field')?.clientWidth ?? 0;
    const width = columns === 0 ? '' : Math.max(own, 180 + 130 * columns);
    this.list().panelWidth = width;
    // Of what stands in a choice of several columns, so that these lie below each other.
    this.optionWidth.set(width === '' ? null : width - 24);
  }

  private columns(): number {
    const { type } = this.at.field();
    return type.kind === 'lookup' ? (type.columns?.length ?? 0) : 0;
  }

  /** What was found, with the row that is chosen, which may lie behind the first of many. */
  private withChosen(): readonly Choice[] {
    const { value, text } = this.at.held();
    const found = this.found();
    const isThere = found.some(([key]) => key === value);
    const isRow = typeof value === 'number' || typeof value === 'string';
    return isThere || !isRow || !text || this.answered() === null ? found : [[value, text], ...found];
  }

  protected readonly asText = (choice: Choice | string | null): string =>
    Array.isArray(choice) ? String(choice[1]) : typeof choice === 'string' ? choice : '';

  protected choose({ option }: MatAutocompleteSelectedEvent): void {
    if (option.value === ADD) {
      const text = this.mayAdd();
      this.draft.set(null);
      this.at.add(text);
      return;
    }
    const [value, text] = option.value as Choice;
    this.draft.set(null);
    this.at.emit({ value, text });
  }

  override current(): Held {
    const [draft, held] = [this.draft(), this.at.held()];
    if (draft === null || this.at.readonly()) return held;
    const text = draft.trim();
    if (held.problem === undefined && text === (held.text ?? '')) return held;
    if (text === '') return { value: null, text: null };
    return { value: held.value, text: held.text, typed: draft, sought: true };
  }

  /** Says at once that something is sought, and what it is when that is known, however long it takes. */
  protected override leave(): void {
    const draft = this.draft();
    if (draft === null || this.at.readonly()) return;
    const [was, now] = [this.at.held(), this.current()];
    this.draft.set(null);
    this.trigger().closePanel();
    if (now !== was) this.at.emit(now);
    if (now.sought !== true) return;
    this.seeking?.unsubscribe();
    this.seeking = this.at
      .fetch()(this.at.field().id, { search: draft.trim(), row: this.at.row() })
      .pipe(takeUntilDestroyed(this.destroyRef))
      .subscribe({
        next: (choices) => this.at.emit(sought(draft, choices, was)),
        error: (error: unknown) =>
          this.at.emit({
            value: was.value,
            text: was.text ?? null,
            typed: draft,
            problem: problemOf(error).detail,
          }),
      });
  }

  /**
   * A press on a choice must not take the cursor away: the input would be left before anything is chosen. And the
   * list begins at the row that is chosen already, where nothing is typed yet.
   */
  protected opened(): void {
    const panel = this.list().panel?.nativeElement as HTMLElement | undefined;
    if (panel && panel !== this.panel) {
      this.panel = panel;
      panel.addEventListener('mousedown', (event) => event.preventDefault());
    }
    if (this.draft() !== null) return;
    const { value } = this.at.held();
    const at = this.offered().findIndex(([key]) => key === value);
    if (at < 0) return;
    setTimeout(() => {
      const option = this.list().options.get(at);
      if (!option || this.draft() !== null) return;
      this.list()._keyManager.setActiveItem(at);
      option._getHostElement().scrollIntoView({ block: 'nearest' });
    });
  }
}
