import { Component, computed, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { findField, pathsFrom, type FormCell, type Table } from '@heathridge/core/design';
import { ConditionsComponent } from '../ask/conditions.component';
import { SegmentsComponent } from '../shared/segments.component';
import { options, SelectComponent, type Option } from '../shared/select.component';
import { LABELS, WIDTHS } from './details';
import { FormEditor } from './form-editor.service';
import { PlaceDetailsComponent } from './place-details.component';

const MAY = [
  ['type', 'type'],
  ['read', 'read'],
] as const;
const CHOOSING = options([
  ['list', 'from a list that drops down'],
  ['radio', 'among all of them, side by side'],
] as const);

type Limit = 'readIf' | 'hideIf';
const LIMITS: readonly { readonly is: Limit; readonly label: string; readonly none: string }[] = [
  { is: 'readIf', label: 'Only to be read where', none: '+ a condition…' },
  { is: 'hideIf', label: 'Not there where', none: '+ a condition…' },
];
/** No field has this id. */
const NONE = '';

/** Fields that are picked: what is set is set for all of them. */
@Component({
  selector: 'hr-cell-details',
  imports: [ConditionsComponent, MatButton, PlaceDetailsComponent, SegmentsComponent, SelectComponent],
  template: `
    @let count = editor.pickedCells().length;
    <h2>{{ count === 1 ? names() : count + ' cells picked' }}</h2>
    @if (count > 1) {
      <p class="soft small">{{ names() }}</p>
    }
    <hr-segments
      label="People may"
      [choices]="may"
      [value]="alike('people')"
      (changed)="editor.setCells({ people: $event })"
    />
    @if (table(); as own) {
      @for (limit of limits; track limit.is) {
        @if (limit.is === 'hideIf' || alike('people') !== 'read') {
          <div class="field" role="group" [attr.aria-label]="limit.label">
            <span class="label">{{ limit.label }}</span>
            <p class="sentence">
              <hr-conditions
                [first]="limit.none"
                [conditions]="conditionOf(limit.is)"
                [table]="own.id"
                [paths]="paths()"
                [most]="1"
                asks="Where"
                (changed)="limitCells(limit.is, $event)"
              />
            </p>
          </div>
        }
      }
    }
    @if (pictures().length > 0) {
      <hr-select
        label="Picture beside it"
        [options]="pictures()"
        [value]="picture()"
        (changed)="setPicture($event)"
      />
    }
    @if (!editor.isList()) {
      <hr-segments
        label="Width, of 12"
        [choices]="widths"
        [value]="alike('width')"
        (changed)="editor.setCells({ width: $event })"
      />
      <hr-select
        label="Its label stands"
        placeholder="they differ"
        [options]="labels"
        [value]="labelAt()"
        (changed)="editor.setCells({ labelAt: $event })"
      />
      @if (areChoices()) {
        <hr-select
          label="It is chosen"
          placeholder="they differ"
          [options]="choosing"
          [value]="chosenAs()"
          (changed)="editor.setCells({ as: $event })"
        />
      }
      @if (count > 1) {
        <button matButton="outlined" type="button" (click)="share()">Share one row evenly</button>
      }
    }
    <hr-place-details />
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
    }
    .sentence {
      line-height: 1.9;
    }
  `,
})
export class CellDetailsComponent {
  readonly editor = inject(FormEditor);
  readonly widths = WIDTHS;
  readonly may = MAY;
  readonly labels = LABELS;
  readonly choosing = CHOOSING;
  readonly limits = LIMITS;
  private readonly fields = computed(() =>
    this.editor
      .pickedCells()
      .flatMap(({ field }) => findField(this.editor.store.design(), field)?.field ?? []),
  );
  readonly names = computed(() =>
    this.fields()
      .map(({ label }) => label)
      .join(', '),
  );
  readonly areChoices = computed(() => this.fields().every(({ type }) => type.kind === 'choice'));
  /** Where the labels stand; null where they differ. */
  readonly labelAt = computed(() =>
    this.same(this.editor.pickedCells().map(({ labelAt }) => labelAt ?? 'above')),
  );
  /** How they are chosen: as their fields say, unless the form says otherwise. */
  readonly chosenAs = computed(() =>
    this.same(
      this.editor.pickedCells().map(({ as }, i) => {
        const type = this.fields()[i]?.type;
        return as ?? (type?.kind === 'choice' && type.as === 'radio' ? 'radio' : 'list');
      }),
    ),
  );

  readonly table = computed((): Table | null => {
    const id = this.editor.levelTable();
    return this.editor.store.design().tables.find((table) => table.id === id) ?? null;
  });
  readonly paths = computed(() => {
    const table = this.table();
    return table ? pathsFrom(this.editor.store.design(), table) : [];
  });
  /** The pictures of the rows to which the lookup that is picked leads; only a list shows one. */
  readonly pictures = computed((): Option[] => {
    const [field, ...others] = this.fields();
    if (!this.editor.isList() || field?.type.kind !== 'lookup' || others.length > 0) return [];
    const { table: id } = field.type;
    const table = this.editor.store.design().tables.find((other) => other.id === id);
    const found = table?.fields.filter(({ type }) => type.kind === 'picture') ?? [];
    return found.length === 0 ? [] : [{ id: NONE, label: 'none' }, ...found];
  });
  readonly picture = computed(() => this.editor.pickedCells()[0]?.picture ?? NONE);

  setPicture(id: string): void {
    this.editor.change((part) => {
      if (part.part !== 'cell') return part;
      const { picture: _, ...cell } = part;
      return id === NONE ? cell : { ...cell, picture: id };
    });
  }

  /** The condition that all that are picked have; none where they differ. */
  conditionOf(is: Limit): readonly string[] {
    const condition = this.same(this.editor.pickedCells().map((cell) => cell[is] ?? ''));
    return condition ? [condition] : [];
  }

  limitCells(is: Limit, [condition]: readonly string[]): void {
    this.editor.change((part) => {
      if (part.part !== 'cell') return part;
      const { [is]: _, ...cell } = part;
      return condition === undefined ? cell : { ...cell, [is]: condition };
    });
  }

  private same<T>([first, ...others]: readonly T[]): T | null {
    return first !== undefined && others.every((other) => other === first) ? first : null;
  }

  /** What all fields that are picked have alike; null where they differ. */
  alike<K extends keyof FormCell>(key: K): FormCell[K] | null {
    return this.same(this.editor.pickedCells().map((cell) => cell[key])) ?? null;
  }

  /** Makes what is picked as wide as its share of a row. */
  share(): void {
    const count = this.editor.pickedCells().length;
    this.editor.setCells({ width: Math.max(2, Math.floor(12 / count)) });
  }
}
