import { Component, computed, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { findField, type FormCell } from '@heathridge/core/design';
import { SegmentsComponent } from '../shared/segments.component';
import { options, SelectComponent } from '../shared/select.component';
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

/** Fields that are picked: what is set is set for all of them. */
@Component({
  selector: 'hr-cell-details',
  imports: [MatButton, PlaceDetailsComponent, SegmentsComponent, SelectComponent],
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
  `,
})
export class CellDetailsComponent {
  readonly editor = inject(FormEditor);
  readonly widths = WIDTHS;
  readonly may = MAY;
  readonly labels = LABELS;
  readonly choosing = CHOOSING;
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
