import { booleanAttribute, Component, computed, inject, input, output } from '@angular/core';
import { pathsFrom, type Subform, type Table } from '@heathridge/core/design';
import { shownRows } from '@heathridge/core/form';
import { keyedBy } from '@heathridge/core/query';
import { ConditionsComponent } from '../ask/conditions.component';
import { FileStore } from '../file/file.store';
import { OrderComponent } from '../shared/order.component';
import { SelectComponent, type Option } from '../shared/select.component';
import { WholeComponent } from '../shared/whole.component';

type Shown = Pick<Subform, 'query' | 'conditions' | 'order' | 'most'>;

/** Which rows a form or subform shows, in what order; of a subform also how many at first. */
@Component({
  selector: 'hr-rows-shown',
  imports: [ConditionsComponent, OrderComponent, SelectComponent, WholeComponent],
  template: `
    <div class="field" role="group" aria-label="Which rows">
      <span class="label">It shows</span>
      <p class="sentence">
        {{ isAll() ? 'all ' : '' }}{{ table().plural.toLowerCase() }}
        <hr-conditions
          [first]="'+ only those where…'"
          [conditions]="shown().conditions ?? []"
          [table]="table().id"
          [paths]="paths()"
          [most]="20"
          (changed)="changed.emit({ conditions: [...$event] })"
        />
      </p>
    </div>
    @if (queries().length > 0) {
      <hr-select
        label="Only rows of the query"
        [options]="queries()"
        [value]="shown().query ?? ''"
        (changed)="changed.emit({ query: $event || undefined })"
      />
    }
    <hr-order
      label="In the order of"
      none="their table, or choose …"
      [table]="table()"
      [order]="shown().order ?? []"
      (changed)="changed.emit({ order: $event })"
    />
    @if (isSubform()) {
      <hr-whole
        label="Rows shown at first"
        placeholder="as many as are read at once"
        mayBeEmpty
        least="1"
        greatest="500"
        [value]="shown().most ?? null"
        (changed)="changed.emit({ most: $event })"
      />
    }
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
export class RowsShownComponent {
  private readonly store = inject(FileStore);
  readonly table = input.required<Table>();
  readonly shown = input.required<Shown>();
  readonly isSubform = input(false, { transform: booleanAttribute });
  readonly changed = output<Shown>();
  readonly paths = computed(() => pathsFrom(this.store.design(), this.table()));
  readonly isAll = computed(() => shownRows(this.shown()).length === 0);
  /** The queries that tell some of them, and that none does. */
  readonly queries = computed((): Option[] => {
    const design = this.store.design();
    const fit = design.queries.filter((query) => keyedBy(design, query, this.table()));
    return fit.length === 0
      ? []
      : [{ id: '', label: 'none' }, ...fit.map(({ id, label }) => ({ id, label }))];
  });
}
