import { Component, computed, inject } from '@angular/core';
import { MatCheckboxModule } from '@angular/material/checkbox';
import type { Field, FormCell, Subform } from '@heathridge/core/design';
import { cellFor, cellsOf, subformsOf, withColumn, withPartAt, type Shelf } from '@heathridge/core/form';
import { LineComponent } from '../shared/line.component';
import { SegmentsComponent } from '../shared/segments.component';
import { FormEditor } from './form-editor.service';
import { PlaceDetailsComponent } from './place-details.component';
import { RowsShownComponent } from './rows-shown.component';
import { SumLinesComponent } from './sum-lines.component';
import { TabOrderComponent } from './tab-order.component';

const LOOKS = [
  ['grid', 'a grid'],
  ['cards', 'cards'],
] as const;
const LOOKS_IN_LIST = [
  ['grid', 'named in a cell'],
  ['next', 'a list that follows'],
] as const;
const RIGHTS = [
  ['add', 'add rows'],
  ['change', 'change rows'],
  ['delete', 'delete rows'],
  ['relink', 'move rows to another record'],
] as const;

/** The rows of another table on a form, or behind a list: how they are shown, which of them, and what people may do. */
@Component({
  selector: 'hr-subform-details',
  imports: [
    LineComponent,
    MatCheckboxModule,
    PlaceDetailsComponent,
    RowsShownComponent,
    SegmentsComponent,
    SumLinesComponent,
    TabOrderComponent,
  ],
  template: `
    @if (editor.pickedSubform(); as subform) {
      <h2>{{ subform.label }}</h2>
      <hr-line
        label="Heading"
        most="60"
        needed="A heading is needed: the one it has stays."
        [value]="subform.label"
        (changed)="editor.setSubform({ label: $event.trim() })"
      />
      <hr-segments
        label="Rows as"
        [choices]="looks()"
        [value]="look()"
        (changed)="editor.setSubform({ look: $event })"
      />
      <div class="field" role="group" [attr.aria-label]="fieldsAre()">
        <span class="label">{{ fieldsAre() }}</span>
        @for (field of editor.subformTable()?.fields; track field.id) {
          @if (field.id !== subform.link) {
            <mat-checkbox
              [checked]="hasColumn(field.id)"
              [disabled]="hasColumn(field.id) && columns().length === 1"
              (change)="toggleColumn(field)"
              >{{ field.label }}</mat-checkbox
            >
          }
        }
      </div>
      @if (editor.pickedLevel(); as level) {
        @if (!editor.isList()) {
          <hr-sum-lines [level]="level" (changed)="editor.setSubform({ sums: $event })" />
        }
        @if (look() === 'cards') {
          <hr-tab-order [level]="level" [order]="subform.tabOrder" (changed)="setTabs($event)" />
        }
        <hr-rows-shown
          [isSubform]="look() !== 'next'"
          [table]="level.table"
          [shown]="subform"
          (changed)="editor.setSubform($event)"
        />
      }
      @if (
        (within().length > 0 || editor.subformShelf().links.length > 0) &&
        (!editor.isList() || look() === 'next')
      ) {
        <div class="field" role="group" aria-label="Within each row">
          <span class="label">{{ editor.isList() ? 'Behind each row' : 'Within each row' }}</span>
          @for (inner of within(); track inner.link) {
            <mat-checkbox [checked]="true" (change)="dropWithin(inner.link)">{{ inner.label }}</mat-checkbox>
          }
          @for (link of editor.subformShelf().links; track link.field.id) {
            <mat-checkbox [checked]="false" (change)="addWithin(link)">{{
              editor.rowsBy(link).label
            }}</mat-checkbox>
          }
        </div>
      }
      @if (look() === 'next' || !editor.isList()) {
        <div class="field" role="group" aria-label="People may">
          <span class="label">People may</span>
          @for (right of rights(); track right[0]) {
            <mat-checkbox [checked]="subform.rights[right[0]]" (change)="toggleRight(right[0])">{{
              right[1]
            }}</mat-checkbox>
          }
        </div>
      }
      <hr-place-details />
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
    }
  `,
})
export class SubformDetailsComponent {
  readonly editor = inject(FormEditor);
  readonly looks = computed(() => (this.editor.isList() ? LOOKS_IN_LIST : LOOKS));
  readonly look = computed((): Subform['look'] => {
    const { look } = this.editor.pickedSubform()!;
    return this.editor.isList() ? (look === 'next' ? 'next' : 'grid') : look === 'next' ? 'grid' : look;
  });
  readonly rights = computed(() =>
    this.editor.isList() ? RIGHTS.filter(([right]) => right !== 'relink') : RIGHTS,
  );
  readonly fieldsAre = computed(() =>
    this.editor.isList() && this.look() === 'grid'
      ? 'It names, the first three'
      : this.look() === 'cards'
        ? 'Fields'
        : 'Columns',
  );

  setTabs(order: string[] | undefined): void {
    this.editor.change((part) => {
      if (part.part !== 'subform') return part;
      const { tabOrder: _, ...subform } = part;
      return order ? { ...subform, tabOrder: order } : subform;
    });
  }

  toggleRight(right: keyof Subform['rights']): void {
    const { rights } = this.editor.pickedSubform()!;
    this.editor.setSubform({ rights: { ...rights, [right]: !rights[right] } });
  }

  toggleColumn(field: Field): void {
    const { parts } = this.editor.pickedSubform()!;
    const table = this.editor.subformTable()!;
    if (!this.hasColumn(field.id))
      this.editor.setSubform({ parts: withColumn(table, parts, cellFor(field)) });
    else if (this.columns().length > 1)
      this.editor.setSubform({ parts: withPartAt(parts, [field.id], () => null) });
  }

  hasColumn(id: string): boolean {
    return this.columns().some(({ field }) => field === id);
  }

  columns(): readonly FormCell[] {
    return cellsOf(this.editor.pickedSubform()!.parts);
  }

  /** Puts the rows that lead to those of the subform into it. */
  addWithin(link: Shelf['links'][number]): void {
    const { parts } = this.editor.pickedSubform()!;
    this.editor.setSubform({ parts: [...parts, this.editor.rowsBy(link)] });
  }

  dropWithin(link: string): void {
    this.editor.setSubform({ parts: withPartAt(this.editor.pickedSubform()!.parts, [link], () => null) });
  }

  within(): readonly Subform[] {
    return subformsOf(this.editor.pickedSubform()!.parts);
  }
}
