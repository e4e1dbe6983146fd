import { Component, computed, inject, signal } from '@angular/core';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import {
  Label,
  listOf,
  tableOf,
  type Design,
  type Form,
  type FormPart,
  type Table,
} from '@heathridge/core/design';
import { asList, cardsFrom, formFromTables, laysOut, leadingTables, subformsOf } from '@heathridge/core/form';
import { bySchema } from '../shared/by-schema';
import { ChipComponent } from '../shared/chip.component';
import { newId } from '../shared/ids';
import { LineComponent } from '../shared/line.component';
import { SegmentsComponent } from '../shared/segments.component';
import { SelectComponent, type Option } from '../shared/select.component';

const SORTS = [
  ['record', 'a record with what belongs to it'],
  ['list', 'a list'],
  ['cards', 'cards in columns'],
] as const;

/** Levels of what leads to a table that are ticked with it: more are a press away. */
const LEVELS = 2;

/** A form made in one step of the tables that are ticked; how they lie in one another is shown meanwhile. */
@Component({
  selector: 'hr-new-form',
  imports: [
    ChipComponent,
    LineComponent,
    MatButton,
    MatCheckboxModule,
    MatDialogModule,
    ReactiveFormsModule,
    SegmentsComponent,
    SelectComponent,
  ],
  template: `
    <h2 mat-dialog-title>New form</h2>
    <form [formGroup]="form" (ngSubmit)="done()">
      <mat-dialog-content class="body">
        <hr-segments
          class="name"
          about="What it is"
          [choices]="sorts"
          [value]="sort()"
          (changed)="sort.set($event)"
        />
        <div class="field tables" role="group" aria-label="Tables it shows">
          <span class="label">Tables it shows</span>
          @for (table of tables; track table.id) {
            <span class="row">
              <mat-checkbox
                class="grow"
                [checked]="ticked().has(table.id)"
                (change)="tick(table, $event.checked)"
                >{{ table.plural }}</mat-checkbox
              >
              @if (ticked().has(table.id)) {
                <hr-chip [text]="fieldsOf(table)" [about]="'Fields of ' + table.plural">
                  <ng-template>
                    <div class="fields">
                      @for (field of table.fields; track field.id) {
                        <mat-checkbox
                          [checked]="hasField(table, field.id)"
                          (change)="pickField(table, field.id)"
                          >{{ field.label }}</mat-checkbox
                        >
                      }
                    </div>
                  </ng-template>
                </hr-chip>
              }
            </span>
          }
        </div>
        <div class="field" role="status">
          <span class="label">How they lie in one another</span>
          @for (line of outline(); track $index) {
            <span class="line cut" dir="auto" [style.padding-inline-start.px]="line.depth * 18"
              ><strong>{{ line.label }}</strong
              >{{ line.says }}</span
            >
          } @empty {
            <span class="soft">Tick a table: what leads to it comes along.</span>
          }
          <span class="message" role="alert">{{ missing() }}</span>
          @if (left()) {
            <span class="gorse-text">{{ left() }}</span>
          }
          @if (sort() === 'cards' && laidOutBy().length > 0) {
            <hr-select
              class="by"
              label="Its cards stand in columns by"
              [options]="laidOutBy()"
              [value]="by()"
              (changed)="chosen.set($event)"
            />
          }
        </div>
        <hr-line class="name" label="What is it called on the Desk?" formControlName="name" />
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
        <button type="submit" matButton="filled">Make it</button>
      </mat-dialog-actions>
    </form>
  `,
  styles: `
    .body {
      display: grid;
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
      gap: 14px 24px;
      min-width: min(560px, 80vw);
    }
    .tables {
      max-height: 46vh;
      overflow-y: auto;
    }
    .fields {
      display: grid;
      max-height: 40vh;
      overflow-y: auto;
    }
    .by {
      margin-top: 10px;
    }
    .line {
      display: block;
      padding-block: 3px;
    }
    .name {
      grid-column: 1 / -1;
    }
    .gorse-text {
      color: var(--hr-gorse-deep);
    }
    @media (max-width: 600px) {
      .body {
        grid-template-columns: minmax(0, 1fr);
      }
    }
  `,
})
export class NewFormDialog {
  private readonly design = inject<{ readonly design: Design }>(MAT_DIALOG_DATA).design;
  private readonly ref = inject<MatDialogRef<NewFormDialog, Form>>(MatDialogRef);
  readonly tables = this.design.tables;
  readonly ticked = signal<ReadonlySet<string>>(new Set());
  /** The fields that are shown of tables of which somebody has chosen them. */
  readonly fields = signal<ReadonlyMap<string, readonly string[]>>(new Map());
  readonly form = new FormGroup({
    name: new FormControl('', { nonNullable: true, validators: bySchema(Label) }),
  });

  readonly sorts = SORTS;
  readonly sort = signal<(typeof SORTS)[number][0]>('record');
  /** What is not there yet when the form is asked for. */
  readonly missing = signal('');
  /** What the ticks make; null while there are none. */
  readonly made = computed(() => {
    const wanted = [...this.ticked()].map((table) => ({ table, fields: this.fields().get(table) ?? null }));
    return wanted.length > 0 ? formFromTables(this.design, wanted, newId('o')) : null;
  });
  /** The fields by whose values cards can stand in columns. */
  readonly laidOutBy = computed((): Option[] => {
    const made = this.made();
    return made ? tableOf(this.design, made.form.table).fields.filter(laysOut) : [];
  });
  /** The field that somebody has chosen for that. */
  readonly chosen = signal('');
  readonly by = computed(() => {
    const all = this.laidOutBy();
    // Choices are mostly meant for it, where there are any.
    const kinds = new Map(this.tables.flatMap(({ fields }) => fields.map(({ id, type }) => [id, type.kind])));
    const first = all.find(({ id }) => kinds.get(id) === 'choice') ?? all[0];
    return (all.find(({ id }) => id === this.chosen()) ?? first)?.id ?? '';
  });
  readonly outline = computed(() => {
    const made = this.made();
    if (!made) return [];
    const inner = (
      parts: readonly FormPart[],
      depth: number,
    ): { label: string; says: string; depth: number }[] =>
      subformsOf(parts).flatMap(({ label, parts: within }) => [
        { label, says: depth === 1 ? ', beneath it' : ', within each', depth },
        ...inner(within, depth + 1),
      ]);
    const root = tableOf(this.design, made.form.table);
    const sort = this.sort();
    const lines = inner(made.form.parts, 1).map((line) =>
      sort === 'record' ? line : { ...line, says: ', of the one picked' },
    );
    const says = { record: ', one at a time', list: ', beneath one another', cards: ', as cards' }[sort];
    return [{ label: root.plural, says, depth: 0 }, ...lines];
  });
  /** The tables that have no place among the others, in words. */
  readonly left = computed(() => {
    const left = this.made()?.left ?? [];
    if (left.length === 0) return '';
    return `No lookup ties ${listOf(left.map(({ plural }) => plural))} to the rest: left out.`;
  });

  hasField({ id }: Table, field: string): boolean {
    return this.fields().get(id)?.includes(field) ?? true;
  }

  /** How many fields of a table are to be shown, in words. */
  fieldsOf({ id, fields }: Table): string {
    const chosen = this.fields().get(id);
    return chosen ? `${chosen.length} of ${fields.length} fields` : 'its fields';
  }

  /** Takes a field along, or leaves it out; one always stays. */
  pickField({ id, fields }: Table, field: string): void {
    const known = this.fields().get(id) ?? fields.map((other) => other.id);
    const next = known.includes(field) ? known.filter((other) => other !== field) : [...known, field];
    if (next.length > 0) this.fields.update((all) => new Map(all).set(id, next));
  }

  /** With a table comes what leads to it; what is unticked goes alone. */
  tick(table: Table, isOn: boolean): void {
    this.ticked.update((known) => {
      const next = new Set(known);
      // What belongs to a card stands on the screen of its record, unless it is ticked too.
      const levels = this.sort() === 'cards' ? 0 : LEVELS;
      if (isOn) for (const { id } of leadingTables(this.design, table, levels)) next.add(id);
      else next.delete(table.id);
      return next;
    });
    this.missing.set('');
    const { name } = this.form.controls;
    // A name that nobody has written yet is that of what it shows.
    if (!name.dirty) name.setValue(this.free(this.made()?.form.label ?? ''));
  }

  /** A name that no form has: with a number behind it where one has. */
  private free(label: string): string {
    const taken = new Set(this.design.forms.map((form) => form.label.toLowerCase()));
    for (let n = 1; ; n++) {
      const name = n === 1 ? label : `${label} ${n}`;
      if (!taken.has(name.toLowerCase())) return name;
    }
  }

  constructor() {
    const [only, ...others] = this.tables;
    if (only && others.length === 0) this.tick(only, true);
  }

  done(): void {
    this.form.markAllAsTouched();
    const made = this.made();
    this.missing.set(made ? this.unlaid() : 'Tick the tables that it shows first.');
    if (!made || this.missing() !== '' || !this.form.valid) return;
    this.ref.close({ ...this.sorted(made.form), label: this.form.getRawValue().name.trim() });
  }

  /** Why there are no cards of what is ticked; empty where there are. */
  private unlaid(): string {
    const made = this.made();
    if (this.sort() !== 'cards' || !made || this.by() !== '') return '';
    const { plural } = tableOf(this.design, made.form.table);
    return `${plural} have no choice, lookup or tick by which their cards could stand in columns.`;
  }

  /** What is made, as what it is to be. */
  private sorted(form: Form): Form {
    if (this.sort() === 'record') return form;
    const list = asList(form);
    const table = tableOf(this.design, form.table);
    return this.sort() === 'cards' ? cardsFrom(list, table, this.by(), this.fields().has(table.id)) : list;
  }
}
