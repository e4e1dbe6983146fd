import { Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { attempt, bind, fromStored, inWords, toStored } from '@heathridge/core/expression';
import {
  fieldOf,
  nameFromLabel,
  pluralOf,
  uniqueName,
  type Field,
  type Table,
} from '@heathridge/core/design';
import { FileStore } from '../bench/file.store';
import { Api, type Place } from '../shared/api.service';
import { AskDialog, type Answer, type Question } from '../shared/ask.dialog';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { newId } from '../shared/ids';
import { Toast } from '../shared/toast.service';
import { DraftStripComponent } from './draft-strip.component';
import { DraftStore } from './draft.store';
import { describe, KIND_ICONS } from './describe';
import { FieldEditorComponent } from './field-editor.component';
import { MapComponent, type PickedLink } from './map.component';

/** Tables, fields, links and rules: the map at the left, the picked table at the right, the draft below. */
@Component({
  selector: 'hr-plan',
  imports: [
    FormsModule,
    MatIconModule,
    DraftStripComponent,
    ExpressionEditorComponent,
    FieldEditorComponent,
    MapComponent,
  ],
  providers: [DraftStore],
  templateUrl: './plan.component.html',
  styleUrl: './plan.component.scss',
})
export class PlanComponent {
  private readonly api = inject(Api);
  private readonly dialog = inject(MatDialog);
  private readonly toast = inject(Toast);
  readonly store = inject(FileStore);
  readonly draft = inject(DraftStore);
  readonly icons = KIND_ICONS;

  /** The table to show, from the address. */
  readonly tableParam = input<string | undefined>(undefined, { alias: 'table' });
  readonly pickedId = signal<string | null>(null);
  readonly openField = signal<string | null>(null);
  readonly link = signal<PickedLink | null>(null);
  readonly editingTable = signal(false);
  readonly picked = computed(
    () =>
      this.draft.design().tables.find(({ id }) => id === this.pickedId()) ??
      this.draft.design().tables[0] ??
      null,
  );
  readonly display = computed(() => {
    const table = this.picked();
    if (!table?.display) return '';
    const result = attempt(() => fromStored(table.display!, this.draft.catalog(), table.id));
    return result.ok ? result.value : table.display;
  });

  constructor() {
    effect(() => {
      const wanted = this.tableParam();
      untracked(() => wanted && this.pickTable(wanted));
    });
  }

  pickTable(id: string): void {
    if (id !== this.pickedId()) this.openField.set(null);
    this.pickedId.set(id);
    this.link.set(null);
  }

  pickLink(link: PickedLink): void {
    this.pickedId.set(link.table.id);
    this.openField.set(link.field.id);
    this.link.set(link);
  }

  describe(field: Field): string {
    return describe(this.draft.design(), this.draft.catalog(), field);
  }

  /** Whether the draft changes this field, and how it is called then. */
  drafted(field: Field): string {
    const before = this.store
      .design()
      .tables.flatMap(({ fields }) => fields)
      .find(({ id }) => id === field.id);
    if (!before) return 'new';
    return JSON.stringify(before) === JSON.stringify(field)
      ? ''
      : before.rule !== field.rule
        ? 'draft rule'
        : 'drafted';
  }

  ruleText(table: Table, field: Field): string {
    if (!field.rule) return '';
    const result = attempt(() => {
      const text = fromStored(field.rule!.expression, this.draft.catalog(), table.id);
      return inWords(bind(text, { catalog: this.draft.catalog(), table: table.id }).bound, text);
    });
    return result.ok ? result.value : field.rule.expression;
  }

  /** A link in plain words, for those who do not read crow's feet. */
  reading({ table, field }: PickedLink): string {
    const { type } = field;
    const target =
      type.kind === 'lookup' ? this.draft.design().tables.find(({ id }) => id === type.table) : undefined;
    if (!target || type.kind !== 'lookup') return '';
    const [child, parent] = [table.label.toLowerCase(), target.label.toLowerCase()];
    const one = field.alwaysFilled ? 'exactly one' : 'at most one';
    const many = field.noTwoAlike
      ? `a ${parent} can have one ${child}`
      : `a ${parent} can have any number of ${table.plural.toLowerCase()}`;
    const fate = {
      refuse: `A ${parent} that still has ${table.plural.toLowerCase()} cannot be deleted.`,
      deleteAlong: `When a ${parent} is deleted, its ${table.plural.toLowerCase()} are deleted with it.`,
      leaveEmpty: `When a ${parent} is deleted, the field ${field.label} of its ${table.plural.toLowerCase()} is left empty.`,
    }[type.onDelete];
    return `Each ${child} belongs to ${one} ${parent} (${field.label}); ${many}. ${fate}`;
  }

  addTable(): void {
    const data: Question = {
      title: 'New table',
      label: 'What is one row of it?',
      act: 'Add to the draft',
      hint: 'In the singular: player, hire, payment',
    };
    this.dialog
      .open<AskDialog, Question, Answer>(AskDialog, { data })
      .afterClosed()
      .subscribe((answer) => {
        if (!answer) return;
        const { tables } = this.draft.design();
        const label = answer.name;
        const name = uniqueName(
          nameFromLabel(label, 'table'),
          tables.map((table) => table.name),
        );
        const key: Field = {
          id: newId('f'),
          name: 'number',
          label: 'Number',
          type: { kind: 'runningNumber', prefix: '', width: 4, first: 1 },
          alwaysFilled: false,
          noTwoAlike: false,
          indexed: false,
          start: null,
          rule: null,
        };
        const table: Table = {
          type: 'table',
          id: newId('t'),
          name,
          label,
          plural: pluralOf(label),
          fields: [key],
          key: [key.id],
          display: null,
        };
        this.draft.add({ change: 'addTable', table });
        this.pickTable(table.id);
      });
  }

  addField(table: Table): void {
    const label = uniqueName(
      'New field',
      table.fields.map((field) => field.label),
    ).replace('_', ' ');
    const name = uniqueName(
      nameFromLabel(label, 'field'),
      table.fields.map((field) => field.name),
    );
    const field: Field = {
      id: newId('f'),
      name,
      label,
      type: { kind: 'text', most: null },
      alwaysFilled: false,
      noTwoAlike: false,
      indexed: false,
      start: null,
      rule: null,
    };
    this.draft.add({ change: 'addField', table: table.id, field });
    this.openField.set(field.id);
    setTimeout(() => {
      const input = document.querySelector<HTMLInputElement>('#f-label');
      input?.focus();
      input?.select();
    });
  }

  toggle(field: Field): void {
    this.openField.update((open) => (open === field.id ? null : field.id));
  }

  dropField(table: Table, field: Field): void {
    this.draft.dropField(table.id, field.id);
    this.openField.set(null);
  }

  renameTable(table: Table, label: string): void {
    if (label.trim() === '') return;
    const others = this.draft.design().tables.filter(({ id }) => id !== table.id);
    this.draft.changeTable(table.id, {
      label: label.trim(),
      name: uniqueName(
        nameFromLabel(label, 'table'),
        others.map(({ name }) => name),
      ),
    });
  }

  setPlural(table: Table, plural: string): void {
    if (plural.trim() !== '') this.draft.changeTable(table.id, { plural: plural.trim() });
  }

  setDisplay(table: Table, { text, ok }: { text: string; ok: boolean }): void {
    if (ok && text !== this.display())
      this.draft.changeTable(table.id, {
        display: text.trim() === '' ? null : toStored(text, this.draft.catalog(), table.id),
      });
  }

  dropTable(table: Table): void {
    this.draft.dropTable(table.id);
    this.editingTable.set(false);
    this.pickedId.set(null);
  }

  place(place: Place): void {
    this.api
      .savePlaces(this.store.file, [place])
      .subscribe({ error: (error: unknown) => this.toast.problem(error) });
  }

  /** Goes to a row of a finding's field. */
  show(at: { table: string; field?: string }): void {
    this.pickTable(at.table);
    const table = this.draft.design().tables.find(({ id }) => id === at.table);
    if (table && at.field && fieldOf(table, at.field)) this.openField.set(at.field);
  }
}
