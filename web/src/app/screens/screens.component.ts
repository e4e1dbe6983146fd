import { Component, computed, inject, input, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { catchError, of, Subject, switchMap } from 'rxjs';
import {
  findField,
  showKey,
  tableOf,
  type Field,
  type Form,
  type FormCell,
  type FormPart,
  type Subform,
  type Table,
} from '@heathridge/core/design';
import {
  allParts,
  cellFor,
  cellsOf,
  formFromTable,
  partAt,
  shelfOf,
  subformFor,
  subformsOf,
  withColumn,
  withPartAdded,
  withPartAt,
  withPartMoved,
  type Shelf,
} from '@heathridge/core/form';
import type { RowKey } from '@heathridge/core/rows';
import { DetailsComponent } from '../frame/details.component';
import { DocumentPage } from '../file/document-page';
import { DOCUMENT_PARTS } from '../frame/document-parts';
import { RecordSheetComponent } from '../desk/record-sheet.component';
import { RecordState } from '../desk/record.state';
import { Api, type RecordData } from '../shared/api.service';
import { newId } from '../shared/ids';
import { LineComponent } from '../shared/line.component';
import { Toast } from '../shared/toast.service';

const WIDTHS = ([2, 3, 4, 6, 8, 12] as const).map((width) => [width, String(width)] as const);
/** Levels of subforms that a new form has: more of them are a press away. */
const LEVELS = 2;
const LOOKS = [
  ['grid', 'a grid'],
  ['cards', 'cards'],
] as const;
const NO_SHELF: Shelf = { fields: [], links: [] };
const MAY = [
  ['type', 'type'],
  ['read', 'read'],
] as const;

/** The subforms of a form, however deep, as text to be compared. */
const linksOn = ({ parts }: Form): string =>
  allParts(parts)
    .flatMap((part) => (part.part === 'subform' ? [part.link] : []))
    .join();

/** Forms with their subforms, designed on a record of the real data. */
@Component({
  selector: 'hr-screens',
  imports: [
    DetailsComponent,
    DOCUMENT_PARTS,
    LineComponent,
    MatButton,
    MatCheckboxModule,
    MatIconModule,
    RecordSheetComponent,
  ],
  host: { '(document:keydown)': 'keys($event)' },
  templateUrl: './screens.component.html',
  styleUrl: './screens.component.scss',
})
export class ScreensComponent extends DocumentPage<Form> {
  private readonly api = inject(Api);
  private readonly toast = inject(Toast);
  readonly widthChoices = WIDTHS;
  readonly mayChoices = MAY;
  readonly lookChoices = LOOKS;
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
  readonly data = signal<RecordData | null>(null);
  readonly picked = signal<readonly string[]>([]);
  private readonly previews = new Subject<{ form: Form; key: RowKey | null }>();

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

  make(): void {
    const options = this.store.design().tables.map(({ id, plural }) => ({ id, label: plural }));
    this.begin(
      {
        title: 'New form',
        label: 'What is it called on the Desk?',
        act: 'Make it',
        from: { label: 'From the table', options },
        hint: 'Every field gets its control, every table that links to it a subform.',
      },
      ({ name, from }) =>
        formFromTable(this.store.design(), tableOf(this.store.design(), from), newId('o'), name, LEVELS),
    );
  }

  pick({ id, more }: { id: string; more: boolean }): void {
    const isCell = (path: string): boolean =>
      partAt(this.form()?.parts ?? [], path.split('/'))?.part === 'cell';
    this.picked.update((known) => {
      if (!more || !isCell(id)) return known.length === 1 && known[0] === id ? [] : [id];
      return known.includes(id) ? known.filter((other) => other !== id) : [...known.filter(isCell), id];
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
  place(part: FormCell | Subform): void {
    this.set({ parts: withPartAdded(this.form()!.parts, part) });
    this.picked.set([part.part === 'cell' ? part.field : part.link]);
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
    const next = { ...form, ...patch };
    this.form.set(next);
    // The fields of a row come all; its rows within do where the form shows them.
    if (patch.parts && linksOn(next) !== linksOn(form))
      this.previews.next({ form: next, key: this.data()?.record.key ?? null });
  }

  protected override take(form: Form): void {
    super.take(form);
    this.data.set(null);
    this.picked.set([]);
    this.previews.next({ form, key: null });
  }
}
