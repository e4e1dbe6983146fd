import { Component, computed, inject, input } from '@angular/core';
import { MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import {
  fieldOf,
  isGiven,
  linksTo,
  pathsFrom,
  type ButtonAct,
  type Field,
  type FormButton,
  type Table,
} from '@heathridge/core/design';
import {
  changedTable,
  queryOfReport,
  reportLink,
  waysTo,
  type ChangeAct,
  type Way,
} from '@heathridge/core/form';
import { questionsOf } from '@heathridge/core/query';
import { toStored } from '@heathridge/core/expression';
import { AnsweringComponent } from '../ask/answering.component';
import { ConditionsComponent } from '../ask/conditions.component';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { LineComponent } from '../shared/line.component';
import { readable } from '../shared/readable';
import { SegmentsComponent } from '../shared/segments.component';
import { options, SelectComponent, type Option } from '../shared/select.component';
import { WIDTHS } from './details';
import { FormEditor } from './form-editor.service';
import { PlaceDetailsComponent } from './place-details.component';

const ACTS = options([
  ['print', 'prints'],
  ['open', 'opens another screen'],
  ['change', 'changes rows'],
] as const);
/** No report has this id: the record itself is printed. */
const RECORD = '';
/** What stands before the id of a link, or of a table, where rows to change are chosen. */
const [BELONGING, ALL] = ['belonging ', 'all '];

/** What a button does, in phrases. */
@Component({
  selector: 'hr-button-details',
  imports: [
    AnsweringComponent,
    ConditionsComponent,
    ExpressionEditorComponent,
    LineComponent,
    MatIconButton,
    MatIconModule,
    PlaceDetailsComponent,
    SegmentsComponent,
    SelectComponent,
  ],
  template: `
    @let does = part().does;
    <h2>Button</h2>
    <hr-line
      label="It says"
      most="60"
      needed="A button needs words: those it has stay."
      [value]="part().label"
      (changed)="editor.setPart({ label: $event.trim() })"
    />
    <hr-select label="Pressed, it" [options]="acts" [value]="does.act" (changed)="setAct($event)" />
    @switch (does.act) {
      @case ('print') {
        <hr-select
          label="What"
          [options]="printed()"
          [value]="does.report ?? record"
          (changed)="set({ act: 'print', report: $event === record ? null : $event })"
        />
        @if (does.report !== null) {
          <p class="soft small">
            @if (belongs()) {
              Only those of its rows are printed that belong to the {{ one() }} on the form.
            } @else {
              What it prints goes by how the {{ one() }} on the form answers it.
            }
          </p>
        }
        @if (asking(); as query) {
          <hr-answering
            [design]="editor.store.design()"
            [query]="query"
            [table]="editor.levelTable()"
            [answering]="does.answers ?? []"
            (changed)="set({ act: 'print', report: does.report, answers: $event })"
          />
        }
      }
      @case ('open') {
        <hr-select
          label="Which, and on what"
          placeholder="Choose …"
          [options]="opened()"
          [value]="does.screen + ' ' + (does.link ?? '')"
          (changed)="setOpen($event)"
        />
      }
      @case ('change') {
        <hr-select
          label="Which rows"
          [options]="changeable()"
          [value]="rowsOf(does)"
          (changed)="setRows($event)"
        />
        @if (changed(); as table) {
          <div class="field" role="group" aria-label="Only those where">
            <span class="label">Only those where</span>
            <p class="sentence">
              <hr-conditions
                first="+ a condition…"
                [conditions]="does.conditions"
                [table]="table.id"
                [paths]="paths()"
                [most]="20"
                asks="Only rows where"
                (changed)="setChange({ conditions: [...$event] })"
              />
            </p>
          </div>
          <div class="field" role="group" aria-label="What becomes of them">
            <span class="label">What becomes of them</span>
            @for (item of does.sets; track item.field) {
              @let label = labelOf(item.field);
              <div class="row">
                <span class="grow cut">{{ label }} becomes</span>
                <button
                  matIconButton
                  type="button"
                  [attr.aria-label]="'Leave ' + label + ' alone'"
                  (click)="unset(item.field)"
                >
                  <mat-icon svgIcon="close" />
                </button>
              </div>
              <hr-expression-editor
                [label]="'What ' + label + ' becomes'"
                [optional]="false"
                [value]="read(item.expression)"
                [catalog]="editor.store.catalog()"
                [table]="table.id"
                (changed)="setTo(item.field, $event)"
              />
            }
            @if (settable().length > 0 && does.sets.length < 20) {
              <hr-select
                about="Set a field"
                placeholder="+ a field…"
                [options]="settable()"
                [value]="null"
                (changed)="addSet($event)"
              />
            }
          </div>
          <p class="soft small">
            {{
              does.rows === 'this'
                ? 'It is done at once, and can be taken back.'
                : 'What would change is shown row by row before it is done.'
            }}
          </p>
        }
      }
    }
    <hr-segments
      label="Width, of 12"
      [choices]="widths"
      [value]="part().width"
      (changed)="editor.setPart({ width: $event })"
    />
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
export class ButtonDetailsComponent {
  readonly editor = inject(FormEditor);
  readonly part = input.required<FormButton>();
  readonly acts = ACTS;
  readonly widths = WIDTHS;
  readonly record = RECORD;
  private readonly design = this.editor.store.design;
  private readonly table = computed((): Table =>
    this.design().tables.find(({ id }) => id === this.editor.levelTable())!,
  );
  readonly one = computed(() => this.table().label.toLowerCase());
  /** The record itself, and the reports whose rows belong to it. */
  readonly printed = computed((): Option[] => [
    { id: RECORD, label: `this ${this.one()} as it stands here` },
    ...this.design().reports.flatMap((report) => {
      const { id, label } = report;
      if (reportLink(this.design(), this.table(), report) !== undefined)
        return [{ id, label, group: 'Its rows in a report' }];
      const query = queryOfReport(this.design(), report);
      const asks = query !== undefined && questionsOf(this.design(), query).length > 0;
      return asks ? [{ id, label, group: `A report that asks, answered by the ${this.one()}` }] : [];
    }),
  ]);
  private readonly report = computed(() => {
    const { does } = this.part();
    return does.act === 'print' ? this.design().reports.find(({ id }) => id === does.report) : undefined;
  });
  /** Whether the rows of the report that is printed belong to the record. */
  readonly belongs = computed(() => {
    const report = this.report();
    return report !== undefined && reportLink(this.design(), this.table(), report) !== undefined;
  });
  /** The query of the report that is printed. */
  readonly asking = computed(() => {
    const report = this.report();
    return report && queryOfReport(this.design(), report);
  });
  readonly opened = computed((): Option[] =>
    this.design()
      .forms.filter(({ id }) => id !== this.editor.form()?.id)
      .flatMap((screen) =>
        waysTo(this.design(), this.table(), screen).map((way) => ({
          id: `${screen.id} ${way.link ?? ''}`,
          label: this.wayWords(way, screen.table),
          group: screen.label,
        })),
      ),
  );
  readonly changeable = computed((): Option[] => [
    { id: 'this', label: `this ${this.one()}` },
    ...linksTo(this.design(), this.table().id).map(({ table, field }) => ({
      id: BELONGING + field.id,
      label: `its ${table.plural.toLowerCase()}, by ${field.label.toLowerCase()}`,
    })),
    ...this.design().tables.map(({ id, plural }) => ({
      id: ALL + id,
      label: `all ${plural.toLowerCase()}`,
      group: 'Of the whole file',
    })),
  ]);
  readonly changed = computed((): Table | undefined => {
    const { does } = this.part();
    return does.act === 'change' ? changedTable(this.design(), this.table(), does) : undefined;
  });
  readonly paths = computed(() => {
    const table = this.changed();
    return table ? pathsFrom(this.design(), table) : [];
  });
  /** Fields that could be set and are not. */
  readonly settable = computed((): Field[] => {
    const { does } = this.part();
    const set = new Set(does.act === 'change' ? does.sets.map(({ field }) => field) : []);
    return (this.changed()?.fields ?? []).filter(
      (field) =>
        !set.has(field.id) &&
        !isGiven(field) &&
        field.type.kind !== 'picture' &&
        field.type.kind !== 'file' &&
        // Its key tells a row from the others: a button does not make it another.
        !this.changed()!.key.includes(field.id),
    );
  });

  private wayWords({ way, link }: Way, table: string): string {
    const other = this.design().tables.find(({ id }) => id === table)!;
    if (way === 'new') return `a new ${other.label.toLowerCase()} for this ${this.one()}`;
    if (way === 'rows') return `the ${other.plural.toLowerCase()} of this ${this.one()}`;
    return link === null ? `this ${this.one()}` : `its ${fieldOf(this.table(), link)!.label.toLowerCase()}`;
  }

  set(does: ButtonAct): void {
    this.editor.setPart({ does });
  }

  setChange(patch: Partial<ChangeAct>): void {
    const { does } = this.part();
    if (does.act === 'change') this.set({ ...does, ...patch });
  }

  setAct(act: ButtonAct['act']): void {
    if (act === 'print') this.set({ act, report: null });
    else if (act === 'change') this.set({ act, rows: 'this', of: null, conditions: [], sets: [] });
    else {
      // One that is there: which it is to be is chosen next.
      const [first] = this.opened();
      if (first) this.setOpen(first.id);
    }
  }

  setOpen(choice: string): void {
    const [screen, link] = choice.split(' ') as [string, string];
    this.set({ act: 'open', screen, link: link === '' ? null : link });
  }

  rowsOf({ rows, of }: ChangeAct): string {
    return rows === 'this' ? rows : (rows === 'all' ? ALL : BELONGING) + of!;
  }

  /** Other rows are chosen: what was said of those is no longer true. */
  setRows(choice: string): void {
    const none = { conditions: [], sets: [] };
    if (choice === 'this') this.setChange({ rows: 'this', of: null, ...none });
    else if (choice.startsWith(ALL)) this.setChange({ rows: 'all', of: choice.slice(ALL.length), ...none });
    else this.setChange({ rows: 'belonging', of: choice.slice(BELONGING.length), ...none });
  }

  labelOf(id: string): string {
    const table = this.changed();
    return (table && fieldOf(table, id)?.label) ?? 'A field that is gone';
  }

  read(stored: string): string {
    return readable(stored, this.editor.store.catalog(), this.changed()!.id);
  }

  addSet(field: string): void {
    const { does } = this.part();
    // Empty until something else is written.
    if (field && does.act === 'change')
      this.setChange({ sets: [...does.sets, { field, expression: 'NULL' }] });
  }

  setTo(field: string, { text, ok }: { readonly text: string; readonly ok: boolean }): void {
    const [{ does }, table] = [this.part(), this.changed()];
    if (!ok || text.trim() === '' || does.act !== 'change' || !table) return;
    const expression = toStored(text, this.editor.store.catalog(), table.id);
    this.setChange({
      sets: does.sets.map((item) => (item.field === field ? { field, expression } : item)),
    });
  }

  unset(field: string): void {
    const { does } = this.part();
    if (does.act === 'change') this.setChange({ sets: does.sets.filter((item) => item.field !== field) });
  }
}
