import {
  afterNextRender,
  Component,
  computed,
  ElementRef,
  inject,
  Injector,
  input,
  model,
  output,
} from '@angular/core';
import { LiveAnnouncer } from '@angular/cdk/a11y';
import { CdkAccordionModule } from '@angular/cdk/accordion';
import { CdkDrag, CdkDragHandle, CdkDropList, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { MatButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import type { Field, Table } from '@heathridge/core/design';
import { FileStore } from '../file/file.store';
import { describe, KIND_ICONS } from '../file/describe';
import { conditionWords } from '../shared/readable';
import { DraftStore } from './draft.store';
import { NotReadComponent } from '../shared/not-read.component';
import { FieldEditorComponent } from './field-editor.component';

/** The fields of a table in their order, one of them open; moved by dragging, or by Alt with the arrow keys. */
@Component({
  selector: 'hr-table-fields',
  imports: [
    CdkAccordionModule,
    CdkDrag,
    CdkDragHandle,
    CdkDropList,
    FieldEditorComponent,
    MatButton,
    MatIconModule,
    NotReadComponent,
  ],
  template: `
    <ul
      class="plain-list"
      cdkAccordion
      cdkDropList
      cdkDropListLockAxis="y"
      [attr.aria-label]="'Fields of ' + table().label"
      (cdkDropListDropped)="dropAt($event)"
    >
      @for (item of items(); track item.field.id) {
        @let isOpen = open() === item.field.id;
        <li cdkAccordionItem cdkDrag [expanded]="isOpen" [class.open]="isOpen">
          <mat-icon cdkDragHandle class="handle" svgIcon="drag_indicator" aria-hidden="true" />
          <button
            matButton="text"
            disableRipple
            class="whole-line"
            type="button"
            [attr.data-field]="item.field.id"
            [attr.aria-expanded]="isOpen"
            aria-keyshortcuts="Alt+ArrowUp Alt+ArrowDown"
            (click)="open.set(isOpen ? null : item.field.id)"
            (keydown.alt.arrowup)="move(item.field, $index - 1, $event)"
            (keydown.alt.arrowdown)="move(item.field, $index + 1, $event)"
          >
            <span class="line">
              <mat-icon
                [class.heather]="item.field.type.kind === 'lookup'"
                [svgIcon]="icons[item.field.type.kind]"
                aria-hidden="true"
              />
              <span class="grow">
                <strong class="cut" dir="auto">{{ item.field.label }}</strong>
                <span class="what">{{ item.what }}</span>
                @if (item.rule && !isOpen) {
                  <span class="what"
                    >rule: <em>{{ item.rule }}</em></span
                  >
                }
              </span>
              @if (item.drafted) {
                <span class="tag gorse">{{ item.drafted }}</span>
              }
              @if (item.isKey) {
                <span class="tag moss">key</span>
              } @else if (item.field.alwaysFilled) {
                <span class="tag">always filled</span>
              }
            </span>
          </button>
          @if (isOpen) {
            @defer (on immediate) {
              <hr-field-editor
                [table]="table()"
                [field]="item.field"
                [begins]="fresh() === item.field.id"
                (begun)="fresh.set(null)"
                (dropped)="dropped.emit(item.field)"
                (entered)="entered.emit()"
                (closed)="close(item.field)"
                (pasted)="pasted.emit({ field: item.field, text: $event })"
              />
            } @loading (after 300ms) {
              <p class="coming soft small" role="status">Reading what edits a field …</p>
            } @error {
              <hr-not-read class="coming" />
            }
          }
        </li>
      }
    </ul>
  `,
  styleUrl: './table-fields.component.scss',
})
export class TableFieldsComponent {
  private readonly store = inject(FileStore);
  private readonly draft = inject(DraftStore);
  private readonly announcer = inject(LiveAnnouncer);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly injector = inject(Injector);
  readonly icons = KIND_ICONS;
  readonly table = input.required<Table>();
  /** The id of the field that is open. */
  readonly open = model.required<string | null>();
  /** The id of a field that has just been added and waits for its name. */
  readonly fresh = model<string | null>(null);
  readonly dropped = output<Field>();
  /** A new field has got its name, and the next is to follow. */
  readonly entered = output();
  /** Several lines were to be put in for the name of a field. */
  readonly pasted = output<{ readonly field: Field; readonly text: string }>();

  readonly items = computed(() => {
    const [table, design, catalog] = [this.table(), this.draft.design(), this.draft.catalog()];
    const before = new Map(
      this.store.design().tables.flatMap(({ fields }) => fields.map((field) => [field.id, field] as const)),
    );
    return table.fields.map((field) => ({
      field,
      what: describe(design, catalog, field),
      rule: field.rule ? conditionWords(field.rule.expression, catalog, table.id) : '',
      drafted: draftedWord(before.get(field.id), field),
      isKey: table.key.includes(field.id),
    }));
  });

  dropAt({ item, currentIndex }: CdkDragDrop<unknown>): void {
    const id = item.element.nativeElement.querySelector<HTMLElement>('[data-field]')?.dataset['field'];
    const field = this.table().fields.find((other) => other.id === id);
    if (field) this.move(field, currentIndex);
  }

  move(field: Field, to: number, event?: Event): void {
    event?.preventDefault();
    const { id, fields } = this.table();
    if (to < 0 || to >= fields.length || fields[to] === field) return;
    this.draft.moveField(id, field.id, to);
    void this.announcer.announce(`${field.label} is field ${to + 1} of ${fields.length} now.`);
    if (event) this.focus(field.id);
  }

  close(field: Field): void {
    this.open.set(null);
    this.focus(field.id);
  }

  /** An element that is moved loses the focus. */
  private focus(id: string): void {
    afterNextRender(
      () => this.host.nativeElement.querySelector<HTMLElement>(`[data-field="${CSS.escape(id)}"]`)?.focus(),
      { injector: this.injector },
    );
  }
}

/** Whether the draft changes a field, and how it is called then. */
function draftedWord(before: Field | undefined, field: Field): string {
  if (!before) return 'new';
  if (JSON.stringify(before) === JSON.stringify(field)) return '';
  return before.rule === field.rule ? 'drafted' : 'draft rule';
}
