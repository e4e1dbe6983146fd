import { computed, inject, Injectable, signal, type Signal } from '@angular/core';
import { concatMap, from, Subject } from 'rxjs';
import {
  displayOf,
  findField,
  type Field,
  type Form,
  type FormCell,
  type FormPart,
  type FormWorked,
  type Subform,
  type Table,
} from '@heathridge/core/design';
import {
  cellFor,
  gathered,
  levelOf,
  levelTo,
  movedInto,
  partAt,
  partId,
  placedBeside,
  placeOf,
  placesOf,
  shelfOf,
  subformFor,
  takenApart,
  withPartAdded,
  withPartAt,
  withPartMoved,
  type Level,
  type Shelf,
} from '@heathridge/core/form';
import { FileStore } from '../file/file.store';
import { newId } from '../shared/ids';
import type { Option } from '../shared/select.component';

/** Places that are none of the parts': no id is like them. */
const [ON_FORM, NEW_SECTION, NEW_TABS] = ['-form', '-section', '-tabs'];
const NO_SHELF: Shelf = { fields: [], links: [] };

/** The form that is designed, as the page around holds it. */
interface Edited {
  readonly form: Signal<Form | null>;
  readonly set: (patch: Partial<Form>) => void;
  readonly replace: (form: Form) => void;
  readonly save: () => void;
}

/** The form that is being designed, which of its parts are picked, and what can be done to those. */
@Injectable()
export class FormEditor {
  readonly store = inject(FileStore);
  private edited!: Edited;
  /** The paths of the parts that are picked. */
  readonly picked = signal<readonly string[]>([]);
  /** A part has come onto the form, and is to be seen. */
  readonly brought = new Subject<void>();

  readonly form = (): Form | null => this.edited.form();
  readonly table = computed(
    (): Table | null => this.store.design().tables.find(({ id }) => id === this.form()?.table) ?? null,
  );
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
  /** The one part that is picked, where there is one. */
  readonly pickedPart = computed(() => {
    const [part, ...others] = this.pickedParts();
    return part && others.length === 0 ? part : null;
  });
  readonly subformTable = computed(() => {
    const link = this.pickedSubform()?.link;
    return link === undefined ? null : (findField(this.store.design(), link)?.table ?? null);
  });
  /** What could stand in the subform that is picked, and does not. */
  readonly subformShelf = computed((): Shelf => {
    const [subform, table] = [this.pickedSubform(), this.subformTable()];
    return subform && table ? shelfOf(this.store.design(), table, subform.parts, subform.link) : NO_SHELF;
  });
  /** The level of the subform that is picked. */
  readonly pickedLevel = computed((): Level | null => {
    const [form, id] = [this.form(), this.picked()[0]];
    const root = form && levelOf(this.store.design(), form);
    return root && id ? levelTo(root, id.split('/')) : null;
  });
  /** The id of the table whose rows the part that is picked is worked out for. */
  readonly levelTable = computed(() => {
    const around = (this.picked()[0] ?? '').split('/').at(-2);
    return around === undefined
      ? (this.table()?.id ?? '')
      : (findField(this.store.design(), around)?.table.id ?? '');
  });
  /** The parts around what is picked: those of its level, however they stand in sections and on tabs. */
  private readonly level = computed((): readonly FormPart[] => this.levelAt(this.around()));
  /** Where what is picked may stand. */
  readonly places = computed((): Option[] => [
    { id: ON_FORM!, label: 'on the form itself' },
    ...placesOf(this.level()).map(({ id, label }) => ({ id, label: `in ${label}` })),
    { id: NEW_SECTION!, label: 'in a new section' },
    { id: NEW_TABS!, label: 'on a new tab' },
  ]);
  readonly place = computed(() => {
    const places = this.pickedParts().map((part) => placeOf(this.level(), partId(part)) ?? ON_FORM!);
    return places.every((id) => id === places[0]) ? (places[0] ?? null) : null;
  });
  /** Whether it is a list of records that is designed. */
  readonly isList = computed(() => this.form()?.list !== undefined);

  /** To be called once, before anything is asked. */
  connect(edited: Edited): void {
    this.edited = edited;
  }

  set(patch: Partial<Form>): void {
    this.edited.set(patch);
  }

  /** Gives every screen of the file the look of this one, which is saved too. */
  lookEverywhere(): void {
    const form = this.form();
    if (!form) return;
    const { look } = form;
    const others = this.store
      .design()
      .forms.filter((other) => other.id !== form.id && JSON.stringify(other.look) !== JSON.stringify(look));
    from(others)
      .pipe(
        concatMap((other) => {
          const { look: _, ...rest } = other;
          return this.store.save(look ? { ...rest, look } : rest);
        }),
      )
      .subscribe({ complete: () => this.edited.save() });
  }

  /** Puts another form in its place: what is left out of it is gone. */
  replace(form: Form): void {
    this.edited.replace(form);
  }

  pick({ id, more }: { readonly id: string; readonly more: boolean }): void {
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
  change(make: (part: FormPart) => FormPart | null): void {
    const parts = this.picked().reduce<FormPart[]>(
      (all, id) => withPartAt(all, id.split('/'), make),
      this.form()!.parts,
    );
    this.set({ parts });
  }

  setCells(patch: Partial<FormCell>): void {
    this.change((part) => (part.part === 'cell' ? { ...part, ...patch } : part));
  }

  setSubform(patch: Partial<Subform>): void {
    this.change((part) => (part.part === 'subform' ? { ...part, ...patch } : part));
  }

  /** Changes a note, a section or what is worked out, where it is picked. */
  setPart(patch: object): void {
    this.change((part) => ({ ...part, ...patch }) as FormPart);
  }

  private around(): readonly string[] {
    return (this.picked()[0] ?? '').split('/').slice(0, -1);
  }

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

  /** Puts a part before or behind another of its level. */
  putBeside(path: string, other: string, side: 'before' | 'behind'): void {
    const [ids, others] = [path.split('/'), other.split('/')];
    const around = ids.slice(0, -1);
    if (around.join('/') !== others.slice(0, -1).join('/')) return;
    const now = this.levelAt(around);
    this.setLevel(placedBeside(now, ids.at(-1)!, others.at(-1)!, side), around);
  }

  /** Makes a cell, a note or what is worked out so many columns of 12 wide. */
  setWidth(path: string, width: number): void {
    const parts = withPartAt(this.form()!.parts, path.split('/'), (part) =>
      'width' in part ? { ...part, width } : part,
    );
    this.set({ parts });
  }

  private levelAt(around: readonly string[]): readonly FormPart[] {
    const parts = this.form()?.parts ?? [];
    const subform = around.length > 0 ? partAt(parts, around) : null;
    return subform?.part === 'subform' ? subform.parts : parts;
  }

  private setLevel(parts: FormPart[], around = this.around()): void {
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

  move({ id, by }: { readonly id: string; readonly by: number }): void {
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

  addNote(look: 'heading' | 'note'): void {
    const id = newId('n');
    const text = look === 'heading' ? 'Heading' : 'A note to those who fill this in.';
    this.set({ parts: [{ part: 'note', id, width: 12, look, text }, ...this.form()!.parts] });
    this.pickNew(id);
  }

  /** Puts a button behind the fields, of the rows of the subform that is picked too: it prints until it is told what to do. */
  addButton(): void {
    const part: FormPart = {
      part: 'button',
      id: newId('b'),
      label: 'Print',
      width: 3,
      does: { act: 'print', report: null },
    };
    const subform = this.pickedSubform();
    if (subform) {
      const path = `${this.picked()[0]}/${part.id}`;
      this.setSubform({ parts: withPartAdded(subform.parts, part) });
      return this.pickNew(path);
    }
    this.set({ parts: withPartAdded(this.form()!.parts, part) });
    this.pickNew(part.id);
  }

  /** Puts a picture at the top of the form: a logo mostly. */
  addPicture(source: string, about: string): void {
    const id = newId('i');
    this.set({ parts: [{ part: 'picture', id, width: 3, about, source }, ...this.form()!.parts] });
    this.pickNew(id);
  }

  /** Picks what has come onto the form, and brings it into sight. */
  private pickNew(id: string): void {
    this.picked.set([id]);
    this.brought.next();
  }

  cell(field: Field): FormCell {
    return cellFor(field);
  }

  /** The rows that lead to those of the form by a link: in a list they follow, elsewhere they stand in it. */
  rowsBy(link: Shelf['links'][number]): Subform {
    const made = subformFor(this.store.design(), link);
    return this.isList()
      ? { ...made, look: 'next', rights: { add: false, change: false, delete: false, relink: false } }
      : made;
  }
}
