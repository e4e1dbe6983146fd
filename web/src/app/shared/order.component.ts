import { Component, computed, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatChipsModule } from '@angular/material/chips';
import { MatIconModule } from '@angular/material/icon';
import { fieldOf, isStored, type Table } from '@heathridge/core/design';
import { SelectComponent } from './select.component';

/** Fields of an order, at most. */
const MOST = 5;

/** The order of rows: fields one after another, each rising or falling. */
@Component({
  selector: 'hr-order',
  imports: [MatButton, MatChipsModule, MatIconModule, SelectComponent],
  host: { class: 'field', role: 'group', 'aria-label': 'Order' },
  template: `
    <span class="label">{{ label() }}</span>
    <div class="row wrap">
      @if (order().length > 0) {
        <mat-chip-set aria-label="Fields of the order">
          @for (item of order(); track item.field; let i = $index) {
            <mat-chip (removed)="drop(i)">
              {{ labelOf(item.field) }}
              <button matButton="text" class="compact turn" type="button" (click)="turn(i)">
                {{ item.descending ? 'falling' : 'rising' }}
              </button>
              <button
                matChipRemove
                type="button"
                [attr.aria-label]="'Take ' + labelOf(item.field) + ' out of the order'"
              >
                <mat-icon svgIcon="close" />
              </button>
            </mat-chip>
          }
        </mat-chip-set>
      }
      @if (order().length < most) {
        <hr-select
          compact
          about="Order by"
          [placeholder]="order().length === 0 ? none() : 'then by …'"
          [options]="could()"
          [value]="null"
          (changed)="add($event)"
        />
      }
    </div>
  `,
  styles: `
    .wrap {
      flex-wrap: wrap;
    }
    .turn {
      min-width: 0;
      padding: 0 4px;
    }
  `,
})
export class OrderComponent {
  readonly table = input.required<Table>();
  readonly order = input.required<readonly { readonly field: string; readonly descending: boolean }[]>();
  readonly label = input.required<string>();
  /** What is written where no field has been chosen. */
  readonly none = input.required<string>();
  readonly changed = output<{ field: string; descending: boolean }[]>();
  readonly most = MOST;
  readonly could = computed(() =>
    this.table().fields.filter(
      (field) => isStored(field) && !this.order().some(({ field: id }) => id === field.id),
    ),
  );

  labelOf(id: string): string {
    return fieldOf(this.table(), id)?.label ?? '';
  }

  add(field: string): void {
    if (field) this.changed.emit([...this.order(), { field, descending: false }]);
  }

  turn(index: number): void {
    this.changed.emit(
      this.order().map((item, i) => (i === index ? { ...item, descending: !item.descending } : item)),
    );
  }

  drop(index: number): void {
    this.changed.emit(this.order().filter((_, i) => i !== index));
  }
}
