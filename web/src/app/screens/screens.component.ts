import { NgTemplateOutlet } from '@angular/common';
import {
  afterNextRender,
  Component,
  computed,
  ElementRef,
  inject,
  Injector,
  input,
  signal,
  type WritableSignal,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';
import { catchError, concatMap, from, of, Subject, switchMap } from 'rxjs';
import {
  displayOf,
  findField,
  idOwners,
  idsUsed,
  showKey,
  type Field,
  type Form,
  type FormCell,
  type FieldType,
  type FormPart,
  type FormWorked,
  type Report,
  type Subform,
  type Table,
} from '@heathridge/core/design';
import {
  allParts,
  cellFor,
  cellsOf,
  formProblems,
  formSort,
  gathered,
  isFound,
  levelOf,
  levelTo,
  mapParts,
  movedInto,
  partAt,
  partId,
  placeOf,
  placesOf,
  shelfOf,
  subformFor,
  subformsOf,
  takenApart,
  withColumn,
  withPartAdded,
  withPartAt,
  withPartMoved,
  type Level,
  type Shelf,
} from '@heathridge/core/form';
import type { RowKey } from '@heathridge/core/rows';
import { DetailsComponent } from '../frame/details.component';
import { DocumentPage } from '../file/document-page';
import type { Listed } from '../frame/documents.component';
import { DOCUMENT_PARTS } from '../frame/document-parts';
import { RecordSheetComponent } from '../desk/record-sheet.component';
import { RecordState } from '../desk/record.state';
import { Api, type RecordData } from '../shared/api.service';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { newId } from '../shared/ids';
import { LineComponent } from '../shared/line.component';
import { options, SelectComponent, type Option } from '../shared/select.component';
import { TypeSettingsComponent } from '../file/type-settings.component';
import { StripComponent } from '../shared/strip.component';
import { Toast } from '../shared/toast.service';
import type { EverywhereDialog, NotPlaced } from './everywhere.dialog';
import type { NewFormDialog } from './new-form.dialog';
import { RowsShownComponent } from './rows-shown.component';
import { SumLinesComponent } from './sum-lines.component';

const WIDTHS = ([2, 3, 4, 6, 8, 12] as const).map((width) => [width, String(width)] as const);
/** Steps that can be undone. */
const MOST_STEPS = 100;
/** Places that are none of the parts': no id is like them. */
const [ON_FORM, NEW_SECTION, NEW_TABS] = ['-form', '-section', '-tabs'];
const NOTES = [
  ['heading', 'a heading'],
  ['note', 'a note'],
] as const;
const OPENS = options([
  ['first', 'the list and its first record'],
  ['blank', 'the list and a blank record'],
  ['entering', 'a blank record, for entering only'],
] as const);
const LOOKS = [
  ['grid', 'a grid'],
  ['cards', 'cards'],
] as const;
const LABELS = options([
  ['above', 'above it'],
  ['left', 'left of it'],
  ['end', 'left of it, at the right'],
  ['none', 'nowhere'],
] as const);
const NO_SHELF: Shelf = { fields: [], links: [] };
const MAY = [
  ['type', 'type'],
  ['read', 'read'],
] as const;

/** What decides which rows and values a form is shown with, as text to be compared. */
const readsOf = (form: Form): string =>
  JSON.stringify([
    form.conditions,
    form.order,
    allParts(form.parts).flatMap((part): unknown[] => {
      if (part.part === 'worked') return [[part.expression, part.result]];
      return part.part === 'subform' ? [[part.link, part.conditions, part.order, part.most, part.sums]] : [];
    }),
  ]);

/** Forms with their subforms, designed on a record of the real data. */
@Component({
  selector: 'hr-screens',
  imports: [
    DetailsComponent,
    DOCUMENT_PARTS,
    LineComponent,
    MatButton,
    MatIconButton,
    MatCheckboxModule,
    MatIconModule,
    MatTooltipModule,
    NgTemplateOutlet,
    RecordSheetComponent,
    RowsShownComponent,
    SelectComponent,
    StripComponent,
    SumLinesComponent,
    TypeSettingsComponent,
  ],
  host: { '(document:keydown)': 'keys($event)' },
  templateUrl: './screens.component.html',
  styleUrl: './screens.component.scss',
})
export class ScreensComponent extends DocumentPage<Form> {
  private readonly api = inject(Api);
  private readonly toast = inject(Toast);
  private readonly dialogs = inject(LazyDialogs);
  private readonly injector = inject(Injector);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  readonly widthChoices = WIDTHS;
  readonly mayChoices = MAY;
  readonly lookChoices = LOOKS;
  readonly labelChoices = LABELS;
  readonly openChoices = OPENS;
  readonly noteChoices = NOTES;
  readonly formRights = [
    ['add', 'add'],
    ['change', 'change'],
    ['delete', 'delete'],
  ] as const;
  readonly subformRights = [
    ['add', 'add rows'],
    ['change', 'change rows'],
    ['delete', 'delete rows'],
    ['relink', 'move rows to another record'],
  ] as const;
  protected override readonly speech = { one: 'screen', dropped: 'the rows it shows stay as they are' };
  override readonly wanted = input<string | undefined>(undefined, { alias: 'screen' });
  readonly form = this.document;
  /** The form as it was before each step, and as it was before each that was undone. */
  readonly past = signal<readonly Form[]>([]);
  readonly future = signal<readonly Form[]>([]);
  readonly data = signal<RecordData | null>(null);
  readonly picked = signal<readonly string[]>([]);
  private readonly previews = new Subject<{ form: Form; key: RowKey | null }>();

  /** What of the form is no longer there, or does not work. */
  readonly problems = computed(() => {
    const form = this.form();
    return form ? formProblems(this.store.design(), form) : [];
  });
  readonly table = computed(
    (): Table | null => this.store.design().tables.find(({ id }) => id === this.form()?.table) ?? null,
  );
  readonly state = computed((): RecordState | null => {
    const form = this.form();
    if (!form || !this.table()) return null;
    return new RecordState(this.store.design(), form, this.data(), {
      today: this.store.today(),
      now: `${this.store.today()}T00:00:00Z`,
    });
  });
  /** Fields and subforms of the form's own table that are not placed. */
  readonly shelf = computed((): Shelf => {
    const [form, table] = [this.form(), this.table()];
    return form && table ? shelfOf(this.store.design(), table, form.parts) : NO_SHELF;
  });
  private readonly pickedParts = computed(() =>
    this.picked().flatMap((id) => partAt(this.form()?.parts ?? [], id.split('/')) ?? []),
  );
  readonly pickedCells = computed(() =>
    this.pickedParts().filter((part): part is FormCell => part.part === 'cell'),
  );
  readonly pickedSubform = computed(
    (): Subform | null => this.pickedParts().find((part): part is Subform => part.part === 'subform') ?? null,
  );
  readonly pickedNames = computed(() =>
    this.pickedCells()
      .map(({ field }) => findField(this.store.design(), field)?.field.label ?? '')
      .join(', '),
  );
  readonly subformTable = computed(() => {
    const link = this.pickedSubform()?.link;
    return link === undefined ? null : (findField(this.store.design(), link)?.table ?? null);
  });
  /** What could stand in the subform that is picked, and does not. */
  readonly subformShelf = computed((): Shelf => {
    const [subform, table] = [this.pickedSubform(), this.subformTable()];
    return subform && table ? shelfOf(this.store.design(), table, subform.parts, subform.link) : NO_SHELF;
  });
  readonly subforms = computed(() => subformsOf(this.form()?.parts ?? []));

  constructor() {
    super();
    this.previews
      .pipe(
        switchMap(({ form, key }) =>
          this.api.previewForm(this.store.file, form, key).pipe(
            catchError((error: unknown) => {
              this.toast.problem(error);
              return of(null);
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((data) => this.data.set(data));
  }

  all(): readonly Form[] {
    return this.store.design().forms;
  }

  /** The screens, those marked that name what is no longer there. */
  readonly listed = computed((): Listed[] =>
    this.all().map((form) => ({
      id: form.id,
      label: form.label,
      warns: formProblems(this.store.design(), form).length > 0,
    })),
  );

  /** Takes everything out of the form that names what is no longer there. */
  mend(): void {
    const form = this.form();
    if (!form) return;
    const known = new Set(idOwners(this.store.design()).map(({ id }) => id));
    const gone = [...idsUsed(form)].filter((id) => /^[ft]_/.test(id) && !known.has(id));
    const mended = formSort.without(form, new Set(gone));
    if (mended) this.set(mended);
  }

  make(): void {
    const data = { design: this.store.design() };
    this.beginBy(() =>
      this.dialogs.open<NewFormDialog, typeof data, Form>(
        () => import('./new-form.dialog').then((m) => m.NewFormDialog),
        { data },
      ),
    );
  }

  pick({ id, more }: { id: string; more: boolean }): void {
    const isCell = (path: string): boolean =>
      partAt(this.form()?.parts ?? [], path.split('/'))?.part === 'cell';
    // Several are cells of one level: they are set, and put somewhere, together.
    const isBeside = (path: string): boolean =>
      isCell(path) && path.split('/').slice(0, -1).join() === id.split('/').slice(0, -1).join();
    this.picked.update((known) => {
      if (!more || !isCell(id)) return known.length === 1 && known[0] === id ? [] : [id];
      return known.includes(id) ? known.filter((other) => other !== id) : [...known.filter(isBeside), id];
    });
  }

  /** Changes every part that is picked. */
  private change(make: (part: FormPart) => FormPart | null): void {
    const parts = this.picked().reduce<FormPart[]>(
      (all, id) => withPartAt(all, id.split('/'), make),
      this.form()!.parts,
    );
    this.set({ parts });
  }

  /** The one part that is picked, where it is none of a field or subform. */
  readonly pickedPart = computed(() => {
    const [part, ...others] = this.pickedParts();
    return part && others.length === 0 ? part : null;
  });

  /** The parts around what is picked: those of its level, however they stand in sections and on tabs. */
  private readonly level = computed((): readonly FormPart[] => {
    const around = (this.picked()[0] ?? '').split('/').slice(0, -1);
    const parts = this.form()?.parts ?? [];
    const subform = around.length > 0 ? partAt(parts, around) : null;
    return subform?.part === 'subform' ? subform.parts : parts;
  });

  /** Where what is picked may stand. */
  readonly places = computed((): Option[] => [
    { id: ON_FORM, label: 'on the form itself' },
    ...placesOf(this.level()).map(({ id, label }) => ({ id, label: `in ${label}` })),
    { id: NEW_SECTION, label: 'in a new section' },
    { id: NEW_TABS, label: 'on a new tab' },
  ]);
  readonly place = computed(() => {
    const places = this.pickedParts().map((part) => placeOf(this.level(), partId(part)) ?? ON_FORM);
    return places.every((id) => id === places[0]) ? (places[0] ?? null) : null;
  });

  /** Puts what is picked into a section or on a tab, a new one too, or back on the form. */
  put(place: string): void {
    const ids = this.pickedParts().map(partId);
    const make = (parts: FormPart[]): FormPart =>
      place === NEW_SECTION
        ? { part: 'section', id: newId('s'), label: 'Section', parts }
        : { part: 'tabs', id: newId('x'), tabs: [{ id: newId('y'), label: 'Tab', parts }] };
    this.setLevel(
      place === NEW_SECTION || place === NEW_TABS
        ? gathered(this.level(), ids, make)
        : movedInto(this.level(), ids, place === ON_FORM ? null : place),
    );
  }

  private setLevel(parts: FormPart[]): void {
    const around = (this.picked()[0] ?? '').split('/').slice(0, -1);
    this.set({
      parts:
        around.length === 0
          ? parts
          : withPartAt(this.form()!.parts, around, (part) =>
              part.part === 'subform' ? { ...part, parts } : part,
            ),
    });
  }

  /** What stood in a section or on tabs stands in its place. */
  takeApart(): void {
    const part = this.pickedPart();
    if (!part) return;
    this.setLevel(takenApart(this.level(), partId(part)));
    this.picked.set([]);
  }

  /** Changes a note, a section or tabs that are picked. */
  setPart(patch: {
    readonly label?: string;
    readonly text?: string;
    readonly width?: number;
    readonly labelAt?: FormCell['labelAt'];
    readonly look?: 'heading' | 'note';
  }): void {
    this.change((part) => ({ ...part, ...patch }) as FormPart);
  }

  setTab(id: string, label: string): void {
    this.change((part) =>
      part.part === 'tabs'
        ? { ...part, tabs: part.tabs.map((tab) => (tab.id === id ? { ...tab, label } : tab)) }
        : part,
    );
  }

  addTab(): void {
    this.change((part) =>
      part.part === 'tabs'
        ? { ...part, tabs: [...part.tabs, { id: newId('y'), label: 'Another tab', parts: [] }] }
        : part,
    );
  }

  /** Takes a tab away; what stood on it stands on the one before, or the one behind the first. */
  dropTab(id: string): void {
    this.change((part) => {
      if (part.part !== 'tabs' || part.tabs.length < 2) return part;
      const at = part.tabs.findIndex((tab) => tab.id === id);
      const to = at === 0 ? 1 : at - 1;
      const moved = part.tabs[at]?.parts ?? [];
      return {
        ...part,
        tabs: part.tabs.flatMap((tab, i) =>
          i === at ? [] : [i === to ? { ...tab, parts: [...tab.parts, ...moved] } : tab],
        ),
      };
    });
  }

  /**
   * Puts something worked out on the form, or for the rows of the subform that is picked: what tells a row from
   * others, until another expression is written.
   */
  addWorked(): void {
    const subform = this.pickedSubform();
    const table = subform ? this.subformTable() : this.table();
    if (!table) return;
    const part: FormWorked = {
      part: 'worked',
      id: newId('w'),
      label: 'Worked out',
      width: 6,
      expression: displayOf(table),
      result: { kind: 'text', most: null },
    };
    if (!subform) return this.placeOn(part);
    const path = `${this.picked()[0]}/${part.id}`;
    this.setSubform({ parts: withPartAdded(subform.parts, part) });
    this.pickNew(path);
  }

  /** What is worked out, as settings for it have it. */
  typeOf({ expression, result }: FormWorked): FieldType {
    return { kind: 'workedOut', expression, result };
  }

  setWorked(type: FieldType): void {
    if (type.kind !== 'workedOut') return;
    const { expression, result } = type;
    this.change((part) => (part.part === 'worked' ? { ...part, expression, result } : part));
  }

  addNote(look: 'heading' | 'note'): void {
    const id = newId('n');
    const text = look === 'heading' ? 'Heading' : 'A note to those who fill this in.';
    this.set({ parts: [{ part: 'note', id, width: 12, look, text }, ...this.form()!.parts] });
    this.pickNew(id);
  }

  /** Picks what has come onto the form, and brings it into sight. */
  private pickNew(id: string): void {
    this.picked.set([id]);
    afterNextRender(
      () => this.element.querySelector('.canvas [aria-pressed="true"]')?.scrollIntoView({ block: 'nearest' }),
      { injector: this.injector },
    );
  }

  /** Makes what is picked as wide as its share of a row. */
  share(): void {
    const count = this.pickedCells().length;
    this.setPicked({ width: Math.max(2, Math.floor(12 / count)) });
  }

  undo(): void {
    this.goBack(this.past, this.future);
  }

  redo(): void {
    this.goBack(this.future, this.past);
  }

  private goBack(from: WritableSignal<readonly Form[]>, to: WritableSignal<readonly Form[]>): void {
    const [form, back] = [this.form(), from().at(-1)];
    if (!form || !back) return;
    from.update((all) => all.slice(0, -1));
    to.update((all) => [...all, form]);
    this.show(back);
  }

  override keys(event: KeyboardEvent): void {
    const letter = event.key.toLowerCase();
    const isTyping = event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement;
    if (event.ctrlKey && !isTyping && (letter === 'z' || letter === 'y')) {
      event.preventDefault();
      if (letter === 'y' || event.shiftKey) this.redo();
      else this.undo();
    } else super.keys(event);
  }

  setPicked(patch: Partial<FormCell>): void {
    this.change((part) => (part.part === 'cell' ? { ...part, ...patch } : part));
  }

  /** What all fields that are picked have alike; null where they differ. */
  pickedOf<K extends keyof FormCell>(key: K): FormCell[K] | null {
    const [first, ...others] = this.pickedCells();
    return first && others.every((item) => item[key] === first[key]) ? first[key] : null;
  }

  move({ id, by }: { id: string; by: number }): void {
    this.set({ parts: withPartMoved(this.form()!.parts, id.split('/'), by) });
  }

  movePicked(by: number): void {
    const [id] = this.picked();
    if (id) this.move({ id, by });
  }

  /** Takes what is picked off the form: it is on the shelf then. */
  hide(): void {
    this.change(() => null);
    this.picked.set([]);
  }

  /** Places a field, or the rows that lead here by a link, on the form. */
  placeOn(part: FormCell | FormWorked | Subform): void {
    this.set({ parts: withPartAdded(this.form()!.parts, part) });
    this.pickNew(partId(part));
  }

  /** Puts fields that are not placed on all forms and reports that are ticked, this one too. */
  everywhere(): void {
    const [table, form] = [this.table(), this.form()];
    if (!table || !form) return;
    const data: NotPlaced = { design: this.store.design(), table, fields: this.shelf().fields };
    this.dialogs
      .open<EverywhereDialog, NotPlaced, readonly (Form | Report)[]>(
        () => import('./everywhere.dialog').then((m) => m.EverywhereDialog),
        { data },
      )
      .pipe(
        concatMap((documents) => from(documents ?? [])),
        concatMap((document) => this.store.save(document)),
      )
      .subscribe({
        complete: () => {
          const now = this.all().find(({ id }) => id === form.id);
          if (now && now !== form) this.take(now);
        },
      });
  }

  cell(field: Field): FormCell {
    return cellFor(field);
  }

  rowsBy(link: Shelf['links'][number]): Subform {
    return subformFor(this.store.design(), link);
  }

  toggleRight(right: keyof Form['rights']): void {
    const { rights } = this.form()!;
    this.set({ rights: { ...rights, [right]: !rights[right] } });
  }

  toggleSubformRight(right: keyof Subform['rights']): void {
    const { rights } = this.pickedSubform()!;
    this.setSubform({ rights: { ...rights, [right]: !rights[right] } });
  }

  setSubform(patch: Partial<Subform>): void {
    this.change((part) => (part.part === 'subform' ? { ...part, ...patch } : part));
  }

  /** Where the labels of the fields that are picked stand; null where they differ. */
  readonly pickedLabel = computed(() => {
    const [first, ...others] = this.pickedCells().map(({ labelAt }) => labelAt ?? 'above');
    return first && others.every((place) => place === first) ? first : null;
  });
  /** The id of the table whose rows the part that is picked is worked out for. */
  readonly levelTable = computed(() => {
    const around = (this.picked()[0] ?? '').split('/').at(-2);
    return around === undefined
      ? (this.table()?.id ?? '')
      : (findField(this.store.design(), around)?.table.id ?? '');
  });
  /** The level of the subform that is picked. */
  readonly pickedLevel = computed((): Level | null => {
    const [form, id] = [this.form(), this.picked()[0]];
    const root = form && levelOf(this.store.design(), form);
    return root && id ? levelTo(root, id.split('/')) : null;
  });

  /** Where the labels of all controls stand; null where they differ. */
  readonly labelsAt = computed(() => {
    const places = allParts(this.form()?.parts ?? []).flatMap((part) =>
      part.part === 'cell' || part.part === 'worked' ? [part.labelAt ?? 'above'] : [],
    );
    return places.every((place) => place === places[0]) ? (places[0] ?? null) : null;
  });

  /** The fields in which a search may look. */
  readonly searched = computed(() => this.table()?.fields.filter(isFound) ?? []);

  toggleFound(id: string): void {
    const { finds = [] } = this.form()!;
    this.set({ finds: finds.includes(id) ? finds.filter((other) => other !== id) : [...finds, id] });
  }

  setLabels(labelAt: NonNullable<FormCell['labelAt']>): void {
    const parts = mapParts(this.form()!.parts, (part) =>
      part.part === 'cell' || part.part === 'worked' ? { ...part, labelAt } : part,
    );
    this.set({ parts });
  }

  toggleColumn(field: Field): void {
    const { parts } = this.pickedSubform()!;
    const table = this.subformTable()!;
    if (!this.hasColumn(field.id)) this.setSubform({ parts: withColumn(table, parts, cellFor(field)) });
    else if (this.columns().length > 1) this.setSubform({ parts: withPartAt(parts, [field.id], () => null) });
  }

  hasColumn(id: string): boolean {
    return this.columns().some(({ field }) => field === id);
  }

  columns(): readonly FormCell[] {
    return cellsOf(this.pickedSubform()!.parts);
  }

  /** Puts the rows that lead to those of the subform into it. */
  addWithin(link: Shelf['links'][number]): void {
    this.setSubform({ parts: [...this.pickedSubform()!.parts, subformFor(this.store.design(), link)] });
  }

  dropWithin(link: string): void {
    this.setSubform({ parts: withPartAt(this.pickedSubform()!.parts, [link], () => null) });
  }

  within(): readonly Subform[] {
    return subformsOf(this.pickedSubform()!.parts);
  }

  keyText(): string {
    const key = this.data()?.record.key;
    return key ? showKey(this.table()!, key, this.store.locale()) : '';
  }

  set(patch: Partial<Form>): void {
    const form = this.form();
    if (!form) return;
    this.past.update((all) => [...all.slice(1 - MOST_STEPS), form]);
    this.future.set([]);
    this.show({ ...form, ...patch });
  }

  private show(next: Form): void {
    const form = this.form();
    this.form.set(next);
    // The fields of a row come all; its rows within do where the form shows them.
    if (!form || readsOf(next) !== readsOf(form))
      this.previews.next({ form: next, key: this.data()?.record.key ?? null });
    this.picked.update((ids) => ids.filter((id) => partAt(next.parts, id.split('/'))));
  }

  protected override take(form: Form): void {
    super.take(form);
    this.past.set([]);
    this.future.set([]);
    this.data.set(null);
    this.picked.set([]);
    this.previews.next({ form, key: null });
  }
}
