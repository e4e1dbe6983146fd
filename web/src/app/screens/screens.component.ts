import {
  afterNextRender,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  Injector,
  input,
  signal,
  untracked,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { Router } from '@angular/router';
import { catchError, concatMap, from, of, Subject, switchMap } from 'rxjs';
import { boardSort } from '@heathridge/core/board';
import { idOwners, idsUsed, showKey, type Form, type Report } from '@heathridge/core/design';
import { allParts, formProblems, formSort, partAt, shownRows } from '@heathridge/core/form';
import type { RowKey } from '@heathridge/core/rows';
import { DetailsComponent } from '../frame/details.component';
import { SteppedPage } from '../file/stepped-page';
import type { Listed } from '../frame/documents.component';
import { DOCUMENT_PARTS } from '../frame/document-parts';
import { RecordSheetComponent } from '../desk/record-sheet.component';
import { RecordState } from '../desk/record.state';
import { Api, type FormPreview } from '../shared/api.service';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { StripComponent } from '../shared/strip.component';
import { isTypedIn } from '../shared/typed-in';
import { Toast } from '../shared/toast.service';
import type { EverywhereDialog, NotPlaced } from './everywhere.dialog';
import { ArrangeDirective } from './arrange.directive';
import { CellDetailsComponent } from './cell-details.component';
import { FormEditor } from './form-editor.service';
import { ListSheetComponent } from './list-sheet.component';
import type { NewFormDialog } from './new-form.dialog';
import { PartDetailsComponent } from './part-details.component';
import { pictureFor, UnfitPicture } from './picture';
import { ScreenDetailsComponent } from './screen-details.component';
import { SubformDetailsComponent } from './subform-details.component';

/** What decides which rows and values a form is shown with, as text to be compared. */
const readsOf = (form: Form): string =>
  JSON.stringify([
    shownRows(form),
    form.order,
    allParts(form.parts).flatMap((part): unknown[] => {
      if (part.part === 'worked') return [[part.expression, part.result]];
      if (part.part === 'cell' && part.picture !== undefined) return [[part.field, part.picture]];
      return part.part === 'subform'
        ? [[part.link, part.look === 'next', shownRows(part), part.order, part.most, part.sums]]
        : [];
    }),
  ]);

/** Forms with their subforms, designed on a record of the real data. */
@Component({
  selector: 'hr-screens',
  imports: [
    ArrangeDirective,
    CellDetailsComponent,
    DetailsComponent,
    DOCUMENT_PARTS,
    ListSheetComponent,
    MatButton,
    MatIconModule,
    PartDetailsComponent,
    RecordSheetComponent,
    ScreenDetailsComponent,
    StripComponent,
    SubformDetailsComponent,
  ],
  providers: [FormEditor],
  host: { '(document:keydown)': 'keys($event)' },
  templateUrl: './screens.component.html',
  styleUrl: './screens.component.scss',
})
export class ScreensComponent extends SteppedPage<Form> {
  private readonly api = inject(Api);
  private readonly toast = inject(Toast);
  private readonly dialogs = inject(LazyDialogs);
  private readonly injector = inject(Injector);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  protected override readonly speech = { one: 'screen', dropped: 'the rows it shows stay as they are' };
  override readonly wanted = input<string | undefined>(undefined, { alias: 'screen' });
  readonly editor = inject(FormEditor);
  readonly form = this.document;
  readonly data = signal<FormPreview | null>(null);
  private readonly pages = inject(Router);
  /** Set where the address asks for a new one. */
  readonly begins = input<string | undefined>(undefined, { alias: 'new' });
  private readonly previews = new Subject<{ form: Form; key: RowKey | null }>();

  /** What of the form is no longer there, or does not work. */
  readonly problems = computed(() => {
    const form = this.form();
    return form ? formProblems(this.store.design(), form) : [];
  });
  readonly state = computed((): RecordState | null => {
    const form = this.form();
    if (!form || !this.editor.table()) return null;
    return new RecordState(this.store.design(), form, this.data(), {
      today: this.store.today(),
      now: `${this.store.today()}T00:00:00Z`,
    });
  });
  constructor() {
    super();
    effect(() => {
      if (this.begins() !== undefined) untracked(() => this.make());
    });
    this.editor.connect({
      form: this.form,
      set: (patch) => this.set(patch),
      replace: (form) => this.replace(form),
      save: () => this.dirty() && this.save(),
    });
    this.editor.brought
      .pipe(takeUntilDestroyed())
      .subscribe(() =>
        afterNextRender(
          () =>
            this.element.querySelector('.canvas [aria-pressed="true"]')?.scrollIntoView({ block: 'nearest' }),
          { injector: this.injector },
        ),
      );
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

  readonly boards = computed((): Listed[] =>
    this.store.design().boards.map((board) => ({
      id: board.id,
      label: board.label,
      warns: boardSort.problems(this.store.design(), board).length > 0,
    })),
  );

  openBoard(board: string): void {
    void this.pages.navigate(['/file', this.store.file, 'screens', 'boards'], { queryParams: { board } });
  }

  makeBoard(): void {
    void this.pages.navigate(['/file', this.store.file, 'screens', 'boards'], { queryParams: { new: 1 } });
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
    // Those of its parts are its own; of what lies elsewhere it names tables, fields, links, screens and reports.
    const own = new Set([
      form.id,
      ...allParts(form.parts).flatMap((part) => ('id' in part ? [part.id] : [])),
    ]);
    const gone = [...idsUsed(form)].filter(
      (id) => /^[a-z]{1,3}_\w+$/.test(id) && !known.has(id) && !own.has(id),
    );
    const mended = formSort.without(form, new Set(gone));
    if (mended) this.set(mended);
  }

  /** Puts a picture that somebody chooses on the form. */
  async addPicture(chooser: HTMLInputElement): Promise<void> {
    const [file] = chooser.files ?? [];
    // The same one can be chosen again.
    chooser.value = '';
    if (!file) return;
    try {
      const source = await pictureFor(file);
      this.editor.addPicture(source, file.name.replace(/\.\w+$/, '').slice(0, 60) || 'Picture');
    } catch (error) {
      if (!(error instanceof UnfitPicture)) throw error;
      this.toast.say(error.message);
    }
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

  override keys(event: KeyboardEvent): void {
    if (event.key === 'Escape' && !isTypedIn(event.target) && !event.defaultPrevented) {
      // Nothing is picked any more: the screen as a whole is meant.
      this.editor.picked.set([]);
    } else super.keys(event);
  }

  /** Puts fields that are not placed on all forms and reports that are ticked, this one too. */
  everywhere(): void {
    const [table, form] = [this.editor.table(), this.form()];
    if (!table || !form) return;
    const data: NotPlaced = { design: this.store.design(), table, fields: this.editor.shelf().fields };
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

  keyText(): string {
    const key = this.data()?.record.key;
    return key ? showKey(this.editor.table()!, key, this.store.locale()) : '';
  }

  protected override shown(next: Form, before: Form): void {
    // The fields of a row come all; its rows within do where the form shows them.
    if (readsOf(next) !== readsOf(before))
      this.previews.next({ form: next, key: this.data()?.record.key ?? null });
    this.editor.picked.update((ids) => ids.filter((id) => partAt(next.parts, id.split('/'))));
  }

  protected override take(form: Form): void {
    super.take(form);
    this.data.set(null);
    this.editor.picked.set([]);
    this.previews.next({ form, key: null });
  }
}
