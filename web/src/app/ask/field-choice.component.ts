import { booleanAttribute, Component, computed, input, linkedSignal, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatChipsModule } from '@angular/material/chips';
import { MatIconModule } from '@angular/material/icon';
import {
  catalogOf,
  joinedFields,
  joinFields,
  pathsFrom,
  type Design,
  type FieldPath,
} from '@heathridge/core/design';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { SelectComponent, type Option } from '../shared/select.component';

/** What may stand between fields, and how it is called. */
const BETWEEN: readonly Option[] = [
  { id: ', ', label: 'a comma between' },
  { id: ' ', label: 'a blank between' },
  { id: ' · ', label: 'a dot between' },
  { id: ' – ', label: 'a dash between' },
  { id: '', label: 'nothing between' },
];

/** The option that leads to an expression: no field is written so. */
const WRITTEN = '(written)';

/**
 * A field of a table, or one along its lookups, that is picked from a list; with `several`, fields that are joined
 * into one text. What no field says is written as an expression, here as well.
 */
@Component({
  selector: 'hr-field-choice',
  imports: [ExpressionEditorComponent, MatButton, MatChipsModule, MatIconModule, SelectComponent],
  host: { class: 'field', role: 'group', '[attr.aria-label]': 'about()' },
  template: `
    <span class="label">{{ label() }}</span>
    @if (isWritten()) {
      <hr-expression-editor
        [label]="about()"
        [value]="value()"
        [catalog]="catalog()"
        [table]="table()"
        (changed)="changed.emit($event)"
      />
      @if (picked() || value().trim() === '') {
        <button matButton="text" class="compact" type="button" (click)="isWritten.set(false)">
          Pick fields instead
        </button>
      }
    } @else if (several()) {
      <div class="row wrap">
        @if (fields().length > 0) {
          <mat-chip-set [attr.aria-label]="about()">
            @for (field of fields(); track $index; let i = $index) {
              <mat-chip (removed)="remove(i)">
                {{ labelOf(field) }}
                <button matChipRemove type="button" [attr.aria-label]="'Take ' + labelOf(field) + ' out'">
                  <mat-icon svgIcon="close" />
                </button>
              </mat-chip>
            }
          </mat-chip-set>
        }
        <hr-select
          compact
          [about]="'Add a field: ' + about()"
          [placeholder]="fields().length === 0 ? empty() : 'and …'"
          [options]="options()"
          [value]="null"
          (changed)="add($event)"
        />
        @if (fields().length > 1) {
          <hr-select
            compact
            about="What stands between them"
            [options]="betweens()"
            [value]="between()"
            (changed)="put(fields(), $event)"
          />
        }
      </div>
    } @else {
      <hr-select
        [about]="about()"
        [placeholder]="empty()"
        [options]="options()"
        [value]="fields()[0] ?? (empty() ? '' : null)"
        (changed)="pick($event)"
      />
    }
    @if (hint()) {
      <span class="soft small">{{ hint() }}</span>
    }
  `,
  styles: `
    .wrap hr-select {
      flex: 1 1 120px;
      max-width: 220px;
    }
    .wrap {
      flex-wrap: wrap;
    }
  `,
})
export class FieldChoiceComponent {
  readonly design = input.required<Design>();
  readonly label = input.required<string>();
  /** What those hear who listen. */
  readonly about = input.required<string>();
  /** An expression over the table, with current names. */
  readonly value = input.required<string>();
  /** The id of the table. */
  readonly table = input.required<string>();
  /** What it means when nothing is picked; empty where something must be. */
  readonly empty = input('');
  readonly hint = input('');
  readonly several = input(false, { transform: booleanAttribute });
  readonly changed = output<{ readonly text: string; readonly ok: boolean }>();

  protected readonly catalog = computed(() => catalogOf(this.design()));
  private readonly paths = computed((): readonly FieldPath[] => {
    const design = this.design();
    // It may have been dropped meanwhile.
    const table = design.tables.find(({ id }) => id === this.table());
    return table ? pathsFrom(design, table) : [];
  });
  /** What is picked; null where something is written that no pick gives. */
  protected readonly picked = computed(() => {
    const joined = joinedFields(this.value());
    const known = joined?.fields.every((field) => this.paths().some(({ text }) => text === field)) ?? false;
    return joined && known && (this.several() || joined.fields.length === 1) ? joined : null;
  });
  protected readonly fields = computed(() => this.picked()?.fields ?? []);
  protected readonly between = computed(() => this.picked()?.between ?? ', ');
  protected readonly isWritten = linkedSignal<string, boolean>({
    source: () => this.table(),
    computation: () => this.value().trim() !== '' && this.picked() === null,
  });
  protected readonly options = computed((): Option[] => [
    ...(this.empty() && !this.several() ? [{ id: '', label: this.empty() }] : []),
    ...this.paths().map(({ text, of, field }) => ({
      id: text,
      label: field.label,
      ...(of ? { group: `of ${of}` } : {}),
    })),
    { id: WRITTEN, label: 'an expression …', group: 'or write' },
  ]);
  protected readonly betweens = computed(() => {
    const between = this.between();
    return BETWEEN.some(({ id }) => id === between)
      ? BETWEEN
      : [...BETWEEN, { id: between, label: `“${between}” between` }];
  });

  protected labelOf(text: string): string {
    const path = this.paths().find((other) => other.text === text);
    return path ? path.label : text;
  }

  protected pick(text: string): void {
    if (text === WRITTEN) this.isWritten.set(true);
    else this.changed.emit({ text, ok: true });
  }

  protected add(text: string): void {
    if (text === WRITTEN) this.isWritten.set(true);
    else this.put([...this.fields(), text], this.between());
  }

  protected remove(at: number): void {
    this.put(
      this.fields().filter((_, i) => i !== at),
      this.between(),
    );
  }

  protected put(fields: readonly string[], between: string): void {
    this.changed.emit({ text: joinFields({ fields, between }), ok: true });
  }
}
