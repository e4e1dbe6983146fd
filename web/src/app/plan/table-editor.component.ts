import { Component, computed, inject, input, linkedSignal, output } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatChipsModule } from '@angular/material/chips';
import { MatIconModule } from '@angular/material/icon';
import { toStored } from '@heathridge/core/expression';
import {
  fieldOf,
  isStored,
  listOf,
  nameFromLabel,
  uniqueName,
  type Rule,
  type Table,
} from '@heathridge/core/design';
import { FieldChoiceComponent } from '../ask/field-choice.component';
import { newId } from '../shared/ids';
import { readable } from '../shared/readable';
import { DraftStore } from './draft.store';
import { RuleEditorComponent } from './rule-editor.component';
import { LineComponent } from '../shared/line.component';
import { OrderComponent } from '../shared/order.component';
import { SelectComponent, type Option } from '../shared/select.component';

/** Everything about one table that is not about one of its fields. */
@Component({
  selector: 'hr-table-editor',
  imports: [
    OrderComponent,
    SelectComponent,
    MatButton,
    MatIconButton,
    MatCheckboxModule,
    MatIconModule,
    FieldChoiceComponent,
    RuleEditorComponent,
    LineComponent,
    MatChipsModule,
  ],
  template: `
    @let table = this.table();
    <hr-line
      label="One row is a"
      inputId="t-label"
      most="60"
      needed="A name is needed: the one it has stays."
      [value]="table.label"
      (changed)="rename($event)"
    />
    <hr-line
      label="Many are"
      inputId="t-plural"
      most="60"
      needed="A name is needed: the one it has stays."
      [value]="table.plural"
      (changed)="setPlural($event)"
    />
    <hr-field-choice
      [design]="draft.design()"
      class="wide"
      label="A row is shown as"
      about="How a row is shown"
      several
      empty="its first text, or …"
      hint="Lookups into this table show it."
      [value]="display()"
      [table]="table.id"
      (changed)="setDisplay($event)"
    />
    <div class="field wide" role="group" aria-label="Key">
      <span class="label">A row is told by</span>
      <div class="row wrap">
        <mat-chip-set aria-label="Fields of the key">
          @for (field of keyFields(); track field.id) {
            <mat-chip class="moss" [removable]="table.key.length > 1" (removed)="dropKey(field.id)">
              {{ field.label }}
              @if (table.key.length > 1) {
                <button
                  matChipRemove
                  type="button"
                  [attr.aria-label]="'Take ' + field.label + ' out of the key'"
                >
                  <mat-icon svgIcon="close" />
                </button>
              }
            </mat-chip>
          }
        </mat-chip-set>
        @if (couldBeKey().length > 0) {
          <hr-select
            compact
            about="Change the key"
            placeholder="change the key …"
            [options]="keyOptions()"
            [value]="null"
            (changed)="changeKey($event)"
          />
        }
      </div>
      <span class="soft small">No two rows have the same key. What looks up a row keeps its key.</span>
    </div>
    <div class="field wide" role="group" aria-label="No two alike">
      <span class="row"
        ><span class="label grow">No two {{ table.plural.toLowerCase() }} have alike</span>
        <button
          #choose
          matButton="outlined"
          class="compact"
          type="button"
          [disabled]="comparable().length < 2"
          [attr.aria-expanded]="choosing() !== null"
          (click)="choosing.set(choosing() === null ? [] : null)"
        >
          <mat-icon svgIcon="add" />Fields together
        </button></span
      >
      @for (ids of table.noTwoAlike; track ids.join()) {
        <div class="row">
          <span class="grow">{{ labelsOf(ids) }}</span>
          <button
            matIconButton
            type="button"
            [attr.aria-label]="'Ask no more that ' + labelsOf(ids) + ' differ'"
            (click)="dropAlike(ids); choose.focus()"
          >
            <mat-icon svgIcon="delete" />
          </button>
        </div>
      }
      @if (choosing(); as chosen) {
        <div class="rule" role="group" aria-label="Fields that are not alike together">
          <div class="row wrap">
            @for (field of comparable(); track field.id) {
              <mat-checkbox [checked]="chosen.includes(field.id)" (change)="pick(field.id, $event.checked)">{{
                field.label
              }}</mat-checkbox>
            }
          </div>
          <div class="row">
            <span class="soft small grow">Each may come again, all together may not.</span>
            <button
              matButton="outlined"
              class="compact"
              type="button"
              (click)="choosing.set(null); choose.focus()"
            >
              Cancel
            </button>
            <button
              matButton="filled"
              class="compact"
              type="button"
              [disabled]="chosen.length < 2"
              (click)="addAlike(chosen); choose.focus()"
            >
              Ask it
            </button>
          </div>
        </div>
      }
    </div>
    <hr-order
      class="wide"
      label="Rows are listed in the order of"
      none="the key, or choose …"
      [table]="table"
      [order]="table.order"
      (changed)="set({ order: $event })"
    />
    <div class="field wide">
      <span class="row"
        ><span class="label grow">Rules over several fields or other rows</span>
        <button matButton="outlined" class="compact" type="button" (click)="addRule()">
          <mat-icon svgIcon="add" />Rule
        </button></span
      >
      @for (rule of table.rules; track rule.id; let i = $index) {
        <div class="rule">
          <hr-rule-editor
            [prefix]="'t-rule-' + i"
            [table]="table"
            [rule]="rule"
            (changed)="setRule(i, $event)"
          />
          <button matButton="outlined" class="compact danger" type="button" (click)="setRule(i, null)">
            <mat-icon svgIcon="delete" />Drop this rule
          </button>
        </div>
      }
    </div>
    @if (table.links.length > 0) {
      <div class="field wide">
        <span class="label">Links of several fields</span>
        @for (link of table.links; track link.id; let i = $index) {
          <div class="row">
            <span class="grow">{{ link.label }} → {{ tableLabel(link.table) }}</span>
            <button
              matIconButton
              type="button"
              [attr.aria-label]="'Drop the link ' + link.label"
              (click)="dropLink(i)"
            >
              <mat-icon svgIcon="delete" />
            </button>
          </div>
        }
      </div>
    }
    <div class="row wide">
      <span class="grow"></span>
      <button matButton="outlined" class="compact danger" type="button" (click)="dropped.emit()">
        <mat-icon svgIcon="delete" />Drop this table
      </button>
    </div>
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 10px;
      padding: 12px 18px;
      background: var(--hr-ground);
      border-bottom: 1px solid var(--hr-line);
    }
    .wide {
      grid-column: 1 / -1;
    }
    .wrap {
      flex-wrap: wrap;
    }
    .wrap mat-form-field {
      width: 190px;
    }
    .rule {
      display: grid;
      gap: 6px;
      padding: 8px;
      border: 1px solid var(--hr-line);
      border-radius: 6px;
      background: var(--hr-paper);
    }
    .rule + .rule {
      margin-top: 6px;
    }
    .rule [matButton] {
      justify-self: end;
    }
  `,
})
export class TableEditorComponent {
  readonly draft = inject(DraftStore);
  readonly table = input.required<Table>();
  readonly dropped = output();

  readonly display = computed(() => {
    const table = this.table();
    return table.display ? readable(table.display, this.draft.catalog(), table.id) : '';
  });
  readonly keyFields = computed(() => this.table().key.flatMap((id) => fieldOf(this.table(), id) ?? []));
  private readonly keyable = computed(() =>
    this.table().fields.filter(
      ({ type }) => !['longText', 'tick', 'picture', 'file', 'stamp', 'workedOut'].includes(type.kind),
    ),
  );
  readonly couldBeKey = computed(() => {
    const { key } = this.table();
    return this.keyable().filter(({ id }) => !(key.length === 1 && key[0] === id));
  });
  readonly couldJoinKey = computed(() => {
    const { key } = this.table();
    const running = this.keyFields().some(({ type }) => type.kind === 'runningNumber');
    return running
      ? []
      : this.keyable().filter(({ id, type }) => !key.includes(id) && type.kind !== 'runningNumber');
  });
  readonly keyOptions = computed((): Option[] => [
    ...this.couldBeKey().map(({ id, label }) => ({ id: `one ${id}`, label, group: 'This field alone' })),
    ...this.couldJoinKey().map(({ id, label }) => ({ id: `too ${id}`, label, group: 'This field too' })),
  ]);
  /** The fields being chosen that no two rows have alike; null while none are. */
  readonly choosing = linkedSignal<string, readonly string[] | null>({
    source: () => this.table().id,
    computation: () => null,
  });
  readonly comparable = computed(() =>
    this.table().fields.filter(
      (field) => isStored(field) && field.type.kind !== 'picture' && field.type.kind !== 'file',
    ),
  );
  set(part: Parameters<DraftStore['changeTable']>[1]): void {
    this.draft.changeTable(this.table().id, part);
  }

  rename(label: string): void {
    const others = this.draft.design().tables.filter(({ id }) => id !== this.table().id);
    const name = uniqueName(
      nameFromLabel(label, 'table'),
      others.map((other) => other.name),
    );
    this.set({ label: label.trim(), name });
  }

  setPlural(plural: string): void {
    this.set({ plural: plural.trim() });
  }

  setDisplay({ text, ok }: { text: string; ok: boolean }): void {
    if (ok && text !== this.display())
      this.set({
        display: text.trim() === '' ? null : toStored(text, this.draft.catalog(), this.table().id),
      });
  }

  changeKey(choice: string): void {
    const [how, id] = choice.split(' ');
    if (!id) return;
    this.set({ key: how === 'one' ? [id] : [...this.table().key, id] });
  }

  dropKey(id: string): void {
    this.set({ key: this.table().key.filter((other) => other !== id) });
  }

  pick(id: string, chosen: boolean): void {
    const ids = new Set(this.choosing());
    if (chosen) ids.add(id);
    else ids.delete(id);
    const order = this.comparable().map((field) => field.id);
    this.choosing.set(order.filter((other) => ids.has(other)));
  }

  addAlike(ids: readonly string[]): void {
    this.set({ noTwoAlike: [...this.table().noTwoAlike, [...ids]] });
    this.choosing.set(null);
  }

  dropAlike(ids: readonly string[]): void {
    this.set({ noTwoAlike: this.table().noTwoAlike.filter((other) => other !== ids) });
  }

  labelsOf(ids: readonly string[]): string {
    return listOf(ids.map((id) => this.labelOf(id)));
  }

  addRule(): void {
    const [first] = this.table().fields;
    const rule: Rule = {
      id: newId('r'),
      expression: `"#${first!.id}" IS NOT NULL`,
      message: `${this.table().label} does not fit.`,
    };
    this.set({ rules: [...this.table().rules, rule] });
  }

  setRule(index: number, rule: Rule | null): void {
    this.set({
      rules: this.table().rules.flatMap((other, i) => (i !== index ? [other] : rule ? [rule] : [])),
    });
  }

  dropLink(index: number): void {
    this.set({ links: this.table().links.filter((_, i) => i !== index) });
  }

  labelOf(id: string): string {
    return fieldOf(this.table(), id)?.label ?? 'a field that is gone';
  }

  tableLabel(id: string): string {
    return this.draft.design().tables.find((table) => table.id === id)?.label ?? 'a table that is gone';
  }
}
