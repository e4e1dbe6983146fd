import { Component, computed, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { listOf, type Form, type FormCell } from '@heathridge/core/design';
import {
  allParts,
  inLanes,
  isFound,
  laysOut,
  levelOf,
  LOOKS,
  mapParts,
  subformsOf,
} from '@heathridge/core/form';
import { LineComponent } from '../shared/line.component';
import { options, SelectComponent, type Option } from '../shared/select.component';
import { LABELS } from './details';
import { FormEditor } from './form-editor.service';
import { RowsShownComponent } from './rows-shown.component';
import { TabOrderComponent } from './tab-order.component';

const OPENS = options([
  ['first', 'the list and its first record'],
  ['blank', 'the list and a blank record'],
  ['entering', 'a blank record, for entering only'],
] as const);
const STARTS = options([
  ['rows', 'its rows'],
  ['line', 'a line in which one row is found'],
] as const);
const SAVES = options([
  ['row', 'each row, when it is left'],
  ['together', 'all that were changed, together'],
] as const);
/** No field has this id. */
const BENEATH = '';
/** No look has this name. */
const PLAIN = '';
const RIGHTS = [
  ['add', 'add'],
  ['change', 'change'],
  ['delete', 'delete'],
] as const;

/** The screen as a whole: how it opens, which rows it shows, what people may do. */
@Component({
  selector: 'hr-screen-details',
  imports: [
    LineComponent,
    MatButton,
    MatCheckboxModule,
    RowsShownComponent,
    SelectComponent,
    TabOrderComponent,
  ],
  template: `
    @if (editor.form(); as form) {
      <h2>This screen</h2>
      @if (form.list; as list) {
        <p class="soft">
          It lists {{ many() }}; {{ following() }} Each row opens the first screen that shows such a record.
        </p>
        @if (list.cards === undefined) {
          <p class="soft">Pick a column to set whether people may type into it, and its place.</p>
        } @else {
          <p class="soft">
            A card that is moved into another column changes that field of its row. Pick a line of the cards
            to set its place.
          </p>
        }
        <hr-select
          label="Its rows stand"
          [options]="layouts()"
          [value]="list.cards ?? beneath"
          (changed)="layOut($event)"
        />
        @if (list.cards === undefined) {
          <hr-select
            label="Begins with"
            [options]="starts"
            [value]="list.starts"
            (changed)="editor.set({ list: { ...list, starts: $event } })"
          />
        }
        <mat-checkbox
          [checked]="list.watch ?? false"
          (change)="editor.set({ list: { ...list, watch: $event.checked } })"
          >How many there are stands on Today</mat-checkbox
        >
        @if (list.cards === undefined && (form.rights.add || form.rights.change)) {
          <hr-select
            label="It saves"
            [options]="saves"
            [value]="list.saves"
            (changed)="editor.set({ list: { ...list, saves: $event } })"
          />
        }
      } @else {
        <p class="soft">
          It shows {{ many() }}, one record at a time, with {{ subforms().length }}
          {{ subforms().length === 1 ? 'subform' : 'subforms' }}.
        </p>
        <p class="soft">Pick a cell to set its width, whether people may type into it, and its place.</p>
        <hr-select
          label="Opens on"
          [options]="opens"
          [value]="form.opens"
          (changed)="editor.set({ opens: $event })"
        />
        @if (searched().length > 0 && form.opens !== 'entering') {
          <div class="field" role="group" aria-label="Search looks in">
            <span class="label">Search looks in what a row is shown as, and in</span>
            @for (field of searched(); track field.id) {
              <mat-checkbox
                [checked]="form.finds?.includes(field.id) ?? false"
                (change)="toggleFound(field.id)"
                >{{ field.label }}</mat-checkbox
              >
            }
          </div>
        }
        <hr-select
          label="Labels of all fields stand"
          placeholder="they differ"
          [options]="labels"
          [value]="labelsAt()"
          (changed)="setLabels($event)"
        />
        @if (level(); as level) {
          <hr-tab-order [level]="level" [order]="form.tabOrder" (changed)="setTabs($event)" />
        }
      }
      <div class="field">
        <hr-select
          label="It looks"
          placeholder="chosen here"
          [options]="looks"
          [value]="look()"
          (changed)="setLook($event)"
        />
        @if (form.look; as look) {
          <hr-line
            label="Its colour"
            type="color"
            [value]="look.colour"
            (changed)="editor.set({ look: { shape: look.shape, colour: $event } })"
          />
        }
        <button matButton="outlined" type="button" (click)="editor.lookEverywhere()">
          The same on every screen
        </button>
      </div>
      @if (editor.table(); as shown) {
        <hr-rows-shown [table]="shown" [shown]="form" (changed)="editor.set($event)" />
      }
      <div class="field" role="group" aria-label="People may">
        <span class="label">People may</span>
        @for (right of rights; track right[0]) {
          <mat-checkbox [checked]="form.rights[right[0]]" (change)="toggleRight(right[0])"
            >{{ right[1] }} {{ many() }}</mat-checkbox
          >
        }
      </div>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
    }
  `,
})
export class ScreenDetailsComponent {
  readonly editor = inject(FormEditor);
  readonly opens = OPENS;
  readonly starts = STARTS;
  readonly saves = SAVES;
  readonly beneath = BENEATH;
  /** How the rows of a list may stand: as cards, in a column for each value of a field. */
  readonly layouts = computed((): Option[] => [
    { id: BENEATH, label: 'beneath one another' },
    ...(this.editor.table()?.fields.filter(laysOut) ?? []).map(({ id, label }) => ({
      id,
      label: `as cards, by ${label.toLowerCase()}`,
    })),
  ]);
  readonly labels = LABELS;
  readonly looks = options([[PLAIN, 'plain'], ...LOOKS.map(({ label }) => [label, label] as const)]);
  readonly rights = RIGHTS;
  readonly many = computed(() => this.editor.table()?.plural.toLowerCase() ?? '');
  readonly subforms = computed(() => subformsOf(this.editor.form()?.parts ?? []));
  /** What follows the list, in words. */
  readonly following = computed(() => {
    const next = this.subforms().filter(({ look }) => look === 'next');
    return next.length === 0
      ? 'nothing follows them.'
      : `${listOf(next.map(({ label }) => label.toLowerCase()))} of the one that is picked follow.`;
  });
  /** Where the labels of all controls stand; null where they differ. */
  readonly labelsAt = computed(() => {
    const places = allParts(this.editor.form()?.parts ?? []).flatMap((part) =>
      part.part === 'cell' || part.part === 'worked' ? [part.labelAt ?? 'above'] : [],
    );
    return places.every((place) => place === places[0]) ? (places[0] ?? null) : null;
  });
  /** The look with which it began; null for one with a colour of its own. */
  readonly look = computed(() => {
    const { look } = this.editor.form()!;
    if (!look) return PLAIN;
    const known = LOOKS.find(({ look: other }) => other.shape === look.shape && other.colour === look.colour);
    return known?.label ?? null;
  });

  layOut(by: string): void {
    const [form, table] = [this.editor.form(), this.editor.table()];
    if (!form?.list || !table) return;
    const { cards: _, ...list } = form.list;
    this.editor.replace(by === BENEATH ? { ...form, list } : inLanes(form, table, by));
  }

  setLook(label: string): void {
    const look = LOOKS.find((known) => known.label === label)?.look;
    const { look: _, ...form } = this.editor.form()!;
    this.editor.replace(look ? { ...form, look } : form);
  }

  /** The fields in which a search may look. */
  readonly searched = computed(() => this.editor.table()?.fields.filter(isFound) ?? []);

  toggleFound(id: string): void {
    const { finds = [] } = this.editor.form()!;
    this.editor.set({ finds: finds.includes(id) ? finds.filter((other) => other !== id) : [...finds, id] });
  }

  readonly level = computed(() => {
    const form = this.editor.form();
    return form ? levelOf(this.editor.store.design(), form) : null;
  });

  setTabs(order: string[] | undefined): void {
    const { tabOrder: _, ...form } = this.editor.form()!;
    this.editor.replace(order ? { ...form, tabOrder: order } : form);
  }

  setLabels(labelAt: NonNullable<FormCell['labelAt']>): void {
    const parts = mapParts(this.editor.form()!.parts, (part) =>
      part.part === 'cell' || part.part === 'worked' ? { ...part, labelAt } : part,
    );
    this.editor.set({ parts });
  }

  toggleRight(right: keyof Form['rights']): void {
    const { rights } = this.editor.form()!;
    this.editor.set({ rights: { ...rights, [right]: !rights[right] } });
  }
}
