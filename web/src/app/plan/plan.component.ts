import {
  Component,
  computed,
  effect,
  inject,
  input,
  signal,
  untracked,
  ViewContainerRef,
  type OnDestroy,
} from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { RouterLink } from '@angular/router';
import { MatMenuModule } from '@angular/material/menu';
import { MatTooltipModule } from '@angular/material/tooltip';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { catchError, EMPTY, fromEvent, merge, switchMap, take } from 'rxjs';
import type { Change } from '@heathridge/core/change';
import {
  allLinks,
  fieldOf,
  linkWords,
  nameFromLabel,
  plainField,
  uniqueName,
  type Field,
  type Kept,
  type Link,
  type Settings,
  type Table,
} from '@heathridge/core/design';
import { FileStore } from '../file/file.store';
import { Api, type Place } from '../shared/api.service';
import type { Answer, Question } from '../shared/ask.dialog';
import { newId } from '../shared/ids';
import { NotReadComponent } from '../shared/not-read.component';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { Toast } from '../shared/toast.service';
import { DraftStripComponent } from './draft-strip.component';
import { DraftStore } from './draft.store';
import { askedOf } from '../file/describe';
import { TableFieldsComponent } from './table-fields.component';
import type { ChangesData } from './changes.dialog';
import type { Linking } from './link.dialog';
import { MapComponent } from './map.component';
import type { Offering } from './offers.dialog';
import type { Planned } from './plan-text.dialog';
import { TableEditorComponent } from './table-editor.component';

/** What a field is called before somebody has named it. */
const NEW_FIELD = 'New field';

/** Tables, fields, links and rules: the map at the left, the picked table at the right, the draft below. */
@Component({
  selector: 'hr-plan',
  imports: [
    MatButton,
    MatIconButton,
    MatIconModule,
    DraftStripComponent,
    TableFieldsComponent,
    MapComponent,
    MatMenuModule,
    MatTooltipModule,
    NotReadComponent,
    RouterLink,
    TableEditorComponent,
  ],
  templateUrl: './plan.component.html',
  styleUrl: './plan.component.scss',
})
export class PlanComponent implements OnDestroy {
  readonly api = inject(Api);
  private readonly dialogs = inject(LazyDialogs);
  private readonly toast = inject(Toast);
  private readonly container = inject(ViewContainerRef);
  readonly store = inject(FileStore);
  readonly draft = inject(DraftStore);

  /** The table to show, from the address. */
  readonly tableParam = input<string | undefined>(undefined, { alias: 'table' });
  readonly pickedId = signal<string | null>(null);
  readonly openField = signal<string | null>(null);
  /** The id of a field that has just been added and waits for its name. */
  readonly freshField = signal<string | null>(null);
  /** The id of the picked link. */
  readonly link = signal<string | null>(null);
  readonly editingTable = signal(false);
  readonly picked = computed(
    () =>
      this.draft.design().tables.find(({ id }) => id === this.pickedId()) ??
      this.draft.design().tables[0] ??
      null,
  );
  constructor() {
    this.readAhead();
    effect(() => {
      const wanted = this.tableParam();
      untracked(() => wanted && this.pickTable(wanted));
    });
  }

  ngOnDestroy(): void {
    this.draft.leave();
  }

  /**
   * Reads the code of what is likely to be wanted next, as soon as somebody moves: it is there then when it is wanted,
   * and no key is typed into nothing.
   */
  private readAhead(): void {
    merge(fromEvent(document, 'pointermove'), fromEvent(document, 'keydown'))
      .pipe(
        take(1),
        switchMap(() =>
          Promise.all([
            import('./field-editor.component'),
            import('./table-editor.component'),
            import('./draft-strip.component'),
            import('../shared/ask.dialog'),
            import('@heathridge/core/plan'),
          ]),
        ),
        // Whoever wants one of them then is told that it cannot be read.
        catchError(() => EMPTY),
        takeUntilDestroyed(),
      )
      .subscribe();
  }

  pickTable(id: string): void {
    if (id !== this.pickedId()) this.openField.set(null);
    this.pickedId.set(id);
    this.link.set(null);
  }

  pickLink({ id, child, on }: Link): void {
    this.pickedId.set(child.id);
    this.openField.set(on.length === 1 ? id : null);
    this.editingTable.set(on.length > 1);
    this.link.set(id);
  }

  /** Opens what is not about one field, and goes there. */
  editTable(top: HTMLElement, pencil: MatIconButton): void {
    this.editingTable.set(true);
    top.scrollIntoView();
    pencil.focus();
  }

  asked(table: Table): string[] {
    return askedOf(table, this.draft.catalog());
  }

  /** A link in plain words, for those who do not read crow's feet. */
  readonly reading = computed(() => {
    const id = this.link();
    const link = id === null ? undefined : allLinks(this.draft.design()).find((other) => other.id === id);
    return link ? linkWords(link) : '';
  });

  addTable(): void {
    const data: Question = {
      title: 'New table',
      label: 'What is one row of it?',
      act: 'Add to the draft',
      hint: 'In the singular, such as person, order or room',
    };
    const plan = import('@heathridge/core/plan');
    const dialog = Promise.all([import('../shared/ask.dialog'), plan]).then(([ask]) => ask.AskDialog);
    this.dialogs
      .open<unknown, Question, Answer>(() => dialog, { data })
      .pipe(
        switchMap(async (answer) => answer && (await plan).newTable(this.draft.design(), answer.name, newId)),
      )
      .subscribe((table) => {
        if (!table) return;
        this.draft.add({ change: 'addTable', table });
        this.pickTable(table.id);
      });
  }

  addField({ id }: Table): void {
    // As it is now: a field may have got its name a moment ago.
    const table = this.draft.design().tables.find((other) => other.id === id)!;
    const label = uniqueName(
      NEW_FIELD,
      table.fields.map((field) => field.label),
    ).replace('_', ' ');
    const name = uniqueName(
      nameFromLabel(label, 'field'),
      table.fields.map((field) => field.name),
    );
    const field = plainField(newId('f'), name, label, { kind: 'text', most: null });
    this.draft.add({ change: 'addField', table: table.id, field });
    this.openField.set(field.id);
    this.freshField.set(field.id);
  }

  /** Fields for a table as lines; `instead` of a new one whose name they were put in for. */
  writeFields(table: Table, text = '', instead: Field | null = null): void {
    this.write({ design: this.draft.design(), table, text }, (changes) => {
      const isBlank = instead?.label.startsWith(NEW_FIELD) && this.draft.isNewField(instead.id);
      if (instead && isBlank) this.dropField(table, instead);
      this.draft.add(...changes);
    });
  }

  /** Tables with their fields as paragraphs. */
  writeTables(): void {
    this.write({ design: this.draft.design(), table: null, text: '' }, (changes) => {
      this.draft.add(...changes);
      const [first] = changes;
      if (first?.change === 'addTable') this.pickTable(first.table.id);
    });
  }

  private write(data: Planned, take: (changes: readonly Change[]) => void): void {
    this.dialogs
      .open<unknown, Planned, readonly Change[]>(
        () => import('./plan-text.dialog').then((m) => m.PlanTextDialog),
        {
          data,
          width: '860px',
          maxWidth: '94vw',
        },
      )
      .subscribe((changes) => changes && take(changes));
  }

  dropField(table: Table, field: Field): void {
    this.draft.dropField(table.id, field.id);
    this.openField.set(null);
  }

  dropTable(table: Table): void {
    this.draft.dropTable(table.id);
    this.editingTable.set(false);
    this.pickedId.set(null);
  }

  /** Links two tables by one dialog; `to` is where a drag on the map ended. */
  addLink(from: string, to: string | null = null): void {
    const data: Linking = { file: this.store.file, design: this.draft.design(), from, to };
    this.dialogs
      .open<unknown, Linking, Change[]>(() => import('./link.dialog').then((m) => m.LinkDialog), { data })
      .subscribe((changes) => {
        if (!changes) return;
        this.draft.add(...changes);
        const [last] = changes.slice(-1);
        if (last?.change === 'addTable') this.pickTable(last.table.id);
        else this.pickTable(from);
      });
  }

  /** Offers the links that the rows speak for. */
  findLinks(): void {
    const data: Offering = { file: this.store.file, design: this.draft.design() };
    this.dialogs
      .open<unknown, Offering, Change[]>(() => import('./offers.dialog').then((m) => m.OffersDialog), {
        data,
      })
      .subscribe((changes) => {
        if (!changes?.length) return;
        this.draft.add(...changes);
        const [first] = changes;
        if (first && 'table' in first && typeof first.table === 'string') this.pickTable(first.table);
      });
  }

  showChanges(): void {
    const data: ChangesData = {
      file: this.store.file,
      design: this.store.design(),
      locale: this.store.locale(),
    };
    this.dialogs
      .open<unknown, ChangesData, number>(() => import('./changes.dialog').then((m) => m.ChangesDialog), {
        data,
      })
      .subscribe((version) => version !== undefined && this.draft.undoApplied(version));
  }

  /** Lays a definition that was saved before upon this file, as a draft. */
  readDefinition(chooser: HTMLInputElement): void {
    const [picked] = chooser.files ?? [];
    chooser.value = '';
    if (!picked) return;
    this.api.readDefinitions(this.store.file, picked).subscribe({
      next: ({ changes }) => {
        if (changes.length === 0) this.toast.say('This file is already as that definition says.');
        else this.draft.take(changes);
      },
      error: (error: unknown) => this.toast.problem(error),
    });
  }

  showSound(): void {
    this.dialogs
      .open(() => import('./sound.dialog').then((m) => m.SoundDialog), { viewContainerRef: this.container })
      .subscribe();
  }

  showKept(): void {
    this.dialogs
      .open<unknown, readonly Kept[], readonly string[]>(
        () => import('./kept.dialog').then((m) => m.KeptDialog),
        { data: this.draft.design().kept },
      )
      .subscribe((gone) => {
        if (gone?.length) this.draft.add(...gone.map((kept): Change => ({ change: 'dropKept', kept })));
      });
  }

  showSettings(): void {
    this.dialogs
      .open<unknown, Settings, Settings>(() => import('./settings.dialog').then((m) => m.SettingsDialog), {
        data: this.draft.design().settings,
      })
      .subscribe((settings) => {
        if (!settings) return;
        const { type: _, id: __, format: ___, ...set } = settings;
        this.draft.add({ change: 'changeSettings', set });
      });
  }

  place(places: readonly Place[]): void {
    this.api
      .savePlaces(this.store.file, places)
      .subscribe({ error: (error: unknown) => this.toast.problem(error) });
  }

  /** Goes to a row of a finding's field. */
  show(at: { table: string; field?: string | undefined }): void {
    this.pickTable(at.table);
    const table = this.draft.design().tables.find(({ id }) => id === at.table);
    if (table && at.field && fieldOf(table, at.field)) this.openField.set(at.field);
  }
}
