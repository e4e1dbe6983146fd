import { Component, computed, inject, input, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { catchError, of, Subject, switchMap } from 'rxjs';
import { fieldOf, showKey, tableOf, type Form, type Subform, type Table } from '@heathridge/core/design';
import { formFromTable, moved, widthOf } from '@heathridge/core/form';
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

type FormField = Form['fields'][number];

const WIDTHS = ([2, 3, 4, 6, 8, 12] as const).map((width) => [width, String(width)] as const);
const MAY = [
  ['type', 'type'],
  ['read', 'read'],
] as const;

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
  readonly shelf = computed(() =>
    (this.form()?.hidden ?? []).flatMap((id) => fieldOf(this.table()!, id) ?? []),
  );
  readonly pickedFields = computed(
    (): FormField[] => this.form()?.fields.filter(({ field }) => this.picked().includes(field)) ?? [],
  );
  readonly pickedSubform = computed(
    (): Subform | null => this.form()?.subforms.find(({ link }) => this.picked().includes(link)) ?? null,
  );
  readonly pickedNames = computed(() =>
    this.pickedFields()
      .map(({ field }) => fieldOf(this.table()!, field)?.label ?? '')
      .join(', '),
  );
  readonly subformTable = computed(() => {
    const link = this.pickedSubform()?.link;
    return link === undefined
      ? null
      : (this.store.design().tables.find((table) => fieldOf(table, link)) ?? null);
  });

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
        formFromTable(this.store.design(), tableOf(this.store.design(), from), newId('o'), name),
    );
  }

  pick({ id, more }: { id: string; more: boolean }): void {
    const subform = this.form()?.subforms.some(({ link }) => link === id);
    this.picked.update((known) => {
      if (!more || subform) return known.length === 1 && known[0] === id ? [] : [id];
      return known.includes(id)
        ? known.filter((other) => other !== id)
        : [...known.filter((other) => this.form()!.fields.some(({ field }) => field === other)), id];
    });
  }

  setPicked(patch: Partial<FormField>): void {
    const form = this.form()!;
    this.set({
      fields: form.fields.map((item) => (this.picked().includes(item.field) ? { ...item, ...patch } : item)),
    });
  }

  /** What all fields that are picked have alike; null where they differ. */
  pickedOf<K extends keyof FormField>(key: K): FormField[K] | null {
    const [first, ...others] = this.pickedFields();
    return first && others.every((item) => item[key] === first[key]) ? first[key] : null;
  }

  move({ id, by }: { id: string; by: number }): void {
    const form = this.form()!;
    const at = form.fields.findIndex(({ field }) => field === id);
    if (at >= 0) this.set({ fields: moved(form.fields, at, at + by) });
    const subform = form.subforms.findIndex(({ link }) => link === id);
    if (subform >= 0) this.set({ subforms: moved(form.subforms, subform, subform + by) });
  }

  movePicked(by: number): void {
    const [id] = this.picked();
    if (id) this.move({ id, by });
  }

  hide(): void {
    const form = this.form()!;
    const gone = this.pickedFields().map(({ field }) => field);
    this.set({
      fields: form.fields.filter(({ field }) => !gone.includes(field)),
      hidden: [...form.hidden, ...gone],
    });
    this.picked.set([]);
  }

  show(id: string): void {
    const form = this.form()!;
    const field = fieldOf(this.table()!, id)!;
    this.set({
      fields: [
        ...form.fields,
        { field: id, width: widthOf(field), people: field.type.kind === 'runningNumber' ? 'read' : 'type' },
      ],
      hidden: form.hidden.filter((other) => other !== id),
    });
    this.picked.set([id]);
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
    const form = this.form()!;
    const { link } = this.pickedSubform()!;
    this.set({ subforms: form.subforms.map((item) => (item.link === link ? { ...item, ...patch } : item)) });
  }

  showSubform(link: string): void {
    this.set({
      subforms: this.form()!.subforms.map((item) => (item.link === link ? { ...item, shown: true } : item)),
    });
    this.picked.set([link]);
  }

  toggleColumn(id: string): void {
    const { fields, link } = this.pickedSubform()!;
    const table = this.subformTable()!;
    const has = fields.some(({ field }) => field === id);
    const next = has
      ? fields.filter(({ field }) => field !== id)
      : table.fields
          .filter(
            (field) =>
              field.id !== link && (field.id === id || fields.some((item) => item.field === field.id)),
          )
          .map(
            (field) =>
              fields.find((item) => item.field === field.id) ?? {
                field: field.id,
                width: widthOf(field),
                people: field.type.kind === 'runningNumber' ? ('read' as const) : ('type' as const),
              },
          );
    if (next.length > 0) this.setSubform({ fields: next });
  }

  hasColumn(id: string): boolean {
    return this.pickedSubform()!.fields.some(({ field }) => field === id);
  }

  hiddenSubforms(): readonly Subform[] {
    return this.form()?.subforms.filter(({ shown }) => !shown) ?? [];
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
    if (patch.subforms) this.previews.next({ form: next, key: this.data()?.record.key ?? null });
  }

  protected override take(form: Form): void {
    super.take(form);
    this.data.set(null);
    this.picked.set([]);
    this.previews.next({ form, key: null });
  }
}
