import { Component, computed, input, output } from '@angular/core';
import { MatCheckboxModule } from '@angular/material/checkbox';
import type { Pivot, Query } from '@heathridge/core/design';
import { ManyComponent } from '../shared/many.component';
import { SelectComponent, type Option } from '../shared/select.component';

/** No measure has such an id. */
const OWN = ' own';

/** What of the groups runs across, in what order its rows stand, and whether it is shaded. */
@Component({
  selector: 'hr-pivot-bar',
  imports: [ManyComponent, MatCheckboxModule, SelectComponent],
  host: { role: 'group', 'aria-label': 'How the pivot is laid out' },
  template: `
    @let now = pivot();
    <hr-many
      label="Runs across"
      none="nothing: all run down"
      [options]="groups()"
      [value]="now.across"
      (changed)="changed.emit({ across: $event, heat: now.heat, order: now.order })"
    />
    <hr-select
      label="Rows in the order of"
      [options]="orders()"
      [value]="order()"
      (changed)="setOrder($event)"
    />
    <mat-checkbox
      [checked]="now.heat"
      (change)="changed.emit({ across: now.across, heat: $event.checked, order: now.order })"
      >Shade by value</mat-checkbox
    >
  `,
  styles: `
    :host {
      display: flex;
      flex: none;
      flex-wrap: wrap;
      gap: 6px 12px;
      align-items: end;
      padding: 8px 14px 6px;
    }
    hr-many,
    hr-select {
      flex: 0 1 230px;
    }
  `,
})
export class PivotBarComponent {
  readonly query = input.required<Query>();
  readonly pivot = input.required<Pivot>();
  readonly changed = output<Pivot>();

  protected readonly groups = computed((): Option[] =>
    (this.query().group?.by ?? []).map(({ id, label }) => ({ id, label })),
  );
  protected readonly orders = computed((): Option[] => [
    { id: OWN, label: 'the query' },
    ...(this.query().group?.measures ?? []).flatMap(({ id, label }) => [
      { id: `- ${id}`, label: `${label}, most first` },
      { id: `+ ${id}`, label: `${label}, least first` },
    ]),
  ]);
  protected readonly order = computed(() => {
    const { order } = this.pivot();
    return order ? `${order.descending ? '-' : '+'} ${order.measure}` : OWN;
  });

  protected setOrder(id: string): void {
    const { across, heat } = this.pivot();
    const order = id === OWN ? {} : { order: { measure: id.slice(2), descending: id.startsWith('-') } };
    this.changed.emit({ across, heat, ...order });
  }
}
